//! Cleaning: what is found in a history, and what marks make of it.

use barometer_forecast::{
    Calendar, Finding, Gap, Mark, Observation, Proposal, SpecialDay, Treatment, gaps, proposals,
};
use jiff::civil::{Date, date};

use crate::made::{Made, grid, london};

const FIRST: Date = date(2026, 1, 5);

/// A noisy history in which some intervals are changed by `(day, hour, offered)`.
fn changed(rule: impl Fn(Date, i8, f64) -> f64) -> Vec<Observation> {
    let mut seen = Made::noisy(FIRST, 180, 31).observations();
    for interval in &mut seen {
        let local = interval.start.to_zoned(london());
        interval.offered = rule(local.date(), local.hour(), interval.offered).round();
    }
    seen
}

fn found(seen: &[Observation]) -> Vec<Proposal> {
    proposals(&grid(seen), &Calendar::default())
}

#[test]
fn an_ordinary_history_raises_no_questions() {
    for seed in 0..10 {
        let history = Made { day_spread: 0.08, ..Made::noisy(FIRST, 300, 500 + seed) }.grid();
        assert_eq!(proposals(&history, &Calendar::default()), []);
    }
}

#[test]
fn a_history_in_which_every_week_is_alike_is_not_taken_for_one_recorded_twice() {
    assert_eq!(proposals(&Made::exact(FIRST, 90).grid(), &Calendar::default()), []);
}

#[test]
fn an_outage_is_found_to_the_interval() {
    let day = date(2026, 4, 15);
    let found = found(&changed(|at, hour, offered| {
        if at == day && (10..13).contains(&hour) { 0.04 * offered } else { offered }
    }));
    assert_eq!(found.len(), 1, "{found:?}");
    let mark =
        Mark { from: day.at(10, 0, 0, 0), to: day.at(13, 0, 0, 0), treatment: Treatment::LeaveOut };
    assert_eq!((found[0].finding, found[0].mark), (Finding::Outage, mark));
    assert!(found[0].why.contains("contacts arrived; about"), "{}", found[0].why);
}

#[test]
fn an_outage_through_which_a_few_contacts_trickle_is_one_outage() {
    let day = date(2026, 4, 15);
    let found = found(&changed(|at, hour, offered| match hour {
        // A quarter gets through at eleven and at three.
        11 | 15 if at == day => 0.25 * offered,
        9..18 if at == day => 0.0,
        _ => offered,
    }));
    assert_eq!(found.len(), 1, "{found:?}");
    let mark =
        Mark { from: day.at(9, 0, 0, 0), to: day.at(18, 0, 0, 0), treatment: Treatment::LeaveOut };
    assert_eq!((found[0].finding, found[0].mark), (Finding::Outage, mark));
    // Two outages with a usual stretch between them are two.
    let found = super::cleaning::found(&changed(|at, hour, offered| match hour {
        9..11 | 13..15 if at == day => 0.0,
        _ => offered,
    }));
    assert_eq!(found.len(), 2, "{found:?}");
}

#[test]
fn a_storm_day_is_out_of_line_unless_the_calendar_knows_it() {
    let storm = date(2026, 5, 6);
    let seen = changed(|at, _, offered| if at == storm { 3.0 * offered } else { offered });
    let found = found(&seen);
    assert_eq!(found.len(), 1, "{found:?}");
    assert_eq!((found[0].finding, found[0].mark.from), (Finding::Outlier, storm.at(0, 0, 0, 0)));
    let calendar = Calendar::new(vec![SpecialDay::new(storm, "Gale", "storm")]);
    assert_eq!(proposals(&grid(&seen), &calendar), []);
}

#[test]
fn a_day_recorded_twice_names_the_day_that_it_repeats() {
    let mut seen = Made::noisy(FIRST, 120, 8).observations();
    let day_of = |seen: &Observation| seen.start.to_zoned(london()).date();
    let original: Vec<f64> =
        seen.iter().filter(|it| day_of(it) == date(2026, 3, 3)).map(|it| it.offered).collect();
    let copy = seen.iter_mut().filter(|it| day_of(it) == date(2026, 3, 10));
    copy.zip(original).for_each(|(interval, offered)| interval.offered = offered);
    let found = found(&seen);
    assert_eq!(found.len(), 1, "{found:?}");
    assert_eq!(found[0].finding, Finding::Duplicate);
    assert_eq!(found[0].mark.from.date(), date(2026, 3, 10));
    assert!(found[0].why.ends_with("3 Mar 2026"), "{}", found[0].why);
}

