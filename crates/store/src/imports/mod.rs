//! Imports of interval history: read into a preview, then saved whole or thrown away.
//!
//! A file is kept in chunks ([`uploads`]) until it is known how to read it. Its rows are streamed
//! into `import_rows` by COPY ([`writer`]), so memory stays flat whatever the file's
//! size. The preview is worked out in the database once ([`checks`]), and confirming it is one
//! transaction; so is undoing it ([`undo`]).

mod checks;
mod file_type;
mod undo;
mod uploads;
mod writer;

use std::collections::HashMap;

use barometer_forecast::Grain;
use barometer_intake::Layout;
use barometer_plan::Rules;
use jiff::Timestamp;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

pub(crate) use checks::insert_refusals;
pub use uploads::Upload;
pub use writer::ImportWriter;

use crate::centres::insert_contact_type;
use crate::forecast_runs::queue_forecasts;
use crate::{Store, StoreError};

/// Refused rows that are kept with their reasons; the rest is only counted.
pub(crate) const KEPT_REFUSALS: i64 = 1000;

/// How far an import has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum ImportState {
    /// The file is there, and it is not known yet how to read it.
    Uploaded,
    /// The file is being read.
    Reading,
    /// It can be looked at; nothing is saved.
    Preview,
    /// It was saved.
    Saved,
    /// It was thrown away.
    Discarded,
    /// It was saved, and taken back.
    Undone,
}

/// An import.
#[derive(Clone, Debug)]
pub struct Import {
    /// Key.
    pub id: Uuid,
    /// The centre it is for.
    pub centre_id: Uuid,
    /// Name of the file.
    pub file_name: String,
    /// The contact type of a file without such a column.
    pub contact_type: Option<String>,
    /// How it was read, once it was.
    pub layout: Option<Layout>,
    /// Rows in the file, without its heading.
    pub rows_read: i64,
    /// Rows that were refused.
    pub refused: i64,
    /// How far it has come.
    pub state: ImportState,
}

#[derive(FromRow)]
struct ImportInfo {
    id: Uuid,
    centre_id: Uuid,
    file_name: String,
    contact_type: Option<String>,
    layout: Option<Json<Layout>>,
    rows_read: i64,
    refused: i64,
    state: ImportState,
}

/// One usable row.
#[derive(Clone, Debug, PartialEq)]
pub struct ImportRow<'a> {
    /// Row of the file; the heading is row 1.
    pub row_number: u64,
    /// Name of the contact type.
    pub contact_type: &'a str,
    /// When the interval starts.
    pub start: Timestamp,
    /// Contacts offered.
    pub offered: u32,
    /// Contacts answered.
    pub answered: u32,
    /// Contacts abandoned.
    pub abandoned: u32,
    /// Mean handle time in seconds, when given.
    pub handle_secs: Option<f64>,
    /// The part of it that is wrap-up, when given.
    pub wrap_up_secs: Option<f64>,
}

/// A row that cannot be used, and why.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct Refusal {
    /// Row of the file; the heading is row 1.
    pub row_number: i64,
    /// The column at fault.
    pub field: String,
    /// What is wrong and what would do.
    pub reason: String,
}

/// What an import would do to one contact type.
#[derive(Clone, Debug, PartialEq)]
pub struct PreviewLine {
    /// Name of the contact type as it is or will be called.
    pub contact_type: String,
    /// Whether the contact type would be new.
    pub is_new: bool,
    /// Minutes of the file's intervals.
    pub file_minutes: i16,
    /// Intervals that would be added.
    pub added: i64,
    /// Intervals that would change.
    pub replaced: i64,
    /// Intervals that are there already with the same numbers.
    pub unchanged: i64,
    /// First interval.
    pub first: Timestamp,
    /// Last interval.
    pub last: Timestamp,
    /// Intervals missing within days, between each day's first and last.
    pub missing: i64,
}

#[derive(FromRow)]
struct PreviewRow {
    name: String,
    is_new: bool,
    file_minutes: i16,
    added: i64,
    replaced: i64,
    unchanged: i64,
    missing: i64,
    first_start: jiff_sqlx::Timestamp,
    last_start: jiff_sqlx::Timestamp,
}

#[derive(FromRow)]
struct TypeToSave {
    type_number: i16,
    name: String,
    kept_minutes: i16,
    is_summed: bool,
}

