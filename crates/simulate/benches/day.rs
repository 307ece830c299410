//! Simulated days beside an event loop written for one model alone, and what the general engine adds.

use std::collections::{BinaryHeap, VecDeque};
use std::hint::black_box;

use barometer_simulate::{
    Arrivals, Cover, Demand, DemandInterval, Experiment, People, Summary, TeamCover, TypeDemand,
};
use barometer_strategy::{Customers, Next, Queue, Step, StepKind, Strategy, Team};
use barometer_timing::{compare, measure};
use rand::SeedableRng;
use rand_distr::{Distribution, Exp1};
use rand_xoshiro::Xoshiro256PlusPlus;

const MINUTE: f64 = 60.0;
const DAY_MINUTES: f64 = 600.0;
const PER_MINUTE: f64 = 4.0;
const HANDLE_SECS: f64 = 300.0;
const PATIENCE_SECS: f64 = 180.0;
const AGENTS: u32 = 22;
const DAYS: u32 = 200;

/// What a loop is measured by: answered, abandoned, answered within 20 s, seconds waited.
type Counts = (u64, u64, u64, f64);

/// Where the loop keeps what is to come.
trait Heap: Default {
    fn push(&mut self, event: u128);
    fn first(&self) -> u128;
    fn pop(&mut self);
}

#[derive(Default)]
struct Standard(BinaryHeap<std::cmp::Reverse<u128>>);

impl Heap for Standard {
    fn push(&mut self, event: u128) {
        self.0.push(std::cmp::Reverse(event));
    }
    fn first(&self) -> u128 {
        self.0.peek().map_or(u128::MAX, |event| event.0)
    }
    fn pop(&mut self) {
        self.0.pop();
    }
}

#[derive(Default)]
struct Quaternary(Vec<u128>);

impl Heap for Quaternary {
    fn push(&mut self, event: u128) {
        let mut at = self.0.len();
        self.0.push(event);
        while at > 0 && self.0[(at - 1) / 4] > event {
            self.0[at] = self.0[(at - 1) / 4];
            at = (at - 1) / 4;
        }
        self.0[at] = event;
    }
    fn first(&self) -> u128 {
        self.0.first().copied().unwrap_or(u128::MAX)
    }
    fn pop(&mut self) {
        let Some(last) = self.0.pop() else { return };
        let (mut at, len) = (0, self.0.len());
        if len == 0 {
            return;
        }
        loop {
            let first = 4 * at + 1;
            let (least, child) = match self.0.get(first..first + 4) {
                Some(&[a, b, c, d]) => {
                    let (left, left_at) = if b < a { (b, first + 1) } else { (a, first) };
                    let (right, right_at) = if d < c { (d, first + 3) } else { (c, first + 2) };
                    if right < left { (right, right_at) } else { (left, left_at) }
                }
                _ => match (first..len).map(|child| (self.0[child], child)).min() {
                    Some(least) => least,
                    None => break,
                },
            };
            if least >= last {
                break;
            }
            self.0[at] = least;
            at = child;
        }
        self.0[at] = last;
    }
}

/// One day of M/M/22+M and nothing else: two kinds of events, a ring of waiting calls, no agents by
/// name, no intervals.
fn hand_tuned_day<H: Heap>(rng: &mut Xoshiro256PlusPlus) -> Counts {
    const ENDS: u128 = 1 << 63;
    let mut draw = |mean: f64| -> f64 {
        let unit: f64 = Exp1.sample(rng);
        unit * mean
    };
    let event = |at: f64, what: u128| (u128::from(at.to_bits()) << 64) | what;
    let mut heap = H::default();
    // The line: when each came; a call that has left is a negative time. Those before `head` are gone.
    let (mut line, mut head, mut waiting): (VecDeque<f64>, u64, u32) = (VecDeque::new(), 0, 0);
    let (mut answered, mut abandoned, mut in_time, mut waited) = (0, 0, 0, 0.0);
    let mut busy = 0;
    let gap = MINUTE / PER_MINUTE;
    let mut arrival = draw(gap);
    loop {
        let first = heap.first();
        let planned = f64::from_bits((first >> 64) as u64);
        if arrival < DAY_MINUTES * MINUTE && (first == u128::MAX || arrival < planned) {
            if busy < AGENTS {
                busy += 1;
                answered += 1;
                in_time += 1;
                heap.push(event(arrival + draw(HANDLE_SECS), ENDS));
            } else {
                heap.push(event(
                    arrival + draw(PATIENCE_SECS),
                    u128::from(head + line.len() as u64),
                ));
                line.push_back(arrival);
                waiting += 1;
            }
            arrival += draw(gap);
            continue;
        }
        if first == u128::MAX {
            break;
        }
        heap.pop();
        let what = first as u64;
        if what == ENDS as u64 {
            if waiting == 0 {
                busy -= 1;
                head += line.len() as u64;
                line.clear();
                continue;
            }
            while let Some(came) = line.pop_front() {
                head += 1;
                if came >= 0.0 {
                    waiting -= 1;
                    answered += 1;
                    in_time += u64::from(planned - came <= 20.0);
                    waited += planned - came;
                    heap.push(event(planned + draw(HANDLE_SECS), ENDS));
                    break;
                }
            }
        } else if let Some(place) = what.checked_sub(head)
            && let Some(came) = line.get_mut(place as usize)
            && *came >= 0.0
        {
            waited += planned - *came;
            *came = -1.0;
            waiting -= 1;
            abandoned += 1;
        }
    }
    (answered, abandoned, in_time, waited)
}

