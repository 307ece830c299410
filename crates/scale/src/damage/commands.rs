//! The commands that need no database, with a sound file of each format that they read.

use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::{Duration, Instant};

use anyhow::{Context, Result};
use tokio::process::Command;

use super::mutation::Sound;
use super::{Door, Outcome};

/// After which a command is not waited for any more.
const PATIENCE: Duration = Duration::from_secs(20);
/// How Rust's panics end a process.
const PANICKED: i32 = 101;

const TARGETS: &str = "service_level = 0.8\nwithin_secs = 20\nabandonment = 0.05\noccupancy = 0.88\npatience_secs = 180\nshrinkage = 0.3\n\n[series.\"Web chat\"]\nwithin_secs = 45\nconcurrency = 2\n";
const QUEUEING: &str = "offered_erlangs,contacts_per_hour,handle_secs,servers,within_secs,percentile_share\n10,,240,12,20,\n,120,240.5,12,20,0.9\n0.5,,60,3,0,0.5\n";
const QUESTION: &str = "promise = 0.8\nblock_minutes = 60\ndays = 20\nfresh_days = 100\nmost_days = 400\nseed = 1\n\n[targets.Calls]\nservice_level = 0.8\nwithin_secs = 20\nabandonment = \"none\"\n\n[teams.desk]\nleast = 1\nmost = 6\n";
pub(super) const STRATEGY: &str = r#"{"schema_version":2,"name":"Calls","entries":[{"name":"Calls line","contact_types":["Calls"],"first":{"step":"hours"}}],
"steps":[{"id":"hours","name":"Opening hours","does":{"hours_gate":{"hours":[{"days":["monday"],"from":"08:00:00","until":"18:00:00"}],"open":{"step":"line"},"closed":{"step":"voicemail"}}}},
{"id":"line","name":"Line","does":{"queue":{"places":40,"longest_wait_secs":300,"exits":{"full":"busy_tone","too_long":{"step":"voicemail"}}}}},
{"id":"voicemail","name":"Voicemail","does":{"voicemail":{}}}],"teams":[{"id":"desk","name":"Desk"}],
"campaigns":[{"id":"back","name":"Call back","served_by":{"team":"desk"},"pacing":{"progressive":{}},"caller_number":"+442079460999",
"hours":[{"days":["monday"],"from":"09:00:00","until":"17:00:00"}],"list":{"people":50,"zones":[{"zone":"Europe/London","share":1.0}]}}]}"#;
pub(super) const CUSTOMERS: &str = r#"{"contact_types":{"Calls":{"channel":"call","handling":{"exponential":{"mean_secs":240}},"patience":{"exponential":{"mean_secs":120}}}}}"#;

/// A command with one file that is damaged, beside sound ones.
pub struct ByCommand {
    name: &'static str,
    program: PathBuf,
    folder: PathBuf,
    /// Its words; `{}` is the damaged file, others are names within the folder.
    words: Vec<String>,
    file_name: &'static str,
    sound: Sound,
}

impl Door for ByCommand {
    fn name(&self) -> &str {
        self.name
    }

    fn sound(&self) -> &Sound {
        &self.sound
    }

    async fn send(&mut self, file: Vec<u8>) -> Result<Outcome> {
        std::fs::write(self.folder.join(self.file_name), file)?;
        let begun = Instant::now();
        let mut command = Command::new(&self.program);
        command
            .args(&self.words)
            .current_dir(&self.folder)
            .env_remove("DATABASE_URL")
            .stdin(Stdio::null())
            .kill_on_drop(true);
        let Ok(ended) = tokio::time::timeout(PATIENCE, command.output()).await else {
            let (code, said) = ("endless".to_owned(), String::new());
            return Ok(Outcome { code, took: begun.elapsed(), said, is_fault: true });
        };
        let ended = ended.context("the program cannot be started")?;
        let said = String::from_utf8_lossy(&ended.stderr).into_owned();
        let is_fault =
            ended.status.code().is_none_or(|code| code == PANICKED) || said.contains("panicked");
        let code = ended.status.code().map_or("signal".to_owned(), |code| code.to_string());
        Ok(Outcome { code, took: begun.elapsed(), said, is_fault })
    }
}

