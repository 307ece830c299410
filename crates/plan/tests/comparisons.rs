//! Candidates on the same customers, sweeps, and where each breaks.

#![cfg(test)]

mod flat_day;

use barometer_plan::{
    Axis, Candidate, ComparisonInputs, ComparisonWork, EvidenceDocument, Risks, Rules, Sweepable,
    TrialInputs, TrialResult, Verdict,
};
use barometer_simulate::Compared;
use barometer_strategy::Strategy;

use flat_day::flat_day;

fn inputs(agents: u32) -> TrialInputs {
    let strategy = Strategy::plain("Bookings");
    let inputs = flat_day(strategy, Rules::STARTING, "2026-11-28T07:00:00Z", 20, agents);
    TrialInputs { replications: 60, ..inputs }
}

fn candidate(name: &str, inputs: TrialInputs) -> Candidate {
    Candidate { name: name.to_owned(), inputs }
}

#[test]
fn one_person_more_is_surely_better_though_the_levels_overlap() {
    let candidates = vec![candidate("thirteen", inputs(13)), candidate("fourteen", inputs(14))];
    let comparison = ComparisonInputs::Chosen { candidates };
    let mut shares = Vec::new();
    let result = comparison
        .play(|done| {
            shares.push(done);
            true
        })
        .unwrap()
        .unwrap();
    assert!(shares.is_sorted() && shares.iter().all(|share| (0.0..1.0).contains(share)));
    let [one, other] = result.candidates.as_slice() else { unreachable!() };
    let difference = other.difference(Compared::ServiceLevel).unwrap();
    let by_levels =
        other.outcome.day.service_level.unwrap().mean - one.outcome.day.service_level.unwrap().mean;
    assert!((difference.mean - by_levels).abs() < 1e-12);
    assert!(difference.low() > 0.0, "{difference:?}");
    // The same customers: the difference is known better than either level.
    let unpaired = one.outcome.day.service_level.unwrap().error.unwrap();
    assert!(difference.error.unwrap() < unpaired, "{difference:?} {unpaired}");
    assert_eq!(other.level_differences.len(), 20);
    assert!(one.differences.is_empty());
    // More people bear more volume, and both bear more than they have.
    let (few, more) = (one.breaks_at.unwrap(), other.breaks_at.unwrap());
    assert!(1.0 < few && few < more && more < 1.5, "{few} {more}");
    assert!(comparison.play(|_| false).unwrap().is_none(), "told to stop");
}

#[test]
fn parts_make_the_same_result_in_whatever_order_they_were_played() {
    let candidates = vec![candidate("thirteen", inputs(13)), candidate("fourteen", inputs(14))];
    let comparison = ComparisonInputs::Chosen { candidates };
    let work = comparison.parts();
    // 60 replications in parts of 25, and the volume at which each of two breaks.
    let days: Vec<_> = [0..25, 25..50, 50..60].map(ComparisonWork::Days).to_vec();
    assert_eq!(work[..3], days);
    assert_eq!(work[3..], [ComparisonWork::Volume(0), ComparisonWork::Volume(1)]);
    let mut parts: Vec<_> = work
        .iter()
        .enumerate()
        .rev()
        .map(|(nth, part)| (nth, comparison.play_part(part, || true).unwrap().unwrap()))
        .collect();
    parts.sort_by_key(|(nth, _)| *nth);
    let parts: Vec<_> = parts.into_iter().map(|(_, part)| part).collect();
    let whole = comparison.play(|_| true).unwrap();
    assert_eq!(comparison.result_of(parts), whole);
    assert!(whole.is_some());
    assert_eq!(comparison.result_of([]), None);
    for part in &work {
        assert_eq!(comparison.play_part(part, || false).unwrap(), None, "told to stop");
    }
}

#[test]
fn a_change_sheet_tells_the_risks_of_its_comparison() {
    let mut changed = inputs(13);
    changed.strategy.first_queue_mut().unwrap().longest_wait_secs = Some(20.0);
    let strategy = changed.strategy.clone();
    let candidates = vec![candidate("v1", inputs(13)), candidate("v2", changed)];
    let comparison = ComparisonInputs::Chosen { candidates };
    let result = comparison.play(|_| true).unwrap().unwrap();
    let evidence = EvidenceDocument::Comparison {
        name: "v1 against v2".to_owned(),
        inputs: Box::new(comparison),
        result: Box::new(result.clone()),
    };
    let risks = Risks::of(&strategy, std::iter::once(&evidence));
    let [day] = risks.days.as_slice() else { panic!("one comparison is one day: {risks:?}") };
    assert_eq!((day.evidence.as_str(), day.contact_type.as_str()), ("v1 against v2", "Bookings"));
    assert_eq!(day.level, result.candidates[1].outcome.day.service_level.unwrap());
    assert_eq!((day.wanted, day.secs), (Rules::STARTING.service_level, 36_000.0));
    let (with, without) = risks.breaks_at.unwrap();
    assert_eq!(
        (Some(with), without),
        (result.candidates[1].breaks_at, result.candidates[0].breaks_at)
    );
    // Contacts that would wait longer are sent away: the others wait less.
    let (name, level) = &risks.differences[0];
    assert!(name == "Bookings" && level.mean.abs() > level.half_width.unwrap(), "{level:?}");
    // A day with fewer people falls shorter of its target, and is told first.
    let mut short = inputs(8);
    short.strategy = strategy.clone();
    let played = short.experiment().unwrap().play_part(0..60).unwrap();
    let trial = EvidenceDocument::Trial {
        name: "Saturday".to_owned(),
        inputs: Box::new(short),
        result: Box::new(TrialResult::of(&played)),
    };
    let days = Risks::of(&strategy, [&evidence, &trial].into_iter()).days;
    let told: Vec<_> = days.iter().map(|day| (day.evidence.as_str(), day.verdict)).collect();
    assert_eq!(told[0], ("Saturday", Some(Verdict::Breaks)), "{told:?}");
    assert!(days[0].level.mean - days[0].wanted < days[1].level.mean - days[1].wanted);
    // It says nothing about another strategy.
    let other = Strategy::plain("Something else");
    assert_eq!(Risks::of(&other, std::iter::once(&evidence)), Risks::default());
}

