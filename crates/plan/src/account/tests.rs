use barometer_simulate::{DemandInterval, DemandLuck};
use barometer_strategy::{Duration, StepKind, Strategy};
use proptest::prelude::*;

use super::simulated::shapley_value;
use super::*;
use crate::{Rules, TrialTeam, customers_of};

const HALF_HOURS: usize = 8;
const DAYS: u32 = 60;

/// Calls that fourteen people just manage.
fn planned() -> TrialInputs {
    let rules = Rules { patience_secs: Some(120.0), ..Rules::STARTING };
    let strategy = Strategy::plain("Calls");
    let team = strategy.teams[0].id.clone();
    TrialInputs {
        start: jiff::Timestamp::UNIX_EPOCH,
        zone: "UTC".to_owned(),
        interval_secs: 1800.0,
        types: vec![TrialType {
            name: "Calls".to_owned(),
            rules,
            customers: customers_of(&rules, &Duration::exponential(1.0)),
            intervals: vec![DemandInterval { contacts: 120.0, handle_secs: 180.0 }; HALF_HOURS],
            arrivals: Arrivals::Random,
            luck: Some(DemandLuck { day_factors: vec![0.9, 1.0, 1.1], interval_variance: 0.0 }),
        }],
        teams: vec![TrialTeam { team, agents: vec![14; HALF_HOURS], occupancy: None }],
        precision: None,
        replications: 1,
        seed: 1,
        strategy,
    }
}

/// A measured day with these contacts, handle times and people in every interval; 80 % are answered in time.
fn measured(contacts: f64, handle_secs: f64, people: f64) -> AccountInputs {
    let planned = planned();
    let interval = ActualInterval {
        offered: contacts,
        in_time: contacts * 0.8,
        abandoned: contacts * 0.04,
        handled: contacts * 0.96,
        handle_secs: contacts * 0.96 * handle_secs,
    };
    AccountInputs {
        replanned: planned.teams.iter().map(|team| team.agents.clone()).collect(),
        present: vec![vec![Some(people); HALF_HOURS]],
        most_present: Vec::new(),
        actual: vec![vec![Some(interval); HALF_HOURS]],
        releases: Vec::new(),
        until: HALF_HOURS,
        planned,
    }
}

fn level(inputs: &AccountInputs) -> MeasureAccount {
    let account = inputs.account(DAYS, |_, _| true).expect("it can be played").expect("to the end");
    account.types[0].level.clone().expect("a level")
}

fn effect(of: &MeasureAccount, cause: Cause) -> f64 {
    of.causes.iter().find(|each| each.cause == cause).map_or(0.0, |each| each.effect)
}

fn assert_adds_up(of: &MeasureAccount) {
    let sum: f64 = of.causes.iter().map(|each| each.effect).sum();
    assert!((of.planned + sum - of.actual).abs() < 1e-12, "{of:?}");
}

#[test]
fn a_day_that_went_as_planned_has_no_cause_but_luck() {
    let as_planned = level(&measured(120.0, 180.0, 14.0));
    assert_adds_up(&as_planned);
    for cause in [Cause::HandleTime, Cause::Absence] {
        assert_eq!(effect(&as_planned, cause), 0.0, "{cause:?}: {as_planned:?}");
    }
    // Counted contacts vary less than those of a forecast: a little, and no more.
    assert!(effect(&as_planned, Cause::Volume).abs() < 0.03, "{as_planned:?}");
}

#[test]
fn each_cause_is_charged_with_what_it_alone_does() {
    let alone = |inputs: &AccountInputs, cause: Cause| {
        let level = level(inputs);
        assert_adds_up(&level);
        assert!(effect(&level, cause) < -0.1, "{cause:?}: {level:?}");
        for other in [Cause::Volume, Cause::HandleTime, Cause::Absence, Cause::StaffingChange] {
            assert!(other == cause || effect(&level, other).abs() < 0.04, "{other:?}: {level:?}");
        }
    };
    alone(&measured(150.0, 180.0, 14.0), Cause::Volume);
    alone(&measured(120.0, 225.0, 14.0), Cause::HandleTime);
    alone(&measured(120.0, 180.0, 11.0), Cause::Absence);
}

