//! Trials: queued, played by a worker, kept with everything they depend on.

use barometer_plan::{TrialInputs, TrialResult};
use barometer_simulate::Summary;
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::jobs::{self, Job};
use crate::parts::{Parts, decoded, encoded};
use crate::subject::{Subject, SubjectRow};
use crate::{Store, StoreError};

/// How far a trial has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum TrialState {
    /// Waits for a worker.
    Queued,
    /// Is being played.
    Running,
    /// Has a result.
    Done,
    /// Was stopped by a person.
    Cancelled,
    /// Cannot be played.
    Failed,
}

impl TrialState {
    /// Whether it will not change any more.
    pub const fn is_over(self) -> bool {
        matches!(self, Self::Done | Self::Cancelled | Self::Failed)
    }
}

/// A trial to be queued.
#[derive(Clone, Debug)]
pub struct NewTrial {
    /// What is tried.
    pub subject: Subject,
    /// The version of the strategy.
    pub strategy_version: Uuid,
    /// The chosen cover in words.
    pub cover_words: String,
    /// Everything its numbers follow from.
    pub inputs: TrialInputs,
    /// The form with which it was asked for, to begin another from.
    pub asked: serde_json::Value,
    /// The set of days that it belongs to, if any.
    pub set: Option<TrialSet>,
    /// Who wants it.
    pub created_by: Uuid,
}

/// Trials of several kinds of days that were asked for together.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TrialSet {
    /// Key of the set.
    pub id: Uuid,
    /// What this trial's day is in it, in words.
    pub day_kind: String,
}

/// A trial.
#[derive(Clone, Debug)]
pub struct Trial {
    /// Key.
    pub id: Uuid,
    /// What is tried.
    pub subject: Subject,
    /// The set of days that it belongs to, if any.
    pub set: Option<TrialSet>,
    /// The version of the strategy.
    pub strategy_version: Uuid,
    /// That version's number.
    pub version: i32,
    /// The chosen cover in words.
    pub cover_words: String,
    /// Everything its numbers follow from.
    pub inputs: TrialInputs,
    /// The form with which it was asked for.
    pub asked: serde_json::Value,
    /// How far it has come.
    pub state: TrialState,
    /// Replications played so far.
    pub played: u32,
    /// Seconds since a worker took it up.
    pub running_secs: Option<f64>,
    /// Whether a person asked to stop it.
    pub cancel_requested: bool,
    /// What it came to, once done.
    pub result: Option<TrialResult>,
    /// Why it failed, if it did.
    pub failure: Option<String>,
    /// Who wanted it.
    pub created_by: Option<String>,
    /// When.
    pub created_at: Timestamp,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    #[sqlx(flatten)]
    subject: SubjectRow,
    set_id: Option<Uuid>,
    day_kind: Option<String>,
    strategy_version_id: Uuid,
    version: i32,
    cover_words: String,
    inputs: Json<TrialInputs>,
    asked: serde_json::Value,
    state: TrialState,
    played: i32,
    running_secs: Option<f64>,
    cancel_requested: bool,
    result: Option<Json<TrialResult>>,
    failure: Option<String>,
    created_by_name: Option<String>,
    created_at: jiff_sqlx::Timestamp,
}

impl From<Row> for Trial {
    fn from(row: Row) -> Self {
        Self {
            id: row.id,
            subject: row.subject.into(),
            set: row.set_id.zip(row.day_kind).map(|(id, day_kind)| TrialSet { id, day_kind }),
            strategy_version: row.strategy_version_id,
            version: row.version,
            cover_words: row.cover_words,
            inputs: row.inputs.0,
            asked: row.asked,
            state: row.state,
            played: row.played.unsigned_abs(),
            running_secs: row.running_secs,
            cancel_requested: row.cancel_requested,
            result: row.result.map(|Json(result)| result),
            failure: row.failure,
            created_by: row.created_by_name,
            created_at: row.created_at.to_jiff(),
        }
    }
}

const TRIALS: &str = "SELECT trials.id, trials.centre_id, trials.contact_types, trials.subject, \
       trials.day, trials.days, trials.set_id, trials.day_kind, trials.strategy_version_id, \
       trials.cover_words, trials.inputs, trials.asked, trials.state, trials.played, \
       extract(epoch FROM now() - trials.started_at)::float8 AS running_secs, \
       trials.cancel_requested, trials.result, trials.failure, \
       trials.created_at, strategy_versions.version, users.name AS created_by_name \
     FROM trials \
     JOIN strategy_versions ON strategy_versions.id = trials.strategy_version_id \
     LEFT JOIN users ON users.id = trials.created_by";

/// A trial's parts are sums of its replications.
const PARTS: Parts = Parts {
    things: "trials",
    table: "trial_parts",
    owner: "trial_id",
    what: "playing a trial in parts",
};

