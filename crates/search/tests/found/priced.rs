//! With prices for contacts: the cheapest of people and contacts together, by trying every design.

use barometer_search::{Claim, Prices, Question, QuestionError, SearchError, search};
use barometer_simulate::Summary;

use crate::fixture::{n_design, one_team, question};

/// What a design costs over many days that no search has seen, counted from the trial's own sums.
fn total(
    question: &Question,
    blocks: &[barometer_search::Block],
    people: &[u32],
    days: u32,
) -> f64 {
    let mut inputs = question.base.clone();
    let mut cost = 0.0;
    for (block, &count) in blocks.iter().zip(people) {
        let id = &question.teams[block.knob].team;
        let team = inputs.teams.iter_mut().find(|team| &team.team == id).unwrap();
        team.agents[block.from..block.until].fill(count);
        cost += block.cost * f64::from(count);
    }
    (inputs.seed, inputs.replications) = (99, days);
    let summary: Summary = inputs.experiment().unwrap().play_part(0..days).unwrap();
    let kinds = (0..inputs.types.len()).map(|kind| summary.of_type(kind));
    let contacts = kinds.map(|kind| question.prices.abandoned * kind.abandoned.mean);
    cost + contacts.sum::<f64>()
}

#[test]
fn people_are_added_where_they_cost_less_than_the_contacts_they_save() {
    let plain = question(one_team(), 3, 13, &[1.0]);
    let without = search(&plain, |_| None).unwrap();
    let prices = Prices { abandoned: 2.0, ..Prices::default() };
    let priced = Question { prices, ..plain.clone() };
    let with = search(&priced, |_| None).unwrap();
    assert_eq!((without.claim, with.claim), (Claim::Holds, Claim::Holds));
    assert!(with.best.hours > without.best.hours, "{:?} {:?}", with.best, without.best);
    assert_eq!(without.best.priced, 0.0);
    assert!(with.best.priced > 0.0 && with.best.cost > with.best.hours);
    assert_eq!(with.proof, None, "a proof is about people alone");
    assert!(with.bound.is_none_or(|bound| bound <= with.best.cost));

    // Every design: none costs less than 2 % below what was found.
    let found = total(&priced, &with.blocks, &with.best.design.people, 4_000);
    assert!((found - with.best.cost).abs() < 0.05 * found, "{found} {:?}", with.best);
    let mut cheapest = f64::INFINITY;
    for one in 3..=13 {
        for other in 3..=13 {
            let people = [one, other];
            // What hardly anybody staffs is dear and fails besides.
            let rough = total(&priced, &with.blocks, &people, 100);
            if rough < 1.1 * found {
                cheapest = cheapest.min(total(&priced, &with.blocks, &people, 4_000));
            }
        }
    }
    assert!(found <= 1.02 * cheapest, "{found} {cheapest}");
}

#[test]
fn where_contacts_cost_next_to_nothing_the_answer_is_that_of_people_alone() {
    let plain = question(n_design(), 3, 12, &[1.0, 1.1]);
    let without = search(&plain, |_| None).unwrap();
    let prices = Prices { abandoned: 1e-6, waiting_hour: 1e-6, ..Prices::default() };
    let with = search(&Question { prices, ..plain }, |_| None).unwrap();
    assert_eq!(with.claim, Claim::Holds);
    let off = (with.best.cost - without.best.cost).abs() / without.best.cost;
    assert!(off < 0.02, "{:?} {:?}", with.best, without.best);
}

#[test]
fn the_same_seed_gives_the_same_answer_and_each_price_counts() {
    let base = question(one_team(), 3, 13, &[1.0]);
    let priced = |prices: Prices| {
        let asked = Question { prices, days: 60, fresh_days: 300, ..base.clone() };
        search(&asked, |_| None).unwrap()
    };
    let prices = Prices { abandoned: 1.0, waiting_hour: 5.0, ..Prices::default() };
    assert_eq!(priced(prices), priced(prices));
    let waiting = priced(Prices { waiting_hour: 40.0, ..Prices::default() });
    assert!(waiting.best.priced > 0.0);
    // Nobody is turned away, sent elsewhere or called back in this strategy.
    let free = Prices { turned_away: 9.0, elsewhere: 9.0, callback: 9.0, ..Prices::default() };
    assert!(priced(free).best.priced < 0.5);
}

#[test]
fn a_price_below_nothing_is_refused() {
    let asked = Question {
        prices: Prices { callback: -1.0, ..Prices::default() },
        ..question(one_team(), 3, 9, &[1.0])
    };
    let refused = search(&asked, |_| None).unwrap_err();
    let SearchError::Question(QuestionError::BadNumber { what, .. }) = &refused else {
        panic!("{refused:?}")
    };
    assert_eq!(what, "price of a promised callback");
}
