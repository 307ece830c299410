//! From the people of an imported list to what a strategy keeps of them, and when they can be called.

use std::collections::BTreeMap;

use barometer_strategy::{Campaign, ImportedList, LocalHours, PeopleGroup};
use jiff::civil::{Time, time};

use crate::{CallingTimes, Seconds};

const HOUR_SECS: f64 = 3600.0;
/// Calls so far that are told apart where a list has people of too many kinds.
const MOST_ATTEMPTS: u8 = 10;

/// People of a list fall into more groups than a strategy keeps.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "the list has {found} kinds of people by zone, priority, calls so far and preferred hours; a campaign tells \
     {} apart. Give fewer preferred hours or priorities",
    ImportedList::MOST_GROUPS
)]
pub struct TooManyGroups {
    /// How many there are.
    pub found: usize,
}

/// Puts groups that are alike together, those that are called first before the others. Where there are more
/// than a strategy keeps, preferred hours are narrowed to whole ones, so that nobody is called outside them,
/// and more than ten calls so far count as ten.
///
/// # Errors
///
/// [`TooManyGroups`] where that is not enough.
pub fn put_together(
    groups: impl Iterator<Item = PeopleGroup>,
) -> Result<Vec<PeopleGroup>, TooManyGroups> {
    let exact = counted(groups);
    if exact.len() <= ImportedList::MOST_GROUPS {
        return Ok(exact);
    }
    let coarse = counted(exact.into_iter().map(|group| PeopleGroup {
        hours: group.hours.map(whole_hours),
        attempts: group.attempts.min(MOST_ATTEMPTS),
        ..group
    }));
    let found = coarse.len();
    if found <= ImportedList::MOST_GROUPS { Ok(coarse) } else { Err(TooManyGroups { found }) }
}

fn counted(groups: impl Iterator<Item = PeopleGroup>) -> Vec<PeopleGroup> {
    type Alike = (u8, String, u8, Option<(Time, Time)>);
    let mut people: BTreeMap<Alike, u32> = BTreeMap::new();
    for group in groups {
        let hours = group.hours.map(|hours| (hours.from, hours.until));
        *people.entry((group.priority, group.zone, group.attempts, hours)).or_default() +=
            group.people;
    }
    let group = |((priority, zone, attempts, hours), people): (Alike, u32)| PeopleGroup {
        people,
        zone,
        priority,
        attempts,
        hours: hours.map(|(from, until)| LocalHours { from, until }),
    };
    people.into_iter().map(group).collect()
}

/// The whole hours within these; hours without a whole one in them stay.
fn whole_hours(hours: LocalHours) -> LocalHours {
    let is_whole = hours.from == time(hours.from.hour(), 0, 0, 0);
    let first = hours.from.hour() + i8::from(!is_whole);
    if first >= hours.until.hour() {
        return hours;
    }
    LocalHours { from: time(first, 0, 0, 0), until: time(hours.until.hour(), 0, 0, 0) }
}

/// People of a campaign's list who can be called in each hour after a midnight of the centre's, and how many
/// of them answer then, by what the campaign assumes. An hour counts for those who can be called in its middle.
pub fn callable_by_hour(
    campaign: &Campaign,
    times: &CallingTimes,
    midnight: Seconds,
) -> [(f64, f64); 24] {
    let people = f64::from(campaign.list.people);
    let together = campaign.list.callable_together();
    std::array::from_fn(|hour| {
        let middle = midnight + (hour as f64 + 0.5) * HOUR_SECS;
        let open = together.iter().enumerate().filter(|&(zone, _)| times.is_open(zone, middle));
        open.fold((0.0, 0.0), |(callable, answering), (zone, each)| {
            let share = people * each.share;
            let factor =
                each.zone.as_deref().map_or(1.0, |zone| campaign.assumed.zone_factor(zone));
            let answered = factor * campaign.assumed.answered_at(times.local_hour(zone, middle));
            (callable + share, answering + share * answered)
        })
    })
}
