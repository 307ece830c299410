//! Imports of interval history: read into a preview, then saved whole or thrown away.
//!
//! Rows are streamed into `import_rows` by COPY, so memory stays flat whatever the file's size. The
//! preview is worked out in the database, and confirming it is one transaction.

use barometer_forecast::Grain;
use barometer_plan::Rules;
use jiff::Timestamp;
use sqlx::pool::PoolConnection;
use sqlx::postgres::PgPoolCopyExt;
use sqlx::{FromRow, Postgres};
use uuid::Uuid;

use crate::centres::insert_contact_type;
use crate::{Store, StoreError};

/// COPY buffers are sent when they have grown to this many bytes.
const COPY_CHUNK: usize = 1 << 16;

/// Refused rows that are kept with their reasons; the rest is only counted.
const KEPT_REFUSALS: i64 = 1000;

/// How far an import has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum ImportState {
    /// The file is being read.
    Reading,
    /// It can be looked at; nothing is saved.
    Preview,
    /// It was saved.
    Saved,
    /// It was thrown away.
    Discarded,
}

/// An import.
#[derive(Clone, Debug, FromRow)]
pub struct Import {
    /// Key.
    pub id: Uuid,
    /// The centre it is for.
    pub centre_id: Uuid,
    /// Name of the file.
    pub file_name: String,
    /// Rows in the file, without its heading.
    pub rows_read: i64,
    /// Rows that were refused.
    pub refused: i64,
    /// How far it has come.
    pub state: ImportState,
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
    /// Length of the file's intervals.
    pub grain: Grain,
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

/// Writes the rows of one import.
pub struct ImportWriter {
    store: Store,
    import: Uuid,
    copy: sqlx::postgres::PgCopyIn<PoolConnection<Postgres>>,
    buffer: String,
    rows_read: i64,
    refusals: Vec<Refusal>,
}

impl ImportWriter {
    /// Adds a usable row.
    pub async fn add(&mut self, row: &ImportRow<'_>) -> Result<(), StoreError> {
        use std::fmt::Write;
        self.rows_read += 1;
        // Writing to a string cannot fail.
        let _ = write!(self.buffer, "{}\t{}\t", self.import, row.row_number);
        push_escaped(&mut self.buffer, row.contact_type);
        let _ = write!(
            self.buffer,
            "\t{}\t{}\t{}\t{}\t",
            row.start, row.offered, row.answered, row.abandoned
        );
        match row.handle_secs {
            Some(secs) => drop(writeln!(self.buffer, "{secs}")),
            None => self.buffer.push_str("\\N\n"),
        }
        if self.buffer.len() > COPY_CHUNK { self.send().await } else { Ok(()) }
    }

    /// Notes a refused row.
    pub fn refuse(&mut self, row_number: u64, field: &str, reason: String) {
        self.rows_read += 1;
        if self.refusals.len() < KEPT_REFUSALS as usize {
            let row_number = i64::try_from(row_number).unwrap_or(i64::MAX);
            self.refusals.push(Refusal { row_number, field: field.to_owned(), reason });
        }
    }

    /// Ends the reading: rows that repeat an earlier one are refused, and the import can be looked
    /// at.
    pub async fn finish(mut self) -> Result<Uuid, StoreError> {
        self.send().await?;
        let failed = StoreError::on("reading the file");
        self.copy.finish().await.map_err(&failed)?;
        let mut tx = self.store.pool.begin().await.map_err(&failed)?;
        insert_refusals(&mut tx, self.import, &self.refusals).await?;
        refuse_coarser(&mut tx, self.import).await?;
        refuse_repeats(&mut tx, self.import).await?;
        sqlx::query(
            "UPDATE imports SET state = 'preview', rows_read = $2, \
               refused = $2 - (SELECT count(*) FROM import_rows WHERE import_id = $1) WHERE id = $1",
        )
        .bind(self.import)
        .bind(self.rows_read)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(self.import)
    }

    /// Gives up: nothing of the file is kept.
    pub async fn abandon(self) -> Result<(), StoreError> {
        let failed = StoreError::on("giving up an import");
        // The server answers an aborted COPY with an error of its own making; it is expected.
        drop(self.copy.abort("the file cannot be read").await);
        sqlx::query("DELETE FROM imports WHERE id = $1")
            .bind(self.import)
            .execute(&self.store.pool)
            .await
            .map(|_| ())
            .map_err(&failed)
    }

