//! Faults of queues, hunt groups and their offers.

use super::Found;
use crate::types::{
    HuntGroup, Members, OfferOrder, Offering, Queue, StepKind, WantedSkill, WhoRings,
};

/// The most places a line may have.
const MOST_PLACES: u32 = 100_000;

impl Found<'_> {
    pub(super) fn queue(&mut self, queue: &Queue) {
        self.places(queue.places);
        self.limit("longest_wait_secs", queue.longest_wait_secs);
        self.limit("ageing_secs", queue.ageing_secs);
        self.limit("last_agent_secs", queue.last_agent_secs);
        self.number("short_number", queue.short_number.as_deref());
        self.recording(queue.recording.as_ref());
        self.offering(&queue.offering);
        self.wanted("need.skills", &queue.need.skills);
        let mut after = 0.0;
        for (at, relaxation) in queue.need.relaxations.iter().enumerate() {
            let field = format!("need.relaxations[{at}]");
            self.secs(&format!("{field}.after_secs"), relaxation.after_secs, 0.0);
            self.ensure(relaxation.after_secs > after, &field, || {
                "must come later than the one before it".to_owned()
            });
            after = relaxation.after_secs;
            self.wanted(&format!("{field}.skills"), &relaxation.skills);
        }
        for (at, told) in queue.announcements.iter().enumerate() {
            let field = format!("announcements[{at}]");
            self.secs(&format!("{field}.at_secs"), told.at_secs, 0.0);
            self.secs(&format!("{field}.secs"), told.secs, 0.0);
            self.share(&format!("{field}.leaving_share"), told.leaving_share);
            let factor = told.patience_factor;
            self.ensure((0.0..=100.0).contains(&factor), &field, || {
                format!("patience_factor must be 0 to 100, got {factor}")
            });
        }
        let in_order = queue.announcements.is_sorted_by(|a, b| a.at_secs <= b.at_secs);
        self.ensure(in_order, "announcements", || "must stand in order of time".to_owned());
        if let Some(offer) = &queue.callback {
            self.secs("callback.after_secs", offer.after_secs, 0.0);
            self.secs("callback.if_expected_wait_secs", offer.if_expected_wait_secs, 0.0);
            self.share("callback.accepted_share", offer.accepted_share);
            let step = self.strategy.step(&offer.step);
            let is_callback = step.is_some_and(|step| matches!(step.does, StepKind::Callback(_)));
            self.ensure(is_callback, "callback.step", || {
                format!("there is no callback step “{}”", offer.step)
            });
        }
    }

    pub(super) fn group(&mut self, group: &HuntGroup) {
        self.places(group.places);
        self.limit("group_limit_secs", group.group_limit_secs);
        self.number("short_number", group.short_number.as_deref());
        self.recording(group.recording.as_ref());
        self.offering(&group.offering);
        self.ensure(!group.members.is_empty(), "members", || "needs a member".to_owned());
        for (at, secs) in group.waves_secs.iter().enumerate() {
            self.secs(&format!("waves_secs[{at}]"), *secs, 0.0);
        }
        let in_order = group.waves_secs.is_sorted();
        self.ensure(in_order, "waves_secs", || "must stand in order of time".to_owned());
        for (at, member) in group.members.iter().enumerate() {
            let field = format!("members[{at}]");
            let teams = &self.strategy.teams;
            let (is_there, who) = match &member.who {
                Members::Team(id) => (teams.iter().any(|team| team.id == *id), id),
                Members::Agent(name) => {
                    let mut agents = teams.iter().flat_map(|team| &team.agents);
                    (agents.any(|agent| agent.name == *name), name)
                }
            };
            self.ensure(is_there, &format!("{field}.who"), || format!("there is no “{who}”"));
            let has_wave = member.wave as usize <= group.waves_secs.len();
            self.ensure(has_wave, &format!("{field}.wave"), || {
                format!("wave {} has no time in waves_secs", member.wave)
            });
        }
        let everyone = group.rings == WhoRings::Everyone;
        let ends = group.offering.ring_window_secs.is_some();
        self.ensure(!everyone || ends, "offering.ring_window_secs", || {
            "is needed where devices ring that nobody answers".to_owned()
        });
    }

    fn places(&mut self, places: Option<u32>) {
        self.ensure(places.is_none_or(|places| places <= MOST_PLACES), "places", || {
            format!("may be up to {MOST_PLACES}; leave it empty for no limit")
        });
    }

    fn offering(&mut self, offering: &Offering) {
        self.limit("offering.ring_window_secs", offering.ring_window_secs);
        self.secs("offering.gap_secs", offering.gap_secs, 0.0);
        self.secs("offering.wrap_up_secs", offering.wrap_up_secs, 0.0);
        let most = offering.most_offers;
        self.ensure(most.is_none_or(|most| most >= 1), "offering.most_offers", || {
            "must be at least 1; leave it empty for no limit".to_owned()
        });
        let ends = offering.ring_window_secs.is_some();
        self.ensure(!offering.second_call || ends, "offering.ring_window_secs", || {
            "is needed where people on a contact are offered a second one".to_owned()
        });
        let devices = offering.most_devices;
        self.ensure(devices.is_none_or(|most| most >= 1), "offering.most_devices", || {
            "must be at least 1; leave it empty for all".to_owned()
        });
        let all = offering.order == OfferOrder::AllAtOnce;
        self.ensure(!(all && offering.second_call), "offering.second_call", || {
            "has no effect where all are offered a contact at once; switch one of them off"
                .to_owned()
        });
        self.ensure(all || devices.is_none(), "offering.most_devices", || {
            "has an effect only where all are offered a contact at once".to_owned()
        });
    }

    fn wanted(&mut self, field: &str, skills: &[WantedSkill]) {
        for (at, wanted) in skills.iter().enumerate() {
            let right = wanted.at_least.is_none_or(|level| (1..=10).contains(&level));
            self.ensure(right, &format!("{field}[{at}].at_least"), || {
                "must be a level from 1 to 10".to_owned()
            });
        }
    }
}
