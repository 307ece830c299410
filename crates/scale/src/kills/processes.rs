//! The processes that are killed.

use std::fs::File;
use std::process::Stdio;
use std::time::{Duration, Instant};

use anyhow::{Context, Result, bail};
use tokio::process::{Child, Command};

use super::Options;

/// Within which something that was started has to answer.
const PATIENCE: Duration = Duration::from_secs(60);
const LOOK_EVERY: Duration = Duration::from_millis(100);
/// What the processes say.
const LOG: &str = "kills.log";

/// What can be killed.
#[derive(Clone, Copy, Debug)]
pub enum Part {
    Server,
    Worker,
    Database,
}

impl Part {
    pub const ALL: [Self; 3] = [Self::Server, Self::Worker, Self::Database];
}

/// A server without workers, a worker, and how the database is started.
pub struct Processes<'a> {
    options: &'a Options,
    server: Child,
    worker: Child,
}

impl<'a> Processes<'a> {
    pub async fn start(options: &'a Options) -> Result<Self> {
        let processes = Self { options, server: server(options)?, worker: worker(options)? };
        processes.wait_for_server().await?;
        Ok(processes)
    }

    /// Kills without a word before.
    pub async fn kill(&mut self, part: Part) -> Result<()> {
        match part {
            Part::Server => self.server.kill().await?,
            Part::Worker => self.worker.kill().await?,
            Part::Database => {
                let pid = std::fs::read_to_string(&self.options.database_pid)
                    .context("the database does not run")?;
                let pid =
                    pid.lines().next().context("no process in postmaster.pid")?.trim().to_owned();
                let killed = Command::new("kill").args(["-9", &pid]).status().await?;
                if !killed.success() {
                    bail!("the database could not be killed");
                }
            }
        }
        Ok(())
    }

    pub async fn start_again(&mut self, part: Part) -> Result<()> {
        match part {
            Part::Server => self.server = server(self.options)?,
            Part::Worker => self.worker = worker(self.options)?,
            Part::Database => self.start_database().await?,
        }
        self.wait_for_server().await
    }

    pub async fn end(&mut self) {
        // They are killed with this program if this fails.
        let _ = self.server.kill().await;
        let _ = self.worker.kill().await;
    }

    /// A database that was killed may need a moment until its memory is given back.
    async fn start_database(&self) -> Result<()> {
        let begun = Instant::now();
        loop {
            let mut command = Command::new("sh");
            command
                .args(["-c", &self.options.start_database])
                .stdout(Stdio::null())
                .stderr(Stdio::null());
            if command.status().await?.success() {
                return Ok(());
            }
            if begun.elapsed() > PATIENCE {
                bail!("the database does not start again");
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
    }

    async fn wait_for_server(&self) -> Result<()> {
        let address = format!("http://{}/health/live", self.options.listen);
        let begun = Instant::now();
        loop {
            if reqwest::get(&address).await.is_ok_and(|answer| answer.status().is_success()) {
                return Ok(());
            }
            if begun.elapsed() > PATIENCE {
                bail!("the server does not answer");
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
    }
}

fn server(options: &Options) -> Result<Child> {
    started(options, &["serve", "--no-worker", "--listen", &options.listen])
}

fn worker(options: &Options) -> Result<Child> {
    started(options, &["worker"])
}

fn started(options: &Options, words: &[&str]) -> Result<Child> {
    let log =
        File::options().create(true).append(true).open(LOG).context("no log can be written")?;
    Command::new(&options.program)
        .args(words)
        .env("DATABASE_URL", &options.database_url)
        .stdin(Stdio::null())
        .stdout(log.try_clone()?)
        .stderr(log)
        .kill_on_drop(true)
        .spawn()
        .context("the program cannot be started")
}
