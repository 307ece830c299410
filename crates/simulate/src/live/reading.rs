//! Reads the present state of a replication.

use barometer_routing::{
    AgentId, ContactId, Errand, Id, Phase, Router, Seconds, ServicePointId, State, StepId, Work,
};

use crate::observers::Observer;
use crate::present::{
    AgentName, Present, PresentAgent, PresentAt, PresentContact, PresentErrand, PresentWork,
};
use crate::simulation::Simulation;

/// The contacts that are told, with their numbers: those under way, without campaigns' calls that no agent
/// has.
pub(super) fn told<O: Observer>(router: &Router<'_, Simulation<'_, O>>) -> Vec<ContactId> {
    let mut told: Vec<ContactId> = router
        .floor
        .contacts
        .numbered()
        .filter(|(_, contact)| match contact.state {
            State::Ended | State::Moving => false,
            State::WithAgent { work, .. } => work != Work::Dialling,
            State::InLine(..) => !matches!(contact.errand, Errand::Campaign(_)),
            State::InStep { .. } | State::Promised { .. } => true,
        })
        .map(|(id, _)| id)
        .collect();
    told.sort_by_key(|&id| {
        let contact = &router.floor.contacts[id];
        (contact.number, contact.is_work())
    });
    told
}

pub(super) fn present<O: Observer>(
    router: &Router<'_, Simulation<'_, O>>,
    answered_at: impl Fn(ContactId) -> Option<Seconds>,
) -> Present {
    let reader = Reader { router };
    let agents = router.floor.agents.ids().filter_map(|agent| reader.agent(agent));
    let contacts = told(router).into_iter().map(|id| reader.contact(id, answered_at(id)));
    Present { at_secs: router.floor.now, agents: agents.collect(), contacts: contacts.collect() }
}

struct Reader<'a, 's, 'm, O> {
    router: &'a Router<'s, Simulation<'m, O>>,
}

impl<O: Observer> Reader<'_, '_, '_, O> {
    fn name(&self, agent: AgentId) -> AgentName {
        let model = self.router.host.model;
        let of = &model.strategy.agents[agent];
        AgentName { team: model.ids.teams[of.team.place()].clone(), name: of.name.clone() }
    }

    fn agent(&self, agent: AgentId) -> Option<PresentAgent> {
        let state = &self.router.floor.agents[agent];
        (state.is_on_shift || state.held > 0).then(|| PresentAgent {
            agent: self.name(agent),
            is_on_shift: state.is_on_shift,
            idle_since_secs: state.idle_since,
            answered_today: state.answered_today,
        })
    }

    /// The id of a queue or hunt group; `None` of a campaign's own.
    fn point(&self, point: ServicePointId) -> Option<String> {
        self.router.host.model.ids.points.get(point.place()).cloned()
    }

    fn step(&self, step: StepId) -> String {
        self.router.host.model.ids.steps.get(step.place()).cloned().unwrap_or_default()
    }

    fn contact(&self, id: ContactId, answered_at: Option<Seconds>) -> PresentContact {
        let model = self.router.host.model;
        let contact = &self.router.floor.contacts[id];
        let customer = &self.router.host.customers[id];
        let kind = contact.contact_type.place();
        let campaign = || model.ids.campaigns.get(kind - model.inbound_types);
        let contact_type = model.names.types.get(kind).or_else(campaign);
        let labels = model.names.labels.iter().enumerate();
        let errand = match contact.errand {
            Errand::Customer => PresentErrand::Customer,
            Errand::HandedOver => PresentErrand::HandedOver,
            Errand::Campaign(_) => PresentErrand::Campaign,
            Errand::Work(step) => PresentErrand::Work { step: self.step(step) },
            Errand::Callback(promised) => {
                let step = model.strategy.steps.numbered().find_map(|(id, step)| match step {
                    barometer_routing::Step::Callback(callback)
                        if *callback == promised.callback =>
                    {
                        Some(id)
                    }
                    _ => None,
                });
                PresentErrand::Callback {
                    step: step.map(|step| self.step(step)).unwrap_or_default(),
                    at_secs: promised.at,
                    attempts: promised.attempts,
                }
            }
        };
        let at = match contact.state {
            State::InLine(stay, phase) => PresentAt::Waiting {
                step: self.point(stay.service_point).unwrap_or_default(),
                joined_secs: stay.joined,
                since_secs: stay.since,
                rings: matches!(phase, Phase::Ringing { .. }),
            },
            State::WithAgent { agent, service_point, joined, work } => {
                let (work, since) = match work {
                    Work::WrappingUp => (PresentWork::WrappingUp, customer.wraps_up_since),
                    Work::CallingBack | Work::Dialling => {
                        (PresentWork::CallingBack, customer.work_since)
                    }
                    Work::Talking => {
                        (PresentWork::Talking, answered_at.unwrap_or(customer.work_since))
                    }
                };
                PresentAt::WithAgent {
                    agent: self.name(agent),
                    step: self.point(service_point),
                    joined_secs: joined,
                    since_secs: since,
                    work,
                }
            }
            State::Promised { .. } => PresentAt::Promised { due_secs: customer.over_at },
            State::InStep { step, .. } => PresentAt::Step { step: self.step(step) },
            State::Moving | State::Ended => PresentAt::Step { step: String::new() },
        };
        PresentContact {
            number: contact.number,
            contact_type: contact_type.cloned().unwrap_or_default(),
            errand,
            labels: labels
                .filter(|(bit, _)| contact.labels & (1 << bit) != 0)
                .map(|(_, label)| label.clone())
                .collect(),
            interval: customer.interval,
            attempt: customer.attempt,
            waiting_since_secs: contact.waiting_since,
            last_agent: contact.last_agent.map(|agent| self.name(agent)),
            at,
        }
    }
}
