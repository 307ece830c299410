//! The pressure strip: a day's intervals as coloured cells, the same on every page that has one.

use barometer_plan::PlannedInterval;
use barometer_store::ContactType;
use jiff::Timestamp;
use jiff::tz::TimeZone;

use crate::pressure_scale;
use crate::words;

/// Hours of the wall clock that a strip spans.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Hours {
    first: i8,
    end: i8,
}

impl Hours {
    /// From the first hour with an interval until the end of the last; shop hours without any.
    pub fn of<'a>(intervals: impl Iterator<Item = &'a PlannedInterval>, zone: &TimeZone) -> Self {
        let hours = intervals.map(|interval| zone.to_datetime(interval.start).hour());
        let (first, end) =
            hours.fold((24, 0), |(first, end), hour| (first.min(hour), end.max(hour + 1)));
        if first < end { Self { first, end } } else { Self { first: 7, end: 21 } }
    }

    /// "07:00–21:00".
    pub fn words(self) -> String {
        format!("{:02}:00–{:02}:00", self.first, self.end)
    }

    /// From and until in minutes after midnight.
    pub fn minutes(self) -> (u32, u32) {
        let minutes = |hour: i8| u32::from(hour.unsigned_abs()) * 60;
        (minutes(self.first), minutes(self.end))
    }

    /// Where a time of day lies, in per cent of the strip's width.
    fn percent(self, hour: f64) -> f64 {
        100.0 * (hour - f64::from(self.first)) / f64::from(self.end - self.first)
    }
}

/// One interval of a strip.
pub(crate) struct Cell {
    /// Left edge in per cent of the day's width.
    pub x: f64,
    /// Width in per cent.
    pub width: f64,
    pub colour: String,
    /// Start in seconds since the epoch, by which scripts find neighbours.
    pub at: i64,
    pub title: String,
    /// Address of the interval in figures.
    pub figures: String,
    pub is_chosen: bool,
}

/// Cells overlap by this much, in per cent, so that no gap shows between them.
const OVERLAP: f64 = 0.3;

/// The cells of one day; `figures` is the address of an interval in figures.
pub(crate) fn cells(
    contact_type: &ContactType,
    day: &[PlannedInterval],
    hours: Hours,
    chosen: Option<Timestamp>,
    zone: &TimeZone,
    figures: impl Fn(i64) -> String,
) -> Vec<Cell> {
    let width = hours.percent(contact_type.grain.secs() / 3600.0) - hours.percent(0.0) + OVERLAP;
    let cell = |interval: &PlannedInterval| {
        let local = zone.to_datetime(interval.start);
        let at = interval.start.as_second();
        let assessment = &interval.assessment;
        Cell {
            x: hours.percent(f64::from(local.hour()) + f64::from(local.minute()) / 60.0),
            width,
            // An interval with contacts and nobody planned is no closed one: it is hatched.
            colour: match assessment.pressure {
                Some(pressure) => pressure_scale::colour(pressure),
                None if is_uncovered(interval) => "url(#no-cover)".to_owned(),
                None => "none".to_owned(),
            },
            at,
            title: format!(
                "{}, {} {}: {}",
                contact_type.name,
                words::short_day(local.date()),
                words::clock_time(local.time()),
                state(interval),
            ),
            figures: figures(at),
            is_chosen: chosen == Some(interval.start),
        }
    };
    day.iter().map(cell).collect()
}

fn state(interval: &PlannedInterval) -> String {
    match (interval.assessment.pressure, interval.assessment.verdict) {
        (Some(pressure), Some(verdict)) => {
            format!("pressure {}, {}", words::pressure(pressure), verdict.word())
        }
        _ if is_uncovered(interval) => "contacts are expected and nobody is planned".to_owned(),
        _ => "nothing is expected".to_owned(),
    }
}

