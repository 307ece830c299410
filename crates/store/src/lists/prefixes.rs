//! The table of time zones by prefix, where a centre has its own.

use uuid::Uuid;

use crate::{Store, StoreError};

impl Store {
    /// The table of prefixes of a centre as CSV; none where it uses the one that ships.
    pub async fn number_prefixes(&self, centre: Uuid) -> Result<Option<String>, StoreError> {
        sqlx::query_scalar("SELECT csv FROM number_prefixes WHERE centre_id = $1")
            .bind(centre)
            .fetch_optional(&self.pool)
            .await
            .map_err(StoreError::on("reading the table of prefixes"))
    }

    /// Replaces the table of prefixes of a centre; with none it uses the one that ships again.
    pub async fn replace_number_prefixes(
        &self,
        centre: Uuid,
        csv: Option<&str>,
        by: Uuid,
    ) -> Result<(), StoreError> {
        let query = match csv {
            Some(csv) => sqlx::query(
                "INSERT INTO number_prefixes (centre_id, csv, replaced_by) VALUES ($1, $2, $3) \
                 ON CONFLICT (centre_id) DO UPDATE SET csv = excluded.csv, \
                   replaced_by = excluded.replaced_by, replaced_at = now()",
            )
            .bind(centre)
            .bind(csv)
            .bind(by),
            None => sqlx::query("DELETE FROM number_prefixes WHERE centre_id = $1").bind(centre),
        };
        query
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("replacing the table of prefixes"))
    }
}
