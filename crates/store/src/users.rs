//! People who sign in.

use sqlx::postgres::PgArguments;
use sqlx::query::Query;
use sqlx::{FromRow, Postgres};
use uuid::Uuid;

use crate::saves::count_save;
use crate::{Edited, Save, Store, StoreError};

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
    /// Every role, from the one that may least.
    pub const ALL: [Self; 4] = [Self::Viewer, Self::Planner, Self::Approver, Self::Administrator];

    /// The role of this word.
    pub fn of_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|role| role.word() == word)
    }

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
    /// What their sessions are bound to: a digest that changes with the password and the second factor.
    pub session_key: String,
    /// What they may do.
    pub role: Role,
    /// Whether they may see single agents at work.
    pub sees_agents: bool,
    /// The version of what they may do, see [`Edited::Person`].
    pub version: i64,
    /// Whether they also show a code of an authenticator when they sign in.
    pub has_second_factor: bool,
    /// Whether they may not sign in any more.
    pub is_deactivated: bool,
}

const COLUMNS: &str = "SELECT id, name, email, password_hash, role, sees_agents, \
     coalesce((SELECT version FROM saves WHERE what = 'person' AND saves.id = users.id), 0) AS version, \
     deactivated_at IS NOT NULL AS is_deactivated, second_factor IS NOT NULL AS has_second_factor, \
     encode(sha256(convert_to(password_hash, 'UTF8') || coalesce(second_factor, '')), 'hex') AS session_key FROM users";

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

    /// Everybody, by name.
    pub async fn users(&self) -> Result<Vec<User>, StoreError> {
        sqlx::query_as(sqlx::AssertSqlSafe(format!("{COLUMNS} ORDER BY lower(name), email")))
            .fetch_all(&self.pool)
            .await
            .map_err(StoreError::on("listing people"))
    }

    /// Gives a person another role, unless no administrator would be left; says whether it did.
    pub async fn set_role(&self, id: Uuid, role: Role, save: Save) -> Result<bool, StoreError> {
        let change = sqlx::query("UPDATE users SET role = $2 WHERE id = $1").bind(id).bind(role);
        self.while_one_administrates(id, role == Role::Administrator, change, save).await
    }

    /// Keeps a person from signing in, or no longer; their sessions end. Not where no administrator would be left;
    /// says whether it did.
    pub async fn deactivate(
        &self,
        id: Uuid,
        is_deactivated: bool,
        save: Save,
    ) -> Result<bool, StoreError> {
        let change = sqlx::query(
            "UPDATE users SET deactivated_at = CASE WHEN $2 THEN coalesce(deactivated_at, now()) END \
             WHERE id = $1",
        )
        .bind(id)
        .bind(is_deactivated);
        self.while_one_administrates(id, !is_deactivated, change, save).await
    }

    /// Changes a person unless no administrator would be left; says whether it did.
    async fn while_one_administrates(
        &self,
        id: Uuid,
        is_one_still: bool,
        change: Query<'_, Postgres, PgArguments>,
        save: Save,
    ) -> Result<bool, StoreError> {
        let failed = StoreError::on("changing a person");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        // Two administrators who take each other's role wait for each other.
        let administrators: Vec<Uuid> = sqlx::query_scalar(
            "SELECT id FROM users WHERE role = 'administrator' AND deactivated_at IS NULL \
             ORDER BY id FOR UPDATE",
        )
        .fetch_all(&mut *tx)
        .await
        .map_err(&failed)?;
        let stays = is_one_still || administrators.iter().any(|other| *other != id);
        if stays {
            count_save(&mut tx, Edited::Person(id), save).await?;
            change.execute(&mut *tx).await.map_err(&failed)?;
            tx.commit().await.map_err(&failed)?;
        }
        Ok(stays)
    }

    /// Lets a person see single agents at work, or no longer.
    pub async fn let_see_agents(
        &self,
        id: Uuid,
        sees_agents: bool,
        save: Save,
    ) -> Result<(), StoreError> {
        let change = sqlx::query("UPDATE users SET sees_agents = $2 WHERE id = $1")
            .bind(id)
            .bind(sees_agents);
        let doing = "changing who sees single agents";
        self.save_edited(Edited::Person(id), save, doing, change).await
    }

    /// The secret of a person's authenticator, and the last step of time whose code was used.
    pub async fn second_factor(&self, id: Uuid) -> Result<Option<(Vec<u8>, i64)>, StoreError> {
        sqlx::query_as(
            "SELECT second_factor, second_factor_step FROM users \
             WHERE id = $1 AND second_factor IS NOT NULL",
        )
        .bind(id)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reading a second factor"))
    }

    /// Gives a person an authenticator whose code of this step was just used, or takes it away; their sessions end.
    pub async fn set_second_factor(
        &self,
        id: Uuid,
        secret: Option<(&[u8], i64)>,
    ) -> Result<(), StoreError> {
        sqlx::query("UPDATE users SET second_factor = $2, second_factor_step = $3 WHERE id = $1")
            .bind(id)
            .bind(secret.map(|(secret, _)| secret))
            .bind(secret.map_or(0, |(_, step)| step))
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("changing a second factor"))
    }

    /// Notes that the code of a step was used; says whether it was not used before, nor a later one.
    pub async fn use_code(&self, id: Uuid, step: i64) -> Result<bool, StoreError> {
        sqlx::query(
            "UPDATE users SET second_factor_step = $2 WHERE id = $1 AND second_factor_step < $2",
        )
        .bind(id)
        .bind(step)
        .execute(&self.pool)
        .await
        .map(|done| done.rows_affected() == 1)
        .map_err(StoreError::on("noting a code"))
    }

    /// Gives a person a password; their sessions end.
    pub async fn set_password(&self, id: Uuid, password_hash: &str) -> Result<(), StoreError> {
        sqlx::query("UPDATE users SET password_hash = $2 WHERE id = $1")
            .bind(id)
            .bind(password_hash)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("changing a password"))
    }

    /// Adds a person. Those who plan see single agents from the start; viewers are let when they need it.
    ///
    /// # Errors
    ///
    /// [`StoreError::Taken`] when somebody has this address already.
    pub async fn add_user(
        &self,
        name: &str,
        email: &str,
        password_hash: &str,
        role: Role,
    ) -> Result<Uuid, StoreError> {
        sqlx::query_scalar(
            "INSERT INTO users (name, email, password_hash, role, sees_agents) \
             VALUES ($1, $2, $3, $4, $4 <> 'viewer') RETURNING id",
        )
        .bind(name)
        .bind(email)
        .bind(password_hash)
        .bind(role)
        .fetch_one(&self.pool)
        .await
        .map_err(|error| match error.as_database_error() {
            Some(database) if database.is_unique_violation() => StoreError::Taken,
            _ => StoreError::on("adding a user")(error),
        })
    }
}
