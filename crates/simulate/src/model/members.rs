//! Who belongs to which line: agents from teams and cover, members from skills and lists.

use std::collections::HashMap;

use barometer_strategy::{
    Agent, HuntGroup, Members, Queue, Skill, StepKind, Strategy, Team, WantedSkill,
};

use super::{AgentModel, ClassMember, ClassModel, LineMember, MemberModel, Shift, ShiftChange};
use crate::experiment::{Cover, Demand, ExperimentError, People};

/// Agents by number, with what the strategy says of those who have a name.
pub(super) struct Roll<'a> {
    pub agents: Vec<AgentModel>,
    pub known: Vec<(&'a Team, Option<&'a Agent>)>,
    pub shifts: Vec<ShiftChange>,
    /// Of each team: its first agent, the one after its last, and its seconds at work per interval.
    pub teams: Vec<(u32, u32, Vec<f64>)>,
    /// Stretches of work of named agents: who, from, until.
    stretches: Vec<(u32, f64, f64)>,
}

impl<'a> Roll<'a> {
    /// Calls the roll: every named agent, and as many without a name as the cover needs.
    pub fn call(
        strategy: &'a Strategy,
        demand: &Demand,
        cover: &Cover,
    ) -> Result<Self, ExperimentError> {
        let mut roll = Self {
            agents: Vec::new(),
            known: Vec::new(),
            shifts: Vec::new(),
            stretches: Vec::new(),
            teams: Vec::new(),
        };
        let people_of = |team: &Team| -> Vec<&People> {
            let of_team = cover.teams.iter().filter(|each| each.team == team.id);
            of_team.map(|each| &each.people).collect()
        };
        for (at, team) in strategy.teams.iter().enumerate() {
            let people = people_of(team);
            let most = people.iter().map(|people| most_at_once(people)).max().unwrap_or(0);
            let first = roll.agents.len();
            for nth in 0..team.agents.len().max(most as usize) {
                roll.agents.push(AgentModel { team: at as u16, class: 0 });
                roll.known.push((team, team.agents.get(nth)));
            }
            roll.teams.push((first as u32, roll.agents.len() as u32, Vec::new()));
            for people in people {
                roll.take_up_work(first, at, people, demand)?;
            }
        }
        roll.roster(demand.len() as f64 * demand.interval_secs);
        for (at, team) in strategy.teams.iter().enumerate() {
            let (first, end, _) = roll.teams[at];
            let own = roll.stretches.iter().filter(|each| (first..end).contains(&each.0));
            let own = own.map(|&(_, from, until)| (from, until));
            roll.teams[at].2 = staffed(&people_of(team), own, demand);
        }
        Ok(roll)
    }

    fn take_up_work(
        &mut self,
        first: usize,
        at: usize,
        people: &People,
        demand: &Demand,
    ) -> Result<(), ExperimentError> {
        match people {
            People::Counted(counts) => {
                let mut before = 0;
                for (interval, &people) in counts.iter().enumerate() {
                    if people != std::mem::replace(&mut before, people) {
                        let what = Shift::Count { team: at as u16, people };
                        let at = interval as f64 * demand.interval_secs;
                        self.shifts.push(ShiftChange { at, what });
                    }
                }
            }
            People::Rostered(stretches) => {
                let team = self.known[first..].first().map(|known| known.0);
                for stretch in stretches {
                    let named = team.into_iter().flat_map(|team| &team.agents);
                    let nth = named.clone().position(|agent| agent.name == stretch.agent);
                    let Some(nth) = nth else {
                        let name = stretch.agent.clone();
                        return Err(ExperimentError::Unknown { what: "agent", name });
                    };
                    self.stretches.push((
                        (first + nth) as u32,
                        stretch.from_secs,
                        stretch.until_secs,
                    ));
                }
            }
        }
        Ok(())
    }

    /// Puts rostered stretches among the changes; those of one agent that touch are one. Whoever is
    /// at work when the last interval ends stays until everybody is served.
    fn roster(&mut self, end: f64) {
        self.stretches.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
        let mut joined: Vec<(u32, f64, f64)> = Vec::with_capacity(self.stretches.len());
        for &(agent, from, until) in &self.stretches {
            match joined.last_mut() {
                Some(last) if last.0 == agent && from <= last.2 => last.2 = last.2.max(until),
                _ => joined.push((agent, from, until)),
            }
        }
        for &(agent, from, until) in joined.iter().filter(|stretch| stretch.1 < end) {
            self.shifts.push(ShiftChange { at: from, what: Shift::Comes { agent } });
            if until < end {
                self.shifts.push(ShiftChange { at: until, what: Shift::Leaves { agent } });
            }
        }
        self.stretches = joined;
        // At one moment who comes is before who leaves, so that no line is found unstaffed that is
        // not meant to be.
        let leaves = |change: &ShiftChange| matches!(change.what, Shift::Leaves { .. });
        self.shifts.sort_by(|a, b| a.at.total_cmp(&b.at).then(leaves(a).cmp(&leaves(b))));
    }

