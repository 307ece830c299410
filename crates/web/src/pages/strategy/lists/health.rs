//! When the people of a list can be called: by the hour of the centre's clock, and zone by zone.

use barometer_dialling::CallingTimes;
use barometer_dialling::list::callable_by_hour;
use barometer_strategy::{Campaign, CampaignList, ImportedList, OpenHours, PeopleGroup};
use jiff::civil::{Date, Time};

use crate::access::RequestContext;
use crate::words;

const DAY_SECS: f64 = 86_400.0;

/// When the people of a list can be called on a day.
pub(super) struct HealthView {
    /// Everybody who may be called, and the day.
    pub everybody: String,
    pub day: String,
    pub told: String,
    pub hours: Vec<HourBar>,
    pub zones: Vec<ZoneLine>,
    pub priorities: Vec<(String, String)>,
    pub attempts: Vec<(String, String)>,
}

/// One hour of the centre's day.
pub(super) struct HourBar {
    pub hour: String,
    pub people: String,
    /// Of everybody who may be called.
    pub share: f64,
}

pub(super) struct ZoneLine {
    pub zone: String,
    pub people: String,
    pub share: String,
    /// When they can be called, by our clocks.
    pub here: String,
}

impl HealthView {
    /// What a list is worth on the chosen day, when people may be called in the usual hours of their own days
    /// and the campaign has none of its own.
    pub fn of(context: &RequestContext, groups: Vec<PeopleGroup>) -> Self {
        let mut campaign = Campaign::named("list", "List", "team");
        let midnight = Time::midnight();
        campaign.hours = vec![OpenHours { days: Vec::new(), from: midnight, until: midnight }];
        let list =
            ImportedList { number: 0, name: String::new(), only: Default::default(), groups };
        campaign.list = CampaignList::of_imported(list);
        let times = times_of(context.day, &campaign, context);
        let hours = callable_by_hour(&campaign, &times, 0.0);
        let people = f64::from(campaign.list.people);
        let bar = |(hour, (callable, _)): (usize, &(f64, f64))| HourBar {
            hour: format!("{hour:02}"),
            people: words::thousands(callable.round()),
            share: callable / people.max(1.0),
        };
        let bars: Vec<HourBar> = hours.iter().enumerate().map(bar).collect();
        Self {
            everybody: words::thousands(people),
            day: words::long_day(context.day),
            told: told(&hours, people, &campaign),
            zones: zone_lines(&campaign, &times),
            priorities: counted(&campaign, |group| format!("Priority {}", group.priority)),
            attempts: counted(&campaign, |group| match group.attempts {
                0 => "Not called yet".to_owned(),
                1 => "Called once".to_owned(),
                calls => format!("Called {calls} times"),
            }),
            hours: bars,
        }
    }
}

fn times_of(day: Date, campaign: &Campaign, context: &RequestContext) -> CallingTimes {
    let zone = &context.centre.zone;
    // A day that a clock cannot show is none that anybody can choose.
    let start = zone.to_zoned(day.at(0, 0, 0, 0)).map(|start| start.timestamp());
    CallingTimes::of(campaign, start.unwrap_or_default(), DAY_SECS, zone)
}

fn told(hours: &[(f64, f64)], people: f64, campaign: &Campaign) -> String {
    let most = hours.iter().map(|hour| hour.0).fold(0.0, f64::max);
    let local = format!(
        "Nobody is called before {} or after {} by their own clock.",
        words::clock_time(campaign.local_hours.from),
        words::clock_time(campaign.local_hours.until)
    );
    if most <= 0.0 {
        return format!("Nobody can be called on this day. {local}");
    }
    let whom = if most > people - 0.5 {
        "Everybody".to_owned()
    } else {
        format!("Most people ({} of {})", words::thousands(most.round()), words::thousands(people))
    };
    let is_full = |hour: &usize| hours[*hour].0 > most - 0.5;
    let first = (0..24).find(is_full).unwrap_or(0);
    let last = (first..24).take_while(is_full).last().unwrap_or(first);
    format!("{whom} can be called from {first:02}:00 to {:02}:00 here. {local}", last + 1)
}

