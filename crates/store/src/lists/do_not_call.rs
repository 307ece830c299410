//! Numbers that no campaign calls.

use jiff::Timestamp;
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError};

/// A number that must not be called.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NotCalled {
    /// With the country code, as digits.
    pub number: i64,
    /// The list that it stood in; none where somebody entered it.
    pub list: Option<String>,
    /// Who added it.
    pub by: Option<String>,
    /// When.
    pub at: Timestamp,
}

#[derive(FromRow)]
struct NotCalledRow {
    number: i64,
    list_name: Option<String>,
    by: Option<String>,
    added_at: jiff_sqlx::Timestamp,
}

impl Store {
    /// How many numbers must not be called.
    pub async fn do_not_call_count(&self, centre: Uuid) -> Result<i64, StoreError> {
        sqlx::query_scalar("SELECT count(*) FROM do_not_call WHERE centre_id = $1")
            .bind(centre)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("counting numbers that are not called"))
    }

    /// Numbers that must not be called, the last that were added first, up to `most`.
    pub async fn do_not_call(&self, centre: Uuid, most: i64) -> Result<Vec<NotCalled>, StoreError> {
        let rows: Vec<NotCalledRow> = sqlx::query_as(
            "SELECT do_not_call.number, list_name, users.name AS by, added_at FROM do_not_call \
             LEFT JOIN imports ON imports.number = import_number \
             LEFT JOIN users ON users.id = added_by \
             WHERE do_not_call.centre_id = $1 ORDER BY added_at DESC, do_not_call.number LIMIT $2",
        )
        .bind(centre)
        .bind(most)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing numbers that are not called"))?;
        let not_called = |row: NotCalledRow| NotCalled {
            number: row.number,
            list: row.list_name,
            by: row.by,
            at: row.added_at.to_jiff(),
        };
        Ok(rows.into_iter().map(not_called).collect())
    }

    /// Adds a number that must not be called; says whether it was not there before.
    pub async fn add_do_not_call(
        &self,
        centre: Uuid,
        number: u64,
        by: Uuid,
    ) -> Result<bool, StoreError> {
        let added = sqlx::query(
            "INSERT INTO do_not_call (centre_id, number, added_by) VALUES ($1, $2, $3) \
             ON CONFLICT DO NOTHING",
        )
        .bind(centre)
        .bind(number as i64)
        .bind(by)
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("adding a number that is not called"))?;
        Ok(added.rows_affected() == 1)
    }

    /// Removes a number from those that must not be called.
    pub async fn remove_do_not_call(&self, centre: Uuid, number: i64) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM do_not_call WHERE centre_id = $1 AND number = $2")
            .bind(centre)
            .bind(number)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("removing a number that is not called"))
    }
}
