//! Questions that take longer than a page may, and their answers: each is worked out once and kept.

use barometer_plan::{Answer, Question};
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::runs::{JOIN_RUNS, NewRun, RUN_COLUMNS, Run, RunKind, RunRow, end, queue};
use crate::{Store, StoreError, asked_once};

/// Answers that are kept of a centre; older ones are forgotten, and worked out again when somebody asks.
const MOST_ANSWERS: i64 = 500;

/// A question's answer, or the run that works it out.
#[derive(Clone, Debug)]
pub struct KeptAnswer {
    /// How far it is.
    pub run: Run,
    /// The answer; none before it is done.
    pub answer: Option<Answer>,
}

#[derive(FromRow)]
struct Row {
    answer: Option<Json<Answer>>,
    #[sqlx(flatten)]
    run: RunRow,
}

impl Store {
    /// The answer to a question of a page; asked first, it is queued for a worker.
    pub async fn ask(
        &self,
        centre: Uuid,
        question: &Question,
        address: &str,
        by: Option<Uuid>,
    ) -> Result<KeptAnswer, StoreError> {
        let failed = StoreError::on("asking a question");
        let text = serde_json::to_string(question).map_err(StoreError::unreadable("questions"))?;
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        asked_once::wait_for_turn(&mut tx, &text).await?;
        if let Some(known) = known(&mut tx, centre, &text).await? {
            return Ok(known);
        }
        asked_once::make_room(&mut tx, "answers", centre, MOST_ANSWERS).await?;
        let (kind, work_total) = (RunKind::Answer, question.steps());
        let new = NewRun { centre, kind, work_total, parts: 1, created_by: by };
        let id = queue(&mut tx, new).await?;
        sqlx::query(
            "INSERT INTO answers (id, centre_id, digest, question, address) \
             VALUES ($1, $2, sha256(convert_to($3, 'UTF8')), $3::json, $4)",
        )
        .bind(id)
        .bind(centre)
        .bind(&text)
        .bind(address)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(KeptAnswer { run: self.run(id).await?, answer: None })
    }

    /// The answer to a question, or the run that works it out, where somebody has asked it before; nothing is queued.
    pub async fn asked_before(
        &self,
        centre: Uuid,
        question: &Question,
    ) -> Result<Option<KeptAnswer>, StoreError> {
        let text = serde_json::to_string(question).map_err(StoreError::unreadable("questions"))?;
        let connection = self.pool.acquire().await;
        let mut connection = connection.map_err(StoreError::on("looking for an answer"))?;
        known(&mut connection, centre, &text).await
    }

    /// A question that is to be answered, and the page that asked it.
    pub async fn question(&self, id: Uuid) -> Result<(Question, String), StoreError> {
        let row: (Json<Question>, String) =
            sqlx::query_as("SELECT question, address FROM answers WHERE id = $1")
                .bind(id)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading a question"))?;
        Ok((row.0.0, row.1))
    }

    /// Ends the run of a question with its answer.
    pub async fn end_answer(&self, id: Uuid, answer: &Answer) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping an answer");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        if end(&mut tx, id).await? {
            sqlx::query("UPDATE answers SET answer = $2 WHERE id = $1")
                .bind(id)
                .bind(Json(answer))
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }
}

/// The answer to a question by its text; none where nobody has asked it.
async fn known(
    connection: &mut sqlx::PgConnection,
    centre: Uuid,
    text: &str,
) -> Result<Option<KeptAnswer>, StoreError> {
    let row: Option<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
        "SELECT answers.answer, {RUN_COLUMNS} FROM answers JOIN runs ON runs.id = answers.id {JOIN_RUNS} \
         WHERE answers.centre_id = $1 AND digest = sha256(convert_to($2, 'UTF8'))"
    )))
    .bind(centre)
    .bind(text)
    .fetch_optional(connection)
    .await
    .map_err(StoreError::on("looking for an answer"))?;
    Ok(row.map(|row| KeptAnswer { run: row.run.into(), answer: row.answer.map(|answer| answer.0) }))
}
