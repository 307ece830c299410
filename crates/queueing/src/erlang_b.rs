//! Erlang B: callers who find every server busy are refused, and may try again.

use crate::scaled::weight_below_full;
use crate::traffic::{QueueError, not_negative, share};

/// Probability that a call finds all `servers` busy and is refused, 0..=1.
///
/// Holds for Poisson arrivals and any handle-time distribution with the same mean.
///
/// # Errors
///
/// [`QueueError::BadNumber`] when the load is negative or not finite.
///
/// # Source
///
/// Erlang (1917); the sum is 1/B = Σ n!/((n−k)! a^k), Jagerman, *Some properties of the Erlang
/// loss function*, BSTJ 53 (1974).
pub fn erlang_b(offered_erlangs: f64, servers: u32) -> Result<f64, QueueError> {
    not_negative("offered load in Erlangs", offered_erlangs)?;
    Ok(blocking(offered_erlangs, servers))
}

/// The fewest servers that refuse at most `blocking` of the calls.
///
/// # Errors
///
/// [`QueueError::BadNumber`] for a bad load, a blocking outside 0..=1, a blocking of 0 for some load
/// (no number of lines is enough), or a load above ten million Erlangs.
pub fn lines_for_blocking(offered_erlangs: f64, blocking: f64) -> Result<u32, QueueError> {
    let load = not_negative("offered load in Erlangs", offered_erlangs)?;
    share("blocking", blocking)?;
    if load > MOST_ERLANGS {
        let (what, wanted) = ("offered load in Erlangs", "at most ten million");
        return Err(QueueError::BadNumber { what, wanted, got: load });
    }
    if load == 0.0 {
        return Ok(if blocking < 1.0 { 1 } else { 0 });
    }
    if blocking == 0.0 {
        let (what, wanted) = ("blocking", "above 0");
        return Err(QueueError::BadNumber { what, wanted, got: blocking });
    }
    // 1/B grows with every server by the textbook recursion, whose terms are all positive.
    let (mut lines, mut reciprocal) = (0u32, 1.0f64);
    while reciprocal * blocking < 1.0 {
        lines += 1;
        reciprocal = 1.0 + f64::from(lines) / load * reciprocal;
    }
    // The recursion's rounding may be off by one where the blocking hits the target exactly.
    while lines > 0 && self::blocking(load, lines - 1) <= blocking {
        lines -= 1;
    }
    while self::blocking(load, lines) > blocking {
        lines += 1;
    }
    Ok(lines)
}

/// The largest load in Erlangs of which `servers` refuse at most `blocking`.
///
/// # Errors
///
/// [`QueueError::BadNumber`] for a blocking that is not above 0 and below 1, and for no servers.
pub fn load_for_blocking(servers: u32, blocking: f64) -> Result<f64, QueueError> {
    share("blocking", blocking)?;
    if blocking == 0.0 || blocking == 1.0 {
        let (what, wanted) = ("blocking", "above 0 and below 1");
        return Err(QueueError::BadNumber { what, wanted, got: blocking });
    }
    if servers == 0 {
        let (what, wanted) = ("servers", "at least 1");
        return Err(QueueError::BadNumber { what, wanted, got: 0.0 });
    }
    let n = f64::from(servers);
    // The weight below full falls in the load; its logarithm is solved for in ln(load), where it
    // is nearly straight at both ends: ln((1−b)/b) is exact for blockings near 0 and near 1.
    let wanted = ((1.0 - blocking) / blocking).ln();
    let (mut low, mut high) = (f64::MIN_POSITIVE.ln(), (n / (1.0 - blocking)).ln() + 1.0);
    let mut at =
        (n * (1.0 - (-blocking * 2.0 - 1.0 / n).exp())).max(1e-3 * n).ln().clamp(low, high);
    for _ in 0..200 {
        let weight = weight_below_full(at.exp(), servers).value();
        let off = weight.ln() - wanted;
        if off == 0.0 {
            break;
        }
        if off > 0.0 {
            low = at
        } else {
            high = at
        }
        let refused = 1.0 / (1.0 + weight);
        let slope = -(n - at.exp() * (1.0 - refused)) / (1.0 - refused);
        let newton = at - off / slope;
        let next = if newton.is_finite() && newton > low && newton < high {
            newton
        } else {
            0.5 * (low + high)
        };
        if (next - at).abs() <= f64::EPSILON * at.abs().max(1.0) {
            at = next;
            break;
        }
        at = next;
    }
    Ok(at.exp())
}

