//! Need under uncertainty, work with deadlines, prices, pools, lines.

#![cfg(test)]

use barometer_plan::{
    CoverInterval, ForecastInterval, IntervalLoad, LineCalls, LineRules, LoadSpread, Model,
    NeedError, Rules, Verdict, need, pooled, price_of_levels, schedule, service_of, stricter,
};
use barometer_queueing::{
    DeadlineError, DeferrableInterval, erlang_b, late_work, plan_by_deadline,
};
use jiff::{SignedDuration, Timestamp};
use proptest::prelude::*;

const HALF_HOUR: f64 = 1800.0;

fn load(contacts: f64) -> IntervalLoad {
    IntervalLoad { contacts, handle_secs: 300.0 }
}

#[test]
fn a_days_own_noise_evens_out_over_its_intervals() {
    let factors: Vec<f64> = (0..100).map(|at| 0.9 + 0.002 * f64::from(at)).collect();
    // One interval is a day of its own; nothing expected says nothing of how it would spread.
    assert_eq!(LoadSpread::of_day(&factors, 0.04, &[30.0]), LoadSpread::new(&factors, 0.04));
    assert_eq!(LoadSpread::of_day(&factors, 0.04, &[]), LoadSpread::new(&factors, 0.04));
    // Of sixteen alike the day varies a sixteenth as much: a quarter of the deviation.
    let day = LoadSpread::of_day(&[], 0.04, &[50.0; 16]);
    assert_eq!(day, LoadSpread::new(&[], 0.0025));
    let (upper, alone) = (day.quantile(0.9), LoadSpread::new(&[], 0.04).quantile(0.9));
    assert!((upper - 1.0) / (alone - 1.0) < 0.35 && upper > 1.02, "{upper} {alone}");
    // The day's common factor stays whole.
    let common = LoadSpread::of_day(&factors, 0.0, &[50.0; 16]);
    assert!((common.quantile(0.9) - 1.08).abs() < 0.01, "{}", common.quantile(0.9));
}

#[test]
fn a_certain_forecast_needs_what_it_needs() {
    let sure = LoadSpread::new(&[], 0.0);
    let plain = need(load(120.0), HALF_HOUR, &Rules::STARTING, Model::ErlangA).unwrap();
    let got = sure.need(load(120.0), HALF_HOUR, &Rules::STARTING, Model::ErlangA, 0.9).unwrap();
    assert_eq!((got.agents, got.chance), (plain.agents, 1.0));
    let expected = got.expected.unwrap();
    let outcome = plain.outcome.unwrap();
    assert!((expected.service_level - outcome.service_level).abs() < 1e-12);
}

#[test]
fn the_chance_asked_for_is_reached_with_as_few_as_possible() {
    let factors: Vec<f64> = (0..100).map(|at| 0.7 + 0.006 * f64::from(at)).collect();
    let spread = LoadSpread::new(&factors, 0.01);
    let rules = Rules::STARTING;
    let need_at =
        |chance| spread.need(load(120.0), HALF_HOUR, &rules, Model::ErlangA, chance).unwrap();
    let (half, most) = (need_at(0.5), need_at(0.95));
    assert!(half.agents < most.agents && half.chance >= 0.5 && most.chance >= 0.95);
    // With one person fewer the chance is missed: the need of the load just within reach says so.
    let fewer = most.agents - 1;
    let within = (0..1000)
        .map(|at| spread.quantile((f64::from(at) + 0.5) / 1000.0))
        .filter(|factor| {
            let load = load(120.0 * factor);
            need(load, HALF_HOUR, &rules, Model::ErlangA).unwrap().agents <= fewer
        })
        .count();
    assert!(within < 950, "{within}");
    // Averaged over good and bad days, service is worse than on the average day.
    let plain = need(load(120.0), HALF_HOUR, &rules, Model::ErlangA).unwrap();
    let expected = spread
        .expected(load(120.0), HALF_HOUR, &rules, Model::ErlangA, plain.agents)
        .unwrap()
        .unwrap();
    assert!(expected.service_level < plain.outcome.unwrap().service_level);
    assert!(half.chance_of_plain_need < 0.9);
}

