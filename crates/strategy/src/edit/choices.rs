//! The settings of a strategy that are chosen and not counted: what a search can choose among beside numbers.

use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

use super::part::pointer_key;
use super::{Edit, PartId};
use crate::changes::{choice_words, words_of};
use crate::types::{
    HuntGroup, Member, Members, Pacing, Queue, Relaxation, Skill, StepKind, Strategy, WantedSkill,
};

/// A setting with a few values, each of which can be played.
#[derive(Clone, Debug, PartialEq)]
pub struct ChoiceSetting {
    /// Of which part.
    pub part: PartId,
    /// The setting, as a JSON pointer within the part.
    pub setting: String,
    /// What it is, in the planner's words: "“Bookings queue”, offer order".
    pub name: String,
    /// What can be chosen, the present value first.
    pub options: Vec<ChoiceOption>,
}

/// A value of a setting.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ChoiceOption {
    /// In the planner's words: "top-down".
    pub words: String,
    /// In the strategy's JSON form.
    pub to: Value,
}

/// Orders in which contacts are offered, as the JSON form names them.
const ORDERS: [&str; 7] = [
    "longest_idle",
    "fewest_answered",
    "top_down",
    "round_robin",
    "round_robin_fresh",
    "random",
    "all_at_once",
];

/// Seconds of waiting after which a queue could ask for less.
const RELAXED_AFTER_SECS: [f64; 3] = [30.0, 60.0, 120.0];

/// Ranks that a team or a member can have.
const RANKS: [u32; 3] = [1, 2, 3];

impl Strategy {
    /// Every setting of steps, teams and campaigns that is a choice, with the values that can be played: offer orders, whether
    /// several contacts are offered at once, ranks, which skills a queue asks and when it asks for less, callbacks, pacing.
    pub fn choices(&self) -> Vec<ChoiceSetting> {
        let mut found = Vec::new();
        for step in &self.steps {
            let mut of_step = Found {
                strategy: self,
                part: PartId::Step(step.id.clone()),
                subject: format!("“{}”", step.name),
                found: &mut found,
            };
            match &step.does {
                StepKind::Queue(queue) => of_step.queue(&step.id, queue),
                StepKind::HuntGroup(group) => of_step.group(group),
                _ => {}
            }
        }
        for team in &self.teams {
            let (part, subject) = (PartId::Team(team.id.clone()), format!("team “{}”", team.name));
            let mut of_team = Found { strategy: self, part, subject, found: &mut found };
            of_team.ranks_in_queues(team);
        }
        for campaign in &self.campaigns {
            let part = PartId::Campaign(campaign.id.clone());
            let subject = format!("campaign “{}”", campaign.name);
            let mut of_campaign = Found { strategy: self, part, subject, found: &mut found };
            of_campaign.pacing(&campaign.pacing);
        }
        found
    }

    /// Skills that somebody has, each once.
    fn skills_held(&self) -> Vec<&str> {
        let own = self.teams.iter().flat_map(|team| {
            team.skills
                .iter()
                .chain(team.agents.iter().flat_map(|agent| agent.skills.iter().flatten()))
        });
        let mut held: Vec<&str> = own.map(|skill| skill.skill.as_str()).collect();
        held.sort_unstable();
        held.dedup();
        held
    }
}

/// The choices found so far, and the part that is looked at.
struct Found<'a> {
    strategy: &'a Strategy,
    part: PartId,
    subject: String,
    found: &'a mut Vec<ChoiceSetting>,
}

