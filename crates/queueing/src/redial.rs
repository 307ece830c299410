//! Callers who come back: after abandoning or being refused, some call again a little later.

use crate::chain::BandedChain;
use crate::traffic::{QueueError, Traffic, positive, share};

/// A line to which callers return.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Redial {
    /// First calls.
    pub traffic: Traffic,
    /// Servers.
    pub servers: u32,
    /// Places to wait in; `None` without limit.
    pub places: Option<u32>,
    /// Mean patience in seconds; `None` for callers who wait for ever.
    pub patience_secs: Option<f64>,
    /// Share of those who abandoned or were refused who call again, each time anew.
    pub share: f64,
    /// Mean time until they do, in seconds.
    pub after_secs: f64,
}

/// What callers and their calls meet.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RedialFigures {
    /// Calls per caller.
    pub calls_per_caller: f64,
    /// Share of callers who are answered in the end.
    pub callers_answered: f64,
    /// Share of calls that are refused.
    pub blocked: f64,
    /// Share of first attempts that are refused: those who return come rather when it is full.
    pub first_blocked: f64,
    /// Share of calls that wait.
    pub wait_probability: f64,
    /// Share of calls that abandon.
    pub abandonment: f64,
    /// Share of calls answered within the threshold.
    pub service_level: f64,
    /// Mean wait of the calls that are let in, in seconds.
    pub mean_wait_secs: f64,
    /// Mean number of callers who are about to call again.
    pub mean_returning: f64,
    /// Share of the servers' time spent on contacts.
    pub occupancy: f64,
}

impl Redial {
    /// The steady state of the chain over (in the system, about to call again).
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for numbers out of range or a line that nobody ever leaves,
    /// [`QueueError::TooLarge`] when the chain is beyond reach.
    ///
    /// # Source
    ///
    /// Falin and Templeton, *Retrial Queues* (1997), chapter 2, solved numerically: both numbers
    /// are cut off where less than about 1e-14 is left.
    pub fn figures(&self, within_secs: f64) -> Result<RedialFigures, QueueError> {
        share("share that redials", self.share)?;
        positive("mean time until redial in seconds", self.after_secs)?;
        if let Some(secs) = self.patience_secs {
            positive("mean patience in seconds", secs)?;
        }
        if self.traffic.offered_erlangs() == 0.0 {
            let (what, wanted) = ("offered load in Erlangs", "above zero");
            return Err(QueueError::BadNumber { what, wanted, got: 0.0 });
        }
        if self.share == 1.0 && self.traffic.offered_erlangs() >= f64::from(self.servers) {
            let erlangs = self.traffic.offered_erlangs();
            let needed = crate::erlang_c::fewest_stable(erlangs);
            return Err(QueueError::Unstable { servers: self.servers, erlangs, needed });
        }
        Window::around(self)?.solve(self, within_secs)
    }
}

/// The part of the chain that is looked at.
struct Window {
    /// Fewest and most in the system.
    system: (usize, usize),
    /// Most about to call again.
    returning: usize,
}

/// Most beats of the clock times places in line for a service level.
const MOST_BEATS: f64 = 1e10;

/// More states than any chain of this kind can have.
const MOST_STATES: f64 = 1e8;

/// What to do where the chain is beyond reach.
const ADVICE: &str =
    "take returning callers as further first calls (extended Erlang B), or play a trial";

/// ln of what may be cut off, relative to the likeliest state.
const CUT: f64 = 36.0;

impl Window {
    fn around(redial: &Redial) -> Result<Self, QueueError> {
        let first = redial.traffic.contacts_per_sec();
        let theta = redial.patience_secs.map_or(0.0, |secs| 1.0 / secs);
        // With every caller returning each time the most would come: that many bound the line.
        let bound = if redial.share < 1.0 { first / (1.0 - redial.share) } else { f64::INFINITY };
        let served = f64::from(redial.servers) / redial.traffic.handle_secs();
        let lost_most = |coming: f64| (coming - first.min(served)).max(0.0);
        let coming = bound.min(first + served + 10.0 * first);
        let longest = redial.servers as usize
            + match redial.places {
                Some(places) if theta == 0.0 && coming >= served => places as usize,
                Some(places) => (places as usize).min(tail(coming, served, theta)),
                None if theta == 0.0 && coming >= served => {
                    let erlangs = redial.traffic.offered_erlangs();
                    if first >= served {
                        let needed = crate::erlang_c::fewest_stable(erlangs);
                        let servers = redial.servers;
                        return Err(QueueError::Unstable { servers, erlangs, needed });
                    }
                    tail(first, served, theta)
                }
                None if theta == 0.0 => tail(first, served, theta),
                None => tail(coming, served, theta),
            };
        let returning =
            (lost_most(coming) * redial.after_secs).max(first * redial.share * redial.after_secs);
        let returning = (returning + 9.0 * returning.sqrt() + 40.0).ceil();
        let states = (longest as f64 + 1.0) * (returning + 1.0);
        if states > MOST_STATES {
            return Err(QueueError::TooLarge { states, advice: ADVICE });
        }
        let returning = returning as usize;
        let fewest = (redial.traffic.offered_erlangs()
            - 10.0 * redial.traffic.offered_erlangs().sqrt()
            - 10.0)
            .min(f64::from(redial.servers) - 1.0)
            .max(0.0) as usize;
        Ok(Self { system: (fewest.min(longest), longest), returning })
    }

