//! Outbound campaigns: who is dialled, when, how fast, and what becomes of each call.

use jiff::civil::{Date, time};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Assumed, CampaignList, LocalHours, OpenHours};
use crate::Duration;

/// Outbound work: a list of people, and how it is dialled.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Campaign {
    /// By which it is known: a short word that never changes.
    pub id: String,
    /// What planners call it.
    pub name: String,
    /// Why it is paused; none while it runs.
    #[serde(default)]
    pub paused_because: Option<String>,
    /// The number that the people who are called see.
    #[serde(default)]
    pub caller_number: String,
    /// Further numbers that are shown in turn with it, so that none is shown too often.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub further_numbers: Vec<String>,
    /// Who talks to those who answer.
    pub served_by: ServedBy,
    /// How fast it dials.
    pub pacing: Pacing,
    /// When it dials, by the centre's clock; never where there are no hours.
    pub hours: Vec<OpenHours>,
    /// Its first day; none for no such limit.
    #[serde(default)]
    #[schemars(with = "Option<String>")]
    pub first_day: Option<Date>,
    /// Its last day; none for no such limit.
    #[serde(default)]
    #[schemars(with = "Option<String>")]
    pub last_day: Option<Date>,
    /// Days on which it does not dial.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub days_off: Vec<Date>,
    /// When people may be called, by their own clocks.
    #[serde(default)]
    pub local_hours: LocalHours,
    /// Who is called.
    pub list: CampaignList,
    /// The most that it may dial.
    #[serde(default)]
    pub caps: Caps,
    /// Seconds that a line rings without an answer before it is released.
    #[serde(default = "ring_limit")]
    pub ring_limit_secs: f64,
    /// Seconds after the answer within which an agent must be connected; whoever is not is released and
    /// counts as abandoned.
    #[serde(default = "connect_within")]
    pub connect_within_secs: f64,
    /// The most that abandoned calls may be of all calls that people answer, over a day.
    #[serde(default = "abandoned_ceiling")]
    pub abandoned_ceiling: f64,
    /// Its calls over the last 29 days: with today it has to keep the ceiling over 30 days as well.
    /// None where nothing is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub last_29_days: Option<CallsBefore>,
    /// The longest call in seconds; none for no limit.
    #[serde(default)]
    pub longest_call_secs: Option<f64>,
    /// What is done about answering machines.
    #[serde(default)]
    pub machines: Machines,
    /// When those who were not reached are called again.
    #[serde(default)]
    pub retries: Retries,
    /// What conversations come to, and what each leads to. What is left of the shares is done.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub outcomes: Vec<CallOutcome>,
    /// How it shares its agents with inbound contacts.
    #[serde(default)]
    pub blending: Blending,
    /// Whether agents may dial by hand beside the pacing.
    #[serde(default)]
    pub hand_dialling: bool,
    /// Whether it may run with an empty list, as a test.
    #[serde(default)]
    pub runs_empty: bool,
    /// What is assumed of those who are called.
    #[serde(default)]
    pub assumed: Assumed,
}

const fn ring_limit() -> f64 {
    25.0
}

const fn abandoned_ceiling() -> f64 {
    0.03
}

const fn connect_within() -> f64 {
    2.0
}

/// The calls of a campaign in the days before.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CallsBefore {
    /// Calls that people answered.
    pub answered: u32,
    /// Of these, those that found no agent in time or were taken for machines.
    pub abandoned: u32,
}

impl CallsBefore {
    /// Abandoned of answered; none where nobody answered.
    pub fn abandoned_share(self) -> Option<f64> {
        (self.answered > 0).then(|| f64::from(self.abandoned) / f64::from(self.answered))
    }
}

/// Who talks to those who answer a campaign's call.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum ServedBy {
    /// The agents of the team with this id.
    Team(String),
    /// The members of the queue or hunt group with this id.
    Line(String),
    /// No agent: they hear the step with this id, and go on from there.
    Message(String),
}

