//! A day as it really goes: no interval begins where its own steady state would have it.
//!
//! [`TransientDay`] follows the probabilities of "so many in the system" through a day of M(t)/M/n(t)+M
//! exactly, by uniformisation. When people leave, those who are on a call finish it first: then
//! more are busy than planned, and nobody new is answered until they are gone.

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

/// Probabilities at one instant.
#[derive(Clone, Debug, PartialEq)]
pub struct Moment {
    servers: usize,
    /// `normal[k]`: k in the system, of whom up to `servers` are busy.
    normal: Vec<f64>,
    /// `leaving[e − 1][q]`: e more are busy than planned, q wait.
    leaving: Vec<Vec<f64>>,
}

impl Moment {
    /// Probability of so many in the system.
    pub fn in_system(&self) -> Vec<f64> {
        let mut shares = self.normal.clone();
        for (excess, row) in self.leaving.iter().enumerate() {
            for (waiting, &share) in row.iter().enumerate() {
                let system = self.servers + excess + 1 + waiting;
                if shares.len() <= system {
                    shares.resize(system + 1, 0.0);
                }
                shares[system] += share;
            }
        }
        shares
    }

    /// Whether these probabilities are those of `other`, but for less than `tolerance` in all.
    pub fn is_close_to(&self, other: &Self, tolerance: f64) -> bool {
        if self.servers != other.servers {
            return false;
        }
        let (own, others) = (self.in_system(), other.in_system());
        let longest = own.len().max(others.len());
        let at = |shares: &[f64], k: usize| shares.get(k).copied().unwrap_or(0.0);
        let off: f64 = (0..longest).map(|k| (at(&own, k) - at(&others, k)).abs()).sum();
        let leaving = |moment: &Self| -> f64 { moment.leaving.iter().flatten().sum() };
        off + (leaving(self) - leaving(other)).abs() < tolerance
    }

    fn mean_in_system(&self) -> f64 {
        self.in_system().iter().enumerate().map(|(k, share)| k as f64 * share).sum()
    }
}

/// Rates of one stretch, with what is needed to step through it.
#[derive(Clone, Copy)]
struct Rates {
    coming: f64,
    handled: f64,
    giving_up: f64,
    servers: usize,
    most_waiting: usize,
}

/// Shares below this are dropped at the far end of the line; a day of a hundred stretches loses less
/// than 1e-12 by it.
const DROPPED: f64 = 1e-16;

/// Terms of a Poisson sum that add nothing.
const NO_WEIGHT: f64 = 1e-19;

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

impl Rates {
    /// The same with no longer line than `moment` has.
    fn seeing(self, moment: &Moment) -> Self {
        Self { most_waiting: moment.longest_line(), ..self }
    }

    /// The fastest that anything happens while at most `longest` wait.
    fn fastest(&self, moment: &Moment, longest: usize) -> f64 {
        let busy = (self.servers + moment.leaving.len()) as f64;
        self.coming + busy * self.handled + longest as f64 * self.giving_up
    }

    /// One beat backwards of the chance to be answered, for a contact with so many before it.
    fn step_back(&self, now: &Moment, next: &mut Moment, rate: f64) {
        let staff = self.servers as f64 * self.handled;
        for ahead in 0..=self.most_waiting {
            let gone = ahead as f64 * self.giving_up;
            let at = self.servers + ahead;
            // With nobody ahead a free server takes the contact: state servers − 1 is answered.
            let sooner = if at > 0 { now.normal[at - 1] } else { 0.0 };
            let stays = 1.0 - (staff + gone + self.giving_up) / rate;
            next.normal[at] = stays * now.normal[at] + (staff + gone) / rate * sooner;
        }
        for excess in 1..=now.leaving.len() {
            let leavers = (self.servers + excess) as f64 * self.handled;
            for ahead in 0..=self.most_waiting {
                let gone = ahead as f64 * self.giving_up;
                let fewer = if excess == 1 {
                    now.normal[self.servers + ahead]
                } else {
                    now.leaving[excess - 2][ahead]
                };
                let sooner = if ahead > 0 { now.leaving[excess - 1][ahead - 1] } else { 0.0 };
                let stays = 1.0 - (leavers + gone + self.giving_up) / rate;
                next.leaving[excess - 1][ahead] = stays * now.leaving[excess - 1][ahead]
                    + (leavers * fewer + gone * sooner) / rate;
            }
        }
    }

