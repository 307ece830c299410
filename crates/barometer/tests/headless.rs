//! `barometer forecast` and `barometer trial` as an engineer runs them: files in, files out.

#![cfg(test)]

use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use jiff::ToSpan;
use jiff::civil::{Date, date};

/// A folder of this test's own.
fn folder(name: &str) -> PathBuf {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
    let _ = std::fs::remove_dir_all(&folder);
    std::fs::create_dir_all(&folder).unwrap();
    folder
}

fn forecast(folder: &Path, arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_barometer"))
        .current_dir(folder)
        .env_remove("DATABASE_URL")
        .args(["forecast", "--history", "history.csv", "--out", "out.csv"])
        .args(arguments)
        .output()
        .unwrap()
}

/// Contacts on a made-up day: Mondays are busy, Christmas Day is not.
fn contacts(day: Date, half: i64) -> i64 {
    let busy = if day.weekday() == jiff::civil::Weekday::Monday { 3 } else { 2 };
    let quiet = day.month() == 12 && day.day() == 25;
    // Something that differs from week to week, so that no day repeats another.
    let noise = (i64::from(day.day_of_year()) * 7 + half * 13) % 5;
    if quiet { 2 } else { busy * (10 + half % 6) + noise }
}

/// Half-hours from 8 to 20 o'clock until the end of November 2026.
fn history(folder: &Path, days: i64, series: &str) {
    let mut file = String::from("series,interval_start,offered\n");
    for back in (1..=days).rev() {
        let day = date(2026, 12, 1).saturating_sub(back.days());
        for half in 16..40 {
            let (hour, minute) = (half / 2, half % 2 * 30);
            file += &format!("{series},{day}T{hour:02}:{minute:02}:00,{}\n", contacts(day, half));
        }
    }
    std::fs::write(folder.join("history.csv"), file).unwrap();
}

/// The forecast total of a day.
fn total_of(rows: &[Vec<String>], day: &str) -> f64 {
    let of_day = rows.iter().filter(|row| row[1].starts_with(day));
    of_day.map(|row| row[2].parse::<f64>().unwrap()).sum()
}

