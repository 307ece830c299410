use std::io::Cursor;

use barometer_report::facts::{AgentHours, AlarmFacts, Measured};
use barometer_report::{
    About, Cell, Days, Definition, Grouping, Mark, Picture, Section, Series, Unit, body,
    csv_tables, make, page, page_for_document, svg, workbook,
};
use calamine::{Data, Reader, Xlsx};

use crate::fixture::{definition, full_facts};

fn report() -> barometer_report::Report {
    make(&definition(), &full_facts())
}

#[test]
fn another_library_reads_the_same_numbers_from_the_workbook() {
    let report = report();
    let bytes = workbook(&report).unwrap();
    let mut book: Xlsx<_> = Xlsx::new(Cursor::new(bytes)).unwrap();
    let sheets = book.sheet_names();
    assert_eq!(sheets[0], "Summary");
    let mut compared = 0;
    for table in report.parts.iter().flat_map(|part| &part.tables) {
        let start: String = table.title.replace(':', " ").chars().take(31).collect();
        let sheet = book.worksheet_range(start.trim()).unwrap();
        let rows: Vec<_> = table.rows.iter().chain(&table.total).collect();
        assert_eq!(sheet.height(), rows.len() + 1, "{}", table.title);
        for (at, row) in rows.iter().enumerate() {
            for (column, cell) in row.cells.iter().enumerate() {
                match (cell, sheet.get((at + 1, column))) {
                    (Cell::Number(number), Some(Data::Float(read))) => {
                        assert!((number - read).abs() < 1e-9, "{}: {number} {read}", table.title);
                        compared += 1;
                    }
                    (Cell::Text(text), Some(Data::String(read))) => assert_eq!(text, read),
                    (Cell::Text(text), None | Some(Data::Empty)) if text.is_empty() => {}
                    (Cell::Unknown, None | Some(Data::Empty)) => {}
                    (cell, read) => panic!("{}: {cell:?} was read as {read:?}", table.title),
                }
            }
        }
    }
    assert!(compared > 150, "only {compared} figures");
}

