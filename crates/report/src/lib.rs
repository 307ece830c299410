//! Reports: what others need from the planner, made of facts and written once for every format.
//!
//! * A [`Definition`] says what a report contains, of which days and contact types, beside what;
//! * [`Facts`](facts::Facts) are what was measured, forecast and planned, as somebody read them;
//! * [`make`] turns the two into a [`Report`]: a sentence that answers first, then sections, each with a sentence, its
//!   pictures and its tables;
//! * [`page`], [`workbook`], [`csv_tables`] and [`svg`] write it down; data is its JSON form;
//! * a [`Timing`] says when it is made again.
//!
//! Pure: no clock, no store. Days are those of the centre's calendar, times those of its wall clock.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod beside;
mod counts;
mod definition;
pub mod facts;
mod formats;
mod make;
mod period;
mod report;
mod sections;
mod timing;
mod told;
pub mod words;

pub use counts::Counts;
pub use definition::{Against, Definition, Ready, Section};
pub use formats::{
    CsvError, Format, NoFormat, WorkbookError, body, csv_tables, harmless, page, page_for_document,
    svg, workbook,
};
pub use make::make;
pub use period::{
    Calendar, Days, Group, Grouping, MOST_DAYS, MOST_DAYS_BY_INTERVAL, NoPeriod, Period,
    PeriodError,
};
pub use report::{About, Cell, Column, Mark, Part, Picture, Report, Row, Series, Table, Unit};
pub use timing::{Timing, TimingDays, TimingError};
