//! What is offered to a waiting line, and what may be wrong with it.

/// Contacts on their way to a waiting line: how often they come and how long each takes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Traffic {
    offered_erlangs: f64,
    handle_secs: f64,
}

impl Traffic {
    /// Traffic of `contacts` per `interval_secs` that take `handle_secs` each on average.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for a negative or non-finite number of contacts, and for an
    /// interval or a handle time that is not above zero.
    pub fn per_interval(
        contacts: f64,
        interval_secs: f64,
        handle_secs: f64,
    ) -> Result<Self, QueueError> {
        positive("interval in seconds", interval_secs)?;
        positive("handle time in seconds", handle_secs)?;
        not_negative("contacts", contacts)?;
        Self::of_load(contacts * handle_secs / interval_secs, handle_secs)
    }

    /// Traffic of a known offered load in Erlangs.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for a load below zero or a handle time not above zero.
    pub fn of_load(offered_erlangs: f64, handle_secs: f64) -> Result<Self, QueueError> {
        not_negative("offered load in Erlangs", offered_erlangs)?;
        positive("handle time in seconds", handle_secs)?;
        Ok(Self { offered_erlangs, handle_secs })
    }

    /// Offered load in Erlangs: contacts per second times mean handle time in seconds.
    pub fn offered_erlangs(self) -> f64 {
        self.offered_erlangs
    }

    /// Mean handle time in seconds.
    pub fn handle_secs(self) -> f64 {
        self.handle_secs
    }

    /// Contacts per second.
    pub fn contacts_per_sec(self) -> f64 {
        self.offered_erlangs / self.handle_secs
    }
}

/// Why a model has no answer.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum QueueError {
    /// A number outside the range in which the model means anything.
    #[error("{what} must be {wanted}, got {got}")]
    BadNumber {
        /// What the number stands for, with its unit.
        what: &'static str,
        /// The range that would do.
        wanted: &'static str,
        /// What was given.
        got: f64,
    },
    /// Patient callers and too few servers: the line grows without limit.
    #[error(
        "{servers} servers cannot keep up with {erlangs:.2} Erlangs of patient callers; the line needs at least {needed}"
    )]
    Unstable {
        /// Servers given.
        servers: u32,
        /// Offered load.
        erlangs: f64,
        /// The fewest servers with which the line settles.
        needed: u32,
    },
    /// A chain with more states than can be solved in reasonable time.
    #[error("the chain would have {states:.0} states; {advice}")]
    TooLarge {
        /// States that would be needed.
        states: f64,
        /// What to do instead.
        advice: &'static str,
    },
}

/// Numbers smaller than this (but zero) or larger than [`LARGEST`] stand for nothing in a contact
/// centre, and products of them leave what a float can hold.
const SMALLEST: f64 = 1e-50;

const LARGEST: f64 = 1e50;

pub(crate) fn positive(what: &'static str, got: f64) -> Result<f64, QueueError> {
    if (SMALLEST..=LARGEST).contains(&got) {
        return Ok(got);
    }
    let wanted = "a finite number above zero, from 1e-50 to 1e50";
    Err(QueueError::BadNumber { what, wanted, got })
}

pub(crate) fn not_negative(what: &'static str, got: f64) -> Result<f64, QueueError> {
    if got == 0.0 || (SMALLEST..=LARGEST).contains(&got) {
        return Ok(got);
    }
    let wanted = "zero, or a finite number from 1e-50 to 1e50";
    Err(QueueError::BadNumber { what, wanted, got })
}

pub(crate) fn share(what: &'static str, got: f64) -> Result<f64, QueueError> {
    if (0.0..=1.0).contains(&got) {
        return Ok(got);
    }
    Err(QueueError::BadNumber { what, wanted: "a share from 0 to 1", got })
}
