//! Making all forecasts of a centre again, as a run.

use sqlx::PgConnection;
use uuid::Uuid;

use crate::runs::{JOIN_RUNS, NewRun, RUN_COLUMNS, Run, RunKind, RunRow, queue};
use crate::{ContactType, Store, StoreError};

/// Queues forecasts: of these contact types, or of all where none is named. A run that waits already
/// takes them in: it will see every change made until now. One that is under way may have passed a
/// change by.
pub(crate) async fn queue_forecasts(
    connection: &mut PgConnection,
    centre: Uuid,
    types: &[Uuid],
    by: Option<Uuid>,
) -> Result<Uuid, StoreError> {
    let failed = StoreError::on("queueing the forecasts");
    let waiting: Option<(Uuid, bool)> = sqlx::query_as(
        "SELECT id, NOT EXISTS (SELECT FROM forecast_run_types WHERE run_id = runs.id) \
         FROM runs WHERE centre_id = $1 AND kind = 'forecasts' AND state = 'queued' \
         ORDER BY created_at LIMIT 1 FOR UPDATE",
    )
    .bind(centre)
    .fetch_optional(&mut *connection)
    .await
    .map_err(&failed)?;
    let run = match waiting {
        Some((run, true)) => return Ok(run),
        Some((run, false)) => run,
        None => {
            let kind = RunKind::Forecasts;
            let new = NewRun { centre, kind, work_total: 0, parts: 1, created_by: by };
            queue(connection, new).await?
        }
    };
    if types.is_empty() {
        sqlx::query("DELETE FROM forecast_run_types WHERE run_id = $1")
            .bind(run)
            .execute(&mut *connection)
            .await
            .map_err(&failed)?;
    } else {
        sqlx::query(
            "INSERT INTO forecast_run_types (run_id, contact_type_id) \
             SELECT $1, * FROM unnest($2::uuid[]) ON CONFLICT DO NOTHING",
        )
        .bind(run)
        .bind(types)
        .execute(&mut *connection)
        .await
        .map_err(&failed)?;
    }
    sqlx::query(
        "UPDATE runs SET work_total = coalesce( \
           nullif((SELECT count(*) FROM forecast_run_types WHERE run_id = $1), 0), \
           (SELECT count(*) FROM contact_types WHERE centre_id = $2 AND archived_at IS NULL)) WHERE id = $1",
    )
    .bind(run)
    .bind(centre)
    .execute(connection)
    .await
    .map_err(&failed)?;
    Ok(run)
}

/// Queues the forecast of one contact type, in the transaction that changes what it is made from.
pub(crate) async fn queue_forecast_of(
    connection: &mut PgConnection,
    contact_type: Uuid,
    by: Option<Uuid>,
) -> Result<Uuid, StoreError> {
    let centre = sqlx::query_scalar("SELECT centre_id FROM contact_types WHERE id = $1")
        .bind(contact_type)
        .fetch_optional(&mut *connection)
        .await
        .map_err(StoreError::on("queueing a forecast"))?
        .ok_or(StoreError::NotFound)?;
    queue_forecasts(connection, centre, &[contact_type], by).await
}

/// Queues all forecasts of a centre that has any contact types.
pub(crate) async fn queue_all_forecasts(
    connection: &mut PgConnection,
    centre: Uuid,
    by: Option<Uuid>,
) -> Result<(), StoreError> {
    let is_any: bool = sqlx::query_scalar(
        "SELECT EXISTS (SELECT FROM contact_types WHERE centre_id = $1 AND archived_at IS NULL)",
    )
    .bind(centre)
    .fetch_one(&mut *connection)
    .await
    .map_err(StoreError::on("queueing the forecasts"))?;
    if is_any {
        queue_forecasts(connection, centre, &[], by).await?;
    }
    Ok(())
}

impl Store {
    /// Queues a run over all contact types of a centre; the one that waits already, if any.
    pub async fn queue_forecast_run(
        &self,
        centre: Uuid,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing the forecasts");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let run = queue_forecasts(&mut tx, centre, &[], by).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(run)
    }

    /// Queues the forecasts of contact types that could have one and have none, as after an update that threw them
    /// away; `None` where nothing is missing.
    pub async fn queue_missing_forecasts(&self, centre: Uuid) -> Result<Option<Uuid>, StoreError> {
        let failed = StoreError::on("queueing missing forecasts");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let missing: Vec<Uuid> = sqlx::query_scalar(
            "SELECT id FROM contact_types AS types \
             WHERE centre_id = $1 AND archived_at IS NULL \
               AND NOT EXISTS (SELECT FROM forecasts WHERE contact_type_id = types.id) \
               AND (like_type_id IS NOT NULL \
                 OR EXISTS (SELECT FROM history WHERE contact_type_id = types.id)) ORDER BY position",
        )
        .bind(centre)
        .fetch_all(&mut *tx)
        .await
        .map_err(&failed)?;
        if missing.is_empty() {
            return Ok(None);
        }
        let run = queue_forecasts(&mut tx, centre, &missing, None).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(Some(run))
    }

    /// The contact types that a run of forecasts is for; `None` for all of them.
    pub async fn forecast_run_types(&self, run: Uuid) -> Result<Option<Vec<Uuid>>, StoreError> {
        let types: Vec<Uuid> =
            sqlx::query_scalar("SELECT contact_type_id FROM forecast_run_types WHERE run_id = $1")
                .bind(run)
                .fetch_all(&self.pool)
                .await
                .map_err(StoreError::on("reading a run of forecasts"))?;
        Ok((!types.is_empty()).then_some(types))
    }

    /// The run of forecasts that waits or is under way, if any.
    pub async fn open_forecast_run(&self, centre: Uuid) -> Result<Option<Run>, StoreError> {
        let row: Option<RunRow> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {RUN_COLUMNS} FROM runs {JOIN_RUNS} \
             WHERE runs.centre_id = $1 AND kind = 'forecasts' AND state IN ('queued', 'running') \
             ORDER BY runs.created_at DESC LIMIT 1"
        )))
        .bind(centre)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("looking for a run of forecasts"))?;
        Ok(row.map(Run::from))
    }

    /// The last run that makes or was to make the forecast of a contact type.
    pub async fn last_forecast_run_of(
        &self,
        contact_type: &ContactType,
    ) -> Result<Option<Run>, StoreError> {
        let row: Option<RunRow> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {RUN_COLUMNS} FROM runs {JOIN_RUNS} \
             WHERE runs.centre_id = $1 AND kind = 'forecasts' \
               AND (NOT EXISTS (SELECT FROM forecast_run_types WHERE run_id = runs.id) \
                 OR EXISTS (SELECT FROM forecast_run_types \
                            WHERE run_id = runs.id AND contact_type_id = $2)) \
             ORDER BY runs.created_at DESC LIMIT 1"
        )))
        .bind(contact_type.centre)
        .bind(contact_type.id)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("looking for the run of a forecast"))?;
        Ok(row.map(Run::from))
    }

    /// Ends a run of forecasts: all are made.
    pub async fn end_forecast_run(&self, run: Uuid) -> Result<(), StoreError> {
        let mut connection =
            self.pool.acquire().await.map_err(StoreError::on("ending a run of forecasts"))?;
        crate::runs::end(&mut connection, run).await.map(|_| ())
    }
}
