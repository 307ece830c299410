//! `barometer forecast`: history in, intervals and days out.

use std::path::Path;
use std::process::{Command, Output};

use jiff::ToSpan;
use jiff::civil::date;

use crate::{contacts, folder, history, rows, run, total_of};

fn forecast(folder: &Path, arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_barometer"))
        .current_dir(folder)
        .env_remove("DATABASE_URL")
        .args(["forecast", "--history", "history.csv", "--out", "out.csv"])
        .args(arguments)
        .output()
        .unwrap()
}

#[test]
fn a_forecast_has_the_documented_columns_and_follows_the_history() {
    let folder = folder("columns");
    history(&folder, 400, "Calls");
    let arguments = ["--horizon", "4w", "--days-out", "days.csv", "--report", "report.json"];
    let output = forecast(&folder, &arguments);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let rows = rows(&folder, "out.csv");
    assert_eq!(rows[0].join(","), "series,interval_start,mean,p10,p90,p2_5,p97_5,handle_secs");
    assert_eq!(rows.len(), 1 + 28 * 24);
    assert_eq!(&rows[1][..2], ["Calls", "2026-12-01T08:00:00"], "as the history writes times");
    let number = |row: &[String], column: usize| row[column].parse::<f64>().unwrap();
    for row in &rows[1..] {
        let edges = [5, 3, 4, 6].map(|column| number(row, column));
        assert!(edges.is_sorted(), "{row:?}");
    }
    let of = |start: &str| number(rows.iter().find(|row| row[1] == start).unwrap(), 2);
    assert!((of("2026-12-07T09:00:00") / 30.0 - 1.0).abs() < 0.2, "a Monday");
    assert!((of("2026-12-08T09:00:00") / 20.0 - 1.0).abs() < 0.2, "a Tuesday");
    // Found in the history, since no calendar names it; and said.
    assert!(of("2026-12-25T09:00:00") < 6.0);
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(said.contains("special day found: 25 Dec"), "{said}");
    let days = self::rows(&folder, "days.csv");
    assert_eq!((days.len(), days[1][1].as_str()), (29, "2026-12-01"));
    let total: f64 = rows[1..25].iter().map(|row| number(row, 2)).sum();
    assert!((number(&days[1], 2) - total).abs() < 0.01, "intervals sum to their day");
    let report = std::fs::read_to_string(folder.join("report.json")).unwrap();
    assert!(report.contains("\"seasonal-naive\"") && report.contains("\"interval_wape\""));
}

#[test]
fn a_calendar_closes_days_and_sets_effects() {
    let folder = folder("calendar");
    history(&folder, 120, "Calls");
    let calendar = "date,name,class,closed,percent\n2026-12-02,Move,Closure,yes,\n2026-12-03,Sale,Promotion,,150\n";
    std::fs::write(folder.join("calendar.csv"), calendar).unwrap();
    let output = forecast(&folder, &["--horizon", "7d", "--calendar", "calendar.csv"]);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let rows = rows(&folder, "out.csv");
    let total = |day: &str| total_of(&rows, day);
    assert_eq!(total("2026-12-02"), 0.0);
    assert!((total("2026-12-03") / total("2026-12-04") - 1.5).abs() < 0.05);
}

#[test]
fn what_cannot_be_forecast_is_said_in_one_line_with_its_place() {
    let folder = folder("wrong");
    history(&folder, 4, "Calls");
    let failing = |file: Option<&str>, arguments: &[&str], wanted: &str| {
        if let Some(file) = file {
            std::fs::write(folder.join("history.csv"), file).unwrap();
        }
        let output = forecast(&folder, arguments);
        let message = String::from_utf8_lossy(&output.stderr);
        assert!(!output.status.success() && message.contains(wanted), "{wanted}: {message}");
        assert!(!message.contains("panicked"), "{message}");
    };
    failing(None, &[], "at least 7 days of history, and there are 4");
    failing(None, &["--horizon", "soon"], "write 28d or 4w");
    failing(None, &["--zone", "Europe/Atlantis"], "is no time zone");
    failing(None, &["--method", "crystal-ball"], "use one of seasonal-naive");
    failing(None, &["--grain", "20"], "15, 30 or 60 minutes");
    failing(Some(""), &[], "is empty");
    failing(Some("interval_start,offered\n"), &[], "has a heading and no rows under it");
    let twenty = "interval_start,offered\n2026-11-01T08:00,3\n2026-11-01T08:20,4\n";
    failing(Some(twenty), &["--grain", "30"], "has 20-minute intervals");
    failing(Some("when,offered\n1,2\n"), &[], "no column of history.csv holds the date and time");
    failing(
        Some("interval_start,offered\n2026-11-01T08:00,3\n2026-11-01T08:30,-3\n"),
        &[],
        "row 3, column offered: “-3” is not a whole number",
    );
    failing(
        Some("interval_start,offered\n2026-11-01T08:00,3\n2026-11-01T09:00,4\n"),
        &["--grain", "30"],
        "cannot be told apart into 30 minutes",
    );
    failing(Some("day,offered\n2026-11-01,300\n"), &[], "this row is a whole day");
}