/// A day with this many people present at most at the same time, and this many on average.
fn attended(most: f64, people: f64) -> AccountInputs {
    let mut inputs = measured(120.0, 180.0, people);
    inputs.most_present = vec![vec![Some(most); HALF_HOURS]];
    inputs
}

#[test]
fn who_was_there_but_not_all_the_time_is_no_absence() {
    let absent = level(&attended(11.0, 11.0));
    assert!(effect(&absent, Cause::Absence) < -0.1, "{absent:?}");
    assert_eq!(effect(&absent, Cause::Adherence), 0.0, "{absent:?}");
    let away = level(&attended(14.0, 11.0));
    assert_adds_up(&away);
    assert_eq!(effect(&away, Cause::Absence), 0.0, "{away:?}");
    // The same people are missing: the same day is simulated, whatever they are called.
    assert_eq!(effect(&away, Cause::Adherence), effect(&absent, Cause::Absence));
    let both = level(&attended(12.0, 11.0));
    assert_adds_up(&both);
    assert!(effect(&both, Cause::Absence) < effect(&both, Cause::Adherence), "{both:?}");
    assert!(effect(&both, Cause::Adherence) < 0.0, "{both:?}");
}

#[test]
fn a_third_of_a_person_who_is_always_away_is_one_person_in_every_third_interval() {
    let inputs = attended(14.0, 14.0 - 1.0 / 3.0);
    let with = inputs.with(|cause| cause == Cause::Adherence);
    assert_eq!(with.teams[0].agents, [14, 13, 14, 14, 13, 14, 14, 13]);
    let mut over = attended(14.0, 15.5);
    over.until = 4;
    assert_eq!(over.missing(0, 0), (1.5, 0.0), "people who stay on count beyond the most on shift");
    assert_eq!(over.with(|_| true).teams[0].agents, [16, 15, 16, 15, 14, 14, 14, 14]);
}

#[test]
fn hours_that_are_missing_are_told_apart_and_add_up() {
    let account = attended(12.0, 11.5).account(2, |_, _| true).unwrap().unwrap();
    let team = &account.teams[0];
    // Eight half-hours of fourteen people, two absent, half a person away.
    assert_eq!((team.planned_hours, team.absent_hours, team.missed_hours), (56.0, -8.0, -2.0));
    assert_eq!(team.present_hours, 46.0);
    let shrinkage = team.shrinkage.expect("calls are at home there");
    let planned = Rules::STARTING.shrinkage.total();
    assert!((shrinkage.planned - planned).abs() < 1e-12);
    assert!((1.0 - shrinkage.actual - (1.0 - planned) * 46.0 / 56.0).abs() < 1e-12);
}

#[test]
fn people_who_were_called_in_are_a_staffing_change_and_no_absence() {
    let mut inputs = measured(150.0, 180.0, 18.0);
    inputs.replanned = vec![vec![18; HALF_HOURS]];
    let level = level(&inputs);
    assert_adds_up(&level);
    assert!(effect(&level, Cause::StaffingChange) > 0.1, "{level:?}");
    assert_eq!(effect(&level, Cause::Absence), 0.0, "{level:?}");
    assert_eq!(level.main_cause().map(|each| each.cause), Some(main_of(&level)), "{level:?}");
}

fn main_of(of: &MeasureAccount) -> Cause {
    let direction = (of.actual - of.planned).signum();
    let along = of.causes.iter().filter(|each| each.effect * direction > 0.0);
    along.max_by(|one, other| one.effect.abs().total_cmp(&other.effect.abs())).expect("one").cause
}

