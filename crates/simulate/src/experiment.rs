//! Everything that a trial depends on.

use barometer_strategy::{Customers, Strategy};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};

use crate::model::Model;

/// Contacts that one replication may have at most.
const MOST_CONTACTS: f64 = 10_000_000.0;
/// Replications of one experiment, at most.
const MOST_REPLICATIONS: u32 = 1_000_000;
/// Intervals of a trial, at most: a year of quarter hours.
const MOST_INTERVALS: usize = 36_000;
/// People at work at once, at most.
const MOST_PEOPLE: u32 = 20_000;

/// Who comes, and when.
#[derive(Clone, Debug, PartialEq)]
pub struct Demand {
    /// When the first interval begins.
    pub start: Timestamp,
    /// The zone of the centre's hours.
    pub zone: TimeZone,
    /// Length of an interval in seconds.
    pub interval_secs: f64,
    /// What comes of each contact type.
    pub types: Vec<TypeDemand>,
}

/// What comes of one contact type.
#[derive(Clone, Debug, PartialEq)]
pub struct TypeDemand {
    /// Its name, by which entries refer to it.
    pub name: String,
    /// What its contacts are like.
    pub customers: Customers,
    /// Threshold of the service level in seconds: an answer within it is in time.
    pub within_secs: f64,
    /// Interval by interval, in order, without gaps; a closed one has no contacts.
    pub intervals: Vec<DemandInterval>,
    /// How contacts come within an interval.
    pub arrivals: Arrivals,
    /// How far days may be off the forecast; the expected contacts are exact when none.
    pub luck: Option<DemandLuck>,
}

/// How contacts come within an interval.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Arrivals {
    /// At random around the expected number (Poisson).
    #[default]
    Random,
    /// Exactly the number that came, at random times: a day of the past.
    Counted,
}

/// One interval of a contact type's demand.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct DemandInterval {
    /// Expected contacts, at a constant rate within the interval.
    pub contacts: f64,
    /// Mean handle time in seconds of the contacts that arrive in it.
    pub handle_secs: f64,
}

/// How far a day's demand may be off its forecast, beyond the luck of counting.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DemandLuck {
    /// What whole days came to, as a share of their forecast: one is drawn for each date of each
    /// replication.
    pub day_factors: Vec<f64>,
    /// Variance of each interval's own factor (gamma distributed, mean 1), beside the day's.
    pub interval_variance: f64,
}

/// Who is at work.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Cover {
    /// One entry per team; a team that is not named has nobody at work.
    pub teams: Vec<TeamCover>,
}

/// Who is at work of one team.
#[derive(Clone, Debug, PartialEq)]
pub struct TeamCover {
    /// The team's id.
    pub team: String,
    /// How many, or who.
    pub people: People,
}

/// How many people are at work, or who and when.
#[derive(Clone, Debug, PartialEq)]
pub enum People {
    /// So many in each interval; the first of the team are always among them.
    Counted(Vec<u32>),
    /// Named agents, each for some time. Several entries of one agent are several stretches.
    Rostered(Vec<Stretch>),
}

/// A stretch of work of one agent.
#[derive(Clone, Debug, PartialEq)]
pub struct Stretch {
    /// The agent's name.
    pub agent: String,
    /// From so many seconds after the trial's start.
    pub from_secs: f64,
    /// Until so many seconds after the trial's start.
    pub until_secs: f64,
}

/// A while in which a campaign rings other numbers of lines than its pacing asks for, whatever its pacing knows of it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Burst {
    /// Its beginning in seconds after the start.
    pub from_secs: f64,
    /// Its end in seconds after the start.
    pub until_secs: f64,
    /// Factor on the lines that the pacing asks for; the campaign's caps hold.
    pub factor: f64,
}

/// A strategy tried on a demand with a cover, so many times: checked, and made ready to be played.
#[derive(Debug)]
pub struct Experiment {
    pub(crate) model: Model,
    pub(crate) replications: u32,
    pub(crate) seed: u64,
}

