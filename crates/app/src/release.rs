//! Releases: a tried version goes live, or an earlier one comes back.

use barometer_plan::{Evidence, may_go_live};
use barometer_store::{RunState, Store};
use uuid::Uuid;

use crate::AppError;

/// Lets a version go live, on a trial of it or because it has been live before.
///
/// # Errors
///
/// [`AppError::Refused`] where neither is so, [`AppError::Store`] when the database fails.
pub async fn go_live(
    store: &Store,
    version: Uuid,
    trial: Option<Uuid>,
    by: Uuid,
    note: &str,
) -> Result<(), AppError> {
    let evidence = match trial {
        Some(trial) => {
            let trial = store.trial(trial).await?;
            Some(Evidence {
                is_done: trial.run.state == RunState::Done,
                is_of_this_version: trial.strategy_version == version,
            })
        }
        None => None,
    };
    let has_been_live = store.has_been_live(version).await?;
    may_go_live(evidence, has_been_live).map_err(|refusal| {
        let mut message = refusal.to_string();
        message[..1].make_ascii_uppercase();
        AppError::Refused(format!("{message}."))
    })?;
    Ok(store.go_live(version, trial, Some(by), note).await?)
}
