//! Waits as a histogram whose bins grow with the wait, so that any quantile is right to a percent.

use hdrhistogram::Histogram;
use serde::{Deserialize, Serialize};

/// Tenths of a second in the longest wait that is told apart: a hundred days.
const MOST_TENTHS: u64 = 86_400_000;

/// Waits of many contacts; kept as its bins. Sketches of parts add up to the sketch of the whole, whatever the order.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(from = "Vec<(f64, u64)>", into = "Vec<(f64, u64)>")]
pub struct WaitSketch {
    /// Contacts that did not wait at all; kept apart because they are many.
    at_once: u64,
    waits: Option<Histogram<u64>>,
}

/// Waits of one replication, one by one, in tenths of a second.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Waits {
    /// Contacts that did not wait at all.
    at_once: u64,
    tenths: Vec<u32>,
}

impl Waits {
    /// Adds one wait.
    pub fn record(&mut self, secs: f64) {
        if secs <= 0.0 {
            self.at_once += 1;
        } else {
            // Rounded up; saturates far beyond the longest wait that is told apart.
            let (tenths, whole) = (secs * 10.0, (secs * 10.0) as u32);
            self.tenths.push(whole.saturating_add(u32::from(f64::from(whole) < tenths)));
        }
    }
}

impl WaitSketch {
    /// Adds the waits of one replication.
    pub fn record(&mut self, waits: &Waits) {
        self.at_once += waits.at_once;
        if !waits.tenths.is_empty() {
            let histogram = self.histogram();
            waits.tenths.iter().for_each(|&wait| histogram.saturating_record(u64::from(wait)));
        }
    }

    #[expect(clippy::expect_used, reason = "these bounds are right")]
    fn histogram(&mut self) -> &mut Histogram<u64> {
        self.waits.get_or_insert_with(|| {
            Histogram::new_with_bounds(1, MOST_TENTHS, 2).expect("these bounds are right")
        })
    }

    /// Adds all waits of another sketch.
    ///
    /// # Panics
    ///
    /// Never: all sketches have the same bounds.
    #[expect(clippy::expect_used, reason = "all sketches have the same bounds")]
    pub fn add(&mut self, other: &Self) {
        self.at_once += other.at_once;
        if let Some(waits) = &other.waits {
            self.histogram().add(waits).expect("all sketches have the same bounds");
        }
    }

    /// How many waits it holds.
    pub fn count(&self) -> u64 {
        self.at_once + self.waits.as_ref().map_or(0, |waits| waits.len())
    }

    /// The wait in seconds that this share of contacts did not exceed; `None` without contacts.
    pub fn quantile(&self, share: f64) -> Option<f64> {
        let count = self.count();
        if count == 0 {
            return None;
        }
        let rank = (share.clamp(0.0, 1.0) * count as f64).ceil() as u64;
        let Some(beyond) = rank.checked_sub(self.at_once).filter(|&beyond| beyond > 0) else {
            return Some(0.0);
        };
        let waits = self.waits.as_ref()?;
        Some(waits.value_at_quantile(beyond as f64 / waits.len() as f64) as f64 / 10.0)
    }

    /// Its bins: the longest wait of each in seconds, and how many contacts waited so long.
    pub fn bins(&self) -> Vec<(f64, u64)> {
        let at_once = (self.at_once > 0).then_some((0.0, self.at_once));
        let waits = self.waits.iter().flat_map(|waits| {
            waits.iter_recorded().map(|bin| {
                (bin.value_iterated_to() as f64 / 10.0, bin.count_since_last_iteration())
            })
        });
        at_once.into_iter().chain(waits).collect()
    }

    /// The sketch with these bins.
    pub fn from_bins(bins: &[(f64, u64)]) -> Self {
        let mut sketch = Self::default();
        for &(secs, count) in bins {
            if secs <= 0.0 {
                sketch.at_once += count;
            } else {
                let tenths = (secs * 10.0).round() as u64;
                sketch.histogram().saturating_record_n(tenths, count);
            }
        }
        sketch
    }
}

impl From<Vec<(f64, u64)>> for WaitSketch {
    fn from(bins: Vec<(f64, u64)>) -> Self {
        Self::from_bins(&bins)
    }
}

impl From<WaitSketch> for Vec<(f64, u64)> {
    fn from(sketch: WaitSketch) -> Self {
        sketch.bins()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quantiles_are_right_to_a_percent_and_survive_being_kept() {
        let mut waits = Waits::default();
        (0..500).for_each(|_| waits.record(0.0));
        (1..=500).for_each(|secs| waits.record(f64::from(secs)));
        let mut sketch = WaitSketch::default();
        sketch.record(&waits);
        assert_eq!(sketch.quantile(0.5), Some(0.0));
        let got = sketch.quantile(0.9).unwrap();
        assert!((got - 400.0).abs() <= 4.0, "{got}");
        let kept = WaitSketch::from_bins(&sketch.bins());
        assert_eq!(kept.bins(), sketch.bins());
        let mut twice = kept;
        twice.add(&sketch);
        assert_eq!((twice.count(), twice.quantile(0.9)), (2000, Some(got)));
        assert_eq!(WaitSketch::default().quantile(0.5), None);
    }
}
