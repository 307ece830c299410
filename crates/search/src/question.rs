//! What is asked: a trial, what may change in it, and what must hold.

use barometer_plan::{Sweepable, TrialInputs};
use serde::{Deserialize, Serialize};

use crate::day_kind::DayKind;
use crate::prices::Prices;
use crate::target::Promise;

/// A team whose people may change.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct TeamKnob {
    /// The team's id in the strategy.
    pub team: String,
    /// Fewest people in a block in which somebody may be at work.
    #[serde(default)]
    pub least: u32,
    /// Most people in a block.
    pub most: u32,
    /// What an hour of one person costs.
    pub cost_per_hour: f64,
}

/// A setting whose value may change.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SettingKnob {
    /// Which.
    pub setting: Sweepable,
    /// The values to choose from, beside the present one.
    pub values: Vec<f64>,
}

/// Everything that an answer follows from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Question {
    /// Strategy, demand, uncertainty, targets; its people are where the search begins.
    pub base: TrialInputs,
    /// Teams whose people may change. The people of others stay, and cost nothing here.
    pub teams: Vec<TeamKnob>,
    /// What contacts cost beside people.
    #[serde(default)]
    pub prices: Prices,
    /// Settings that may change.
    pub settings: Vec<SettingKnob>,
    /// Other kinds of day on which a design must hold too.
    #[serde(default)]
    pub day_kinds: Vec<DayKind>,
    /// How surely every target must hold.
    pub promise: Promise,
    /// Intervals in a row in which a team has the same people.
    pub block_intervals: usize,
    /// Days on which each design is simulated.
    pub days: u32,
    /// Days, not seen by the search, on which the design found is tested.
    pub fresh_days: u32,
    /// Simulated days after which the search ends with what it has.
    pub most_days: u64,
    /// Seed of all randomness.
    pub seed: u64,
}

/// Why a question cannot be searched.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum QuestionError {
    /// Nothing may change.
    #[error("no team may change its people; choose at least one")]
    NoKnob,
    /// There are too many things to change.
    #[error(
        "{knobs} numbers of people may change, at most {most} can be searched; leave out teams, or \
         let people stay the same for longer than {block_minutes} minutes"
    )]
    TooManyKnobs {
        /// How many there are.
        knobs: usize,
        /// How many there may be.
        most: usize,
        /// Minutes of a block.
        block_minutes: u32,
    },
    /// A team that the trial does not have.
    #[error("the trial has no team “{0}”")]
    UnknownTeam(String),
    /// A number out of range.
    #[error("{what} must be {wanted}, got {got}")]
    BadNumber {
        /// What the number is, with its unit.
        what: String,
        /// The range that would do.
        wanted: String,
        /// What was given.
        got: f64,
    },
    /// No contact type has a target, or nothing is offered.
    #[error("there is no target to hold: nothing is forecast")]
    NoGoal,
}

/// More numbers of people than this are asked for in blocks of two hours.
const MOST_BY_THE_HOUR: usize = 80;

/// Contacts on the days of a search by which its usual number of days is chosen: a day with more of them tells more.
const CONTACTS_OF_A_SEARCH: f64 = 8e5;

/// Contacts of a day beyond which fewer days tell as much.
const TELLING_CONTACTS: f64 = 3_000.0;

/// Contacts on the fresh days of a test, likewise.
const CONTACTS_OF_A_TEST: f64 = 6e6;

/// Contacts that are expected on a day.
fn contacts_of_a_day(base: &TrialInputs) -> f64 {
    let all = base.types.iter().flat_map(|each| &each.intervals);
    let days = base.interval_count() as f64 * base.interval_secs / 86_400.0;
    (all.map(|interval| interval.contacts).sum::<f64>() / days.max(1.0)).max(1.0)
}

/// Simulated days after which a search usually ends, and as many tests' worth of them: a small centre's days are short, and
/// it needs many of them to tell one person from another.
const MOST_PLAYED: u64 = 200_000;
const TESTS_WORTH: u64 = 100;

/// Numbers of people that can be searched.
const MOST_KNOBS: usize = 1000;

/// Other kinds of day: each is played beside every day of the search.
const MOST_DAY_KINDS: usize = 4;

/// Days of a search, at most.
const MOST_DAYS: u32 = 5000;

