//! Two classes of contacts on the same servers: the urgent go first, nobody is interrupted.

use crate::chain::BandedChain;
use crate::erlang_c::ErlangC;
use crate::line::Line;
use crate::scaled::weight_below_full;
use crate::traffic::{QueueError, Traffic, not_negative, positive};

/// One class of contacts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Class {
    /// Contacts per second.
    pub contacts_per_sec: f64,
    /// Mean patience in seconds; `None` for contacts that wait for ever.
    pub patience_secs: Option<f64>,
}

/// What one class meets. Shares are of its own offered contacts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ClassFigures {
    /// Share that waits: the same for both classes.
    pub wait_probability: f64,
    /// Share that abandons.
    pub abandonment: f64,
    /// Mean wait of the answered, in seconds.
    pub answer_secs: f64,
    /// Mean wait of everybody, in seconds.
    pub mean_wait_secs: f64,
    /// Mean number waiting.
    pub mean_waiting: f64,
    /// Share answered within the threshold.
    pub service_level: f64,
}

/// Two classes with one mean handle time on n servers; the urgent are answered before the others,
/// each class in its order of arrival, and a contact that is being handled is never interrupted.
#[derive(Clone, Copy, Debug)]
pub struct TwoClasses {
    /// The urgent.
    pub urgent: Class,
    /// The others.
    pub others: Class,
    /// Mean handle time of both in seconds.
    pub handle_secs: f64,
    /// Servers.
    pub servers: u32,
}

impl TwoClasses {
    /// The steady state: figures of the urgent and of the others, service levels within
    /// `within_secs`.
    ///
    /// Both classes must have a patience, or neither.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for numbers out of range or patience for one class only,
    /// [`QueueError::Unstable`] for an endless line of the patient, [`QueueError::TooLarge`] when
    /// the chain over both lines is beyond reach.
    ///
    /// # Source
    ///
    /// With patience, the chain over (urgent waiting, others waiting), truncated where less than 1e-15
    /// is left. Without, the means are Cobham's, *Priority assignment in waiting line problems*
    /// (1954), and waits of the others are busy periods of the urgent: Kella and Yechiali, *Waiting
    /// times in the non-preemptive priority M/M/c queue* (1985).
    pub fn figures(&self, within_secs: f64) -> Result<[ClassFigures; 2], QueueError> {
        for class in [self.urgent, self.others] {
            not_negative("contacts per second", class.contacts_per_sec)?;
            if let Some(secs) = class.patience_secs {
                positive("mean patience in seconds", secs)?;
            }
        }
        not_negative("threshold in seconds", within_secs)?;
        positive("handle time in seconds", self.handle_secs)?;
        if self.urgent.patience_secs.is_some() != self.others.patience_secs.is_some() {
            let (what, wanted) = ("mean patience in seconds", "given for both classes or for none");
            return Err(QueueError::BadNumber { what, wanted, got: f64::NAN });
        }
        match (self.urgent.patience_secs, self.others.patience_secs) {
            (None, None) => self.without_patience(within_secs),
            _ => Lines::new(self)?.figures(within_secs),
        }
    }

    /// Share of the servers' time spent on contacts, from the figures of both classes.
    pub fn occupancy(&self, figures: &[ClassFigures; 2]) -> f64 {
        let classes = [self.urgent, self.others].into_iter().zip(figures);
        let handled: f64 =
            classes.map(|(class, of)| class.contacts_per_sec * (1.0 - of.abandonment)).sum();
        if self.servers == 0 { 0.0 } else { handled * self.handle_secs / f64::from(self.servers) }
    }

    /// Nobody gives up: closed forms, for however long a line.
    ///
    /// While all are busy, the number waiting is geometric with the ratio ρ, and that of the urgent
    /// among them with the urgent's own. One of the others is answered when everybody who was there
    /// has left and all urgent who came meanwhile: when a walk that begins at the number waiting and
    /// one more, goes up with each urgent arrival and down with each departure, has come to zero.
    fn without_patience(&self, within_secs: f64) -> Result<[ClassFigures; 2], QueueError> {
        let [urgent, others] = [self.urgent.contacts_per_sec, self.others.contacts_per_sec];
        let coming = urgent + others;
        let traffic = Traffic::of_load(coming * self.handle_secs, self.handle_secs)?;
        let wait_probability = if coming > 0.0 || self.servers == 0 {
            ErlangC::new(traffic, self.servers)?.wait_probability()
        } else {
            0.0
        };
        let departures = f64::from(self.servers) / self.handle_secs;
        let figures = |rate: f64, mean_wait_secs: f64, late: f64| ClassFigures {
            wait_probability,
            abandonment: 0.0,
            answer_secs: mean_wait_secs,
            mean_wait_secs,
            mean_waiting: rate * mean_wait_secs,
            service_level: 1.0 - wait_probability * late,
        };
        if coming == 0.0 {
            return Ok([figures(0.0, 0.0, 1.0); 2]);
        }
        let urgent_wait = wait_probability / (departures - urgent);
        let others_wait = urgent_wait * departures / (departures - coming);
        let urgent_late = (-(departures - urgent) * within_secs).exp();
        let others_late = chance_of_walking_on(urgent, departures, coming, within_secs)?;
        Ok([figures(urgent, urgent_wait, urgent_late), figures(others, others_wait, others_late)])
    }
}

