//! Reports that were made: queued, made by a worker, kept with their files, and sent.

use barometer_report::{Definition, Format, Report};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use super::schedules::Schedule;
use crate::outbox::{self, NewMessage};
use crate::runs::{JOIN_RUNS, NewRun, RUN_COLUMNS, Run, RunKind, RunRow, end, queue};
use crate::{Store, StoreError};

/// A report to be made.
#[derive(Clone, Debug)]
pub struct NewEdition<'a> {
    /// Whose.
    pub centre: Uuid,
    /// Of which report.
    pub report: Uuid,
    /// What it contains.
    pub definition: &'a Definition,
    /// When it is to be made.
    pub due_at: Timestamp,
    /// Who asked for it; none for a schedule.
    pub by: Option<Uuid>,
}

/// A report that was made, or is being made.
#[derive(Clone, Debug)]
pub struct Edition {
    /// Key, also of its run.
    pub id: Uuid,
    /// Of which report.
    pub report_id: Uuid,
    /// By which schedule.
    pub schedule: Option<Uuid>,
    /// What it contains.
    pub definition: Definition,
    /// When it was to be made.
    pub due_at: Timestamp,
    /// How far it is.
    pub run: Run,
    /// The report, when it is done.
    pub report: Option<Report>,
    /// What became of it, in words.
    pub outcome: Option<String>,
}

/// A made report in a list.
#[derive(Clone, Debug)]
pub struct EditionLine {
    /// Key, also of its run.
    pub id: Uuid,
    /// Whether a schedule made it.
    pub is_scheduled: bool,
    /// When it was to be made.
    pub due_at: Timestamp,
    /// How far it is.
    pub run: Run,
    /// Its first sentence, when it is done.
    pub answer: Option<String>,
    /// What became of it, in words.
    pub outcome: Option<String>,
    /// The files that it can be had as.
    pub formats: Vec<Format>,
}

/// A scheduled report that could not be made.
#[derive(Clone, Debug, PartialEq, Eq, FromRow)]
pub struct FailedEdition {
    /// Key.
    pub id: Uuid,
    /// What it is called.
    pub title: String,
    /// Why it failed.
    pub reason: String,
    /// The address of the person who wants it, who is told.
    pub owner: Option<String>,
}

/// A file of a made report.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct EditionFile {
    /// As what.
    pub format: Format,
    /// The file.
    pub bytes: Vec<u8>,
}

/// What a worker made, with what is to be sent.
#[derive(Clone, Debug)]
pub struct MadeEdition<'a> {
    /// The report.
    pub report: &'a Report,
    /// Its files.
    pub files: &'a [EditionFile],
    /// Messages that tell of it.
    pub messages: &'a [NewMessage],
    /// Whether the files go with the messages.
    pub are_attached: bool,
    /// What became of it, in words.
    pub outcome: &'a str,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    report_id: Uuid,
    schedule_id: Option<Uuid>,
    definition: Json<Definition>,
    due_at: jiff_sqlx::Timestamp,
    report: Option<Json<Report>>,
    outcome: Option<String>,
    #[sqlx(flatten)]
    run: RunRow,
}

#[derive(FromRow)]
struct LineRow {
    id: Uuid,
    is_scheduled: bool,
    due_at: jiff_sqlx::Timestamp,
    answer: Option<String>,
    outcome: Option<String>,
    formats: Vec<String>,
    #[sqlx(flatten)]
    run: RunRow,
}

impl From<LineRow> for EditionLine {
    fn from(row: LineRow) -> Self {
        Self {
            id: row.id,
            is_scheduled: row.is_scheduled,
            due_at: row.due_at.to_jiff(),
            run: row.run.into(),
            answer: row.answer,
            outcome: row.outcome,
            formats: row.formats.iter().filter_map(|format| format.parse().ok()).collect(),
        }
    }
}

impl Store {
    /// Queues a report to be made because a person wants it.
    pub async fn queue_edition(&self, new: &NewEdition<'_>) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing a report");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let id = put(&mut tx, new, None).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(id)
    }

    /// Queues the report of a schedule that is due and sets its next time, both or neither; none where another
    /// server was faster.
    pub async fn queue_scheduled_edition(
        &self,
        (schedule, due_at): (&Schedule, Timestamp),
        new: &NewEdition<'_>,
        next_at: Option<Timestamp>,
    ) -> Result<Option<Uuid>, StoreError> {
        let failed = StoreError::on("queueing a scheduled report");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let taken = sqlx::query(
            "UPDATE report_schedules SET next_at = $3 WHERE id = $1 AND is_on AND next_at = $2",
        )
        .bind(schedule.id)
        .bind(due_at.to_sqlx())
        .bind(next_at.map(|at| at.to_sqlx()))
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        if taken.rows_affected() == 0 {
            return Ok(None);
        }
        let id = put(&mut tx, new, Some(schedule.id)).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(Some(id))
    }

