//! How long something takes, as far as it is known: an assumption, and what was seen.

use barometer_strategy::Duration;

use crate::detection::normal_below;

/// What is assumed: a log-normal with the mean and the deviation of what it stands for.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Assumption {
    log_mean: f64,
    log_deviation: f64,
}

impl Assumption {
    /// One after the other, independent of each other.
    pub fn of(durations: &[&Duration]) -> Self {
        let mean = durations.iter().map(|each| each.mean_secs()).sum::<f64>().max(0.1);
        let variance = durations.iter().map(|each| deviation(each).powi(2)).sum::<f64>();
        let log_variance = libm::log1p(variance / (mean * mean));
        Self {
            log_mean: libm::log(mean) - 0.5 * log_variance,
            log_deviation: log_variance.sqrt().max(0.05),
        }
    }

    fn longer_than(&self, secs: f64) -> f64 {
        normal_below((self.log_mean - libm::log(secs)) / self.log_deviation)
    }
}

/// The standard deviation of a duration in seconds.
fn deviation(duration: &Duration) -> f64 {
    match duration {
        Duration::Constant { .. } => 0.0,
        Duration::Exponential { mean_secs } => *mean_secs,
        Duration::LogNormal { mean_secs, variation } | Duration::Gamma { mean_secs, variation } => {
            mean_secs * variation
        }
        // Γ(1 + 2/k) / Γ(1 + 1/k)² − 1 is the squared variation.
        Duration::Weibull { mean_secs, shape } => {
            let once = libm::tgamma(1.0 + 1.0 / shape);
            let squared = libm::tgamma(1.0 + 2.0 / shape) / (once * once) - 1.0;
            mean_secs * squared.max(0.0).sqrt()
        }
        Duration::Empirical { secs } => {
            let mean = duration.mean_secs();
            let squares = secs.iter().map(|secs| (secs - mean).powi(2)).sum::<f64>();
            (squares / secs.len().max(1) as f64).sqrt()
        }
    }
}

/// How many bins of durations are told apart.
const BINS: usize = 360;
/// How many durations the assumption counts as.
const PRIOR_DURATIONS: f64 = 12.0;
/// Durations after which the shares are worked out again.
const AT_A_TIME: u32 = 8;

/// How long something has taken so far, on top of what is assumed.
#[derive(Clone, Debug)]
pub(crate) struct LearnedDurations {
    bin_secs: f64,
    counts: Vec<f64>,
    /// Share of durations that are longer than the beginning of each bin.
    longer: Vec<f64>,
    under_way: Vec<f64>,
    mean_secs: f64,
    unseen: u32,
}

impl LearnedDurations {
    pub fn of(bin_secs: f64) -> Self {
        Self {
            bin_secs,
            counts: vec![0.0; BINS],
            longer: vec![0.0; BINS + 1],
            under_way: vec![0.0; BINS],
            mean_secs: 0.0,
            unseen: 0,
        }
    }

    /// Begins with nothing but an assumption.
    pub fn begin(&mut self, assumed: Assumption) {
        let mut before = 1.0;
        for (bin, count) in self.counts.iter_mut().enumerate() {
            let after = assumed.longer_than((bin as f64 + 1.0) * self.bin_secs);
            *count = PRIOR_DURATIONS * (before - after);
            before = after;
        }
        self.unseen = 0;
        self.work_out(&[], 0.0);
    }

    /// Something has taken so many seconds.
    pub fn note(&mut self, secs: f64) {
        let bin = ((secs / self.bin_secs) as usize).min(BINS - 1);
        self.counts[bin] += 1.0;
        self.unseen += 1;
    }

    /// Works the shares out again once enough was noted. What is under way since these moments counts as
    /// well: it is known to take longer than it has until now (Kaplan and Meier 1958), or what is
    /// over early would make everything seem short.
    pub fn work_out_if_due(&mut self, under_way_since: &[f64], now: f64) {
        if self.unseen >= AT_A_TIME {
            self.unseen = 0;
            self.work_out(under_way_since, now);
        }
    }

    fn work_out(&mut self, under_way_since: &[f64], now: f64) {
        self.under_way.fill(0.0);
        for since in under_way_since {
            let bin = (((now - since) / self.bin_secs) as usize).min(BINS - 1);
            self.under_way[bin] += 1.0;
        }
        let mut at_risk = self.counts.iter().sum::<f64>() + under_way_since.len() as f64;
        (self.longer[0], self.mean_secs) = (1.0, 0.0);
        for bin in 0..BINS {
            let ended = if at_risk > 0.0 { (self.counts[bin] / at_risk).min(1.0) } else { 1.0 };
            self.longer[bin + 1] = self.longer[bin] * (1.0 - ended);
            self.mean_secs += 0.5 * (self.longer[bin] + self.longer[bin + 1]) * self.bin_secs;
            at_risk -= self.counts[bin] + self.under_way[bin];
        }
    }

    /// The mean so far.
    pub fn mean(&self) -> f64 {
        self.mean_secs
    }

    /// The share that is longer than this, linear within a bin.
    pub fn longer_than(&self, secs: f64) -> f64 {
        let place = (secs / self.bin_secs).max(0.0);
        let bin = place as usize;
        if bin >= BINS {
            return 0.0;
        }
        let within = place - bin as f64;
        self.longer[bin] + within * (self.longer[bin + 1] - self.longer[bin])
    }
}
