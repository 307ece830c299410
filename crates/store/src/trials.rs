//! Trials: queued, played by a worker, kept with everything they depend on.

use barometer_plan::{TrialDigest, TrialInputs, TrialResult};
use barometer_simulate::Summary;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::runs::{
    JOIN_RUNS, NewRun, RUN_COLUMNS, Run, RunKind, RunRow, decoded_summary, encoded, end, queue,
};
use crate::subject::{Subject, SubjectRow};
use crate::{Store, StoreError};

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
    /// How far it has come; its work is counted in replications.
    pub run: Run,
    /// The result, once done.
    pub result: Option<TrialResult>,
}

/// A trial in a list.
#[derive(Clone, Debug)]
pub struct TrialLine {
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
    /// How far it has come.
    pub run: Run,
    /// The result, once done.
    pub digest: Option<TrialDigest>,
}

#[derive(FromRow)]
struct Row {
    #[sqlx(flatten)]
    line: LineRow,
    inputs: Json<TrialInputs>,
    asked: serde_json::Value,
    result: Option<Json<TrialResult>>,
}

#[derive(FromRow)]
struct LineRow {
    id: Uuid,
    #[sqlx(flatten)]
    subject: SubjectRow,
    set_id: Option<Uuid>,
    day_kind: Option<String>,
    strategy_version_id: Uuid,
    version: i32,
    cover_words: String,
    digest: Option<Json<TrialDigest>>,
    #[sqlx(flatten)]
    run: RunRow,
}

impl From<Row> for Trial {
    fn from(row: Row) -> Self {
        let line = TrialLine::from(row.line);
        Self {
            id: line.id,
            subject: line.subject,
            set: line.set,
            strategy_version: line.strategy_version,
            version: line.version,
            cover_words: line.cover_words,
            inputs: row.inputs.0,
            asked: row.asked,
            run: line.run,
            result: row.result.map(|Json(result)| result),
        }
    }
}

impl From<LineRow> for TrialLine {
    fn from(row: LineRow) -> Self {
        Self {
            id: row.id,
            subject: row.subject.into(),
            set: row.set_id.zip(row.day_kind).map(|(id, day_kind)| TrialSet { id, day_kind }),
            strategy_version: row.strategy_version_id,
            version: row.version,
            cover_words: row.cover_words,
            run: row.run.into(),
            digest: row.digest.map(|Json(digest)| digest),
        }
    }
}

/// Columns of a [`LineRow`].
const LINE: &str = "trials.id, trials.centre_id, trials.contact_types, trials.subject, \
     trials.day, trials.days, trials.set_id, trials.day_kind, trials.strategy_version_id, \
     trials.cover_words, trials.digest, strategy_versions.version";

/// What a trial is read from.
const FROM: &str = "FROM trials JOIN runs USING (id) \
     JOIN strategy_versions ON strategy_versions.id = trials.strategy_version_id";

fn whole(condition: &str) -> String {
    format!(
        "SELECT {LINE}, trials.inputs, trials.asked, trials.result, {RUN_COLUMNS} {FROM} {JOIN_RUNS} \
         {condition}"
    )
}

impl Store {
    /// Keeps a trial and queues it for a worker: both or neither.
    pub async fn queue_trial(&self, new: &NewTrial) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing a trial");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let (subject, set) = (&new.subject, new.set.as_ref());
        let run = NewRun {
            centre: subject.centre,
            kind: RunKind::Trial,
            work_total: new.inputs.replications,
            parts: new.inputs.parts().len() as u32,
            created_by: Some(new.created_by),
        };
        let trial = queue(&mut tx, run).await?;
        sqlx::query(
            "INSERT INTO trials (id, centre_id, contact_types, subject, day, days, set_id, day_kind, \
               strategy_version_id, cover_words, inputs, asked) \
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)",
        )
        .bind(trial)
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
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(trial)
    }

    /// One trial.
    pub async fn trial(&self, id: Uuid) -> Result<Trial, StoreError> {
        let row: Row = sqlx::query_as(sqlx::AssertSqlSafe(whole("WHERE trials.id = $1")))
            .bind(id)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading a trial"))?;
        Ok(row.into())
    }

    /// The trials of a set of days, in the order in which they were asked for.
    pub async fn trials_of_set(&self, set: Uuid) -> Result<Vec<Trial>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(whole(
            "WHERE trials.set_id = $1 ORDER BY runs.created_at, trials.id",
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
    ) -> Result<Vec<TrialLine>, StoreError> {
        let rows: Vec<LineRow> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {LINE}, {RUN_COLUMNS} {FROM} {JOIN_RUNS} \
             WHERE $1 IS NULL OR trials.strategy_version_id = $1 \
             ORDER BY runs.created_at DESC LIMIT $2"
        )))
        .bind(strategy_version)
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing trials"))?;
        Ok(rows.into_iter().map(TrialLine::from).collect())
    }

    /// The parts of a trial that are there from the first on without a gap, in order.
    pub async fn trial_parts(&self, id: Uuid) -> Result<Vec<Summary>, StoreError> {
        self.run_parts(id).await
    }

    /// The sums of a finished trial; `None` where it was kept without them, or by an earlier version
    /// that laid them out otherwise.
    pub async fn trial_summary(&self, id: Uuid) -> Result<Option<Summary>, StoreError> {
        let bytes: Option<Vec<u8>> = sqlx::query_scalar("SELECT summary FROM trials WHERE id = $1")
            .bind(id)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading a trial's sums"))?;
        bytes.map_or(Ok(None), |bytes| decoded_summary(&bytes))
    }

    /// Ends a trial with its result. One that a person asked to stop is cancelled instead.
    pub async fn finish_trial(&self, id: Uuid, summary: &Summary) -> Result<(), StoreError> {
        let failed = StoreError::on("saving a trial's result");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        if end(&mut tx, id).await? {
            let inputs: Json<TrialInputs> =
                sqlx::query_scalar("SELECT inputs FROM trials WHERE id = $1")
                    .bind(id)
                    .fetch_one(&mut *tx)
                    .await
                    .map_err(&failed)?;
            let result = TrialResult::of(summary);
            sqlx::query("UPDATE trials SET result = $2, digest = $3, summary = $4 WHERE id = $1")
                .bind(id)
                .bind(Json(&result))
                .bind(Json(TrialDigest::of(&inputs.0, &result)))
                .bind(encoded(summary)?)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
            // A trial that was precise enough early has fewer replications than it was asked for.
            sqlx::query("UPDATE runs SET work_done = $2 WHERE id = $1")
                .bind(id)
                .bind(summary.replications() as i32)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }
}