fn rows(folder: &Path, file: &str) -> Vec<Vec<String>> {
    let text = std::fs::read_to_string(folder.join(file)).unwrap();
    text.lines().map(|line| line.split(',').map(str::to_owned).collect()).collect()
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

fn run(folder: &Path, arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_barometer"))
        .current_dir(folder)
        .env_remove("DATABASE_URL")
        .args(arguments)
        .output()
        .unwrap()
}

#[test]
fn a_need_has_its_columns_and_the_targets_of_its_series() {
    let folder = folder("need");
    std::fs::write(
        folder.join("forecast.csv"),
        "series,interval_start,mean,p10,p90,handle_secs\n\
         Calls,2026-11-24T09:00:00,120,100,140,300\n\
         Calls,2026-11-24T09:30:00,120,100,140,300\n\
         Chat,2026-11-24T09:00:00,60,50,70,400\n\
         Chat,2026-11-24T09:30:00,0,0,0,400\n",
    )
    .unwrap();
    std::fs::write(
        folder.join("targets.toml"),
        "service_level = 0.8\nwithin_secs = 20\nabandonment = \"none\"\noccupancy = \"none\"\n\
         patience_secs = \"none\"\nshrinkage = 0.3\n[series.Chat]\nconcurrency = 2\n",
    )
    .unwrap();
    let arguments =
        ["need", "--forecast", "forecast.csv", "--targets", "targets.toml", "--out", "out.csv"];
    let done = run(&folder, &[&arguments[..], &["--every-interval", "--chance", "0.9"]].concat());
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let rows = rows(&folder, "out.csv");
    let column = |name: &str| rows[0].iter().position(|each| each == name).unwrap();
    let of = |row: usize, name: &str| rows[row][column(name)].as_str();
    // 20 Erlangs on 24: P(wait) 0.298, level 1 − 0.298 e^(−4 × 20/300) = 0.772; so 25, and 25 / 0.7.
    assert_eq!((of(1, "need_agents"), of(1, "rostered_agents")), ("25", "36"));
    assert_eq!(of(1, "binding_target"), "service_level");
    assert!(of(1, "every_interval_agents").parse::<u32>().unwrap() < 25, "it begins empty");
    assert!(of(1, "need_at_chance_agents").parse::<u32>().unwrap() > 25);
    let chats: u32 = of(3, "need_agents").parse().unwrap();
    assert!((8..=9).contains(&chats), "13.3 Erlangs, two at once: {chats}");
    assert_eq!(of(4, "need_agents"), "0");
}

#[test]
fn a_wrong_target_or_forecast_is_named_and_nothing_is_written() {
    let folder = folder("need-wrong");
    let said = |forecast: &str, targets: &str| {
        std::fs::write(folder.join("f.csv"), forecast).unwrap();
        std::fs::write(folder.join("t.toml"), targets).unwrap();
        let done =
            run(&folder, &["need", "--forecast", "f.csv", "--targets", "t.toml", "--out", "o.csv"]);
        assert!(!done.status.success() && !folder.join("o.csv").exists());
        String::from_utf8_lossy(&done.stderr).into_owned()
    };
    let good =
        "interval_start,mean,handle_secs\n2026-11-24T09:00:00,10,300\n2026-11-24T09:30:00,10,300\n";
    assert!(said(good, "shrinkage = 1.0").contains("breaks: must be 0 to 90 %"));
    assert!(said(good, "service_levle = 0.8").contains("service_levle is no target"));
    let zero = good.replace(",300\n2026-11-24T09:30", ",0\n2026-11-24T09:30");
    assert!(said(&zero, "").contains("row 2, column handle_secs: needs a handle time above zero"));
    assert!(said(&good.replace("09:00:00,10", "09:00:00,many"), "").contains("row 2, column mean"));
    assert!(said("interval_start,mean\n", "").contains("has no intervals"));
}

#[test]
fn the_calculator_answers_every_case_and_says_why_not() {
    let folder = folder("queueing");
    std::fs::write(
        folder.join("cases.csv"),
        "note,offered_erlangs,handle_secs,servers,within_secs\nfine,20,180,24,20\nunstable,20,180,20,20\n",
    )
    .unwrap();
    let arguments = ["queueing", "erlang-c", "--in", "cases.csv", "--out", "out.csv"];
    let done = run(&folder, &arguments);
    assert!(done.status.success());
    assert!(String::from_utf8_lossy(&done.stderr).contains("1 of 2 cases have no result"));
    let rows = rows(&folder, "out.csv");
    let column = |name: &str| rows[0].iter().position(|each| each == name).unwrap();
    assert_eq!(rows[1][0], "fine", "other columns are passed on");
    // 20 Erlangs on 24: P(wait) 0.2980, from the textbook recursion.
    let blocking = (1..=24).fold(1.0, |b, n| 20.0 * b / (f64::from(n) + 20.0 * b));
    let wait = 24.0 * blocking / (24.0 - 20.0 * (1.0 - blocking));
    let got: f64 = rows[1][column("result_wait_share")].parse().unwrap();
    assert!((got / wait - 1.0).abs() < 1e-12, "{got} {wait}");
    assert!(rows[2].last().unwrap().contains("needs at least 21"));
    std::fs::write(folder.join("cases.csv"), "offered_erlangs,handle_secs,servers\n20,180,many\n")
        .unwrap();
    let wrong = run(&folder, &arguments);
    let said = String::from_utf8_lossy(&wrong.stderr).into_owned();
    assert!(said.contains("there is no column within_secs"), "{said}");
    let unknown = run(&folder, &["queueing", "erlang-z"]);
    assert!(
        String::from_utf8_lossy(&unknown.stderr)
            .contains("erlang-z is no model; use one of erlang-b")
    );
    let listed = run(&folder, &["queueing"]);
    assert!(String::from_utf8_lossy(&listed.stdout).contains("patience-estimate"));
}

#[test]
fn hunting_and_days_have_several_rows_of_results() {
    let folder = folder("queueing-rows");
    std::fs::write(folder.join("h.csv"), "offered_erlangs,handle_secs,members\n1.5,100,3\n")
        .unwrap();
    assert!(
        run(&folder, &["queueing", "hunting", "--in", "h.csv", "--out", "h.out.csv"])
            .status
            .success()
    );
    let members = rows(&folder, "h.out.csv");
    assert_eq!(members.len(), 4);
    let busy: f64 = members[1][4].parse().unwrap();
    // The first member carries a / (1 + a).
    assert!((busy - 1.5 / 2.5).abs() < 1e-12, "{members:?}");
    let day = "case,secs,contacts_per_hour,handle_secs,servers,patience_secs,within_secs\n\
               a,1800,60,300,6,180,20\na,1800,60,300,4,180,20\nb,1800,60,300,6,180,20\n";
    std::fs::write(folder.join("d.csv"), day).unwrap();
    assert!(
        run(&folder, &["queueing", "day", "--in", "d.csv", "--out", "d.out.csv"]).status.success()
    );
    let rows = rows(&folder, "d.out.csv");
    let level = |row: usize| rows[row][7].parse::<f64>().unwrap();
    assert!(level(2) < level(1), "fewer people, and those who are left over");
    // What comes after decides only the last twenty seconds.
    assert!((level(3) - level(1)).abs() < 0.01 && level(3) != level(1));
}

/// A strategy, a day of twenty half-hours and its cover, as an engineer would write them.
fn trial_files(folder: &Path) {
    let strategy = r#"{"schema_version": 2, "name": "One line",
        "entries": [{"name": "Line", "first": {"step": "queue"}}],
        "steps": [{"id": "queue", "name": "Calls", "does": {"queue": {}}}],
        "teams": [{"id": "team", "name": "Team"}]}"#;
    std::fs::write(folder.join("strategy.json"), strategy).unwrap();
    let mut forecast = String::from("interval_start,contacts,handle_secs,patience_secs\n");
    let mut cover = String::from("interval_start,agents\n");
    for half in 0..20 {
        let start = format!("2026-11-30T{:02}:{:02}", 8 + half / 2, half % 2 * 30);
        forecast += &format!("{start},120,300,180\n");
        cover += &format!("{start},22\n");
    }
    std::fs::write(folder.join("forecast.csv"), forecast).unwrap();
    std::fs::write(folder.join("cover.csv"), cover).unwrap();
}

