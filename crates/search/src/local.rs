//! The local search: people taken away and exchanged while every goal still holds, or added where contacts
//! cost more than they do.
//!
//! Slopes predict what a change does; the most promising ones are simulated, and the first that holds is
//! made. It ends where none of them does: then no single person less, and no promising exchange of two
//! or three, holds on the days of the search.

use std::collections::HashSet;

use crate::budget::{Bench, worst_of};
use crate::design::Design;
use crate::error::SearchError;
use crate::play::Days;
use crate::slopes::{Side, Slopes, slopes};

/// Changes that are simulated before the search gives up at a design.
const TRIES: usize = 16;

/// Changes that may be made before slopes are taken again.
const CHANGES_PER_SLOPES: usize = 4;

/// A change is worth a simulation where it is predicted to miss by no more than this.
const NEARLY: f64 = 0.004;

/// Blocks with the smallest effect that take part in exchanges.
const EXCHANGED: usize = 40;

/// People more and fewer, by block.
type Change = Vec<(usize, i32)>;

/// Where the days of this number of designs lower the cost by less than this share, the rest is not worth waiting for.
const WORTHWHILE: f64 = 0.005;
const WORTHWHILE_DESIGNS: u64 = 16;

/// Improves the best design until nothing cheaper is found nearby, or hardly anything for the days it takes.
pub(crate) fn improve(bench: &mut Bench<'_>) -> Result<(), SearchError> {
    let mut refused: HashSet<Vec<u32>> = HashSet::new();
    let window = WORTHWHILE_DESIGNS * u64::from(bench.question.days);
    let cost = bench.best.as_ref().map_or(f64::INFINITY, |(cost, ..)| *cost);
    let mut mark = (bench.days_played(), cost);
    loop {
        let Some((cost, design, days)) = bench.best.clone() else { return Ok(()) };
        if bench.days_played() >= mark.0 + window {
            if cost > mark.1 * (1.0 - WORTHWHILE) {
                return Ok(());
            }
            mark = (bench.days_played(), cost);
        }
        let slopes = slopes(bench, &design, &days, Side::Fewer)?;
        let mut changes_made = usize::from(bundle(bench, &design, &days, &slopes, &mut refused)?);
        while changes_made < CHANGES_PER_SLOPES {
            let Some((_, design, days)) = bench.best.clone() else { return Ok(()) };
            if !one_change(bench, &design, &days, &slopes, &mut refused)? {
                break;
            }
            changes_made += 1;
        }
        if changes_made == 0 {
            return Ok(());
        }
    }
}

/// Makes several promising changes at once: as many as together are predicted to hold, then half of them,
/// and so on; `false` where not even two hold together.
fn bundle(
    bench: &mut Bench<'_>,
    design: &Design,
    days: &Days,
    slopes: &Slopes,
    refused: &mut HashSet<Vec<u32>>,
) -> Result<bool, SearchError> {
    let slacks = bench.goals.slacks(days);
    let mut left = slacks.clone();
    let mut touched = HashSet::new();
    let mut chosen: Vec<Change> = Vec::new();
    for change in promising(bench, design, &slacks, slopes) {
        if change.iter().any(|(at, _)| touched.contains(at)) {
            continue;
        }
        let after = predicted(&left, slopes, &change);
        if worst_of(&after) >= 0.0 {
            left = after;
            touched.extend(change.iter().map(|(at, _)| *at));
            chosen.push(change);
        }
    }
    while chosen.len() >= 2 {
        let changed = chosen.iter().fold(design.clone(), |design, change| design.with(change));
        if held(bench, &changed, days, refused)? == Some(true) {
            return Ok(true);
        }
        chosen.truncate(chosen.len() / 2);
    }
    Ok(false)
}

/// Looks for a change that holds; `false` where none of the promising ones does.
fn one_change(
    bench: &mut Bench<'_>,
    design: &Design,
    days: &Days,
    slopes: &Slopes,
    refused: &mut HashSet<Vec<u32>>,
) -> Result<bool, SearchError> {
    let slacks = bench.goals.slacks(days);
    let mut tries = 0;
    for change in promising(bench, design, &slacks, slopes) {
        let changed = design.with(&change);
        match held(bench, &changed, days, refused)? {
            Some(true) => return Ok(true),
            Some(false) => {}
            None => continue,
        }
        tries += 1;
        if tries == TRIES {
            return Ok(false);
        }
    }
    Ok(false)
}

/// Whether a design holds on the days of the search and is the cheapest so far; `None` where it was tried before.
fn held(
    bench: &mut Bench<'_>,
    design: &Design,
    known: &Days,
    refused: &mut HashSet<Vec<u32>>,
) -> Result<Option<bool>, SearchError> {
    if !refused.insert(design.people.clone()) {
        return Ok(None);
    }
    bench.try_design(design, known)?;
    Ok(Some(bench.best.as_ref().is_some_and(|(_, best, _)| best == design)))
}