#[test]
fn ten_minute_intervals_are_summed_to_half_hours_and_make_no_sawtooth() {
    let folder = folder("ten-minutes");
    let mut file = String::from("interval_start,offered\n");
    for back in (1..=60_i64).rev() {
        let day = date(2026, 12, 1).saturating_sub(back.days());
        for ten in 48..120_i64 {
            let noise = (back * 7 + ten * 3) % 4;
            file += &format!("{day}T{:02}:{:02}:00,{}\n", ten / 6, ten % 6 * 10, 8 + noise);
        }
    }
    std::fs::write(folder.join("history.csv"), file).unwrap();
    let output = forecast(&folder, &["--horizon", "7d"]);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let rows = rows(&folder, "out.csv");
    assert_eq!(rows.len(), 1 + 7 * 24, "half-hours");
    for row in &rows[1..] {
        let mean: f64 = row[2].parse().unwrap();
        assert!((mean / 28.5 - 1.0).abs() < 0.2, "{row:?}");
        assert_eq!(row[7], "", "no handle time was given, so none is written");
    }
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(said.contains("handle_secs is left empty"), "{said}");
}

#[test]
fn a_short_series_does_not_keep_the_others_from_their_forecast() {
    let folder = folder("short-series");
    history(&folder, 60, "Calls");
    let path = folder.join("history.csv");
    let mut file = std::fs::read_to_string(&path).unwrap();
    file += "Chats,2026-11-29T09:00:00,4\nChats,2026-11-30T09:00:00,5\n";
    std::fs::write(&path, &file).unwrap();
    let output = forecast(&folder, &["--horizon", "7d"]);
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(output.status.success(), "{said}");
    assert!(said.contains("Chats: left out: ") && said.contains("at least 7 days"), "{said}");
    assert!(rows(&folder, "out.csv")[1..].iter().all(|row| row[0] == "Calls"));
    // The same file as a spreadsheet may write it.
    let mut wide = vec![0xff, 0xfe];
    wide.extend(file.encode_utf16().flat_map(u16::to_le_bytes));
    let narrow = std::fs::read(folder.join("out.csv")).unwrap();
    std::fs::write(&path, wide).unwrap();
    let output = forecast(&folder, &["--horizon", "7d"]);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    assert_eq!(std::fs::read(folder.join("out.csv")).unwrap(), narrow);
}

#[test]
fn a_calendar_says_what_it_cannot_mean_and_takes_days_after_a_date() {
    let folder = folder("calendar-cells");
    history(&folder, 120, "Calls");
    let with = |calendar: &str| {
        std::fs::write(folder.join("calendar.csv"), calendar).unwrap();
        forecast(&folder, &["--horizon", "7d", "--calendar", "calendar.csv"])
    };
    for (row, wanted) in [
        ("2026-12-02,Move,maybe,,", "row 2, column closed: “maybe” is neither yes nor no"),
        ("2026-12-02,Move,,1e308,", "row 2, column percent: write a number above 0, at most 10000"),
        ("0001-12-02,Move,,,", "row 2, column date: years are 1990 to 2199"),
        ("2026-12-02,Move,,,200", "row 2, column offset: write days from the date, -14 to 14"),
    ] {
        let output = with(&format!("date,name,closed,percent,offset\n{row}\n"));
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!output.status.success() && said.contains(wanted), "{said}");
    }
    let output =
        with("Date,Name,Closed,Percent,Offset\n2026-12-02,Move,Yes,,\n2026-12-02,Move,,150,1\n");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let rows = rows(&folder, "out.csv");
    let total = |day: &str| total_of(&rows, day);
    assert_eq!(total("2026-12-02"), 0.0);
    assert!((total("2026-12-03") / total("2026-12-04") - 1.5).abs() < 0.05);
}

