//! Undoing the last import.

use uuid::Uuid;

use crate::forecast_runs::queue_forecasts;
use crate::{Store, StoreError};

impl Store {
    /// The import that can be undone: the last one that was saved, with its file's name.
    pub async fn last_import(&self, centre: Uuid) -> Result<Option<(Uuid, String)>, StoreError> {
        sqlx::query_as(
            "SELECT id, file_name FROM imports WHERE centre_id = $1 AND subject = 'history' AND state = 'saved' \
               AND saved_at IS NOT NULL ORDER BY saved_at DESC LIMIT 1",
        )
        .bind(centre)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("looking for the last import"))
    }

    /// Undoes the last import in one transaction: what it added goes, what it replaced comes back,
    /// contact types that it brought go with it. Returns the contact types that are left and have
    /// other history now.
    ///
    /// # Errors
    ///
    /// [`StoreError::NotFound`] when it is not the last one (any more).
    pub async fn undo_import(
        &self,
        centre: Uuid,
        import: Uuid,
        by: Option<Uuid>,
    ) -> Result<Vec<Uuid>, StoreError> {
        let failed = StoreError::on("undoing the import");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let (number, new_types): (i32, Vec<Uuid>) = sqlx::query_as(
            "UPDATE imports SET state = 'undone' WHERE id = $2 AND id = ( \
               SELECT id FROM imports WHERE centre_id = $1 AND subject = 'history' AND state = 'saved' \
                 AND saved_at IS NOT NULL ORDER BY saved_at DESC LIMIT 1) \
             RETURNING number, new_types",
        )
        .bind(centre)
        .bind(import)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        let mut touched: Vec<Uuid> = sqlx::query_scalar(
            "WITH gone AS (DELETE FROM history WHERE import_number = $1 RETURNING contact_type_id) \
             SELECT DISTINCT contact_type_id FROM gone",
        )
        .bind(number)
        .fetch_all(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query(
            "WITH back AS (DELETE FROM replaced_history WHERE import_number = $1 RETURNING *) \
             INSERT INTO history (contact_type_id, interval_start, offered, answered, abandoned, \
               handle_secs, import_number, in_time, wait_secs, wrap_up_secs) \
             SELECT contact_type_id, interval_start, offered, answered, abandoned, handle_secs, \
               earlier_import, in_time, wait_secs, wrap_up_secs FROM back \
             WHERE EXISTS (SELECT FROM contact_types WHERE contact_types.id = contact_type_id)",
        )
        .bind(number)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        let removed: Vec<Uuid> = sqlx::query_scalar(
            "DELETE FROM contact_types WHERE id = ANY($1) AND NOT EXISTS ( \
               SELECT FROM history WHERE contact_type_id = contact_types.id) RETURNING id",
        )
        .bind(&new_types)
        .fetch_all(&mut *tx)
        .await
        .map_err(&failed)?;
        touched.retain(|each| !removed.contains(each));
        if !touched.is_empty() {
            queue_forecasts(&mut tx, centre, &touched, by).await?;
        }
        tx.commit().await.map_err(&failed)?;
        Ok(touched)
    }
}