fn zone_lines(campaign: &Campaign, times: &CallingTimes) -> Vec<ZoneLine> {
    let people = f64::from(campaign.list.people);
    let together = campaign.list.callable_together();
    let line = |(zone, each): (usize, &barometer_strategy::CallableTogether)| ZoneLine {
        zone: times.zone_name(zone).replace('_', " "),
        people: words::thousands((people * each.share).round()),
        share: words::percent(each.share),
        here: here(times.open(zone)),
    };
    let mut lines: Vec<(f64, ZoneLine)> =
        together.iter().enumerate().map(|all| (all.1.share, line(all))).collect();
    lines.sort_by(|one, other| other.0.total_cmp(&one.0));
    lines.into_iter().map(|(_, line)| line).collect()
}

/// Stretches of the first day, by our clocks.
fn here(open: &[(f64, f64)]) -> String {
    let clock =
        |secs: f64| format!("{:02}:{:02}", (secs / 3600.0) as u32, (secs / 60.0) as u32 % 60);
    let stretches = open.iter().filter(|(from, until)| *until > 0.0 && *from < DAY_SECS);
    let told: Vec<String> = stretches
        .map(|(from, until)| format!("{}–{}", clock(from.max(0.0)), clock(until.min(DAY_SECS))))
        .collect();
    if told.is_empty() { "never".to_owned() } else { told.join(", ") }
}

/// People by something that a list says of them, in the order of the groups.
fn counted(campaign: &Campaign, of: impl Fn(&PeopleGroup) -> String) -> Vec<(String, String)> {
    let mut counts: Vec<(String, u64)> = Vec::new();
    let groups = campaign.list.imported.iter().flat_map(|list| &list.groups);
    for group in groups {
        let name = of(group);
        match counts.iter_mut().find(|(known, _)| *known == name) {
            Some((_, people)) => *people += u64::from(group.people),
            None => counts.push((name, u64::from(group.people))),
        }
    }
    counts.sort();
    counts.into_iter().map(|(name, people)| (name, words::thousands(people as f64))).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn campaign() -> Campaign {
        Campaign::named("list", "List", "team")
    }

    /// Hours of a day in which these many people can be called, from an hour until another.
    fn hours(people: &[(usize, usize, f64)]) -> Vec<(f64, f64)> {
        let mut hours = vec![(0.0, 0.0); 24];
        for &(from, until, count) in people {
            hours[from..until].iter_mut().for_each(|hour| hour.0 += count);
        }
        hours
    }

    #[test]
    fn the_best_hours_are_told_with_how_many_can_be_called_in_them() {
        let told = |hours: &[(f64, f64)], people| told(hours, people, &campaign());
        let local = "Nobody is called before 08:00 or after 21:00 by their own clock.";
        let all = hours(&[(8, 21, 100.0)]);
        let wanted = format!("Everybody can be called from 08:00 to 21:00 here. {local}");
        assert_eq!(told(&all, 100.0), wanted);
        let some = hours(&[(8, 21, 80.0), (13, 23, 15.0)]);
        let wanted =
            format!("Most people (95 of 100) can be called from 13:00 to 21:00 here. {local}");
        assert_eq!(told(&some, 100.0), wanted);
        let nobody = told(&hours(&[]), 100.0);
        assert_eq!(nobody, format!("Nobody can be called on this day. {local}"));
    }

    #[test]
    fn stretches_are_those_of_the_day_by_our_clocks() {
        let hour = 3600.0;
        assert_eq!(here(&[(8.0 * hour, 21.0 * hour)]), "08:00–21:00");
        // Until late the evening before, and from noon until the next morning.
        let across = [(-9.0 * hour, 2.5 * hour), (13.0 * hour, 26.0 * hour)];
        assert_eq!(here(&across), "00:00–02:30, 13:00–24:00");
        assert_eq!(here(&[(-9.0 * hour, 0.0), (25.0 * hour, 30.0 * hour)]), "never");
    }

    #[test]
    fn people_are_counted_by_what_the_list_says_of_them() {
        let group = |people, attempts| PeopleGroup {
            people,
            zone: "UTC".to_owned(),
            priority: 5,
            attempts,
            hours: None,
        };
        let mut campaign = campaign();
        let groups = vec![group(1200, 0), group(30, 1), group(5, 0)];
        let list =
            ImportedList { number: 1, name: String::new(), only: Default::default(), groups };
        campaign.list = CampaignList::of_imported(list);
        let counted = counted(&campaign, |group| format!("{} calls", group.attempts));
        let pair = |name: &str, people: &str| (name.to_owned(), people.to_owned());
        assert_eq!(counted, [pair("0 calls", "1,205"), pair("1 calls", "30")]);
    }
}