fn open(contacts: f64) -> DeferrableInterval {
    DeferrableInterval { contacts, handle_secs: 600.0, open: true }
}

const CLOSED: DeferrableInterval =
    DeferrableInterval { contacts: 0.0, handle_secs: 600.0, open: false };

#[test]
fn work_that_comes_at_once_is_spread_until_its_deadline() {
    // 24 contacts of 10 minutes: 4 hours, due within 2 hours of the first half hour's beginning.
    let day: Vec<_> = [24.0, 0.0, 0.0, 0.0, 0.0, 0.0].map(open).to_vec();
    let plan = plan_by_deadline(&day, HALF_HOUR, 7200.0).unwrap();
    let levels: Vec<f64> = plan.iter().map(|each| (each.level * 1e6).round() / 1e6).collect();
    // 8 interval-people in the three intervals in which it is there and not yet due.
    assert_eq!(levels, [0.0, 2.666667, 2.666667, 2.666667, 0.0, 0.0]);
    assert_eq!(plan.iter().map(|each| each.agents).collect::<Vec<_>>(), [0, 3, 3, 2, 0, 0]);
    assert!((plan[0].backlog_hours - 4.0).abs() < 1e-9 && plan[3].backlog_hours < 1e-9);
}

#[test]
fn closed_hours_do_not_count_and_a_deadline_of_one_interval_is_too_short() {
    // Three hours from half past nine on reach over the night into the next morning.
    let mut days = vec![open(0.0), open(0.0), open(0.0), open(6.0)];
    days.extend([CLOSED; 20]);
    days.extend([open(0.0); 6]);
    let plan = plan_by_deadline(&days, HALF_HOUR, 3.0 * 3600.0).unwrap();
    assert!(plan[24..28].iter().all(|each| each.level > 0.0), "{plan:?}");
    let error = plan_by_deadline(&days, HALF_HOUR, 1800.0).unwrap_err();
    assert!(matches!(error, DeadlineError::TooShort { least_secs: 3600.0 }), "{error}");
}

#[test]
fn a_schedule_of_deferred_work_judges_the_cover_by_what_is_late() {
    let rules = Rules {
        model: Some(Model::Deadline),
        within_secs: 2.0 * 3600.0,
        patience_secs: None,
        ..Rules::STARTING
    };
    let half = SignedDuration::from_mins(30);
    let forecast: Vec<_> = (0..8)
        .map(|at| ForecastInterval {
            start: Timestamp::UNIX_EPOCH + half * at,
            load: IntervalLoad { contacts: if at < 4 { 12.0 } else { 0.0 }, handle_secs: 600.0 },
        })
        .collect();
    let cover = |agents: u32| -> Vec<CoverInterval> {
        forecast.iter().map(|each| CoverInterval { start: each.start, agents }).collect()
    };
    let verdicts = |agents| -> Vec<_> {
        let plan = schedule(&forecast, &cover(agents), HALF_HOUR, &rules).unwrap();
        plan.iter().map(|each| each.assessment.verdict.unwrap()).collect()
    };
    assert!(verdicts(4).iter().all(|verdict| *verdict == Verdict::Holds));
    assert!(verdicts(1).contains(&Verdict::Breaks));
    let never = Rules { within_secs: 1800.0, ..rules };
    let refused = schedule(&forecast, &[], HALF_HOUR, &never).unwrap_err();
    assert!(matches!(refused, NeedError::Deadline(_)), "{refused}");
}

