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
            colour: assessment.pressure.map_or_else(|| "none".to_owned(), pressure_scale::colour),
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
        _ => "no cover planned".to_owned(),
    }
}
