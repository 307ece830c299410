//! The planner's own numbers: who comes, who is on shift, how patient callers are.

use barometer_strategy::{Channel, Duration, Profile, Strategy};
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};
use statrs::distribution::{ContinuousCDF, Gamma, LogNormal};
use statrs::function::gamma::gamma;

/// What is planned for a period. Where nothing is known of something, rules that need it are silent.
#[derive(Clone, Debug, PartialEq)]
pub struct Premises {
    /// The centre's zone.
    pub zone: TimeZone,
    /// When the first interval begins.
    pub start: Timestamp,
    /// Length of an interval in seconds.
    pub interval_secs: f64,
    /// How many intervals there are.
    pub intervals: usize,
    /// Who comes.
    pub types: Vec<ContactTypePremise>,
    /// Who is on shift; empty where no cover is known.
    pub teams: Vec<TeamPremise>,
    /// Telephone lines; `None` where nobody has said.
    pub lines: Option<u32>,
    /// Seats for agents; `None` where nobody has said.
    pub seats: Option<u32>,
    /// Agents who may be signed in at once; `None` where nobody has said.
    pub licences: Option<u32>,
}

/// What is known of a contact type.
#[derive(Clone, Debug, PartialEq)]
pub struct ContactTypePremise {
    /// Its name.
    pub name: String,
    /// How it comes.
    pub channel: Channel,
    /// How long its customers wait; `None` for as long as it takes.
    pub patience: Option<Duration>,
    /// Mean handle time in seconds, wrap-up included unless it is given on its own.
    pub handle_secs: f64,
    /// Whether wrap-up is left out of the handle time.
    pub has_own_wrap_up: bool,
    /// Contacts that one agent is planned to hold at once.
    pub at_once: u32,
    /// Kinds of customers.
    pub profiles: Vec<Profile>,
    /// Contacts expected, interval by interval.
    pub contacts: Vec<f64>,
}

/// The people of a team.
#[derive(Clone, Debug, PartialEq)]
pub struct TeamPremise {
    /// The team's id.
    pub team: String,
    /// People on shift, interval by interval.
    pub people: Vec<u32>,
}

impl Premises {
    /// Premises of a strategy of which nothing else is known: the contact types that its entries name.
    pub fn unknown(strategy: &Strategy, zone: TimeZone) -> Self {
        let named = strategy.entries.iter().flat_map(|entry| {
            let any = entry.contact_types.is_empty().then(|| entry.name.clone());
            entry.contact_types.iter().cloned().chain(any)
        });
        let types = named.map(|name| ContactTypePremise {
            name,
            channel: Channel::Call,
            patience: None,
            handle_secs: 300.0,
            has_own_wrap_up: false,
            at_once: 1,
            profiles: Vec::new(),
            contacts: Vec::new(),
        });
        Self {
            zone,
            start: Timestamp::UNIX_EPOCH,
            interval_secs: 1800.0,
            // A week, so that every weekday's hours are seen.
            intervals: 7 * 48,
            types: types.collect(),
            teams: Vec::new(),
            lines: None,
            seats: None,
            licences: None,
        }
    }

    /// The interval in which most people are on shift, and how many; `None` where nobody is.
    pub fn most_on_shift(&self) -> Option<(usize, u32)> {
        let people =
            |at: usize| -> u32 { self.teams.iter().filter_map(|team| team.people.get(at)).sum() };
        // The first of several alike.
        let most =
            (0..self.intervals).rev().map(|at| (at, people(at))).max_by_key(|(_, people)| *people);
        most.filter(|(_, people)| *people > 0)
    }

    /// When an interval begins, on the centre's clock.
    pub fn clock(&self, interval: usize) -> DateTime {
        let since = SignedDuration::from_secs_f64(self.interval_secs * interval as f64);
        (self.start + since).to_zoned(self.zone.clone()).datetime()
    }

    /// Whether it is known how many contacts come.
    pub(crate) fn knows_contacts(&self) -> bool {
        self.types.iter().any(|each| each.contacts.iter().any(|&contacts| contacts > 0.0))
    }
}

impl ContactTypePremise {
    /// Share of customers who still wait after `secs`; `None` where nothing is known of their patience.
    pub fn still_waiting(&self, secs: f64) -> Option<f64> {
        self.patience.as_ref().map(|patience| outlasts(patience, secs))
    }
}

/// Share of a duration's draws that are longer than `secs`.
pub fn outlasts(duration: &Duration, secs: f64) -> f64 {
    if secs <= 0.0 {
        return 1.0;
    }
    match duration {
        Duration::Constant { secs: all } => f64::from(secs < *all),
        Duration::Exponential { mean_secs } if *mean_secs > 0.0 => (-secs / mean_secs).exp(),
        Duration::LogNormal { mean_secs, variation } if *mean_secs > 0.0 => {
            let spread = (1.0 + variation * variation).ln();
            let law = LogNormal::new(mean_secs.ln() - spread / 2.0, spread.sqrt());
            law.map_or(0.0, |law| law.sf(secs))
        }
        Duration::Gamma { mean_secs, variation } if *mean_secs > 0.0 => {
            let shape = 1.0 / (variation * variation);
            Gamma::new(shape, shape / mean_secs).map_or(0.0, |law| law.sf(secs))
        }
        Duration::Weibull { mean_secs, shape } if *mean_secs > 0.0 => {
            let scale = mean_secs / gamma(1.0 + 1.0 / shape);
            (-(secs / scale).powf(*shape)).exp()
        }
        Duration::Empirical { secs: seen } => {
            seen.iter().filter(|&&each| each > secs).count() as f64 / seen.len().max(1) as f64
        }
        _ => 0.0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_of_those_who_still_wait_are_those_of_the_distributions() {
        let mean_secs = 120.0;
        let one_in_e = 1.0 / std::f64::consts::E;
        for alike in [
            Duration::Exponential { mean_secs },
            Duration::Gamma { mean_secs, variation: 1.0 },
            Duration::Weibull { mean_secs, shape: 1.0 },
        ] {
            assert!((outlasts(&alike, 120.0) - one_in_e).abs() < 1e-9, "{alike:?}");
        }
        // Half of a log-normal lies above exp(mu), with mu = ln 120 - ln(1 + 1) / 2.
        let law = Duration::LogNormal { mean_secs, variation: 1.0 };
        assert!((outlasts(&law, 120.0 / 2f64.sqrt()) - 0.5).abs() < 1e-9);
        let seen = Duration::Empirical { secs: vec![10.0, 20.0, 30.0, 40.0] };
        assert_eq!(outlasts(&seen, 20.0), 0.5);
        assert_eq!(outlasts(&Duration::Constant { secs: 5.0 }, 5.0), 0.0);
    }
}
