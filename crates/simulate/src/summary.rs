//! Means over replications, and how sure they are.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, StudentsT};

use crate::tally::{DayTally, IntervalTally};

/// A mean over replications with the half-width of its 95% confidence interval.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Estimate {
    /// The estimate.
    pub mean: f64,
    /// Half-width of the 95% confidence interval; `None` from a single replication.
    pub half_width: Option<f64>,
}

impl Estimate {
    /// Lower end of the confidence interval.
    pub fn low(self) -> f64 {
        self.mean - self.half_width.unwrap_or(0.0)
    }

    /// The estimate in another unit.
    pub fn scaled(self, factor: f64) -> Self {
        Self { mean: self.mean * factor, half_width: self.half_width.map(|half| half * factor) }
    }

    /// Upper end of the confidence interval.
    pub fn high(self) -> f64 {
        self.mean + self.half_width.unwrap_or(0.0)
    }
}

/// What a day or an interval came to. A measure without any contact or any staff to take it from
/// is `None`.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Measures {
    /// Contacts per replication.
    pub offered: Estimate,
    /// Contacts answered per replication.
    pub answered: Estimate,
    /// Answered within the threshold / offered.
    pub service_level: Option<Estimate>,
    /// Abandoned / offered.
    pub abandonment: Option<Estimate>,
    /// Sent to voicemail / offered.
    pub to_voicemail: Option<Estimate>,
    /// Released after a message / offered.
    pub released: Option<Estimate>,
    /// Still waiting at the end / offered.
    pub left_waiting: Option<Estimate>,
    /// Mean wait of the answered in seconds.
    pub answer_secs: Option<Estimate>,
    /// Handling time / time of people present.
    pub occupancy: Option<Estimate>,
    /// Seconds of waiting of everybody, per replication.
    pub wait_secs: Estimate,
    /// Answered within the threshold per replication.
    pub answered_in_time: Estimate,
    /// Abandoned per replication.
    pub abandoned: Estimate,
}

/// Folds replications into sums from which every measure and its confidence interval follow.
#[derive(Clone, Debug)]
pub struct Summary {
    replications: u32,
    day: Sums,
    intervals: Vec<Sums>,
}

impl Summary {
    /// An empty summary of days with so many intervals.
    pub fn new(intervals: usize) -> Self {
        Self { replications: 0, day: Sums::default(), intervals: vec![Sums::default(); intervals] }
    }

    /// Adds one replication. Add them in order: sums of floating-point numbers depend on it.
    pub fn add(&mut self, day: &DayTally) {
        self.replications += 1;
        self.day.add(&day.total());
        for (sums, tally) in self.intervals.iter_mut().zip(&day.intervals) {
            sums.add(tally);
        }
    }

    /// Replications added so far.
    pub fn replications(&self) -> u32 {
        self.replications
    }

    /// The day as a whole.
    pub fn day(&self) -> Measures {
        self.day.measures(self.replications)
    }

    /// Interval by interval.
    pub fn intervals(&self) -> Vec<Measures> {
        self.intervals.iter().map(|sums| sums.measures(self.replications)).collect()
    }
}

/// Sums over replications of a numerator, a denominator and their products.
#[derive(Clone, Copy, Debug, Default)]
struct Pair {
    top: f64,
    bottom: f64,
    top_squared: f64,
    crossed: f64,
    bottom_squared: f64,
}

impl Pair {
    fn add(&mut self, top: f64, bottom: f64) {
        self.top += top;
        self.bottom += bottom;
        self.top_squared += top * top;
        self.crossed += top * bottom;
        self.bottom_squared += bottom * bottom;
    }

