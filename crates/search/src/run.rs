//! The search from question to answer.

use std::collections::HashSet;

use crate::answer::{Answer, Claim, DesignFigures, Tried, TriedWhat};
use crate::budget::Bench;
use crate::confirm::{TESTS, Tested, every_contact_target, ratio, test, test_base};
use crate::design::{Block, Design, blocks};
use crate::error::{SearchError, Stopped};
use crate::frontier::frontier;
use crate::goal::{Goal, ONE_SIDED};
use crate::local::{improve, repair};
use crate::master::Master;
use crate::progress::Progress;
use crate::question::{Question, QuestionError};
use crate::settings;
use crate::slopes::slopes;
use crate::threshold::breaking_point;

/// Designs at which cuts are added, at most.
const MOST_CUTS: usize = 30;

/// Designs in a row that bring nothing cheaper before the cuts end.
const PATIENCE: usize = 6;

/// What is asked more each time that cuts lead back to a design that was tried, and in all.
const MORE: f64 = 0.002;
const MOST_MORE: f64 = 0.03;

/// A design is cheaper where it saves at least this share.
const LEAST_GAIN: f64 = 0.001;

/// How far the next design may lie from the last, as a share of its people.
const REACH: f64 = 0.3;

/// The cheapest design that a question has, as far as it can be found.
///
/// `ask` is told how far the search has come before each simulation and may stop it.
///
/// # Errors
///
/// [`SearchError`] where the question is out of range or cannot be simulated, and where `ask` cancels.
pub fn search(
    question: &Question,
    mut ask: impl FnMut(Progress) -> Option<Stopped>,
) -> Result<Answer, SearchError> {
    question.check()?;
    let blocks = blocks(question);
    let mut bench = Bench::new(question, &blocks, &mut ask);
    if blocks.is_empty() || bench.goals.all.is_empty() {
        return Err(QuestionError::NoGoal.into());
    }
    let mut found = Found { master: Master::default(), bound: None, has_effect: Vec::new() };
    found.has_effect = vec![true; question.settings.len()];
    let start = Design::start(question, &blocks);
    let mut is_cut_short = false;
    let mut nth = 0;
    let (claim, tested) = loop {
        let searched = match nth {
            0 => found.one_search(&mut bench, &start),
            _ => found.once_more(&mut bench),
        };
        match searched {
            Ok(()) => {}
            Err(SearchError::Stopped(Stopped::Enough)) => is_cut_short = true,
            Err(error) => return Err(error),
        }
        let Some((_, design, _)) = bench.best.clone() else {
            let fullest = start.fullest(&blocks);
            break (Claim::OutOfReach, test(&bench, &fullest, nth)?);
        };
        let tested = test(&bench, &design, nth)?;
        nth += 1;
        if tested.shortfalls.iter().all(|short| *short <= 0.0) {
            break (Claim::Holds, tested);
        }
        if nth == TESTS || is_cut_short {
            break (Claim::NotSure, tested);
        }
        bench.ask_for_more(&tested.shortfalls);
    };
    bench.enter(FRONTIER);
    let points = match frontier(&mut bench, &found.master) {
        Ok(points) => points,
        Err(SearchError::Stopped(Stopped::Enough)) => Vec::new(),
        Err(error) => return Err(error),
    };
    let start = test_base(&bench, &start, nth)?;
    Ok(answer(&bench, found, tested, claim, start, points, is_cut_short))
}

const CUTS: &str = "cutting planes";
const NEARBY: &str = "nearby designs";
const SETTINGS: &str = "settings";
const FRONTIER: &str = "cost against service";

/// What the parts of a search leave behind.
struct Found {
    master: Master,
    bound: Option<f64>,
    has_effect: Vec<bool>,
}

impl Found {
    /// Cutting planes, settings, local search; the best design is left in the bench.
    fn one_search(&mut self, bench: &mut Bench<'_>, start: &Design) -> Result<(), SearchError> {
        bench.enter(CUTS);
        let from = start.clone();
        let fullest = bench.evaluate(&from.fullest(bench.blocks))?;
        if !bench.holds(&fullest) {
            bench.best = None;
            return Ok(());
        }
        let last = self.cut(bench, from)?;
        bench.ask_for_certainty(&last)?;
        repair(bench, last)?;
        if !bench.question.settings.is_empty() {
            bench.enter(SETTINGS);
            self.has_effect = settings::choose(bench)?;
        }
        bench.enter(NEARBY);
        improve(bench)
    }

    /// From a design that a test has not confirmed: people added, and the local search again.
    fn once_more(&mut self, bench: &mut Bench<'_>) -> Result<(), SearchError> {
        bench.enter(NEARBY);
        if let Some((_, design, _)) = bench.best.take() {
            repair(bench, design)?;
        }
        improve(bench)
    }

