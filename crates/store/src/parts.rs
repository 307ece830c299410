//! What is played in parts, each by whichever worker takes it up: how it begins and is stopped, and its
//! parts, kept as bytes until all are there.

use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::{AssertSqlSafe, PgConnection, PgPool};
use uuid::Uuid;

use crate::StoreError;

/// One kind of thing that is played in parts.
pub(crate) struct Parts {
    /// The table of the things.
    pub things: &'static str,
    /// The table of their parts.
    pub table: &'static str,
    /// Its column that says whose they are.
    pub owner: &'static str,
    /// What is being done where something fails.
    pub what: &'static str,
}

impl Parts {
    /// Tells that one is being played; says whether it should go on.
    pub async fn begin(&self, pool: &PgPool, id: Uuid) -> Result<bool, StoreError> {
        let Self { things, what, .. } = self;
        let cancelled: Option<bool> = sqlx::query_scalar(AssertSqlSafe(format!(
            "UPDATE {things} SET state = 'running', started_at = coalesce(started_at, now()) \
             WHERE id = $1 AND state IN ('queued', 'running') RETURNING cancel_requested"
        )))
        .bind(id)
        .fetch_optional(pool)
        .await
        .map_err(StoreError::on(what))?;
        Ok(cancelled == Some(false))
    }

    /// Asks one to stop. One that no worker has taken up is stopped at once.
    pub async fn cancel(&self, pool: &PgPool, id: Uuid) -> Result<(), StoreError> {
        let Self { things, what, .. } = self;
        sqlx::query(AssertSqlSafe(format!(
            "UPDATE {things} SET cancel_requested = true, \
               state = CASE state WHEN 'queued' THEN 'cancelled' ELSE state END \
             WHERE id = $1 AND state IN ('queued', 'running')"
        )))
        .bind(id)
        .execute(pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on(what))
    }

    /// Lets whoever keeps parts of the same one do so one after the other, so that the count grows.
    pub async fn lock(&self, connection: &mut PgConnection, id: Uuid) -> Result<(), StoreError> {
        let Self { things, what, .. } = self;
        sqlx::query(AssertSqlSafe(format!("SELECT 1 FROM {things} WHERE id = $1 FOR UPDATE")))
            .bind(id)
            .fetch_one(connection)
            .await
            .map(|_| ())
            .map_err(StoreError::on(what))
    }

    /// Whether a part is there already.
    pub async fn has(&self, pool: &PgPool, id: Uuid, part: u32) -> Result<bool, StoreError> {
        let Self { table, owner, what, .. } = self;
        sqlx::query_scalar(AssertSqlSafe(format!(
            "SELECT EXISTS (SELECT 1 FROM {table} WHERE {owner} = $1 AND part = $2)"
        )))
        .bind(id)
        .bind(part as i32)
        .fetch_one(pool)
        .await
        .map_err(StoreError::on(what))
    }

    /// How many parts are there.
    pub async fn count(&self, pool: &PgPool, id: Uuid) -> Result<usize, StoreError> {
        let Self { table, owner, what, .. } = self;
        let count: i64 = sqlx::query_scalar(AssertSqlSafe(format!(
            "SELECT count(*) FROM {table} WHERE {owner} = $1"
        )))
        .bind(id)
        .fetch_one(pool)
        .await
        .map_err(StoreError::on(what))?;
        Ok(count as usize)
    }

    /// The parts that are there from the first on without a gap, in order.
    pub async fn in_order<P: DeserializeOwned>(
        &self,
        pool: &PgPool,
        id: Uuid,
    ) -> Result<Vec<P>, StoreError> {
        let Self { table, owner, what, .. } = self;
        let rows: Vec<(i32, Vec<u8>)> = sqlx::query_as(AssertSqlSafe(format!(
            "SELECT part, summary FROM {table} WHERE {owner} = $1 ORDER BY part"
        )))
        .bind(id)
        .fetch_all(pool)
        .await
        .map_err(StoreError::on(what))?;
        rows.into_iter()
            .zip(0..)
            .take_while(|((part, _), wanted)| part == wanted)
            .map(|((_, bytes), _)| decoded(&bytes))
            .collect()
    }

    /// Removes the parts of something that is over.
    pub async fn forget(&self, connection: &mut PgConnection, id: Uuid) -> Result<(), sqlx::Error> {
        let Self { table, owner, .. } = self;
        sqlx::query(AssertSqlSafe(format!("DELETE FROM {table} WHERE {owner} = $1")))
            .bind(id)
            .execute(connection)
            .await
            .map(|_| ())
    }
}

/// Sums as they are kept.
pub(crate) fn encoded(sums: &impl Serialize) -> Result<Vec<u8>, StoreError> {
    postcard::to_allocvec(sums).map_err(StoreError::unreadable("sums"))
}

/// Sums that were kept.
pub(crate) fn decoded<P: DeserializeOwned>(bytes: &[u8]) -> Result<P, StoreError> {
    postcard::from_bytes(bytes).map_err(StoreError::unreadable("sums"))
}
