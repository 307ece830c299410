//! The settings of a strategy that are numbers: what can be swept or searched.

use serde_json::Value;

use super::part::pointer_key;
use super::{Edit, Part, PartId};
use crate::changes::{field_words, is_limit, joined};
use crate::types::Strategy;

/// A setting of a step, a team or a campaign that is a number, or a limit that could have one.
#[derive(Clone, Debug, PartialEq)]
pub struct NumberSetting {
    /// Of which part.
    pub part: PartId,
    /// The setting, as a JSON pointer within the part.
    pub setting: String,
    /// What it is, in the planner's words: "“Bookings queue”, places".
    pub name: String,
    /// Its value; `None` for a limit that is not set.
    pub now: Option<f64>,
}

impl NumberSetting {
    /// The edit that gives it a value.
    pub fn set(&self, value: f64) -> Edit {
        Edit::set_number(self.part.clone(), &self.setting, value)
    }
}

impl Strategy {
    /// Every number that can be set in steps, teams and campaigns, limits that are not set included.
    pub fn numbers(&self) -> Vec<NumberSetting> {
        let steps = self.steps.iter().map(|step| {
            let id = PartId::Step(step.id.clone());
            (id, format!("“{}”", step.name), Part::Step(Box::new(step.clone())))
        });
        let teams = self.teams.iter().map(|team| {
            let id = PartId::Team(team.id.clone());
            (id, format!("team “{}”", team.name), Part::Team(team.clone()))
        });
        let campaigns = self.campaigns.iter().map(|campaign| {
            let id = PartId::Campaign(campaign.id.clone());
            let whole = Part::Campaign(Box::new(campaign.clone()));
            (id, format!("campaign “{}”", campaign.name), whole)
        });
        let mut found = Vec::new();
        for (part, subject, whole) in steps.chain(teams).chain(campaigns) {
            let mut of_part = Found { part, subject, numbers: &mut found };
            of_part.look(&whole.to_json(), "", "");
        }
        found
    }
}

/// The numbers found so far, and the part that is looked at.
struct Found<'a> {
    part: PartId,
    subject: String,
    numbers: &'a mut Vec<NumberSetting>,
}

impl Found<'_> {
    fn look(&mut self, value: &Value, pointer: &str, words: &str) {
        match value {
            Value::Number(number) => self.note(pointer, words, number.as_f64()),
            // A limit that is not set has no number yet, but could have one.
            Value::Null if is_limit(pointer) => self.note(pointer, words, None),
            Value::Object(fields) => {
                for (field, inner) in fields {
                    // The kind of a step is no part of its setting's name.
                    let is_kind = field == "does" || pointer.rsplit('/').next() == Some("does");
                    let words =
                        if is_kind { words.to_owned() } else { joined(words, &field_words(field)) };
                    self.look(inner, &format!("{pointer}/{}", pointer_key(field)), &words);
                }
            }
            Value::Array(items) => {
                for (at, inner) in items.iter().enumerate() {
                    let words = joined(words, &(at + 1).to_string());
                    self.look(inner, &format!("{pointer}/{at}"), &words);
                }
            }
            _ => {}
        }
    }

    fn note(&mut self, pointer: &str, words: &str, now: Option<f64>) {
        self.numbers.push(NumberSetting {
            part: self.part.clone(),
            setting: pointer.to_owned(),
            name: format!("{}, {words}", self.subject),
            now,
        });
    }
}
