//! History laid out as the models need it: days down, wall-clock slots across.

use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

use crate::cleaning::{Mark, Treatment};
use crate::grain::Grain;

/// What one interval of history says.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Observation {
    /// When the interval starts.
    pub start: Timestamp,
    /// Contacts offered.
    pub offered: f64,
    /// Contacts answered.
    pub answered: f64,
    /// Mean handle time of the answered in seconds; none when nothing was answered.
    pub handle_secs: Option<f64>,
}

/// Days of history by wall-clock slot; a cell without history holds `None`.
///
/// In an hour that the clocks repeat, both passes share a slot and are averaged; an hour that the
/// clocks skip has no history.
#[derive(Clone, Debug)]
pub struct DayGrid {
    first: Date,
    grain: Grain,
    zone: TimeZone,
    cells: Vec<Cell>,
}

#[derive(Clone, Copy, Debug, Default)]
struct Cell {
    seen: f64,
    offered: f64,
    answered: f64,
    handled: f64,
    handle_total: f64,
}

impl DayGrid {
    /// Lays out `history`, in any order. Gaps are fine; intervals that do not start on the grain
    /// fall into the slot that they start in.
    ///
    /// Returns `None` for an empty history.
    pub fn new(history: &[Observation], grain: Grain, zone: &TimeZone) -> Option<Self> {
        let starts = || history.iter().map(|seen| seen.start);
        let day_of = |start: Timestamp| start.to_zoned(zone.clone()).date();
        let (first, last) = (day_of(starts().min()?), day_of(starts().max()?));
        let days = days_between(first, last) + 1;
        let mut grid = Self {
            first,
            grain,
            zone: zone.clone(),
            cells: vec![Cell::default(); days * grain.slots_per_day()],
        };
        for seen in history {
            let local = zone.to_datetime(seen.start);
            let at = days_between(first, local.date()) * grain.slots_per_day()
                + slot_of(local.time(), grain);
            let cell = &mut grid.cells[at];
            cell.seen += 1.0;
            cell.offered += seen.offered;
            cell.answered += seen.answered;
            if let Some(handle_secs) = seen.handle_secs.filter(|_| seen.answered > 0.0) {
                cell.handled += seen.answered;
                cell.handle_total += seen.answered * handle_secs;
            }
        }
        Some(grid)
    }

    /// The first day.
    pub fn first_day(&self) -> Date {
        self.first
    }

    /// The day after the last.
    pub fn end(&self) -> Date {
        self.day(self.days())
    }

    /// Number of days, those without history included.
    pub fn days(&self) -> usize {
        self.cells.len() / self.slots()
    }

    /// Slots in a day.
    pub fn slots(&self) -> usize {
        self.grain.slots_per_day()
    }

    /// The interval length.
    pub fn grain(&self) -> Grain {
        self.grain
    }

    /// The zone whose wall clock the slots follow.
    pub fn zone(&self) -> &TimeZone {
        &self.zone
    }

    /// Date of the day with this index; also beyond the last.
    pub fn day(&self, index: usize) -> Date {
        day_after(self.first, index)
    }

    /// 0 for Monday to 6 for Sunday.
    pub fn weekday(&self, day: usize) -> usize {
        let first = self.first.weekday().to_monday_zero_offset();
        (usize::try_from(first).unwrap_or(0) + day) % 7
    }

    /// Contacts offered in a slot of a day, if history knows.
    pub fn offered(&self, day: usize, slot: usize) -> Option<f64> {
        let cell = self.cell(day, slot);
        (cell.seen > 0.0).then(|| cell.offered / cell.seen)
    }

    /// Contacts with a known handle time and their handle seconds in all, in a slot of a day.
    pub fn handled(&self, day: usize, slot: usize) -> (f64, f64) {
        let cell = self.cell(day, slot);
        (cell.handled, cell.handle_total)
    }

    /// The same grid up to and without `day`: what was known on that morning.
    pub fn before(&self, day: usize) -> Self {
        Self {
            cells: self.cells[..day.min(self.days()) * self.slots()].to_vec(),
            ..self.clone_frame()
        }
    }

