//! Searches for the cheapest design: queued, worked on by one worker, kept with their question.

use barometer_search::{Answer, Progress, Question, Stopped};
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::runs::{JOIN_RUNS, NewRun, RUN_COLUMNS, Run, RunKind, RunRow, end, queue};
use crate::subject::{Subject, SubjectRow};
use crate::{Store, StoreError};

/// A search to be queued.
#[derive(Clone, Debug)]
pub struct NewSearch {
    /// What it is about.
    pub subject: Subject,
    /// What is searched, in words.
    pub title: String,
    /// The version of the strategy that it begins from.
    pub strategy_version: Uuid,
    /// Everything its answer follows from.
    pub question: Question,
    /// Who wants it.
    pub created_by: Uuid,
}

/// A search, with its answer once it is done.
#[derive(Clone, Debug)]
pub struct Search {
    /// Its key.
    pub id: Uuid,
    /// What it is about.
    pub subject: Subject,
    /// What is searched, in words.
    pub title: String,
    /// The version of the strategy that it began from.
    pub strategy_version: Uuid,
    /// Everything its answer follows from.
    pub question: Question,
    /// How far it has come; its work is counted in simulated days.
    pub run: Run,
    /// What it does at the moment.
    pub phase: Option<String>,
    /// Cost of the best design so far.
    pub best_cost: Option<f64>,
    /// The answer, once done.
    pub answer: Option<Answer>,
}

/// A search in a list.
#[derive(Clone, Debug)]
pub struct SearchLine {
    /// Its key.
    pub id: Uuid,
    /// What it is about.
    pub subject: Subject,
    /// What is searched, in words.
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
    strategy_version_id: Uuid,
    question: Json<Question>,
    phase: Option<String>,
    best_cost: Option<f64>,
    answer: Option<Json<Answer>>,
    #[sqlx(flatten)]
    run: RunRow,
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

/// Columns of what a search is about.
const SUBJECT: &str = "searches.id, searches.centre_id, searches.contact_types, searches.subject, \
     searches.day, searches.days, searches.title";

impl Store {
    /// Keeps a search and queues it for a worker: both or neither.
    pub async fn queue_search(&self, new: &NewSearch) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("queueing a search");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let run = NewRun {
            centre: new.subject.centre,
            kind: RunKind::Search,
            work_total: u32::try_from(new.question.most_days).unwrap_or(u32::MAX),
            parts: 1,
            created_by: Some(new.created_by),
        };
        let search = queue(&mut tx, run).await?;
        sqlx::query(
            "INSERT INTO searches (id, centre_id, contact_types, subject, day, days, title, \
               strategy_version_id, question) \
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)",
        )
        .bind(search)
        .bind(new.subject.centre)
        .bind(&new.subject.contact_types)
        .bind(&new.subject.name)
        .bind(new.subject.day.to_sqlx())
        .bind(new.subject.days as i32)
        .bind(&new.title)
        .bind(new.strategy_version)
        .bind(Json(&new.question))
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(search)
    }

    /// One search.
    pub async fn search(&self, id: Uuid) -> Result<Search, StoreError> {
        let row: Row = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {SUBJECT}, searches.strategy_version_id, searches.question, searches.phase, searches.best_cost, \
               searches.answer, {RUN_COLUMNS} \
             FROM searches JOIN runs USING (id) {JOIN_RUNS} WHERE searches.id = $1"
        )))
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading a search"))?;
        Ok(Search {
            id: row.id,
            subject: row.subject.into(),
            title: row.title,
            strategy_version: row.strategy_version_id,
            question: row.question.0,
            run: row.run.into(),
            phase: row.phase,
            best_cost: row.best_cost,
            answer: row.answer.map(|Json(answer)| answer),
        })
    }

    /// The latest searches, newest first.
    pub async fn latest_searches(&self, most: i64) -> Result<Vec<SearchLine>, StoreError> {
        let rows: Vec<LineRow> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT {SUBJECT}, {RUN_COLUMNS} FROM searches JOIN runs USING (id) {JOIN_RUNS} \
             ORDER BY runs.created_at DESC LIMIT $1"
        )))
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing searches"))?;
        let line = |row: LineRow| SearchLine {
            id: row.id,
            subject: row.subject.into(),
            title: row.title,
            run: row.run.into(),
        };
        Ok(rows.into_iter().map(line).collect())
    }

    /// Keeps how far a search has come; says whether it shall stop.
    pub async fn report_search(
        &self,
        id: Uuid,
        progress: Progress,
    ) -> Result<Option<Stopped>, StoreError> {
        let days = u32::try_from(progress.days.min(progress.most_days)).unwrap_or(u32::MAX);
        if !self.report_run(id, days).await? {
            return Ok(Some(Stopped::Cancelled));
        }
        let enough: Option<bool> = sqlx::query_scalar(
            "UPDATE searches SET phase = $2, best_cost = $3 WHERE id = $1 RETURNING enough",
        )
        .bind(id)
        .bind(progress.phase)
        .bind(progress.best_cost)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reporting a search"))?;
        Ok((enough == Some(true)).then_some(Stopped::Enough))
    }

    /// Asks a search to end with the best so far.
    pub async fn enough_of_search(&self, id: Uuid) -> Result<(), StoreError> {
        sqlx::query("UPDATE searches SET enough = true WHERE id = $1")
            .bind(id)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("ending a search"))
    }

    /// Ends a search with its answer. One that a person asked to stop is cancelled instead.
    pub async fn end_search(&self, id: Uuid, answer: &Answer) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping the answer of a search");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        if end(&mut tx, id).await? {
            sqlx::query("UPDATE searches SET answer = $2, best_cost = $3 WHERE id = $1")
                .bind(id)
                .bind(Json(answer))
                .bind(answer.best.cost)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }
}
