//! What becomes of a design that a search has found.

use std::collections::BTreeMap;

use barometer_plan::CoverInterval;
use barometer_store::{Search, Store};
use uuid::Uuid;

use crate::AppError;

/// Plans the people of a finished search as the cover of its contact types, all or none: each contact type gets the
/// people of the team at home with it.
///
/// # Errors
///
/// [`AppError::Refused`] where it is not done, where contact types share a team, so that nobody can say whose cover its
/// people are, or where a contact type has other intervals; otherwise when the database fails.
pub async fn use_as_cover(store: &Store, search: &Search) -> Result<(), AppError> {
    let refused = |why: String| Err(AppError::Refused(why));
    let Some(answer) = &search.answer else {
        return refused("This search has no design yet.".to_owned());
    };
    let inputs = answer
        .best
        .design
        .inputs(&search.question, &answer.blocks)
        .map_err(|error| AppError::Core(error.into()))?;
    let mut homes: BTreeMap<&str, &str> = BTreeMap::new();
    let mut covers: Vec<(Uuid, Vec<CoverInterval>)> = Vec::new();
    for id in &search.subject.contact_types {
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
        covers.push((*id, cover.collect()));
    }
    Ok(store.save_covers(&covers).await?)
}
