//! What a report can be limited to.

use barometer_store::{Centre, Store};
use barometer_strategy::StepKind;

use crate::AppError;

/// Names of the live strategy that a report can be limited to, in its order.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Coverage {
    /// Teams.
    pub teams: Vec<String>,
    /// Queues and hunt groups.
    pub queues: Vec<String>,
    /// Campaigns.
    pub campaigns: Vec<String>,
}

impl Coverage {
    /// Of the centre's live strategy; nothing where none is live.
    ///
    /// # Errors
    ///
    /// When the database fails.
    pub async fn of(store: &Store, centre: &Centre) -> Result<Self, AppError> {
        let Some(live) = store.live_release(centre.id).await? else { return Ok(Self::default()) };
        let strategy = store.strategy(live.version_id).await?;
        let waits = |does: &StepKind| matches!(does, StepKind::Queue(_) | StepKind::HuntGroup(_));
        let queues = strategy.steps.into_iter().filter(|step| waits(&step.does));
        Ok(Self {
            queues: queues.map(|step| step.name).collect(),
            teams: strategy.teams.into_iter().map(|team| team.name).collect(),
            campaigns: strategy.campaigns.into_iter().map(|campaign| campaign.name).collect(),
        })
    }
}
