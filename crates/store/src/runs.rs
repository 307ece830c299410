//! Runs: the one life of long work. Queued, running, then done, failed or cancelled; worked off in parts
//! by any worker, and taken up again where a worker dies.

use barometer_simulate::Summary;
use jiff::Timestamp;
use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::jobs::{self, Job, Lane};
use crate::{Store, StoreError};

/// What a run works out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum RunKind {
    /// A trial; its work is counted in replications.
    Trial,
    /// A comparison or a sweep, in parts.
    Comparison,
    /// A search for shifts, in seconds.
    Shifts,
    /// The forecasts of all contact types, in forecasts.
    Forecasts,
    /// The account of a day, in simulated scenarios.
    Account,
    /// A search for the cheapest design, in simulated days.
    Search,
    /// A report; its work is one.
    Report,
    /// The answer to a question of a page, in steps.
    Answer,
    /// A document or a picture; its work is one.
    Drawing,
}

impl RunKind {
    const fn lane(self) -> Lane {
        match self {
            Self::Forecasts | Self::Report | Self::Answer | Self::Drawing => Lane::Quick,
            Self::Trial | Self::Comparison | Self::Shifts | Self::Account | Self::Search => {
                Lane::Long
            }
        }
    }
}

/// How far a run has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum RunState {
    /// Waits for a worker.
    Queued,
    /// Is being worked on.
    Running,
    /// Has a result.
    Done,
    /// Has none, and a reason.
    Failed,
    /// Was stopped by a person.
    Cancelled,
}

impl RunState {
    /// Whether it will not change any more.
    pub const fn is_over(self) -> bool {
        matches!(self, Self::Done | Self::Failed | Self::Cancelled)
    }
}

/// A run.
#[derive(Clone, Debug, PartialEq)]
pub struct Run {
    /// Key, also of the row of its kind.
    pub id: Uuid,
    /// Whose.
    pub centre: Uuid,
    /// What it works out.
    pub kind: RunKind,
    /// How far it has come.
    pub state: RunState,
    /// Work done, in the units of its kind.
    pub work_done: u32,
    /// Work in all.
    pub work_total: u32,
    /// Seconds since a worker took it up.
    pub running_secs: Option<f64>,
    /// Whether a person asked to stop it.
    pub cancel_requested: bool,
    /// Why it failed, if it did.
    pub failure: Option<String>,
    /// Who wanted it.
    pub created_by: Option<String>,
    /// When.
    pub created_at: Timestamp,
}

impl Run {
    /// The share of the work that is done, 0 to 1.
    pub fn progress(&self) -> f64 {
        (f64::from(self.work_done) / f64::from(self.work_total.max(1))).min(1.0)
    }
}

/// Columns of a [`RunRow`], of `runs` left joined with `users`.
pub(crate) const RUN_COLUMNS: &str = "runs.id AS run_id, runs.centre_id AS run_centre, runs.kind, \
     runs.state, runs.work_done, runs.work_total, \
     extract(epoch FROM coalesce(runs.ended_at, now()) - runs.started_at)::float8 AS running_secs, \
     runs.cancel_requested, runs.failure, users.name AS created_by_name, \
     runs.created_at AS run_created_at";

/// What [`RUN_COLUMNS`] are taken from, for a table whose rows have the key of their run.
pub(crate) const JOIN_RUNS: &str = "LEFT JOIN users ON users.id = runs.created_by";

#[derive(FromRow)]
pub(crate) struct RunRow {
    run_id: Uuid,
    run_centre: Uuid,
    kind: RunKind,
    state: RunState,
    work_done: i32,
    work_total: i32,
    running_secs: Option<f64>,
    cancel_requested: bool,
    failure: Option<String>,
    created_by_name: Option<String>,
    run_created_at: jiff_sqlx::Timestamp,
}

impl From<RunRow> for Run {
    fn from(row: RunRow) -> Self {
        Self {
            id: row.run_id,
            centre: row.run_centre,
            kind: row.kind,
            state: row.state,
            work_done: row.work_done.unsigned_abs(),
            work_total: row.work_total.unsigned_abs(),
            running_secs: row.running_secs,
            cancel_requested: row.cancel_requested,
            failure: row.failure,
            created_by: row.created_by_name,
            created_at: row.run_created_at.to_jiff(),
        }
    }
}

