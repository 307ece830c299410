//! Files that leave Barometer.

use axum::http::header;
use axum::response::{IntoResponse, Response};
use csv_async::AsyncWriterBuilder;
use rust_xlsxwriter::{Format, Workbook, XlsxError};

use crate::page_error::PageError;

/// A CSV file with a heading.
pub(crate) async fn csv(
    file_name: &str,
    heading: &[&str],
    rows: Vec<Vec<String>>,
) -> Result<Response, PageError> {
    let failed = |error: csv_async::Error| PageError::Internal(Box::new(error));
    let mut writer = AsyncWriterBuilder::new().create_writer(Vec::new());
    writer.write_record(heading).await.map_err(failed)?;
    for row in rows {
        let cells: Vec<String> = row.into_iter().map(harmless).collect();
        writer.write_record(&cells).await.map_err(failed)?;
    }
    let bytes =
        writer.into_inner().await.map_err(|error| PageError::Internal(error.to_string().into()))?;
    Ok(attachment(file_name, "text/csv; charset=utf-8", bytes))
}

/// A cell of a table that leaves Barometer.
#[derive(Clone, Debug, PartialEq, serde::Serialize)]
#[serde(untagged)]
pub(crate) enum Cell {
    /// A text.
    Text(String),
    /// A number, and the decimals that a CSV file gets of it.
    Number(f64, #[serde(skip)] usize),
}

/// A CSV file of cells.
pub(crate) async fn csv_of(
    file_name: &str,
    heading: &[&str],
    rows: Vec<Vec<Cell>>,
) -> Result<Response, PageError> {
    let written = |cell: Cell| match cell {
        Cell::Text(text) => text,
        Cell::Number(number, decimals) => format!("{number:.decimals$}"),
    };
    let rows = rows.into_iter().map(|row| row.into_iter().map(written).collect()).collect();
    csv(file_name, heading, rows).await
}

/// A spreadsheet with one sheet. Texts are written as texts, so none becomes a formula.
pub(crate) fn xlsx(
    file_name: &str,
    heading: &[&str],
    rows: Vec<Vec<Cell>>,
) -> Result<Response, PageError> {
    let bytes = workbook(heading, rows).map_err(|error| PageError::Internal(Box::new(error)))?;
    let kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";
    Ok(attachment(file_name, kind, bytes))
}

fn workbook(heading: &[&str], rows: Vec<Vec<Cell>>) -> Result<Vec<u8>, XlsxError> {
    let mut book = Workbook::new();
    let sheet = book.add_worksheet();
    let bold = Format::new().set_bold();
    for (column, name) in (0..).zip(heading) {
        sheet.write_string_with_format(0, column, *name, &bold)?;
    }
    for (at, row) in (1..).zip(rows) {
        for (column, cell) in (0..).zip(row) {
            match cell {
                Cell::Text(text) => sheet.write_string(at, column, text)?,
                Cell::Number(number, _) => sheet.write_number(at, column, number)?,
            };
        }
    }
    sheet.set_freeze_panes(1, 0)?;
    sheet.autofit();
    book.save_to_buffer()
}

/// A JSON file.
pub(crate) fn json(file_name: &str, text: String) -> Response {
    attachment(file_name, "application/json", text.into_bytes())
}

/// An iCalendar file.
pub(crate) fn calendar(file_name: &str, text: String) -> Response {
    attachment(file_name, "text/calendar; charset=utf-8", text.into_bytes())
}

pub(crate) fn attachment(file_name: &str, kind: &'static str, bytes: Vec<u8>) -> Response {
    let safe: String = file_name
        .chars()
        .map(|character| {
            if character.is_ascii_alphanumeric() || ".-_".contains(character) {
                character
            } else {
                '-'
            }
        })
        .collect();
    let disposition = format!("attachment; filename=\"{}\"", safe.to_lowercase());
    ([(header::CONTENT_TYPE, kind.to_owned()), (header::CONTENT_DISPOSITION, disposition)], bytes)
        .into_response()
}

/// A cell that no spreadsheet takes for a formula: a text that begins like one gets an apostrophe.
/// Numbers stay numbers.
fn harmless(cell: String) -> String {
    if cell.parse::<f64>().is_ok() { cell } else { barometer_report::harmless(&cell) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formulas_are_defused_and_numbers_are_not() {
        assert_eq!(harmless("=1+1".into()), "'=1+1");
        assert_eq!(harmless("@SUM(A1)".into()), "'@SUM(A1)");
        assert_eq!(
            (harmless("-4.5".into()), harmless("Bookings".into())),
            ("-4.5".into(), "Bookings".into())
        );
    }
}
