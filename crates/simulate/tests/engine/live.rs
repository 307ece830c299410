//! Days that are moved on from outside, taken up in their middle, and begun from what is present.

use barometer_simulate::{
    DayCounts, Experiment, LiveDay, Present, PresentAt, PresentErrand, TypeCounts,
};
use barometer_strategy::{Customers, Duration, Next};
use proptest::prelude::*;

use crate::fixture::Scene;
use crate::golden::scenes;

const DAY: u32 = 3;

fn totals(counts: &DayCounts) -> TypeCounts {
    counts.types.values().flatten().sum()
}

/// Customers on the line whom no agent has.
fn on_the_line(present: &Present) -> f64 {
    let contacts = present.contacts.iter().filter(|contact| {
        contact.errand == PresentErrand::Customer
            && !matches!(contact.at, PresentAt::WithAgent { .. })
    });
    contacts.count() as f64
}

fn nobody_is_lost(live: &mut LiveDay<'_>, scene: &str) {
    let open: f64 = live.counts().types.values().flatten().map(TypeCounts::open).sum();
    let present = live.present();
    assert_eq!(open, on_the_line(&present), "{scene} at {} s: {present:#?}", present.at_secs);
}

fn same_day(scene: &Scene) -> Experiment {
    scene.experiment(1, 77)
}

fn end_of(scene: &Scene) -> f64 {
    scene.demand.len() as f64 * scene.demand.interval_secs
}

#[test]
fn a_day_that_is_moved_on_by_the_second_is_the_replication() {
    for (name, scene) in scenes() {
        let experiment = same_day(&scene);
        let whole = experiment.play(DAY).unwrap().total();
        let mut live = experiment.live(DAY);
        let mut at = 0.0;
        // Past the last interval, until nobody is left.
        while at < end_of(&scene) + 4.0 * 86_400.0 {
            at += 977.0;
            live.advance(at);
            assert_eq!(live.now(), at, "{name}");
        }
        let counts = totals(&live.counts());
        assert_eq!(
            (counts.offered, counts.answered, counts.in_time, counts.abandoned),
            (whole.offered, whole.answered, whole.answered_in_time, whole.abandoned),
            "{name}"
        );
        assert!(
            (counts.wait_secs - whole.answer_wait_secs).abs() < 1e-6 * (1.0 + counts.wait_secs)
        );
    }
}

