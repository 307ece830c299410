//! How long a search takes, and what it finds beside simple rules: each queue by Erlang alone.

use barometer_plan::{
    CoverChoice, CoverInterval, ForecastInterval, IntervalLoad, Rules, TeamPeople, TrialInputs,
    TypePlan, customers_of, schedule,
};
use barometer_search::{Question, search};
use barometer_strategy::{Duration, Skill, Strategy};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

const SECS: f64 = 1800.0;
const RULES: Rules = Rules { occupancy: None, ..Rules::STARTING };

/// Contact types in a ring: each team also answers the calls of the next one.
fn ring(types: usize) -> TrialInputs {
    let opening: Timestamp = "2026-11-28T08:00:00Z".parse().expect("a time");
    let names: Vec<String> = (0..types).map(|nth| format!("Type {}", nth + 1)).collect();
    let parts = names.iter().map(|name| (name.clone(), Strategy::plain(name)));
    let mut strategy = Strategy::joined("Ring", parts);
    for nth in 0..types {
        let skill = names[(nth + 1) % types].clone();
        strategy.teams[nth].skills.push(Skill { skill, level: None });
    }
    let plans: Vec<TypePlan> = names
        .iter()
        .enumerate()
        .map(|(nth, name)| {
            let contacts = |at: usize| 40.0 + 25.0 * ((at + 3 * nth) as f64 / 3.0).sin();
            let load = |at| IntervalLoad { contacts: contacts(at), handle_secs: 300.0 };
            let start = |at: usize| opening + (30 * at as i64).minutes();
            let forecast: Vec<_> =
                (0..20).map(|at| ForecastInterval { start: start(at), load: load(at) }).collect();
            let cover: Vec<_> =
                (0..20).map(|at| CoverInterval { start: start(at), agents: 9 }).collect();
            TypePlan {
                name: name.clone(),
                rules: RULES,
                customers: customers_of(&RULES, &Duration::exponential(1.0)),
                interval_secs: SECS,
                plan: schedule(&forecast, &cover, SECS, &RULES).expect("a need"),
                luck: None,
                arrivals: Default::default(),
            }
        })
        .collect();
    let people = TeamPeople::of(CoverChoice::Need);
    TrialInputs::of_centre(strategy, &TimeZone::UTC, &plans, &people).expect("a trial")
}

fn main() {
    println!(
        "types  knobs  Erlang alone, h  search, h   bound, h   saved    days     seconds  designs  claim"
    );
    for types in [3, 4] {
        let question = Question::about(ring(types));
        let began = std::time::Instant::now();
        let answer = search(&question, |_| None).expect("an answer");
        let bound = answer.bound.map_or("-".to_owned(), |bound| format!("{bound:.1}"));
        println!(
            "{types:5}  {:5}  {:15.1}  {:9.1}  {bound:>9}  {:5.1} %  {:7}  {:7.1}  {:7}  {:?}",
            answer.blocks.len(),
            answer.start.cost,
            answer.best.cost,
            100.0 * (1.0 - answer.best.cost / answer.start.cost),
            answer.days,
            began.elapsed().as_secs_f64(),
            answer.tried.len(),
            answer.claim,
        );
    }
}
