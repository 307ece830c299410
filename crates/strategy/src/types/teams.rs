//! Teams and their agents.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Channel, Duration};

/// Agents who share skills, ranks, channels and concurrency.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Team {
    /// By which hunt groups and cover refer to it.
    pub id: String,
    /// What planners call it.
    pub name: String,
    /// What its agents can do.
    #[serde(default)]
    pub skills: Vec<Skill>,
    /// Rank of its agents in a queue, by the queue's id; 1 where nothing is said. A higher rank is
    /// offered a contact only when all of the better ranks are taken.
    #[serde(default)]
    pub ranks: BTreeMap<String, u32>,
    /// Channels that they answer, and how many contacts at once; calls, one at a time, where
    /// nothing is said.
    #[serde(default)]
    pub channels: Vec<ChannelSkill>,
    /// Named agents in order. Where the cover asks for more people, the rest have no names.
    #[serde(default)]
    pub agents: Vec<Agent>,
    /// Seconds from the first ring to the answer.
    #[serde(default = "Duration::nothing")]
    pub answer_delay: Duration,
    /// Share of offers that are not taken.
    #[serde(default)]
    pub refused_share: f64,
    /// Handle times as a share of the usual: 1.2 for people who take a fifth longer.
    #[serde(default = "one")]
    pub pace: f64,
    /// What becomes of the chats of an agent who leaves; calls are always finished.
    #[serde(default)]
    pub on_leaving: OnLeaving,
}

const fn one() -> f64 {
    1.0
}

/// Something an agent can do.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Skill {
    /// Its name.
    pub skill: String,
    /// How well, 1 to 10; none for a skill that one has or has not, which satisfies any level.
    #[serde(default)]
    pub level: Option<u8>,
}

/// A channel that agents answer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ChannelSkill {
    /// Which.
    pub channel: Channel,
    /// Contacts that one agent holds at the same time, all of this channel.
    #[serde(default = "one_contact")]
    pub at_once: u32,
    /// By how much every further contact of the agent lengthens each of them, as a share of its
    /// time alone: with 0 they do not notice each other, with 1 two take twice as long.
    #[serde(default)]
    pub slowing: f64,
}

const fn one_contact() -> u32 {
    1
}

/// A named agent, with what differs from the team.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Agent {
    /// The name, once in a strategy.
    pub name: String,
    /// Skills instead of the team's; none to share them.
    #[serde(default)]
    pub skills: Option<Vec<Skill>>,
    /// Ranks that differ from the team's, by the queue's id.
    #[serde(default)]
    pub ranks: BTreeMap<String, u32>,
    /// The short number of the agent's telephone; none for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub short_number: Option<String>,
    /// The switch's port that the agent's telephone is at; none where it is at no port of its own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub port: Option<String>,
}

/// What becomes of the chats of an agent who leaves.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum OnLeaving {
    /// The agent stays until they are done.
    #[default]
    Finish,
    /// They go back to the head of their queue, for what is left of them.
    HandOver,
    /// They are cut off.
    CutOff,
}

impl Team {
    /// A team of calls, one at a time, that matches every queue without a need.
    pub fn named(id: &str, name: &str) -> Self {
        Self {
            id: id.to_owned(),
            name: name.to_owned(),
            skills: Vec::new(),
            ranks: BTreeMap::new(),
            channels: Vec::new(),
            agents: Vec::new(),
            answer_delay: Duration::nothing(),
            refused_share: 0.0,
            pace: 1.0,
            on_leaving: OnLeaving::Finish,
        }
    }

    /// How the team answers a channel; `None` when it does not.
    pub fn answers(&self, channel: Channel) -> Option<ChannelSkill> {
        if self.channels.is_empty() {
            let calls = ChannelSkill { channel, at_once: 1, slowing: 0.0 };
            return Some(calls);
        }
        self.channels.iter().find(|each| each.channel == channel).cloned()
    }
}
