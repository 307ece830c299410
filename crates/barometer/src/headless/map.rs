//! `barometer map`: the journey map of a strategy as a picture.

use std::path::PathBuf;

use anyhow::{Context, Result};
use clap::Args;

use super::strategy_file;

#[derive(Args)]
pub struct Options {
    /// The strategy as JSON, as the application exports it.
    file: PathBuf,
}

/// Runs the command: SVG on standard output.
pub fn run(options: &Options) -> Result<()> {
    let strategy = strategy_file::read(&options.file)?;
    println!("{}", barometer_web::journey_map(&strategy).context("drawing the map")?);
    Ok(())
}
