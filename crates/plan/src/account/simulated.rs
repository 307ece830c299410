//! Simulated days of every subset of causes, and the difference that they charge to each cause.

use super::found::{Cause, CauseEffect, MeasureAccount};
use crate::spread::{eight_in_ten, mean_and_half_width};

/// Levels and abandonment of simulated days: by contact type and day, `None` where nothing arrived.
pub(super) struct Played(Vec<Vec<Option<[f64; 2]>>>);

impl Played {
    pub fn of(days: impl IntoIterator<Item = Vec<[f64; 3]>>, types: usize) -> Self {
        let mut played = vec![Vec::new(); types];
        for day in days {
            for (of_type, [offered, in_time, abandoned]) in played.iter_mut().zip(day) {
                let shares = (offered > 0.0).then(|| [in_time / offered, abandoned / offered]);
                of_type.push(shares);
            }
        }
        Self(played)
    }

    fn days(&self, kind: usize) -> usize {
        self.0.get(kind).map_or(0, Vec::len)
    }

    fn value(&self, kind: usize, measure: usize, day: usize) -> Option<f64> {
        self.0.get(kind)?.get(day)?.map(|shares| shares[measure])
    }
}

/// All that was simulated for an account.
pub(super) struct Simulated {
    /// The causes that are introduced in every order.
    pub causes: Vec<Cause>,
    /// By subset of the causes.
    pub played: Vec<Played>,
    /// The plan with the forecast's uncertainty.
    pub prediction: Played,
    /// With every cause and the strategies released during the day.
    pub released: Option<Played>,
}

impl Simulated {
    /// The account of a contact type's measure, of which `actual` was measured; `None` where nothing arrived.
    pub fn measure(&self, kind: usize, measure: usize, actual: f64) -> Option<MeasureAccount> {
        let all = || self.played.iter().chain(&self.released);
        let days = (0..self.played.first()?.days(kind))
            .filter(|&day| all().all(|played| played.value(kind, measure, day).is_some()));
        let days: Vec<usize> = days.collect();
        if days.is_empty() {
            return None;
        }
        let values = |played: &Played| -> Vec<f64> {
            days.iter().filter_map(|&day| played.value(kind, measure, day)).collect()
        };
        let by_subset: Vec<Vec<f64>> = self.played.iter().map(values).collect();
        let (planned, _) = mean_and_half_width(by_subset.first()?);
        let mut causes = Vec::new();
        let mut charge = |cause: Cause, by_day: &[f64]| {
            let (effect, half_width) = mean_and_half_width(by_day);
            causes.push(CauseEffect { cause, effect, half_width });
        };
        for (nth, cause) in self.causes.iter().enumerate() {
            let by_day = (0..days.len())
                .map(|day| shapley_value(self.causes.len(), nth, |subset| by_subset[subset][day]));
            charge(*cause, &by_day.collect::<Vec<f64>>());
        }
        let mut simulated = by_subset.last()?.clone();
        if let Some(released) = &self.released {
            let released = values(released);
            let pairs = released.iter().zip(&simulated).map(|(with, without)| with - without);
            charge(Cause::Strategy, &pairs.collect::<Vec<f64>>());
            simulated = released;
        }
        let explained: f64 = causes.iter().map(|each| each.effect).sum();
        let luck = actual - planned - explained;
        causes.push(CauseEffect { cause: Cause::Luck, effect: luck, half_width: 0.0 });
        let predicted = (0..self.prediction.days(kind))
            .filter_map(|day| self.prediction.value(kind, measure, day));
        Some(MeasureAccount {
            planned,
            actual,
            causes,
            usual: eight_in_ten(simulated)?,
            predicted: eight_in_ten(predicted.collect())?,
        })
    }
}

/// The Shapley value of one player of `n`, from the worth of each subset; bit `i` of a subset is player `i`.
pub(super) fn shapley_value(n: usize, player: usize, worth: impl Fn(usize) -> f64) -> f64 {
    let subsets = (0..1usize << n).filter(|subset| subset >> player & 1 == 0);
    subsets
        .map(|subset| {
            let weight = order_weight(n, subset.count_ones() as usize);
            weight * (worth(subset | 1 << player) - worth(subset))
        })
        .sum()
}

/// The share of all orders of `n` players in which exactly `before` given ones stand before a given one.
fn order_weight(n: usize, before: usize) -> f64 {
    // k!(n-k-1)!/n! = 1 / (n * C(n-1, k)).
    let choices =
        (0..before).fold(1.0, |choices, nth| choices * (n - 1 - nth) as f64 / (nth + 1) as f64);
    1.0 / (n as f64 * choices)
}