fn trial(folder: &Path, arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_barometer"))
        .current_dir(folder)
        .env_remove("DATABASE_URL")
        .args(["trial", "--strategy", "strategy.json", "--forecast", "forecast.csv"])
        .args(["--cover", "cover.csv", "--out", "out"])
        .args(arguments)
        .output()
        .unwrap()
}

/// The mean and standard error of a figure of the whole day.
fn figure(folder: &Path, part: &str, name: &str, measure: &str) -> (f64, f64) {
    let file = std::fs::read_to_string(folder.join("out/day.csv")).unwrap();
    let start = format!("{part},{name},,{measure},");
    let row =
        file.lines().find(|line| line.starts_with(&start)).unwrap_or_else(|| panic!("{start}"));
    let mut cells = row[start.len()..].split(',').map(|cell| cell.parse().unwrap());
    (cells.next().unwrap(), cells.next().unwrap())
}

#[test]
fn a_trial_of_files_agrees_with_the_exact_day_and_repeats_to_the_byte() {
    let folder = folder("trial-exact");
    trial_files(&folder);
    let done = trial(&folder, &["--replications", "1000", "--seed", "7", "--log", "3"]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    // The exact values are the solution of the Kolmogorov equations of this day.
    for (measure, exact) in
        [("answered", 2263.995), ("abandoned", 136.005), ("answered_in_time", 1895.407)]
    {
        let (mean, error) = figure(&folder, "all", "", measure);
        assert!(error < 3.0 && (mean - exact).abs() < 4.5 * error, "{measure}: {mean} ± {error}");
    }
    let in_team = figure(&folder, "team", "Team", "answered").0;
    assert_eq!(in_team, figure(&folder, "service_point", "Calls", "answered").0);
    let story = std::fs::read_to_string(folder.join("out/log-3.csv")).unwrap();
    assert!(story.contains("answered,Team 1"));
    let files = ["day.csv", "intervals.csv", "waits.csv", "trial.json", "log-3.csv"];
    let read = || files.map(|file| std::fs::read(folder.join("out").join(file)).unwrap());
    let before = read();
    trial(&folder, &["--replications", "1000", "--seed", "7", "--log", "3"]);
    assert_eq!(read(), before);
    let schema = Command::new(env!("CARGO_BIN_EXE_barometer")).arg("schema").output().unwrap();
    let schema: serde_json::Value = serde_json::from_slice(&schema.stdout).unwrap();
    assert!(schema["$defs"]["HuntGroup"].is_object());
}

#[test]
fn a_trial_with_a_campaign_has_rows_of_it_and_a_log_that_names_its_calls() {
    let folder = folder("trial-campaign");
    trial_files(&folder);
    let text = std::fs::read_to_string(folder.join("strategy.json")).unwrap();
    let mut strategy = barometer_strategy::Strategy::from_json(&text).unwrap();
    let mut news = barometer_strategy::Campaign::named("news", "News", "team");
    news.pacing = barometer_strategy::Pacing::Steady { lines_per_agent: 2.5 };
    strategy.campaigns = vec![news];
    std::fs::write(folder.join("strategy.json"), strategy.to_json()).unwrap();
    let done = trial(&folder, &["--replications", "20", "--seed", "7", "--log", "3"]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    assert!(figure(&folder, "campaign", "News", "dials").0 > 100.0);
    assert!(figure(&folder, "campaign", "News", "conversations").0 > 10.0);
    // What comes in is counted without the calls that go out.
    assert!((figure(&folder, "all", "", "offered").0 - 2400.0).abs() < 60.0);
    let story = std::fs::read_to_string(folder.join("out/log-3.csv")).unwrap();
    assert!(story.contains(",News,answered,Team "), "{}", &story[..2000]);
    let intervals = std::fs::read_to_string(folder.join("out/intervals.csv")).unwrap();
    assert!(intervals.contains("campaign,News,"));
}

#[test]
fn a_trial_calls_the_people_of_a_list_without_those_who_must_not_be_called() {
    let folder = folder("trial-list");
    trial_files(&folder);
    let text = std::fs::read_to_string(folder.join("strategy.json")).unwrap();
    let mut strategy = barometer_strategy::Strategy::from_json(&text).unwrap();
    let mut news = barometer_strategy::Campaign::named("news", "News", "team");
    news.pacing = barometer_strategy::Pacing::Steady { lines_per_agent: 2.5 };
    news.retries.most_in_all = 1;
    strategy.campaigns = vec![news];
    std::fs::write(folder.join("strategy.json"), strategy.to_json()).unwrap();
    let numbers: String = (0..40).map(|nth| format!("020 7946 00{nth:02}\n")).collect();
    std::fs::write(folder.join("list.csv"), format!("number\n{numbers}nobody\n")).unwrap();
    std::fs::write(folder.join("not.csv"), "number\n+442079460003\n+442079460004\n").unwrap();
    let play = |more: &[&str]| {
        let files = ["--lists", "list.csv", "--do-not-call", "not.csv"];
        let few = ["--replications", "20", "--seed", "7"];
        trial(&folder, &[&few[..], &files[..], more].concat())
    };
    let done = play(&["--country", "GB"]);
    let told = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(done.status.success(), "{told}");
    assert!(
        told.contains("list.csv: 1 of 41 rows are left out; row 42, number: “nobody”"),
        "{told}"
    );
    assert!(told.contains("list.csv: 2 people must not be called"), "{told}");
    // Each of the 38 others is called once.
    assert_eq!(figure(&folder, "campaign", "News", "dials").0, 38.0);
    let wrong = |more: &[&str], message: &str| {
        let told = String::from_utf8_lossy(&play(more).stderr).into_owned();
        assert!(told.contains(message), "{told}");
    };
    wrong(&["--country", "Britain"], "--country Britain: write a country's two letters");
    wrong(&[], "list.csv has nobody who may be called");
    wrong(&["--lists", "gone.csv", "--country", "GB"], "gone.csv");
}

#[test]
fn a_trial_stops_at_the_wanted_precision_and_takes_customers_from_their_file() {
    let folder = folder("trial-customers");
    trial_files(&folder);
    let customers = r#"{"contact_types": {"Contacts": {
        "handling": {"constant": {"secs": 300}}, "patience": {"constant": {"secs": 60}}}}}"#;
    std::fs::write(folder.join("customers.json"), customers).unwrap();
    let without: String = std::fs::read_to_string(folder.join("forecast.csv"))
        .unwrap()
        .lines()
        .map(|line| format!("{}\n", line.rsplit_once(',').unwrap().0))
        .collect();
    std::fs::write(folder.join("forecast.csv"), without).unwrap();
    let arguments =
        ["--customers", "customers.json", "--precision", "0.02", "--replications", "9000"];
    let done = trial(&folder, &arguments);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let about: serde_json::Value =
        serde_json::from_slice(&std::fs::read(folder.join("out/trial.json")).unwrap()).unwrap();
    assert_eq!(about["replications"], 100, "the first look is enough");
    // Nobody waits longer than the constant patience.
    let waits = std::fs::read_to_string(folder.join("out/waits.csv")).unwrap();
    let longest = waits.lines().skip(1).filter(|line| line.contains("abandoned"));
    assert!(
        longest
            .map(|line| line.split(',').nth(2).unwrap().parse::<f64>().unwrap())
            .all(|secs| (secs - 60.0).abs() < 1.0)
    );
}

