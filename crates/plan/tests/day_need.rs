//! A day's need: the smallest day of people with which the day holds on a share of such days.

#![cfg(test)]

use barometer_plan::{
    Answer, DayByDay, DayNeed, IntervalLoad, Model, Question, Rules, TrialInputs, TrialInterval,
    customers_of,
};
use barometer_simulate::DemandLuck;
use barometer_strategy::{Duration, Strategy};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

const RULES: Rules = Rules { occupancy: None, abandonment: None, ..Rules::STARTING };

/// A day of eight hours with two busy ones, as uncertain as the factors, with this many people planned.
fn day(planned: u32, day_factors: Vec<f64>) -> TrialInputs {
    let opening: Timestamp = "2026-11-28T08:00:00Z".parse().unwrap();
    let intervals: Vec<_> = (0..16)
        .map(|half_hour| TrialInterval {
            start: opening + (30 * half_hour).minutes(),
            load: IntervalLoad {
                contacts: if (4..8).contains(&half_hour) { 90.0 } else { 60.0 },
                handle_secs: 300.0,
            },
            agents: planned,
        })
        .collect();
    let mut inputs = TrialInputs::of_one_type(
        Strategy::plain("Bookings"),
        RULES,
        &TimeZone::UTC,
        1800.0,
        ("Bookings", customers_of(&RULES, &Duration::exponential(300.0))),
        &intervals,
    );
    inputs.types[0].luck = Some(DemandLuck { day_factors, interval_variance: 0.0 });
    inputs
}

fn answered(inputs: &TrialInputs, chances: &[f64]) -> DayNeed {
    let question =
        Question::DayNeed { inputs: Box::new(inputs.clone()), chances: chances.to_vec() };
    let most = question.steps();
    let answer = question.answer(|done| {
        assert!(done < most, "{done} of {most}");
        true
    });
    let Ok(Some(Answer::DayNeed(need))) = answer else { panic!("{answer:?}") };
    need
}

fn hours(agents: &[u32]) -> u32 {
    agents.iter().sum::<u32>()
}

#[test]
fn the_more_surely_a_day_is_to_hold_the_more_people_it_takes() {
    let inputs = day(13, vec![0.8, 0.9, 1.0, 1.1, 1.2]);
    let need = answered(&inputs, &[0.5, 0.8, 0.9]);
    let people: Vec<_> = need.sure.iter().map(|sure| sure.people.as_ref().unwrap()).collect();
    let [half, eight, nine] = people.as_slice() else { panic!("three: {need:?}") };
    assert!(half.held.share() >= 0.5 && eight.held.share() >= 0.8 && nine.held.share() >= 0.9);
    assert!(
        hours(&half.agents) < hours(&eight.agents) && hours(&eight.agents) < hours(&nine.agents)
    );
    // The need of the expected day holds it about as often as no more than expected comes: on three of five days.
    assert!((0.5..0.75).contains(&need.own.held.share()), "{:?}", need.own);
    // Nine of ten days take what holds the day with a fifth more, and hardly more than the need of 1.2 times.
    let at_most: u32 = inputs.types[0]
        .intervals
        .iter()
        .map(|each| {
            let load =
                IntervalLoad { contacts: 1.2 * each.contacts, handle_secs: each.handle_secs };
            barometer_plan::need(load, 1800.0, &RULES, Model::for_rules(&RULES)).unwrap().agents
        })
        .sum();
    assert!(hours(&nine.agents) <= at_most + 16, "{} {at_most}", hours(&nine.agents));
}

#[test]
fn it_is_the_smallest_of_its_loads_and_the_numbers_are_those_of_a_trial() {
    let inputs = day(13, vec![0.85, 1.0, 1.15]);
    let need = answered(&inputs, &[0.8]);
    let found = need.sure[0].people.clone().unwrap();
    let held = |agents: &[u32]| {
        let mut trial = inputs.clone();
        trial.teams[0].agents = agents.to_vec();
        let summary = trial.experiment().unwrap().play_part(0..trial.replications).unwrap();
        DayByDay::of(&trial, &summary).unwrap().held
    };
    assert_eq!(held(&found.agents), found.held, "what a trial with these people says");
    assert_eq!(
        held(&[13; 16]),
        need.planned.as_ref().unwrap().held,
        "and with those who are planned"
    );
    // Every day of people below it, one by one, holds on fewer days.
    let smaller = (70..=200).map(|percent| {
        let load = |contacts: f64| IntervalLoad {
            contacts: contacts * f64::from(percent) / 100.0,
            handle_secs: 300.0,
        };
        let of = |contacts| {
            barometer_plan::need(load(contacts), 1800.0, &RULES, Model::for_rules(&RULES))
                .unwrap()
                .agents
        };
        inputs.types[0].intervals.iter().map(|each| of(each.contacts)).collect::<Vec<u32>>()
    });
    let smaller: Vec<_> = smaller.take_while(|agents| *agents != found.agents).collect();
    assert!(smaller.len() > 5 && smaller.iter().all(|agents| held(agents).share() < 0.8));
}

#[test]
fn a_day_that_is_sure_takes_less_than_the_needs_of_its_intervals() {
    // A day's service level is that of all its contacts: quiet hours, rounded up to whole people, make up for others.
    let need = answered(&day(0, vec![1.0]), &[0.5]);
    assert_eq!(need.planned, None, "nobody is planned");
    let half = need.sure[0].people.as_ref().unwrap();
    assert!(hours(&half.agents) < hours(&need.own.agents), "{need:?}");
    assert!(need.own.held.share() > 0.5);
}

#[test]
fn what_twice_the_people_do_not_hold_is_not_promised() {
    // One day in five brings four times the contacts.
    let need = answered(&day(13, vec![0.25, 0.25, 0.25, 0.25, 4.0]), &[0.7, 0.9]);
    assert!(need.sure[0].people.is_some());
    assert_eq!(need.sure[1].people, None);
}

#[test]
fn a_day_is_stopped_when_nobody_wants_it_and_refused_with_several_contact_types() {
    let inputs = day(13, vec![1.0]);
    let question = Question::DayNeed { inputs: Box::new(inputs.clone()), chances: vec![0.9] };
    assert_eq!(question.answer(|played| played < 300), Ok(None));
    let mut two = inputs.clone();
    two.types.push(two.types[0].clone());
    let question = Question::DayNeed { inputs: Box::new(two), chances: vec![0.9] };
    assert!(question.answer(|_| true).unwrap_err().contains("one contact type"));
}

#[test]
fn the_days_of_a_trial_are_a_question_of_their_own() {
    let inputs = day(15, vec![0.9, 1.1]);
    let summary = inputs.experiment().unwrap().play_part(0..200).unwrap();
    let question = Question::Days { inputs: Box::new(inputs.clone()) };
    assert_eq!(question.steps(), 200);
    let answer = question.answer(|_| true).unwrap();
    assert_eq!(answer, Some(Answer::Days { days: DayByDay::of(&inputs, &summary) }));
    let kept = serde_json::to_string(&answer).unwrap();
    assert_eq!(serde_json::from_str::<Option<Answer>>(&kept).unwrap(), answer);
    assert_eq!(question.answer(|played| played < 50), Ok(None));
}
