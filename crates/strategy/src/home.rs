//! Whose contacts are whose: the entry of a contact type, and the team that is offered it first.

use crate::Channel;
use crate::types::{
    Entry, Member, Members, Next, Route, Step, StepKind, Strategy, Team, WantedSkill,
};

impl Strategy {
    /// The entry where a contact type comes in: the one that names it, or else the one that names
    /// none.
    pub fn entry_of(&self, contact_type: &str) -> Option<&Entry> {
        let names = |entry: &&Entry| entry.contact_types.iter().any(|name| name == contact_type);
        let names_none = |entry: &&Entry| entry.contact_types.is_empty();
        self.entries.iter().find(names).or_else(|| self.entries.iter().find(names_none))
    }

    /// The team at home with a contact type: of the first line on its main way that anybody can answer,
    /// the team that is offered contacts first. The main way is open, has no label but its entry's, and makes the type's
    /// own choice in menus. Its people are those who are planned for the type.
    pub fn home_team(&self, contact_type: &str, channel: Channel) -> Option<&Team> {
        let mut seen: Vec<&str> = Vec::new();
        let entry = self.entry_of(contact_type)?;
        let mut ahead = vec![&entry.first];
        while let Some(next) = ahead.pop() {
            let Next::Step(id) = next else { continue };
            let Some(step) = self.step(id).filter(|step| !seen.contains(&step.id.as_str())) else {
                continue;
            };
            seen.push(&step.id);
            if let Some(team) = self.first_offered(step, channel) {
                return Some(team);
            }
            // The last one put there is looked at first.
            ahead.extend(main_way_first(&step.does, contact_type, entry).into_iter().rev());
        }
        None
    }

    /// The queues and hunt groups at which contacts of a type may wait first: those to which gates, menus,
    /// labels and whatever else stands before them lead.
    pub fn first_service_points(&self, contact_type: &str) -> Vec<&Step> {
        let Some(entry) = self.entry_of(contact_type) else { return Vec::new() };
        let (mut seen, mut found): (Vec<&str>, Vec<&Step>) = (Vec::new(), Vec::new());
        let mut ahead = vec![&entry.first];
        while let Some(next) = ahead.pop() {
            let Next::Step(id) = next else { continue };
            let Some(step) = self.step(id).filter(|step| !seen.contains(&step.id.as_str())) else {
                continue;
            };
            seen.push(&step.id);
            match &step.does {
                StepKind::Queue(_) | StepKind::HuntGroup(_) => found.push(step),
                before => ahead.extend(main_way_first(before, contact_type, entry)),
            }
        }
        found
    }

    /// Whether contacts of a channel are offered to a team as soon as they reach this step. Where it
    /// is not a line, the team answers nothing here.
    pub fn is_answered_by(&self, step: &Step, team: &Team, channel: Channel) -> bool {
        let is_member = match &step.does {
            StepKind::Queue(queue) => team.has_all(&queue.need.skills),
            StepKind::HuntGroup(group) => group.members.iter().any(|member| member.is_of(team)),
            _ => false,
        };
        is_member && team.answers(channel).is_some()
    }

    /// Whether contacts of a channel may be offered to a team here, at once or after some waiting.
    pub fn may_be_answered_by(&self, step: &Step, team: &Team, channel: Channel) -> bool {
        let relaxed = match &step.does {
            StepKind::Queue(queue) => {
                queue.need.relaxations.iter().any(|relaxed| team.has_all(&relaxed.skills))
            }
            _ => false,
        };
        self.is_answered_by(step, team, channel) || (relaxed && team.answers(channel).is_some())
    }

    /// The team that a line offers contacts first; `None` where it is no line, or nobody answers.
    fn first_offered(&self, step: &Step, channel: Channel) -> Option<&Team> {
        match &step.does {
            StepKind::Queue(_) => self
                .teams
                .iter()
                .filter(|team| self.is_answered_by(step, team, channel))
                .min_by_key(|team| team.ranks.get(&step.id).copied().unwrap_or(1)),
            StepKind::HuntGroup(group) => group
                .members
                .iter()
                .filter_map(|member| {
                    let team = self.teams.iter().find(|team| member.is_of(team))?;
                    team.answers(channel)?;
                    Some(((member.wave, member.rank), team))
                })
                .min_by_key(|(place, _)| *place)
                .map(|(_, team)| team),
            _ => None,
        }
    }
}

/// Where contacts of a type go on to, most of them first.
fn main_way_first<'a>(does: &'a StepKind, contact_type: &str, entry: &Entry) -> Vec<&'a Next> {
    match does {
        StepKind::Menu(menu) => {
            let mut choices: Vec<_> = menu.choices.iter().collect();
            choices.sort_by(|a, b| b.share_of(contact_type).total_cmp(&a.share_of(contact_type)));
            let taken = choices.iter().filter(|choice| choice.share_of(contact_type) > 0.0);
            taken.map(|choice| &choice.next).chain([&menu.no_choice]).collect()
        }
        StepKind::Routing(routing) => {
            let is_own = |route: &&Route| entry.label.as_ref() == Some(&route.label);
            let own = routing.routes.iter().find(is_own).map(|route| &route.next);
            let routes = routing.routes.iter().map(|route| &route.next);
            own.into_iter().chain([&routing.otherwise]).chain(routes).collect()
        }
        other => other.ways().into_iter().map(|way| way.next).collect(),
    }
}

impl Member {
    fn is_of(&self, team: &Team) -> bool {
        match &self.who {
            Members::Team(id) => team.id == *id,
            Members::Agent(name) => team.agents.iter().any(|agent| agent.name == *name),
        }
    }
}

impl Team {
    fn has_all(&self, wanted: &[WantedSkill]) -> bool {
        wanted.iter().all(|wanted| wanted.is_met_by(&self.skills))
    }
}
