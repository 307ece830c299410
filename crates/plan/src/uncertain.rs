//! Need when the forecast is not certain: for which loads does a number of people still do?

use barometer_queueing::{Outcome, Traffic};
use statrs::distribution::{ContinuousCDF, Gamma};

use crate::IntervalLoad;
use crate::need::{Model, NeedError, NeedSearch};
use crate::rules::Rules;

/// How an interval's contacts may differ from what is expected: factors of mean 1, equally likely,
/// in order.
#[derive(Clone, Debug, PartialEq)]
pub struct LoadSpread {
    factors: Vec<f64>,
}

/// What is needed to be safe, and what can then be expected.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct UncertainNeed {
    /// The fewest people with whom every target holds with the asked chance.
    pub agents: u32,
    /// The chance with which they hold it.
    pub chance: f64,
    /// The chance with which the need of the expected load would hold.
    pub chance_of_plain_need: f64,
    /// What they can expect: shares over all contacts that may come, times and occupancy likewise.
    /// `None` when they may meet a load with which the line never settles.
    pub expected: Option<Outcome>,
}

/// Factors that a spread is kept as.
const POINTS: usize = 200;

/// Quantiles of the interval's own factor within each factor of the day.
const OWN_POINTS: usize = 15;

impl LoadSpread {
    /// The spread of a day's factors (equally likely, of any mean) times an interval's own factor,
    /// which is gamma-distributed with mean 1 and `interval_variance`.
    pub fn new(day_factors: &[f64], interval_variance: f64) -> Self {
        let own = own_factors(interval_variance);
        let days: &[f64] = if day_factors.is_empty() { &[1.0] } else { day_factors };
        let mut all: Vec<f64> =
            days.iter().flat_map(|day| own.iter().map(move |own| day * own)).collect();
        all.sort_by(f64::total_cmp);
        // Means of equal parts, so that the mean of the whole is kept.
        let points = POINTS.min(all.len());
        let factors: Vec<f64> = (0..points)
            .map(|part| {
                let part = &all[part * all.len() / points..(part + 1) * all.len() / points];
                part.iter().sum::<f64>() / part.len() as f64
            })
            .collect();
        let mean = factors.iter().sum::<f64>() / points as f64;
        Self { factors: factors.iter().map(|factor| factor / mean.max(1e-9)).collect() }
    }

    /// The spread of a whole day: its factors are drawn once, and the intervals' own factors, which are independent
    /// of one another, vary its total by `interval_variance` Σc² ÷ (Σc)² where the intervals expect `contacts`.
    pub fn of_day(day_factors: &[f64], interval_variance: f64, contacts: &[f64]) -> Self {
        let total: f64 = contacts.iter().sum();
        let squares: f64 = contacts.iter().map(|each| each * each).sum();
        let share = if total > 0.0 { squares / (total * total) } else { 1.0 };
        Self::new(day_factors, interval_variance * share)
    }

    /// The factor that is not exceeded with the given chance.
    pub fn quantile(&self, chance: f64) -> f64 {
        let at = (chance * self.factors.len() as f64 - 1e-9).ceil() as usize;
        self.factors[at.clamp(1, self.factors.len()) - 1]
    }

    /// The fewest people with whom every target holds with at least `chance`.
    ///
    /// More contacts never make service better, so it is the need of the load that is not exceeded
    /// with that chance.
    ///
    /// # Errors
    ///
    /// As [`need`](crate::need).
    pub fn need(
        &self,
        load: IntervalLoad,
        interval_secs: f64,
        rules: &Rules,
        model: Model,
        chance: f64,
    ) -> Result<UncertainNeed, NeedError> {
        let mut search = NeedSearch::new(interval_secs, rules, model)?;
        let with = |factor: f64| IntervalLoad { contacts: load.contacts * factor, ..load };
        let plain = search.agents(load)?;
        let agents = search.agents(with(self.quantile(chance)))?;
        // How far up the factors a number of people reaches, by halving.
        let mut chance_of = |people: u32| -> Result<f64, NeedError> {
            let (mut low, mut high) = (0, self.factors.len());
            while low < high {
                let middle = low + (high - low) / 2;
                if search.agents(with(self.factors[middle]))? <= people {
                    low = middle + 1;
                } else {
                    high = middle;
                }
            }
            Ok(low as f64 / self.factors.len() as f64)
        };
        Ok(UncertainNeed {
            agents,
            chance: chance_of(agents)?,
            chance_of_plain_need: chance_of(plain)?,
            expected: self.expected(load, interval_secs, rules, model, agents)?,
        })
    }

    /// What `agents` can expect over all that may come.
    ///
    /// # Errors
    ///
    /// As [`need`](crate::need).
    pub fn expected(
        &self,
        load: IntervalLoad,
        interval_secs: f64,
        rules: &Rules,
        model: Model,
        agents: u32,
    ) -> Result<Option<Outcome>, NeedError> {
        let mut sums = [0.0; 7];
        for factor in &self.factors {
            let contacts = load.contacts * factor;
            let traffic = Traffic::per_interval(contacts, interval_secs, load.handle_secs)?;
            if contacts == 0.0 {
                continue;
            }
            let Some(outcome) = model.outcome(traffic, agents, rules)? else { return Ok(None) };
            let answered = contacts * (1.0 - outcome.abandonment);
            let parts = [
                contacts,
                contacts * outcome.service_level,
                contacts * outcome.abandonment,
                answered,
                answered * outcome.answer_secs,
                outcome.occupancy,
                contacts * outcome.wait_probability,
            ];
            sums.iter_mut().zip(parts).for_each(|(sum, part)| *sum += part);
        }
        let [contacts, in_time, abandoned, answered, waited, busy, waits] = sums;
        if contacts == 0.0 {
            return Ok(None);
        }
        Ok(Some(Outcome {
            service_level: in_time / contacts,
            abandonment: abandoned / contacts,
            answer_secs: if answered > 0.0 { waited / answered } else { 0.0 },
            occupancy: busy / self.factors.len() as f64,
            wait_probability: waits / contacts,
        }))
    }
}

/// Equally likely factors of a gamma distribution with mean 1.
fn own_factors(variance: f64) -> Vec<f64> {
    let shape = 1.0 / variance;
    match Gamma::new(shape, shape) {
        Ok(law) if variance > 1e-9 && variance.is_finite() => (0..OWN_POINTS)
            .map(|at| law.inverse_cdf((at as f64 + 0.5) / OWN_POINTS as f64))
            .collect(),
        _ => vec![1.0],
    }
}

/// The z of a standard normal that is not exceeded with this chance.
pub fn normal_quantile(chance: f64) -> f64 {
    statrs::distribution::Normal::standard().inverse_cdf(chance)
}
