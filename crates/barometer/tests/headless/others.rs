//! `barometer change-sheet` and `barometer search` on files.

use std::process::Command;

use jiff::ToSpan;

use crate::trials::trial_files;
use crate::{folder, rows, run};

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
