//! What a forecast number is made of.

/// The factors of one day's forecast; with the interval's share of the day they multiply to the
/// interval's number, whatever method made it.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct DayParts {
    /// Contacts of a mean day of the last four weeks, special days evened out.
    pub level: f64,
    /// What the time of year and the trend make of it around this day.
    pub drift: f64,
    /// What this weekday is to the days around it.
    pub weekday: f64,
    /// What the special days on it do.
    pub special: f64,
}

impl DayParts {
    /// The day's contacts.
    pub fn contacts(&self) -> f64 {
        self.level * self.drift * self.weekday * self.special
    }
}

/// Takes daily totals to come apart. `ordinary` are the totals without special days, `special`
/// their factors, `level` the mean day of the last four weeks.
pub(crate) fn day_parts(level: f64, ordinary: &[f64], special: &[f64]) -> Vec<DayParts> {
    (0..ordinary.len())
        .map(|day| {
            // A whole week around the day, so that every weekday is in it once.
            let from = day.saturating_sub(3).min(ordinary.len().saturating_sub(7));
            let week = &ordinary[from..(from + 7).min(ordinary.len())];
            let around = week.iter().sum::<f64>() / week.len() as f64;
            let share = |part: f64, whole: f64| if whole > 0.0 { part / whole } else { 0.0 };
            DayParts {
                level,
                drift: share(around, level),
                weekday: share(ordinary[day], around),
                special: special[day],
            }
        })
        .collect()
}
