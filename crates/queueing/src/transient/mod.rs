//! A day as it really goes: no interval begins where its own steady state would have it.
//!
//! [`TransientDay`] follows the probabilities of "so many in the system" through a day of M(t)/M/n(t)+M
//! exactly, by uniformisation. When people leave, those who are on a call finish it first: then
//! more are busy than planned, and nobody new is answered until they are gone.

mod clock;
mod moment;

use clock::{NO_WEIGHT, Rates, uniformise};
use moment::DROPPED;

pub use moment::Moment;

use crate::poisson;
use crate::quadrature::GAUSS_LEGENDRE_8;
use crate::traffic::{QueueError, not_negative, positive};

/// What happens in one stretch of a day.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stretch {
    /// Length in seconds.
    pub secs: f64,
    /// Contacts per second.
    pub contacts_per_sec: f64,
    /// Mean handle time in seconds; calls in progress take on the pace of the stretch.
    pub handle_secs: f64,
    /// Servers.
    pub servers: u32,
}

/// What one stretch comes to. Shares are of the contacts offered in it; without contacts they are
/// those of a contact that would come at any time in it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct StretchFigures {
    /// Share of the offered that is answered within the threshold, also when that falls into the
    /// next stretch.
    pub service_level: f64,
    /// Share of the offered that waits.
    pub wait_probability: f64,
    /// Contacts that abandon in this stretch.
    pub abandoned: f64,
    /// Contacts whose handling ends in this stretch.
    pub finished: f64,
    /// Mean number waiting, over the stretch.
    pub mean_waiting: f64,
    /// Mean number of busy servers, over the stretch; those who finish their last call count.
    pub mean_busy: f64,
    /// Mean number in the system when the stretch ends.
    pub in_system_at_end: f64,
    /// Probability that nobody is in the system when it ends.
    pub empty_at_end: f64,
}

/// How a day begins.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Start {
    /// Nobody is there.
    #[default]
    Empty,
    /// So many are in the system.
    InSystem(u32),
}

/// A day of exponential handle times and exponential patience whose plan can be tried.
#[derive(Clone, Copy, Debug)]
pub struct TransientDay {
    /// Mean patience in seconds; `None` for contacts that wait for ever.
    pub patience_secs: Option<f64>,
    /// Threshold of the service level in seconds.
    pub within_secs: f64,
    /// Most that may wait before the chain is cut off; contacts beyond find no place.
    pub most_waiting: u32,
}

/// Most beats times states of a day: some minutes.
const MOST_WORK: f64 = 3e11;

/// Beats of the clock that are taken in one go.
const MOST_BEATS: f64 = 400.0;

impl TransientDay {
    /// A day whose line is followed as far as it can be seen under `plan`: as if the busiest
    /// stretch with the fewest servers went on for ever, or as if nobody were answered all day.
    pub fn new(patience_secs: Option<f64>, within_secs: f64, plan: &[Stretch]) -> Self {
        let seen = |mean: f64| mean + 12.0 * mean.sqrt() + 30.0;
        let unanswered: f64 =
            plan.iter().map(|stretch| stretch.contacts_per_sec * stretch.secs).sum();
        let rate = plan.iter().map(|stretch| stretch.contacts_per_sec).fold(0.0, f64::max);
        let settled = patience_secs.map_or(f64::INFINITY, |patience| rate * patience);
        let most = seen(unanswered.min(settled));
        let most_waiting = if most.is_finite() { most.min(1e9) as u32 } else { u32::MAX };
        Self { patience_secs, within_secs, most_waiting }
    }

    /// Checks the day's own numbers and a plan for it.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for the first number out of range.
    pub fn check(&self, plan: &[Stretch]) -> Result<(), QueueError> {
        if let Some(secs) = self.patience_secs {
            positive("mean patience in seconds", secs)?;
        }
        not_negative("threshold in seconds", self.within_secs)?;
        for stretch in plan {
            positive("length of a stretch in seconds", stretch.secs)?;
            positive("handle time in seconds", stretch.handle_secs)?;
            not_negative("contacts per second", stretch.contacts_per_sec)?;
        }
        let most = plan.iter().map(|stretch| stretch.servers).max().unwrap_or(0);
        let states = f64::from(most) + f64::from(self.most_waiting);
        if states > 2e5 {
            let advice = "take fewer servers or places";
            return Err(QueueError::TooLarge { states, advice });
        }
        // Every beat of the clock passes over every state.
        let giving_up = self.patience_secs.map_or(0.0, |secs| 1.0 / secs);
        let waiting = f64::from(self.most_waiting) * giving_up;
        let beats = |stretch: &Stretch, secs: f64| {
            secs * (stretch.contacts_per_sec + f64::from(most) / stretch.handle_secs + waiting)
        };
        let work: f64 = plan
            .iter()
            .map(|stretch| {
                (beats(stretch, stretch.secs) + beats(stretch, self.within_secs)) * states
            })
            .sum();
        if work.is_nan() || work > MOST_WORK {
            let advice = "take a shorter day, fewer servers, or a shorter threshold";
            return Err(QueueError::TooLarge { states, advice });
        }
        Ok(())
    }