/// A run to be queued.
pub(crate) struct NewRun {
    pub centre: Uuid,
    pub kind: RunKind,
    pub work_total: u32,
    /// Jobs that workers can do side by side.
    pub parts: u32,
    pub created_by: Option<Uuid>,
}

/// Queues a run and its jobs; the caller adds the row of its kind in the same transaction.
pub(crate) async fn queue(connection: &mut PgConnection, new: NewRun) -> Result<Uuid, StoreError> {
    let run: Uuid = sqlx::query_scalar(
        "INSERT INTO runs (centre_id, kind, work_total, created_by) VALUES ($1, $2, $3, $4) \
         RETURNING id",
    )
    .bind(new.centre)
    .bind(new.kind)
    .bind(count(new.work_total))
    .bind(new.created_by)
    .fetch_one(&mut *connection)
    .await
    .map_err(StoreError::on("queueing a run"))?;
    let parts = (0..new.parts).map(|part| Job { run, part: Some(part) });
    jobs::push(connection, new.kind.lane(), parts).await?;
    Ok(run)
}

/// Ends a run as done, and forgets its parts. `false` where it is over already or a person asked to
/// stop it: then it is cancelled, whatever was worked out meanwhile.
pub(crate) async fn end(connection: &mut PgConnection, id: Uuid) -> Result<bool, StoreError> {
    let state: Option<RunState> = sqlx::query_scalar(
        "UPDATE runs SET ended_at = now(), \
           state = CASE WHEN cancel_requested THEN 'cancelled' ELSE 'done' END, \
           work_done = CASE WHEN cancel_requested THEN work_done ELSE work_total END \
         WHERE id = $1 AND state IN ('queued', 'running') RETURNING state",
    )
    .bind(id)
    .fetch_optional(&mut *connection)
    .await
    .map_err(StoreError::on("ending a run"))?;
    forget_parts(connection, id).await?;
    Ok(state == Some(RunState::Done))
}

async fn forget_parts(connection: &mut PgConnection, id: Uuid) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM run_parts WHERE run_id = $1")
        .bind(id)
        .execute(connection)
        .await
        .map(|_| ())
        .map_err(StoreError::on("forgetting the parts of a run"))
}

fn count(number: u32) -> i32 {
    i32::try_from(number).unwrap_or(i32::MAX)
}

