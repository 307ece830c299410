//! Who signs in and out when: shifts from the cover, and the time on shift that it plans.

use barometer_routing::{AgentId, CompiledStrategy, Id, TeamId};
use barometer_strategy::{Strategy, Team};

use crate::experiment::{Cover, Demand, ExperimentError, People};

#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct ShiftChange {
    pub at: f64,
    pub what: Shift,
}

/// Who signs in or out.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Shift {
    /// This number of people of a team is on shift from now on.
    Count { team: TeamId, people: u32 },
    /// This agent signs in.
    SignsIn { agent: AgentId },
    /// This agent signs out.
    SignsOut { agent: AgentId },
}

/// A stretch of work of one agent.
#[derive(Clone, Copy, Debug)]
struct Work {
    agent: AgentId,
    from: f64,
    until: f64,
}

/// The shifts of an experiment.
pub(super) struct Roster {
    pub shifts: Vec<ShiftChange>,
    /// Seconds on shift of each team in each interval.
    pub staffed_secs: Vec<Vec<f64>>,
}

/// People of each team that the cover needs at most at the same time.
pub(super) fn most_people(strategy: &Strategy, cover: &Cover) -> Vec<usize> {
    let most = |people: &People| match people {
        People::Counted(counts) => counts.iter().copied().max().unwrap_or(0) as usize,
        People::Rostered(_) => 0,
    };
    let of_team = |team: &Team| people_of(cover, team).map(most).max().unwrap_or(0);
    strategy.teams.iter().map(of_team).collect()
}

fn people_of<'a>(cover: &'a Cover, team: &'a Team) -> impl Iterator<Item = &'a People> {
    cover.teams.iter().filter(|each| each.team == team.id).map(|each| &each.people)
}

impl Roster {
    pub fn of(
        strategy: &Strategy,
        compiled: &CompiledStrategy,
        demand: &Demand,
        cover: &Cover,
    ) -> Result<Self, ExperimentError> {
        let (mut shifts, mut work) = (Vec::new(), Vec::new());
        for (place, team) in strategy.teams.iter().enumerate() {
            let id = TeamId::at(place);
            for people in people_of(cover, team) {
                match people {
                    People::Counted(counts) => shifts.extend(counted(id, counts, demand)),
                    People::Rostered(stretches) => {
                        let first = compiled.teams[id].agents.0;
                        for stretch in stretches {
                            let nth = team.agents.iter().position(|own| own.name == stretch.agent);
                            let nth = nth.ok_or_else(|| ExperimentError::Unknown {
                                what: "agent",
                                name: stretch.agent.clone(),
                            })?;
                            let agent = AgentId::at(first + nth);
                            let (from, until) = (stretch.from_secs, stretch.until_secs);
                            work.push(Work { agent, from, until });
                        }
                    }
                }
            }
        }
        let end = demand.len() as f64 * demand.interval_secs;
        let work = joined(work);
        shifts.extend(rostered(&work, end));
        // At one moment signing in is before signing out, so that no service point is found unstaffed
        // that is not meant to be.
        let leaves = |change: &ShiftChange| matches!(change.what, Shift::SignsOut { .. });
        shifts.sort_by(|a, b| a.at.total_cmp(&b.at).then(leaves(a).cmp(&leaves(b))));
        let staffed_secs = strategy.teams.iter().enumerate().map(|(place, team)| {
            let (first, end) = compiled.teams[TeamId::at(place)].agents;
            let own = work.iter().filter(|each| (first..end).contains(&each.agent.place()));
            staffed(people_of(cover, team), own, demand)
        });
        Ok(Self { staffed_secs: staffed_secs.collect(), shifts })
    }
}

/// Changes of a head count.
fn counted(team: TeamId, counts: &[u32], demand: &Demand) -> Vec<ShiftChange> {
    let mut before = 0;
    let changes = counts.iter().enumerate().filter_map(|(interval, &people)| {
        let at = interval as f64 * demand.interval_secs;
        let is_change = people != std::mem::replace(&mut before, people);
        is_change.then_some(ShiftChange { at, what: Shift::Count { team, people } })
    });
    changes.collect()
}

/// Stretches by agent and time; those of one agent that touch are one.
fn joined(mut work: Vec<Work>) -> Vec<Work> {
    work.sort_by(|a, b| a.agent.cmp(&b.agent).then(a.from.total_cmp(&b.from)));
    let mut joined: Vec<Work> = Vec::with_capacity(work.len());
    for each in work {
        match joined.last_mut() {
            Some(last) if last.agent == each.agent && each.from <= last.until => {
                last.until = last.until.max(each.until);
            }
            _ => joined.push(each),
        }
    }
    joined
}

/// Agents sign in and out. Those who are on shift when the last interval ends stay until everybody is
/// served.
fn rostered(work: &[Work], end: f64) -> impl Iterator<Item = ShiftChange> {
    work.iter().filter(move |each| each.from < end).flat_map(move |each| {
        let agent = each.agent;
        let signs_in = ShiftChange { at: each.from, what: Shift::SignsIn { agent } };
        let signs_out = ShiftChange { at: each.until, what: Shift::SignsOut { agent } };
        std::iter::once(signs_in).chain((each.until < end).then_some(signs_out))
    })
}

/// Seconds on shift of one team in each interval.
fn staffed<'a>(
    people: impl Iterator<Item = &'a People>,
    work: impl Iterator<Item = &'a Work>,
    demand: &Demand,
) -> Vec<f64> {
    let (intervals, secs) = (demand.len(), demand.interval_secs);
    let mut staffed = vec![0.0; intervals];
    for people in people {
        if let People::Counted(counts) = people {
            for (sum, &count) in staffed.iter_mut().zip(counts) {
                *sum += f64::from(count) * secs;
            }
        }
    }
    for &Work { from, until, .. } in work {
        for (interval, sum) in staffed.iter_mut().enumerate().skip((from / secs) as usize) {
            let begins = interval as f64 * secs;
            if begins >= until {
                break;
            }
            *sum += until.min(begins + secs) - from.max(begins);
        }
    }
    staffed
}
