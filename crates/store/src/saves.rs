//! One rule for everything that several people edit: a save says which version it was based on, and is refused where
//! somebody else saved another one meanwhile. The check and the change are one transaction.

use jiff::Timestamp;
use sqlx::postgres::PgArguments;
use sqlx::query::Query;
use sqlx::{PgConnection, Postgres};
use uuid::Uuid;

use crate::{Store, StoreError};

/// Something that people edit.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Edited {
    /// The targets of a contact type.
    Targets(Uuid),
    /// The habits of a contact type's customers.
    Habits(Uuid),
    /// The cover of a contact type, with the shifts behind it.
    Cover(Uuid),
    /// The method that a contact type is forecast with.
    Method(Uuid),
    /// The lines of a centre.
    Lines(Uuid),
    /// What a centre takes for evidence.
    Evidence(Uuid),
    /// An alarm.
    Alarm(Uuid),
    /// A board.
    Board(Uuid),
    /// A report.
    Report(Uuid),
    /// What a person may do.
    Person(Uuid),
}

impl Edited {
    /// As it is kept.
    const fn key(self) -> (&'static str, Uuid) {
        match self {
            Self::Targets(id) => ("targets", id),
            Self::Habits(id) => ("habits", id),
            Self::Cover(id) => ("cover", id),
            Self::Method(id) => ("method", id),
            Self::Lines(id) => ("lines", id),
            Self::Evidence(id) => ("evidence", id),
            Self::Alarm(id) => ("alarm", id),
            Self::Board(id) => ("board", id),
            Self::Report(id) => ("report", id),
            Self::Person(id) => ("person", id),
        }
    }
}

/// A save: who makes it, and what they had before them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Save {
    /// The version that was shown to them; none where nothing was, as when a demo is loaded: it is saved in any case.
    pub based_on: Option<i64>,
    /// Who saves; none for Barometer itself.
    pub by: Option<Uuid>,
}

impl Save {
    /// Saved in any case, by nobody.
    pub const OURS: Self = Self { based_on: None, by: None };

    /// A person's, based on a version.
    pub const fn of(by: Uuid, based_on: i64) -> Self {
        Self { based_on: Some(based_on), by: Some(by) }
    }
}

/// Why an edit is refused: somebody else's was saved first.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SavedMeanwhile {
    /// Who saved it; none for Barometer itself, and for people who are gone.
    pub by: Option<String>,
    /// When.
    pub at: Timestamp,
}

impl Store {
    /// The version of something that is edited: 0 before anybody did. Read it before what it is the version of, so that
    /// an edit between the two is noticed.
    pub async fn version_of(&self, edited: Edited) -> Result<i64, StoreError> {
        let (what, id) = edited.key();
        let version: Option<i64> =
            sqlx::query_scalar("SELECT version FROM saves WHERE what = $1 AND id = $2")
                .bind(what)
                .bind(id)
                .fetch_optional(&self.pool)
                .await
                .map_err(StoreError::on("reading a version"))?;
        Ok(version.unwrap_or(0))
    }

    /// Counts a save and carries it out, in one transaction; [`StoreError::NotFound`] where there is nothing to change.
    pub(crate) async fn save_edited(
        &self,
        edited: Edited,
        save: Save,
        doing: &'static str,
        change: Query<'_, Postgres, PgArguments>,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on(doing);
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        count_save(&mut tx, edited, save).await?;
        let done = change.execute(&mut *tx).await.map_err(&failed)?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        tx.commit().await.map_err(&failed)
    }
}

/// Counts an edit in the transaction that carries it out; others of the same thing wait for its end.
///
/// # Errors
///
/// [`StoreError::SavedMeanwhile`] where it was based on an earlier version.
pub(crate) async fn count_save(
    connection: &mut PgConnection,
    edited: Edited,
    save: Save,
) -> Result<(), StoreError> {
    let failed = StoreError::on("counting an edit");
    let (what, id) = edited.key();
    let counted: Option<i64> = sqlx::query_scalar(
        "INSERT INTO saves (what, id, version, changed_by) VALUES ($1, $2, 1, $3) \
         ON CONFLICT (what, id) DO UPDATE \
           SET version = saves.version + 1, changed_by = $3, changed_at = clock_timestamp() \
           WHERE $4::bigint IS NULL OR saves.version = $4 \
         RETURNING version",
    )
    .bind(what)
    .bind(id)
    .bind(save.by)
    .bind(save.based_on)
    .fetch_optional(&mut *connection)
    .await
    .map_err(&failed)?;
    if counted.is_some() {
        return Ok(());
    }
    let (by, at): (Option<String>, jiff_sqlx::Timestamp) = sqlx::query_as(
        "SELECT users.name, changed_at FROM saves LEFT JOIN users ON users.id = changed_by \
         WHERE what = $1 AND saves.id = $2",
    )
    .bind(what)
    .bind(id)
    .fetch_one(connection)
    .await
    .map_err(&failed)?;
    Err(StoreError::SavedMeanwhile(SavedMeanwhile { by, at: at.to_jiff() }))
}
