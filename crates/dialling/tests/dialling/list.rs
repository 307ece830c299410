use barometer_dialling::list::{callable_by_hour, put_together};
use barometer_dialling::{Book, CallingTimes, PersonId};
use barometer_strategy::{
    Campaign, CampaignList, ImportedList, LocalHours, OpenHours, PeopleGroup,
};
use jiff::civil::time;
use jiff::tz::TimeZone;
use proptest::prelude::*;

const HOUR: f64 = 3600.0;

fn group(people: u32, zone: &str) -> PeopleGroup {
    PeopleGroup { people, zone: zone.to_owned(), priority: 5, attempts: 0, hours: None }
}

fn between(from: i8, until: i8) -> Option<LocalHours> {
    Some(LocalHours { from: time(from, 0, 0, 0), until: time(until, 0, 0, 0) })
}

fn imported(groups: Vec<PeopleGroup>) -> Campaign {
    let mut campaign = Campaign::named("c", "C", "team");
    let midnight = time(0, 0, 0, 0);
    campaign.hours = vec![OpenHours { days: Vec::new(), from: midnight, until: midnight }];
    let list =
        ImportedList { number: 7, name: "Autumn".to_owned(), only: Default::default(), groups };
    campaign.list = CampaignList::of_imported(list);
    campaign
}

fn times(campaign: &Campaign) -> CallingTimes {
    let start = "2026-01-05T00:00:00Z".parse().unwrap();
    CallingTimes::of(campaign, start, 7.0 * 24.0 * HOUR, &TimeZone::UTC)
}

#[test]
fn people_of_the_first_priority_are_called_first_and_groups_keep_their_shares() {
    let first = PeopleGroup { priority: 1, ..group(2, "UTC") };
    let campaign = imported(vec![group(30, "UTC"), group(10, "Europe/Paris"), first]);
    assert_eq!(campaign.list.people, 42);
    let times = times(&campaign);
    let mut book = Book::of(&campaign, &times);
    let called: Vec<PersonId> = std::iter::from_fn(|| book.next(&times, 15.0 * HOUR)).collect();
    let order: Vec<usize> = called.into_iter().map(|person| book.zone_of(person)).collect();
    assert_eq!(order.len(), 42);
    assert_eq!(&order[..2], [0, 0]);
    // Ten of the forty others live in Paris, in every stretch of eight two.
    for stretch in order[2..].chunks(8) {
        assert_eq!(stretch.iter().filter(|&&zone| zone == 1).count(), 2, "{order:?}");
    }
}

#[test]
fn calls_before_the_campaign_count_and_preferred_hours_are_kept() {
    let often = PeopleGroup { attempts: 6, ..group(4, "UTC") };
    let evening = PeopleGroup { attempts: 5, hours: between(17, 20), ..group(1, "UTC") };
    let mut campaign = imported(vec![often, evening]);
    campaign.retries.most_in_all = 6;
    let times = times(&campaign);
    let mut book = Book::of(&campaign, &times);
    assert_eq!((book.left(), book.done()), (1, 4), "four were called often enough");
    assert_eq!(book.next(&times, 12.0 * HOUR), None);
    let person = book.next(&times, 18.0 * HOUR).unwrap();
    assert_eq!(book.calls_to(person), 6);
    book.call_over(&times, person, 18.0 * HOUR, Some(60.0), false);
    assert!(book.is_used_up(), "that was the sixth call");
    book.begin();
    assert_eq!((book.left(), book.done(), book.calls_to(person)), (1, 4, 5));
}

#[test]
fn the_best_hour_is_one_of_those_that_are_preferred() {
    let mut campaign = imported(vec![PeopleGroup { hours: between(9, 12), ..group(1, "UTC") }]);
    campaign.retries.best_hour = true;
    campaign.assumed.answered_share =
        (0..24).map(|hour| if hour == 18 { 0.5 } else { f64::from(hour) / 100.0 }).collect();
    let times = times(&campaign);
    let mut book = Book::of(&campaign, &times);
    let person = book.next(&times, 9.5 * HOUR).unwrap();
    book.call_over(&times, person, 9.5 * HOUR, Some(60.0), false);
    assert_eq!(book.next_due(9.5 * HOUR), 11.0 * HOUR);
}