impl Store {
    /// Names the contact type of an import whose file names none; `None` where a column does.
    pub async fn name_import(
        &self,
        import: Uuid,
        contact_type: Option<&str>,
    ) -> Result<(), StoreError> {
        sqlx::query("UPDATE imports SET contact_type = $2 WHERE id = $1")
            .bind(import)
            .bind(contact_type)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("naming an import's contact type"))
    }

    /// One import.
    pub async fn import(&self, id: Uuid) -> Result<Import, StoreError> {
        let row: ImportInfo = sqlx::query_as(
            "SELECT id, centre_id, file_name, contact_type, layout, rows_read, refused, state \
             FROM imports WHERE id = $1 AND subject = 'history'",
        )
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading an import"))?;
        Ok(Import {
            id: row.id,
            centre_id: row.centre_id,
            file_name: row.file_name,
            contact_type: row.contact_type,
            layout: row.layout.map(|Json(layout)| layout),
            rows_read: row.rows_read,
            refused: row.refused,
            state: row.state,
        })
    }

    /// The refused rows of an import with their reasons, in the file's order, up to `most`.
    pub async fn refusals(&self, import: Uuid, most: i64) -> Result<Vec<Refusal>, StoreError> {
        sqlx::query_as(
            "SELECT row_number, field, reason FROM import_refusals WHERE import_id = $1 \
             ORDER BY row_number LIMIT $2",
        )
        .bind(import)
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing refused rows"))
    }

    /// What an import would do (or did), contact type by contact type.
    pub async fn preview(&self, import: Uuid) -> Result<Vec<PreviewLine>, StoreError> {
        let rows: Vec<PreviewRow> = sqlx::query_as(
            "SELECT coalesce(contact_types.name, import_types.name) AS name, \
               contact_type_id IS NULL AS is_new, file_minutes, added, replaced, unchanged, missing, \
               first_start, last_start \
             FROM import_types LEFT JOIN contact_types ON contact_types.id = contact_type_id \
             WHERE import_id = $1 AND first_start IS NOT NULL ORDER BY 1",
        )
        .bind(import)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the preview"))?;
        Ok(rows
            .into_iter()
            .map(|row| PreviewLine {
                contact_type: row.name,
                is_new: row.is_new,
                file_minutes: row.file_minutes,
                added: row.added,
                replaced: row.replaced,
                unchanged: row.unchanged,
                first: row.first_start.to_jiff(),
                last: row.last_start.to_jiff(),
                missing: row.missing,
            })
            .collect())
    }

    /// Saves a preview in one transaction: all of its usable rows or none. Contact types that are
    /// new are added with `starting_rules`. Returns the contact types that have new history.
    ///
    /// [`StoreError::NotFound`] when the import is not a preview (any more).
    pub async fn confirm_import(
        &self,
        import: Uuid,
        starting_rules: &Rules,
        by: Option<Uuid>,
    ) -> Result<Vec<Uuid>, StoreError> {
        let failed = StoreError::on("saving the import");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let (centre, number): (Uuid, i32) = sqlx::query_as(
            "UPDATE imports SET state = 'saved' WHERE id = $1 AND state = 'preview' \
               AND subject = 'history' RETURNING centre_id, number",
        )
        .bind(import)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        let types: Vec<TypeToSave> = sqlx::query_as(
            "SELECT type_number, name, kept_minutes, file_minutes < kept_minutes AS is_summed \
             FROM import_types WHERE import_id = $1 AND first_start IS NOT NULL ORDER BY name",
        )
        .bind(import)
        .fetch_all(&mut *tx)
        .await
        .map_err(&failed)?;
        let (targets, new_types) = targets(&mut tx, centre, &types, starting_rules).await?;
        let kept = checks::kept_rows(types.iter().any(|each| each.is_summed));
        // The rows with their contact types, and what differs from what is there.
        let rows = format!(
            "SELECT id AS contact_type_id, interval_start, offered, answered, abandoned, handle_secs, \
               wrap_up_secs \
             FROM ({kept}) AS kept \
             JOIN unnest($3::int2[], $4::uuid[]) AS targets (type_number, id) USING (type_number)"
        );
        let differs = checks::differs("new");
        let remember = format!(
            "INSERT INTO replaced_history (import_number, contact_type_id, interval_start, offered, \
               answered, abandoned, handle_secs, earlier_import, in_time, wait_secs, wrap_up_secs) \
             SELECT $2, contact_type_id, interval_start, history.offered, history.answered, \
               history.abandoned, history.handle_secs, history.import_number, history.in_time, \
               history.wait_secs, history.wrap_up_secs FROM ({rows}) AS new \
             JOIN history USING (contact_type_id, interval_start) WHERE {differs}"
        );
        let save = format!(
            "INSERT INTO history (contact_type_id, interval_start, offered, answered, abandoned, \
               handle_secs, wrap_up_secs, import_number) \
             SELECT new.*, $2 FROM ({rows}) AS new \
             ON CONFLICT (contact_type_id, interval_start) DO UPDATE SET \
               offered = excluded.offered, answered = excluded.answered, \
               abandoned = excluded.abandoned, handle_secs = excluded.handle_secs, \
               wrap_up_secs = excluded.wrap_up_secs, import_number = excluded.import_number, \
               in_time = NULL, wait_secs = NULL \
             WHERE {}",
            checks::differs("excluded")
        );
        let type_numbers: Vec<i16> = types.iter().map(|each| each.type_number).collect();
        for statement in [remember, save] {
            sqlx::query(sqlx::AssertSqlSafe(statement))
                .bind(import)
                .bind(number)
                .bind(&type_numbers)
                .bind(&targets)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        }
        sqlx::query(
            "UPDATE imports SET saved_at = clock_timestamp(), new_types = $2 WHERE id = $1",
        )
        .bind(import)
        .bind(&new_types)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        // Only the last import can be undone: what the ones before it replaced is not needed.
        sqlx::query("DELETE FROM replaced_history WHERE import_number < $1")
            .bind(number)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        forget_rows(&mut tx, import).await?;
        // With the history or not at all: a crash leaves a run that a worker takes up.
        queue_forecasts(&mut tx, centre, &targets, by).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(targets)
    }

    /// Throws a preview away.
    pub async fn discard_import(&self, import: Uuid) -> Result<(), StoreError> {
        let failed = StoreError::on("discarding the import");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query(
            "UPDATE imports SET state = 'discarded' \
             WHERE id = $1 AND subject = 'history' AND state IN ('uploaded', 'preview')",
        )
        .bind(import)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        forget_rows(&mut tx, import).await?;
        tx.commit().await.map_err(&failed)
    }
}

