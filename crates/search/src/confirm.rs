//! The test on fresh days: what the search optimised on its own days, others must confirm.

use barometer_plan::TrialInputs;

use crate::answer::{DesignFigures, GoalAnswer};
use crate::budget::Bench;
use crate::design::Design;
use crate::error::SearchError;
use crate::goal::{Goal, ONE_SIDED};
use crate::play::Days;
use crate::target::{Promise, Share, Target};

/// Tests before a search gives up: each on days of its own.
pub(crate) const TESTS: u32 = 5;

/// Two-sided normal quantile of 5 %.
const TWO_SIDED: f64 = 1.96;

/// Seeds of tests lie this far from the search's and from each other's.
const SEED_STEP: u64 = 1_000_003;

/// A design on fresh days.
pub(crate) struct Tested {
    pub days: Days,
    pub figures: DesignFigures,
    /// By goal, by how much it falls short of being sure: in score, or in share of days.
    pub shortfalls: Vec<f64>,
}

/// Plays a design on the fresh days of the nth test. A test is never left out: it costs no budget.
pub(crate) fn test(bench: &Bench<'_>, design: &Design, nth: u32) -> Result<Tested, SearchError> {
    let question = bench.question;
    let mut inputs: TrialInputs =
        design.inputs(question, bench.blocks).map_err(SearchError::Setting)?;
    inputs.seed = seed_of(question.seed, nth);
    let days = Days::play(&inputs, question, 0..question.fresh_days)?;
    let shortfalls = bench.goals.all.iter().map(|goal| shortfall(bench, goal, &days)).collect();
    Ok(Tested { figures: figures(bench, design, &days), shortfalls, days })
}

/// The trial that the search begins from, unchanged, on the fresh days of the nth test; its hours are those of the
/// teams that may change.
pub(crate) fn test_base(
    bench: &Bench<'_>,
    start: &Design,
    nth: u32,
) -> Result<DesignFigures, SearchError> {
    let question = bench.question;
    let mut inputs = question.base.clone();
    (inputs.seed, inputs.precision) = (seed_of(question.seed, nth), None);
    let days = Days::play(&inputs, question, 0..question.fresh_days)?;
    let hours_of_interval = inputs.interval_secs / 3600.0;
    let (mut cost, mut hours) = (days.priced(), 0.0);
    for knob in &question.teams {
        let team = inputs.teams.iter().find(|team| team.team == knob.team);
        let people: u32 = team.map_or(0, |team| team.agents.iter().sum());
        hours += hours_of_interval * f64::from(people);
        cost += knob.cost_per_hour * hours_of_interval * f64::from(people);
    }
    Ok(DesignFigures { cost, hours, ..figures(bench, start, &days) })
}

fn seed_of(seed: u64, nth: u32) -> u64 {
    seed.wrapping_add(SEED_STEP * (u64::from(nth) + 1))
}

fn shortfall(bench: &Bench<'_>, goal: &Goal, days: &Days) -> f64 {
    let asked = match bench.question.promise {
        Promise::OnShareOfDays(share) => share,
        Promise::OnAverage | Promise::InEveryInterval => 1.0,
    };
    let (over, error) = standing(goal, asked, days);
    (ONE_SIDED * error - over).max(0.0)
}

/// By how much a goal is over what is asked (negative: under), and the standard error of that: in score, or, of goals that
/// must hold on a share of days, in share of days.
pub(crate) fn standing(goal: &Goal, share: f64, days: &Days) -> (f64, f64) {
    match goal {
        Goal::Mean(target) => {
            let (got, error) = ratio(days, target);
            (target.score(Share { top: got, bottom: 1.0 }), error)
        }
        Goal::Often(_) | Goal::Together(_) => {
            let (held, error) = share_of_days(goal, days);
            (held - share, error)
        }
    }
}

/// A share over all days and its standard error (delta method for a ratio of sums).
pub(crate) fn ratio(days: &Days, target: &Target) -> (f64, f64) {
    let n = days.count() as f64;
    let whole = days.whole(target);
    if whole.bottom <= 0.0 {
        return (target.wanted, 0.0);
    }
    let got = whole.top / whole.bottom;
    let squares: f64 = (0..days.count())
        .map(|day| {
            let share = days.of_day(target, day);
            (share.top - got * share.bottom).powi(2)
        })
        .sum();
    (got, (squares / (n - 1.0) * n).sqrt() / whole.bottom)
}

/// The share of days on which a goal holds, and its standard error; of a share near 0 or 1 that of
/// Agresti and Coull (1998), which is never nothing.
fn share_of_days(goal: &Goal, days: &Days) -> (f64, f64) {
    let n = days.count() as f64;
    let held = goal.by_day(days).iter().filter(|score| **score >= 0.0).count() as f64;
    let adjusted = (held + 2.0) / (n + 4.0);
    (held / n, (adjusted * (1.0 - adjusted) / (n + 4.0)).sqrt())
}

/// All targets of contact types over a whole day, as one goal.
pub(crate) fn every_contact_target(bench: &Bench<'_>) -> Goal {
    Goal::Together(bench.goals.contacts.clone())
}

/// What the goals come to; of the intervals of a target only the worst.
fn figures(bench: &Bench<'_>, design: &Design, days: &Days) -> DesignFigures {
    let single = bench.goals.all.iter().filter_map(Goal::single);
    let mut goals: Vec<GoalAnswer> = Vec::new();
    for target in single {
        let answer = goal_answer(target, days);
        match goals.iter_mut().find(|known| known.is_of(target)) {
            Some(known) if answer.score() < known.score() => *known = answer,
            Some(_) => {}
            None => goals.push(answer),
        }
    }
    let (days_held, error) = share_of_days(&every_contact_target(bench), days);
    DesignFigures {
        design: design.clone(),
        cost: bench.cost(design, days),
        priced: days.priced(),
        hours: design.hours(bench.blocks),
        goals,
        days_held,
        days_held_half_width: TWO_SIDED * error,
    }
}

fn goal_answer(target: &Target, days: &Days) -> GoalAnswer {
    let (got, error) = ratio(days, target);
    GoalAnswer {
        of: target.name(),
        measure: target.measure,
        interval: target.interval,
        wanted: target.wanted,
        got,
        half_width: TWO_SIDED * error,
        days_held: share_of_days(&Goal::Often(*target), days).0,
        price_per_point: 0.0,
    }
}
