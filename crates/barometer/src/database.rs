//! The database that a command works on.

use std::time::{Duration, Instant};

use anyhow::{Context, Result};
use barometer_store::Store;
use clap::Args;

/// Between two attempts to reach a database that does not answer.
const TRY_AGAIN_AFTER: Duration = Duration::from_secs(2);

/// Where the database is, and how it is used.
#[derive(Args)]
pub struct DatabaseOptions {
    /// The PostgreSQL database.
    #[arg(long, env = "DATABASE_URL", global = true, hide_env_values = true, default_value = "")]
    database_url: String,
    /// Connections to it that this process may have at the same time.
    #[arg(long, env = "BAROMETER_DATABASE_CONNECTIONS", global = true, default_value_t = 16,
        value_parser = clap::value_parser!(u32).range(4..=500))]
    database_connections: u32,
    /// Seconds that `serve` and `worker` wait for it when they start.
    #[arg(long, env = "BAROMETER_DATABASE_WAIT_SECS", global = true, default_value_t = 60,
        value_parser = clap::value_parser!(u64).range(0..=3600))]
    database_wait_secs: u64,
}

impl DatabaseOptions {
    /// Where it is.
    pub fn url(&self) -> Result<&str> {
        if self.database_url.is_empty() {
            anyhow::bail!(
                "no database: set DATABASE_URL or give --database-url postgres://user@host/name"
            );
        }
        Ok(&self.database_url)
    }

    /// Connects; where `waits`, a database that is still starting is waited for, saying so once.
    pub async fn connect(&self, waits: bool) -> Result<Store> {
        let url = self.url()?;
        let patience = Duration::from_secs(if waits { self.database_wait_secs } else { 0 });
        let begun = Instant::now();
        let mut is_told = false;
        loop {
            let error = match Store::connect(url, self.database_connections).await {
                Ok(store) => return Ok(store),
                Err(error) => error,
            };
            let is_worth_it = error.is_away() && !patience.is_zero();
            if is_worth_it && !is_told {
                tracing::warn!(
                    secs = patience.as_secs(),
                    "the database does not answer yet; waiting for it"
                );
                is_told = true;
            }
            if !is_worth_it || begun.elapsed() >= patience {
                return Err(error).context(
                    "the database does not answer; is it running, and is DATABASE_URL right?",
                );
            }
            tokio::time::sleep(TRY_AGAIN_AFTER).await;
        }
    }
}
