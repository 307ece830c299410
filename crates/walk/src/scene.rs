//! What a walk-through begins with: who comes in, when, and who is on shift.

use std::collections::BTreeMap;

use barometer_routing::CompileError;
use barometer_strategy::{Channel, Profile};
use jiff::civil::DateTime;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::called::Called;

/// A made-up contact and the people who are there for it: the form of a file.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Scene {
    /// When the contact comes in, on the centre's clock, such as `2026-11-30T09:30:00`.
    #[schemars(with = "String")]
    pub at: DateTime,
    /// Who comes in, or what the person is like who is called.
    #[serde(default)]
    pub caller: Caller,
    /// Whom a campaign calls; none where somebody comes in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub called: Option<Called>,
    /// Who is on shift, team by team; a team that is not named has nobody.
    #[serde(default)]
    pub people: Vec<OnShift>,
    /// Contacts of the caller's type that arrived just before and still wait.
    #[serde(default)]
    pub ahead: u32,
}

/// A made-up contact.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Caller {
    /// The contact's type, by which its entry is found. Where somebody is called, of those who wait.
    #[serde(default)]
    pub contact_type: String,
    /// How it comes in.
    #[serde(default)]
    pub channel: Channel,
    /// The caller's number.
    #[serde(default)]
    pub number: String,
    /// The language spoken.
    #[serde(default)]
    pub language: String,
    /// Attributes by name.
    #[serde(default)]
    pub attributes: BTreeMap<String, String>,
    /// Choices made in menus, by their names, one for each menu that is heard; where the list ends, or
    /// the menu has no such choice, nothing is chosen.
    #[serde(default)]
    pub keys: Vec<String>,
    /// Labels whose rule holds for a share of contacts, and for this one.
    #[serde(default)]
    pub labels: Vec<String>,
    /// Seconds of waiting after which the caller hangs up; none to wait as long as it takes.
    #[serde(default)]
    pub patience_secs: Option<f64>,
    /// Whether an assistant settles the contact.
    #[serde(default)]
    pub is_contained: bool,
    /// Whether a callback is accepted when it is offered.
    #[serde(default)]
    pub accepts_callback: bool,
    /// Seconds that an agent handles it.
    #[serde(default = "five_minutes")]
    pub handle_secs: f64,
}

impl Default for Caller {
    fn default() -> Self {
        Self {
            contact_type: String::new(),
            channel: Channel::Call,
            number: String::new(),
            language: String::new(),
            attributes: BTreeMap::new(),
            keys: Vec::new(),
            labels: Vec::new(),
            patience_secs: None,
            is_contained: false,
            accepts_callback: false,
            handle_secs: five_minutes(),
        }
    }
}

/// The people of a team at the moment when the contact comes in.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OnShift {
    /// The team's id.
    pub team: String,
    /// People on shift.
    pub people: u32,
    /// How many of them are on a contact.
    #[serde(default)]
    pub busy: u32,
    /// Seconds after which the first of those is free; the others follow one by one, as far apart.
    #[serde(default = "one_minute")]
    pub free_after_secs: f64,
    /// Seconds from the first ring to the answer; none where nobody of the team answers.
    #[serde(default)]
    pub answers_after_secs: Option<f64>,
}

const fn five_minutes() -> f64 {
    300.0
}

const fn one_minute() -> f64 {
    60.0
}

/// Why a walk-through cannot begin.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum SceneError {
    /// The strategy cannot be followed.
    #[error(transparent)]
    Strategy(#[from] CompileError),
    /// Neither who comes in nor who is called is said.
    #[error("caller.contact_type: say which contact type comes in, or which campaign calls")]
    Nobody,
    /// A campaign is not there.
    #[error("called.campaign: the strategy has no campaign “{0}”; use its id")]
    NoCampaign(String),
    /// A zone is not there.
    #[error("called.zone: “{0}” is no time zone; use a name such as Europe/Dublin")]
    NoZone(String),
    /// A team is not there.
    #[error("people: the strategy has no team “{0}”; use its id")]
    NoTeam(String),
    /// A number is out of range.
    #[error("{field}: must be {from} to {to}, got {got}")]
    Range {
        /// Which field.
        field: String,
        /// The least.
        from: f64,
        /// The most.
        to: f64,
        /// What it is.
        got: f64,
    },
    /// The moment is none that can be reckoned with.
    #[error("at: {0} is no moment between 1990 and 2199")]
    Moment(DateTime),
    /// A text is longer than anything that means something.
    #[error("{field}: may have up to {most} characters")]
    TooLong {
        /// Which field.
        field: &'static str,
        /// The most.
        most: usize,
    },
}

