//! The parts that edits are made to: entries, steps, teams and campaigns.

use std::fmt;
use std::str::FromStr;

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::Value;

use crate::faults::Fault;
use crate::types::{Campaign, Entry, NumberRange, Step, Strategy, Team};

/// Which part of a strategy. Entries are known by their place, all others by their ids.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum PartId {
    /// The entry at this place, from 0.
    Entry(usize),
    /// The step with this id.
    Step(String),
    /// The team with this id.
    Team(String),
    /// The campaign with this id.
    Campaign(String),
    /// The range of numbers with this id.
    Range(String),
}

/// A part of a strategy.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Part {
    /// Where contacts come in.
    Entry(Entry),
    /// What they pass or wait in.
    Step(Box<Step>),
    /// Who answers them.
    Team(Team),
    /// Whom the centre calls.
    Campaign(Box<Campaign>),
    /// Numbers that are set aside.
    Range(NumberRange),
}

impl fmt::Display for PartId {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Entry(at) => write!(formatter, "entry.{at}"),
            Self::Step(id) => write!(formatter, "step.{id}"),
            Self::Team(id) => write!(formatter, "team.{id}"),
            Self::Campaign(id) => write!(formatter, "campaign.{id}"),
            Self::Range(id) => write!(formatter, "range.{id}"),
        }
    }
}

impl FromStr for PartId {
    type Err = Fault;

    /// Reads what [`Display`](fmt::Display) writes.
    fn from_str(text: &str) -> Result<Self, Fault> {
        let part = match text.split_once('.') {
            Some(("entry", at)) => at.parse().ok().map(Self::Entry),
            Some(("step", id)) => Some(Self::Step(id.to_owned())),
            Some(("team", id)) => Some(Self::Team(id.to_owned())),
            Some(("campaign", id)) => Some(Self::Campaign(id.to_owned())),
            Some(("range", id)) => Some(Self::Range(id.to_owned())),
            _ => None,
        };
        part.ok_or_else(|| Fault {
            field: "part".to_owned(),
            message: format!("“{text}” names no entry, step, team, campaign or range"),
        })
    }
}

