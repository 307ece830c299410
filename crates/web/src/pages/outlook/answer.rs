//! The week in one sentence: what breaks, when, and by how much.

use barometer_plan::{Hole, IntervalAssessment, PlannedInterval, Verdict, holes};
use jiff::civil::Date;
use jiff::tz::TimeZone;

use super::TypeWeek;
use crate::strip::is_uncovered;
use crate::words;

/// The sentence, with the part that matters most set apart.
pub(super) struct Answer {
    pub lead: String,
    pub strong: String,
    pub tail: String,
}

impl Answer {
    fn plain(lead: impl Into<String>) -> Self {
        Self { lead: lead.into(), strong: String::new(), tail: String::new() }
    }

    /// What `weeks` come to.
    pub fn of(weeks: &[TypeWeek], zone: &TimeZone) -> Self {
        let all = || weeks.iter().flat_map(|each| &each.plan);
        if all().count() == 0 {
            return Self::plain(
                "There is no forecast for this week yet. Import history, or choose a week that the forecast reaches.",
            );
        }
        if all().all(|interval| interval.assessment.cover.is_none()) {
            return Self::plain(
                "The forecast is there, but no cover is planned for this week. Plan it under Staffing.",
            );
        }
        let holes: Vec<(&str, Hole)> = weeks
            .iter()
            .flat_map(|each| {
                let of_type = holes(&each.plan, each.contact_type.grain.duration());
                of_type.into_iter().map(|hole| (each.contact_type.name.as_str(), hole))
            })
            .collect();
        let mut answer = match holes.iter().max_by_key(|(_, hole)| hole.most_short) {
            None => Self::plain(nothing_breaks(all())),
            Some(&(name, worst)) => {
                Self::breaks(days_without_a_break(all(), zone), &holes, name, worst, zone)
            }
        };
        // What nobody is planned for neither holds nor breaks, and must not be passed over.
        let uncovered = weeks.iter().filter(|each| each.plan.iter().any(is_uncovered));
        let names: Vec<String> = uncovered.map(|each| each.contact_type.name.clone()).collect();
        if !names.is_empty() {
            answer.tail += &format!(" For {} nobody is planned at times.", words::listing(&names));
        }
        answer
    }

    fn breaks(
        calm_days: usize,
        holes: &[(&str, Hole)],
        name: &str,
        worst: Hole,
        zone: &TimeZone,
    ) -> Self {
        let mut of_type: Vec<Hole> =
            holes.iter().filter(|(owner, _)| *owner == name).map(|(_, hole)| *hole).collect();
        of_type.sort_by_key(|hole| std::cmp::Reverse(hole.most_short));
        of_type.truncate(2);
        of_type.sort_by_key(|hole| hole.from);
        let times: Vec<String> = of_type.iter().map(|hole| when(hole, zone)).collect();
        let others = holes.len() - of_type.len();
        let besides = match others {
            0 => String::new(),
            1 => " One smaller gap elsewhere.".to_owned(),
            more => {
                format!(" {} smaller gaps elsewhere.", words::capitalised(&words::count_word(more)))
            }
        };
        Self {
            lead: match calm_days {
                0 => "Something breaks every day. ".to_owned(),
                1 => "On one of seven days nothing breaks. ".to_owned(),
                days => format!("On {} of seven days nothing breaks. ", words::count_word(days)),
            },
            strong: format!("{name} breaks on {}", words::listing(&times)),
            tail: format!(
                ": {} short at the worst interval.{besides}",
                words::people(worst.most_short)
            ),
        }
    }
}

fn when(hole: &Hole, zone: &TimeZone) -> String {
    let day = zone.to_datetime(hole.from).date();
    let (from, to) = (words::clock(hole.from, zone), words::clock(hole.to, zone));
    format!("{} {from}–{to}", day.strftime("%A"))
}

fn days_without_a_break<'a>(
    all: impl Iterator<Item = &'a PlannedInterval>,
    zone: &TimeZone,
) -> usize {
    let mut broken: Vec<Date> = all
        .filter(|interval| interval.assessment.verdict == Some(Verdict::Breaks))
        .map(|interval| zone.to_datetime(interval.start).date())
        .collect();
    broken.sort_unstable();
    broken.dedup();
    7_usize.saturating_sub(broken.len())
}

