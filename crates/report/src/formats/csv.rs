//! All tables of a report as comma-separated values, one after the other, each with its title and heading.

use csv::WriterBuilder;

use crate::report::{Cell, Report, Table, Unit};

/// Writing failed: there is no memory left.
#[derive(Debug, thiserror::Error)]
#[error("the tables cannot be written")]
pub struct CsvError(#[source] Box<dyn std::error::Error + Send + Sync>);

impl From<csv::Error> for CsvError {
    fn from(error: csv::Error) -> Self {
        Self(Box::new(error))
    }
}

/// The tables of a report. Shares are per cent, as the headings say.
///
/// # Errors
///
/// [`CsvError`] where they cannot be written.
pub fn csv_tables(report: &Report) -> Result<String, CsvError> {
    let mut writer = WriterBuilder::new().flexible(true).from_writer(Vec::new());
    writer.write_record([harmless(&report.title), report.days.words(), report.centre.clone()])?;
    writer.write_record([harmless(&report.answer)])?;
    for part in &report.parts {
        if part.tables.is_empty() {
            writer.write_record([part.section.title().to_owned(), harmless(&part.sentence)])?;
        }
        for table in &part.tables {
            write_table(&mut writer, table)?;
        }
    }
    let bytes = writer.into_inner().map_err(|error| CsvError(error.to_string().into()))?;
    String::from_utf8(bytes).map_err(|error| CsvError(Box::new(error)))
}

fn write_table(writer: &mut csv::Writer<Vec<u8>>, table: &Table) -> Result<(), csv::Error> {
    writer.write_record([""])?;
    writer.write_record([harmless(&table.title)])?;
    writer.write_record(table.columns.iter().map(|column| harmless(&column.heading())))?;
    for row in table.rows.iter().chain(&table.total) {
        let cells = row.cells.iter().zip(&table.columns);
        writer.write_record(cells.map(|(cell, column)| written(cell, column.unit)))?;
    }
    Ok(())
}

/// A cell as a program reads it: a point for decimals, nothing between thousands.
fn written(cell: &Cell, unit: Unit) -> String {
    match cell {
        Cell::Number(number) => format!("{:.*}", unit.places(), number * unit.scale()),
        Cell::Text(text) => harmless(text),
        Cell::Unknown => String::new(),
    }
}

/// A text that no spreadsheet takes for a formula: one that begins like one gets an apostrophe.
pub fn harmless(text: &str) -> String {
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) {
        format!("'{text}")
    } else {
        text.to_owned()
    }
}
