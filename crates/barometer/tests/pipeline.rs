//! `barometer preflight`, `walk`, `expect` and `diff` as a pipeline runs them: files in, an exit code out.

#![cfg(test)]

use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use barometer_strategy::{Next, StepKind, Strategy};

fn folder(name: &str) -> PathBuf {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
    let _ = std::fs::remove_dir_all(&folder);
    std::fs::create_dir_all(&folder).unwrap();
    folder
}

fn run(folder: &Path, arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_barometer"))
        .current_dir(folder)
        .env_remove("DATABASE_URL")
        .args(arguments)
        .output()
        .unwrap()
}

fn told(output: &Output) -> (i32, String) {
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    let errors = String::from_utf8_lossy(&output.stderr);
    (output.status.code().unwrap(), text + &errors)
}

/// A queue with a longest wait that leads to a release.
fn strategy() -> Strategy {
    let mut strategy = Strategy::plain("Bookings");
    if let StepKind::Queue(queue) = &mut strategy.steps[0].does {
        queue.longest_wait_secs = Some(90.0);
    }
    strategy
}

fn write(folder: &Path, name: &str, strategy: &Strategy) {
    std::fs::write(folder.join(name), strategy.to_json()).unwrap();
}

#[test]
fn preflight_says_what_is_wrong_and_the_exit_code_how_bad_it_is() {
    let folder = folder("preflight");
    write(&folder, "sound.json", &strategy());
    assert_eq!(told(&run(&folder, &["preflight", "sound.json"])), (0, String::new()));

    let mut loops = strategy();
    if let StepKind::Queue(queue) = &mut loops.steps[0].does {
        queue.exits.too_long = Next::step("queue");
    }
    write(&folder, "loops.json", &loops);
    let (code, text) = told(&run(&folder, &["preflight", "loops.json"]));
    assert_eq!(code, 5, "{text}");
    assert_eq!(
        text,
        "serious: loop: queue “Bookings queue”: The exit “longest wait over” of “Bookings queue” leads \
         back to itself.\n    repair: Lead this exit to a release\n"
    );
    let (code, text) = told(&run(&folder, &["preflight", "loops.json", "--format", "json"]));
    let rows: serde_json::Value = serde_json::from_str(&text).unwrap();
    assert_eq!((code, rows[0]["code"].as_str()), (5, Some("loop")));
    assert_eq!(rows[0]["setting"], "/does/queue/exits/too_long");
    let waived = run(&folder, &["preflight", "loops.json", "--waive", "loop"]);
    assert_eq!(told(&waived), (0, String::new()));
    let (code, text) = told(&run(&folder, &["preflight", "loops.json", "--waive", "lop"]));
    assert!(code == 1 && text.contains("there is no such rule"), "{text}");
    let (code, text) = told(&run(&folder, &["preflight", "--rules"]));
    assert!(code == 0 && text.contains("nobody-on-shift"), "{text}");
}

#[test]
fn a_map_is_a_picture_with_every_stop() {
    let folder = folder("map");
    write(&folder, "strategy.json", &strategy());
    let (code, text) = told(&run(&folder, &["map", "strategy.json"]));
    assert_eq!(code, 0, "{text}");
    assert!(text.starts_with("<svg xmlns=") && text.trim_end().ends_with("</svg>"), "{text}");
    for stop in ["Bookings line", "Bookings queue", "Answered", "Abandoned"] {
        assert!(text.contains(stop), "{stop}");
    }
}

#[test]
fn preflight_reads_the_week_from_the_files_of_a_trial() {
    let folder = folder("preflight-week");
    write(&folder, "strategy.json", &strategy());
    let mut forecast = "interval_start,contact_type,contacts,handle_secs\n".to_owned();
    let mut cover = "interval_start,agents\n".to_owned();
    for half in 16..40 {
        let time = format!("2026-11-30T{:02}:{:02}", half / 2, half % 2 * 30);
        forecast += &format!("{time},Bookings,12,300\n");
        // The desk goes home at six; callers do not.
        if half < 36 {
            cover += &format!("{time},4\n");
        }
    }
    std::fs::write(folder.join("forecast.csv"), forecast).unwrap();
    std::fs::write(folder.join("cover.csv"), cover).unwrap();
    let arguments =
        ["preflight", "strategy.json", "--forecast", "forecast.csv", "--cover", "cover.csv"];
    let (code, text) = told(&run(&folder, &arguments));
    assert_eq!(code, 5, "{text}");
    assert!(
        text.contains(
            "48 contacts reach “Bookings queue” while nobody is on shift, mostly Bookings; first Mon 30 \
             Nov 18:00–20:00."
        ),
        "{text}"
    );
}

