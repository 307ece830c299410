//! What trials of the live strategy found.

use std::collections::BTreeMap;

use barometer_report::facts::{
    CampaignFacts, CampaignTried, SimulatedFacts, SimulatedFlow, SimulatedPoint, SimulatedWaits,
    WAIT_SHARES,
};
use barometer_simulate::{Estimate, Experiment, Summary};
use barometer_store::{Centre, Store};
use uuid::Uuid;

use crate::AppError;

/// Trials of the live version among which the ones to tell are found.
const LATEST_TRIALS: i64 = 40;

/// The sums of a finished trial with what it played; none where it has none.
async fn played(store: &Store, trial: Uuid) -> Result<Option<(Summary, Experiment)>, AppError> {
    let Some(summary) = store.trial_summary(trial).await? else { return Ok(None) };
    let experiment = store.trial(trial).await?.inputs.experiment().map_err(AppError::core)?;
    Ok(Some((summary, experiment)))
}

/// The latest finished trial of the live strategy.
pub(super) async fn simulated(
    store: &Store,
    centre: &Centre,
) -> Result<Option<SimulatedFacts>, AppError> {
    let Some(live) = store.live_release(centre.id).await? else { return Ok(None) };
    for line in store.latest_trials(Some(live.version_id), LATEST_TRIALS).await? {
        let Some((summary, experiment)) = played(store, line.id).await? else { continue };
        let names = experiment.names();
        let waits =
            names.types.iter().zip(summary.answer_waits()).map(|(name, waits)| SimulatedWaits {
                contact_type: name.clone(),
                secs: WAIT_SHARES.map(|share| waits.quantile(share)),
            });
        let points = names.service_points.iter().enumerate().map(|(at, name)| {
            let found = summary.of_service_point(at);
            let mean = |estimate: Option<Estimate>| estimate.map(|estimate| estimate.mean);
            SimulatedPoint {
                name: name.clone(),
                entered: found.entered.mean,
                answered: found.answered.mean,
                service_level: mean(found.service_level),
                abandonment: mean(found.abandonment),
                wait_secs: mean(found.wait_secs),
            }
        });
        let flows = names.flows.iter().zip(summary.flows()).map(|(name, contacts)| SimulatedFlow {
            from: name.from.clone(),
            cause: name.why.clone(),
            to: name.to.clone(),
            contacts: contacts.mean,
        });
        return Ok(Some(SimulatedFacts {
            trial: line.id,
            subject: line.subject.name.clone(),
            day: line.subject.day,
            replications: summary.replications(),
            waits: waits.collect(),
            service_points: points.collect(),
            flows: flows.collect(),
        }));
    }
    Ok(None)
}

/// The campaigns of the live strategy with what its latest trial of each found.
pub(super) async fn campaigns(
    store: &Store,
    centre: &Centre,
) -> Result<Vec<CampaignFacts>, AppError> {
    let Some(live) = store.live_release(centre.id).await? else { return Ok(Vec::new()) };
    let strategy = store.strategy(live.version_id).await?;
    let mut tried: BTreeMap<String, CampaignTried> = BTreeMap::new();
    if !strategy.campaigns.is_empty() {
        for line in store.latest_trials(Some(live.version_id), LATEST_TRIALS).await? {
            let Some((summary, experiment)) = played(store, line.id).await? else { continue };
            for (at, name) in experiment.names().campaigns.iter().enumerate() {
                let found = summary.of_campaign(at);
                if found.dials.mean > 0.0 && !tried.contains_key(name) {
                    tried.insert(
                        name.clone(),
                        CampaignTried {
                            trial: line.id,
                            day: line.subject.day,
                            dialled: found.dials.mean,
                            reached: found.conversations.mean,
                            abandoned: found.abandoned_share.map(|share| share.mean),
                        },
                    );
                }
            }
            if tried.len() == strategy.campaigns.len() {
                break;
            }
        }
    }
    Ok(strategy
        .campaigns
        .into_iter()
        .map(|campaign| CampaignFacts {
            tried: tried.remove(&campaign.name),
            ceiling: campaign.abandoned_ceiling,
            name: campaign.name,
        })
        .collect())
}