    /// The figures of every stretch of `plan`. After the last one its servers go on until everybody
    /// who waits is answered or gone; nobody new comes.
    ///
    /// # Errors
    ///
    /// As [`check`](Self::check).
    ///
    /// # Source
    ///
    /// Kolmogorov's equations by uniformisation (Jensen 1953; Grassmann, *Transient solutions in
    /// Markovian queueing systems*, 1977). Staffing drops: Ingolfsson, Akhmetshina, Budge, Li and
    /// Wu, *A survey and experimental comparison of service-level-approximation methods for
    /// nonstationary M(t)/M/s(t) queueing systems with exhaustive discipline* (2007).
    pub fn evaluate(
        &self,
        start: &Start,
        plan: &[Stretch],
    ) -> Result<Vec<StretchFigures>, QueueError> {
        self.check(plan)?;
        let Some(first) = plan.first() else { return Ok(Vec::new()) };
        let mut moment = self.start(start, first);
        Ok((0..plan.len())
            .map(|at| {
                let (figures, end) = self.stretch(&moment, &plan[at..]);
                moment = end;
                figures
            })
            .collect())
    }

    /// Probabilities when `plan` begins.
    pub fn start(&self, start: &Start, first: &Stretch) -> Moment {
        let in_system = match start {
            Start::Empty => 0,
            Start::InSystem(contacts) => *contacts as usize,
        };
        let servers = first.servers as usize;
        let mut normal = vec![0.0; servers + self.most_waiting as usize + 1];
        let last = normal.len() - 1;
        normal[in_system.min(last)] = 1.0;
        Moment { servers, normal, leaving: Vec::new() }
    }

    /// Plays the first stretch of `rest` from `moment`: its figures, and the probabilities when it
    /// ends. The stretches after it matter only for waits that reach into them.
    pub fn stretch(&self, moment: &Moment, rest: &[Stretch]) -> (StretchFigures, Moment) {
        let stretch = &rest[0];
        let rates = self.rates(stretch);
        let from = moment.staffed(rates);
        // The last `within` seconds of the stretch look into the next one.
        let look_ahead = if rest.len() > 1 { self.within_secs.min(stretch.secs) } else { 0.0 };
        let steady = stretch.secs - look_ahead;
        let mut sums = from.nothing();
        let mut now = from;
        if steady > 0.0 {
            now = self.advance(&now, rates, steady, &mut sums);
        }
        let mut in_time = 0.0;
        if steady > 0.0 {
            let reached = self.reached(
                rates,
                now.leaving.len().max(sums.leaving.len()),
                &[],
                self.within_secs,
            );
            in_time += sums.expected(&reached);
        }
        if look_ahead > 0.0 {
            in_time += self.look_ahead(&mut now, rates, look_ahead, rest, &mut sums);
        }
        let length = stretch.secs;
        let (mut waiting, mut busy, mut waits) = (0.0, 0.0, 0.0);
        for (system, share) in sums.normal.iter().enumerate() {
            waiting += share * system.saturating_sub(rates.servers) as f64;
            busy += share * system.min(rates.servers) as f64;
            if system >= rates.servers {
                waits += share;
            }
        }
        for (excess, row) in sums.leaving.iter().enumerate() {
            for (in_line, share) in row.iter().enumerate() {
                waiting += share * in_line as f64;
                busy += share * (rates.servers + excess + 1) as f64;
                waits += share;
            }
        }
        let figures = StretchFigures {
            service_level: (in_time / length).min(1.0),
            wait_probability: (waits / length).min(1.0),
            abandoned: waiting * rates.giving_up,
            finished: busy * rates.handled,
            mean_waiting: waiting / length,
            mean_busy: busy / length,
            in_system_at_end: now.mean_in_system(),
            empty_at_end: now.in_system()[0],
        };
        (figures, now)
    }

    /// The probabilities at the end of a stretch that begins with `moment`, without its figures.
    pub fn pass(&self, moment: &Moment, stretch: &Stretch) -> Moment {
        let rates = self.rates(stretch);
        let from = moment.staffed(rates);
        let mut sums = from.nothing();
        self.advance(&from, rates, stretch.secs, &mut sums)
    }

    fn rates(&self, stretch: &Stretch) -> Rates {
        Rates {
            coming: stretch.contacts_per_sec,
            handled: 1.0 / stretch.handle_secs,
            giving_up: self.patience_secs.map_or(0.0, |secs| 1.0 / secs),
            servers: stretch.servers as usize,
            most_waiting: self.most_waiting as usize,
        }
    }

