//! Searches for shifts that follow a need, as jobs; and the kinds of shifts of a contact type.

use barometer_plan::{FitProgress, FittedRoster, ShiftProblem, ShiftShape};
use jiff::civil::Date;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::jobs::{Job, push};
use crate::{Store, StoreError};

/// How far a search has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum SearchState {
    /// No worker has taken it yet.
    Queued,
    /// Shifts are being looked for.
    Searching,
    /// There is a roster.
    Found,
    /// There is none, and a reason.
    Failed,
}

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
    /// Seconds that it may take.
    pub limit_secs: u32,
    /// How far it has come.
    pub state: SearchState,
    /// Seconds spent.
    pub elapsed_secs: f64,
    /// Cost of the best roster so far.
    pub cost: Option<f64>,
    /// No roster is better by more than this share.
    pub gap: Option<f64>,
    /// The roster.
    pub roster: Option<FittedRoster>,
    /// Why there is none.
    pub failure: Option<String>,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    contact_type_id: Uuid,
    monday: jiff_sqlx::Date,
    problem: Json<ShiftProblem>,
    limit_secs: i32,
    state: SearchState,
    elapsed_secs: f64,
    cost: Option<f64>,
    gap: Option<f64>,
    roster: Option<Json<FittedRoster>>,
    failure: Option<String>,
}

impl From<Row> for ShiftSearch {
    fn from(row: Row) -> Self {
        Self {
            id: row.id,
            contact_type: row.contact_type_id,
            monday: row.monday.to_jiff(),
            problem: row.problem.0,
            limit_secs: row.limit_secs.unsigned_abs(),
            state: row.state,
            elapsed_secs: row.elapsed_secs,
            cost: row.cost,
            gap: row.gap,
            roster: row.roster.map(|roster| roster.0),
            failure: row.failure,
        }
    }
}

const SEARCH: &str = "SELECT id, contact_type_id, monday, problem, limit_secs, state, elapsed_secs, \
     cost, gap, roster, failure FROM shift_searches";

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
        let id: Uuid = sqlx::query_scalar(
            "INSERT INTO shift_searches (contact_type_id, monday, problem, limit_secs, created_by) \
             VALUES ($1, $2, $3, $4, $5) RETURNING id",
        )
        .bind(contact_type)
        .bind(monday.to_sqlx())
        .bind(Json(problem))
        .bind(i32::try_from(limit_secs).unwrap_or(i32::MAX))
        .bind(by)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        push(&mut tx, [Job::Shifts { shift_search: id }]).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(id)
    }

    /// One search.
    pub async fn shift_search(&self, id: Uuid) -> Result<ShiftSearch, StoreError> {
        let row: Row = sqlx::query_as(sqlx::AssertSqlSafe(format!("{SEARCH} WHERE id = $1")))
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
        let row: Option<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{SEARCH} WHERE contact_type_id = $1 AND monday = $2 ORDER BY created_at DESC LIMIT 1"
        )))
        .bind(contact_type)
        .bind(monday.to_sqlx())
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reading a search for shifts"))?;
        Ok(row.map(ShiftSearch::from))
    }

    /// Keeps how far a search has come; `false` when it shall stop with what it has.
    pub async fn report_shift_search(
        &self,
        id: Uuid,
        progress: FitProgress,
    ) -> Result<bool, StoreError> {
        let cancelled: Option<bool> = sqlx::query_scalar(
            "UPDATE shift_searches SET state = 'searching', elapsed_secs = $2, cost = $3, gap = $4 \
             WHERE id = $1 RETURNING cancel_requested",
        )
        .bind(id)
        .bind(progress.elapsed.as_secs_f64())
        .bind(progress.cost)
        .bind(progress.gap)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reporting a search for shifts"))?;
        Ok(cancelled == Some(false))
    }

    /// Ends a search with its roster, or with the reason why there is none.
    pub async fn end_shift_search(
        &self,
        id: Uuid,
        result: Result<&FittedRoster, &str>,
    ) -> Result<(), StoreError> {
        let state = if result.is_ok() { SearchState::Found } else { SearchState::Failed };
        sqlx::query(
            "UPDATE shift_searches SET state = $2, roster = $3, failure = $4, \
             cost = coalesce($5, cost), gap = coalesce($6, gap) WHERE id = $1",
        )
        .bind(id)
        .bind(state)
        .bind(result.ok().map(Json))
        .bind(result.err())
        .bind(result.ok().map(|roster| roster.cost))
        .bind(result.ok().and_then(|roster| roster.gap))
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("ending a search for shifts"))
    }

    /// Asks a search to stop with what it has.
    pub async fn cancel_shift_search(&self, id: Uuid) -> Result<(), StoreError> {
        sqlx::query("UPDATE shift_searches SET cancel_requested = true WHERE id = $1")
            .bind(id)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("stopping a search for shifts"))
    }
}
