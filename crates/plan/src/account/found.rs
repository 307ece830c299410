//! What an account finds.

use serde::{Deserialize, Serialize};

/// Why a day ended differently from its plan.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Cause {
    /// More or fewer contacts than forecast, or at other times.
    Volume,
    /// Longer or shorter handle times than forecast.
    HandleTime,
    /// People moved or called in during the day.
    StaffingChange,
    /// People planned but not present, or present but not planned.
    Absence,
    /// People who were present, but not all the time: late, away, gone early.
    Adherence,
    /// A strategy released during the day.
    Strategy,
    /// What a simulation of the measured day does not explain.
    Luck,
}

/// A quantity as planned and as measured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct PlannedActual {
    /// As planned.
    pub planned: f64,
    /// As measured.
    pub actual: f64,
}

/// The effect of one cause on one measure.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct CauseEffect {
    /// The cause.
    pub cause: Cause,
    /// Its effect on the measure, a share: 0.02 is two points.
    pub effect: f64,
    /// Half the width of the 95 % confidence interval of the simulation; none of luck.
    pub half_width: f64,
}

/// One measure of a contact type's day.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MeasureAccount {
    /// What the plan leads to on average, if everything goes as planned.
    pub planned: f64,
    /// What was measured.
    pub actual: f64,
    /// Causes in order; their effects add up to the difference.
    pub causes: Vec<CauseEffect>,
    /// The range of eight in ten simulations of the measured day: inside it, luck is no surprise.
    pub usual: (f64, f64),
    /// The range of eight in ten planned days with the forecast's uncertainty: the prediction.
    pub predicted: (f64, f64),
}

impl MeasureAccount {
    /// Whether the prediction's range holds what was measured.
    pub fn is_predicted(&self) -> bool {
        (self.predicted.0..=self.predicted.1).contains(&self.actual)
    }

    /// The cause with the largest effect in the direction of the difference.
    pub fn main_cause(&self) -> Option<&CauseEffect> {
        let direction = (self.actual - self.planned).signum();
        let mut along: Vec<&CauseEffect> =
            self.causes.iter().filter(|each| each.effect * direction > 0.0).collect();
        along.sort_by(|one, other| other.effect.abs().total_cmp(&one.effect.abs()));
        along.first().copied()
    }
}

/// The account of a contact type's day.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TypeAccount {
    /// Its name.
    pub name: String,
    /// Its service level target.
    pub wanted: f64,
    /// Contacts.
    pub contacts: PlannedActual,
    /// Average handle time in seconds.
    pub handle_secs: PlannedActual,
    /// Service level; `None` where contacts are still open, or there were none.
    pub level: Option<MeasureAccount>,
    /// Abandonment; `None` in the same cases.
    pub abandonment: Option<MeasureAccount>,
}

/// Hours of a team's people.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TeamAccount {
    /// The team's name.
    pub name: String,
    /// As planned when the day began.
    pub planned_hours: f64,
    /// As planned last.
    pub replanned_hours: f64,
    /// As measured.
    pub present_hours: f64,
    /// Of the difference to the last plan, hours of people who were not there at all in an interval.
    #[serde(default)]
    pub absent_hours: f64,
    /// Of the difference to the last plan, hours that people missed who were there.
    #[serde(default)]
    pub missed_hours: f64,
    /// The share of paid time that is not spent on the phones: planned and actual.
    #[serde(default)]
    pub shrinkage: Option<PlannedActual>,
}

/// The account of a day.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DayAccount {
    /// By contact type, in the order of the inputs.
    pub types: Vec<TypeAccount>,
    /// By team.
    pub teams: Vec<TeamAccount>,
}
