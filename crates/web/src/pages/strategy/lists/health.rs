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
        let list = ImportedList { number: 0, name: String::new(), groups };
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
