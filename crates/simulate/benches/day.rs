//! A simulated day beside a plain event loop of the same line.

use std::cmp::Reverse;
use std::collections::{BinaryHeap, VecDeque};

use barometer_simulate::{Demand, DemandInterval, Experiment, Spread, Summary};
use barometer_strategy::Strategy;
use barometer_timing::{compare, measure};
use rand::SeedableRng;
use rand_distr::{Distribution, Exp1};
use rand_xoshiro::Xoshiro256PlusPlus;

const INTERVALS: usize = 28;
const SECS: f64 = 1800.0;
const HANDLE_SECS: f64 = 300.0;
const PATIENCE_SECS: f64 = 180.0;

/// One day with everything in one heap of times: arrivals drawn beforehand, a patience timer for
/// every contact, whole records kept until the end. Returns the share answered within 20 s.
fn plain_day(contacts: f64, agents: u32, rng: &mut Xoshiro256PlusPlus) -> f64 {
    #[derive(PartialEq, Eq, PartialOrd, Ord)]
    enum Event {
        Arrival(usize),
        End,
        Patience(usize),
    }
    struct Contact {
        arrived: f64,
        handle: f64,
        patience: f64,
        waiting: bool,
        answered_after: Option<f64>,
    }
    let mut draw = || -> f64 { Exp1.sample(rng) };
    let mut records = Vec::new();
    let mut at = draw() * SECS / contacts;
    while at < INTERVALS as f64 * SECS {
        let (handle, patience) = (draw() * HANDLE_SECS, draw() * PATIENCE_SECS);
        records.push(Contact {
            arrived: at,
            handle,
            patience,
            waiting: false,
            answered_after: None,
        });
        at += draw() * SECS / contacts;
    }
    // Times in nanoseconds order as the seconds do.
    let nanos = |secs: f64| (secs * 1e9) as u64;
    let mut heap: BinaryHeap<Reverse<(u64, Event)>> = records
        .iter()
        .enumerate()
        .map(|(id, contact)| Reverse((nanos(contact.arrived), Event::Arrival(id))))
        .collect();
    let (mut line, mut busy) = (VecDeque::new(), 0);
    while let Some(Reverse((now, event))) = heap.pop() {
        match event {
            Event::Arrival(id) => {
                records[id].waiting = true;
                line.push_back(id);
                heap.push(Reverse((now + nanos(records[id].patience), Event::Patience(id))));
            }
            Event::End => busy -= 1,
            Event::Patience(id) => records[id].waiting = false,
        }
        while busy < agents {
            let Some(id) = line.pop_front() else { break };
            if records[id].waiting {
                records[id].waiting = false;
                records[id].answered_after = Some(now as f64 / 1e9 - records[id].arrived);
                heap.push(Reverse((now + nanos(records[id].handle), Event::End)));
                busy += 1;
            }
        }
    }
    let in_time = records
        .iter()
        .filter(|contact| contact.answered_after.is_some_and(|waited| waited <= 20.0));
    in_time.count() as f64 / records.len() as f64
}

fn experiment(contacts: f64, agents: u32, replications: u32) -> Experiment {
    let demand = Demand {
        interval_secs: SECS,
        intervals: vec![DemandInterval { contacts, handle_secs: HANDLE_SECS }; INTERVALS],
        handling: Spread::Exponential,
        patience_secs: Some(PATIENCE_SECS),
        luck: None,
    };
    Experiment::new(
        Strategy::plain("Bench"),
        demand,
        vec![agents; INTERVALS],
        20.0,
        replications,
        1,
    )
    .expect("a playable experiment")
}

fn trial(experiment: &Experiment) -> f64 {
    let mut summary = Summary::new(INTERVALS);
    experiment.play_range(0..experiment.replications()).iter().for_each(|day| summary.add(day));
    summary.day().service_level.expect("contacts come").mean
}

fn main() {
    for (contacts, agents) in [(60.0, 12), (600.0, 105)] {
        let per_day = contacts * INTERVALS as f64;
        let one = experiment(contacts, agents, 1);
        let mut rng = Xoshiro256PlusPlus::seed_from_u64(1);
        compare(
            &format!("One day of {per_day:.0} contacts, one core"),
            || plain_day(contacts, agents, &mut rng),
            || one.play(0),
        );
        let many = experiment(contacts, agents, 200);
        let mut rng = Xoshiro256PlusPlus::seed_from_u64(1);
        compare(
            &format!(
                "A trial of 200 such days, {} cores",
                std::thread::available_parallelism().map_or(1, usize::from)
            ),
            || (0..200).map(|_| plain_day(contacts, agents, &mut rng)).sum::<f64>() / 200.0,
            || trial(&many),
        );
    }
    let thousand = experiment(60.0, 12, 1000);
    measure("A trial of 1000 days of 1680 contacts", || trial(&thousand));
}
