//! Tokens with which scripts send history.

use jiff::Timestamp;
use sqlx::FromRow;
use uuid::Uuid;

use crate::secret::secret;
use crate::{Store, StoreError, User};

/// A token, without its secret.
#[derive(Clone, Debug)]
pub struct Token {
    /// Key.
    pub id: Uuid,
    /// What it is for.
    pub name: String,
    /// Who made it.
    pub by: String,
    /// When it was last used.
    pub used_at: Option<Timestamp>,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    name: String,
    by: String,
    used_at: Option<jiff_sqlx::Timestamp>,
}

impl Store {
    /// The tokens of a centre, latest first.
    pub async fn tokens(&self, centre: Uuid) -> Result<Vec<Token>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT tokens.id, tokens.name, users.name AS by, used_at \
             FROM tokens JOIN users ON users.id = created_by \
             WHERE centre_id = $1 ORDER BY created_at DESC",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing tokens"))?;
        let token = |row: Row| Token {
            id: row.id,
            name: row.name,
            by: row.by,
            used_at: row.used_at.map(|at| at.to_jiff()),
        };
        Ok(rows.into_iter().map(token).collect())
    }

    /// Makes a token and returns its secret, which is kept nowhere.
    pub async fn add_token(
        &self,
        centre: Uuid,
        name: &str,
        by: Uuid,
    ) -> Result<String, StoreError> {
        let secret = secret();
        sqlx::query(
            "INSERT INTO tokens (centre_id, name, hash, created_by) \
             VALUES ($1, $2, sha256(convert_to($3, 'UTF8')), $4)",
        )
        .bind(centre)
        .bind(name)
        .bind(&secret)
        .bind(by)
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("making a token"))?;
        Ok(secret)
    }

    /// Whoever made the token with this secret, who answers for what is sent with it.
    pub async fn user_by_token(&self, secret: &str) -> Result<Option<User>, StoreError> {
        let id: Option<Uuid> = sqlx::query_scalar(
            "UPDATE tokens SET used_at = now() WHERE hash = sha256(convert_to($1, 'UTF8')) \
             RETURNING created_by",
        )
        .bind(secret)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("looking for a token"))?;
        match id {
            // A token is as good as the person who answers for it.
            Some(id) => Ok(self.user(id).await?.filter(|user| !user.is_deactivated)),
            None => Ok(None),
        }
    }

    /// Ends a token.
    pub async fn remove_token(&self, centre: Uuid, id: Uuid) -> Result<(), StoreError> {
        let gone = sqlx::query("DELETE FROM tokens WHERE centre_id = $1 AND id = $2")
            .bind(centre)
            .bind(id)
            .execute(&self.pool)
            .await
            .map_err(StoreError::on("ending a token"))?;
        if gone.rows_affected() == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }
}
