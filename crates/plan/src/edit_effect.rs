//! What an edit of a strategy does to a day: the same days with and without it.

use barometer_simulate::{DayTally, TypeTally};
use barometer_strategy::Edit;
use serde::{Deserialize, Serialize};

use crate::TrialInputs;
use crate::spread::mean_and_half_width;

/// Days that are played at a time, between two looks whether anybody still wants the answer.
const AT_A_TIME: u32 = 8;

/// By how much a count of contacts a day differs: with the edit less without it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Difference {
    /// On average over the days.
    pub mean: f64,
    /// Half the width of its 95 % confidence interval.
    pub half_width: f64,
}

impl Difference {
    fn of(days: &[f64]) -> Self {
        let (mean, half_width) = mean_and_half_width(days);
        Self { mean, half_width }
    }

    /// Whether it is more than luck.
    pub fn is_told(&self) -> bool {
        self.mean.abs() > self.half_width
    }
}

/// What an edit does to contacts of a day.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct EditEffect {
    /// The contact type; empty for all of them together.
    pub name: String,
    /// Contacts a day, without the edit.
    pub contacts: f64,
    /// Contacts that are answered within the threshold of their type.
    pub in_time: Difference,
    /// Contacts that abandon, get the busy tone, are released, are never answered or are cut off.
    pub lost: Difference,
}

/// Steps that [`effect_of_edit`] takes.
pub(crate) fn steps(inputs: &TrialInputs) -> u32 {
    2 * inputs.replications
}

/// What an edit does, of all contact types together first, then of each; `goes_on` is told how many days are played,
/// and `None` comes where it says no. The days with the edit have the luck of those without it.
///
/// # Errors
///
/// Why one of the strategies cannot be played, as people read it.
pub(crate) fn effect_of_edit(
    inputs: &TrialInputs,
    edit: &Edit,
    goes_on: &mut dyn FnMut(u32) -> bool,
) -> Result<Option<Vec<EditEffect>>, String> {
    let mut edited = inputs.clone();
    edited.strategy = edit.apply(&inputs.strategy).map_err(|faults| {
        let told: Vec<String> = faults.into_iter().map(|fault| fault.message).collect();
        told.join("; ")
    })?;
    let Some(without) = days_of(inputs, goes_on)? else { return Ok(None) };
    let Some(with) = days_of(&edited, &mut |done| goes_on(inputs.replications + done))? else {
        return Ok(None);
    };
    let names = inputs.types.iter().map(|each| Some(each.name.as_str()));
    let all = std::iter::once(None).chain(names).enumerate();
    Ok(Some(all.map(|(at, name)| effect(name.unwrap_or(""), at, &without, &with)).collect()))
}

/// Of each day: all contact types together, then each.
type Days = Vec<Vec<TypeTally>>;

fn days_of(
    inputs: &TrialInputs,
    goes_on: &mut dyn FnMut(u32) -> bool,
) -> Result<Option<Days>, String> {
    let (experiment, replications) = (inputs.experiment(), inputs.replications);
    let experiment = experiment.map_err(|error| error.to_string())?;
    let mut days = Vec::new();
    for from in (0..replications).step_by(AT_A_TIME as usize) {
        if !goes_on(from) {
            return Ok(None);
        }
        let played = experiment.play_range(from..(from + AT_A_TIME).min(replications));
        let played = played.map_err(|error| error.to_string())?;
        days.extend(played.iter().map(|day: &DayTally| {
            std::iter::once(day.total()).chain(day.kinds()).collect::<Vec<TypeTally>>()
        }));
    }
    Ok(Some(days))
}

fn lost(of: &TypeTally) -> f64 {
    of.abandoned + of.blocked + of.released + of.left_waiting + of.cut_off
}

