//! The master problem: the cheapest people that satisfy every cut so far.
//!
//! It is solved without wholeness and rounded: cuts are estimates, and the local search counts heads better
//! than an integer programme over noisy numbers would, in a fraction of the time. The bound is that of the
//! relaxed problem.
//!
//! A cut says that a goal's score is at most what its value and slopes at a tried design promise. That is
//! true where scores are concave in people: near and above targets, not where a service drowns.

use barometer_plan::{Bound, Programme, ProgrammeError};

use crate::design::Block;
use crate::slopes::Slopes;

/// A goal's value and slopes at a tried design.
#[derive(Clone, Debug)]
struct Cut {
    goal: usize,
    people: Vec<u32>,
    score: f64,
    slopes: Vec<f64>,
}

/// All cuts so far.
#[derive(Clone, Debug, Default)]
pub(crate) struct Master {
    cuts: Vec<Cut>,
}

/// People of each block, and what they cost.
#[derive(Clone, Debug)]
pub(crate) struct MasterSolution {
    pub people: Vec<u32>,
    /// No solution of the master problem is cheaper.
    pub bound: f64,
}

/// Scores are shares; in thousandths they lie well within the solver's tolerances.
const SCALE: f64 = 1000.0;

impl Master {
    /// Adds the cuts of a design.
    pub fn add(&mut self, people: &[u32], scores: &[f64], slopes: &Slopes) {
        for (goal, (&score, slopes)) in scores.iter().zip(&slopes.goals).enumerate() {
            if slopes.iter().any(|slope| *slope > 0.0) {
                let (people, slopes) = (people.to_vec(), slopes.clone());
                self.cuts.push(Cut { goal, people, score, slopes });
            }
        }
    }

    /// The cheapest people with which each goal's score reaches `least`, not further from `around` than
    /// its reach allows; `None` where there are none.
    pub fn solve(
        &self,
        blocks: &[Block],
        least: &[f64],
        around: Option<(&[u32], f64)>,
    ) -> Result<Option<MasterSolution>, ProgrammeError> {
        let programme = self.programme(blocks, least, around);
        match programme.relaxed_values() {
            Ok(values) => Ok(Some(MasterSolution {
                people: values.iter().map(|people| people.round() as u32).collect(),
                bound: programme.cost(&values),
            })),
            Err(ProgrammeError::Infeasible) => Ok(None),
            Err(error) => Err(error),
        }
    }

    /// What one unit more of each goal's score costs, by the relaxed master problem's prices.
    pub fn prices(&self, blocks: &[Block], least: &[f64]) -> Vec<f64> {
        let mut prices = vec![0.0; least.len()];
        if let Ok(relaxed) = self.programme(blocks, least, None).relaxation() {
            for (cut, price) in self.cuts.iter().zip(relaxed.prices) {
                prices[cut.goal] += price.max(0.0) * SCALE;
            }
        }
        prices
    }

    fn programme(
        &self,
        blocks: &[Block],
        least: &[f64],
        around: Option<(&[u32], f64)>,
    ) -> Programme {
        let mut programme = Programme::default();
        for (at, block) in blocks.iter().enumerate() {
            let (mut low, mut high) = (block.least, block.most);
            if let Some((people, reach)) = around {
                let step = (f64::from(people[at]) * reach).ceil().max(1.0) as u32;
                low = low.max(people[at].saturating_sub(step));
                high = high.min(people[at].saturating_add(step));
            }
            let column = programme.column(block.cost, f64::from(high), false);
            programme.columns[column].least = f64::from(low);
        }
        for cut in &self.cuts {
            let from: f64 =
                cut.slopes.iter().zip(&cut.people).map(|(s, &people)| s * f64::from(people)).sum();
            let terms = cut.slopes.iter().enumerate().filter(|(_, slope)| **slope > 0.0);
            let terms = terms.map(|(at, slope)| (at, slope * SCALE)).collect();
            let wanted = least[cut.goal] - cut.score + from;
            programme.row(terms, Bound::AtLeast(wanted * SCALE));
        }
        programme
    }
}