impl Question {
    /// A question about a trial: every team with people may change, from nobody to twice its largest
    /// number and five more, at 1 an hour; every target on average; in blocks of an hour, or of two hours
    /// where that would be too many numbers; on 200 days, or on fewer where a day has thousands of contacts.
    pub fn about(base: TrialInputs) -> Self {
        let hour = (3600.0 / base.interval_secs).round().max(1.0) as usize;
        let hours = base.interval_count().div_ceil(hour);
        let people =
            |team: &&barometer_plan::TrialTeam| team.agents.iter().any(|agents| *agents > 0);
        let numbers = base.teams.iter().filter(people).count() * hours;
        let block_intervals = if numbers > MOST_BY_THE_HOUR { 2 * hour } else { hour };
        let days = (CONTACTS_OF_A_SEARCH / contacts_of_a_day(&base)).clamp(80.0, 200.0) as u32;
        let fresh_days =
            (CONTACTS_OF_A_TEST / contacts_of_a_day(&base)).clamp(500.0, 20_000.0) as u32;
        let knob = |team: &barometer_plan::TrialTeam| {
            let most = team.agents.iter().copied().max().unwrap_or(0);
            (most > 0).then(|| TeamKnob {
                team: team.team.clone(),
                least: 0,
                most: 2 * most + 5,
                cost_per_hour: 1.0,
            })
        };
        Self {
            teams: base.teams.iter().filter_map(knob).collect(),
            prices: Prices::default(),
            settings: Vec::new(),
            day_kinds: Vec::new(),
            promise: Promise::OnAverage,
            block_intervals,
            days,
            fresh_days,
            most_days: MOST_PLAYED.max(TESTS_WORTH * u64::from(fresh_days)),
            seed: base.seed,
            base,
        }
    }

    /// Whether costs are money: where every hour costs 1 and contacts nothing, they are agent-hours.
    pub fn is_in_money(&self) -> bool {
        self.prices.are_any() || self.teams.iter().any(|team| team.cost_per_hour != 1.0)
    }

    /// Contacts that are expected on a day.
    pub(crate) fn contacts_of_a_day(&self) -> f64 {
        contacts_of_a_day(&self.base)
    }

    /// How many of a number of days tell enough: fewer where a day has thousands of contacts, but not fewer than `least`.
    /// A promise for a share of days, or for each interval, needs all of them.
    pub(crate) fn telling_days(&self, of: u32, least: u32) -> u32 {
        match self.promise {
            Promise::OnShareOfDays(_) | Promise::InEveryInterval => of,
            Promise::OnAverage => {
                let enough = f64::from(of) * TELLING_CONTACTS / self.contacts_of_a_day();
                (enough.ceil() as u32).clamp(least, of)
            }
        }
    }

    /// Checks what was asked for.
    ///
    /// # Errors
    ///
    /// [`QuestionError`] says what cannot be searched and what would do.
    pub fn check(&self) -> Result<(), QuestionError> {
        let bad = |what: String, wanted: &str, got: f64| {
            Err(QuestionError::BadNumber { what, wanted: wanted.to_owned(), got })
        };
        if self.teams.is_empty() {
            return Err(QuestionError::NoKnob);
        }
        for knob in &self.teams {
            if !self.base.teams.iter().any(|team| team.team == knob.team) {
                return Err(QuestionError::UnknownTeam(knob.team.clone()));
            }
            let cost = knob.cost_per_hour;
            if !(cost > 0.0 && cost <= 1e6) {
                return bad(format!("cost an hour of {}", knob.team), "above 0", cost);
            }
            if knob.least > knob.most || knob.most > 20_000 {
                let what = format!("most people of {}", knob.team);
                let wanted = format!("{} to 20000", knob.least);
                return bad(what, &wanted, f64::from(knob.most));
            }
        }
        for (name, price) in self.prices.named() {
            if !(0.0..=1e6).contains(&price) {
                return bad(format!("price of a {name}"), "0 to 1000000", price);
            }
        }
        if self.day_kinds.len() > MOST_DAY_KINDS {
            let got = self.day_kinds.len() as f64;
            return bad("other kinds of day".to_owned(), &format!("at most {MOST_DAY_KINDS}"), got);
        }
        for kind in &self.day_kinds {
            for (what, range, given) in kind.numbers() {
                if let Some(given) = given.filter(|given| !range.contains(given)) {
                    let wanted = format!("{} to {}", range.start(), range.end());
                    return bad(format!("{what} on “{}”", kind.name), &wanted, given);
                }
            }
        }
        let intervals = self.base.interval_count();
        if self.block_intervals == 0 || self.block_intervals > intervals.max(1) {
            let wanted = format!("1 to {intervals}");
            return bad("intervals of a block".to_owned(), &wanted, self.block_intervals as f64);
        }
        if !(20..=MOST_DAYS).contains(&self.days) {
            let wanted = format!("20 to {MOST_DAYS}");
            return bad("days of the search".to_owned(), &wanted, f64::from(self.days));
        }
        if !(100..=1_000_000).contains(&self.fresh_days) {
            let got = f64::from(self.fresh_days);
            return bad("days of the test".to_owned(), "100 to 1000000", got);
        }
        if let Promise::OnShareOfDays(share) = self.promise
            && !(0.5..=0.99).contains(&share)
        {
            return bad("share of days".to_owned(), "0.5 to 0.99", share);
        }
        let knobs = self.teams.len() * intervals.div_ceil(self.block_intervals);
        if knobs > MOST_KNOBS {
            let block_minutes =
                (self.block_intervals as f64 * self.base.interval_secs / 60.0) as u32;
            return Err(QuestionError::TooManyKnobs { knobs, most: MOST_KNOBS, block_minutes });
        }
        Ok(())
    }
}