    /// The same grid from the first day on which contacts came: before a number is in use, its zeros say nothing of
    /// what comes later.
    pub(crate) fn since_first_contact(&self) -> Self {
        let has_contacts =
            |&day: &usize| (0..self.slots()).any(|slot| self.offered(day, slot) > Some(0.0));
        let first = (0..self.days()).find(has_contacts).unwrap_or(0);
        Self {
            first: day_after(self.first, first),
            cells: self.cells[first * self.slots()..].to_vec(),
            ..self.clone_frame()
        }
    }

    /// The same grid as `marks` make it: stretches left out, or with contacts multiplied.
    pub fn marked(&self, marks: &[Mark]) -> Self {
        let mut marked = self.clone();
        let start = self.first.at(0, 0, 0, 0);
        let slot_at = |at: DateTime| {
            let minutes = at.duration_since(start).as_mins() / i64::from(self.grain.minutes());
            usize::try_from(minutes).unwrap_or(0).min(self.cells.len())
        };
        for mark in marks {
            let (from, to) = (slot_at(mark.from), slot_at(mark.to));
            for cell in marked.cells.get_mut(from..to).into_iter().flatten() {
                match mark.treatment {
                    Treatment::LeaveOut => *cell = Cell::default(),
                    Treatment::Scale(factor) => cell.offered *= factor,
                }
            }
        }
        marked
    }

    fn clone_frame(&self) -> Self {
        Self { first: self.first, grain: self.grain, zone: self.zone.clone(), cells: Vec::new() }
    }

    fn cell(&self, day: usize, slot: usize) -> Cell {
        self.cells[day * self.slots() + slot]
    }
}

/// The date so many days after another.
pub(crate) fn day_after(first: Date, days: usize) -> Date {
    first.saturating_add(i64::try_from(days).unwrap_or(i64::MAX).min(1_000_000).days())
}

/// Whole days from one date to a later one.
pub(crate) fn days_between(from: Date, to: Date) -> usize {
    let hours = to.duration_since(from).as_hours();
    usize::try_from(hours / 24).unwrap_or(0)
}

fn slot_of(time: jiff::civil::Time, grain: Grain) -> usize {
    let minutes =
        usize::from(time.hour().unsigned_abs()) * 60 + usize::from(time.minute().unsigned_abs());
    minutes / grain.minutes().unsigned_abs() as usize
}

/// The instants at which the intervals of one local day start, with their wall-clock slots.
///
/// A day on which the clocks go forward has intervals missing, one on which they go back has the
/// repeated slots twice.
pub(crate) fn intervals_of_day(
    day: Date,
    grain: Grain,
    zone: &TimeZone,
) -> Vec<(Timestamp, usize)> {
    let (Ok(start), Ok(end)) = (
        zone.to_timestamp(day.at(0, 0, 0, 0)),
        zone.to_timestamp(day.saturating_add(1.day()).at(0, 0, 0, 0)),
    ) else {
        return Vec::new();
    };
    let mut starts = Vec::with_capacity(grain.slots_per_day() + 4);
    let mut at = start;
    while at < end {
        starts.push((at, slot_of(zone.to_datetime(at).time(), grain)));
        let Ok(next) = at.checked_add(grain.duration()) else { break };
        at = next;
    }
    starts
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    fn london() -> TimeZone {
        TimeZone::get("Europe/London").unwrap()
    }

    #[test]
    fn days_have_23_24_or_25_hours() {
        let intervals = |day| intervals_of_day(day, Grain::Half, &london()).len();
        assert_eq!(intervals(date(2026, 3, 29)), 46, "clocks go forward");
        assert_eq!(intervals(date(2026, 6, 1)), 48);
        assert_eq!(intervals(date(2026, 10, 25)), 50, "clocks go back");
    }

    #[test]
    fn both_passes_of_the_repeated_hour_share_a_slot_and_are_averaged() {
        let at = |text: &str, offered| Observation {
            start: text.parse().unwrap(),
            offered,
            answered: offered,
            handle_secs: Some(60.0),
        };
        let seen = [at("2026-10-25T01:00:00+01:00", 4.0), at("2026-10-25T01:00:00+00:00", 2.0)];
        let grid = DayGrid::new(&seen, Grain::Hour, &london()).unwrap();
        assert_eq!((grid.days(), grid.offered(0, 1)), (1, Some(3.0)));
        assert_eq!(grid.offered(0, 2), None);
    }
}
