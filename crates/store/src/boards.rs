//! Boards that planners arrange.

use barometer_plan::BoardLayout;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::{Edited, Save, Store, StoreError};

/// A board of a planner's own.
#[derive(Clone, Debug, PartialEq)]
pub struct Board {
    /// Its key.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// What stands on it.
    pub layout: BoardLayout,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    name: String,
    layout: Json<BoardLayout>,
}

impl From<Row> for Board {
    fn from(row: Row) -> Self {
        Self { id: row.id, name: row.name, layout: row.layout.0 }
    }
}

impl Store {
    /// The boards of a centre, by name.
    pub async fn boards(&self, centre: Uuid) -> Result<Vec<Board>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT id, name, layout FROM boards WHERE centre_id = $1 ORDER BY lower(name)",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing boards"))?;
        Ok(rows.into_iter().map(Board::from).collect())
    }

    /// One board of a centre.
    pub async fn board(&self, centre: Uuid, id: Uuid) -> Result<Board, StoreError> {
        let row: Row =
            sqlx::query_as("SELECT id, name, layout FROM boards WHERE centre_id = $1 AND id = $2")
                .bind(centre)
                .bind(id)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading a board"))?;
        Ok(row.into())
    }

    /// Adds a board; [`StoreError::Taken`] where there is one of its name.
    pub async fn add_board(
        &self,
        centre: Uuid,
        name: &str,
        layout: &BoardLayout,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        sqlx::query_scalar(
            "INSERT INTO boards (centre_id, name, layout, created_by) VALUES ($1, $2, $3, $4) \
             RETURNING id",
        )
        .bind(centre)
        .bind(name)
        .bind(Json(layout))
        .bind(by)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("adding a board"))
    }

    /// Changes a board; [`StoreError::SavedMeanwhile`] where somebody else did since, [`StoreError::Taken`] where
    /// another one has this name.
    pub async fn change_board(
        &self,
        (centre, id): (Uuid, Uuid),
        name: &str,
        layout: &BoardLayout,
        save: Save,
    ) -> Result<(), StoreError> {
        let change = sqlx::query(
            "UPDATE boards SET name = $3, layout = $4 WHERE id = $2 AND centre_id = $1",
        )
        .bind(centre)
        .bind(id)
        .bind(name)
        .bind(Json(layout));
        self.save_edited(Edited::Board(id), save, "changing a board", change).await
    }

    /// Removes a board.
    pub async fn remove_board(&self, centre: Uuid, id: Uuid) -> Result<(), StoreError> {
        let gone = sqlx::query("DELETE FROM boards WHERE centre_id = $1 AND id = $2")
            .bind(centre)
            .bind(id)
            .execute(&self.pool)
            .await
            .map_err(StoreError::on("removing a board"))?;
        if gone.rows_affected() == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }
}
