//! What one person more, or one fewer, in each block does to each goal.
//!
//! A person at ten hardly matters to contacts at three: blocks of a team that lie hours apart get one more
//! person in the same simulation, and what changes around each block is its own effect. The customers
//! are the same with and without (common random numbers), so little of the difference is luck.

use crate::budget::Bench;
use crate::design::Design;
use crate::error::SearchError;
use crate::play::Days;

/// Distance in blocks between the blocks of a team that share a simulation: less where blocks are long.
const STRIDE: usize = 4;
const STRIDE_OF_LONG: usize = 3;
const LONG_HOURS: f64 = 2.0;

/// Slopes are taken on one in so many days of the design, and on so many at least: the same customers
/// leave little noise in differences.
const DAYS_OF_SLOPES: usize = 4;
const LEAST_DAYS: usize = 40;
const FEWEST_DAYS: u32 = 10;

/// What a person in each block is worth; never negative, since a person more does no harm but by chance.
pub(crate) struct Slopes {
    /// By goal and block, to its score.
    pub goals: Vec<Vec<f64>>,
    /// By block, in what contacts cost less.
    pub priced: Vec<f64>,
}

/// On which side of a design its slopes are taken: a person is worth less where there are more of them, so one
/// who is added gains less than one who is taken away costs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Side {
    /// One person more.
    More,
    /// One person fewer, where there is one to take.
    Fewer,
}

/// The slopes at a design whose `days` are known.
pub(crate) fn slopes(
    bench: &mut Bench<'_>,
    design: &Design,
    days: &Days,
    side: Side,
) -> Result<Slopes, SearchError> {
    let least = bench.question.telling_days(LEAST_DAYS as u32, FEWEST_DAYS) as usize;
    let count = (days.count() / DAYS_OF_SLOPES).max(least).min(days.count()) as u32;
    let before = days.first(count as usize);
    let length = bench.question.block_intervals;
    let hours = length as f64 * bench.question.base.interval_secs / 3600.0;
    let stride = if hours < LONG_HOURS { STRIDE } else { STRIDE_OF_LONG };
    let intervals = bench.question.base.interval_count();
    // What contacts cost is one more row behind the goals.
    let mut slopes = vec![vec![0.0; bench.blocks.len()]; bench.goals.all.len() + 1];
    let changes = |bench: &Bench<'_>, before: &Days, after: &Days| {
        let mut changes = bench.goals.changes(before, after);
        changes.push(before.priced() - after.priced());
        changes
    };
    for knob in 0..bench.question.teams.len() {
        for offset in 0..stride {
            let raised: Vec<usize> = (0..bench.blocks.len())
                .filter(|&at| {
                    let block = &bench.blocks[at];
                    let is_taken = side == Side::More || design.people[at] > block.least;
                    is_taken && block.knob == knob && block.from / length % stride == offset
                })
                .collect();
            if raised.is_empty() {
                continue;
            }
            let mut more = design.clone();
            let step = if side == Side::More { 1 } else { -1 };
            let changed = |people: u32| people.saturating_add_signed(step);
            raised.iter().for_each(|&at| more.people[at] = changed(more.people[at]));
            let after = bench.play(&more, 0..count)?;
            let sign = f64::from(step);
            let total = changes(bench, &before, &after);
            for &at in &raised {
                let block = &bench.blocks[at];
                let until = (block.until + (stride - 2) * length).min(intervals);
                let window = block.from.saturating_sub(length)..until;
                let own = changes(bench, &before, &before.with_window(&after, window));
                own.iter().zip(&mut slopes).for_each(|(change, row)| row[at] = sign * change);
            }
            // What work with a deadline gains later than the window sees is shared among the blocks.
            for (row, total) in slopes.iter_mut().zip(total) {
                let seen: f64 = raised.iter().map(|&at| row[at]).sum();
                let unseen = (sign * total - seen).max(0.0) / raised.len() as f64;
                raised.iter().for_each(|&at| row[at] += unseen);
            }
        }
    }
    slopes.iter_mut().flatten().for_each(|slope| *slope = slope.max(0.0));
    let priced = slopes.pop().unwrap_or_default();
    Ok(Slopes { goals: slopes, priced })
}
