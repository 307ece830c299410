//! CSV files: rows written, and many rows read one by one, of which the first few wrong ones are told.

use csv::{Position, ReaderBuilder, StringRecord, Trim};
use jiff::civil::DateTime;

/// Rows that are told as wrong, at most.
const MOST_WRONG: usize = 20;
/// Seconds that anything lasts, at most: a day.
const MOST_SECS: f64 = 86_400.0;

/// Rows as CSV, the first of them the heading; each has as many cells as that.
pub fn csv_of(rows: impl IntoIterator<Item = Vec<String>>) -> String {
    let mut writer = csv::Writer::from_writer(Vec::new());
    for row in rows {
        // Writing text to memory does not fail, and every row has as many cells as the heading.
        let _ = writer.write_record(&row);
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// Reads a file with commas or semicolons: `columns` finds the columns by the heading, and `take` reads a row.
///
/// # Errors
///
/// What is wrong with the heading, or row by row: the first few.
pub fn read_rows<C>(
    text: &str,
    columns: impl FnOnce(&StringRecord) -> Result<C, String>,
    mut take: impl FnMut(&C, &StringRecord) -> Result<(), String>,
) -> Result<(), Vec<String>> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let first = text.lines().next().unwrap_or_default();
    let delimiter = if first.contains(';') { b';' } else { b',' };
    let mut reader =
        ReaderBuilder::new().delimiter(delimiter).trim(Trim::All).from_reader(text.as_bytes());
    let heading = reader.headers().map_err(|error| vec![error.to_string()])?;
    let columns = columns(heading).map_err(|wrong| vec![wrong])?;
    let mut wrong = Vec::new();
    for row in reader.records() {
        let taken = row.map_err(|error| error.to_string()).and_then(|row| {
            let line = row.position().map_or(0, Position::line);
            take(&columns, &row).map_err(|message| format!("Row {line}, {message}"))
        });
        wrong.extend(taken.err());
        if wrong.len() >= MOST_WRONG {
            wrong.push("There may be more.".to_owned());
            break;
        }
    }
    if wrong.is_empty() { Ok(()) } else { Err(wrong) }
}

/// The place of a column that has one of these names, in any case.
pub fn place_of(heading: &StringRecord, names: &[&str]) -> Option<usize> {
    heading.iter().position(|each| names.iter().any(|name| each.eq_ignore_ascii_case(name)))
}

/// A moment in a cell, on the clock that the file is written by.
///
/// # Errors
///
/// How it is to be written.
pub fn moment(column: &str, text: &str) -> Result<DateTime, String> {
    text.trim_end_matches('Z')
        .replace('T', " ")
        .parse()
        .map_err(|_| format!("{column}: “{text}” is no moment; write it as 2026-11-20 14:05:31"))
}

/// Seconds in a cell, up to a day; none where it is empty.
///
/// # Errors
///
/// What they have to be.
pub fn secs(column: &str, text: &str) -> Result<Option<f64>, String> {
    if text.is_empty() {
        return Ok(None);
    }
    let secs = text.replace(',', ".").parse::<f64>().ok();
    let secs = secs.filter(|secs| (0.0..=MOST_SECS).contains(secs));
    secs.map(Some).ok_or_else(|| format!("{column}: “{text}” is no number of seconds up to a day"))
}
