//! Telephone numbers, in whatever notation, to digits that can be dialled.

use std::fmt;

use phonenumber::country;

/// A telephone number with its country code, as digits: at most 15 (ITU-T E.164), so that it fits.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct DialNumber(u64);

impl DialNumber {
    /// Its digits, country code first.
    pub const fn digits(self) -> u64 {
        self.0
    }
}

impl fmt::Display for DialNumber {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "+{}", self.0)
    }
}

/// Whether two letters name a country whose numbers are known.
pub fn is_country(letters: &str) -> bool {
    country_of(letters).is_some()
}

fn country_of(letters: &str) -> Option<country::Id> {
    letters.to_ascii_uppercase().parse().ok()
}

/// Reads numbers of which those without a country code are a given country's.
#[derive(Clone, Debug)]
pub struct NumberReader {
    country: Option<country::Id>,
}

impl NumberReader {
    /// Numbers without a country code are this country's, where there is such a one.
    pub fn of_country(letters: &str) -> Self {
        Self { country: country_of(letters) }
    }

    /// The number in a cell.
    ///
    /// # Errors
    ///
    /// What is wrong with it, and what to do.
    pub fn read(&self, text: &str, country: Option<&str>) -> Result<DialNumber, String> {
        if text.is_empty() {
            return Err("is empty; leave the row out, or give its number".to_owned());
        }
        if is_rounded(text) {
            return Err(format!(
                "“{text}” was rounded by a spreadsheet; format the column as text and export it again"
            ));
        }
        let country = match country {
            Some(letters) => country_of(letters),
            None => self.country,
        };
        // A country code without its plus, as spreadsheets write numbers.
        let with_plus = || phonenumber::parse(country, format!("+{text}")).ok();
        let is_right = |number: &phonenumber::PhoneNumber| phonenumber::is_valid(number);
        let number = phonenumber::parse(country, text).ok().filter(is_right);
        let number = number.or_else(|| with_plus().filter(is_right));
        let Some(number) = number else {
            return Err(match country {
                Some(country) => format!(
                    "“{text}” is no telephone number, neither with a country code nor in {}",
                    country.as_ref()
                ),
                None => format!("“{text}” is no telephone number with a country code"),
            });
        };
        let digits = number.format().mode(phonenumber::Mode::E164).to_string();
        let digits = digits.trim_start_matches('+').parse().ok();
        digits.map(DialNumber).ok_or_else(|| format!("“{text}” has more digits than a number may"))
    }
}

/// Whether a spreadsheet wrote a long number as 4.42E+11, which has lost its last digits.
fn is_rounded(text: &str) -> bool {
    let mut parts = text.split(['e', 'E']);
    let (Some(mantissa), Some(exponent), None) = (parts.next(), parts.next(), parts.next()) else {
        return false;
    };
    let is_number = |text: &str| text.replace(',', ".").parse::<f64>().is_ok();
    is_number(mantissa) && exponent.parse::<i32>().is_ok()
}
