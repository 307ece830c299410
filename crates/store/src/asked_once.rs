//! What pages ask workers for and what is kept under what was asked: however many ask at once, it is worked out once.

use sqlx::PgConnection;
use uuid::Uuid;

use crate::StoreError;

/// Waits until nobody else asks for the same, until the end of the transaction.
pub(crate) async fn wait_for_turn(
    connection: &mut PgConnection,
    text: &str,
) -> Result<(), StoreError> {
    sqlx::query("SELECT pg_advisory_xact_lock(hashtextextended($1, 0))")
        .bind(text)
        .execute(connection)
        .await
        .map(|_| ())
        .map_err(StoreError::on("waiting for others who ask the same"))
}

/// Forgets the oldest runs of a centre whose results stand in a table, so that with one more there are `most` at most;
/// none that goes on.
pub(crate) async fn make_room(
    connection: &mut PgConnection,
    table: &'static str,
    centre: Uuid,
    most: i64,
) -> Result<(), StoreError> {
    sqlx::query(sqlx::AssertSqlSafe(format!(
        "DELETE FROM runs WHERE id IN ( \
           SELECT {table}.id FROM {table} JOIN runs ON runs.id = {table}.id \
           WHERE {table}.centre_id = $1 AND state NOT IN ('queued', 'running') \
           ORDER BY runs.created_at DESC OFFSET $2)"
    )))
    .bind(centre)
    .bind(most - 1)
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(StoreError::on("forgetting what was asked long ago"))
}
