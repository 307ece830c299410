//! `barometer diff`: how two strategies differ, in words.

use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::Result;
use barometer_strategy::{Edit, changes};
use clap::{Args, ValueEnum};

use super::strategy_file;

#[derive(Args)]
pub struct Options {
    /// The strategy before.
    before: PathBuf,
    /// The strategy after.
    after: PathBuf,
    /// How the differences are written.
    #[arg(long, value_enum, default_value_t = Format::Text)]
    format: Format,
}

#[derive(Clone, Copy, ValueEnum)]
enum Format {
    /// A line for each setting.
    Text,
    /// The edit that makes one of the other.
    Json,
}

/// Runs the command. The exit code is 0 where they are the same, and 3 where they are not.
pub fn run(options: &Options) -> Result<ExitCode> {
    let before = strategy_file::read(&options.before)?;
    let after = strategy_file::read(&options.after)?;
    match options.format {
        Format::Text => {
            for change in changes(&before, &after) {
                println!(
                    "{}: {}: {} -> {}",
                    change.subject, change.setting, change.before, change.after
                );
            }
        }
        Format::Json => {
            println!("{}", serde_json::to_string_pretty(&Edit::between(&before, &after))?);
        }
    }
    Ok(ExitCode::from(if before == after { 0 } else { 3 }))
}
