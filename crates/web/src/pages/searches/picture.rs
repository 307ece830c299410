//! Cost against service: what was tried, and the line from cheap to safe, drawn as SVG.

use barometer_search::{Answer, Claim};

use crate::words;

/// Size of the picture and of the ground.
pub(super) const WIDTH: f64 = 560.0;
pub(super) const HEIGHT: f64 = 290.0;
const LEFT: f64 = 52.0;
const RIGHT: f64 = 544.0;
const TOP: f64 = 16.0;
const BOTTOM: f64 = 246.0;

/// Points under the target below which nothing is drawn.
const LOWEST: f64 = -0.15;
const HIGHEST: f64 = 0.12;

/// A place in the picture.
pub(super) struct Dot {
    pub x: f64,
    pub y: f64,
    pub class: &'static str,
    pub title: String,
}

/// A mark on an axis.
pub(super) struct Mark {
    pub at: f64,
    pub words: String,
}

/// The picture.
pub(super) struct Picture {
    pub dots: Vec<Dot>,
    pub line: String,
    pub target_y: f64,
    pub costs: Vec<Mark>,
    pub points: Vec<Mark>,
    pub told: String,
}

impl Picture {
    pub fn of(answer: &Answer) -> Self {
        let near = answer.best.cost * 0.8..=answer.best.cost * 1.25;
        let is_shown = |cost: f64, worst: f64| near.contains(&cost) && worst >= LOWEST;
        let tried: Vec<(f64, f64)> = answer
            .tried
            .iter()
            .map(|each| (each.cost, each.worst))
            .filter(|&(cost, worst)| is_shown(cost, worst))
            .collect();
        let frontier: Vec<(f64, f64)> =
            answer.frontier.iter().map(|point| (point.cost, point.worst)).collect();
        let all = || tried.iter().chain(&frontier).map(|(cost, _)| *cost);
        let low = all().chain([answer.best.cost]).fold(f64::MAX, f64::min);
        let high = all().chain([answer.best.cost]).fold(f64::MIN, f64::max);
        let room = ((high - low) * 0.05).max(low.abs() * 0.01).max(1e-6);
        let (low, high) = (low - room, high + room);
        let x = |cost: f64| LEFT + (cost - low) / (high - low) * (RIGHT - LEFT);
        let y = |worst: f64| {
            let worst = worst.clamp(LOWEST, HIGHEST);
            BOTTOM - (worst - LOWEST) / (HIGHEST - LOWEST) * (BOTTOM - TOP)
        };
        let dot = |cost: f64, worst: f64, class| Dot {
            x: x(cost),
            y: y(worst),
            class,
            title: format!(
                "{}: worst target {} points",
                words::one_decimal(cost),
                words::signed_one_decimal(100.0 * worst)
            ),
        };
        let mut dots: Vec<Dot> =
            tried.iter().map(|&(cost, worst)| dot(cost, worst, "tried")).collect();
        dots.extend(frontier.iter().map(|&(cost, worst)| dot(cost, worst, "frontier")));
        if answer.claim != Claim::OutOfReach
            && let Some(best) = frontier.iter().min_by(|a, b| {
                (a.0 - answer.best.cost).abs().total_cmp(&(b.0 - answer.best.cost).abs())
            })
        {
            dots.push(dot(best.0, best.1, "best"));
        }
        let line = frontier.iter().map(|&(cost, worst)| format!("{:.1},{:.1}", x(cost), y(worst)));
        let step = round_step((high - low) / 5.0);
        let first = (low / step).ceil() as i64;
        let last = (high / step).floor() as i64;
        let costs = (first..=last).map(|nth| {
            let cost = nth as f64 * step;
            Mark { at: x(cost), words: words::plain(cost) }
        });
        let points = [-0.15, -0.1, -0.05, 0.0, 0.05, 0.1].map(|worst: f64| Mark {
            at: y(worst),
            words: if worst == 0.0 { "0".to_owned() } else { words::signed_count(100.0 * worst) },
        });
        Self {
            dots,
            line: line.collect::<Vec<_>>().join(" "),
            target_y: y(0.0),
            costs: costs.collect(),
            points: points.into(),
            told: format!(
                "{} designs tried; from cheap to safe: {}",
                answer.tried.len(),
                frontier
                    .iter()
                    .map(|&(cost, worst)| format!(
                        "{} at {} points",
                        words::one_decimal(cost),
                        words::signed_one_decimal(100.0 * worst)
                    ))
                    .collect::<Vec<_>>()
                    .join(", ")
            ),
        }
    }
}

/// 1, 2 or 5 times a power of ten, not below `least`.
fn round_step(least: f64) -> f64 {
    let power = 10f64.powf(least.log10().floor());
    let step = [1.0, 2.0, 5.0, 10.0].map(|each| each * power);
    step.into_iter().find(|step| *step >= least).unwrap_or(10.0 * power)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn steps_of_an_axis_are_round() {
        assert_eq!([0.7, 1.0, 3.0, 12.0, 60.0].map(round_step), [1.0, 1.0, 5.0, 20.0, 100.0]);
    }
}
