//! Simulated days held against exact solutions.

#![cfg(test)]

use barometer_queueing::{ErlangA, ErlangC, Traffic};
use barometer_simulate::{Demand, DemandInterval, Estimate, Experiment, Spread, Summary};
use barometer_strategy::Strategy;

/// Estimates may miss the exact value by this many of their 95% half-widths: 2.3 × 1.97 is 4.5
/// standard errors, which a right engine passes in all but 7 of a million comparisons.
const BOUND: f64 = 2.3;

fn even_demand(contacts_per_min: f64, minutes: usize, handle_secs: f64, patience: f64) -> Demand {
    Demand {
        interval_secs: 1800.0,
        intervals: vec![
            DemandInterval { contacts: contacts_per_min * 30.0, handle_secs };
            minutes / 30
        ],
        handling: Spread::Exponential,
        patience_secs: Some(patience),
        luck: None,
    }
}

fn summarise(experiment: &Experiment) -> Summary {
    let days = experiment.play_range(0..experiment.replications());
    let mut summary = Summary::new(days[0].intervals.len());
    days.iter().for_each(|day| summary.add(day));
    summary
}

fn assert_agrees(what: &str, got: Estimate, exact: f64, most_half_width: f64) {
    let half_width = got.half_width.unwrap();
    assert!(half_width < most_half_width, "{what} is too noisy to mean anything: {half_width}");
    let off = (got.mean - exact).abs() / half_width;
    assert!(off < BOUND, "{what}: {} against {exact}, off by {off:.2} half-widths", got.mean);
}

#[test]
fn a_day_from_an_empty_start_agrees_with_its_exact_transient_solution() {
    // 4 calls a minute for 600 minutes, 5 minutes each, 22 agents, patience 3 minutes, then drain:
    // the exact values are the solution of the Kolmogorov equations.
    let demand = even_demand(4.0, 600, 300.0, 180.0);
    let agents = vec![22; demand.intervals.len()];
    let experiment =
        Experiment::new(Strategy::plain("One line"), demand, agents, 20.0, 2000, 20261124).unwrap();
    let day = summarise(&experiment).day();
    assert_agrees("served", day.answered, 2263.995, 3.0);
    assert_agrees("abandoned", day.abandoned, 136.005, 3.0);
    assert_agrees("served within 20 s", day.answered_in_time, 1895.407, 5.0);
    assert_agrees("minutes waited", day.wait_secs.scaled(1.0 / 60.0), 408.015, 9.0);
}

#[test]
fn a_long_day_settles_at_erlang_a() {
    let demand = even_demand(2.0, 60 * 400, 240.0, 120.0);
    let agents = vec![9; demand.intervals.len()];
    let experiment =
        Experiment::new(Strategy::plain("One line"), demand, agents, 30.0, 30, 7).unwrap();
    let summary = summarise(&experiment);
    let traffic = Traffic::per_interval(2.0, 60.0, 240.0).unwrap();
    let exact = ErlangA::new(traffic, 9, 120.0).unwrap().outcome(30.0);
    // The empty start weighs about one part in a thousand of 400 hours: well within the bound.
    let day = summary.day();
    assert_agrees("service level", day.service_level.unwrap(), exact.service_level, 0.004);
    assert_agrees("abandonment", day.abandonment.unwrap(), exact.abandonment, 0.002);
    assert_agrees("ASA", day.answer_secs.unwrap(), exact.answer_secs, 0.4);
    assert_agrees("occupancy", day.occupancy.unwrap(), exact.occupancy, 0.003);
}

#[test]
fn callers_without_an_end_to_their_patience_settle_at_erlang_c() {
    let mut demand = even_demand(1.0, 60 * 400, 180.0, 1.0);
    demand.patience_secs = None;
    let agents = vec![4; demand.intervals.len()];
    let experiment =
        Experiment::new(Strategy::plain("One line"), demand, agents, 20.0, 30, 11).unwrap();
    let exact = ErlangC::new(Traffic::per_interval(1.0, 60.0, 180.0).unwrap(), 4).unwrap();
    let day = summarise(&experiment).day();
    assert_agrees("service level", day.service_level.unwrap(), exact.service_level(20.0), 0.006);
    assert_agrees("ASA", day.answer_secs.unwrap(), exact.mean_wait_secs(), 6.0);
    assert_eq!(day.abandoned.mean, 0.0);
}

#[test]
fn a_queue_without_places_is_an_erlang_b_line_and_two_chats_at_once_are_two_servers() {
    let demand = even_demand(2.0, 60 * 300, 300.0, 60.0);
    let mut strategy = Strategy::plain("Chat");
    strategy.queue.places = Some(0);
    strategy.team.concurrency = 2;
    let agents = vec![6; demand.intervals.len()];
    let experiment = Experiment::new(strategy, demand, agents, 0.0, 30, 3).unwrap();
    let exact = barometer_queueing::erlang_b(10.0, 12).unwrap();
    let day = summarise(&experiment).day();
    assert_agrees("refused", day.released.unwrap(), exact, 0.003);
    assert_agrees("answered at once", day.service_level.unwrap(), 1.0 - exact, 0.003);
}
