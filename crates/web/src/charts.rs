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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_label_can_end_the_script_that_holds_it() {
        let json = embedded(&["</script><script>alert(1)</script>"]).unwrap();
        assert!(!json.contains('<'), "{json}");
        let back: Vec<String> = serde_json::from_str(&json).unwrap();
        assert_eq!(back, ["</script><script>alert(1)</script>"]);
    }
}
