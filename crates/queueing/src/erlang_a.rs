//! Erlang A: callers wait until their patience runs out.
//!
//! States are weighed relative to "all servers busy, nobody waiting". With s = n × patience /
//! handle time and c = contacts per second × patience, the state with j waiting weighs
//! c^j / ((s+1) … (s+j)). In these units a caller who waits meets a virtual wait z (in units of
//! mean patience) with density proportional to exp(c (1 − e^−z) − s z).

use crate::bend::bend;
use crate::figures::{Figures, LevelOf};
use crate::finite_places::FinitePlaces;
use crate::outcome::Outcome;
use crate::quadrature::{gauss_legendre, integrate};
use crate::scaled::{Scaled, weight_below_full};
use crate::traffic::{QueueError, Traffic, positive, share};

/// An M/M/n+M line (exponential patience) in its steady state, which always exists.
#[derive(Clone, Copy, Debug)]
pub struct ErlangA {
    traffic: Traffic,
    servers: u32,
    patience_secs: f64,
    /// P(all busy, nobody waiting); zero where it underflows in deep overload.
    just_full: f64,
    wait_probability: f64,
    /// P(some server idle), kept beside its complement so that neither loses digits near zero.
    at_once: f64,
    abandonment: f64,
    busy_servers: f64,
    /// Mean number waiting who will be answered, by Little's law the answered contacts' waiting.
    waiting_to_be_answered: f64,
}

impl ErlangA {
    /// The steady state of `traffic` on `servers` with exponential patience of mean
    /// `patience_secs`.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] when the patience is not a finite number above zero, or when so
    /// many contacts come within one mean patience that the sums would never end.
    ///
    /// # Source
    ///
    /// Palm (1946); Mandelbaum and Zeltyn, *Service engineering in action: the Palm/Erlang-A
    /// queue* (2007).
    pub fn new(traffic: Traffic, servers: u32, patience_secs: f64) -> Result<Self, QueueError> {
        positive("mean patience in seconds", patience_secs)?;
        let c = traffic.contacts_per_sec() * patience_secs;
        if c > MOST_PER_PATIENCE {
            let what = "contacts within one mean patience";
            let wanted = "at most a million million";
            return Err(QueueError::BadNumber { what, wanted, got: c });
        }
        let idle = Self {
            traffic,
            servers,
            patience_secs,
            just_full: 0.0,
            wait_probability: if servers == 0 { 1.0 } else { 0.0 },
            at_once: if servers == 0 { 0.0 } else { 1.0 },
            abandonment: if servers == 0 { 1.0 } else { 0.0 },
            busy_servers: 0.0,
            waiting_to_be_answered: 0.0,
        };
        if c == 0.0 || servers == 0 {
            return Ok(idle);
        }
        let line = WeightOfLine::new(traffic, servers, patience_secs);
        let below = if line.first_state > 0.0 {
            Scaled { mantissa: 0.0, steps: 0 }
        } else {
            weight_below_full(traffic.offered_erlangs(), servers)
        };
        let steps = line.steps.max(below.steps);
        let at = |mantissa| Scaled { mantissa, steps: line.steps }.relative_to(steps);
        let (full, below) = (at(line.all), below.relative_to(steps));
        let total = below + full;
        let just_full = at(line.just_full) / total;
        // By balance, k busy servers are as likely as k − 1 times a/k: below full the mean number
        // busy is a P(not all busy); no term is subtracted from one of its own size.
        let busy_servers = traffic.offered_erlangs() * (below / total)
            + f64::from(servers) * (full / total - just_full);
        Ok(Self {
            just_full,
            busy_servers,
            wait_probability: full / total,
            at_once: below / total,
            abandonment: at(line.waiting) / total / c,
            waiting_to_be_answered: at(line.waiting_to_be_answered) / total,
            ..idle
        })
    }

    /// Probability that a caller finds every server busy and waits, 0..=1.
    pub fn wait_probability(&self) -> f64 {
        self.wait_probability
    }

