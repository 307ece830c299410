//! What a search has found.

use serde::{Deserialize, Serialize};

use crate::design::{Block, Design};
use crate::proof::Proof;
use crate::target::{Measure, Target};

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
    /// That nothing cheaper holds; `None` where it was not ruled out.
    #[serde(default)]
    pub proof: Option<Proof>,
    /// Cost against service, cheapest first.
    pub frontier: Vec<FrontierPoint>,
    /// By setting, whether any of its values changed anything.
    pub has_effect: Vec<bool>,
    /// By setting, what each of its values would do to the best design.
    #[serde(default)]
    pub values: Vec<Vec<ValueTried>>,
    /// By setting, how far its number may move with the best design before a target breaks; `None` for a choice, for a limit
    /// that is not set, and where nothing holds.
    #[serde(default)]
    pub ranges: Vec<Option<SettingRange>>,
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
    /// What it costs: its people, and contacts by the question's prices.
    pub cost: f64,
    /// Of that, what contacts cost.
    #[serde(default)]
    pub priced: f64,
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
    /// A contact type on another kind of day.
    OnDayKind {
        /// The contact type.
        contact_type: usize,
        /// The kind of day, by its number in the question.
        day_kind: usize,
    },
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
    /// Where each interval is promised, the worst one, by its number; these figures are its.
    #[serde(default)]
    pub interval: Option<usize>,
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

impl GoalAnswer {
    /// How far its share is on the right side of the target.
    pub fn score(&self) -> f64 {
        self.measure.score(self.got, self.wanted)
    }

    /// Whether it answers a target, or another interval of it.
    pub(crate) fn is_of(&self, target: &Target) -> bool {
        (self.of, self.measure) == (target.name(), target.measure)
    }
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
    /// Whether anything cheaper holds.
    Proof,
    /// The frontier.
    Frontier,
}

impl TriedWhat {
    /// What is done there, in words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Cuts => "cutting planes",
            Self::Nearby => "nearby designs",
            Self::Settings => "settings",
            Self::Proof => "anything cheaper",
            Self::Frontier => "cost against service",
        }
    }
}

/// The best design with another value of one setting, on the days of the search.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct ValueTried {
    /// The value; `None` for the one that the trial has.
    pub value: Option<f64>,
    /// Points by which the worst target is over or under.
    pub worst: f64,
}

/// How far a setting's number may move before a target breaks, on the days of the search.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct SettingRange {
    /// Downwards.
    pub down: Reach,
    /// Upwards.
    pub up: Reach,
}

/// The end of a range.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Reach {
    /// The furthest value that was seen to hold.
    pub holds: f64,
    /// The nearest beyond it that was seen not to; `None` where all that were tried hold.
    pub breaks: Option<f64>,
}

/// A design that was simulated.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tried {
    /// In which part.
    pub what: TriedWhat,
    /// What it costs.
    pub cost: f64,
    /// Points by which its worst target is over or under.
    pub worst: f64,
    /// Days it was simulated on.
    pub days: u32,
    /// Hours of people, by team that may change.
    #[serde(default)]
    pub hours: Vec<f64>,
    /// Value of each setting; `None` where it is the trial's.
    #[serde(default)]
    pub settings: Vec<Option<f64>>,
}
