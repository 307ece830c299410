//! Teams as the switch measured them, and agents as they are rostered.

use std::collections::BTreeMap;

use barometer_report::facts::{AgentHours, TeamDay};
use barometer_report::{Days, Definition};
use barometer_store::{Agent, Centre, ContactType, Store, TeamHours};
use uuid::Uuid;

use super::{Reach, instants};
use crate::AppError;

pub(super) async fn team_days(
    store: &Store,
    centre: &Centre,
    definition: &Definition,
    reach: &Reach,
) -> Result<Vec<TeamDay>, AppError> {
    let hours = store
        .team_hours(centre.id, instants(reach.days, centre)?, reach.slots, &centre.zone)
        .await?;
    let names: BTreeMap<String, String> = match store.live_release(centre.id).await? {
        Some(live) => {
            let strategy = store.strategy(live.version_id).await?;
            strategy.teams.into_iter().map(|team| (team.id, team.name)).collect()
        }
        None => BTreeMap::new(),
    };
    let day = |hours: TeamHours| TeamDay {
        team: names.get(&hours.team).cloned().unwrap_or(hours.team),
        at: hours.at,
        staffed_hours: hours.staffed_hours,
        busy_hours: hours.busy_hours,
    };
    let wanted =
        |day: &TeamDay| definition.teams.is_empty() || definition.teams.contains(&day.team);
    Ok(hours.into_iter().map(day).filter(wanted).collect())
}

/// What one agent is rostered for.
#[derive(Default)]
struct Rostered {
    hours: BTreeMap<Uuid, f64>,
    shifts: u32,
}

pub(super) async fn agent_hours(
    store: &Store,
    centre: &Centre,
    types: &[ContactType],
    reach: &Reach,
) -> Result<Vec<AgentHours>, AppError> {
    let (from, to) = instants(reach.days, centre)?;
    let (agents, time_off) =
        tokio::try_join!(store.agents(centre.id), store.time_off(centre.id, reach.days.first))?;
    let mut rostered: BTreeMap<Uuid, Rostered> = BTreeMap::new();
    for each in types {
        for stretch in store.stretches_between(each.id, from, to).await? {
            let (start, end) = (stretch.start.max(from), stretch.end.min(to));
            let own = rostered.entry(stretch.agent).or_default();
            *own.hours.entry(each.id).or_default() +=
                end.duration_since(start).as_secs_f64() / 3_600.0;
            own.shifts += 1;
        }
    }
    let days_off = |agent: Uuid| -> u32 {
        let own = time_off.iter().filter(|entry| entry.agent == agent);
        own.map(|entry| {
            let (first, last) =
                (entry.first_day.max(reach.days.first), entry.last_day.min(reach.days.last));
            if last < first { 0 } else { u32::try_from(Days { first, last }.count()).unwrap_or(0) }
        })
        .sum()
    };
    let agent = |agent: Agent| {
        let Rostered { hours, shifts } = rostered.remove(&agent.id).unwrap_or_default();
        AgentHours {
            days_off: days_off(agent.id),
            name: agent.name,
            team: agent.team,
            contract_hours: agent.contract_hours,
            rostered_hours: hours.values().sum(),
            rostered_for: hours
                .into_iter()
                .max_by(|one, other| one.1.total_cmp(&other.1))
                .map(|(contact_type, _)| contact_type),
            shifts,
        }
    };
    Ok(agents.into_iter().map(agent).collect())
}
