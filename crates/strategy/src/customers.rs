//! Who comes: what the contacts of a type are like, whatever the strategy.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Duration, Fault};

/// How a contact comes.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Channel {
    /// A telephone call.
    #[default]
    Call,
    /// A chat.
    Chat,
    /// Work that can wait: a message, a letter, an e-mail.
    Task,
}

/// The contacts of one type.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Customers {
    /// How they come.
    #[serde(default)]
    pub channel: Channel,
    /// Handle time: talk, hold and wrap-up, unless wrap-up is given on its own. A forecast's own
    /// handle times replace its mean interval by interval.
    pub handling: Duration,
    /// Wrap-up, when `handling` leaves it out.
    #[serde(default = "Duration::nothing")]
    pub wrap_up: Duration,
    /// Patience: how long they wait before they abandon; none for as long as it takes.
    #[serde(default)]
    pub patience: Option<Duration>,
    /// Who calls again after abandoning.
    #[serde(default)]
    pub after_abandoning: Option<TryAgain>,
    /// Who calls again after the busy tone or a release.
    #[serde(default)]
    pub after_blocked: Option<TryAgain>,
    /// Who calls again after having been served.
    #[serde(default)]
    pub repeat: Option<Repeat>,
    /// Kinds of customers, by whose numbers, languages and attributes contacts are sorted. What is
    /// left of the shares has none of these.
    #[serde(default)]
    pub profiles: Vec<Profile>,
}

/// Calling again without having been served.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TryAgain {
    /// Share of those who do, each time.
    pub share: f64,
    /// After how long.
    pub after: Duration,
    /// Attempts in all, the first one counted; none for as often as it takes.
    #[serde(default)]
    pub most_attempts: Option<u32>,
}

/// Calling again after having been served.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Repeat {
    /// Share of those served who call again, once.
    pub share: f64,
    /// After how long.
    pub after: Duration,
}

/// A kind of customer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Profile {
    /// Share of the type's contacts.
    pub share: f64,
    /// The caller's number.
    #[serde(default)]
    pub number: String,
    /// The language spoken.
    #[serde(default)]
    pub language: String,
    /// Attributes by name.
    #[serde(default)]
    pub attributes: BTreeMap<String, String>,
}

/// What a contact type's customers are like, beside how they come, how long they take and how long they wait.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct CustomerHabits {
    /// How patience spreads, where it was measured; its mean is that of the targets.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub patience: Option<Duration>,
    /// How handle times spread, where they were measured; their mean is the forecast's.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub handling: Option<Duration>,
    /// Who calls again after abandoning.
    pub after_abandoning: Option<TryAgain>,
    /// Who calls again after the busy tone or a release.
    pub after_blocked: Option<TryAgain>,
    /// Who calls again after having been served.
    pub repeat: Option<Repeat>,
    /// Kinds of customers.
    pub profiles: Vec<Profile>,
}

impl CustomerHabits {
    /// Customers who have these habits.
    pub fn given_to(&self, customers: Customers) -> Customers {
        let Self { patience, after_abandoning, after_blocked, repeat, profiles, .. } = self.clone();
        let patience = match (customers.patience, patience) {
            (Some(mean), Some(spread)) => Some(spread.with_mean(mean.mean_secs())),
            (mean, _) => mean,
        };
        Customers { patience, after_abandoning, after_blocked, repeat, profiles, ..customers }
    }

    /// What is wrong with them, if anything.
    pub fn fault(&self) -> Option<Fault> {
        self.given_to(Customers::calls(1.0, None)).fault()
    }
}

/// The customers of several contact types, by the type's name: the form of a file.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CustomersFile {
    /// What the contacts of each type are like.
    pub contact_types: BTreeMap<String, Customers>,
}

impl CustomersFile {
    /// The customers of a JSON text.
    ///
    /// # Errors
    ///
    /// What is wrong with it, and where.
    pub fn from_json(text: &str) -> Result<Self, String> {
        if text.contains("\\u0000") || text.contains('\0') {
            return Err("a text in this has a zero byte; remove it".to_owned());
        }
        let mut reader = serde_json::Deserializer::from_str(text);
        serde_path_to_error::deserialize(&mut reader).map_err(|error| {
            match error.path().to_string() {
                path if path == "." || path == "?" => {
                    format!("this is no description of customers: {}", error.inner())
                }
                path => format!("{path}: {}", error.inner()),
            }
        })
    }
}

impl Customers {
    /// Calls with exponential handle times and patience.
    pub fn calls(handle_secs: f64, patience_secs: Option<f64>) -> Self {
        Self {
            channel: Channel::Call,
            handling: Duration::exponential(handle_secs),
            wrap_up: Duration::nothing(),
            patience: patience_secs.map(Duration::exponential),
            after_abandoning: None,
            after_blocked: None,
            repeat: None,
            profiles: Vec::new(),
        }
    }
}
