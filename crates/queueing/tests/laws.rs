//! Laws that hold for every load, staffing and patience.

#![cfg(test)]

use barometer_queueing::{ErlangA, ErlangC, QueueError, Traffic, erlang_b};
use proptest::prelude::*;

fn traffic(erlangs: f64, handle_secs: f64) -> Traffic {
    Traffic::of_load(erlangs, handle_secs).unwrap()
}

proptest! {
    #[test]
    fn one_more_server_never_makes_service_worse(
        erlangs in 0.01..600.0f64, servers in 0u32..700, handle in 10.0..2000.0f64,
        patience in 1.0..5000.0f64, within in 0.0..300.0f64,
    ) {
        let fewer = ErlangA::new(traffic(erlangs, handle), servers, patience).unwrap().outcome(within);
        let more = ErlangA::new(traffic(erlangs, handle), servers + 1, patience).unwrap().outcome(within);
        prop_assert!(more.service_level >= fewer.service_level - 1e-12, "{fewer:?} {more:?}");
        prop_assert!(more.abandonment <= fewer.abandonment + 1e-12);
        prop_assert!(more.wait_probability <= fewer.wait_probability + 1e-12);
    }

    #[test]
    fn a_percentile_of_the_wait_is_where_the_service_level_reaches_it(
        erlangs in 0.5..300.0f64, servers in 1u32..320, handle in 10.0..2000.0f64,
        patience in 5.0..5000.0f64, of_answered in 0.05..0.995f64,
    ) {
        let line = ErlangA::new(traffic(erlangs, handle), servers, patience).unwrap();
        let (secs, answered) = (line.wait_percentile_secs(of_answered).unwrap(), 1.0 - line.abandonment());
        let reached = line.service_level(secs) / answered;
        if secs == 0.0 {
            prop_assert!(reached >= of_answered - 1e-6, "{reached} at once");
        } else {
            prop_assert!((reached - of_answered).abs() < 1e-6, "{secs}: {reached} {of_answered}");
            prop_assert!(line.service_level(0.999 * secs) < line.service_level(secs));
        }
        // A longer share takes longer, and more people take less long.
        let longer = line.wait_percentile_secs(0.999).unwrap();
        prop_assert!(longer >= secs);
        let more = ErlangA::new(traffic(erlangs, handle), servers + 1, patience).unwrap();
        prop_assert!(more.wait_percentile_secs(of_answered).unwrap() <= secs * (1.0 + 1e-6));
    }

    #[test]
    fn shares_stay_between_none_and_all(
        erlangs in 0.0..20_000.0f64, servers in 0u32..12_000, handle in 1.0..5000.0f64,
        patience in 0.01..1e6f64, within in 0.0..1e5f64,
    ) {
        let met = ErlangA::new(traffic(erlangs, handle), servers, patience).unwrap().outcome(within);
        for share in [met.service_level, met.abandonment, met.occupancy, met.wait_probability] {
            prop_assert!((0.0..=1.0 + 1e-12).contains(&share), "{met:?}");
        }
        // Whoever is answered in time has not abandoned.
        prop_assert!(met.service_level + met.abandonment <= 1.0 + 1e-12, "{met:?}");
        prop_assert!(met.answer_secs.is_finite() && met.answer_secs >= 0.0);
    }

    #[test]
    fn work_is_conserved(
        erlangs in 0.1..500.0f64, servers in 1u32..600, handle in 10.0..1000.0f64, patience in 5.0..2000.0f64,
    ) {
        // Everybody who does not abandon occupies a server for the handle time.
        let line = ErlangA::new(traffic(erlangs, handle), servers, patience).unwrap();
        let busy = line.occupancy() * f64::from(servers);
        prop_assert!((busy - erlangs * (1.0 - line.abandonment())).abs() < 1e-9 * erlangs);
        // With a threshold beyond every wait, all who do not abandon are answered in time.
        let answered = line.service_level(60.0 * patience);
        prop_assert!((answered - (1.0 - line.abandonment())).abs() < 1e-9, "{answered} {line:?}");
    }

    #[test]
    fn endless_patience_makes_erlang_a_an_erlang_c(
        erlangs in 0.1..200.0f64, spare in 1u32..20, handle in 60.0..600.0f64, within in 0.0..60.0f64,
    ) {
        let servers = erlangs.ceil() as u32 + spare;
        let patience = 1e10;
        let patient = ErlangA::new(traffic(erlangs, handle), servers, patience).unwrap();
        let line = ErlangC::new(traffic(erlangs, handle), servers).unwrap();
        // A line of a / (n − a) waiters loses (n − a) + that × handle time / patience servers' worth:
        // patience moves the answer by about the second part over the first.
        let gap = f64::from(servers) - erlangs;
        let bound = 1e-9 + erlangs / (gap * gap) * handle / patience;
        prop_assert!((patient.wait_probability() - line.wait_probability()).abs() < bound);
        prop_assert!((patient.service_level(within) - line.service_level(within)).abs() < bound);
    }

    #[test]
    fn erlang_b_follows_its_recursion(erlangs in 0.01..2000.0f64, servers in 1u32..2200) {
        let fewer = erlang_b(erlangs, servers - 1).unwrap();
        let expected = erlangs * fewer / (f64::from(servers) + erlangs * fewer);
        let got = erlang_b(erlangs, servers).unwrap();
        prop_assert!((got - expected).abs() <= 1e-12 * expected + f64::MIN_POSITIVE, "{got} {expected}");
    }
}

