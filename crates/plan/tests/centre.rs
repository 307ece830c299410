//! Trials of several contact types, put together from their plans.

#![cfg(test)]

use std::collections::BTreeMap;

use barometer_plan::{
    AssemblyError, CoverChoice, CoverInterval, ForecastInterval, IntervalLoad, Rules, Target,
    TeamPeople, TrialInputs, TrialOutcome, TypePlan, Verdict, customers_of, schedule,
};
use barometer_strategy::{Channel, Duration, Queue, Skill, StepKind, Strategy, Team, WantedSkill};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

const RULES: Rules = Rules { occupancy: Some(0.9), ..Rules::STARTING };

fn opening() -> Timestamp {
    "2026-11-27T08:00:00Z".parse().unwrap()
}

/// So many intervals from `from` intervals after opening on, with so many people planned.
fn plan(name: &str, secs: f64, from: i64, count: i64, contacts: f64, agents: u32) -> TypePlan {
    let start = |nth: i64| opening() + ((secs as i64) * (from + nth)).seconds();
    let forecast: Vec<_> = (0..count)
        .map(|nth| ForecastInterval {
            start: start(nth),
            load: IntervalLoad { contacts, handle_secs: 240.0 },
        })
        .collect();
    let cover: Vec<_> = (0..count).map(|nth| CoverInterval { start: start(nth), agents }).collect();
    TypePlan {
        name: name.to_owned(),
        rules: RULES,
        customers: customers_of(&RULES, &Duration::exponential(1.0)),
        interval_secs: secs,
        plan: schedule(&forecast, &cover, secs, &RULES).unwrap(),
        luck: None,
        arrivals: Default::default(),
    }
}

fn two_lines() -> Strategy {
    let parts = ["Bookings", "Groups"].map(|name| (name.to_owned(), Strategy::plain(name)));
    Strategy::joined("Centre", parts)
}

fn assembled(
    strategy: Strategy,
    types: &[TypePlan],
    people: &TeamPeople,
) -> Result<TrialInputs, AssemblyError> {
    TrialInputs::of_centre(strategy, &TimeZone::UTC, types, people)
}

fn outcome(inputs: &TrialInputs) -> TrialOutcome {
    TrialOutcome::of(&inputs.experiment().unwrap().play_part(0..inputs.replications).unwrap())
}

#[test]
fn each_team_has_the_people_of_the_plans_that_are_at_home_with_it() {
    // Bookings is open for four hours in half-hours, Groups for two from the second hour on, in hours.
    let types = [plan("Bookings", 1800.0, 0, 8, 60.0, 9), plan("Groups", 3600.0, 1, 2, 30.0, 3)];
    let planned = TeamPeople::of(CoverChoice::Planned);
    let inputs = assembled(two_lines(), &types, &planned).unwrap();
    assert_eq!(
        (inputs.start, inputs.interval_secs, inputs.interval_count()),
        (opening(), 1800.0, 8)
    );
    let [bookings, groups] = inputs.teams.as_slice() else { panic!("two teams") };
    assert_eq!(bookings.agents, [9; 8]);
    // An hour's people are there in both of its halves, and half of its contacts come in each.
    assert_eq!(groups.agents, [0, 0, 3, 3, 3, 3, 0, 0]);
    let contacts: Vec<f64> = inputs.types[1].intervals.iter().map(|each| each.contacts).collect();
    assert_eq!(contacts, [0.0, 0.0, 15.0, 15.0, 15.0, 15.0, 0.0, 0.0]);
    assert!(inputs.types[1].intervals.iter().all(|each| each.handle_secs == 240.0));
    assert_eq!(inputs.home_of(1).unwrap().team, "groups-team");
    assert_eq!(bookings.occupancy, Some(0.9));
    // Contacts that were counted stay whole, and none is lost.
    let mut counted = plan("Groups", 3600.0, 1, 2, 31.0, 3);
    counted.arrivals = barometer_simulate::Arrivals::Counted;
    let [first, _] = types;
    let inputs = assembled(two_lines(), &[first, counted], &planned).unwrap();
    let contacts: Vec<f64> = inputs.types[1].intervals.iter().map(|each| each.contacts).collect();
    assert_eq!(contacts, [0.0, 0.0, 16.0, 15.0, 16.0, 15.0, 0.0, 0.0]);
}

