//! Expectations: walk-throughs that must end as the planner said.

use barometer_walk::Expectation;
use sqlx::types::Json;
use uuid::Uuid;

use crate::{Store, StoreError};

impl Store {
    /// The expectations of a centre with their keys, by name.
    pub async fn expectations(&self, centre: Uuid) -> Result<Vec<(Uuid, Expectation)>, StoreError> {
        let rows: Vec<(Uuid, Json<Expectation>)> =
            sqlx::query_as("SELECT id, body FROM expectations WHERE centre_id = $1 ORDER BY name")
                .bind(centre)
                .fetch_all(&self.pool)
                .await
                .map_err(StoreError::on("listing expectations"))?;
        Ok(rows.into_iter().map(|(id, Json(expectation))| (id, expectation)).collect())
    }

    /// Keeps expectations, all or none. One takes the place of another of its name.
    pub async fn save_expectations(
        &self,
        centre: Uuid,
        expectations: &[Expectation],
        by: Option<Uuid>,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("saving expectations");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        for expectation in expectations {
            sqlx::query(
                "INSERT INTO expectations (centre_id, name, body, created_by) VALUES ($1, $2, $3, $4) \
                 ON CONFLICT (centre_id, name) DO UPDATE SET body = EXCLUDED.body, \
                 created_by = EXCLUDED.created_by, created_at = now()",
            )
            .bind(centre)
            .bind(&expectation.name)
            .bind(Json(expectation))
            .bind(by)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }

    /// Removes an expectation; one that is not there is removed already.
    pub async fn remove_expectation(&self, centre: Uuid, id: Uuid) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM expectations WHERE centre_id = $1 AND id = $2")
            .bind(centre)
            .bind(id)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("removing an expectation"))
    }
}
