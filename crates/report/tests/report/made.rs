use barometer_plan::{Cause, CauseEffect, DayAccount, MeasureAccount, PlannedActual, TypeAccount};
use barometer_report::facts::Facts;
use barometer_report::{
    Against, Cell, Counts, Days, Definition, Grouping, Part, Report, Section, Table, make,
};
use jiff::ToSpan;
use jiff::civil::date;
use proptest::prelude::*;

use crate::fixture::{MONDAY, counts, definition, facts, full_facts};

fn part(report: &Report, section: Section) -> &Part {
    report.parts.iter().find(|part| part.section == section).unwrap()
}

/// The figures of a column, without the total.
fn column(table: &Table, name: &str) -> Vec<Option<f64>> {
    let place = table.columns.iter().position(|column| column.name == name).unwrap();
    let figure = |cell: &Cell| match cell {
        Cell::Number(number) => Some(*number),
        _ => None,
    };
    table.rows.iter().map(|row| figure(&row.cells[place])).collect()
}

#[test]
fn the_first_sentence_says_how_much_how_well_and_what_is_out_of_target() {
    let report = make(&definition(), &facts());
    insta::assert_snapshot!(report.answer, @"11,200 contacts were offered, 6.7 % more than forecast; 80.0 % were answered within their thresholds. Out of target: Sailing changes: service level 80.0 %, target 90 %; Sailing changes: abandonment 10.0 %, target 5 %.");
    assert_eq!(report.out_of_target.len(), 2);
}

