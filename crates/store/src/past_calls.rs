//! Files of past calls, from which campaigns learn who answers when.

use jiff::Timestamp;
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError};

/// A file of past calls that is kept.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PastCalls {
    /// Its key.
    pub id: Uuid,
    /// What the file was called.
    pub name: String,
    /// Calls in it.
    pub calls: i64,
    /// Who sent it; empty where that person is gone.
    pub by: String,
    /// When.
    pub at: Timestamp,
}

#[derive(FromRow)]
struct PastCallsRow {
    id: Uuid,
    name: String,
    calls: i64,
    by: String,
    at: jiff_sqlx::Timestamp,
}

impl From<PastCallsRow> for PastCalls {
    fn from(row: PastCallsRow) -> Self {
        let PastCallsRow { id, name, calls, by, at } = row;
        Self { id, name, calls, by, at: at.to_jiff() }
    }
}

impl Store {
    /// The files of past calls of a centre, the last first.
    pub async fn past_calls(&self, centre: Uuid) -> Result<Vec<PastCalls>, StoreError> {
        let rows: Vec<PastCallsRow> = sqlx::query_as(
            "SELECT past_calls.id, past_calls.name, calls, coalesce(users.name, '') AS by, uploaded_at AS at \
             FROM past_calls LEFT JOIN users ON users.id = uploaded_by \
             WHERE past_calls.centre_id = $1 ORDER BY uploaded_at DESC, past_calls.name",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing past calls"))?;
        Ok(rows.into_iter().map(PastCalls::from).collect())
    }

    /// The text of a file of past calls.
    ///
    /// # Errors
    ///
    /// [`StoreError::NotFound`] where it is not there.
    pub async fn past_calls_csv(&self, centre: Uuid, id: Uuid) -> Result<String, StoreError> {
        sqlx::query_scalar("SELECT csv FROM past_calls WHERE centre_id = $1 AND id = $2")
            .bind(centre)
            .bind(id)
            .fetch_optional(&self.pool)
            .await
            .map_err(StoreError::on("reading past calls"))?
            .ok_or(StoreError::NotFound)
    }

    /// Keeps a file of past calls; it takes the place of another of its name. Gives its key.
    pub async fn keep_past_calls(
        &self,
        centre: Uuid,
        (name, csv): (&str, &str),
        calls: i64,
        by: Uuid,
    ) -> Result<Uuid, StoreError> {
        sqlx::query_scalar(
            "INSERT INTO past_calls (centre_id, name, csv, calls, uploaded_by) \
             VALUES ($1, $2, $3, $4, $5) \
             ON CONFLICT (centre_id, name) DO UPDATE SET csv = EXCLUDED.csv, \
               calls = EXCLUDED.calls, uploaded_by = EXCLUDED.uploaded_by, uploaded_at = now() \
             RETURNING id",
        )
        .bind(centre)
        .bind(name)
        .bind(csv)
        .bind(calls)
        .bind(by)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("keeping past calls"))
    }

    /// Removes a file of past calls; one that is not there is removed already. What campaigns have taken from it
    /// stays with them.
    pub async fn remove_past_calls(&self, centre: Uuid, id: Uuid) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM past_calls WHERE centre_id = $1 AND id = $2")
            .bind(centre)
            .bind(id)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("removing past calls"))
    }
}
