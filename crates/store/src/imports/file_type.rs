//! What a file says of one contact type, noted row by row.

use barometer_forecast::Grain;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use uuid::Uuid;

pub(super) struct FileType {
    pub name: String,
    /// Its key and grain, when it is there already.
    pub known: Option<(Uuid, Grain)>,
    /// Minutes of the longest interval on whose wall-clock starts all rows are: 60, 30, 15 or 5.
    pub file_minutes: i16,
    latest: Timestamp,
    /// Whether each row is later than the one before: then none repeats another.
    pub is_in_order: bool,
}

impl FileType {
    /// A contact type of which no row has been seen.
    pub fn new(name: &str, known: Option<(Uuid, Grain)>) -> Self {
        Self {
            name: name.to_owned(),
            known,
            file_minutes: 60,
            latest: Timestamp::MIN,
            is_in_order: true,
        }
    }

    /// Notes when a row starts, on the clocks of `zone`.
    pub fn note_start(&mut self, start: Timestamp, zone: &TimeZone) {
        self.is_in_order &= start > self.latest;
        self.latest = self.latest.max(start);
        if self.file_minutes > 5 {
            let local_secs = start.as_second() + i64::from(zone.to_offset(start).seconds());
            let minutes = match local_secs.rem_euclid(3600) {
                0 => 60,
                1800 => 30,
                900 | 2700 => 15,
                _ => 5,
            };
            self.file_minutes = self.file_minutes.min(minutes);
        }
    }

    /// The grain in which it will be kept: five minutes are added up to quarters.
    pub fn kept_grain(&self) -> Grain {
        let own = Grain::try_from(self.file_minutes).unwrap_or(Grain::Quarter);
        self.known.map_or(own, |(_, grain)| grain)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn noted(starts: &[&str], zone: &str) -> FileType {
        let zone = TimeZone::get(zone).unwrap();
        let mut each = FileType::new("Calls", None);
        starts.iter().for_each(|start| each.note_start(start.parse().unwrap(), &zone));
        each
    }

    #[test]
    fn the_grain_is_the_longest_that_fits_every_start_on_the_wall_clock() {
        let minutes = |starts: &[&str], zone| noted(starts, zone).file_minutes;
        assert_eq!(minutes(&["2026-07-01T08:00:00Z", "2026-07-01T09:00:00Z"], "Europe/London"), 60);
        assert_eq!(minutes(&["2026-07-01T08:00:00Z", "2026-07-01T08:30:00Z"], "Europe/London"), 30);
        assert_eq!(minutes(&["2026-07-01T08:30:00Z", "2026-07-01T08:45:00Z"], "Europe/London"), 15);
        // Half an hour past the hour in UTC is the full hour in India, a quarter to it is in Nepal.
        assert_eq!(minutes(&["2026-07-01T08:30:00Z"], "Asia/Kolkata"), 60);
        assert_eq!(minutes(&["2026-07-01T08:15:00Z"], "Asia/Kathmandu"), 60);
        let five = noted(&["2026-07-01T08:05:00Z"], "Europe/London");
        assert_eq!((five.file_minutes, five.kept_grain()), (5, Grain::Quarter));
    }

    #[test]
    fn only_rising_starts_are_in_order() {
        let in_order = |starts: &[&str]| noted(starts, "Europe/London").is_in_order;
        let (eight, nine) = ("2026-07-01T08:00:00Z", "2026-07-01T09:00:00Z");
        assert!(in_order(&[eight, nine]) && in_order(&[]));
        assert!(
            !in_order(&[nine, eight])
                && !in_order(&[eight, eight])
                && !in_order(&[eight, nine, eight])
        );
    }
}
