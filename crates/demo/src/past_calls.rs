//! Calls to passengers of the autumn before, as the telephone system exports them: from these a campaign learns who
//! answers when.

use barometer_strategy::{Assumed, Duration};
use jiff::civil::{Date, date};
use rand::{RngExt, SeedableRng};
use rand_distr::{Distribution, LogNormal};
use rand_xoshiro::Xoshiro256PlusPlus;

const SEED: u64 = 0x0c70_be12;
/// What the file is called.
pub const PAST_CALLS: &str = "calls-october.csv";
const CALLS: usize = 3_600;
const FIRST_DAY: Date = date(2026, 10, 1);
const DAYS: i64 = 31;

/// Zones of those who were called: their share of the calls, and times as many of them that were answered.
const ZONES: [(&str, f64, f64); 3] =
    [("Europe/London", 0.8, 1.0), ("Europe/Paris", 0.14, 0.8), ("America/New_York", 0.06, 1.15)];

/// The calls as CSV, by the clocks of those who were called.
pub fn past_calls() -> String {
    let assumed = crate::campaigns::sailing_news().assumed;
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(SEED);
    let mut rows: Vec<String> = (0..CALLS).map(|_| call(&assumed, &mut rng)).collect();
    rows.sort();
    let heading = "dialled_at,outcome,zone,ring_secs,talk_secs,wrap_up_secs".to_owned();
    std::iter::once(heading).chain(rows).collect::<Vec<_>>().join("\n")
}

fn call(assumed: &Assumed, rng: &mut Xoshiro256PlusPlus) -> String {
    let (hour, minute, second) =
        (rng.random_range(11..19_usize), rng.random_range(0..60), rng.random_range(0..60));
    let day = FIRST_DAY.saturating_add(jiff::Span::new().days(rng.random_range(0..DAYS)));
    let mut place: f64 = rng.random();
    let zone = ZONES.iter().find(|zone| {
        place -= zone.1;
        place < 0.0
    });
    let (zone, _, factor) = zone.unwrap_or(&ZONES[0]);
    let mut left: f64 = rng.random();
    let mut is = |share: f64| {
        left -= share;
        left < 0.0
    };
    let outcome = if is(assumed.answered_at(hour) * factor) {
        "person"
    } else if is(assumed.machine_share) {
        "machine"
    } else if is(assumed.busy_share) {
        "busy"
    } else if is(assumed.unusable_share) {
        "unusable"
    } else if is(assumed.congested_share) {
        "congested"
    } else {
        "no answer"
    };
    let mut secs = |duration: &Duration| format!("{:.0}", drawn(duration, rng));
    let times = match outcome {
        "person" => [&assumed.ring, &assumed.talk, &assumed.wrap_up].map(&mut secs).join(","),
        "machine" => format!("{},,", secs(&assumed.machine_ring)),
        _ => ",,".to_owned(),
    };
    format!("{day} {hour:02}:{minute:02}:{second:02},{outcome},{zone},{times}")
}

/// Log-normal with the duration's mean and the spread that its form has here.
fn drawn(duration: &Duration, rng: &mut Xoshiro256PlusPlus) -> f64 {
    let variation = match duration {
        Duration::LogNormal { variation, .. } | Duration::Gamma { variation, .. } => *variation,
        _ => 0.5,
    };
    LogNormal::from_mean_cv(duration.mean_secs(), variation)
        .map_or_else(|_| duration.mean_secs(), |lognormal| lognormal.sample(rng))
}