/// Of those of the others who wait, the share that has not been answered after `secs`.
fn chance_of_walking_on(
    urgent: f64,
    departures: f64,
    coming: f64,
    secs: f64,
) -> Result<f64, QueueError> {
    // Longer walks than this carry less than 1e-17 of the weight at the start, and cannot be caught
    // up with in the time by so many beats of the clock that less than 1e-17 are faster.
    let ratio = coming / departures;
    let at_start = (-39.0 / ratio.ln()).ceil().max(1.0);
    let beats = (urgent + departures) * secs;
    let grows_by = (beats + 10.0 * beats.sqrt() + 50.0).min(at_start + 40.0 * beats.sqrt() + 400.0);
    let states = at_start + grows_by;
    if states > 1e7 || beats * states > MOST_BEATS / 10.0 {
        return Err(QueueError::TooLarge { states, advice: "take a shorter threshold" });
    }
    let mut start = vec![0.0; states as usize];
    let mut weight = 1.0 - ratio;
    for share in start.iter_mut().take(at_start as usize) {
        *share = weight;
        weight *= ratio;
    }
    let rate = urgent + departures;
    let answered = chance_in_time(secs, rate, &start, |now, next, rate| {
        let (up, down) = (urgent / rate, departures / rate);
        let last = now.len() - 1;
        for (ahead, &weight) in now.iter().enumerate() {
            if weight < 1e-300 {
                continue;
            }
            // At the far end, which is never reached in time, an urgent arrival changes nothing.
            next[if ahead < last { ahead + 1 } else { ahead }] += weight * up;
            if ahead > 0 {
                next[ahead - 1] += weight * down;
            }
        }
        now[0] * down
    });
    Ok((1.0 - answered).max(0.0))
}

/// Most beats of the clock times states for a service level: some seconds.
const MOST_BEATS: f64 = 2e10;

/// Both lines behind full servers, as a chain.
struct Lines {
    arrivals: [f64; 2],
    giving_up: [f64; 2],
    departures: f64,
    /// Longest lines that are looked at.
    most: [usize; 2],
    /// Share of time in which nobody has to wait.
    at_once: f64,
    /// Share of time with so many waiting: `shares[others * (most urgent + 1) + urgent]`.
    shares: Vec<f64>,
}

impl Lines {
    fn new(classes: &TwoClasses) -> Result<Self, QueueError> {
        let arrivals = [classes.urgent.contacts_per_sec, classes.others.contacts_per_sec];
        let giving_up = [classes.urgent, classes.others]
            .map(|class| class.patience_secs.map_or(0.0, |secs| 1.0 / secs));
        let departures = f64::from(classes.servers) / classes.handle_secs;
        let coming = arrivals[0] + arrivals[1];
        let least = giving_up[0].min(giving_up[1]);
        let traffic = Traffic::of_load(coming * classes.handle_secs, classes.handle_secs)?;
        let most =
            [longest(arrivals[0], departures, giving_up[0]), longest(coming, departures, least)];
        let width = most[0] + 1;
        let states = width * (most[1] + 1);
        let advice = "use a shorter patience or fewer contacts, or play a trial";
        // The shorter line counts within the longer, so that the band is narrow.
        let mut chain = BandedChain::new(states, width, advice)?;
        let at = |urgent: usize, others: usize| others * width + urgent;
        for others in 0..=most[1] {
            for urgent in 0..=most[0] {
                let from = at(urgent, others);
                if urgent < most[0] {
                    chain.add(from, at(urgent + 1, others), arrivals[0]);
                }
                if others < most[1] {
                    chain.add(from, at(urgent, others + 1), arrivals[1]);
                }
                if urgent > 0 {
                    let rate = departures + urgent as f64 * giving_up[0];
                    chain.add(from, at(urgent - 1, others), rate);
                }
                if others > 0 {
                    let answered = if urgent == 0 { departures } else { 0.0 };
                    let rate = answered + others as f64 * giving_up[1];
                    chain.add(from, at(urgent, others - 1), rate);
                }
            }
        }
        if coming == 0.0 {
            let at_once = if classes.servers > 0 { 1.0 } else { 0.0 };
            let mut shares = vec![0.0; states];
            shares[0] = 1.0 - at_once;
            return Ok(Self { arrivals, giving_up, departures, most, at_once, shares });
        }
        let mut shares = chain.steady_state();
        // The chain is watched while all are busy; below full it is the usual birth-death chain.
        let below = weight_below_full(traffic.offered_erlangs(), classes.servers).value();
        let below = below * shares[0];
        let full = 1.0 / (1.0 + below);
        shares.iter_mut().for_each(|share| *share *= full);
        let at_once = if below == f64::INFINITY { 1.0 } else { below * full };
        Ok(Self { arrivals, giving_up, departures, most, at_once, shares })
    }

