//! Files that are not what they should be: sound ones, damaged in every way that chance finds, sent to every page that takes
//! files, to the interface for scripts and to the commands that need no database.

mod commands;
mod doors;
mod mutation;
#[cfg(test)]
mod parsers;

use std::collections::{BTreeMap, HashSet};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, bail};
use clap::Args;
use futures_util::stream::{self, StreamExt};
use rand::SeedableRng;
use rand_xoshiro::Xoshiro256PlusPlus;

use crate::people::Server;
use mutation::Sound;

/// What an answer may take at most.
const LONGEST: Duration = Duration::from_secs(2);

#[derive(Args)]
pub struct Options {
    #[command(flatten)]
    server: Server,
    /// Files of each format through each door.
    #[arg(long, default_value_t = 10_000)]
    files: u64,
    /// Doors whose name begins like this; all without.
    #[arg(long, default_value = "")]
    only: String,
    /// Doors that are tried side by side.
    #[arg(long, default_value_t = 2)]
    at_once: usize,
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// The server's process, whose memory is watched.
    #[arg(long)]
    process: Option<u32>,
    /// The program whose commands are tried as well.
    #[arg(long)]
    program: Option<PathBuf>,
    /// Where files are kept that something was wrong with.
    #[arg(long, default_value = "damaged")]
    keep: PathBuf,
}

/// What became of one file.
struct Outcome {
    /// A status or an exit code.
    code: String,
    took: Duration,
    /// What was said.
    said: String,
    /// Whether it is what should never happen, whatever is sent.
    is_fault: bool,
}

/// What became of all files of a door.
#[derive(Default)]
struct Tally {
    codes: BTreeMap<String, u64>,
    /// Different answers, numbers apart: how deep the files came.
    answers: HashSet<u64>,
    longest: Duration,
    faults: u64,
}

impl Tally {
    fn take(&mut self, outcome: &Outcome) -> bool {
        *self.codes.entry(outcome.code.clone()).or_default() += 1;
        let mut hasher = DefaultHasher::new();
        outcome
            .said
            .bytes()
            .filter(|byte| !byte.is_ascii_digit())
            .for_each(|byte| byte.hash(&mut hasher));
        self.answers.insert(hasher.finish());
        self.longest = self.longest.max(outcome.took);
        let is_fault = outcome.is_fault || outcome.took > LONGEST;
        self.faults += u64::from(is_fault);
        is_fault
    }

    fn tell(&self, name: &str) {
        let codes: Vec<String> =
            self.codes.iter().map(|(code, count)| format!("{code}: {count}")).collect();
        println!(
            "{name}: {}; {} different answers, longest {:.2} s, {} faults",
            codes.join(", "),
            self.answers.len(),
            self.longest.as_secs_f64(),
            self.faults
        );
    }
}

/// Where damaged files are sent.
trait Door {
    fn name(&self) -> &str;
    fn sound(&self) -> &Sound;
    async fn send(&mut self, file: Vec<u8>) -> Result<Outcome>;
}

/// Sends files and tells what became of them; fails where there was a fault.
pub async fn run(options: Options) -> Result<()> {
    let mut faults = 0;
    let doors = doors::all(&options.server).await?;
    let doors = doors.into_iter().filter(|door| door.name().starts_with(&options.only));
    let tried = stream::iter(doors).map(|door| try_door(door, &options));
    let mut tried = tried.buffer_unordered(options.at_once.max(1));
    while let Some(of_door) = tried.next().await {
        faults += of_door?;
        if let Some(process) = options.process {
            let (now, most) = memory(process)?;
            println!("  memory of the server: {now} MB, at most {most} MB");
        }
    }
    if let Some(program) = &options.program {
        let person = options.server.sign_in().await?;
        let strategy = person.page("/strategy/versions/1").await?;
        let expectations = person.page("/strategy/expectations.csv").await?;
        let commands = commands::all(program, &strategy, &expectations)?;
        let commands = commands.into_iter().filter(|door| door.name().starts_with(&options.only));
        let tried = stream::iter(commands).map(|door| try_door(door, &options));
        let mut tried = tried.buffer_unordered(options.at_once.max(1));
        while let Some(of_command) = tried.next().await {
            faults += of_command?;
        }
    }
    if faults > 0 {
        bail!(
            "{faults} files had an answer that should not be; they are in {}",
            options.keep.display()
        );
    }
    Ok(())
}

async fn try_door(mut door: impl Door, options: &Options) -> Result<u64> {
    let mut name = DefaultHasher::new();
    door.name().hash(&mut name);
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(options.seed ^ name.finish());
    let mut tally = Tally::default();
    for nth in 0..options.files {
        // The first is sound: what follows is measured against a door that is open.
        let file = if nth == 0 {
            door.sound().bytes().to_vec()
        } else {
            door.sound().damaged(&mut rng)?
        };
        let begun = Instant::now();
        let outcome = door.send(file.clone()).await;
        let outcome = outcome.unwrap_or_else(|error| Outcome {
            code: "no answer".to_owned(),
            took: begun.elapsed(),
            said: format!("{error:#}"),
            is_fault: true,
        });
        if tally.take(&outcome) {
            keep(&options.keep, door.name(), nth, &file, &outcome)?;
        }
        if nth == 0 {
            println!(
                "{}: a sound file is answered with {}{}",
                door.name(),
                outcome.code,
                refusal(&outcome)
            );
        }
    }
    tally.tell(door.name());
    Ok(tally.faults)
}

/// What a page or a program says that refuses a file.
fn refusal(outcome: &Outcome) -> String {
    if !(outcome.code.starts_with('4') || outcome.code == "1") {
        return String::new();
    }
    let page = outcome.said.split_once("<main").map_or(outcome.said.as_str(), |(_, main)| main);
    let text: String =
        page.split('<').map(|part| part.split_once('>').map_or(part, |(_, text)| text)).collect();
    let words: Vec<&str> = text.split_whitespace().take(60).collect();
    format!(": {}", words.join(" "))
}

fn keep(place: &Path, door: &str, nth: u64, file: &[u8], outcome: &Outcome) -> Result<()> {
    std::fs::create_dir_all(place).context("no place for files")?;
    let name = format!("{}-{nth}", door.replace([' ', '/'], "-"));
    std::fs::write(place.join(&name), file)?;
    let said: String = outcome.said.chars().take(300).collect();
    println!("FAULT {name}: {} after {:.2} s: {said}", outcome.code, outcome.took.as_secs_f64());
    Ok(())
}

/// The memory of a process now and at most, in MB.
fn memory(process: u32) -> Result<(u64, u64)> {
    let status = std::fs::read_to_string(format!("/proc/{process}/status"))
        .context("the server's process is gone")?;
    let of = |name: &str| -> u64 {
        let line = status.lines().find_map(|line| line.strip_prefix(name));
        line.and_then(|line| line.split_whitespace().next()?.parse::<u64>().ok()).unwrap_or(0)
            / 1024
    };
    Ok((of("VmRSS:"), of("VmHWM:")))
}