impl Store {
    /// One run.
    pub async fn run(&self, id: Uuid) -> Result<Run, StoreError> {
        let row: RunRow = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {RUN_COLUMNS} FROM runs {JOIN_RUNS} WHERE runs.id = $1"
        )))
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading a run"))?;
        Ok(row.into())
    }

    /// The runs that are not over, oldest first.
    pub async fn open_runs(&self) -> Result<Vec<Uuid>, StoreError> {
        sqlx::query_scalar(
            "SELECT id FROM runs WHERE state IN ('queued', 'running') ORDER BY created_at, id",
        )
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing open runs"))
    }

    /// Tells that a run is being worked on; says whether it should go on.
    pub async fn begin_run(&self, id: Uuid) -> Result<bool, StoreError> {
        let cancelled: Option<bool> = sqlx::query_scalar(
            "UPDATE runs SET state = 'running', started_at = coalesce(started_at, now()) \
             WHERE id = $1 AND state IN ('queued', 'running') RETURNING cancel_requested",
        )
        .bind(id)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("beginning a run"))?;
        Ok(cancelled == Some(false))
    }

    /// Notes how much work is done; says whether the run should go on.
    pub async fn report_run(&self, id: Uuid, work_done: u32) -> Result<bool, StoreError> {
        let cancelled: Option<bool> = sqlx::query_scalar(
            "UPDATE runs SET state = 'running', work_done = $2, \
               started_at = coalesce(started_at, now()) \
             WHERE id = $1 AND state IN ('queued', 'running') RETURNING cancel_requested",
        )
        .bind(id)
        .bind(count(work_done))
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reporting a run"))?;
        Ok(cancelled == Some(false))
    }

    /// Asks a run to stop. One that no worker has taken up is stopped at once.
    pub async fn cancel_run(&self, id: Uuid) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE runs SET cancel_requested = true, \
               state = CASE state WHEN 'queued' THEN 'cancelled' ELSE state END, \
               ended_at = CASE state WHEN 'queued' THEN now() END \
             WHERE id = $1 AND state IN ('queued', 'running')",
        )
        .bind(id)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("cancelling a run"))
    }

    /// Queues a run that failed or was cancelled once more, from its beginning; says whether it did.
    pub async fn retry_run(&self, id: Uuid) -> Result<bool, StoreError> {
        let failed = StoreError::on("trying a run again");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let queued: Option<RunKind> = sqlx::query_scalar(
            "UPDATE runs SET state = 'queued', failure = NULL, cancel_requested = false, work_done = 0, \
               started_at = NULL, ended_at = NULL \
             WHERE id = $1 AND state IN ('failed', 'cancelled') RETURNING kind",
        )
        .bind(id)
        .fetch_optional(&mut *tx)
        .await
        .map_err(&failed)?;
        if let Some(kind) = queued {
            forget_parts(&mut tx, id).await?;
            jobs::push(&mut tx, kind.lane(), [Job { run: id, part: None }]).await?;
        }
        tx.commit().await.map_err(&failed)?;
        Ok(queued.is_some())
    }

    /// The latest runs that failed, the latest first.
    pub async fn failed_runs(&self, most: i64) -> Result<Vec<Run>, StoreError> {
        let rows: Vec<RunRow> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {RUN_COLUMNS} FROM runs {JOIN_RUNS} WHERE runs.state = 'failed' \
             ORDER BY runs.ended_at DESC LIMIT $1"
        )))
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing runs that failed"))?;
        Ok(rows.into_iter().map(Run::from).collect())
    }

    /// Ends a run that a person asked to stop.
    pub async fn stop_run(&self, id: Uuid) -> Result<(), StoreError> {
        self.end_without_result(id, None).await
    }

    /// Ends a run that cannot be worked out, with the reason. One that a person asked to stop is
    /// cancelled instead.
    pub async fn fail_run(&self, id: Uuid, why: &str) -> Result<(), StoreError> {
        self.end_without_result(id, Some(why)).await
    }

    async fn end_without_result(&self, id: Uuid, why: Option<&str>) -> Result<(), StoreError> {
        let failed = StoreError::on("stopping a run");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query(
            "UPDATE runs SET ended_at = now(), \
               state = CASE WHEN $2::text IS NULL OR cancel_requested THEN 'cancelled' ELSE 'failed' END, \
               failure = CASE WHEN cancel_requested THEN NULL ELSE $2 END \
             WHERE id = $1 AND state IN ('queued', 'running')",
        )
        .bind(id)
        .bind(why)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        forget_parts(&mut tx, id).await?;
        tx.commit().await.map_err(&failed)
    }

    /// Fails the runs that nobody will work on any more: all of their jobs have used up their attempts,
    /// as when every worker that took one up was killed. Gives how many there were.
    pub async fn fail_abandoned_runs(&self) -> Result<u64, StoreError> {
        let failed = sqlx::query(
            "UPDATE runs SET state = 'failed', ended_at = now(), failure = $2 \
             WHERE state IN ('queued', 'running') \
               AND created_at < now() - interval '1 minute' \
               AND NOT EXISTS ( \
                 SELECT FROM apalis.jobs \
                 WHERE job_type = ANY($1) \
                   AND (convert_from(job, 'UTF8')::jsonb ->> 'run') = runs.id::text \
                   AND NOT (status IN ('Done', 'Killed') \
                     OR (status = 'Failed' AND attempts >= max_attempts)))",
        )
        .bind(Lane::queues())
        .bind("every worker that took it up stopped before it was done; see their logs, then try again")
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("looking for abandoned runs"))?;
        Ok(failed.rows_affected())
    }

    /// Keeps a part of a run. A part that is worked out twice is the same part, and kept once.
    pub async fn keep_run_part(
        &self,
        id: Uuid,
        part: u32,
        work: u32,
        sums: &impl Serialize,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping a part of a run");
        let bytes = encoded(sums)?;
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        // Workers that keep parts of the same run do so one after the other, so that the count grows.
        sqlx::query("SELECT 1 FROM runs WHERE id = $1 FOR UPDATE")
            .bind(id)
            .fetch_one(&mut *tx)
            .await
            .map_err(&failed)?;
        sqlx::query(
            "INSERT INTO run_parts (run_id, part, work, sums) \
             SELECT $1, $2, $3, $4 FROM runs WHERE id = $1 AND state IN ('queued', 'running') \
             ON CONFLICT DO NOTHING",
        )
        .bind(id)
        .bind(count(part))
        .bind(count(work))
        .bind(bytes)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query(
            "UPDATE runs SET work_done = \
               (SELECT coalesce(sum(work), 0) FROM run_parts WHERE run_id = $1) \
             WHERE id = $1 AND state IN ('queued', 'running')",
        )
        .bind(id)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }

    /// Whether a part of a run is there already.
    pub async fn has_run_part(&self, id: Uuid, part: u32) -> Result<bool, StoreError> {
        sqlx::query_scalar("SELECT EXISTS (SELECT FROM run_parts WHERE run_id = $1 AND part = $2)")
            .bind(id)
            .bind(count(part))
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("looking for a part of a run"))
    }

    /// How many parts of a run are there.
    pub async fn count_run_parts(&self, id: Uuid) -> Result<usize, StoreError> {
        let parts: i64 = sqlx::query_scalar("SELECT count(*) FROM run_parts WHERE run_id = $1")
            .bind(id)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("counting the parts of a run"))?;
        Ok(usize::try_from(parts).unwrap_or(0))
    }

    /// The parts of a run that are there from the first on without a gap, in order.
    pub async fn run_parts<P: DeserializeOwned>(&self, id: Uuid) -> Result<Vec<P>, StoreError> {
        let rows: Vec<(i32, Vec<u8>)> =
            sqlx::query_as("SELECT part, sums FROM run_parts WHERE run_id = $1 ORDER BY part")
                .bind(id)
                .fetch_all(&self.pool)
                .await
                .map_err(StoreError::on("reading the parts of a run"))?;
        rows.into_iter()
            .zip(0..)
            .take_while(|((part, _), wanted)| part == wanted)
            .map(|((_, bytes), _)| {
                decoded(&bytes)?.ok_or_else(|| {
                    StoreError::unreadable("sums")(std::io::Error::other("of another layout"))
                })
            })
            .collect()
    }
}