    async fn send(&mut self) -> Result<(), StoreError> {
        self.copy.send(self.buffer.as_bytes()).await.map_err(StoreError::on("reading the file"))?;
        self.buffer.clear();
        Ok(())
    }
}

/// Text for COPY: its special characters behind a backslash.
fn push_escaped(buffer: &mut String, text: &str) {
    for character in text.chars() {
        match character {
            '\t' => buffer.push_str("\\t"),
            '\n' => buffer.push_str("\\n"),
            '\r' => buffer.push_str("\\r"),
            '\\' => buffer.push_str("\\\\"),
            other => buffer.push(other),
        }
    }
}

async fn insert_refusals(
    connection: &mut sqlx::PgConnection,
    import: Uuid,
    refusals: &[Refusal],
) -> Result<(), StoreError> {
    let rows: Vec<_> = refusals.iter().map(|refusal| refusal.row_number).collect();
    let fields: Vec<_> = refusals.iter().map(|refusal| refusal.field.as_str()).collect();
    let reasons: Vec<_> = refusals.iter().map(|refusal| refusal.reason.as_str()).collect();
    sqlx::query(
        "INSERT INTO import_refusals (import_id, row_number, field, reason) \
         SELECT $1, * FROM unnest($2::int8[], $3::text[], $4::text[])",
    )
    .bind(import)
    .bind(rows)
    .bind(fields)
    .bind(reasons)
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(StoreError::on("noting refused rows"))
}

/// Refuses the second and later rows of the same interval: which is right cannot be told.
async fn refuse_repeats(
    connection: &mut sqlx::PgConnection,
    import: Uuid,
) -> Result<(), StoreError> {
    sqlx::query(
        "WITH repeated AS ( \
           SELECT lower(contact_type) AS contact_type, interval_start, min(row_number) AS first \
           FROM import_rows WHERE import_id = $1 GROUP BY 1, 2 HAVING count(*) > 1), \
         gone AS ( \
           DELETE FROM import_rows AS later USING repeated \
           WHERE later.import_id = $1 AND lower(later.contact_type) = repeated.contact_type \
             AND later.interval_start = repeated.interval_start \
             AND later.row_number > repeated.first \
           RETURNING later.row_number, repeated.first) \
         INSERT INTO import_refusals (import_id, row_number, field, reason) \
         SELECT $1, row_number, 'interval_start', \
           'repeats the interval of row ' || first || '; keep one of them' \
         FROM gone ORDER BY row_number LIMIT $2",
    )
    .bind(import)
    .bind(KEPT_REFUSALS)
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(StoreError::on("looking for repeated rows"))
}

/// The grain of each contact type's rows: the longest interval on whose wall-clock starts they all
/// are. `$1` is the import.
const FILE_GRAINS: &str = "SELECT lower(contact_type) AS key, min(contact_type) AS name, \
     CASE WHEN bool_or(minute % 30 <> 0) THEN 15 WHEN bool_or(minute <> 0) THEN 30 ELSE 60 END AS grain \
     FROM (SELECT contact_type, extract(minute FROM interval_start AT TIME ZONE centres.zone)::int AS minute \
       FROM import_rows JOIN imports ON imports.id = import_rows.import_id \
       JOIN centres ON centres.id = imports.centre_id WHERE import_id = $1) AS starts GROUP BY 1";

/// Refuses rows of contact types whose kept intervals are shorter than the file's: an hour cannot
/// be told apart into halves. Rows that only happen to start on the hour (a correction of 10:00)
/// are no hours: it takes two in a row to tell.
async fn refuse_coarser(
    connection: &mut sqlx::PgConnection,
    import: Uuid,
) -> Result<(), StoreError> {
    sqlx::query(sqlx::AssertSqlSafe(format!(
        "WITH grains AS ({FILE_GRAINS}), \
         coarser AS ( \
           SELECT grains.key, grains.grain, kept.grain_minutes FROM grains \
           JOIN imports ON imports.id = $1 \
           JOIN contact_types AS kept \
             ON kept.centre_id = imports.centre_id AND lower(kept.name) = grains.key \
           WHERE grains.grain > kept.grain_minutes AND EXISTS ( \
             SELECT FROM import_rows AS one JOIN import_rows AS next \
               ON next.import_id = one.import_id \
               AND lower(next.contact_type) = lower(one.contact_type) \
               AND next.interval_start = one.interval_start + make_interval(mins => grains.grain) \
             WHERE one.import_id = $1 AND lower(one.contact_type) = grains.key)), \
         gone AS ( \
           DELETE FROM import_rows AS refused USING coarser \
           WHERE refused.import_id = $1 AND lower(refused.contact_type) = coarser.key \
           RETURNING refused.row_number, coarser.grain, coarser.grain_minutes) \
         INSERT INTO import_refusals (import_id, row_number, field, reason) \
         SELECT $1, row_number, 'interval_start', \
           'the file has ' || grain || '-minute intervals, and this contact type is kept in ' \
             || grain_minutes || ' minutes; export it at ' || grain_minutes || ' minutes or shorter' \
         FROM gone ORDER BY row_number LIMIT $2"
    )))
    .bind(import)
    .bind(KEPT_REFUSALS)
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(StoreError::on("comparing interval lengths"))
}

/// The rows of a preview at the grain in which they will be kept: shorter intervals added up, handle
/// times weighed by answered contacts. `$1` is the import.
const KEPT_ROWS: &str = "SELECT grains.key, kept.id AS contact_type_id, \
       coalesce(kept.grain_minutes, grains.grain) AS minutes, centres.zone, \
       date_bin(make_interval(mins => coalesce(kept.grain_minutes, grains.grain)), \
         import_rows.interval_start, timestamp '2000-01-01' AT TIME ZONE centres.zone) AS interval_start, \
       sum(offered)::int AS offered, sum(answered)::int AS answered, sum(abandoned)::int AS abandoned, \
       sum(answered * handle_secs) / nullif(sum(answered) FILTER (WHERE handle_secs IS NOT NULL), 0) \
         AS handle_secs \
     FROM import_rows JOIN grains ON grains.key = lower(import_rows.contact_type) \
     JOIN imports ON imports.id = import_rows.import_id \
     JOIN centres ON centres.id = imports.centre_id \
     LEFT JOIN contact_types AS kept \
       ON kept.centre_id = imports.centre_id AND lower(kept.name) = grains.key \
     WHERE import_rows.import_id = $1 GROUP BY 1, 2, 3, 4, 5";

/// Intervals missing within each local day, between its first and its last.
const GAPS: &str = "SELECT key, sum(of_day)::int8 AS missing FROM ( \
       SELECT key, extract(epoch FROM max(interval_start) - min(interval_start)) / 60 / min(minutes) \
         + 1 - count(*) AS of_day \
       FROM kept_rows GROUP BY key, (interval_start AT TIME ZONE zone)::date) AS days GROUP BY key";

#[derive(FromRow)]
struct PreviewRow {
    name: String,
    is_new: bool,
    grain: i32,
    added: i64,
    replaced: i64,
    unchanged: i64,
    first: jiff_sqlx::Timestamp,
    last: jiff_sqlx::Timestamp,
    missing: i64,
}

impl Store {
    /// Begins an import.
    pub async fn begin_import(
        &self,
        centre: Uuid,
        file_name: &str,
        by: Uuid,
    ) -> Result<ImportWriter, StoreError> {
        let failed = StoreError::on("beginning an import");
        // Rows of previews that nobody came back to within a day are forgotten first.
        sqlx::query(
            "DELETE FROM import_rows WHERE import_id NOT IN ( \
               SELECT id FROM imports WHERE state IN ('reading', 'preview') \
                 AND created_at > now() - interval '1 day')",
        )
        .execute(&self.pool)
        .await
        .map_err(&failed)?;
        let import = sqlx::query_scalar(
            "INSERT INTO imports (centre_id, file_name, created_by) VALUES ($1, $2, $3) RETURNING id",
        )
        .bind(centre)
        .bind(file_name)
        .bind(by)
        .fetch_one(&self.pool)
        .await
        .map_err(&failed)?;
        let copy = self.pool.copy_in_raw("COPY import_rows FROM STDIN").await.map_err(&failed)?;
        Ok(ImportWriter {
            store: self.clone(),
            import,
            copy,
            buffer: String::with_capacity(COPY_CHUNK + 512),
            rows_read: 0,
            refusals: Vec::new(),
        })
    }

