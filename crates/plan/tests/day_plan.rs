//! A plan that holds in every interval: fewest people by trying all, and held in simulation.

#![cfg(test)]

use barometer_plan::{
    ExactDay, IntervalLoad, Model, Rules, TrialInputs, TrialInterval, customers_of, need,
};
use barometer_strategy::{Duration, Strategy};
use jiff::Timestamp;
use jiff::tz::TimeZone;

const HALF_HOUR: f64 = 1800.0;

fn loads(contacts: &[f64]) -> Vec<IntervalLoad> {
    contacts.iter().map(|&contacts| IntervalLoad { contacts, handle_secs: 300.0 }).collect()
}

const LEVEL_ONLY: Rules = Rules { abandonment: None, occupancy: None, ..Rules::STARTING };

#[test]
fn no_plan_of_fewer_people_holds_every_interval() {
    // Small enough to try every plan that has one person fewer in all.
    let day = loads(&[6.0, 22.0, 30.0, 9.0]);
    let exact = ExactDay::new(&day, HALF_HOUR, &LEVEL_ONLY).unwrap();
    let plan = exact.hold_every_interval(&mut |_| true).unwrap().unwrap();
    for (at, figures) in plan.figures.iter().enumerate() {
        assert!(exact.holds(at, plan.agents[at], figures));
    }
    let total: u32 = plan.agents.iter().sum();
    let most = plan.agents.iter().max().unwrap() + 2;
    let mut tried = 0;
    for a in 0..=most {
        for b in 0..=most {
            for c in 0..=most {
                let Some(d) = (total - 1).checked_sub(a + b + c).filter(|&d| d <= most) else {
                    continue;
                };
                tried += 1;
                let agents = [a, b, c, d];
                let figures = exact.evaluate(&agents).unwrap();
                let holds = figures
                    .iter()
                    .enumerate()
                    .all(|(at, figures)| exact.holds(at, agents[at], figures));
                assert!(!holds, "{agents:?} holds with fewer than {:?}", plan.agents);
            }
        }
    }
    assert!(tried > 200, "{tried}");
}

#[test]
fn a_rising_morning_needs_fewer_than_its_steady_state_and_a_falling_one_inherits_its_line() {
    let day = loads(&[120.0; 3]);
    let exact = ExactDay::new(&day, HALF_HOUR, &LEVEL_ONLY).unwrap();
    let settled = need(day[0], HALF_HOUR, &LEVEL_ONLY, Model::ErlangA).unwrap().agents;
    // The first half hour begins empty, so it is better than settled.
    let figures = exact.evaluate(&[settled; 3]).unwrap();
    assert!(figures[0].service_level > figures[2].service_level);
    // Callers who wait for ever hand the next half hour the line that a short one leaves.
    let patient = Rules { patience_secs: None, ..LEVEL_ONLY };
    let exact = ExactDay::new(&day, HALF_HOUR, &patient).unwrap();
    let well = exact.evaluate(&[settled; 3]).unwrap();
    let after_a_bad_start = exact.evaluate(&[settled - 8, settled, settled]).unwrap();
    assert!(after_a_bad_start[1].service_level < well[1].service_level - 0.1);
}

/// The exact day is the day that the simulation plays: 4000 replications, every interval within
/// four standard errors, which at 20 intervals one run in 800 would miss by chance.
#[test]
fn the_simulated_day_is_held_where_the_plan_says_so() {
    let day: Vec<IntervalLoad> = (0..20)
        .map(|half| IntervalLoad {
            contacts: 40.0 + 80.0 * (std::f64::consts::PI * (f64::from(half) + 0.5) / 20.0).sin(),
            handle_secs: 300.0,
        })
        .collect();
    let exact = ExactDay::new(&day, HALF_HOUR, &LEVEL_ONLY).unwrap();
    let plan = exact.hold_every_interval(&mut |_| true).unwrap().unwrap();
    let replications = 4000;
    let intervals: Vec<_> = day
        .iter()
        .zip(&plan.agents)
        .map(|(&load, &agents)| TrialInterval { start: Timestamp::UNIX_EPOCH, load, agents })
        .collect();
    let mut inputs = TrialInputs::of_one_type(
        Strategy::plain("One line"),
        LEVEL_ONLY,
        &TimeZone::UTC,
        HALF_HOUR,
        ("Calls", customers_of(&LEVEL_ONLY, &Duration::exponential(300.0))),
        &intervals,
    );
    (inputs.replications, inputs.seed) = (replications, 7);
    let experiment = inputs.experiment().unwrap();
    let mut summary = experiment.summary();
    experiment.play_range(0..replications).unwrap().iter().for_each(|day| summary.add(day));
    for (at, (simulated, exact)) in summary.intervals().iter().zip(&plan.figures).enumerate() {
        let level = simulated.service_level.unwrap();
        let error = level.half_width.unwrap() / 1.96;
        assert!(error < 0.004, "too noisy to mean anything: {error}");
        let off = (level.mean - exact.service_level) / error;
        assert!(off.abs() < 4.0, "interval {at}: {} against {}", level.mean, exact.service_level);
        assert!(level.mean + 4.0 * error > LEVEL_ONLY.service_level, "interval {at} breaks");
    }
}
