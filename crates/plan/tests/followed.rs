//! Contacts of a simulated day that came by a step.

#![cfg(test)]

use barometer_plan::{
    Followed, FollowedEnd, IntervalLoad, Rules, TrialInputs, TrialInterval, customers_of, followed,
};
use barometer_simulate::{End, EventLog, Names, What};
use barometer_strategy::{Duration, Menu, MenuChoice, Next, Step, StepKind, Strategy};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

/// A menu before the queue, and too few people for most of those who come.
fn inputs() -> TrialInputs {
    let mut strategy = Strategy::plain("Bookings");
    let queue = strategy.steps[0].id.clone();
    let choice = |name: &str, share: f64, next: Next| MenuChoice {
        name: name.to_owned(),
        share,
        contact_types: Vec::new(),
        next,
    };
    let menu = Menu {
        time: Duration::Constant { secs: 10.0 },
        choices: vec![
            choice("book", 0.8, Next::step(&queue)),
            choice("opening hours", 0.2, Next::Release),
        ],
        retries: 0,
        no_choice: Next::Release,
    };
    strategy.steps.push(Step {
        id: "menu".to_owned(),
        name: "Main menu".to_owned(),
        does: StepKind::Menu(menu),
    });
    strategy.entries[0].first = Next::step("menu");
    let opening: Timestamp = "2026-11-28T08:00:00Z".parse().unwrap();
    let intervals: Vec<_> = (0..8)
        .map(|half_hour| TrialInterval {
            start: opening + (30 * half_hour).minutes(),
            load: IntervalLoad { contacts: 60.0, handle_secs: 300.0 },
            agents: 7,
        })
        .collect();
    TrialInputs::of_one_type(
        strategy,
        Rules::STARTING,
        &TimeZone::UTC,
        1800.0,
        ("Bookings", customers_of(&Rules::STARTING, &Duration::exponential(300.0))),
        &intervals,
    )
}

fn day(inputs: &TrialInputs) -> (Names, EventLog) {
    let experiment = inputs.experiment().unwrap();
    let (_, log) = experiment.log(0).unwrap();
    (experiment.names().clone(), log)
}

fn ends(of: &[Followed], end: FollowedEnd) -> usize {
    of.iter().filter(|each| each.end == end).count()
}

#[test]
fn everybody_who_came_by_is_there_with_what_became_of_them() {
    let inputs = inputs();
    let (names, log) = day(&inputs);
    let step = |id: &str| inputs.strategy.steps.iter().position(|step| step.id == id).unwrap();
    let all = followed(&inputs.strategy, &names, &log, step("menu"), usize::MAX);
    let arrived = log.events.iter().filter(|event| event.what == What::Arrived).count();
    assert_eq!(all.len(), arrived, "everybody hears the menu");
    let told =
        |what: fn(&What) -> bool| log.events.iter().filter(|event| what(&event.what)).count();
    assert_eq!(
        ends(&all, FollowedEnd::Answered),
        told(|what| matches!(what, What::Answered { .. }))
    );
    for how in [End::Abandoned, End::Released] {
        let wanted = log.events.iter().filter(|event| event.what == What::Ended { how }).count();
        assert_eq!(ends(&all, FollowedEnd::Ended(how)), wanted, "{how:?}");
        assert!(wanted > 10, "{how:?}");
    }
    // Those who were released never came to the queue; they pressed the other key, which leads to no step.
    let queued = followed(&inputs.strategy, &names, &log, 0, usize::MAX);
    assert_eq!(ends(&queued, FollowedEnd::Ended(End::Released)), 0);
    for each in &queued {
        assert_eq!(
            (each.way.as_slice(), each.keys.as_slice()),
            (&[step("menu"), 0][..], &["book".to_owned()][..])
        );
        assert!(each.people[0].0 == 7 && each.people[0].1 <= 7, "{each:?}");
        assert!(each.wait_secs >= 0.0);
        if each.end == FollowedEnd::Answered && each.wait_secs > 0.0 {
            // Who waited found everybody busy, or came while those before were being answered.
            assert!(each.people[0].1 >= 6, "{each:?}");
        }
    }
    let waited = queued.iter().filter(|each| each.ahead > 0).count();
    assert!(waited > 20, "a line builds up: {waited}");
}

#[test]
fn a_few_show_everything_that_happens() {
    let inputs = inputs();
    let (names, log) = day(&inputs);
    let menu = inputs.strategy.steps.iter().position(|step| step.id == "menu").unwrap();
    let few = followed(&inputs.strategy, &names, &log, menu, 10);
    assert_eq!(few.len(), 10);
    assert!(few.is_sorted_by(|one, other| one.arrived_secs <= other.arrived_secs));
    for end in [
        FollowedEnd::Answered,
        FollowedEnd::Ended(End::Abandoned),
        FollowedEnd::Ended(End::Released),
    ] {
        assert!(ends(&few, end) >= 3, "{end:?}: {few:?}");
    }
    assert_eq!(followed(&inputs.strategy, &names, &log, 99, 10), [], "nobody comes by no step");
}
