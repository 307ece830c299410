//! Strategies of single contact types joined into one of the whole centre.

use crate::types::{
    Entry, Exits, Members, Next, Skill, Step, StepKind, Strategy, Team, WantedSkill,
};

impl Strategy {
    /// One strategy of several, each of one contact type, that plays each of them as it was: their
    /// people answer nobody else's contacts.
    pub fn joined(name: &str, parts: impl IntoIterator<Item = (String, Self)>) -> Self {
        let mut joined = Self { name: name.to_owned(), ..Self::plain(name) };
        (joined.entries, joined.steps, joined.teams) = (Vec::new(), Vec::new(), Vec::new());
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
            rename_entry(entry, contact_type, &renamed);
        }
        for step in &mut part.steps {
            rename_step(step, &renamed);
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
            rename_team(team, &renamed);
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

fn rename_entry(entry: &mut Entry, contact_type: &str, renamed: &impl Fn(&str) -> String) {
    if entry.contact_types.is_empty() {
        entry.contact_types.push(contact_type.to_owned());
    }
    rename_next(&mut entry.first, renamed);
}

fn rename_step(step: &mut Step, renamed: &impl Fn(&str) -> String) {
    step.id = renamed(&step.id);
    match &mut step.does {
        StepKind::HoursGate(gate) => {
            rename_all([&mut gate.open, &mut gate.closed], renamed);
        }
        StepKind::Menu(menu) => {
            let choices = menu.choices.iter_mut().map(|choice| &mut choice.next);
            rename_all(choices.chain([&mut menu.no_choice]), renamed);
        }
        StepKind::Labelling(labelling) => rename_next(&mut labelling.next, renamed),
        StepKind::Routing(routing) => {
            let routes = routing.routes.iter_mut().map(|route| &mut route.next);
            rename_all(routes.chain([&mut routing.otherwise]), renamed);
        }
        StepKind::Announcement(told) => rename_next(&mut told.next, renamed),
        StepKind::Assistant(assistant) => rename_next(&mut assistant.next, renamed),
        StepKind::Queue(queue) => {
            if let Some(offer) = &mut queue.callback {
                offer.step = renamed(&offer.step);
            }
            rename_exits(&mut queue.exits, renamed);
        }
        StepKind::HuntGroup(group) => {
            for member in &mut group.members {
                if let Members::Team(team) = &mut member.who {
                    *team = renamed(team);
                }
            }
            rename_exits(&mut group.exits, renamed);
        }
        StepKind::Callback(callback) => {
            callback.line = renamed(&callback.line);
            rename_next(&mut callback.otherwise, renamed);
        }
        StepKind::Voicemail(voicemail) => {
            if let Some(work) = &mut voicemail.work {
                work.line = renamed(&work.line);
            }
        }
        StepKind::Outside(_) => {}
    }
}

fn rename_team(team: &mut Team, renamed: &impl Fn(&str) -> String) {
    team.id = renamed(&team.id);
    let own = team.agents.iter_mut().map(|agent| &mut agent.ranks);
    for ranks in std::iter::once(&mut team.ranks).chain(own) {
        *ranks =
            std::mem::take(ranks).into_iter().map(|(line, rank)| (renamed(&line), rank)).collect();
    }
}

fn rename_exits(exits: &mut Exits, renamed: &impl Fn(&str) -> String) {
    let Exits { full, too_long, no_staff_at_arrival, no_staff_while_waiting, no_answer } = exits;
    let perhaps = [no_staff_at_arrival, no_staff_while_waiting].into_iter().flatten();
    rename_all([full, too_long, no_answer].into_iter().chain(perhaps), renamed);
}

fn rename_all<'a>(ways: impl IntoIterator<Item = &'a mut Next>, renamed: &impl Fn(&str) -> String) {
    ways.into_iter().for_each(|next| rename_next(next, renamed));
}

fn rename_next(next: &mut Next, renamed: &impl Fn(&str) -> String) {
    if let Next::Step(id) = next {
        *id = renamed(id);
    }
}