    fn share(&self, urgent: usize, others: usize) -> f64 {
        self.shares[others * (self.most[0] + 1) + urgent]
    }

    fn figures(&self, within_secs: f64) -> Result<[ClassFigures; 2], QueueError> {
        let rate = self.arrivals[0]
            + self.departures
            + self.most[0] as f64 * self.giving_up[0]
            + (self.most[1] + 1) as f64 * self.giving_up[1];
        let beats = rate * within_secs * self.shares.len() as f64;
        if beats > MOST_BEATS {
            let states = self.shares.len() as f64;
            return Err(QueueError::TooLarge { states, advice: "take a shorter threshold" });
        }
        let wait_probability = self.shares.iter().sum();
        let levels = [self.urgent_in_time(within_secs), self.others_in_time(within_secs)];
        let reached = self.chance_that_others_are_reached();
        let mut waiting = [0.0; 2];
        let mut to_be_answered = [0.0; 2];
        let mut answered_of_urgent = vec![0.0; self.most[0] + 1];
        for urgent in 1..=self.most[0] {
            let leaving = self.departures + urgent as f64 * self.giving_up[0];
            answered_of_urgent[urgent] = answered_of_urgent[urgent - 1] + self.departures / leaving;
        }
        for urgent in 0..=self.most[0] {
            let mut answered_of_others = 0.0;
            for others in 0..=self.most[1] {
                let share = self.share(urgent, others);
                if others > 0 {
                    answered_of_others += reached[(others - 1) * (self.most[0] + 1) + urgent];
                }
                waiting[0] += share * urgent as f64;
                waiting[1] += share * others as f64;
                to_be_answered[0] += share * answered_of_urgent[urgent];
                to_be_answered[1] += share * answered_of_others;
            }
        }
        let per = |mean: f64, rate: f64| if mean > 0.0 { mean / rate } else { 0.0 };
        Ok([0, 1].map(|class| {
            let abandonment = per(self.giving_up[class] * waiting[class], self.arrivals[class]);
            ClassFigures {
                wait_probability,
                abandonment,
                answer_secs: per(to_be_answered[class], self.arrivals[class] * (1.0 - abandonment)),
                mean_wait_secs: per(waiting[class], self.arrivals[class]),
                mean_waiting: waiting[class],
                service_level: levels[class],
            }
        }))
    }

    /// The urgent see only their own line.
    fn urgent_in_time(&self, within_secs: f64) -> f64 {
        let line: Vec<f64> = (0..=self.most[0])
            .map(|urgent| (0..=self.most[1]).map(|others| self.share(urgent, others)).sum())
            .collect();
        let reached = chance_in_time(
            within_secs,
            self.departures + self.most[0] as f64 * self.giving_up[0] + self.giving_up[0],
            &line,
            |now, next, rate| {
                let mut answered = 0.0;
                for (ahead, &weight) in now.iter().enumerate() {
                    let sooner = ahead as f64 * self.giving_up[0];
                    let leaves = self.departures + sooner;
                    next[ahead] += weight * (1.0 - (leaves + self.giving_up[0]) / rate);
                    if ahead == 0 {
                        answered += weight * self.departures / rate;
                    } else {
                        next[ahead - 1] += weight * leaves / rate;
                    }
                }
                answered
            },
        );
        self.at_once + reached
    }