#[test]
fn what_is_wrong_with_a_file_of_a_trial_is_told_with_its_place() {
    let folder = folder("trial-wrong");
    trial_files(&folder);
    let keep = |name: &str| std::fs::read_to_string(folder.join(name)).unwrap();
    let (strategy, forecast, cover) =
        (keep("strategy.json"), keep("forecast.csv"), keep("cover.csv"));
    let refused = |file: &str, text: String, wanted: &str| {
        std::fs::write(folder.join(file), text).unwrap();
        let done = trial(&folder, &["--replications", "2"]);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && said.contains(wanted), "{said}");
        std::fs::write(folder.join("strategy.json"), &strategy).unwrap();
        std::fs::write(folder.join("forecast.csv"), &forecast).unwrap();
        std::fs::write(folder.join("cover.csv"), &cover).unwrap();
    };
    refused(
        "cover.csv",
        cover.replacen("22", "-3", 1),
        "cover.csv, row 2, column agents: “-3” is not a whole number",
    );
    refused(
        "cover.csv",
        cover.replacen("interval_start", "when", 1),
        "there is no column interval_start",
    );
    refused(
        "forecast.csv",
        forecast.replacen("120", "many", 1),
        "forecast.csv, row 2, column contacts: “many” is not a number",
    );
    refused(
        "forecast.csv",
        forecast.replacen("T08:30", "T08:07", 1),
        "is not a whole number of intervals",
    );
    refused(
        "strategy.json",
        strategy.replacen("\"queue\": {}", "\"queue\": {\"places\": -1}", 1),
        "steps[0].does",
    );
    refused(
        "strategy.json",
        strategy.replacen("\"step\": \"queue\"", "\"step\": \"nowhere\"", 1),
        "there is no step “nowhere”",
    );
    refused("strategy.json", "[]".to_owned(), "it is an array, and a strategy is an object");
    refused("strategy.json", "{}".to_owned(), "schema_version: is missing");
    refused("cover.csv", "interval_start,agents\n".to_owned(), "has a heading and no rows");
    refused("cover.csv", cover.replacen(",22", ",22,7", 1), "cover.csv, row 2: it has 3 cells");
    refused(
        "cover.csv",
        cover.replacen("agents", "agents,agent", 1).replace(",22", ",22,Ada"),
        "has the columns agent and agents",
    );
    let banded = |row: &str| {
        let rows = forecast.lines().skip(1).map(|line| format!("{line},{row}\n"));
        format!(
            "interval_start,contacts,handle_secs,patience_secs,p10,p90\n{}",
            rows.collect::<String>()
        )
    };
    refused("forecast.csv", banded("140,100"), "row 2, column p10: “140” is not at most p90");
    refused("forecast.csv", banded("130,140"), "column contacts: “120” is not within its band");
    // What is wrong with a text is told once.
    std::fs::write(folder.join("strategy.json"), "{\"schema_version\": 2,}").unwrap();
    let said = String::from_utf8_lossy(&trial(&folder, &[]).stderr).into_owned();
    assert_eq!(said.matches("line 1 column").count(), 1, "{said}");
    std::fs::write(folder.join("strategy.json"), &strategy).unwrap();
    for (argument, wanted) in [
        (["--within-secs", "-1"], "--within-secs must be zero or more seconds, got -1"),
        (["--warm-up-secs", "900"], "--warm-up-secs must be whole intervals of 1800 s"),
        (["--warm-up-secs", "36000"], "fewer than the 20 of the forecast"),
    ] {
        let said = String::from_utf8_lossy(&trial(&folder, &argument).stderr).into_owned();
        assert!(said.contains(wanted), "{said}");
    }
    let customers = r#"{"contact_types": {"Contacts": {"handling": {"constant": {"secs": 300}},
        "patience": {"constant": {"secs": 60}}}}}"#;
    std::fs::write(folder.join("customers.json"), customers).unwrap();
    let said = trial(&folder, &["--customers", "customers.json"]).stderr;
    assert!(String::from_utf8_lossy(&said).contains("patience is given twice"));
    // A forecast with a hole is played, and the hole is told.
    let hole: String = forecast
        .lines()
        .filter(|line| !line.contains("T10:"))
        .map(|line| format!("{line}\n"))
        .collect();
    std::fs::write(folder.join("forecast.csv"), hole).unwrap();
    let done = trial(&folder, &["--replications", "2"]);
    assert!(done.status.success());
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(said.contains("2 of 20 intervals"), "{said}");
}

