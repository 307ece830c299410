//! Which settings matter: those that are known to, in the known direction, and no others.

#![cfg(test)]

mod flat_day;

use barometer_plan::{Answer, Question, Rules, Screened, TrialInputs};
use barometer_strategy::Strategy;

use flat_day::flat_day;

/// A day of one queue with room for ten waiting calls, where every agent writes up for a minute.
fn inputs(agents: u32) -> TrialInputs {
    let plain = Strategy::plain("Bookings");
    let numbers = plain.numbers();
    let number = |wanted: &str| numbers.iter().find(|each| each.setting.ends_with(wanted)).unwrap();
    let strategy = number("wrap_up_secs").set(60.0).apply(&plain).unwrap();
    let strategy = number("places").set(10.0).apply(&strategy).unwrap();
    let rules = Rules { occupancy: None, abandonment: None, ..Rules::STARTING };
    flat_day(strategy, rules, "2026-11-28T08:00:00Z", 12, agents)
}

fn screened(inputs: &TrialInputs) -> Vec<Screened> {
    let question = Question::Screening { inputs: Box::new(inputs.clone()) };
    let most = question.steps();
    let answer = question.answer(|done| {
        assert!(done < most, "{done} of {most}");
        true
    });
    let Ok(Some(Answer::Screening { settings })) = answer else { panic!("{answer:?}") };
    settings
}

#[test]
fn wrap_up_matters_most_and_less_of_it_is_better() {
    let found = screened(&inputs(13));
    let first = found.first().unwrap();
    assert!(first.name.contains("wrap up"), "{found:?}");
    assert_eq!(first.now, 60.0);
    let change = |value: f64| first.values.iter().find(|each| each.value == value).unwrap();
    assert!(change(30.0).change > 0.02 && change(30.0).is_told(), "{first:?}");
    assert!(change(120.0).change < -0.05 && change(120.0).is_told(), "{first:?}");
    let effects: Vec<f64> = found.iter().map(Screened::effect).collect();
    assert!(effects.iter().all(|effect| *effect > 0.0), "{effects:?}");
    // What has no effect at all is not named: nobody rings for longer than it takes to answer at once.
    assert!(found.iter().all(|each| !each.name.contains("ring window")), "{found:?}");
}

#[test]
fn with_people_to_spare_nothing_matters_and_a_screening_can_be_stopped() {
    let idle = inputs(60);
    assert!(screened(&idle).iter().all(|each| each.effect() < 0.02), "{:?}", screened(&idle));
    let question = Question::Screening { inputs: Box::new(inputs(13)) };
    assert_eq!(question.answer(|days| days < 30), Ok(None));
    let kept = serde_json::to_string(&question).unwrap();
    assert_eq!(serde_json::from_str::<Question>(&kept).unwrap(), question);
}
