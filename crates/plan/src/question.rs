//! Questions that take longer than a page may: a worker answers them once, and the answer is kept under the question.

use barometer_strategy::{Edit, Strategy};
use jiff::civil::Date;
use serde::{Deserialize, Serialize};

use crate::day_need::{self, DayNeed, day_need};
use crate::day_plan::ExactDay;
use crate::edit_effect::{self, EditEffect};
use crate::record::{PastInterval, ReplayedDay, replay_day};
use crate::rules::Rules;
use crate::screening::{self, Screened};
use crate::{DayByDay, IntervalLoad, NeedError, TrialInputs};

/// A question with everything that its answer depends on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Question {
    /// How days of the past go when they are played again.
    Record {
        /// The strategy that they are played with.
        strategy: Box<Strategy>,
        /// The contact type.
        contact_type: String,
        /// Its targets.
        rules: Box<Rules>,
        /// Length of its intervals in seconds.
        interval_secs: f64,
        /// How often each day is played.
        replications: u32,
        /// The days, each in order and without gaps.
        days: Vec<(Date, Vec<PastInterval>)>,
    },
    /// How many people hold every target in every interval of a day that never settles.
    EveryInterval {
        /// What is expected, from opening to close.
        loads: Vec<IntervalLoad>,
        /// Each interval's own need.
        own: Vec<u32>,
        /// Length of the intervals in seconds.
        interval_secs: f64,
        /// The targets.
        rules: Box<Rules>,
    },
    /// What an edit of a strategy does to the contacts of a day.
    Edit {
        /// The day without it, and how often it is played.
        inputs: Box<TrialInputs>,
        /// The edit.
        edit: Box<Edit>,
    },
    /// On how many days like a planned one every target holds.
    Days {
        /// The day, and how often it is played.
        inputs: Box<TrialInputs>,
    },
    /// How many people a day of one contact type takes that is to hold on a share of such days.
    DayNeed {
        /// The day with its planned people, and how often it is played.
        inputs: Box<TrialInputs>,
        /// The shares of days, 0 to 1.
        chances: Vec<f64>,
    },
    /// Which settings of a strategy change the target that is worst in a trial.
    Screening {
        /// The trial.
        inputs: Box<TrialInputs>,
    },
}

/// What a question was answered with.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Answer {
    /// The days that had contacts and people, played again.
    Record {
        /// In the order of the question.
        days: Vec<(Date, ReplayedDay)>,
    },
    /// Nothing is known of such a day: deadlines, chats that slow each other down, a speed of answer.
    Unknown,
    /// The exact day, interval by interval.
    EveryInterval {
        /// In order.
        intervals: Vec<HeldInterval>,
    },
    /// What an edit does.
    Edit {
        /// To all contact types together first, then to each.
        effects: Vec<EditEffect>,
    },
    /// The simulated days.
    Days {
        /// `None` where there is no target, or where too few days were played.
        days: Option<DayByDay>,
    },
    /// The day's need.
    DayNeed(DayNeed),
    /// The settings that matter.
    Screening {
        /// Those that change it most first.
        settings: Vec<Screened>,
    },
}

/// An interval of an exact day: with its own need, and with the people that hold every interval.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct HeldInterval {
    /// Service level with its own need, 0 to 1.
    pub own_level: f64,
    /// Whether its own need holds every target.
    pub own_holds: bool,
    /// People in the plan that holds every interval.
    pub held: u32,
    /// Service level with them.
    pub held_level: f64,
}

impl Question {
    /// The most steps that [`answer`](Self::answer) takes.
    pub fn steps(&self) -> u32 {
        match self {
            Self::Record { days, .. } => u32::try_from(days.len()).unwrap_or(u32::MAX),
            Self::EveryInterval { .. } => ExactDay::MOST_TRIES,
            Self::Edit { inputs, .. } => edit_effect::steps(inputs),
            Self::Days { inputs } => inputs.replications,
            Self::Screening { inputs } => screening::steps(inputs),
            Self::DayNeed { inputs, chances } => day_need::steps(inputs, chances.len()),
        }
    }

