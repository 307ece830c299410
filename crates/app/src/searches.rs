//! What becomes of a design that a search has found.

use std::collections::BTreeMap;

use barometer_plan::{CoverInterval, TrialInputs};
use barometer_store::{Centre, Save, Search, Store};
use barometer_strategy::Edit;
use uuid::Uuid;

use crate::AppError;
use crate::drafts::{Basis, NotSaved, Opened, Saved};

/// The trial's inputs with the design of a finished search.
fn found(search: &Search) -> Result<TrialInputs, AppError> {
    let Some(answer) = &search.answer else {
        return Err(AppError::Refused("This search has no design yet.".to_owned()));
    };
    answer
        .best
        .design
        .inputs(&search.question, &answer.blocks)
        .map_err(|error| AppError::Core(error.into()))
}

/// Begins a draft with the settings that a finished search has found, from the version that it began from; gives its
/// number.
///
/// # Errors
///
/// [`AppError::Refused`] where it is not done, or has found no setting of the strategy to change; otherwise when the
/// database fails.
pub async fn begin_draft(
    store: &Store,
    centre: &Centre,
    search: &Search,
    by: Uuid,
) -> Result<i32, AppError> {
    let inputs = found(search)?;
    let versions = store.strategy_versions(centre.id).await?;
    let version = versions.iter().find(|version| version.id == search.strategy_version);
    let Some(version) = version else {
        return Err(AppError::Refused("The version that it began from is gone.".to_owned()));
    };
    let opened = Opened::at(store, centre, Basis::Version(version.version)).await?;
    let edit = Edit::between(&search.question.base.strategy, &inputs.strategy);
    match opened.save(store, &edit, by, &|_| None).await {
        Ok(Saved::InDraft { number, .. }) => Ok(number),
        Ok(Saved::Unchanged) => Err(AppError::Refused(
            "The search changes no setting of the strategy: only people differ.".to_owned(),
        )),
        Err(NotSaved::Store(error)) => Err(error.into()),
        Err(error) => Err(AppError::core(error)),
    }
}

/// Plans the people of a finished search as the cover of its contact types, all or none: each contact type gets the
/// people of the team at home with it. `based_on` has the versions of their covers that were seen.
///
/// # Errors
///
/// [`AppError::Refused`] where it is not done, where contact types share a team, so that nobody can say whose cover its
/// people are, or where a contact type has other intervals; otherwise when the database fails.
pub async fn use_as_cover(
    store: &Store,
    search: &Search,
    (by, based_on): (Uuid, &[i64]),
) -> Result<(), AppError> {
    let refused = |why: String| Err(AppError::Refused(why));
    let inputs = found(search)?;
    let mut homes: BTreeMap<&str, &str> = BTreeMap::new();
    let mut covers: Vec<(Uuid, Vec<CoverInterval>, Save)> = Vec::new();
    for (nth, id) in search.subject.contact_types.iter().enumerate() {
        let contact_type = store.contact_type(*id).await?;
        let kind = inputs.types.iter().position(|each| each.name == contact_type.name);
        let Some((kind, home)) = kind.and_then(|kind| Some((kind, inputs.home_of(kind)?))) else {
            return refused(format!("No team is at home with {}.", contact_type.name));
        };
        let name = inputs.types[kind].name.as_str();
        if let Some(other) = homes.insert(&home.team, name) {
            return refused(format!(
                "{other} and {name} share a team, so its people cannot be divided between their covers. Plan them \
                 under Staffing.",
            ));
        }
        if (contact_type.grain.secs() - inputs.interval_secs).abs() > 1e-6 {
            return refused(format!("{name} is planned in other intervals than the trial has."));
        }
        let people = inputs.starts().zip(&home.agents);
        let cover = people.map(|(start, agents)| CoverInterval { start, agents: *agents });
        let save = Save::of(by, based_on.get(nth).copied().unwrap_or(0));
        covers.push((*id, cover.collect(), save));
    }
    Ok(store.save_covers(&covers).await?)
}
