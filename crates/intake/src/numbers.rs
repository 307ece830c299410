//! Counts and durations as people and machines write them.

/// A number with a decimal point, or a decimal comma; the other of the two groups thousands.
pub(crate) fn number(written: &str, decimal_comma: bool) -> Option<f64> {
    let (decimal, group) = if decimal_comma { (',', '.') } else { ('.', ',') };
    let compact: String = written
        .trim()
        .chars()
        .filter(|character| !matches!(character, ' ' | '\u{a0}' | '\u{202f}' | '\''))
        .collect();
    if compact.is_empty() || compact.matches(decimal).count() > 1 {
        return None;
    }
    let whole = compact.split(decimal).next().unwrap_or_default();
    if whole.contains(group) && !is_grouped(whole, group) {
        return None;
    }
    let plain: String = compact
        .chars()
        .filter(|character| *character != group)
        .map(|character| if character == decimal { '.' } else { character })
        .collect();
    // `inf` and `nan` are words to Rust and mistakes in a file.
    let is_plain = plain.bytes().all(|byte| byte.is_ascii_digit() || b".+-eE".contains(&byte));
    plain.parse::<f64>().ok().filter(|number| is_plain && number.is_finite())
}

/// Whether a group separator stands before every three digits: 1,234,567.
fn is_grouped(whole: &str, group: char) -> bool {
    let mut parts = whole.trim_start_matches(['-', '+']).split(group);
    let first = parts.next().unwrap_or_default();
    (1..=3).contains(&first.len()) && parts.all(|part| part.len() == 3)
}

/// Seconds from a number, or from 1:02:03 and 02:03.
pub(crate) fn seconds(written: &str, decimal_comma: bool, per_unit: f64) -> Option<f64> {
    let written = written.trim();
    if !written.contains(':') {
        return number(written, decimal_comma).map(|number| number * per_unit);
    }
    let mut total = 0.0;
    let parts: Vec<&str> = written.split(':').collect();
    if parts.len() > 3 {
        return None;
    }
    for (at, part) in parts.iter().enumerate() {
        let value = number(part, decimal_comma).filter(|value| *value >= 0.0)?;
        if at > 0 && value >= 60.0 {
            return None;
        }
        total = total * 60.0 + value;
    }
    Some(total)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_follow_the_files_own_decimal_sign() {
        for (written, comma, expected) in [
            ("1,234", false, Some(1234.0)),
            ("1.234", true, Some(1234.0)),
            ("182,5", true, Some(182.5)),
            ("182.5", false, Some(182.5)),
            ("1 234 567", false, Some(1_234_567.0)),
            ("1'234.5", false, Some(1234.5)),
            ("-3", false, Some(-3.0)),
            // A comma that neither groups nor is the decimal sign is a mistake, not 1825.
            ("182,5", false, None),
            ("1.2.3", false, None),
            ("ten", false, None),
            ("inf", false, None),
            ("", false, None),
        ] {
            assert_eq!(number(written, comma), expected, "{written}");
        }
    }

    #[test]
    fn durations_are_seconds_minutes_or_clock_like() {
        assert_eq!(seconds("182.5", false, 1.0), Some(182.5));
        assert_eq!(seconds("3.5", false, 60.0), Some(210.0));
        assert_eq!(seconds("03:02", false, 1.0), Some(182.0));
        assert_eq!(seconds("1:02:03", false, 60.0), Some(3723.0));
        assert_eq!(seconds("1:75", false, 1.0), None);
        assert_eq!(seconds("1:2:3:4", false, 1.0), None);
    }
}