/// What kept sums begin with: they are of Barometer, and of this layout.
const LAYOUT: &[u8] = b"\xb5sums\x05";

/// The layout before, in which a summary ended without its single days.
const WITHOUT_SINGLE_DAYS: &[u8] = b"\xb5sums\x04";

/// Sums as they are kept.
pub(crate) fn encoded(sums: &impl Serialize) -> Result<Vec<u8>, StoreError> {
    postcard::to_extend(sums, LAYOUT.to_vec()).map_err(StoreError::unreadable("sums"))
}

/// The sums of a trial; of the layout before, without single days.
pub(crate) fn decoded_summary(bytes: &[u8]) -> Result<Option<Summary>, StoreError> {
    let Some(sums) = bytes.strip_prefix(WITHOUT_SINGLE_DAYS) else { return decoded(bytes) };
    // An empty list is the count of its entries, which is zero.
    let sums = [sums, &[0]].concat();
    postcard::from_bytes(&sums).map(Some).map_err(StoreError::unreadable("sums"))
}

/// Sums that were kept; `None` where they have another layout.
pub(crate) fn decoded<P: DeserializeOwned>(bytes: &[u8]) -> Result<Option<P>, StoreError> {
    let sums = bytes.strip_prefix(LAYOUT);
    sums.map(|sums| postcard::from_bytes(sums).map_err(StoreError::unreadable("sums"))).transpose()
}
