//! A report as a workbook: a sheet with its answer, then one sheet for each table, with charts.

use std::collections::BTreeSet;

use rust_xlsxwriter::{Chart, ChartType, Format, Workbook, Worksheet, XlsxError};

use crate::report::{Cell, Mark, Part, Picture, Report, Row, Table, Unit};

/// A workbook that cannot be written.
#[derive(Debug, thiserror::Error)]
#[error("the workbook cannot be written")]
pub struct WorkbookError(#[from] XlsxError);

/// The longest name of a sheet.
const LONGEST_NAME: usize = 31;

/// A report as a workbook. Figures are numbers with the format of their unit; shares are shares; words are words, and
/// none becomes a formula.
///
/// # Errors
///
/// [`WorkbookError`] where it cannot be written.
pub fn workbook(report: &Report) -> Result<Vec<u8>, WorkbookError> {
    let mut book = Workbook::new();
    summary(report, book.add_worksheet())?;
    let mut names = BTreeSet::from(["summary".to_owned()]);
    for part in &report.parts {
        for table in &part.tables {
            let name = sheet_name(&table.title, &mut names);
            let sheet = book.add_worksheet().set_name(&name)?;
            write_table(table, sheet)?;
        }
        for picture in &part.pictures {
            let name = sheet_name(&format!("{} chart", picture.title), &mut names);
            let sheet = book.add_worksheet().set_name(&name)?;
            write_picture(picture, &name, sheet)?;
        }
    }
    Ok(book.save_to_buffer()?)
}

fn summary(report: &Report, sheet: &mut Worksheet) -> Result<(), XlsxError> {
    let bold = Format::new().set_bold();
    let wrapped = Format::new().set_text_wrap();
    sheet.set_name("Summary")?;
    sheet.write_string_with_format(0, 0, &report.title, &bold)?;
    let lines = [
        ("Centre", report.centre.clone()),
        ("Period", report.days.words()),
        ("Covers", report.covers.clone()),
        ("Compared with", report.against.clone().unwrap_or_default()),
        ("Time zone", report.zone.clone()),
        ("Answer", report.answer.clone()),
    ];
    let sections =
        report.parts.iter().map(|part: &Part| (part.section.title(), part.sentence.clone()));
    let definitions = report.definitions.iter().map(|(name, text)| (name.as_str(), text.clone()));
    for (row, (name, text)) in (1..).zip(lines.into_iter().chain(sections).chain(definitions)) {
        sheet.write_string_with_format(row, 0, name, &bold)?;
        sheet.write_string_with_format(row, 1, &text, &wrapped)?;
    }
    sheet.set_column_width(0, 26)?;
    sheet.set_column_width(1, 100)?;
    Ok(())
}

fn write_table(table: &Table, sheet: &mut Worksheet) -> Result<(), XlsxError> {
    let bold = Format::new().set_bold();
    for (column, each) in (0..).zip(&table.columns) {
        sheet.write_string_with_format(0, column, sheet_heading(&each.name, each.unit), &bold)?;
    }
    for (at, row) in (1..).zip(table.rows.iter().chain(&table.total)) {
        write_row(table, row, at, sheet)?;
    }
    sheet.set_freeze_panes(1, 1)?;
    sheet.set_repeat_rows(0, 0)?;
    sheet.set_landscape();
    sheet.autofit();
    Ok(())
}

fn write_row(table: &Table, row: &Row, at: u32, sheet: &mut Worksheet) -> Result<(), XlsxError> {
    for (column, (cell, of)) in (0..).zip(row.cells.iter().zip(&table.columns)) {
        match cell {
            Cell::Number(number) => {
                sheet.write_number_with_format(at, column, *number, &number_format(of.unit))?;
            }
            Cell::Text(text) => {
                sheet.write_string(at, column, text)?;
            }
            Cell::Unknown => {}
        }
    }
    Ok(())
}

/// A heading; per cent stands in the cells.
fn sheet_heading(name: &str, unit: Unit) -> String {
    match (unit, unit.sign()) {
        (Unit::Share | Unit::Change | Unit::Points, _) | (_, None) => name.to_owned(),
        (_, Some(sign)) => format!("{name}, {sign}"),
    }
}

fn number_format(unit: Unit) -> Format {
    Format::new().set_num_format(match unit {
        Unit::Text => "General",
        Unit::Count | Unit::Minutes => "#,##0",
        Unit::Share => "0.0%",
        Unit::Change | Unit::Points => "+0.0%;-0.0%;0.0%",
        Unit::Seconds | Unit::Hours => "#,##0.0",
        Unit::Erlangs => "#,##0.00",
    })
}

/// The picture's figures, and beside them the chart of them.
fn write_picture(picture: &Picture, name: &str, sheet: &mut Worksheet) -> Result<(), XlsxError> {
    let bold = Format::new().set_bold();
    let format = number_format(picture.unit);
    for (row, place) in (1..).zip(&picture.places) {
        sheet.write_string(row, 0, place)?;
    }
    let last = u32::try_from(picture.places.len()).unwrap_or(u32::MAX);
    let has_columns = picture.series.iter().any(|series| series.mark == Mark::Columns);
    let mut chart = Chart::new(if has_columns { ChartType::Column } else { ChartType::Line });
    let mut lines = Chart::new(ChartType::Line);
    let mut has_lines = false;
    for (column, series) in (1_u16..).zip(&picture.series) {
        sheet.write_string_with_format(0, column, &series.name, &bold)?;
        for (row, value) in (1..).zip(&series.values) {
            if let Some(value) = value {
                sheet.write_number_with_format(row, column, *value, &format)?;
            }
        }
        let is_beside = has_columns && series.mark != Mark::Columns;
        has_lines |= is_beside;
        let drawn = if is_beside { &mut lines } else { &mut chart };
        drawn
            .add_series()
            .set_name((name, 0, column))
            .set_categories((name, 1, 0, last, 0))
            .set_values((name, 1, column, last, column));
    }
    chart.title().set_name(&picture.title);
    if has_lines {
        chart.combine(&lines);
    }
    let beside = u16::try_from(picture.series.len() + 2).unwrap_or(u16::MAX);
    sheet.insert_chart(0, beside, &chart)?;
    sheet.set_freeze_panes(1, 1)?;
    sheet.autofit();
    Ok(())
}

/// A name that a sheet may have, and that no other has.
fn sheet_name(title: &str, taken: &mut BTreeSet<String>) -> String {
    let allowed: String =
        title.chars().map(|each| if "[]:*?/\\'".contains(each) { ' ' } else { each }).collect();
    for nth in 1_u32.. {
        let end = if nth == 1 { String::new() } else { format!(" {nth}") };
        let room = LONGEST_NAME - end.chars().count();
        let name = allowed.chars().take(room).collect::<String>().trim().to_owned() + &end;
        if taken.insert(name.to_lowercase()) {
            return name;
        }
    }
    allowed
}
