use barometer_plan::{Cause, CauseEffect, DayAccount, MeasureAccount, PlannedActual, TypeAccount};
use barometer_report::facts::Facts;
use barometer_report::{
    Against, Cell, Counts, Days, Definition, Grouping, Part, Report, Section, Table, make,
};
use jiff::ToSpan;
use jiff::civil::date;
use proptest::prelude::*;

use crate::fixture::{MONDAY, counts, definition, facts, full_facts};

pub fn part(report: &Report, section: Section) -> &Part {
    report.parts.iter().find(|part| part.section == section).unwrap()
}

/// The figures of a column, without the total.
pub fn column(table: &Table, name: &str) -> Vec<Option<f64>> {
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
    handle_time: A contact took 240.0 s on average: 672 hours of work in all. Wrap-up is 40.0 s of it.
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
fn a_day_that_is_not_over_is_not_held_against_its_whole_forecast() {
    let mut today = facts();
    for each in &mut today.types {
        each.measured[6].counts = counts(10.0);
        each.forecast[6].actual = None;
    }
    let report = make(&definition(), &today);
    let by_day = &part(&report, Section::Demand).tables[1];
    assert_eq!(column(by_day, "All")[6], Some(20.0));
    assert_eq!(column(by_day, "Forecast")[6], Some(1_500.0), "the forecast is told");
    let change = column(by_day, "Change");
    assert_eq!(change[6], None, "and the change is not");
    assert!((change[0].unwrap() - (1_600.0 / 1_500.0 - 1.0)).abs() < 1e-12);
    assert!(
        report.answer.contains("6.7 % more than forecast on the 6 of 7 days with a forecast;"),
        "{}",
        report.answer
    );
    for each in &mut today.types {
        each.forecast.drain(1..);
    }
    let report = make(&definition(), &today);
    assert!(report.answer.contains("on the one day of 7 with a forecast;"), "{}", report.answer);
}

#[test]
fn months_of_different_length_stand_beside_each_other_by_their_place() {
    let mut quarter = facts();
    quarter.days = Days { first: date(2026, 8, 1), last: date(2026, 10, 31) };
    quarter.compared = Some(Days { first: date(2026, 5, 1), last: date(2026, 7, 31) });
    quarter.types.truncate(1);
    let month = |year, month, offered| barometer_report::facts::Measured {
        at: date(year, month, 15).at(0, 0, 0, 0),
        counts: counts(offered),
    };
    quarter.types[0].measured =
        vec![month(2026, 8, 100.0), month(2026, 9, 200.0), month(2026, 10, 300.0)];
    quarter.types[0].compared =
        vec![month(2026, 5, 50.0), month(2026, 6, 400.0), month(2026, 7, 300.0)];
    quarter.types[0].forecast.clear();
    let definition =
        Definition { grouping: Grouping::Month, against: Against::Before, ..definition() };
    let report = make(&definition, &quarter);
    let by_month = &part(&report, Section::Demand).tables[1];
    assert_eq!(by_month.rows[1].cells[0], Cell::Text("September 2026".to_owned()));
    assert_eq!(column(by_month, "Change"), [Some(1.0), Some(-0.5), Some(0.0)]);
}

#[test]
fn intervals_stand_beside_the_same_time_of_the_day_before() {
    let mut day = facts();
    let monday = date(2026, 11, 16);
    day.days = Days { first: monday, last: monday };
    day.compared = Some(Days { first: date(2026, 11, 15), last: date(2026, 11, 15) });
    day.types.truncate(1);
    let at = |day: jiff::civil::Date, hour, offered| barometer_report::facts::Measured {
        at: day.at(hour, 30, 0, 0),
        counts: counts(offered),
    };
    day.types[0].measured = vec![at(monday, 9, 40.0), at(monday, 10, 50.0)];
    day.types[0].compared = vec![at(date(2026, 11, 15), 10, 25.0)];
    day.types[0].forecast.clear();
    let definition =
        Definition { grouping: Grouping::Interval, against: Against::Before, ..definition() };
    let report = make(&definition, &day);
    let by_interval = &part(&report, Section::Demand).tables[1];
    assert_eq!(column(by_interval, "Period before"), [None, Some(25.0)]);
    assert_eq!(column(by_interval, "Change"), [None, Some(1.0)]);
}

#[test]
fn a_level_is_a_share_of_what_its_target_says() {
    let mut of_answered = facts();
    of_answered.types.truncate(1);
    of_answered.types[0].rules.level_of = barometer_queueing::LevelOf::Answered;
    let report = make(&definition(), &of_answered);
    let level = column(&part(&report, Section::Service).tables[0], "Service level");
    assert!((level[0].unwrap() - 0.8 / 0.9).abs() < 1e-12, "{level:?}");
}

#[test]
fn occupancy_is_told_only_where_all_of_the_cover_is_known() {
    let occupancy = |facts: &Facts| {
        column(&part(&make(&definition(), facts), Section::Staffing).tables[0], "Occupancy")
    };
    // 900 answered a day at 240 s are 60 hours of work on 90 of cover.
    let known = occupancy(&facts());
    assert!((known[0].unwrap() - 60.0 / 90.0).abs() < 1e-12, "{known:?}");
    let mut gap = facts();
    gap.types[0].staffed[2].cover_hours = None;
    assert_eq!(occupancy(&gap)[0], None);
    let mut chats = facts();
    chats.types[0].rules.concurrency = 3;
    assert_eq!(occupancy(&chats)[0], None, "an agent with three chats is not busy three times");
}

#[test]
fn talk_and_wrap_up_are_told_of_the_contacts_of_which_they_are_known() {
    let handle_time = |facts: &Facts| {
        let report = make(&definition(), facts);
        part(&report, Section::HandleTime).clone()
    };
    let known = handle_time(&facts());
    for table in &known.tables {
        assert!(column(table, "Talk and hold").iter().all(|secs| *secs == Some(200.0)));
        assert!(column(table, "Wrap-up").iter().all(|secs| *secs == Some(40.0)));
    }
    let mut partly = facts();
    let apart =
        |counts: Counts| Counts { talk_secs: 0.0, wrap_up_secs: 0.0, wrapped_up: 0.0, ..counts };
    for measured in &mut partly.types[1].measured {
        measured.counts = apart(measured.counts);
    }
    let partly_known = handle_time(&partly);
    assert!(
        partly_known
            .sentence
            .ends_with("Wrap-up is 40.0 s, known for 6,300 of the 10,080 answered."),
        "{}",
        partly_known.sentence
    );
    assert_eq!(column(&partly_known.tables[0], "Wrap-up"), [Some(40.0), None]);
    for measured in &mut partly.types[0].measured {
        measured.counts = apart(measured.counts);
    }
    let unknown = handle_time(&partly);
    assert!(unknown.tables[0].columns.iter().all(|column| column.name != "Wrap-up"));
    assert!(!unknown.sentence.contains("Wrap-up"), "{}", unknown.sentence);
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
fn nobody_is_told_that_targets_were_met_where_their_level_is_not_recorded() {
    let mut unknown = facts();
    for each in &mut unknown.types {
        each.rules.abandonment = Some(0.2);
        for measured in &mut each.measured {
            measured.counts = Counts {
                in_time: 0.0,
                timed_offered: 0.0,
                timed_answered: 0.0,
                wait_secs: 0.0,
                ..measured.counts
            };
        }
    }
    let report = make(&definition(), &unknown);
    assert!(report.out_of_target.is_empty());
    insta::assert_snapshot!(report.answer, @"11,200 contacts were offered, 6.7 % more than forecast. No recorded figure is out of target; how fast contacts were answered is not recorded for Bookings and Sailing changes.");
    let service = part(&report, Section::Service);
    assert!(!service.sentence.contains("met"), "{}", service.sentence);
    let verdicts = service.tables[0].rows.iter().map(|row| row.cells.last().unwrap());
    assert!(verdicts.eq([&Cell::from("not known"), &Cell::from("not known")]));
    // One of the two is enough to make "every" untrue; what is missed is still said.
    unknown.types[1].measured = facts().types[1].measured.clone();
    let report = make(&definition(), &unknown);
    assert!(
        report.answer.contains("Out of target: Sailing changes: service level 80.0 %"),
        "{}",
        report.answer
    );
    assert!(!report.answer.contains("met its targets"));
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