#[test]
fn a_strategy_released_during_the_day_is_a_cause_of_its_own() {
    let mut inputs = measured(150.0, 180.0, 14.0);
    let mut later = inputs.planned.strategy.clone();
    // In the second half of the day, callers who are not answered at once are released.
    for step in &mut later.steps {
        if let StepKind::Queue(queue) = &mut step.does {
            queue.longest_wait_secs = Some(1.0);
        }
    }
    assert_ne!(later, inputs.planned.strategy, "the plain strategy has a queue");
    inputs.releases.push(LaterRelease { at_secs: 4.0 * 1800.0, strategy: later });
    let level = level(&inputs);
    assert_adds_up(&level);
    assert!(effect(&level, Cause::Strategy).abs() > 0.02, "{level:?}");
    // The same strategy again changes nothing.
    inputs.releases[0].strategy = inputs.planned.strategy.clone();
    let again = inputs.account(DAYS, |_, _| true).unwrap().unwrap();
    let again = again.types[0].level.clone().unwrap();
    assert!(effect(&again, Cause::Strategy).abs() < 1e-9, "{again:?}");
}

#[test]
fn a_day_with_open_intervals_is_counted_but_not_judged() {
    let mut inputs = measured(130.0, 180.0, 14.0);
    inputs.actual[0][5] = None;
    let of = |inputs: &AccountInputs| inputs.account(5, |_, _| true).unwrap().unwrap();
    assert_eq!(of(&inputs).types[0].level, None);
    inputs.until = 5;
    let account = of(&inputs);
    assert!(account.types[0].level.is_some(), "the open interval is not covered");
    assert_eq!(account.types[0].contacts, PlannedActual { planned: 600.0, actual: 650.0 });
    assert!((account.types[0].handle_secs.actual - 180.0).abs() < 1e-9);
    assert!((account.teams[0].planned_hours - 35.0).abs() < 1e-9, "{:?}", account.teams);
}

#[test]
fn what_comes_after_the_covered_intervals_changes_nothing() {
    let of = |later: f64| {
        let mut inputs = measured(130.0, 190.0, 13.0);
        inputs.until = 4;
        for interval in inputs.planned.types[0].intervals.iter_mut().skip(6) {
            interval.contacts = later;
        }
        inputs.account(20, |_, _| true).unwrap().unwrap()
    };
    assert_eq!(of(0.0), of(120.0));
    assert_eq!(of(0.0), of(900.0));
}

#[test]
fn an_account_that_nobody_wants_any_more_stops() {
    let mut asked = 0;
    let stopped = measured(120.0, 180.0, 14.0).account(5, |done, all| {
        asked += 1;
        assert!(done < all);
        done < 2
    });
    assert_eq!(stopped, Ok(None));
    assert_eq!(asked, 3);
}

/// The same by its definition: the mean over all orders of what a player adds to those before.
fn by_orders(n: usize, player: usize, worth: &[f64]) -> f64 {
    fn orders(n: usize) -> Vec<Vec<usize>> {
        if n == 0 {
            return vec![Vec::new()];
        }
        let shorter = orders(n - 1);
        shorter
            .iter()
            .flat_map(|order| {
                (0..n).map(|place| {
                    let mut order = order.clone();
                    order.insert(place, n - 1);
                    order
                })
            })
            .collect()
    }
    let all = orders(n);
    let added = all.iter().map(|order| {
        let before =
            order.iter().take_while(|each| **each != player).fold(0, |set, each| set | 1 << each);
        worth[before | 1 << player] - worth[before]
    });
    added.sum::<f64>() / all.len() as f64
}

proptest! {
    #[test]
    fn the_share_of_a_cause_is_its_mean_over_all_orders(
        n in 1usize..=5,
        worth in prop::collection::vec(-1.0..1.0f64, 32),
    ) {
        let shares: Vec<f64> =
            (0..n).map(|player| shapley_value(n, player, |subset| worth[subset])).collect();
        for (player, share) in shares.iter().enumerate() {
            prop_assert!((share - by_orders(n, player, &worth)).abs() < 1e-12);
        }
        let all = worth[(1 << n) - 1] - worth[0];
        prop_assert!((shares.iter().sum::<f64>() - all).abs() < 1e-12);
    }
}
