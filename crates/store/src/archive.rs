//! Contact types that are not used any more: they are archived with everything that belongs to them and can be restored;
//! only from the archive are they removed for good.

use jiff::Timestamp;
use uuid::Uuid;

use crate::forecast_runs::queue_forecast_of;
use crate::{Store, StoreError};

/// An archived contact type.
#[derive(Clone, Debug, PartialEq)]
pub struct ArchivedType {
    /// Key.
    pub id: Uuid,
    /// Name as shown.
    pub name: String,
    /// Since when.
    pub since: Timestamp,
    /// Who archived it; none for people who are gone.
    pub by: Option<String>,
    /// Intervals of its history.
    pub intervals: i64,
}

impl Store {
    /// The archived contact types of a centre, by name.
    pub async fn archived_types(&self, centre: Uuid) -> Result<Vec<ArchivedType>, StoreError> {
        type Row = (Uuid, String, jiff_sqlx::Timestamp, Option<String>, i64);
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT types.id, types.name, archived_at, users.name, \
               (SELECT count(*) FROM history WHERE contact_type_id = types.id) \
             FROM contact_types AS types LEFT JOIN users ON users.id = archived_by \
             WHERE types.centre_id = $1 AND archived_at IS NOT NULL ORDER BY lower(types.name)",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing archived contact types"))?;
        let read = |(id, name, since, by, intervals): Row| ArchivedType {
            id,
            name,
            since: since.to_jiff(),
            by,
            intervals,
        };
        Ok(rows.into_iter().map(read).collect())
    }

    /// Puts a contact type into the archive, where it is not there yet.
    pub async fn archive_contact_type(&self, id: Uuid, by: Option<Uuid>) -> Result<(), StoreError> {
        let done = sqlx::query(
            "UPDATE contact_types SET archived_at = now(), archived_by = $2 \
             WHERE id = $1 AND archived_at IS NULL",
        )
        .bind(id)
        .bind(by)
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("archiving a contact type"))?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }

    /// Takes a contact type out of the archive, as it was, and queues its forecast from today.
    pub async fn restore_contact_type(&self, id: Uuid, by: Option<Uuid>) -> Result<(), StoreError> {
        let failed = StoreError::on("restoring a contact type");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let done = sqlx::query(
            "UPDATE contact_types SET archived_at = NULL, archived_by = NULL \
             WHERE id = $1 AND archived_at IS NOT NULL",
        )
        .bind(id)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        queue_forecast_of(&mut tx, id, by).await?;
        tx.commit().await.map_err(&failed)
    }

    /// Removes an archived contact type with its history, forecast and cover, all or nothing; strategies, trials and
    /// what reports were made stay. [`StoreError::NotFound`] where it is not archived.
    pub async fn remove_archived_type(&self, id: Uuid) -> Result<(), StoreError> {
        let failed = StoreError::on("removing a contact type");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let gone =
            sqlx::query("DELETE FROM contact_types WHERE id = $1 AND archived_at IS NOT NULL")
                .bind(id)
                .execute(&mut *tx)
                .await
                .map_err(&failed)?;
        if gone.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        sqlx::query("DELETE FROM history WHERE contact_type_id = $1")
            .bind(id)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }
}
