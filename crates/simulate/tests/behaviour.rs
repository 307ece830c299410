//! Each setting has the effect that reasoning demands, and the same seed the same day.

#![cfg(test)]

use barometer_simulate::{
    Demand, DemandInterval, DemandLuck, Experiment, ExperimentError, IntervalTally, Spread,
};
use barometer_strategy::{Exit, Strategy};
use proptest::prelude::*;

fn demand(contacts: &[f64]) -> Demand {
    Demand {
        interval_secs: 1800.0,
        intervals: contacts
            .iter()
            .map(|&contacts| DemandInterval { contacts, handle_secs: 240.0 })
            .collect(),
        handling: Spread::LogNormal { variation: 0.7 },
        patience_secs: Some(120.0),
        luck: None,
    }
}

fn total(strategy: &Strategy, demand: &Demand, agents: &[u32]) -> IntervalTally {
    let experiment =
        Experiment::new(strategy.clone(), demand.clone(), agents.to_vec(), 20.0, 20, 42).unwrap();
    experiment.play_range(0..20).iter().fold(IntervalTally::default(), |mut total, day| {
        total.add(&day.total());
        total
    })
}

#[test]
fn a_longest_wait_sends_to_its_exit_those_who_would_have_waited_on() {
    let (demand, agents) = (demand(&[60.0; 6]), [6; 6]);
    let plain = total(&Strategy::plain("A"), &demand, &agents);
    let mut limited = Strategy::plain("A");
    limited.queue.longest_wait_secs = Some(45);
    limited.queue.when_too_long = Exit::Voicemail;
    let limited = total(&limited, &demand, &agents);
    assert_eq!((plain.to_voicemail, plain.released), (0.0, 0.0));
    assert!(limited.to_voicemail > 0.05 * limited.offered, "{limited:?}");
    assert!(limited.abandoned < plain.abandoned);
    assert_eq!(limited.offered, plain.offered, "the same customers come");
}

#[test]
fn places_limit_the_line_and_the_rest_take_the_full_exit() {
    let (demand, agents) = (demand(&[60.0; 6]), [6; 6]);
    let mut small = Strategy::plain("A");
    small.queue.places = Some(2);
    small.queue.when_full = Exit::Release;
    let (small, plain) =
        (total(&small, &demand, &agents), total(&Strategy::plain("A"), &demand, &agents));
    assert!(small.released > 0.0 && plain.released == 0.0);
    assert!(small.wait_secs < plain.wait_secs);
}

#[test]
fn agents_who_leave_finish_the_contact_at_hand() {
    // Ten agents for an interval, nobody after it: nothing is cut off, nobody new is answered.
    let day = total(&Strategy::plain("A"), &demand(&[60.0, 0.0]), &[10, 0]);
    assert_eq!(day.offered, day.answered + day.abandoned);
    let experiment =
        Experiment::new(Strategy::plain("A"), demand(&[60.0, 0.0]), vec![10, 0], 20.0, 1, 42)
            .unwrap();
    let late = experiment.play(0).intervals[1];
    assert!(late.busy_secs > 0.0 && late.busy_secs == late.staffed_secs, "{late:?}");
}

#[test]
fn without_cover_and_without_patience_the_day_still_ends() {
    let mut endless = demand(&[20.0, 20.0]);
    endless.patience_secs = None;
    let day = total(&Strategy::plain("A"), &endless, &[0, 0]);
    assert_eq!((day.answered, day.left_waiting), (0.0, day.offered));
    assert!(day.offered > 0.0);
}

