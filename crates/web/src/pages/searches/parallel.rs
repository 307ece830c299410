//! The designs tried, as parallel axes: hours of each team, settings, cost, the worst target; a line for each design.

use barometer_search::{Answer, Claim, Question, Tried};

use super::typed::value_words;
use crate::words;

/// Size of the picture, and where its axes begin and end.
const WIDTH: f64 = 1160.0;
const HEIGHT: f64 = 300.0;
const LEFT: f64 = 70.0;
const RIGHT: f64 = 1090.0;
const TOP: f64 = 52.0;
const BOTTOM: f64 = 264.0;

/// Designs that are drawn: more lines cannot be told apart.
const MOST_LINES: usize = 240;

/// Points under the target below which a design is not drawn.
const LOWEST: f64 = -0.15;

/// Axes that have room.
const MOST_AXES: usize = 10;

/// Letters of a name above an axis.
const LETTERS: usize = 16;

pub(super) struct Axis {
    pub x: f64,
    pub name: String,
    pub unit: &'static str,
    pub least: String,
    pub most: String,
    /// Where the target lies on the axis of the worst target.
    pub target: Option<f64>,
}

pub(super) struct Line {
    pub points: String,
    /// "holds", "misses" or "best".
    pub class: &'static str,
    pub title: String,
}

/// The picture.
pub(super) struct Parallel {
    pub width: f64,
    pub height: f64,
    /// Where the axes begin and end.
    pub top: f64,
    pub bottom: f64,
    pub axes: Vec<Axis>,
    pub lines: Vec<Line>,
    pub told: String,
}

/// One axis before it has a place.
struct Scale {
    name: String,
    unit: &'static str,
    values: Vec<f64>,
    /// How a value is shown.
    show: Box<dyn Fn(f64) -> String>,
}

impl Scale {
    fn bounds(&self) -> (f64, f64) {
        let low = self.values.iter().copied().fold(f64::INFINITY, f64::min);
        let high = self.values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        (low, high)
    }

    /// The height of a value; in the middle where all are the same.
    fn y(&self, value: f64) -> f64 {
        let (low, high) = self.bounds();
        let share = if high - low > 1e-9 { (value - low) / (high - low) } else { 0.5 };
        BOTTOM - share * (BOTTOM - TOP)
    }
}

impl Parallel {
    /// `None` where there is nothing to compare.
    pub fn of(question: &Question, answer: &Answer, setting_names: &[String]) -> Option<Self> {
        let (best, is_found) = (&answer.best, answer.claim != Claim::OutOfReach);
        let near = |tried: &&Tried| {
            let is_whole = tried.hours.len() == question.teams.len();
            let costs = best.cost * 0.8..=best.cost * 1.25;
            is_whole && tried.worst >= LOWEST && costs.contains(&tried.cost)
        };
        let near: Vec<&Tried> = answer.tried.iter().filter(near).collect();
        let every = near.len().div_ceil(MOST_LINES).max(1);
        let mut shown: Vec<Tried> = near.into_iter().step_by(every).cloned().collect();
        if shown.len() < 2 {
            return None;
        }
        let worst = best.goals.iter().map(barometer_search::GoalAnswer::score);
        shown.push(Tried {
            what: barometer_search::TriedWhat::Nearby,
            cost: best.cost,
            worst: worst.fold(f64::INFINITY, f64::min),
            days: 0,
            hours: best.design.hours_by_team(question, &answer.blocks),
            settings: best.design.settings.clone(),
        });
        let scales = scales(question, &shown, setting_names);
        let step = (RIGHT - LEFT) / (scales.len().max(2) - 1) as f64;
        let x = |nth: usize| LEFT + step * nth as f64;
        let line = |nth: usize, tried: &Tried| {
            let points = scales.iter().enumerate();
            let points = points
                .map(|(axis, scale)| format!("{:.1},{:.1}", x(axis), scale.y(scale.values[nth])));
            let is_best = nth + 1 == shown.len();
            Line {
                points: points.collect::<Vec<_>>().join(" "),
                class: match (is_best, tried.worst >= 0.0) {
                    (true, _) => "best",
                    (false, true) => "holds",
                    (false, false) => "misses",
                },
                title: format!(
                    "{}: worst target {} points",
                    words::one_decimal(tried.cost),
                    words::signed_one_decimal(100.0 * tried.worst)
                ),
            }
        };
        let axes = scales.iter().enumerate().map(|(nth, scale)| {
            let (low, high) = scale.bounds();
            Axis {
                x: x(nth),
                name: short(&scale.name),
                unit: scale.unit,
                least: (scale.show)(low),
                most: (scale.show)(high),
                target: (nth + 1 == scales.len() && low < 0.0 && high > 0.0).then(|| scale.y(0.0)),
            }
        });
        let mut lines: Vec<Line> =
            shown.iter().enumerate().map(|(nth, tried)| line(nth, tried)).collect();
        // Those that hold lie over those that do not, the best over all.
        lines.sort_by_key(|line| {
            ["misses", "holds", "best"].iter().position(|class| *class == line.class)
        });
        let holding = lines.iter().filter(|line| line.class == "holds").count();
        Some(Self {
            width: WIDTH,
            height: HEIGHT,
            top: TOP,
            bottom: BOTTOM,
            axes: axes.collect(),
            told: format!(
                "{} designs near the best one, of which {holding} hold every target on the days of the search{}",
                lines.len() - 1,
                if is_found {
                    "; the thick line is the best"
                } else {
                    "; the thick line has the most people"
                },
            ),
            lines,
        })
    }
}

