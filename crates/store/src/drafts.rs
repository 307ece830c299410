//! Drafts: strategies that are being changed, revision by revision.

use barometer_strategy::{Edit, Strategy};
use jiff::Timestamp;
use sqlx::types::Json;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::strategies::locked;
use crate::{Store, StoreError};

/// A draft, as lists show it.
#[derive(Clone, Debug)]
pub struct DraftLine {
    /// Key.
    pub id: Uuid,
    /// 1, 2, 3 … among the centre's.
    pub number: i32,
    /// What planners call it.
    pub name: String,
    /// The version that it began from; 0 for none.
    pub based_on: i32,
    /// The revision that is open.
    pub head: i32,
    /// Edits between the version that it began from and the open revision.
    pub edits: i64,
    /// The last edit, which undo reverses; none where there is none.
    pub undoes: Option<String>,
    /// What redo does again; none where nothing was undone.
    pub redoes: Option<String>,
    /// The version that was kept of the open revision, if any.
    pub kept_as: Option<i32>,
    /// Who changed it last, and when.
    pub changed_by: Option<String>,
    /// When the open revision was made.
    pub changed_at: Timestamp,
    /// Whether it was thrown away, and can be brought back.
    pub is_thrown_away: bool,
}

/// One revision of a draft.
#[derive(Clone, Debug)]
pub struct Revision {
    /// Its number.
    pub revision: i32,
    /// What it changed, in words.
    pub summary: String,
    /// Who made it; none for the demo.
    pub made_by: Option<String>,
    /// Their key.
    pub made_by_id: Option<Uuid>,
    /// When.
    pub made_at: Timestamp,
}

/// A draft to be begun.
#[derive(Clone, Copy, Debug)]
pub struct NewDraft<'a> {
    /// What planners call it.
    pub name: &'a str,
    /// The version that it begins from; 0 for none.
    pub based_on: i32,
    /// What that says.
    pub strategy: &'a Strategy,
    /// Who begins it.
    pub by: Option<Uuid>,
}

/// An edit of a draft, and what it makes of it.
#[derive(Clone, Copy, Debug)]
pub struct NewRevision<'a> {
    /// The edit.
    pub edit: &'a Edit,
    /// In words.
    pub summary: &'a str,
    /// What the draft says then.
    pub strategy: &'a Strategy,
    /// Who made it.
    pub by: Option<Uuid>,
}

#[derive(FromRow)]
struct DraftRow {
    id: Uuid,
    number: i32,
    name: String,
    based_on: i32,
    head: i32,
    edits: i64,
    undoes: Option<String>,
    redoes: Option<String>,
    kept_as: Option<i32>,
    changed_by: Option<String>,
    changed_at: jiff_sqlx::Timestamp,
    is_thrown_away: bool,
}

impl From<DraftRow> for DraftLine {
    fn from(row: DraftRow) -> Self {
        Self {
            id: row.id,
            number: row.number,
            name: row.name,
            based_on: row.based_on,
            head: row.head,
            edits: row.edits,
            undoes: row.undoes,
            redoes: row.redoes,
            kept_as: row.kept_as,
            changed_by: row.changed_by,
            changed_at: row.changed_at.to_jiff(),
            is_thrown_away: row.is_thrown_away,
        }
    }
}

