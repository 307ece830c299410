//! Lists of people to call: read into a preview, then saved whole or thrown away, like an import of history,
//! whose upload and states they share.
//!
//! Rows are streamed into `list_people` by COPY ([`reading`]). What must not be called ([`do_not_call`]) stays
//! in the list and is left out whenever its people are counted, so that a number that is entered later counts
//! for every list.

mod do_not_call;
mod layouts;
mod prefixes;
mod reading;

use barometer_intake::ListLayout;
use barometer_strategy::{LocalHours, PeopleChosen, PeopleGroup};
use jiff::Timestamp;
use jiff::civil::{Time, time};
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

pub use do_not_call::NotCalled;
pub use reading::{ListRow, ListWriter};

use crate::imports::{ImportState, Upload, forget_chunks};
use crate::{Centre, Store, StoreError};

/// What the numbers of a list are for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "snake_case")]
pub enum ListSubject {
    /// People whom a campaign calls.
    People,
    /// Numbers that no campaign calls.
    DoNotCall,
}

/// A list on its way, or one that was saved.
#[derive(Clone, Debug)]
pub struct List {
    /// Key.
    pub id: Uuid,
    /// Number, which a campaign knows it by.
    pub number: i32,
    /// What it is called.
    pub name: String,
    /// What its numbers are for.
    pub subject: ListSubject,
    /// Name of the file.
    pub file_name: String,
    /// How it was read, once it was.
    pub layout: Option<ListLayout>,
    /// Rows in the file, without its heading.
    pub rows_read: i64,
    /// Rows that were refused.
    pub refused: i64,
    /// How far it has come.
    pub state: ImportState,
    /// When it was uploaded.
    pub at: Timestamp,
    /// Who uploaded it.
    pub by: String,
}

#[derive(FromRow)]
struct ListRecord {
    id: Uuid,
    number: i32,
    list_name: String,
    subject: ListSubject,
    file_name: String,
    list_layout: Option<Json<ListLayout>>,
    rows_read: i64,
    refused: i64,
    state: ImportState,
    created_at: jiff_sqlx::Timestamp,
    by: String,
}

impl From<ListRecord> for List {
    fn from(row: ListRecord) -> Self {
        Self {
            id: row.id,
            number: row.number,
            name: row.list_name,
            subject: row.subject,
            file_name: row.file_name,
            layout: row.list_layout.map(|Json(layout)| layout),
            rows_read: row.rows_read,
            refused: row.refused,
            state: row.state,
            at: row.created_at.to_jiff(),
            by: row.by,
        }
    }
}

const LISTS: &str = "SELECT imports.id, number, list_name, subject, file_name, list_layout, rows_read, refused, \
       state, created_at, users.name AS by \
     FROM imports JOIN users ON users.id = created_by WHERE subject <> 'history'";

/// How many people a list has.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, FromRow)]
pub struct ListCounts {
    /// Numbers in it.
    pub people: i64,
    /// Of these, those that must not be called.
    pub not_called: i64,
    /// Those whose zone was told from the number.
    pub zones_guessed: i64,
}

#[derive(FromRow)]
struct GroupRow {
    people: i64,
    zone: String,
    priority: Option<i16>,
    attempts: i16,
    hours_from: Option<i16>,
    hours_until: Option<i16>,
}

impl From<GroupRow> for PeopleGroup {
    fn from(row: GroupRow) -> Self {
        let hours = row.hours_from.zip(row.hours_until);
        Self {
            people: u32::try_from(row.people).unwrap_or(u32::MAX),
            zone: row.zone,
            priority: row
                .priority
                .and_then(|priority| u8::try_from(priority).ok())
                .unwrap_or(Self::USUAL_PRIORITY),
            attempts: u8::try_from(row.attempts).unwrap_or(u8::MAX),
            hours: hours
                .map(|(from, until)| LocalHours { from: time_of(from), until: time_of(until) }),
        }
    }
}

/// What is chosen, in the form that is compared.
fn alike(text: &str) -> String {
    text.trim().to_lowercase()
}

/// The time of day this number of minutes after midnight.
fn time_of(minutes: i16) -> Time {
    let minutes = minutes.clamp(0, 24 * 60 - 1);
    time((minutes / 60) as i8, (minutes % 60) as i8, 0, 0)
}

