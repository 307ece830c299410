//! Need for a year of quarters, beside the searches that others would write.
//!
//! The baselines are written for the purpose. `by_recursion` is the textbook's: Erlang B from an
//! empty line up, then one server more until the target holds. `hand_tuned` is what a careful
//! programmer makes of it: square-root start, sums cut off early, the integral by Simpson's rule.

use barometer_plan::{IntervalLoad, Model, NeedSearch, Rules, need_of_all};
use barometer_timing::compare;

const QUARTERS_PER_YEAR: usize = 365 * 96;
const SECS: f64 = 900.0;

/// Loads between 0.5 and 400 Erlangs with season, weekdays and two peaks a day, and handle times
/// that change over the day.
fn year() -> Vec<IntervalLoad> {
    (0..QUARTERS_PER_YEAR)
        .map(|quarter| {
            let (day, hour) = ((quarter / 96) as f64, (quarter % 96) as f64 / 4.0);
            let season = 1.0 + 0.3 * (day / 365.0 * std::f64::consts::TAU).sin();
            let weekday = [1.2, 1.0, 1.0, 1.0, 1.1, 0.8, 0.5][(quarter / 96) % 7];
            let bump = |at: f64| (-((hour - at) / 3.5).powi(2)).exp();
            let erlangs = 255.0 * season * weekday * (bump(10.0) + 0.6 * bump(17.0));
            let handle_secs = 290.0 + 20.0 * (hour / 4.0).sin();
            let erlangs = erlangs.clamp(0.5, 400.0);
            IntervalLoad { contacts: erlangs * SECS / handle_secs, handle_secs }
        })
        .collect()
}

/// The textbook's search.
fn by_recursion(load: &IntervalLoad, rules: &Rules) -> u32 {
    let a = load.contacts * load.handle_secs / SECS;
    let (mut n, mut blocking) = (0.0, 1.0);
    loop {
        n += 1.0;
        blocking = a * blocking / (n + a * blocking);
        if n <= a {
            continue;
        }
        let wait = n * blocking / (n - a * (1.0 - blocking));
        let level = 1.0 - wait * (-(n - a) * rules.within_secs / load.handle_secs).exp();
        if level >= rules.service_level && a / n <= rules.occupancy.unwrap_or(1.0) {
            return n as u32;
        }
    }
}

/// 1/B by the sum from the top, cut off where terms no longer matter.
fn reciprocal_b(a: f64, n: f64) -> f64 {
    let (mut term, mut sum, mut k) = (1.0, 1.0, n);
    while k > 0.0 {
        term *= k / a;
        sum += term;
        k -= 1.0;
        if k < a && term < 1e-12 * sum {
            break;
        }
    }
    sum
}

/// Erlang C by hand: a good start, the recursion from there.
fn hand_tuned_c(load: &IntervalLoad, rules: &Rules) -> u32 {
    let a = load.contacts * load.handle_secs / SECS;
    let least = (a / rules.occupancy.unwrap_or(1.0)).max(a + 1e-9).ceil().max(1.0);
    let meets = |n: f64, reciprocal: f64| {
        let wait = n / (n + (n - a) * (reciprocal - 1.0));
        1.0 - wait * (-(n - a) * rules.within_secs / load.handle_secs).exp() >= rules.service_level
    };
    let mut n = (a + 0.5 * a.sqrt()).ceil().max(least);
    let mut reciprocal = reciprocal_b(a, n);
    if meets(n, reciprocal) {
        while n > least {
            let fewer = (reciprocal - 1.0) * a / n;
            if n - 1.0 <= a || !meets(n - 1.0, fewer) {
                break;
            }
            n -= 1.0;
            reciprocal = fewer;
        }
    } else {
        loop {
            n += 1.0;
            reciprocal = 1.0 + n / a * reciprocal;
            if meets(n, reciprocal) {
                break;
            }
        }
    }
    n as u32
}

/// Erlang A by hand: sums cut off early, Simpson's rule with 16 steps for the service level.
fn hand_tuned_a(load: &IntervalLoad, rules: &Rules) -> u32 {
    let a = load.contacts * load.handle_secs / SECS;
    let patience = rules.patience_secs.unwrap_or(1e9);
    let impatience = load.handle_secs / patience;
    let (c, until) = (a / impatience, rules.within_secs / patience);
    let meets = |n: f64| {
        let below = reciprocal_b(a, n) - 1.0;
        let (mut term, mut all, mut waiting, mut j) = (1.0, 1.0, 0.0, 0.0);
        loop {
            j += 1.0;
            term *= a / (n + j * impatience);
            all += term;
            waiting += j * term;
            if n + j * impatience > a && term * j < 1e-12 * waiting {
                break;
            }
        }
        let total = below + all;
        let abandonment = waiting / total / c;
        if rules.abandonment.is_some_and(|most| abandonment > most)
            || rules.occupancy.is_some_and(|most| a * (1.0 - abandonment) / n > most)
        {
            return false;
        }
        let s = n / impatience;
        let density = |z: f64| (c * (1.0 - (-z).exp()) - (s + 1.0) * z).exp();
        let step = until / 16.0;
        let inner: f64 = (1..16)
            .map(|at| if at % 2 == 1 { 4.0 } else { 2.0 } * density(f64::from(at) * step))
            .sum();
        let answered = step / 3.0 * (density(0.0) + inner + density(until));
        (below + s * answered) / total >= rules.service_level
    };
    let mut n = (a + 0.2 * a.sqrt()).ceil().max(1.0);
    if meets(n) {
        while n > 1.0 && meets(n - 1.0) {
            n -= 1.0;
        }
    } else {
        loop {
            n += 1.0;
            if meets(n) {
                break;
            }
        }
    }
    n as u32
}

fn main() {
    let year = year();
    let patient = Rules { patience_secs: None, abandonment: None, ..Rules::STARTING };
    let no_ceiling = Rules { occupancy: None, ..patient };
    let impatient = Rules { occupancy: None, ..Rules::STARTING };
    let ours = |rules: &Rules| -> u64 {
        let mut search = NeedSearch::new(SECS, rules, Model::for_rules(rules)).expect("a promise");
        year.iter().map(|load| u64::from(search.agents(*load).expect("in reach"))).sum()
    };
    type Plain = fn(&IntervalLoad, &Rules) -> u32;
    let sum = |plain: Plain, rules: &Rules| -> u64 {
        year.iter().map(|load| u64::from(plain(load, rules))).sum()
    };
    println!("35,040 intervals of 0.5 to 400 Erlangs, on one core:");
    for (what, rules, plain) in [
        ("Erlang C, level: textbook recursion", &no_ceiling, by_recursion as Plain),
        ("Erlang C, level: hand-tuned loop", &no_ceiling, hand_tuned_c),
        ("Erlang C, level and occupancy: hand-tuned loop", &patient, hand_tuned_c),
        ("Erlang A, level and abandonment: hand-tuned loop", &impatient, hand_tuned_a),
        ("Erlang A, three targets: hand-tuned loop", &Rules::STARTING, hand_tuned_a),
    ] {
        assert_eq!(ours(rules), sum(plain, rules), "{what}");
        compare(what, || sum(plain, rules), || ours(rules));
    }
    println!("\nand on all cores:");
    for (what, rules) in [("Erlang C", &no_ceiling), ("Erlang A", &impatient)] {
        let all = || need_of_all(&year, SECS, rules, Model::for_rules(rules)).expect("in reach");
        compare(&format!("{what}: one core"), || ours(rules), all);
    }
}
