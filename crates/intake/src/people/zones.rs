//! The time zone of a number, by the longest prefix that a table knows.

use std::collections::HashMap;

use jiff::tz::TimeZone;

use super::DialNumber;

/// Zones of prefixes. The one that is shipped was put together from the public numbering plans and the tz
/// database; a mobile number may have moved since it was given out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PrefixZones {
    /// Places in `zones`, by prefix.
    prefixes: HashMap<u64, u16>,
    zones: Vec<String>,
}

/// Why a table of prefixes cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("Row {row}, column {field}: {reason}.")]
pub struct PrefixError {
    /// Row of the file, the heading is 1.
    pub row: usize,
    /// Column.
    pub field: &'static str,
    /// What is wrong, and what to do.
    pub reason: String,
}

/// Digits that a prefix may have.
const MOST_DIGITS: usize = 9;
/// Rows that a table may have.
const MOST_ROWS: usize = 20_000;

impl PrefixZones {
    /// The table that ships with Barometer, as text.
    pub const SHIPPED: &'static str = include_str!("../../data/number-prefixes.csv");

    /// The table that ships with Barometer.
    ///
    /// # Panics
    ///
    /// Never: a test reads it.
    #[expect(clippy::expect_used, reason = "a test reads the table that ships")]
    pub fn shipped() -> Self {
        Self::from_csv(Self::SHIPPED).expect("the shipped table is right, as a test shows")
    }

    /// A table of lines such as `+353,Europe/Dublin`, with a heading.
    ///
    /// # Errors
    ///
    /// The first row that cannot be used.
    pub fn from_csv(text: &str) -> Result<Self, PrefixError> {
        let mut table = Self { prefixes: HashMap::new(), zones: Vec::new() };
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        for (at, line) in text.lines().enumerate().skip(1) {
            if line.trim().is_empty() {
                continue;
            }
            let refused = |field, reason| Err(PrefixError { row: at + 1, field, reason });
            if at > MOST_ROWS {
                let reason = format!("a table may have up to {MOST_ROWS} prefixes");
                return refused("prefix", reason);
            }
            let Some((prefix, zone)) = line.split_once([',', ';', '\t']) else {
                let reason = "needs two columns, such as +353,Europe/Dublin".to_owned();
                return refused("prefix", reason);
            };
            let (prefix, zone) = (prefix.trim().trim_matches('"'), zone.trim().trim_matches('"'));
            let digits = prefix.trim_start_matches('+');
            let is_right = (1..=MOST_DIGITS).contains(&digits.len())
                && !digits.starts_with('0')
                && digits.bytes().all(|digit| digit.is_ascii_digit());
            let Some(digits) = digits.parse().ok().filter(|_| is_right) else {
                let reason = format!(
                    "“{prefix}” is no prefix: write the country code and up to {MOST_DIGITS} digits in all"
                );
                return refused("prefix", reason);
            };
            if TimeZone::get(zone).is_err() {
                return refused("zone", format!("there is no time zone “{zone}”"));
            }
            let place = match table.zones.iter().position(|known| known == zone) {
                Some(place) => place,
                None => {
                    table.zones.push(zone.to_owned());
                    table.zones.len() - 1
                }
            };
            if table.prefixes.insert(digits, place as u16).is_some() {
                return refused("prefix", format!("“{prefix}” stands in an earlier row too"));
            }
        }
        if table.prefixes.is_empty() {
            let reason = "the file has no prefix under its heading".to_owned();
            return Err(PrefixError { row: 2, field: "prefix", reason });
        }
        Ok(table)
    }

    /// How many prefixes there are.
    pub fn len(&self) -> usize {
        self.prefixes.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.prefixes.is_empty()
    }

    /// The country whose numbers begin with the shortest prefix of a zone, as two letters.
    pub fn country_in(&self, zone: &str) -> Option<String> {
        let place = self.zones.iter().position(|known| known == zone)? as u16;
        let here = self.prefixes.iter().filter(|(_, each)| **each == place);
        let code = here.map(|(prefix, _)| *prefix).min()?;
        let code = u16::try_from(code).ok()?;
        let regions = phonenumber::metadata::DATABASE.region(&code)?;
        regions.first().map(|region| (*region).to_owned())
    }

    /// The zone of the longest prefix of a number.
    pub fn zone_of(&self, number: DialNumber) -> Option<&str> {
        let mut prefix = number.digits();
        while prefix > 0 {
            if let Some(&place) = self.prefixes.get(&prefix) {
                return self.zones.get(usize::from(place)).map(String::as_str);
            }
            prefix /= 10;
        }
        None
    }
}