/// People of a team that a walk-through may have, at most.
const MOST_PEOPLE: u32 = 2_000;
/// Contacts ahead, at most.
const MOST_AHEAD: u32 = 500;
/// Seconds that anything may last.
const MOST_SECS: f64 = 86_400.0;
/// Characters of a text.
const MOST_CHARS: usize = 200;

impl Scene {
    /// A contact type's caller with nothing special, at a moment, with people who answer after three
    /// seconds.
    pub fn plain(contact_type: &str, at: DateTime, people: Vec<OnShift>) -> Self {
        let caller = Caller { contact_type: contact_type.to_owned(), ..Caller::default() };
        Self { at, caller, called: None, people, ahead: 0 }
    }

    /// The scene of a JSON text.
    ///
    /// # Errors
    ///
    /// What is wrong with it, and where.
    pub fn from_json(text: &str) -> Result<Self, String> {
        let mut reader = serde_json::Deserializer::from_str(text);
        let scene: Self =
            serde_path_to_error::deserialize(&mut reader).map_err(|error| {
                match error.path().to_string() {
                    path if path == "." || path == "?" => {
                        format!("this is no contact: {}", error.inner())
                    }
                    path => format!("{path}: {}", error.inner()),
                }
            })?;
        scene.check().map_err(|error| error.to_string())?;
        Ok(scene)
    }

    /// The JSON Schema of this form.
    pub fn schema() -> serde_json::Value {
        schemars::schema_for!(Self).to_value()
    }

    /// Whether its numbers can be used.
    pub(crate) fn check(&self) -> Result<(), SceneError> {
        if !(1990..=2199).contains(&self.at.year()) {
            return Err(SceneError::Moment(self.at));
        }
        let caller = &self.caller;
        if caller.contact_type.is_empty() && (self.called.is_none() || self.ahead > 0) {
            return Err(SceneError::Nobody);
        }
        let texts = [
            ("caller.number", &caller.number),
            ("caller.language", &caller.language),
            ("caller.contact_type", &caller.contact_type),
        ];
        let called = self.called.iter();
        let called = called.flat_map(|each| [Some(&each.campaign), each.zone.as_ref()]);
        let called = called.flatten().map(|text| ("called", text));
        let listed = caller.keys.iter().chain(&caller.labels).map(|text| ("caller", text));
        let attributes = caller.attributes.iter();
        let attributes = attributes.flat_map(|(name, value)| [name, value]);
        let attributes = attributes.map(|text| ("caller.attributes", text));
        for (field, text) in texts.into_iter().chain(called).chain(listed).chain(attributes) {
            if text.chars().count() > MOST_CHARS {
                return Err(SceneError::TooLong { field, most: MOST_CHARS });
            }
        }
        let within =
            |field: &str, got: f64, to: f64| match got.is_finite() && (0.0..=to).contains(&got) {
                true => Ok(()),
                false => Err(SceneError::Range { field: field.to_owned(), from: 0.0, to, got }),
            };
        within("caller.handle_secs", caller.handle_secs, MOST_SECS)?;
        within("caller.patience_secs", caller.patience_secs.unwrap_or(0.0), MOST_SECS)?;
        within("ahead", f64::from(self.ahead), f64::from(MOST_AHEAD))?;
        for (nth, team) in self.people.iter().enumerate() {
            let field = |name: &str| format!("people[{nth}].{name}");
            within(&field("people"), f64::from(team.people), f64::from(MOST_PEOPLE))?;
            within(&field("busy"), f64::from(team.busy), f64::from(team.people))?;
            within(&field("free_after_secs"), team.free_after_secs, MOST_SECS)?;
            let answers = team.answers_after_secs.unwrap_or(0.0);
            within(&field("answers_after_secs"), answers, MOST_SECS)?;
        }
        Ok(())
    }

    /// The caller as labels see it.
    pub(crate) fn profile(&self) -> Profile {
        Profile {
            share: 1.0,
            number: self.caller.number.clone(),
            language: self.caller.language.clone(),
            attributes: self.caller.attributes.clone(),
        }
    }
}
