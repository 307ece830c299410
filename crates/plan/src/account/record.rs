//! How good the predictions of days were: their forecast and their planned service level.

use super::found::DayAccount;

/// The record of a contact type over several days.
#[derive(Clone, Debug, PartialEq)]
pub struct PredictionRecord {
    /// The contact type.
    pub name: String,
    /// Days that are accounted for.
    pub days: u32,
    /// Σ |actual − forecast| ÷ Σ actual over days (WAPE); `None` where no contacts arrived.
    pub forecast_error: Option<f64>,
    /// (Σ forecast − Σ actual) ÷ Σ actual.
    pub bias: Option<f64>,
    /// Days whose service level is known.
    pub judged: u32,
    /// Mean |actual − planned| of their service levels, a share; `None` without such days.
    pub level_error: Option<f64>,
    /// Of those days, the ones whose service level lay within the predicted 80 % range.
    pub within: u32,
}

/// A record for each contact type, in the order in which the accounts name them.
pub fn prediction_records(accounts: &[&DayAccount]) -> Vec<PredictionRecord> {
    let types = || accounts.iter().flat_map(|account| &account.types);
    let mut names: Vec<&str> = Vec::new();
    for of_type in types() {
        if !names.contains(&of_type.name.as_str()) {
            names.push(&of_type.name);
        }
    }
    let record = |name: &str| {
        let (mut days, mut judged, mut within) = (0, 0, 0);
        let (mut planned, mut actual, mut off, mut level_off) = (0.0, 0.0, 0.0, 0.0);
        for of_type in types().filter(|each| each.name == name) {
            days += 1;
            planned += of_type.contacts.planned;
            actual += of_type.contacts.actual;
            off += (of_type.contacts.actual - of_type.contacts.planned).abs();
            if let Some(level) = &of_type.level {
                judged += 1;
                level_off += (level.actual - level.planned).abs();
                within += u32::from(level.is_predicted());
            }
        }
        let of_actual = |sum: f64| (actual > 0.0).then(|| sum / actual);
        PredictionRecord {
            name: name.to_owned(),
            days,
            forecast_error: of_actual(off),
            bias: of_actual(planned - actual),
            judged,
            level_error: (judged > 0).then(|| level_off / f64::from(judged)),
            within,
        }
    };
    names.into_iter().map(record).collect()
}

#[cfg(test)]
mod tests {
    use super::super::found::{MeasureAccount, PlannedActual, TypeAccount};
    use super::*;

    fn day(planned: f64, actual: f64, level: Option<f64>) -> DayAccount {
        let level = level.map(|actual| MeasureAccount {
            planned: 0.8,
            actual,
            causes: Vec::new(),
            usual: (0.0, 1.0),
            predicted: (0.7, 0.9),
        });
        let of_type = TypeAccount {
            name: "Calls".to_owned(),
            wanted: 0.8,
            contacts: PlannedActual { planned, actual },
            handle_secs: PlannedActual::default(),
            level,
            abandonment: None,
        };
        DayAccount { types: vec![of_type], teams: Vec::new() }
    }

    #[test]
    fn a_record_weighs_errors_by_contacts_and_counts_days_in_the_predicted_range() {
        let days =
            [day(100.0, 120.0, Some(0.75)), day(100.0, 80.0, Some(0.5)), day(0.0, 0.0, None)];
        let records = prediction_records(&days.iter().collect::<Vec<_>>());
        let [calls] = records.as_slice() else { panic!("one contact type: {records:?}") };
        assert_eq!((calls.days, calls.judged, calls.within), (3, 2, 1));
        assert_eq!((calls.forecast_error, calls.bias), (Some(0.2), Some(0.0)));
        assert!(calls.level_error.is_some_and(|error| (error - 0.175).abs() < 1e-12), "{calls:?}");
        let nothing = prediction_records(&[&day(0.0, 0.0, None)]);
        assert_eq!((nothing[0].forecast_error, nothing[0].level_error), (None, None));
    }
}