#[test]
fn a_history_that_repeats_intervals_is_refused_and_tells_of_columns_not_used() {
    let folder = folder("history-twice");
    let row = |day: u32, more: &str| format!("2026-01-{day:02}T09:00,10{more}\n");
    let rows: String = (1..29).map(|day| row(day, "")).collect();
    std::fs::write(folder.join("twice.csv"), format!("interval_start,offered\n{rows}{rows}"))
        .unwrap();
    let said = run(&folder, &["forecast", "--history", "twice.csv", "--out", "out.csv"]).stderr;
    let said = String::from_utf8_lossy(&said).into_owned();
    assert!(said.contains("row 30: this interval of twice is in row 2 already"), "{said}");
    let merged: String = (1..29).map(|day| row(day, ",Sales") + &row(day, ",Help")).collect();
    let merged = format!("interval_start,offered,line\n{merged}");
    std::fs::write(folder.join("merged.csv"), merged).unwrap();
    let said = run(&folder, &["forecast", "--history", "merged.csv", "--out", "out.csv"]).stderr;
    let said = String::from_utf8_lossy(&said).into_owned();
    assert!(said.contains("the columns not used are line"), "{said}");
    assert!(!folder.join("out.csv").exists());
}

#[test]
fn series_are_read_apart_and_the_first_wrong_row_of_the_file_is_told() {
    let folder = folder("series-apart");
    let told = |rows: &str| {
        let text = format!("series,interval_start,offered\n{rows}");
        std::fs::write(folder.join("mixed.csv"), text).unwrap();
        let zone = ["--zone", "Europe/London"];
        let arguments =
            [&["forecast", "--history", "mixed.csv", "--out", "out.csv"][..], &zone].concat();
        let run = run(&folder, &arguments);
        (run.status.success(), String::from_utf8_lossy(&run.stderr).into_owned())
    };
    // Help has its wrong row before that of Sales, which comes first by name.
    let (_, said) = told(
        "Sales,2026-01-05T09:00,1\nHelp,2026-01-05T09:00,2\nHelp,2026-01-05T09:30,many\nHelp,2026-01-05T10:00,2\n\
         Sales,2026-01-05T09:00,3\n",
    );
    assert!(said.contains("row 4, column offered"), "{said}");
    let (_, said) = told(
        "Help,2026-01-05T09:00,1\nSales,2026-01-05T09:00,2\nSales,2026-01-05T09:00,2\nHelp,2026-01-05T09:30,many\n",
    );
    assert!(said.contains("row 4: this interval of Sales is in row 3 already"), "{said}");
    let (_, said) = told("Help,2026-01-05T09:00,1\n,2026-01-05T09:30,many\nHelp,never,1\n");
    assert!(said.contains("row 3, column contact_type: is empty"), "{said}");
    let (_, said) = told("Help,2026-01-05T09:00,1\nHelp\n");
    assert!(said.contains("the row has 1 columns and the heading 3"), "{said}");
    // The clocks go back once for each: the repeated hour comes twice in both, however the rows are mixed.
    let mut rows = String::new();
    for back in (0..60).rev() {
        let day = date(2026, 11, 8).saturating_sub(back.days());
        for half in 0..48 {
            let at = format!("{day}T{:02}:{:02}", half / 2, half % 2 * 30);
            let twice = day == date(2026, 10, 25) && half / 2 == 1;
            for _ in 0..=i32::from(twice) {
                rows += &format!("Sales,{at},{}\nHelp,{at},{}\n", contacts(day, half), half + 1);
            }
        }
    }
    let (is_made, said) = told(&rows);
    assert!(is_made, "{said}");
    let names: std::collections::BTreeSet<String> =
        self::rows(&folder, "out.csv").into_iter().skip(1).map(|row| row[0].clone()).collect();
    assert_eq!(names.into_iter().collect::<Vec<_>>(), ["Help", "Sales"]);
}
