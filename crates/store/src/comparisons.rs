//! Comparisons: queued, played by a worker, kept with everything they depend on.

use barometer_plan::{ComparisonInputs, ComparisonPart, ComparisonResult};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::jobs::{self, Job};
use crate::parts::{Parts, encoded};
use crate::subject::{Subject, SubjectRow};
use crate::trials::TrialState;
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
    /// How far it has come.
    pub state: TrialState,
    /// How much is done, as a share.
    pub progress: f64,
    /// Seconds since a worker took it up.
    pub running_secs: Option<f64>,
    /// Whether a person asked to stop it.
    pub cancel_requested: bool,
    /// What it came to, once done.
    pub result: Option<ComparisonResult>,
    /// Why it failed, if it did.
    pub failure: Option<String>,
    /// When it was asked for.
    pub created_at: Timestamp,
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
    pub state: TrialState,
    /// When it was asked for.
    pub created_at: Timestamp,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    #[sqlx(flatten)]
    subject: SubjectRow,
    title: String,
    inputs: Json<ComparisonInputs>,
    state: TrialState,
    progress: f64,
    running_secs: Option<f64>,
    cancel_requested: bool,
    result: Option<Json<ComparisonResult>>,
    failure: Option<String>,
    created_at: jiff_sqlx::Timestamp,
}

#[derive(FromRow)]
struct LineRow {
    id: Uuid,
    #[sqlx(flatten)]
    subject: SubjectRow,
    title: String,
    state: TrialState,
    created_at: jiff_sqlx::Timestamp,
}

const PARTS: Parts = Parts {
    things: "comparisons",
    table: "comparison_parts",
    owner: "comparison_id",
    what: "playing a comparison in parts",
};

impl Store {
    /// Keeps a comparison and queues it for a worker: both or neither.
    pub async fn queue_comparison(&self, new: &NewComparison) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing a comparison");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let comparison: Uuid = sqlx::query_scalar(
            "INSERT INTO comparisons \
               (centre_id, contact_types, subject, day, days, title, inputs, created_by) \
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8) RETURNING id",
        )
        .bind(new.subject.centre)
        .bind(&new.subject.contact_types)
        .bind(&new.subject.name)
        .bind(new.subject.day.to_sqlx())
        .bind(new.subject.days as i32)
        .bind(&new.title)
        .bind(Json(&new.inputs))
        .bind(new.created_by)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        let parts = new.inputs.parts().len() as u32;
        let jobs = (0..parts).map(|part| Job::Comparison { comparison, part: Some(part) });
        jobs::push(&mut tx, jobs).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(comparison)
    }

    /// One comparison.
    pub async fn comparison(&self, id: Uuid) -> Result<Comparison, StoreError> {
        let row: Row = sqlx::query_as(
            "SELECT comparisons.*, \
               extract(epoch FROM now() - comparisons.started_at)::float8 AS running_secs \
             FROM comparisons WHERE comparisons.id = $1",
        )
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading a comparison"))?;
        Ok(Comparison {
            id: row.id,
            subject: row.subject.into(),
            title: row.title,
            inputs: row.inputs.0,
            state: row.state,
            progress: row.progress,
            running_secs: row.running_secs,
            cancel_requested: row.cancel_requested,
            result: row.result.map(|Json(result)| result),
            failure: row.failure,
            created_at: row.created_at.to_jiff(),
        })
    }

    /// The latest comparisons, newest first.
    pub async fn latest_comparisons(&self, most: i64) -> Result<Vec<ComparisonLine>, StoreError> {
        let rows: Vec<LineRow> = sqlx::query_as(
            "SELECT id, centre_id, contact_types, subject, day, days, title, state, created_at \
             FROM comparisons ORDER BY created_at DESC LIMIT $1",
        )
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing comparisons"))?;
        let line = |row: LineRow| ComparisonLine {
            id: row.id,
            subject: row.subject.into(),
            title: row.title,
            state: row.state,
            created_at: row.created_at.to_jiff(),
        };
        Ok(rows.into_iter().map(line).collect())
    }

    /// Tells that a comparison is being played; says whether it should go on.
    pub async fn begin_comparison(&self, id: Uuid) -> Result<bool, StoreError> {
        PARTS.begin(&self.pool, id).await
    }

    /// Keeps one of so many parts of a comparison. A part that is played twice is kept once.
    pub async fn keep_comparison_part(
        &self,
        id: Uuid,
        (part, of): (u32, usize),
        played: &ComparisonPart,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping a part of a comparison");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        PARTS.lock(&mut tx, id).await?;
        sqlx::query(
            "INSERT INTO comparison_parts (comparison_id, part, summary) \
             VALUES ($1, $2, $3) ON CONFLICT DO NOTHING",
        )
        .bind(id)
        .bind(part as i32)
        .bind(encoded(played)?)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query(
            "UPDATE comparisons SET progress = \
               (SELECT count(*) FROM comparison_parts WHERE comparison_id = $1) / $2 \
             WHERE id = $1 AND state = 'running'",
        )
        .bind(id)
        .bind(of as f64)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }

    /// Whether a part of a comparison is there already.
    pub async fn has_comparison_part(&self, id: Uuid, part: u32) -> Result<bool, StoreError> {
        PARTS.has(&self.pool, id, part).await
    }

    /// How many parts of a comparison are there.
    pub async fn count_comparison_parts(&self, id: Uuid) -> Result<usize, StoreError> {
        PARTS.count(&self.pool, id).await
    }

    /// The parts of a comparison that are there from the first on without a gap, in order.
    pub async fn comparison_parts(&self, id: Uuid) -> Result<Vec<ComparisonPart>, StoreError> {
        PARTS.in_order(&self.pool, id).await
    }

    /// Asks a comparison to stop. One that no worker has taken up is stopped at once.
    pub async fn cancel_comparison(&self, id: Uuid) -> Result<(), StoreError> {
        PARTS.cancel(&self.pool, id).await
    }

    /// Ends a comparison: with its result, as cancelled (`Ok(None)`), or with the reason why it failed.
    pub async fn end_comparison(
        &self,
        id: Uuid,
        result: Result<Option<&ComparisonResult>, &str>,
    ) -> Result<(), StoreError> {
        let state = match result {
            Ok(Some(_)) => TrialState::Done,
            Ok(None) => TrialState::Cancelled,
            Err(_) => TrialState::Failed,
        };
        let failed = StoreError::on("ending a comparison");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query(
            "UPDATE comparisons SET state = $2, result = $3, failure = $4 \
             WHERE id = $1 AND state IN ('queued', 'running')",
        )
        .bind(id)
        .bind(state)
        .bind(result.ok().flatten().map(Json))
        .bind(result.err())
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        PARTS.forget(&mut tx, id).await.map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }
}
