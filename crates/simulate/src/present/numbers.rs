//! A present state in the numbers of a model: what it names and the model does not have is left out or
//! begins again.

use std::collections::HashMap;

use barometer_routing::{
    AgentId, CallbackId, CampaignId, ContactTypeId, Errand, Id, ProfileId, Promised, ResumedAgent,
    ResumedAt, ResumedContact, Seconds, Serves, ServicePointId, Step, StepId, Work,
};

use super::taken::{Taken, TakenAt, TakenContact};
use super::{AgentName, Present, PresentAt, PresentContact, PresentErrand, PresentWork};
use crate::model::Model;

/// Numbers by what things are called.
struct Lookup<'m> {
    model: &'m Model,
    steps: HashMap<&'m str, StepId>,
    points: HashMap<&'m str, ServicePointId>,
    callbacks: HashMap<&'m str, CallbackId>,
    agents: HashMap<(&'m str, &'m str), AgentId>,
}

impl Taken {
    pub fn of(present: &Present, profiles: &[Option<ProfileId>], model: &Model) -> Self {
        let lookup = Lookup::of(model);
        let mut agents: Vec<ResumedAgent> = present
            .agents
            .iter()
            .filter(|agent| agent.is_on_shift)
            .filter_map(|agent| {
                Some(ResumedAgent {
                    agent: lookup.agent(&agent.agent)?,
                    idle_since: agent.idle_since_secs,
                    answered_today: agent.answered_today,
                })
            })
            .collect();
        agents.sort_by(|one, other| {
            one.idle_since.total_cmp(&other.idle_since).then(one.agent.cmp(&other.agent))
        });
        let contacts = present.contacts.iter().enumerate().filter_map(|(place, contact)| {
            let profile = profiles.get(place).copied().flatten();
            lookup.contact(place, contact, profile)
        });
        Self { at: present.at_secs, agents, contacts: contacts.collect() }
    }
}

impl<'m> Lookup<'m> {
    fn of(model: &'m Model) -> Self {
        let ids = &model.ids;
        let steps: HashMap<&str, StepId> = ids
            .steps
            .iter()
            .enumerate()
            .map(|(place, id)| (id.as_str(), StepId::at(place)))
            .collect();
        let callbacks = ids.steps.iter().enumerate().filter_map(|(place, id)| {
            match model.strategy.steps[StepId::at(place)] {
                Step::Callback(callback) => Some((id.as_str(), callback)),
                _ => None,
            }
        });
        let points = ids.points.iter().enumerate();
        let agents =
            model.strategy.agents.numbered().map(|(id, agent)| {
                ((ids.teams[agent.team.place()].as_str(), agent.name.as_str()), id)
            });
        Self {
            steps,
            callbacks: callbacks.collect(),
            points: points.map(|(place, id)| (id.as_str(), ServicePointId::at(place))).collect(),
            agents: agents.collect(),
            model,
        }
    }

    fn agent(&self, name: &AgentName) -> Option<AgentId> {
        self.agents.get(&(name.team.as_str(), name.name.as_str())).copied()
    }

    fn campaign(&self, id: &str) -> Option<CampaignId> {
        let place = self.model.ids.campaigns.iter().position(|campaign| campaign == id)?;
        Some(CampaignId::at(place))
    }

    fn contact_type(&self, contact: &PresentContact) -> Option<ContactTypeId> {
        let mut types = self.model.names.types.iter();
        if contact.errand != PresentErrand::Campaign
            && let Some(place) = types.position(|name| *name == contact.contact_type)
        {
            return Some(ContactTypeId::at(place));
        }
        let campaign = self.campaign(&contact.contact_type)?;
        Some(self.model.strategy.campaigns[campaign].contact_type)
    }

    /// A contact in numbers; `None` where its type, or the agent who has it, is no more.
    fn contact(
        &self,
        place: usize,
        contact: &PresentContact,
        profile: Option<ProfileId>,
    ) -> Option<TakenContact> {
        let contact_type = self.contact_type(contact)?;
        let names = self.model.strategy.labels.iter().enumerate();
        let labels = names.filter(|(_, label)| contact.labels.contains(label));
        let (errand, is_possible) = self.errand(contact)?;
        let (at, since) = self.at(contact, errand)?;
        Some(TakenContact {
            place,
            contact: ResumedContact {
                contact_type,
                profile,
                labels: labels.map(|(bit, _)| 1 << bit).sum(),
                errand,
                last_agent: contact.last_agent.as_ref().and_then(|agent| self.agent(agent)),
                waiting_since: contact.waiting_since_secs,
                number: contact.number,
            },
            at: if is_possible { at } else { TakenAt::Nowhere },
            interval: contact.interval.min(self.model.intervals.saturating_sub(1) as u32),
            attempt: contact.attempt,
            since,
        })
    }

