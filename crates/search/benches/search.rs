//! How long a search takes, and what it finds beside simple rules: each queue by Erlang alone, all people pooled, and the
//! square-root rule. Whether the people of a rule hold is simulated like what the search finds.

use barometer_plan::{
    CoverChoice, CoverInterval, ForecastInterval, IntervalLoad, Rules, TeamPeople, TrialInputs,
    TrialOutcome, TypePlan, customers_of, schedule,
};
use barometer_search::{Question, search};
use barometer_strategy::{Duration, Skill, Strategy};
use jiff::civil::{Date, DateTime, date};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

const SECS: f64 = 1800.0;
const RULES: Rules = Rules { occupancy: None, ..Rules::STARTING };

/// Half-hours of a day.
const INTERVALS: usize = 20;

/// Contact types with their loads, and teams of which each answers its own calls and some others.
struct Shape {
    name: &'static str,
    /// Agents that each type is busy with on average, by half-hour.
    loads: Vec<Vec<f64>>,
    /// Types that each team answers beside its own.
    helps: Vec<Vec<usize>>,
}

/// Loads that rise and fall by a third, each type at another hour, so that teams can help each other.
fn loads(of: &[f64]) -> Vec<Vec<f64>> {
    let wave = |nth: usize, at: usize| 1.0 + 0.33 * ((at + 5 * nth) as f64 / 3.0).sin();
    let of_type = |(nth, mean): (usize, &f64)| {
        (0..INTERVALS).map(|at| mean * wave(nth, at)).collect::<Vec<f64>>()
    };
    of.iter().enumerate().map(of_type).collect()
}

/// The shapes that the literature tries: two skills with one team that helps, a team for two types between two others, rings of teams
/// that each help the next, and one in which a single team answers everything.
fn shapes() -> Vec<Shape> {
    let ring = |types: usize| (0..types).map(|nth| vec![(nth + 1) % types]).collect();
    vec![
        Shape { name: "N, 2 skills", loads: loads(&[30.0, 20.0]), helps: vec![vec![], vec![0]] },
        Shape {
            name: "W, 3 skills",
            loads: loads(&[25.0, 20.0, 25.0]),
            helps: vec![vec![], vec![0, 2], vec![]],
        },
        Shape { name: "ring, 4 skills", loads: loads(&[25.0; 4]), helps: ring(4) },
        Shape { name: "ring, 6 skills", loads: loads(&[26.0; 6]), helps: ring(6) },
        Shape {
            name: "one for all, 6",
            loads: loads(&[20.0; 6]),
            helps: vec![vec![], vec![], vec![], vec![], vec![], vec![0, 1, 2, 3, 4]],
        },
    ]
}

/// Seconds that a contact takes.
const HANDLE_SECS: f64 = 300.0;

fn starts() -> impl Iterator<Item = Timestamp> {
    let opening: Timestamp = "2026-11-28T08:00:00Z".parse().expect("a time");
    (0..INTERVALS as i64).map(move |at| opening + (30 * at).minutes())
}

/// The forecast of a load.
fn forecast(load: &[f64]) -> Vec<ForecastInterval> {
    let interval = |(start, load): (Timestamp, &f64)| ForecastInterval {
        start,
        load: IntervalLoad { contacts: load * SECS / HANDLE_SECS, handle_secs: HANDLE_SECS },
    };
    starts().zip(load).map(interval).collect()
}

impl Shape {
    /// The trial with each queue staffed by Erlang alone.
    fn trial(&self) -> TrialInputs {
        let names: Vec<String> = (1..=self.loads.len()).map(|nth| format!("Type {nth}")).collect();
        let parts = names.iter().map(|name| (name.clone(), Strategy::plain(name)));
        let mut strategy = Strategy::joined("Centre", parts);
        for (team, helps) in strategy.teams.iter_mut().zip(&self.helps) {
            let skills = helps.iter().map(|&of| Skill { skill: names[of].clone(), level: None });
            team.skills.extend(skills);
        }
        let plan = |(name, load): (&String, &Vec<f64>)| TypePlan {
            name: name.clone(),
            rules: RULES,
            customers: customers_of(&RULES, &Duration::exponential(1.0)),
            interval_secs: SECS,
            plan: schedule(&forecast(load), &[], SECS, &RULES).expect("a need"),
            luck: None,
            arrivals: Default::default(),
        };
        let plans: Vec<TypePlan> = names.iter().zip(&self.loads).map(plan).collect();
        let people = TeamPeople::of(CoverChoice::Need);
        TrialInputs::of_centre(strategy, &TimeZone::UTC, &plans, &people).expect("a trial")
    }

