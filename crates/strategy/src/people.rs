//! The people of a strategy: who has which skill, which lines they match, who is the only one, and what
//! another level would leave.

use std::collections::{BTreeMap, BTreeSet};

use crate::csv_rows::csv_of;
use crate::edit::{Edit, Part, PartId};
use crate::table_file::{TableFile, cell};
use crate::types::{Agent, Skill, Step, StepKind, Strategy, WantedSkill};

/// A named agent with the skills that count: their own, or else the team's.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Person {
    /// The agent's name.
    pub name: String,
    /// The id of the team.
    pub team: String,
    /// The team's name.
    pub team_name: String,
    /// Skills, own or shared.
    pub skills: Vec<Skill>,
    /// Whether they are the agent's own, different from the team's.
    pub are_own: bool,
}

impl Person {
    /// Whether the agent has all of these.
    pub fn has_all(&self, wanted: &[WantedSkill]) -> bool {
        wanted.iter().all(|wanted| wanted.is_met_by(&self.skills))
    }

    /// The skill of this name, if the agent has it.
    pub fn skill(&self, name: &str) -> Option<&Skill> {
        self.skills.iter().find(|skill| skill.skill == name)
    }
}

/// How many named agents would be left in a queue at each level of one of its skills.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LevelLeft {
    /// The skill.
    pub skill: String,
    /// The level that is asked for now; none where the skill is enough.
    pub at_least: Option<u8>,
    /// Agents left at the levels 1 to 10.
    pub left: [usize; 10],
}

impl Strategy {
    /// Every named agent, team by team.
    pub fn people(&self) -> Vec<Person> {
        let of_team = |team: &crate::Team| -> Vec<Person> {
            let person = |agent: &Agent| Person {
                name: agent.name.clone(),
                team: team.id.clone(),
                team_name: team.name.clone(),
                skills: agent.skills.clone().unwrap_or_else(|| team.skills.clone()),
                are_own: agent.skills.as_ref().is_some_and(|own| *own != team.skills),
            };
            team.agents.iter().map(person).collect()
        };
        self.teams.iter().flat_map(of_team).collect()
    }

    /// Every skill that anybody has or any queue asks for, by name.
    pub fn skills(&self) -> BTreeSet<String> {
        let had = self.teams.iter().flat_map(|team| {
            let own = team.agents.iter().filter_map(|agent| agent.skills.as_ref());
            std::iter::once(&team.skills).chain(own).flatten().map(|skill| skill.skill.clone())
        });
        let wanted = self.steps.iter().flat_map(|step| match &step.does {
            StepKind::Queue(queue) => {
                let relaxed = queue.need.relaxations.iter().flat_map(|each| &each.skills);
                let all = queue.need.skills.iter().chain(relaxed);
                all.map(|wanted| wanted.skill.clone()).collect()
            }
            _ => Vec::new(),
        });
        had.chain(wanted).collect()
    }

    /// For each skill that a queue asks for: how many named agents match the queue at each level of it, with
    /// all that it asks for besides.
    pub fn levels_left(&self, step: &Step) -> Vec<LevelLeft> {
        let StepKind::Queue(queue) = &step.does else { return Vec::new() };
        let people = self.people();
        let wanted = &queue.need.skills;
        let of_skill = |(at, each): (usize, &WantedSkill)| {
            let left = std::array::from_fn(|level| {
                let mut asked = wanted.clone();
                asked[at].at_least = Some(level as u8 + 1);
                people.iter().filter(|person| person.has_all(&asked)).count()
            });
            LevelLeft { skill: each.skill.clone(), at_least: each.at_least, left }
        };
        wanted.iter().enumerate().map(of_skill).collect()
    }

    /// Named agents and their skills as rows: a heading, then a row for each agent, with a column for each skill. In a
    /// cell stands a level from 1 to 10, "yes" for a skill without one, or nothing.
    pub fn people_table(&self) -> Vec<Vec<String>> {
        let skills: Vec<String> = self.skills().into_iter().collect();
        let head = ["name", "team"].into_iter().chain(skills.iter().map(String::as_str));
        let mut rows = vec![head.map(str::to_owned).collect::<Vec<_>>()];
        rows.extend(self.people().iter().map(|person| {
            let cell = |skill: &String| match person.skill(skill) {
                None => String::new(),
                Some(Skill { level: None, .. }) => "yes".to_owned(),
                Some(Skill { level: Some(level), .. }) => level.to_string(),
            };
            let start = [person.name.clone(), person.team_name.clone()];
            start.into_iter().chain(skills.iter().map(cell)).collect()
        }));
        rows
    }