/// What of a replication is counted, beside what always is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Counting {
    /// Intervals at the beginning that are played and left out of all counts.
    pub warm_up_intervals: usize,
    /// Whether agents are counted interval by interval too.
    pub agents_by_interval: bool,
}

/// Why an experiment cannot be played.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ExperimentError {
    /// The strategy has faults.
    #[error("the strategy cannot be played: {0}")]
    Strategy(String),
    /// Cover or demand of one type do not have the same intervals as the rest.
    #[error("{what} has {got} intervals and the demand {wanted}; they must be the same")]
    Mismatch {
        /// Whose intervals.
        what: String,
        /// Intervals there.
        got: usize,
        /// Intervals of the demand.
        wanted: usize,
    },
    /// The cover names what the strategy has not.
    #[error("the cover names the {what} “{name}”, which the strategy does not have")]
    Unknown {
        /// Team or agent.
        what: &'static str,
        /// Its name.
        name: String,
    },
    /// A contact type comes in nowhere.
    #[error("no entry of the strategy takes contacts of the type “{0}”")]
    NoEntry(String),
    /// A number out of range.
    #[error("{what} must be {wanted}, got {got}")]
    BadNumber {
        /// What the number stands for, with its unit.
        what: String,
        /// The range that would do.
        wanted: &'static str,
        /// What was given.
        got: f64,
    },
    /// A contact type's customers are impossible.
    #[error("customers of “{name}”: {message}")]
    Customers {
        /// Which type.
        name: String,
        /// What is wrong.
        message: String,
    },
}

impl Experiment {
    /// An experiment of `replications` days.
    ///
    /// # Errors
    ///
    /// [`ExperimentError`] says which part cannot be played and what would do.
    pub fn new(
        strategy: &Strategy,
        demand: &Demand,
        cover: &Cover,
        replications: u32,
        seed: u64,
    ) -> Result<Self, ExperimentError> {
        if let Some(fault) = strategy.faults().into_iter().next() {
            return Err(ExperimentError::Strategy(format!("{}: {}", fault.field, fault.message)));
        }
        check_demand(demand)?;
        check_cover(strategy, demand, cover)?;
        let playable = (1..=MOST_REPLICATIONS).contains(&replications);
        ensure(playable, "replications", "1 to 1000000", f64::from(replications))?;
        let model = Model::build(strategy, demand, cover)?;
        Ok(Self { model, replications, seed })
    }

    /// The same experiment with something else counted.
    ///
    /// # Errors
    ///
    /// [`ExperimentError::BadNumber`] when no interval is left after the warm-up.
    pub fn counting(mut self, counting: Counting) -> Result<Self, ExperimentError> {
        let warm_up = counting.warm_up_intervals;
        let wanted = "fewer than the intervals of demand";
        ensure(warm_up < self.model.intervals, "intervals of warm-up", wanted, warm_up as f64)?;
        self.model.counting = counting;
        Ok(self)
    }

    /// The same experiment with a campaign that rings other numbers of lines for a while; nothing changes where the
    /// strategy has no campaign of this id.
    pub fn with_burst(mut self, campaign: &str, burst: Burst) -> Self {
        let campaigns = self.model.campaigns.iter_mut();
        for of in campaigns.filter(|of| of.campaign.id == campaign) {
            of.bursts.push(burst);
        }
        self
    }

    /// How many days it plays.
    pub fn replications(&self) -> u32 {
        self.replications
    }

    /// An empty summary for its replications.
    pub fn summary(&self) -> crate::Summary {
        let counted = self.model.intervals - self.model.counting.warm_up_intervals;
        crate::Summary::new(counted, self.model.interval_secs)
    }

    /// The names behind the numbers of its tallies.
    pub fn names(&self) -> &crate::Names {
        &self.model.names
    }
}

impl Demand {
    /// Intervals of the trial.
    pub fn len(&self) -> usize {
        self.types.first().map_or(0, |first| first.intervals.len())
    }

