//! Cutting planes within reach of a design that holds: the cheapest people that all cuts allow there are tried next.
//!
//! A cut tells little far from the design at which it was taken, and nothing where service drowns. So a step goes no
//! further than a share of each block's people from the best design known; the share grows where steps succeed and shrinks
//! where they fail (a trust region; Conn, Gould and Toint 2000).

use std::collections::HashSet;

use crate::budget::{Bench, worst_of};
use crate::design::{Block, Design};
use crate::error::SearchError;
use crate::master::Master;
use crate::play::Days;
use crate::slopes::{Side, slopes};

/// Designs at which cuts are added, at most.
const MOST_CUTS: usize = 40;

/// How far a step may go at first, at most and at least, as a share of a block's people.
const REACH: f64 = 0.15;
const FURTHEST: f64 = 0.3;
const NEAREST: f64 = 0.02;

/// Steps that fail in a row before the cuts end.
const PATIENCE: usize = 5;

/// What is asked more each time that cuts lead back to people that were tried, and in all.
const MORE: f64 = 0.002;
const MOST_MORE: f64 = 0.02;

/// A step is worth a simulation where it saves at least this share.
const LEAST_GAIN: f64 = 0.001;

/// Where a target is missed by more than this, slopes tell nothing of where it holds.
const DROWNED: f64 = -0.08;

/// How much the people of a start that does not hold grow until it does.
const GROWTH: f64 = 1.12;

/// From a design to a cheaper one that holds on a part of the days, or else to the last that was tried; leaves its cuts in
/// the master problem.
pub(crate) fn descend(
    bench: &mut Bench<'_>,
    master: &mut Master,
    start: Design,
) -> Result<Design, SearchError> {
    let (mut best, days) = grown_until_it_holds(bench, start)?;
    add_cuts(bench, master, &best, &days)?;
    let mut seen: HashSet<Vec<u32>> = HashSet::from([best.people.clone()]);
    let (mut reach, mut failed) = (REACH, 0);
    for _ in 0..MOST_CUTS {
        let Some(people) = next(bench, master, &best, &seen, reach)? else {
            if reach <= NEAREST {
                break;
            }
            reach /= 2.0;
            continue;
        };
        seen.insert(people.clone());
        let design = Design { people, settings: best.settings.clone() };
        let days = bench.sketch(&design)?;
        let worst = worst_of(&bench.goals.slacks(&days));
        if worst > DROWNED {
            add_cuts(bench, master, &design, &days)?;
        }
        if worst >= 0.0 {
            best = design;
            (reach, failed) = ((1.5 * reach).min(FURTHEST), 0);
        } else {
            failed += 1;
            if failed > PATIENCE {
                break;
            }
            reach = (reach / 2.0).max(NEAREST);
        }
    }
    Ok(best)
}

/// A start, with more people everywhere until every goal holds, and its days.
fn grown_until_it_holds(
    bench: &mut Bench<'_>,
    start: Design,
) -> Result<(Design, Days), SearchError> {
    let mut design = start;
    loop {
        let days = bench.sketch(&design)?;
        let grown = design.grown(bench.blocks);
        if bench.holds(&days) || grown == design {
            return Ok((design, days));
        }
        design = grown;
    }
}

fn add_cuts(
    bench: &mut Bench<'_>,
    master: &mut Master,
    design: &Design,
    days: &Days,
) -> Result<(), SearchError> {
    let slopes = slopes(bench, design, days, Side::More)?;
    master.add(&design.people, &bench.goals.scores(days), &slopes);
    Ok(())
}

/// Cheaper people within reach of a design, by the master problem. Where rounding leads back to people that were tried, a
/// little more is asked of every goal, so that it leads elsewhere.
fn next(
    bench: &Bench<'_>,
    master: &Master,
    best: &Design,
    seen: &HashSet<Vec<u32>>,
    reach: f64,
) -> Result<Option<Vec<u32>>, SearchError> {
    let least_saved = best.cost(bench.blocks) * (1.0 - LEAST_GAIN);
    let mut more = 0.0;
    while more <= MOST_MORE {
        let least: Vec<f64> = bench.goals.margins.iter().map(|margin| margin + more).collect();
        let around = Some((best.people.as_slice(), reach));
        let Some(solution) = master.solve(bench.blocks, &least, around)? else { return Ok(None) };
        let design = Design { people: solution.people, settings: Vec::new() };
        if design.cost(bench.blocks) > least_saved {
            return Ok(None);
        }
        if !seen.contains(&design.people) {
            return Ok(Some(design.people));
        }
        more += MORE;
    }
    Ok(None)
}

impl Design {
    fn grown(&self, blocks: &[Block]) -> Self {
        let grown = |(&people, block): (&u32, &Block)| {
            ((f64::from(people) * GROWTH).ceil() as u32).max(people + 1).min(block.most)
        };
        Self {
            people: self.people.iter().zip(blocks).map(grown).collect(),
            settings: self.settings.clone(),
        }
    }
}
