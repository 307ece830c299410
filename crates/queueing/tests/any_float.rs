//! Whatever numbers come: an answer in range or an error, never a panic and never without end.

#![cfg(test)]

use barometer_queueing::{
    ChatPace, ChatTeam, Class, DeferrableInterval, ErlangA, ErlangC, FewestServers, Figures,
    FinitePlaces, GeneralPatience, LevelOf, Patience, Promise, Redial, SeenWait, Start, Stretch,
    Traffic, TransientDay, TwoClasses, WhenAllBusy, erlang_b, erlang_b_with_redial,
    lines_for_blocking, load_for_blocking, mean_patience, modified_loads, ordered_hunting,
    plan_by_deadline, spread, weibull_patience,
};
use proptest::prelude::*;

/// Numbers that break things, and usual ones.
fn number() -> impl Strategy<Value = f64> {
    prop_oneof![
        Just(0.0),
        Just(-1.0),
        Just(1.0),
        Just(f64::NAN),
        Just(f64::INFINITY),
        Just(f64::NEG_INFINITY),
        Just(f64::MIN_POSITIVE),
        Just(5e-324),
        Just(f64::MAX),
        Just(1e-9),
        Just(1e9),
        0.0..1.0f64,
        0.1..600.0f64,
        0.1..600.0f64,
        1.0..12_000.0f64,
    ]
}

fn count() -> impl Strategy<Value = u32> {
    prop_oneof![Just(0), Just(1), 1..40u32, 1..40u32, Just(12_000)]
}

