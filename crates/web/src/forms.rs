//! What is wrong with a typed form, field by field; nothing typed is lost.

use std::collections::BTreeMap;
use std::fmt::Display;
use std::ops::RangeInclusive;
use std::str::FromStr;

use barometer_intake::YEARS;
use jiff::civil::Date;
use serde::Deserialize;

/// Messages by field. A field keeps its first message.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct FormErrors(BTreeMap<&'static str, String>);

/// A day as people type it, or a browser sends it: 2026-11-27. Years that nobody plans for are none.
pub(crate) fn day(typed: &str) -> Option<Date> {
    typed.trim().parse::<Date>().ok().filter(|day| YEARS.contains(&day.year()))
}

/// What a button of a row does.
#[derive(Debug, Deserialize)]
pub(crate) struct ActForm {
    pub act: String,
}

impl FormErrors {
    /// The message of a field, for the template.
    pub fn at(&self, field: &str) -> Option<&str> {
        self.0.get(field).map(String::as_str)
    }

    /// One message at one field.
    pub fn of(field: &'static str, message: impl Into<String>) -> Self {
        let mut wrong = Self::default();
        wrong.note(field, message);
        wrong
    }

    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub fn note(&mut self, field: &'static str, message: impl Into<String>) {
        self.0.entry(field).or_insert_with(|| message.into());
    }

    /// A whole number within `range` as people type it ("+2", "−3", "12,000"), or a message.
    pub fn whole<N>(
        &mut self,
        field: &'static str,
        typed: &str,
        range: RangeInclusive<N>,
    ) -> Option<N>
    where
        N: FromStr + PartialOrd + Display + Copy,
    {
        let plain = typed.trim().trim_start_matches('+').replace('−', "-").replace([',', ' '], "");
        let number = plain.parse::<N>().ok().filter(|number| range.contains(number));
        if number.is_none() {
            let (least, most) = (range.start(), range.end());
            self.note(field, format!("Must be a whole number from {least} to {most}."));
        }
        number
    }

    /// As [`whole`](Self::whole), where nothing typed means nothing.
    pub fn optional_whole<N>(
        &mut self,
        field: &'static str,
        typed: &str,
        range: RangeInclusive<N>,
    ) -> Option<N>
    where
        N: FromStr + PartialOrd + Display + Copy,
    {
        if typed.trim().is_empty() { None } else { self.whole(field, typed, range) }
    }

    /// A number as people type it ("12.5", "12,5", "30 %"); `None` for nothing or with a message.
    pub fn number(&mut self, field: &'static str, typed: &str) -> Option<f64> {
        let plain = typed.trim().trim_end_matches('%').trim().replace(',', ".").replace('−', "-");
        match plain.parse::<f64>() {
            Ok(number) if number.is_finite() => Some(number),
            _ if plain.is_empty() => None,
            _ => {
                self.note(field, format!("“{}” is not a number", typed.trim()));
                None
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_read_as_people_type_them() {
        let mut wrong = FormErrors::default();
        assert_eq!(wrong.whole("more", " −3 ", -10..=10), Some(-3));
        assert_eq!(wrong.whole("days", "1,200", 2..=20_000), Some(1200));
        assert_eq!(wrong.whole("more", "+2", 0_u32..=9), Some(2));
        assert_eq!(wrong.number("share", "12,5 %"), Some(12.5));
        assert_eq!(wrong.number("setting", "−1.5"), Some(-1.5));
        assert_eq!(
            (wrong.number("share", " "), wrong.optional_whole("a", "", 0..=5)),
            (None, None)
        );
        assert!(wrong.is_empty());
    }

    #[test]
    fn a_field_keeps_its_first_message() {
        let mut wrong = FormErrors::default();
        assert_eq!(wrong.whole("people", "a few", 0..=50), None);
        wrong.note("people", "later");
        assert_eq!(wrong.at("people"), Some("Must be a whole number from 0 to 50."));
        assert_eq!(wrong.number("share", "inf"), None);
        assert_eq!(wrong.at("share"), Some("“inf” is not a number"));
    }
}