#[test]
fn every_section_answers_in_a_sentence() {
    let report = make(&definition(), &full_facts());
    let said: Vec<String> = report
        .parts
        .iter()
        .map(|part| format!("{}: {}", part.section.key(), part.sentence))
        .collect();
    insta::assert_snapshot!(said.join("\n"), @r"
    service: 80.0 % of contacts were answered within their thresholds, after 15.0 s on average; 10.0 % abandoned. 1 of 2 contact types missed a target.
    demand: 11,200 contacts were offered, 6.7 % more than forecast; Sailing changes was furthest off, +20.0 %.
    accuracy: Daily forecasts were off by 6.2 % on average, weighted by contacts; in all they were 6.2 % too low.
    handle_time: A contact took 240.0 s on average: 672 hours of work in all.
    waits: Nine in ten answered contacts of Bookings waited up to 31.5 s, longest of all. Simulated: the whole centre on Mon 16 Nov, 200 replications.
    queues: Bookings queue has the lowest service level, 78.0 % of 1,000 contacts. Simulated: the whole centre on Mon 16 Nov, 200 replications.
    flow: Contacts take 2 transitions in a day; the largest, 1,000 from Number to Menu. Simulated: the whole centre on Mon 16 Nov, 200 replications.
    staffing: 1,400 hours of people were needed and 1,260 planned, 140 fewer than needed; 42 intervals were short, by 168 hours in all.
    teams: Agents were on shift for 560 hours and busy for 75.0 % of that; Harbour offices was busiest, at 75.0 %.
    agents: 1 agent is rostered for 40.0 hours; contracts have 37.5 hours.
    causes: No day of this period has been accounted for: a day gets its account once it has been watched on the switch from its beginning.
    campaigns: In trials, Cancelled sailings would break the ceiling of abandoned calls.
    lines: The busiest interval, Mon 16 Nov 09:30, needs 43 lines; 40 are installed: 2.4 % of its calls find no line.
    releases: 1 release went live; the latest is v2 of “Overflow earlier”, on Mon 16 Nov.
    alarms: 1 alarm rang; one was not acknowledged.
    trials: 1 trial was run; one was of a version that went live afterwards.
    ");
}

#[test]
fn a_report_that_is_not_about_service_begins_with_its_first_section() {
    let campaigns = Definition {
        sections: vec![Section::Teams, Section::Campaigns, Section::Lines],
        ..definition()
    };
    let report = make(&campaigns, &Facts { teams: Vec::new(), ..full_facts() });
    assert_eq!(report.answer, part(&report, Section::Campaigns).sentence);
    let over = report.out_of_target.iter().find(|said| said.starts_with("Cancelled sailings"));
    insta::assert_snapshot!(over.unwrap(), @"Cancelled sailings: 5.0 % of answered calls abandoned in its trial, ceiling 3 %");
}

#[test]
fn a_section_without_data_says_so_in_its_place() {
    let empty = Facts { types: Vec::new(), ..facts() };
    let report = make(&definition(), &empty);
    assert_eq!(report.answer, "Nothing is recorded or forecast in this period.");
    assert_eq!(report.parts.len(), Section::ALL.len());
    for part in &report.parts {
        assert!(part.is_missing && part.tables.is_empty(), "{:?}", part.section);
        assert!(part.sentence.ends_with('.'), "{}", part.sentence);
    }
}

#[test]
fn days_to_come_are_told_from_the_forecast() {
    let mut ahead = facts();
    for each in &mut ahead.types {
        each.measured.clear();
        each.forecast.iter_mut().for_each(|forecast| forecast.actual = None);
    }
    let report = make(&definition(), &ahead);
    insta::assert_snapshot!(report.answer, @"10,500 contacts are forecast; 42 of 280 intervals are short of people.");
    assert_eq!(part(&report, Section::Demand).sentence, "10,500 contacts are forecast.");
    assert!(part(&report, Section::Accuracy).is_missing);
}

#[test]
fn a_week_stands_beside_the_week_before_day_by_day() {
    let against = Definition { against: Against::Before, ..definition() };
    let before = Days { first: MONDAY.saturating_sub(7.days()), last: date(2026, 11, 15) };
    let report = make(&against, &Facts { compared: Some(before), ..facts() });
    let demand = part(&report, Section::Demand);
    let by_day = &demand.tables[1];
    assert_eq!(column(by_day, "All"), vec![Some(1_600.0); 7]);
    assert_eq!(column(by_day, "Period before"), vec![Some(800.0); 7]);
    assert_eq!(column(by_day, "Change"), vec![Some(1.0); 7]);
    assert!(
        demand.sentence.contains("100.0 % more than in the period before"),
        "{}",
        demand.sentence
    );
}

#[test]
fn weekdays_add_up_over_weeks() {
    let mut weeks = facts();
    for each in &mut weeks.types {
        let more: Vec<_> = each
            .measured
            .iter()
            .map(|measured| barometer_report::facts::Measured {
                at: measured.at.saturating_add(7.days()),
                ..*measured
            })
            .collect();
        each.measured.extend(more);
    }
    weeks.days.last = date(2026, 11, 29);
    let by_weekday = Definition { grouping: Grouping::Weekday, ..definition() };
    let report = make(&by_weekday, &weeks);
    let table = &part(&report, Section::Demand).tables[1];
    assert_eq!(table.rows.len(), 7);
    assert_eq!(table.rows[0].cells[0], Cell::Text("Monday".to_owned()));
    assert_eq!(column(table, "All"), vec![Some(3_200.0); 7]);
}

#[test]
fn service_is_told_of_the_intervals_that_have_it() {
    let mut partly = facts();
    partly.types.truncate(1);
    for measured in &mut partly.types[0].measured[..3] {
        let untimed = Counts {
            in_time: 0.0,
            timed_offered: 0.0,
            timed_answered: 0.0,
            wait_secs: 0.0,
            ..measured.counts
        };
        measured.counts = untimed;
    }
    let report = make(&definition(), &partly);
    let service = part(&report, Section::Service);
    assert!(service.sentence.contains("80.0 % of contacts"), "{}", service.sentence);
    assert!(
        service.sentence.ends_with("is known for 4,000 of the 7,000 offered."),
        "{}",
        service.sentence
    );
    let levels = column(&service.tables[1], "Service level");
    assert_eq!(levels[..3], [None, None, None]);
    assert!((levels[3].unwrap() - 0.8).abs() < 1e-12);
}

#[test]
fn single_agents_are_named_to_those_who_may_see_them_only() {
    let hidden = make(&definition(), &Facts { agents: None, ..full_facts() });
    assert!(part(&hidden, Section::Agents).is_missing);
    assert!(!serde_json::to_string(&hidden).unwrap().contains("=SUM(A1)"));
    let shown = make(&definition(), &full_facts());
    assert_eq!(part(&shown, Section::Agents).tables[0].rows.len(), 1);
}

#[test]
fn causes_are_told_with_their_effects_and_the_worst_day_first() {
    let level = |planned: f64, actual: f64, volume: f64| MeasureAccount {
        planned,
        actual,
        causes: vec![
            CauseEffect { cause: Cause::Volume, effect: volume, half_width: 0.01 },
            CauseEffect { cause: Cause::Luck, effect: actual - planned - volume, half_width: 0.01 },
        ],
        usual: (0.0, 1.0),
        predicted: (0.0, 1.0),
    };
    let account = |name: &str, level| DayAccount {
        types: vec![TypeAccount {
            name: name.to_owned(),
            wanted: 0.8,
            contacts: PlannedActual::default(),
            handle_secs: PlannedActual::default(),
            level: Some(level),
            abandonment: None,
        }],
        teams: Vec::new(),
    };
    let causes = vec![
        (MONDAY, account("Bookings", level(0.85, 0.88, 0.02))),
        (MONDAY.tomorrow().unwrap(), account("Bookings", level(0.85, 0.65, -0.15))),
        (MONDAY, account("A removed type", level(0.85, 0.1, -0.7))),
    ];
    let report = make(&definition(), &Facts { causes, ..facts() });
    let told = part(&report, Section::Causes);
    insta::assert_snapshot!(told.sentence, @"1 of 2 service levels ended below plan; furthest Bookings on Tue 17 Nov: 65.0 % against 85.0 % planned, mostly volume.");
    let volume = column(&told.tables[0], "Volume");
    assert_eq!(volume, [Some(0.02), Some(-0.15)]);
}

#[test]
fn a_section_that_is_named_twice_is_told_once() {
    let twice = Definition { sections: vec![Section::Demand, Section::Demand], ..definition() };
    assert_eq!(make(&twice, &facts()).parts.len(), 1);
}

proptest! {
    #[test]
    fn the_rows_of_every_grouping_add_up_to_the_total(
        offered in prop::collection::vec(0.0_f64..2_000.0, 7), nth in 0_usize..5,
    ) {
        let mut each = facts();
        for (measured, offered) in each.types[0].measured.iter_mut().zip(&offered) {
            measured.counts = counts(offered.round());
        }
        let grouping = Grouping::ALL[nth];
        let report = make(&Definition { grouping, ..definition() }, &each);
        let tables = &part(&report, Section::Service).tables;
        let total: f64 = each.types.iter().map(|each| {
            each.measured.iter().map(|measured| measured.counts.offered).sum::<f64>()
        }).sum();
        for table in tables {
            let sum: f64 = column(table, "Offered").into_iter().flatten().sum();
            prop_assert!((sum - total).abs() < 1e-6, "{}: {sum} of {total}", table.title);
        }
    }
}
