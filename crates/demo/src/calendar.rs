//! What the days at Larkhaven are like: seasons, school holidays, storms, events.

use jiff::civil::{Date, date};

/// A day on which the telephone switch was down for a while, and from when until when.
pub(crate) const OUTAGE: (Date, i8, i8) = (date(2026, 3, 11), 10, 13);

/// A stretch of days whose afternoon records were lost by the switch.
pub(crate) const LOST_RECORDS: (Date, Date) = (date(2025, 2, 4), date(2025, 2, 6));

/// The day on which online booking was launched: fewer booking calls from then on, more chats.
pub(crate) const ONLINE_BOOKING: Date = date(2025, 9, 15);

/// Days on which ferries stayed in harbour, with how hard it blew: 1 for a day of cancellations.
const STORMS: [(Date, f64); 24] = [
    (date(2024, 9, 27), 0.7),
    (date(2024, 10, 20), 1.0),
    (date(2024, 11, 23), 1.2),
    (date(2024, 12, 7), 1.3),
    (date(2024, 12, 8), 0.8),
    (date(2025, 1, 24), 1.4),
    (date(2025, 1, 25), 0.6),
    (date(2025, 2, 22), 0.8),
    (date(2025, 3, 15), 0.6),
    (date(2025, 8, 4), 0.9),
    (date(2025, 10, 3), 1.0),
    (date(2025, 10, 4), 1.1),
    (date(2025, 11, 14), 0.7),
    (date(2025, 12, 9), 1.2),
    (date(2025, 12, 27), 0.9),
    (date(2026, 1, 17), 1.0),
    (date(2026, 1, 18), 0.5),
    (date(2026, 2, 13), 1.3),
    (date(2026, 3, 28), 0.7),
    (date(2026, 5, 21), 0.6),
    (date(2026, 9, 19), 0.8),
    (date(2026, 10, 11), 1.0),
    (date(2026, 10, 12), 0.6),
    (date(2026, 11, 6), 0.9),
];

/// First and last days of school holidays.
pub const SCHOOL_HOLIDAYS: [(Date, Date); 14] = [
    (date(2024, 8, 23), date(2024, 9, 1)),
    (date(2024, 10, 26), date(2024, 11, 3)),
    (date(2024, 12, 21), date(2025, 1, 5)),
    (date(2025, 2, 15), date(2025, 2, 23)),
    (date(2025, 4, 5), date(2025, 4, 21)),
    (date(2025, 5, 24), date(2025, 6, 1)),
    (date(2025, 7, 23), date(2025, 8, 31)),
    (date(2025, 10, 25), date(2025, 11, 2)),
    (date(2025, 12, 20), date(2026, 1, 4)),
    (date(2026, 2, 14), date(2026, 2, 22)),
    (date(2026, 3, 28), date(2026, 4, 12)),
    (date(2026, 7, 22), date(2026, 8, 31)),
    (date(2026, 10, 24), date(2026, 11, 1)),
    (date(2026, 12, 19), date(2027, 1, 3)),
];

/// How hard it blew on this day: 0 on most.
pub(crate) fn storm(day: Date) -> f64 {
    STORMS.iter().find(|(stormy, _)| *stormy == day).map_or(0.0, |(_, force)| *force)
}

pub(crate) fn is_school_holiday(day: Date) -> bool {
    SCHOOL_HOLIDAYS.iter().any(|(first, last)| (*first..=*last).contains(&day))
}

/// The season: 1 on average, highest at the end of July, lowest in January.
pub(crate) fn season(day: Date, strength: f64) -> f64 {
    let turn = f64::from(day.day_of_year() - 208) / 365.25 * std::f64::consts::TAU;
    // The second harmonic makes the summer narrow and the winter long.
    1.0 + strength * (turn.cos() + 0.25 * (2.0 * turn).cos())
}

/// Years since the first day of history, for growth.
pub(crate) fn years_in(day: Date) -> f64 {
    day.duration_since(crate::FIRST_DAY).as_hours() as f64 / 24.0 / 365.25
}
