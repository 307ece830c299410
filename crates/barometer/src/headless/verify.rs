//! `barometer verify`: plays everything again that a change sheet rests on.

use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::{Context, Result};
use barometer_plan::SheetDocument;
use clap::Args;

#[derive(Args)]
pub struct Options {
    /// A change sheet as JSON, as its page exports it.
    file: PathBuf,
}

/// Exit code where something differs.
const DIFFERS: u8 = 3;

/// Runs the command: a line for each trial and comparison.
pub fn run(options: &Options) -> Result<ExitCode> {
    let path = options.file.display();
    let text = std::fs::read_to_string(&options.file).with_context(|| format!("reading {path}"))?;
    let sheet = SheetDocument::from_json(&text).with_context(|| format!("reading {path}"))?;
    println!("change sheet {} “{}”, v{}", sheet.number, sheet.text.title, sheet.version);
    if sheet.evidence.is_empty() {
        println!("it rests on nothing: there is nothing to play again");
        return Ok(ExitCode::from(DIFFERS));
    }
    let mut is_equal = true;
    for verified in sheet.verify() {
        let told = match &verified.is_equal {
            _ if !verified.is_of_version => "not of this version".to_owned(),
            Ok(true) => "equal".to_owned(),
            Ok(false) => "differs".to_owned(),
            Err(error) => format!("cannot be played: {error}"),
        };
        is_equal &= told == "equal";
        println!("{told}: {}", verified.name);
    }
    Ok(if is_equal { ExitCode::SUCCESS } else { ExitCode::from(DIFFERS) })
}
