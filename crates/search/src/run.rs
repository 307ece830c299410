//! The search from question to answer.

use barometer_plan::Threshold;

use crate::answer::{
    Answer, BreakingPoint, Claim, DesignFigures, SettingRange, TriedWhat, ValueTried,
};
use crate::budget::Bench;
use crate::confirm::{TESTS, Tested, every_contact_target, ratio, test, test_base};
use crate::descent::descend;
use crate::design::{Design, blocks};
use crate::error::{SearchError, Stopped};
use crate::frontier::frontier;
use crate::goal::{Goal, ONE_SIDED};
use crate::local::{improve, repair};
use crate::master::Master;
use crate::play::Days;
use crate::progress::Progress;
use crate::proof::{Proof, can_be_proven, prove};
use crate::question::{Question, QuestionError};
use crate::ranges::ranges;
use crate::settings;

/// Standard errors of the days of the search by which the best design there looks better than it is.
const LUCK: f64 = 0.7;

/// How often settings are chosen, each time with the people that go with those chosen before.
const CHOOSING: usize = 3;

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
    let has_effect = vec![true; question.settings.len()];
    let mut found = Found {
        master: Master::default(),
        settings: Vec::new(),
        bound: None,
        proof: None,
        is_beyond_proof: !can_be_proven(&bench),
        has_effect,
        values: Vec::new(),
        ranges: Vec::new(),
    };
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
    bench.enter(TriedWhat::Frontier);
    let points = if_days_last(frontier(&mut bench, &found.master))?;
    bench.enter(TriedWhat::Settings);
    found.values = if_days_last(settings::values(&mut bench, &tested.figures.design))?;
    found.ranges = if_days_last(ranges(&mut bench, &tested.figures.design))?;
    let start = test_base(&bench, &start, nth)?;
    Ok(answer(bench, found, tested, claim, start, points, is_cut_short))
}

/// What a last part of the search finds; nothing where the days are used up.
fn if_days_last<T: Default>(found: Result<T, SearchError>) -> Result<T, SearchError> {
    match found {
        Err(SearchError::Stopped(Stopped::Enough)) => Ok(T::default()),
        other => other,
    }
}

/// What the parts of a search leave behind.
struct Found {
    master: Master,
    /// The settings that the cuts and the bound tell of.
    settings: Vec<Option<f64>>,
    bound: Option<f64>,
    proof: Option<Proof>,
    /// Whether a proof was begun and given up: a second one would be as well.
    is_beyond_proof: bool,
    has_effect: Vec<bool>,
    values: Vec<Vec<ValueTried>>,
    ranges: Vec<Option<SettingRange>>,
}

impl Found {
    /// Cutting planes, settings, local search; the best design is left in the bench.
    fn one_search(&mut self, bench: &mut Bench<'_>, start: &Design) -> Result<(), SearchError> {
        bench.enter(TriedWhat::Cuts);
        let fullest = bench.evaluate(&start.fullest(bench.blocks))?;
        if !bench.holds(&fullest) {
            bench.best = None;
            return Ok(());
        }
        self.descended(bench, start.clone(), &fullest)?;
        let rounds = if bench.question.settings.is_empty() { 0 } else { CHOOSING };
        for round in 0..rounds {
            let Some((_, before, _)) = bench.best.clone() else { break };
            bench.enter(TriedWhat::Settings);
            let prices = self.master.prices(bench.blocks, &bench.goals.margins);
            let has_effect = settings::choose(bench, &prices)?;
            for (known, has_effect) in self.has_effect.iter_mut().zip(has_effect) {
                *known = has_effect || (round > 0 && *known);
            }
            let Some((_, chosen, _)) = bench.best.clone() else { break };
            if chosen.settings == before.settings {
                break;
            }
            // Cuts tell of the settings that they were taken with.
            bench.enter(TriedWhat::Cuts);
            self.master = Master::default();
            let fullest = bench.evaluate(&chosen.fullest(bench.blocks))?;
            self.descended(bench, chosen, &fullest)?;
        }
        self.once_improved(bench)
    }