/// The slacks after a change, by the slopes.
fn predicted(slacks: &[f64], slopes: &Slopes, change: &[(usize, i32)]) -> Vec<f64> {
    let gain = |slopes: &Vec<f64>| -> f64 {
        change.iter().map(|&(at, more)| slopes[at] * f64::from(more)).sum()
    };
    slacks.iter().zip(&slopes.goals).map(|(slack, slopes)| slack + gain(slopes)).collect()
}

/// Changes that make a design cheaper and are predicted to hold, or nearly: the surest first, and of
/// those that surely hold the one that saves most.
fn promising(bench: &Bench<'_>, design: &Design, slacks: &[f64], slopes: &Slopes) -> Vec<Change> {
    let blocks = bench.blocks;
    // What one person less saves, less what contacts then cost more.
    let saves = |at: usize| blocks[at].cost - slopes.priced[at];
    let can_lose = |at: usize| design.people[at] > blocks[at].least;
    let can_gain = |at: usize| design.people[at] < blocks[at].most;
    let mut found: Vec<(f64, f64, Change)> = Vec::new();
    let mut consider = |change: Change| {
        let saved: f64 = change.iter().map(|&(at, more)| -saves(at) * f64::from(more)).sum();
        if saved <= 1e-9 {
            return;
        }
        let worst = worst_of(&predicted(slacks, slopes, &change));
        if worst >= -NEARLY {
            found.push((worst.min(0.0), saved, change));
        }
    };
    let all = 0..blocks.len();
    all.clone().filter(|&at| can_lose(at)).for_each(|at| consider(vec![(at, -1)]));
    all.clone().filter(|&at| can_gain(at)).for_each(|at| consider(vec![(at, 1)]));
    let mut light: Vec<usize> = all.clone().filter(|&at| can_lose(at)).collect();
    let weight =
        |at: usize| slopes.goals.iter().map(|row| row[at]).fold(0.0, f64::max) / blocks[at].cost;
    light.sort_by(|&a, &b| weight(a).total_cmp(&weight(b)).then(a.cmp(&b)));
    light.truncate(EXCHANGED);
    for (nth, &one) in light.iter().enumerate() {
        for gains in all.clone().filter(|&at| at != one && can_gain(at)) {
            consider(vec![(one, -1), (gains, 1)]);
        }
        for &other in &light[nth..] {
            if other == one && design.people[one] < blocks[one].least + 2 {
                continue;
            }
            let two = if other == one { vec![(one, -2)] } else { vec![(one, -1), (other, -1)] };
            consider(two.clone());
            for gains in all.clone().filter(|&at| at != one && at != other && can_gain(at)) {
                let mut exchange = two.clone();
                exchange.push((gains, 1));
                consider(exchange);
            }
        }
    }
    found.sort_by(|a, b| b.0.total_cmp(&a.0).then(b.1.total_cmp(&a.1)).then(a.2.cmp(&b.2)));
    found.truncate(8 * TRIES);
    found.into_iter().map(|(.., change)| change).collect()
}

/// Adds people where they help most for their cost, until every goal holds on the days of the search.
pub(crate) fn repair(bench: &mut Bench<'_>, mut design: Design) -> Result<(), SearchError> {
    loop {
        let days = bench.evaluate(&design)?;
        let slacks = bench.goals.slacks(&days);
        if worst_of(&slacks) >= 0.0 {
            return Ok(());
        }
        let slopes = slopes(bench, &design, &days, Side::More)?;
        let mut missing: Vec<f64> = slacks.iter().map(|slack| (-slack).max(0.0)).collect();
        let mut added = 0;
        while missing.iter().any(|each| *each > 0.0) {
            let worth = |at: usize| {
                let helped = missing.iter().zip(&slopes.goals).map(|(gap, row)| row[at].min(*gap));
                helped.sum::<f64>() / bench.blocks[at].cost
            };
            let best = (0..bench.blocks.len())
                .filter(|&at| design.people[at] < bench.blocks[at].most)
                .map(|at| (worth(at), at))
                .max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
            let Some((_, at)) = best.filter(|(worth, _)| *worth > 0.0) else { break };
            design.people[at] += 1;
            added += 1;
            missing.iter_mut().zip(&slopes.goals).for_each(|(gap, row)| *gap -= row[at]);
        }
        if added == 0 {
            // Where a person more does nothing yet, everybody gets one.
            let before = design.people.clone();
            for (people, block) in design.people.iter_mut().zip(bench.blocks) {
                *people = (*people + 1).min(block.most);
            }
            if design.people == before {
                return Ok(());
            }
        }
    }
}

impl Design {
    /// The design with people more and fewer.
    fn with(&self, change: &[(usize, i32)]) -> Self {
        let mut changed = self.clone();
        for &(at, more) in change {
            changed.people[at] = changed.people[at].saturating_add_signed(more);
        }
        changed
    }
}
