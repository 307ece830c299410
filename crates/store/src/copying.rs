//! COPY that can be left at any moment. SQLx counts the answers that a connection still owes for every query but this
//! one: where a COPY is dropped while it waits for its answer, the next question on the connection gets that answer.
//! So each wait for an answer is a task of its own, which goes on when nobody waits for it any more.

use std::panic::resume_unwind;

use sqlx::pool::PoolConnection;
use sqlx::postgres::{PgCopyIn, PgPoolCopyExt};
use sqlx::{PgPool, Postgres};

/// Rows on their way into a table. Dropped, none of them is there.
pub(crate) struct Copying(PgCopyIn<PoolConnection<Postgres>>);

impl Copying {
    /// Begins with a COPY … FROM STDIN.
    pub async fn begin(pool: &PgPool, statement: &'static str) -> sqlx::Result<Self> {
        let pool = pool.clone();
        to_its_end(async move { pool.copy_in_raw(statement).await.map(Self) }).await
    }

    /// Sends more of the rows.
    pub async fn send(&mut self, rows: &[u8]) -> sqlx::Result<()> {
        self.0.send(rows).await.map(drop)
    }

    /// Keeps what was sent.
    pub async fn finish(self) -> sqlx::Result<()> {
        to_its_end(async move { self.0.finish().await.map(drop) }).await
    }

    /// Keeps nothing, for a reason that the database's log has.
    pub async fn abandon(self, why: &'static str) {
        // The database answers with an error of its own making, which is expected.
        drop(to_its_end(self.0.abort(why)).await);
    }
}

/// Waits for something that goes on when the wait is dropped.
async fn to_its_end<T: Send + 'static>(
    work: impl Future<Output = sqlx::Result<T>> + Send + 'static,
) -> sqlx::Result<T> {
    match tokio::spawn(work).await {
        Ok(done) => done,
        Err(error) => match error.try_into_panic() {
            Ok(panic) => resume_unwind(panic),
            // The program ends.
            Err(_) => Err(sqlx::Error::WorkerCrashed),
        },
    }
}
