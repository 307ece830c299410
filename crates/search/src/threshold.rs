//! The number of contacts that tells days that hold from days that break.

use crate::answer::BreakingPoint;
use crate::goal::Goal;
use crate::play::Days;

/// Days that hold, and days that break, without which nothing is said.
const LEAST_DAYS: usize = 10;

/// A threshold that tells fewer days right says nothing.
const LEAST_RIGHT: f64 = 0.8;

/// The threshold with the fewest days on its wrong side; `None` where days do not break, or where the
/// number of contacts is not what breaks them.
pub(crate) fn breaking_point(days: &Days, goal: &Goal) -> Option<BreakingPoint> {
    let scores = goal.by_day(days);
    let mut sorted: Vec<(f64, bool)> =
        scores.iter().enumerate().map(|(day, score)| (days.contacts(day), *score >= 0.0)).collect();
    sorted.sort_by(|a, b| a.0.total_cmp(&b.0));
    let n = sorted.len();
    let broken = sorted.iter().filter(|(_, holds)| !holds).count();
    if broken < LEAST_DAYS || n - broken < LEAST_DAYS {
        return None;
    }
    // Days that are told right if all days from this place on are said to break.
    let mut right = broken;
    let mut best = (right, 0);
    for (place, (_, holds)) in sorted.iter().enumerate() {
        right = if *holds { right + 1 } else { right - 1 };
        if right > best.0 {
            best = (right, place + 1);
        }
    }
    let (right, place) = best;
    let share = right as f64 / n as f64;
    // Saying that every day holds must do worse by a good part of what breaks.
    let is_better = right >= (n - broken) + broken / 3;
    if place == 0 || place == n || share < LEAST_RIGHT || !is_better {
        return None;
    }
    let contacts = f64::midpoint(sorted[place - 1].0, sorted[place].0).round();
    Some(BreakingPoint { contacts, right: share, above: (n - place) as f64 / n as f64 })
}
