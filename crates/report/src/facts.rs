//! What a report is made of: measured, forecast and planned figures of its period, and what happened in it.
//!
//! Times are on the centre's wall clock. A store reads them; nothing here asks where they come from.

use barometer_plan::{DayAccount, Rules};
use jiff::civil::{Date, DateTime};
use uuid::Uuid;

use crate::{Counts, Days};

/// Everything that a report is made of.
#[derive(Clone, Debug)]
pub struct Facts {
    /// The centre's name.
    pub centre: String,
    /// Its time zone.
    pub zone: String,
    /// Its today.
    pub today: Date,
    /// When the facts were read.
    pub read_at: DateTime,
    /// The days that are told.
    pub days: Days,
    /// The days that they stand beside.
    pub compared: Option<Days>,
    /// Contact types, in the centre's order.
    pub types: Vec<TypeFacts>,
    /// What the switch measured of teams.
    pub teams: Vec<TeamDay>,
    /// Agents of the roster; none where the reader may not see them.
    pub agents: Option<Vec<AgentHours>>,
    /// The latest trial of the live strategy; none where none has finished, or nobody asks for it.
    pub simulated: Option<SimulatedFacts>,
    /// Campaigns of the live strategy.
    pub campaigns: Vec<CampaignFacts>,
    /// The lines of the busiest interval; none where no calls are forecast.
    pub lines: Option<LineFacts>,
    /// What went live.
    pub releases: Vec<ReleaseFacts>,
    /// Alarms that rang.
    pub alarms: Vec<AlarmFacts>,
    /// Trials that were run.
    pub trials: Vec<TrialFacts>,
    /// Accounts of days, oldest first.
    pub causes: Vec<(Date, DayAccount)>,
}

/// One contact type.
#[derive(Clone, Debug)]
pub struct TypeFacts {
    /// Its key.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// Its targets.
    pub rules: Rules,
    /// What was measured, oldest first: by interval, or by day.
    pub measured: Vec<Measured>,
    /// What was measured in the days that are compared.
    pub compared: Vec<Measured>,
    /// What was forecast: by interval or by day; of past days, what was forecast before they began.
    pub forecast: Vec<Forecast>,
    /// What its plan leads to: by interval or by day; empty where nobody asks for it.
    pub planned: Vec<Planned>,
    /// Need and cover: by interval or by day.
    pub staffed: Vec<Staffed>,
}

/// What was measured from a moment on, for an interval or a day.
#[derive(Clone, Copy, Debug)]
pub struct Measured {
    /// When it begins.
    pub at: DateTime,
    /// The counts.
    pub counts: Counts,
}

/// What was forecast for an interval or a day.
#[derive(Clone, Copy, Debug)]
pub struct Forecast {
    /// When it begins.
    pub at: DateTime,
    /// Contacts.
    pub contacts: f64,
    /// Contacts measured in the intervals of the forecast that have history; none for days to come.
    pub actual: Option<f64>,
}

/// What the plan of an interval or a day leads to: the forecast under the people planned.
#[derive(Clone, Copy, Debug)]
pub struct Planned {
    /// When it begins.
    pub at: DateTime,
    /// Counts as planned; waits are not.
    pub counts: Counts,
    /// What was measured of them; none of days that are not over.
    pub actual: Option<Counts>,
}

/// Need and cover of an interval or a day.
#[derive(Clone, Copy, Debug, Default)]
pub struct Staffed {
    /// When it begins.
    pub at: DateTime,
    /// Hours of people needed.
    pub need_hours: f64,
    /// Hours of people planned; none where no cover is planned.
    pub cover_hours: Option<f64>,
    /// Intervals with fewer people planned than needed.
    pub short_intervals: u32,
    /// Hours of people missing in them.
    pub short_hours: f64,
    /// Intervals.
    pub intervals: u32,
}

/// A team on a day, as the switch measured it.
#[derive(Clone, Debug)]
pub struct TeamDay {
    /// The team's name.
    pub team: String,
    /// When it begins.
    pub at: DateTime,
    /// Hours on shift.
    pub staffed_hours: f64,
    /// Of those, hours with a contact.
    pub busy_hours: f64,
}

/// An agent in the period.
#[derive(Clone, Debug)]
pub struct AgentHours {
    /// Their name.
    pub name: String,
    /// Their team.
    pub team: String,
    /// Hours of their contract in a week.
    pub contract_hours: f64,
    /// Hours rostered in the period.
    pub rostered_hours: f64,
    /// The contact type for which they are rostered most, whose roster shows their shifts.
    pub rostered_for: Option<Uuid>,
    /// Shifts in the period.
    pub shifts: u32,
    /// Days off work in the period.
    pub days_off: u32,
}

