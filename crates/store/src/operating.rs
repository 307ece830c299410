//! What an operator asks: whether the database is as it should be, what waits, who works.

use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::migrate::Migrator;

use crate::jobs::Lane;
use crate::{RunKind, RunState, Store, StoreError};

/// The schema that this program works with.
pub(crate) static MIGRATIONS: Migrator = sqlx::migrate!("./migrations");

/// A worker that has given no sign of life for so long counts for dead.
const SILENT_SECS: f64 = 60.0;

/// How things stand, for a monitor.
#[derive(Clone, Debug, PartialEq)]
pub struct OperatingState {
    /// Migrations of this program that the database does not have.
    pub missing_migrations: usize,
    /// Workers that gave a sign of life in the last minute, in the lane that has the fewest.
    pub workers: i64,
    /// Age of the oldest run that waits for a worker, in seconds.
    pub oldest_waiting_secs: Option<f64>,
}

/// A worker that has given a sign of life in the last hour.
#[derive(Clone, Debug, PartialEq, FromRow)]
pub struct WorkerLine {
    /// Its name.
    pub name: String,
    /// Seconds since its last sign of life.
    pub silent_secs: f64,
    /// Whether it counts for alive.
    pub is_alive: bool,
}

/// A backup of the database.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BackupLine {
    /// The moment whose state it holds.
    pub made_at: Timestamp,
    /// Where it was written.
    pub folder: String,
    /// Rows of all tables.
    pub rows: i64,
    /// Whether it was restored elsewhere and compared.
    pub is_checked: bool,
}

/// A table of the database with its size.
#[derive(Clone, Debug, PartialEq, FromRow)]
pub struct TableSize {
    /// Its name.
    pub name: String,
    /// Bytes, indexes included.
    pub bytes: i64,
}

/// Figures for a monitor.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct OperatingFigures {
    /// Runs by kind and state.
    pub runs: Vec<(RunKind, RunState, i64)>,
    /// Imports by state.
    pub imports: Vec<(String, i64)>,
    /// Messages of the outbox by state.
    pub messages: Vec<(String, i64)>,
    /// Age of the oldest forecast in seconds.
    pub oldest_forecast_secs: Option<f64>,
    /// Size of the database in bytes.
    pub database_bytes: i64,
    /// Connections of this process: open, and of those idle.
    pub connections: (u32, usize),
}

