//! Whether anything cheaper holds: boxes of designs, ruled out by their fullest member.
//!
//! More people never serve worse. So where the fullest design of a box (this many people to that many in each block)
//! misses a target, the whole box does; where it holds, the box is halved. Once no box is left, nothing cheaper than
//! the best design holds, and that is a proof, as far as the simulated days tell it: each verdict has three standard
//! errors behind it, or the sign of the mean of as many days as the test on fresh days has. (Branch and bound over a
//! monotone constraint; Land and Doig 1960.)
//!
//! It ends only on small centres; on others it gives up after a number of designs.

use serde::{Deserialize, Serialize};

use crate::budget::Bench;
use crate::confirm::standing;
use crate::design::Design;
use crate::error::{SearchError, Stopped};
use crate::play::Days;
use crate::settings::combinations;

/// Most blocks of a centre for which a proof is tried.
const MOST_BLOCKS: usize = 10;

/// Designs that are simulated for a proof, at most, of each combination of settings.
const MOST_DESIGNS: usize = 2000;

/// A proof takes no more than half of the days that are left, the days of eight tests for each combination of settings, and
/// contacts for about a minute.
const MOST_OF_DAYS: u64 = 2;
const MOST_TESTS: u64 = 8;
const MOST_CONTACTS: f64 = 4e7;

/// Standard errors by which a goal must miss or hold before it is decided early.
const SURE: f64 = 3.0;

/// Days on which a design is played first.
const FIRST: u32 = 50;

/// How much dearer than a best design that is not sure to hold one may be that is, beside one person more.
const DEARER: f64 = 1.1;

/// A design is cheaper by at least this.
const CHEAPER: f64 = 1e-6;

/// That nothing cheaper holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Proof {
    /// Designs that were simulated for it; every cheaper one has no more people anywhere than one of these that misses
    /// a target.
    pub designs: usize,
    /// Whether that is so for every combination of the settings' values, and not only for those that were found.
    #[serde(default)]
    pub of_all_settings: bool,
}

/// Numbers of people from `low` to `high` in each block, with one combination of settings.
struct Area {
    settings: usize,
    low: Vec<u32>,
    high: Vec<u32>,
}

/// People known to hold every goal, and people known to miss one, with the same settings.
#[derive(Default)]
struct Known {
    holding: Vec<Vec<u32>>,
    missing: Vec<Vec<u32>>,
    designs: usize,
}

/// Whether a centre is small enough for a proof, which is about people alone.
pub(crate) fn can_be_proven(bench: &Bench<'_>) -> bool {
    bench.blocks.len() <= MOST_BLOCKS && !bench.question.prices.are_any()
}

/// Rules out everything that is cheaper than the best design, or finds what is not ruled out: then that is the best.
/// `None` where that is not done with the days that it may take.
pub(crate) fn prove(bench: &mut Bench<'_>) -> Result<Option<Proof>, SearchError> {
    let Some((_, best, _)) = bench.best.clone() else { return Ok(None) };
    let settings = combinations(bench.question, &best.settings);
    // The same day of every other kind is played with each day.
    let kinds = 1 + bench.question.day_kinds.len();
    let days = (MOST_CONTACTS / (bench.question.contacts_of_a_day() * kinds as f64)) as u64;
    let tests = MOST_TESTS * u64::from(bench.question.fresh_days) * settings.len() as u64;
    let most_days = bench.days_played() + days.min(tests).min(bench.days_left() / MOST_OF_DAYS);
    match rule_out(bench, &settings, most_days) {
        // What is left of the days is for the test and the frontier.
        Err(SearchError::Stopped(Stopped::Enough)) => Ok(None),
        other => other,
    }
}

fn rule_out(
    bench: &mut Bench<'_>,
    settings: &[Vec<Option<f64>>],
    most_days: u64,
) -> Result<Option<Proof>, SearchError> {
    let Some((cost, best, _)) = bench.best.clone() else { return Ok(None) };
    let found = settings.iter().position(|each| *each == best.settings).unwrap_or_default();
    let mut known: Vec<Known> = settings.iter().map(|_| Known::default()).collect();
    let mut is_sure = known[found].holds(bench, &best)?;
    // What is not sure to hold is no measure: somewhat dearer designs count as well.
    let mut budget = if is_sure { cost - CHEAPER } else { cost * DEARER + bench.dearest_person() };
    // The settings that were found are looked at first: what they reach is what others are measured by.
    let order = (0..settings.len()).filter(|nth| *nth != found).chain([found]);
    let whole = |settings: usize| Area {
        settings,
        low: bench.blocks.iter().map(|block| block.least).collect(),
        high: bench.blocks.iter().map(|block| block.most).collect(),
    };
    let mut areas: Vec<Area> = order.map(whole).collect();
    while let Some(mut area) = areas.pop() {
        if designs(&known) >= MOST_DESIGNS * settings.len() || bench.days_played() >= most_days {
            return Ok(None);
        }
        if !area.tighten(bench, budget) {
            continue;
        }
        let (people, nth) = (area.high.clone(), area.settings);
        let fullest = Design { people, settings: settings[nth].clone() };
        if !known[nth].holds(bench, &fullest)? {
            continue;
        }
        let cost = fullest.cost(bench.blocks);
        if cost <= budget {
            bench.take(fullest)?;
            (budget, is_sure) = (cost - CHEAPER, true);
            areas.push(area);
        } else {
            areas.extend(area.halves(bench));
        }
    }
    let of_all_settings = settings.len() > 1;
    Ok(is_sure.then_some(Proof { designs: designs(&known), of_all_settings }))
}

