//! A report that was made: sentences, pictures and tables, ready for any format.

use jiff::civil::{Date, DateTime};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::{Days, Section, words};

/// A report that was made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Report {
    /// What it is called.
    pub title: String,
    /// The centre's name.
    pub centre: String,
    /// The centre's time zone.
    pub zone: String,
    /// Its days.
    pub days: Days,
    /// Which part of the centre it covers, in words.
    pub covers: String,
    /// What its figures stand beside, in words.
    pub against: Option<String>,
    /// When its facts were read, on the centre's wall clock.
    pub read_at: DateTime,
    /// The sentence that answers first.
    pub answer: String,
    /// What is out of target, a sentence each.
    pub out_of_target: Vec<String>,
    /// Its sections.
    pub parts: Vec<Part>,
    /// The measures in it, and what they mean.
    pub definitions: Vec<(String, String)>,
}

/// One section of a report.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Part {
    /// Which.
    pub section: Section,
    /// Its answer; where its data is missing, what is missing and why.
    pub sentence: String,
    /// Whether there is nothing to show.
    pub is_missing: bool,
    /// The page that explains it.
    pub about: Option<About>,
    /// Its pictures.
    pub pictures: Vec<Picture>,
    /// Its tables.
    pub tables: Vec<Table>,
}

impl Part {
    /// A section whose data is missing, and why.
    pub fn missing(section: Section, why: impl Into<String>) -> Self {
        Self {
            section,
            sentence: why.into(),
            is_missing: true,
            about: None,
            pictures: Vec::new(),
            tables: Vec::new(),
        }
    }
}

/// What a figure is about: where a page explains it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum About {
    /// The demand of a contact type on a day.
    Demand(Uuid, Date),
    /// The accuracy of a contact type's forecast.
    Accuracy(Uuid),
    /// The staffing of a contact type on a day.
    Staffing(Uuid, Date),
    /// The roster of a contact type on a day.
    Roster(Uuid, Date),
    /// The account of a day.
    Account(Date),
    /// A trial.
    Trial(Uuid),
    /// Campaigns.
    Campaigns,
    /// Telephone lines.
    Lines,
    /// Release history.
    Releases,
    /// Alarms.
    Alarms,
    /// A day of the centre.
    Day(Date),
    /// The board of the day.
    Board,
    /// The weeks before.
    Weeks,
}

/// A table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Table {
    /// What it shows.
    pub title: String,
    /// Its columns.
    pub columns: Vec<Column>,
    /// Its rows, as long as its columns.
    pub rows: Vec<Row>,
    /// The row that sums it up.
    pub total: Option<Row>,
}

/// A column of a table.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Column {
    /// Its heading.
    pub name: String,
    /// What its cells are.
    pub unit: Unit,
}

impl Column {
    /// A column.
    pub fn new(name: impl Into<String>, unit: Unit) -> Self {
        Self { name: name.into(), unit }
    }

    /// Its heading with the unit: "Handle time, s".
    pub fn heading(&self) -> String {
        match self.unit.sign() {
            Some(sign) => format!("{}, {sign}", self.name),
            None => self.name.clone(),
        }
    }
}

/// A row of a table.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Row {
    /// Its cells.
    pub cells: Vec<Cell>,
    /// The page that explains it.
    pub about: Option<About>,
}

impl Row {
    /// A row that no page explains.
    pub fn of(cells: Vec<Cell>) -> Self {
        Self { cells, about: None }
    }

    /// The page that explains it.
    pub fn about(self, about: About) -> Self {
        Self { about: Some(about), ..self }
    }
}

/// A cell.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Cell {
    /// A figure, in the unit of its column.
    Number(f64),
    /// Words.
    Text(String),
    /// Not known.
    #[default]
    Unknown,
}

impl From<Option<f64>> for Cell {
    fn from(number: Option<f64>) -> Self {
        number.filter(|number| number.is_finite()).map_or(Self::Unknown, Self::Number)
    }
}

impl From<f64> for Cell {
    fn from(number: f64) -> Self {
        Some(number).into()
    }
}

impl From<String> for Cell {
    fn from(text: String) -> Self {
        Self::Text(text)
    }
}

impl From<&str> for Cell {
    fn from(text: &str) -> Self {
        Self::Text(text.to_owned())
    }
}

/// What a figure is measured in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Unit {
    /// Words.
    Text,
    /// A count, shown without decimals.
    Count,
    /// A share, 0 to 1, shown in per cent.
    Share,
    /// A difference of shares, shown in points.
    Points,
    /// A change as a share, shown in per cent with its sign.
    Change,
    /// Seconds.
    Seconds,
    /// Minutes.
    Minutes,
    /// Hours.
    Hours,
    /// Erlangs.
    Erlangs,
}

impl Unit {
    /// The sign in the head of a column.
    pub const fn sign(self) -> Option<&'static str> {
        match self {
            Self::Text | Self::Count => None,
            Self::Share | Self::Change => Some("%"),
            Self::Points => Some("points"),
            Self::Seconds => Some("s"),
            Self::Minutes => Some("min"),
            Self::Hours => Some("h"),
            Self::Erlangs => Some("Erlangs"),
        }
    }

    /// Decimals that are shown.
    pub const fn places(self) -> usize {
        match self {
            Self::Text | Self::Count => 0,
            Self::Share | Self::Points | Self::Change | Self::Seconds | Self::Hours => 1,
            Self::Minutes => 0,
            Self::Erlangs => 2,
        }
    }

    /// What a figure is multiplied by before it is shown.
    pub const fn scale(self) -> f64 {
        match self {
            Self::Share | Self::Points | Self::Change => 100.0,
            _ => 1.0,
        }
    }

    /// A figure without its unit: "82.3", "+4.1", "1,412".
    pub fn figure(self, number: f64) -> String {
        let text = words::decimals(number * self.scale(), self.places());
        let signed = matches!(self, Self::Points | Self::Change) && number > 0.0;
        if signed && text.contains(|digit| matches!(digit, '1'..='9')) {
            format!("+{text}")
        } else {
            text
        }
    }

    /// A cell in words, without the unit.
    pub fn show(self, cell: &Cell) -> String {
        match cell {
            Cell::Number(number) => self.figure(*number),
            Cell::Text(text) => text.clone(),
            Cell::Unknown => words::NONE.to_owned(),
        }
    }
}

/// A picture: series over the same places.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Picture {
    /// What it shows.
    pub title: String,
    /// In what.
    pub unit: Unit,
    /// The places, in order.
    pub places: Vec<String>,
    /// Whether they are names, of which none may be left out, and not times.
    #[serde(default)]
    pub is_named: bool,
    /// The series.
    pub series: Vec<Series>,
    /// A level that is a target, and what it is called.
    pub target: Option<(f64, String)>,
}

/// One series of a picture.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Series {
    /// What it is.
    pub name: String,
    /// How it is drawn.
    pub mark: Mark,
    /// A figure for each place; none where it is not known.
    pub values: Vec<Option<f64>>,
}

/// How a series is drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Mark {
    /// Columns.
    Columns,
    /// A line with a dot at every place.
    Line,
    /// A dashed line: what the first series stands beside.
    Dashed,
}
