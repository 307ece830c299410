//! A line whose callers have any distribution of patience.

use crate::figures::{Figures, LevelOf};
use crate::patience::Patience;
use crate::quadrature::integrate_between;
use crate::scaled::{Scaled, weight_below_full};
use crate::traffic::{QueueError, Traffic};

/// M/M/n+G in its steady state: Poisson arrivals, exponential handle times, any patience.
///
/// No approximation: with exponential handle times the virtual wait x has the density
/// λ π exp(λ E min(R, x) − n μ x), π = P(n − 1 busy), for every distribution of the patience R.
#[derive(Clone, Copy, Debug)]
pub struct GeneralPatience {
    arrivals: f64,
    departures: f64,
    servers: u32,
    patience: Patience,
    at_once: f64,
    /// ln of the weight of all states, in units in which the density begins at `arrivals`.
    ln_total: f64,
    figures: Figures,
}

impl GeneralPatience {
    /// The steady state of `traffic` on `servers` with this patience; it always exists.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for a parameter of the patience that is out of range.
    ///
    /// # Source
    ///
    /// Baccelli and Hebuterne, *On queues with impatient customers* (1981); Zeltyn and Mandelbaum,
    /// *Call centers with impatient customers: many-server asymptotics of the M/M/n+G queue*
    /// (2005), section 2.
    pub fn new(traffic: Traffic, servers: u32, patience: Patience) -> Result<Self, QueueError> {
        let patience = patience.check()?;
        let arrivals = traffic.contacts_per_sec();
        let departures = f64::from(servers) / traffic.handle_secs();
        let mut line = Self {
            arrivals,
            departures,
            servers,
            patience,
            at_once: if servers == 0 { 0.0 } else { 1.0 },
            ln_total: f64::INFINITY,
            figures: Figures {
                blocked: 0.0,
                wait_probability: if servers == 0 { 1.0 } else { 0.0 },
                answered: if servers == 0 { 0.0 } else { 1.0 },
                abandonment: if servers == 0 { 1.0 } else { 0.0 },
                answer_secs: 0.0,
                abandon_secs: if servers == 0 { patience.mean_secs() } else { 0.0 },
                mean_wait_secs: if servers == 0 { patience.mean_secs() } else { 0.0 },
                mean_waiting: if servers == 0 { arrivals * patience.mean_secs() } else { 0.0 },
                occupancy: 0.0,
            },
        };
        if arrivals == 0.0 || servers == 0 {
            return Ok(line);
        }
        // In units of the state with n − 1 busy: 1 + (n−1)/a + (n−1)(n−2)/a² + …
        let below = weight_below_full(traffic.offered_erlangs(), servers - 1);
        let below =
            Scaled { mantissa: below.mantissa + Scaled::ONE.relative_to(below.steps), ..below };
        let ln_below = below.mantissa.ln() + f64::from(below.steps) * Scaled::LN_STEP;
        let everything = line.integrals(0.0, f64::INFINITY, 0.0);
        let ln_waits = everything.ln_scale + everything.all.ln();
        let top = ln_below.max(ln_waits);
        let (weight_below, weight_waits) = ((ln_below - top).exp(), (ln_waits - top).exp());
        let total = weight_below + weight_waits;
        line.ln_total = top + total.ln();
        line.at_once = weight_below / total;
        let waits = weight_waits / total / everything.all;
        let answered = line.at_once + waits * everything.answered;
        let abandonment = waits * everything.given_up;
        let per = |sum: f64, of: f64| if of > 0.0 { sum / of } else { 0.0 };
        let mean_wait_secs = waits * everything.waited;
        line.figures = Figures {
            blocked: 0.0,
            wait_probability: weight_waits / total,
            answered,
            abandonment,
            answer_secs: per(waits * everything.waited_by_answered, answered),
            abandon_secs: per(waits * everything.waited_by_lost, abandonment),
            mean_wait_secs,
            mean_waiting: arrivals * mean_wait_secs,
            occupancy: traffic.offered_erlangs() * answered / f64::from(servers),
        };
        Ok(line)
    }

    /// Everything but the service level.
    pub fn figures(&self) -> Figures {
        self.figures
    }

