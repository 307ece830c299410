//! Strategies of single contact types joined into one of the whole centre.

use crate::types::{Next, Skill, StepKind, Strategy, WantedSkill};

impl Strategy {
    /// One strategy of several, each of one contact type, that plays each of them as it was: their
    /// people answer nobody else's contacts.
    pub fn joined(name: &str, parts: impl IntoIterator<Item = (String, Self)>) -> Self {
        let mut joined = Self { name: name.to_owned(), ..Self::plain(name) };
        (joined.entries, joined.steps, joined.teams) = Default::default();
        for (contact_type, part) in parts {
            joined.take_in(&contact_type, part);
        }
        joined
    }

    /// Takes in the strategy of one contact type: its steps and teams get ids of their own, and a
    /// skill of the contact type's name keeps its agents and those who are there already apart.
    pub fn take_in(&mut self, contact_type: &str, mut part: Self) {
        let stem = stem_of(contact_type);
        let is_taken = |stem: &str| {
            let begins = |id: &str| id.starts_with(&format!("{stem}-"));
            self.steps.iter().any(|step| begins(&step.id))
                || self.teams.iter().any(|team| begins(&team.id))
        };
        let stems = std::iter::once(stem.clone()).chain((2..).map(|nth| format!("{stem}{nth}")));
        let stem = stems.into_iter().find(|stem| !is_taken(stem)).unwrap_or(stem);
        let renamed = |id: &str| format!("{stem}-{id}");
        for entry in &mut part.entries {
            if entry.contact_types.is_empty() {
                entry.contact_types.push(contact_type.to_owned());
            }
            if let Next::Step(id) = &mut entry.first {
                *id = renamed(id);
            }
        }
        for step in &mut part.steps {
            step.rename(&renamed);
            if let StepKind::Queue(queue) = &mut step.does {
                let asked = std::iter::once(&mut queue.need.skills)
                    .chain(queue.need.relaxations.iter_mut().map(|relaxed| &mut relaxed.skills));
                asked.for_each(|skills| {
                    skills
                        .insert(0, WantedSkill { skill: contact_type.to_owned(), at_least: None });
                });
            }
        }
        for team in &mut part.teams {
            team.id = renamed(&team.id);
            team.rename_ranks(&|line| Some(renamed(line)));
            let own = team.agents.iter_mut().filter_map(|agent| agent.skills.as_mut());
            std::iter::once(&mut team.skills).chain(own).for_each(|skills| {
                skills.insert(0, Skill { skill: contact_type.to_owned(), level: None });
            });
        }
        self.entries.extend(part.entries);
        self.steps.extend(part.steps);
        self.teams.extend(part.teams);
    }
}

/// A contact type's name as the beginning of ids: "Vehicles & freight" is `vehicles-freight`.
fn stem_of(contact_type: &str) -> String {
    let plain: String = contact_type
        .chars()
        .map(|letter| if letter.is_alphanumeric() { letter.to_ascii_lowercase() } else { ' ' })
        .collect();
    plain.split_whitespace().collect::<Vec<_>>().join("-")
}