/// How fast a campaign dials.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Pacing {
    /// Agents dial by hand: each looks the next person up, dials and listens to it ring.
    ByHand {
        /// How long that takes before the line rings.
        look_up: Duration,
    },
    /// The next person is shown to a free agent, who looks and then has the number dialled, or skips it.
    Preview {
        /// How long the agent looks.
        look: Duration,
        /// Share of people who are skipped, and not called at all.
        #[serde(default)]
        skipped_share: f64,
    },
    /// One line for each free agent, who is kept for it.
    Progressive {},
    /// A fixed number of lines for each free agent.
    Steady {
        /// Lines that ring at once for each free agent, 1 or more.
        lines_per_agent: f64,
    },
    /// As many lines as agents are expected to be free when they are answered, under the campaign's ceiling
    /// on abandoned calls.
    Predictive {},
}

/// The most that a campaign may dial.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Caps {
    /// Lines in use at once; none for no such limit.
    pub lines: Option<u32>,
    /// Lines that ring at once, for each agent on shift; none for no such limit.
    pub lines_per_agent: Option<f64>,
    /// Calls begun in a minute; none for no such limit.
    pub dials_per_minute: Option<u32>,
}

/// What is done about answering machines.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Machines {
    /// How hard detection tries, 0 to 1: the more, the longer it listens and the fewer machines reach an
    /// agent, but the more people are taken for machines. None where it is off.
    pub sensitivity: Option<f64>,
    /// What happens to those that are taken for machines.
    pub action: MachineAction,
}

/// What happens to a call that is taken for a machine's.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum MachineAction {
    /// It is released.
    #[default]
    Release,
    /// A message is left after the tone.
    Message {
        /// Seconds that it takes, the wait for the tone included.
        secs: f64,
    },
    /// It goes to an agent all the same.
    ToAgent,
}

/// When those who were not reached are called again, by what came of the call.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Retries {
    /// Seconds after a busy line; none for never.
    pub busy_after_secs: Option<f64>,
    /// Seconds after a call that nobody answered; none for never.
    pub no_answer_after_secs: Option<f64>,
    /// Seconds after a machine answered; none for never.
    pub machine_after_secs: Option<f64>,
    /// Seconds after a call that we abandoned; none for never.
    pub abandoned_after_secs: Option<f64>,
    /// Calls to one person in a day, at most.
    pub most_a_day: u32,
    /// Calls to one person in all, at most.
    pub most_in_all: u32,
    /// Whether further calls wait for the hour, of those within the person's day, in which most people
    /// answer.
    pub best_hour: bool,
}

impl Default for Retries {
    fn default() -> Self {
        Self {
            busy_after_secs: Some(900.0),
            no_answer_after_secs: Some(7200.0),
            machine_after_secs: Some(14_400.0),
            abandoned_after_secs: Some(86_400.0),
            most_a_day: 3,
            most_in_all: 6,
            best_hour: false,
        }
    }
}

/// What a conversation comes to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CallOutcome {
    /// What it is called.
    pub name: String,
    /// Share of conversations.
    pub share: f64,
    /// Seconds after which the person is called again, as agreed; none where the person is done.
    #[serde(default)]
    pub again_after_secs: Option<f64>,
}

/// How a campaign shares its agents with inbound contacts, which come first unless agents are kept for it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Blending {
    /// Free agents whom the campaign leaves for inbound contacts.
    pub kept_free: u32,
    /// Agents whom inbound contacts leave for the campaign while it dials: no inbound contact is offered to one
    /// of its agents where fewer than this number would be left who are free or on its calls.
    pub kept_for_calls: u32,
    /// Inbound contacts that wait for its agents, from which on it does not dial; none for no such rule.
    pub pause_at_waiting: Option<u32>,
    /// Service level of the last half hour of its agents' queues, under which it does not dial; none for no
    /// such rule.
    pub pause_below_service_level: Option<f64>,
}

