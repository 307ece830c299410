//! The clock of uniformisation: rates of a stretch, and what one beat does.

use super::moment::Moment;
use crate::poisson;

/// Rates of one stretch, with what is needed to step through it.
#[derive(Clone, Copy)]
pub(super) struct Rates {
    pub coming: f64,
    pub handled: f64,
    pub giving_up: f64,
    pub servers: usize,
    pub most_waiting: usize,
}

/// Terms of a Poisson sum that add nothing.
pub(super) const NO_WEIGHT: f64 = 1e-19;

impl Rates {
    /// The same with no longer line than `moment` has.
    pub(super) fn seeing(self, moment: &Moment) -> Self {
        Self { most_waiting: moment.longest_line(), ..self }
    }

    /// The fastest that anything happens while at most `longest` wait.
    pub(super) fn fastest(&self, moment: &Moment, longest: usize) -> f64 {
        let busy = (self.servers + moment.leaving.len()) as f64;
        self.coming + busy * self.handled + longest as f64 * self.giving_up
    }

    /// One beat backwards of the chance to be answered, for a contact with so many before it.
    pub(super) fn step_back(&self, now: &Moment, next: &mut Moment, rate: f64) {
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
    pub(super) fn as_seen_before(&self, next: &Rates, then: &Moment, excess: usize) -> Moment {
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
pub(super) fn uniformise(
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
