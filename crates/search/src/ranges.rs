//! How far a setting's number may move with a design before a target breaks.

use barometer_plan::{Searchable, Sweepable};

use crate::answer::{Reach, SettingRange};
use crate::budget::{Bench, worst_of};
use crate::design::Design;
use crate::error::SearchError;

/// How often a number is doubled, or halved, to find where something breaks, and how often the gap is halved then.
const DOUBLED: usize = 3;
const HALVED: usize = 4;

/// How far each number may move with a design before a target breaks, on the days of the search; `None` for choices, for
/// limits that are not set, and where the design does not hold to begin with.
pub(crate) fn ranges(
    bench: &mut Bench<'_>,
    design: &Design,
) -> Result<Vec<Option<SettingRange>>, SearchError> {
    let question = bench.question;
    let all = Searchable::all(&question.base.strategy);
    let mut ranges = Vec::new();
    for (nth, knob) in question.settings.iter().enumerate() {
        let own = all.iter().find(|known| known.setting == knob.setting);
        let is_number = matches!(knob.setting, Sweepable::Setting { .. });
        let now = design.settings[nth].or_else(|| own?.now).filter(|now| is_number && *now > 0.0);
        let range = match now {
            Some(now) if bench.holds_with(design, nth, now)? => Some(SettingRange {
                down: bench.reach(design, nth, now, 0.5)?,
                up: bench.reach(design, nth, now, 2.0)?,
            }),
            _ => None,
        };
        ranges.push(range);
    }
    Ok(ranges)
}

impl Bench<'_> {
    /// Whether a design holds with a value of a setting; a value that cannot be set does not.
    fn holds_with(&mut self, design: &Design, nth: usize, value: f64) -> Result<bool, SearchError> {
        let mut other = design.clone();
        other.settings[nth] = Some(value);
        match self.play(&other, 0..self.question.days) {
            Ok(days) => Ok(worst_of(&self.goals.scores(&days)) >= 0.0),
            Err(SearchError::Setting(_)) => Ok(false),
            Err(error) => Err(error),
        }
    }

    /// How far a value that holds may be moved by a factor, and by it again.
    fn reach(
        &mut self,
        design: &Design,
        nth: usize,
        from: f64,
        factor: f64,
    ) -> Result<Reach, SearchError> {
        // A whole number stays whole.
        let fitting = |value: f64| if from.fract() == 0.0 { value.round() } else { value };
        let (mut holds, mut breaks) = (from, None);
        for _ in 0..DOUBLED {
            let next = fitting(holds * factor);
            if next == holds || next == 0.0 {
                break;
            }
            if self.holds_with(design, nth, next)? {
                holds = next;
            } else {
                breaks = Some(next);
                break;
            }
        }
        for _ in 0..HALVED {
            let Some(broken) = breaks else { break };
            let between = fitting(f64::midpoint(holds, broken));
            if between == holds || between == broken {
                break;
            }
            if self.holds_with(design, nth, between)? {
                holds = between;
            } else {
                breaks = Some(between);
            }
        }
        Ok(Reach { holds, breaks })
    }
}