fn nothing_breaks<'a>(all: impl Iterator<Item = &'a PlannedInterval>) -> String {
    let marginal: Vec<u32> = all
        .map(|interval| &interval.assessment)
        .filter(|assessment| assessment.verdict == Some(Verdict::Marginal))
        .map(IntervalAssessment::shortfall)
        .collect();
    let most = words::people(marginal.iter().copied().max().unwrap_or(0));
    match marginal.len() {
        0 => "Yes: every day holds every target.".to_owned(),
        1 => format!("Yes, nothing breaks. One interval is marginal, {most} short."),
        more => format!("Yes, nothing breaks. {more} intervals are marginal, up to {most} short."),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_forecast::Grain;
    use barometer_plan::{CoverInterval, ForecastInterval, IntervalLoad, Rules, schedule};
    use barometer_store::ContactType;
    use jiff::civil::date;
    use jiff::{Timestamp, ToSpan};
    use uuid::Uuid;

    fn london() -> TimeZone {
        TimeZone::get("Europe/London").unwrap()
    }

    /// An hour of a week that starts on Monday 23 November 2026.
    fn hour(day: i64, hour: i64) -> Timestamp {
        let monday = london().to_timestamp(date(2026, 11, 23).at(0, 0, 0, 0)).unwrap();
        monday + (24 * day + hour).hours()
    }

    /// A week from 8 to 16 o'clock that needs the same in every hour, `short` people fewer in some.
    fn week(name: &str, covered: bool, short: &[(i64, i64, u32)]) -> TypeWeek {
        let load = IntervalLoad { contacts: 200.0, handle_secs: 300.0 };
        let forecast: Vec<_> = (0..7)
            .flat_map(|day| (8..16).map(move |at| ForecastInterval { start: hour(day, at), load }))
            .collect();
        let need = schedule(&forecast, &[], 3600.0, &Rules::STARTING).unwrap()[0].assessment.need;
        let missing = |start| {
            let found = short.iter().find(|(day, at, _)| hour(*day, *at) == start);
            found.map_or(0, |(.., missing)| *missing)
        };
        let cover: Vec<_> = forecast
            .iter()
            .filter(|_| covered)
            .map(|each| CoverInterval { start: each.start, agents: need - missing(each.start) })
            .collect();
        TypeWeek {
            contact_type: ContactType {
                id: Uuid::nil(),
                centre: Uuid::nil(),
                name: name.to_owned(),
                grain: Grain::Hour,
                rules: Rules::STARTING,
                habits: Default::default(),
                pinned_method: None,
                like: None,
                archived_at: None,
            },
            plan: schedule(&forecast, &cover, 3600.0, &Rules::STARTING).unwrap(),
            first_forecast_day: None,
        }
    }

    fn said(weeks: &[TypeWeek]) -> String {
        let Answer { lead, strong, tail } = Answer::of(weeks, &london());
        lead + &strong + &tail
    }

    #[test]
    fn a_week_that_holds_is_a_plain_yes() {
        assert_eq!(said(&[week("Calls", true, &[])]), "Yes: every day holds every target.");
    }

    #[test]
    fn contact_types_for_whom_nobody_is_planned_are_named() {
        let told = said(&[week("Calls", true, &[(1, 9, 2)]), week("Chats", false, &[])]);
        assert!(told.contains("Calls breaks on Tuesday"), "{told}");
        assert!(told.ends_with(" For Chats nobody is planned at times."), "{told}");
    }

    #[test]
    fn marginal_intervals_are_counted_and_break_nothing() {
        let one = week("Calls", true, &[(2, 9, 1)]);
        assert_eq!(said(&[one]), "Yes, nothing breaks. One interval is marginal, 1 person short.");
        let two = week("Calls", true, &[(2, 9, 1), (4, 9, 1)]);
        insta::assert_snapshot!(said(&[two]), @"Yes, nothing breaks. 2 intervals are marginal, up to 1 person short.");
    }

    #[test]
    fn the_worst_contact_type_is_named_with_its_two_worst_holes_in_order() {
        let calls = week("Calls", true, &[(1, 9, 3), (4, 8, 6), (4, 9, 5), (5, 12, 4)]);
        let chat = week("Chat", true, &[(6, 10, 2)]);
        insta::assert_snapshot!(said(&[chat, calls]), @"On three of seven days nothing breaks. Calls breaks on Friday 08:00–10:00 and Saturday 12:00–13:00: 6 people short at the worst interval. Two smaller gaps elsewhere.");
    }

    #[test]
    fn without_forecast_or_cover_it_says_what_to_do() {
        assert!(said(&[]).contains("Import history"));
        assert!(said(&[week("Calls", false, &[])]).contains("no cover is planned"));
    }

    #[test]
    fn a_week_that_breaks_every_day_says_so() {
        let short: Vec<_> = (0..7).map(|day| (day, 10, 4)).collect();
        assert!(said(&[week("Calls", true, &short)]).starts_with("Something breaks every day. "));
    }
}
