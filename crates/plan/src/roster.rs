//! Rosters: from fitted shifts to people's stretches of work, who gets which shift, and from stretches
//! to the cover of each interval.

use std::collections::BTreeMap;

use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Span, Timestamp};

use crate::schedule::{CoverInterval, PlannedInterval};
use crate::shifts::{FittedRoster, ShiftProblem};

/// A stretch of work: from, and until when.
pub type Stretch = (Timestamp, Timestamp);

/// Somebody who may get a shift.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RosterCandidate<'a> {
    /// Names of contact types, or of anything else; none for somebody who takes them all.
    pub skills: &'a [String],
    /// Hours a week.
    pub contract_hours: f64,
    /// Whether this person is away on a day of the week.
    pub is_away: bool,
}

/// A contract of so many hours more or fewer than a shift is of another kind of shift.
const MOST_HOURS_OFF: f64 = 6.0;

/// The stretches of work of each person of a fitted roster in the week from `monday`.
pub fn stretches_of(
    roster: &FittedRoster,
    problem: &ShiftProblem,
    monday: Date,
    zone: &TimeZone,
) -> Vec<Vec<Stretch>> {
    let mut people = Vec::new();
    for shift in &roster.shifts {
        let Some(shape) = problem.shapes.get(shift.shape) else { continue };
        let stretches: Vec<Stretch> = (0..7)
            .flat_map(|day| {
                let parts = FittedRoster::stretches(shift, shape, day);
                let day = monday.saturating_add(Span::new().days(day as i64));
                stretches_on(day, &parts, zone)
            })
            .collect();
        people.extend((0..shift.people).map(|_| stretches.clone()));
    }
    people
}

/// Stretches of minutes after midnight on a day, as instants.
fn stretches_on(day: Date, parts: &[(u32, u32)], zone: &TimeZone) -> Vec<Stretch> {
    let at = |minutes: u32| {
        let local = day.at(0, 0, 0, 0).saturating_add(Span::new().minutes(i64::from(minutes)));
        zone.to_timestamp(local).ok()
    };
    let instants = parts.iter().filter_map(|(from, to)| at(*from).zip(at(*to)));
    instants.filter(|(from, to)| from < to).collect()
}

/// Gives shifts to people: to those whose skills name the contact type (or who have none), who are not
/// away, and whose contract fits the hours best. The other shifts stay open. Gives each shift's candidate
/// by place; nobody gets two.
pub fn assign(
    shifts: &[Vec<Stretch>],
    candidates: &[RosterCandidate<'_>],
    contact_type: &str,
) -> Vec<Option<usize>> {
    let mut free: Vec<usize> = (0..candidates.len())
        .filter(|&at| {
            let RosterCandidate { skills, is_away, .. } = candidates[at];
            let is_skilled = skills.is_empty()
                || skills.iter().any(|skill| skill.eq_ignore_ascii_case(contact_type));
            is_skilled && !is_away
        })
        .collect();
    shifts
        .iter()
        .map(|shift| {
            let hours: f64 = shift
                .iter()
                .map(|(from, to)| (to.as_second() - from.as_second()) as f64 / 3600.0)
                .sum();
            let off = |at: usize| (candidates[at].contract_hours - hours).abs();
            let place = (0..free.len()).min_by(|&a, &b| off(free[a]).total_cmp(&off(free[b])))?;
            (off(free[place]) <= MOST_HOURS_OFF).then(|| free.remove(place))
        })
        .collect()
}

/// How many people are there for the whole of each interval of every day on which somebody works.
pub fn cover_of<'a>(
    stretches: impl IntoIterator<Item = &'a Stretch>,
    interval_secs: f64,
    zone: &TimeZone,
) -> Vec<CoverInterval> {
    let secs = (interval_secs as i64).max(1);
    let step = SignedDuration::from_secs(secs);
    let mut there: BTreeMap<Timestamp, u32> = BTreeMap::new();
    for (start, end) in stretches {
        // Intervals begin on the clock's grid, which every zone's offset keeps.
        let local = zone.to_datetime(*start);
        let into = (i64::from(local.minute()) * 60 + i64::from(local.second())) % secs;
        let mut at = *start + SignedDuration::from_secs((secs - into) % secs);
        while at + step <= *end {
            *there.entry(at).or_default() += 1;
            at += step;
        }
    }
    there.into_iter().map(|(start, agents)| CoverInterval { start, agents }).collect()
}

/// The cover that is left of a roster when a share of its people is present: the others are on leave,
/// ill or in training.
pub fn present_of(mut cover: Vec<CoverInterval>, share: f64) -> Vec<CoverInterval> {
    for each in &mut cover {
        each.agents = (f64::from(each.agents) * share + 1e-9).floor() as u32;
    }
    cover
}

/// The cover after some stretches have been replaced by others; people who are not named stay.
pub fn cover_after(
    cover: &[CoverInterval],
    before: &[Stretch],
    after: &[Stretch],
    interval_secs: f64,
    zone: &TimeZone,
) -> Vec<CoverInterval> {
    let mut people: BTreeMap<Timestamp, i64> =
        cover.iter().map(|each| (each.start, i64::from(each.agents))).collect();
    for (stretches, sign) in [(before, -1), (after, 1)] {
        for each in cover_of(stretches, interval_secs, zone) {
            *people.entry(each.start).or_default() += sign * i64::from(each.agents);
        }
    }
    let cover = people.into_iter().map(|(start, agents)| {
        let agents = u32::try_from(agents.max(0)).unwrap_or(u32::MAX);
        CoverInterval { start, agents }
    });
    cover.collect()
}

