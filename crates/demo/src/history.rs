//! What came: the luck of the day, and abandonment from the people who were there.

use barometer_plan::{IntervalLoad, Model, Rules, need};
use barometer_queueing::{Outcome, Traffic};
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use rand::{RngExt, SeedableRng};
use rand_distr::{Binomial, Distribution, LogNormal, Normal, Poisson};
use rand_xoshiro::Xoshiro256PlusPlus;

use crate::calendar::{LOST_RECORDS, OUTAGE};
use crate::character::Character;
use crate::{FIRST_DAY, GRAIN, TODAY};

/// Day-to-day luck, as the spread of a factor around 1.
const DAY_SPREAD: f64 = 0.06;
/// Interval-to-interval luck beyond Poisson.
const INTERVAL_SPREAD: f64 = 0.05;
/// Share of intervals that the switch forgot to record.
const FORGOTTEN: f64 = 0.0006;
/// Weeks before today of which it is known who was there.
const PAST_COVER_WEEKS: i64 = 8;
/// Most of the planned people who are missing on a day.
const MOST_MISSING: f64 = 0.08;
/// Planners add this share to what they expect.
const MARGIN: f64 = 0.06;
/// How much single handle times spread around their mean.
const HANDLE_VARIATION: f64 = 0.7;
/// How much the mean wait of an interval spreads around what the model says.
const WAIT_SPREAD: f64 = 0.15;
/// Tells the luck of waits from that of contacts.
const WAITS: u64 = 0x77A1_7500;
/// Share of the handle time that is wrap-up, on average.
const WRAP_UP_SHARE: f64 = 0.16;
/// How much that share spreads from interval to interval.
const WRAP_UP_SPREAD: f64 = 0.12;
/// Tells the luck of those who hang up before they reach a queue from that of contacts.
const HANG_UPS: u64 = 0x41D0_0F00;
/// Tells the luck of wrap-ups from that of contacts.
const WRAP_UPS: u64 = 0x33AF_5500;

/// One half-hour as the switch recorded it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PastInterval {
    /// When it started.
    pub start: Timestamp,
    /// Contacts offered.
    pub offered: u32,
    /// Contacts answered.
    pub answered: u32,
    /// Contacts abandoned.
    pub abandoned: u32,
    /// Mean handle time in seconds; none when nothing was answered.
    pub handle_secs: Option<f64>,
    /// The part of it that is wrap-up; none for work with a deadline.
    pub wrap_up_secs: Option<f64>,
    /// Contacts answered within the threshold, and seconds that the answered waited in all; none for work
    /// with a deadline.
    pub speed: Option<(u32, f64)>,
}

/// The past of a contact type until the day before [`TODAY`]: what came, and who was there in the
/// last weeks of it.
pub(crate) fn past(
    character: &Character,
    zone: &TimeZone,
    seed: u64,
) -> (Vec<PastInterval>, Vec<(Timestamp, u32)>) {
    let mut people = Vec::new();
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(seed);
    let mut waits = Xoshiro256PlusPlus::seed_from_u64(seed ^ WAITS);
    let mut wrap_ups = Xoshiro256PlusPlus::seed_from_u64(seed ^ WRAP_UPS);
    let mut hang_ups = Xoshiro256PlusPlus::seed_from_u64(seed ^ HANG_UPS);
    let mut past = Vec::new();
    let mut day = FIRST_DAY;
    let kept_from = TODAY.saturating_sub(PAST_COVER_WEEKS.weeks());
    while day < TODAY {
        let luck = around_one(DAY_SPREAD, &mut rng);
        let present = 1.0 - rng.random_range(0.0..MOST_MISSING);
        for slot in 0..GRAIN.slots_per_day() {
            let at = day.at((slot / 2) as i8, (slot % 2 * 30) as i8, 0, 0);
            let Some((mut interval, mut outcome)) =
                half_hour(character, at, luck, present, zone, &mut rng)
            else {
                continue;
            };
            if character.hang_up_share > 0.0 {
                outcome = hang_up(&mut interval, character, (at, present), &mut hang_ups);
            }
            interval.speed = outcome.map(|outcome| speed(&interval, &outcome, &mut waits));
            let handle = interval.handle_secs.filter(|_| outcome.is_some());
            interval.wrap_up_secs = handle.map(|handle| wrap_up(handle, &mut wrap_ups));
            if let Some(agents) = agents_there(character, at, present).filter(|_| day >= kept_from)
            {
                people.push((interval.start, agents));
            }
            if !is_lost(at) && rng.random::<f64>() >= FORGOTTEN {
                past.push(interval);
            }
        }
        day = day.tomorrow().unwrap_or(TODAY);
    }
    (past, people)
}

