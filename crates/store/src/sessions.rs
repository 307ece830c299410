//! Signed-in sessions, kept in the database so that a restart signs nobody out.

use async_trait::async_trait;
use sqlx::PgPool;
use sqlx::types::Json;
use tower_sessions_core::session::{Id, Record};
use tower_sessions_core::session_store::{Error, Result, SessionStore};

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
        sqlx::query("DELETE FROM sessions WHERE expires_at < now()")
            .execute(&self.pool)
            .await
            .map(|done| done.rows_affected())
            .map_err(StoreError::on("forgetting expired sessions"))
    }
}

fn backend(error: sqlx::Error) -> Error {
    Error::Backend(error.to_string())
}

#[async_trait]
impl SessionStore for Sessions {
    async fn create(&self, record: &mut Record) -> Result<()> {
        // A fresh identifier until one is free: never another's session.
        loop {
            let done = sqlx::query(
                "INSERT INTO sessions (id, record, expires_at) VALUES ($1, $2, to_timestamp($3)) \
                 ON CONFLICT DO NOTHING",
            )
            .bind(record.id.to_string())
            .bind(Json(&*record))
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
        sqlx::query(
            "INSERT INTO sessions (id, record, expires_at) VALUES ($1, $2, to_timestamp($3)) \
             ON CONFLICT (id) DO UPDATE SET record = $2, expires_at = to_timestamp($3)",
        )
        .bind(record.id.to_string())
        .bind(Json(record))
        .bind(record.expiry_date.unix_timestamp() as f64)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(backend)
    }

    async fn load(&self, id: &Id) -> Result<Option<Record>> {
        sqlx::query_scalar("SELECT record FROM sessions WHERE id = $1 AND expires_at > now()")
            .bind(id.to_string())
            .fetch_optional(&self.pool)
            .await
            .map(|found: Option<Json<Record>>| found.map(|Json(record)| record))
            .map_err(backend)
    }

    async fn delete(&self, id: &Id) -> Result<()> {
        sqlx::query("DELETE FROM sessions WHERE id = $1")
            .bind(id.to_string())
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(backend)
    }
}
