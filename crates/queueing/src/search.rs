//! The fewest servers that keep a promise, found millions of times a second.
//!
//! A search asks the same model for two or three neighbouring numbers of servers, and only whether
//! a promise holds. So: the states below full are summed once and moved on from one number of servers
//! to the next by their recursion; the sums stop, and the integral is taken by as few nodes, as
//! ten digits need; and where a promise is met or missed by less than that, the exact model
//! decides. Which numbers to ask first is taken from the interval before: the square root of the
//! load that it needed on top (Halfin and Whitt 1981) is needed again, or nearly.

use crate::bend::bend;
use crate::erlang_a::ErlangA;
use crate::erlang_c::ErlangC;
use crate::quadrature::GAUSS_LEGENDRE_8;
use crate::traffic::{QueueError, Traffic, positive};

/// What a staffing promises. Shares are 0..=1 of the offered contacts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Promise {
    /// Share answered within `within_secs`, at least.
    pub service_level: f64,
    /// The service level's threshold in seconds.
    pub within_secs: f64,
    /// Share that abandons, at most.
    pub abandonment: Option<f64>,
    /// Share of the servers' time spent on contacts, at most.
    pub occupancy: Option<f64>,
    /// Mean of the exponential patience in seconds; `None` when contacts wait for ever.
    pub patience_secs: Option<f64>,
}

/// A search for the fewest servers under one promise, which remembers where it last found them.
#[derive(Clone, Copy, Debug)]
pub struct FewestServers {
    promise: Promise,
    /// (servers − load) / √load of the last answer.
    spare: f64,
}

/// So many neighbours of the guess are asked one by one.
const NEAR: u32 = 6;

/// Relative error up to which the quick sums can be trusted.
const TRUSTED: f64 = 1e-9;

/// Sums stop when a term is smaller than this share of them.
const CUT: f64 = 2e-12;

impl FewestServers {
    /// A search under `promise`.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for a patience that is not above zero.
    pub fn new(promise: Promise) -> Result<Self, QueueError> {
        if let Some(secs) = promise.patience_secs {
            positive("mean patience in seconds", secs)?;
        }
        Ok(Self { promise, spare: 0.5 })
    }

    /// The fewest servers that keep the promise for `traffic`; `None` when more than `most` are
    /// needed. No traffic needs none.
    ///
    /// # Errors
    ///
    /// [`QueueError`] where the exact model has to decide and cannot.
    pub fn find(&mut self, traffic: Traffic, most: u32) -> Result<Option<u32>, QueueError> {
        let load = traffic.offered_erlangs();
        if load == 0.0 {
            return Ok(Some(0));
        }
        if load > f64::from(most) * 4.0 + 1e3 {
            return Ok(None);
        }
        // Without patience fewer servers than the load never settle; the busy share bounds too.
        let stable = if self.promise.patience_secs.is_none() { load.floor() + 1.0 } else { 1.0 };
        let least = match self.promise.occupancy {
            Some(share) if self.promise.patience_secs.is_none() => stable.max(load / share - 1e-9),
            _ => stable,
        };
        let root = load.sqrt();
        let guess = (load + self.spare * root).round().max(least.ceil()).min(f64::from(most));
        let found = self.starting_at(traffic, guess as u32, most)?;
        if let Some(servers) = found {
            self.spare = ((f64::from(servers) - load) / root).clamp(-0.9 * root, 8.0);
        }
        Ok(found)
    }

    /// Steps from a guess to the answer; where it proves far away, in ever longer steps.
    fn starting_at(
        &self,
        traffic: Traffic,
        guess: u32,
        most: u32,
    ) -> Result<Option<u32>, QueueError> {
        let mut line = Quick::new(traffic, guess);
        if line.keeps(traffic, &self.promise)? {
            for _ in 0..NEAR {
                if line.servers == 1 {
                    return Ok(Some(1));
                }
                let fewer = line.with_one_fewer();
                if !fewer.keeps(traffic, &self.promise)? {
                    return Ok(Some(line.servers));
                }
                line = fewer;
            }
            let (mut high, mut step) = (line.servers, 1);
            let low = loop {
                let low = high.saturating_sub(step);
                if low == 0 || !Quick::new(traffic, low).keeps(traffic, &self.promise)? {
                    break low;
                }
                (high, step) = (low, step * 2);
            };
            return self.between(traffic, low, high).map(Some);
        }
        for _ in 0..NEAR {
            if line.servers >= most {
                return Ok(None);
            }
            line = line.with_one_more();
            if line.keeps(traffic, &self.promise)? {
                return Ok(Some(line.servers));
            }
        }
        let (mut low, mut step) = (line.servers, 1u32);
        loop {
            if low >= most {
                return Ok(None);
            }
            let high = low.saturating_add(step).min(most);
            if Quick::new(traffic, high).keeps(traffic, &self.promise)? {
                return self.between(traffic, low, high).map(Some);
            }
            (low, step) = (high, step.saturating_mul(2));
        }
    }