impl PartId {
    /// The list that it is in, as the JSON form calls it.
    pub const fn list(&self) -> &'static str {
        match self {
            Self::Entry(_) => "entries",
            Self::Step(_) => "steps",
            Self::Team(_) => "teams",
            Self::Campaign(_) => "campaigns",
            Self::Range(_) => "number_ranges",
        }
    }

    /// Its place in its list; `None` where it is not there.
    pub fn find(&self, strategy: &Strategy) -> Option<usize> {
        match self {
            Self::Entry(at) => (*at < strategy.entries.len()).then_some(*at),
            Self::Step(id) => strategy.steps.iter().position(|step| step.id == *id),
            Self::Team(id) => strategy.teams.iter().position(|team| team.id == *id),
            Self::Campaign(id) => strategy.campaigns.iter().position(|each| each.id == *id),
            Self::Range(id) => strategy.number_ranges.iter().position(|each| each.id == *id),
        }
    }

    /// The part itself.
    ///
    /// # Errors
    ///
    /// A fault that says it is not there.
    pub fn of(&self, strategy: &Strategy) -> Result<Part, Fault> {
        let at = self.place_in(strategy)?;
        Ok(match self {
            Self::Entry(_) => Part::Entry(strategy.entries[at].clone()),
            Self::Step(_) => Part::Step(Box::new(strategy.steps[at].clone())),
            Self::Team(_) => Part::Team(strategy.teams[at].clone()),
            Self::Campaign(_) => Part::Campaign(Box::new(strategy.campaigns[at].clone())),
            Self::Range(_) => Part::Range(strategy.number_ranges[at].clone()),
        })
    }

    /// A part of this kind from its JSON form.
    ///
    /// # Errors
    ///
    /// The field that is wrong, within the part, and why.
    pub fn read(&self, value: Value) -> Result<Part, Fault> {
        fn typed<T: DeserializeOwned>(value: Value) -> Result<T, Fault> {
            serde_path_to_error::deserialize(value).map_err(|error| Fault {
                field: error.path().to_string(),
                message: error.inner().to_string(),
            })
        }
        Ok(match self {
            Self::Entry(_) => Part::Entry(typed(value)?),
            Self::Step(_) => Part::Step(Box::new(typed(value)?)),
            Self::Team(_) => Part::Team(typed(value)?),
            Self::Campaign(_) => Part::Campaign(Box::new(typed(value)?)),
            Self::Range(_) => Part::Range(typed(value)?),
        })
    }

    pub(super) fn place_in(&self, strategy: &Strategy) -> Result<usize, Fault> {
        self.find(strategy).ok_or_else(|| Fault {
            field: self.list().to_owned(),
            message: match self {
                Self::Entry(at) => format!("there is no entry {}", at + 1),
                Self::Step(id) => format!("there is no step “{id}”"),
                Self::Team(id) => format!("there is no team “{id}”"),
                Self::Campaign(id) => format!("there is no campaign “{id}”"),
                Self::Range(id) => format!("there is no range “{id}”"),
            },
        })
    }

    /// The part with one of its settings set.
    pub(super) fn with_setting(
        &self,
        strategy: &Strategy,
        setting: &str,
        to: Value,
    ) -> Result<Part, Fault> {
        let at = self.place_in(strategy)?;
        let place = format!("{}[{at}]", self.list());
        let not_there = || Fault {
            field: place.clone(),
            message: format!("there is no setting “{setting}”"),
        };
        let mut value = self.of(strategy)?.to_json();
        let (within, field) = setting.rsplit_once('/').ok_or_else(not_there)?;
        match value.pointer_mut(within).ok_or_else(not_there)? {
            // A setting without a value may be left out of the JSON form.
            Value::Object(fields) => drop(fields.insert(key_of_pointer(field), to)),
            Value::Array(items) => {
                let item = field.parse().ok().and_then(|at: usize| items.get_mut(at));
                *item.ok_or_else(not_there)? = to;
            }
            _ => return Err(not_there()),
        }
        self.read(value)
            .map_err(|fault| Fault { field: format!("{place}.{}", fault.field), ..fault })
    }

    /// Takes it out of a strategy.
    pub(super) fn take_from(&self, strategy: &mut Strategy) -> Result<Part, Fault> {
        let at = self.place_in(strategy)?;
        Ok(match self {
            Self::Entry(_) => Part::Entry(strategy.entries.remove(at)),
            Self::Step(_) => Part::Step(Box::new(strategy.steps.remove(at))),
            Self::Team(_) => Part::Team(strategy.teams.remove(at)),
            Self::Campaign(_) => Part::Campaign(Box::new(strategy.campaigns.remove(at))),
            Self::Range(_) => Part::Range(strategy.number_ranges.remove(at)),
        })
    }

    /// Refuses a part of another kind.
    pub(super) fn expects(&self, part: &Part) -> Result<(), Fault> {
        let fits = matches!(
            (self, part),
            (Self::Entry(_), Part::Entry(_))
                | (Self::Step(_), Part::Step(_))
                | (Self::Team(_), Part::Team(_))
                | (Self::Campaign(_), Part::Campaign(_))
                | (Self::Range(_), Part::Range(_))
        );
        if fits {
            return Ok(());
        }
        let message = "is put in the place of a part of another kind".to_owned();
        Err(Fault { field: self.list().to_owned(), message })
    }

    /// The id of the part at a place of the same list.
    pub(super) fn sibling(&self, strategy: &Strategy, at: usize) -> Option<Self> {
        match self {
            Self::Entry(_) => (at < strategy.entries.len()).then_some(Self::Entry(at)),
            Self::Step(_) => strategy.steps.get(at).map(|step| Self::Step(step.id.clone())),
            Self::Team(_) => strategy.teams.get(at).map(|team| Self::Team(team.id.clone())),
            Self::Campaign(_) => {
                strategy.campaigns.get(at).map(|each| Self::Campaign(each.id.clone()))
            }
            Self::Range(_) => {
                strategy.number_ranges.get(at).map(|each| Self::Range(each.id.clone()))
            }
        }
    }

    /// The same part once it stands at another place.
    pub(super) fn at_place(&self, at: usize) -> Self {
        match self {
            Self::Entry(_) => Self::Entry(at),
            other => other.clone(),
        }
    }
}

