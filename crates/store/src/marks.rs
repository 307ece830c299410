//! What planners have decided about stretches of history.

use barometer_forecast::{Finding, Mark, Treatment};
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::forecast_runs::queue_forecast_of;
use crate::{Store, StoreError};

/// A decision about a stretch of a contact type's history.
#[derive(Clone, Debug, PartialEq)]
pub struct HistoryMark {
    /// Key.
    pub id: Uuid,
    /// What was decided.
    pub decision: Decision,
    /// Who decided it.
    pub by: Option<String>,
    /// When.
    pub at: Timestamp,
}

/// What is decided about a stretch of wall-clock time, until before its end.
#[derive(Clone, Debug, PartialEq)]
pub struct Decision {
    /// Start of the first interval.
    pub from: DateTime,
    /// Start of the first interval after it.
    pub until: DateTime,
    /// What it looked like.
    pub finding: Finding,
    /// What is done; none when the stretch stays as it is.
    pub treatment: Option<Treatment>,
    /// Why.
    pub why: String,
}

impl Decision {
    /// What the decision does to the history, if anything.
    pub fn mark(&self) -> Option<Mark> {
        self.treatment.map(|treatment| Mark { from: self.from, to: self.until, treatment })
    }
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    from_time: jiff_sqlx::DateTime,
    until_time: jiff_sqlx::DateTime,
    finding: String,
    treatment: Option<Json<Treatment>>,
    why: String,
    by: Option<String>,
    created_at: jiff_sqlx::Timestamp,
}

impl Store {
    /// The decisions about a contact type's history, oldest stretch first.
    pub async fn history_marks(&self, contact_type: Uuid) -> Result<Vec<HistoryMark>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT history_marks.id, from_time, until_time, finding, treatment, why, \
               users.name AS by, created_at \
             FROM history_marks LEFT JOIN users ON users.id = created_by \
             WHERE contact_type_id = $1 ORDER BY from_time, created_at, finding, id",
        )
        .bind(contact_type)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading marks"))?;
        let mark = |row: Row| HistoryMark {
            id: row.id,
            decision: Decision {
                from: row.from_time.to_jiff(),
                until: row.until_time.to_jiff(),
                finding: Finding::from_slug(&row.finding).unwrap_or(Finding::ByHand),
                treatment: row.treatment.map(|Json(treatment)| treatment),
                why: row.why,
            },
            by: row.by,
            at: row.created_at.to_jiff(),
        };
        Ok(rows.into_iter().map(mark).collect())
    }

    /// Keeps decisions about a contact type's history, all or none, and queues the forecast that follows from them.
    pub async fn add_history_marks(
        &self,
        contact_type: Uuid,
        decisions: &[Decision],
        by: Option<Uuid>,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("marking history");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        for decision in decisions {
            sqlx::query(
                "INSERT INTO history_marks \
                   (contact_type_id, from_time, until_time, finding, treatment, why, created_by) \
                 VALUES ($1, $2, $3, $4, $5, $6, $7)",
            )
            .bind(contact_type)
            .bind(decision.from.to_sqlx())
            .bind(decision.until.to_sqlx())
            .bind(decision.finding.slug())
            .bind(decision.treatment.map(Json))
            .bind(&decision.why)
            .bind(by)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        }
        queue_forecast_of(&mut tx, contact_type, by).await?;
        tx.commit().await.map_err(&failed)
    }

    /// Takes a decision back, and queues the forecast without it.
    pub async fn remove_history_mark(
        &self,
        contact_type: Uuid,
        id: Uuid,
        by: Option<Uuid>,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("removing a mark");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let gone = sqlx::query("DELETE FROM history_marks WHERE contact_type_id = $1 AND id = $2")
            .bind(contact_type)
            .bind(id)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        if gone.rows_affected() == 0 {
            return Err(StoreError::NotFound);
        }
        queue_forecast_of(&mut tx, contact_type, by).await?;
        tx.commit().await.map_err(&failed)
    }
}
