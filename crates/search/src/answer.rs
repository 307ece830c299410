//! What a search has found.

use serde::{Deserialize, Serialize};

use crate::design::{Block, Design};
use crate::target::Measure;

/// Everything a search says.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Answer {
    /// What may change.
    pub blocks: Vec<Block>,
    /// The trial that it began from, unchanged, on the days of the test; its design is the most people of each
    /// block.
    pub start: DesignFigures,
    /// The cheapest design found, on the days of the test; without one that holds, the one with the
    /// most people that are allowed.
    pub best: DesignFigures,
    /// What is claimed of it.
    pub claim: Claim,
    /// Where scores are concave in people, no design is cheaper than this; `None` where that is not known.
    pub bound: Option<f64>,
    /// Cost against service, cheapest first.
    pub frontier: Vec<FrontierPoint>,
    /// By setting, whether any of its values changed anything.
    pub has_effect: Vec<bool>,
    /// Above how many contacts a day the best design breaks.
    pub breaking_point: Option<BreakingPoint>,
    /// What was simulated, in order.
    pub tried: Vec<Tried>,
    /// Simulated days in all.
    pub days: u64,
    /// Whether it ended before it was done, with the best so far.
    pub is_cut_short: bool,
}

/// How sure it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Claim {
    /// Every target holds on fresh days, with 95 % confidence.
    Holds,
    /// It holds on the days of the search; on fresh ones that is not sure.
    NotSure,
    /// Not even the most people that are allowed hold every target.
    OutOfReach,
}

/// A design with what it comes to on fresh days.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DesignFigures {
    /// The design.
    pub design: Design,
    /// What its people cost.
    pub cost: f64,
    /// Hours of its people.
    pub hours: f64,
    /// Each target.
    pub goals: Vec<GoalAnswer>,
    /// Share of days on which every contact type's targets hold.
    pub days_held: f64,
    /// Half the width of its 95 % confidence interval.
    pub days_held_half_width: f64,
}

/// Whose target it is, by its number in the question's trial.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum GoalName {
    /// A contact type.
    ContactType(usize),
    /// A team.
    Team(usize),
}

/// A target beside its result.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct GoalAnswer {
    /// Whose.
    pub of: GoalName,
    /// What about.
    pub measure: Measure,
    /// The share that is promised.
    pub wanted: f64,
    /// The share over all fresh days.
    pub got: f64,
    /// Half the width of its 95 % confidence interval.
    pub half_width: f64,
    /// Share of days on which it holds.
    pub days_held: f64,
    /// What its last point costs: by the prices of the relaxed master problem.
    pub price_per_point: f64,
}

/// A design on the way from cheap to safe, on the days of the search.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FrontierPoint {
    /// The design.
    pub design: Design,
    /// What it costs.
    pub cost: f64,
    /// Hours of its people.
    pub hours: f64,
    /// Points by which its worst target is over (or, negative, under) what is promised.
    pub worst: f64,
    /// Answered in time, of all contacts with a service level.
    pub service_level: f64,
    /// Share of days on which every contact type's targets hold.
    pub days_held: f64,
}

/// A number of contacts that tells days that hold from days that do not.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct BreakingPoint {
    /// Contacts of a day.
    pub contacts: f64,
    /// Share of days that it tells right.
    pub right: f64,
    /// Share of days above it.
    pub above: f64,
}

/// In which part of the search something was tried.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TriedWhat {
    /// Cutting planes.
    Cuts,
    /// The local search.
    Nearby,
    /// Values of settings.
    Settings,
    /// The frontier.
    Frontier,
}

/// A design that was simulated.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tried {
    /// In which part.
    pub what: TriedWhat,
    /// What it costs.
    pub cost: f64,
    /// Points by which its worst target is over or under.
    pub worst: f64,
    /// Days it was simulated on.
    pub days: u32,
}