    /// What chances after a change of staff are worth just before it. A contact waits behind `ahead`
    /// others with `busy` servers busy, all of them or more than planned.
    fn as_seen_before(&self, next: &Rates, then: &Moment, excess: usize) -> Moment {
        let chance = |busy: usize, ahead: usize| {
            if next.servers > busy {
                // New servers take the first in line at once.
                let taken = next.servers - busy;
                if ahead < taken { 1.0 } else { then.normal[next.servers + ahead - taken] }
            } else if next.servers == busy {
                then.normal[busy + ahead]
            } else {
                then.leaving[busy - next.servers - 1][ahead]
            }
        };
        let ahead = 0..=self.most_waiting;
        let mut normal = vec![1.0; self.servers];
        normal.extend(ahead.clone().map(|ahead| chance(self.servers, ahead)));
        let leaving = (1..=excess)
            .map(|more| ahead.clone().map(|ahead| chance(self.servers + more, ahead)).collect())
            .collect();
        Moment { servers: self.servers, normal, leaving }
    }
}

/// Moves probabilities on by `secs` with a clock of `rate`, with at most `longest` waiting: the
/// probabilities then, and the time spent in each state.
///
/// State after t: Σ P(k beats) v_k; time in each: Σ P(more than k beats) v_k / rate.
fn uniformise(
    start: &Moment,
    rates: Rates,
    longest: usize,
    rate: f64,
    secs: f64,
) -> (Moment, Moment) {
    let weights = poisson::weights(rate * secs);
    let tails = poisson::tails(rate * secs);
    let (mut end, mut spent) = (start.nothing(), start.nothing());
    let pace = Pace::new(rates, longest, rate);
    let (mut now, mut next) = (start.clone(), start.nothing());
    for (weight, tail) in weights.iter().zip(&tails) {
        if *weight > NO_WEIGHT {
            end.add_up_to(longest, &now, *weight);
        }
        spent.add_up_to(longest, &now, tail / rate);
        step(&now, &mut next, rates, &pace, longest, rate);
        std::mem::swap(&mut now, &mut next);
    }
    (end, spent)
}

/// Chances per beat of the clock, by the number in the system.
struct Pace {
    /// That somebody leaves.
    leaves: Vec<f64>,
    /// That nothing happens.
    stays: Vec<f64>,
}

impl Pace {
    fn new(rates: Rates, longest: usize, rate: f64) -> Self {
        let last = rates.servers + longest;
        let leaves: Vec<f64> = (0..=last)
            .map(|system| {
                let (busy, waiting) =
                    (system.min(rates.servers), system.saturating_sub(rates.servers));
                (busy as f64 * rates.handled + waiting as f64 * rates.giving_up) / rate
            })
            .collect();
        let comes = |system: usize| if system < last { rates.coming / rate } else { 0.0 };
        let stays =
            leaves.iter().enumerate().map(|(at, leaves)| 1.0 - leaves - comes(at)).collect();
        Self { leaves, stays }
    }
}

/// One beat of the clock; who comes when `longest` wait finds no place.
fn step(now: &Moment, next: &mut Moment, rates: Rates, pace: &Pace, longest: usize, rate: f64) {
    let servers = rates.servers;
    let (coming, handled, giving_up) =
        (rates.coming / rate, rates.handled / rate, rates.giving_up / rate);
    // Every state from what it keeps and what its neighbours send: one pass without a branch.
    let shares = &now.normal[..pace.leaves.len()];
    let inner = shares.windows(3).zip(pace.stays[1..].iter().zip(&pace.leaves[2..]));
    for (next, (around, (stays, from_above))) in next.normal[1..].iter_mut().zip(inner) {
        *next = around[1] * stays + around[0] * coming + around[2] * from_above;
    }
    let last = shares.len() - 1;
    if last == 0 {
        next.normal[0] = shares[0];
    } else {
        next.normal[0] = shares[0] * pace.stays[0] + shares[1] * pace.leaves[1];
        next.normal[last] = shares[last] * pace.stays[last] + shares[last - 1] * coming;
    }
    for row in &mut next.leaving {
        row[..=longest].iter_mut().for_each(|share| *share = 0.0);
    }
    for excess in (1..=now.leaving.len()).rev() {
        let leave = (servers + excess) as f64 * handled;
        for waiting in 0..=longest {
            let share = now.leaving[excess - 1][waiting];
            if share == 0.0 {
                continue;
            }
            let comes = if waiting < longest { share * coming } else { 0.0 };
            let gone = share * waiting as f64 * giving_up;
            let done = share * leave;
            let own = &mut next.leaving[excess - 1];
            own[waiting] += share - comes - gone - done;
            if waiting < longest {
                own[waiting + 1] += comes;
            }
            if waiting > 0 {
                own[waiting - 1] += gone;
            }
            if excess == 1 {
                next.normal[servers + waiting] += done;
            } else {
                next.leaving[excess - 2][waiting] += done;
            }
        }
    }
}