fn scales(question: &Question, shown: &[Tried], setting_names: &[String]) -> Vec<Scale> {
    let of = |name: String, unit, show: fn(f64) -> String, value: &dyn Fn(&Tried) -> f64| Scale {
        name,
        unit,
        values: shown.iter().map(value).collect(),
        show: Box::new(show),
    };
    let whole: fn(f64) -> String = words::thousands;
    let teams = question.teams.iter().enumerate().map(|(nth, knob)| {
        let team = question.base.strategy.teams.iter().find(|team| team.id == knob.team);
        let name = team.map_or_else(|| knob.team.clone(), |team| team.name.clone());
        of(name, "h", whole, &|tried| tried.hours[nth])
    });
    let settings = question.settings.iter().enumerate().filter_map(|(nth, knob)| {
        // What the trial has is no number here: a setting is an axis once values were tried. Of a choice it is the first option.
        let known = |tried: &Tried| tried.settings.get(nth).copied().flatten();
        let first = shown.iter().find_map(known)?;
        let setting = knob.setting.clone();
        let is_choice = setting.option_words(0.0).is_some();
        let own = if is_choice { 0.0 } else { first };
        // Whose it is has no room: "“Bookings queue”, offer order".
        let name = setting_names[nth].as_str();
        let name = name.split_once("”, ").map_or(name, |(_, what)| what).to_owned();
        Some(Scale {
            name,
            unit: "",
            values: shown.iter().map(|tried| known(tried).unwrap_or(own)).collect(),
            show: Box::new(move |value| short(&value_words(&setting, value))),
        })
    });
    let mut all: Vec<Scale> = teams.chain(settings).take(MOST_AXES - 2).collect();
    all.push(of(
        "Cost".to_owned(),
        if question.is_in_money() { "" } else { "h" },
        whole,
        &|tried| tried.cost,
    ));
    all.push(of("Worst target".to_owned(), "points", words::signed_one_decimal, &|tried| {
        100.0 * tried.worst
    }));
    all
}

/// A name that fits above an axis.
fn short(name: &str) -> String {
    if name.chars().count() <= LETTERS {
        return name.to_owned();
    }
    let first: String = name.chars().take(LETTERS - 1).collect();
    format!("{}…", first.trim_end())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_axis_goes_from_its_least_to_its_most_and_a_name_that_is_too_long_is_cut() {
        let values = vec![4.0, 10.0, 7.0];
        let scale =
            Scale { name: String::new(), unit: "h", values, show: Box::new(words::thousands) };
        assert_eq!(
            [4.0, 7.0, 10.0].map(|value| scale.y(value)),
            [BOTTOM, (TOP + BOTTOM) / 2.0, TOP]
        );
        let flat = Scale { values: vec![5.0, 5.0], ..scale };
        assert_eq!(flat.y(5.0), (TOP + BOTTOM) / 2.0);
        assert_eq!(short("Bookings team"), "Bookings team");
        assert_eq!(short("Vehicles and freight team"), "Vehicles and fr…");
    }
}