#[test]
fn a_file_that_is_no_strategy_says_every_fault_and_nothing_panics() {
    let folder = folder("preflight-bad");
    let mut faulty = strategy();
    faulty.entries[0].first = Next::step("attic");
    faulty.teams[0].pace = 0.0;
    write(&folder, "faulty.json", &faulty);
    let (code, text) = told(&run(&folder, &["preflight", "faulty.json"]));
    assert_eq!(code, 1);
    assert!(text.contains("faulty.json: entries[0].first: there is no step “attic”"), "{text}");
    assert!(text.contains("teams[0].pace: must be 0.05 to 20, got 0"), "{text}");
    std::fs::write(folder.join("text.json"), "{\"schema_version\": 2, \"colour\": 1}").unwrap();
    for (arguments, says) in [
        (vec!["preflight", "text.json"], "unknown field `colour`"),
        (vec!["preflight", "missing.json"], "reading missing.json"),
        (vec!["preflight"], "required arguments were not provided"),
        (vec!["diff", "text.json", "faulty.json"], "unknown field `colour`"),
        (vec!["walk", "text.json", "--contact", "text.json"], "unknown field `colour`"),
        (vec!["map", "text.json"], "unknown field `colour`"),
    ] {
        let (code, text) = told(&run(&folder, &arguments));
        assert!(code != 0 && text.contains(says), "{arguments:?}: {text}");
        assert!(!text.contains("panicked"), "{text}");
    }
}

#[test]
fn a_contact_is_walked_through_and_expectations_are_checked() {
    let folder = folder("walk");
    write(&folder, "strategy.json", &strategy());
    let contact = r#"{ "at": "2026-11-30T09:30:00", "caller": { "contact_type": "Bookings" } }"#;
    std::fs::write(folder.join("contact.json"), contact).unwrap();
    let (code, text) = told(&run(&folder, &["walk", "strategy.json", "--contact", "contact.json"]));
    assert_eq!(code, 0, "{text}");
    assert!(text.contains("09:31:30     90.0 s  “Bookings queue”: longest wait over"), "{text}");
    assert!(text.contains("It is released after 90.0 s, 90.0 s of them waiting."), "{text}");
    assert!(text.contains("One person more, and free, in “Bookings team”"), "{text}");

    let csv = "name,contact_type,at,people,end,within_secs\n\
               In the morning,Bookings,2026-11-30T09:30,team:1,answered,10\n\
               At night,Bookings,2026-11-30T23:30,,answered,10\n";
    std::fs::write(folder.join("expectations.csv"), csv).unwrap();
    let arguments = ["expect", "strategy.json", "--expectations", "expectations.csv"];
    let (code, text) = told(&run(&folder, &arguments));
    assert_eq!(
        (code, text.as_str()),
        (
            1,
            "met     In the morning: is answered after 3 s\n\
             broken  At night: is released after 90 s\n\
             2 expectations, 1 broken\n"
        )
    );
}

