//! Searches for shifts that follow a need, as runs; and the kinds of shifts of a contact type.

use std::time::Duration;

use barometer_plan::{FitProgress, FittedRoster, ShiftProblem, ShiftShape};
use jiff::civil::Date;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::runs::{JOIN_RUNS, NewRun, RUN_COLUMNS, Run, RunKind, RunRow, end, queue};
use crate::{Store, StoreError};

/// A search.
#[derive(Clone, Debug)]
pub struct ShiftSearch {
    /// Key.
    pub id: Uuid,
    /// Whose need.
    pub contact_type: Uuid,
    /// First day of the week.
    pub monday: Date,
    /// Need and shapes.
    pub problem: ShiftProblem,
    /// How far it has come; its work is counted in seconds.
    pub run: Run,
    /// Cost of the best roster so far.
    pub cost: Option<f64>,
    /// No roster is better by more than this share.
    pub gap: Option<f64>,
    /// The roster.
    pub roster: Option<FittedRoster>,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    contact_type_id: Uuid,
    monday: jiff_sqlx::Date,
    problem: Json<ShiftProblem>,
    #[sqlx(flatten)]
    run: RunRow,
    cost: Option<f64>,
    gap: Option<f64>,
    roster: Option<Json<FittedRoster>>,
}

impl From<Row> for ShiftSearch {
    fn from(row: Row) -> Self {
        Self {
            id: row.id,
            contact_type: row.contact_type_id,
            monday: row.monday.to_jiff(),
            problem: row.problem.0,
            run: row.run.into(),
            cost: row.cost,
            gap: row.gap,
            roster: row.roster.map(|roster| roster.0),
        }
    }
}

fn search(condition: &str) -> String {
    format!(
        "SELECT search.id, search.contact_type_id, search.monday, search.problem, search.cost, \
           search.gap, search.roster, {RUN_COLUMNS} \
         FROM shift_searches AS search JOIN runs ON runs.id = search.id {JOIN_RUNS} {condition}"
    )
}

impl Store {
    /// The kinds of shifts of a contact type; none before anybody made one.
    pub async fn shift_shapes(&self, contact_type: Uuid) -> Result<Vec<ShiftShape>, StoreError> {
        let shapes: Option<Json<Vec<ShiftShape>>> =
            sqlx::query_scalar("SELECT shift_shapes FROM contact_types WHERE id = $1")
                .bind(contact_type)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading kinds of shifts"))?;
        Ok(shapes.map_or_else(Vec::new, |shapes| shapes.0))
    }

    /// Queues a search, and keeps its kinds of shifts for the next one.
    pub async fn queue_shift_search(
        &self,
        contact_type: Uuid,
        monday: Date,
        problem: &ShiftProblem,
        limit_secs: u32,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing a search for shifts");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query("UPDATE contact_types SET shift_shapes = $2 WHERE id = $1")
            .bind(contact_type)
            .bind(Json(&problem.shapes))
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        let centre: Uuid = sqlx::query_scalar("SELECT centre_id FROM contact_types WHERE id = $1")
            .bind(contact_type)
            .fetch_one(&mut *tx)
            .await
            .map_err(&failed)?;
        let (kind, work_total) = (RunKind::Shifts, limit_secs);
        let new = NewRun { centre, kind, work_total, parts: 1, created_by: by };
        let id = queue(&mut tx, new).await?;
        sqlx::query(
            "INSERT INTO shift_searches (id, contact_type_id, monday, problem) \
             VALUES ($1, $2, $3, $4)",
        )
        .bind(id)
        .bind(contact_type)
        .bind(monday.to_sqlx())
        .bind(Json(problem))
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(id)
    }

    /// One search.
    pub async fn shift_search(&self, id: Uuid) -> Result<ShiftSearch, StoreError> {
        let row: Row = sqlx::query_as(sqlx::AssertSqlSafe(search("WHERE search.id = $1")))
            .bind(id)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading a search for shifts"))?;
        Ok(row.into())
    }

    /// The newest search for a week of a contact type.
    pub async fn newest_shift_search(
        &self,
        contact_type: Uuid,
        monday: Date,
    ) -> Result<Option<ShiftSearch>, StoreError> {
        let row: Option<Row> = sqlx::query_as(sqlx::AssertSqlSafe(search(
            "WHERE search.contact_type_id = $1 AND search.monday = $2 \
             ORDER BY runs.created_at DESC LIMIT 1",
        )))
        .bind(contact_type)
        .bind(monday.to_sqlx())
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reading a search for shifts"))?;
        Ok(row.map(ShiftSearch::from))
    }

    /// Keeps how far a search has come after a time; `false` when it shall end with what it has.
    pub async fn report_shift_search(
        &self,
        id: Uuid,
        elapsed: Duration,
        progress: FitProgress,
    ) -> Result<bool, StoreError> {
        let secs = elapsed.as_secs_f64().round() as u32;
        let goes_on = self.report_run(id, secs).await?;
        let enough: Option<bool> = sqlx::query_scalar(
            "UPDATE shift_searches SET cost = $2, gap = $3 WHERE id = $1 RETURNING enough",
        )
        .bind(id)
        .bind(progress.cost)
        .bind(progress.gap)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reporting a search for shifts"))?;
        Ok(goes_on && enough == Some(false))
    }

    /// Ends a search with its roster.
    pub async fn end_shift_search(
        &self,
        id: Uuid,
        roster: &FittedRoster,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("ending a search for shifts");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        if !end(&mut tx, id).await? {
            return tx.commit().await.map_err(&failed);
        }
        sqlx::query(
            "UPDATE shift_searches SET roster = $2, cost = coalesce($3, cost), \
               gap = coalesce($4, gap) WHERE id = $1",
        )
        .bind(id)
        .bind(Json(roster))
        .bind(roster.cost)
        .bind(roster.gap)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }

    /// Asks a search to end with what it has.
    pub async fn enough_of_shift_search(&self, id: Uuid) -> Result<(), StoreError> {
        sqlx::query("UPDATE shift_searches SET enough = true WHERE id = $1")
            .bind(id)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("ending a search for shifts"))
    }
}