    /// The need of all loads together as if everybody answered everything, shared among the teams by their loads.
    fn pooled(&self) -> Vec<Vec<u32>> {
        let sum = |at: usize| self.loads.iter().map(|load| load[at]).sum::<f64>();
        let sums: Vec<f64> = (0..INTERVALS).map(sum).collect();
        let need = schedule(&forecast(&sums), &[], SECS, &RULES).expect("a need");
        let mut people = vec![vec![0; INTERVALS]; self.loads.len()];
        for (at, (planned, sum)) in need.iter().zip(&sums).enumerate() {
            let mut left = planned.assessment.need;
            let mut load_left = *sum;
            for (team, load) in people.iter_mut().zip(&self.loads) {
                team[at] = (f64::from(left) * load[at] / load_left.max(1e-9)).round() as u32;
                (left, load_left) = (left - team[at].min(left), load_left - load[at]);
            }
        }
        people
    }

    /// For each queue as many as are busy on average and the square root of that.
    fn square_root(&self) -> Vec<Vec<u32>> {
        let people = |load: &f64| (load + load.sqrt()).ceil() as u32;
        self.loads.iter().map(|load| load.iter().map(people).collect()).collect()
    }
}

/// Agent-hours of a trial's people, with a star where its targets do not hold on average over 400 days.
fn told(inputs: &TrialInputs) -> String {
    let mut inputs = inputs.clone();
    (inputs.seed, inputs.replications) = (71, 400);
    let summary = inputs.experiment().expect("a trial").play_part(0..400).expect("days that end");
    let people: u32 = inputs.teams.iter().flat_map(|team| &team.agents).sum();
    let star = if TrialOutcome::of(&summary).holds_on_average(&inputs) { ' ' } else { '*' };
    format!("{:.1}{star}", f64::from(people) * SECS / 3600.0)
}

fn with_people(base: &TrialInputs, people: Vec<Vec<u32>>) -> TrialInputs {
    let mut inputs = base.clone();
    inputs.teams.iter_mut().zip(people).for_each(|(team, people)| team.agents = people);
    inputs
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
        "instance         knobs  Erlang, h  pooled, h  square root, h  search, h   bound, h     days  seconds  claim    (* does not hold)"
    );
    let wanted = std::env::args().skip(1).find(|argument| !argument.starts_with('-'));
    let is_wanted =
        |name: &str| wanted.as_ref().is_none_or(|wanted| name.contains(wanted.as_str()));
    for shape in shapes().iter().filter(|shape| is_wanted(shape.name)) {
        let base = shape.trial();
        let pooled = told(&with_people(&base, shape.pooled()));
        let square_root = told(&with_people(&base, shape.square_root()));
        row(shape.name, base, &pooled, &square_root);
    }
    if is_wanted("Saturday") {
        row("Saturday", saturday(), "-", "-");
    }
}

fn row(name: &str, inputs: TrialInputs, pooled: &str, square_root: &str) {
    let erlang = told(&inputs);
    let question = Question::about(inputs);
    let began = std::time::Instant::now();
    let answer = search(&question, |_| None).expect("an answer");
    let bound = answer.bound.map_or("-".to_owned(), |bound| format!("{bound:.1}"));
    println!(
        "{name:15}  {:5}  {erlang:>9}  {pooled:>9}  {square_root:>14}  {:9.1}  {bound:>9}  {:7}  {:7.1}  {:?}",
        answer.blocks.len(),
        answer.best.cost,
        answer.days,
        began.elapsed().as_secs_f64(),
        answer.claim,
    );
}
