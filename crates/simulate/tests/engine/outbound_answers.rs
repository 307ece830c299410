//! Who answers: by zone, and by how often a number was shown that day.

use barometer_simulate::CampaignMeasures;
use barometer_strategy::{
    Assumed, Campaign, Duration, OpenHours, WornNumbers, ZoneAnswers, ZoneShare,
};
use jiff::civil::time;

use crate::fixture::Scene;

/// A campaign of twenty agents that calls each person of its list once, and half of them answer.
fn campaign(people: u32) -> Campaign {
    let mut campaign = Campaign::named("news", "News", "team");
    let midnight = time(0, 0, 0, 0);
    campaign.hours = vec![OpenHours { days: Vec::new(), from: midnight, until: midnight }];
    campaign.local_hours.from = midnight;
    campaign.local_hours.until = time(23, 59, 59, 0);
    campaign.list.people = people;
    campaign.retries.most_in_all = 1;
    campaign.assumed = Assumed {
        answered_share: vec![0.5],
        machine_share: 0.0,
        busy_share: 0.0,
        unusable_share: 0.0,
        ring: Duration::Constant { secs: 10.0 },
        talk: Duration::Constant { secs: 30.0 },
        wrap_up: Duration::nothing(),
        ..Assumed::default()
    };
    campaign
}

fn played(campaign: Campaign, half_hours: usize) -> CampaignMeasures {
    let mut scene = Scene::line(0.0, half_hours, 20);
    scene.strategy.campaigns = vec![campaign];
    scene.play(40, 20261130).of_campaign(0)
}

#[test]
fn people_of_a_zone_answer_as_its_factor_says() {
    let mut two = campaign(2000);
    let zone = |zone: &str, share| ZoneShare { zone: zone.to_owned(), share };
    two.list.zones = vec![zone("UTC", 0.75), zone("Europe/Paris", 0.25)];
    let plain = played(two.clone(), 6);
    assert_eq!(plain.dials.mean, 2000.0);
    two.assumed.zones = vec![ZoneAnswers { zone: "Europe/Paris".to_owned(), answered_factor: 0.4 }];
    let fewer = played(two.clone(), 6);
    // Of 40 days with 2,000 calls the share has a deviation of 0.0017 at the most.
    let share = |of: &CampaignMeasures| of.people.mean / of.dials.mean;
    assert!((share(&plain) - 0.5).abs() < 0.006, "{}", share(&plain));
    assert!((share(&fewer) - 0.5 * (0.75 + 0.25 * 0.4)).abs() < 0.006, "{}", share(&fewer));
    assert!(fewer.people.mean < plain.people.mean, "the same people, of whom some answer no more");
    // Where nobody answers in one zone, all who answer are of the other: as many as with it alone.
    two.assumed.zones[0].answered_factor = 0.0;
    let (alone, none) = (played(campaign(1500), 6), played(two, 6));
    assert!((none.people.mean - alone.people.mean).abs() < 30.0, "{none:?}");
}

#[test]
fn a_number_is_worn_after_its_calls_of_the_day_and_several_take_turns() {
    let with = |numbers: usize, days: usize| {
        let mut worn = campaign(2000);
        worn.assumed.answered_share = vec![1.0];
        worn.assumed.worn_numbers = Some(WornNumbers { calls_a_day: 100, answered_factor: 0.0 });
        worn.caller_number = "1".to_owned();
        worn.further_numbers = (1..numbers).map(|nth| format!("1{nth}")).collect();
        let got = played(worn, 48 * days);
        (got.people.mean, got.dials.mean)
    };
    // Everybody answers until each number has been shown a hundred times, and then nobody does.
    assert_eq!(with(1, 1), (100.0, 2000.0));
    assert_eq!(with(3, 1), (300.0, 2000.0));
    // A list that is used up on the first day gains nothing by a second.
    assert_eq!(with(1, 2), (100.0, 2000.0));
}

#[test]
fn a_number_that_was_worn_is_good_again_the_next_day() {
    let mut slow = campaign(300);
    slow.assumed.answered_share = vec![1.0];
    slow.assumed.worn_numbers = Some(WornNumbers { calls_a_day: 100, answered_factor: 0.0 });
    slow.hours =
        vec![OpenHours { days: Vec::new(), from: time(9, 0, 0, 0), until: time(11, 30, 0, 0) }];
    // One call a minute for two and a half hours is 150 a day, of which the first hundred are answered.
    slow.caps.dials_per_minute = Some(1);
    let got = played(slow, 96);
    assert_eq!((got.dials.mean, got.people.mean), (300.0, 200.0));
}
