//! PostgreSQL through SQLx: one module per aggregate, no rules of the job.
//!
//! [`Store`] is a pool; each module adds the questions that can be asked about its aggregate. Rows
//! leave no module: every answer is a domain type or one of the plain structs named here. Every question
//! fails with a [`StoreError`] that says what could not be done; what else makes one fail stands at it.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]
#![allow(
    clippy::missing_errors_doc,
    reason = "all fail where the database does; only what else makes them fail is said"
)]

mod accounts;
mod agents;
mod alarms;
mod answers;
mod archive;
mod asked_once;
mod backup;
mod boards;
mod centres;
mod change_sheets;
mod comparisons;
mod copying;
mod cover;
mod drafts;
mod drawings;
mod error;
mod expectations;
mod forecast_runs;
mod forecasts;
mod form_keys;
mod frozen;
mod history;
mod imports;
mod interventions;
mod jobs;
mod lists;
mod live;
mod marks;
mod operating;
mod outbox;
mod overlays;
mod past_calls;
mod readings;
mod reports;
mod runs;
mod saves;
mod searches;
mod secret;
mod sessions;
mod shift_searches;
mod special_days;
mod strategies;
mod subject;
mod tokens;
mod trail;
mod trials;
mod users;
mod waivers;

pub use accounts::{KeptAccount, OpeningPlan};
pub use agents::{Agent, AgentStretch, DayRoster, NamedAgent, TimeOff};
pub use alarms::{Alarm, Ring};
pub use answers::KeptAnswer;
pub use archive::ArchivedType;
pub use backup::{Snapshot, TableSum, TableSums, schema_version};
pub use boards::Board;
pub use centres::{Centre, ContactType};
pub use change_sheets::{KeptEntry, KeptSheet, NewEntry, Publication};
pub use comparisons::{Comparison, ComparisonLine, NewComparison};
pub use drafts::{DraftLine, NewDraft, NewRevision, Revision};
pub use drawings::{Drawing, DrawnAs, NewDrawing};
pub use error::StoreError;
pub use forecasts::{
    DemandLine, ForecastDay, ForecastHead, ForecastLine, ForecastLock, MadeInterval,
};
pub use form_keys::SentBefore;
pub use frozen::{FrozenForecast, FrozenInterval};
pub use history::{AnswerSpeed, DayTotal, HistoryInterval, PeriodTotal};
pub use imports::{Import, ImportRow, ImportState, ImportWriter, PreviewLine, Refusal, Upload};
pub use interventions::{Break, Intervention, InterventionNote, NewIntervention};
pub use jobs::{Job, JobQueue, Lane};
pub use lists::{List, ListCounts, ListRow, ListSubject, ListWriter, NotCalled};
pub use live::{LiveRelease, ReleaseAnswer};
pub use marks::{Decision, HistoryMark};
pub use operating::{BackupLine, OperatingFigures, OperatingState, TableSize, WorkerLine};
pub use outbox::{MOST_ATTEMPTS, Message, MessageState, NewMessage};
pub use overlays::KeptOverlay;
pub use past_calls::PastCalls;
pub use reports::{
    Edition, EditionFile, EditionLine, FailedEdition, KeptReport, MadeEdition, MeasuredCounts,
    NewEdition, NewSchedule, PageState, Schedule, Sending, Slots, TeamHours,
};
pub use runs::{Run, RunKind, RunState};
pub use saves::{Edited, Save, SavedMeanwhile};
pub use searches::{NewSearch, Search, SearchLine};
pub use sessions::{SESSION_FROM, SessionLine, Sessions};
pub use shift_searches::ShiftSearch;
pub use special_days::{NewSpecialDay, SpecialDayEntry};
pub use strategies::{GoLive, NewVersion, StrategyVersion};
pub use subject::Subject;
pub use tokens::Token;
pub use trail::{Deed, Doer, Noted, TrailEntry, TrailFilter};
pub use trials::{NewTrial, Trial, TrialLine, TrialSet};
pub use users::{Role, User};
pub use waivers::Waiver;

use sqlx::postgres::PgPoolOptions;
use sqlx::{Executor, PgPool};

use crate::readings::Readings;

/// The database.
#[derive(Clone, Debug)]
pub struct Store {
    pool: PgPool,
    readings: Readings,
}

impl Store {
    /// Connects to the database at `url`.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when it does not answer within 20 seconds.
    pub async fn connect(url: &str, most_connections: u32) -> Result<Self, StoreError> {
        let pool = Self::pool_options()
            .max_connections(most_connections)
            // On a machine that is busy a page comes late rather than not at all.
            .acquire_timeout(std::time::Duration::from_secs(20))
            .connect(url)
            .await
            .map_err(StoreError::on("connecting to the database"))?;
        Ok(Self::on(pool))
    }

    /// How connections are kept. If a request is dropped while its transaction begins, SQLx takes the connection back
    /// with the transaction open, and what is saved on it next would be kept or lost with that. So every transaction is
    /// closed before a connection is used again; PostgreSQL warns of the second BEGIN if one was open.
    pub fn pool_options() -> PgPoolOptions {
        PgPoolOptions::new().after_release(|connection, _| {
            Box::pin(async move { connection.execute("BEGIN; ROLLBACK").await.map(|_| true) })
        })
    }

    /// A store on a pool that is already there.
    pub fn on(pool: PgPool) -> Self {
        let readings = Readings::beside(pool.options().get_max_connections());
        Self { pool, readings }
    }

    /// Brings the schema, and the job queue's, up to date.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when a migration fails.
    pub async fn migrate(&self) -> Result<(), StoreError> {
        operating::MIGRATIONS
            .run(&self.pool)
            .await
            .map_err(|error| StoreError::on("migrating")(error.into()))?;
        jobs::migrate(&self.pool).await
    }
}