    /// Cutting planes from a design on, and the bound that they leave; `fullest` are the days with the most people.
    fn descended(
        &mut self,
        bench: &mut Bench<'_>,
        from: Design,
        fullest: &Days,
    ) -> Result<(), SearchError> {
        self.settings.clone_from(&from.settings);
        let last = descend(bench, &mut self.master, from)?;
        // The bound is for the promise alone, without the margins.
        let promised = vec![0.0; bench.goals.all.len()];
        let solution = self.master.solve(bench.blocks, &promised, None)?;
        // With the most people that are allowed contacts cost least.
        self.bound = solution.map(|solution| solution.bound + fullest.priced());
        bench.ask_for_certainty(&last)?;
        repair(bench, last)
    }

    /// From a design that a test has not confirmed: people added. The local search would find what is best on its own days
    /// again, for the test to refuse; only where a proof tells those days from others it goes on.
    fn once_more(&mut self, bench: &mut Bench<'_>) -> Result<(), SearchError> {
        bench.enter(TriedWhat::Nearby);
        self.proof = None;
        if let Some((_, design, _)) = bench.best.take() {
            repair(bench, design)?;
        }
        if self.is_beyond_proof { Ok(()) } else { self.once_improved(bench) }
    }

    /// The local search, and whether anything cheaper than what it finds holds.
    fn once_improved(&mut self, bench: &mut Bench<'_>) -> Result<(), SearchError> {
        bench.enter(TriedWhat::Nearby);
        improve(bench)?;
        if !self.is_beyond_proof {
            bench.enter(TriedWhat::Proof);
            self.proof = prove(bench)?;
            self.is_beyond_proof = self.proof.is_none();
        }
        Ok(())
    }
}

impl Bench<'_> {
    /// Asks of goals over all days what a test will ask: that they hold by some standard errors. Where no proof makes up for it,
    /// what is best on the days of the search owes some of it to luck, and so much more is asked.
    fn ask_for_certainty(&mut self, design: &Design) -> Result<(), SearchError> {
        let days = self.sketch(design)?;
        let (fresh, own) = (f64::from(self.question.fresh_days), f64::from(self.question.days));
        let luck = if can_be_proven(self) { 0.0 } else { LUCK };
        for (goal, margin) in self.goals.all.iter().zip(&mut self.goals.margins) {
            if let Goal::Mean(target) = goal {
                let (_, error) = ratio(&days, target);
                let of_days = |count: f64| error * (days.count() as f64 / count).sqrt();
                *margin = margin.max(ONE_SIDED * of_days(fresh) + luck * of_days(own));
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

/// Above how many contacts days break, where that is what breaks them.
fn breaking_point(days: &Days, goal: &Goal) -> Option<BreakingPoint> {
    let scores = goal.by_day(days);
    let days = scores.iter().enumerate().map(|(day, score)| (days.contacts(day), *score >= 0.0));
    Threshold::of(days).map(|Threshold { at, right, above }| BreakingPoint {
        contacts: at.round(),
        right,
        above,
    })
}

fn answer(
    bench: Bench<'_>,
    found: Found,
    tested: Tested,
    claim: Claim,
    start: DesignFigures,
    frontier: Vec<crate::answer::FrontierPoint>,
    is_cut_short: bool,
) -> Answer {
    let mut best = tested.figures;
    let prices = found.master.prices(bench.blocks, &bench.goals.margins);
    // Of a target that is promised for each interval, a point in every one of them.
    for (goal, price) in bench.goals.all.iter().zip(prices) {
        let Some(target) = goal.single() else { continue };
        if let Some(answer) = best.goals.iter_mut().find(|answer| answer.is_of(target)) {
            answer.price_per_point += price / 100.0;
        }
    }
    Answer {
        blocks: bench.blocks.to_vec(),
        bound: found.bound.filter(|bound| {
            let is_of_these = found.settings == best.design.settings;
            claim != Claim::OutOfReach && is_of_these && *bound <= best.cost + 1e-6
        }),
        proof: found.proof.filter(|_| claim == Claim::Holds && !is_cut_short),
        start,
        claim,
        frontier,
        has_effect: found.has_effect,
        values: found.values,
        ranges: found.ranges,
        breaking_point: breaking_point(&tested.days, &every_contact_target(&bench)),
        days: bench.days_played(),
        tried: bench.tried,
        is_cut_short,
        best,
    }
}
