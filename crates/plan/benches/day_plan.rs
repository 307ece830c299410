//! A day that never settles: exact evaluation beside a plain integration of the same equations, and
//! the search for the plan that holds in every interval.

use barometer_plan::{ExactDay, IntervalLoad, Rules};
use barometer_timing::{compare, measure};

const SECS: f64 = 1800.0;

/// Ten hours with one peak, up to `peak` contacts a half-hour.
fn day(peak: f64) -> Vec<IntervalLoad> {
    (0..20)
        .map(|half| {
            let hour = (f64::from(half) + 0.5) / 20.0 * std::f64::consts::PI;
            IntervalLoad { contacts: peak * (0.35 + 0.65 * hour.sin()), handle_secs: 300.0 }
        })
        .collect()
}

/// Kolmogorov's equations by the classical Runge-Kutta method with steps of two seconds: mean number
/// waiting per interval, without service levels and without calls that outlast a drop of staff.
fn runge_kutta(loads: &[IntervalLoad], agents: &[u32], patience: f64) -> Vec<f64> {
    let states = 140;
    let mut p = vec![0.0; states];
    p[0] = 1.0;
    let flow = |p: &[f64], lambda: f64, n: usize| -> Vec<f64> {
        let leaves = |k: usize| k.min(n) as f64 / 300.0 + k.saturating_sub(n) as f64 / patience;
        (0..states)
            .map(|k| {
                let up = if k + 1 < states { lambda * p[k] } else { 0.0 };
                let from_below = if k > 0 { lambda * p[k - 1] } else { 0.0 };
                let from_above = if k + 1 < states { leaves(k + 1) * p[k + 1] } else { 0.0 };
                from_below + from_above - up - leaves(k) * p[k]
            })
            .collect()
    };
    let step = 2.0;
    loads
        .iter()
        .zip(agents)
        .map(|(load, &agents)| {
            let (lambda, n) = (load.contacts / SECS, agents as usize);
            let mut waiting = 0.0;
            for _ in 0..(SECS / step) as usize {
                let moved = |k: &[f64], by: f64| -> Vec<f64> {
                    p.iter().zip(k).map(|(p, k)| p + by * k).collect()
                };
                let k1 = flow(&p, lambda, n);
                let k2 = flow(&moved(&k1, step / 2.0), lambda, n);
                let k3 = flow(&moved(&k2, step / 2.0), lambda, n);
                let k4 = flow(&moved(&k3, step), lambda, n);
                for k in 0..states {
                    p[k] += step / 6.0 * (k1[k] + 2.0 * k2[k] + 2.0 * k3[k] + k4[k]);
                }
                waiting +=
                    p.iter().enumerate().map(|(k, p)| k.saturating_sub(n) as f64 * p).sum::<f64>();
            }
            waiting * step / SECS
        })
        .collect()
}

fn main() {
    let rules = Rules { abandonment: None, occupancy: None, ..Rules::STARTING };
    for (peak, most) in [(60.0, 14), (200.0, 40)] {
        let loads = day(peak);
        let exact = ExactDay::new(&loads, SECS, &rules).expect("Erlang A");
        let plan = exact.hold_every_interval(&mut |_| true).expect("in reach").expect("goes on");
        let ours = exact.evaluate(&plan.agents).expect("in range");
        let plain = runge_kutta(&loads, &plan.agents, 180.0);
        let off =
            ours.iter().zip(&plain).map(|(a, b)| (a.mean_waiting - b).abs()).fold(0.0, f64::max);
        println!("Up to {} agents; Runge and Kutta differ by up to {off:.4} waiting.", most);
        compare(
            "Ten hours, exact, levels included",
            || runge_kutta(&loads, &plan.agents, 180.0),
            || exact.evaluate(&plan.agents).expect("in range"),
        );
        measure("Plan that holds in every interval", || {
            exact.hold_every_interval(&mut |_| true).expect("in reach").map(|plan| plan.agents)
        });
    }
}
