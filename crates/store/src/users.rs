//! People who sign in.

use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError};

/// What a person may do; each role may do all that the ones before it may.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, sqlx::Type)]
#[sqlx(type_name = "text", rename_all = "lowercase")]
pub enum Role {
    /// Looks.
    Viewer,
    /// Changes plans and tries strategies.
    Planner,
    /// Lets changes go live.
    Approver,
    /// Everything.
    Administrator,
}

impl Role {
    /// The role in a word.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Viewer => "viewer",
            Self::Planner => "planner",
            Self::Approver => "approver",
            Self::Administrator => "administrator",
        }
    }
}

/// A person who signs in.
#[derive(Clone, Debug, FromRow)]
pub struct User {
    /// Key.
    pub id: Uuid,
    /// Name as shown.
    pub name: String,
    /// Address to sign in with.
    pub email: String,
    /// Argon2 hash of the password, in PHC form.
    pub password_hash: String,
    /// What they may do.
    pub role: Role,
}

const COLUMNS: &str = "SELECT id, name, email, password_hash, role FROM users";

impl Store {
    /// The person with this address, in any case.
    pub async fn user_by_email(&self, email: &str) -> Result<Option<User>, StoreError> {
        sqlx::query_as(sqlx::AssertSqlSafe(format!("{COLUMNS} WHERE lower(email) = lower($1)")))
            .bind(email)
            .fetch_optional(&self.pool)
            .await
            .map_err(StoreError::on("looking up a user"))
    }

    /// The person with this key.
    pub async fn user(&self, id: Uuid) -> Result<Option<User>, StoreError> {
        sqlx::query_as(sqlx::AssertSqlSafe(format!("{COLUMNS} WHERE id = $1")))
            .bind(id)
            .fetch_optional(&self.pool)
            .await
            .map_err(StoreError::on("looking up a user"))
    }

    /// Adds a person.
    pub async fn add_user(
        &self,
        name: &str,
        email: &str,
        password_hash: &str,
        role: Role,
    ) -> Result<Uuid, StoreError> {
        sqlx::query_scalar(
            "INSERT INTO users (name, email, password_hash, role) VALUES ($1, $2, $3, $4) RETURNING id",
        )
        .bind(name)
        .bind(email)
        .bind(password_hash)
        .bind(role)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("adding a user"))
    }
}
