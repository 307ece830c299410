//! Erlang values against sums and integrals evaluated with 50 digits, and against a printed table.

#![cfg(test)]

use barometer_queueing::{ErlangA, ErlangC, QueueError, Traffic, erlang_b};

/// The cases of `reference.csv`, made by `reference.py` beside it.
const REFERENCE: &str = include_str!("reference.csv");

/// The worst relative error seen here is 8e-15; 1e-15 is usual.
const TOLERANCE: f64 = 1e-14;

/// Shares smaller than this are compared by their absolute value.
const NOTHING: f64 = 1e-15;

struct Case<'a> {
    line: &'a str,
    traffic: Traffic,
    servers: u32,
    patience_secs: f64,
    within_secs: f64,
    blocking: f64,
    /// P(wait), service level, mean wait; none where the line has no steady state.
    erlang_c: Option<[f64; 3]>,
    /// P(wait), abandonment, ASA, occupancy, service level.
    erlang_a: [f64; 5],
}

fn cases() -> impl Iterator<Item = Case<'static>> {
    REFERENCE.lines().skip(1).map(|line| {
        let cells: Vec<Option<f64>> = line.split(',').map(|cell| cell.parse().ok()).collect();
        let at = |column: usize| cells[column].unwrap();
        Case {
            line,
            traffic: Traffic::of_load(at(0), at(2)).unwrap(),
            servers: at(1) as u32,
            patience_secs: at(3),
            within_secs: at(4),
            blocking: at(5),
            erlang_c: cells[6].map(|wait| [wait, at(7), at(8)]),
            erlang_a: std::array::from_fn(|offset| at(9 + offset)),
        }
    })
}

fn assert_close(what: &str, case: &Case, got: f64, exact: f64) {
    let error = (got - exact).abs() / exact.abs().max(NOTHING);
    assert!(
        error <= TOLERANCE,
        "{what}: {got:e}, not {exact:e}, off by {error:.1e} in {}",
        case.line
    );
}

#[test]
fn erlang_b_has_the_digits_of_the_exact_sum() {
    for case in cases() {
        let erlangs = case.traffic.offered_erlangs();
        assert_close("blocking", &case, erlang_b(erlangs, case.servers).unwrap(), case.blocking);
    }
}

#[test]
fn erlang_c_has_the_digits_of_the_exact_sum_and_refuses_what_grows_without_limit() {
    for case in cases() {
        let line = ErlangC::new(case.traffic, case.servers);
        let Some([wait, level, mean_wait]) = case.erlang_c else {
            assert!(matches!(line, Err(QueueError::Unstable { .. })), "{}", case.line);
            continue;
        };
        let line = line.unwrap();
        assert_close("P(wait)", &case, line.wait_probability(), wait);
        assert_close("service level", &case, line.service_level(case.within_secs), level);
        assert_close("mean wait", &case, line.mean_wait_secs(), mean_wait);
    }
}

#[test]
fn erlang_a_has_the_digits_of_the_exact_sums_and_integral() {
    for case in cases() {
        let line = ErlangA::new(case.traffic, case.servers, case.patience_secs).unwrap();
        let [wait, abandonment, answer_secs, occupancy, level] = case.erlang_a;
        assert_close("P(wait)", &case, line.wait_probability(), wait);
        assert_close("abandonment", &case, line.abandonment(), abandonment);
        assert_close("ASA", &case, line.answer_secs(), answer_secs);
        assert_close("occupancy", &case, line.occupancy(), occupancy);
        assert_close("service level", &case, line.service_level(case.within_secs), level);
    }
}

#[test]
fn the_reference_has_every_kind_of_case() {
    let count = |wanted: fn(&Case) -> bool| cases().filter(wanted).count();
    assert!(cases().count() >= 200);
    assert!(count(|case| case.erlang_c.is_none()) >= 40, "overloads");
    assert!(count(|case| case.servers >= 5_000) >= 20, "thousands of servers");
    assert!(count(|case| case.servers <= 3) >= 10, "hardly any servers");
}

#[test]
fn blocking_matches_the_one_percent_column_of_the_traffic_table() {
    // Erlangs at 1% blocking as printed, to four digits, in traffic tables since the 1920s.
    for (servers, erlangs) in [(5, 1.361), (10, 4.461), (20, 12.03), (50, 37.90), (100, 84.06)] {
        let got = erlang_b(erlangs, servers).unwrap();
        assert!((got - 0.01).abs() < 2e-5, "{servers} servers at {erlangs} Erlangs: {got}");
    }
}
