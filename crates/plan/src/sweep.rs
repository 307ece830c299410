//! Settings that can be swept or searched: people, volume, every number and every choice of a strategy.

use std::collections::HashSet;

use barometer_strategy::{ChoiceOption, ChoiceSetting, Edit, NumberSetting, PartId, Strategy};
use serde::{Deserialize, Serialize};

use crate::trial::TrialInputs;

/// A setting that can be swept.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Sweepable {
    /// People more or fewer of the team with this id while it is at work.
    Headcount(String),
    /// Contacts as a share of the forecast.
    Volume,
    /// A number of the strategy.
    Setting {
        /// Of which part.
        part: PartId,
        /// The setting, as a JSON pointer within the part.
        setting: String,
    },
    /// A choice of the strategy; its values are the numbers of the options, from 0.
    Choice {
        /// Of which part.
        part: PartId,
        /// The setting, as a JSON pointer within the part.
        setting: String,
        /// What can be chosen.
        options: Vec<ChoiceOption>,
    },
}

/// A setting of a strategy that a search can choose.
#[derive(Clone, Debug, PartialEq)]
pub struct Searchable {
    /// Which.
    pub setting: Sweepable,
    /// What it is, in the planner's words.
    pub name: String,
    /// Its value; `None` for a limit that is not set.
    pub now: Option<f64>,
}

impl Searchable {
    /// Every setting of a strategy that can be searched: numbers, and choices, which come first.
    pub fn all(strategy: &Strategy) -> Vec<Self> {
        let choices = strategy.choices().into_iter().map(|choice| {
            let ChoiceSetting { part, setting, name, options } = choice;
            let now = Some(0.0);
            Self { setting: Sweepable::Choice { part, setting, options }, name, now }
        });
        let mut all: Vec<Self> = choices.collect();
        let chosen: HashSet<String> = all.iter().map(|choice| choice.setting.key()).collect();
        for NumberSetting { part, setting, name, now } in strategy.numbers() {
            let number = Self { setting: Sweepable::Setting { part, setting }, name, now };
            // A rank is a choice among few.
            if !chosen.contains(&number.setting.key()) {
                all.push(number);
            }
        }
        all
    }

    /// The values to try where none are named: of a choice all others.
    pub fn other_options(&self) -> Vec<f64> {
        let Sweepable::Choice { options, .. } = &self.setting else { return Vec::new() };
        (0..options.len()).map(|nth| nth as f64).filter(|nth| Some(*nth) != self.now).collect()
    }
}

impl Sweepable {
    /// What can be swept in trials of a strategy, each with what it is in the planner's words.
    pub fn all(strategy: &Strategy) -> Vec<(Self, String)> {
        let several = strategy.teams.len() > 1;
        let people = strategy.teams.iter().map(|team| {
            let name = match several {
                true => format!("Headcount change, {}", team.name),
                false => "Headcount change".to_owned(),
            };
            (Self::Headcount(team.id.clone()), name)
        });
        let volume = (Self::Volume, "Volume, as a share of the forecast".to_owned());
        let settings = strategy.numbers().into_iter().map(|number| {
            let NumberSetting { part, setting, name, .. } = number;
            (Self::Setting { part, setting }, name)
        });
        people.chain([volume]).chain(settings).collect()
    }

    /// What tells it from the others, as a form sends it.
    pub fn key(&self) -> String {
        match self {
            Self::Headcount(team) => format!("people:{team}"),
            Self::Volume => "volume".to_owned(),
            Self::Setting { part, setting } | Self::Choice { part, setting, .. } => {
                format!("{part}:{setting}")
            }
        }
    }

    /// What a value of a choice is called; `None` for a number.
    pub fn option_words(&self, value: f64) -> Option<&str> {
        Some(self.option(value)?.words.as_str())
    }

    fn option(&self, value: f64) -> Option<&ChoiceOption> {
        let Self::Choice { options, .. } = self else { return None };
        let is_one = value >= 0.0 && value.fract() == 0.0;
        is_one.then(|| options.get(value as usize)).flatten()
    }

    /// The value that is meant by a name: the words of an option, as a planner or as the JSON form has them.
    ///
    /// # Errors
    ///
    /// What can be chosen, in words.
    pub fn named_value(&self, named: &str) -> Result<f64, String> {
        let Self::Choice { options, .. } = self else {
            return named.parse().map_err(|_| format!("{named}: is no number"));
        };
        let is_meant = |option: &ChoiceOption| {
            option.words.eq_ignore_ascii_case(named) || option.to.as_str() == Some(named)
        };
        let found = options.iter().position(is_meant).map(|nth| nth as f64);
        found.ok_or_else(|| {
            let words: Vec<&str> = options.iter().map(|option| option.words.as_str()).collect();
            format!("{named}: is none of {}", words.join("; "))
        })
    }

    /// The trial with this value.
    ///
    /// # Errors
    ///
    /// What is wrong with the value, in words.
    pub fn set(&self, inputs: &TrialInputs, value: f64) -> Result<TrialInputs, String> {
        let mut set = inputs.clone();
        match self {
            Self::Headcount(team) => set.add_people(team, value.round() as i32),
            Self::Volume => set.scale_volume(value),
            Self::Setting { part, setting } => {
                let edit = Edit::set_number(part.clone(), setting, value);
                set.strategy = edited(&inputs.strategy, &edit, &value.to_string())?;
            }
            Self::Choice { part, setting, .. } => {
                let Some(ChoiceOption { words, to }) = self.option(value) else {
                    return Err(format!("{value}: is no number of an option"));
                };
                let (part, setting) = (part.clone(), setting.clone());
                let edit = Edit::Set { part, setting, to: to.clone() };
                set.strategy = edited(&inputs.strategy, &edit, words)?;
            }
        }
        Ok(set)
    }
}

/// A strategy with a value set, or what is wrong with it.
fn edited(strategy: &Strategy, edit: &Edit, value: &str) -> Result<Strategy, String> {
    edit.apply(strategy).map_err(|faults| {
        let told = faults.iter().map(|fault| fault.message.as_str());
        format!("{value}: {}", told.collect::<Vec<_>>().join("; "))
    })
}
