//! Shifts fitted to a need: everybody needed is there, at a cost that can be worked out by hand.

#![cfg(test)]

use std::time::Duration;

use barometer_plan::{FitProgress, FreeDays, ShiftError, ShiftProblem, ShiftShape, fit_shifts};

/// As if no time ever passed: what ends a search is its proof, or the test.
fn limit() -> Duration {
    Duration::from_secs(20)
}

fn shape(first_start: u32, last_start: u32, length: u32) -> ShiftShape {
    ShiftShape {
        name: "Day".to_owned(),
        first_start: first_start * 60,
        last_start: last_start * 60,
        length: length * 60,
        break_length: 0,
        break_margin: 0,
        days: 5,
        free_days: FreeDays::Together,
        cost_per_hour: 20.0,
        most_people: None,
    }
}

/// The same people from one hour to another on the given days.
fn week(days: std::ops::Range<usize>, hours: std::ops::Range<usize>, people: u32) -> Vec<u32> {
    (0..7 * 24)
        .map(|at| if days.contains(&(at / 24)) && hours.contains(&(at % 24)) { people } else { 0 })
        .collect()
}

fn fit(
    required: Vec<u32>,
    shapes: Vec<ShiftShape>,
) -> Result<barometer_plan::FittedRoster, ShiftError> {
    fit_shifts(&ShiftProblem { interval: 60, required, shapes }, &limit, |_| true)
}

#[test]
fn an_even_working_week_takes_one_shift_for_each_person_needed() {
    let roster = fit(week(0..5, 9..17, 6), vec![shape(7, 11, 8)]).unwrap();
    let people: u32 = roster.shifts.iter().map(|shift| shift.people).sum();
    assert_eq!((people, roster.gap), (6, Some(0.0)));
    assert!((roster.cost - 6.0 * 5.0 * 8.0 * 20.0).abs() < 1e-6, "{}", roster.cost);
}

#[test]
fn seven_even_days_of_five_day_weeks_take_seven_fifths_of_the_people() {
    let roster = fit(week(0..7, 9..17, 5), vec![shape(9, 9, 8)]).unwrap();
    let people: u32 = roster.shifts.iter().map(|shift| shift.people).sum();
    assert_eq!(people, 7);
    assert!(week(0..7, 9..17, 5).iter().zip(&roster.there).all(|(need, there)| there >= need));
}

#[test]
fn breaks_are_staggered_so_that_somebody_stays() {
    let with_break = ShiftShape { break_length: 60, break_margin: 120, ..shape(9, 9, 8) };
    let roster = fit(week(0..5, 9..17, 2), vec![with_break]).unwrap();
    let people: u32 = roster.shifts.iter().map(|shift| shift.people).sum();
    assert_eq!(people, 3, "two to stay while the third is on a break: {:?}", roster.shifts);
}

#[test]
fn a_longer_day_than_any_shift_is_met_by_two_that_overlap() {
    let roster = fit(week(0..5, 8..20, 3), vec![shape(8, 14, 6)]).unwrap();
    assert!((roster.paid_hours - 3.0 * 12.0 * 5.0).abs() < 1e-9, "{}", roster.paid_hours);
}

#[test]
fn where_people_are_few_those_who_are_missing_are_as_few_as_can_be() {
    let few = ShiftShape { most_people: Some(4), ..shape(9, 9, 8) };
    let roster = fit(week(0..5, 9..17, 6), vec![few]).unwrap();
    assert_eq!(roster.there[9], 4);
}

#[test]
fn what_no_shift_reaches_is_said_with_the_time_and_what_would() {
    let error = fit(week(2..3, 6..8, 2), vec![shape(9, 11, 8)]).unwrap_err();
    insta::assert_snapshot!(error, @"nobody can be there on Wednesday at 06:00, when 2 are needed; let a kind of shift start at 06:00 or before");
    let error = fit(week(2..3, 20..23, 2), vec![shape(9, 11, 8)]).unwrap_err();
    insta::assert_snapshot!(error, @"nobody can be there on Wednesday at 20:00, when 2 are needed; let a kind of shift start at 13:00 or later, or last longer");
    let odd = ShiftShape { break_length: 60, break_margin: 240, ..shape(9, 11, 8) };
    let error = fit(week(0..1, 9..10, 1), vec![odd]).unwrap_err();
    insta::assert_snapshot!(error, @"shift 0, break_margin: leaves no room for the break; at most 180 minutes do");
}

#[test]
fn a_search_that_is_told_to_stop_has_a_roster_all_the_same() {
    let problem = ShiftProblem {
        interval: 60,
        required: (0..7 * 24).map(|at| 3 + (at % 24) as u32 * (at % 7) as u32 % 11).collect(),
        shapes: vec![
            ShiftShape {
                break_length: 60,
                break_margin: 120,
                last_start: 22 * 60,
                ..shape(0, 0, 8)
            },
            ShiftShape { days: 3, ..shape(0, 23, 5) },
        ],
    };
    let mut looks = 0;
    let roster = fit_shifts(&problem, &limit, |progress| {
        looks += 1;
        assert!(progress.cost > 0.0 && progress.gap.is_some());
        false
    });
    let roster = roster.unwrap();
    assert!(looks <= 1);
    assert!(problem.required.iter().zip(&roster.there).all(|(need, there)| there >= need));
}

