//! Why a use case could not be carried out, as far as a caller acts on it.

use barometer_store::StoreError;

/// Why a use case could not be carried out.
#[derive(Debug, thiserror::Error)]
pub enum AppError {
    /// It is not allowed, or not possible, as the message says: for the person who asked.
    #[error("{0}")]
    Refused(String),
    /// The store has no answer.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The core cannot compute what was kept: a fault of ours.
    #[error("computing failed")]
    Core(#[source] Box<dyn std::error::Error + Send + Sync>),
}

impl AppError {
    /// For `map_err`: an error of the core.
    pub fn core(error: impl std::error::Error + Send + Sync + 'static) -> Self {
        Self::Core(Box::new(error))
    }
}
