//! Signed-in sessions, kept in the database so that a restart signs nobody out.

use std::collections::HashMap;

use async_trait::async_trait;
use jiff::Timestamp;
use serde_json::Value;
use sqlx::PgPool;
use sqlx::types::Json;
use time::OffsetDateTime;
use tower_sessions_core::session::{Id, Record};
use tower_sessions_core::session_store::{Error, Result, SessionStore};
use uuid::Uuid;

use crate::{Store, StoreError};

/// The sessions of a [`Store`].
#[derive(Clone, Debug)]
pub struct Sessions {
    pool: PgPool,
}

impl Store {
    /// The sessions kept here.
    pub fn sessions(&self) -> Sessions {
        Sessions { pool: self.pool.clone() }
    }

    /// Forgets the sessions that have expired.
    pub async fn forget_expired_sessions(&self) -> std::result::Result<u64, StoreError> {
        sqlx::query(sqlx::AssertSqlSafe(format!(
            "DELETE FROM sessions \
             WHERE expires_at < now() OR created_at < now() - interval '{LONGEST_LIFE}'"
        )))
        .execute(&self.pool)
        .await
        .map(|done| done.rows_affected())
        .map_err(StoreError::on("forgetting expired sessions"))
    }
}

/// A session of a person.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SessionLine {
    /// The digest of its key, by which it is ended.
    pub id: String,
    /// When it was begun.
    pub since: Timestamp,
    /// When it ends unless it is used before.
    pub until: Timestamp,
    /// The address from which it was begun, where that is known.
    pub from: Option<String>,
    /// Whether it is the one that asks.
    pub is_this: bool,
}

/// Where a session keeps the address from which it was begun.
pub const SESSION_FROM: &str = "from";

impl Store {
    /// The sessions that a person has open, the latest first; `here` is the key of the one that asks.
    pub async fn sessions_of(
        &self,
        user: Uuid,
        here: &str,
    ) -> std::result::Result<Vec<SessionLine>, StoreError> {
        type Row = (String, jiff_sqlx::Timestamp, jiff_sqlx::Timestamp, Option<String>, bool);
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT id, created_at, expires_at, record ->> $3, \
               id = encode(sha256(convert_to($2, 'UTF8')), 'hex') \
             FROM sessions \
             WHERE record -> 'axum-login.data' ->> 'user_id' = $1 AND expires_at > now() \
             ORDER BY created_at DESC, id",
        )
        .bind(user.to_string())
        .bind(here)
        .bind(SESSION_FROM)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing sessions"))?;
        let line = |(id, since, until, from, is_this): Row| SessionLine {
            id,
            since: since.to_jiff(),
            until: until.to_jiff(),
            from,
            is_this,
        };
        Ok(rows.into_iter().map(line).collect())
    }

    /// Ends one session of a person.
    pub async fn end_session(&self, user: Uuid, id: &str) -> std::result::Result<(), StoreError> {
        let done = sqlx::query(
            "DELETE FROM sessions WHERE id = $2 AND record -> 'axum-login.data' ->> 'user_id' = $1",
        )
        .bind(user.to_string())
        .bind(id)
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("ending a session"))?;
        if done.rows_affected() == 1 { Ok(()) } else { Err(StoreError::NotFound) }
    }

    /// Ends all sessions of a person but one.
    pub async fn end_other_sessions(
        &self,
        user: Uuid,
        but: &str,
    ) -> std::result::Result<u64, StoreError> {
        sqlx::query(
            "DELETE FROM sessions WHERE record -> 'axum-login.data' ->> 'user_id' = $1 \
               AND id <> encode(sha256(convert_to($2, 'UTF8')), 'hex')",
        )
        .bind(user.to_string())
        .bind(but)
        .execute(&self.pool)
        .await
        .map(|done| done.rows_affected())
        .map_err(StoreError::on("ending sessions"))
    }
}

fn backend(error: sqlx::Error) -> Error {
    Error::Backend(error.to_string())
}

/// The longest that a session lasts, however busy: afterwards people sign in again.
const LONGEST_LIFE: &str = "24 hours";

#[async_trait]
impl SessionStore for Sessions {
    async fn create(&self, record: &mut Record) -> Result<()> {
        // A fresh identifier until one is free: never another's session.
        loop {
            let done = sqlx::query(
                "INSERT INTO sessions (id, record, expires_at) \
                 VALUES (encode(sha256(convert_to($1, 'UTF8')), 'hex'), $2, to_timestamp($3)) \
                 ON CONFLICT DO NOTHING",
            )
            .bind(record.id.to_string())
            .bind(Json(&record.data))
            .bind(record.expiry_date.unix_timestamp() as f64)
            .execute(&self.pool)
            .await
            .map_err(backend)?;
            if done.rows_affected() == 1 {
                return Ok(());
            }
            record.id = Id::default();
        }
    }

    async fn save(&self, record: &Record) -> Result<()> {
        // Every request moves the end of its session; a move of less than a minute is not written.
        sqlx::query(
            "INSERT INTO sessions (id, record, expires_at) \
             VALUES (encode(sha256(convert_to($1, 'UTF8')), 'hex'), $2, to_timestamp($3)) \
             ON CONFLICT (id) DO UPDATE SET record = $2, expires_at = to_timestamp($3) \
             WHERE sessions.record <> $2 \
               OR sessions.expires_at < to_timestamp($3) - interval '1 minute'",
        )
        .bind(record.id.to_string())
        .bind(Json(&record.data))
        .bind(record.expiry_date.unix_timestamp() as f64)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(backend)
    }

    async fn load(&self, id: &Id) -> Result<Option<Record>> {
        let found: Option<(Json<HashMap<String, Value>>, f64)> =
            sqlx::query_as(sqlx::AssertSqlSafe(format!(
                "SELECT record, extract(epoch FROM expires_at)::double precision FROM sessions \
                 WHERE id = encode(sha256(convert_to($1, 'UTF8')), 'hex') \
                   AND expires_at > now() AND created_at > now() - interval '{LONGEST_LIFE}'"
            )))
            .bind(id.to_string())
            .fetch_optional(&self.pool)
            .await
            .map_err(backend)?;
        let Some((Json(data), expires)) = found else { return Ok(None) };
        let expiry_date = OffsetDateTime::from_unix_timestamp(expires as i64)
            .map_err(|error| Error::Backend(error.to_string()))?;
        Ok(Some(Record { id: *id, data, expiry_date }))
    }

    async fn delete(&self, id: &Id) -> Result<()> {
        sqlx::query("DELETE FROM sessions WHERE id = encode(sha256(convert_to($1, 'UTF8')), 'hex')")
            .bind(id.to_string())
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(backend)
    }
}
