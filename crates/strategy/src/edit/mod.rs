//! Typed edits of a strategy: the one way in which it is changed.
//!
//! Forms, sweeps, repairs and searches all say what they want as an [`Edit`]. An edit is applied to a
//! strategy and gives another one, or the faults that keep that from being played; it has an inverse
//! ([`Edit::inverse`]); and it says itself in the planner's words ([`Edit::sentence`]).

mod between;
mod choices;
mod new_part;
mod numbers;
mod part;
mod rewire;
mod sentence;

use serde::{Deserialize, Serialize};
use serde_json::Value;

use crate::faults::Fault;
use crate::types::{Next, Strategy};

pub use choices::{ChoiceOption, ChoiceSetting};
pub use new_part::StepName;
pub use numbers::NumberSetting;
pub use part::{Part, PartId};

/// One change of a strategy.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Edit {
    /// Gives the strategy another name.
    Rename(String),
    /// Adds a part.
    Add {
        /// The part.
        part: Part,
        /// Its place in its list, from 0; at the end where none is given.
        at: Option<usize>,
    },
    /// Removes a part.
    Remove(PartId),
    /// Puts a part in the place of another of its list.
    Replace {
        /// The part that goes.
        part: PartId,
        /// The part that takes its place.
        with: Part,
    },
    /// Moves a part to another place of its list.
    Move {
        /// Which.
        part: PartId,
        /// Its new place, from 0.
        to: usize,
    },
    /// Sets one setting of a part.
    Set {
        /// Of which part.
        part: PartId,
        /// The setting, as a JSON pointer within the part: `/does/queue/places`.
        setting: String,
        /// Its value; null for none.
        to: Value,
    },
    /// Lets an exit of a step, or an entry, lead elsewhere.
    Connect {
        /// From which part.
        part: PartId,
        /// The exit, as a JSON pointer within the part: `/does/queue/exits/full`.
        exit: String,
        /// Where it leads; none to close an exit that may be closed.
        to: Option<Next>,
    },
    /// Several edits, one after the other. Only what comes out at the end has to be without faults.
    Several(Vec<Edit>),
}

impl Edit {
    /// Sets a setting to a number, written as JSON writes it: whole where it is whole.
    pub fn set_number(part: PartId, setting: &str, value: f64) -> Self {
        // Beyond this a floating-point number does not hold every whole number.
        let to = if value.fract() == 0.0 && value.abs() < 2f64.powi(53) {
            Value::from(value as i64)
        } else {
            Value::from(value)
        };
        Self::Set { part, setting: setting.to_owned(), to }
    }

    /// Adds all parts of a strategy of one contact type, as [`Strategy::take_in`] does.
    pub fn take_in(to: &Strategy, contact_type: &str, part: Strategy) -> Self {
        let mut whole = to.clone();
        whole.take_in(contact_type, part);
        Self::between(to, &whole)
    }

    /// The strategy that this edit makes of another.
    ///
    /// # Errors
    ///
    /// The faults that keep it from being played, or the one that keeps the edit from being applied:
    /// a part or a setting that is not there, a value of the wrong kind. Nothing is changed then.
    pub fn apply(&self, to: &Strategy) -> Result<Strategy, Vec<Fault>> {
        let edited = self.applied(to).map_err(|fault| vec![fault])?;
        let faults = edited.faults();
        if faults.is_empty() { Ok(edited) } else { Err(faults) }
    }

    /// The edit that undoes this one: applied to what this one makes of `before`, it gives `before`.
    ///
    /// # Errors
    ///
    /// The fault that keeps this edit from being applied to `before`.
    pub fn inverse(&self, before: &Strategy) -> Result<Self, Fault> {
        let after = self.applied(before)?;
        let id_after = |part: &PartId| -> Result<PartId, Fault> {
            let at = part.place_in(before)?;
            Ok(part.sibling(&after, at).unwrap_or_else(|| part.clone()))
        };
        Ok(match self {
            Self::Rename(_) => Self::Rename(before.name.clone()),
            Self::Add { part, at } => {
                let at = at.unwrap_or_else(|| part.count_in(before));
                Self::Remove(part.id_at(at))
            }
            Self::Remove(part) => {
                Self::Add { part: part.of(before)?, at: Some(part.place_in(before)?) }
            }
            Self::Move { part, to } => {
                let moved = part.at_place(*to);
                Self::Move { part: moved, to: part.place_in(before)? }
            }
            Self::Replace { part, .. } | Self::Set { part, .. } | Self::Connect { part, .. } => {
                Self::Replace { part: id_after(part)?, with: part.of(before)? }
            }
            Self::Several(edits) => {
                let mut step = before.clone();
                let mut inverses = Vec::with_capacity(edits.len());
                for edit in edits {
                    inverses.push(edit.inverse(&step)?);
                    step = edit.applied(&step)?;
                }
                inverses.reverse();
                Self::Several(inverses)
            }
        })
    }

    /// What the edit makes of a strategy, whatever faults that has.
    fn applied(&self, to: &Strategy) -> Result<Strategy, Fault> {
        let mut edited = to.clone();
        match self {
            Self::Rename(name) => edited.name.clone_from(name),
            Self::Add { part, at } => part.clone().insert_into(&mut edited, *at)?,
            Self::Remove(part) => {
                part.take_from(&mut edited)?;
            }
            Self::Replace { part, with } => {
                let at = part.place_in(to)?;
                part.expects(with)?;
                part.take_from(&mut edited)?;
                with.clone().insert_into(&mut edited, Some(at))?;
            }
            Self::Move { part, to } => {
                let moved = part.take_from(&mut edited)?;
                moved.insert_into(&mut edited, Some(*to))?;
            }
            Self::Set { part, setting, to: value } => {
                let with = part.with_setting(to, setting, value.clone())?;
                return Self::Replace { part: part.clone(), with }.applied(to);
            }
            Self::Connect { part, exit, to: next } => {
                let value = serde_json::to_value(next)
                    .map_err(|error| Fault { field: exit.clone(), message: error.to_string() })?;
                let with = part.with_setting(to, exit, value)?;
                return Self::Replace { part: part.clone(), with }.applied(to);
            }
            Self::Several(edits) => {
                for edit in edits {
                    edited = edit.applied(&edited)?;
                }
            }
        }
        Ok(edited)
    }
}
