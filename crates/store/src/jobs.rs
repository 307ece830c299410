//! The job queue: long work waits in PostgreSQL for a worker, here or on another machine.

use std::time::Duration;

use apalis::prelude::{PollWith, Strategy, TaskBuilder};
use apalis_postgres::{Config, PostgresStorage, Pubsub};
use serde::{Deserialize, Serialize};
use sqlx::{PgConnection, PgPool};
use uuid::Uuid;

use crate::{Store, StoreError};

/// Where a job waits. Each lane has workers of its own, so that what takes long never takes their places.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lane {
    /// What somebody waits for at a page: forecasts, reports, answers, drawings.
    Quick,
    /// What takes long: trials, comparisons, searches.
    Long,
}

impl Lane {
    /// All lanes.
    pub const ALL: [Self; 2] = [Self::Quick, Self::Long];

    /// What workers and threads of the lane are called.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Quick => "quick",
            Self::Long => "long",
        }
    }

    /// The name of its queue. The long lane has the name of before there were two, so that what waits in it
    /// through an update is done.
    pub(crate) const fn queue(self) -> &'static str {
        match self {
            Self::Quick => "barometer-quick",
            Self::Long => "barometer-trials",
        }
    }

    /// The names of all queues.
    pub(crate) fn queues() -> Vec<&'static str> {
        Self::ALL.map(Self::queue).to_vec()
    }
}

/// What a worker does: a part of a run. Jobs of before there were runs name the run after its kind.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Job {
    /// Which run.
    #[serde(alias = "trial", alias = "comparison", alias = "forecast_run", alias = "shift_search")]
    pub run: Uuid,
    /// Which part; `None` for all of them, one after the other.
    #[serde(default)]
    pub part: Option<u32>,
}

/// What a worker takes jobs from: told of new ones by the database, and looking for itself now
/// and then, so that nothing stays behind that came while nobody listened.
pub type JobQueue = PollWith<PostgresStorage<Job>, Strategy>;

/// How often a worker looks for jobs unasked.
const LOOK_EVERY: Duration = Duration::from_secs(5);

pub(crate) async fn migrate(pool: &PgPool) -> Result<(), StoreError> {
    PostgresStorage::<()>::setup(pool).await.map_err(StoreError::Queue)
}

/// Queues jobs within a transaction, so that a run and its jobs are there together or not.
pub(crate) async fn push(
    connection: &mut PgConnection,
    lane: Lane,
    jobs: impl IntoIterator<Item = Job>,
) -> Result<(), StoreError> {
    let task = |job: Job| {
        let args = serde_json::to_vec(&job).map_err(StoreError::unreadable("the job"))?;
        Ok(TaskBuilder::new(args).max_attempts(5).build())
    };
    let tasks = jobs.into_iter().map(task).collect::<Result<Vec<_>, StoreError>>()?;
    apalis_postgres::queries::push_tasks(connection, lane.queue(), tasks)
        .await
        .map_err(StoreError::Queue)
}

impl Store {
    /// The jobs of a lane, for a worker that shows every `heartbeat` that it is alive. One that has
    /// not for three of them is taken for dead, and its job is taken up again.
    pub fn job_queue(&self, lane: Lane, heartbeat: Duration) -> JobQueue {
        let config = Config::default()
            .queue(lane.queue())
            .batch_size(1)
            .heartbeat_interval(heartbeat)
            .missed_heartbeats(3);
        let told = Pubsub::new(self.pool.clone(), lane.queue().to_owned());
        let strategy = Strategy::new().stream(told).interval(LOOK_EVERY);
        PollWith::new(PostgresStorage::new(&self.pool).with_config(config), strategy)
    }
}