    /// Share of offered contacts that abandon, 0..=1.
    pub fn abandonment(&self) -> f64 {
        self.abandonment
    }

    /// Mean wait of the answered, in seconds (ASA); zero when nobody is answered.
    pub fn answer_secs(&self) -> f64 {
        let answered_per_sec = self.busy_servers / self.traffic.handle_secs();
        if answered_per_sec > 0.0 { self.waiting_to_be_answered / answered_per_sec } else { 0.0 }
    }

    /// Mean wait of everybody, answered or not, in seconds.
    pub fn mean_wait_secs(&self) -> f64 {
        self.abandonment * self.patience_secs
    }

    /// Share of the servers' time spent on contacts.
    pub fn occupancy(&self) -> f64 {
        if self.servers == 0 {
            return 0.0;
        }
        self.busy_servers / f64::from(self.servers)
    }

    /// Share of offered contacts that are answered within `within_secs`.
    ///
    /// # Source
    ///
    /// Zeltyn and Mandelbaum, *Call centers with impatient customers: many-server asymptotics of
    /// the M/M/n+G queue* (2005), section 2: the density of the virtual wait.
    pub fn service_level(&self, within_secs: f64) -> f64 {
        let until = within_secs.clamp(0.0, 1e50) / self.patience_secs;
        if self.servers == 0 || self.traffic.offered_erlangs() == 0.0 {
            return if self.servers == 0 { 0.0 } else { 1.0 };
        }
        let waits = Waits::new(self.traffic, self.servers, self.patience_secs);
        let waited = if waits.peak_height() <= LOW_PEAK {
            self.just_full * waits.served * waits.answered_weight(until)
        } else {
            self.wait_probability * waits.answered_share_in_overload(until)
        };
        self.at_once + waited
    }

    /// The wait in seconds that the share `of_answered` of those who are answered does not exceed: 0 where as many are
    /// answered at once, infinite where nobody is answered, and for all of them where anybody waits.
    ///
    /// Found by halving [`service_level`](Self::service_level), which grows with the time, to ten digits.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for a share outside 0..=1.
    pub fn wait_percentile_secs(&self, of_answered: f64) -> Result<f64, QueueError> {
        share("share of those who are answered", of_answered)?;
        let answered = self.service_level(f64::INFINITY);
        if answered <= 0.0 {
            return Ok(f64::INFINITY);
        }
        let wanted = of_answered * answered;
        if self.service_level(0.0) >= wanted {
            return Ok(0.0);
        }
        if of_answered >= 1.0 {
            return Ok(f64::INFINITY);
        }
        let (mut low, mut high) = (0.0, self.traffic.handle_secs().min(self.patience_secs));
        while self.service_level(high) < wanted {
            (low, high) = (high, 2.0 * high);
        }
        while high - low > 1e-10 * high {
            let middle = f64::midpoint(low, high);
            if self.service_level(middle) < wanted {
                low = middle;
            } else {
                high = middle;
            }
        }
        Ok(high)
    }

    /// What contacts meet, with the waits of the answered and of those who abandon.
    ///
    /// # Errors
    ///
    /// [`QueueError::TooLarge`] when over 200 million contacts may wait.
    pub fn figures(&self) -> Result<Figures, QueueError> {
        Ok(self.as_finite_places()?.figures())
    }

    /// Service level within `within_secs` under a definition; of the offered it is
    /// [`service_level`](Self::service_level).
    ///
    /// # Errors
    ///
    /// As [`figures`](Self::figures).
    pub fn service_level_of(&self, within_secs: f64, of: LevelOf) -> Result<f64, QueueError> {
        match of {
            LevelOf::Offered => Ok(self.service_level(within_secs)),
            LevelOf::Answered => {
                let answered = if self.traffic.offered_erlangs() == 0.0 {
                    1.0 - self.abandonment
                } else {
                    self.busy_servers / self.traffic.offered_erlangs()
                };
                Ok(of.level(self.service_level(within_secs), answered, |_| 0.0))
            }
            of => Ok(self.as_finite_places()?.service_level(within_secs, of)),
        }
    }