/// Whether contacts are expected for whom nobody is planned.
pub(crate) fn is_uncovered(interval: &PlannedInterval) -> bool {
    interval.assessment.pressure.is_none() && interval.load.contacts > 0.0
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_forecast::Grain;
    use barometer_plan::{CoverInterval, ForecastInterval, IntervalLoad, Rules, schedule};
    use jiff::ToSpan;
    use jiff::civil::{Date, date};
    use uuid::Uuid;

    fn london() -> TimeZone {
        TimeZone::get("Europe/London").unwrap()
    }

    fn contact_type() -> ContactType {
        let name = "Calls".to_owned();
        ContactType {
            id: Uuid::nil(),
            centre: Uuid::nil(),
            name,
            grain: Grain::Half,
            rules: Rules::STARTING,
            habits: Default::default(),
            pinned_method: None,
            like: None,
            archived_at: None,
        }
    }

    /// Half-hours of a day, from midnight on the wall clock.
    fn day(day: Date, halves: std::ops::Range<i64>, agents: Option<u32>) -> Vec<PlannedInterval> {
        let midnight = london().to_timestamp(day.at(0, 0, 0, 0)).unwrap();
        let load = IntervalLoad { contacts: 60.0, handle_secs: 300.0 };
        let forecast: Vec<_> = halves
            .map(|half| ForecastInterval { start: midnight + (30 * half).minutes(), load })
            .collect();
        let cover: Vec<_> = forecast
            .iter()
            .filter_map(|each| Some(CoverInterval { start: each.start, agents: agents? }))
            .collect();
        schedule(&forecast, &cover, 1800.0, &Rules::STARTING).unwrap()
    }

    #[test]
    fn cells_fill_the_open_hours_from_edge_to_edge() {
        let plan = day(date(2026, 11, 23), 16..36, Some(14));
        let hours = Hours::of(plan.iter(), &london());
        assert_eq!(hours.words(), "08:00–18:00");
        let cells = cells(&contact_type(), &plan, hours, Some(plan[3].start), &london(), |at| {
            at.to_string()
        });
        assert_eq!((cells.len(), cells[0].x), (20, 0.0));
        let last = &cells[19];
        assert!((last.x + last.width - 100.0 - OVERLAP).abs() < 1e-9, "{} {}", last.x, last.width);
        assert!(cells[3].is_chosen && !cells[4].is_chosen);
        assert_eq!(cells[0].title, "Calls, Mon 23 Nov 08:00: pressure 0.71, holds");
        assert_eq!(cells[0].figures, plan[0].start.as_second().to_string());
    }

    #[test]
    fn a_cell_without_cover_is_hatched_a_closed_one_empty_and_one_without_people_a_storm() {
        let hours = Hours::of([].into_iter(), &london());
        assert_eq!(hours.words(), "07:00–21:00");
        let made = |agents| {
            let plan = day(date(2026, 11, 23), 20..21, agents);
            cells(&contact_type(), &plan, hours, None, &london(), |_| String::new()).remove(0)
        };
        assert_eq!(
            (made(None).colour.as_str(), made(None).title.contains("nobody is planned")),
            ("url(#no-cover)", true)
        );
        let mut closed = day(date(2026, 11, 23), 20..21, None);
        closed[0].load.contacts = 0.0;
        let cell = cells(&contact_type(), &closed, hours, None, &london(), |_| String::new());
        assert_eq!(cell[0].colour, "none");
        assert!(cell[0].title.ends_with("nothing is expected"), "{}", cell[0].title);
        assert_eq!(made(Some(0)).colour, "#7a1230");
        assert!(made(Some(0)).title.contains("pressure ∞, breaks"));
    }

    #[test]
    fn cells_stand_at_their_wall_clock_time_when_the_clocks_change() {
        // 25 October 2026: 01:00 comes twice, so the 8th half-hour from midnight starts at 03:00.
        let plan = day(date(2026, 10, 25), 0..50, Some(12));
        let hours = Hours::of(plan.iter(), &london());
        let cells = cells(&contact_type(), &plan, hours, None, &london(), |_| String::new());
        assert_eq!((cells.len(), hours.words()), (50, "00:00–24:00".to_owned()));
        assert!((cells[2].x - cells[4].x).abs() < 1e-9, "both passes of 01:00 share a place");
        assert!((cells[8].x - 12.5).abs() < 1e-9, "{}", cells[8].x);
    }
}