    /// One import.
    pub async fn import(&self, id: Uuid) -> Result<Import, StoreError> {
        sqlx::query_as(
            "SELECT id, centre_id, file_name, rows_read, refused, state FROM imports WHERE id = $1",
        )
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading an import"))
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

    /// What a preview would do, contact type by contact type.
    pub async fn preview(&self, import: Uuid) -> Result<Vec<PreviewLine>, StoreError> {
        let rows: Vec<PreviewRow> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "WITH grains AS ({FILE_GRAINS}), kept_rows AS ({KEPT_ROWS}), gaps AS ({GAPS}) \
             SELECT coalesce(min(kept.name), min(grains.name)) AS name, \
               min(kept.name) IS NULL AS is_new, min(grains.grain) AS grain, \
               count(*) FILTER (WHERE history.offered IS NULL) AS added, \
               count(*) FILTER (WHERE history.offered IS NOT NULL AND {DIFFERS}) AS replaced, \
               count(*) FILTER (WHERE history.offered IS NOT NULL AND NOT {DIFFERS}) AS unchanged, \
               min(kept_rows.interval_start) AS first, max(kept_rows.interval_start) AS last, \
               min(gaps.missing) AS missing \
             FROM kept_rows JOIN grains USING (key) JOIN gaps USING (key) \
             LEFT JOIN contact_types AS kept ON kept.id = kept_rows.contact_type_id \
             LEFT JOIN history USING (contact_type_id, interval_start) \
             GROUP BY key ORDER BY name"
        )))
        .bind(import)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("working out the preview"))?;
        rows.into_iter()
            .map(|row| {
                let grain = i16::try_from(row.grain).unwrap_or_default();
                Ok(PreviewLine {
                    contact_type: row.name,
                    is_new: row.is_new,
                    grain: Grain::try_from(grain).map_err(StoreError::unreadable("imports"))?,
                    added: row.added,
                    replaced: row.replaced,
                    unchanged: row.unchanged,
                    first: row.first.to_jiff(),
                    last: row.last.to_jiff(),
                    missing: row.missing,
                })
            })
            .collect()
    }

    /// Saves a preview in one transaction: all of its usable rows or none. Contact types that are
    /// new are added with `starting_rules`. Returns the contact types that have new history.
    ///
    /// [`StoreError::NotFound`] when the import is not a preview (any more).
    pub async fn confirm_import(
        &self,
        import: Uuid,
        starting_rules: &Rules,
    ) -> Result<Vec<Uuid>, StoreError> {
        let failed = StoreError::on("saving the import");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let centre: Uuid = sqlx::query_scalar(
            "UPDATE imports SET state = 'saved' WHERE id = $1 AND state = 'preview' RETURNING centre_id",
        )
        .bind(import)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        let new: Vec<(String, i32)> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "WITH grains AS ({FILE_GRAINS}) SELECT name, grain FROM grains WHERE NOT EXISTS ( \
               SELECT 1 FROM contact_types AS kept \
               WHERE kept.centre_id = $2 AND lower(kept.name) = grains.key) ORDER BY name"
        )))
        .bind(import)
        .bind(centre)
        .fetch_all(&mut *tx)
        .await
        .map_err(&failed)?;
        for (name, minutes) in new {
            let minutes = i16::try_from(minutes).unwrap_or_default();
            let grain = Grain::try_from(minutes).map_err(StoreError::unreadable("imports"))?;
            insert_contact_type(&mut tx, centre, &name, grain, starting_rules).await?;
        }
        let touched: Vec<Uuid> = sqlx::query_scalar(sqlx::AssertSqlSafe(format!(
            "WITH grains AS ({FILE_GRAINS}), kept_rows AS ({KEPT_ROWS}), saved AS ( \
               INSERT INTO history AS history \
                 (contact_type_id, interval_start, offered, answered, abandoned, handle_secs) \
               SELECT contact_type_id, interval_start, offered, answered, abandoned, handle_secs \
               FROM kept_rows \
               ON CONFLICT (contact_type_id, interval_start) DO UPDATE SET \
                 offered = excluded.offered, answered = excluded.answered, \
                 abandoned = excluded.abandoned, handle_secs = excluded.handle_secs) \
             SELECT DISTINCT contact_type_id FROM kept_rows"
        )))
        .bind(import)
        .fetch_all(&mut *tx)
        .await
        .map_err(&failed)?;
        forget_rows(&mut tx, import).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(touched)
    }

    /// Throws a preview away.
    pub async fn discard_import(&self, import: Uuid) -> Result<(), StoreError> {
        let failed = StoreError::on("discarding the import");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query("UPDATE imports SET state = 'discarded' WHERE id = $1 AND state = 'preview'")
            .bind(import)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        forget_rows(&mut tx, import).await?;
        tx.commit().await.map_err(&failed)
    }
}

const DIFFERS: &str = "(history.offered, history.answered, history.abandoned, history.handle_secs) \
     IS DISTINCT FROM \
     (kept_rows.offered, kept_rows.answered, kept_rows.abandoned, kept_rows.handle_secs)";

async fn forget_rows(connection: &mut sqlx::PgConnection, import: Uuid) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM import_rows WHERE import_id = $1")
        .bind(import)
        .execute(connection)
        .await
        .map(|_| ())
        .map_err(StoreError::on("forgetting an import's rows"))
}
