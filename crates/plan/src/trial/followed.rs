//! Contacts of one simulated day that came by a step: their way, what became of them, and who was there when they
//! arrived; from the log of that day.

use std::collections::BTreeMap;

use barometer_simulate::{End, EventLog, LoggedEvent, Names, What};
use barometer_strategy::{Next, StepKind, Strategy};

/// A contact of a simulated day.
#[derive(Clone, Debug, PartialEq)]
pub struct Followed {
    /// The place of its contact type.
    pub contact_type: usize,
    /// Seconds since the trial's start.
    pub arrived_secs: f64,
    /// The steps that it came by, by their places in the strategy.
    pub way: Vec<usize>,
    /// Seconds from its first queue or hunt group, or from its arrival where it came to none, until an agent answered
    /// or it went.
    pub wait_secs: f64,
    /// What became of it.
    pub end: FollowedEnd,
    /// Seconds that an agent handled it; `None` where nobody did to the end.
    pub handle_secs: Option<f64>,
    /// The choices that it made in menus, by their names.
    pub keys: Vec<String>,
    /// People on shift when it arrived, and those of them with a contact, by team.
    pub people: Vec<(u32, u32)>,
    /// Contacts of its type that waited when it arrived.
    pub ahead: u32,
}

/// What became of a contact.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FollowedEnd {
    /// An agent answered.
    Answered,
    /// It ended without an agent.
    Ended(End),
    /// It was still there when the day was over.
    StillThere,
}

/// Who is on shift, and with a contact.
struct Floor<'a> {
    names: &'a Names,
    held: BTreeMap<u32, u32>,
    people: Vec<(u32, u32)>,
}

impl Floor<'_> {
    fn team(&mut self, agent: u32) -> Option<&mut (u32, u32)> {
        let (team, _) = self.names.agents.get(agent as usize)?;
        self.people.get_mut(usize::from(*team))
    }

    fn note(&mut self, what: What) {
        match what {
            What::AgentSignedIn { agent } => {
                if let Some(team) = self.team(agent) {
                    team.0 += 1;
                }
            }
            What::AgentSignedOut { agent } => {
                if let Some(team) = self.team(agent) {
                    team.0 = team.0.saturating_sub(1);
                }
            }
            What::Answered { agent } => {
                let held = self.held.entry(agent).or_default();
                *held += 1;
                if *held == 1
                    && let Some(team) = self.team(agent)
                {
                    team.1 += 1;
                }
            }
            What::Done { agent } => {
                let held = self.held.entry(agent).or_default();
                *held = held.saturating_sub(1);
                if *held == 0
                    && let Some(team) = self.team(agent)
                {
                    team.1 = team.1.saturating_sub(1);
                }
            }
            _ => {}
        }
    }
}

/// A contact while the day is read.
struct Open {
    so_far: Followed,
    joined_secs: Option<f64>,
    answered_secs: Option<f64>,
}

impl Open {
    fn note(&mut self, event: &LoggedEvent) {
        let waited = event.at_secs - self.joined_secs.unwrap_or(self.so_far.arrived_secs);
        match event.what {
            What::Reached { step } => self.so_far.way.push(usize::from(step)),
            What::Joined { .. } => {
                self.joined_secs.get_or_insert(event.at_secs);
            }
            What::Answered { .. } if self.answered_secs.is_none() => {
                self.answered_secs = Some(event.at_secs);
                (self.so_far.end, self.so_far.wait_secs) = (FollowedEnd::Answered, waited);
            }
            What::Done { .. } => {
                self.so_far.handle_secs =
                    self.answered_secs.map(|answered| event.at_secs - answered);
            }
            What::Ended { how } if self.so_far.end == FollowedEnd::StillThere => {
                (self.so_far.end, self.so_far.wait_secs) = (FollowedEnd::Ended(how), waited);
            }
            _ => {}
        }
    }
}

/// Contacts of a log that came by a step, `most` of them at the most: some of everything that became of them, spread
/// over the day, in order of arrival.
pub fn followed(
    strategy: &Strategy,
    names: &Names,
    log: &EventLog,
    step: usize,
    most: usize,
) -> Vec<Followed> {
    let mut floor = Floor { names, held: BTreeMap::new(), people: vec![(0, 0); names.teams.len()] };
    let mut open: BTreeMap<u32, Open> = BTreeMap::new();
    let mut waiting = vec![0_u32; names.types.len()];
    for event in &log.events {
        let kind = usize::from(event.kind);
        let is_of_type = event.contact > 0 && kind < names.types.len();
        if is_of_type && event.what == What::Arrived {
            let so_far = Followed {
                contact_type: kind,
                arrived_secs: event.at_secs,
                way: Vec::new(),
                wait_secs: 0.0,
                end: FollowedEnd::StillThere,
                handle_secs: None,
                keys: Vec::new(),
                people: floor.people.clone(),
                ahead: waiting[kind],
            };
            open.insert(event.contact, Open { so_far, joined_secs: None, answered_secs: None });
        }
        if is_of_type && let Some(contact) = open.get_mut(&event.contact) {
            let waits = |contact: &Open| {
                contact.joined_secs.is_some() && contact.so_far.end == FollowedEnd::StillThere
            };
            let before = waits(contact);
            contact.note(event);
            match (before, waits(contact)) {
                (false, true) => waiting[kind] += 1,
                (true, false) => waiting[kind] = waiting[kind].saturating_sub(1),
                _ => {}
            }
        }
        floor.note(event.what);
    }
    let came_by =
        open.into_values().map(|open| open.so_far).filter(|each| each.way.contains(&step));
    let mut chosen = some_of_each(came_by.collect(), most);
    for each in &mut chosen {
        each.keys = keys(strategy, &each.way);
    }
    chosen
}

/// As many of each end as there is room for, the rarest ends whole.
fn some_of_each(mut all: Vec<Followed>, most: usize) -> Vec<Followed> {
    all.sort_by(|one, other| one.arrived_secs.total_cmp(&other.arrived_secs));
    let mut ends: Vec<(FollowedEnd, Vec<Followed>)> = Vec::new();
    for each in all {
        match ends.iter_mut().find(|(end, _)| *end == each.end) {
            Some((_, of_end)) => of_end.push(each),
            None => ends.push((each.end, vec![each])),
        }
    }
    ends.sort_by_key(|(_, of_end)| of_end.len());
    let (mut chosen, mut kinds_left) = (Vec::new(), ends.len());
    for (_, of_end) in ends {
        let room = (most - chosen.len()) / kinds_left.max(1);
        kinds_left -= 1;
        let count = of_end.len().min(room);
        chosen.extend((0..count).map(|nth| of_end[nth * of_end.len() / count].clone()));
    }
    chosen.sort_by(|one, other| one.arrived_secs.total_cmp(&other.arrived_secs));
    chosen
}

/// The choice by which each menu of a way was left.
fn keys(strategy: &Strategy, way: &[usize]) -> Vec<String> {
    let pairs = way.iter().zip(way.iter().skip(1));
    let choice = |(&from, &to): (&usize, &usize)| {
        let StepKind::Menu(menu) = &strategy.steps.get(from)?.does else { return None };
        let to = &strategy.steps.get(to)?.id;
        let leads = |next: &Next| matches!(next, Next::Step(id) if id == to);
        menu.choices.iter().find(|choice| leads(&choice.next)).map(|choice| choice.name.clone())
    };
    pairs.filter_map(choice).collect()
}