    /// Cutting planes from a design on, on a part of the days: what they find is only where the rest of
    /// the search begins. Gives the cheapest design that holds there, or else the last.
    fn cut(&mut self, bench: &mut Bench<'_>, from: Design) -> Result<Design, SearchError> {
        let mut design = from;
        let mut seen: HashSet<Vec<u32>> = HashSet::new();
        let (mut since_better, mut more) = (0, 0.0);
        let mut best: Option<(f64, Design)> = None;
        for _ in 0..MOST_CUTS {
            seen.insert(design.people.clone());
            let days = bench.sketch(&design)?;
            let cost = design.cost(bench.blocks);
            let is_better = bench.holds(&days)
                && best.as_ref().is_none_or(|(known, _)| cost < known * (1.0 - LEAST_GAIN));
            since_better = if is_better || best.is_none() { 0 } else { since_better + 1 };
            if is_better {
                best = Some((cost, design.clone()));
            }
            let slopes = slopes(bench, &design, &days)?;
            self.master.add(&design.people, &bench.goals.scores(&days), &slopes);
            if since_better > PATIENCE {
                break;
            }
            match self.next(bench, &design, &seen, &mut more)? {
                Some(people) => design.people = people,
                None => break,
            }
        }
        // The bound is for the promise alone, without the margins.
        let promised = vec![0.0; bench.goals.all.len()];
        self.bound =
            self.master.solve(bench.blocks, &promised, None)?.map(|solution| solution.bound);
        Ok(best.map_or(design, |(_, best)| best))
    }

    /// The next people to try, near a design: the master problem's. Where rounding leads back to people
    /// that were tried, a little `more` is asked of every goal, so that it leads elsewhere.
    fn next(
        &self,
        bench: &Bench<'_>,
        design: &Design,
        seen: &HashSet<Vec<u32>>,
        more: &mut f64,
    ) -> Result<Option<Vec<u32>>, SearchError> {
        let around = Some((design.people.as_slice(), REACH));
        while *more <= MOST_MORE {
            let least: Vec<f64> = bench.goals.margins.iter().map(|margin| margin + *more).collect();
            let people = match self.master.solve(bench.blocks, &least, around)? {
                Some(solution) => solution.people,
                None => design.halfway_to_fullest(bench.blocks),
            };
            if !seen.contains(&people) {
                return Ok(Some(people));
            }
            *more += MORE;
        }
        Ok(None)
    }
}

impl Design {
    fn halfway_to_fullest(&self, blocks: &[Block]) -> Vec<u32> {
        let halfway = |(&people, block): (&u32, &Block)| (people + block.most).div_ceil(2);
        self.people.iter().zip(blocks).map(halfway).collect()
    }
}

impl Bench<'_> {
    /// Asks of goals over all days what a test will ask: that they hold by some standard errors.
    fn ask_for_certainty(&mut self, design: &Design) -> Result<(), SearchError> {
        let days = self.sketch(design)?;
        let fresh = f64::from(self.question.fresh_days);
        for (goal, margin) in self.goals.all.iter().zip(&mut self.goals.margins) {
            if let Goal::Mean(target) = goal {
                let (_, error) = ratio(&days, target);
                let of_test = error * (days.count() as f64 / fresh).sqrt();
                *margin = margin.max(ONE_SIDED * of_test);
            }
        }
        Ok(())
    }

    /// Asks more of goals that a test has not confirmed: a better score, or more of the days.
    fn ask_for_more(&mut self, shortfalls: &[f64]) {
        let mut days_short = 0.0_f64;
        let goals = self.goals.all.iter().zip(&mut self.goals.margins).zip(shortfalls);
        for ((goal, margin), &short) in goals {
            match goal {
                Goal::Mean(_) => *margin += short,
                Goal::Often(_) | Goal::Together(_) => days_short = days_short.max(short),
            }
        }
        self.goals.share = (self.goals.share + days_short).min(0.999);
    }
}

fn answer(
    bench: &Bench<'_>,
    found: Found,
    tested: Tested,
    claim: Claim,
    start: DesignFigures,
    frontier: Vec<crate::answer::FrontierPoint>,
    is_cut_short: bool,
) -> Answer {
    let mut best = tested.figures;
    let prices = found.master.prices(bench.blocks, &bench.goals.margins);
    let single =
        bench.goals.all.iter().zip(prices).filter(|(goal, _)| !matches!(goal, Goal::Together(_)));
    for (goal, (_, price)) in best.goals.iter_mut().zip(single) {
        goal.price_per_point = price / 100.0;
    }
    let tried = bench.tried.iter().map(|&(cost, worst, days, phase)| {
        let what = match phase {
            CUTS => TriedWhat::Cuts,
            SETTINGS => TriedWhat::Settings,
            FRONTIER => TriedWhat::Frontier,
            _ => TriedWhat::Nearby,
        };
        Tried { what, cost, worst, days }
    });
    Answer {
        blocks: bench.blocks.to_vec(),
        bound: found.bound.filter(|bound| claim != Claim::OutOfReach && *bound <= best.cost + 1e-6),
        start,
        claim,
        frontier,
        has_effect: found.has_effect,
        breaking_point: breaking_point(&tested.days, &every_contact_target(bench)),
        tried: tried.collect(),
        days: bench.days_played(),
        is_cut_short,
        best,
    }
}
