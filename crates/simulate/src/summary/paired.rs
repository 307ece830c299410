//! Two strategies on the same customers: differences whose common luck cancels.

use serde::{Deserialize, Serialize};

use super::estimate::{Estimate, Pair, student_quantile};
use super::measures::{Measures, Tallied, Whole, place_of};
use crate::observers::{DayTally, TeamTally, TypeTally};

/// What is compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Compared {
    /// Answered within the threshold / offered.
    ServiceLevel,
    /// Abandoned / offered.
    Abandonment,
    /// Mean wait of the answered in seconds.
    AnswerSecs,
    /// Handling time / time of people present.
    Occupancy,
}

/// All that is compared, in order.
pub const COMPARED: [Compared; 4] =
    [Compared::ServiceLevel, Compared::Abandonment, Compared::AnswerSecs, Compared::Occupancy];

/// Sums over replications of two experiments that were played on the same customers.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Paired {
    replications: u32,
    /// The day, then its intervals.
    rows: Vec<[Crossed; 4]>,
    /// The day of each contact type.
    types: Vec<[Crossed; 4]>,
}

/// Sums of one ratio of both experiments, and of their products.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
struct Crossed {
    one: Pair,
    other: Pair,
    top_top: f64,
    top_bottom: f64,
    bottom_top: f64,
    bottom_bottom: f64,
}

impl Paired {
    /// Nothing yet, of days with so many intervals.
    pub fn new(intervals: usize) -> Self {
        Self { replications: 0, rows: vec![Default::default(); intervals + 1], types: Vec::new() }
    }

    /// Adds a replication of both, with the same number and seed.
    pub fn add(&mut self, one: &DayTally, other: &DayTally) {
        self.replications += 1;
        for (row, crossed) in self.rows.iter_mut().enumerate() {
            let of = |day: &DayTally| match row.checked_sub(1) {
                None => ratios(&day.total(), &day.total_of_teams()),
                Some(interval) => {
                    let (contacts, people) = day.of_interval(interval);
                    ratios(&contacts, &people)
                }
            };
            add_all(crossed, of(one), of(other));
        }
        let kinds = one.kinds().zip(other.kinds()).enumerate();
        for (kind, (one, other)) in kinds {
            if kind == self.types.len() {
                self.types.push(Default::default());
            }
            let of = |contacts| ratios(contacts, &TeamTally::default());
            add_all(&mut self.types[kind], of(&one), of(&other));
        }
    }

    /// Adds the replications of another part of the same two experiments, in order.
    pub fn merge(&mut self, other: &Self) {
        self.replications += other.replications;
        self.types.resize(self.types.len().max(other.types.len()), Default::default());
        let rows = self.rows.iter_mut().zip(&other.rows);
        for (row, other) in rows.chain(self.types.iter_mut().zip(&other.types)) {
            row.iter_mut().zip(other).for_each(|(crossed, other)| crossed.merge(other));
        }
    }

    /// By how much the other differs from the one over the whole day in one contact type; people
    /// belong to no contact type, so occupancy has no answer.
    pub fn of_type(&self, kind: usize, what: Compared) -> Option<Estimate> {
        self.types.get(kind)?[what as usize].difference(self.replications)
    }

    /// By how much the other differs from the one over the whole day.
    pub fn of_day(&self, what: Compared) -> Option<Estimate> {
        self.rows[0][what as usize].difference(self.replications)
    }

    /// By how much the other differs from the one, interval by interval.
    pub fn of_intervals(&self, what: Compared) -> Vec<Option<Estimate>> {
        let intervals = self.rows[1..].iter();
        intervals.map(|row| row[what as usize].difference(self.replications)).collect()
    }
}

fn add_all(crossed: &mut [Crossed; 4], one: [(f64, f64); 4], other: [(f64, f64); 4]) {
    for (crossed, (one, other)) in crossed.iter_mut().zip(one.into_iter().zip(other)) {
        crossed.add(one, other);
    }
}

/// The places of what is compared among the measures of contacts and people.
const PLACES: [usize; 4] = [
    place_of(Measures::NAMES, "service_level_share"),
    place_of(Measures::NAMES, "abandonment_share"),
    place_of(Measures::NAMES, "answer_secs"),
    place_of(Measures::NAMES, "occupancy_share"),
];

fn ratios(contacts: &TypeTally, people: &TeamTally) -> [(f64, f64); 4] {
    let whole = Whole(*contacts, *people);
    PLACES.map(|place| whole.pairs().nth(place).unwrap_or_default())
}

impl Crossed {
    fn merge(&mut self, other: &Self) {
        self.one.merge(&other.one);
        self.other.merge(&other.other);
        self.top_top += other.top_top;
        self.top_bottom += other.top_bottom;
        self.bottom_top += other.bottom_top;
        self.bottom_bottom += other.bottom_bottom;
    }

    fn add(&mut self, one: (f64, f64), other: (f64, f64)) {
        self.one.add(one.0, one.1);
        self.other.add(other.0, other.1);
        self.top_top += one.0 * other.0;
        self.top_bottom += one.0 * other.1;
        self.bottom_top += one.1 * other.0;
        self.bottom_bottom += one.1 * other.1;
    }

    /// The difference of two ratios. Its variance is that of both less twice their covariance, each
    /// linearised as in the ratio estimator: the covariance over replications of
    /// top − ratio × bottom (Law, *Simulation Modeling and Analysis*, ch. 9 and 10.2).
    fn difference(&self, replications: u32) -> Option<Estimate> {
        let (one, other) = (self.one.ratio(replications)?, self.other.ratio(replications)?);
        let mean = other.mean - one.mean;
        let n = f64::from(replications);
        let crossed = self.top_top - other.mean * self.top_bottom - one.mean * self.bottom_top
            + one.mean * other.mean * self.bottom_bottom;
        let bottoms = self.one.bottom_mean(n) * self.other.bottom_mean(n);
        let error = one.error.zip(other.error).map(|(one, other)| {
            let covariance = crossed / (n - 1.0) / n / bottoms;
            (one * one + other * other - 2.0 * covariance).max(0.0).sqrt()
        });
        let half_width = student_quantile(replications).zip(error).map(|(t, error)| t * error);
        Some(Estimate { mean, half_width, error })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn common_luck_cancels() {
        // Two ratios of the same denominators that differ by exactly a tenth on every day.
        let mut crossed = Crossed::default();
        for (top, bottom) in [(5.0, 10.0), (16.0, 20.0), (9.0, 30.0)] {
            crossed.add((top, bottom), (top + 0.1 * bottom, bottom));
        }
        let difference = crossed.difference(3).unwrap();
        assert!((difference.mean - 0.1).abs() < 1e-12);
        assert!(difference.error.unwrap() < 1e-8, "{difference:?}");
        assert!(crossed.one.ratio(3).unwrap().error.unwrap() > 0.1);
    }

    #[test]
    fn unrelated_luck_adds_up() {
        let mut crossed = Crossed::default();
        for (one, other) in [(1.0, 2.0), (3.0, 2.0), (1.0, 4.0), (3.0, 4.0)] {
            crossed.add((one, 1.0), (other, 1.0));
        }
        let difference = crossed.difference(4).unwrap();
        // Means 2 and 3, variances 4/3 each, no covariance.
        assert!((difference.mean - 1.0).abs() < 1e-12);
        assert!((difference.error.unwrap() - (8.0f64 / 3.0 / 4.0).sqrt()).abs() < 1e-12);
    }
}
