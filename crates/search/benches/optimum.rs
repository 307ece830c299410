//! What the search finds beside the optimum, on centres that are small enough for every design to be tried: twenty seeds
//! each. The optimum is known from enumeration on days of its own, by code that shares nothing with the search. And whether
//! what searches claim is true, over two hundred of them: each design is played on a million fresh contacts.

#[path = "../tests/found/fixture.rs"]
mod fixture;

use std::collections::HashMap;
use std::time::Instant;

use barometer_plan::{Searchable, TrialInputs};
use barometer_search::{Block, Claim, DayKind, Promise, Question, SettingKnob, search};
use barometer_simulate::TypeTally;
use fixture::{n_design, on_share_of_days, one_team, question, with_luck};

/// Days of the enumeration: few, then more for what does not fail by far, then all.
const STAGES: [(u32, f64); 4] = [(100, 0.1), (500, 0.04), (4_000, 0.012), (40_000, 0.0)];
const SEEDS: u64 = 20;
const WITHIN: f64 = 0.01;

/// Searches whose claims are tested, and contacts on which each is.
const CLAIMS: u64 = 200;
const CONTACTS_OF_A_CLAIM: f64 = 1e6;

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
        ("two teams, may help", with_choice(question(n_design(), 3, 9, &[1.0, 1.3]))),
        ("one team, a storm day too", with_storm(question(one_team(), 3, 15, &[1.0]))),
    ];
    let wanted = std::env::args().skip(1).find(|argument| !argument.starts_with('-'));
    for (name, question) in instances {
        if wanted.as_ref().is_some_and(|wanted| !name.contains(wanted.as_str())) {
            continue;
        }
        row(name, &usual(question));
    }
    if wanted.is_none_or(|wanted| wanted == "claims") {
        claims("one team, hours", &question(one_team(), 3, 11, &[1.0]));
        claims("two teams, one helps", &question(n_design(), 3, 11, &[1.0, 1.3]));
    }
}

/// Whether people of either team answer both, once a contact has waited for a time to be chosen.
fn with_choice(question: Question) -> Question {
    let all = Searchable::all(&question.base.strategy);
    let found = all.iter().find(|each| each.name == "“Groups queue”, asks for less");
    let found = found.expect("a queue that asks for skills");
    let knob = SettingKnob { setting: found.setting.clone(), values: found.other_options() };
    Question { settings: vec![knob], ..question }
}

fn with_storm(question: Question) -> Question {
    let name = "Storm day".to_owned();
    let (volume, absent_share) = (1.4, 0.1);
    let (service_level, abandonment) = (Some(0.7), Some(0.1));
    let storm = DayKind { name, volume, absent_share, service_level, abandonment };
    Question { day_kinds: vec![storm], ..question }
}

/// Of many searches, how many claim that every target holds, and how many of these are wrong on a million contacts.
fn claims(name: &str, question: &Question) {
    let contacts: f64 =
        question.base.types.iter().flat_map(|each| &each.intervals).map(|each| each.contacts).sum();
    let days = (CONTACTS_OF_A_CLAIM / contacts).ceil() as u32;
    let mut known: HashMap<Vec<u32>, bool> = HashMap::new();
    let (mut claimed, mut wrong) = (0, 0);
    for seed in 1..=CLAIMS {
        let answer = search(&Question { seed, ..question.clone() }, |_| None).expect("an answer");
        if answer.claim != Claim::Holds {
            continue;
        }
        claimed += 1;
        let people = &answer.best.design.people;
        let holds = *known.entry(people.clone()).or_insert_with(|| {
            standing(question, &question.base, &answer.blocks, people, days) >= 0.0
        });
        wrong += u32::from(!holds);
    }
    println!(
        "{name:28}  {claimed} of {CLAIMS} searches claim that every target holds; {wrong} of them are wrong on {days} days"
    );
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

/// The least cost with which every target holds, by trying every design from the cheapest on with every value of a setting;
/// and how many there are.
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
    let mut bases = vec![question.base.clone()];
    for knob in &question.settings {
        let set = |base: &TrialInputs, value| knob.setting.set(base, value).expect("a value");
        let others =
            knob.values.iter().flat_map(|&value| bases.iter().map(move |base| set(base, value)));
        let others: Vec<TrialInputs> = others.collect();
        bases.extend(others);
    }
    let cheapest = |base: &TrialInputs| {
        let mut missing: Vec<&Vec<u32>> = Vec::new();
        for people in &designs {
            // Nobody is added anywhere to people that were not enough.
            let has_no_more =
                |more: &&Vec<u32>| people.iter().zip(more.iter()).all(|(one, other)| one <= other);
            if missing.iter().any(has_no_more) {
                continue;
            }
            let holds = |&(days, under): &(u32, f64)| {
                standing(question, base, blocks, people, days) >= -under
            };
            if STAGES.iter().all(holds) {
                return cost(people);
            }
            missing.push(people);
        }
        f64::INFINITY
    };
    let optimum = bases.iter().map(cheapest).fold(f64::INFINITY, f64::min);
    assert!(optimum.is_finite(), "no design holds");
    (optimum, designs.len() * bases.len())
}

/// By how much the worst target is over what is asked, in shares of contacts or of days, on the trial's own days and on every
/// other kind of them.
fn standing(
    question: &Question,
    base: &TrialInputs,
    blocks: &[Block],
    people: &[u32],
    days: u32,
) -> f64 {
    let mut inputs = base.clone();
    for (block, &count) in blocks.iter().zip(people) {
        let id = &question.teams[block.knob].team;
        let team = inputs.teams.iter_mut().find(|team| &team.team == id).expect("the block's team");
        team.agents[block.from..block.until].fill(count);
    }
    (inputs.seed, inputs.replications) = (990_077, days);
    let of_kind = |kind: &DayKind| {
        let mut other = kind.trial(&inputs);
        for each in &mut other.types {
            each.rules.service_level = kind.service_level.unwrap_or(each.rules.service_level);
            each.rules.abandonment = kind.abandonment.or(each.rules.abandonment);
        }
        standing_on(&other, Promise::OnAverage)
    };
    let others = question.day_kinds.iter().map(of_kind);
    others.fold(standing_on(&inputs, question.promise), f64::min)
}

fn standing_on(inputs: &TrialInputs, promise: Promise) -> f64 {
    let days = inputs.replications;
    let tallies = inputs.experiment().expect("a trial").play_range(0..days).expect("days that end");
    let intervals = inputs.interval_count();
    // What a target is about on one day: a contact type's contacts, those answered in time, those abandoned; of each interval
    // by itself where that is promised.
    let length = if promise == Promise::InEveryInterval { 1 } else { intervals };
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
    if let Promise::OnShareOfDays(share) = promise {
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
