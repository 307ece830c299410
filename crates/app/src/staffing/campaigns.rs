//! What campaigns need in a week: agents and lines for everybody on their lists.

use barometer_dialling::CallingTimes;
use barometer_dialling::need::{Goal, Need};
use barometer_strategy::{ServedBy, Strategy};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

/// A campaign's need in a week.
#[derive(Clone, Debug)]
pub struct CampaignNeed {
    /// Its id.
    pub id: String,
    /// What it is called.
    pub name: String,
    /// People on its list.
    pub people: u32,
    /// Hours of the week in which it dials.
    pub hours: f64,
    /// Conversations with everybody who can be reached by its retries.
    pub conversations: f64,
    /// Share of their time that agents talk or wrap up.
    pub utilisation: f64,
    /// Whether those who answer hear a message, for which no agent is needed.
    pub is_message: bool,
    /// Agents and lines; none where nobody answers.
    pub need: Option<Need>,
}

/// The campaigns that dial in a week from a Monday on, each with what it takes to call the whole of its list in that
/// week, with no more than a share of calls that find no line.
pub fn campaigns_of_week(
    strategy: &Strategy,
    monday: Date,
    zone: &TimeZone,
    blocked_share: f64,
) -> Vec<CampaignNeed> {
    let Ok((start, secs)) = week_from(monday, zone) else { return Vec::new() };
    let campaigns = strategy.campaigns.iter().filter_map(|campaign| {
        let times = CallingTimes::of(campaign, start, secs, zone);
        let hours = times.secs_between(0.0, secs) / 3600.0;
        if hours <= 0.0 {
            return None;
        }
        let goal = Goal::of_whole_list(campaign, hours, blocked_share);
        Some(CampaignNeed {
            id: campaign.id.clone(),
            name: campaign.name.clone(),
            people: campaign.list.people,
            hours,
            conversations: goal.conversations,
            utilisation: goal.utilisation,
            is_message: matches!(campaign.served_by, ServedBy::Message(_)),
            need: goal.need(campaign).ok(),
        })
    });
    campaigns.collect()
}

/// When a week begins, and how many seconds it has: days have 23 to 25 hours.
fn week_from(monday: Date, zone: &TimeZone) -> Result<(Timestamp, f64), jiff::Error> {
    let midnight = |date: Date| date.to_zoned(zone.clone()).map(|at| at.timestamp());
    let (start, end) = (midnight(monday)?, midnight(monday.checked_add(7.days())?)?);
    Ok((start, end.duration_since(start).as_secs_f64()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_strategy::Campaign;
    use jiff::civil::date;

    #[test]
    fn a_week_has_the_hours_in_which_each_campaign_dials() {
        let mut strategy = Strategy::plain("Bookings");
        let mut news = Campaign::named("news", "News", "team");
        news.list.people = 900;
        let paused = Campaign {
            paused_because: Some("new script".to_owned()),
            ..Campaign::named("offers", "Offers", "team")
        };
        news.days_off = vec![date(2026, 11, 25)];
        strategy.campaigns = vec![news, paused];
        let found = campaigns_of_week(&strategy, date(2026, 11, 23), &TimeZone::UTC, 0.01);
        assert_eq!(found.len(), 1, "one that is paused calls nobody");
        // Four days of eight hours; six calls to each reach 1 − 0.7⁶ of the people.
        assert_eq!((found[0].hours, found[0].people), (32.0, 900));
        assert!((found[0].conversations - 900.0 * (1.0 - 0.7f64.powi(6))).abs() < 1e-6);
        let need = found[0].need.expect("people answer");
        assert!((need.people - 900.0).abs() < 1e-6, "the whole list");
        assert!(need.agents >= 1 && need.lines >= need.agents);
        // With half of the time twice the agents, but for rounding.
        strategy.campaigns[0].hours[0].until = jiff::civil::time(13, 0, 0, 0);
        let half = campaigns_of_week(&strategy, date(2026, 11, 23), &TimeZone::UTC, 0.01);
        let half = half[0].need.expect("people answer");
        assert!(half.agents + 1 >= 2 * need.agents, "{half:?} {need:?}");
        assert!((half.dials - need.dials).abs() < 1e-6);
    }
}
