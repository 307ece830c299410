//! Reports: how people define them, when they are made, what was made, and who may read it.

mod editions;
mod links;
mod measured;
mod pages;
mod schedules;

use barometer_report::Definition;
use jiff::Timestamp;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::{Edited, Save, Store, StoreError};

pub use editions::{Edition, EditionFile, EditionLine, FailedEdition, MadeEdition, NewEdition};
pub use measured::{MeasuredCounts, Slots, TeamHours};
pub use pages::PageState;
pub use schedules::{NewSchedule, Schedule, Sending};

/// A kept report: its definition, and how long what is made of it stays.
#[derive(Clone, Debug, PartialEq)]
pub struct KeptReport {
    /// Key.
    pub id: Uuid,
    /// Whose.
    pub centre: Uuid,
    /// What it contains.
    pub definition: Definition,
    /// Days that made reports are kept.
    pub keep_days: i32,
    /// Who defined it.
    pub created_by: Option<String>,
    /// When it was changed last.
    pub changed_at: Timestamp,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    centre_id: Uuid,
    definition: Json<Definition>,
    keep_days: i32,
    created_by_name: Option<String>,
    changed_at: jiff_sqlx::Timestamp,
}

impl From<Row> for KeptReport {
    fn from(row: Row) -> Self {
        Self {
            id: row.id,
            centre: row.centre_id,
            definition: row.definition.0,
            keep_days: row.keep_days,
            created_by: row.created_by_name,
            changed_at: row.changed_at.to_jiff(),
        }
    }
}

const REPORTS: &str = "SELECT reports.id, reports.centre_id, definition, keep_days, \
     users.name AS created_by_name, changed_at \
     FROM reports LEFT JOIN users ON users.id = reports.created_by";

impl Store {
    /// The reports of a centre, by title.
    pub async fn reports(&self, centre: Uuid) -> Result<Vec<KeptReport>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{REPORTS} WHERE reports.centre_id = $1 ORDER BY lower(title)"
        )))
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing reports"))?;
        Ok(rows.into_iter().map(KeptReport::from).collect())
    }

    /// One report of a centre.
    pub async fn report(&self, centre: Uuid, id: Uuid) -> Result<KeptReport, StoreError> {
        let row: Row = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{REPORTS} WHERE reports.centre_id = $1 AND reports.id = $2"
        )))
        .bind(centre)
        .bind(id)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading a report"))?;
        Ok(row.into())
    }

    /// Keeps a new report. [`StoreError::Taken`] where the centre has one of this title.
    pub async fn add_report(
        &self,
        centre: Uuid,
        definition: &Definition,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        sqlx::query_scalar(
            "INSERT INTO reports (centre_id, title, definition, created_by) VALUES ($1, $2, $3, $4) \
             RETURNING id",
        )
        .bind(centre)
        .bind(&definition.title)
        .bind(Json(definition))
        .bind(by)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("keeping a report"))
    }

    /// Changes a report. [`StoreError::Taken`] where another one has its title.
    pub async fn change_report(
        &self,
        centre: Uuid,
        id: Uuid,
        (definition, keep_days): (&Definition, i32),
        save: Save,
    ) -> Result<(), StoreError> {
        let change = sqlx::query(
            "UPDATE reports SET title = $3, definition = $4, keep_days = $5, changed_at = now() \
             WHERE centre_id = $1 AND id = $2",
        )
        .bind(centre)
        .bind(id)
        .bind(&definition.title)
        .bind(Json(definition))
        .bind(keep_days);
        self.save_edited(Edited::Report(id), save, "changing a report", change).await
    }

    /// Removes a report with its schedules and everything that was made of it.
    pub async fn remove_report(&self, centre: Uuid, id: Uuid) -> Result<(), StoreError> {
        let failed = StoreError::on("removing a report");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        sqlx::query(
            "DELETE FROM runs USING report_editions AS edition, reports \
             WHERE runs.id = edition.id AND reports.id = edition.report_id \
               AND reports.id = $2 AND reports.centre_id = $1",
        )
        .bind(centre)
        .bind(id)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        let gone = sqlx::query("DELETE FROM reports WHERE centre_id = $1 AND id = $2")
            .bind(centre)
            .bind(id)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        if gone.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        tx.commit().await.map_err(&failed)
    }
}
