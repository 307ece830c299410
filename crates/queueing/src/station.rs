//! Servers with their line, whatever the servers do while some of them are free.

use crate::figures::{Figures, LevelOf};
use crate::line::{Line, LineSums, Waits};
use crate::scaled::Scaled;
use crate::traffic::QueueError;

/// States below full and the line behind them, as shares of all time.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Station {
    line: Line,
    ln_total: f64,
    just_full: f64,
    full: f64,
    no_place: f64,
    below: f64,
    waiting: f64,
    to_be_answered: f64,
    to_give_up: f64,
}

impl Station {
    /// `below` weighs the states in which a contact is taken at once, in units of "full, nobody
    /// waiting".
    pub fn new(line: Line, below: Scaled) -> Result<Self, QueueError> {
        let sums = line.sums()?;
        let steps = sums.steps.max(below.steps);
        let at = |mantissa| Scaled { mantissa, steps: sums.steps }.relative_to(steps);
        let (below, full) = (below.relative_to(steps), at(sums.all));
        let total = below + full;
        if total == f64::INFINITY {
            // The servers are never full: nothing of the line is seen.
            return Ok(Self::never_full(line));
        }
        let LineSums { just_full, no_place, waiting, to_be_answered, to_give_up, .. } = sums;
        Ok(Self {
            line,
            ln_total: total.ln() + f64::from(steps) * Scaled::LN_STEP,
            just_full: at(just_full) / total,
            full: full / total,
            no_place: at(no_place) / total,
            below: below / total,
            waiting: at(waiting) / total,
            to_be_answered: at(to_be_answered) / total,
            to_give_up: at(to_give_up) / total,
        })
    }

    /// Nobody comes; whether somebody who did would be taken at once, or find no place.
    pub fn idle(has_servers: bool, has_no_places: bool) -> Self {
        let line = Line { arrivals: 0.0, departures: 0.0, giving_up: 0.0, places: None };
        let full = if has_servers { 0.0 } else { 1.0 };
        let no_place = if has_no_places { full } else { 0.0 };
        Self { full, just_full: full, no_place, below: 1.0 - full, ..Self::never_full(line) }
    }

    fn never_full(line: Line) -> Self {
        Self {
            line,
            ln_total: f64::INFINITY,
            just_full: 0.0,
            full: 0.0,
            no_place: 0.0,
            below: 1.0,
            waiting: 0.0,
            to_be_answered: 0.0,
            to_give_up: 0.0,
        }
    }

    /// Share of time in which a contact is taken at once.
    pub fn at_once(&self) -> f64 {
        self.below
    }

    /// Share of time in which the servers are full.
    pub fn full(&self) -> f64 {
        self.full
    }

    /// Share of time in which the servers are full and nobody waits.
    pub fn just_full(&self) -> f64 {
        self.just_full
    }

    /// What contacts meet; `occupancy` is the caller's to know.
    pub fn figures(&self, occupancy: f64) -> Figures {
        let Line { arrivals, departures, giving_up, .. } = self.line;
        let per = |mean: f64, rate: f64| if mean > 0.0 { mean / rate } else { 0.0 };
        let abandonment = if arrivals > 0.0 { giving_up * self.waiting / arrivals } else { 0.0 };
        // Departures by balance: states up to full pass on what comes below full, the line adds D.
        let through_line = departures * (self.full - self.just_full).max(0.0);
        let answered =
            if arrivals > 0.0 { self.below + through_line / arrivals } else { self.below };
        Figures {
            blocked: self.no_place,
            wait_probability: (self.full - self.no_place).max(0.0),
            answered,
            abandonment,
            answer_secs: per(self.to_be_answered, arrivals * answered),
            abandon_secs: per(self.to_give_up, arrivals * abandonment),
            mean_wait_secs: per(self.waiting, arrivals * (answered + abandonment)),
            mean_waiting: self.waiting,
            occupancy,
        }
    }

    /// Share of the offered that is answered within `within_secs`.
    pub fn answered_within(&self, within_secs: f64) -> f64 {
        self.below + self.waits(0.0, within_secs.max(0.0)).answered
    }

    /// Share of the offered that gives up within `secs`.
    pub fn abandoned_within(&self, secs: f64) -> f64 {
        let (theta, secs) = (self.line.giving_up, secs.max(0.0));
        if theta == 0.0 {
            return 0.0;
        }
        let longer = self.waits(secs, f64::INFINITY).all;
        self.waits(0.0, secs).given_up - (-theta * secs).exp_m1() * longer
    }

    /// Service level under the asked definition, for the `figures` of this station.
    pub fn service_level(&self, within_secs: f64, of: LevelOf, figures: &Figures) -> f64 {
        of.level(self.answered_within(within_secs), figures.answered, |secs| {
            self.abandoned_within(secs)
        })
    }

    fn waits(&self, from: f64, to: f64) -> Waits {
        if self.ln_total == f64::INFINITY {
            return Waits { all: 0.0, answered: 0.0, given_up: 0.0 };
        }
        self.line.waits(from, to, self.ln_total)
    }
}