    /// The answer; `goes_on` is told how many steps are done, and `None` comes where it says no.
    ///
    /// # Errors
    ///
    /// Why it cannot be answered, as people read it.
    pub fn answer(&self, mut goes_on: impl FnMut(u32) -> bool) -> Result<Option<Answer>, String> {
        match self {
            Self::Record { strategy, contact_type, rules, interval_secs, replications, days } => {
                let mut replayed = Vec::with_capacity(days.len());
                for (done, (date, intervals)) in (0u32..).zip(days) {
                    if !goes_on(done) {
                        return Ok(None);
                    }
                    let of = (contact_type.as_str(), rules.as_ref());
                    let day = replay_day(strategy, of, *interval_secs, intervals, *replications)
                        .map_err(|error| format!("{date} cannot be played again: {error}"))?;
                    replayed.extend(day.map(|day| (*date, day)));
                }
                Ok(Some(Answer::Record { days: replayed }))
            }
            Self::EveryInterval { loads, own, interval_secs, rules } => {
                let Some(exact) = ExactDay::new(loads, *interval_secs, rules) else {
                    return Ok(Some(Answer::Unknown));
                };
                let held = every_interval(&exact, own, &mut goes_on);
                let held = held.map_err(|error| error.to_string())?;
                Ok(held.map(|intervals| Answer::EveryInterval { intervals }))
            }
            Self::Edit { inputs, edit } => {
                let effects = edit_effect::effect_of_edit(inputs, edit, &mut goes_on)?;
                Ok(effects.map(|effects| Answer::Edit { effects }))
            }
            Self::Days { inputs } => {
                let summary = inputs.played(inputs.replications, 0, &mut goes_on)?;
                Ok(summary.map(|summary| Answer::Days { days: DayByDay::of(inputs, &summary) }))
            }
            Self::DayNeed { inputs, chances } => {
                Ok(day_need(inputs, chances, &mut goes_on)?.map(Answer::DayNeed))
            }
            Self::Screening { inputs } => {
                let settings = screening::screen(inputs, &mut goes_on)?;
                Ok(settings.map(|settings| Answer::Screening { settings }))
            }
        }
    }
}

fn every_interval(
    exact: &ExactDay<'_>,
    own: &[u32],
    goes_on: &mut dyn FnMut(u32) -> bool,
) -> Result<Option<Vec<HeldInterval>>, NeedError> {
    let figures = exact.evaluate(own)?;
    let Some(plan) = exact.hold_every_interval(goes_on)? else { return Ok(None) };
    let held = plan.agents.iter().zip(&plan.figures);
    let intervals = figures.iter().zip(own).zip(held).enumerate();
    let held = intervals.map(|(at, ((with_own, own), (held, with_held)))| HeldInterval {
        own_level: with_own.service_level,
        own_holds: exact.holds(at, *own, with_own),
        held: *held,
        held_level: with_held.service_level,
    });
    Ok(Some(held.collect()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rules::Rules;

    fn morning() -> Question {
        let loads: Vec<IntervalLoad> = [20.0, 60.0, 90.0, 40.0]
            .map(|contacts| IntervalLoad { contacts, handle_secs: 300.0 })
            .to_vec();
        Question::EveryInterval {
            own: vec![5, 13, 18, 9],
            loads,
            interval_secs: 1800.0,
            rules: Box::new(Rules::STARTING),
        }
    }

    #[test]
    fn a_day_is_answered_and_stopped_when_nobody_wants_it() {
        let Ok(Some(Answer::EveryInterval { intervals })) = morning().answer(|_| true) else {
            panic!("it is known")
        };
        let level = Rules::STARTING.service_level;
        assert!(intervals.iter().all(|each| each.held_level >= level), "{intervals:?}");
        assert!(intervals.iter().any(|each| each.own_level != each.held_level));
        let mut asked = 0;
        let stopped = morning().answer(|tries| {
            asked = tries;
            tries < 3
        });
        assert_eq!((stopped, asked), (Ok(None), 3));
    }

    #[test]
    fn what_is_not_known_is_said_and_questions_survive_their_kept_form() {
        let Question::EveryInterval { loads, own, interval_secs, .. } = morning() else { return };
        let rules = Box::new(Rules { answer_secs: Some(20.0), ..Rules::STARTING });
        let question = Question::EveryInterval { loads, own, interval_secs, rules };
        assert_eq!(question.answer(|_| true), Ok(Some(Answer::Unknown)));
        let kept = serde_json::to_string(&question).unwrap();
        assert_eq!(serde_json::from_str::<Question>(&kept).unwrap(), question);
    }
}
