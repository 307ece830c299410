//! Why a search ends without an answer, or early.

use barometer_plan::ProgrammeError;
use barometer_simulate::{ExperimentError, PlayError};

use crate::question::QuestionError;

/// Why a search shall not go on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stopped {
    /// The best so far is enough.
    Enough,
    /// Nobody wants it any more.
    Cancelled,
}

/// Why a search has no answer.
#[derive(Debug, thiserror::Error)]
pub enum SearchError {
    /// The question cannot be searched.
    #[error(transparent)]
    Question(#[from] QuestionError),
    /// A design cannot be simulated.
    #[error(transparent)]
    Experiment(#[from] ExperimentError),
    /// A day does not end.
    #[error(transparent)]
    Play(#[from] PlayError),
    /// A setting does not take a value.
    #[error("a setting cannot be {0}")]
    Setting(String),
    /// The master problem was not solved.
    #[error(transparent)]
    Programme(#[from] ProgrammeError),
    /// It was stopped.
    #[error("the search was stopped")]
    Stopped(Stopped),
}