    /// A contact's errand, and whether the strategy can still do it.
    fn errand(&self, contact: &PresentContact) -> Option<(Errand, bool)> {
        Some(match &contact.errand {
            PresentErrand::Customer => (Errand::Customer, true),
            PresentErrand::HandedOver => (Errand::HandedOver, true),
            PresentErrand::Callback { step, at_secs, attempts } => {
                let first = || self.model.strategy.callbacks.ids().next();
                let callback = self.callbacks.get(step.as_str()).copied().or_else(first);
                let promised = |callback| Promised { callback, at: *at_secs, attempts: *attempts };
                match callback {
                    Some(callback) => (Errand::Callback(promised(callback)), true),
                    None => (Errand::Customer, false),
                }
            }
            PresentErrand::Work { step } => {
                let takes_messages = |step: &StepId| {
                    matches!(
                        self.model.strategy.steps[*step],
                        Step::Voicemail { work: Some(_), .. }
                    )
                };
                let same = self.steps.get(step.as_str()).copied().filter(takes_messages);
                let any = || self.model.strategy.steps.ids().find(takes_messages);
                match same.or_else(any) {
                    Some(step) => (Errand::Work(step), true),
                    None => (Errand::Work(StepId::at(0)), false),
                }
            }
            PresentErrand::Campaign => {
                (Errand::Campaign(self.campaign(&contact.contact_type)?), true)
            }
        })
    }

    /// Where a contact goes on, and since when it does what it does there.
    fn at(&self, contact: &PresentContact, errand: Errand) -> Option<(TakenAt, Seconds)> {
        let point = |step: &str| self.points.get(step).copied();
        let at = match &contact.at {
            PresentAt::Step { step } => {
                let step = self.steps.get(step.as_str());
                (step.map_or(ResumedAt::Start, |step| ResumedAt::Step(*step)), 0.0)
            }
            PresentAt::Waiting { step, joined_secs, since_secs, .. } => {
                let waits = |service_point| ResumedAt::Waiting {
                    service_point,
                    joined: *joined_secs,
                    since: *since_secs,
                };
                let other = || self.other_point(errand);
                let at = point(step).or_else(other).map_or(ResumedAt::Start, waits);
                (at, *since_secs)
            }
            PresentAt::WithAgent { agent, step, joined_secs, since_secs, work } => {
                let agent = self.agent(agent)?;
                let service_point = step
                    .as_deref()
                    .and_then(point)
                    .or_else(|| self.own_point(errand))
                    .or_else(|| self.any_point(agent))?;
                let work = match work {
                    PresentWork::CallingBack => Work::CallingBack,
                    PresentWork::Talking => Work::Talking,
                    PresentWork::WrappingUp => Work::WrappingUp,
                };
                let joined = *joined_secs;
                (ResumedAt::WithAgent { agent, service_point, joined, work }, *since_secs)
            }
            PresentAt::Promised { due_secs } => (ResumedAt::Promised { due: *due_secs }, 0.0),
        };
        Some((TakenAt::At(at.0), at.1))
    }

    /// Where a contact that nobody's device is held for waits when its own queue is no more.
    fn other_point(&self, errand: Errand) -> Option<ServicePointId> {
        match errand {
            Errand::Callback(promised) => {
                Some(self.model.strategy.callbacks[promised.callback].service_point)
            }
            Errand::Work(step) => match self.model.strategy.steps[step] {
                Step::Voicemail { work, .. } => work,
                _ => None,
            },
            Errand::Customer | Errand::HandedOver | Errand::Campaign(_) => None,
        }
    }

    fn own_point(&self, errand: Errand) -> Option<ServicePointId> {
        let Errand::Campaign(campaign) = errand else { return None };
        match self.model.strategy.campaigns[campaign].serves {
            Serves::Agents(point) => Some(point),
            Serves::Message(_) => None,
        }
    }

    fn any_point(&self, agent: AgentId) -> Option<ServicePointId> {
        let class = &self.model.strategy.classes[self.model.strategy.agents[agent].class];
        class.memberships.first().map(|membership| membership.service_point)
    }
}