impl Store {
    /// A centre's drafts, the one that was changed last first; those that were thrown away as well.
    pub async fn drafts(&self, centre: Uuid) -> Result<Vec<DraftLine>, StoreError> {
        let rows: Vec<DraftRow> = sqlx::query_as(
            "SELECT drafts.id, drafts.number, drafts.name, drafts.based_on, drafts.head, \
               drafts.thrown_away_at IS NOT NULL AS is_thrown_away, \
               (WITH RECURSIVE way AS ( \
                  SELECT of.revision, of.parent FROM draft_revisions AS of \
                  WHERE of.draft_id = drafts.id AND of.revision = drafts.head \
                  UNION ALL \
                  SELECT before.revision, before.parent FROM draft_revisions AS before \
                  JOIN way ON before.revision = way.parent WHERE before.draft_id = drafts.id) \
                SELECT count(*) - 1 FROM way) AS edits, \
               CASE WHEN head.parent IS NOT NULL THEN head.summary END AS undoes, \
               (SELECT child.summary FROM draft_revisions AS child \
                WHERE child.draft_id = drafts.id AND child.parent = drafts.head \
                ORDER BY child.revision DESC LIMIT 1) AS redoes, \
               (SELECT max(kept.version) FROM strategy_versions AS kept \
                WHERE kept.draft_id = drafts.id AND kept.draft_revision = drafts.head) AS kept_as, \
               users.name AS changed_by, head.made_at AS changed_at \
             FROM drafts JOIN draft_revisions AS head \
               ON head.draft_id = drafts.id AND head.revision = drafts.head \
             LEFT JOIN users ON users.id = head.made_by \
             WHERE drafts.centre_id = $1 ORDER BY head.made_at DESC, drafts.number DESC",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing drafts"))?;
        Ok(rows.into_iter().map(DraftLine::from).collect())
    }

    /// What a draft says at a revision.
    pub async fn draft_strategy(&self, draft: Uuid, revision: i32) -> Result<Strategy, StoreError> {
        let body: Json<Strategy> = sqlx::query_scalar(
            "SELECT body FROM draft_revisions WHERE draft_id = $1 AND revision = $2",
        )
        .bind(draft)
        .bind(revision)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading a draft"))?;
        Ok(body.0)
    }

    /// What was done to a draft, the last first; the last of the list is what it began with.
    pub async fn draft_history(&self, draft: Uuid) -> Result<Vec<Revision>, StoreError> {
        type Row = (i32, String, Option<String>, Option<Uuid>, jiff_sqlx::Timestamp);
        let rows: Vec<Row> = sqlx::query_as(
            "WITH RECURSIVE way AS ( \
               SELECT of.* FROM draft_revisions AS of JOIN drafts ON drafts.id = of.draft_id \
               WHERE drafts.id = $1 AND of.revision = drafts.head \
               UNION ALL \
               SELECT before.* FROM draft_revisions AS before JOIN way \
               ON before.draft_id = way.draft_id AND before.revision = way.parent) \
             SELECT way.revision, way.summary, users.name, way.made_by, way.made_at FROM way \
             LEFT JOIN users ON users.id = way.made_by ORDER BY way.revision DESC",
        )
        .bind(draft)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading what was done to a draft"))?;
        let revision = |(revision, summary, made_by, made_by_id, made_at): Row| Revision {
            revision,
            summary,
            made_by,
            made_by_id,
            made_at: made_at.to_jiff(),
        };
        Ok(rows.into_iter().map(revision).collect())
    }

    /// Begins a draft, with the first edit if there is one, and returns its number.
    pub async fn begin_draft(
        &self,
        centre: Uuid,
        new: NewDraft<'_>,
        first: Option<NewRevision<'_>>,
    ) -> Result<i32, StoreError> {
        let failed = StoreError::on("beginning a draft");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        locked(&mut tx, centre).await.map_err(&failed)?;
        let (id, number): (Uuid, i32) = sqlx::query_as(
            "INSERT INTO drafts (centre_id, number, name, based_on, created_by) \
             SELECT $1, coalesce(max(number), 0) + 1, $2, $3, $4 FROM drafts WHERE centre_id = $1 \
             RETURNING id, number",
        )
        .bind(centre)
        .bind(new.name)
        .bind(new.based_on)
        .bind(new.by)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query(
            "INSERT INTO draft_revisions (draft_id, revision, body, made_by) VALUES ($1, 0, $2, $3)",
        )
        .bind(id)
        .bind(Json(new.strategy))
        .bind(new.by)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        if let Some(first) = first {
            add_revision(&mut tx, id, 0, first).await.map_err(&failed)?;
        }
        tx.commit().await.map_err(&failed)?;
        Ok(number)
    }

    /// Adds an edit to a draft, if the revision that it was made of is still the open one. `None` where
    /// somebody has changed the draft meanwhile.
    pub async fn edit_draft(
        &self,
        draft: Uuid,
        made_of: i32,
        new: NewRevision<'_>,
    ) -> Result<Option<i32>, StoreError> {
        let failed = StoreError::on("changing a draft");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let head: i32 = sqlx::query_scalar("SELECT head FROM drafts WHERE id = $1 FOR UPDATE")
            .bind(draft)
            .fetch_one(&mut *tx)
            .await
            .map_err(&failed)?;
        if head != made_of {
            return Ok(None);
        }
        let revision = add_revision(&mut tx, draft, made_of, new).await.map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        Ok(Some(revision))
    }

    /// Takes back what was done last to a draft; false where somebody has changed it meanwhile, or nothing
    /// was done.
    pub async fn undo_in_draft(&self, draft: Uuid, head: i32) -> Result<bool, StoreError> {
        self.move_head(
            "UPDATE drafts SET head = before.parent FROM draft_revisions AS before \
             WHERE drafts.id = $1 AND drafts.head = $2 AND before.draft_id = drafts.id \
               AND before.revision = drafts.head AND before.parent IS NOT NULL",
            draft,
            head,
        )
        .await
    }

    /// Does again what was taken back last; false where somebody has changed the draft meanwhile, or
    /// nothing was taken back.
    pub async fn redo_in_draft(&self, draft: Uuid, head: i32) -> Result<bool, StoreError> {
        self.move_head(
            "UPDATE drafts SET head = child.revision FROM ( \
               SELECT max(revision) AS revision FROM draft_revisions \
               WHERE draft_id = $1 AND parent = $2) AS child \
             WHERE drafts.id = $1 AND drafts.head = $2 AND child.revision IS NOT NULL",
            draft,
            head,
        )
        .await
    }

    async fn move_head(
        &self,
        moves: &'static str,
        draft: Uuid,
        head: i32,
    ) -> Result<bool, StoreError> {
        let moved = sqlx::query(moves)
            .bind(draft)
            .bind(head)
            .execute(&self.pool)
            .await
            .map_err(StoreError::on("moving a draft along its edits"))?;
        Ok(moved.rows_affected() > 0)
    }

    /// Gives a draft another name.
    pub async fn rename_draft(&self, draft: Uuid, name: &str) -> Result<(), StoreError> {
        sqlx::query("UPDATE drafts SET name = $2 WHERE id = $1")
            .bind(draft)
            .bind(name)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("renaming a draft"))
    }

