//! Agents who are kept for a campaign's calls while it dials.
//!
//! A number of the campaign's agents are left to it: an inbound contact, or another campaign's call, is offered
//! to one of them only where that number remain who are free or on the campaign's own calls. No particular
//! agents are kept: when one becomes free of other work, another may take an inbound contact.

use crate::compiled::Serves;
use crate::contact::Errand;
use crate::host::Host;
use crate::ids::{AgentId, CampaignId, ContactId, Id, ServicePointId};
use crate::router::Router;

impl<H: Host> Router<'_, H> {
    /// Keeps this number of agents for a campaign's calls from now on. Where fewer are kept than before, the
    /// others take the contacts that wait. Nobody is taken away from a contact.
    pub fn keep_for_campaign(&mut self, campaign: CampaignId, agents: u32) {
        let kept = &mut self.floor.kept;
        let known = kept.iter().position(|(other, _)| *other == campaign);
        let before = known.map_or(0, |at| kept[at].1);
        if agents == before {
            return;
        }
        match known {
            Some(at) if agents == 0 => {
                kept.swap_remove(at);
            }
            Some(at) => kept[at].1 = agents,
            None => kept.push((campaign, agents)),
        }
        if agents < before {
            self.serve_everywhere();
        }
    }

    /// Whether an agent is kept for a campaign and may not be offered this contact.
    #[inline]
    pub(crate) fn is_kept(&self, agent: AgentId, id: ContactId) -> bool {
        !self.floor.kept.is_empty() && self.is_kept_from(agent, id)
    }

    #[cold]
    fn is_kept_from(&self, agent: AgentId, id: ContactId) -> bool {
        let errand = self.floor.contacts[id].errand;
        self.floor.kept.iter().any(|&(campaign, agents)| {
            let Serves::Agents(point) = self.strategy.campaigns[campaign].serves else {
                return false;
            };
            let members = &self.strategy.service_points[point].members;
            let is_member = || members.iter().any(|member| member.agent == agent);
            let others = || {
                let members = members.iter().filter(|member| member.agent != agent);
                members.filter(|member| self.is_left_for(campaign, member.agent)).count()
            };
            errand != Errand::Campaign(campaign)
                && is_member()
                && self.is_left_for(campaign, agent)
                && others() < agents as usize
        })
    }

    /// Whether an agent is free, or on a campaign's call.
    fn is_left_for(&self, campaign: CampaignId, agent: AgentId) -> bool {
        let state = &self.floor.agents[agent];
        let is_its = |id: ContactId| self.floor.contacts[id].errand == Errand::Campaign(campaign);
        match state.ringing {
            Some(id) => is_its(id),
            None if state.held > 0 => self.floor.held_by(agent).any(is_its),
            None => state.is_on_shift,
        }
    }

    /// An agent has become free and found nothing: another one may have become free for inbound contacts.
    #[inline]
    pub(crate) fn let_others_go(&mut self, agent: AgentId) {
        if !self.floor.kept.is_empty() && self.floor.agents[agent].is_idle() {
            self.serve_everywhere();
        }
    }

    #[cold]
    fn serve_everywhere(&mut self) {
        for point in 0..self.floor.service_points.len() {
            self.serve(ServicePointId::at(point));
        }
    }
}