#[test]
fn an_unstable_line_says_how_many_servers_it_needs() {
    insta::assert_snapshot!(
        ErlangC::new(traffic(12.5, 180.0), 12).unwrap_err(),
        @"12 servers cannot keep up with 12.50 Erlangs of patient callers; the line needs at least 13"
    );
}

#[test]
fn numbers_without_a_meaning_are_refused() {
    for handle in [0.0, -1.0, f64::NAN, f64::INFINITY] {
        assert!(matches!(Traffic::of_load(1.0, handle), Err(QueueError::BadNumber { .. })));
    }
    assert!(Traffic::per_interval(-1.0, 1800.0, 200.0).is_err());
    assert!(ErlangA::new(traffic(3.0, 180.0), 4, f64::NAN).is_err());
    assert!(erlang_b(f64::INFINITY, 3).is_err());
}

#[test]
fn absurd_numbers_are_answered_or_refused_but_never_hang() {
    let deep = ErlangA::new(traffic(14_000.0, 1.0), 14, 323_433.0).unwrap().outcome(20.0);
    assert!((deep.abandonment - 0.999).abs() < 1e-12 && (deep.occupancy - 1.0).abs() < 1e-12);
    assert!(ErlangA::new(traffic(1e50, 1.0), 5, 1e50).is_err());
    assert!(Traffic::of_load(1e300, 1.0).is_err() && Traffic::of_load(1.0, 1e-300).is_err());
    let empty_hall = ErlangA::new(traffic(0.5, 60.0), u32::MAX, 60.0).unwrap().outcome(0.0);
    assert_eq!((empty_hall.service_level, empty_hall.abandonment), (1.0, 0.0));
    assert_eq!(erlang_b(0.5, u32::MAX).unwrap(), 0.0);
    assert!(ErlangC::new(traffic(1e-50, 1e-50), 1).unwrap().service_level(0.0) > 0.999);
}

