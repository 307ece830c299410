//! Data of the charts: JSON that stands inside the page.

use serde::Serialize;

use crate::page_error::PageError;

/// JSON for a `<script type="application/json">`: no `<` can end the element early.
pub(crate) fn embedded(data: &impl Serialize) -> Result<String, PageError> {
    serde_json::to_string(data)
        .map(|json| json.replace('<', "\\u003c"))
        .map_err(|error| PageError::Internal(Box::new(error)))
}

/// Rounds to one decimal, as charts show it: half the bytes of a full number.
pub(crate) fn tenth(number: f64) -> f64 {
    (number * 10.0).round() / 10.0
}