fn hand_tuned<H: Heap>() -> Counts {
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(1);
    (0..DAYS).map(|_| hand_tuned_day::<H>(&mut rng)).fold((0, 0, 0, 0.0), |sum, day| {
        (sum.0 + day.0, sum.1 + day.1, sum.2 + day.2, sum.3 + day.3)
    })
}

fn one_line(replications: u32) -> Experiment {
    let demand = Demand {
        start: jiff::Timestamp::UNIX_EPOCH,
        zone: jiff::tz::TimeZone::UTC,
        interval_secs: 1800.0,
        types: vec![type_demand("Calls", PER_MINUTE * 30.0, 20)],
    };
    let cover = Cover { teams: vec![team_cover("team", vec![AGENTS; 20])] };
    Experiment::new(&Strategy::plain("Bench"), &demand, &cover, replications, 1)
        .expect("a playable experiment")
}

fn type_demand(name: &str, contacts: f64, intervals: usize) -> TypeDemand {
    TypeDemand {
        name: name.to_owned(),
        customers: Customers::calls(HANDLE_SECS, Some(PATIENCE_SECS)),
        within_secs: 20.0,
        intervals: vec![DemandInterval { contacts, handle_secs: HANDLE_SECS }; intervals],
        arrivals: Arrivals::Random,
        luck: None,
    }
}

fn team_cover(team: &str, agents: Vec<u32>) -> TeamCover {
    TeamCover { team: team.to_owned(), people: People::Counted(agents) }
}

/// Seven queues with a team each, of which every second one helps out in the next queue; open ten
/// hours on seven days.
fn week(replications: u32) -> Experiment {
    let mut strategy = Strategy::plain("Bench");
    (strategy.entries, strategy.steps, strategy.teams) = (Vec::new(), Vec::new(), Vec::new());
    let (mut types, mut teams) = (Vec::new(), Vec::new());
    // 48 half-hours a day, of which 20 are open.
    let open = |count: u32| -> Vec<u32> {
        (0..7 * 48).map(|half| if (16..36).contains(&(half % 48)) { count } else { 0 }).collect()
    };
    for (nth, agents) in [14, 12, 10, 8, 7, 5, 4].into_iter().enumerate() {
        let (queue, team) = (format!("queue{nth}"), format!("team{nth}"));
        let mut waits = Queue { longest_wait_secs: Some(600.0), ..Queue::default() };
        waits.need.skills =
            vec![barometer_strategy::WantedSkill { skill: format!("s{nth}"), at_least: None }];
        strategy.steps.push(Step {
            id: queue.clone(),
            name: queue.clone(),
            does: StepKind::Queue(waits),
        });
        strategy.entries.push(barometer_strategy::Entry::named(
            &queue,
            vec![queue.clone()],
            Next::step(&queue),
        ));
        let mut people = Team::named(&team, &team);
        let skills = [nth, (nth + nth % 2) % 7].map(|nth| format!("s{nth}"));
        people.skills = skills
            .into_iter()
            .map(|skill| barometer_strategy::Skill { skill, level: None })
            .collect();
        strategy.teams.push(people);
        let mut demand = type_demand(&queue, 0.0, 7 * 48);
        for (interval, &open) in demand.intervals.iter_mut().zip(&open(agents)) {
            interval.contacts = f64::from(open) * 0.85 * 1800.0 / HANDLE_SECS;
        }
        types.push(demand);
        teams.push(team_cover(&team, open(agents)));
    }
    let demand = Demand {
        start: jiff::Timestamp::UNIX_EPOCH,
        zone: jiff::tz::TimeZone::UTC,
        interval_secs: 1800.0,
        types,
    };
    Experiment::new(&strategy, &demand, &Cover { teams }, replications, 1)
        .expect("a playable experiment")
}

/// Plays in parts, as a worker does, so that memory does not grow with replications.
fn trial(experiment: &Experiment) -> Summary {
    let mut summary = experiment.summary();
    let mut from = 0;
    while from < experiment.replications() {
        let until = (from + 50).min(experiment.replications());
        let days = experiment.play_range(from..until).expect("an end");
        days.iter().for_each(|day| summary.add(day));
        from = until;
    }
    summary
}

fn one_core() -> rayon::ThreadPool {
    rayon::ThreadPoolBuilder::new().num_threads(1).build().expect("a thread")
}

fn main() {
    let calls = f64::from(DAYS) * PER_MINUTE * DAY_MINUTES;
    println!(
        "{DAYS} days of {AGENTS} agents, {PER_MINUTE} calls a minute for ten hours: {calls} calls"
    );
    let experiment = one_line(DAYS);
    let (single, engine) = (one_core(), || trial(&experiment));
    compare(
        "The engine beside a 4-ary heap for this model alone, one core",
        || black_box(hand_tuned::<Quaternary>()),
        || single.install(engine),
    );
    compare(
        "The engine beside the standard heap, one core",
        || black_box(hand_tuned::<Standard>()),
        || single.install(engine),
    );
    compare("The engine on all cores beside itself on one", || single.install(engine), engine);
    let week = week(200);
    measure("200 weeks of 7 queues and 60 agents, all cores", || trial(&week));
    let thousand = one_line(1000);
    measure("1000 days of the first kind, all cores", || trial(&thousand));
}