#[test]
fn a_level_shift_is_dated_and_measured_and_a_season_is_none() {
    let launch = date(2026, 4, 13);
    let found =
        found(&changed(|at, _, offered| if at >= launch { 0.7 * offered } else { offered }));
    assert_eq!(found.len(), 1, "{found:?}");
    assert_eq!(found[0].finding, Finding::LevelShift);
    let off = (found[0].mark.to.date() - launch).get_days();
    assert!(off.abs() <= 2, "{off} days off");
    let Treatment::Scale(factor) = found[0].mark.treatment else { panic!("{:?}", found[0]) };
    assert!((factor / 0.7 - 1.0).abs() < 0.05, "{factor}");
    // The size is that of the shift, not of the season that goes on beneath it.
    let falling = |day: Date| {
        let season =
            1.0 + 0.4 * (std::f64::consts::TAU * f64::from(day.day_of_year()) / 365.0).cos();
        if day >= date(2026, 4, 13) { 0.7 * season } else { season }
    };
    let shifted = Made { factor: falling, ..Made::noisy(date(2025, 1, 6), 640, 12) }.grid();
    let found = proposals(&shifted, &Calendar::default());
    let Treatment::Scale(factor) = found[0].mark.treatment else { panic!("{found:?}") };
    // The season falls by a fifth from one side's middle to the other's: left in, it would show
    // as 0.57. Days scatter by 6 %, which leaves a standard error of about 3 %.
    assert!((factor / 0.7 - 1.0).abs() < 0.09, "{factor}");
    let swing = |day: Date| {
        1.0 + 0.4 * (std::f64::consts::TAU * f64::from(day.day_of_year()) / 365.0).sin()
    };
    let season = Made { factor: swing, ..Made::noisy(date(2025, 1, 6), 500, 12) }.grid();
    assert_eq!(proposals(&season, &Calendar::default()), []);
}

#[test]
fn marks_leave_out_and_scale_what_they_cover_and_nothing_else() {
    let history = Made::exact(FIRST, 14).grid();
    let at = |day: i8, hour: i8| date(2026, 1, day).at(hour, 0, 0, 0);
    let marked = history.marked(&[
        Mark { from: at(5, 9), to: at(5, 11), treatment: Treatment::LeaveOut },
        Mark { from: at(6, 0), to: at(7, 0), treatment: Treatment::Scale(2.0) },
        // A mark from before the history, as after a re-import, is no trouble.
        Mark {
            from: date(2020, 1, 1).at(0, 0, 0, 0),
            to: at(5, 9),
            treatment: Treatment::Scale(3.0),
        },
    ]);
    let both = |day, slot| (marked.offered(day, slot), history.offered(day, slot));
    assert_eq!(marked.offered(0, 9), None);
    assert_eq!(marked.offered(0, 10), None);
    assert_eq!(both(0, 11).0, both(0, 11).1);
    assert_eq!(both(0, 8).0, both(0, 8).1.map(|offered| 3.0 * offered));
    assert_eq!(both(1, 9).0, both(1, 9).1.map(|offered| 2.0 * offered));
    assert_eq!(both(2, 9).0, both(2, 9).1);
}

#[test]
fn what_is_missing_is_listed_and_closed_hours_are_not() {
    let mut seen = Made::noisy(FIRST, 120, 8).observations();
    let lost = date(2026, 3, 3).at(18, 0, 0, 0)..date(2026, 3, 5).at(10, 0, 0, 0);
    seen.retain(|it| !lost.contains(&it.start.to_zoned(london()).datetime()));
    // Two hours of the evening, a whole day of twelve, two of the morning; the nights are closed.
    let gap = Gap { from: lost.start, to: lost.end, intervals: 2 + 12 + 2 };
    assert_eq!(gaps(&grid(&seen)), [gap]);
    assert_eq!(gaps(&Made::noisy(FIRST, 120, 8).grid()), []);
}