    /// Share of the offered that abandons within `secs`.
    ///
    /// # Errors
    ///
    /// As [`figures`](Self::figures).
    pub fn abandoned_within(&self, secs: f64) -> Result<f64, QueueError> {
        Ok(self.as_finite_places()?.abandoned_within(secs))
    }

    fn as_finite_places(&self) -> Result<FinitePlaces, QueueError> {
        FinitePlaces::new(self.traffic, self.servers, None, Some(self.patience_secs))
    }

    /// Everything at once.
    pub fn outcome(&self, within_secs: f64) -> Outcome {
        Outcome {
            service_level: self.service_level(within_secs),
            abandonment: self.abandonment,
            answer_secs: self.answer_secs(),
            occupancy: self.occupancy(),
            wait_probability: self.wait_probability,
        }
    }
}

/// Above this many contacts within one mean patience the sums have over ten million terms.
const MOST_PER_PATIENCE: f64 = 1e12;

/// Sums over the states in which all servers are busy, in units of the first that matters.
struct WeightOfLine {
    /// Waiting contacts in the first state that matters; above zero only in an overload so deep
    /// that fewer are never seen (their weight is below e^-70 of the peak).
    first_state: f64,
    all: f64,
    just_full: f64,
    waiting: f64,
    waiting_to_be_answered: f64,
    steps: u32,
}

impl WeightOfLine {
    fn new(traffic: Traffic, servers: u32, patience_secs: f64) -> Self {
        let (a, n) = (traffic.offered_erlangs(), f64::from(servers));
        // With j waiting, contacts leave at the rate of n + j × handle time / patience servers. In
        // these units the rounding of the inputs is no larger than their own; in units of patience
        // it would grow with every state (4e-14 at ten thousand servers).
        let impatience = traffic.handle_secs() / patience_secs;
        // The weights peak at `peak` waiting and are Poisson-like around it.
        let (peak, variance) = ((a - n) / impatience, a / impatience);
        let first_state = (peak - 12.0 * variance.sqrt()).floor().max(0.0);
        let mut in_line = first_state;
        // Of those in line, the i-th is answered with probability n / (n + i × impatience).
        let s = n / impatience;
        let mut answered_of_line = s * harmonic(s, in_line);
        // [weight of the state, just full, all, waiting, waiting who will be answered]
        let just_full = if first_state > 0.0 { 0.0 } else { 1.0 };
        let mut terms = [1.0, just_full, 1.0, in_line, answered_of_line];
        let mut steps = 0;
        loop {
            in_line += 1.0;
            let leaving = n + in_line * impatience;
            answered_of_line += n / leaving;
            let [weight, _, all, waiting, to_be_answered] = &mut terms;
            *weight *= a / leaving;
            *all += *weight;
            *waiting += *weight * in_line;
            *to_be_answered += *weight * answered_of_line;
            if leaving > a && *weight * in_line < *waiting * (f64::EPSILON / 64.0) {
                break;
            }
            Scaled::keep_in_range(&mut terms, &mut steps);
        }
        let [_, just_full, all, waiting, waiting_to_be_answered] = terms;
        Self { first_state, all, just_full, waiting, waiting_to_be_answered, steps }
    }
}

/// 1/(s+1) + … + 1/(s+n).
fn harmonic(s: f64, n: f64) -> f64 {
    // Eight terms by hand, the rest by Euler and Maclaurin: exact to rounding from 8 on.
    let (mut sum, mut from) = (0.0, s + 1.0);
    let end = s + n;
    while from <= end && from < s + 9.0 {
        sum += 1.0 / from;
        from += 1.0;
    }
    if from > end {
        return sum;
    }
    let tail = |x: f64| {
        let square = 1.0 / (x * x);
        square * (1.0 / 12.0 - square * (1.0 / 120.0 - square * (1.0 / 252.0 - square / 240.0)))
    };
    sum + (end / from).ln() + 0.5 * (1.0 / from + 1.0 / end) + tail(from) - tail(end)
}

