//! Waivers: findings of preflight that somebody has decided to live with, on record.

use jiff::Timestamp;
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError};

/// A finding that is waived.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Waiver {
    /// Key of the waiver.
    pub id: Uuid,
    /// Of which finding, by its key.
    pub finding: String,
    /// Why it may stay.
    pub reason: String,
    /// Who said so.
    pub by: String,
    /// When.
    pub at: Timestamp,
    /// Who took it back, if anybody did.
    pub taken_back_by: Option<String>,
}

#[derive(FromRow)]
struct WaiverRow {
    id: Uuid,
    finding: String,
    reason: String,
    waived_by: String,
    waived_at: jiff_sqlx::Timestamp,
    taken_back_by: Option<String>,
}

impl Store {
    /// The waivers of a centre, the last first; those that were taken back as well, because they stay on
    /// record.
    pub async fn waivers(&self, centre: Uuid) -> Result<Vec<Waiver>, StoreError> {
        let rows: Vec<WaiverRow> = sqlx::query_as(
            "SELECT waivers.id, waivers.finding, waivers.reason, waived.name AS waived_by, \
               waivers.waived_at, back.name AS taken_back_by \
             FROM waivers JOIN users AS waived ON waived.id = waivers.waived_by \
             LEFT JOIN users AS back ON back.id = waivers.taken_back_by \
             WHERE waivers.centre_id = $1 ORDER BY waivers.waived_at DESC, waivers.id",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing waivers"))?;
        let waiver = |row: WaiverRow| Waiver {
            id: row.id,
            finding: row.finding,
            reason: row.reason,
            by: row.waived_by,
            at: row.waived_at.to_jiff(),
            taken_back_by: row.taken_back_by,
        };
        Ok(rows.into_iter().map(waiver).collect())
    }

    /// Waives a finding.
    ///
    /// # Errors
    ///
    /// [`StoreError::Taken`] where it is waived already.
    pub async fn waive(
        &self,
        centre: Uuid,
        finding: &str,
        reason: &str,
        by: Uuid,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO waivers (centre_id, finding, reason, waived_by) VALUES ($1, $2, $3, $4)",
        )
        .bind(centre)
        .bind(finding)
        .bind(reason)
        .bind(by)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("waiving a finding"))
    }

    /// Takes a waiver back; one that was taken back already stays as it is.
    pub async fn take_waiver_back(
        &self,
        centre: Uuid,
        waiver: Uuid,
        by: Uuid,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE waivers SET taken_back_by = $3, taken_back_at = now() \
             WHERE centre_id = $1 AND id = $2 AND taken_back_at IS NULL",
        )
        .bind(centre)
        .bind(waiver)
        .bind(by)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("taking a waiver back"))
    }
}
