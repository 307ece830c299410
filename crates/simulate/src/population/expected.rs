//! What a replication expects of a contact type, interval by interval: the forecast and its luck.

use crate::draws::{Key, Purpose};
use crate::experiment::DemandLuck;
use crate::model::{Model, TypeModel};
use crate::samplers::gamma;

/// Contacts to expect in each interval of a replication.
pub(super) struct ExpectedContacts<'m> {
    of_type: &'m TypeModel,
    dates: &'m [u32],
    pub interval_secs: f64,
    pub contacts: Vec<f64>,
}

impl<'m> ExpectedContacts<'m> {
    pub fn new(of_type: &'m TypeModel, model: &'m Model) -> Self {
        let interval_secs = model.interval_secs;
        Self { of_type, dates: &model.dates, interval_secs, contacts: Vec::new() }
    }

    /// Draws the luck of a replication.
    pub fn begin(&mut self, key: Key) {
        self.contacts.clear();
        self.contacts.extend(self.of_type.intervals.iter().map(|interval| interval.contacts));
        let Some(luck) = &self.of_type.luck else { return };
        let variance = luck.interval_variance;
        let mut today = None;
        for (interval, contacts) in self.contacts.iter_mut().enumerate() {
            let date = self.dates[interval];
            let factor = match today {
                Some((known, factor)) if known == date => factor,
                _ => day_factor(luck, key, date),
            };
            today = Some((date, factor));
            *contacts *= factor;
            if variance > 0.0 {
                let purpose = Purpose::INTERVAL.of(interval as u64);
                *contacts *= variance * gamma(1.0 / variance, key, purpose);
            }
        }
    }

    pub fn sum(&self) -> f64 {
        self.contacts.iter().sum()
    }

    /// When an interval ends.
    pub fn end_of(&self, interval: usize) -> f64 {
        (interval + 1) as f64 * self.interval_secs
    }
}

/// The volume of a date, as a share of its forecast. The first date of a trial is drawn as a trial of
/// it alone would.
fn day_factor(luck: &DemandLuck, key: Key, date: u32) -> f64 {
    let purpose = match date {
        0 => Purpose::DAY,
        later => Purpose::DAY.of(u64::from(later)),
    };
    let place = key.uniform(purpose) * luck.day_factors.len() as f64;
    luck.day_factors.get(place as usize).copied().unwrap_or(1.0)
}