/// Designs that were simulated.
fn designs(known: &[Known]) -> usize {
    known.iter().map(|each| each.designs).sum()
}

impl Area {
    /// Takes away what costs more than a budget; `false` where nothing is left.
    fn tighten(&mut self, bench: &Bench<'_>, budget: f64) -> bool {
        let cheapest = Design { people: self.low.clone(), settings: Vec::new() };
        let left = budget - cheapest.cost(bench.blocks);
        if left < 0.0 {
            return false;
        }
        for ((&low, high), block) in self.low.iter().zip(&mut self.high).zip(bench.blocks) {
            let more = (left / block.cost + 1e-9).floor();
            *high = (*high).min(low.saturating_add(more as u32));
        }
        true
    }

    /// Two halves where a person more or fewer costs most; the fuller one is looked at last, since the leaner one is
    /// more often ruled out at once.
    fn halves(self, bench: &Bench<'_>) -> Vec<Self> {
        let width = |at: usize| f64::from(self.high[at] - self.low[at]) * bench.blocks[at].cost;
        let widest =
            (0..self.low.len()).max_by(|&a, &b| width(a).total_cmp(&width(b)).then(b.cmp(&a)));
        let Some(at) = widest.filter(|&at| self.high[at] > self.low[at]) else { return Vec::new() };
        let middle = self.low[at] + (self.high[at] - self.low[at]) / 2;
        let (low, high) = (self.low.clone(), self.high.clone());
        let (mut lean, mut full) = (Self { settings: self.settings, low, high }, self);
        lean.high[at] = middle;
        full.low[at] = middle + 1;
        vec![full, lean]
    }
}

impl Known {
    /// Whether a design holds every goal: known from one with no more or no fewer people anywhere, or else simulated.
    fn holds(&mut self, bench: &mut Bench<'_>, design: &Design) -> Result<bool, SearchError> {
        let has_no_more =
            |one: &[u32], other: &[u32]| one.iter().zip(other).all(|(one, other)| one <= other);
        if self.missing.iter().any(|missing| has_no_more(&design.people, missing)) {
            return Ok(false);
        }
        if self.holding.iter().any(|holding| has_no_more(holding, &design.people)) {
            return Ok(true);
        }
        self.designs += 1;
        let holds = bench.is_sure_to_hold(design)?;
        if holds { &mut self.holding } else { &mut self.missing }.push(design.people.clone());
        Ok(holds)
    }
}

impl Bench<'_> {
    /// What one person costs in the block where that is most.
    fn dearest_person(&self) -> f64 {
        self.blocks.iter().map(|block| block.cost).fold(0.0, f64::max)
    }

    /// Takes a design as the best, whatever the few days of the search say of it.
    fn take(&mut self, design: Design) -> Result<(), SearchError> {
        let days = self.play(&design, 0..self.question.days)?;
        self.best = Some((design.cost(self.blocks), design, days));
        Ok(())
    }

    /// Whether a design holds every goal: played on more and more days until that is sure, or as many are played as a
    /// test has.
    fn is_sure_to_hold(&mut self, design: &Design) -> Result<bool, SearchError> {
        let all = self.question.fresh_days;
        let mut days = Days::default();
        let mut until = FIRST.min(all);
        loop {
            let more = self.play(design, days.count() as u32..until)?;
            days.append(more);
            let standings: Vec<(f64, f64)> = self
                .goals
                .all
                .iter()
                .zip(&self.goals.margins)
                .map(|(goal, margin)| {
                    let (over, error) = standing(goal, self.goals.share, &days);
                    (over - margin, error)
                })
                .collect();
            let is_over =
                |errors: f64| standings.iter().all(|(over, error)| *over >= errors * error);
            let is_under = standings.iter().any(|(over, error)| *over < -SURE * error);
            if is_under || is_over(SURE) || until == all {
                self.note(
                    design,
                    standings.iter().map(|(over, _)| *over).fold(f64::INFINITY, f64::min),
                    &days,
                );
                return Ok(!is_under && is_over(0.0));
            }
            until = (2 * until).min(all);
        }
    }
}
