//! Need, reasons and verdicts against the slow obvious way and by law.

#![cfg(test)]

use barometer_plan::{
    IntervalLoad, Model, NeedError, Rules, Shrinkage, Verdict, assess, explain, need,
};
use barometer_queueing::Traffic;
use proptest::prelude::*;

const HALF_HOUR: f64 = 1800.0;

fn load(contacts: f64, handle_secs: f64) -> IntervalLoad {
    IntervalLoad { contacts, handle_secs }
}

/// Asks one number of people after the other.
fn slow_need(load: IntervalLoad, rules: &Rules, model: Model) -> u32 {
    let traffic = Traffic::per_interval(load.contacts, HALF_HOUR, load.handle_secs).unwrap();
    (1..)
        .find(|&agents| {
            let outcome = model.outcome(traffic, agents, rules).unwrap();
            outcome.is_some_and(|outcome| rules.are_met_by(&outcome))
        })
        .unwrap()
}

#[test]
fn needs_agree_with_erlang_c_in_60_digits() {
    // 80% in 20 s with 180 s calls, no ceilings; service levels there and one agent fewer, from
    // sums with 60 digits: 0.888 and 0.796, 0.809 and 0.702, 0.841 and 0.779.
    let rules =
        Rules { abandonment: None, occupancy: None, patience_secs: None, ..Rules::STARTING };
    for (erlangs, agents) in [(10.0, 14), (20.0, 24), (50.0, 56)] {
        let load = load(erlangs * HALF_HOUR / 180.0, 180.0);
        assert_eq!(need(load, HALF_HOUR, &rules, Model::ErlangC).unwrap().agents, agents);
    }
}

#[test]
fn the_reason_shows_that_one_fewer_fails_and_which_target_binds() {
    let reason =
        explain(load(120.0, 300.0), HALF_HOUR, &Rules::STARTING, Model::ErlangA, 1).unwrap();
    let [fewer, needed, more] = &reason.candidates[..] else { panic!("{reason:?}") };
    assert_eq!(
        (fewer.agents + 1, needed.agents, more.agents),
        (reason.need, reason.need, reason.need + 1)
    );
    assert!(!fewer.holds() && needed.holds() && more.holds());
    assert!((reason.offered_erlangs - 20.0).abs() < 1e-12);
    assert!(fewer.checks.iter().any(|check| !check.is_met()));
}

#[test]
fn nobody_is_needed_for_no_contacts_and_one_for_a_few() {
    assert_eq!(
        need(load(0.0, 300.0), HALF_HOUR, &Rules::STARTING, Model::ErlangA).unwrap().agents,
        0
    );
    assert_eq!(
        need(load(0.05, 300.0), HALF_HOUR, &Rules::STARTING, Model::ErlangA).unwrap().agents,
        1
    );
}

#[test]
fn ten_thousand_erlangs_are_staffed_and_a_million_said_to_be_out_of_reach() {
    let huge = need(load(60_000.0, 300.0), HALF_HOUR, &Rules::STARTING, Model::ErlangA).unwrap();
    let by_occupancy = (10_000.0f64 / 0.88).ceil() as u32;
    assert!(huge.agents <= by_occupancy && huge.agents > 9_000, "{huge:?}");
    let absurd = need(load(6e6, 300.0), HALF_HOUR, &Rules::STARTING, Model::ErlangC);
    assert_eq!(absurd.unwrap_err(), NeedError::OutOfReach);
}

#[test]
fn a_cover_one_short_is_marginal_and_two_short_breaks() {
    let load = load(120.0, 300.0);
    let needed = need(load, HALF_HOUR, &Rules::STARTING, Model::ErlangA).unwrap().agents;
    let verdict = |cover| assess(load, HALF_HOUR, cover, &Rules::STARTING).unwrap().verdict;
    assert_eq!(verdict(Some(needed)), Some(Verdict::Holds));
    assert_eq!(verdict(Some(needed - 1)), Some(Verdict::Marginal));
    assert_eq!(verdict(Some(0)), Some(Verdict::Breaks));
    assert_eq!(verdict(None), None);
}

#[test]
fn rostered_people_cover_shrinkage_without_a_rounding_slip() {
    assert_eq!(Rules { shrinkage: Shrinkage::of(0.3), ..Rules::STARTING }.rostered(7), 10);
    assert_eq!(Rules { shrinkage: Shrinkage::of(0.3), ..Rules::STARTING }.rostered(8), 12);
    assert_eq!(Rules { shrinkage: Shrinkage::of(0.0), ..Rules::STARTING }.rostered(7), 7);
}

#[test]
fn rules_out_of_range_are_all_named() {
    let wrong = Rules {
        service_level: 1.2,
        shrinkage: Shrinkage::of(1.0),
        concurrency: 0,
        ..Rules::STARTING
    };
    let fields: Vec<_> = wrong.check().unwrap_err().iter().map(|error| error.field).collect();
    assert_eq!(fields, ["service_level", "concurrency", "breaks", "breaks"]);
    assert!(Rules::STARTING.check().is_ok());
}

proptest! {
    #[test]
    fn the_search_finds_what_asking_one_by_one_finds(
        contacts in 0.1..400.0f64, handle in 30.0..900.0f64, patience in proptest::option::of(10.0..900.0f64),
        level in 0.5..0.98f64, within in 0.0..120.0f64, concurrency in 1u32..4,
        abandonment in proptest::option::of(0.005..0.2f64), occupancy in proptest::option::of(0.5..0.95f64),
    ) {
        let rules = Rules {
            service_level: level, within_secs: within, abandonment, occupancy,
            patience_secs: patience, concurrency, ..Rules::STARTING
        };
        let model = Model::for_rules(&rules);
        let found = need(load(contacts, handle), HALF_HOUR, &rules, model).unwrap();
        prop_assert_eq!(found.agents, slow_need(load(contacts, handle), &rules, model));
        prop_assert!(rules.are_met_by(&found.outcome.unwrap()));
    }
}