    /// The same as CSV.
    pub fn people_csv(&self) -> String {
        csv_of(self.people_table())
    }

    /// The edit that gives teams the named agents of a CSV file, as [`Self::people_csv`] writes it. The named
    /// agents of teams that it names are replaced; those of other teams stay. Ranks of agents who stay are
    /// kept, and whose skills are the team's share them.
    ///
    /// # Errors
    ///
    /// Everything that is wrong, with row and column; nothing is changed then.
    pub fn edit_from_people_csv(&self, text: &str) -> Result<Edit, Vec<String>> {
        let rows = read_rows(text)?;
        let mut wrong = Vec::new();
        let mut by_team: BTreeMap<usize, Vec<Agent>> = BTreeMap::new();
        let mut names = BTreeSet::new();
        for row in &rows {
            let at = self.teams.iter().position(|team| team.name == row.team);
            let Some(at) = at else {
                wrong.push(format!("row {}, team: there is no team “{}”", row.nth, row.team));
                continue;
            };
            if !names.insert(row.name.clone()) {
                wrong.push(format!("row {}, name: “{}” is there twice", row.nth, row.name));
            }
            let team = &self.teams[at];
            let before = team.agents.iter().find(|agent| agent.name == row.name);
            by_team.entry(at).or_default().push(Agent {
                name: row.name.clone(),
                skills: (!same_skills(&row.skills, &team.skills)).then(|| row.skills.clone()),
                ranks: before.map(|before| before.ranks.clone()).unwrap_or_default(),
                short_number: before.and_then(|before| before.short_number.clone()),
                port: before.and_then(|before| before.port.clone()),
            });
        }
        // Somebody of a team that the file does not name would be there twice.
        for (at, team) in self.teams.iter().enumerate().filter(|(at, _)| !by_team.contains_key(at))
        {
            for agent in team.agents.iter().filter(|agent| names.contains(&agent.name)) {
                let (name, team) = (&agent.name, &self.teams[at].name);
                wrong
                    .push(format!("“{name}” is in “{team}” already, which the file does not name"));
            }
        }
        if !wrong.is_empty() {
            return Err(wrong);
        }
        let edits = by_team.into_iter().map(|(at, agents)| {
            let with = crate::Team { agents, ..self.teams[at].clone() };
            Edit::Replace { part: PartId::Team(with.id.clone()), with: Part::Team(with) }
        });
        Ok(Edit::Several(edits.collect()))
    }
}

fn same_skills(a: &[Skill], b: &[Skill]) -> bool {
    let set = |skills: &[Skill]| -> BTreeSet<(String, Option<u8>)> {
        skills.iter().map(|skill| (skill.skill.clone(), skill.level)).collect()
    };
    set(a) == set(b)
}

/// A row of the file.
struct Row {
    /// As a spreadsheet numbers it: the head is row 1.
    nth: usize,
    name: String,
    team: String,
    skills: Vec<Skill>,
}

fn read_rows(text: &str) -> Result<Vec<Row>, Vec<String>> {
    let table = TableFile::read(text)?;
    let [name_at, team_at] = table.columns(["name", "team"])?;
    let (mut rows, mut wrong) = (Vec::new(), Vec::new());
    for (nth, record) in &table.rows {
        let cell = |at: usize| cell(record, at);
        let mut skills = Vec::new();
        for (at, head) in
            table.heads.iter().enumerate().filter(|(at, _)| ![name_at, team_at].contains(at))
        {
            let level = match cell(at).to_lowercase().as_str() {
                "" | "no" => continue,
                "yes" => None,
                level => match level.parse::<u8>() {
                    Ok(level @ 1..=10) => Some(level),
                    _ => {
                        let got = cell(at);
                        wrong.push(format!(
                            "row {nth}, {head}: “{got}” is neither yes, no nor a level from 1 to 10"
                        ));
                        continue;
                    }
                },
            };
            skills.push(Skill { skill: head.clone(), level });
        }
        let (name, team) = (cell(name_at).to_owned(), cell(team_at).to_owned());
        if name.is_empty() {
            wrong.push(format!("row {nth}, name: is missing"));
        }
        rows.push(Row { nth: *nth, name, team, skills });
    }
    if wrong.is_empty() { Ok(rows) } else { Err(wrong) }
}
