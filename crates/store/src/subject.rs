//! What a trial or a comparison is about.

use jiff::civil::Date;
use sqlx::FromRow;
use uuid::Uuid;

/// What is tried: which contact types of a centre, on which days.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Subject {
    /// The centre.
    pub centre: Uuid,
    /// Its contact types that come.
    pub contact_types: Vec<Uuid>,
    /// They in words: one name, or several, or the whole centre.
    pub name: String,
    /// The first day.
    pub day: Date,
    /// How many days in a row.
    pub days: u32,
}

/// The columns of a [`Subject`].
#[derive(FromRow)]
pub(crate) struct SubjectRow {
    centre_id: Uuid,
    contact_types: Vec<Uuid>,
    subject: String,
    day: jiff_sqlx::Date,
    days: i32,
}

impl From<SubjectRow> for Subject {
    fn from(row: SubjectRow) -> Self {
        Self {
            centre: row.centre_id,
            contact_types: row.contact_types,
            name: row.subject,
            day: row.day.to_jiff(),
            days: row.days.unsigned_abs(),
        }
    }
}
