//! Comparisons: queued, played by a worker, kept with everything they depend on.

use barometer_plan::{ComparisonInputs, ComparisonPart, ComparisonResult};
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::runs::{JOIN_RUNS, NewRun, RUN_COLUMNS, Run, RunKind, RunRow, end, queue};
use crate::subject::{Subject, SubjectRow};
use crate::{Store, StoreError};

/// A comparison to be queued.
#[derive(Clone, Debug)]
pub struct NewComparison {
    /// What it is about.
    pub subject: Subject,
    /// What is compared, in words.
    pub title: String,
    /// Everything its numbers follow from.
    pub inputs: ComparisonInputs,
    /// Who wants it.
    pub created_by: Uuid,
}

/// A comparison, with its result once it is done.
#[derive(Clone, Debug)]
pub struct Comparison {
    /// Its key.
    pub id: Uuid,
    /// What it is about.
    pub subject: Subject,
    /// What is compared, in words.
    pub title: String,
    /// Everything its numbers follow from.
    pub inputs: ComparisonInputs,
    /// How far it has come; its work is counted in parts.
    pub run: Run,
    /// The result, once done.
    pub result: Option<ComparisonResult>,
}

/// A comparison in a list.
#[derive(Clone, Debug)]
pub struct ComparisonLine {
    /// Its key.
    pub id: Uuid,
    /// What it is about.
    pub subject: Subject,
    /// What is compared, in words.
    pub title: String,
    /// How far it has come.
    pub run: Run,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    #[sqlx(flatten)]
    subject: SubjectRow,
    title: String,
    inputs: Json<ComparisonInputs>,
    #[sqlx(flatten)]
    run: RunRow,
    result: Option<Json<ComparisonResult>>,
}

#[derive(FromRow)]
struct LineRow {
    id: Uuid,
    #[sqlx(flatten)]
    subject: SubjectRow,
    title: String,
    #[sqlx(flatten)]
    run: RunRow,
}

/// Columns of what a comparison is about.
const SUBJECT: &str = "comparisons.id, comparisons.centre_id, comparisons.contact_types, \
     comparisons.subject, comparisons.day, comparisons.days, comparisons.title";

impl Store {
    /// Keeps a comparison and queues it for a worker: both or neither.
    pub async fn queue_comparison(&self, new: &NewComparison) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing a comparison");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let parts = new.inputs.parts().len() as u32;
        let run = NewRun {
            centre: new.subject.centre,
            kind: RunKind::Comparison,
            work_total: parts,
            parts,
            created_by: Some(new.created_by),
        };
        let comparison = queue(&mut tx, run).await?;
        sqlx::query(
            "INSERT INTO comparisons (id, centre_id, contact_types, subject, day, days, title, inputs) \
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8)",
        )
        .bind(comparison)
        .bind(new.subject.centre)
        .bind(&new.subject.contact_types)
        .bind(&new.subject.name)
        .bind(new.subject.day.to_sqlx())
        .bind(new.subject.days as i32)
        .bind(&new.title)
        .bind(Json(&new.inputs))
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(comparison)
    }

    /// One comparison.
    pub async fn comparison(&self, id: Uuid) -> Result<Comparison, StoreError> {
        let row: Row = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {SUBJECT}, comparisons.inputs, comparisons.result, {RUN_COLUMNS} \
             FROM comparisons JOIN runs USING (id) {JOIN_RUNS} WHERE comparisons.id = $1"
        )))
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading a comparison"))?;
        Ok(Comparison {
            id: row.id,
            subject: row.subject.into(),
            title: row.title,
            inputs: row.inputs.0,
            run: row.run.into(),
            result: row.result.map(|Json(result)| result),
        })
    }

    /// The latest comparisons, newest first.
    pub async fn latest_comparisons(&self, most: i64) -> Result<Vec<ComparisonLine>, StoreError> {
        let rows: Vec<LineRow> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {SUBJECT}, {RUN_COLUMNS} FROM comparisons JOIN runs USING (id) {JOIN_RUNS} \
             ORDER BY runs.created_at DESC LIMIT $1"
        )))
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing comparisons"))?;
        let line = |row: LineRow| ComparisonLine {
            id: row.id,
            subject: row.subject.into(),
            title: row.title,
            run: row.run.into(),
        };
        Ok(rows.into_iter().map(line).collect())
    }

    /// The parts of a comparison that are there from the first on without a gap, in order.
    pub async fn comparison_parts(&self, id: Uuid) -> Result<Vec<ComparisonPart>, StoreError> {
        self.run_parts(id).await
    }

    /// Ends a comparison with its result. One that a person asked to stop is cancelled instead.
    pub async fn end_comparison(
        &self,
        id: Uuid,
        result: &ComparisonResult,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("ending a comparison");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        if end(&mut tx, id).await? {
            sqlx::query("UPDATE comparisons SET result = $2 WHERE id = $1")
                .bind(id)
                .bind(Json(result))
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }
}
