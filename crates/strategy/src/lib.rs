//! A strategy as data: what a contact meets from the number it calls to the people who answer.
//!
//! [`Strategy`] is the whole description. It is kept, exported and compared as JSON, and it is the
//! same value that the engine plays. This first schema knows one entry, one queue and one team.
//!
//! [`Strategy::faults`] says what is wrong with it, field by field; [`changes`] says in the
//! planner's words how two versions differ.

mod changes;
mod faults;
mod types;

pub use changes::{Change, changes};
pub use faults::{Fault, ReadError};
pub use types::{Entry, Exit, Queue, SCHEMA_VERSION, Strategy, Team};
