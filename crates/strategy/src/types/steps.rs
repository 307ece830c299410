//! Steps before and beside waiting.

use jiff::civil::{Date, Time};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::Next;
use crate::Duration;

/// Sends contacts one way while open and another while closed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HoursGate {
    /// IANA time zone of the hours, such as `Europe/Dublin`; none for the centre's.
    #[serde(default)]
    pub zone: Option<String>,
    /// Weekly opening hours.
    pub hours: Vec<OpenHours>,
    /// Days that differ from the week.
    #[serde(default)]
    pub exceptions: Vec<HoursException>,
    /// Where contacts go while it is open.
    pub open: Next,
    /// Where they go while it is closed.
    pub closed: Next,
}

/// Opening hours on some weekdays.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OpenHours {
    /// On which days; none for every day.
    #[serde(default)]
    pub days: Vec<Weekday>,
    /// From this time, such as `08:00`.
    #[schemars(with = "String")]
    pub from: Time,
    /// Until this time, which is not open any more; `00:00` for midnight.
    #[schemars(with = "String")]
    pub until: Time,
}

impl OpenHours {
    /// Whether these hours hold on a day.
    pub fn is_on(&self, day: Date) -> bool {
        let weekday = day.weekday().to_monday_zero_offset();
        self.days.is_empty() || self.days.iter().any(|each| *each as i8 == weekday)
    }
}

impl HoursGate {
    /// The hours of a day of the gate's own zone, as pairs of from and until: those of its exception, or
    /// else the week's.
    pub fn hours_on(&self, day: Date) -> Vec<(Time, Time)> {
        match self.exceptions.iter().find(|exception| exception.date == day) {
            Some(exception) => exception.hours.clone(),
            None => {
                let hours = self.hours.iter().filter(|hours| hours.is_on(day));
                hours.map(|hours| (hours.from, hours.until)).collect()
            }
        }
    }
}

/// A day that differs from the week.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HoursException {
    /// Which day.
    #[schemars(with = "String")]
    pub date: Date,
    /// Its hours as pairs of from and until; none for closed all day.
    #[serde(default)]
    #[schemars(with = "Vec<(String, String)>")]
    pub hours: Vec<(Time, Time)>,
}

/// A day of the week.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[expect(missing_docs, reason = "the names say it")]
pub enum Weekday {
    Monday,
    Tuesday,
    Wednesday,
    Thursday,
    Friday,
    Saturday,
    Sunday,
}

/// Lets callers choose.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Menu {
    /// Seconds that a caller listens before choosing.
    pub time: Duration,
    /// The choices. What is left of the shares does not choose, or chooses wrongly.
    pub choices: Vec<MenuChoice>,
    /// How often whoever chooses nothing hears it again.
    #[serde(default)]
    pub retries: u32,
    /// Where whoever never chooses goes.
    pub no_choice: Next,
}

/// One choice of a menu.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MenuChoice {
    /// What it is for.
    pub name: String,
    /// Share of callers who choose it, each time they hear the menu.
    pub share: f64,
    /// The contact types whose callers choose it; none for those of every type.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub contact_types: Vec<String>,
    /// Where they go.
    pub next: Next,
}

impl MenuChoice {
    /// Share of the callers of a contact type who choose it, each time they hear the menu.
    pub fn share_of(&self, contact_type: &str) -> f64 {
        let is_meant = self.contact_types.is_empty()
            || self.contact_types.iter().any(|name| name == contact_type);
        if is_meant { self.share } else { 0.0 }
    }
}

/// Puts labels on contacts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Labelling {
    /// Every rule that is true puts its label on.
    pub rules: Vec<LabelRule>,
    /// Where contacts go then.
    pub next: Next,
}

/// A label and when it is put on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LabelRule {
    /// The label.
    pub label: String,
    /// When it is put on.
    pub when: Condition,
}

/// What a label depends on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Condition {
    /// The caller's number matches: `*` stands for any digits, `?` for one.
    CallerNumber(String),
    /// The customer has this attribute with this value.
    Attribute {
        /// Its name.
        name: String,
        /// Its value.
        value: String,
    },
    /// The customer speaks this language.
    Language(String),
    /// The contact comes within these hours of the centre's zone.
    Time(OpenHours),
    /// This share of contacts, drawn once for each.
    Share(f64),
}

/// Sends contacts on by their labels.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Routing {
    /// The first whose label the contact has decides.
    pub routes: Vec<Route>,
    /// Where all others go.
    pub otherwise: Next,
}

/// Where contacts with a label go.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Route {
    /// The label.
    pub label: String,
    /// Where they go.
    pub next: Next,
}

/// Tells something, then sends on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Announcement {
    /// How long it takes.
    pub time: Duration,
    /// Where contacts go then; released when that is all.
    pub next: Next,
}

/// A virtual assistant that settles some contacts itself.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Assistant {
    /// How long a contact talks with it.
    pub time: Duration,
    /// Share of contacts that need nobody else.
    pub contained_share: f64,
    /// Where the others go.
    pub next: Next,
}

/// Promises to call back.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Callback {
    /// The queue or hunt group whose agents call back.
    pub line: String,
    /// When.
    pub promise: Promise,
    /// Share of contacts who accept when they are sent here; those who were offered it in a queue
    /// have accepted already.
    #[serde(default = "all")]
    pub accepted_share: f64,
    /// Where those go who do not accept.
    pub otherwise: Next,
    /// Share of attempts at which the customer answers.
    #[serde(default = "all")]
    pub reached_share: f64,
    /// Seconds that an agent spends on an attempt that is not answered.
    #[serde(default)]
    pub unanswered_secs: f64,
    /// Attempts, at most.
    #[serde(default = "one_attempt")]
    pub attempts: u32,
    /// Seconds until the next attempt.
    #[serde(default)]
    pub retry_after_secs: f64,
}

const fn all() -> f64 {
    1.0
}

const fn one_attempt() -> u32 {
    1
}

/// When a callback is made.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Promise {
    /// When it would have been the contact's turn.
    PlaceKept,
    /// So many seconds after the promise, with the line's priority as if just arrived.
    AfterSecs(f64),
}

/// Takes a message, which may become work for agents.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Voicemail {
    /// The work that each message makes; none where nobody hears it.
    #[serde(default)]
    pub work: Option<VoicemailWork>,
}

/// Work that waits until somebody has time.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct VoicemailWork {
    /// The queue or hunt group where it waits.
    pub line: String,
    /// How long it takes.
    pub time: Duration,
}

/// Hands the contact to a number outside.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Outside {
    /// The number, or a name for it.
    pub number: String,
}
