//! The roster of the weeks to come: shifts that follow the need, with the holes that planners know.

use jiff::civil::{Date, DateTime, date};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

use crate::character::Character;
use crate::history::planned_agents;
use crate::{COVER_WEEKS, GRAIN, TODAY};

/// People missing from the roster: contact type, day, from and until which hour, and what share.
const HOLES: [(&str, Date, f64, f64, f64); 4] = [
    // New ticketing system: half the team in training.
    ("Sailing changes", date(2026, 11, 27), 7.5, 10.0, 0.45),
    // A shift swap that left Saturday morning short.
    ("Sailing changes", date(2026, 11, 28), 8.5, 12.5, 0.4),
    // A doctor's appointment and a long lunch.
    ("Assisted travel", date(2026, 11, 27), 10.0, 12.0, 0.2),
    ("Assisted travel", date(2026, 11, 27), 13.5, 15.5, 0.2),
];

/// People planned on the phones for every open half-hour of the coming weeks.
pub(crate) fn planned(character: &Character, zone: &TimeZone) -> Vec<(Timestamp, u32)> {
    let mut cover = Vec::new();
    for ahead in 0..COVER_WEEKS * 7 {
        let day = TODAY.saturating_add(ahead.days());
        for slot in 0..GRAIN.slots_per_day() {
            let at = day.at((slot / 2) as i8, (slot % 2 * 30) as i8, 0, 0);
            if let (Some(agents), Ok(start)) = (agents(character, at), zone.to_timestamp(at)) {
                cover.push((start, agents));
            }
        }
    }
    cover
}

/// Shifts start and end between intervals: each has the people of its busiest neighbour.
fn agents(character: &Character, at: DateTime) -> Option<u32> {
    character.planned_load(at)?;
    let busiest = (-1..=1)
        .filter_map(|halves: i64| {
            character.planned_load(at.saturating_add((30 * halves).minutes()))
        })
        .map(|load| planned_agents(load, &character.rules))
        .max()?;
    let hour = f64::from(at.hour()) + f64::from(at.minute()) / 60.0;
    let missing = HOLES
        .iter()
        .find(|(name, day, from, until, _)| {
            *name == character.name && *day == at.date() && (*from..*until).contains(&hour)
        })
        .map_or(0.0, |(.., share)| *share);
    Some((f64::from(busiest) * (1.0 - missing)).floor() as u32)
}
