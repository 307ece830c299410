//! Special days: their effects, and those that a history shows by itself.

use barometer_forecast::{
    Calendar, DayGrid, HORIZON_DAYS, MONTH_STARTS, Rule, SpecialDay, calendar_of, easter, forecast,
    recurring_days,
};
use jiff::ToSpan;
use jiff::civil::{Date, date};

use crate::made::{Made, london, plain_forecast};

/// Christmas Day at a fifth, 26 December at a half, Easter Monday at 0.6.
fn with_holidays(day: Date) -> f64 {
    let easter_monday = easter(day.year()).map(|easter| easter.saturating_add(1.day()));
    match (day.month(), day.day()) {
        (12, 25) => 0.2,
        (12, 26) => 0.5,
        _ if Some(day) == easter_monday => 0.6,
        _ => 1.0,
    }
}

fn history() -> DayGrid {
    // To the end of November 2026.
    Made { factor: with_holidays, ..Made::noisy(date(2024, 1, 1), 1065, 21) }.grid()
}

fn calendar() -> Calendar {
    let days = (2024..=2027).flat_map(|year| {
        let easter_monday = easter(year).unwrap().saturating_add(1.day());
        [
            SpecialDay::new(date(year, 12, 25), "Christmas Day", "public holiday"),
            SpecialDay::new(date(year, 12, 26), "Boxing Day", "public holiday"),
            SpecialDay::new(easter_monday, "Easter Monday", "public holiday"),
        ]
    });
    Calendar::new(days.collect())
}

#[test]
fn effects_are_learnt_from_the_days_that_have_been() {
    let made = forecast(&history(), &calendar(), HORIZON_DAYS, None).unwrap();
    let effect = |name: &str| made.effects.iter().find(|effect| effect.name == name).unwrap();
    for (name, truth, seen) in
        [("Christmas Day", 0.2, 2), ("Boxing Day", 0.5, 2), ("Easter Monday", 0.6, 3)]
    {
        let effect = effect(name);
        assert_eq!(effect.seen, seen, "{name}");
        assert!((effect.factor / truth).ln().abs() < 0.2, "{name}: {}", effect.factor);
        assert!((effect.between.0..effect.between.1).contains(&truth), "{effect:?}");
    }
    let of = |day: Date| made.days.iter().find(|it| it.day == day).unwrap();
    let (christmas, week_before) = (of(date(2026, 12, 25)), of(date(2026, 12, 18)));
    let ratio = christmas.contacts / week_before.contacts;
    assert!((ratio / 0.2).ln().abs() < 0.2, "{ratio}");
    assert!((christmas.parts.special - effect("Christmas Day").factor).abs() < 1e-9);
    // The week after is not bent by the holidays in it.
    let without = plain_forecast(&Made::noisy(date(2024, 1, 1), 1065, 21).grid()).unwrap();
    let ordinary = (of(date(2026, 12, 22)).contacts / without.days[21].contacts - 1.0).abs();
    assert!(ordinary < 0.03, "{ordinary}");
}

#[test]
fn a_calendar_that_is_imported_twice_is_as_one_that_is_imported_once() {
    let once = forecast(&history(), &calendar(), HORIZON_DAYS, None).unwrap();
    let twice = [calendar().days(), calendar().days()].concat();
    let twice = forecast(&history(), &Calendar::new(twice), HORIZON_DAYS, None).unwrap();
    assert_eq!(once.days, twice.days);
    assert_eq!(once.effects, twice.effects);
}

#[test]
fn many_names_for_the_same_days_leave_numbers_that_are_numbers() {
    // A calendar that was imported again and again with its names written differently.
    let renamed = |nth: usize| {
        let days = calendar().days().to_vec();
        days.into_iter()
            .map(move |special| SpecialDay { name: format!("{} {nth}", special.name), ..special })
    };
    let calendar = Calendar::new((0..40).flat_map(renamed).collect());
    let made = forecast(&history(), &calendar, HORIZON_DAYS, None).unwrap();
    for day in &made.days {
        assert!(day.contacts.is_finite() && day.contacts >= 0.0, "{day:?}");
        assert!(day.band.p2_5.is_finite() && day.band.p97_5.is_finite(), "{day:?}");
    }
    assert!(made.intervals.iter().all(|interval| interval.contacts.is_finite()));
}