    /// `low` does not keep the promise (or is nobody), `high` does.
    fn between(&self, traffic: Traffic, mut low: u32, mut high: u32) -> Result<u32, QueueError> {
        while high - low > 1 {
            let middle = low + (high - low) / 2;
            if Quick::new(traffic, middle).keeps(traffic, &self.promise)? {
                high = middle;
            } else {
                low = middle;
            }
        }
        Ok(high)
    }
}

/// One number of servers with its quick sums.
#[derive(Clone, Copy)]
struct Quick {
    load: f64,
    handle_secs: f64,
    servers: u32,
    /// Weight of the states below full, in units of "full, nobody waiting".
    below: f64,
}

impl Quick {
    fn new(traffic: Traffic, servers: u32) -> Self {
        let load = traffic.offered_erlangs();
        Self {
            load,
            handle_secs: traffic.handle_secs(),
            servers,
            below: quick_below(load, servers),
        }
    }

    fn with_one_more(self) -> Self {
        let servers = self.servers + 1;
        // W(n + 1) = (n + 1)/a (1 + W(n)): only positive terms.
        Self { servers, below: f64::from(servers) / self.load * (1.0 + self.below), ..self }
    }

    fn with_one_fewer(self) -> Self {
        let servers = self.servers - 1;
        let passed = self.below * self.load / f64::from(self.servers);
        // W(n − 1) = W(n) a/n − 1 loses digits where little is left, or everything beyond reach.
        let below = if passed.is_finite() && passed > 2.0 {
            passed - 1.0
        } else {
            quick_below(self.load, servers)
        };
        Self { servers, below, ..self }
    }

    fn keeps(&self, traffic: Traffic, promise: &Promise) -> Result<bool, QueueError> {
        match promise.patience_secs {
            Some(patience) => self.impatient_keep(traffic, promise, patience),
            None => self.patient_keep(traffic, promise),
        }
    }

    fn patient_keep(&self, traffic: Traffic, promise: &Promise) -> Result<bool, QueueError> {
        let n = f64::from(self.servers);
        if n <= self.load {
            return Ok(false);
        }
        if promise.occupancy.is_some_and(|most| self.load / n > most) {
            return Ok(false);
        }
        let spare = n - self.load;
        let full = n / spare;
        let wait = full / (self.below + full);
        let late = wait * (-spare * promise.within_secs / self.handle_secs).exp();
        // Compared by the share that is late, which is the smaller number at usual targets.
        match surely_at_most(late, 1.0 - promise.service_level) {
            Some(keeps) => Ok(keeps),
            None => {
                let exact = ErlangC::new(traffic, self.servers)?;
                Ok(exact.service_level(promise.within_secs) >= promise.service_level)
            }
        }
    }

    fn impatient_keep(
        &self,
        traffic: Traffic,
        promise: &Promise,
        patience: f64,
    ) -> Result<bool, QueueError> {
        let exact = || -> Result<bool, QueueError> {
            let line = ErlangA::new(traffic, self.servers, patience)?;
            Ok(line.service_level(promise.within_secs) >= promise.service_level
                && promise.abandonment.is_none_or(|most| line.abandonment() <= most)
                && promise.occupancy.is_none_or(|most| line.occupancy() <= most))
        };
        let (a, n) = (self.load, f64::from(self.servers));
        let giving_up = self.handle_secs / patience;
        // In deep overload, or with endless patience, the sums start far from their peak; that is the
        // exact model's business.
        let is_far = a > n + 6.0 * a.sqrt() + 30.0;
        if is_far || (a - n) / giving_up > 1e5 || a / giving_up > 1e8 {
            return exact();
        }
        let (line, waiting) = quick_line(a, n, giving_up);
        let total = self.below + line;
        let abandonment = waiting / total * giving_up / a;
        if let Some(most) = promise.abandonment {
            match surely_at_most(abandonment, most) {
                Some(false) => return Ok(false),
                Some(true) => {}
                None => return exact(),
            }
        }
        if let Some(most) = promise.occupancy {
            let busy = a * (1.0 - abandonment) / n;
            match surely_at_most(busy, most) {
                Some(false) => return Ok(false),
                Some(true) => {}
                None => return exact(),
            }
        }
        // Nobody who finds a free server is late; where that suffices no integral is needed.
        let at_once = self.below / total;
        if at_once > promise.service_level * (1.0 + TRUSTED) {
            return Ok(true);
        }
        if self.below == f64::INFINITY {
            return Ok(true);
        }
        let c = a / giving_up;
        let s = n / giving_up;
        let until = promise.within_secs / patience;
        let Some(answered) = quick_answered(c, s, (a - n) / giving_up, until) else {
            return exact();
        };
        let level = (self.below + s * answered) / total;
        match surely_at_most(promise.service_level, level) {
            Some(keeps) => Ok(keeps),
            None => exact(),
        }
    }
}