#[test]
fn what_is_present_survives_being_told() {
    for (name, scene) in scenes() {
        let experiment = same_day(&scene);
        let mut live = experiment.live(DAY);
        live.advance(0.4 * end_of(&scene));
        let present = live.present();
        let told = serde_json::to_string(&present).unwrap();
        assert_eq!(serde_json::from_str::<Present>(&told).unwrap(), present, "{name}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn nobody_is_lost_when_a_day_is_taken_up(moments in prop::collection::vec(0.0..1.0, 1..5)) {
        let mut moments = moments;
        moments.sort_by(f64::total_cmp);
        for (name, scene) in scenes() {
            let experiment = same_day(&scene);
            let mut live = experiment.live(DAY);
            for share in &moments {
                live.advance(share * end_of(&scene));
                nobody_is_lost(&mut live, name);
                let carried = live.carry();
                let before = totals(&live.counts());
                live = experiment.live_from(DAY, &carried);
                nobody_is_lost(&mut live, name);
                prop_assert_eq!(totals(&live.counts()).offered, before.offered, "{}", name);
            }
            live.advance(end_of(&scene));
            nobody_is_lost(&mut live, name);
        }
    }
}

#[test]
fn those_who_come_later_are_the_same_whatever_the_strategy_becomes() {
    let scene = Scene::line(1.0, 8, 4).handled(180.0, Some(90.0));
    let mut other = scene.clone();
    other.queue().exits.too_long = Next::Release;
    other.queue().longest_wait_secs = Some(20.0);
    let (first, second) = (same_day(&scene), same_day(&other));
    let (mut kept, mut changed) = (first.live(DAY), first.live(DAY));
    kept.advance(5000.0);
    changed.advance(5000.0);
    let carried = changed.carry();
    let waiting = on_the_line(&carried.present);
    assert!(waiting > 0.0, "somebody waits at that moment");
    let mut changed = second.live_from(DAY, &carried);
    kept.advance(end_of(&scene));
    changed.advance(end_of(&scene));
    let (kept, changed) = (totals(&kept.counts()), totals(&changed.counts()));
    assert_eq!(kept.offered, changed.offered);
    assert_eq!(kept.elsewhere, 0.0);
    assert!(changed.elsewhere > 0.0, "the new limit holds from then on");
}

#[test]
fn people_who_come_or_go_by_another_cover_do_so_at_once() {
    let scene = Scene::line(1.0, 4, 6).handled(120.0, None);
    let mut fewer = scene.clone();
    fewer.cover.teams = vec![crate::fixture::team_cover("team", 2, 4)];
    let (first, second) = (same_day(&scene), same_day(&fewer));
    let mut live = first.live(DAY);
    live.advance(3000.0);
    let mut live = second.live_from(DAY, &live.carry());
    live.advance(3600.0);
    let on_shift = live.present().agents.iter().filter(|agent| agent.is_on_shift).count();
    assert_eq!(on_shift, 2);
    let teams = live.counts().teams["team"].clone();
    let people = |interval: usize| teams[interval].staffed_secs / 1800.0;
    assert!((people(0) - 6.0).abs() < 1e-9, "{}", people(0));
    assert!((2.0..6.0).contains(&people(1)), "six until 50 minutes, then two: {}", people(1));
}

#[test]
fn a_queue_that_is_no_more_sends_those_who_wait_to_their_beginning() {
    let scene = Scene::line(2.0, 4, 2).handled(180.0, None);
    let mut renamed = scene.clone();
    renamed.strategy.steps[0].id = "another".to_owned();
    renamed.strategy.entries[0].first = Next::step("another");
    let (first, second) = (same_day(&scene), same_day(&renamed));
    let mut live = first.live(DAY);
    live.advance(3000.0);
    let carried = live.carry();
    let waiting = on_the_line(&carried.present);
    assert!(waiting > 5.0);
    let mut live = second.live_from(DAY, &carried);
    let present = live.present();
    assert_eq!(on_the_line(&present), waiting);
    let mut places = present.contacts.iter().filter_map(|contact| match &contact.at {
        PresentAt::Waiting { step, .. } => Some(step.as_str()),
        _ => None,
    });
    assert!(places.all(|step| step == "another"));
    nobody_is_lost(&mut live, "renamed");
}

/// The mean of what is expected from each state, over the states that days come to, is the mean of the days:
/// exactly, whatever the distributions, if and only if the luck that is drawn fits what is seen.
#[test]
fn what_is_expected_of_the_present_is_right_on_average() {
    const DAYS: u32 = 4000;
    let mut scene = Scene::line(1.0, 4, 3).handled(170.0, Some(100.0));
    *scene.customers() = Customers {
        handling: Duration::LogNormal { mean_secs: 170.0, variation: 0.8 },
        wrap_up: Duration::LogNormal { mean_secs: 20.0, variation: 0.5 },
        patience: Some(Duration::LogNormal { mean_secs: 100.0, variation: 1.0 }),
        ..Customers::calls(170.0, None)
    };
    let begun = scene.experiment(DAYS, 5);
    let [mut went, mut expected] = [Vec::new(), Vec::new()];
    for day in 0..DAYS {
        let mut live = begun.live(day);
        live.advance(2700.0);
        let present = live.present();
        let until_then = totals(&live.counts());
        live.advance(end_of(&scene) + 7200.0);
        let rest = totals(&live.counts());
        went.push([rest.answered - until_then.answered, rest.in_time - until_then.in_time]);
        let goes_on = scene.experiment(1, 900 + u64::from(day)).from_present(&present).unwrap();
        let played = goes_on.play(0).unwrap().total();
        expected.push([played.answered, played.answered_in_time]);
    }
    for (place, measure) in ["answered", "in time"].into_iter().enumerate() {
        let differences = went.iter().zip(&expected).map(|(one, other)| one[place] - other[place]);
        let differences: Vec<f64> = differences.collect();
        let n = differences.len() as f64;
        let mean = differences.iter().sum::<f64>() / n;
        let variance = differences.iter().map(|each| (each - mean).powi(2)).sum::<f64>() / n;
        let error = (variance / n).sqrt();
        // Four standard errors of a mean: one run in sixteen thousand is off by more.
        assert!(mean.abs() < 4.0 * error, "{measure}: {mean} off, standard error {error}");
        assert!(error < 0.25, "{measure}: the bound means something, {error}");
    }
}

#[test]
fn a_moment_outside_the_day_is_refused() {
    let scene = Scene::line(1.0, 2, 2);
    let present = Present { at_secs: 3600.0, ..Present::default() };
    let refused = same_day(&scene).from_present(&present).unwrap_err().to_string();
    assert!(refused.contains("within the intervals"), "{refused}");
}
