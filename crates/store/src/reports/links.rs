//! Links with which anybody may read one made report until they expire.

use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use uuid::Uuid;

use crate::secret::secret;
use crate::{Store, StoreError};

impl Store {
    /// Makes a link to a made report and returns its secret, which is kept nowhere.
    pub async fn add_report_link(
        &self,
        edition: Uuid,
        expires_at: Timestamp,
    ) -> Result<String, StoreError> {
        let secret = secret();
        sqlx::query(
            "INSERT INTO report_links (hash, edition_id, expires_at) \
             VALUES (sha256(convert_to($1, 'UTF8')), $2, $3)",
        )
        .bind(&secret)
        .bind(edition)
        .bind(expires_at.to_sqlx())
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("making a link"))?;
        Ok(secret)
    }

    /// The made report that a secret leads to, and when it expires; none where there is no such link any more.
    pub async fn edition_by_link(
        &self,
        secret: &str,
        now: Timestamp,
    ) -> Result<Option<(Uuid, Timestamp)>, StoreError> {
        let row: Option<(Uuid, jiff_sqlx::Timestamp)> = sqlx::query_as(
            "SELECT edition_id, expires_at FROM report_links \
             WHERE hash = sha256(convert_to($1, 'UTF8')) AND expires_at > $2",
        )
        .bind(secret)
        .bind(now.to_sqlx())
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("following a link"))?;
        Ok(row.map(|(edition, expires_at)| (edition, expires_at.to_jiff())))
    }

    /// Ends all links to a made report. Gives how many there were.
    pub async fn end_report_links(&self, edition: Uuid) -> Result<u64, StoreError> {
        let gone = sqlx::query("DELETE FROM report_links WHERE edition_id = $1")
            .bind(edition)
            .execute(&self.pool)
            .await
            .map_err(StoreError::on("ending links"))?;
        Ok(gone.rows_affected())
    }

    /// How many links to a made report still work.
    pub async fn count_report_links(
        &self,
        edition: Uuid,
        now: Timestamp,
    ) -> Result<i64, StoreError> {
        sqlx::query_scalar(
            "SELECT count(*) FROM report_links WHERE edition_id = $1 AND expires_at > $2",
        )
        .bind(edition)
        .bind(now.to_sqlx())
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("counting links"))
    }
}
