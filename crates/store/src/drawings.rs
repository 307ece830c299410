//! Documents and pictures that take a browser longer than a page may: each is drawn once for the person who asks.

use sqlx::FromRow;
use uuid::Uuid;

use crate::runs::{JOIN_RUNS, NewRun, RUN_COLUMNS, Run, RunKind, RunRow, end, queue};
use crate::{Store, StoreError, asked_once};

/// Drawings that are kept of a centre; older ones are forgotten, and drawn again when somebody asks.
const MOST_DRAWINGS: i64 = 100;

/// What a web page is drawn as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum DrawnAs {
    /// A PDF.
    Document,
    /// A PNG.
    Bitmap,
}

impl DrawnAs {
    const fn word(self) -> &'static str {
        match self {
            Self::Document => "document",
            Self::Bitmap => "bitmap",
        }
    }
}

/// Something to be drawn.
#[derive(Clone, Copy, Debug)]
pub struct NewDrawing<'a> {
    /// Whose.
    pub centre: Uuid,
    /// For whom, and for nobody else.
    pub user: Uuid,
    /// The web page.
    pub page: &'a str,
    /// As what.
    pub as_what: DrawnAs,
    /// What the file is to be called.
    pub name: &'a str,
    /// The page on which it was asked for.
    pub address: &'a str,
}

/// What was drawn, or is being drawn.
#[derive(Clone, Debug)]
pub struct Drawing {
    /// How far it is.
    pub run: Run,
    /// As what.
    pub as_what: DrawnAs,
    /// What the file is called.
    pub name: String,
    /// The page on which it was asked for.
    pub address: String,
}

#[derive(FromRow)]
struct Row {
    #[sqlx(rename = "drawn_as")]
    as_what: DrawnAs,
    name: String,
    address: String,
    #[sqlx(flatten)]
    run: RunRow,
}

impl Store {
    /// Lets something be drawn, and gives its run: the same one where the same person has asked for the same before.
    /// What failed or was cancelled is drawn again.
    pub async fn draw(&self, new: &NewDrawing<'_>) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("asking for a drawing");
        let text = format!("{} {}", new.as_what.word(), new.page);
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        asked_once::wait_for_turn(&mut tx, &text).await?;
        sqlx::query(
            "DELETE FROM runs USING drawings \
             WHERE runs.id = drawings.id AND user_id = $1 AND digest = sha256(convert_to($2, 'UTF8')) \
               AND state IN ('failed', 'cancelled')",
        )
        .bind(new.user)
        .bind(&text)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        let known: Option<Uuid> = sqlx::query_scalar(
            "UPDATE drawings SET name = $3, address = $4 \
             WHERE user_id = $1 AND digest = sha256(convert_to($2, 'UTF8')) RETURNING id",
        )
        .bind(new.user)
        .bind(&text)
        .bind(new.name)
        .bind(new.address)
        .fetch_optional(&mut *tx)
        .await
        .map_err(&failed)?;
        if let Some(id) = known {
            tx.commit().await.map_err(&failed)?;
            return Ok(id);
        }
        asked_once::make_room(&mut tx, "drawings", new.centre, MOST_DRAWINGS).await?;
        let (centre, created_by) = (new.centre, Some(new.user));
        let run = NewRun { centre, kind: RunKind::Drawing, work_total: 1, parts: 1, created_by };
        let id = queue(&mut tx, run).await?;
        sqlx::query(
            "INSERT INTO drawings (id, centre_id, user_id, digest, kind, page, name, address) \
             VALUES ($1, $2, $3, sha256(convert_to($4, 'UTF8')), $5, $6, $7, $8)",
        )
        .bind(id)
        .bind(new.centre)
        .bind(new.user)
        .bind(&text)
        .bind(new.as_what)
        .bind(new.page)
        .bind(new.name)
        .bind(new.address)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(id)
    }

    /// A drawing of the person for whom it was drawn.
    pub async fn drawing(&self, user: Uuid, id: Uuid) -> Result<Drawing, StoreError> {
        let row: Row = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "SELECT drawings.kind AS drawn_as, drawings.name, drawings.address, {RUN_COLUMNS} \
             FROM drawings JOIN runs ON runs.id = drawings.id {JOIN_RUNS} \
             WHERE drawings.id = $1 AND drawings.user_id = $2"
        )))
        .bind(id)
        .bind(user)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading a drawing"))?;
        let Row { as_what, name, address, run } = row;
        Ok(Drawing { run: run.into(), as_what, name, address })
    }

    /// The file of a drawing that is done.
    pub async fn drawn(&self, id: Uuid) -> Result<Vec<u8>, StoreError> {
        sqlx::query_scalar("SELECT bytes FROM drawings WHERE id = $1 AND bytes IS NOT NULL")
            .bind(id)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading the file of a drawing"))
    }

    /// The page that a worker is to draw, and as what.
    pub async fn page_to_draw(&self, id: Uuid) -> Result<(String, DrawnAs), StoreError> {
        sqlx::query_as("SELECT page, kind FROM drawings WHERE id = $1 AND page IS NOT NULL")
            .bind(id)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading what is to be drawn"))
    }

    /// Ends the run of a drawing with its file.
    pub async fn end_drawing(&self, id: Uuid, bytes: &[u8]) -> Result<(), StoreError> {
        let failed = StoreError::on("keeping a drawing");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        if end(&mut tx, id).await? {
            sqlx::query("UPDATE drawings SET bytes = $2, page = NULL WHERE id = $1")
                .bind(id)
                .bind(bytes)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }
}