/// Whether `got` is at most `most`; `None` when it is too close to say.
fn surely_at_most(got: f64, most: f64) -> Option<bool> {
    if (got - most).abs() <= TRUSTED * got.abs().max(most.abs()).max(1e-12) || got.is_nan() {
        return None;
    }
    Some(got <= most)
}

/// The sum of n (n−1) … (n−k+1) / a^k over k ≥ 1, in blocks of four terms whose products do not
/// wait for one another; infinite where it overflows, which is where nobody ever waits.
fn quick_below(load: f64, servers: u32) -> f64 {
    let inverse = 1.0 / load;
    let step = 4.0 * inverse;
    // The next four factors, and how much each falls from one block to the next.
    let n = f64::from(servers);
    let [mut r1, mut r2, mut r3, mut r4] = [n, n - 1.0, n - 2.0, n - 3.0].map(|k| k * inverse);
    let (mut term, mut sum) = (1.0, 0.0);
    let mut left = servers;
    while left >= 4 {
        let pair = r1 * r2;
        let triple = pair * r3;
        let block = pair * (r3 * r4);
        sum += term * ((r1 + pair) + (triple + block));
        term *= block;
        (r1, r2, r3, r4) = (r1 - step, r2 - step, r3 - step, r4 - step);
        left -= 4;
        if r1 < 1.0 && term < sum * CUT {
            return sum;
        }
        if sum > 1e290 {
            return f64::INFINITY;
        }
    }
    for busy in (1..=left).rev() {
        term *= f64::from(busy) * inverse;
        sum += term;
    }
    sum
}

/// The line's weight and Σ weight × waiting, in blocks of four with one division each.
fn quick_line(a: f64, n: f64, giving_up: f64) -> (f64, f64) {
    let (mut term, mut all, mut waiting) = (1.0, 1.0, 0.0);
    let mut in_line = 0.0;
    loop {
        let d1 = n + (in_line + 1.0) * giving_up;
        let (d2, d3, d4) = (d1 + giving_up, d1 + 2.0 * giving_up, d1 + 3.0 * giving_up);
        let (d12, d34) = (d1 * d2, d3 * d4);
        let inverse = term / (d12 * d34);
        let t1 = inverse * a * d2 * d34;
        let t2 = inverse * (a * a) * d34;
        let t3 = inverse * (a * a * a) * d4;
        let t4 = inverse * (a * a) * (a * a);
        let sum = (t1 + t2) + (t3 + t4);
        all += sum;
        waiting += in_line * sum + (t1 + 2.0 * t2) + (3.0 * t3 + 4.0 * t4);
        term = t4;
        in_line += 4.0;
        // Asked so that a sum that is no number ends too; the exact model decides then.
        let goes_on = d4 <= a || term * in_line > waiting * CUT;
        if !goes_on {
            return (all, waiting);
        }
    }
}

/// ∫ over 0..`until` of exp(c (1 − e^−z) − (s + 1) z) by eight nodes, where the exponent changes so
/// little that they are exact to ten digits; else `None`.
fn quick_answered(c: f64, s: f64, excess: f64, until: f64) -> Option<f64> {
    let slope = excess - 1.0;
    let change = slope.abs() * until + c * bend(until);
    if change > 3.0 || !s.is_finite() {
        return None;
    }
    let half = 0.5 * until;
    let density = |z: f64| (slope * z - c * bend(z)).exp();
    let sum: f64 = GAUSS_LEGENDRE_8
        .iter()
        .map(|(node, weight)| weight * (density(half - half * node) + density(half + half * node)))
        .sum();
    Some(sum * half)
}