#[test]
fn a_trial_of_files_takes_several_thresholds_a_warm_up_and_writes_agents() {
    let folder = folder("trial-more");
    trial_files(&folder);
    let arguments = [
        "--replications",
        "50",
        "--within-secs",
        "20,60",
        "--warm-up-secs",
        "3600",
        "--agents-by-interval",
    ];
    let done = trial(&folder, &arguments);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let (level, _) = figure(&folder, "all", "", "service_level_share");
    let (later, _) = figure(&folder, "contact_type", "Contacts", "service_level_within_60_share");
    assert!(later > level + 0.03, "{level} {later}");
    // Eighteen of twenty half-hours of 120 contacts are counted.
    let (offered, error) = figure(&folder, "all", "", "offered");
    assert!((offered - 2160.0).abs() < 4.5 * error, "{offered}");
    let (waits, _) = figure(&folder, "all", "", "abandon_secs");
    assert!(waits > 10.0, "{waits}");
    let intervals = std::fs::read_to_string(folder.join("out/intervals.csv")).unwrap();
    let mut starts: Vec<&str> =
        intervals.lines().skip(1).map(|line| line.split(',').nth(2).unwrap()).collect();
    starts.dedup();
    assert!(starts[0].starts_with("2026-11-30T09:00"), "{}", starts[0]);
    let agents = std::fs::read_to_string(folder.join("out/agents.csv")).unwrap();
    let busy = |line: &&str| line.contains("Team 3,") && line.contains(",busy_share,");
    assert_eq!(agents.lines().filter(busy).count(), 18);
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
fn a_day_whose_patience_changes_within_a_case_is_refused() {
    let folder = folder("queueing-day-patience");
    let day = "case,secs,contacts_per_hour,handle_secs,servers,patience_secs,within_secs\n\
               a,1800,60,300,6,180,20\na,1800,60,300,4,90,20\n";
    std::fs::write(folder.join("d.csv"), day).unwrap();
    run(&folder, &["queueing", "day", "--in", "d.csv", "--out", "d.out.csv"]);
    let rows = rows(&folder, "d.out.csv");
    let error = rows[1].join(",");
    assert!(error.contains("patience_secs must be the same in all rows"), "{error}");
}

/// A change sheet that rests on a comparison of a queue with fewer places, played to its end.
fn change_sheet() -> barometer_plan::SheetDocument {
    use barometer_plan::{
        Candidate, ComparisonInputs, EvidenceDocument, IntervalLoad, Rules, SHEET_FORMAT,
        SheetDocument, SheetText, TrialInputs, TrialInterval, customers_of,
    };
    let start = |half: i64| {
        "2026-11-23T09:00:00Z".parse::<jiff::Timestamp>().unwrap() + (30 * half).minutes()
    };
    let load = IntervalLoad { contacts: 60.0, handle_secs: 240.0 };
    let intervals: Vec<TrialInterval> =
        (0..4).map(|half| TrialInterval { start: start(half), load, agents: 8 }).collect();
    let rules = Rules::STARTING;
    let customers = customers_of(&rules, &barometer_strategy::Duration::exponential(240.0));
    let inputs = |strategy: barometer_strategy::Strategy| {
        let (utc, of) = (jiff::tz::TimeZone::UTC, ("Bookings", customers.clone()));
        let inputs = TrialInputs::of_one_type(strategy, rules, &utc, 1800.0, of, &intervals);
        TrialInputs { replications: 20, ..inputs }
    };
    let plain = barometer_strategy::Strategy::plain("Bookings");
    let mut changed = plain.clone();
    changed.first_queue_mut().unwrap().places = Some(3);
    let candidates = [("v1", &plain), ("v2", &changed)].map(|(name, strategy)| Candidate {
        name: name.to_owned(),
        inputs: inputs(strategy.clone()),
    });
    let inputs = ComparisonInputs::Chosen { candidates: candidates.to_vec() };
    let result = inputs.play(|_| true).unwrap().unwrap();
    SheetDocument {
        format: SHEET_FORMAT.to_owned(),
        number: 4,
        state: "proposed".to_owned(),
        text: SheetText { title: "Fewer places".to_owned(), ..SheetText::default() },
        version: 2,
        against: Some(1),
        strategy: changed,
        differences: Vec::new(),
        findings: Vec::new(),
        waived: Vec::new(),
        broken_expectations: Vec::new(),
        evidence: vec![EvidenceDocument::Comparison {
            name: "v1 against v2".to_owned(),
            inputs: Box::new(inputs),
            result: Box::new(result),
        }],
        record: Vec::new(),
    }
}

#[test]
fn a_change_sheet_is_played_again_and_says_equal_or_what_differs() {
    let folder = folder("verify");
    let verify = |text: &str| {
        std::fs::write(folder.join("sheet.json"), text).unwrap();
        let done = Command::new(env!("CARGO_BIN_EXE_barometer"))
            .current_dir(&folder)
            .env_remove("DATABASE_URL")
            .args(["verify", "sheet.json"])
            .output()
            .unwrap();
        let told = [done.stdout, done.stderr].concat();
        (done.status.code(), String::from_utf8_lossy(&told).into_owned())
    };
    let sheet = change_sheet();
    let json = serde_json::to_string(&sheet).unwrap();
    let (code, told) = verify(&json);
    assert_eq!(
        (code, told.as_str()),
        (Some(0), "change sheet 4 “Fewer places”, v2\nequal: v1 against v2\n")
    );
    // A figure that was touched, another seed, another version, no evidence.
    let mut value: serde_json::Value = serde_json::from_str(&json).unwrap();
    let level = &mut value["evidence"][0]["comparison"]["result"]["candidates"][1]["day"];
    level["service_level"]["mean"] = serde_json::json!(0.999);
    assert_eq!(verify(&value.to_string()).0, Some(3));
    let mut other = sheet.clone();
    other.strategy.first_queue_mut().unwrap().places = Some(4);
    let (code, told) = verify(&serde_json::to_string(&other).unwrap());
    assert!(code == Some(3) && told.contains("not of this version: v1 against v2"), "{told}");
    other.evidence.clear();
    let (code, told) = verify(&serde_json::to_string(&other).unwrap());
    assert!(code == Some(3) && told.contains("it rests on nothing"), "{told}");
    let (code, told) = verify("{\"format\": \"a letter\"}");
    assert!(code == Some(1) && told.contains("it says “a letter” of itself"), "{told}");
    assert_eq!(verify("{").0, Some(1));
}

#[test]
fn a_search_of_files_finds_fewer_people_than_there_are_and_says_what_is_wrong() {
    let folder = folder("search");
    trial_files(&folder);
    let search = |question: &str, out: &str| {
        std::fs::write(folder.join("question.toml"), question).unwrap();
        run(
            &folder,
            &[
                "search",
                "--strategy",
                "strategy.json",
                "--forecast",
                "forecast.csv",
                "--cover",
                "cover.csv",
                "--question",
                "question.toml",
                "--out",
                out,
            ],
        )
    };
    let question = "block_minutes = 300\ndays = 40\nfresh_days = 400\n\
        [targets.Contacts]\nservice_level = 0.7\nabandonment = \"none\"\n\
        [teams.team]\nleast = 5\nmost = 30\ncost_per_hour = 21.5\n";
    let done = search(question, "first");
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let said = String::from_utf8_lossy(&done.stdout);
    assert!(said.contains("holds on fresh days") && said.contains("220.0)"), "{said}");
    let answer = std::fs::read_to_string(folder.join("first/answer.json")).unwrap();
    let answer: serde_json::Value = serde_json::from_str(&answer).unwrap();
    // Ten hours of 22 people answer 79 % in time; 70 % needs fewer, and 20 Erlangs need 18 at least.
    let hours = answer["best"]["hours"].as_f64().unwrap();
    assert!((180.0..220.0).contains(&hours), "{hours}");
    assert_eq!(answer["best"]["cost"].as_f64().unwrap(), hours * 21.5);
    assert_eq!(rows(&folder, "first/people.csv").len(), 21);
    assert_eq!(rows(&folder, "first/frontier.csv")[0][0], "cost");
    search(question, "second");
    let bytes = |out: &str| std::fs::read(folder.join(out).join("answer.json")).unwrap();
    assert_eq!(bytes("first"), bytes("second"), "the same files and seed give the same bytes");
    // Whole days are known to be met with fewer people than each interval by itself.
    search(&format!("every_interval = true\n{question}"), "every");
    let every = std::fs::read_to_string(folder.join("every/answer.json")).unwrap();
    let every: serde_json::Value = serde_json::from_str(&every).unwrap();
    assert!(every["best"]["hours"].as_f64().unwrap() >= hours, "{}", every["best"]);
    assert!(every["best"]["goals"][0]["interval"].is_u64());
    for (wrong, wanted) in [
        ("promise = 0.9\nevery_interval = true", "promise and every_interval: choose one"),
        ("promis = 0.9", "unknown field `promis`"),
        ("block_minutes = 45", "a multiple of 30 minutes, got 45"),
        ("promise = 1.5", "share of days must be 0.5 to 0.99, got 1.5"),
        ("[targets.Freight]\nservice_level = 0.8", "targets.Freight: the forecast has no such"),
        ("[teams.night]\nmost = 3", "no team “night”"),
        ("[[settings]]\nsetting = \"x\"\nvalues = [1]", "settings: “x” is none of: "),
    ] {
        let refused = search(wrong, "refused");
        let said = String::from_utf8_lossy(&refused.stderr).into_owned();
        assert!(!refused.status.success() && said.contains(wanted), "{wrong}: {said}");
    }
}
