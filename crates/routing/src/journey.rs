//! A contact's way through the steps before, between and after service points.

use crate::compiled::{Destination, Rule, Step, Transition, is_within};
use crate::contact::{Contact, Errand, State};
use crate::host::{CallbackOffered, End, Host, Observation, Reply};
use crate::ids::{ContactId, ServicePointId, StepId};
use crate::profiles::Recognised;
use crate::router::Router;

/// Hearings of an announcement that is told for the number that was called: it leads to the entry's first step, not where
/// the announcement itself leads.
const BEFORE_THE_FIRST_STEP: u32 = 0;

impl<H: Host> Router<'_, H> {
    /// Takes a way out of a step.
    pub(crate) fn take(&mut self, id: ContactId, way: Transition) {
        self.observe(Observation::Took { contact: id, flow: way.flow });
        self.go(id, way.to);
    }

    /// The beginning of a contact's way: busy for a blocked number, after the announcement of its number for others.
    pub(crate) fn begin_way(&mut self, id: ContactId) {
        let strategy = self.strategy;
        let of_type = &strategy.contact_types[self.floor.contacts[id].contact_type];
        if self.recognised(id).is_blocked {
            if let Some((_, flow)) = of_type.blocked {
                self.observe(Observation::Took { contact: id, flow });
            }
            return self.end(id, End::Blocked);
        }
        match of_type.told_first {
            Some((step, flow)) => {
                self.observe(Observation::Took { contact: id, flow });
                self.tell_first(id, step);
            }
            None => self.go(id, of_type.first),
        }
    }

    /// A contact hears the announcement of its number.
    pub(crate) fn tell_first(&mut self, id: ContactId, step: StepId) {
        self.observe(Observation::ReachedStep { contact: id, step });
        self.play(id, step, BEFORE_THE_FIRST_STEP);
    }

    pub(crate) fn recognised(&self, id: ContactId) -> &Recognised {
        let of = &self.floor.contacts[id];
        of.profile.map_or(&self.unknown[of.contact_type], |profile| &self.profiles[profile])
    }

    pub(crate) fn go(&mut self, id: ContactId, to: Destination) {
        match to {
            Destination::Step(step) => self.reach(id, step),
            Destination::Release => self.end(id, End::Released),
            Destination::BusyTone => self.end(id, End::Blocked),
            // Only service points may keep a contact, and they do so before it comes here.
            Destination::KeepRinging => {}
        }
    }

    fn reach(&mut self, id: ContactId, step: StepId) {
        self.observe(Observation::ReachedStep { contact: id, step });
        let strategy = self.strategy;
        match &strategy.steps[step] {
            Step::HoursGate { open, when_open, when_closed } => {
                let is_open = is_within(open, self.floor.now);
                self.take(id, if is_open { *when_open } else { *when_closed });
            }
            Step::Labelling { rules, next } => {
                for (label, rule) in rules {
                    if self.applies(id, rule, *label) {
                        self.floor.contacts[id].labels |= label;
                    }
                }
                self.take(id, *next);
            }
            Step::Routing { routes, otherwise } => {
                let labels = self.floor.contacts[id].labels;
                let route = routes.iter().find(|(label, _)| labels & label != 0);
                self.take(id, route.map_or(*otherwise, |(_, way)| *way));
            }
            Step::Menu { .. } | Step::Announcement { .. } | Step::Assistant { .. } => {
                self.play(id, step, 1);
            }
            Step::ServicePoint(service_point) => self.enter(id, *service_point),
            Step::Callback(callback) => {
                let promise = &strategy.callbacks[*callback];
                let offer = CallbackOffered::AtStep(step, *callback);
                let is_accepted = self.floor.contacts[id].is_customer()
                    && self.host.offer_callback(&self.floor, id, offer) == Reply::Accepted;
                if !is_accepted {
                    return self.take(id, promise.otherwise);
                }
                self.observe(Observation::Took { contact: id, flow: promise.accepted });
                self.promise(id, *callback);
                self.wait_for_callback(id, *callback);
            }
            Step::Voicemail { taken, work } => {
                self.observe(Observation::Took { contact: id, flow: *taken });
                if let Some(service_point) = work {
                    self.make_work(id, step, *service_point);
                }
                self.end(id, End::Voicemail);
            }
            Step::Outside { taken } => {
                self.observe(Observation::Took { contact: id, flow: *taken });
                self.end(id, End::Outside);
            }
        }
    }

    fn applies(&self, id: ContactId, rule: &Rule, label: u64) -> bool {
        match rule {
            Rule::Caller(condition) => self.recognised(id).met[*condition],
            Rule::Time(stretches) => is_within(stretches, self.floor.now),
            Rule::Share(share) => self.host.share_applies(&self.floor, id, label, *share),
        }
    }

    fn play(&mut self, id: ContactId, step: StepId, hearings: u32) {
        self.floor.contacts[id].state = State::InStep { step, hearings };
        self.host.play(&self.floor, id, step);
    }

    /// The step that a contact is in, which it leaves now.
    fn leave_step(&mut self, id: ContactId) -> Option<(StepId, u32)> {
        let State::InStep { step, hearings } = self.floor.contacts[id].state else { return None };
        self.floor.contacts[id].state = State::Moving;
        Some((step, hearings))
    }

    pub(crate) fn leave_menu(&mut self, id: ContactId, choice: Option<usize>) {
        let strategy = self.strategy;
        let Some((step, hearings)) = self.leave_step(id) else { return };
        let Step::Menu { choices, retries, no_choice } = &strategy.steps[step] else { return };
        match choice.and_then(|choice| choices.get(choice)) {
            Some(way) => self.take(id, *way),
            None if hearings <= *retries => self.play(id, step, hearings + 1),
            None => self.take(id, *no_choice),
        }
    }

    pub(crate) fn leave_announcement(&mut self, id: ContactId) {
        let strategy = self.strategy;
        let Some((step, hearings)) = self.leave_step(id) else { return };
        if hearings == BEFORE_THE_FIRST_STEP {
            let first = strategy.contact_types[self.floor.contacts[id].contact_type].first;
            return self.go(id, first);
        }
        if let Step::Announcement { next } = &strategy.steps[step] {
            self.take(id, *next);
        }
    }

    pub(crate) fn leave_assistant(&mut self, id: ContactId, is_contained: bool) {
        let strategy = self.strategy;
        let Some((step, _)) = self.leave_step(id) else { return };
        let Step::Assistant { contained, next } = &strategy.steps[step] else { return };
        if is_contained {
            self.observe(Observation::Took { contact: id, flow: *contained });
            self.end(id, End::Contained);
        } else {
            self.take(id, *next);
        }
    }

    /// Ends a contact that no agent serves to the end.
    pub(crate) fn end(&mut self, id: ContactId, how: End) {
        self.observe(Observation::Ended { contact: id, how });
        self.floor.forget(id);
    }

    /// A message becomes work in a service point.
    fn make_work(&mut self, id: ContactId, step: StepId, service_point: ServicePointId) {
        let message = &self.floor.contacts[id];
        let work = Contact {
            channel: barometer_strategy::Channel::Task,
            profile: None,
            labels: 0,
            errand: Errand::Work(step),
            last_agent: None,
            waiting_since: None,
            state: State::Moving,
            ..*message
        };
        let work = self.floor.admit(work);
        self.host.work_made(&self.floor, id, work);
        self.join(work, service_point, self.floor.now);
    }
}
