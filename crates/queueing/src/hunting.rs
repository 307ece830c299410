//! Members hunted from the top: how much of the load each one carries.

use crate::erlang_b::blocking;
use crate::finite_places::FinitePlaces;
use crate::traffic::{QueueError, Traffic};

/// What happens to a contact that finds every member busy.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum WhenAllBusy {
    /// It is refused.
    Refused,
    /// It waits, in a line with `places` (`None`: no limit), for a mean patience (`None`: for ever);
    /// whoever is free first takes the first in line.
    Waits {
        /// Places in the line.
        places: Option<u32>,
        /// Mean patience in seconds.
        patience_secs: Option<f64>,
    },
}

/// Share of time that each of `members` is busy, from the first in the order to the last, when
/// every contact is offered to the first free one from the top.
///
/// # Errors
///
/// As [`FinitePlaces::new`].
///
/// # Source
///
/// The first i members are a loss system of their own, so member i carries a (B(i−1) − B(i))
/// (Erlang; Cooper, *Introduction to Queueing Theory*, 1981, section 3.2). A line changes nothing
/// while nobody waits: an excursion into the line begins and ends with all members busy, so the
/// chain watched outside of it is the loss system again. Hence busy = P(line) + P(no line) × load
/// of the loss system: exact, for any number of members.
pub fn ordered_hunting(
    traffic: Traffic,
    members: u32,
    when_all_busy: WhenAllBusy,
) -> Result<Vec<f64>, QueueError> {
    let load = traffic.offered_erlangs();
    let somebody_waits = match when_all_busy {
        WhenAllBusy::Refused => 0.0,
        WhenAllBusy::Waits { places, patience_secs } => {
            FinitePlaces::new(traffic, members, places, patience_secs)?.somebody_waits()
        }
    };
    let mut refused_before = 1.0;
    Ok((1..=members)
        .map(|member| {
            // a (B(i−1) − B(i)), with i − a (1 − B(i−1)) ≥ 1 so that nothing cancels.
            let i = f64::from(member);
            let spare = i - load * (1.0 - refused_before);
            let carried = load * refused_before * spare / (i + load * refused_before);
            refused_before = blocking(load, member);
            somebody_waits + (1.0 - somebody_waits) * carried
        })
        .collect())
}