impl Pacing {
    /// Its name in the JSON form.
    pub const fn key(&self) -> &'static str {
        match self {
            Self::ByHand { .. } => "by_hand",
            Self::Preview { .. } => "preview",
            Self::Progressive {} => "progressive",
            Self::Steady { .. } => "steady",
            Self::Predictive {} => "predictive",
        }
    }

    /// What planners call it.
    pub const fn words(&self) -> &'static str {
        match self {
            Self::ByHand { .. } => "hand-dialled",
            Self::Preview { .. } => "preview",
            Self::Progressive {} => "progressive",
            Self::Steady { .. } => "steady",
            Self::Predictive {} => "predictive",
        }
    }

    /// Whether an agent is kept for each call from the moment it is dialled, so that none can be abandoned.
    pub const fn keeps_an_agent(&self) -> bool {
        matches!(self, Self::ByHand { .. } | Self::Preview { .. } | Self::Progressive {})
    }
}

impl Campaign {
    /// A campaign of a team with settings that break no rule: progressive, nine to five on weekdays.
    pub fn named(id: &str, name: &str, team: &str) -> Self {
        use super::Weekday::{Friday, Monday, Thursday, Tuesday, Wednesday};
        Self {
            id: id.to_owned(),
            name: name.to_owned(),
            paused_because: None,
            caller_number: String::new(),
            further_numbers: Vec::new(),
            served_by: ServedBy::Team(team.to_owned()),
            pacing: Pacing::Progressive {},
            hours: vec![OpenHours {
                days: vec![Monday, Tuesday, Wednesday, Thursday, Friday],
                from: time(9, 0, 0, 0),
                until: time(17, 0, 0, 0),
            }],
            first_day: None,
            last_day: None,
            days_off: Vec::new(),
            local_hours: LocalHours::default(),
            list: CampaignList::made_up(1000),
            caps: Caps::default(),
            ring_limit_secs: ring_limit(),
            connect_within_secs: connect_within(),
            abandoned_ceiling: abandoned_ceiling(),
            last_29_days: None,
            longest_call_secs: None,
            machines: Machines::default(),
            retries: Retries::default(),
            outcomes: Vec::new(),
            blending: Blending::default(),
            hand_dialling: false,
            runs_empty: false,
            assumed: Assumed::default(),
        }
    }

    /// The numbers that the people who are called see, in the order in which they are shown.
    pub fn shown_numbers(&self) -> impl Iterator<Item = &str> + Clone {
        let all = std::iter::once(&self.caller_number).chain(&self.further_numbers);
        all.map(String::as_str).filter(|number| !number.is_empty())
    }

    /// How many numbers are shown in turn: one where none is named, since the network shows one.
    pub fn numbers_in_turn(&self) -> u32 {
        (self.shown_numbers().count() as u32).max(1)
    }

    /// The share of calls that a person answers at an hour of the person's own day, 0 to 23, over all zones of the
    /// list.
    pub fn answered_at(&self, hour: usize) -> f64 {
        self.assumed.answered_at(hour) * self.zones_factor()
    }

    /// Factor on [`Assumed::answered_share`] over all zones of the list.
    pub fn zones_factor(&self) -> f64 {
        if self.assumed.zones.is_empty() {
            return 1.0;
        }
        let together = self.list.callable_together();
        let factors = together.iter().map(|each| {
            each.share * each.zone.as_deref().map_or(1.0, |zone| self.assumed.zone_factor(zone))
        });
        factors.sum::<f64>() / together.iter().map(|each| each.share).sum::<f64>()
    }

    /// Whether it dials on a day of the centre's calendar.
    pub fn dials_on(&self, day: Date) -> bool {
        self.paused_because.is_none()
            && self.first_day.is_none_or(|first| first <= day)
            && self.last_day.is_none_or(|last| day <= last)
            && !self.days_off.contains(&day)
            && self.hours.iter().any(|hours| hours.is_on(day))
    }
}