#[test]
fn a_call_of_a_campaign_is_walked_through_and_expected_like_a_contact() {
    let folder = folder("call");
    let mut strategy = strategy();
    strategy.campaigns = vec![barometer_strategy::Campaign::named("news", "News", "team")];
    write(&folder, "strategy.json", &strategy);
    let walk = |contact: &str| {
        std::fs::write(folder.join("contact.json"), contact).unwrap();
        told(&run(&folder, &["walk", "strategy.json", "--contact", "contact.json"]))
    };
    let people = r#""people":[{"team":"team","people":1,"answers_after_secs":0}]"#;
    let call = format!(r#"{{"at":"2026-11-30T09:30:00","called":{{"campaign":"news"}},{people}}}"#);
    let (code, text) = walk(&call);
    assert_eq!(code, 0, "{text}");
    assert!(text.contains("is kept for the call.") && text.contains("It is answered"), "{text}");
    let (code, text) = walk(&call.replace("09:30", "08:30"));
    assert_eq!(code, 0, "{text}");
    assert!(text.contains("It may be dialled from Monday 09:00 on."), "{text}");
    assert!(text.contains("Nobody is called."), "{text}");
    let (code, text) = walk(&call.replace("news", "offers"));
    assert!(code != 0 && text.contains("the strategy has no campaign “offers”"), "{text}");

    let csv = "name,campaign,zone,at,people,end\n\
               At work,news,,2026-11-30T09:30,team:1:0:60:0,answered\n\
               Asleep,news,America/New_York,2026-11-30T09:30,team:1:0:60:0,answered\n";
    std::fs::write(folder.join("expectations.csv"), csv).unwrap();
    let arguments = ["expect", "strategy.json", "--expectations", "expectations.csv"];
    let (code, text) = told(&run(&folder, &arguments));
    assert_eq!(
        (code, text.as_str()),
        (
            1,
            "met     At work: is answered after 11 s\n\
             broken  Asleep: is not called\n\
             2 expectations, 1 broken\n"
        )
    );
}

#[test]
fn two_strategies_differ_in_words_and_as_an_edit() {
    let folder = folder("diff");
    let before = strategy();
    let mut after = before.clone();
    if let StepKind::Queue(queue) = &mut after.steps[0].does {
        queue.places = Some(30);
    }
    write(&folder, "before.json", &before);
    write(&folder, "after.json", &after);
    let (code, text) = told(&run(&folder, &["diff", "before.json", "after.json"]));
    assert_eq!((code, text.as_str()), (3, "Queue “Bookings queue”: Places: no limit -> 30\n"));
    let (code, text) =
        told(&run(&folder, &["diff", "before.json", "after.json", "--format", "json"]));
    let edit: barometer_strategy::Edit = serde_json::from_str(&text).unwrap();
    assert_eq!((code, edit.apply(&before)), (3, Ok(after)));
    assert_eq!(told(&run(&folder, &["diff", "before.json", "before.json"])), (0, String::new()));
}

#[test]
fn pacing_prints_the_safe_lines_of_a_team_and_what_a_goal_needs() {
    let folder = folder("pacing");
    let figures = ["--answered", "0.3", "--ring-secs", "12", "--handle-secs", "120"];
    let asked = [&["pacing", "--agents", "20", "--lines", "3"][..], &figures].concat();
    let (code, text) = told(&run(&folder, &asked));
    assert_eq!(code, 0, "{text}");
    let rows: Vec<Vec<&str>> = text.lines().skip(1).map(|line| line.split(',').collect()).collect();
    let number = |row: usize, field: usize| rows[row][field].parse::<f64>().unwrap();
    assert_eq!((rows[0][0], rows[1][0]), ("safe", "asked"));
    assert!(number(0, 2) <= 0.03 && number(1, 2) > 0.03, "{text}");
    assert!(number(0, 1) < 3.0 && number(0, 3) < number(1, 3), "{text}");

    let mut strategy = strategy();
    write(&folder, "none.json", &strategy);
    let (code, text) = told(&run(&folder, &["pacing", "none.json", "--agents", "5"]));
    assert_ne!(code, 0);
    assert!(text.contains("the strategy has no campaign"), "{text}");

    strategy.campaigns = vec![barometer_strategy::Campaign::named("news", "News", "team")];
    write(&folder, "one.json", &strategy);
    let goal = ["--conversations", "500", "--hours", "40", "--json"];
    let asked = [&["pacing", "one.json", "--agents", "12"][..], &goal].concat();
    let (code, text) = told(&run(&folder, &asked));
    assert_eq!(code, 0, "{text}");
    let told: serde_json::Value = serde_json::from_str(&text).unwrap();
    assert!(told["goal"]["agents"].as_u64().unwrap() >= 1, "{text}");
    assert!(told["goal"]["lines"].as_u64() >= told["goal"]["agents"].as_u64(), "{text}");

    for (wrong, words) in [("0", "agents must be 1 to 500"), ("700", "agents must be 1 to 500")] {
        let asked = [&["pacing", "--agents", wrong][..], &figures].concat();
        let (code, text) = self::told(&run(&folder, &asked));
        assert!(code != 0 && text.contains(words), "{text}");
    }
}

#[test]
fn a_campaign_that_dials_too_fast_fails_the_pipeline_and_its_trial_has_rows_of_its_own() {
    let folder = folder("campaign");
    let mut strategy = strategy();
    let mut campaign = barometer_strategy::Campaign::named("news", "News", "team");
    campaign.retries.most_a_day = 9;
    strategy.campaigns = vec![campaign];
    write(&folder, "often.json", &strategy);
    let (code, text) = told(&run(&folder, &["preflight", "often.json"]));
    assert!(code != 0 && text.contains("calls-too-often"), "{text}");
}
