//! The record of predictions, ready to print.

use barometer_plan::PredictionRecord;

use crate::words;

/// The record of a contact type.
pub(super) struct RecordRow {
    pub name: String,
    pub days: u32,
    pub forecast_error: String,
    pub bias: String,
    pub level_error: String,
    pub within: String,
}

impl RecordRow {
    pub fn of(record: PredictionRecord) -> Self {
        let none = || words::NONE.to_owned();
        Self {
            name: record.name,
            days: record.days,
            forecast_error: record.forecast_error.map_or_else(none, words::percent),
            bias: record.bias.map_or_else(none, words::change),
            level_error: record
                .level_error
                .map_or_else(none, |error| words::one_decimal(100.0 * error)),
            within: match record.judged {
                0 => none(),
                judged => format!("{} of {judged}", record.within),
            },
        }
    }
}
