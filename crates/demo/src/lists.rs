//! The passengers who are called about cancelled sailings, as the booking system exports them, and those who
//! have asked not to be. All numbers are of ranges that are kept for made-up people.

use rand::{RngExt, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

const SEED: u64 = 0x1a57_0c05;
/// What the list is called.
pub const PASSENGERS: &str = "Winter passengers";
/// What the numbers that are not called are called.
pub const ASKED_NOT_TO: &str = "Asked not to be called";

const SAILINGS: [&str; 4] = [
    "Larkhaven–Skerry 07:30",
    "Skerry–Larkhaven 12:15",
    "Larkhaven–Holm 15:40",
    "Holm–Larkhaven 19:10",
];

/// The list as CSV: three of its rows cannot be used, as happens.
pub fn passengers() -> String {
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(SEED);
    let mut csv = String::from("Phone;Country;Priority;Language;Best time;Attempts;Sailing\n");
    for nth in 0..1400_u32 {
        let (phone, country, language) = number(nth);
        let sailing = rng.random_range(0..SAILINGS.len());
        let priority = if sailing == 0 { "1" } else { "" };
        let hours = if rng.random::<f64>() < 0.15 { "17:00-20:00" } else { "" };
        let attempts = if rng.random::<f64>() < 0.1 { "1" } else { "" };
        csv.push_str(&format!(
            "{phone};{country};{priority};{language};{hours};{attempts};{}\n",
            SAILINGS[sailing]
        ));
    }
    csv.push_str("020 7946 0000;GB;;en;;;Holm–Larkhaven 19:10\n");
    csv.push_str("ask at the desk;GB;;en;;;Larkhaven–Holm 15:40\n");
    csv.push_str("4.42079E+11;GB;;en;;;Larkhaven–Holm 15:40\n");
    csv
}

/// Numbers that are not called, as CSV.
pub fn asked_not_to() -> String {
    let numbers = (0..1400).step_by(90).map(|nth| number(nth).0);
    std::iter::once("Number".to_owned()).chain(numbers).collect::<Vec<_>>().join("\n")
}

/// Somebody's number with the country and the language: four of five in Britain, the others in France and
/// across the Atlantic.
fn number(nth: u32) -> (String, &'static str, &'static str) {
    match nth % 50 {
        0..40 => {
            let place = nth / 50 * 40 + nth % 50;
            let area = ["020 7946 0", "0117 496 0", "0131 496 0"][(place / 400) as usize % 3];
            (format!("{area}{:03}", place % 400), "GB", "en")
        }
        40..47 => {
            let place = nth / 50 * 7 + nth % 50 - 40;
            (format!("+33 1 99 00 {:02} {:02}", place / 100, place % 100), "FR", "fr")
        }
        _ => {
            let place = nth / 50 * 3 + nth % 50 - 47;
            (format!("+1 212 555 01{place:02}"), "US", "en")
        }
    }
}
