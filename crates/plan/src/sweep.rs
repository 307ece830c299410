//! Settings that can be swept: people, volume, and every number of a strategy.

use barometer_strategy::{NumberSetting, PartId, Strategy};
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
            Self::Setting { part, setting } => format!("{part}:{setting}"),
        }
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
                let edit = barometer_strategy::Edit::set_number(part.clone(), setting, value);
                set.strategy = edit.apply(&inputs.strategy).map_err(|faults| {
                    let told = faults.iter().map(|fault| fault.message.as_str());
                    format!("{value}: {}", told.collect::<Vec<_>>().join("; "))
                })?;
            }
        }
        Ok(set)
    }
}
