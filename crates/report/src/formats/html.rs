//! A report as a page: inside the application, and alone as a file that prints well.

use askama::Template;

use super::svg::{STYLE, svg_in_page};
use crate::Section;
use crate::report::{About, Cell, Report, Row, Table, Unit};

/// The report inside a page.
#[derive(Template)]
#[template(path = "body.html")]
struct Body {
    answer: String,
    out_of_target: Vec<String>,
    parts: Vec<PartView>,
    definitions: Vec<(String, String)>,
}

struct PartView {
    key: &'static str,
    title: &'static str,
    sentence: String,
    is_missing: bool,
    address: Option<String>,
    /// Its pictures as SVG.
    pictures: Vec<String>,
    tables: Vec<TableView>,
}

struct TableView {
    title: String,
    columns: Vec<(String, bool)>,
    rows: Vec<RowView>,
    total: Option<RowView>,
}

struct RowView {
    address: Option<String>,
    first: String,
    cells: Vec<CellView>,
}

struct CellView {
    text: String,
    is_figure: bool,
}

/// The page as a file.
#[derive(Template)]
#[template(path = "page.html")]
struct Page {
    title: String,
    centre: String,
    period: String,
    covers: String,
    against: Option<String>,
    read_at: String,
    /// What stands at the foot of every printed page, as a CSS string.
    foot: String,
    /// The paper that it is laid out for; none for what the printer has.
    paper: Option<&'static str>,
    /// Inks of the pictures.
    inks: &'static str,
    body: String,
}

/// The report as a part of a page; `address` tells where a figure is explained.
///
/// # Errors
///
/// [`askama::Error`] where the template cannot be written.
pub fn body(
    report: &Report,
    address: impl Fn(&About) -> Option<String>,
) -> Result<String, askama::Error> {
    let is_about_service = report.parts.iter().any(|part| part.section == Section::Service);
    let parts = report.parts.iter().map(|part| PartView {
        key: part.section.key(),
        title: part.section.title(),
        sentence: part.sentence.clone(),
        is_missing: part.is_missing,
        address: part.about.as_ref().and_then(&address),
        pictures: part.pictures.iter().map(svg_in_page).collect(),
        tables: part.tables.iter().map(|table| TableView::of(table, &address)).collect(),
    });
    Body {
        answer: report.answer.clone(),
        out_of_target: if is_about_service { report.out_of_target.clone() } else { Vec::new() },
        parts: parts.collect(),
        definitions: report.definitions.clone(),
    }
    .render()
}

/// The report as a page of its own: it needs nothing else, and prints on A4 and Letter.
///
/// # Errors
///
/// [`askama::Error`] where the template cannot be written.
pub fn page(report: &Report) -> Result<String, askama::Error> {
    page_on(report, None)
}

/// The report as a page that is laid out for the paper of its part of the world: Letter in America, A4 elsewhere.
///
/// # Errors
///
/// [`askama::Error`] where the template cannot be written.
pub fn page_for_document(report: &Report) -> Result<String, askama::Error> {
    let is_american = report.zone.starts_with("America/");
    page_on(report, Some(if is_american { "letter" } else { "A4" }))
}

fn page_on(report: &Report, paper: Option<&'static str>) -> Result<String, askama::Error> {
    Page {
        paper,
        title: report.title.clone(),
        centre: report.centre.clone(),
        period: report.days.words(),
        covers: report.covers.clone(),
        against: report.against.clone(),
        read_at: format!(
            "{}, {}, {}",
            crate::words::full_date(report.read_at.date()),
            crate::words::clock(report.read_at.time()),
            report.zone
        ),
        foot: css_string(&format!("{} · {}", report.title, report.days.words())),
        inks: STYLE,
        body: body(report, |_| None)?,
    }
    .render()
}

/// A text that ends neither a string of a style sheet nor the element around it.
fn css_string(text: &str) -> String {
    text.chars()
        .map(|each| match each {
            '"' | '\\' | '<' | '>' | '&' => format!("\\{:x} ", each as u32),
            each if each.is_control() => " ".to_owned(),
            each => each.to_string(),
        })
        .collect()
}

impl TableView {
    fn of(table: &Table, address: &impl Fn(&About) -> Option<String>) -> Self {
        let is_figure = |unit: Unit| unit != Unit::Text;
        let row = |row: &Row| {
            let mut cells = row.cells.iter().zip(&table.columns).map(|(cell, column)| CellView {
                text: column.unit.show(cell),
                is_figure: is_figure(column.unit) && !matches!(cell, Cell::Text(_)),
            });
            RowView {
                address: row.about.as_ref().and_then(address),
                first: cells.next().map(|cell| cell.text).unwrap_or_default(),
                cells: cells.collect(),
            }
        };
        Self {
            title: table.title.clone(),
            columns: table
                .columns
                .iter()
                .map(|column| (column.heading(), is_figure(column.unit)))
                .collect(),
            rows: table.rows.iter().map(row).collect(),
            total: table.total.as_ref().map(row),
        }
    }
}
