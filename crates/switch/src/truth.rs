//! The hidden truth: what really comes and who is really there on a day, which is not what was planned.
//!
//! It is drawn from a seed by day and name, so it is the same however often the switch is started, and nobody
//! else knows it. Per day and contact type: a factor for the day, a drift over its hours, another handle time.
//! Per team: some are sick, some log in late, some are away for a moment.

use barometer_simulate::DemandInterval;
use barometer_wire::{Caller, DayPlan, Disturbance, PlannedTeam};
use jiff::civil::Date;
use jiff::{SignedDuration, Timestamp};
use rand::{RngExt, SeedableRng};
use rand_distr::{Binomial, Distribution, Normal};
use rand_xoshiro::Xoshiro256PlusPlus;

/// Length of the steps in which the truth changes, in seconds.
pub(crate) const STEP_SECS: f64 = 300.0;

/// Spread of a day's contacts around what was expected, as a factor.
const DAY_SPREAD: f64 = 0.07;
/// How far the hours of a day drift at most, as a share.
const MOST_DRIFT: f64 = 0.08;
/// Spread of a day's handle time.
const HANDLE_SPREAD: f64 = 0.03;
/// Share of people who are sick on a day.
const SICK_SHARE: f64 = 0.03;
/// Share of those who begin that do so a step late.
const LATE_SHARE: f64 = 0.25;
/// Share of people who are away for a step.
const AWAY_SHARE: f64 = 0.02;
/// What gets through during an outage.
const OUTAGE_FACTOR: f64 = 0.04;

