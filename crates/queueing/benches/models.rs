//! Erlang B, C and A beside their textbook forms.

use barometer_queueing::{ErlangA, ErlangC, Traffic, erlang_b};
use barometer_timing::compare;

/// The recursion from an empty line up, as every textbook prints it.
fn textbook_b(erlangs: f64, servers: u32) -> f64 {
    (1..=servers).fold(1.0, |blocking, n| erlangs * blocking / (f64::from(n) + erlangs * blocking))
}

fn textbook_c(erlangs: f64, servers: u32, within_per_handle: f64) -> f64 {
    let (n, blocking) = (f64::from(servers), textbook_b(erlangs, servers));
    let wait = n * blocking / (n - erlangs * (1.0 - blocking));
    1.0 - wait * (-(n - erlangs) * within_per_handle).exp()
}

/// Erlang A state by state: probabilities by balance, and the service level from the chance that a
/// contact behind `ahead` others is reached in time, by steps of the pure death process.
fn textbook_a(erlangs: f64, servers: u32, patience_per_handle: f64, within_per_handle: f64) -> f64 {
    let n = f64::from(servers);
    // Unscaled, so good for a few hundred servers only.
    let (mut weights, mut last, mut state) = (vec![1.0f64], 1.0, 0.0);
    loop {
        state += 1.0;
        let leaving = if state <= n { state } else { n + (state - n) / patience_per_handle };
        last *= erlangs / leaving;
        weights.push(last);
        if state > n && leaving > erlangs && last < 1e-17 * weights[servers as usize] {
            break;
        }
    }
    let all: f64 = weights.iter().sum();
    let at_once: f64 = weights[..servers as usize].iter().sum();
    // Euler steps of "still in line at time t" for every place in line at once.
    let places = weights.len() - servers as usize;
    let steps = 400;
    let dt = within_per_handle / f64::from(steps);
    let mut reached = vec![0.0; places + 1];
    let mut waiting: Vec<f64> = weights[servers as usize..].to_vec();
    for _ in 0..steps {
        for ahead in 0..waiting.len() {
            let (served, gave_up) = if ahead == 0 {
                (n, 1.0 / patience_per_handle)
            } else {
                (n + ahead as f64 / patience_per_handle, 1.0 / patience_per_handle)
            };
            let moved = waiting[ahead] * served * dt;
            waiting[ahead] -= moved + waiting[ahead] * gave_up * dt;
            if ahead == 0 { reached[0] += moved } else { waiting[ahead - 1] += moved }
        }
    }
    (at_once + reached[0]) / all
}

fn main() {
    let traffic = |erlangs| Traffic::of_load(erlangs, 300.0).expect("a positive load");
    for (erlangs, servers) in [(20.0, 24), (1_000.0, 1_030), (10_000.0, 10_050)] {
        compare(
            &format!("Erlang B, {erlangs} Erlangs on {servers}"),
            || textbook_b(erlangs, servers),
            || erlang_b(erlangs, servers).expect("a positive load"),
        );
        compare(
            &format!("Erlang C service level, {erlangs} Erlangs on {servers}"),
            || textbook_c(erlangs, servers, 20.0 / 300.0),
            || ErlangC::new(traffic(erlangs), servers).expect("stable").service_level(20.0),
        );
    }
    for (erlangs, servers) in [(20.0, 22), (200.0, 200)] {
        compare(
            &format!("Erlang A outcome, {erlangs} Erlangs on {servers}"),
            || textbook_a(erlangs, servers, 0.6, 20.0 / 300.0),
            || {
                ErlangA::new(traffic(erlangs), servers, 180.0)
                    .expect("patient enough")
                    .outcome(20.0)
            },
        );
    }
    println!();
    let (plain, exact) = (
        textbook_a(20.0, 22, 0.6, 20.0 / 300.0),
        ErlangA::new(traffic(20.0), 22, 180.0).expect("patient enough").service_level(20.0),
    );
    println!("The plain Erlang A by 400 Euler steps says {plain:.6}, ours {exact:.6}.");
}
