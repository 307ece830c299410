//! Making all forecasts of a centre anew, as a job.

use sqlx::FromRow;
use uuid::Uuid;

use crate::jobs::{Job, push};
use crate::{Store, StoreError};

/// How far a run has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum RunState {
    /// No worker has taken it yet.
    Waiting,
    /// Forecasts are being made.
    Running,
    /// All are made.
    Done,
    /// It was stopped; the forecasts made until then stay.
    Cancelled,
    /// The database or a forecast failed.
    Failed,
}

impl RunState {
    /// Whether nothing more will happen.
    pub fn is_over(self) -> bool {
        !matches!(self, Self::Waiting | Self::Running)
    }
}

/// A run over all contact types.
#[derive(Clone, Debug, FromRow)]
pub struct ForecastRun {
    /// Key.
    pub id: Uuid,
    /// The centre.
    pub centre_id: Uuid,
    /// Contact types in it.
    pub total: i32,
    /// Forecasts made.
    pub done: i32,
    /// How far it has come.
    pub state: RunState,
}

const RUN: &str = "SELECT id, centre_id, total, done, state FROM forecast_runs";

impl Store {
    /// Queues a run over all contact types of a centre; the one that waits or runs already, if any.
    pub async fn queue_forecast_run(
        &self,
        centre: Uuid,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing the forecasts");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        // What waits will see every change made until now; what runs may have passed it by.
        let waiting: Option<Uuid> = sqlx::query_scalar(
            "SELECT id FROM forecast_runs WHERE centre_id = $1 AND state = 'waiting' LIMIT 1",
        )
        .bind(centre)
        .fetch_optional(&mut *tx)
        .await
        .map_err(&failed)?;
        if let Some(waiting) = waiting {
            return Ok(waiting);
        }
        let run: Uuid = sqlx::query_scalar(
            "INSERT INTO forecast_runs (centre_id, created_by, total) \
             SELECT $1, $2, count(*) FROM contact_types WHERE centre_id = $1 RETURNING id",
        )
        .bind(centre)
        .bind(by)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        push(&mut tx, [Job::Forecasts { forecast_run: run }]).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(run)
    }

    /// One run.
    pub async fn forecast_run(&self, id: Uuid) -> Result<ForecastRun, StoreError> {
        sqlx::query_as(sqlx::AssertSqlSafe(format!("{RUN} WHERE id = $1")))
            .bind(id)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading a run of forecasts"))
    }

    /// The run that waits or runs, if any.
    pub async fn open_forecast_run(&self, centre: Uuid) -> Result<Option<ForecastRun>, StoreError> {
        sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{RUN} WHERE centre_id = $1 AND state IN ('waiting', 'running') \
             ORDER BY created_at DESC LIMIT 1"
        )))
        .bind(centre)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("looking for a run of forecasts"))
    }

    /// Notes how many forecasts are made; `false` when the run was cancelled and should stop.
    pub async fn report_forecasts(&self, run: Uuid, done: usize) -> Result<bool, StoreError> {
        let noted = sqlx::query(
            "UPDATE forecast_runs SET state = 'running', done = $2 \
             WHERE id = $1 AND state IN ('waiting', 'running')",
        )
        .bind(run)
        .bind(i32::try_from(done).unwrap_or(i32::MAX))
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("noting progress"))?;
        Ok(noted.rows_affected() > 0)
    }

    /// Ends a run that is not over yet.
    pub async fn end_forecast_run(&self, run: Uuid, state: RunState) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE forecast_runs SET state = $2 \
             WHERE id = $1 AND state IN ('waiting', 'running')",
        )
        .bind(run)
        .bind(state)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("ending a run of forecasts"))
    }
}
