//! Columns of a CSV file by name, and what a cell says; errors tell file, row and column.

use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use csv_async::StringRecord;
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;

/// The heading of a file.
pub(super) struct Columns {
    path: PathBuf,
    heading: Vec<String>,
}

/// One cell, and where it is.
pub(super) struct Cell<'a> {
    pub text: &'a str,
    path: &'a Path,
    row: usize,
    column: &'a str,
}

impl Columns {
    pub fn of(path: &Path, heading: &StringRecord) -> Self {
        let names = heading.iter().map(|name| name.trim().to_ascii_lowercase());
        Self { path: path.to_owned(), heading: names.collect() }
    }

    /// The place of the first of these columns that is there.
    pub fn find(&self, names: &[&str]) -> Option<usize> {
        names.iter().find_map(|name| self.heading.iter().position(|each| each == name))
    }

    /// As [`find`](Self::find), where one of them must be there.
    pub fn need(&self, names: &[&str]) -> Result<usize> {
        self.find(names).with_context(|| {
            format!(
                "{}: there is no column {}; the columns are {}",
                self.path.display(),
                names.join(" or "),
                self.heading.join(", ")
            )
        })
    }

    /// A cell of a row; rows are counted as a spreadsheet does, the heading being the first.
    pub fn cell<'a>(&'a self, row: &'a StringRecord, nth: usize, column: usize) -> Cell<'a> {
        Cell {
            text: row.get(column).unwrap_or_default().trim(),
            path: &self.path,
            row: nth + 2,
            column: &self.heading[column],
        }
    }
}

impl Cell<'_> {
    pub fn wrong(&self, wanted: &str) -> anyhow::Error {
        anyhow::anyhow!(
            "{}, row {}, column {}: “{}” is not {wanted}",
            self.path.display(),
            self.row,
            self.column,
            self.text
        )
    }

    /// A number that is not negative; `None` for an empty cell.
    pub fn number(&self) -> Result<Option<f64>> {
        if self.text.is_empty() {
            return Ok(None);
        }
        match self.text.parse::<f64>() {
            Ok(number) if number.is_finite() && number >= 0.0 => Ok(Some(number)),
            _ => bail!(self.wrong("a number of zero or more")),
        }
    }

    /// A number that must be there.
    pub fn needed_number(&self) -> Result<f64> {
        self.number()?.ok_or_else(|| self.wrong("a number of zero or more"))
    }

    /// A moment: with an offset, or on the clock of `zone`.
    pub fn moment(&self, zone: &TimeZone) -> Result<Timestamp> {
        let with_offset = self.text.parse::<Timestamp>().ok();
        let on_the_clock = || {
            let civil = self.text.parse::<DateTime>().ok()?;
            Some(civil.to_zoned(zone.clone()).ok()?.timestamp())
        };
        with_offset
            .or_else(on_the_clock)
            .ok_or_else(|| self.wrong("a time such as 2026-11-30T08:00 or 2026-11-30T08:00:00Z"))
    }
}
