//! The week in one sentence: what breaks, when, and by how much.

use barometer_plan::{Hole, IntervalAssessment, PlannedInterval, Verdict, holes};
use jiff::civil::Date;
use jiff::tz::TimeZone;

use super::TypeWeek;
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
        match holes.iter().max_by_key(|(_, hole)| hole.most_short) {
            None => Self::plain(nothing_breaks(all())),
            Some(&(name, worst)) => {
                Self::breaks(days_without_a_break(all(), zone), &holes, name, worst, zone)
            }
        }
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
            1 => " One smaller hole besides.".to_owned(),
            more => {
                format!(" {} smaller holes besides.", words::capitalised(&words::count_word(more)))
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