#[test]
fn who_never_gives_up_waits_as_long_as_erlang_c_says_and_nobody_answers_an_empty_room() {
    for (erlangs, servers) in [(8.0, 10), (18.0, 20), (95.0, 100)] {
        let patient = ErlangA::new(traffic(erlangs, 240.0), servers, 1e9).unwrap();
        let for_ever = ErlangC::new(traffic(erlangs, 240.0), servers).unwrap();
        for share in [0.5, 0.8, 0.9, 0.99] {
            let (a, c) =
                (patient.wait_percentile_secs(share), for_ever.wait_percentile_secs(share));
            let (a, c) = (a.unwrap(), c.unwrap());
            assert!((a - c).abs() <= 1e-4 * c.max(1e-3), "{erlangs} {servers} {share}: {a} {c}");
        }
    }
    let nobody = ErlangA::new(traffic(5.0, 240.0), 0, 60.0).unwrap();
    assert_eq!(nobody.wait_percentile_secs(0.5), Ok(f64::INFINITY));
    let idle = ErlangA::new(traffic(0.0, 240.0), 3, 60.0).unwrap();
    assert_eq!(idle.wait_percentile_secs(0.99), Ok(0.0));
    let busy = ErlangA::new(traffic(30.0, 240.0), 20, 60.0).unwrap();
    assert_eq!(busy.wait_percentile_secs(1.0), Ok(f64::INFINITY));
    assert!(matches!(busy.wait_percentile_secs(1.5), Err(QueueError::BadNumber { .. })));
}

#[test]
fn an_idle_line_answers_at_once_and_an_empty_room_never() {
    let idle = ErlangA::new(traffic(0.0, 180.0), 3, 60.0).unwrap().outcome(20.0);
    assert_eq!((idle.service_level, idle.abandonment, idle.occupancy), (1.0, 0.0, 0.0));
    let empty = ErlangA::new(traffic(2.0, 180.0), 0, 60.0).unwrap().outcome(20.0);
    assert_eq!((empty.service_level, empty.abandonment), (0.0, 1.0));
}

/// M/M/n+M by its birth-death chain: share that abandons, and mean wait of everybody.
fn chain_with_patience(
    erlangs: f64,
    handle_secs: f64,
    servers: u32,
    patience_secs: f64,
) -> [f64; 2] {
    // Weights relative to "all busy, nobody waits", upwards and downwards.
    let (mut below, mut weight) = (0.0, 1.0);
    for busy in (1..=servers).rev() {
        weight *= f64::from(busy) / erlangs;
        below += weight;
    }
    let arrivals = erlangs / handle_secs;
    let (mut all, mut waiting, mut weight) = (below + 1.0, 0.0, 1.0);
    for line in 1..2_000_000u32 {
        let leaving = f64::from(servers) / handle_secs + f64::from(line) / patience_secs;
        weight *= arrivals / leaving;
        all += weight;
        waiting += weight * f64::from(line);
        if weight < 1e-18 * all && leaving > arrivals {
            break;
        }
    }
    let mean = waiting / all;
    [mean / patience_secs / arrivals, mean / arrivals]
}

#[test]
fn patience_of_any_length_is_integrated_right() {
    use barometer_queueing::{GeneralPatience, Patience};
    for patience_secs in [1e-4, 1e-2, 0.3, 1.0, 20.0, 3_000.0, 1e6, 1e9] {
        for (handle_secs, servers, erlangs) in
            [(10.0, 3, 2.5), (600.0, 20, 19.0), (600.0, 20, 26.0), (86_400.0, 50, 49.5)]
        {
            // An endless line is beyond the chain.
            if erlangs > f64::from(servers) && patience_secs > 1e5 {
                continue;
            }
            let traffic = Traffic::of_load(erlangs, handle_secs).unwrap();
            let exact = chain_with_patience(erlangs, handle_secs, servers, patience_secs);
            let erlang_a = ErlangA::new(traffic, servers, patience_secs).unwrap();
            let got = [erlang_a.abandonment(), erlang_a.mean_wait_secs()];
            for (got, exact) in got.iter().zip(exact) {
                let off = (got / exact - 1.0).abs();
                assert!(off < 1e-9, "Erlang A, {patience_secs} s, {servers}: {got} not {exact}");
            }
            let exponential = Patience::Exponential { mean_secs: patience_secs };
            let general = GeneralPatience::new(traffic, servers, exponential).unwrap();
            for within_secs in [0.0, 1.0, 20.0, 600.0] {
                let level =
                    general.service_level(within_secs, barometer_queueing::LevelOf::Offered);
                let other = erlang_a.service_level(within_secs);
                assert!((level - other).abs() < 1e-9, "{patience_secs} s: {level} not {other}");
            }
            for patience in [
                Patience::Exponential { mean_secs: patience_secs },
                Patience::Weibull { shape: 1.0, mean_secs: patience_secs },
            ] {
                let line = GeneralPatience::new(traffic, servers, patience).unwrap().figures();
                let got = [line.abandonment, line.mean_wait_secs];
                for (got, exact) in got.iter().zip(exact) {
                    let off = (got / exact - 1.0).abs();
                    assert!(
                        off < 1e-9,
                        "{patience:?}, {servers} servers, {handle_secs} s: {got} not {exact}"
                    );
                }
            }
        }
    }
}

