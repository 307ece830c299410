//! How campaigns decide over a replication, kept for a replay.

use barometer_simulate::{Experiment, PacingLog, What};
use barometer_strategy::{Assumed, Campaign, Duration, OpenHours, Pacing};
use jiff::civil::time;

use crate::fixture::Scene;

/// A campaign of six agents that dials from the second half hour of the day to the seventh, among people of whom
/// half answer, though three in ten are assumed to.
fn scene(pacing: Pacing) -> Scene {
    let mut campaign = Campaign::named("news", "News", "team");
    campaign.pacing = pacing;
    let (from, until) = (time(0, 30, 0, 0), time(3, 30, 0, 0));
    campaign.hours = vec![OpenHours { days: Vec::new(), from, until }];
    campaign.local_hours.from = time(0, 0, 0, 0);
    campaign.list.people = 50_000;
    campaign.assumed = Assumed {
        answered_share: vec![0.5],
        machine_share: 0.1,
        talk: Duration::exponential(90.0),
        wrap_up: Duration::Constant { secs: 10.0 },
        ..Assumed::default()
    };
    let mut scene = Scene::line(0.0, 8, 6);
    scene.strategy.campaigns = vec![campaign];
    scene
}

fn replayed(experiment: &Experiment) -> PacingLog {
    experiment.replay(0).expect("it comes to an end").1
}

#[test]
fn a_replay_has_the_events_of_the_log_and_changes_nothing() {
    let experiment = scene(Pacing::Predictive {}).experiment(1, 5);
    let (events, pacing) = experiment.replay(0).unwrap();
    let (counts, log) = experiment.log(0).unwrap();
    assert_eq!(events, log);
    assert_eq!(replayed(&experiment), pacing, "it is the same every time");
    assert!(counts.events > 1000);
}

#[test]
fn moments_are_apart_within_the_hours_and_end_with_what_the_trial_counts() {
    for pacing in [Pacing::Predictive {}, Pacing::Steady { lines_per_agent: 2.0 }] {
        let experiment = scene(pacing.clone()).experiment(1, 11);
        let (events, log) = experiment.replay(0).unwrap();
        let moments = log.moments;
        assert!(moments.len() > 300 && moments.len() <= 10_800 / 15 + 1, "{}", moments.len());
        assert!(moments.windows(2).all(|two| two[1].at_secs >= two[0].at_secs + 15.0));
        assert!(moments.iter().all(|each| (1800.0..12_600.0).contains(&each.at_secs)));
        assert!(moments.iter().all(|each| each.on_shift == 6 && each.free + each.talking <= 6));
        let (answered, abandoned) = moments[moments.len() - 1].answered_today;
        let counted = experiment.play_part(0..1).unwrap().of_campaign(0);
        // Between the last moment that is kept and the end there is room for a few calls more.
        let people = counted.people.mean;
        assert!(
            f64::from(answered) <= people && f64::from(answered) > 0.97 * people,
            "{answered} {people}"
        );
        let lost = counted.abandoned.mean + counted.lost_to_detection.mean;
        assert!(
            f64::from(abandoned) <= lost && f64::from(abandoned) >= lost - 2.0,
            "{abandoned} {lost}"
        );
        // A conversation that is under way at a moment was answered before and is not over.
        let under_way = |at: f64| {
            let until = events.events.iter().take_while(|event| event.at_secs <= at);
            until.fold(0i32, |count, event| match event.what {
                What::Answered { .. } => count + 1,
                What::Done { .. } => count - 1,
                _ => count,
            })
        };
        for moment in moments.iter().step_by(40) {
            assert_eq!(moment.talking as i32, under_way(moment.at_secs), "at {}", moment.at_secs);
        }
    }
}

#[test]
fn predictive_pacing_tells_what_it_learns_and_others_reckon_with_nothing() {
    let log = replayed(&scene(Pacing::Predictive {}).experiment(1, 3));
    let first = log.moments[0].reckoned.expect("it begins with what is assumed");
    // People and machines alike need an agent: nothing detects machines.
    assert!((first.answered_share - 0.6).abs() < 1e-9, "{first:?}");
    assert!((first.handle_secs - 100.0).abs() < 3.0, "{first:?}");
    let last = log.moments[log.moments.len() - 1].reckoned.unwrap();
    assert!((last.answered_share - 0.6).abs() < 0.08, "{last:?}");
    assert!(last.risk > 0.0 && last.risk <= 0.9 && last.answer_secs > 5.0, "{last:?}");
    assert!(log.moments.iter().any(|each| each.asked_for > each.free), "it dials ahead");
    let steady = replayed(&scene(Pacing::Steady { lines_per_agent: 2.0 }).experiment(1, 3));
    assert!(steady.moments.iter().all(|each| each.reckoned.is_none()));
    assert!(steady.moments.iter().all(|each| each.asked_for <= 12));
    let one_each = replayed(&scene(Pacing::Progressive {}).experiment(1, 3));
    assert!(one_each.moments.iter().all(|each| each.answered_today.1 == 0));
}

#[test]
fn a_campaign_that_gives_way_says_so() {
    let mut scene = scene(Pacing::Progressive {});
    let busy = Scene::line(9.0, 8, 6);
    scene.demand = busy.demand;
    scene.strategy.campaigns[0].blending.pause_at_waiting = Some(1);
    let log = replayed(&scene.experiment(1, 3));
    assert!(log.moments.iter().any(|each| each.gives_way && each.asked_for == 0));
    assert!(log.moments.iter().filter(|each| each.gives_way).count() > log.moments.len() / 2);
}