    /// One of the others waits for the urgent, also for those who come after it.
    fn others_in_time(&self, within_secs: f64) -> f64 {
        let width = self.most[0] + 1;
        let most_rate = self.arrivals[0]
            + self.departures
            + self.most[0] as f64 * self.giving_up[0]
            + (self.most[1] + 1) as f64 * self.giving_up[1];
        let reached = chance_in_time(within_secs, most_rate, &self.shares, |now, next, rate| {
            let mut answered = 0.0;
            for (state, &weight) in now.iter().enumerate() {
                if weight < 1e-300 {
                    continue;
                }
                let (urgent, ahead) = (state % width, state / width);
                let comes = if urgent < self.most[0] { self.arrivals[0] } else { 0.0 };
                let urgent_leaves = urgent as f64 * self.giving_up[0];
                let ahead_leaves = ahead as f64 * self.giving_up[1];
                let all =
                    comes + urgent_leaves + ahead_leaves + self.departures + self.giving_up[1];
                next[state] += weight * (1.0 - all / rate);
                if comes > 0.0 {
                    next[state + 1] += weight * comes / rate;
                }
                let by_departure = weight * self.departures / rate;
                if urgent > 0 {
                    next[state - 1] += weight * urgent_leaves / rate + by_departure;
                } else if ahead > 0 {
                    next[state - width] += by_departure;
                } else {
                    answered += by_departure;
                }
                if ahead > 0 {
                    next[state - width] += weight * ahead_leaves / rate;
                }
            }
            answered
        });
        self.at_once + reached
    }

    /// For one of the others with (urgent, others ahead): whether it is answered in the end. Level
    /// by level of those ahead, each a tridiagonal system in the urgent.
    fn chance_that_others_are_reached(&self) -> Vec<f64> {
        let width = self.most[0] + 1;
        let mut reached = vec![1.0; width * (self.most[1] + 1)];
        if self.giving_up[1] == 0.0 {
            return reached;
        }
        for ahead in 0..=self.most[1] {
            let ahead_leaves = ahead as f64 * self.giving_up[1];
            // Forward elimination: reached[u] = constant[u] + factor[u] × reached[u + 1].
            let (mut constant, mut factor) = (vec![0.0; width], vec![0.0; width]);
            for urgent in 0..width {
                let comes = if urgent < self.most[0] { self.arrivals[0] } else { 0.0 };
                let urgent_leaves = urgent as f64 * self.giving_up[0];
                let all =
                    comes + urgent_leaves + ahead_leaves + self.departures + self.giving_up[1];
                let before = |reached: &[f64]| reached[(ahead - 1) * width + urgent];
                let mut known = if ahead > 0 { ahead_leaves * before(&reached) } else { 0.0 };
                let mut pivot = all;
                if urgent == 0 {
                    known += self.departures * if ahead > 0 { before(&reached) } else { 1.0 };
                } else {
                    let down = urgent_leaves + self.departures;
                    known += down * constant[urgent - 1];
                    pivot -= down * factor[urgent - 1];
                }
                constant[urgent] = known / pivot;
                factor[urgent] = comes / pivot;
            }
            for urgent in (0..width).rev() {
                let next =
                    if urgent < self.most[0] { reached[ahead * width + urgent + 1] } else { 0.0 };
                reached[ahead * width + urgent] = constant[urgent] + factor[urgent] * next;
            }
        }
        reached
    }
}

/// Share of `start` that has been answered after `secs`, by uniformisation: `step` moves the weights
/// on by one event of a clock that beats at the given rate, and returns what was answered.
fn chance_in_time(
    secs: f64,
    rate: f64,
    start: &[f64],
    step: impl Fn(&[f64], &mut [f64], f64) -> f64,
) -> f64 {
    if secs == 0.0 || rate == 0.0 {
        return 0.0;
    }
    let beats = rate * secs;
    let (mut now, mut next) = (start.to_vec(), vec![0.0; start.len()]);
    let mut answered = 0.0;
    // P(beats > k) for the answers of step k + 1: those who were answered by the k-th beat stay so.
    for more in crate::poisson::tails(beats) {
        next.iter_mut().for_each(|weight| *weight = 0.0);
        answered += more * step(&now, &mut next, rate);
        std::mem::swap(&mut now, &mut next);
    }
    answered
}

/// How long a line is worth looking at: less than 1e-15 of its weight lies beyond.
fn longest(arrivals: f64, departures: f64, giving_up: f64) -> usize {
    if arrivals == 0.0 {
        return 0;
    }
    let line = Line { arrivals, departures, giving_up, places: None };
    let (mut weight, mut most, mut length) = (0.0f64, 0.0f64, 0usize);
    loop {
        length += 1;
        weight += (line.arrivals / (line.departures + length as f64 * line.giving_up)).ln();
        most = most.max(weight);
        if weight < most - 37.0 || length > 2_000_000 {
            return length;
        }
    }
}