#[test]
fn preferred_hours_outside_those_in_which_people_may_be_called_are_never() {
    let campaign = imported(vec![PeopleGroup { hours: between(4, 7), ..group(3, "UTC") }]);
    let times = times(&campaign);
    assert!(times.open(0).is_empty());
    assert_eq!(times.zone_name(0), "UTC, 04:00 to 07:00");
    assert_eq!(Book::of(&campaign, &times).next(&times, 5.0 * HOUR), None);
}

#[test]
fn who_can_be_called_is_counted_by_the_hour_of_the_centre() {
    let late = PeopleGroup { hours: between(17, 20), ..group(50, "UTC") };
    let mut campaign = imported(vec![group(100, "UTC"), group(40, "America/New_York"), late]);
    campaign.assumed.answered_share = vec![0.25];
    let hours = callable_by_hour(&campaign, &times(&campaign), 24.0 * HOUR);
    // 8 to 21 in London; New York's clocks are five hours behind.
    let callable: Vec<f64> = hours.iter().map(|hour| hour.0.round()).collect();
    assert_eq!((callable[7], callable[8], callable[12]), (0.0, 100.0, 100.0));
    assert_eq!(
        (callable[13], callable[17], callable[20], callable[21]),
        (140.0, 190.0, 140.0, 40.0)
    );
    assert!((hours[17].1 - 47.5).abs() < 1e-9);
}

#[test]
fn people_who_are_alike_are_put_together_in_the_order_of_their_calls() {
    let later = PeopleGroup { priority: 9, ..group(5, "UTC") };
    let together =
        put_together([later.clone(), group(3, "UTC"), group(4, "UTC"), later].into_iter()).unwrap();
    assert_eq!(together, [group(7, "UTC"), PeopleGroup { priority: 9, ..group(10, "UTC") }]);
}

#[test]
fn more_kinds_than_a_campaign_keeps_become_whole_hours_or_are_told() {
    let at = |minute: i16| {
        let from = time(9 + (minute / 60) as i8, (minute % 60) as i8, 0, 0);
        let hours = Some(LocalHours { from, until: time(20, 0, 0, 0) });
        PeopleGroup { hours, ..group(1, "UTC") }
    };
    let together = put_together((0..500).map(at)).unwrap();
    assert_eq!(together.iter().map(|group| group.people).sum::<u32>(), 500);
    assert!(together.len() <= 12, "{}", together.len());
    assert!(together.iter().all(|group| group.hours.unwrap().from.minute() == 0));
    assert_eq!(together[0].people, 1, "only who prefers 9:00 is called from then on");
    let kinds = |nth: u32| {
        let (priority, attempts) = ((nth % 9) as u8 + 1, (nth / 9 % 10) as u8);
        PeopleGroup { priority, attempts, hours: between((nth / 90) as i8, 23), ..group(1, "UTC") }
    };
    let error = put_together((0..900).map(kinds)).unwrap_err();
    assert_eq!(error.found, 900);
    assert!(error.to_string().contains("tells 400 apart"), "{error}");
}

proptest! {
    /// Whatever a list is made of: nobody is called twice at first, everybody is called once who may be, and
    /// never outside both clocks and the person's own hours.
    #[test]
    fn everybody_on_a_list_is_called_within_their_hours(
        groups in prop::collection::vec((1u32..30, 0usize..3, 1u8..10, 0u8..8, prop::option::of((0i8..12, 12i8..23))), 1..8),
    ) {
        let zones = ["UTC", "America/New_York", "Asia/Tokyo"];
        let groups = groups.into_iter().map(|(people, zone, priority, attempts, hours)| PeopleGroup {
            priority,
            attempts,
            hours: hours.and_then(|(from, until)| between(from, until)),
            ..group(people, zones[zone])
        });
        let campaign = imported(put_together(groups).unwrap());
        let times = times(&campaign);
        let mut book = Book::of(&campaign, &times);
        let mut called = std::collections::BTreeSet::new();
        for quarter in 0..96 {
            let now = f64::from(quarter) * 900.0;
            while let Some(person) = book.next(&times, now) {
                prop_assert!(called.insert(person), "twice");
                prop_assert!(times.is_open(book.zone_of(person), now));
            }
        }
        let list = campaign.list.imported.as_ref().unwrap();
        let most = campaign.retries.most_in_all;
        let may = list.groups.iter().filter(|group| u32::from(group.attempts) < most);
        prop_assert_eq!(called.len() as u32, may.map(|group| group.people).sum::<u32>());
    }
}
