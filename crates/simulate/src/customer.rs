//! What the simulation knows of a contact beside what routing knows: who the customer is, and what
//! this customer is going to do.

use barometer_routing::{
    AgentId, ContactId, ContactTypeId, Id, ProfileId, Seconds, Table, TimerToken,
};

use serde::{Deserialize, Serialize};

use crate::draws::Key;

/// The customer, or the work, behind a contact.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct Customer {
    /// Whose draws.
    pub key: Key,
    /// The interval in which the contact arrived.
    pub interval: u32,
    /// Attempts of the customer so far, this one counted.
    pub attempt: u32,
    /// Whether this is the one further contact of a customer who was served.
    pub is_repeat: bool,
    /// Whether a machine has answered a campaign's call: nothing is written up.
    pub is_machine: bool,
    /// Steps with a draw that it has been in, so that each has a draw of its own.
    pub visits: u32,
    /// When patience ends; `None` before it is drawn, infinite when never.
    pub patience_at: Option<Seconds>,
    /// The event at which patience ends.
    #[serde(skip)]
    pub patience: Option<TimerToken>,
    /// The event at which the step, the talk or the wrap-up is over.
    #[serde(skip)]
    pub over: Option<TimerToken>,
    /// When it comes.
    pub over_at: Seconds,
    /// Handling that is left, in seconds of being alone with the agent.
    pub work_left: Seconds,
    /// Since when it goes on at the present pace.
    pub work_since: Seconds,
    /// Since when the agent writes up.
    pub wraps_up_since: Seconds,
}

impl Customer {
    pub fn new(key: Key, interval: u32) -> Self {
        Self {
            key,
            interval,
            attempt: 1,
            is_repeat: false,
            is_machine: false,
            visits: 0,
            patience_at: None,
            patience: None,
            over: None,
            over_at: f64::INFINITY,
            work_left: 0.0,
            work_since: 0.0,
            wraps_up_since: 0.0,
        }
    }
}

/// Customers by the numbers of their contacts.
#[derive(Debug, Default)]
pub(crate) struct Customers(Table<ContactId, Customer>);

impl Customers {
    pub fn clear(&mut self) {
        self.0.clear();
    }

    /// The customer of a contact that has just been admitted.
    pub fn set(&mut self, contact: ContactId, customer: Customer) {
        // Routing gives numbers in order, and ended ones again.
        if contact.place() < self.0.len() {
            self.0[contact] = customer;
        } else {
            self.0.push(customer);
        }
    }
}

impl std::ops::Index<ContactId> for Customers {
    type Output = Customer;
    #[inline]
    fn index(&self, contact: ContactId) -> &Customer {
        &self.0[contact]
    }
}

impl std::ops::IndexMut<ContactId> for Customers {
    #[inline]
    fn index_mut(&mut self, contact: ContactId) -> &mut Customer {
        &mut self.0[contact]
    }
}

/// A customer who will come in again.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct Return {
    pub key: Key,
    pub contact_type: ContactTypeId,
    pub profile: Option<ProfileId>,
    pub attempt: u32,
    pub is_repeat: bool,
    pub last_agent: Option<AgentId>,
}

/// Customers who will come in again, in places that are used again.
#[derive(Debug, Default)]
pub(crate) struct Returns {
    places: Vec<Return>,
    free: Vec<usize>,
}

impl Returns {
    pub fn clear(&mut self) {
        self.places.clear();
        self.free.clear();
    }

    /// Keeps a return; gives its place.
    pub fn keep(&mut self, back: Return) -> usize {
        match self.free.pop() {
            Some(place) => {
                self.places[place] = back;
                place
            }
            None => {
                self.places.push(back);
                self.places.len() - 1
            }
        }
    }

    /// The return at a place that is still to come.
    pub fn at(&self, place: usize) -> &Return {
        &self.places[place]
    }

    pub fn take(&mut self, place: usize) -> Return {
        self.free.push(place);
        self.places[place]
    }
}
