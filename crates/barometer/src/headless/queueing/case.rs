//! One row of cases: its cells by column.

use anyhow::{Context, Result, bail};
use barometer_queueing::{QueueError, Traffic};
use csv_async::StringRecord;

/// A column that a model reads.
pub struct Column {
    /// Its name, unit included.
    pub name: &'static str,
    /// Whether a case is nothing without it.
    pub is_needed: bool,
    /// What it holds, for the list of columns.
    pub about: &'static str,
}

/// The numbers of one row.
pub struct Case {
    /// The cell of the column `case`, by which rows belong together.
    pub group: String,
    row: usize,
    cells: Vec<(&'static str, String)>,
}

impl Case {
    /// Reads the cells of a model's columns out of row `row` of the file.
    ///
    /// # Errors
    ///
    /// Names the row and the column of the first cell that is no number, or is missing.
    pub fn read(
        columns: &'static [Column],
        heading: &StringRecord,
        record: &StringRecord,
        row: usize,
    ) -> Result<Self> {
        let cell = |name: &str| {
            let at = heading.iter().position(|each| each.trim() == name);
            at.and_then(|at| record.get(at)).unwrap_or("").trim().to_owned()
        };
        let mut cells = Vec::new();
        for column in columns {
            let text = cell(column.name);
            if column.is_needed && text.is_empty() {
                bail!("row {row}, column {}: is empty; it needs {}", column.name, column.about);
            }
            if !text.is_empty() && column.name != "distribution" && column.name != "case" {
                text.parse::<f64>().ok().filter(|number| !number.is_nan()).with_context(|| {
                    format!("row {row}, column {}: “{text}” is no number", column.name)
                })?;
            }
            cells.push((column.name, text));
        }
        Ok(Self { group: cell("case"), row, cells })
    }

    /// The text of a column.
    pub fn text(&self, name: &str) -> &str {
        self.cells.iter().find(|cell| cell.0 == name).map_or("", |cell| &cell.1)
    }

    /// The number of a column; `None` where it is empty.
    pub fn maybe(&self, name: &str) -> Option<f64> {
        self.text(name).parse().ok()
    }

    /// The number of a column.
    pub fn number(&self, name: &'static str) -> Result<f64, QueueError> {
        self.maybe(name).ok_or(QueueError::BadNumber {
            what: name,
            wanted: "given",
            got: self.row as f64,
        })
    }

    /// A whole number from 0 to four thousand million.
    pub fn count(&self, name: &'static str) -> Result<u32, QueueError> {
        let number = self.number(name)?;
        let is_count = number.fract() == 0.0 && (0.0..=f64::from(u32::MAX)).contains(&number);
        if !is_count {
            let wanted = "a whole number, zero or more";
            return Err(QueueError::BadNumber { what: name, wanted, got: number });
        }
        Ok(number as u32)
    }

    /// A whole number; `None` where the cell is empty.
    pub fn maybe_count(&self, name: &'static str) -> Result<Option<u32>, QueueError> {
        if self.maybe(name).is_none() { Ok(None) } else { self.count(name).map(Some) }
    }

    /// The traffic by `offered_erlangs`, or by `contacts_per_hour`, with `handle_secs`.
    pub fn traffic(&self) -> Result<Traffic, QueueError> {
        let handle_secs = self.number("handle_secs")?;
        match self.maybe("contacts_per_hour") {
            Some(contacts) => Traffic::per_interval(contacts, 3600.0, handle_secs),
            None => Traffic::of_load(self.number("offered_erlangs")?, handle_secs),
        }
    }
}
