//! Versions of strategies, and which of them is live.

use barometer_strategy::Strategy;
use jiff::Timestamp;
use sqlx::types::Json;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::{Store, StoreError};

/// One version of a centre's strategy. It never changes.
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
    /// Whether it is or was live at any time, as the release history says.
    pub has_been_live: bool,
}

/// One time a version went live.
#[derive(Clone, Debug)]
pub struct GoLive {
    /// Name of the strategy.
    pub strategy: String,
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

/// The note with which strategies of contact types go live as one.
const JOINED_NOTE: &str = "Joined from the live strategies of the contact types";

#[derive(FromRow)]
struct VersionRow {
    id: Uuid,
    version: i32,
    body: Json<Strategy>,
    created_at: jiff_sqlx::Timestamp,
    created_by: Option<String>,
    is_live: bool,
    has_been_live: bool,
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
            has_been_live: row.has_been_live,
        }
    }
}

impl Store {
    /// All versions of a centre's strategy, newest first.
    pub async fn strategy_versions(
        &self,
        centre: Uuid,
    ) -> Result<Vec<StrategyVersion>, StoreError> {
        let rows: Vec<VersionRow> = sqlx::query_as(
            "SELECT version.id, version.version, version.body, version.created_at, \
               users.name AS created_by, \
               version.id IS NOT DISTINCT FROM ( \
                 SELECT live.strategy_version_id FROM go_lives AS live \
                 JOIN strategy_versions AS any_version ON any_version.id = live.strategy_version_id \
                 WHERE any_version.centre_id = $1 \
                 ORDER BY live.approved_at DESC LIMIT 1) AS is_live, \
               EXISTS (SELECT FROM go_lives WHERE strategy_version_id = version.id) \
                 AS has_been_live \
             FROM strategy_versions AS version LEFT JOIN users ON users.id = version.created_by \
             WHERE version.centre_id = $1 ORDER BY version.version DESC",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing strategy versions"))?;
        Ok(rows.into_iter().map(StrategyVersion::from).collect())
    }

    /// Saves a strategy as the next version and returns its key. Two planners who save at the same
    /// time get two versions.
    pub async fn add_strategy_version(
        &self,
        centre: Uuid,
        strategy: &Strategy,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("saving the strategy");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let id = add_version(&mut tx, centre, strategy, by).await.map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(id)
    }

    /// Joins what was live of each contact type, where versions were still kept by contact type, into
    /// one live version of the centre: all of it or nothing, and once.
    pub(crate) async fn join_strategies_of_types(&self) -> Result<(), StoreError> {
        let failed = StoreError::on("joining the strategies of contact types");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let centres: Vec<(Uuid, String)> = sqlx::query_as(
            "SELECT id, name FROM centres \
             WHERE EXISTS (SELECT 1 FROM strategy_versions \
                 WHERE centre_id = centres.id AND contact_type_id IS NOT NULL) \
               AND NOT EXISTS (SELECT 1 FROM strategy_versions \
                 WHERE centre_id = centres.id AND contact_type_id IS NULL) \
             FOR UPDATE",
        )
        .fetch_all(&mut *tx)
        .await
        .map_err(&failed)?;
        for (centre, name) in centres {
            // The one that went live last, or else the newest.
            let parts: Vec<(String, Json<Strategy>)> = sqlx::query_as(
                "SELECT DISTINCT ON (contact_types.position, contact_types.id) \
                   contact_types.name, version.body \
                 FROM strategy_versions AS version \
                 JOIN contact_types ON contact_types.id = version.contact_type_id \
                 LEFT JOIN go_lives AS live ON live.strategy_version_id = version.id \
                 WHERE version.centre_id = $1 \
                 ORDER BY contact_types.position, contact_types.id, \
                   live.approved_at DESC NULLS LAST, version.version DESC",
            )
            .bind(centre)
            .fetch_all(&mut *tx)
            .await
            .map_err(&failed)?;
            let parts = parts.into_iter().map(|(contact_type, Json(part))| (contact_type, part));
            let joined = Strategy::joined(&name, parts);
            let version = add_version(&mut tx, centre, &joined, None).await.map_err(&failed)?;
            add_go_live(&mut tx, version, None, None, JOINED_NOTE).await.map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)
    }

    /// Lets a version go live, resting on a trial of it.
    pub async fn go_live(
        &self,
        version: Uuid,
        trial: Option<Uuid>,
        by: Option<Uuid>,
        note: &str,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("letting a version go live");
        let mut connection = self.pool.acquire().await.map_err(&failed)?;
        add_go_live(&mut connection, version, trial, by, note).await.map_err(&failed)
    }

    /// Whether a version has been live at any time, as the release history says.
    pub async fn has_been_live(&self, version: Uuid) -> Result<bool, StoreError> {
        sqlx::query_scalar("SELECT EXISTS (SELECT FROM go_lives WHERE strategy_version_id = $1)")
            .bind(version)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading the release history"))
    }

    /// The latest times that versions went live, newest first.
    pub async fn latest_go_lives(&self, most: i64) -> Result<Vec<GoLive>, StoreError> {
        type Row = (String, i32, Option<Uuid>, Option<String>, jiff_sqlx::Timestamp, String);
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT version.body ->> 'name', version.version, live.trial_id, users.name, \
               live.approved_at, live.note \
             FROM go_lives AS live \
             JOIN strategy_versions AS version ON version.id = live.strategy_version_id \
             LEFT JOIN users ON users.id = live.approved_by \
             ORDER BY live.approved_at DESC LIMIT $1",
        )
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing what went live"))?;
        Ok(rows
            .into_iter()
            .map(|(strategy, version, trial, approved_by, approved_at, note)| GoLive {
                strategy,
                version,
                trial,
                approved_by,
                approved_at: approved_at.to_jiff(),
                note,
            })
            .collect())
    }
}

async fn add_version(
    connection: &mut PgConnection,
    centre: Uuid,
    strategy: &Strategy,
    by: Option<Uuid>,
) -> Result<Uuid, sqlx::Error> {
    // Whoever saves at the same time waits, so that each gets a number of its own.
    sqlx::query("SELECT 1 FROM centres WHERE id = $1 FOR UPDATE")
        .bind(centre)
        .fetch_one(&mut *connection)
        .await?;
    sqlx::query_scalar(
        "INSERT INTO strategy_versions (centre_id, version, body, created_by) \
         SELECT $1, coalesce(max(version), 0) + 1, $2, $3 FROM strategy_versions \
         WHERE centre_id = $1 RETURNING id",
    )
    .bind(centre)
    .bind(Json(strategy))
    .bind(by)
    .fetch_one(connection)
    .await
}

async fn add_go_live(
    connection: &mut PgConnection,
    version: Uuid,
    trial: Option<Uuid>,
    by: Option<Uuid>,
    note: &str,
) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO go_lives (strategy_version_id, trial_id, approved_by, note) \
         VALUES ($1, $2, $3, $4)",
    )
    .bind(version)
    .bind(trial)
    .bind(by)
    .bind(note)
    .execute(connection)
    .await
    .map(|_| ())
}