fn effect(name: &str, at: usize, without: &Days, with: &Days) -> EditEffect {
    let difference = |count: &dyn Fn(&TypeTally) -> f64| {
        let days = without.iter().zip(with);
        let days: Vec<f64> = days
            .filter_map(|(one, other)| Some(count(other.get(at)?) - count(one.get(at)?)))
            .collect();
        Difference::of(&days)
    };
    let offered: f64 = without.iter().filter_map(|day| Some(day.get(at)?.offered)).sum();
    EditEffect {
        name: name.to_owned(),
        contacts: offered / without.len().max(1) as f64,
        in_time: difference(&|tally| tally.answered_in_time),
        lost: difference(&lost),
    }
}

#[cfg(test)]
mod tests {
    use barometer_simulate::{Arrivals, DemandInterval};
    use barometer_strategy::{Customers, PartId, Strategy};
    use serde_json::json;

    use super::*;
    use crate::{Answer, Question, Rules, TrialTeam, TrialType};

    /// Two hours of a call a minute for five people, who take four minutes each, with two places to wait.
    fn inputs() -> TrialInputs {
        let mut strategy = Strategy::plain("Calls");
        let barometer_strategy::StepKind::Queue(queue) = &mut strategy.steps[0].does else {
            panic!("a plain strategy is a queue")
        };
        queue.places = Some(2);
        let interval = DemandInterval { contacts: 30.0, handle_secs: 240.0 };
        TrialInputs {
            strategy,
            start: "2026-11-30T09:00:00Z".parse().expect("a moment"),
            zone: "UTC".to_owned(),
            interval_secs: 1800.0,
            types: vec![TrialType {
                name: "Calls".to_owned(),
                rules: Rules::STARTING,
                customers: Customers::calls(240.0, Some(120.0)),
                intervals: vec![interval; 4],
                arrivals: Arrivals::Random,
                luck: None,
            }],
            teams: vec![TrialTeam { team: "team".to_owned(), agents: vec![5; 4], occupancy: None }],
            precision: None,
            replications: 24,
            seed: 3,
        }
    }

    fn places(places: serde_json::Value) -> Edit {
        let part = PartId::Step("queue".to_owned());
        Edit::Set { part, setting: "/does/queue/places".to_owned(), to: places }
    }

    #[test]
    fn an_edit_that_changes_nothing_makes_no_difference_and_one_that_lets_callers_in_does() {
        let none = effect_of_edit(&inputs(), &places(json!(2)), &mut |_| true).unwrap().unwrap();
        for effect in &none {
            assert_eq!((effect.in_time.mean, effect.lost.mean), (0.0, 0.0), "{effect:?}");
            assert!(!effect.in_time.is_told() && !effect.lost.is_told());
        }
        let wider =
            effect_of_edit(&inputs(), &places(json!(null)), &mut |_| true).unwrap().unwrap();
        let names: Vec<&str> = wider.iter().map(|effect| effect.name.as_str()).collect();
        assert_eq!(names, ["", "Calls"]);
        assert_eq!(wider[0].in_time, wider[1].in_time, "there is one contact type");
        assert!((100.0..140.0).contains(&wider[0].contacts), "{wider:?}");
        // Nobody gets the busy tone any more: some of those who did are answered, and some hang up.
        assert!(wider[0].lost.is_told() && wider[0].lost.mean < 0.0, "{wider:?}");
    }

    #[test]
    fn the_question_is_answered_stopped_and_refused_in_words() {
        let question =
            Question::Edit { inputs: Box::new(inputs()), edit: Box::new(places(json!(null))) };
        let kept = serde_json::to_string(&question).unwrap();
        assert_eq!(serde_json::from_str::<Question>(&kept).unwrap(), question);
        let mut most = 0;
        let answer = question.answer(|done| {
            most = most.max(done);
            true
        });
        assert!(matches!(answer, Ok(Some(Answer::Edit { effects })) if effects.len() == 2));
        assert!(most < question.steps());
        assert_eq!(question.answer(|done| done < 8), Ok(None));
        let impossible = Question::Edit {
            inputs: Box::new(inputs()),
            edit: Box::new(Edit::Remove(PartId::Step("queue".to_owned()))),
        };
        assert!(impossible.answer(|_| true).is_err());
    }
}
