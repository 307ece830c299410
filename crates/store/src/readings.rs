//! Turns of those who read uploaded files. A reading holds two connections and asks for a third: as many as there are
//! connections would wait for each other, and everybody else for them.

use std::sync::Arc;

use sqlx::{PgConnection, Postgres, Transaction};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use uuid::Uuid;

use crate::{Store, StoreError};

/// Connections for each reading that goes on at the same time: what it takes, and one for pages.
const CONNECTIONS_FOR_EACH: u32 = 4;

/// How many readings may begin now.
#[derive(Clone, Debug)]
pub(crate) struct Readings(Arc<Semaphore>);

impl Readings {
    /// For a pool of this many connections.
    pub fn beside(connections: u32) -> Self {
        Self(Arc::new(Semaphore::new((connections / CONNECTIONS_FOR_EACH).max(1) as usize)))
    }
}

/// A turn, with the lock that keeps others from reading the same file; over when it is dropped.
pub(crate) struct ReadingTurn {
    lock: Transaction<'static, Postgres>,
    /// None where the store is closed.
    place: Option<OwnedSemaphorePermit>,
}

impl ReadingTurn {
    /// Lets the next one begin.
    pub async fn end(self) -> sqlx::Result<()> {
        let ended = self.lock.commit().await;
        drop(self.place);
        ended
    }
}

impl Store {
    /// Waits for a turn to read a file, without a connection. [`StoreError::Busy`] where somebody reads it.
    pub(crate) async fn reading_turn(&self, file: Uuid) -> Result<ReadingTurn, StoreError> {
        let failed = StoreError::on("beginning to read a file");
        let places = &self.readings.0;
        let place = match places.clone().try_acquire_owned() {
            Ok(place) => Some(place),
            Err(_) => {
                // Who reads it now need not be waited for.
                let mut connection = self.pool.begin().await.map_err(&failed)?;
                if !try_lock(&mut connection, file).await? {
                    return Err(StoreError::Busy);
                }
                connection.rollback().await.map_err(&failed)?;
                places.clone().acquire_owned().await.ok()
            }
        };
        let mut lock = self.pool.begin().await.map_err(&failed)?;
        if !try_lock(&mut lock, file).await? {
            return Err(StoreError::Busy);
        }
        Ok(ReadingTurn { lock, place })
    }
}

/// Locks the reading of a file until the transaction ends, if nobody else reads it.
pub(crate) async fn try_lock(
    connection: &mut PgConnection,
    import: Uuid,
) -> Result<bool, StoreError> {
    sqlx::query_scalar(
        "SELECT pg_try_advisory_xact_lock(hashtextextended('import ' || $1::text, 0))",
    )
    .bind(import)
    .fetch_one(connection)
    .await
    .map_err(StoreError::on("locking an upload"))
}
