//! The forms that a report takes when it leaves: a page to read or print, a workbook, tables as CSV, data as JSON, and
//! pictures as SVG.

mod csv;
mod html;
mod scale;
mod svg;
mod workbook;

pub use self::csv::{CsvError, csv_tables, harmless};
pub use html::{body, page, page_for_document};
pub use svg::svg;
pub use workbook::{WorkbookError, workbook};

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

/// A file that a report can be had as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Format {
    /// A page that prints well.
    Html,
    /// That page as a document; where a browser is installed.
    Pdf,
    /// A workbook, one sheet a table, with charts.
    Xlsx,
    /// All tables, one after the other, as comma-separated values.
    Csv,
    /// The report as data.
    Json,
}

impl Format {
    /// All of them, in the order of a form.
    pub const ALL: [Self; 5] = [Self::Pdf, Self::Html, Self::Xlsx, Self::Csv, Self::Json];

    /// As it is typed, and as a file ends.
    pub const fn key(self) -> &'static str {
        match self {
            Self::Html => "html",
            Self::Pdf => "pdf",
            Self::Xlsx => "xlsx",
            Self::Csv => "csv",
            Self::Json => "json",
        }
    }

    /// In a form.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Html => "web page",
            Self::Pdf => "PDF",
            Self::Xlsx => "Excel",
            Self::Csv => "CSV",
            Self::Json => "JSON",
        }
    }

    /// As it is told to mail and web programs.
    pub const fn media_type(self) -> &'static str {
        match self {
            Self::Html => "text/html; charset=utf-8",
            Self::Pdf => "application/pdf",
            Self::Xlsx => "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
            Self::Csv => "text/csv; charset=utf-8",
            Self::Json => "application/json",
        }
    }
}

impl fmt::Display for Format {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(self.key())
    }
}

/// A text that is no format.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is no format; use html, pdf, xlsx, csv or json")]
pub struct NoFormat(String);

impl FromStr for Format {
    type Err = NoFormat;

    fn from_str(text: &str) -> Result<Self, NoFormat> {
        let found = Self::ALL.into_iter().find(|format| format.key() == text);
        found.ok_or_else(|| NoFormat(text.to_owned()))
    }
}