impl Store {
    /// Begins the upload of a list.
    pub async fn begin_list_upload(
        &self,
        centre: &Centre,
        subject: ListSubject,
        name: &str,
        file_name: &str,
        by: Uuid,
    ) -> Result<Upload, StoreError> {
        self.forget_old_uploads().await?;
        let (id, number): (Uuid, i32) = sqlx::query_as(
            "INSERT INTO imports (centre_id, file_name, subject, list_name, created_by, state) \
             VALUES ($1, $2, $3, $4, $5, 'uploaded') RETURNING id, number",
        )
        .bind(centre.id)
        .bind(file_name)
        .bind(subject)
        .bind(name)
        .bind(by)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("beginning to upload a list"))?;
        Ok(Upload::of(self, id, number))
    }

    /// One list.
    pub async fn list(&self, id: Uuid) -> Result<List, StoreError> {
        let row: ListRecord =
            sqlx::query_as(sqlx::AssertSqlSafe(format!("{LISTS} AND imports.id = $1")))
                .bind(id)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading a list"))?;
        Ok(row.into())
    }

    /// The lists of a centre that were saved, the last first, with how many people they have.
    pub async fn lists(&self, centre: Uuid) -> Result<Vec<(List, ListCounts)>, StoreError> {
        let rows: Vec<ListRecord> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{LISTS} AND centre_id = $1 AND state = 'saved' ORDER BY number DESC"
        )))
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing lists"))?;
        let counts: Vec<(i32, i64, i64, i64)> = sqlx::query_as(
            "SELECT list_people.import_number, count(*), count(do_not_call.number), \
               count(*) FILTER (WHERE is_zone_guessed) \
             FROM list_people JOIN imports ON imports.number = import_number \
             LEFT JOIN do_not_call ON do_not_call.centre_id = imports.centre_id \
               AND do_not_call.number = list_people.number \
             WHERE imports.centre_id = $1 AND imports.state = 'saved' \
             GROUP BY list_people.import_number",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("counting the people of lists"))?;
        let with_counts = rows.into_iter().map(|row| {
            let list = List::from(row);
            let own = counts.iter().find(|counts| counts.0 == list.number);
            let own = own.map(|&(_, people, not_called, zones_guessed)| ListCounts {
                people,
                not_called,
                zones_guessed,
            });
            (list, own.unwrap_or_default())
        });
        Ok(with_counts.collect())
    }

    /// How many people a list has, and how many of them must not be called.
    pub async fn list_counts(&self, id: Uuid) -> Result<ListCounts, StoreError> {
        sqlx::query_as(
            "SELECT count(*) AS people, count(do_not_call.number) AS not_called, \
               count(*) FILTER (WHERE is_zone_guessed) AS zones_guessed \
             FROM list_people JOIN imports ON imports.number = import_number \
             LEFT JOIN do_not_call ON do_not_call.centre_id = imports.centre_id \
               AND do_not_call.number = list_people.number \
             WHERE imports.id = $1",
        )
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("counting the people of a list"))
    }

    /// Those chosen of the people of a list who may be called, those who are alike together: by priority, zone,
    /// calls so far and preferred hours. Case and blanks around what is chosen do not matter.
    pub async fn list_groups(
        &self,
        id: Uuid,
        only: &PeopleChosen,
    ) -> Result<Vec<PeopleGroup>, StoreError> {
        let (names, values): (Vec<&str>, Vec<String>) =
            only.attributes.iter().map(|(name, value)| (name.as_str(), alike(value))).unzip();
        let rows: Vec<GroupRow> = sqlx::query_as(
            "SELECT count(*) AS people, zone, priority, attempts, hours_from, hours_until \
             FROM list_people JOIN imports ON imports.number = import_number \
             WHERE imports.id = $1 AND zone IS NOT NULL AND NOT EXISTS ( \
               SELECT FROM do_not_call WHERE do_not_call.centre_id = imports.centre_id \
                 AND do_not_call.number = list_people.number) \
               AND ($2::text IS NULL OR lower(trim(language)) = $2) \
               AND NOT EXISTS ( \
                 SELECT FROM unnest($3::text[], $4::text[]) AS wanted (name, value) \
                 WHERE lower(trim(attributes ->> wanted.name)) IS DISTINCT FROM wanted.value) \
             GROUP BY zone, priority, attempts, hours_from, hours_until \
             ORDER BY priority, zone, attempts, hours_from, hours_until",
        )
        .bind(id)
        .bind(only.language.as_deref().map(alike))
        .bind(names)
        .bind(values)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("counting the people of a list"))?;
        Ok(rows.into_iter().map(PeopleGroup::from).collect())
    }

    /// The languages that a list names and how many people speak each, the most spoken first; twelve at the most.
    pub async fn list_languages(&self, id: Uuid) -> Result<Vec<(String, i64)>, StoreError> {
        sqlx::query_as(
            "SELECT min(language), count(*) FROM list_people \
             JOIN imports ON imports.number = import_number \
             WHERE imports.id = $1 AND language IS NOT NULL \
             GROUP BY lower(trim(language)) ORDER BY count(*) DESC, min(language) LIMIT 12",
        )
        .bind(id)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the languages of a list"))
    }

    /// Saves a list that was looked at: all of its usable rows. Numbers that must not be called are so from
    /// now on.
    ///
    /// # Errors
    ///
    /// [`StoreError::NotFound`] when it is not a preview (any more).
    pub async fn confirm_list(&self, id: Uuid, by: Uuid) -> Result<(), StoreError> {
        let failed = StoreError::on("saving a list");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let (number, subject, centre): (i32, ListSubject, Uuid) = sqlx::query_as(
            "UPDATE imports SET state = 'saved', saved_at = clock_timestamp() \
             WHERE id = $1 AND state = 'preview' AND subject <> 'history' \
             RETURNING number, subject, centre_id",
        )
        .bind(id)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        if subject == ListSubject::DoNotCall {
            sqlx::query(
                "INSERT INTO do_not_call (centre_id, number, import_number, added_by) \
                 SELECT $1, number, $2, $3 FROM list_people WHERE import_number = $2 \
                 ON CONFLICT DO NOTHING",
            )
            .bind(centre)
            .bind(number)
            .bind(by)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        }
        forget_chunks(&mut tx, id).await?;
        tx.commit().await.map_err(&failed)
    }

    /// Removes a list, saved or not, with everybody in it; numbers of it that must not be called may be called
    /// again. What campaigns have counted of it stays with them.
    pub async fn remove_list(&self, id: Uuid) -> Result<(), StoreError> {
        let is_list: bool = sqlx::query_scalar(
            "SELECT EXISTS (SELECT FROM imports WHERE id = $1 AND subject <> 'history')",
        )
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("removing a list"))?;
        if is_list { self.forget_import(id).await } else { Err(StoreError::NotFound) }
    }
}
