//! Need for a year of quarters of an hour, beside the search that spreadsheets do.

use barometer_plan::{IntervalLoad, Model, Rules, need, need_of_all};
use barometer_queueing::Traffic;
use barometer_timing::{compare, measure};

const QUARTERS_PER_YEAR: usize = 365 * 96;
const SECS: f64 = 900.0;

/// A year with season, weekdays and two peaks a day, up to `peak` contacts a quarter.
fn year(peak: f64) -> Vec<IntervalLoad> {
    (0..QUARTERS_PER_YEAR)
        .map(|quarter| {
            let (day, hour) = ((quarter / 96) as f64, (quarter % 96) as f64 / 4.0);
            let season = 1.0 + 0.3 * (day / 365.0 * std::f64::consts::TAU).sin();
            let weekday = [1.2, 1.0, 1.0, 1.0, 1.1, 0.8, 0.5][(quarter / 96) % 7];
            let bump = |at: f64| (-((hour - at) / 2.5).powi(2)).exp();
            let contacts = peak / 1.6 * season * weekday * (0.05 + bump(10.0) + 0.6 * bump(17.0));
            IntervalLoad { contacts, handle_secs: 290.0 + 20.0 * (hour / 4.0).sin() }
        })
        .collect()
}

/// One more person until every target is met, from one person on.
fn step_by_step(year: &[IntervalLoad], rules: &Rules, model: Model) -> u64 {
    let needs = year.iter().map(|load| {
        let traffic = Traffic::per_interval(load.contacts, SECS, load.handle_secs).expect("a load");
        let mut agents = 1;
        loop {
            let outcome = model.outcome(traffic, agents, rules).expect("in range");
            if outcome.is_some_and(|outcome| rules.are_met_by(&outcome)) {
                return u64::from(agents);
            }
            agents += 1;
        }
    });
    needs.sum()
}

fn main() {
    let rules = Rules::STARTING;
    for peak in [20.0, 150.0] {
        let year = year(peak);
        for (name, model) in [("Erlang A", Model::ErlangA), ("Erlang C", Model::ErlangC)] {
            let ours = |loads: &[IntervalLoad]| -> u64 {
                let needs = need_of_all(loads, SECS, &rules, model).expect("targets in reach");
                needs.iter().map(|need| u64::from(need.agents)).sum()
            };
            assert_eq!(ours(&year[..2000]), step_by_step(&year[..2000], &rules, model));
            // The plain search is only given a tenth of the year to keep the wait short.
            let tenth = &year[..QUARTERS_PER_YEAR / 10];
            compare(
                &format!("Need of 5 weeks of quarters, {name}, {peak} contacts at peak"),
                || step_by_step(tenth, &rules, model),
                || ours(tenth),
            );
            measure(
                &format!("Need of a year of quarters, {name}, {peak} contacts at peak"),
                || ours(&year),
            );
            let one_core = || {
                year.iter()
                    .map(|load| need(*load, SECS, &rules, model).expect("in reach").agents)
                    .sum::<u32>()
            };
            measure(&format!("  the same on one core, {name}"), one_core);
        }
    }
}
