//! Larkhaven Ferries, a made-up operator of island ferries, for the demo.
//!
//! [`larkhaven`] makes 27 months of half-hours for seven contact types and the cover of the weeks to
//! come, always the same. What was expected of an interval ([`Character::expected_contacts`]) is
//! growth, season, weekday, time of day and events; what came ([`history`](mod@history)) adds the luck of the
//! day, and abandonment follows from the people who were there, through Erlang A.
//!
//! The demo's [`TODAY`] is fixed, so screens and tests stay as they are.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod calendar;
mod campaigns;
mod character;
mod cover;
mod drafts;
mod expectations;
mod history;
pub mod lists;
mod numbers;
mod past_calls;
mod people;
mod strategy;

pub use calendar::SCHOOL_HOLIDAYS;
pub use campaigns::campaign_draft;
pub use character::Character;
pub use drafts::{DemoDraft, better_draft, faulty_draft};
pub use expectations::expectations;
pub use history::PastInterval;
pub use past_calls::{PAST_CALLS, past_calls};
pub use people::{PEOPLE, Person, work_on, works_for};
pub use strategy::strategy;

use barometer_forecast::Grain;
use jiff::civil::{Date, date};
use jiff::tz::TimeZone;
use jiff::{Error, Timestamp};

/// The day taken for today: a Monday.
pub const TODAY: Date = date(2026, 11, 23);

/// The first day of history: 27 months before today.
pub const FIRST_DAY: Date = date(2024, 8, 23);

/// Name of the centre.
pub const CENTRE: &str = "Larkhaven Ferries";
/// Its seats for agents.
pub const SEATS: u32 = 170;
/// Agents who may be signed in at its switch at once.
pub const LICENCES: u32 = 160;

/// IANA zone of the centre.
pub const ZONE: &str = "Europe/London";

/// Interval length of all history.
pub const GRAIN: Grain = Grain::Half;

/// Weeks from today for which cover is planned.
pub const COVER_WEEKS: i64 = 4;

const SEED: u64 = 20_261_123;

/// One contact type with all that the demo shows of it.
#[derive(Clone, Debug)]
pub struct DemoContactType {
    /// What it is like.
    pub character: Character,
    /// What came, oldest first; a few intervals are missing.
    pub history: Vec<PastInterval>,
    /// People on the phones: in the weeks before today those who were there, from today on those planned.
    pub cover: Vec<(Timestamp, u32)>,
}

/// All contact types of Larkhaven Ferries, in the order in which planners list them.
///
/// # Errors
///
/// Only when the zone is unknown to the time-zone database.
pub fn larkhaven() -> Result<Vec<DemoContactType>, Error> {
    let zone = TimeZone::get(ZONE)?;
    Ok(Character::all()
        .into_iter()
        .enumerate()
        .map(|(index, character)| {
            let (history, mut cover) = history::past(&character, &zone, SEED + index as u64);
            cover.extend(cover::planned(&character, &zone));
            DemoContactType { history, cover, character }
        })
        .collect())
}
