//! How good the predictions for past days were: forecasts and trials, by contact type.

use barometer_store::KeptAccount;

use crate::words;

/// The record of a contact type over the days that are accounted for.
pub(super) struct RecordRow {
    pub name: String,
    pub days: String,
    pub forecast_error: String,
    pub bias: String,
    pub level_error: String,
    pub within: String,
}

#[derive(Default)]
struct Sums {
    days: u32,
    planned: f64,
    actual: f64,
    off: f64,
    judged: u32,
    level_off: f64,
    within: u32,
}

/// One row for each contact type, in the order of the latest account.
pub(super) fn record_rows(accounts: &[KeptAccount]) -> Vec<RecordRow> {
    let mut names: Vec<&str> = Vec::new();
    let done: Vec<_> = accounts.iter().filter_map(|each| each.account.as_ref()).collect();
    for of_type in done.iter().flat_map(|account| &account.types) {
        if !names.contains(&of_type.name.as_str()) {
            names.push(&of_type.name);
        }
    }
    let row = |name: &str| {
        let mut sums = Sums::default();
        for of_type in done.iter().flat_map(|account| &account.types) {
            if of_type.name != name {
                continue;
            }
            sums.days += 1;
            sums.planned += of_type.contacts.planned;
            sums.actual += of_type.contacts.actual;
            sums.off += (of_type.contacts.actual - of_type.contacts.planned).abs();
            if let Some(level) = &of_type.level {
                sums.judged += 1;
                sums.level_off += (level.actual - level.planned).abs();
                sums.within += u32::from(level.is_predicted());
            }
        }
        sums.row(name)
    };
    names.into_iter().map(row).collect()
}

impl Sums {
    fn row(&self, name: &str) -> RecordRow {
        let none = || words::NONE.to_owned();
        let of_actual = |sum: f64| (self.actual > 0.0).then(|| sum / self.actual);
        let judged = f64::from(self.judged);
        RecordRow {
            name: name.to_owned(),
            days: self.days.to_string(),
            forecast_error: of_actual(self.off).map_or_else(none, words::percent),
            bias: of_actual(self.planned - self.actual).map_or_else(none, words::change),
            level_error: if self.judged > 0 {
                words::one_decimal(100.0 * self.level_off / judged)
            } else {
                none()
            },
            within: if self.judged > 0 {
                format!("{} of {}", self.within, self.judged)
            } else {
                none()
            },
        }
    }
}