fn half_hour(
    character: &Character,
    at: DateTime,
    luck: f64,
    present: f64,
    zone: &TimeZone,
    rng: &mut Xoshiro256PlusPlus,
) -> Option<(PastInterval, Option<Outcome>)> {
    let expected = character.expected_contacts(at)? * luck * around_one(INTERVAL_SPREAD, rng);
    let expected = expected * outage_factor(at);
    let offered = Poisson::new(expected.max(1e-9)).map_or(0.0, |contacts| contacts.sample(rng));
    let outcome = outcome(character, at, expected, present);
    let lost = outcome.map_or(0.0, |outcome| outcome.abandonment);
    let abandoned = Binomial::new(offered as u64, lost).map_or(0, |leaving| leaving.sample(rng));
    let answered = offered as u64 - abandoned;
    let handle_secs = (answered > 0).then(|| {
        let mean = character.handle_secs(at);
        let error = mean * HANDLE_VARIATION / (answered as f64).sqrt();
        let noise = Normal::new(0.0, error).map_or(0.0, |noise| noise.sample(rng));
        // Switches report tenths of a second.
        ((mean + noise).max(0.3 * mean) * 10.0).round() / 10.0
    });
    let interval = PastInterval {
        start: zone.to_timestamp(at).ok()?,
        offered: offered as u32,
        answered: answered as u32,
        abandoned: abandoned as u32,
        handle_secs,
        wrap_up_secs: None,
        speed: None,
    };
    Some((interval, outcome))
}

/// Lets some callers hang up before they reach the queue; the others find it so much emptier.
fn hang_up(
    interval: &mut PastInterval,
    character: &Character,
    (at, present): (DateTime, f64),
    rng: &mut Xoshiro256PlusPlus,
) -> Option<Outcome> {
    let some_of = |contacts: u64, share: f64, rng: &mut Xoshiro256PlusPlus| {
        Binomial::new(contacts, share).map_or(0, |leaving| leaving.sample(rng))
    };
    let offered = u64::from(interval.offered);
    let reach = offered - some_of(offered, character.hang_up_share, rng);
    let outcome = outcome(character, at, reach as f64, present);
    let lost = outcome.map_or(0.0, |outcome| outcome.abandonment);
    let answered = reach - some_of(reach, lost, rng);
    interval.answered = answered as u32;
    interval.abandoned = interval.offered - interval.answered;
    if answered == 0 {
        interval.handle_secs = None;
    }
    outcome
}

/// The mean wrap-up of an interval, in tenths of a second.
fn wrap_up(handle_secs: f64, rng: &mut Xoshiro256PlusPlus) -> f64 {
    let share = (WRAP_UP_SHARE * around_one(WRAP_UP_SPREAD, rng)).clamp(0.0, 1.0);
    (handle_secs * share * 10.0).floor() / 10.0
}

/// How fast an interval's contacts were answered: each answered one is in time with the model's chance.
fn speed(interval: &PastInterval, outcome: &Outcome, rng: &mut Xoshiro256PlusPlus) -> (u32, f64) {
    let answered = 1.0 - outcome.abandonment;
    let chance =
        if answered > 0.0 { (outcome.service_level / answered).clamp(0.0, 1.0) } else { 0.0 };
    let in_time = Binomial::new(u64::from(interval.answered), chance)
        .map_or(0, |in_time| in_time.sample(rng));
    let wait = f64::from(interval.answered) * outcome.answer_secs * around_one(WAIT_SPREAD, rng);
    (in_time as u32, (wait * 10.0).round() / 10.0)
}

/// The people who were there: those planned for a calm day, less those missing.
fn agents_there(character: &Character, at: DateTime, present: f64) -> Option<u32> {
    let planned = planned_agents(character.planned_load(at)?, &character.rules);
    Some((f64::from(planned) * present).ceil().max(1.0) as u32)
}

/// How contacts fare with the people who were planned for a calm day, less those missing.
fn outcome(character: &Character, at: DateTime, expected: f64, present: f64) -> Option<Outcome> {
    let rules = &character.rules;
    let planned = character.planned_load(at)?;
    let agents = agents_there(character, at, present).unwrap_or(1);
    Traffic::per_interval(expected, GRAIN.secs(), planned.handle_secs)
        .and_then(|traffic| Model::for_rules(rules).outcome(traffic, agents, rules))
        .ok()
        .flatten()
}

/// The people whom planners roster for what they expect, with their margin.
pub(crate) fn planned_agents(load: IntervalLoad, rules: &Rules) -> u32 {
    let load = IntervalLoad { contacts: load.contacts * (1.0 + MARGIN), ..load };
    need(load, GRAIN.secs(), rules, Model::for_rules(rules)).map_or(1, |need| need.agents)
}

/// Hardly anything gets through while the switch is down; afterwards everybody calls again.
fn outage_factor(at: DateTime) -> f64 {
    let (day, from, until) = OUTAGE;
    if at.date() != day {
        return 1.0;
    }
    match at.hour() {
        hour if (from..until).contains(&hour) => 0.04,
        hour if (until..until + 2).contains(&hour) => 1.7,
        _ => 1.0,
    }
}

fn is_lost(at: DateTime) -> bool {
    (LOST_RECORDS.0..=LOST_RECORDS.1).contains(&at.date()) && at.hour() >= 12
}

fn around_one(spread: f64, rng: &mut Xoshiro256PlusPlus) -> f64 {
    LogNormal::new(-0.5 * spread * spread, spread).map_or(1.0, |luck| luck.sample(rng))
}