/// A week of quarter hours with two peaks a day, quieter at the end of the week.
fn quarter_hours() -> Vec<u32> {
    (0..7 * 96)
        .map(|at| {
            let (day, hour) = (at / 96, f64::from(at % 96) / 4.0);
            let peak = |mean: f64, wide: f64| (-((hour - mean) / wide).powi(2)).exp();
            let busy = [1.0, 0.9, 0.85, 0.9, 1.0, 0.6, 0.4][day as usize];
            let people = 34.0 * busy * (peak(10.5, 2.0) + 0.8 * peak(15.5, 2.5));
            if (8.0..20.0).contains(&hour) { people.round() as u32 + 2 } else { 0 }
        })
        .collect()
}

fn quarter_hour_shapes(free_days: FreeDays) -> Vec<ShiftShape> {
    let full = ShiftShape {
        name: "Full time".into(),
        first_start: 8 * 60,
        last_start: 12 * 60,
        length: 8 * 60,
        break_length: 30,
        break_margin: 120,
        free_days,
        ..shape(8, 12, 8)
    };
    let part = ShiftShape { name: "Part time".into(), ..shape(8, 16, 4) };
    vec![full, part]
}

const SMALL_GAP: f64 = 0.04;

#[test]
fn the_same_problem_has_the_same_roster_however_long_it_takes() {
    let shapes = quarter_hour_shapes(FreeDays::Anywhere);
    let problem = ShiftProblem { interval: 15, required: quarter_hours(), shapes };
    // Stopped at the first look, which comes after the same nodes everywhere.
    let found = |time: Duration| fit_shifts(&problem, &|| time, |_| false).unwrap();
    assert_eq!(found(Duration::from_secs(300)), found(Duration::from_secs(600)));
}

#[test]
fn a_search_without_time_gives_the_roster_that_it_began_with() {
    let shapes = quarter_hour_shapes(FreeDays::Together);
    let problem = ShiftProblem { interval: 15, required: quarter_hours(), shapes };
    let roster = fit_shifts(&problem, &|| Duration::ZERO, |_| panic!("nobody is asked")).unwrap();
    assert!(problem.required.iter().zip(&roster.there).all(|(need, there)| there >= need));
    assert!(roster.gap.is_some());
}

#[test]
fn breaks_lie_in_their_shifts_and_every_person_has_one_on_each_day() {
    let shapes = quarter_hour_shapes(FreeDays::Together);
    let problem = ShiftProblem { interval: 15, required: quarter_hours(), shapes };
    // However slow the machine is, it is searched until the gap is small.
    let goes_on = |progress: FitProgress| progress.gap.is_none_or(|gap| gap >= SMALL_GAP);
    let roster = fit_shifts(&problem, &limit, goes_on).unwrap();
    for shift in &roster.shifts {
        let shape = &problem.shapes[shift.shape];
        for day in 0..7 {
            let has_break = shift.works[day] && shape.break_length > 0;
            assert_eq!(shift.breaks[day].is_some(), has_break, "{shift:?}");
            let latest = shape.length - shape.break_margin - shape.break_length;
            let lies_within = |at: u32| (shape.break_margin..=latest).contains(&at);
            assert!(shift.breaks[day].is_none_or(lies_within), "{shift:?}");
        }
    }
    // Nobody is missing, and the gap is known and small: four wholes in a hundred and twenty people.
    assert!(problem.required.iter().zip(&roster.there).all(|(need, there)| there >= need));
    assert!(roster.gap.unwrap() < SMALL_GAP, "{:?}", roster.gap);
}

#[test]
fn free_days_that_may_lie_anywhere_are_never_dearer() {
    let required: Vec<u32> = week(0..7, 9..17, 4)
        .into_iter()
        .enumerate()
        .map(|(at, people)| if [1, 3].contains(&(at / 24)) { people / 2 } else { people })
        .collect();
    let cost = |free_days| {
        let shapes = vec![ShiftShape { free_days, ..shape(9, 9, 8) }];
        fit(required.clone(), shapes).unwrap().cost
    };
    // 24 person-days of need: five people of five days suffice if Tuesday and Thursday may be free.
    assert!((cost(FreeDays::Anywhere) - 5.0 * 800.0).abs() < 1e-6);
    assert!(cost(FreeDays::Together) > 5.0 * 800.0 + 1.0);
}

#[test]
fn a_price_stands_where_one_person_fewer_would_save() {
    // Six are needed all day but for one hour with eight: that hour alone costs two people a week.
    let mut required = week(0..5, 9..17, 6);
    required[24 + 12] = 8;
    let roster = fit(required, vec![shape(9, 9, 8)]).unwrap();
    assert!((roster.cost - 8.0 * 800.0).abs() < 1e-6);
    assert!((roster.prices[24 + 12] - 800.0).abs() < 1e-6, "{}", roster.prices[24 + 12]);
    assert!((roster.prices.iter().sum::<f64>() - 800.0).abs() < 1e-6);
}