#[test]
fn a_table_as_csv_has_its_heading_with_units_and_plain_numbers() {
    let definition =
        Definition { sections: vec![Section::HandleTime, Section::Alarms], ..definition() };
    let mut facts = full_facts();
    facts.types.truncate(1);
    facts.alarms.clear();
    insta::assert_snapshot!(csv_tables(&make(&definition, &facts)).unwrap(), @r#"
    Week review,16 – 22 Nov 2026,Larkhaven Ferries
    A contact took 240.0 s on average: 420 hours of work in all. Wrap-up is 40.0 s of it.
    ""
    Handle time by contact type
    Contact type,"Handle time, s","Talk and hold, s","Wrap-up, s","Work, h"
    Bookings,240.0,200.0,40.0,420.0
    ""
    Handle time by day
    Day,"Handle time, s","Talk and hold, s","Wrap-up, s","Work, h"
    Mon 16 Nov,240.0,200.0,40.0,60.0
    Tue 17 Nov,240.0,200.0,40.0,60.0
    Wed 18 Nov,240.0,200.0,40.0,60.0
    Thu 19 Nov,240.0,200.0,40.0,60.0
    Fri 20 Nov,240.0,200.0,40.0,60.0
    Sat 21 Nov,240.0,200.0,40.0,60.0
    Sun 22 Nov,240.0,200.0,40.0,60.0
    Alarms,No alarm rang in this period.
    "#);
}

/// Where the names along the bottom of a picture begin and end, letters taken at their widest.
fn named_places(drawn: &str) -> Vec<(f64, f64)> {
    let named = drawn.split("<text x=\"").skip(1).filter_map(|text| {
        let (x, rest) = text.split_once('"')?;
        let (attributes, rest) = rest.split_once('>')?;
        let name = rest.split('<').next()?;
        let half = 3.3 * name.chars().count() as f64;
        let x: f64 = x.parse().ok()?;
        attributes.contains("middle").then_some((x - half, x + half))
    });
    named.collect()
}

proptest::proptest! {
    #[test]
    fn names_along_the_bottom_neither_touch_nor_leave_the_picture(
        places in 2_usize..400, letters in 1_usize..20,
    ) {
        let picture = Picture {
            title: "Service level".to_owned(),
            unit: Unit::Share,
            places: vec!["x".repeat(letters); places],
            is_named: false,
            series: vec![Series {
                name: "Service level".to_owned(),
                mark: Mark::Line,
                values: vec![Some(0.8); places],
            }],
            target: None,
        };
        let named = named_places(&svg(&picture));
        proptest::prop_assert!(!named.is_empty());
        proptest::prop_assert!(named.iter().all(|(from, to)| *from >= 0.0 && *to <= 760.0));
        for pair in named.windows(2) {
            proptest::prop_assert!(pair[0].1 < pair[1].0, "{pair:?}");
        }
    }
}

proptest::proptest! {
    #[test]
    fn every_name_of_a_named_picture_stands_and_touches_no_other(
        names in proptest::collection::vec("[A-Z][a-z]{0,18}( [a-z]{1,14}){0,4}", 2..14),
    ) {
        let picture = Picture {
            title: "Service level".to_owned(),
            unit: Unit::Share,
            places: names.clone(),
            is_named: true,
            series: vec![Series {
                name: "Service level".to_owned(),
                mark: Mark::Columns,
                values: vec![Some(0.8); names.len()],
            }],
            target: None,
        };
        let drawn = svg(&picture);
        let mut lines = named_places(&drawn);
        let mut middles: Vec<i64> = lines.iter().map(|(from, to)| (5.0 * (from + to)).round() as i64).collect();
        middles.dedup();
        proptest::prop_assert_eq!(middles.len(), names.len(), "{}", drawn);
        lines.sort_by(|one, other| one.0.total_cmp(&other.0));
        proptest::prop_assert!(lines.iter().all(|(from, to)| *from >= 0.0 && *to <= 760.0));
        let wide = (760.0 - 56.0 - 12.0) / names.len() as f64;
        proptest::prop_assert!(lines.iter().all(|(from, to)| to - from <= wide), "{drawn}");
    }
}

#[test]
fn sections_of_names_have_a_picture_of_them() {
    let mut facts = full_facts();
    facts.campaigns[1].tried = facts.campaigns[0].tried.clone();
    let simulated = facts.simulated.as_mut().unwrap();
    simulated.waits.push(simulated.waits[0].clone());
    simulated.service_points.push(simulated.service_points[0].clone());
    let agents = facts.agents.as_mut().unwrap();
    agents.push(AgentHours {
        name: "M. Quill".into(),
        team: "Bookings team".into(),
        ..agents[0].clone()
    });
    agents.push(AgentHours { name: "T. Ash".into(), rostered_hours: 20.0, ..agents[0].clone() });
    let alarm = facts.alarms[0].clone();
    facts.alarms.push(AlarmFacts { watches: "Bookings: level under 70 %".into(), ..alarm.clone() });
    facts.alarms.push(alarm);
    let report = make(&definition(), &facts);
    let picture = |section: Section| {
        let part = report.parts.iter().find(|part| part.section == section).unwrap();
        part.pictures.first().cloned()
    };
    let values = |section| picture(section).unwrap().series[0].values.clone();
    assert_eq!(picture(Section::Accuracy).unwrap().places, ["Bookings", "Sailing changes"]);
    assert!((values(Section::Accuracy)[1].unwrap() - 1.0 / 6.0).abs() < 1e-12);
    assert_eq!(values(Section::Queues), [Some(0.78); 2]);
    assert_eq!(values(Section::Waits), [Some(31.5); 2]);
    let campaigns = picture(Section::Campaigns).unwrap();
    assert_eq!(campaigns.series[0].values, [Some(0.05); 2]);
    assert_eq!(campaigns.target, Some((0.03, "ceiling 3 %".to_owned())));
    let agents = picture(Section::Agents).unwrap();
    assert_eq!(agents.places, ["Bookings team", "Harbour offices"]);
    assert_eq!(agents.series[0].values, [Some(40.0), Some(60.0)]);
    assert_eq!(agents.series[1].values, [Some(37.5), Some(75.0)]);
    let drawn = svg(&agents);
    assert_eq!(drawn.matches("class=\"dashed\" d=\"M").count(), 3, "a level each, and the legend");
    let alarms = picture(Section::Alarms).unwrap();
    assert_eq!(alarms.places[1], "Bookings: level under 70 %");
    assert_eq!(alarms.series[0].values, [Some(2.0), Some(1.0)]);
    let flow = picture(Section::Flow).unwrap();
    assert!(flow.places[0].contains(" → ") && flow.series[0].values[0] >= flow.series[0].values[1]);
    let one = make(&definition(), &full_facts());
    let queues = one.parts.iter().find(|part| part.section == Section::Queues).unwrap();
    assert!(queues.pictures.is_empty(), "one name is no picture");
}

#[test]
fn a_picture_of_one_day_names_times_and_not_the_day() {
    let mut day = crate::fixture::facts();
    let monday = crate::fixture::MONDAY;
    day.days = Days { first: monday, last: monday };
    day.types.truncate(1);
    let measured = |half: i8| Measured {
        at: monday.at(9, 30 * half, 0, 0),
        counts: crate::fixture::counts(20.0),
    };
    day.types[0].measured = vec![measured(0), measured(1)];
    day.types[0].forecast.clear();
    let definition = Definition { grouping: Grouping::Interval, ..definition() };
    let report = make(&definition, &day);
    let part = report.parts.iter().find(|part| part.section == Section::Service).unwrap();
    assert_eq!(part.pictures[0].places, ["09:00", "09:30"]);
    assert_eq!(
        part.tables[1].rows[0].cells[0],
        Cell::from("Mon 16 Nov 09:00"),
        "a table says it all"
    );
}

#[test]
fn a_workbook_draws_each_picture_as_a_chart() {
    let report = report();
    let pictures: usize = report.parts.iter().map(|part| part.pictures.len()).sum();
    let bytes = workbook(&report).unwrap();
    let has = |name: &str| bytes.windows(name.len()).any(|window| window == name.as_bytes());
    assert!(pictures > 3 && has(&format!("xl/charts/chart{pictures}.xml")), "{pictures}");
    assert!(!has(&format!("xl/charts/chart{}.xml", pictures + 1)));
}

#[test]
fn a_document_is_laid_out_for_the_paper_of_its_part_of_the_world() {
    let at_home = report();
    let abroad = barometer_report::Report { zone: "America/New_York".to_owned(), ..report() };
    assert!(page_for_document(&at_home).unwrap().contains("size: A4"));
    assert!(page_for_document(&abroad).unwrap().contains("size: letter"));
    assert!(!page(&at_home).unwrap().contains("size: A4"), "a page is printed on what there is");
}

#[test]
fn a_name_that_is_a_formula_stays_a_name() {
    let report = report();
    let csv = csv_tables(&report).unwrap();
    assert!(csv.contains("'=SUM(A1)"), "{csv}");
    let mut book: Xlsx<_> = Xlsx::new(Cursor::new(workbook(&report).unwrap())).unwrap();
    let sheet = book.worksheet_range("Agents").unwrap();
    assert_eq!(sheet.get((1, 0)), Some(&Data::String("=SUM(A1)".to_owned())));
    assert!(book.worksheet_formula("Agents").unwrap().is_empty());
}

#[test]
fn no_text_ends_an_element_or_the_style_of_a_page() {
    let hostile = "</style><script>alert(1)</script>\"";
    let report = make(&Definition { title: hostile.to_owned(), ..definition() }, &full_facts());
    let text = page(&report).unwrap();
    assert!(!text.contains("<script"), "{text}");
    assert_eq!(text.matches("</style>").count(), 1);
    assert!(text.contains("&#60;b&#62;Storm"), "a note of a release is a text");
}

#[test]
fn a_page_links_its_figures_and_a_file_does_not() {
    let report = report();
    let inside = body(&report, |about| {
        Some(match about {
            About::Trial(id) => format!("/trials/{id}"),
            About::Roster(id, day) => format!("/rosters/{id}?day={day}"),
            _ => "/elsewhere".to_owned(),
        })
    })
    .unwrap();
    assert!(inside.contains("href=\"/trials/00000000-0000-0000-0000-00000000000a\""));
    assert!(
        inside.contains("href=\"/rosters/00000000-0000-0000-0000-00000000000b?day=2026-11-16\""),
        "an agent's hours lead to the roster"
    );
    assert!(!page(&report).unwrap().contains("href="));
}

#[test]
fn measures_are_defined_where_they_are_used() {
    let only = |sections: Vec<Section>| {
        let report = make(&Definition { sections, ..definition() }, &full_facts());
        report.definitions.into_iter().map(|(name, _)| name).collect::<Vec<_>>()
    };
    assert_eq!(only(vec![Section::Releases]), Vec::<String>::new());
    let service = only(vec![Section::Service]);
    assert_eq!(service, ["Service level", "Speed of answer (ASA)", "Abandonment"]);
    let text = page(&report()).unwrap();
    assert!(text.contains("Bookings 20 s"), "the threshold stands in the definition");
}

#[test]
fn figures_read_as_people_write_them() {
    let show = |unit: Unit, number: f64| unit.show(&Cell::Number(number));
    assert_eq!(show(Unit::Count, 1_234_567.4), "1,234,567");
    assert_eq!(show(Unit::Share, 0.8234), "82.3");
    assert_eq!(show(Unit::Points, 0.026), "+2.6");
    assert_eq!(show(Unit::Change, -0.041), "−4.1");
    assert_eq!(show(Unit::Points, 0.0001), "0.0");
    assert_eq!(show(Unit::Points, -0.0001), "0.0");
    assert_eq!(show(Unit::Erlangs, 31.456), "31.46");
    assert_eq!(Unit::Share.show(&Cell::from(f64::NAN)), "–");
}

#[test]
fn a_line_breaks_where_a_figure_is_missing_and_a_column_ends_at_zero() {
    let series = |mark, values: &[Option<f64>]| Series {
        name: "A & B".to_owned(),
        mark,
        values: values.to_vec(),
    };
    let picture = Picture {
        title: "Effects".to_owned(),
        unit: Unit::Points,
        places: ["a", "b", "c", "d"].map(str::to_owned).to_vec(),
        is_named: false,
        series: vec![
            series(Mark::Columns, &[Some(0.1), Some(-0.1), None, Some(0.0)]),
            series(Mark::Line, &[Some(0.1), Some(0.2), None, Some(0.1)]),
        ],
        target: None,
    };
    let drawn = svg(&picture);
    let line = drawn.split("<path class=\"line\" d=\"M").last().unwrap();
    assert_eq!(line.split('"').next().unwrap().matches('M').count(), 1, "one break: {line}");
    assert_eq!(drawn.matches("class=\"columns\"").count(), 3 + 1, "and one in the legend");
    assert!(drawn.contains("A &amp; B") && !drawn.contains("NaN"));
}

#[test]
fn a_report_comes_back_from_its_data() {
    let report = report();
    let text = serde_json::to_string(&report).unwrap();
    let back: barometer_report::Report = serde_json::from_str(&text).unwrap();
    assert_eq!(back, report);
}