/// Refused callers who try again: what the lines meet when all the tries are counted.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Redialled {
    /// Load of first tries and repeats together, in Erlangs.
    pub total_erlangs: f64,
    /// Probability that a try is refused.
    pub blocking: f64,
    /// Share of callers who are never served: refused, and do not try again.
    pub lost: f64,
    /// Mean number of tries per caller.
    pub tries: f64,
    /// Mean number of busy lines.
    pub carried_erlangs: f64,
}

/// Extended Erlang B: of the refused, the share `redial` tries again, late enough that the repeats
/// are as random as first tries.
///
/// # Errors
///
/// [`QueueError::BadNumber`] for numbers out of range; [`QueueError::Unstable`] when everybody
/// redials (`redial` = 1) and the load is not below the lines.
///
/// # Source
///
/// The fixed point E = a + r B(E) E; Jewett, Shrago and Yomtov, *Designing optimal voice networks*
/// (1980). The carried load E (1 − B) grows with E, so the solution is unique.
pub fn erlang_b_with_redial(
    offered_erlangs: f64,
    servers: u32,
    redial: f64,
) -> Result<Redialled, QueueError> {
    let load = not_negative("offered load in Erlangs", offered_erlangs)?;
    share("share that redials", redial)?;
    let n = f64::from(servers);
    if redial == 1.0 && load >= n && load > 0.0 {
        let needed = (load.floor() as u32).saturating_add(1);
        return Err(QueueError::Unstable { servers, erlangs: load, needed });
    }
    if load == 0.0 {
        let blocking = blocking(0.0, servers);
        let tries = if redial * blocking < 1.0 { 1.0 / (1.0 - redial * blocking) } else { 1.0 };
        let lost = if servers == 0 { 1.0 } else { 0.0 };
        return Ok(Redialled { total_erlangs: 0.0, blocking, lost, tries, carried_erlangs: 0.0 });
    }
    let first_tries = |total: f64| {
        let below = weight_below_full(total, servers).value();
        // 1 − r B without losing the digits of either where B is near 1.
        let refused = 1.0 / (1.0 + below);
        let taken = 1.0 / (1.0 + 1.0 / below);
        (total * (taken + (1.0 - redial) * refused), refused, taken)
    };
    let (mut low, mut high) = (load, load * 2.0 + 1.0);
    while first_tries(high).0 < load {
        (low, high) = (high, high * 2.0);
    }
    let mut total = load;
    for _ in 0..300 {
        let (got, refused, taken) = first_tries(total);
        let off = got - load;
        if off == 0.0 {
            break;
        }
        if off > 0.0 {
            high = total
        } else {
            low = total
        }
        let carried_slope = taken - refused * (n - total * taken);
        let slope = redial * carried_slope + (1.0 - redial);
        let newton = total - off / slope;
        let next = if newton.is_finite() && newton > low && newton < high {
            newton
        } else {
            0.5 * (low + high)
        };
        if (next - total).abs() <= f64::EPSILON * total {
            total = next;
            break;
        }
        total = next;
    }
    let (_, refused, taken) = first_tries(total);
    Ok(Redialled {
        total_erlangs: total,
        blocking: refused,
        lost: (1.0 - redial) * refused * total / load,
        tries: total / load,
        carried_erlangs: total * taken,
    })
}

/// Loads above this would take the recursion longer than anybody waits.
const MOST_ERLANGS: f64 = 1e7;

/// Erlang B of a load known to be zero or more.
pub(crate) fn blocking(load: f64, servers: u32) -> f64 {
    if load == 0.0 {
        return if servers == 0 { 1.0 } else { 0.0 };
    }
    1.0 / (1.0 + weight_below_full(load, servers).value())
}
