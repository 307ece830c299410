//! A strategy in a file.

use std::path::Path;

use anyhow::{Context, Result};
use barometer_strategy::Strategy;

/// Reads a strategy as the application exports it.
pub(super) fn read(path: &Path) -> Result<Strategy> {
    let text = text_of(path)?;
    Strategy::from_json(&text).with_context(|| path.display().to_string())
}

/// The text of a file.
pub(super) fn text_of(path: &Path) -> Result<String> {
    std::fs::read_to_string(path).with_context(|| format!("reading {}", path.display()))
}