/// The people that a roster of the week from `monday` needs in each interval of `minutes`, Monday
/// midnight first: those on leave, ill or in training are rostered all the same; breaks are in the shifts.
pub fn required_in_week(
    plan: &[PlannedInterval],
    monday: Date,
    minutes: u32,
    zone: &TimeZone,
    present_share: f64,
) -> Vec<u32> {
    let per_day = (24 * 60 / minutes) as usize;
    let mut required = vec![0u32; 7 * per_day];
    for each in plan {
        let local = zone.to_datetime(each.start);
        let Ok(day) = usize::try_from((local.date() - monday).get_days()) else { continue };
        let slot = (local.hour() as u32 * 60 + local.minute() as u32) / minutes;
        if let Some(place) = required.get_mut(day * per_day + slot as usize) {
            let people = (f64::from(each.assessment.need) / present_share - 1e-9).ceil() as u32;
            *place = people.max(*place);
        }
    }
    required
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str) -> Timestamp {
        text.parse().unwrap()
    }

    #[test]
    fn shifts_go_to_those_who_can_are_there_and_whose_hours_fit() {
        let day = |from: &str, to: &str| {
            (at(&format!("2026-11-23T{from}:00Z")), at(&format!("2026-11-23T{to}:00Z")))
        };
        let shifts = [vec![day("08:00", "16:00")], vec![day("08:00", "12:00")], vec![]];
        let (freight, none) = (["Freight".to_owned()], []);
        let person =
            |skills, contract_hours, is_away| RosterCandidate { skills, contract_hours, is_away };
        let people = [
            person(&freight[..], 8.0, false),
            person(&none[..], 8.0, true),
            person(&none[..], 5.0, false),
            person(&none[..], 9.0, false),
        ];
        // Nobody is left whose contract is near the four hours but the one of five.
        assert_eq!(assign(&shifts, &people, "bookings"), [Some(3), Some(2), None]);
        assert_eq!(assign(&shifts, &people, "freight"), [Some(0), Some(2), None]);
    }

    #[test]
    fn cover_counts_whole_intervals_and_presence_rounds_down() {
        let stretches = [
            (at("2026-11-23T08:10:00Z"), at("2026-11-23T10:00:00Z")),
            (at("2026-11-23T08:00:00Z"), at("2026-11-23T08:59:00Z")),
        ];
        let cover = cover_of(&stretches, 1800.0, &TimeZone::UTC);
        let counted: Vec<(String, u32)> =
            cover.iter().map(|each| (each.start.to_string(), each.agents)).collect();
        assert_eq!(counted.len(), 4);
        assert_eq!(counted[0], ("2026-11-23T08:00:00Z".into(), 1));
        let later = [(at("2026-11-23T09:00:00Z"), at("2026-11-23T10:30:00Z"))];
        let two_more: Vec<CoverInterval> =
            cover.iter().map(|each| CoverInterval { agents: each.agents + 2, ..*each }).collect();
        let after = cover_after(&two_more, &stretches[..1], &later, 1800.0, &TimeZone::UTC);
        let counted: Vec<u32> = after.iter().map(|each| each.agents).collect();
        assert_eq!(counted, [3, 2, 3, 3, 1], "08:00, 08:30 (one less), 09:00, 09:30, 10:00");
        let unchanged = cover_after(&two_more, &stretches, &stretches, 1800.0, &TimeZone::UTC);
        assert_eq!(unchanged, two_more);
        // A roster whose people are not all present never leaves fewer than nobody.
        let absent = cover_after(&[], &stretches, &[], 1800.0, &TimeZone::UTC);
        assert!(absent.iter().all(|each| each.agents == 0));
        let present = present_of(vec![CoverInterval { start: stretches[0].0, agents: 10 }], 0.85);
        assert_eq!(present[0].agents, 8);
    }

    proptest::proptest! {
        /// Shifts that are replaced and put back leave the same cover, and people without a name are counted throughout.
        #[test]
        fn a_changed_roster_changed_back_leaves_the_cover_as_it_was(
            saved in proptest::collection::vec((0_i64..80, 1_i64..40), 0..8),
            changed in proptest::collection::vec((0_i64..80, 1_i64..40), 0..8),
            nameless in 0_u32..5,
        ) {
            let begin = at("2026-11-23T00:00:00Z");
            let stretch = |&(from, length): &(i64, i64)| {
                let quarters = |count: i64| begin + SignedDuration::from_mins(15 * count);
                (quarters(from), quarters(from + length))
            };
            let saved: Vec<Stretch> = saved.iter().map(stretch).collect();
            let changed: Vec<Stretch> = changed.iter().map(stretch).collect();
            let zone = TimeZone::UTC;
            let everywhere = (0..60).map(|half| CoverInterval {
                start: begin + SignedDuration::from_mins(30 * half),
                agents: nameless,
            });
            let cover = cover_after(&everywhere.collect::<Vec<_>>(), &[], &saved, 1800.0, &zone);
            let after = cover_after(&cover, &saved, &changed, 1800.0, &zone);
            let back = cover_after(&after, &changed, &saved, 1800.0, &zone);
            proptest::prop_assert_eq!(&back, &cover);
            let named: u32 = cover_of(&changed, 1800.0, &zone).iter().map(|each| each.agents).sum();
            let people: u32 = after.iter().map(|each| each.agents).sum();
            proptest::prop_assert_eq!(people, named + 60 * nameless);
        }
    }
}