    /// Moves `now` on by `secs` and adds the time spent in each state to `sums`.
    fn advance(&self, now: &Moment, rates: Rates, secs: f64, sums: &mut Moment) -> Moment {
        let mut now = now.clone();
        let mut left = secs;
        while left > 0.0 {
            now.trim();
            // Only so long a line is followed as can be seen; where it proves longer, again.
            let mut longest = (now.longest_line() * 5 / 4 + 12).min(rates.most_waiting);
            loop {
                let rate = rates.fastest(&now, longest);
                if rate == 0.0 {
                    sums.add(&now, left);
                    return now;
                }
                // Leavers are soon gone; the sooner they are dropped the better.
                let beats = if now.leaving.is_empty() { MOST_BEATS } else { MOST_BEATS / 4.0 };
                let part = left.min(beats / rate);
                let (end, spent) = uniformise(&now, rates, longest, rate, part);
                if longest < rates.most_waiting && end.at_line(longest) > DROPPED {
                    longest = (longest * 2).min(rates.most_waiting);
                    continue;
                }
                sums.add(&spent, 1.0);
                now = end;
                left -= part;
                break;
            }
            if left < secs * 1e-14 {
                break;
            }
        }
        now
    }

    /// ∫ over the last `secs` of a stretch of the chance to be answered in time, by Gauss and
    /// Legendre between the instants at which the look ahead meets a change of staff.
    fn look_ahead(
        &self,
        now: &mut Moment,
        rates: Rates,
        secs: f64,
        rest: &[Stretch],
        sums: &mut Moment,
    ) -> f64 {
        // Time before the end at which the threshold falls on a later change, from early to late.
        let mut breaks = vec![secs, 0.0];
        let mut until_change = 0.0;
        for later in &rest[1..] {
            until_change += later.secs;
            let before_end = self.within_secs - until_change;
            if before_end <= 0.0 {
                break;
            }
            if before_end < secs {
                breaks.push(before_end);
            }
        }
        breaks.sort_by(|a, b| b.total_cmp(a));
        let mut in_time = 0.0;
        for pair in breaks.windows(2) {
            let (middle, half) = (0.5 * (pair[0] + pair[1]), 0.5 * (pair[0] - pair[1]));
            let mut nodes: Vec<(f64, f64)> = GAUSS_LEGENDRE_8
                .iter()
                .flat_map(|&(node, weight)| {
                    [(middle + half * node, weight), (middle - half * node, weight)]
                })
                .collect();
            nodes.sort_by(|a, b| b.0.total_cmp(&a.0));
            let mut at = pair[0];
            for (before_end, weight) in nodes {
                *now = self.advance(now, rates, at - before_end, sums);
                at = before_end;
                let sight = rates.seeing(now);
                let excess = now.leaving.len();
                let reached = self.reached_across(sight, excess, before_end, &rest[1..]);
                in_time += half * weight * now.expected(&reached);
            }
            *now = self.advance(now, rates, at - pair[1], sums);
        }
        in_time
    }

    /// Chance of a contact that comes `before_end` seconds before the stretch ends to be answered
    /// in time, by what it finds.
    fn reached_across(
        &self,
        rates: Rates,
        excess: usize,
        before_end: f64,
        later: &[Stretch],
    ) -> Moment {
        let beyond = self.within_secs - before_end;
        if beyond <= 0.0 {
            return self.reached(rates, excess, &[], self.within_secs);
        }
        let Some((next, after)) = later.split_first() else {
            return self.reached(rates, excess, &[], self.within_secs);
        };
        // A contact only ever moves forward, so the line in sight is long enough later too.
        let next_rates = Rates { most_waiting: rates.most_waiting, ..self.rates(next) };
        // Those who find everybody leaving may meet as many leavers in the next stretch.
        let most_excess = (rates.servers + excess).saturating_sub(next_rates.servers);
        let then = if beyond <= next.secs || after.is_empty() {
            self.reached(next_rates, most_excess, &[], beyond)
        } else {
            let inside = Self { within_secs: beyond, ..*self };
            inside.reached_across(next_rates, most_excess, next.secs, after)
        };
        let change = rates.as_seen_before(&next_rates, &then, excess);
        self.reached(rates, excess, &[change], before_end)
    }

    /// Chance to be answered within `secs` by what a contact finds, `after` telling what becomes of
    /// it when it still waits then (nothing: it was too late).
    fn reached(&self, rates: Rates, excess: usize, after: &[Moment], secs: f64) -> Moment {
        let places = rates.most_waiting;
        let mut now = match after {
            [then] => then.clone(),
            _ => Moment {
                servers: rates.servers,
                normal: vec![0.0; rates.servers + places + 1],
                leaving: vec![vec![0.0; places + 1]; excess],
            },
        };
        for chance in &mut now.normal[..rates.servers] {
            *chance = 1.0;
        }
        let rate =
            (rates.servers + excess) as f64 * rates.handled + (places + 1) as f64 * rates.giving_up;
        if secs <= 0.0 || rate == 0.0 {
            return now;
        }
        let mut left = secs;
        while left > 0.0 {
            let part = left.min(MOST_BEATS / rate);
            let mut sum = now.nothing();
            let mut next = now.clone();
            for weight in poisson::weights(rate * part) {
                if weight > NO_WEIGHT {
                    sum.add(&now, weight);
                }
                rates.step_back(&now, &mut next, rate);
                std::mem::swap(&mut now, &mut next);
            }
            now = sum;
            left -= part;
        }
        now
    }
}