    /// Σ top / Σ bottom with the half-width of the classical ratio estimator: the variance of
    /// top − ratio × bottom over replications (Law, *Simulation Modeling and Analysis*, ch. 9).
    fn ratio(&self, replications: u32) -> Option<Estimate> {
        if self.bottom <= 0.0 {
            return None;
        }
        let mean = self.top / self.bottom;
        let n = f64::from(replications);
        let squares =
            self.top_squared - 2.0 * mean * self.crossed + mean * mean * self.bottom_squared;
        let half_width = student_quantile(replications).map(|t| {
            let error = (squares.max(0.0) / (n - 1.0) / n).sqrt();
            t * error / (self.bottom / n)
        });
        Some(Estimate { mean, half_width })
    }

    /// The mean of the numerator per replication; the denominator counts replications.
    fn mean(&self, replications: u32) -> Estimate {
        self.ratio(replications).unwrap_or(Estimate { mean: 0.0, half_width: None })
    }
}

/// The 97.5% quantile of Student's t with one degree of freedom less than replications.
fn student_quantile(replications: u32) -> Option<f64> {
    let freedom = f64::from(replications.checked_sub(1)?);
    Some(StudentsT::new(0.0, 1.0, freedom).ok()?.inverse_cdf(0.975))
}

#[derive(Clone, Copy, Debug, Default)]
struct Sums {
    offered: Pair,
    answered: Pair,
    answered_in_time: Pair,
    abandoned: Pair,
    wait_secs: Pair,
    service_level: Pair,
    abandonment: Pair,
    to_voicemail: Pair,
    released: Pair,
    left_waiting: Pair,
    answer_secs: Pair,
    occupancy: Pair,
}

impl Sums {
    fn add(&mut self, tally: &IntervalTally) {
        self.offered.add(tally.offered, 1.0);
        self.answered.add(tally.answered, 1.0);
        self.answered_in_time.add(tally.answered_in_time, 1.0);
        self.abandoned.add(tally.abandoned, 1.0);
        self.wait_secs.add(tally.wait_secs, 1.0);
        self.service_level.add(tally.answered_in_time, tally.offered);
        self.abandonment.add(tally.abandoned, tally.offered);
        self.to_voicemail.add(tally.to_voicemail, tally.offered);
        self.released.add(tally.released, tally.offered);
        self.left_waiting.add(tally.left_waiting, tally.offered);
        self.answer_secs.add(tally.answer_wait_secs, tally.answered);
        self.occupancy.add(tally.busy_secs, tally.staffed_secs);
    }

    fn measures(&self, n: u32) -> Measures {
        Measures {
            offered: self.offered.mean(n),
            answered: self.answered.mean(n),
            answered_in_time: self.answered_in_time.mean(n),
            abandoned: self.abandoned.mean(n),
            wait_secs: self.wait_secs.mean(n),
            service_level: self.service_level.ratio(n),
            abandonment: self.abandonment.ratio(n),
            to_voicemail: self.to_voicemail.ratio(n),
            released: self.released.ratio(n),
            left_waiting: self.left_waiting.ratio(n),
            answer_secs: self.answer_secs.ratio(n),
            occupancy: self.occupancy.ratio(n),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ratio_weighs_days_by_their_contacts_and_states_its_error() {
        let mut pair = Pair::default();
        for (top, bottom) in [(8.0, 10.0), (18.0, 20.0), (27.0, 30.0)] {
            pair.add(top, bottom);
        }
        let got = pair.ratio(3).unwrap();
        assert!((got.mean - 53.0 / 60.0).abs() < 1e-15);
        // Residuals −5/6, 1/3, 1/2: variance (25/36 + 4/36 + 9/36) / 2; t(2) = 4.302653.
        let error = (38.0f64 / 36.0 / 2.0 / 3.0).sqrt() / 20.0;
        assert!((got.half_width.unwrap() - 4.302_652_73 * error).abs() < 1e-8, "{got:?}");
    }

    #[test]
    fn one_replication_claims_no_certainty_and_nothing_offered_no_level() {
        let mut pair = Pair::default();
        pair.add(5.0, 6.0);
        assert_eq!(pair.ratio(1).unwrap().half_width, None);
        assert_eq!(Pair::default().ratio(4), None);
    }
}
