use barometer_dialling::records::CallRecords;
use barometer_strategy::{Assumed, Duration, ZoneAnswers};

fn estimated(text: &str) -> barometer_dialling::records::Estimated {
    CallRecords::from_csv(text).unwrap().estimate(&Assumed::default())
}

#[test]
fn shares_by_the_hour_and_times_come_from_the_calls() {
    let mut text = "dialled_at,outcome,ring_secs,talk_secs,wrap_up_secs\n".to_owned();
    for nth in 0..400 {
        let outcome = if nth % 2 == 0 { "person,10,100,20" } else { "no answer,,," };
        text += &format!("2026-11-20 18:{:02}:00,{outcome}\n", nth % 60);
        let outcome = if nth % 10 == 0 { "person,10,300,20" } else { "machine,20,," };
        text += &format!("2026-11-20T10:{:02}:00,{outcome}\n", nth % 60);
    }
    let got = estimated(&text);
    assert_eq!(got.calls, 800.0);
    let (evening, morning) = (got.hours[18], got.hours[10]);
    // 200 of 400 and 40 of 400 are 32 / 0.21 apart, where chance makes 1; so the correlation is
    // (152.38 − 1) / 399, the prior worth 1.636 calls, and each is drawn by as much towards 240 of 800.
    let prior = 399.0 / (32.0 / 0.21 - 1.0) - 1.0;
    assert!((evening.share - (200.0 + prior * 0.3) / (400.0 + prior)).abs() < 1e-12);
    assert!((morning.share - (40.0 + prior * 0.3) / (400.0 + prior)).abs() < 1e-12);
    assert!(evening.between.0 < 0.5 && 0.5 < evening.between.1);
    // Wilson's interval of 40 of 400 (Brown, Cai and DasGupta 2001): 0.0743 to 0.1334.
    assert!((morning.between.0 - 0.074_3).abs() < 2e-4, "{morning:?}");
    assert!((morning.between.1 - 0.133_4).abs() < 2e-4, "{morning:?}");
    assert!((got.assumed.machine_share - 360.0 / 800.0).abs() < 1e-12);
    assert!((got.assumed.ring.mean_secs() - 10.0).abs() < 1e-9);
    // 200 talks of 100 s and 40 of 300 s.
    assert!((got.assumed.talk.mean_secs() - 32_000.0 / 240.0).abs() < 1e-9);
    assert_eq!(got.hours[3].between, (0.0, 1.0), "nothing is known of an hour without calls");
    assert!((got.hours[3].share - 0.3).abs() < 1e-12, "so that it is as all hours");
}

#[test]
fn hours_that_differ_by_chance_alone_are_drawn_together() {
    // Ten hours with 3 of 10 each, but for one with 4 and one with 2.
    let mut text = "dialled_at,outcome\n".to_owned();
    for hour in 9..19 {
        let people = 3 + i32::from(hour == 9) - i32::from(hour == 18);
        for nth in 0..10 {
            let outcome = if nth < people { "person" } else { "no answer" };
            text += &format!("2026-11-20 {hour:02}:00:00,{outcome}\n");
        }
    }
    let got = estimated(&text);
    assert!((got.hours[9].share - 0.3).abs() < 0.01, "{:?}", got.hours[9]);
    assert!(got.hours[9].between.1 > 0.6, "and nobody could be sure");
}

/// Calls at ten o'clock: each zone with its calls, and how many of them are answered.
fn by_zone(zones: &[(&str, u32, u32)]) -> String {
    let mut text = "dialled_at,outcome,zone\n".to_owned();
    for (zone, calls, people) in zones {
        for nth in 0..*calls {
            let outcome = if nth < *people { "person" } else { "no answer" };
            text += &format!("2026-11-20 10:00:00,{outcome},{zone}\n");
        }
    }
    text
}