#[test]
fn a_holiday_never_seen_is_what_its_class_is_and_less_sure() {
    let mut days = calendar().days().to_vec();
    days.push(SpecialDay::new(date(2026, 12, 9), "Jubilee", "public holiday"));
    days.push(SpecialDay::new(date(2026, 12, 10), "Comet", "celestial event"));
    let made = forecast(&history(), &Calendar::new(days), HORIZON_DAYS, None).unwrap();
    let effect = |name: &str| made.effects.iter().find(|effect| effect.name == name).unwrap();
    let jubilee = effect("Jubilee");
    assert_eq!(jubilee.seen, 0);
    assert!((0.3..0.6).contains(&jubilee.factor), "{jubilee:?}");
    let width = |name| (effect(name).between.1 / effect(name).between.0).ln();
    assert!(width("Jubilee") > 2.0 * width("Christmas Day"));
    assert!((effect("Comet").factor - 1.0).abs() < 1e-9, "nothing is known of comets");
}

#[test]
fn a_closed_day_has_no_intervals_and_an_effect_can_be_overruled() {
    let days = [
        SpecialDay {
            closed: true,
            ..SpecialDay::new(date(2026, 12, 8), "Works outing", "closure")
        },
        SpecialDay {
            factor: Some(1.5),
            ..SpecialDay::new(date(2026, 12, 15), "Sale", "promotion")
        },
    ];
    let made = forecast(&history(), &Calendar::new(days.to_vec()), HORIZON_DAYS, None).unwrap();
    let on = |day: Date| made.days.iter().find(|it| it.day == day).unwrap().contacts;
    assert_eq!(on(date(2026, 12, 8)), 0.0);
    let closed = date(2026, 12, 8);
    assert!(!made.intervals.iter().any(|it| it.start.to_zoned(london()).date() == closed));
    assert!((on(date(2026, 12, 15)) / on(date(2026, 12, 22)) / 1.5 - 1.0).abs() < 0.03);
}

#[test]
fn holidays_that_no_calendar_names_are_found_in_the_history() {
    let history = history();
    let found = recurring_days(&history, &Calendar::default());
    let rules: Vec<(Rule, usize)> = found.iter().map(|it| (it.rule, it.years)).collect();
    for rule in [
        (Rule::Date { month: 12, day: 25 }, 2),
        (Rule::Date { month: 12, day: 26 }, 2),
        (Rule::Easter { days: 1 }, 3),
    ] {
        assert!(rules.contains(&rule), "{rules:?}");
    }
    assert_eq!(rules.len(), 3, "and nothing else: {rules:?}");
    let proposed = calendar_of(&found, &history, "found in history");
    assert!(!proposed.on(date(2026, 12, 25)).is_empty(), "also in the year to come");
    // What is in the calendar already is not proposed again.
    assert!(recurring_days(&history, &calendar()).is_empty());
}

#[test]
fn nothing_recurs_in_an_ordinary_or_a_short_history() {
    let ordinary = Made { day_spread: 0.1, ..Made::noisy(date(2024, 1, 1), 1000, 77) }.grid();
    assert_eq!(recurring_days(&ordinary, &Calendar::default()), []);
    let short = Made { factor: with_holidays, ..Made::noisy(date(2025, 10, 1), 200, 2) }.grid();
    assert_eq!(recurring_days(&short, &Calendar::default()), []);
}

#[test]
fn easter_falls_where_the_almanac_says() {
    // Meeus, Astronomical Algorithms, ch. 8, and the almanacs of these years.
    for (year, month, day) in
        [(1818, 3, 22), (1961, 4, 2), (1991, 3, 31), (2000, 4, 23), (2026, 4, 5), (2038, 4, 25)]
    {
        assert_eq!(easter(year), Some(date(year, month, day)));
    }
    assert_eq!(Rule::Nth { month: 11, nth: 4, weekday: 4 }.in_year(2026), Some(date(2026, 11, 26)));
    assert_eq!(Rule::Nth { month: 5, nth: -1, weekday: 1 }.in_year(2026), Some(date(2026, 5, 25)));
    assert_eq!(Rule::Date { month: 2, day: 29 }.in_year(2026), None);
    assert_eq!(Rule::Easter { days: -2 }.in_year(2026), Some(date(2026, 4, 3)));
}

