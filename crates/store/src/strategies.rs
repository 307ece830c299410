//! Versions of strategies, and which of them is live.

use barometer_strategy::Strategy;
use jiff::Timestamp;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::{Store, StoreError};

/// One version of a contact type's strategy. It never changes.
#[derive(Clone, Debug)]
pub struct StrategyVersion {
    /// Key.
    pub id: Uuid,
    /// 1, 2, 3 …
    pub version: i32,
    /// What it says.
    pub strategy: Strategy,
    /// When it was saved.
    pub created_at: Timestamp,
    /// Who saved it.
    pub created_by: Option<String>,
    /// Whether it is the live one.
    pub is_live: bool,
}

/// One time a version went live.
#[derive(Clone, Debug)]
pub struct GoLive {
    /// Name of the contact type.
    pub contact_type: String,
    /// Which version.
    pub version: i32,
    /// The trial that it rests on.
    pub trial: Option<Uuid>,
    /// Who approved it.
    pub approved_by: Option<String>,
    /// When.
    pub approved_at: Timestamp,
    /// Why.
    pub note: String,
}

#[derive(FromRow)]
struct VersionRow {
    id: Uuid,
    version: i32,
    body: Json<Strategy>,
    created_at: jiff_sqlx::Timestamp,
    created_by: Option<String>,
    is_live: bool,
}

impl From<VersionRow> for StrategyVersion {
    fn from(row: VersionRow) -> Self {
        Self {
            id: row.id,
            version: row.version,
            strategy: row.body.0,
            created_at: row.created_at.to_jiff(),
            created_by: row.created_by,
            is_live: row.is_live,
        }
    }
}

impl Store {
    /// All versions of a contact type's strategy, newest first.
    pub async fn strategy_versions(
        &self,
        contact_type: Uuid,
    ) -> Result<Vec<StrategyVersion>, StoreError> {
        let rows: Vec<VersionRow> = sqlx::query_as(
            "SELECT version.id, version.version, version.body, version.created_at, \
               users.name AS created_by, \
               version.id IS NOT DISTINCT FROM ( \
                 SELECT live.strategy_version_id FROM go_lives AS live \
                 JOIN strategy_versions AS any_version ON any_version.id = live.strategy_version_id \
                 WHERE any_version.contact_type_id = $1 \
                 ORDER BY live.approved_at DESC LIMIT 1) AS is_live \
             FROM strategy_versions AS version LEFT JOIN users ON users.id = version.created_by \
             WHERE version.contact_type_id = $1 ORDER BY version.version DESC",
        )
        .bind(contact_type)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing strategy versions"))?;
        Ok(rows.into_iter().map(StrategyVersion::from).collect())
    }

    /// Saves a strategy as the next version and returns its key. Two planners who save at the same
    /// time get two versions.
    pub async fn add_strategy_version(
        &self,
        contact_type: Uuid,
        strategy: &Strategy,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("saving the strategy");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query("SELECT 1 FROM contact_types WHERE id = $1 FOR UPDATE")
            .bind(contact_type)
            .fetch_one(&mut *tx)
            .await
            .map_err(&failed)?;
        let id = sqlx::query_scalar(
            "INSERT INTO strategy_versions (contact_type_id, version, body, created_by) \
             SELECT $1, coalesce(max(version), 0) + 1, $2, $3 FROM strategy_versions \
             WHERE contact_type_id = $1 RETURNING id",
        )
        .bind(contact_type)
        .bind(Json(strategy))
        .bind(by)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(id)
    }

    /// Lets a version go live, resting on a trial of it.
    pub async fn go_live(
        &self,
        version: Uuid,
        trial: Option<Uuid>,
        by: Option<Uuid>,
        note: &str,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO go_lives (strategy_version_id, trial_id, approved_by, note) \
             VALUES ($1, $2, $3, $4)",
        )
        .bind(version)
        .bind(trial)
        .bind(by)
        .bind(note)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("letting a version go live"))
    }

    /// The latest times that versions went live, newest first.
    pub async fn latest_go_lives(&self, most: i64) -> Result<Vec<GoLive>, StoreError> {
        type Row = (String, i32, Option<Uuid>, Option<String>, jiff_sqlx::Timestamp, String);
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT contact_types.name, version.version, live.trial_id, users.name, \
               live.approved_at, live.note \
             FROM go_lives AS live \
             JOIN strategy_versions AS version ON version.id = live.strategy_version_id \
             JOIN contact_types ON contact_types.id = version.contact_type_id \
             LEFT JOIN users ON users.id = live.approved_by \
             ORDER BY live.approved_at DESC LIMIT $1",
        )
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing what went live"))?;
        Ok(rows
            .into_iter()
            .map(|(contact_type, version, trial, approved_by, approved_at, note)| GoLive {
                contact_type,
                version,
                trial,
                approved_by,
                approved_at: approved_at.to_jiff(),
                note,
            })
            .collect())
    }
}