#[test]
fn zones_that_differ_keep_their_own_factors_and_few_calls_are_drawn_to_one() {
    let zones = [("Europe/London", 2000, 800), ("Europe/Paris", 2000, 400), ("Asia/Tokyo", 4, 0)];
    let got = estimated(&by_zone(&zones));
    // 1,200 of 4,004 answer: of 2,000 calls 599.4 at that share.
    let expected = 2000.0 * 1200.0 / 4004.0;
    let [london, paris, tokyo] = &got.zones[..] else { panic!("{:?}", got.zones) };
    assert_eq!((london.zone.as_str(), london.calls), ("Europe/London", 2000.0));
    assert!((london.factor - 800.0 / expected).abs() < 0.01, "{london:?}");
    assert!((paris.factor - 400.0 / expected).abs() < 0.01, "{paris:?}");
    assert!(tokyo.factor > 0.7 && tokyo.factor < 1.0, "{tokyo:?}");
    // Wilson's interval of 800 of 2,000, 0.3787 to 0.4216, beside what all zones have.
    assert!((london.between.0 - 0.3787 * 2000.0 / expected).abs() < 1e-3, "{london:?}");
    assert!((london.between.1 - 0.4216 * 2000.0 / expected).abs() < 1e-3, "{london:?}");
    assert!((got.assumed.zone_factor("Europe/Paris") - paris.factor).abs() < 1e-12);
    // By the factors as many are expected as were counted.
    let again: f64 = got.zones.iter().map(|zone| zone.factor * zone.calls).sum::<f64>();
    assert!((again * 1200.0 / 4004.0 - 1200.0).abs() < 3.0, "{again}");
}

#[test]
fn zones_that_differ_by_chance_alone_are_taken_as_alike_and_one_zone_is_none() {
    let zones = [("Europe/London", 400, 122), ("Europe/Paris", 400, 118), ("UTC", 400, 120)];
    let got = estimated(&by_zone(&zones));
    assert!(got.zones.iter().all(|zone| (zone.factor - 1.0).abs() < 1e-3), "{:?}", got.zones);
    assert_eq!(estimated(&by_zone(&zones[..1])).zones, []);
    let wrong = CallRecords::from_csv(&by_zone(&[("Atlantis", 1, 1)])).unwrap_err();
    assert_eq!(wrong, ["Row 2, zone: “Atlantis” is no time zone; write it as Europe/Dublin"]);
    // What is assumed of zones stays where the file names none, and no factor is more than can be.
    let half = ZoneAnswers { zone: "UTC".to_owned(), answered_factor: 0.5 };
    let before = Assumed { zones: vec![half], ..Assumed::default() };
    let records =
        CallRecords::from_csv("dialled_at,outcome\n2026-11-20 10:00:00,person\n").unwrap();
    assert_eq!(records.estimate(&before).assumed.zones, before.zones);
    let all = estimated(&by_zone(&[("Europe/London", 1000, 1000), ("Europe/Paris", 1000, 200)]));
    let most = all.assumed.answered_share[10] * all.assumed.zone_factor("Europe/London");
    assert!(most <= 1.0 + 1e-9, "{most}");
}

#[test]
fn what_the_records_leave_out_stays_as_it_was_and_shares_always_fit() {
    let got = estimated("outcome;dialled_at\nperson;2026-11-20 09:00\nbusy;2026-11-20 09:10\n");
    assert_eq!(got.assumed.talk, Assumed::default().talk);
    let all: f64 = got.assumed.answered_at(9) + got.assumed.busy_share;
    assert!(all <= 1.0 + 1e-12, "{all}");
    // An hour in which everybody answers leaves no room for anything else.
    let mut text = "dialled_at,outcome\n".to_owned();
    for _ in 0..5000 {
        text += "2026-11-20 09:00,person\n2026-11-20 15:00,machine\n";
    }
    let got = estimated(&text).assumed;
    assert!(got.answered_at(9) + got.machine_share <= 1.0 + 1e-12);
    assert!(matches!(got.ring, Duration::LogNormal { .. }));
}

#[test]
fn what_is_wrong_is_told_row_by_row() {
    let wrong = |text: &str| CallRecords::from_csv(text).unwrap_err();
    assert!(wrong("a,b\n1,2\n")[0].contains("must name the columns dialled_at and outcome"));
    assert_eq!(wrong("dialled_at,outcome\n"), ["There is no call in the file."]);
    let told = wrong(
        "dialled_at,outcome,ring_secs\nyesterday,person,3\n2026-11-20 09:00,perhaps,3\n\
         2026-11-20 09:00,person,long\n2026-11-20 09:00,person,-4\n",
    );
    assert_eq!(
        told,
        [
            "Row 2, dialled_at: “yesterday” is no moment; write it as 2026-11-20 14:05:31",
            "Row 3, outcome: “perhaps” is none of person, machine, busy, no answer, unusable, congested",
            "Row 4, ring_secs: “long” is no number of seconds up to a day",
            "Row 5, ring_secs: “-4” is no number of seconds up to a day",
        ]
    );
    let many = format!("dialled_at,outcome\n{}", "x,y\n".repeat(500));
    assert_eq!(wrong(&many).len(), 21);
}