/// What a trial of the live strategy found, as means of its replications.
#[derive(Clone, Debug)]
pub struct SimulatedFacts {
    /// Which trial.
    pub trial: Uuid,
    /// What it plays, in words.
    pub subject: String,
    /// Its first day.
    pub day: Date,
    /// How often it was played.
    pub replications: u32,
    /// Waits of each contact type.
    pub waits: Vec<SimulatedWaits>,
    /// Queues and hunt groups.
    pub service_points: Vec<SimulatedPoint>,
    /// Contacts from step to step and to their ends, in the order of the strategy.
    pub flows: Vec<SimulatedFlow>,
}

/// Waits of a contact type's answered contacts.
#[derive(Clone, Debug)]
pub struct SimulatedWaits {
    /// The contact type's name.
    pub contact_type: String,
    /// Seconds within which these shares were answered, in the order of [`WAIT_SHARES`]; none where nobody was.
    pub secs: [Option<f64>; WAIT_SHARES.len()],
}

/// The shares of contacts whose waits are told.
pub const WAIT_SHARES: [f64; 5] = [0.5, 0.8, 0.9, 0.95, 0.99];

/// A queue or a hunt group.
#[derive(Clone, Debug)]
pub struct SimulatedPoint {
    /// Its name.
    pub name: String,
    /// Contacts that entered it.
    pub entered: f64,
    /// Of those, answered there.
    pub answered: f64,
    /// Share answered within the threshold.
    pub service_level: Option<f64>,
    /// Share that abandoned there.
    pub abandonment: Option<f64>,
    /// Mean wait in seconds.
    pub wait_secs: Option<f64>,
}

/// Contacts that went from one step to another, or to an end.
#[derive(Clone, Debug)]
pub struct SimulatedFlow {
    /// From.
    pub from: String,
    /// Why.
    pub cause: String,
    /// To.
    pub to: String,
    /// Contacts.
    pub contacts: f64,
}

/// A campaign, as the latest trial that played it found it.
#[derive(Clone, Debug)]
pub struct CampaignFacts {
    /// Its name.
    pub name: String,
    /// Most of the answered calls that may be abandoned.
    pub ceiling: f64,
    /// What the trial found; none where no trial has played it.
    pub tried: Option<CampaignTried>,
}

/// A campaign in a trial: means of one day.
#[derive(Clone, Debug)]
pub struct CampaignTried {
    /// Which trial.
    pub trial: Uuid,
    /// The trial's day.
    pub day: Date,
    /// Calls dialled.
    pub dialled: f64,
    /// People reached.
    pub reached: f64,
    /// Of the answered calls, those abandoned; none where nobody answered.
    pub abandoned: Option<f64>,
}

/// The lines of the busiest interval of the period.
#[derive(Clone, Debug)]
pub struct LineFacts {
    /// When it begins.
    pub at: DateTime,
    /// Calls offered per hour in it.
    pub calls_per_hour: f64,
    /// Load of the lines, in Erlangs.
    pub erlangs: f64,
    /// Share of calls that may find no line.
    pub blocking_target: f64,
    /// Lines needed.
    pub needed: u32,
    /// Lines installed, when known.
    pub installed: Option<u32>,
    /// Share of calls that find no line, with those installed.
    pub blocked: Option<f64>,
}

/// Something that went live.
#[derive(Clone, Debug)]
pub struct ReleaseFacts {
    /// When it was approved.
    pub at: DateTime,
    /// The version.
    pub version: i32,
    /// The strategy's name.
    pub strategy: String,
    /// Who approved it.
    pub approved_by: Option<String>,
    /// Why.
    pub note: String,
}

/// A time at which an alarm rang.
#[derive(Clone, Debug)]
pub struct AlarmFacts {
    /// When it rang.
    pub rang_at: DateTime,
    /// What it watches, in words.
    pub watches: String,
    /// Minutes until it cleared; none while it rings.
    pub minutes: Option<f64>,
    /// Who saw it.
    pub seen_by: Option<String>,
}

/// A trial that was run.
#[derive(Clone, Debug)]
pub struct TrialFacts {
    /// Its key.
    pub id: Uuid,
    /// When it was asked for.
    pub at: DateTime,
    /// What was tried, in words.
    pub subject: String,
    /// The day that it plays.
    pub day: Date,
    /// The version of the strategy.
    pub version: i32,
    /// The verdict in one word; none where it is not over.
    pub verdict: Option<String>,
    /// When the version went live afterwards, if it did.
    pub went_live: Option<DateTime>,
}
