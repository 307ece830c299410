//! A contact's way through the steps before, between and after lines.

use super::Day;
use super::contact::{Contact, State};
use crate::calendar::{ContactId, Event};
use crate::draws::{Drawn, Key, Purpose};
use crate::event_log::{End, What};
use crate::model::{Does, Go, RuleModel, StepModel, Way, is_within};

/// Told apart from the keys of a customer's further attempts.
const WORK: u64 = 1 << 32;

impl Day<'_> {
    /// Takes a way out of a step.
    pub(super) fn take(&mut self, id: ContactId, way: Way) {
        self.tally.flows[way.flow as usize] += 1.0;
        self.go(id, way.go);
    }

    pub(super) fn go(&mut self, id: ContactId, go: Go) {
        match go {
            Go::Step(step) => self.reach(id, step),
            Go::Release => self.end(id, End::Released),
            Go::BusyTone => self.end(id, End::Blocked),
            // Only lines may keep a contact, and they do so before it comes here.
            Go::KeepRinging => {}
        }
    }

    fn reach(&mut self, id: ContactId, step: u16) {
        self.say(id, What::Reached { step });
        let model = &self.model.steps[usize::from(step)];
        match &model.does {
            Does::Gate { open, when_open, when_closed } => {
                let way = if is_within(open, self.now) { when_open } else { when_closed };
                self.take(id, *way);
            }
            Does::Labelling { rules, next } => {
                for (bit, rule) in rules {
                    if self.is_true(id, rule, *bit) {
                        self.contacts[id as usize].labels |= bit;
                    }
                }
                self.take(id, *next);
            }
            Does::Routing { routes, otherwise } => {
                let labels = self.contacts[id as usize].labels;
                let route = routes.iter().find(|(bit, _)| labels & bit != 0);
                self.take(id, route.map_or(*otherwise, |(_, way)| *way));
            }
            Does::Menu { time, .. } => {
                self.contacts[id as usize].hearings = 1;
                self.stay(id, step, model.key, time);
            }
            Does::Announcement { time, .. } | Does::Assistant { time, .. } => {
                self.stay(id, step, model.key, time);
            }
            Does::Line(line) => self.enter_line(id, *line),
            Does::Callback(callback) => self.offer_callback_step(id, *callback, model.key),
            Does::Voicemail { taken, work } => {
                self.tally.flows[*taken as usize] += 1.0;
                if let Some((line, _)) = work {
                    self.make_work(id, step, *line);
                }
                self.end(id, End::Voicemail);
            }
            Does::Outside { taken } => {
                self.tally.flows[*taken as usize] += 1.0;
                self.end(id, End::Outside);
            }
        }
    }

    fn is_true(&self, id: ContactId, rule: &RuleModel, bit: u64) -> bool {
        let contact = &self.contacts[id as usize];
        match rule {
            RuleModel::Profiles(types) => {
                types[usize::from(contact.kind)][usize::from(contact.profile)]
            }
            RuleModel::Time(stretches) => is_within(stretches, self.now),
            RuleModel::Share(share) => contact.key.uniform(Purpose::LABEL.of(bit)) < *share,
        }
    }

    /// Stays in a step for as long as it takes.
    fn stay(&mut self, id: ContactId, step: u16, key: u64, time: &Drawn) {
        let contact = &mut self.contacts[id as usize];
        contact.visits += 1;
        let purpose = Purpose::TIME_IN_STEP.of(key.wrapping_add(u64::from(contact.visits)));
        contact.due = self.now + time.secs(contact.key, purpose);
        (contact.state, contact.step) = (State::InStep, step);
        self.calendar.plan(contact.due, Event::StepOver, id);
    }

    /// The time in a menu, an announcement or with an assistant is over.
    pub(super) fn leave_step(&mut self, id: ContactId) {
        let contact = &mut self.contacts[id as usize];
        if contact.state != State::InStep || contact.due != self.now {
            return;
        }
        contact.state = State::Moving;
        let step = contact.step;
        let StepModel { key, does } = &self.model.steps[usize::from(step)];
        let drawn = choice(contact, *key);
        match does {
            Does::Menu { time, choices, retries, no_choice } => {
                let chosen = choices.iter().find(|(share, _)| drawn < *share);
                match chosen {
                    Some((_, way)) => self.take(id, *way),
                    None if contact.hearings <= *retries => {
                        contact.hearings += 1;
                        self.stay(id, step, *key, time);
                    }
                    None => self.take(id, *no_choice),
                }
            }
            Does::Announcement { next, .. } => self.take(id, *next),
            Does::Assistant { contained_share, contained, next, .. } => {
                if drawn < *contained_share {
                    self.tally.flows[*contained as usize] += 1.0;
                    self.end(id, End::Contained);
                } else {
                    self.take(id, *next);
                }
            }
            _ => {}
        }
    }

    /// Ends a contact that no agent serves, and lets the customer try again.
    pub(super) fn end(&mut self, id: ContactId, how: End) {
        self.say(id, What::Ended { how });
        let contact = &self.contacts[id as usize];
        if contact.is_work() || contact.is_handed_over {
            return self.forget(id);
        }
        let kind = &self.model.types[usize::from(contact.kind)];
        let tally = self.tally_of(id);
        let again = match how {
            End::Abandoned => {
                tally.abandoned += 1.0;
                kind.after_abandoning.as_ref()
            }
            End::Released => {
                tally.released += 1.0;
                kind.after_blocked.as_ref()
            }
            End::Blocked => {
                tally.blocked += 1.0;
                kind.after_blocked.as_ref()
            }
            End::Voicemail => {
                tally.to_voicemail += 1.0;
                None
            }
            End::Outside => {
                tally.outside += 1.0;
                None
            }
            End::Contained => {
                tally.contained += 1.0;
                None
            }
            End::CallbackFailed => {
                tally.callback_failed += 1.0;
                None
            }
            // Counted when it was answered.
            End::CutOff => None,
        };
        self.may_try_again(id, again);
        self.count_labels(id, |tally| {
            tally.abandoned += f64::from(u8::from(how == End::Abandoned));
        });
        self.forget(id);
    }

    /// Counts a contact for each of its labels.
    pub(super) fn count_labels(
        &mut self,
        id: ContactId,
        count: impl Fn(&mut crate::tally::LabelTally),
    ) {
        let mut labels = self.contacts[id as usize].labels;
        while labels != 0 {
            let tally = &mut self.tally.labels[labels.trailing_zeros() as usize];
            tally.contacts += 1.0;
            count(tally);
            labels &= labels - 1;
        }
    }

    /// A message becomes work in a line.
    fn make_work(&mut self, id: ContactId, step: u16, line: u16) {
        let parent = &self.contacts[id as usize];
        let key: Key = parent.key.of(WORK + u64::from(step));
        let mut work = Contact::new(key, parent.kind, self.interval as u32);
        (work.work_of, work.serial) = (u32::from(step), parent.serial);
        let work = self.admit(work);
        self.join_without_hurry(work, line, self.now);
    }
}

/// What a contact draws at the end of a step, each time anew.
fn choice(contact: &Contact, key: u64) -> f64 {
    contact.key.uniform(Purpose::CHOICE.of(key.wrapping_add(u64::from(contact.visits))))
}
