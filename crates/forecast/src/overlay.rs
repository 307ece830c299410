//! What the business knows and history does not: a layer of changes over the forecast.

use jiff::Timestamp;
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;

/// A change of one contact type's forecast over a stretch of days.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Overlay {
    /// First day.
    pub from: Date,
    /// Last day.
    pub to: Date,
    /// Which weekdays of them, Monday first.
    pub weekdays: [bool; 7],
    /// From which time of day until before which; all day when none.
    pub hours: Option<(Time, Time)>,
    /// What happens there.
    pub change: Change,
}

/// What an overlay does to the contacts of the intervals that it covers.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Change {
    /// Times this.
    Factor(f64),
    /// So many contacts a day more, or fewer, spread as the forecast is.
    PerDay(f64),
    /// The covered intervals of each day come to this.
    DayTotal(f64),
}

impl Overlay {
    /// Whether a day is covered.
    pub fn covers_day(&self, day: Date) -> bool {
        let weekday = day.weekday().to_monday_zero_offset();
        let weekday = usize::try_from(weekday).unwrap_or(0);
        (self.from..=self.to).contains(&day) && self.weekdays[weekday]
    }

    fn covers_time(&self, time: Time) -> bool {
        self.hours.is_none_or(|(from, until)| from <= time && time < until)
    }

    /// Applies the overlay to the intervals of one day: their local start times and contacts.
    ///
    /// Contacts never fall below zero. A day on which nothing was forecast spreads what is added
    /// evenly over the covered intervals.
    pub fn apply(&self, day: Date, times: &[Time], contacts: &mut [f64]) {
        if !self.covers_day(day) {
            return;
        }
        let covered: Vec<usize> =
            (0..times.len()).filter(|&at| self.covers_time(times[at])).collect();
        let total: f64 = covered.iter().map(|&at| contacts[at]).sum();
        let wanted = match self.change {
            Change::Factor(factor) => total * factor,
            Change::PerDay(more) => total + more,
            Change::DayTotal(wanted) => wanted,
        };
        let wanted = wanted.max(0.0);
        for &at in &covered {
            contacts[at] = if total > 0.0 {
                contacts[at] * wanted / total
            } else {
                wanted / covered.len() as f64
            };
        }
    }
}

/// Applies overlays in their order to intervals in order of time: their starts and contacts.
pub fn apply_overlays(
    overlays: &[Overlay],
    starts: &[Timestamp],
    contacts: &mut [f64],
    zone: &TimeZone,
) {
    let local: Vec<_> = starts.iter().map(|start| zone.to_datetime(*start)).collect();
    let mut from = 0;
    while from < local.len() {
        let day = local[from].date();
        let to = from + local[from..].partition_point(|at| at.date() <= day);
        let times: Vec<Time> = local[from..to].iter().map(|at| at.time()).collect();
        for overlay in overlays {
            overlay.apply(day, &times, &mut contacts[from..to]);
        }
        from = to;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::{date, time};

    const FRIDAY: Date = date(2026, 11, 27);

    fn promotion(change: Change) -> Overlay {
        Overlay {
            from: FRIDAY,
            to: date(2026, 12, 6),
            weekdays: [false, false, false, false, true, true, true],
            hours: Some((time(9, 0, 0, 0), time(11, 0, 0, 0))),
            change,
        }
    }

    fn applied(change: Change, day: Date) -> [f64; 4] {
        let times = [8, 9, 10, 11].map(|hour| time(hour, 0, 0, 0));
        let mut contacts = [10.0, 20.0, 30.0, 40.0];
        promotion(change).apply(day, &times, &mut contacts);
        contacts
    }

    #[test]
    fn only_the_covered_hours_of_the_covered_days_change() {
        assert_eq!(applied(Change::Factor(1.5), FRIDAY), [10.0, 30.0, 45.0, 40.0]);
        assert_eq!(applied(Change::Factor(1.5), date(2026, 11, 30)), [10.0, 20.0, 30.0, 40.0]);
        assert_eq!(applied(Change::Factor(1.5), date(2026, 12, 11)), [10.0, 20.0, 30.0, 40.0]);
    }

    #[test]
    fn added_contacts_follow_the_shape_and_never_fall_below_zero() {
        assert_eq!(applied(Change::PerDay(10.0), FRIDAY), [10.0, 24.0, 36.0, 40.0]);
        assert_eq!(applied(Change::PerDay(-80.0), FRIDAY), [10.0, 0.0, 0.0, 40.0]);
        assert_eq!(applied(Change::DayTotal(100.0), FRIDAY), [10.0, 40.0, 60.0, 40.0]);
    }

    #[test]
    fn contacts_for_a_day_without_forecast_are_spread_evenly() {
        let mut contacts = [0.0; 4];
        let times = [8, 9, 10, 11].map(|hour| time(hour, 0, 0, 0));
        promotion(Change::PerDay(10.0)).apply(FRIDAY, &times, &mut contacts);
        assert_eq!(contacts, [0.0, 5.0, 5.0, 0.0]);
    }
}
