//! How long a search takes, and what it finds beside simple rules: each queue by Erlang alone.

use barometer_plan::{
    CoverChoice, CoverInterval, ForecastInterval, IntervalLoad, Rules, TeamPeople, TrialInputs,
    TypePlan, customers_of, schedule,
};
use barometer_search::{Question, search};
use barometer_strategy::{Duration, Skill, Strategy};
use jiff::civil::{Date, DateTime, date};
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

/// The demo's stormy Saturday with all contact types: its expected contacts and its planned cover.
fn saturday() -> TrialInputs {
    const DAY: Date = date(2026, 11, 28);
    let zone = TimeZone::get(barometer_demo::ZONE).expect("the demo's zone");
    let slots = (0..48_i8).map(|half| DAY.at(half / 2, half % 2 * 30, 0, 0));
    let slots: Vec<(DateTime, Timestamp)> = slots
        .map(|at| (at, zone.to_timestamp(at).expect("a Saturday without a change of the clock")))
        .collect();
    let types = barometer_demo::larkhaven().expect("the demo");
    let plans: Vec<TypePlan> = types
        .iter()
        .map(|each| {
            let (character, rules) = (&each.character, each.character.rules);
            let expected = slots.iter().filter_map(|(at, start)| {
                let contacts = character.expected_contacts(*at)?;
                let load = IntervalLoad { contacts, handle_secs: character.handle_secs(*at) };
                Some(ForecastInterval { start: *start, load })
            });
            let forecast: Vec<ForecastInterval> = expected.collect();
            let planned = each.cover.iter().filter(|(at, _)| zone.to_datetime(*at).date() == DAY);
            let cover: Vec<CoverInterval> = planned
                .map(|(start, agents)| CoverInterval { start: *start, agents: *agents })
                .collect();
            TypePlan {
                name: character.name.to_owned(),
                rules,
                customers: customers_of(&rules, &Duration::exponential(1.0)),
                interval_secs: SECS,
                plan: schedule(&forecast, &cover, SECS, &rules).expect("a plan"),
                luck: None,
                arrivals: Default::default(),
            }
        })
        .collect();
    let people = TeamPeople::of(CoverChoice::Planned);
    TrialInputs::of_centre(barometer_demo::strategy(), &zone, &plans, &people).expect("inputs")
}

fn main() {
    println!(
        "instance  knobs  given, h  search, h   bound, h   saved    days     seconds  designs  claim"
    );
    let instances = [("3 types", ring(3)), ("4 types", ring(4)), ("Saturday", saturday())];
    let wanted = std::env::args().skip(1).find(|argument| !argument.starts_with('-'));
    for (name, inputs) in instances {
        if wanted.as_ref().is_some_and(|wanted| !name.contains(wanted.as_str())) {
            continue;
        }
        let question = Question::about(inputs);
        let began = std::time::Instant::now();
        let answer = search(&question, |_| None).expect("an answer");
        let bound = answer.bound.map_or("-".to_owned(), |bound| format!("{bound:.1}"));
        println!(
            "{name:8}  {:5}  {:8.1}  {:9.1}  {bound:>9}  {:5.1} %  {:7}  {:7.1}  {:7}  {:?}",
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