fn rng(seed: u64, date: Date, name: &str, what: &str) -> Xoshiro256PlusPlus {
    // FNV-1a over everything that tells one draw from another.
    let text = format!("{seed}|{date}|{name}|{what}");
    let hash = text.bytes().fold(0xcbf2_9ce4_8422_2325_u64, |hash, byte| {
        (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
    });
    Xoshiro256PlusPlus::seed_from_u64(hash)
}

fn normal(rng: &mut Xoshiro256PlusPlus) -> f64 {
    Normal::new(0.0, 1.0).map_or(0.0, |normal| normal.sample(rng))
}

fn some_of(people: u32, share: f64, rng: &mut Xoshiro256PlusPlus) -> u32 {
    Binomial::new(u64::from(people), share).map_or(0, |binomial| binomial.sample(rng)) as u32
}

/// Steps of an interval.
pub(crate) fn steps_of(interval_secs: f64) -> usize {
    ((interval_secs / STEP_SECS).round() as usize).max(1)
}

/// When a step of a day begins.
fn begins(plan: &DayPlan, step: usize) -> Timestamp {
    let later = SignedDuration::from_secs_f64(step as f64 * STEP_SECS);
    plan.start.checked_add(later).unwrap_or(Timestamp::MAX)
}

/// Whether something that lasts so many minutes from a moment goes on at another.
pub(crate) fn goes_on(from: Timestamp, minutes: f64, at: Timestamp) -> bool {
    let ends = from.checked_add(SignedDuration::from_secs_f64(60.0 * minutes));
    from <= at && ends.is_ok_and(|ends| at < ends)
}

/// When a disturbance begins, and its minutes.
pub(crate) fn span(disturbance: &Disturbance) -> (Timestamp, f64) {
    match *disturbance {
        Disturbance::Storm { from, minutes, .. }
        | Disturbance::Sickness { from, minutes, .. }
        | Disturbance::CampaignBurst { from, minutes, .. }
        | Disturbance::Outage { from, minutes } => (from, minutes),
    }
}

/// What really comes of a contact type, step by step.
pub(crate) fn demand(
    plan: &DayPlan,
    caller: &Caller,
    disturbances: &[Disturbance],
    seed: u64,
) -> Vec<DemandInterval> {
    let rng = &mut rng(seed, plan.date, &caller.contact_type, "demand");
    let day = (DAY_SPREAD * normal(rng)).exp();
    let handle = (HANDLE_SPREAD * normal(rng)).exp();
    let (drift, phase) = (MOST_DRIFT * rng.random::<f64>(), rng.random::<f64>());
    let steps = steps_of(plan.interval_secs);
    let at = caller.intervals.iter().flat_map(|expected| std::iter::repeat_n(expected, steps));
    let drifted = at.enumerate().map(|(step, expected)| {
        let share_of_day = step as f64 * STEP_SECS / 86_400.0;
        let drift = 1.0 + drift * (std::f64::consts::TAU * (share_of_day + phase)).sin();
        let moment = begins(plan, step);
        let disturbed = disturbances.iter().map(|disturbance| match disturbance {
            Disturbance::Storm { contact_type, from, minutes, factor }
                if *contact_type == caller.contact_type && goes_on(*from, *minutes, moment) =>
            {
                *factor
            }
            Disturbance::Outage { from, minutes } if goes_on(*from, *minutes, moment) => {
                OUTAGE_FACTOR
            }
            _ => 1.0,
        });
        DemandInterval {
            contacts: expected.contacts / steps as f64 * day * drift * disturbed.product::<f64>(),
            handle_secs: expected.handle_secs * handle,
        }
    });
    drifted.collect()
}

/// Who is really there of a team, step by step.
pub(crate) fn people(
    plan: &DayPlan,
    team: &PlannedTeam,
    disturbances: &[Disturbance],
    seed: u64,
) -> Vec<u32> {
    let rng = &mut rng(seed, plan.date, &team.team, "people");
    let most = team.people.iter().copied().max().unwrap_or(0);
    let sick = some_of(most, SICK_SHARE, rng);
    let steps = steps_of(plan.interval_secs);
    let mut before = 0;
    let mut there = Vec::with_capacity(team.people.len() * steps);
    for &planned in &team.people {
        // Of a team that is nearly empty somebody stays.
        let present = planned.saturating_sub(sick).max(planned.min(1));
        let late = some_of(present.saturating_sub(before), LATE_SHARE, rng);
        before = present;
        for nth in 0..steps {
            let away = some_of(present, AWAY_SHARE, rng) + if nth == 0 { late } else { 0 };
            let moment = begins(plan, there.len());
            let gone: u32 = disturbances
                .iter()
                .map(|disturbance| match disturbance {
                    Disturbance::Sickness { team: of, from, minutes, people }
                        if *of == team.team && goes_on(*from, *minutes, moment) =>
                    {
                        *people
                    }
                    _ => 0,
                })
                .sum();
            there.push(present.saturating_sub(away).saturating_sub(gone));
        }
    }
    there
}

#[cfg(test)]
mod tests {
    use barometer_strategy::Customers;
    use jiff::civil::date;

    use super::*;

    fn plan() -> DayPlan {
        DayPlan {
            date: date(2026, 11, 23),
            zone: "UTC".to_owned(),
            start: "2026-11-23T00:00:00Z".parse().expect("a moment"),
            interval_secs: 1800.0,
            teams: vec![PlannedTeam { team: "desk".to_owned(), people: vec![20; 48] }],
            callers: vec![Caller {
                contact_type: "Bookings".to_owned(),
                within_secs: 20.0,
                customers: Customers::calls(180.0, None),
                intervals: vec![DemandInterval { contacts: 60.0, handle_secs: 180.0 }; 48],
            }],
        }
    }

    fn contacts(seed: u64, disturbances: &[Disturbance]) -> Vec<f64> {
        let plan = plan();
        let steps = demand(&plan, &plan.callers[0], disturbances, seed);
        steps.iter().map(|step| step.contacts).collect()
    }

    #[test]
    fn the_truth_is_the_same_each_time_and_not_what_was_planned() {
        assert_eq!(contacts(7, &[]), contacts(7, &[]));
        assert_ne!(contacts(7, &[]), contacts(8, &[]));
        let days: Vec<f64> = (0..400).map(|seed| contacts(seed, &[]).iter().sum()).collect();
        let mean = days.iter().sum::<f64>() / 400.0;
        // The mean of 400 days with a spread of 7 % has a standard error of 0.35 %.
        assert!((mean / 2880.0 - 1.0).abs() < 0.02, "{mean}");
        assert!(days.iter().all(|day| (day / 2880.0 - 1.0).abs() > 1e-6));
    }

    #[test]
    fn a_storm_is_there_while_it_lasts_and_an_outage_lets_hardly_anybody_through() {
        let from: Timestamp = "2026-11-23T14:00:00Z".parse().expect("a moment");
        let calm = contacts(7, &[]);
        let storm = Disturbance::Storm {
            contact_type: "Bookings".to_owned(),
            from,
            minutes: 60.0,
            factor: 2.5,
        };
        let stormy = contacts(7, &[storm, Disturbance::Outage { from, minutes: 10.0 }]);
        let factors: Vec<f64> = stormy.iter().zip(&calm).map(|(one, other)| one / other).collect();
        let near = |step: usize, factor: f64| (factors[step] - factor).abs() < 1e-9;
        assert!(near(167, 1.0) && near(168, 0.1) && near(169, 0.1) && near(170, 2.5));
        assert!(near(179, 2.5) && near(180, 1.0));
    }

    #[test]
    fn people_are_missing_but_never_too_many() {
        let plan = plan();
        let sickness = Disturbance::Sickness {
            team: "desk".to_owned(),
            from: plan.start,
            minutes: 30.0,
            people: 5,
        };
        let calm = people(&plan, &plan.teams[0], &[], 3);
        assert!(calm.iter().all(|&there| (12..=20).contains(&there)), "{calm:?}");
        let ill = people(&plan, &plan.teams[0], &[sickness], 3);
        assert!((0..6).all(|step| ill[step] == calm[step] - 5) && ill[6] == calm[6]);
    }
}
