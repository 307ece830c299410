//! What the search finds beside the optimum, on centres that are small enough for every design to be tried: twenty seeds
//! each. The optimum is known from enumeration on days of its own, by code that shares nothing with the search.

#[path = "../tests/found/fixture.rs"]
mod fixture;

use std::time::Instant;

use barometer_search::{Block, Claim, Promise, Question, search};
use barometer_simulate::TypeTally;
use fixture::{n_design, on_share_of_days, one_team, question, with_luck};

/// Days of the enumeration: few, then more for what does not fail by far, then all.
const STAGES: [(u32, f64); 4] = [(100, 0.1), (500, 0.04), (4_000, 0.012), (40_000, 0.0)];
const SEEDS: u64 = 20;
const WITHIN: f64 = 0.01;

fn main() {
    println!(
        "instance                      numbers  designs  optimum  within 1 %  worst   proven  wrong claims  s each"
    );
    let usual = |question: Question| {
        let about = Question::about(question.base.clone());
        Question {
            days: about.days,
            fresh_days: about.fresh_days,
            most_days: about.most_days,
            ..question
        }
    };
    let half_hours = Question { block_intervals: 1, ..question(one_team(), 3, 11, &[1.0]) };
    let every = Question { promise: Promise::InEveryInterval, ..half_hours.clone() };
    let instances = [
        ("one team, hours", question(one_team(), 3, 11, &[1.0])),
        ("one team, half-hours", half_hours),
        ("one team, every half-hour", every),
        ("two teams, one helps", question(n_design(), 3, 11, &[1.0, 1.3])),
        ("two teams, helper at 1.0", question(n_design(), 3, 11, &[1.0, 1.0])),
        ("days a fifth up or down", question(with_luck(n_design()), 3, 12, &[1.0, 1.3])),
        (
            "9 of 10 such days",
            on_share_of_days(question(with_luck(one_team()), 3, 14, &[1.0]), 0.9),
        ),
    ];
    let wanted = std::env::args().skip(1).find(|argument| !argument.starts_with('-'));
    for (name, question) in instances {
        if wanted.as_ref().is_some_and(|wanted| !name.contains(wanted.as_str())) {
            continue;
        }
        row(name, &usual(question));
    }
}

fn row(name: &str, question: &Question) {
    let blocks = search(&Question { most_days: 1, ..question.clone() }, |_| None)
        .map(|answer| answer.blocks);
    let blocks = blocks.expect("a question that can be searched");
    let (optimum, designs) = enumerated(question, &blocks);
    let (mut within, mut proven, mut wrong, mut worst) = (0, 0, 0, 0.0_f64);
    let began = Instant::now();
    for seed in 1..=SEEDS {
        let answer = search(&Question { seed, ..question.clone() }, |_| None).expect("an answer");
        let gap = answer.best.cost / optimum - 1.0;
        worst = worst.max(gap.abs());
        within += u32::from(gap.abs() <= WITHIN);
        proven += u32::from(answer.proof.is_some());
        let is_false =
            gap < -1e-9 && answer.claim == Claim::Holds || gap > WITHIN && answer.proof.is_some();
        wrong += u32::from(is_false);
    }
    println!(
        "{name:28}  {:7}  {designs:7}  {optimum:7.2}  {within:4} of {SEEDS}  {:4.1} %  {proven:6}  {wrong:12}  {:6.1}",
        blocks.len(),
        100.0 * worst,
        began.elapsed().as_secs_f64() / SEEDS as f64,
    );
}

/// The least cost with which every target holds, by trying every design from the cheapest on; and how many there are.
fn enumerated(question: &Question, blocks: &[Block]) -> (f64, usize) {
    let mut designs: Vec<Vec<u32>> = vec![Vec::new()];
    for block in blocks {
        let longer = |design: Vec<u32>| {
            (block.least..=block.most).map(move |people| [design.as_slice(), &[people]].concat())
        };
        designs = designs.into_iter().flat_map(longer).collect();
    }
    let cost = |people: &[u32]| -> f64 {
        blocks.iter().zip(people).map(|(block, &count)| block.cost * f64::from(count)).sum()
    };
    designs.sort_by(|a, b| cost(a).total_cmp(&cost(b)));
    let mut missing: Vec<&Vec<u32>> = Vec::new();
    for people in &designs {
        // Nobody is added anywhere to people that were not enough.
        if missing
            .iter()
            .any(|more| people.iter().zip(more.iter()).all(|(one, other)| one <= other))
        {
            continue;
        }
        if STAGES.iter().all(|&(days, under)| standing(question, blocks, people, days) >= -under) {
            return (cost(people), designs.len());
        }
        missing.push(people);
    }
    panic!("no design holds");
}

/// By how much the worst target is over what is asked, in shares of contacts or of days.
fn standing(question: &Question, blocks: &[Block], people: &[u32], days: u32) -> f64 {
    let mut inputs = question.base.clone();
    for (block, &count) in blocks.iter().zip(people) {
        let id = &question.teams[block.knob].team;
        let team = inputs.teams.iter_mut().find(|team| &team.team == id).expect("the block's team");
        team.agents[block.from..block.until].fill(count);
    }
    (inputs.seed, inputs.replications) = (990_077, days);
    let tallies = inputs.experiment().expect("a trial").play_range(0..days).expect("days that end");
    let intervals = inputs.interval_count();
    // What a target is about on one day: a contact type's contacts, those answered in time, those abandoned; of each interval
    // by itself where that is promised.
    let length = if question.promise == Promise::InEveryInterval { 1 } else { intervals };
    let counted: Vec<Vec<[f64; 3]>> = tallies
        .iter()
        .map(|day| {
            let cells = day.types[..inputs.types.len() * intervals].chunks(length);
            let sum = |cells: &[_]| cells.iter().map(counts).fold([0.0; 3], added);
            cells.map(sum).collect()
        })
        .collect();
    let over = |(nth, [contacts, in_time, abandoned]): (usize, [f64; 3])| {
        let rules = &inputs.types[nth * length / intervals].rules;
        if contacts <= 0.0 {
            return 1.0;
        }
        let left = rules.abandonment.map_or(1.0, |most| most - abandoned / contacts);
        left.min(in_time / contacts - rules.service_level)
    };
    if let Promise::OnShareOfDays(share) = question.promise {
        let holds =
            |day: &&Vec<[f64; 3]>| day.iter().copied().enumerate().all(|each| over(each) >= 0.0);
        return counted.iter().filter(holds).count() as f64 / counted.len() as f64 - share;
    }
    let sums =
        (0..counted[0].len()).map(|nth| counted.iter().map(|day| day[nth]).fold([0.0; 3], added));
    sums.enumerate().map(over).fold(1.0, f64::min)
}

fn counts(cell: &TypeTally) -> [f64; 3] {
    [cell.offered, cell.answered_in_time, cell.abandoned]
}

fn added(one: [f64; 3], other: [f64; 3]) -> [f64; 3] {
    std::array::from_fn(|at| one[at] + other[at])
}
