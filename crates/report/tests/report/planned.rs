//! What was measured, beside the plan.

use barometer_report::facts::{Facts, Planned};
use barometer_report::{Against, Cell, Counts, Definition, Section, make};
use jiff::ToSpan;

use crate::fixture::{MONDAY, counts, definition, facts, week};
use crate::made::{column, part};

fn against_plan() -> Definition {
    Definition { against: Against::Plan, ..definition() }
}

/// A plan of `offered` contacts, this share of them in time.
fn as_planned(offered: f64, level: f64) -> Counts {
    Counts {
        offered,
        answered: offered,
        in_time: level * offered,
        timed_offered: offered,
        timed_answered: offered,
        handle_secs: 300.0 * offered,
        handled: offered,
        ..Counts::default()
    }
}

/// One contact type with 1,000 contacts a day; plans of 800 are known from Wednesday on.
fn planned_from_wednesday() -> Facts {
    let mut week_of_one = facts();
    week_of_one.types.truncate(1);
    let plan = |day: jiff::civil::Date| Planned {
        at: day.at(0, 0, 0, 0),
        counts: as_planned(800.0, 0.9),
        actual: Some(counts(1_000.0)),
    };
    week_of_one.types[0].planned = week(MONDAY).skip(2).map(plan).collect();
    week_of_one
}

#[test]
fn days_stand_beside_their_plan_where_one_was_kept() {
    let report = make(&against_plan(), &planned_from_wednesday());
    assert!(
        report.answer.contains("25.0 % more than planned on the 5 of 7 days with a plan"),
        "{}",
        report.answer
    );
    assert_eq!(report.against.as_deref(), Some("the plan"));
    let by_day = &part(&report, Section::Demand).tables[1];
    let plan = column(by_day, "Plan");
    assert_eq!(plan[..2], [None, None]);
    assert_eq!(plan[2..], [Some(800.0); 5]);
    assert_eq!(column(by_day, "Change")[2..], [Some(0.25); 5]);
    let service = part(&report, Section::Service);
    let levels = column(&service.tables[1], "Plan: service level");
    assert_eq!((levels[1], levels[2]), (None, Some(0.9)));
    let off = column(&service.tables[1], "Difference");
    assert!((off[2].unwrap() + 0.1).abs() < 1e-12, "{off:?}");
    let handle = part(&report, Section::HandleTime);
    assert!(handle.sentence.contains("60.0 s less than planned"), "{}", handle.sentence);
}

#[test]
fn a_week_is_held_against_its_plan_by_the_days_that_have_one() {
    let mut uneven = planned_from_wednesday();
    // Days without a plan had far more contacts, all answered late: they are no part of the comparison.
    for measured in &mut uneven.types[0].measured[..2] {
        measured.counts = Counts { in_time: 0.0, ..counts(5_000.0) };
    }
    let report = make(&against_plan(), &uneven);
    let by_type = &part(&report, Section::Service).tables[0];
    let off = column(by_type, "Difference");
    assert!((off[0].unwrap() + 0.1).abs() < 1e-12, "{off:?}");
    let level = column(by_type, "Service level");
    assert!((level[0].unwrap() - 4_000.0 / 15_000.0).abs() < 1e-12, "of all days: {level:?}");
    assert_eq!(column(&part(&report, Section::Demand).tables[0], "Change"), [Some(0.25)]);
}

#[test]
fn a_day_that_is_not_over_has_a_plan_and_no_difference() {
    let mut today = planned_from_wednesday();
    today.types[0].planned[4].actual = None;
    let report = make(&against_plan(), &today);
    let by_day = &part(&report, Section::Demand).tables[1];
    assert_eq!(column(by_day, "Plan")[6], Some(800.0));
    assert_eq!(column(by_day, "Change")[6], None);
}

#[test]
fn days_to_come_are_told_as_they_are_planned() {
    let mut ahead = facts();
    ahead.today = MONDAY.saturating_sub(1.days());
    for (nth, each) in ahead.types.iter_mut().enumerate() {
        each.measured.clear();
        each.forecast.iter_mut().for_each(|forecast| forecast.actual = None);
        let level = if nth == 0 { 0.85 } else { 0.75 };
        let plan = |day: jiff::civil::Date| Planned {
            at: day.at(0, 0, 0, 0),
            counts: as_planned(1_000.0, level),
            actual: None,
        };
        each.planned = week(MONDAY).map(plan).collect();
    }
    let report = make(&against_plan(), &ahead);
    let service = part(&report, Section::Service);
    assert_eq!(
        service.sentence,
        "As planned, 80.0 % will be answered within their thresholds; Sailing changes below target."
    );
    let by_type = &service.tables[0];
    let planned = column(by_type, "Service level");
    assert!(
        (planned[0].unwrap() - 0.85).abs() < 1e-12 && (planned[1].unwrap() - 0.75).abs() < 1e-12
    );
    let verdicts = by_type.rows.iter().map(|row| row.cells.last().unwrap());
    assert!(verdicts.eq([&Cell::from("on target"), &Cell::from("below target")]));
    assert!(by_type.columns.iter().all(|column| column.name != "Offered"), "nothing is measured");
    assert_eq!(column(&service.tables[1], "Contacts"), [Some(2_000.0); 7]);
    assert!(report.answer.contains("as planned, 80.0 % will be answered"), "{}", report.answer);
    let unplanned = make(&definition(), &ahead);
    assert!(part(&unplanned, Section::Service).is_missing, "against the forecast nothing is known");
}

#[test]
fn a_period_of_which_no_plan_was_kept_says_nothing_of_one() {
    let report = make(&against_plan(), &facts());
    assert!(!report.answer.contains("planned"), "{}", report.answer);
    assert!(report.against.as_deref().unwrap().contains("none was kept of these days"));
    let by_type = &part(&report, Section::Service).tables[0];
    assert!(by_type.columns.iter().all(|column| !column.name.starts_with("Plan")));
    assert_eq!(column(&part(&report, Section::Demand).tables[1], "Plan"), [None; 7]);
}