    /// Whether there is no interval at all.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

fn ensure(right: bool, what: &str, wanted: &'static str, got: f64) -> Result<(), ExperimentError> {
    if right {
        Ok(())
    } else {
        Err(ExperimentError::BadNumber { what: what.to_owned(), wanted, got })
    }
}

fn check_demand(demand: &Demand) -> Result<(), ExperimentError> {
    let intervals = demand.len();
    ensure(!demand.types.is_empty(), "contact types", "at least one", 0.0)?;
    let countable = (1..=MOST_INTERVALS).contains(&intervals);
    ensure(countable, "intervals of demand", "1 to 36000", intervals as f64)?;
    let secs = demand.interval_secs;
    ensure(
        secs.is_finite() && (1.0..=86_400.0).contains(&secs),
        "interval in seconds",
        "1 to 86400",
        secs,
    )?;
    let mut contacts = 0.0;
    for each in &demand.types {
        if each.intervals.len() != intervals {
            return Err(ExperimentError::Mismatch {
                what: format!("the demand of “{}”", each.name),
                got: each.intervals.len(),
                wanted: intervals,
            });
        }
        contacts += check_type(each)?;
    }
    let countable = contacts <= MOST_CONTACTS;
    ensure(countable, "contacts in a replication", "at most ten million", contacts)
}

/// Checks one type; gives the most contacts that may be expected of it.
fn check_type(demand: &TypeDemand) -> Result<f64, ExperimentError> {
    let name = &demand.name;
    if let Some(fault) = demand.customers.fault() {
        let message = format!("{}: {}", fault.field, fault.message);
        return Err(ExperimentError::Customers { name: name.clone(), message });
    }
    let within = demand.within_secs;
    let waitable = within.is_finite() && within >= 0.0;
    ensure(waitable, "threshold in seconds", "zero or a finite number above it", within)?;
    for interval in &demand.intervals {
        let contacts = interval.contacts;
        let countable = contacts.is_finite() && contacts >= 0.0;
        ensure(countable, "contacts", "zero or a finite number above it", contacts)?;
        let handle = interval.handle_secs;
        let usable = handle.is_finite() && (0.0..=2_592_000.0).contains(&handle);
        ensure(usable, "handle time in seconds", "0 to 2592000", handle)?;
    }
    let contacts: f64 = demand.intervals.iter().map(|interval| interval.contacts).sum();
    let Some(luck) = &demand.luck else { return Ok(contacts) };
    let usable = luck.day_factors.iter().all(|factor| factor.is_finite() && *factor >= 0.0);
    let sum: f64 = luck.day_factors.iter().sum();
    ensure(usable && sum > 0.0, "day factors", "zero or more, not all zero", sum)?;
    let variance = luck.interval_variance;
    let usable = variance.is_finite() && (0.0..=100.0).contains(&variance);
    ensure(usable, "variance of the intervals' factors", "0 to 100", variance)?;
    Ok(contacts * luck.day_factors.iter().copied().fold(0.0, f64::max))
}

fn check_cover(strategy: &Strategy, demand: &Demand, cover: &Cover) -> Result<(), ExperimentError> {
    for team in &cover.teams {
        let known = strategy.teams.iter().any(|each| each.id == team.team);
        if !known {
            return Err(ExperimentError::Unknown { what: "team", name: team.team.clone() });
        }
        match &team.people {
            People::Counted(agents) => {
                if agents.len() != demand.len() {
                    return Err(ExperimentError::Mismatch {
                        what: format!("the cover of “{}”", team.team),
                        got: agents.len(),
                        wanted: demand.len(),
                    });
                }
                let most = agents.iter().copied().max().unwrap_or(0);
                let bearable = most <= MOST_PEOPLE;
                ensure(bearable, "people of a team", "at most 20000", f64::from(most))?;
            }
            People::Rostered(stretches) => {
                for Stretch { from_secs, until_secs, .. } in stretches {
                    let usable = from_secs.is_finite()
                        && until_secs.is_finite()
                        && *from_secs >= 0.0
                        && from_secs < until_secs;
                    let wanted = "after its beginning, which is at or after the trial's";
                    ensure(usable, "end of a stretch of work in seconds", wanted, *until_secs)?;
                }
            }
        }
    }
    Ok(())
}