impl Store {
    /// How things stand.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn operating_state(&self) -> Result<OperatingState, StoreError> {
        let failed = StoreError::on("asking how things stand");
        let is_migrated: bool =
            sqlx::query_scalar("SELECT to_regclass('_sqlx_migrations') IS NOT NULL")
                .fetch_one(&self.pool)
                .await
                .map_err(&failed)?;
        if !is_migrated {
            let missing_migrations = MIGRATIONS.iter().count();
            return Ok(OperatingState {
                missing_migrations,
                workers: 0,
                oldest_waiting_secs: None,
            });
        }
        let done: Vec<i64> =
            sqlx::query_scalar("SELECT version FROM _sqlx_migrations WHERE success")
                .fetch_all(&self.pool)
                .await
                .map_err(&failed)?;
        let missing = MIGRATIONS.iter().filter(|migration| !done.contains(&migration.version));
        let missing_migrations = missing.count();
        let (workers, oldest_waiting_secs) = sqlx::query_as(
            "SELECT (SELECT min(alive) FROM (SELECT count(worker.id) AS alive FROM unnest($1) AS lane \
                 LEFT JOIN apalis.workers worker ON worker.worker_type = lane \
                   AND worker.last_seen > now() - make_interval(secs => $2) GROUP BY lane) AS lanes), \
               (SELECT extract(epoch FROM now() - min(created_at))::float8 FROM runs WHERE state = 'queued')",
        )
        .bind(Lane::queues())
        .bind(SILENT_SECS)
        .fetch_one(&self.pool)
        .await
        .map_err(&failed)?;
        Ok(OperatingState { missing_migrations, workers, oldest_waiting_secs })
    }

    /// Workers that have given a sign of life in the last hour, the latest first.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn workers(&self) -> Result<Vec<WorkerLine>, StoreError> {
        sqlx::query_as(
            "SELECT id AS name, extract(epoch FROM now() - last_seen)::float8 AS silent_secs, \
               last_seen > now() - make_interval(secs => $2) AS is_alive \
             FROM apalis.workers WHERE worker_type = ANY($1) AND last_seen > now() - interval '1 hour' \
             ORDER BY last_seen DESC",
        )
        .bind(Lane::queues())
        .bind(SILENT_SECS)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing workers"))
    }

    /// The last backup that was made; `None` before the first.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn last_backup(&self) -> Result<Option<BackupLine>, StoreError> {
        let row: Option<(jiff_sqlx::Timestamp, String, i64, bool)> = sqlx::query_as(
            "SELECT made_at, folder, rows, is_checked FROM backups ORDER BY made_at DESC LIMIT 1",
        )
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reading the last backup"))?;
        Ok(row.map(|(made_at, folder, rows, is_checked)| BackupLine {
            made_at: made_at.to_jiff(),
            folder,
            rows,
            is_checked,
        }))
    }

    /// Notes a backup that was made.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn note_backup(&self, backup: &BackupLine) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO backups (made_at, folder, rows, is_checked) VALUES ($1, $2, $3, $4)",
        )
        .bind(backup.made_at.to_sqlx())
        .bind(&backup.folder)
        .bind(backup.rows)
        .bind(backup.is_checked)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("noting a backup"))
    }

    /// Forgets trials, comparisons and searches that ended so many days ago; returns how many. What a change sheet
    /// names as evidence, and the trial with which a version went live, stay for ever.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn forget_old_runs(&self, days: u32) -> Result<u64, StoreError> {
        sqlx::query(
            "DELETE FROM runs \
             WHERE kind IN ('trial', 'comparison', 'search') \
               AND state IN ('done', 'failed', 'cancelled') \
               AND ended_at < now() - make_interval(days => $1) \
               AND NOT EXISTS (SELECT 1 FROM change_sheet_entries \
                 WHERE strpos(act::text, runs.id::text) > 0) \
               AND NOT EXISTS (SELECT 1 FROM go_lives WHERE trial_id = runs.id)",
        )
        .bind(i32::try_from(days).unwrap_or(i32::MAX))
        .execute(&self.pool)
        .await
        .map(|done| done.rows_affected())
        .map_err(StoreError::on("forgetting old runs"))
    }

    /// The largest tables, and the version of the database server.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn sizes(&self, most: i64) -> Result<(Vec<TableSize>, String), StoreError> {
        let failed = StoreError::on("measuring tables");
        let tables = sqlx::query_as(
            "SELECT relname::text AS name, pg_total_relation_size(relid) AS bytes \
             FROM pg_catalog.pg_statio_user_tables ORDER BY 2 DESC, 1 LIMIT $1",
        )
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(&failed)?;
        let version = sqlx::query_scalar("SHOW server_version")
            .fetch_one(&self.pool)
            .await
            .map_err(&failed)?;
        Ok((tables, version))
    }

    /// Figures for a monitor.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn operating_figures(&self) -> Result<OperatingFigures, StoreError> {
        let failed = StoreError::on("reading figures for a monitor");
        let runs =
            sqlx::query_as("SELECT kind, state, count(*) FROM runs GROUP BY 1, 2 ORDER BY 1, 2")
                .fetch_all(&self.pool)
                .await
                .map_err(&failed)?;
        let imports = sqlx::query_as("SELECT state, count(*) FROM imports GROUP BY 1 ORDER BY 1")
            .fetch_all(&self.pool)
            .await
            .map_err(&failed)?;
        let messages = sqlx::query_as("SELECT state, count(*) FROM outbox GROUP BY 1 ORDER BY 1")
            .fetch_all(&self.pool)
            .await
            .map_err(&failed)?;
        let (oldest_forecast_secs, database_bytes) = sqlx::query_as(
            "SELECT extract(epoch FROM now() - min(made_at))::float8, pg_database_size(current_database()) \
             FROM forecasts",
        )
        .fetch_one(&self.pool)
        .await
        .map_err(&failed)?;
        Ok(OperatingFigures {
            runs,
            imports,
            messages,
            oldest_forecast_secs,
            database_bytes,
            connections: (self.pool.size(), self.pool.num_idle()),
        })
    }
}
