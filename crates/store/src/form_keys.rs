//! Keys of forms that were sent, so that one that is sent twice is carried out once.

use crate::{Store, StoreError};

/// How far a form has come that was sent before.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SentBefore {
    /// It is being carried out.
    UnderWay,
    /// It was carried out; its sender was led there, or shown something at once.
    Done(Option<String>),
}

impl Store {
    /// Begins with the form of this key; `None` for the first who does, and who alone carries it out.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn begin_form(&self, key: &str) -> Result<Option<SentBefore>, StoreError> {
        let failed = StoreError::on("beginning with a form");
        let begun = sqlx::query("INSERT INTO form_keys (key) VALUES ($1) ON CONFLICT DO NOTHING")
            .bind(key)
            .execute(&self.pool)
            .await
            .map_err(&failed)?;
        if begun.rows_affected() == 1 { Ok(None) } else { self.form_of(key).await.map(Some) }
    }

    /// How far the form of this key has come. One that failed meanwhile counts as carried out to nothing.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn form_of(&self, key: &str) -> Result<SentBefore, StoreError> {
        let row: Option<(bool, Option<String>)> =
            sqlx::query_as("SELECT done_at IS NOT NULL, location FROM form_keys WHERE key = $1")
                .bind(key)
                .fetch_optional(&self.pool)
                .await
                .map_err(StoreError::on("looking for a form"))?;
        Ok(match row {
            Some((false, _)) => SentBefore::UnderWay,
            Some((true, location)) => SentBefore::Done(location),
            None => SentBefore::Done(None),
        })
    }

    /// The form of this key was carried out.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn end_form(&self, key: &str, location: Option<&str>) -> Result<(), StoreError> {
        sqlx::query("UPDATE form_keys SET done_at = now(), location = $2 WHERE key = $1")
            .bind(key)
            .bind(location)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("ending with a form"))
    }

    /// The form of this key was refused: it may be sent again.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn forget_form(&self, key: &str) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM form_keys WHERE key = $1")
            .bind(key)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("forgetting a form"))
    }

    /// Forgets the forms of the days before: no page stays open for so long.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not answer.
    pub async fn forget_old_forms(&self) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM form_keys WHERE begun_at < now() - interval '2 days'")
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("forgetting old forms"))
    }
}