    /// The members of a queue: everyone whose skills match at some time, by rank.
    pub fn of_queue(&self, id: &str, queue: &Queue) -> Vec<MemberModel> {
        let members = self.known.iter().enumerate().filter_map(|(agent, (team, own))| {
            let skills = own.and_then(|own| own.skills.as_deref()).unwrap_or(&team.skills);
            let joins_after = if has_all(skills, &queue.need.skills) {
                0.0
            } else {
                let mut relaxed = queue.need.relaxations.iter();
                relaxed.find(|relaxed| has_all(skills, &relaxed.skills))?.after_secs
            };
            let rank = own.and_then(|own| own.ranks.get(id)).or(team.ranks.get(id));
            Some(MemberModel { agent: agent as u32, rank: rank.copied().unwrap_or(1), joins_after })
        });
        by_rank(members.collect())
    }

    /// The members of a hunt group: as listed, by rank.
    pub fn of_group(&self, group: &HuntGroup) -> Vec<MemberModel> {
        let mut members: Vec<MemberModel> = Vec::new();
        for member in &group.members {
            let joins_after = match member.wave {
                0 => 0.0,
                wave => group.waves_secs.get(wave as usize - 1).copied().unwrap_or(0.0),
            };
            for (agent, (team, own)) in self.known.iter().enumerate() {
                let is_meant = match &member.who {
                    Members::Team(id) => team.id == *id,
                    Members::Agent(name) => own.is_some_and(|own| own.name == *name),
                };
                let agent = agent as u32;
                if is_meant && members.iter().all(|other| other.agent != agent) {
                    members.push(MemberModel { agent, rank: member.rank, joins_after });
                }
            }
        }
        by_rank(members)
    }

    /// Sorts agents into classes of those who are alike; gives the classes, and those of each line.
    pub fn classes(
        &mut self,
        lines: &[Vec<MemberModel>],
    ) -> (Vec<ClassModel>, Vec<Vec<ClassMember>>) {
        let mut belongs: Vec<Vec<LineMember>> = vec![Vec::new(); self.agents.len()];
        for (line, members) in lines.iter().enumerate() {
            for member in members {
                let MemberModel { agent, rank, joins_after } = *member;
                let line = line as u16;
                belongs[agent as usize].push(LineMember { line, rank, joins_after });
            }
        }
        // By team and memberships: the bits of times compare where the times do not.
        type Alike = (u16, Vec<(u16, u32, u64)>);
        let mut found: HashMap<Alike, u16> = HashMap::new();
        let mut classes: Vec<ClassModel> = Vec::new();
        for (agent, lines) in self.agents.iter_mut().zip(belongs) {
            let alike = lines.iter().map(|m| (m.line, m.rank, m.joins_after.to_bits())).collect();
            agent.class = *found.entry((agent.team, alike)).or_insert_with(|| {
                classes.push(ClassModel { lines, has_line_that_rings_all: false });
                (classes.len() - 1) as u16
            });
        }
        let of_line = |line: usize| {
            let mut members: Vec<ClassMember> = classes
                .iter()
                .enumerate()
                .filter_map(|(class, model)| {
                    let member = model.lines.iter().find(|m| usize::from(m.line) == line)?;
                    let LineMember { rank, joins_after, .. } = *member;
                    Some(ClassMember { class: class as u16, rank, joins_after })
                })
                .collect();
            members.sort_by_key(|member| member.rank);
            members
        };
        let of_lines = (0..lines.len()).map(of_line).collect();
        (classes, of_lines)
    }
}

fn by_rank(mut members: Vec<MemberModel>) -> Vec<MemberModel> {
    // Stable: within a rank the listing stays.
    members.sort_by_key(|member| member.rank);
    members
}

fn has_all(skills: &[Skill], wanted: &[WantedSkill]) -> bool {
    wanted.iter().all(|wanted| wanted.is_met_by(skills))
}

fn most_at_once(people: &People) -> u32 {
    match people {
        People::Counted(counts) => counts.iter().copied().max().unwrap_or(0),
        People::Rostered(_) => 0,
    }
}

/// Seconds at work of one team in each interval.
fn staffed(
    people: &[&People],
    stretches: impl Iterator<Item = (f64, f64)>,
    demand: &Demand,
) -> Vec<f64> {
    let (intervals, secs) = (demand.len(), demand.interval_secs);
    let mut staffed = vec![0.0; intervals];
    for people in people {
        if let People::Counted(counts) = people {
            staffed
                .iter_mut()
                .zip(counts)
                .for_each(|(sum, &count)| *sum += f64::from(count) * secs);
        }
    }
    for (from, until) in stretches {
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

/// Distinct times after which members join, without those who are there from the start.
pub(super) fn widenings(members: &[MemberModel]) -> Vec<f64> {
    let mut times: Vec<f64> =
        members.iter().map(|member| member.joins_after).filter(|&secs| secs > 0.0).collect();
    times.sort_by(f64::total_cmp);
    times.dedup();
    times
}

/// Whether a step is a line.
pub(super) const fn is_line(kind: &StepKind) -> bool {
    matches!(kind, StepKind::Queue(_) | StepKind::HuntGroup(_))
}
