//! Any patience and chains that hunt from the top, against a plain simulation of the same line.

#![cfg(test)]

use std::collections::BinaryHeap;

use barometer_queueing::{
    GeneralPatience, LevelOf, Patience, Traffic, WhenAllBusy, ordered_hunting,
};
use rand::SeedableRng;
use rand_distr::{Distribution, Exp1, LogNormal, Weibull};
use rand_xoshiro::Xoshiro256PlusPlus;

const CALLS: usize = 150_000;
const RUNS: usize = 24;

/// Answered in time and abandoned, as shares of the calls of one run: each call waits until the
/// first server is free, unless its patience is shorter.
fn play(
    traffic: Traffic,
    servers: usize,
    within_secs: f64,
    seed: u64,
    mut patience: impl FnMut(&mut Xoshiro256PlusPlus) -> f64,
) -> [f64; 2] {
    let mut random = Xoshiro256PlusPlus::seed_from_u64(seed);
    let exponential = |mean: f64, random: &mut Xoshiro256PlusPlus| -> f64 {
        let drawn: f64 = Exp1.sample(random);
        mean * drawn
    };
    // Times at which servers become free, soonest first; whole nanoseconds order without ties.
    let mut free: BinaryHeap<std::cmp::Reverse<u64>> =
        (0..servers).map(|_| std::cmp::Reverse(0)).collect();
    let (mut now, mut in_time, mut lost, mut counted) = (0.0f64, 0.0, 0.0, 0.0);
    for call in 0..CALLS {
        now += exponential(1.0 / traffic.contacts_per_sec(), &mut random);
        let (patience, handling) =
            (patience(&mut random), exponential(traffic.handle_secs(), &mut random));
        let soonest = free.peek().map_or(0, |soonest| soonest.0) as f64 / 1e9;
        let wait = (soonest - now).max(0.0);
        let answered = wait <= patience;
        if answered {
            free.pop();
            free.push(std::cmp::Reverse(((now + wait + handling) * 1e9) as u64));
        }
        if call >= CALLS / 10 {
            counted += 1.0;
            in_time += if answered && wait <= within_secs { 1.0 } else { 0.0 };
            lost += if answered { 0.0 } else { 1.0 };
        }
    }
    [in_time / counted, lost / counted]
}

/// The mean of the runs must be within 4 of its standard errors of the exact value: t with 23
/// degrees of freedom is beyond that once in 1800 comparisons; and the error must be small.
fn assert_agrees(what: &str, runs: &[f64], exact: f64) {
    let count = runs.len() as f64;
    let mean = runs.iter().sum::<f64>() / count;
    let variance = runs.iter().map(|run| (run - mean).powi(2)).sum::<f64>() / (count - 1.0);
    let error = (variance / count).sqrt();
    assert!(error < 0.002, "{what} is too noisy to mean anything: {error}");
    assert!((mean - exact).abs() < 4.0 * error, "{what}: {mean} against {exact}, error {error}");
}

#[test]
fn patience_of_two_kinds_weibull_and_log_normal_is_met_by_simulation() {
    let traffic = Traffic::of_load(12.0, 180.0).unwrap();
    let (servers, within) = (12usize, 20.0);
    let weibull = Weibull::new(130.0, 1.7).unwrap();
    let log_normal_variance = (1.0f64 + 1.2 * 1.2).ln();
    let log_normal =
        LogNormal::new(90.0f64.ln() - log_normal_variance / 2.0, log_normal_variance.sqrt())
            .unwrap();
    let weibull_mean = 130.0 * statrs::function::gamma::gamma(1.0 + 1.0 / 1.7);
    type Draw<'a> = Box<dyn FnMut(&mut Xoshiro256PlusPlus) -> f64 + 'a>;
    let two_kinds = |random: &mut Xoshiro256PlusPlus| {
        let kind: f64 = Exp1.sample(random);
        let drawn: f64 = Exp1.sample(random);
        // An exponential is below ln 2 half of the time.
        if kind < std::f64::consts::LN_2 { 15.0 * drawn } else { 240.0 * drawn }
    };
    let cases: [(&str, Patience, Draw); 3] = [
        (
            "two kinds",
            Patience::HyperExponential {
                first: 0.5,
                first_mean_secs: 15.0,
                second_mean_secs: 240.0,
            },
            Box::new(two_kinds),
        ),
        (
            "Weibull",
            Patience::Weibull { shape: 1.7, mean_secs: weibull_mean },
            Box::new(|random| weibull.sample(random)),
        ),
        (
            "log-normal",
            Patience::LogNormal { mean_secs: 90.0, variation: 1.2 },
            Box::new(|random| log_normal.sample(random)),
        ),
    ];
    for (name, patience, mut draw) in cases {
        let exact = GeneralPatience::new(traffic, servers as u32, patience).unwrap();
        let runs: Vec<[f64; 2]> =
            (0..RUNS).map(|seed| play(traffic, servers, within, seed as u64, &mut draw)).collect();
        let of = |at: usize| runs.iter().map(|run| run[at]).collect::<Vec<_>>();
        assert_agrees(name, &of(0), exact.service_level(within, LevelOf::Offered));
        assert_agrees(name, &of(1), exact.figures().abandonment);
    }
}

#[test]
fn members_hunted_from_the_top_carry_the_whole_load_between_them() {
    let traffic = Traffic::of_load(40.0, 180.0).unwrap();
    let waits = WhenAllBusy::Waits { places: None, patience_secs: None };
    let loads = ordered_hunting(traffic, 50, waits).unwrap();
    let carried: f64 = loads.iter().sum();
    assert!((carried / 40.0 - 1.0).abs() < 1e-12, "{carried}");
    assert!(loads.windows(2).all(|pair| pair[0] > pair[1]), "each carries less than the one above");
}
