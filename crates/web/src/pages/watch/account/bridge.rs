//! The bridge from the plan to the measured day: one bar for each cause, drawn as SVG.

use barometer_plan::{Cause, MeasureAccount};

use crate::words;

/// Size of the picture and of the ground on which bars stand.
pub(super) const WIDTH: f64 = 1200.0;
pub(super) const HEIGHT: f64 = 250.0;
const TOP: f64 = 24.0;
pub(super) const BOTTOM: f64 = 198.0;
const LEFT: f64 = 8.0;
const BAR: f64 = 76.0;
/// The lowest bar that can be seen.
const LEAST: f64 = 1.5;

/// An effect below this is no point of ten.
const NOTHING: f64 = 0.0005;

/// What the account is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Measure {
    Level,
    Abandonment,
}

impl Measure {
    pub fn name(self) -> &'static str {
        match self {
            Self::Level => "Service level",
            Self::Abandonment => "Abandonment",
        }
    }

    pub fn is_better(self, effect: f64) -> bool {
        match self {
            Self::Level => effect > 0.0,
            Self::Abandonment => effect < 0.0,
        }
    }
}

pub(super) fn cause_name(cause: Cause) -> &'static str {
    match cause {
        Cause::Volume => "Volume",
        Cause::HandleTime => "Handle time",
        Cause::StaffingChange => "Staffing changes",
        Cause::Absence => "Absence",
        Cause::Adherence => "Adherence",
        Cause::Strategy => "New strategy",
        Cause::Luck => "Luck",
    }
}

/// A bar.
pub(super) struct Bar {
    pub x: f64,
    pub y: f64,
    pub width: f64,
    pub height: f64,
    pub middle: f64,
    pub label: &'static str,
    pub figure: String,
    pub figure_y: f64,
    /// "whole", "better", "worse", "nothing" or "luck".
    pub class: &'static str,
    /// Where the line to the next bar lies.
    pub ends_at: f64,
}

/// The picture.
pub(super) struct Bridge {
    pub bars: Vec<Bar>,
    /// Where the bars begin, in words.
    pub ground: String,
    /// Height and words of the target.
    pub target: Option<(f64, String)>,
    /// The picture in words.
    pub told: String,
}

impl Bridge {
    pub fn of(account: &MeasureAccount, measure: Measure, target: Option<f64>) -> Self {
        let mut levels = vec![account.planned];
        for each in &account.causes {
            let last = levels.last().copied().unwrap_or_default();
            levels.push(last + each.effect);
        }
        let all = || levels.iter().copied().chain(target);
        let (low, high) =
            all().fold((f64::MAX, f64::MIN), |(low, high), at| (low.min(at), high.max(at)));
        // The ground is nought where that costs little height, and a round number below the lowest otherwise.
        let ground =
            if low < 0.5 * (high - low) { low.min(0.0) } else { (low * 10.0 - 0.5).floor() / 10.0 };
        let span = (high - ground).max(0.01);
        let y = |at: f64| BOTTOM - (at - ground) / span * (BOTTOM - TOP);
        let places = levels.len() + 1;
        let step = (WIDTH - 2.0 * LEFT) / places as f64;
        let bar = |nth: usize, from: f64, to: f64, label, figure, class| {
            let middle = LEFT + (nth as f64 + 0.5) * step;
            let (top, bottom) = (y(from.max(to)), y(from.min(to)));
            Bar {
                x: middle - BAR / 2.0,
                y: top,
                width: BAR,
                height: (bottom - top).max(LEAST),
                middle,
                label,
                figure,
                figure_y: top - 6.0,
                class,
                ends_at: y(to),
            }
        };
        let mut bars = vec![bar(
            0,
            ground,
            account.planned,
            "Planned",
            words::percent(account.planned),
            "whole",
        )];
        for (nth, each) in account.causes.iter().enumerate() {
            let class = match each.cause {
                Cause::Luck => "luck",
                _ if each.effect.abs() < NOTHING => "nothing",
                _ if measure.is_better(each.effect) => "better",
                _ => "worse",
            };
            let figure = words::signed_one_decimal(100.0 * each.effect);
            let (from, to) = (levels[nth], levels[nth + 1]);
            bars.push(bar(nth + 1, from, to, cause_name(each.cause), figure, class));
        }
        let actual = words::percent(account.actual);
        bars.push(bar(places - 1, ground, account.actual, "Actual", actual, "whole"));
        let told: Vec<String> =
            bars.iter().map(|bar| format!("{} {}", bar.label, bar.figure)).collect();
        Self {
            bars,
            ground: format!("bars begin at {}", words::whole_percent(ground)),
            target: target
                .map(|target| (y(target), format!("target {}", words::whole_percent(target)))),
            told: format!("{}: {}", measure.name(), told.join(", ")),
        }
    }
}

#[cfg(test)]
mod tests {
    use barometer_plan::CauseEffect;

    use super::*;

    fn account(planned: f64, effects: &[(Cause, f64)]) -> MeasureAccount {
        let causes =
            effects.iter().map(|&(cause, effect)| CauseEffect { cause, effect, half_width: 0.01 });
        MeasureAccount {
            planned,
            actual: planned + effects.iter().map(|(_, effect)| effect).sum::<f64>(),
            causes: causes.collect(),
            usual: (0.0, 1.0),
            predicted: (0.0, 1.0),
        }
    }

    #[test]
    fn bars_join_without_gaps_from_the_plan_to_the_measured_day() {
        let effects = [(Cause::Volume, -0.2), (Cause::Absence, 0.05), (Cause::Luck, -0.01)];
        let bridge = Bridge::of(&account(0.82, &effects), Measure::Level, Some(0.8));
        assert_eq!(bridge.bars.len(), 5);
        for pair in bridge.bars.windows(2).take(3) {
            let (one, next) = (&pair[0], &pair[1]);
            let edges = [next.y, next.y + next.height];
            let joins = edges.iter().any(|edge| (edge - one.ends_at).abs() < LEAST + 1e-9);
            assert!(joins, "{} to {}", one.label, next.label);
        }
        let (luck, last) = (&bridge.bars[3], &bridge.bars[4]);
        assert!((luck.ends_at - last.y).abs() < 1e-9, "the last bar is as high as they lead");
        let classes: Vec<&str> = bridge.bars.iter().map(|bar| bar.class).collect();
        assert_eq!(classes, ["whole", "worse", "better", "luck", "whole"]);
        assert!(
            bridge
                .bars
                .iter()
                .all(|bar| bar.y >= TOP - 1e-9 && bar.y + bar.height <= BOTTOM + LEAST)
        );
        assert_eq!(bridge.bars[1].figure, "−20.0");
    }

    #[test]
    fn less_abandonment_is_better() {
        let bridge =
            Bridge::of(&account(0.05, &[(Cause::Volume, -0.02)]), Measure::Abandonment, None);
        assert_eq!(bridge.bars[1].class, "better");
        assert!(bridge.told.starts_with("Abandonment: Planned 5.0"), "{}", bridge.told);
    }
}
