//! What single contacts say of the customers: how long they wait before they abandon, how long they are handled, who
//! comes again.
//!
//! A file has a row for each contact: when it arrived, how long it waited, what became of it. From those who abandoned
//! and those who were answered before they would have follow the patience of all ([`patience`]); from those who were
//! answered the handle times ([`handling`]); from rows that name a customer who comes again ([`returns`]).
//! `docs/methods/patience.md` has the formulas and when they fail.

mod fits;
mod handling;
mod patience;
mod read;
mod returns;

use barometer_strategy::{CustomerHabits, Duration, Repeat, TryAgain};

pub use handling::HandlingEstimate;
pub use patience::{PatienceEstimate, Survival};
pub use returns::ReturnEstimate;

/// What became of a contact.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ContactOutcome {
    /// An agent answered.
    Answered,
    /// The customer hung up while waiting.
    Abandoned,
    /// The busy tone, or released.
    Blocked,
    /// Something else ended the wait: a message, another queue, a callback.
    Left,
}

/// One contact.
#[derive(Clone, Debug, PartialEq)]
pub struct SingleContact {
    /// When it arrived, in seconds since some moment.
    pub arrived_secs: f64,
    /// Where it waited, by place among the queues of the file.
    pub queue: usize,
    /// Seconds that it waited.
    pub waited_secs: f64,
    /// What became of it.
    pub outcome: ContactOutcome,
    /// Seconds that an agent had it, where that is known.
    pub handled_secs: Option<f64>,
    /// Who it was, by place among the customers of the file; none where that is not known.
    pub customer: Option<u32>,
}

/// The contacts of a file.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SingleContacts {
    /// In the order of the file.
    pub contacts: Vec<SingleContact>,
    /// Where they waited; one without a name where the file does not say.
    pub queues: Vec<String>,
    /// Rows of other contact types, which are left out.
    pub others: usize,
}

/// What the contacts say.
#[derive(Clone, Debug, PartialEq)]
pub struct CustomersEstimate {
    /// Patience of all.
    pub patience: PatienceEstimate,
    /// By queue, where there is more than one.
    pub by_queue: Vec<(String, PatienceEstimate)>,
    /// Handle times; none where fewer than two are known.
    pub handling: Option<HandlingEstimate>,
    /// Who calls again after abandoning; none where no customers are named.
    pub after_abandoning: Option<ReturnEstimate>,
    /// Who calls again after the busy tone or a release.
    pub after_blocked: Option<ReturnEstimate>,
    /// Who calls again after having been answered.
    pub after_answer: Option<ReturnEstimate>,
}

impl SingleContacts {
    /// What they say.
    pub fn estimate(&self) -> CustomersEstimate {
        let of_queue = |queue: usize| {
            let contacts = self.contacts.iter().filter(move |contact| contact.queue == queue);
            PatienceEstimate::of(contacts)
        };
        let by_queue = self.queues.iter().enumerate();
        let by_queue = by_queue.map(|(at, name)| (name.clone(), of_queue(at)));
        let returns = |after| ReturnEstimate::of(&self.contacts, after);
        CustomersEstimate {
            patience: PatienceEstimate::of(self.contacts.iter()),
            by_queue: if self.queues.len() > 1 { by_queue.collect() } else { Vec::new() },
            handling: HandlingEstimate::of(
                self.contacts
                    .iter()
                    .filter(|contact| contact.outcome == ContactOutcome::Answered)
                    .filter_map(|contact| contact.handled_secs),
            ),
            after_abandoning: returns(ContactOutcome::Abandoned),
            after_blocked: returns(ContactOutcome::Blocked),
            after_answer: returns(ContactOutcome::Answered),
        }
    }
}

/// Attempts in all of somebody who calls again: nobody is measured to call without end.
const MOST_ATTEMPTS: u32 = 5;

impl CustomersEstimate {
    /// What a contact type can keep of it: how patience and handle times spread, and who calls again.
    pub fn habits(&self) -> CustomerHabits {
        let again = |returns: Option<&ReturnEstimate>, most_attempts| {
            let returns = returns.filter(|returns| returns.share > 0.0)?;
            let after = Duration::exponential(returns.after_secs.max(1.0));
            Some(TryAgain { share: returns.share, after, most_attempts })
        };
        let repeat = again(self.after_answer.as_ref(), None);
        CustomerHabits {
            patience: self.patience.fit.clone(),
            handling: self.handling.as_ref().map(|handling| handling.fit.clone()),
            after_abandoning: again(self.after_abandoning.as_ref(), Some(MOST_ATTEMPTS)),
            after_blocked: again(self.after_blocked.as_ref(), Some(MOST_ATTEMPTS)),
            repeat: repeat.map(|again| Repeat { share: again.share, after: again.after }),
            profiles: Vec::new(),
        }
    }
}