    /// Share of the offered that abandons within `secs`.
    pub fn abandoned_within(&self, secs: f64) -> f64 {
        if self.servers == 0 {
            return self.patience.gives_up_within(secs);
        }
        if self.arrivals == 0.0 || self.ln_total == f64::INFINITY {
            return 0.0;
        }
        let sooner = self.integrals(0.0, secs.max(0.0), self.ln_total);
        let later = self.integrals(secs.max(0.0), f64::INFINITY, self.ln_total);
        sooner.given_up * sooner.ln_scale.exp()
            + self.patience.gives_up_within(secs) * later.all * later.ln_scale.exp()
    }

    /// Service level within `within_secs` under a definition.
    pub fn service_level(&self, within_secs: f64, of: LevelOf) -> f64 {
        let waited = if self.servers == 0 || self.arrivals == 0.0 {
            0.0
        } else {
            let sooner = self.integrals(0.0, within_secs.max(0.0), self.ln_total);
            sooner.answered * sooner.ln_scale.exp()
        };
        of.level(self.at_once + waited, self.figures.answered, |secs| self.abandoned_within(secs))
    }

    /// ln of the density of virtual waits, without its factor λ.
    fn log_density(&self, x: f64) -> f64 {
        (self.arrivals - self.departures) * x - self.arrivals * self.patience.lost_within(x)
    }

    /// Integrals over virtual waits in `from..to`, each to be multiplied by e^`ln_scale`.
    fn integrals(&self, from: f64, to: f64, ln_total: f64) -> Integrals {
        if from >= to {
            return Integrals::default();
        }
        let peak = self.peak().clamp(from, to);
        let top = self.log_density(peak);
        let counts = |x: f64| self.log_density(x) > top - NEGLIGIBLE;
        let (mut after, mut before) = (1.0 / self.departures, 1.0 / self.departures);
        while peak + after < to && counts(peak + after) {
            after *= 2.0;
        }
        while peak - before > from && counts(peak - before) {
            before *= 2.0;
        }
        let (start, end) = ((peak - before).max(from), (peak + after).min(to));
        // Short patience is a spike beside long waits, and would fall between the nodes.
        let mut pieces = self.patience.landmarks();
        pieces.retain(|&time| time > start && time < end);
        pieces.extend([start, peak, end]);
        pieces.sort_by(f64::total_cmp);
        let over = |f: &dyn Fn(f64) -> f64| -> f64 {
            let weighed = |x: f64| (self.log_density(x) - top).exp() * f(x);
            integrate_between(&weighed, &pieces)
        };
        let patience = self.patience;
        Integrals {
            ln_scale: top + self.arrivals.ln() - ln_total,
            all: over(&|_| 1.0),
            answered: over(&|x| patience.outlasts(x)),
            given_up: over(&|x| patience.gives_up_within(x)),
            waited: over(&|x| patience.mean_within(x)),
            waited_by_answered: over(&|x| x * patience.outlasts(x)),
            waited_by_lost: over(&|x| {
                (patience.mean_within(x) - x * patience.outlasts(x)).max(0.0)
            }),
        }
    }

    /// Where the density peaks: there as many outlast their wait as the servers finish.
    fn peak(&self) -> f64 {
        if self.arrivals <= self.departures {
            return 0.0;
        }
        let wanted = self.departures / self.arrivals;
        let (mut low, mut high) = (0.0, self.patience.mean_secs());
        while self.patience.outlasts(high) > wanted && high < 1e15 {
            (low, high) = (high, high * 2.0);
        }
        for _ in 0..80 {
            let middle = 0.5 * (low + high);
            if self.patience.outlasts(middle) > wanted { low = middle } else { high = middle }
        }
        high
    }
}

/// Integrals over virtual waits, of 1, of those who outlast them and who do not, and of their times.
#[derive(Clone, Copy, Debug, Default)]
struct Integrals {
    ln_scale: f64,
    all: f64,
    answered: f64,
    given_up: f64,
    waited: f64,
    waited_by_answered: f64,
    waited_by_lost: f64,
}

/// Densities below e^-60 of the peak are less than rounding.
const NEGLIGIBLE: f64 = 60.0;