#[test]
fn two_patient_classes_are_answered_at_any_occupancy() {
    use barometer_queueing::{Class, ErlangC, TwoClasses};
    for (servers, urgent, others) in [(20, 17.5, 1.9), (50, 30.0, 19.9), (8, 7.0, 0.99)] {
        let handle_secs = 240.0;
        let class = |load: f64| Class { contacts_per_sec: load / handle_secs, patience_secs: None };
        let classes =
            TwoClasses { urgent: class(urgent), others: class(others), handle_secs, servers };
        let [first, last] = classes.figures(30.0).unwrap();
        let traffic = Traffic::of_load(urgent + others, handle_secs).unwrap();
        let single = ErlangC::new(traffic, servers).unwrap();
        // Who is answered first changes nothing for all together (work is conserved).
        let all =
            (urgent * first.mean_wait_secs + others * last.mean_wait_secs) / (urgent + others);
        let wait = single.wait_probability() * handle_secs / (f64::from(servers) - urgent - others);
        assert!((all / wait - 1.0).abs() < 1e-11, "{all} {wait}");
        assert!(first.service_level > single.service_level(30.0));
        assert!(last.service_level < single.service_level(30.0));
    }
    // The walk agrees with the wait of a line of one class, where there are no urgent.
    let class = |load: f64| Class { contacts_per_sec: load / 240.0, patience_secs: None };
    let alone =
        TwoClasses { urgent: class(0.0), others: class(19.5), handle_secs: 240.0, servers: 20 };
    let traffic = Traffic::of_load(19.5, 240.0).unwrap();
    let single = ErlangC::new(traffic, 20).unwrap();
    for within_secs in [0.0, 5.0, 60.0, 1800.0] {
        let level = alone.figures(within_secs).unwrap()[1].service_level;
        assert!((level - single.service_level(within_secs)).abs() < 1e-11, "{within_secs} s");
    }
}

#[test]
fn first_calls_meet_an_unchanged_line_where_nobody_returns_and_waits_follow_from_littles_law() {
    use barometer_queueing::{FinitePlaces, Redial};
    let traffic = Traffic::of_load(12.0, 180.0).unwrap();
    let line = FinitePlaces::new(traffic, 12, Some(5), Some(90.0)).unwrap().figures();
    let redial = |share: f64| {
        let (servers, places, patience_secs) = (12, Some(5), Some(90.0));
        let redial = Redial { traffic, servers, places, patience_secs, share, after_secs: 300.0 };
        redial.figures(20.0).unwrap()
    };
    let nobody = redial(0.0);
    assert!((nobody.first_blocked / line.blocked - 1.0).abs() < 1e-9);
    assert!((nobody.mean_wait_secs / line.mean_wait_secs - 1.0).abs() < 1e-9);
    let some = redial(0.6);
    // Returns come after trouble, and trouble lasts: they are refused more often than first calls.
    assert!(some.first_blocked < some.blocked && some.first_blocked > nobody.first_blocked);
    assert!(some.mean_wait_secs > nobody.mean_wait_secs);
}
