//! A design: people by team and block of intervals, and the values of settings.

use barometer_plan::TrialInputs;
use serde::{Deserialize, Serialize};

use crate::question::Question;

/// A number of people that may change: of a team, in a stretch of intervals.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Block {
    /// Number of the team among the question's.
    pub knob: usize,
    /// First interval.
    pub from: usize,
    /// Interval after the last.
    pub until: usize,
    /// What one person for the whole block costs.
    pub cost: f64,
    /// Hours of one person.
    pub hours: f64,
    /// Fewest people.
    pub least: u32,
    /// Most people.
    pub most: u32,
}

/// An answer that may be tried.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Design {
    /// People of each block.
    pub people: Vec<u32>,
    /// Value of each setting; `None` where it stays as it is.
    pub settings: Vec<Option<f64>>,
}

/// The blocks of a question: of each team, those in which it has people or contacts to answer.
pub(crate) fn blocks(question: &Question) -> Vec<Block> {
    let base = &question.base;
    let intervals = base.interval_count();
    let hours = base.interval_secs / 3600.0;
    let mut blocks = Vec::new();
    for (knob, of) in question.teams.iter().enumerate() {
        let Some(team) = base.teams.iter().find(|team| team.team == of.team) else { continue };
        let types = (0..base.types.len())
            .filter(|&kind| base.home_of(kind).is_some_and(|home| home.team == of.team));
        let types: Vec<usize> = types.collect();
        let is_open = |at: usize| {
            team.agents[at] > 0
                || types.iter().any(|&kind| base.types[kind].intervals[at].contacts > 0.0)
        };
        for from in (0..intervals).step_by(question.block_intervals) {
            let until = (from + question.block_intervals).min(intervals);
            if (from..until).any(is_open) {
                let hours = hours * (until - from) as f64;
                let cost = hours * of.cost_per_hour;
                let (least, most) = (of.least, of.most);
                blocks.push(Block { knob, from, until, cost, hours, least, most });
            }
        }
    }
    blocks
}

impl Design {
    /// The trial's own people, the most of each block, within its bounds.
    pub(crate) fn start(question: &Question, blocks: &[Block]) -> Self {
        let people = blocks.iter().map(|block| {
            let id = &question.teams[block.knob].team;
            let team = question.base.teams.iter().find(|team| &team.team == id);
            let most = team.map_or(0, |team| {
                team.agents[block.from..block.until].iter().copied().max().unwrap_or(0)
            });
            most.clamp(block.least, block.most)
        });
        Self { people: people.collect(), settings: vec![None; question.settings.len()] }
    }

    /// The most people that are allowed.
    pub(crate) fn fullest(&self, blocks: &[Block]) -> Self {
        let people = blocks.iter().map(|block| block.most).collect();
        Self { people, settings: self.settings.clone() }
    }

    /// What the people cost.
    pub fn cost(&self, blocks: &[Block]) -> f64 {
        self.people.iter().zip(blocks).map(|(&people, block)| block.cost * f64::from(people)).sum()
    }

    /// Hours of people, by team that may change.
    pub fn hours_by_team(&self, question: &Question, blocks: &[Block]) -> Vec<f64> {
        let mut hours = vec![0.0; question.teams.len()];
        for (block, &people) in blocks.iter().zip(&self.people) {
            hours[block.knob] += block.hours * f64::from(people);
        }
        hours
    }

    /// Hours of people.
    pub fn hours(&self, blocks: &[Block]) -> f64 {
        self.people.iter().zip(blocks).map(|(&people, block)| block.hours * f64::from(people)).sum()
    }

    /// The question's trial with this design.
    ///
    /// # Errors
    ///
    /// What is wrong with a setting's value, in words.
    pub fn inputs(&self, question: &Question, blocks: &[Block]) -> Result<TrialInputs, String> {
        let mut inputs = question.base.clone();
        for (knob, value) in question.settings.iter().zip(&self.settings) {
            if let Some(value) = value {
                inputs = knob.setting.set(&inputs, *value)?;
            }
        }
        for (block, &people) in blocks.iter().zip(&self.people) {
            let id = &question.teams[block.knob].team;
            if let Some(team) = inputs.teams.iter_mut().find(|team| &team.team == id) {
                team.agents[block.from..block.until].fill(people);
            }
        }
        (inputs.seed, inputs.precision) = (question.seed, None);
        Ok(inputs)
    }
}
