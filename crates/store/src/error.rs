//! What can go wrong with the database, as far as a caller acts on it.

use crate::SavedMeanwhile;

/// Why a question has no answer.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// There is no such thing.
    #[error("not found")]
    NotFound,
    /// What was kept is not what this version of Barometer reads.
    #[error("what is kept of {what} cannot be read")]
    Unreadable {
        /// Which aggregate.
        what: &'static str,
        /// Why.
        #[source]
        source: Box<dyn std::error::Error + Send + Sync>,
    },
    /// The database failed.
    #[error("{doing} failed")]
    Database {
        /// What was being done.
        doing: &'static str,
        /// Why.
        #[source]
        source: sqlx::Error,
    },
    /// Somebody or something else has this name or address.
    #[error("this is taken already")]
    Taken,
    /// Somebody else saved another version than the one that this edit was based on.
    #[error("somebody else saved this meanwhile")]
    SavedMeanwhile(SavedMeanwhile),
    /// Somebody else is doing the same thing at this moment.
    #[error("this is being done already")]
    Busy,
    /// A contact type is in the archive, where nothing is added to it.
    #[error("{0} is archived")]
    Archived(String),
    /// A file names more contact types than a centre could have.
    #[error("the file has over 32,767 different contact types; perhaps another column holds them")]
    TooManyTypes,
    /// The job queue failed.
    #[error("queueing the job failed")]
    Queue(#[source] apalis_postgres::Error),
}

impl StoreError {
    /// Whether the database could not be asked at all: it may answer later.
    pub fn is_away(&self) -> bool {
        match self {
            Self::Database { source, .. } => match source {
                // Class 57: the server is being stopped or started.
                sqlx::Error::Database(error) => {
                    error.code().is_some_and(|code| code.starts_with("57"))
                }
                sqlx::Error::Io(_) | sqlx::Error::PoolTimedOut | sqlx::Error::Protocol(_) => true,
                _ => false,
            },
            _ => false,
        }
    }

    /// For `map_err`: a database error while doing this; a missing row is [`Self::NotFound`], a
    /// name that is there already [`Self::Taken`].
    pub(crate) fn on(doing: &'static str) -> impl Fn(sqlx::Error) -> Self {
        move |source| match source {
            sqlx::Error::RowNotFound => Self::NotFound,
            sqlx::Error::Database(error) if error.is_unique_violation() => Self::Taken,
            source => Self::Database { doing, source },
        }
    }

    /// For `map_err`: kept data that cannot be read.
    pub(crate) fn unreadable<E>(what: &'static str) -> impl Fn(E) -> Self
    where
        E: std::error::Error + Send + Sync + 'static,
    {
        move |source| Self::Unreadable { what, source: Box::new(source) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_database_that_cannot_be_asked_is_worth_waiting_for() {
        let on = |error: sqlx::Error| StoreError::on("asking")(error);
        let broken = std::io::Error::from(std::io::ErrorKind::ConnectionReset);
        assert!(on(sqlx::Error::Io(broken)).is_away());
        assert!(on(sqlx::Error::PoolTimedOut).is_away());
        assert!(!on(sqlx::Error::RowNotFound).is_away(), "that is an answer");
        assert!(!on(sqlx::Error::ColumnNotFound("volume".to_owned())).is_away());
        assert!(!StoreError::Taken.is_away());
    }
}