/// The contact type that each of `types` is kept in: the one of its name, or a new one.
///
/// The second list holds those that are new.
async fn targets(
    connection: &mut sqlx::PgConnection,
    centre: Uuid,
    types: &[TypeToSave],
    starting_rules: &Rules,
) -> Result<(Vec<Uuid>, Vec<Uuid>), StoreError> {
    // Looked up again: an import of the same names may have been saved since the file was read.
    // Nobody archives one of them until this is saved.
    let known: Vec<(String, Uuid, bool)> = sqlx::query_as(
        "SELECT name, id, archived_at IS NOT NULL FROM contact_types WHERE centre_id = $1 FOR SHARE",
    )
    .bind(centre)
    .fetch_all(&mut *connection)
    .await
    .map_err(StoreError::on("saving the import"))?;
    let known: HashMap<String, (Uuid, bool)> = known
        .into_iter()
        .map(|(name, id, is_archived)| (name.to_lowercase(), (id, is_archived)))
        .collect();
    let mut targets = Vec::with_capacity(types.len());
    let mut new_types = Vec::new();
    for each in types {
        targets.push(match known.get(&each.name.to_lowercase()) {
            Some((_, true)) => return Err(StoreError::Archived(each.name.clone())),
            Some((id, false)) => *id,
            None => {
                let grain = Grain::try_from(each.kept_minutes)
                    .map_err(StoreError::unreadable("imports"))?;
                let id = insert_contact_type(connection, centre, &each.name, grain, starting_rules)
                    .await?;
                new_types.push(id);
                id
            }
        });
    }
    Ok((targets, new_types))
}

/// Forgets what was read of a file, and the file itself once its import has ended.
async fn forget_rows(connection: &mut sqlx::PgConnection, import: Uuid) -> Result<(), StoreError> {
    let failed = StoreError::on("forgetting an import's rows");
    sqlx::query(
        "DELETE FROM import_rows \
         WHERE import_number = (SELECT number FROM imports WHERE id = $1)",
    )
    .bind(import)
    .execute(&mut *connection)
    .await
    .map_err(failed)?;
    forget_chunks(connection, import).await
}

/// Forgets the file of an import that has ended.
pub(crate) async fn forget_chunks(
    connection: &mut sqlx::PgConnection,
    import: Uuid,
) -> Result<(), StoreError> {
    sqlx::query(
        "DELETE FROM import_chunks USING imports WHERE number = import_number AND id = $1 \
           AND state IN ('saved', 'discarded')",
    )
    .bind(import)
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(StoreError::on("forgetting an uploaded file"))
}
