//! Erlang C: callers wait for as long as it takes.

use crate::outcome::Outcome;
use crate::scaled::weight_below_full;
use crate::traffic::{QueueError, Traffic, share};

/// An M/M/n line in its steady state.
#[derive(Clone, Copy, Debug)]
pub struct ErlangC {
    traffic: Traffic,
    servers: u32,
    wait_probability: f64,
    /// P(some server idle), kept beside its complement so that neither loses digits near zero.
    at_once: f64,
}

impl ErlangC {
    /// The steady state of `traffic` on `servers`.
    ///
    /// # Errors
    ///
    /// [`QueueError::Unstable`] when `servers` does not exceed the offered load: then the line
    /// grows without limit and no steady state exists. No load at all is always stable.
    pub fn new(traffic: Traffic, servers: u32) -> Result<Self, QueueError> {
        let erlangs = traffic.offered_erlangs();
        let n = f64::from(servers);
        if erlangs == 0.0 {
            let wait_probability = if servers == 0 { 1.0 } else { 0.0 };
            return Ok(Self {
                traffic,
                servers,
                wait_probability,
                at_once: 1.0 - wait_probability,
            });
        }
        if n <= erlangs {
            let needed = fewest_stable(erlangs);
            return Err(QueueError::Unstable { servers, erlangs, needed });
        }
        let full = n / (n - erlangs);
        let below = weight_below_full(erlangs, servers).value();
        Ok(Self {
            traffic,
            servers,
            wait_probability: full / (below + full),
            // Not `below / (below + full)`: `below` is infinite where nobody ever waits.
            at_once: 1.0 / (1.0 + full / below),
        })
    }

    /// Probability that a caller finds every server busy and waits, 0..=1.
    ///
    /// # Source
    ///
    /// Cooper, *Introduction to Queueing Theory* (1981), ch. 3.
    pub fn wait_probability(&self) -> f64 {
        self.wait_probability
    }

    /// Share of callers answered within `within_secs`: 1 − C e^(−(n−a) T / handle time).
    pub fn service_level(&self, within_secs: f64) -> f64 {
        // For ever is long enough at 1e50 s; infinity times nothing would be no number.
        let drain = self.spare() * within_secs.clamp(0.0, 1e50) / self.traffic.handle_secs();
        self.at_once - self.wait_probability * (-drain).exp_m1()
    }

    /// Mean wait over all callers, in seconds (ASA): C × handle time / (n − a).
    pub fn mean_wait_secs(&self) -> f64 {
        if self.wait_probability == 0.0 {
            return 0.0;
        }
        self.wait_probability * self.traffic.handle_secs() / self.spare()
    }

    /// Mean number waiting: C × a / (n − a).
    pub fn mean_waiting(&self) -> f64 {
        if self.wait_probability == 0.0 || self.servers == 0 {
            return 0.0;
        }
        self.wait_probability * self.traffic.offered_erlangs() / self.spare()
    }

    /// The wait in seconds that the share `answered` of all callers does not exceed: 0 where so
    /// many are answered at once, infinite for everybody.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for a share outside 0..=1.
    pub fn wait_percentile_secs(&self, answered: f64) -> Result<f64, QueueError> {
        share("share of callers", answered)?;
        let longer = 1.0 - answered;
        if self.wait_probability <= longer || self.wait_probability == 0.0 {
            return Ok(0.0);
        }
        let spare_per_sec = self.spare() / self.traffic.handle_secs();
        Ok((self.wait_probability / longer).ln() / spare_per_sec)
    }

    /// Share of the servers' time spent on contacts.
    pub fn occupancy(&self) -> f64 {
        if self.servers == 0 {
            return 0.0;
        }
        self.traffic.offered_erlangs() / f64::from(self.servers)
    }

    /// Everything at once; nobody abandons.
    pub fn outcome(&self, within_secs: f64) -> Outcome {
        Outcome {
            service_level: self.service_level(within_secs),
            abandonment: 0.0,
            answer_secs: self.mean_wait_secs(),
            occupancy: self.occupancy(),
            wait_probability: self.wait_probability,
        }
    }

    fn spare(&self) -> f64 {
        f64::from(self.servers) - self.traffic.offered_erlangs()
    }
}

/// The fewest servers that exceed `erlangs`, saturating at `u32::MAX`.
pub(crate) fn fewest_stable(erlangs: f64) -> u32 {
    (erlangs.floor() as u32).saturating_add(1)
}