#[test]
fn what_can_be_swept_is_named_and_set_and_impossible_values_are_refused() {
    let base = inputs(12);
    let all = Sweepable::all(&base.strategy);
    let find = |wanted: &str| {
        let found = all.iter().find(|(_, name)| name == wanted);
        &found.unwrap_or_else(|| panic!("{wanted} is not in {all:?}")).0
    };
    let places = find("“Bookings queue”, places");
    assert_eq!(places.key(), "step.queue:/does/queue/places");
    let set = places.set(&base, 5.0).unwrap();
    assert_eq!(set.strategy.first_queue().unwrap().1.places, Some(5));
    for impossible in [-1.0, 2.5, 1e9] {
        let message = places.set(&base, impossible).unwrap_err();
        assert!(message.starts_with(&format!("{impossible}: ")), "{message}");
    }
    let window = find("“Bookings queue”, offers, ring window (s)");
    let set = window.set(&base, 12.5).unwrap();
    assert_eq!(set.strategy.first_queue().unwrap().1.offering.ring_window_secs, Some(12.5));
    assert_eq!(find("Headcount change").set(&base, -2.0).unwrap().people()[0], 10);
    let volume = find("Volume, as a share of the forecast").set(&base, 1.5).unwrap();
    assert_eq!(volume.types[0].intervals[0].contacts, 90.0);
    find("team “Bookings team”, pace").set(&base, 1.2).unwrap();
}

/// A sweep of the first queue's places, and of the headcount where values of it are given.
fn sweep(base: TrialInputs, places: &[f64], headcount: &[f64]) -> ComparisonInputs {
    let all = Sweepable::all(&base.strategy);
    let axis = |end: &str, values: &[f64]| {
        let (setting, name) = all.iter().find(|(_, name)| name.ends_with(end)).unwrap().clone();
        (!values.is_empty()).then(|| Axis { setting, name, values: values.to_vec() })
    };
    let axes = [axis("queue”, places", places), axis("Headcount change", headcount)];
    ComparisonInputs::Sweep { base: Box::new(base), axes: axes.into_iter().flatten().collect() }
}

#[test]
fn fewer_places_block_more_along_a_sweep() {
    let base = inputs(9);
    let result = sweep(base.clone(), &[1.0, 3.0, 9.0], &[]).play(|_| true).unwrap().unwrap();
    let released: Vec<f64> =
        result.candidates.iter().map(|point| point.outcome.day.released.unwrap().mean).collect();
    assert!(released.windows(2).all(|pair| pair[0] > pair[1]), "{released:?}");
    assert_eq!(result.candidates[0].outcome.verdict(&base), Some(Verdict::Breaks));
    assert_eq!(result.candidates[1].breaks_at, None, "not looked for along a sweep");
}

#[test]
fn a_sweep_is_kept_as_its_base_and_its_settings_and_has_a_candidate_for_every_point() {
    let kept = sweep(inputs(9), &[1.0, 3.0], &[-1.0, 0.0, 1.0]);
    let candidates = kept.candidates().unwrap();
    let names: Vec<&str> = candidates.iter().map(|each| each.name.as_str()).collect();
    assert_eq!(names, ["1, −1", "1, 0", "1, 1", "3, −1", "3, 0", "3, 1"]);
    let last = &candidates[5].inputs;
    assert_eq!(last.people()[0], 10);
    assert_eq!(last.strategy.first_queue().unwrap().1.places, Some(3));
    // Kept once, not once a point.
    let text = serde_json::to_string(&kept).unwrap();
    let one = serde_json::to_string(&inputs(9)).unwrap();
    assert!(text.len() < one.len() + 500, "{} against {}", text.len(), one.len());
    assert_eq!(serde_json::from_str::<ComparisonInputs>(&text).unwrap(), kept);
    let impossible = sweep(inputs(9), &[1.0, -3.0], &[]);
    let error = impossible.candidates().unwrap_err().to_string();
    assert!(error.starts_with("-3: "), "{error}");
    assert!(impossible.play(|_| true).is_err());
}