impl Moment {
    fn nothing(&self) -> Self {
        Self {
            servers: self.servers,
            normal: vec![0.0; self.normal.len()],
            leaving: self.leaving.iter().map(|row| vec![0.0; row.len()]).collect(),
        }
    }

    fn add(&mut self, other: &Self, times: f64) {
        self.add_up_to(other.normal.len(), other, times);
    }

    /// Adds the states in which at most `longest` wait.
    fn add_up_to(&mut self, longest: usize, other: &Self, times: f64) {
        let last = (other.servers + longest + 1).min(other.normal.len());
        for (sum, share) in self.normal.iter_mut().zip(&other.normal[..last]) {
            *sum += times * share;
        }
        for (sums, row) in self.leaving.iter_mut().zip(&other.leaving) {
            for (sum, share) in sums.iter_mut().zip(row).take(longest + 1) {
                *sum += times * share;
            }
        }
    }

    /// Share of the states in which so many wait.
    fn at_line(&self, waiting: usize) -> f64 {
        let leaving = self.leaving.iter().map(|row| row[waiting]).sum::<f64>();
        self.normal[self.servers + waiting] + leaving
    }

    /// Σ share × value.
    fn expected(&self, values: &Self) -> f64 {
        let sum = |shares: &[f64], values: &[f64]| -> f64 {
            shares.iter().zip(values).map(|(share, value)| share * value).sum()
        };
        sum(&self.normal, &values.normal)
            + self
                .leaving
                .iter()
                .zip(&values.leaving)
                .map(|(shares, values)| sum(shares, values))
                .sum::<f64>()
    }

    /// The highest state with a share.
    fn highest(&self) -> usize {
        self.normal.iter().rposition(|&share| share != 0.0).unwrap_or(0)
    }

    fn longest_line(&self) -> usize {
        let leaving =
            self.leaving.iter().filter_map(|row| row.iter().rposition(|&share| share != 0.0));
        leaving.max().unwrap_or(0).max(self.highest().saturating_sub(self.servers))
    }

    /// Drops what is too small to matter at the far ends, and rows in which nobody is left.
    fn trim(&mut self) {
        let clear = |shares: &mut [f64]| {
            for share in shares.iter_mut().rev() {
                if *share >= DROPPED {
                    break;
                }
                *share = 0.0;
            }
        };
        clear(&mut self.normal);
        self.leaving.iter_mut().for_each(|row| clear(row));
        while self.leaving.last().is_some_and(|row| row.iter().all(|&share| share == 0.0)) {
            self.leaving.pop();
        }
    }

    /// The same contacts with the servers of a new stretch.
    fn staffed(&self, rates: Rates) -> Self {
        let servers = rates.servers;
        let most_busy = self.servers + self.leaving.len();
        let places = rates.most_waiting;
        let mut moment = Self {
            servers,
            normal: vec![0.0; servers + places + 1],
            leaving: vec![vec![0.0; places + 1]; most_busy.saturating_sub(servers)],
        };
        let mut put = |busy: usize, waiting: usize, share: f64| {
            if share == 0.0 {
                return;
            }
            if busy <= servers {
                let system = (busy + waiting).min(servers + places);
                moment.normal[system] += share;
            } else {
                moment.leaving[busy - servers - 1][waiting.min(places)] += share;
            }
        };
        for (system, &share) in self.normal.iter().enumerate() {
            put(system.min(self.servers), system.saturating_sub(self.servers), share);
        }
        for (excess, row) in self.leaving.iter().enumerate() {
            for (waiting, &share) in row.iter().enumerate() {
                put(self.servers + excess + 1, waiting, share);
            }
        }
        moment
    }
}
