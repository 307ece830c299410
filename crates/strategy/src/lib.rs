//! A strategy as data: what a contact meets from the number it calls to the people who answer.
//!
//! A [`Strategy`] has **entries**, where contacts come in; **steps**, which they pass or wait in
//! ([`StepKind`] lists them); and **teams**, who answer. A step names where a contact goes next, so
//! steps form a directed graph. [`Customers`] describes who comes: their patience, their handle
//! times, whether they try again.
//!
//! Both are kept, exported and compared as JSON ([`Strategy::schema`] is their JSON Schema), and are
//! the same values that the engine plays ([`Strategy::from_json`] reads them). [`Strategy::faults`]
//! says what keeps one from being played, field by field. A strategy is changed by an [`Edit`], which
//! can be undone and says itself in words; [`changes`] lists how two versions differ, and [`merge`] joins what
//! two planners made of one.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod changes;
pub mod csv_rows;
mod customers;
mod duration;
mod edit;
mod faults;
mod folded;
mod graph;
mod home;
mod joined;
mod journey;
mod merge;
mod numbers;
mod people;
mod period;
mod read;
mod refs;
mod schema;
mod start;
mod table_file;
mod types;

pub use changes::{Change, PartChange, changed_parts, changes, field_words};
pub use customers::{Channel, CustomerHabits, Customers, CustomersFile, Profile, Repeat, TryAgain};
pub use duration::Duration;
pub use edit::{ChoiceOption, ChoiceSetting, Edit, NumberSetting, Part, PartId, StepName};
pub use faults::{Fault, is_unseen};
pub use folded::Folded;
pub use journey::{Journey, Link, Stop, WayEnd};
pub use merge::{Conflict, Prefer, Side, merge};
pub use numbers::{NumberPlace, RangeUse, dialled};
pub use people::{LevelLeft, Person};
pub use period::Period;
pub use read::{ReadError, SCHEMA_VERSION};
pub use start::{StartingShape, StartingType};
pub use types::*;
