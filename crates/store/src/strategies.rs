//! Versions of strategies, and which of them is live.

use barometer_strategy::Strategy;
use jiff::Timestamp;
use sqlx::types::Json;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::{Store, StoreError};

/// One version of a centre's strategy, as lists show it. It never changes.
#[derive(Clone, Debug)]
pub struct StrategyVersion {
    /// Key; [`Store::strategy`] reads what it says.
    pub id: Uuid,
    /// 1, 2, 3 …
    pub version: i32,
    /// What planners call it.
    pub name: String,
    /// What planners call this version among the others; empty where nobody said.
    pub label: String,
    /// What it changed, in words; empty where nobody said.
    pub summary: String,
    /// When it was saved.
    pub created_at: Timestamp,
    /// Who saved it.
    pub created_by: Option<String>,
    /// Whether it is the live one.
    pub is_live: bool,
    /// Whether it is or was live at any time, as the release history says.
    pub has_been_live: bool,
}

impl StrategyVersion {
    /// What tells it from others: its label, or else the strategy's name.
    pub fn called(&self) -> &str {
        if self.label.is_empty() { &self.name } else { &self.label }
    }
}

/// A strategy to be saved as the next version.
#[derive(Clone, Copy, Debug)]
pub struct NewVersion<'a> {
    /// What it says.
    pub strategy: &'a Strategy,
    /// What planners call this version among the others.
    pub label: &'a str,
    /// What it changed, in words.
    pub summary: &'a str,
    /// The draft that it is kept of, and its revision.
    pub draft: Option<(Uuid, i32)>,
    /// Who saves it; none for the demo.
    pub by: Option<Uuid>,
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
    /// The change sheet by which it went live.
    pub sheet: Option<Uuid>,
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
    name: String,
    label: String,
    summary: String,
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
            name: row.name,
            label: row.label,
            summary: row.summary,
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
            "SELECT version.id, version.version, version.name, version.label, version.summary, \
               version.created_at, \
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

    /// What a version says.
    pub async fn strategy(&self, version: Uuid) -> Result<Strategy, StoreError> {
        let body: Json<Strategy> =
            sqlx::query_scalar("SELECT body FROM strategy_versions WHERE id = $1")
                .bind(version)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading a strategy"))?;
        Ok(body.0)
    }

    /// Saves a strategy as the next version, and returns its key.
    pub async fn add_strategy_version(
        &self,
        centre: Uuid,
        strategy: &Strategy,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        let new = NewVersion { strategy, label: "", summary: "", draft: None, by };
        self.keep_version(centre, new).await
    }

    /// Keeps a strategy as the next version, and returns its key. Of a revision of a draft there is one
    /// version: whoever keeps it again gets that.
    pub async fn keep_version(
        &self,
        centre: Uuid,
        new: NewVersion<'_>,
    ) -> Result<Uuid, StoreError> {
        let failed = StoreError::on("saving the strategy");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        locked(&mut tx, centre).await.map_err(&failed)?;
        if let Some((draft, revision)) = new.draft {
            let kept: Option<Uuid> = sqlx::query_scalar(
                "SELECT id FROM strategy_versions WHERE draft_id = $1 AND draft_revision = $2 \
                 ORDER BY version DESC LIMIT 1",
            )
            .bind(draft)
            .bind(revision)
            .fetch_optional(&mut *tx)
            .await
            .map_err(&failed)?;
            if let Some(kept) = kept {
                return Ok(kept);
            }
        }
        let id = sqlx::query_scalar(
            "INSERT INTO strategy_versions \
               (centre_id, version, body, label, summary, draft_id, draft_revision, created_by) \
             SELECT $1, coalesce(max(version), 0) + 1, $2, $3, $4, $5, $6, $7 \
             FROM strategy_versions WHERE centre_id = $1 RETURNING id",
        )
        .bind(centre)
        .bind(Json(new.strategy))
        .bind(new.label)
        .bind(new.summary)
        .bind(new.draft.map(|(draft, _)| draft))
        .bind(new.draft.map(|(_, revision)| revision))
        .bind(new.by)
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
        .map_err(StoreError::on("letting a version go live"))?;
        Ok(())
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
        type Row =
            (String, i32, Option<Uuid>, Option<Uuid>, Option<String>, jiff_sqlx::Timestamp, String);
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT version.name, version.version, live.trial_id, live.sheet_id, users.name, \
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
            .map(|(strategy, version, trial, sheet, approved_by, approved_at, note)| GoLive {
                strategy,
                version,
                trial,
                sheet,
                approved_by,
                approved_at: approved_at.to_jiff(),
                note,
            })
            .collect())
    }
}

/// Others who number versions or drafts of this centre wait until this transaction is over, so that each
/// gets a number of its own.
pub(crate) async fn locked(connection: &mut PgConnection, centre: Uuid) -> Result<(), sqlx::Error> {
    sqlx::query("SELECT 1 FROM centres WHERE id = $1 FOR UPDATE")
        .bind(centre)
        .fetch_one(connection)
        .await
        .map(|_| ())
}
