//! Probabilities of everything that may be at one instant of a day.

use super::clock::Rates;

/// Probabilities at one instant.
#[derive(Clone, Debug, PartialEq)]
pub struct Moment {
    pub(super) servers: usize,
    /// `normal[k]`: k in the system, of whom up to `servers` are busy.
    pub(super) normal: Vec<f64>,
    /// `leaving[e − 1][q]`: e more are busy than planned, q wait.
    pub(super) leaving: Vec<Vec<f64>>,
}

/// Shares below this are dropped at the far end of the line; a day of a hundred stretches loses less
/// than 1e-12 by it.
pub(super) const DROPPED: f64 = 1e-16;

impl Moment {
    /// Probability of so many in the system.
    pub fn in_system(&self) -> Vec<f64> {
        let mut shares = self.normal.clone();
        for (excess, row) in self.leaving.iter().enumerate() {
            for (waiting, &share) in row.iter().enumerate() {
                let system = self.servers + excess + 1 + waiting;
                if shares.len() <= system {
                    shares.resize(system + 1, 0.0);
                }
                shares[system] += share;
            }
        }
        shares
    }

    /// Whether these probabilities are those of `other`, but for less than `tolerance` in all.
    pub fn is_close_to(&self, other: &Self, tolerance: f64) -> bool {
        if self.servers != other.servers {
            return false;
        }
        let (own, others) = (self.in_system(), other.in_system());
        let longest = own.len().max(others.len());
        let at = |shares: &[f64], k: usize| shares.get(k).copied().unwrap_or(0.0);
        let off: f64 = (0..longest).map(|k| (at(&own, k) - at(&others, k)).abs()).sum();
        let leaving = |moment: &Self| -> f64 { moment.leaving.iter().flatten().sum() };
        off + (leaving(self) - leaving(other)).abs() < tolerance
    }

    pub(super) fn mean_in_system(&self) -> f64 {
        self.in_system().iter().enumerate().map(|(k, share)| k as f64 * share).sum()
    }
}

impl Moment {
    pub(super) fn nothing(&self) -> Self {
        Self {
            servers: self.servers,
            normal: vec![0.0; self.normal.len()],
            leaving: self.leaving.iter().map(|row| vec![0.0; row.len()]).collect(),
        }
    }

    pub(super) fn add(&mut self, other: &Self, times: f64) {
        self.add_up_to(other.normal.len(), other, times);
    }

    /// Adds the states in which at most `longest` wait.
    pub(super) fn add_up_to(&mut self, longest: usize, other: &Self, times: f64) {
        let last = (other.servers + longest + 1).min(other.normal.len());
        for (sum, share) in self.normal.iter_mut().zip(&other.normal[..last]) {
            *sum += times * share;
        }
        for (sums, row) in self.leaving.iter_mut().zip(&other.leaving) {
            for (sum, share) in sums.iter_mut().zip(row).take(longest + 1) {
                *sum += times * share;
            }
        }
    }

    /// Share of the states in which so many wait.
    pub(super) fn at_line(&self, waiting: usize) -> f64 {
        let leaving = self.leaving.iter().map(|row| row[waiting]).sum::<f64>();
        self.normal[self.servers + waiting] + leaving
    }

    /// Σ share × value.
    pub(super) fn expected(&self, values: &Self) -> f64 {
        let sum = |shares: &[f64], values: &[f64]| -> f64 {
            shares.iter().zip(values).map(|(share, value)| share * value).sum()
        };
        sum(&self.normal, &values.normal)
            + self
                .leaving
                .iter()
                .zip(&values.leaving)
                .map(|(shares, values)| sum(shares, values))
                .sum::<f64>()
    }

    /// The highest state with a share.
    pub(super) fn highest(&self) -> usize {
        self.normal.iter().rposition(|&share| share != 0.0).unwrap_or(0)
    }

    pub(super) fn longest_line(&self) -> usize {
        let leaving =
            self.leaving.iter().filter_map(|row| row.iter().rposition(|&share| share != 0.0));
        leaving.max().unwrap_or(0).max(self.highest().saturating_sub(self.servers))
    }

    /// Drops what is too small to matter at the far ends, and rows in which nobody is left.
    pub(super) fn trim(&mut self) {
        let clear = |shares: &mut [f64]| {
            for share in shares.iter_mut().rev() {
                if *share >= DROPPED {
                    break;
                }
                *share = 0.0;
            }
        };
        clear(&mut self.normal);
        self.leaving.iter_mut().for_each(|row| clear(row));
        while self.leaving.last().is_some_and(|row| row.iter().all(|&share| share == 0.0)) {
            self.leaving.pop();
        }
    }

    /// The same contacts with the servers of a new stretch.
    pub(super) fn staffed(&self, rates: Rates) -> Self {
        let servers = rates.servers;
        let most_busy = self.servers + self.leaving.len();
        let places = rates.most_waiting;
        let mut moment = Self {
            servers,
            normal: vec![0.0; servers + places + 1],
            leaving: vec![vec![0.0; places + 1]; most_busy.saturating_sub(servers)],
        };
        let mut put = |busy: usize, waiting: usize, share: f64| {
            if share == 0.0 {
                return;
            }
            if busy <= servers {
                let system = (busy + waiting).min(servers + places);
                moment.normal[system] += share;
            } else {
                moment.leaving[busy - servers - 1][waiting.min(places)] += share;
            }
        };
        for (system, &share) in self.normal.iter().enumerate() {
            put(system.min(self.servers), system.saturating_sub(self.servers), share);
        }
        for (excess, row) in self.leaving.iter().enumerate() {
            for (waiting, &share) in row.iter().enumerate() {
                put(self.servers + excess + 1, waiting, share);
            }
        }
        moment
    }
}
