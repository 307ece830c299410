//! Who comes again.

use barometer_dialling::records::share_between;

use super::{ContactOutcome, SingleContact};

/// Seconds within which a further contact counts as coming again.
const WITHIN_SECS: f64 = 86_400.0;

/// How many come again within a day of something.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ReturnEstimate {
    /// Contacts after which a whole day is in the file.
    pub contacts: usize,
    /// Share after which the same customer returned within a day.
    pub share: f64,
    /// Between these it lies in 95 of 100 cases (Wilson 1927).
    pub between: (f64, f64),
    /// Seconds until they do, on average; 0 where nobody does.
    pub after_secs: f64,
}

impl ReturnEstimate {
    /// After contacts that ended so; none where no customer of such a contact is named.
    pub(super) fn of(contacts: &[SingleContact], after: ContactOutcome) -> Option<Self> {
        let last = contacts.iter().map(|each| each.arrived_secs).fold(f64::MIN, f64::max);
        let named = contacts.iter().filter_map(|each| Some((each.customer?, each)));
        let mut named: Vec<(u32, &SingleContact)> = named.collect();
        named.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.arrived_secs.total_cmp(&b.1.arrived_secs)));
        let (mut count, mut again, mut secs) = (0, 0, 0.0);
        for (at, (customer, contact)) in named.iter().enumerate() {
            let ended =
                contact.arrived_secs + contact.waited_secs + contact.handled_secs.unwrap_or(0.0);
            if contact.outcome != after || ended + WITHIN_SECS > last {
                continue;
            }
            count += 1;
            let next = named.get(at + 1).filter(|(other, _)| other == customer);
            let delay = next.map(|(_, next)| (next.arrived_secs - ended).max(0.0));
            if let Some(delay) = delay.filter(|delay| *delay <= WITHIN_SECS) {
                again += 1;
                secs += delay;
            }
        }
        (count > 0).then(|| Self {
            contacts: count,
            share: f64::from(again) / count as f64,
            between: share_between(f64::from(again), count as f64),
            after_secs: secs / f64::from(again.max(1)),
        })
    }
}
