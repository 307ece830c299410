//! `barometer walk` and `barometer expect`: made-up contacts followed through a strategy.

use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::{Context, Result};
use barometer_walk::{Expectation, Scene, Walk, WalkEnd, read_expectations};
use clap::{Args, ValueEnum};
use jiff::tz::TimeZone;

use super::strategy_file;

#[derive(Args)]
pub struct WalkOptions {
    /// The strategy as JSON, as the application exports it.
    file: PathBuf,
    /// The contact as JSON (`barometer schema contact` describes it).
    #[arg(long)]
    contact: PathBuf,
    /// The centre's zone.
    #[arg(long, default_value = "UTC")]
    zone: String,
    /// How the walk is written.
    #[arg(long, value_enum, default_value_t = Format::Text)]
    format: Format,
}

#[derive(Args)]
pub struct ExpectOptions {
    /// The strategy as JSON, as the application exports it.
    file: PathBuf,
    /// Expectations as CSV, as the application exports them, or as a JSON array.
    #[arg(long)]
    expectations: PathBuf,
    /// The centre's zone.
    #[arg(long, default_value = "UTC")]
    zone: String,
}

#[derive(Clone, Copy, ValueEnum)]
enum Format {
    /// A line for each thing that happens.
    Text,
    /// One object.
    Json,
}

fn zone_of(name: &str) -> Result<TimeZone> {
    TimeZone::get(name).with_context(|| format!("--zone {name}: no such time zone"))
}

/// Follows one contact.
pub fn walk(options: &WalkOptions) -> Result<ExitCode> {
    let zone = zone_of(&options.zone)?;
    let strategy = strategy_file::read(&options.file)?;
    let scene = Scene::from_json(&strategy_file::text_of(&options.contact)?)
        .map_err(|error| anyhow::anyhow!("{}: {error}", options.contact.display()))?;
    let walk = scene.walk(&strategy, &zone).context("this contact cannot be walked through")?;
    match options.format {
        Format::Json => println!("{}", serde_json::to_string_pretty(&walk)?),
        Format::Text => {
            print_walk(&walk);
            for remedy in scene.remedies(&strategy, &zone)? {
                println!("It would be answered with: {}.", remedy.what);
            }
        }
    }
    Ok(ExitCode::SUCCESS)
}

fn print_walk(walk: &Walk) {
    for moment in &walk.moments {
        println!(
            "{}  {:>7.1} s  {}",
            moment.clock.strftime("%H:%M:%S"),
            moment.at_secs,
            moment.sentence
        );
    }
    match walk.end {
        WalkEnd::NotCalled => println!("Nobody is called."),
        end => println!(
            "It {} after {:.1} s, {:.1} s of them waiting.",
            end.words(),
            walk.secs,
            walk.wait_secs
        ),
    }
}

/// Checks expectations. The exit code is 1 where one is not met.
pub fn expect(options: &ExpectOptions) -> Result<ExitCode> {
    let zone = zone_of(&options.zone)?;
    let strategy = strategy_file::read(&options.file)?;
    let path = options.expectations.display();
    let text = strategy_file::text_of(&options.expectations)?;
    let expectations: Vec<Expectation> = if text.trim_start().starts_with('[') {
        serde_json::from_str(&text).with_context(|| path.to_string())?
    } else {
        let told = |wrong: Vec<String>| anyhow::anyhow!("{path}: {}", wrong.join("\n"));
        read_expectations(&text).map_err(told)?
    };
    let mut broken = 0;
    for expectation in &expectations {
        let checked = expectation.check(&strategy, &zone);
        let verdict = if checked.is_met { "met   " } else { "broken" };
        println!("{verdict}  {}: {}", expectation.name, checked.told);
        broken += usize::from(!checked.is_met);
    }
    println!("{} expectations, {broken} broken", expectations.len());
    Ok(if broken == 0 { ExitCode::SUCCESS } else { ExitCode::FAILURE })
}