    /// Throws a draft away, or brings it back.
    pub async fn throw_draft_away(&self, draft: Uuid, is_away: bool) -> Result<(), StoreError> {
        sqlx::query("UPDATE drafts SET thrown_away_at = CASE WHEN $2 THEN now() END WHERE id = $1")
            .bind(draft)
            .bind(is_away)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("throwing a draft away"))
    }
}

async fn add_revision(
    connection: &mut PgConnection,
    draft: Uuid,
    parent: i32,
    new: NewRevision<'_>,
) -> Result<i32, sqlx::Error> {
    let revision: i32 = sqlx::query_scalar(
        "INSERT INTO draft_revisions (draft_id, revision, parent, edit, summary, body, made_by) \
         SELECT $1, max(revision) + 1, $2, $3, $4, $5, $6 FROM draft_revisions WHERE draft_id = $1 \
         RETURNING revision",
    )
    .bind(draft)
    .bind(parent)
    .bind(Json(new.edit))
    .bind(new.summary)
    .bind(Json(new.strategy))
    .bind(new.by)
    .fetch_one(&mut *connection)
    .await?;
    sqlx::query("UPDATE drafts SET head = $2 WHERE id = $1")
        .bind(draft)
        .bind(revision)
        .execute(connection)
        .await?;
    Ok(revision)
}