    fn solve(&self, redial: &Redial, within_secs: f64) -> Result<RedialFigures, QueueError> {
        let (low, high) = self.system;
        let (width, again) = (high - low + 1, self.returning + 1);
        let servers = redial.servers as usize;
        let first = redial.traffic.contacts_per_sec();
        let handled = 1.0 / redial.traffic.handle_secs();
        let theta = redial.patience_secs.map_or(0.0, |secs| 1.0 / secs);
        let back = 1.0 / redial.after_secs;
        let is_full =
            |system: usize| redial.places.is_some_and(|places| system == servers + places as usize);
        // The narrower of the two numbers counts within the wider.
        let system_inside = width <= again;
        let at = |system: usize, returning: usize| {
            let inside = system - low;
            if system_inside { returning * width + inside } else { inside * again + returning }
        };
        let advice =
            "take returning callers as further first calls (extended Erlang B), or play a trial";
        let mut chain = BandedChain::new(width * again, width.min(again) + 1, advice)?;
        for system in low..=high {
            let busy = system.min(servers) as f64;
            let waiting = system.saturating_sub(servers) as f64;
            for returning in 0..again {
                let from = at(system, returning);
                let comes_back = returning as f64 * back;
                let may_return = if returning + 1 < again { redial.share } else { 0.0 };
                if system < high {
                    chain.add(from, at(system + 1, returning), first);
                    if returning > 0 {
                        chain.add(from, at(system + 1, returning - 1), comes_back);
                    }
                } else if is_full(system) {
                    if may_return > 0.0 {
                        chain.add(from, at(system, returning + 1), first * may_return);
                    }
                    if returning > 0 {
                        chain.add(
                            from,
                            at(system, returning - 1),
                            comes_back * (1.0 - redial.share),
                        );
                    }
                } else if returning > 0 {
                    // Beyond the window: seen too rarely to count, but the chain must not stick.
                    chain.add(from, at(system, returning - 1), comes_back);
                }
                if system > low {
                    let lost = waiting * theta;
                    let gone = busy * handled + lost * (1.0 - may_return);
                    chain.add(from, at(system - 1, returning), gone);
                    if may_return > 0.0 && lost > 0.0 {
                        chain.add(from, at(system - 1, returning + 1), lost * may_return);
                    }
                }
            }
        }
        let shares = chain.steady_state();
        let mut sums = Sums::default();
        let line = (high - servers.min(high) + 1) as f64;
        let beats = (servers as f64 * handled + line * theta) * within_secs;
        if beats.is_nan() || beats * line > MOST_BEATS {
            let advice = "take a shorter threshold";
            return Err(QueueError::TooLarge { states: line, advice });
        }
        // Chance that a call which finds so many waiting is answered in time, without abandoning.
        let reached =
            Reached::within(within_secs, servers, handled, theta, high - servers.min(high));
        for system in low..=high {
            for returning in 0..again {
                let share = shares[at(system, returning)];
                let calls = share * (first + returning as f64 * back);
                sums.calls += calls;
                sums.returning += share * returning as f64;
                sums.busy += share * system.min(servers) as f64;
                let waiting = share * system.saturating_sub(servers) as f64;
                sums.waiting += waiting;
                sums.lost += waiting * theta;
                if is_full(system) {
                    sums.full += share;
                    sums.blocked += calls;
                } else if system >= servers {
                    sums.wait += calls;
                    sums.in_time += calls * reached.0[system - servers];
                } else {
                    sums.in_time += calls;
                }
            }
        }
        Ok(RedialFigures {
            calls_per_caller: sums.calls / first,
            callers_answered: sums.busy * handled / first,
            blocked: sums.blocked / sums.calls,
            first_blocked: sums.full,
            wait_probability: sums.wait / sums.calls,
            abandonment: sums.lost / sums.calls,
            service_level: sums.in_time / sums.calls,
            mean_wait_secs: if sums.calls > sums.blocked {
                // Little's law over those who are let in.
                sums.waiting / (sums.calls - sums.blocked)
            } else {
                0.0
            },
            mean_returning: sums.returning,
            occupancy: if servers == 0 { 0.0 } else { sums.busy / servers as f64 },
        })
    }
}

/// Rates per second and means, added up over the states.
#[derive(Default)]
struct Sums {
    calls: f64,
    returning: f64,
    busy: f64,
    waiting: f64,
    lost: f64,
    full: f64,
    blocked: f64,
    wait: f64,
    in_time: f64,
}

/// Chance of being answered in time behind 0, 1, … others in line.
struct Reached(Vec<f64>);

impl Reached {
    fn within(secs: f64, servers: usize, handled: f64, theta: f64, longest: usize) -> Self {
        let departures = servers as f64 * handled;
        // Backwards from the threshold: chance[ahead] grows with every beat of the clock.
        let rate = departures + (longest + 1) as f64 * theta;
        let mut chance = vec![0.0; longest + 1];
        if rate == 0.0 || secs <= 0.0 {
            return Self(chance);
        }
        let (mut now, mut next) = (vec![0.0; longest + 1], vec![0.0; longest + 1]);
        // P(exactly k beats) × chance after k beats.
        for weight in crate::poisson::weights(rate * secs) {
            for (sum, value) in chance.iter_mut().zip(&now) {
                *sum += weight * value;
            }
            for ahead in 0..=longest {
                let leaves = departures + ahead as f64 * theta;
                let sooner = if ahead == 0 { departures } else { leaves * now[ahead - 1] };
                next[ahead] = now[ahead] * (1.0 - (leaves + theta) / rate) + sooner / rate;
            }
            std::mem::swap(&mut now, &mut next);
        }
        Self(chance)
    }
}

/// How long a line is worth looking at.
fn tail(arrivals: f64, departures: f64, theta: f64) -> usize {
    let (mut weight, mut most, mut length) = (0.0f64, 0.0f64, 0usize);
    loop {
        length += 1;
        weight += (arrivals / (departures + length as f64 * theta)).ln();
        most = most.max(weight);
        if weight < most - CUT || length > 2_000_000 {
            return length;
        }
    }
}