/// Every fifth Thursday is closed, and the Friday after it is a third busier.
fn after_closures(day: Date) -> f64 {
    let weeks = date(2024, 1, 4).until((jiff::Unit::Week, day)).map_or(0, |span| span.get_weeks());
    let is_week = weeks % 5 == 2 && day >= date(2024, 1, 4);
    match day.weekday() {
        jiff::civil::Weekday::Thursday if is_week => 0.0,
        jiff::civil::Weekday::Friday if is_week => 4.0 / 3.0,
        _ => 1.0,
    }
}

#[test]
fn the_next_open_day_after_a_closure_has_an_effect_of_its_own() {
    let made = Made { factor: after_closures, ..Made::noisy(date(2024, 1, 1), 730, 77) };
    let mut seen = made.observations();
    seen.retain(|interval| after_closures(interval.start.to_zoned(london()).date()) > 0.0);
    let history = crate::made::grid(&seen);
    let closures = (0..800)
        .map(|day| date(2024, 1, 1).saturating_add(day.days()))
        .filter(|day| after_closures(*day) == 0.0)
        .map(|day| SpecialDay { closed: true, ..SpecialDay::new(day, "Maintenance", "closure") });
    let calendar = Calendar::new(closures.collect());
    let forecast = forecast(&history, &calendar, HORIZON_DAYS, None).unwrap();
    let effect =
        forecast.effects.iter().find(|effect| effect.name == barometer_forecast::NEXT_OPEN_DAY);
    let effect = effect.unwrap();
    assert!(effect.seen > 15, "{effect:?}");
    assert!((effect.factor / (4.0 / 3.0) - 1.0).abs() < 0.05, "{effect:?}");
    for day in &forecast.days {
        if after_closures(day.day) > 1.0 {
            assert!((day.parts.special - effect.factor).abs() < 1e-9, "{day:?}");
        }
    }
    // Closures that were seen less than three times teach nothing.
    let once = Calendar::new(calendar.days().iter().take(2).cloned().collect());
    let forecast = barometer_forecast::forecast(&history, &once, HORIZON_DAYS, None).unwrap();
    assert!(forecast.effects.iter().all(|effect| effect.name != barometer_forecast::NEXT_OPEN_DAY));
}

/// The first of a month a third busier, the second an eighth; the third as any other.
fn billing(day: Date) -> f64 {
    match day.day() {
        1 => 4.0 / 3.0,
        2 => 9.0 / 8.0,
        _ => 1.0,
    }
}

#[test]
fn the_first_days_of_a_month_have_effects_of_their_own_where_they_are_sure() {
    let made = Made { factor: billing, ..Made::noisy(date(2024, 1, 1), 730, 41) };
    let history = crate::made::grid(&made.observations());
    let forecast = forecast(&history, &Calendar::default(), HORIZON_DAYS, None).unwrap();
    let of_class = forecast.effects.iter().filter(|effect| effect.class == MONTH_STARTS);
    let found: Vec<(&str, f64)> =
        of_class.map(|effect| (effect.name.as_str(), effect.factor)).collect();
    let [("1st of a month", first), ("2nd of a month", second)] = found[..] else {
        panic!("{found:?}");
    };
    assert!((first / (4.0 / 3.0) - 1.0).abs() < 0.03, "{first}");
    assert!((second / (9.0 / 8.0) - 1.0).abs() < 0.03, "{second}");
    for day in &forecast.days {
        let wanted = match day.day.day() {
            1 => first,
            2 => second,
            _ => 1.0,
        };
        assert!((day.parts.special - wanted).abs() < 1e-9, "{day:?}");
    }
}

#[test]
fn months_that_begin_like_any_other_day_have_no_effect_and_five_months_are_too_few() {
    for seed in 0..12 {
        let plain = Made::noisy(date(2024, 1, 1), 730, seed);
        let history = crate::made::grid(&plain.observations());
        let forecast = forecast(&history, &Calendar::default(), 14, None).unwrap();
        assert!(forecast.effects.is_empty(), "seed {seed}: {:?}", forecast.effects);
    }
    let short = Made { factor: billing, ..Made::noisy(date(2024, 1, 1), 150, 41) };
    let history = crate::made::grid(&short.observations());
    let forecast = forecast(&history, &Calendar::default(), 14, None).unwrap();
    assert!(forecast.effects.is_empty(), "{:?}", forecast.effects);
}