#[test]
fn people_more_or_fewer_are_there_while_their_team_or_else_anybody_is() {
    let types = [plan("Bookings", 1800.0, 0, 2, 60.0, 9), plan("Groups", 1800.0, 4, 2, 30.0, 3)];
    let mut strategy = two_lines();
    strategy.teams.push(Team::named("evening", "Evening team"));
    let more = [("groups-team", -5), ("evening", 2)].map(|(team, more)| (team.to_owned(), more));
    let people = TeamPeople { choice: CoverChoice::Planned, more: more.into() };
    let inputs = assembled(strategy.clone(), &types, &people).unwrap();
    let agents: Vec<_> = inputs.teams.iter().map(|team| team.agents.clone()).collect();
    assert_eq!(agents[1], [0; 6], "never fewer than nobody");
    assert_eq!(agents[2], [2, 2, 0, 0, 2, 2], "not while everything is closed");
    assert_eq!(people.words(&strategy), "planned cover, Groups team 5 fewer, Evening team 2 more");
    let fixed = TeamPeople { choice: CoverChoice::Fixed(4), more: BTreeMap::new() };
    let inputs = assembled(strategy, &types, &fixed).unwrap();
    assert_eq!(inputs.teams[0].agents, [4, 4, 0, 0, 0, 0]);
    let mut swept = inputs.clone();
    swept.add_people("evening", 1);
    assert_eq!(swept.teams[2].agents, [1, 1, 0, 0, 1, 1]);
    assert_eq!(swept.people(), [5, 5, 0, 0, 5, 5]);
}

#[test]
fn a_team_at_home_with_two_contact_types_has_the_people_of_both_and_the_lower_ceiling() {
    let mut strategy = Strategy::plain("Calls");
    strategy.entries[0].contact_types = vec!["Bookings".to_owned(), "Groups".to_owned()];
    let mut types =
        [plan("Bookings", 1800.0, 0, 2, 60.0, 9), plan("Groups", 1800.0, 0, 2, 30.0, 3)];
    types[1].rules.occupancy = Some(0.8);
    let planned = TeamPeople::of(CoverChoice::Planned);
    let inputs = assembled(strategy, &types, &planned).unwrap();
    assert_eq!(
        (inputs.teams[0].agents.clone(), inputs.teams[0].occupancy),
        (vec![12; 2], Some(0.8))
    );
    assert_eq!(inputs.theory(0).unwrap(), None, "no formula knows a shared team");
}

#[test]
fn what_is_missing_is_named() {
    let planned = TeamPeople::of(CoverChoice::Planned);
    let of = |types: &[TypePlan], strategy: Strategy| {
        assembled(strategy, types, &planned).unwrap_err().to_string()
    };
    let bookings = plan("Bookings", 1800.0, 0, 2, 60.0, 9);
    let mut unplanned = plan("Groups", 1800.0, 0, 2, 30.0, 3);
    unplanned.plan.iter_mut().for_each(|interval| interval.assessment.cover = None);
    insta::assert_snapshot!(of(&[bookings.clone(), unplanned], two_lines()), @"no cover is planned for Groups");
    let freight = plan("Freight", 1800.0, 0, 2, 30.0, 3);
    insta::assert_snapshot!(of(&[freight], two_lines()), @"the strategy has no entry for Freight");
    let mut closed = plan("Groups", 1800.0, 0, 2, 30.0, 3);
    closed.plan.clear();
    insta::assert_snapshot!(of(std::slice::from_ref(&closed), two_lines()), @"nothing is forecast");
    let mut chats = plan("Groups", 1800.0, 0, 2, 30.0, 3);
    chats.customers.channel = Channel::Chat;
    let mut calls_only = two_lines();
    let calls =
        barometer_strategy::ChannelSkill { channel: Channel::Call, at_once: 1, slowing: 0.0 };
    calls_only.teams[1].channels = vec![calls];
    insta::assert_snapshot!(of(&[chats], calls_only), @"no team of the strategy answers Groups");
    let odd = plan("Groups", 2700.0, 0, 2, 30.0, 3);
    insta::assert_snapshot!(of(&[bookings.clone(), odd], two_lines()), @"intervals of 1800 s and of 2700 s do not fit into each other");
    let more = [("night".to_owned(), 2)].into();
    let more = TeamPeople { choice: CoverChoice::Planned, more };
    let error = assembled(two_lines(), std::slice::from_ref(&bookings), &more).unwrap_err();
    insta::assert_snapshot!(error, @"the strategy has no team “night”");
    // A contact type that is closed needs nobody.
    let inputs = assembled(two_lines(), &[bookings, closed], &planned).unwrap();
    assert_eq!((inputs.types.len(), inputs.teams[1].agents.clone()), (2, vec![0; 2]));
}

