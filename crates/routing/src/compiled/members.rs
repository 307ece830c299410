//! Who belongs to which service point: members from skills and lists, and classes of those alike.

use std::collections::HashMap;

use barometer_strategy::{
    Agent as NamedAgent, HuntGroup, Members, Queue, Skill, Strategy, Team, WantedSkill,
};

use super::{Agent, Class, ClassMember, Member, Membership};
use crate::ids::{AgentId, ClassId, Id, ServicePointId, Table, TeamId};

/// Agents by number, with what the strategy says of them.
pub(super) struct Roll<'a> {
    pub agents: Table<AgentId, Agent>,
    known: Table<AgentId, (&'a Team, Option<&'a NamedAgent>)>,
    /// Of each team: the place of its first agent, and of the one after its last.
    pub teams: Vec<(usize, usize)>,
}

impl<'a> Roll<'a> {
    /// Every named agent, and as many without a name as `people` of the team asks for.
    pub fn call(strategy: &'a Strategy, people: &[usize]) -> Self {
        let mut roll =
            Self { agents: Table::default(), known: Table::default(), teams: Vec::new() };
        for (place, team) in strategy.teams.iter().enumerate() {
            let first = roll.agents.len();
            let most = people.get(place).copied().unwrap_or(0).max(team.agents.len());
            for nth in 0..most {
                let named = team.agents.get(nth);
                let name = named
                    .map_or_else(|| format!("{} {}", team.name, nth + 1), |own| own.name.clone());
                // The class follows when all memberships are known.
                roll.agents.push(Agent { team: TeamId::at(place), class: ClassId::at(0), name });
                roll.known.push((team, named));
            }
            roll.teams.push((first, roll.agents.len()));
        }
        roll
    }

    /// The members of a queue: everyone whose skills match at some time, by rank.
    pub fn of_queue(&self, id: &str, queue: &Queue) -> Vec<Member> {
        let members = self.known.numbered().filter_map(|(agent, (team, own))| {
            let skills = own.and_then(|own| own.skills.as_deref()).unwrap_or(&team.skills);
            let joins_after = if has_all(skills, &queue.need.skills) {
                0.0
            } else {
                let mut relaxed = queue.need.relaxations.iter();
                relaxed.find(|relaxed| has_all(skills, &relaxed.skills))?.after_secs
            };
            let rank = own.and_then(|own| own.ranks.get(id)).or(team.ranks.get(id));
            Some(Member { agent, rank: rank.copied().unwrap_or(1), joins_after })
        });
        by_rank(members.collect())
    }

    /// Everyone of a team, all of one rank.
    pub fn of_team(&self, team: &str) -> Vec<Member> {
        let own = self.known.numbered().filter(|(_, (of, _))| of.id == team);
        own.map(|(agent, _)| Member { agent, rank: 1, joins_after: 0.0 }).collect()
    }

    /// The members of a hunt group: as listed, by rank.
    pub fn of_group(&self, group: &HuntGroup) -> Vec<Member> {
        let mut members: Vec<Member> = Vec::new();
        for member in &group.members {
            let joins_after = match member.wave {
                0 => 0.0,
                wave => group.waves_secs.get(wave as usize - 1).copied().unwrap_or(0.0),
            };
            for (agent, (team, own)) in self.known.numbered() {
                let is_meant = match &member.who {
                    Members::Team(id) => team.id == *id,
                    Members::Agent(name) => own.is_some_and(|own| own.name == *name),
                };
                if is_meant && members.iter().all(|other| other.agent != agent) {
                    members.push(Member { agent, rank: member.rank, joins_after });
                }
            }
        }
        by_rank(members)
    }

    /// Sorts agents into classes of those who are alike; gives the classes, and those of each service
    /// point.
    pub fn classes(
        &mut self,
        members: &[Vec<Member>],
    ) -> (Table<ClassId, Class>, Vec<Vec<ClassMember>>) {
        let mut belongs: Vec<Vec<Membership>> = vec![Vec::new(); self.agents.len()];
        for (place, members) in members.iter().enumerate() {
            let service_point = ServicePointId::at(place);
            for &Member { agent, rank, joins_after } in members {
                belongs[agent.place()].push(Membership { service_point, rank, joins_after });
            }
        }
        // By team and memberships: the bits of times compare where the times do not.
        type Alike = (TeamId, Vec<(ServicePointId, u32, u64)>);
        let mut found: HashMap<Alike, ClassId> = HashMap::new();
        let mut classes: Table<ClassId, Class> = Table::default();
        for (agent, memberships) in self.agents.iter_mut().zip(belongs) {
            let alike = memberships
                .iter()
                .map(|each| (each.service_point, each.rank, each.joins_after.to_bits()))
                .collect();
            agent.class = *found
                .entry((agent.team, alike))
                .or_insert_with(|| classes.push(Class { memberships }));
        }
        let of_point = |place: usize| {
            let point = ServicePointId::at(place);
            let mut members: Vec<ClassMember> = classes
                .numbered()
                .filter_map(|(class, of_class)| {
                    let mut memberships = of_class.memberships.iter();
                    let Membership { rank, joins_after, .. } =
                        *memberships.find(|each| each.service_point == point)?;
                    Some(ClassMember { class, rank, joins_after })
                })
                .collect();
            members.sort_by_key(|member| member.rank);
            members
        };
        let of_points = (0..members.len()).map(of_point).collect();
        (classes, of_points)
    }
}

fn by_rank(mut members: Vec<Member>) -> Vec<Member> {
    // Stable: within a rank the listing stays.
    members.sort_by_key(|member| member.rank);
    members
}

fn has_all(skills: &[Skill], wanted: &[WantedSkill]) -> bool {
    wanted.iter().all(|wanted| wanted.is_met_by(skills))
}

/// Distinct times after which members join, without those who are there from the start.
pub(super) fn widenings(members: &[Member]) -> Vec<f64> {
    let mut times: Vec<f64> =
        members.iter().map(|member| member.joins_after).filter(|&secs| secs > 0.0).collect();
    times.sort_by(f64::total_cmp);
    times.dedup();
    times
}