impl Found<'_> {
    /// Notes a choice: its present value, and those of the others with which the strategy can be played.
    fn note(
        &mut self,
        setting: &str,
        name: &str,
        now: (String, Value),
        others: Vec<(String, Value)>,
    ) {
        let mut options = vec![ChoiceOption { words: now.0, to: now.1 }];
        for (words, to) in others {
            let option = ChoiceOption { words, to };
            if options.iter().all(|known| known.to != option.to)
                && self.set(setting, &option).apply(self.strategy).is_ok()
            {
                options.push(option);
            }
        }
        if options.len() > 1 {
            self.found.push(ChoiceSetting {
                part: self.part.clone(),
                setting: setting.to_owned(),
                name: format!("{}, {name}", self.subject),
                options,
            });
        }
    }

    fn set(&self, setting: &str, to: &ChoiceOption) -> Edit {
        let (part, setting) = (self.part.clone(), setting.to_owned());
        Edit::Set { part, setting, to: to.to.clone() }
    }

    fn queue(&mut self, id: &str, queue: &Queue) {
        self.offering("queue", &json!(queue.offering));
        self.skills(queue);
        let none = ("never".to_owned(), json!([]));
        let now = match queue.need.relaxations.as_slice() {
            [] => none.clone(),
            [first, ..] => {
                (format!("as now, from {} s on", first.after_secs), json!(queue.need.relaxations))
            }
        };
        let relaxed = RELAXED_AFTER_SECS.map(|after_secs| {
            let relaxation = Relaxation { after_secs, skills: Vec::new() };
            (format!("for nothing after {after_secs} s"), json!([relaxation]))
        });
        if !queue.need.skills.is_empty() {
            let others = std::iter::once(none).chain(relaxed).collect();
            self.note("/does/queue/need/relaxations", "asks for less", now, others);
        }
        self.callback(id, queue);
    }

    /// Which skills a queue asks: one less, or one more that somebody has.
    fn skills(&mut self, queue: &Queue) {
        let asked = &queue.need.skills;
        let without = (0..asked.len()).map(|left_out| {
            let kept = asked.iter().enumerate().filter(|(at, _)| *at != left_out);
            kept.map(|(_, wanted)| wanted.clone()).collect::<Vec<_>>()
        });
        let held = self.strategy.skills_held().into_iter();
        let more = held.filter(|skill| asked.iter().all(|wanted| wanted.skill != **skill));
        let with = more.map(|skill| {
            let wanted = WantedSkill { skill: skill.to_owned(), at_least: None };
            asked.iter().cloned().chain([wanted]).collect::<Vec<_>>()
        });
        let others = without.chain(with).map(|skills| (asked_words(&skills), json!(skills)));
        let now = (asked_words(asked), json!(asked));
        self.note("/does/queue/need/skills", "asks for", now, others.collect());
    }

    /// Whether a callback is offered: not at all, as now, or as another queue offers it.
    fn callback(&mut self, id: &str, queue: &Queue) {
        let none = || ("not offered".to_owned(), Value::Null);
        let setting = "/does/queue/callback";
        if let Some(offer) = &queue.callback {
            let now = (format!("offered after {} s", offer.after_secs), json!(offer));
            self.note(setting, "callback", now, vec![none()]);
            return;
        }
        let offers = self.strategy.steps.iter().filter(|step| step.id != id).filter_map(|step| {
            let StepKind::Queue(other) = &step.does else { return None };
            let offer = other.callback.as_ref()?;
            let words = format!("offered after {} s, as in “{}”", offer.after_secs, step.name);
            Some((words, json!(offer)))
        });
        let offers = offers.collect();
        self.note(setting, "callback", none(), offers);
    }

    fn group(&mut self, group: &HuntGroup) {
        self.offering("hunt_group", &json!(group.offering));
        // Ranks are about each other: one member's says nothing.
        if group.members.len() < 2 {
            return;
        }
        for (at, member) in group.members.iter().enumerate() {
            let name = format!("rank of {}", self.member_name(member));
            self.rank(&format!("/does/hunt_group/members/{at}/rank"), &name, member.rank);
        }
    }

    fn member_name(&self, member: &Member) -> String {
        match &member.who {
            Members::Agent(name) => name.clone(),
            Members::Team(id) => {
                let team = self.strategy.teams.iter().find(|team| team.id == *id);
                team.map_or_else(|| id.clone(), |team| team.name.clone())
            }
        }
    }

    fn rank(&mut self, setting: &str, name: &str, now: u32) {
        let option = |rank: u32| (rank.to_string(), json!(rank));
        self.note(setting, name, option(now), RANKS.map(option).to_vec());
    }

    /// Ranks of a team in the queues that it can answer beside others.
    fn ranks_in_queues(&mut self, team: &crate::types::Team) {
        let queues: Vec<(String, String)> = self
            .strategy
            .steps
            .iter()
            .filter_map(|step| {
                let StepKind::Queue(queue) = &step.does else { return None };
                let answers = |skills: &[Skill]| {
                    queue.need.skills.iter().all(|wanted| wanted.is_met_by(skills))
                };
                let others = self.strategy.teams.iter().filter(|other| other.id != team.id);
                let is_shared =
                    answers(&team.skills) && others.into_iter().any(|other| answers(&other.skills));
                is_shared.then(|| (step.id.clone(), step.name.clone()))
            })
            .collect();
        for (id, name) in queues {
            let now = team.ranks.get(&id).copied().unwrap_or(1);
            self.rank(&format!("/ranks/{}", pointer_key(&id)), &format!("rank in “{name}”"), now);
        }
    }

    /// How contacts of a line are offered.
    fn offering(&mut self, kind: &str, offering: &Value) {
        let words = |order: &str| choice_words(order).unwrap_or(order).to_owned();
        let now = offering["order"].as_str().unwrap_or_default();
        let orders = ORDERS.map(|order| (words(order), json!(order))).to_vec();
        self.note(
            &format!("/does/{kind}/offering/order"),
            "offer order",
            (words(now), json!(now)),
            orders,
        );
        for (field, name) in [
            ("parallel", "several contacts offered at once"),
            ("second_call", "second call to a busy member"),
        ] {
            let now = offering[field].as_bool().unwrap_or_default();
            let option = |is_on: bool| (words_of(&json!(is_on)), json!(is_on));
            self.note(
                &format!("/does/{kind}/offering/{field}"),
                name,
                option(now),
                vec![option(!now)],
            );
        }
    }

    fn pacing(&mut self, pacing: &Pacing) {
        let words = |pacing: &Pacing| match pacing {
            Pacing::ByHand { .. } => "by hand".to_owned(),
            Pacing::Preview { .. } => "preview".to_owned(),
            Pacing::Progressive {} => "progressive".to_owned(),
            Pacing::Steady { lines_per_agent } => {
                format!("{lines_per_agent} lines for each free agent")
            }
            Pacing::Predictive {} => "predictive".to_owned(),
        };
        let option = |pacing: &Pacing| (words(pacing), json!(pacing));
        let others = [Pacing::Progressive {}, Pacing::Predictive {}];
        self.note("/pacing", "pacing", option(pacing), others.iter().map(option).collect());
    }
}

/// "French, billing 3", or "nothing".
fn asked_words(asked: &[WantedSkill]) -> String {
    let words = |wanted: &WantedSkill| match wanted.at_least {
        Some(level) => format!("{} {level}", wanted.skill),
        None => wanted.skill.clone(),
    };
    match asked {
        [] => "nothing".to_owned(),
        asked => asked.iter().map(words).collect::<Vec<_>>().join(" and "),
    }
}
