//! The load that a changing day really puts on the servers, behind and smoother than its arrivals.

use crate::traffic::{QueueError, not_negative, positive};
use crate::transient::Stretch;

/// Busy servers that a stretch would have if there were always a free one, in Erlangs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ModifiedLoad {
    /// Mean over the stretch.
    pub mean_erlangs: f64,
    /// The most in the stretch.
    pub peak_erlangs: f64,
    /// When the stretch ends.
    pub end_erlangs: f64,
}

/// The modified offered load of every stretch of a day that begins with `start_erlangs` busy.
///
/// With arrivals λ(t) and exponential handle times of mean h, m' = λ − m / h: a stretch moves from
/// where it begins towards λ h. Its servers are not used.
///
/// # Errors
///
/// [`QueueError::BadNumber`] for numbers out of range.
///
/// # Source
///
/// Jennings, Mandelbaum, Massey and Whitt, *Server staffing to meet time-varying demand* (1996);
/// Eick, Massey and Whitt, *The physics of the M(t)/G/∞ queue* (1993).
pub fn modified_loads(
    day: &[Stretch],
    start_erlangs: f64,
) -> Result<Vec<ModifiedLoad>, QueueError> {
    let mut now = not_negative("busy servers at the start", start_erlangs)?;
    day.iter()
        .map(|stretch| {
            positive("length of a stretch in seconds", stretch.secs)?;
            positive("handle time in seconds", stretch.handle_secs)?;
            not_negative("contacts per second", stretch.contacts_per_sec)?;
            let settled = stretch.contacts_per_sec * stretch.handle_secs;
            let handles = stretch.secs / stretch.handle_secs;
            // Mean of e^(−t/h) over the stretch.
            let remembered = -(-handles).exp_m1() / handles;
            let end = settled + (now - settled) * (-handles).exp();
            let load = ModifiedLoad {
                mean_erlangs: settled + (now - settled) * remembered,
                peak_erlangs: now.max(end),
                end_erlangs: end,
            };
            now = end;
            Ok(load)
        })
        .collect()
}
