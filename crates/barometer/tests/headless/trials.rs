//! `barometer trial`: a strategy, a forecast and a cover in, a day's figures out.

use std::path::Path;
use std::process::{Command, Output};

use crate::folder;

/// A strategy, a day of twenty half-hours and its cover, as an engineer would write them.
pub fn trial_files(folder: &Path) {
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