#[test]
fn an_impossible_experiment_is_refused_with_the_number_that_would_do() {
    let build = |demand: Demand, agents: Vec<u32>, replications| {
        Experiment::new(Strategy::plain("A"), demand, agents, 20.0, replications, 1).unwrap_err()
    };
    assert_eq!(
        build(demand(&[5.0, 5.0]), vec![3], 10),
        ExperimentError::Mismatch { cover: 1, demand: 2 }
    );
    insta::assert_snapshot!(build(demand(&[-5.0]), vec![3], 10), @"contacts must be zero or a finite number above it, got -5");
    insta::assert_snapshot!(build(demand(&[1e9]), vec![3], 10), @"contacts in a day must be at most ten million, got 1000000000");
    insta::assert_snapshot!(build(demand(&[5.0]), vec![3], 0), @"replications must be 1 to 1000000, got 0");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn every_contact_ends_in_exactly_one_way(
        contacts in proptest::collection::vec(0.0..80.0f64, 1..8), cover in 0u32..12,
        places in proptest::option::of(0u32..10), longest in proptest::option::of(1u32..600),
        patient in any::<bool>(), seed in any::<u64>(),
    ) {
        let mut strategy = Strategy::plain("A");
        strategy.queue.places = places;
        strategy.queue.longest_wait_secs = longest;
        let mut demand = demand(&contacts);
        if patient {
            demand.patience_secs = None;
        }
        let agents = vec![cover; contacts.len()];
        let experiment = Experiment::new(strategy, demand, agents, 20.0, 3, seed).unwrap();
        for day in experiment.play_range(0..3) {
            let day = day.total();
            let ends = day.answered + day.abandoned + day.to_voicemail + day.released + day.left_waiting;
            prop_assert_eq!(day.offered, ends);
            prop_assert!(day.answered_in_time <= day.answered);
            prop_assert!(day.busy_secs <= day.staffed_secs * (1.0 + 1e-12));
        }
    }

    #[test]
    fn the_same_seed_gives_the_same_day_on_any_number_of_threads(seed in any::<u64>()) {
        let experiment = Experiment::new(
            Strategy::plain("A"), demand(&[30.0, 50.0]), vec![5, 6], 20.0, 8, seed,
        ).unwrap();
        let one_by_one: Vec<_> = (0..8).map(|replication| experiment.play(replication)).collect();
        prop_assert_eq!(one_by_one, experiment.play_range(0..8));
    }
}

#[test]
fn the_luck_of_the_day_spreads_days_as_it_says_and_keeps_their_mean() {
    // 4 intervals of 100 contacts, day factors 0.7, 1.0 and 1.3, interval variance 0.04, 6000 days.
    // Variance of a day: 400 (counting) + 400² × 0.06 (day) + (1 + 0.06) × 4 × 100² × 0.04 (own) =
    // 11,696. The standard error of the mean is 1.4 (bound 4.5 of them), that of the standard
    // deviation about 1 % (bound 4 %).
    let luck = DemandLuck { day_factors: vec![0.7, 1.0, 1.3], interval_variance: 0.04 };
    let lucky = Demand { luck: Some(luck), ..demand(&[100.0; 4]) };
    let experiment =
        Experiment::new(Strategy::plain("A"), lucky.clone(), vec![40; 4], 20.0, 6000, 3).unwrap();
    let days: Vec<f64> =
        experiment.play_range(0..6000).iter().map(|day| day.total().offered).collect();
    let mean = days.iter().sum::<f64>() / 6000.0;
    let variance = days.iter().map(|day| (day - mean).powi(2)).sum::<f64>() / 6000.0;
    assert!((mean - 400.0).abs() < 6.5, "{mean}");
    assert!((variance.sqrt() / 11_696.0_f64.sqrt() - 1.0).abs() < 0.04, "{}", variance.sqrt());
    // The same days again, also in parts.
    let again = experiment.play_range(100..110);
    let offered: Vec<f64> = again.iter().map(|day| day.total().offered).collect();
    assert_eq!(offered, days[100..110]);
    let wrong = DemandLuck { day_factors: vec![f64::NAN], interval_variance: 0.0 };
    let demand = Demand { luck: Some(wrong), ..lucky };
    let refused = Experiment::new(Strategy::plain("A"), demand, vec![40; 4], 20.0, 1, 3);
    assert!(matches!(refused, Err(ExperimentError::BadNumber { what: "day factors", .. })));
}