    /// One made report.
    pub async fn edition(&self, id: Uuid) -> Result<Edition, StoreError> {
        let row: Row = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT edition.id, edition.report_id, edition.schedule_id, edition.definition, edition.due_at, \
               edition.report, edition.outcome, {RUN_COLUMNS} \
             FROM report_editions AS edition JOIN runs ON runs.id = edition.id {JOIN_RUNS} \
             WHERE edition.id = $1"
        )))
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading a made report"))?;
        Ok(Edition {
            id: row.id,
            report_id: row.report_id,
            schedule: row.schedule_id,
            definition: row.definition.0,
            due_at: row.due_at.to_jiff(),
            run: row.run.into(),
            report: row.report.map(|report| report.0),
            outcome: row.outcome,
        })
    }

    /// What was made of a report, latest first.
    pub async fn editions(&self, report: Uuid, most: i64) -> Result<Vec<EditionLine>, StoreError> {
        let rows: Vec<LineRow> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT edition.id, edition.schedule_id IS NOT NULL AS is_scheduled, edition.due_at, \
               edition.report ->> 'answer' AS answer, edition.outcome, \
               array(SELECT format FROM report_files WHERE edition_id = edition.id ORDER BY format) AS formats, \
               {RUN_COLUMNS} \
             FROM report_editions AS edition JOIN runs ON runs.id = edition.id {JOIN_RUNS} \
             WHERE edition.report_id = $1 ORDER BY edition.due_at DESC, edition.id LIMIT $2"
        )))
        .bind(report)
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing made reports"))?;
        Ok(rows.into_iter().map(EditionLine::from).collect())
    }

    /// Ends a made report: it, its files and its messages, all or nothing. One that a person asked to stop is
    /// cancelled instead, and nothing is sent.
    pub async fn end_edition(
        &self,
        (centre, id): (Uuid, Uuid),
        made: &MadeEdition<'_>,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping a made report");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        if end(&mut tx, id).await? {
            sqlx::query("UPDATE report_editions SET report = $2, outcome = $3 WHERE id = $1")
                .bind(id)
                .bind(Json(made.report))
                .bind(made.outcome)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
            for file in made.files {
                sqlx::query(
                    "INSERT INTO report_files (edition_id, format, bytes) VALUES ($1, $2, $3)",
                )
                .bind(id)
                .bind(file.format.key())
                .bind(&file.bytes)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
            }
            let attached = made.are_attached.then_some(id);
            outbox::put_with_files(&mut tx, centre, made.messages, attached).await?;
        }
        tx.commit().await.map_err(&failed)
    }

    /// The files of a made report.
    pub async fn edition_files(&self, id: Uuid) -> Result<Vec<EditionFile>, StoreError> {
        let rows: Vec<(String, Vec<u8>)> = sqlx::query_as(
            "SELECT format, bytes FROM report_files WHERE edition_id = $1 ORDER BY format",
        )
        .bind(id)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the files of a report"))?;
        let file = |(format, bytes): (String, Vec<u8>)| {
            Some(EditionFile { format: format.parse().ok()?, bytes })
        };
        Ok(rows.into_iter().filter_map(file).collect())
    }

    /// Puts messages about a made report into the outbox once more, with its files where they are attached.
    pub async fn resend_edition(
        &self,
        centre: Uuid,
        id: Uuid,
        messages: &[NewMessage],
        are_attached: bool,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("sending a report again");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        outbox::put_with_files(&mut tx, centre, messages, are_attached.then_some(id)).await?;
        tx.commit().await.map_err(&failed)
    }

    /// Scheduled reports that failed and of which their owner has not been told.
    pub async fn untold_failures(&self, centre: Uuid) -> Result<Vec<FailedEdition>, StoreError> {
        sqlx::query_as(
            "SELECT edition.id, edition.definition ->> 'title' AS title, \
               coalesce(runs.failure, '') AS reason, users.email AS owner \
             FROM report_editions AS edition JOIN runs ON runs.id = edition.id \
             JOIN report_schedules AS schedule ON schedule.id = edition.schedule_id \
             LEFT JOIN users ON users.id = schedule.created_by \
             WHERE runs.centre_id = $1 AND runs.state = 'failed' AND NOT edition.is_told",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("looking for failed reports"))
    }

    /// Tells the owner of a failed report, once.
    pub async fn tell_failure(
        &self,
        (centre, id): (Uuid, Uuid),
        messages: &[NewMessage],
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("telling of a failed report");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let first =
            sqlx::query("UPDATE report_editions SET is_told = true WHERE id = $1 AND NOT is_told")
                .bind(id)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        if first.rows_affected() == 1 {
            outbox::put(&mut tx, centre, messages).await?;
        }
        tx.commit().await.map_err(&failed)
    }

    /// Removes made reports that are older than their report keeps them. Gives how many.
    pub async fn forget_old_editions(&self, now: Timestamp) -> Result<u64, StoreError> {
        let gone = sqlx::query(
            "DELETE FROM runs USING report_editions AS edition, reports \
             WHERE runs.id = edition.id AND reports.id = edition.report_id \
               AND edition.due_at < $1 - make_interval(days => reports.keep_days)",
        )
        .bind(now.to_sqlx())
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("removing old reports"))?;
        Ok(gone.rows_affected())
    }
}

async fn put(
    connection: &mut sqlx::PgConnection,
    new: &NewEdition<'_>,
    schedule: Option<Uuid>,
) -> Result<Uuid, StoreError> {
    let run = NewRun {
        centre: new.centre,
        kind: RunKind::Report,
        work_total: 1,
        parts: 1,
        created_by: new.by,
    };
    let id = queue(&mut *connection, run).await?;
    sqlx::query(
        "INSERT INTO report_editions (id, report_id, schedule_id, definition, due_at) \
         VALUES ($1, $2, $3, $4, $5)",
    )
    .bind(id)
    .bind(new.report)
    .bind(schedule)
    .bind(Json(new.definition))
    .bind(new.due_at.to_sqlx())
    .execute(&mut *connection)
    .await
    .map_err(StoreError::on("queueing a report"))?;
    Ok(id)
}