fn assert_figures(figures: Figures) {
    for share in [
        figures.blocked,
        figures.wait_probability,
        figures.answered,
        figures.abandonment,
        figures.occupancy,
    ] {
        assert!((-1e-9..=1.0 + 1e-9).contains(&share), "{figures:?}");
    }
    assert!(figures.answer_secs >= 0.0 && figures.mean_waiting >= 0.0, "{figures:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn lines_of_one_kind(
        a in number(), b in number(), c in number(), d in number(), n in count(),
        places in proptest::option::of(count()), patience in proptest::option::of(number()),
    ) {
        let _ = erlang_b(a, n);
        let _ = erlang_b_with_redial(a, n, b);
        let _ = load_for_blocking(n, b);
        if a < 1e5 {
            let _ = lines_for_blocking(a, b);
        }
        let Ok(traffic) = Traffic::of_load(a, b) else { return Ok(()) };
        if let Ok(line) = ErlangC::new(traffic, n) {
            let level = line.service_level(c);
            prop_assert!(c.is_nan() || (-1e-9..=1.0 + 1e-9).contains(&level), "{level}");
            let _ = line.wait_percentile_secs(d);
        }
        // Millions within one patience take their seconds; they are tried elsewhere.
        let within_patience = patience.map_or(0.0, |secs| traffic.contacts_per_sec() * secs);
        if within_patience > 1e5 || a > 1e5 {
            return Ok(());
        }
        let promise = Promise {
            service_level: c,
            within_secs: d,
            abandonment: Some(b),
            occupancy: places.map(f64::from),
            patience_secs: patience,
        };
        if let Ok(mut search) = FewestServers::new(promise) {
            let _ = search.find(traffic, 5_000);
        }
        if let (Some(secs), true) = (patience, c.is_finite())
            && let Ok(line) = ErlangA::new(traffic, n, secs)
        {
            let _ = line.service_level_of(c, LevelOf::OfferedLessShort { short_secs: 5.0 });
            let _ = line.wait_percentile_secs(d);
            if let Ok(figures) = line.figures() {
                assert_figures(figures);
            }
        }
        if let Ok(line) = FinitePlaces::new(traffic, n, places, patience) {
            assert_figures(line.figures());
            let _ = line.service_level(c, LevelOf::Offered);
        }
        let _ = ordered_hunting(traffic, n.min(60), WhenAllBusy::Waits { places, patience_secs: patience });
    }

    #[test]
    fn patience_of_any_kind(
        a in number(), h in number(), n in count(), kind in 0..5usize,
        p in number(), q in number(), r in number(), within in number(),
    ) {
        let patience = [
            Patience::Exponential { mean_secs: p },
            Patience::HyperExponential { first: q, first_mean_secs: p, second_mean_secs: r },
            Patience::Weibull { shape: q, mean_secs: p },
            Patience::LogNormal { mean_secs: p, variation: q },
            Patience::Constant { secs: p },
        ][kind];
        if let Ok(traffic) = Traffic::of_load(a, h)
            && let Ok(line) = GeneralPatience::new(traffic, n, patience)
        {
            let _ = line.figures();
            let _ = line.service_level(within, LevelOf::OfferedLessShort { short_secs: 3.0 });
        }
    }

    #[test]
    fn chats_estimates_and_deadlines(
        a in number(), b in number(), c in number(), n in count(), k in 0..9u32,
        waits in proptest::collection::vec((number(), any::<bool>()), 0..6),
    ) {
        let pace = ChatPace { at_once: k, alone_secs: b, slowing: c };
        if a * b.abs() < 1e6
            && let Ok(team) = ChatTeam::new(a, n.min(400), pace, Some(20), Some(60.0))
        {
            let _ = team.service_level(20.0, LevelOf::Answered);
        }
        let _ = mean_patience(a, u64::from(n), c);
        let seen: Vec<_> =
            waits.iter().map(|&(secs, abandoned)| SeenWait { secs, abandoned }).collect();
        let _ = weibull_patience(&seen, 0.95);
        let _ = spread(&waits.iter().map(|wait| wait.0).collect::<Vec<_>>());
        let work: Vec<_> = waits
            .iter()
            .map(|&(contacts, open)| DeferrableInterval { contacts, handle_secs: a, open })
            .collect();
        let _ = plan_by_deadline(&work, b, c);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn chains_and_days(
        a in number(), b in number(), h in number(), n in 0..30u32, p in number(), q in number(),
        r in number(), within in number(),
    ) {
        // Rates of thousands a second are answered too, but take their seconds.
        let is_slow = |secs: f64| secs > 0.0 && secs < 1.0;
        if is_slow(p) || is_slow(q) || is_slow(h) || within > 1e4 {
            return Ok(());
        }
        let class = |rate: f64, patience: f64| Class {
            contacts_per_sec: rate / 3600.0,
            patience_secs: Some(patience),
        };
        if a < 1e3 && b < 1e3 && p < 600.0 && q < 600.0 {
            let classes =
                TwoClasses { urgent: class(a, p), others: class(b, q), handle_secs: h, servers: n };
            let _ = classes.figures(within);
        }
        if let Ok(traffic) = Traffic::of_load(a, h) {
            let redial = Redial {
                traffic,
                servers: n,
                places: Some(5),
                patience_secs: Some(p),
                share: q,
                after_secs: r,
            };
            if a < 40.0 && r < 1e4 {
                let _ = redial.figures(within);
            }
        }
        let stretch =
            Stretch { secs: b, contacts_per_sec: a / 3600.0, handle_secs: h, servers: n };
        let _ = modified_loads(&[stretch], r);
        if b < 1e4 && a < 1e3 {
            let day = TransientDay { patience_secs: Some(p), within_secs: within, most_waiting: 30 };
            if let Ok(figures) = day.evaluate(&Start::InSystem(n), &[stretch, stretch])
                && within < 1e6
            {
                let level = figures[0].service_level;
                prop_assert!((-1e-9..=1.0 + 1e-9).contains(&level), "{level}");
            }
        }
    }
}

#[test]
fn a_day_that_would_take_for_ever_is_refused_with_what_to_do() {
    let stretch = Stretch { secs: 1e12, contacts_per_sec: 1.0, handle_secs: 300.0, servers: 400 };
    let day = TransientDay { patience_secs: Some(60.0), within_secs: 20.0, most_waiting: 100 };
    let refused = day.evaluate(&Start::Empty, &[stretch]).unwrap_err();
    assert!(refused.to_string().contains("take a shorter day"), "{refused}");
}