/// Up to this exponent the density of waits may be taken relative to the state "just full": its
/// rounding is this many units in the last place. Above it the density is taken from its peak.
const LOW_PEAK: f64 = 20.0;

/// Densities below e^-50 of the peak are less than rounding.
const NEGLIGIBLE: f64 = 50.0;

/// The density of virtual waits, time in units of mean patience.
struct Waits {
    /// c: contacts that come in one mean patience.
    coming: f64,
    /// s: contacts that all servers together finish in one mean patience.
    served: f64,
    /// c − s, taken before both are scaled up so that no digits cancel.
    excess: f64,
    /// ln(c/s).
    log_ratio: f64,
}

impl Waits {
    fn new(traffic: Traffic, servers: u32, patience_secs: f64) -> Self {
        let (a, n) = (traffic.offered_erlangs(), f64::from(servers));
        let handles_in_patience = patience_secs / traffic.handle_secs();
        Self {
            coming: a * handles_in_patience,
            served: n * handles_in_patience,
            excess: (a - n) * handles_in_patience,
            log_ratio: (a / n).ln(),
        }
    }

    /// The largest exponent of the density: c − s − s ln(c/s) in overload, else 0.
    fn peak_height(&self) -> f64 {
        if self.excess <= 0.0 { 0.0 } else { self.served * bend(-self.log_ratio) }
    }

    /// ∫ over 0..`until` of exp(c (1 − e^−z) − (s + 1) z): the weight of those who are still there
    /// when their turn comes.
    fn answered_weight(&self, until: f64) -> f64 {
        let slope = self.excess - 1.0;
        let density = |z: f64| (slope * z - self.coming * bend(z)).exp();
        // A range in which the exponent changes by less than 8 needs no halving to be exact.
        let change = slope.abs() * until + self.coming * bend(until);
        if change < 8.0 {
            return gauss_legendre(&density, 0.0, until);
        }
        // Beyond `end` even the slowest falling density is negligible.
        let end = until.min(farthest(self.served + 1.0) + self.log_ratio.max(0.0));
        let peak =
            if slope > 0.0 { (self.coming / (self.served + 1.0)).ln().min(end) } else { 0.0 };
        integrate(&density, 0.0, peak) + integrate(&density, peak, end)
    }

    /// Of those who wait, the share answered within `until`, for c well above s: the density is
    /// taken around its peak at z = ln(c/s), where it is exp(−s (e^−y − 1 + y)), y = z − ln(c/s).
    fn answered_share_in_overload(&self, until: f64) -> f64 {
        let (s, peak) = (self.served, self.log_ratio);
        let start = (peak - (2.0 * NEGLIGIBLE / s).sqrt()).max(0.0);
        let end = peak + farthest(s);
        let density = |z: f64| (-s * bend(z - peak)).exp();
        let answered = |z: f64| density(z) * (-z).exp();
        let waits = integrate(&density, start, peak) + integrate(&density, peak, end);
        // Low service levels live left of `start`: there the whole range counts.
        let until = until.min(end);
        let from = if until < peak { 0.0 } else { start.min(until) };
        let split = peak.clamp(from, until);
        (integrate(&answered, from, split) + integrate(&answered, split, until)) / waits
    }
}

/// A distance at which s (e^−y − 1 + y) has surely passed [`NEGLIGIBLE`].
fn farthest(s: f64) -> f64 {
    let quadratic = (3.0 * NEGLIGIBLE / s).sqrt();
    if quadratic <= 1.0 { quadratic } else { NEGLIGIBLE / s + 1.0 }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn harmonic_sums_match_term_by_term() {
        for (s, n) in [(0.3, 0_u32), (0.3, 5), (0.3, 5000), (4000.0, 20_000), (1e6, 100)] {
            let slow: f64 = (1..=n).map(|i| 1.0 / (s + f64::from(i))).sum();
            let fast = harmonic(s, f64::from(n));
            assert!((fast - slow).abs() <= 1e-11 * slow.max(1e-300), "{s} {n}: {fast} {slow}");
        }
    }
}