impl Part {
    /// What planners call it.
    pub fn name(&self) -> &str {
        match self {
            Self::Entry(entry) => &entry.name,
            Self::Step(step) => &step.name,
            Self::Team(team) => &team.name,
            Self::Campaign(campaign) => &campaign.name,
            Self::Range(range) => &range.name,
        }
    }

    /// Its kind, as planners say it.
    pub const fn kind(&self) -> &'static str {
        match self {
            Self::Entry(_) => "entry",
            Self::Step(step) => step.does.words(),
            Self::Team(_) => "team",
            Self::Campaign(_) => "campaign",
            Self::Range(_) => "range of numbers",
        }
    }

    /// Its JSON form.
    ///
    /// # Panics
    ///
    /// Never: names and numbers can be written as JSON.
    #[expect(clippy::expect_used, reason = "nothing in it cannot be written")]
    pub fn to_json(&self) -> Value {
        let value = match self {
            Self::Entry(entry) => serde_json::to_value(entry),
            Self::Step(step) => serde_json::to_value(step),
            Self::Team(team) => serde_json::to_value(team),
            Self::Campaign(campaign) => serde_json::to_value(campaign),
            Self::Range(range) => serde_json::to_value(range),
        };
        value.expect("names and numbers always serialise")
    }

    /// How it is known where it stands at this place of its list.
    pub fn id_at(&self, at: usize) -> PartId {
        match self {
            Self::Entry(_) => PartId::Entry(at),
            Self::Step(step) => PartId::Step(step.id.clone()),
            Self::Team(team) => PartId::Team(team.id.clone()),
            Self::Campaign(campaign) => PartId::Campaign(campaign.id.clone()),
            Self::Range(range) => PartId::Range(range.id.clone()),
        }
    }

    /// How many parts of its kind a strategy has.
    pub(super) const fn count_in(&self, strategy: &Strategy) -> usize {
        match self {
            Self::Entry(_) => strategy.entries.len(),
            Self::Step(_) => strategy.steps.len(),
            Self::Team(_) => strategy.teams.len(),
            Self::Campaign(_) => strategy.campaigns.len(),
            Self::Range(_) => strategy.number_ranges.len(),
        }
    }

    /// Puts it into a strategy, at the end of its list where no place is given.
    pub(super) fn insert_into(
        self,
        strategy: &mut Strategy,
        at: Option<usize>,
    ) -> Result<(), Fault> {
        let count = self.count_in(strategy);
        let at = at.unwrap_or(count);
        let list = self.id_at(at).list();
        if at > count {
            let message = format!("there are {count}, so there is no place {}", at + 1);
            return Err(Fault { field: list.to_owned(), message });
        }
        match self {
            Self::Entry(entry) => strategy.entries.insert(at, entry),
            Self::Step(step) => strategy.steps.insert(at, *step),
            Self::Team(team) => strategy.teams.insert(at, team),
            Self::Campaign(campaign) => strategy.campaigns.insert(at, *campaign),
            Self::Range(range) => strategy.number_ranges.insert(at, range),
        }
        Ok(())
    }
}

/// A key as a JSON pointer has it (RFC 6901).
pub(super) fn pointer_key(key: &str) -> String {
    key.replace('~', "~0").replace('/', "~1")
}

/// The key that a piece of a JSON pointer stands for.
fn key_of_pointer(piece: &str) -> String {
    piece.replace("~1", "/").replace("~0", "~")
}
