//! What names are made of, and which days are believed.

use std::ops::RangeInclusive;

/// Years of days that anybody plans for or has history of; others are slips of the pen.
pub const YEARS: RangeInclusive<i16> = 1990..=2199;

/// A text of a file as it can be kept and shown: what cannot be seen is replaced by a mark.
pub fn seen(text: &str) -> String {
    text.chars().map(|letter| if is_unseen(letter) { '\u{fffd}' } else { letter }).collect()
}

/// Whether a character cannot be seen, or changes the direction of those beside it: it has no place in
/// a name.
pub fn is_unseen(letter: char) -> bool {
    letter.is_control()
        || matches!(letter, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
}
