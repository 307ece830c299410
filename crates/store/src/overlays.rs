//! What the business knows and history does not.

use barometer_forecast::Overlay;
use jiff::Timestamp;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::forecast_runs::queue_forecast_of;
use crate::{Store, StoreError};

/// An overlay as it is kept.
#[derive(Clone, Debug, PartialEq)]
pub struct KeptOverlay {
    /// Key.
    pub id: Uuid,
    /// The contact type whose forecast it changes.
    pub contact_type: Uuid,
    /// Name, such as "Autumn sale".
    pub name: String,
    /// What it does.
    pub overlay: Overlay,
    /// The contact type that gets what this one loses.
    pub moves_to: Option<Uuid>,
    /// Who entered it.
    pub by: Option<String>,
    /// When.
    pub at: Timestamp,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    contact_type_id: Uuid,
    name: String,
    change: Json<Overlay>,
    moves_to: Option<Uuid>,
    by: Option<String>,
    created_at: jiff_sqlx::Timestamp,
}

impl Store {
    /// The overlays of a contact type and those that move contacts to it, oldest first: the order
    /// in which they apply.
    pub async fn overlays(&self, contact_type: Uuid) -> Result<Vec<KeptOverlay>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT overlays.id, contact_type_id, overlays.name, change, moves_to, \
               users.name AS by, created_at \
             FROM overlays LEFT JOIN users ON users.id = created_by \
             WHERE contact_type_id = $1 OR moves_to = $1 ORDER BY created_at, overlays.id",
        )
        .bind(contact_type)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading overlays"))?;
        let kept = |row: Row| KeptOverlay {
            id: row.id,
            contact_type: row.contact_type_id,
            name: row.name,
            overlay: row.change.0,
            moves_to: row.moves_to,
            by: row.by,
            at: row.created_at.to_jiff(),
        };
        Ok(rows.into_iter().map(kept).collect())
    }

    /// Adds an overlay, and queues the forecasts that it changes.
    pub async fn add_overlay(
        &self,
        contact_type: Uuid,
        name: &str,
        overlay: &Overlay,
        moves_to: Option<Uuid>,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("adding an overlay");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let id = sqlx::query_scalar(
            "INSERT INTO overlays (contact_type_id, name, change, moves_to, created_by) \
             VALUES ($1, $2, $3, $4, $5) RETURNING id",
        )
        .bind(contact_type)
        .bind(name)
        .bind(Json(overlay))
        .bind(moves_to)
        .bind(by)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        for changed in [Some(contact_type), moves_to].into_iter().flatten() {
            queue_forecast_of(&mut tx, changed, by).await?;
        }
        tx.commit().await.map_err(&failed)?;
        Ok(id)
    }

    /// Takes an overlay away, and queues the forecasts that it changed.
    pub async fn remove_overlay(
        &self,
        contact_type: Uuid,
        id: Uuid,
        by: Option<Uuid>,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("removing an overlay");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let moved_to: Option<Uuid> = sqlx::query_scalar(
            "DELETE FROM overlays WHERE contact_type_id = $1 AND id = $2 RETURNING moves_to",
        )
        .bind(contact_type)
        .bind(id)
        .fetch_optional(&mut *tx)
        .await
        .map_err(&failed)?
        .ok_or(StoreError::NotFound)?;
        for changed in [Some(contact_type), moved_to].into_iter().flatten() {
            queue_forecast_of(&mut tx, changed, by).await?;
        }
        tx.commit().await.map_err(&failed)
    }
}