impl Store {
    /// Keeps a trial and queues it for a worker: both or neither.
    pub async fn queue_trial(&self, new: &NewTrial) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing a trial");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let (subject, set) = (&new.subject, new.set.as_ref());
        let trial: Uuid = sqlx::query_scalar(
            "INSERT INTO trials (centre_id, contact_types, subject, day, days, set_id, day_kind, \
               strategy_version_id, cover_words, inputs, asked, created_by) \
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) RETURNING id",
        )
        .bind(subject.centre)
        .bind(&subject.contact_types)
        .bind(&subject.name)
        .bind(subject.day.to_sqlx())
        .bind(subject.days as i32)
        .bind(set.map(|set| set.id))
        .bind(set.map(|set| &set.day_kind))
        .bind(new.strategy_version)
        .bind(&new.cover_words)
        .bind(Json(&new.inputs))
        .bind(&new.asked)
        .bind(new.created_by)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        let parts = new.inputs.parts().len() as u32;
        jobs::push(&mut tx, (0..parts).map(|part| Job::Trial { trial, part: Some(part) })).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(trial)
    }

    /// One trial.
    pub async fn trial(&self, id: Uuid) -> Result<Trial, StoreError> {
        let row: Row =
            sqlx::query_as(sqlx::AssertSqlSafe(format!("{TRIALS} WHERE trials.id = $1")))
                .bind(id)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading a trial"))?;
        Ok(row.into())
    }

    /// The trials of a set of days, in the order in which they were asked for.
    pub async fn trials_of_set(&self, set: Uuid) -> Result<Vec<Trial>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{TRIALS} WHERE trials.set_id = $1 ORDER BY trials.created_at, trials.id"
        )))
        .bind(set)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing the trials of a set"))?;
        Ok(rows.into_iter().map(Trial::from).collect())
    }

    /// The latest trials, newest first; of one version of the strategy or of all.
    pub async fn latest_trials(
        &self,
        strategy_version: Option<Uuid>,
        most: i64,
    ) -> Result<Vec<Trial>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{TRIALS} WHERE $1 IS NULL OR trials.strategy_version_id = $1 \
             ORDER BY trials.created_at DESC LIMIT $2"
        )))
        .bind(strategy_version)
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing trials"))?;
        Ok(rows.into_iter().map(Trial::from).collect())
    }

    /// Tells that a trial is being played; says whether it should go on.
    pub async fn begin_trial(&self, id: Uuid) -> Result<bool, StoreError> {
        PARTS.begin(&self.pool, id).await
    }

    /// Keeps a part of a trial. A part that is played twice is the same part, and kept once.
    pub async fn keep_part(
        &self,
        id: Uuid,
        part: u32,
        summary: &Summary,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping a part of a trial");
        let bytes = encoded(summary)?;
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        PARTS.lock(&mut tx, id).await?;
        sqlx::query(
            "INSERT INTO trial_parts (trial_id, part, replications, summary) \
             VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING",
        )
        .bind(id)
        .bind(part as i32)
        .bind(summary.replications() as i32)
        .bind(bytes)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query(
            "UPDATE trials SET played = \
               (SELECT coalesce(sum(replications), 0) FROM trial_parts WHERE trial_id = $1) \
             WHERE id = $1 AND state = 'running'",
        )
        .bind(id)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }

    /// How many parts of a trial are there.
    pub async fn count_parts(&self, id: Uuid) -> Result<usize, StoreError> {
        PARTS.count(&self.pool, id).await
    }

    /// Whether a part is there already.
    pub async fn has_part(&self, id: Uuid, part: u32) -> Result<bool, StoreError> {
        PARTS.has(&self.pool, id, part).await
    }

    /// The parts that are there from the first on without a gap, in order.
    pub async fn parts_in_order(&self, id: Uuid) -> Result<Vec<Summary>, StoreError> {
        PARTS.in_order(&self.pool, id).await
    }

    /// The sums of a finished trial; `None` where it was kept without them.
    pub async fn trial_summary(&self, id: Uuid) -> Result<Option<Summary>, StoreError> {
        let bytes: Option<Vec<u8>> = sqlx::query_scalar("SELECT summary FROM trials WHERE id = $1")
            .bind(id)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading a trial's sums"))?;
        bytes.map(|bytes| decoded(&bytes)).transpose()
    }

    /// Asks a trial to stop. One that no worker has taken up is stopped at once.
    pub async fn cancel_trial(&self, id: Uuid) -> Result<(), StoreError> {
        PARTS.cancel(&self.pool, id).await
    }

    /// Ends a trial with its result. One that was cancelled meanwhile stays cancelled.
    pub async fn finish_trial(&self, id: Uuid, summary: &Summary) -> Result<(), StoreError> {
        let failed = StoreError::on("saving a trial's result");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query(
            "UPDATE trials SET state = 'done', result = $2, summary = $3, played = $4, \
               finished_at = now() \
             WHERE id = $1 AND state IN ('queued', 'running')",
        )
        .bind(id)
        .bind(Json(TrialResult::of(summary)))
        .bind(encoded(summary)?)
        .bind(summary.replications() as i32)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        PARTS.forget(&mut tx, id).await.map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }

    /// Ends a trial without a result: cancelled, or failed with a reason.
    pub async fn stop_trial(&self, id: Uuid, failure: Option<&str>) -> Result<(), StoreError> {
        let failed = StoreError::on("stopping a trial");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query(
            "UPDATE trials SET state = CASE WHEN $2::text IS NULL THEN 'cancelled' ELSE 'failed' END, \
               failure = $2, finished_at = now() \
             WHERE id = $1 AND state IN ('queued', 'running')",
        )
        .bind(id)
        .bind(failure)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        PARTS.forget(&mut tx, id).await.map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }
}