#[test]
fn each_further_point_of_service_costs_more() {
    let day: Vec<_> = (0..24).map(|half| load(40.0 + 5.0 * f64::from(half))).collect();
    let rules = Rules { abandonment: None, occupancy: None, ..Rules::STARTING };
    let levels: Vec<f64> = [0.5, 0.7, 0.8, 0.9, 0.95, 0.99].to_vec();
    let priced = price_of_levels(&day, HALF_HOUR, &rules, &levels).unwrap();
    let per_point: Vec<f64> = priced
        .windows(2)
        .map(|pair| {
            (pair[1].service.agent_hours - pair[0].service.agent_hours)
                / (pair[1].promised - pair[0].promised)
        })
        .collect();
    assert!(per_point.windows(2).all(|pair| pair[1] > pair[0]), "{per_point:?}");
    assert!(priced.iter().all(|each| each.service.service_level >= each.promised));
}

#[test]
fn two_queues_in_one_need_fewer_people_than_apart() {
    let (first, second) = (load(30.0), IntervalLoad { contacts: 50.0, handle_secs: 200.0 });
    let rules = stricter(&Rules::STARTING, &Rules { within_secs: 10.0, ..Rules::STARTING });
    assert_eq!(rules.within_secs, 10.0);
    let together = pooled(first, second);
    assert!((together.handle_secs - (30.0 * 300.0 + 50.0 * 200.0) / 80.0).abs() < 1e-12);
    let agents = |load| need(load, HALF_HOUR, &rules, Model::ErlangA).unwrap().agents;
    assert!(agents(together) < agents(first) + agents(second));
}

#[test]
fn a_cover_that_never_settles_answers_nobody_in_time() {
    let rules = Rules { patience_secs: None, ..Rules::STARTING };
    let service = service_of(&[load(120.0)], &[10], HALF_HOUR, &rules).unwrap().unwrap();
    assert_eq!((service.service_level, service.occupancy), (0.0, 1.0));
}

#[test]
fn lines_carry_ringing_menu_waiting_and_talking_but_no_wrap_up() {
    let calls = LineCalls {
        calls_per_hour: 240.0,
        handle_secs: 300.0,
        answered: 0.95,
        wait_probability: 0.3,
        mean_wait_secs: 10.0,
    };
    let rules = LineRules { menu_secs: 30.0, lines: Some(20), ..LineRules::STARTING };
    let need = rules.need(&[calls]).unwrap();
    let erlangs = 240.0 / 3600.0 * (6.0 + 30.0 + 10.0 + 0.95 * 300.0 * 0.9);
    assert!((need.lines.erlangs - erlangs).abs() < 1e-12);
    assert!(erlang_b(erlangs, need.lines.needed).unwrap() <= 0.01);
    assert!(erlang_b(erlangs, need.lines.needed - 1).unwrap() > 0.01);
    assert_eq!(need.lines.existing_blocking, Some(erlang_b(erlangs, 20).unwrap()));
    assert!((need.menu.erlangs - 2.0).abs() < 1e-12 && need.announcement.needed > 0);
    let nothing = rules.need(&[]).unwrap();
    assert_eq!((nothing.lines.needed, nothing.lines.existing_blocking), (0, Some(0.0)));
}

proptest! {
    #[test]
    fn whatever_comes_in_is_done_in_time_by_the_plan(
        contacts in proptest::collection::vec(0.0..40.0f64, 6..40),
        reach in 2usize..12,
    ) {
        let day: Vec<_> = contacts.iter().map(|&contacts| open(contacts)).collect();
        let deadline = reach as f64 * HALF_HOUR;
        let plan = plan_by_deadline(&day, HALF_HOUR, deadline).unwrap();
        let agents: Vec<u32> = plan.iter().map(|each| each.agents).collect();
        let late = late_work(&day, HALF_HOUR, deadline, &agents).unwrap();
        for (at, each) in late.iter().enumerate() {
            prop_assert!(each.late_hours < 1e-9, "{} h late in interval {at}", each.late_hours);
        }
        // The smoothest plan wastes nothing: what it does is what comes in before the last interval.
        let done: f64 = plan.iter().map(|each| each.level).sum();
        let come: f64 = contacts[..contacts.len() - 1].iter().map(|each| each / 3.0).sum();
        prop_assert!((done - come).abs() < 1e-9 * come.max(1.0), "{done} {come}");
    }
}