/// All of them, each in a folder of its own; the strategy and the expectations are a server's.
pub fn all(program: &Path, strategy: &str, expectations: &str) -> Result<Vec<ByCommand>> {
    let program = std::path::absolute(program)?;
    let root = std::env::temp_dir().join(format!("barometer-damage-{}", std::process::id()));
    let forecast: String = (9..17).fold("contact_type,interval_start,contacts,handle_secs\n".to_owned(), |rows, hour| {
        format!("{rows}Calls,2026-11-30T{hour:02}:00,20.5,240\nCalls,2026-11-30T{hour:02}:30,22,240\n")
    });
    let cover: String = (9..17).fold("interval_start,agents,team\n".to_owned(), |rows, hour| {
        format!("{rows}2026-11-30T{hour:02}:00,4,desk\n2026-11-30T{hour:02}:30,4,desk\n")
    });
    let history: String = (1..29).fold(
        "series,interval_start,offered,answered,abandoned,handle_secs\n".to_owned(),
        |rows, day| {
            (9..17).fold(rows, |rows, hour| {
                format!("{rows}Calls,2026-09-{day:02}T{hour:02}:00,{},19,1,240\n", 20 + hour)
            })
        },
    );
    let list = "number,zone,priority,hours,attempts\n+442079460018,Europe/London,1,09:00-20:00,0\n020 7946 0019,,2,,1\n";
    let contact = r#"{"at":"2026-11-30T09:10:00","caller":{"contact_type":"Calls","number":"01632 960001"},"people":[{"team":"desk","people":2}]}"#;
    let sound_files = [
        ("forecast.csv", forecast.as_str()),
        ("cover.csv", cover.as_str()),
        ("strategy.json", STRATEGY),
        ("targets.toml", TARGETS),
        ("customers.json", CUSTOMERS),
        ("demo.json", strategy),
    ];
    let trial = "trial --strategy strategy.json --forecast forecast.csv --cover cover.csv --replications 5 --seed 1 --out out";
    let commands: Vec<(&'static str, String, &'static str, &str)> = vec![
        ("command forecast, history CSV", "forecast --history f --out o.csv".to_owned(), "f", &history),
        ("command need, forecast CSV", "need --forecast f --targets targets.toml --out o.csv".to_owned(), "f", &forecast),
        ("command need, targets TOML", "need --forecast forecast.csv --targets f --out o.csv".to_owned(), "f", TARGETS),
        ("command queueing, cases CSV", "queueing erlang-c --in f --out o.csv".to_owned(), "f", QUEUEING),
        ("command preflight, strategy JSON", "preflight f".to_owned(), "f", strategy),
        ("command map, strategy JSON", "map f".to_owned(), "f", strategy),
        ("command diff, strategy JSON", "diff strategy.json f".to_owned(), "f", strategy),
        ("command walk, contact JSON", "walk strategy.json --contact f".to_owned(), "f", contact),
        ("command expect, expectations CSV", "expect demo.json --expectations f".to_owned(), "f", expectations),
        ("command trial, strategy JSON", trial.replace("strategy.json", "f"), "f", STRATEGY),
        ("command trial, forecast CSV", trial.replace("forecast.csv", "f"), "f", &forecast),
        ("command trial, cover CSV", trial.replace("cover.csv", "f"), "f", &cover),
        ("command trial, customers JSON", format!("{trial} --customers f"), "f", CUSTOMERS),
        ("command trial, list CSV", format!("{trial} --lists f --country GB"), "f", list),
        ("command search, question TOML", "search --strategy strategy.json --forecast forecast.csv --cover cover.csv --question f --out out".to_owned(), "f", QUESTION),
    ];
    commands
        .into_iter()
        .enumerate()
        .map(|(nth, (name, words, file_name, sound))| {
            let folder = root.join(nth.to_string());
            std::fs::create_dir_all(&folder)?;
            for (name, text) in sound_files {
                std::fs::write(folder.join(name), text)?;
            }
            let words = words.split(' ').map(str::to_owned).collect();
            let sound = Sound::Text(sound.as_bytes().to_vec());
            Ok(ByCommand { name, program: program.clone(), folder, words, file_name, sound })
        })
        .collect()
}