#[test]
fn every_contact_type_and_team_is_judged_by_its_own_targets() {
    // Ten people for 9.3 Erlangs of Bookings; Groups has twice what it needs.
    let types = [plan("Bookings", 1800.0, 0, 20, 70.0, 10), plan("Groups", 1800.0, 0, 20, 15.0, 6)];
    let planned = TeamPeople::of(CoverChoice::Planned);
    let inputs = assembled(two_lines(), &types, &planned).unwrap();
    let judged = outcome(&inputs).judge(&inputs);
    let verdict = |of: &str, target: Target| {
        let found =
            judged.iter().find(|each| each.of.as_deref() == Some(of) && each.target == target);
        found.unwrap().verdict
    };
    assert_eq!(verdict("Bookings", Target::ServiceLevel), Verdict::Breaks);
    assert_eq!(verdict("Groups", Target::ServiceLevel), Verdict::Holds);
    assert_eq!(verdict("Groups team", Target::Occupancy), Verdict::Holds);
    assert_eq!(outcome(&inputs).verdict(&inputs), Some(Verdict::Breaks));
    assert!(!outcome(&inputs).holds_on_average(&inputs));
}

#[test]
fn theory_is_told_of_each_line_that_stands_alone_and_agrees_with_it() {
    let types = [plan("Bookings", 1800.0, 0, 20, 60.0, 10), plan("Groups", 1800.0, 0, 20, 30.0, 6)];
    let planned = TeamPeople::of(CoverChoice::Planned);
    let mut inputs = assembled(two_lines(), &types, &planned).unwrap();
    let outcome = outcome(&inputs);
    for kind in 0..2 {
        let theory = inputs.theory(kind).unwrap().unwrap().day.unwrap();
        let got = outcome.types[kind].service_level.unwrap();
        // The trial begins with an empty line, which is worth a little; its bound is 4.5 standard
        // errors besides.
        let bound = 4.5 * got.error.unwrap() + 0.01;
        assert!((got.mean - theory.service_level).abs() < bound, "{got:?} {theory:?}");
    }
    // Once Groups' people may answer Bookings too, no formula knows either.
    let also = Skill { skill: "Bookings".to_owned(), level: None };
    inputs.strategy.teams[1].skills.push(also);
    assert_eq!(inputs.theory(0).unwrap(), None);
    assert_eq!(inputs.theory(1).unwrap(), None);
    // Help that comes late leaves the line alone at first, and is named.
    inputs.strategy.teams[1].skills.pop();
    let StepKind::Queue(queue) = &mut inputs.strategy.steps[0].does else { panic!("no queue") };
    let helped = WantedSkill { skill: "Groups".to_owned(), at_least: None };
    let later = barometer_strategy::Relaxation { after_secs: 60.0, skills: vec![helped] };
    *queue = Queue { need: queue.need.clone(), ..Queue::default() };
    queue.need.relaxations = vec![later];
    let left_out = inputs.theory(0).unwrap().unwrap().left_out;
    assert_eq!(left_out, ["help from others for those who wait long"]);
}
