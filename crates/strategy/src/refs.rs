//! What in a strategy refers to something else in it, to be looked at or changed in one place.

use crate::types::{Exits, Members, Next, ServedBy, Step, StepKind, Strategy, Team};

/// A reference from one part to another.
pub(crate) enum Ref<'a> {
    /// Where contacts go next.
    Way(&'a mut Next),
    /// A way that may be closed: none where contacts stay.
    MayBeClosed(&'a mut Option<Next>),
    /// The line of which a callback or a message becomes work.
    Line(&'a mut String),
    /// The callback that a queue offers.
    Offer(&'a mut String),
    /// The team that is a member.
    Member(&'a mut String),
}

impl StepKind {
    /// Everything that this step refers to.
    pub(crate) fn refs_mut(&mut self) -> Vec<Ref<'_>> {
        match self {
            Self::HoursGate(gate) => vec![Ref::Way(&mut gate.open), Ref::Way(&mut gate.closed)],
            Self::Menu(menu) => {
                let choices = menu.choices.iter_mut().map(|choice| Ref::Way(&mut choice.next));
                choices.chain([Ref::Way(&mut menu.no_choice)]).collect()
            }
            Self::Labelling(labelling) => vec![Ref::Way(&mut labelling.next)],
            Self::Routing(routing) => {
                let routes = routing.routes.iter_mut().map(|route| Ref::Way(&mut route.next));
                routes.chain([Ref::Way(&mut routing.otherwise)]).collect()
            }
            Self::Announcement(told) => vec![Ref::Way(&mut told.next)],
            Self::Assistant(assistant) => vec![Ref::Way(&mut assistant.next)],
            Self::Queue(queue) => {
                let offer = queue.callback.iter_mut().map(|offer| Ref::Offer(&mut offer.step));
                exits_mut(&mut queue.exits).into_iter().chain(offer).collect()
            }
            Self::HuntGroup(group) => {
                let members = group.members.iter_mut().filter_map(|member| match &mut member.who {
                    Members::Team(team) => Some(Ref::Member(team)),
                    Members::Agent(_) => None,
                });
                exits_mut(&mut group.exits).into_iter().chain(members).collect()
            }
            Self::Callback(callback) => {
                vec![Ref::Way(&mut callback.otherwise), Ref::Line(&mut callback.line)]
            }
            Self::Voicemail(voicemail) => {
                voicemail.work.iter_mut().map(|work| Ref::Line(&mut work.line)).collect()
            }
            Self::Outside(_) => Vec::new(),
        }
    }
}

fn exits_mut(exits: &mut Exits) -> Vec<Ref<'_>> {
    let Exits { full, too_long, no_staff_at_arrival, no_staff_while_waiting, no_answer } = exits;
    vec![
        Ref::Way(full),
        Ref::Way(too_long),
        Ref::MayBeClosed(no_staff_at_arrival),
        Ref::MayBeClosed(no_staff_while_waiting),
        Ref::Way(no_answer),
    ]
}

impl Step {
    /// Gives this step, and all that it refers to, other ids.
    pub(crate) fn rename(&mut self, renamed: &impl Fn(&str) -> String) {
        self.id = renamed(&self.id);
        for found in self.does.refs_mut() {
            match found {
                Ref::Way(Next::Step(id)) | Ref::MayBeClosed(Some(Next::Step(id))) => {
                    *id = renamed(id);
                }
                Ref::Way(_) | Ref::MayBeClosed(_) => {}
                Ref::Line(id) | Ref::Offer(id) | Ref::Member(id) => *id = renamed(id),
            }
        }
    }
}

impl Team {
    /// Changes what each rank of the team and of its agents is for; a rank whose line is gone goes, too.
    pub(crate) fn rename_ranks(&mut self, renamed: &impl Fn(&str) -> Option<String>) {
        let own = self.agents.iter_mut().map(|agent| &mut agent.ranks);
        for ranks in std::iter::once(&mut self.ranks).chain(own) {
            let kept = std::mem::take(ranks).into_iter();
            *ranks = kept.filter_map(|(line, rank)| Some((renamed(&line)?, rank))).collect();
        }
    }
}

impl Strategy {
    /// Gives a step, a team, a campaign or a range of numbers another id, wherever it is referred to.
    pub(crate) fn rename_id(&mut self, from: &str, to: &str) {
        let renamed = |id: &str| if id == from { to.to_owned() } else { id.to_owned() };
        for entry in &mut self.entries {
            if let Next::Step(id) = &mut entry.first {
                *id = renamed(id);
            }
            if let Some(id) = &mut entry.announcement {
                *id = renamed(id);
            }
        }
        self.steps.iter_mut().for_each(|step| step.rename(&renamed));
        for team in &mut self.teams {
            team.id = renamed(&team.id);
            team.rename_ranks(&|line| Some(renamed(line)));
        }
        for campaign in &mut self.campaigns {
            let (ServedBy::Team(id) | ServedBy::Line(id) | ServedBy::Message(id)) =
                &mut campaign.served_by;
            *id = renamed(id);
            campaign.id = renamed(&campaign.id);
        }
        for range in &mut self.number_ranges {
            range.id = renamed(&range.id);
        }
    }

    /// Lets every way that leads to a step lead elsewhere, and says how many there were.
    pub(crate) fn lead_elsewhere(&mut self, from: &str, to: &Next) -> usize {
        let is_meant = |next: &Next| matches!(next, Next::Step(id) if id == from);
        let mut led = 0;
        let mut lead = |next: &mut Next| {
            if is_meant(next) {
                next.clone_from(to);
                led += 1;
            }
        };
        self.entries.iter_mut().for_each(|entry| lead(&mut entry.first));
        for found in self.steps.iter_mut().flat_map(|step| step.does.refs_mut()) {
            match found {
                Ref::Way(next) | Ref::MayBeClosed(Some(next)) => lead(next),
                Ref::MayBeClosed(None) | Ref::Line(_) | Ref::Offer(_) | Ref::Member(_) => {}
            }
        }
        led
    }
}
