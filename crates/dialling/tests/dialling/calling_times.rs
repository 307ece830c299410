use barometer_dialling::CallingTimes;
use barometer_strategy::{Campaign, LocalHours, OpenHours, Weekday, ZoneShare};
use jiff::civil::{date, time};
use jiff::tz::TimeZone;

const HOUR: f64 = 3600.0;
const DAY: f64 = 24.0 * HOUR;

fn campaign(from: i8, until: i8, zones: &[&str]) -> Campaign {
    let mut campaign = Campaign::named("c", "C", "team");
    let hours =
        OpenHours { days: Vec::new(), from: time(from, 0, 0, 0), until: time(until, 0, 0, 0) };
    campaign.hours = vec![hours];
    campaign.list.zones = zones
        .iter()
        .map(|zone| ZoneShare { zone: (*zone).to_owned(), share: 1.0 / zones.len() as f64 })
        .collect();
    campaign
}

fn dublin() -> TimeZone {
    TimeZone::get("Europe/Dublin").unwrap()
}

fn times(campaign: &Campaign, start: &str, days: f64) -> CallingTimes {
    CallingTimes::of(campaign, start.parse().unwrap(), days * DAY, &dublin())
}

#[test]
fn both_clocks_have_to_allow_a_call() {
    // In January New York is five hours behind Dublin: its 8:00 is Dublin's 13:00.
    let campaign = campaign(9, 20, &["Europe/Dublin", "America/New_York"]);
    let times = times(&campaign, "2026-01-05T00:00:00Z", 1.0);
    assert!(times.open(0).contains(&(9.0 * HOUR, 20.0 * HOUR)));
    assert!(times.open(1).contains(&(13.0 * HOUR, 20.0 * HOUR)));
    assert!(!times.is_open(1, 12.9 * HOUR) && times.is_open(1, 13.0 * HOUR));
    assert!(times.is_dialling(10.0 * HOUR) && !times.is_dialling(20.0 * HOUR));
    assert_eq!(times.next_change(9.5 * HOUR), 13.0 * HOUR);
    assert_eq!(times.stretch(19.0 * HOUR).left_secs(19.0 * HOUR), HOUR);
    assert_eq!(times.stretch(20.5 * HOUR).left_secs(20.5 * HOUR), 0.0);
    assert_eq!(times.secs_between(0.0, DAY), 11.0 * HOUR);
    assert_eq!(times.secs_between(19.0 * HOUR, 23.0 * HOUR), HOUR);
    assert_eq!((times.local_hour(0, 10.5 * HOUR), times.local_hour(1, 10.5 * HOUR)), (10, 5));
    assert_eq!((times.local_day(1, 3.0 * HOUR), times.local_day(1, 6.0 * HOUR)), (0, 1));
    assert_eq!(times.zone_name(1), "America/New_York");
}

#[test]
fn a_day_of_23_hours_and_one_of_25_keep_the_hours_of_the_clock() {
    // Dublin's clocks go forward on 29 March 2026 at 1:00, back on 25 October at 2:00.
    let campaign = campaign(9, 17, &[]);
    let spring = times(&campaign, "2026-03-29T00:00:00Z", 2.0);
    assert!(spring.open(0).contains(&(8.0 * HOUR, 16.0 * HOUR)));
    assert!(spring.open(0).contains(&(32.0 * HOUR, 40.0 * HOUR)));
    assert_eq!(spring.local_hour(0, 8.0 * HOUR), 9);
    let autumn = times(&campaign, "2026-10-24T23:00:00Z", 2.0);
    assert!(autumn.open(0).contains(&(10.0 * HOUR, 18.0 * HOUR)));
    assert_eq!(autumn.local_hour(0, 10.0 * HOUR), 9);
}

#[test]
fn weekdays_first_and_last_days_and_days_off_are_kept() {
    let mut campaign = campaign(9, 17, &[]);
    campaign.hours[0].days = vec![Weekday::Monday, Weekday::Tuesday, Weekday::Wednesday];
    campaign.first_day = Some(date(2026, 1, 6));
    campaign.last_day = Some(date(2026, 1, 13));
    campaign.days_off = vec![date(2026, 1, 12)];
    // From Monday 5 January: Tuesday, Wednesday, and the Tuesday after.
    let times = times(&campaign, "2026-01-05T00:00:00Z", 14.0);
    let days: Vec<f64> = times.hours().iter().map(|(from, _)| (from / DAY).floor()).collect();
    assert_eq!(days, [1.0, 2.0, 8.0]);
    campaign.paused_because = Some("The list is being checked".to_owned());
    assert!(
        super::calling_times::times(&campaign, "2026-01-05T00:00:00Z", 14.0).hours().is_empty()
    );
}

#[test]
fn the_next_day_and_the_next_hour_are_those_of_the_persons_clock() {
    let mut campaign = campaign(0, 0, &["America/New_York"]);
    campaign.local_hours = LocalHours { from: time(0, 0, 0, 0), until: time(23, 0, 0, 0) };
    let times = times(&campaign, "2026-01-05T00:00:00Z", 3.0);
    assert_eq!(times.next_local_day(0, 0.0), 5.0 * HOUR);
    assert_eq!(times.next_local_hour(0, 0.0, 20), HOUR, "it is 19:00 there");
    assert_eq!(times.next_local_hour(0, 1.5 * HOUR, 20), 1.5 * HOUR, "it is 20:30 there");
    assert_eq!(times.next_local_hour(0, 2.5 * HOUR, 20), 25.0 * HOUR);
}
