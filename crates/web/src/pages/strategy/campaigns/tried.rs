//! What a trial says of a campaign: its figures, and its hours with the lines that they need.

use barometer_plan::channel_of;
use barometer_queueing::lines_for_blocking;
use barometer_simulate::CampaignMeasures;
use barometer_store::ContactType;
use barometer_strategy::{Campaign, ServedBy};

use super::super::seen::{Seen, TriedCampaign};
use super::looked::BLOCKED_SHARE;
use crate::words;

/// What a trial says of the campaign.
pub(super) struct TriedView {
    pub name: String,
    pub address: String,
    pub rows: Vec<(&'static str, String)>,
}

/// An hour of the trial's first day.
pub(super) struct HourRow {
    pub hour: String,
    pub conversations: String,
    pub abandoned: String,
    pub lines: String,
    pub needed: String,
}

pub(super) fn tried_view(
    seen: &Seen,
    campaign: &Campaign,
    tried: &CampaignMeasures,
) -> Option<TriedView> {
    let line = seen.trial.as_ref()?;
    let mut rows = vec![
        ("Calls dialled", words::estimated_count(tried.dials)),
        ("Conversations", words::estimated_count(tried.conversations)),
        ("Abandoned", words::estimated_percent(tried.abandoned_share)),
        (
            "Days over the ceiling",
            words::whole_percent(tried.dates_over.map_or(0.0, |over| over.mean)),
        ),
        ("Agents talk or wrap up", words::estimated_percent(tried.utilisation)),
        (
            "Conversations for each agent hour",
            tried.per_agent_hour.map_or_else(|| "–".to_owned(), |p| words::one_decimal(p.mean)),
        ),
        ("Agent-hours while it dials", words::one_decimal(tried.agent_hours.mean)),
        (
            "Lines in use",
            tried.lines.map_or_else(|| "–".to_owned(), |l| words::one_decimal(l.mean)),
        ),
        (
            "People left to call",
            format!(
                "{} of {}",
                words::thousands(tried.left.mean),
                words::thousands(f64::from(campaign.list.people))
            ),
        ),
    ];
    if let Some(cost) = cost_per_conversation(seen, campaign, tried) {
        rows.insert(7, ("Cost of these hours for each conversation", format!("{cost:.2}")));
    }
    if let Some(share) = thirty_days(campaign, tried) {
        rows.insert(4, ("Abandoned over 30 days, with this day", words::percent(share)));
    }
    if let Some(people) = tried.people_abandoned {
        rows.push(("People left alone at least once", words::estimated_count(people)));
        let again = words::estimated_percent(tried.abandoned_again);
        rows.push(("Of those, more than once", again));
    }
    Some(TriedView {
        name: line.subject.name.clone(),
        address: format!("/trials/{}", line.id),
        rows,
    })
}

/// The hours of the trial's first day in which the campaign dialled, with the lines that they need.
pub(super) fn by_hour(tried: &TriedCampaign, zone: &jiff::tz::TimeZone) -> Vec<HourRow> {
    let Some((first, _)) = tried.intervals.first() else { return Vec::new() };
    let day = zone.to_datetime(*first).date();
    let mut rows: Vec<(i8, f64, f64, f64)> = Vec::new();
    for (start, interval) in &tried.intervals {
        let at = zone.to_datetime(*start);
        if at.date() != day || interval.dials.mean <= 0.0 {
            continue;
        }
        let lost = interval.abandoned.mean + interval.lost_to_detection.mean;
        let lines = interval.lines.map_or(0.0, |lines| lines.mean);
        let talked = interval.conversations.mean;
        match rows.last_mut().filter(|row| row.0 == at.hour()) {
            Some(row) => *row = (row.0, row.1 + talked, row.2 + lost, row.3.max(lines)),
            None => rows.push((at.hour(), talked, lost, lines)),
        }
    }
    let row = |(hour, talked, lost, lines): (i8, f64, f64, f64)| HourRow {
        hour: format!("{hour:02}:00"),
        conversations: words::one_decimal(talked),
        abandoned: words::percent(lost / (talked + lost).max(f64::MIN_POSITIVE)),
        lines: words::one_decimal(lines),
        needed: lines_for_blocking(lines, BLOCKED_SHARE)
            .map_or_else(|_| "–".to_owned(), |lines| lines.to_string()),
    };
    rows.into_iter().map(row).collect()
}

/// What the hours of its agents cost for each conversation, by the cost of an hour of the contact types that are at home with
/// its team, or of all where others serve it; `None` where no cost is known.
fn cost_per_conversation(
    seen: &Seen,
    campaign: &Campaign,
    tried: &CampaignMeasures,
) -> Option<f64> {
    let strategy = &seen.opened.strategy;
    let is_at_home = |of_type: &&ContactType| match &campaign.served_by {
        ServedBy::Team(team) => strategy
            .home_team(&of_type.name, channel_of(&of_type.rules))
            .is_some_and(|home| home.id == *team),
        _ => true,
    };
    let at_home = seen.opened.types.iter().filter(is_at_home);
    let costs: Vec<f64> = at_home.filter_map(|of_type| of_type.rules.cost_per_hour).collect();
    let per_hour = tried.per_agent_hour.filter(|per_hour| per_hour.mean > 0.0)?;
    let mean = costs.iter().sum::<f64>() / costs.len() as f64;
    (!costs.is_empty()).then(|| mean / per_hour.mean)
}

/// The abandoned share of the last 29 days and of a mean day of the trial together.
fn thirty_days(campaign: &Campaign, tried: &CampaignMeasures) -> Option<f64> {
    let (before, share) = (campaign.last_29_days?, tried.abandoned_share?);
    let answered = f64::from(before.answered) + tried.people.mean;
    Some((f64::from(before.abandoned) + share.mean * tried.people.mean) / answered)
}
