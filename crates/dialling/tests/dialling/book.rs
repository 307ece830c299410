use barometer_dialling::{Book, CallingTimes, PersonId};
use barometer_strategy::{Campaign, LocalHours, OpenHours, ZoneShare};
use jiff::civil::time;
use jiff::tz::TimeZone;
use proptest::prelude::*;

const HOUR: f64 = 3600.0;

fn campaign(people: u32) -> Campaign {
    let mut campaign = Campaign::named("c", "C", "team");
    let midnight = time(0, 0, 0, 0);
    campaign.hours = vec![OpenHours { days: Vec::new(), from: midnight, until: midnight }];
    campaign.local_hours = LocalHours { from: midnight, until: time(23, 59, 59, 0) };
    campaign.list.people = people;
    campaign
}

fn times(campaign: &Campaign) -> CallingTimes {
    let start = "2026-01-05T00:00:00Z".parse().unwrap();
    CallingTimes::of(campaign, start, 7.0 * 24.0 * HOUR, &TimeZone::UTC)
}

#[test]
fn the_list_is_called_in_its_order_and_who_is_due_again_comes_first() {
    let mut campaign = campaign(3);
    campaign.retries.no_answer_after_secs = Some(60.0);
    let times = times(&campaign);
    let mut book = Book::of(&campaign, &times);
    assert_eq!(book.next(&times, 0.0), Some(PersonId(0)));
    book.call_over(&times, PersonId(0), 10.0, Some(60.0), false);
    assert_eq!(book.next(&times, 20.0), Some(PersonId(1)));
    assert_eq!(book.next_due(20.0), 70.0);
    assert_eq!(book.next(&times, 70.0), Some(PersonId(0)), "due again, before the third");
    assert_eq!(book.calls_to(PersonId(0)), 2);
    assert_eq!(book.next(&times, 70.0), Some(PersonId(2)));
    assert_eq!(book.next(&times, 70.0), None);
    for person in 0..3 {
        assert!(!book.is_used_up());
        book.call_over(&times, PersonId(person), 100.0, None, false);
    }
    assert!(book.is_used_up());
    assert_eq!((book.left(), book.done()), (0, 3));
    book.begin();
    assert_eq!((book.left(), book.next(&times, 0.0)), (3, Some(PersonId(0))));
}

#[test]
fn a_call_that_was_put_back_does_not_count() {
    let campaign = campaign(2);
    let times = times(&campaign);
    let mut book = Book::of(&campaign, &times);
    let first = book.next(&times, 0.0).unwrap();
    book.put_back(first, 0.0);
    assert_eq!(book.calls_to(first), 0);
    assert_eq!(book.next(&times, 0.0), Some(first));
}

#[test]
fn further_calls_wait_for_the_hour_in_which_most_people_answer() {
    let mut campaign = campaign(1);
    campaign.retries.best_hour = true;
    campaign.assumed.answered_share =
        (0..24).map(|hour| if hour == 18 { 0.5 } else { 0.2 }).collect();
    let times = times(&campaign);
    let mut book = Book::of(&campaign, &times);
    let person = book.next(&times, 9.0 * HOUR).unwrap();
    book.call_over(&times, person, 9.0 * HOUR, Some(60.0), false);
    assert_eq!(book.next_due(9.0 * HOUR), 18.0 * HOUR);
    // What was agreed is kept.
    let mut book = Book::of(&campaign, &times);
    let person = book.next(&times, 9.0 * HOUR).unwrap();
    book.call_over(&times, person, 9.0 * HOUR, Some(60.0), true);
    assert_eq!(book.next_due(9.0 * HOUR), 9.0 * HOUR + 60.0);
}

#[test]
fn zones_have_their_shares_in_every_stretch_of_the_list() {
    let mut campaign = campaign(1000);
    let zone = |zone: &str, share| ZoneShare { zone: zone.to_owned(), share };
    campaign.list.zones = vec![zone("Europe/Dublin", 0.7), zone("America/New_York", 0.3)];
    let times = times(&campaign);
    let book = Book::of(&campaign, &times);
    for from in (0..1000).step_by(100) {
        let there = (from..from + 100).filter(|&at| book.zone_of(PersonId(at)) == 1).count();
        assert!((28..=32).contains(&there), "{there} of 100 from {from}");
    }
}

proptest! {
    /// Nobody is called more often than allowed, on a day or in all, or outside the hours; everybody on the
    /// list is called or still to be called.
    #[test]
    fn limits_hold_whatever_calls_come_to(
        people in 1u32..40,
        most_a_day in 1u32..4,
        most_in_all in 1u32..6,
        again in prop::collection::vec(prop::option::of(1.0f64..90_000.0), 400),
    ) {
        let mut campaign = campaign(people);
        campaign.hours[0].from = time(9, 0, 0, 0);
        campaign.hours[0].until = time(17, 0, 0, 0);
        (campaign.retries.most_a_day, campaign.retries.most_in_all) = (most_a_day, most_in_all);
        let times = times(&campaign);
        let mut book = Book::of(&campaign, &times);
        let mut calls: Vec<Vec<i32>> = vec![Vec::new(); people as usize];
        for (nth, after_secs) in again.into_iter().enumerate() {
            let now = nth as f64 * 1200.0;
            if let Some(person) = book.next(&times, now) {
                prop_assert!(times.is_open(book.zone_of(person), now));
                calls[person.0 as usize].push(times.local_day(0, now));
                book.call_over(&times, person, now, after_secs, nth % 2 == 0);
            }
            prop_assert_eq!(book.left() + book.done(), people);
        }
        for days in calls {
            prop_assert!(days.len() <= most_in_all as usize);
            let on_busiest = days.iter().map(|day| days.iter().filter(|d| *d == day).count()).max();
            prop_assert!(on_busiest.unwrap_or(0) <= most_a_day as usize);
        }
    }
}
