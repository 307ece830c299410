//! The days of a trial one by one: how many hold, and what decides.

#![cfg(test)]

mod flat_day;

use barometer_plan::{DayByDay, DriverOfDay, Rules, Target, TrialInputs};
use barometer_simulate::{DemandLuck, Summary};
use barometer_strategy::Strategy;

use flat_day::flat_day;

/// A short day whose contacts are as far off the forecast as the factors say.
fn inputs(agents: u32, day_factors: Vec<f64>) -> TrialInputs {
    let rules = Rules { occupancy: None, abandonment: None, ..Rules::STARTING };
    let strategy = Strategy::plain("Bookings");
    let mut inputs = flat_day(strategy, rules, "2026-11-28T08:00:00Z", 16, agents);
    inputs.types[0].luck = Some(DemandLuck { day_factors, interval_variance: 0.0 });
    inputs
}

fn play(inputs: &TrialInputs) -> Summary {
    let experiment = inputs.experiment().unwrap();
    let mut summary = experiment.summary();
    experiment.play_range(0..inputs.replications).unwrap().iter().for_each(|day| summary.add(day));
    summary
}

#[test]
fn contacts_decide_where_days_differ_by_their_contacts() {
    // 960 contacts as expected: the people are enough for that, not for a quarter more.
    let inputs = inputs(13, vec![0.9, 0.95, 1.0, 1.05, 1.2, 1.25, 1.3]);
    let summary = play(&inputs);
    let days = DayByDay::of(&inputs, &summary).unwrap();
    assert_eq!(days.held.days, 200);
    assert!((60..160).contains(&days.held.holding), "{days:?}");
    let [level] = days.targets.as_slice() else { panic!("one target: {days:?}") };
    assert_eq!((level.target, level.of, level.held), (Target::ServiceLevel, Some(0), days.held));
    let driver = &level.drivers[0];
    assert_eq!(driver.what, DriverOfDay::Contacts(0));
    assert!(driver.least.edge < 1_000.0 && driver.most.edge > 1_080.0, "{driver:?}");
    assert!(driver.least.holding > 0.9 && driver.most.holding < 0.2, "{driver:?}");
    assert!(driver.least.share > driver.most.share + 0.15);
    let threshold = driver.threshold.unwrap();
    assert!((1_000.0..1_180.0).contains(&threshold.at), "{threshold:?}");
    assert!(threshold.right > 0.9);
}

#[test]
fn the_target_that_holds_on_the_fewest_days_comes_first() {
    let mut inputs = inputs(12, vec![0.9, 1.0, 1.1]);
    let rules = &mut inputs.types[0].rules;
    (rules.abandonment, rules.occupancy) = (Some(0.5), Some(0.88));
    let days = DayByDay::of(&inputs, &play(&inputs)).unwrap();
    let holding: Vec<u32> = days.targets.iter().map(|target| target.held.holding).collect();
    assert!(holding.is_sorted(), "{holding:?}");
    let last = days.targets.last().unwrap();
    assert_eq!((last.target, last.held.holding), (Target::Abandonment, 200), "half may be lost");
    // A day on which all hold is a day on which each holds.
    assert!(days.held.holding <= holding[0]);
    let of = |target| days.targets.iter().find(|each| each.target == target).unwrap();
    assert_eq!(of(Target::Occupancy).of, None, "all teams together");
    assert!(
        of(Target::Occupancy).drivers[0].most.share > of(Target::Occupancy).drivers[0].least.share
    );
}

#[test]
fn what_each_day_came_to_adds_up_to_the_day_as_a_whole() {
    let inputs = inputs(11, vec![0.9, 1.1]);
    let summary = play(&inputs);
    let day = summary.day();
    let days = summary.single_days();
    let mean = |of: fn(&barometer_simulate::TypeOfDay) -> u32| {
        days.iter().map(|day| f64::from(of(&day.types[0]))).sum::<f64>() / days.len() as f64
    };
    assert!((mean(|each| each.offered) - day.offered.mean).abs() < 1e-9);
    assert!((mean(|each| each.answered_in_time) - day.answered_in_time.mean).abs() < 1e-9);
    assert!((mean(|each| each.abandoned) - day.abandoned.mean).abs() < 1e-9);
    let busy: f64 = days.iter().map(|day| f64::from(day.teams[0].busy_secs)).sum();
    let staffed: f64 = days.iter().map(|day| f64::from(day.teams[0].staffed_secs)).sum();
    assert!((busy / staffed - day.occupancy.unwrap().mean).abs() < 1e-5);
}

#[test]
fn luck_alone_is_not_called_a_cause() {
    // Nothing but the luck of arrivals and of talks, in 40 seeds: contacts and handle times may show where they
    // make a difference, and what shows must be on the side that work is on.
    let mut inputs = inputs(11, vec![1.0]);
    inputs.replications = 90;
    for seed in 1..=40 {
        inputs.seed = seed;
        let days = DayByDay::of(&inputs, &play(&inputs)).unwrap();
        for driver in &days.targets[0].drivers {
            assert!(driver.most.share < driver.least.share, "more work, worse level: {driver:?}");
        }
    }
}

#[test]
fn few_days_say_nothing() {
    let mut inputs = inputs(11, vec![1.0]);
    inputs.replications = 29;
    assert_eq!(DayByDay::of(&inputs, &play(&inputs)), None);
}

#[test]
fn parts_of_a_trial_keep_their_days_in_order_and_no_more_than_a_thousand() {
    let mut inputs = inputs(11, vec![0.8, 1.2]);
    inputs.types[0].intervals.iter_mut().for_each(|interval| interval.contacts = 2.0);
    inputs.replications = 1_100;
    let experiment = inputs.experiment().unwrap();
    let parts: Vec<Summary> =
        inputs.parts().into_iter().map(|part| experiment.play_part(part).unwrap()).collect();
    let merged = inputs.merged(&parts).unwrap();
    let whole = play(&inputs);
    assert_eq!(merged.replications(), 1_100);
    assert_eq!(merged.single_days().len(), barometer_simulate::SINGLE_DAYS);
    assert_eq!(merged.single_days(), whole.single_days());
    assert!(merged.in_short().single_days().is_empty());
}
