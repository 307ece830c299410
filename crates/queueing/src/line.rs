//! The line behind a full set of servers: what every model with exponential patience shares.
//!
//! Servers of any kind are full; together they finish `departures` contacts a second, `arrivals`
//! more come, everybody in line gives up at `giving_up` a second, and the line has `places` or no
//! limit. Everything is weighed relative to the state "full, nobody waiting".
//!
//! A contact that finds j in line waits for j + 1 departures. Mixed over all j, the weight of a
//! virtual wait z is D e^(−D z) Σ_{j<places} y(z)^j / j!, y(z) = λ (1 − e^(−θz)) / θ (λ z without
//! giving up): the wait behind j others is the largest but j of exponentials, a Beta variable in
//! e^(−θz), and its weights telescope (Zeltyn and Mandelbaum 2005 for unlimited places).

use crate::bend::bend;
use crate::quadrature::integrate;
use crate::scaled::Scaled;
use crate::traffic::QueueError;

/// Rates per second of a line behind full servers.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Line {
    pub arrivals: f64,
    pub departures: f64,
    /// 1 / mean patience; zero for contacts that wait for ever.
    pub giving_up: f64,
    /// Places to wait in; `None` without limit.
    pub places: Option<u32>,
}

/// Sums over the states of a line, in units of "full, nobody waiting" times 2^(512 `steps`).
#[derive(Clone, Copy, Debug)]
pub(crate) struct LineSums {
    /// The state "full, nobody waiting".
    pub just_full: f64,
    /// All states of the line, that one included.
    pub all: f64,
    /// The state in which no place is left.
    pub no_place: f64,
    /// Σ weight × waiting.
    pub waiting: f64,
    /// Σ weight × those of the waiting who will be answered.
    pub to_be_answered: f64,
    /// Σ weight × those of the waiting who will give up.
    pub to_give_up: f64,
    pub steps: u32,
}

/// Most states that are summed.
const MOST_STATES: f64 = 2e8;

impl Line {
    /// Whether the line settles: it has an end, somebody gives up, or departures win.
    pub fn settles(&self) -> bool {
        self.places.is_some() || self.giving_up > 0.0 || self.arrivals < self.departures
    }

    /// The sums over its states.
    pub fn sums(&self) -> Result<LineSums, QueueError> {
        debug_assert!(self.settles());
        if self.places.is_none() && self.giving_up == 0.0 {
            return Ok(self.endless());
        }
        let peak = if self.giving_up > 0.0 {
            (self.arrivals - self.departures) / self.giving_up
                + 12.0 * (self.arrivals / self.giving_up).sqrt()
        } else {
            MOST_STATES
        };
        let states = self.places.map_or(peak, |places| f64::from(places).min(peak.max(1e4)));
        if states > MOST_STATES {
            let advice = "take the load as it is answered, or a shorter patience";
            return Err(QueueError::TooLarge { states, advice });
        }
        // [weight of the state, just full, all, waiting, to be answered, to give up]
        let mut terms = [1.0, 1.0, 1.0, 0.0, 0.0, 0.0];
        let (mut steps, mut in_line) = (0, 0u32);
        let (mut answered_of_line, mut lost_of_line) = (0.0, 0.0);
        while self.places.is_none_or(|places| in_line < places) {
            in_line += 1;
            let giving_up = f64::from(in_line) * self.giving_up;
            let leaving = self.departures + giving_up;
            if leaving == 0.0 {
                // Nobody ever leaves: the line is always at its end.
                return Ok(self.stuck());
            }
            // The i-th in line is reached before giving up with probability D / (D + i θ).
            answered_of_line += self.departures / leaving;
            lost_of_line += giving_up / leaving;
            let [weight, _, all, waiting, answered, lost] = &mut terms;
            *weight *= self.arrivals / leaving;
            *all += *weight;
            *waiting += *weight * f64::from(in_line);
            *answered += *weight * answered_of_line;
            *lost += *weight * lost_of_line;
            let falling = leaving > self.arrivals;
            let tiny = *weight * f64::from(in_line) < *waiting * (f64::EPSILON / 64.0)
                && *weight * lost_of_line <= *lost * (f64::EPSILON / 64.0);
            // With a limit the last weight is asked for too: it must not be cut off while it counts.
            if falling && tiny && (self.places.is_none() || *weight == 0.0) {
                break;
            }
            Scaled::keep_in_range(&mut terms, &mut steps);
        }
        let [weight, just_full, all, waiting, to_be_answered, to_give_up] = terms;
        let no_place = if self.places == Some(in_line) { weight } else { 0.0 };
        Ok(LineSums { just_full, all, no_place, waiting, to_be_answered, to_give_up, steps })
    }

    /// A geometric line without end.
    fn endless(&self) -> LineSums {
        let spare = (self.departures - self.arrivals) / self.departures;
        let all = 1.0 / spare;
        let waiting = self.arrivals / self.departures * all * all;
        LineSums {
            just_full: 1.0,
            all,
            no_place: 0.0,
            waiting,
            to_be_answered: waiting,
            to_give_up: 0.0,
            steps: 0,
        }
    }

    fn stuck(&self) -> LineSums {
        let places = f64::from(self.places.unwrap_or(0));
        LineSums {
            just_full: 0.0,
            all: 1.0,
            no_place: 1.0,
            waiting: places,
            to_be_answered: 0.0,
            to_give_up: 0.0,
            steps: 0,
        }
    }

    /// ln of the density of virtual waits at `z` seconds, relative to "just full", without the
    /// factor D.
    fn log_density(&self, z: f64) -> f64 {
        if self.places.is_none() {
            // (λ − D) z − λ z + y(z), so that no large numbers cancel.
            let bent = if self.giving_up > 0.0 {
                self.arrivals / self.giving_up * bend(self.giving_up * z)
            } else {
                0.0
            };
            return (self.arrivals - self.departures) * z - bent;
        }
        let places = self.places.unwrap_or(0);
        ln_truncated_exp(places, self.arriving_within(z)) - self.departures * z
    }

    /// y(z): arrivals within `z` seconds that would still be there after them.
    fn arriving_within(&self, z: f64) -> f64 {
        if self.giving_up > 0.0 {
            self.arrivals * (-(-self.giving_up * z).exp_m1()) / self.giving_up
        } else {
            self.arrivals * z
        }
    }

    /// Where the density peaks, seconds.
    fn peak(&self) -> f64 {
        if self.departures == 0.0 {
            return 0.0;
        }
        let unlimited = if self.arrivals <= self.departures {
            0.0
        } else if self.giving_up > 0.0 {
            (self.arrivals / self.departures).ln() / self.giving_up
        } else {
            f64::INFINITY
        };
        let Some(places) = self.places else { return unlimited };
        // A wait behind a full line is the longest; the true peak is not beyond it.
        unlimited.min(f64::from(places) / self.departures)
    }

    /// Integrals of the density times 1, e^(−θz) and 1 − e^(−θz), each as a share of all weight
    /// `ln_total`, over `from..to` seconds.
    pub fn waits(&self, from: f64, to: f64, ln_total: f64) -> Waits {
        if self.departures == 0.0 || self.places == Some(0) || from >= to {
            return Waits { all: 0.0, answered: 0.0, given_up: 0.0 };
        }
        let peak = self.peak().clamp(from, to);
        let top = self.log_density(peak);
        let end = self.end_after(peak, to, top);
        let start = self.start_before(peak, from, top);
        let scale = (top - ln_total).exp() * self.departures;
        let over = |f: &dyn Fn(f64) -> f64| {
            let density = |z: f64| (self.log_density(z) - top).exp() * f(z);
            scale * (integrate(&density, start, peak) + integrate(&density, peak, end))
        };
        let theta = self.giving_up;
        if theta == 0.0 {
            let all = over(&|_| 1.0);
            return Waits { all, answered: all, given_up: 0.0 };
        }
        Waits {
            all: over(&|_| 1.0),
            answered: over(&|z| (-theta * z).exp()),
            given_up: over(&|z| -(-theta * z).exp_m1()),
        }
    }

    /// Up to where the density counts after its peak.
    fn end_after(&self, peak: f64, to: f64, top: f64) -> f64 {
        let mut reach = 1.0 / self.departures.max(self.giving_up);
        while peak + reach < to && self.log_density(peak + reach) > top - NEGLIGIBLE {
            reach *= 2.0;
        }
        (peak + reach).min(to)
    }

    fn start_before(&self, peak: f64, from: f64, top: f64) -> f64 {
        let mut reach = 1.0 / self.departures.max(self.giving_up);
        while peak - reach > from && self.log_density(peak - reach) > top - NEGLIGIBLE {
            reach *= 2.0;
        }
        (peak - reach).max(from)
    }
}

/// Shares of the offered whose virtual wait lies in a range: all, those who outlast it, the rest.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Waits {
    pub all: f64,
    pub answered: f64,
    pub given_up: f64,
}

/// Densities below e^-60 of the peak are less than rounding.
const NEGLIGIBLE: f64 = 60.0;

/// ln Σ_{j<terms} y^j / j!.
fn ln_truncated_exp(terms: u32, y: f64) -> f64 {
    let n = f64::from(terms);
    if terms == 0 {
        return f64::NEG_INFINITY;
    }
    if n > y + 40.0 + 12.0 * y.sqrt() {
        return y;
    }
    let (mut sums, mut steps) = ([1.0, 1.0], 0);
    for j in 1..terms {
        let [term, sum] = &mut sums;
        *term *= y / f64::from(j);
        *sum += *term;
        if f64::from(j) > y && *term < *sum * (f64::EPSILON / 64.0) {
            break;
        }
        Scaled::keep_in_range(&mut sums, &mut steps);
    }
    sums[1].ln() + f64::from(steps) * Scaled::LN_STEP
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_density_of_waits_has_the_weight_of_the_states_it_comes_from() {
        for (arrivals, giving_up, places) in
            [(0.3, 0.01, Some(7)), (0.1, 0.0, Some(30)), (0.19, 0.004, None), (3.0, 0.02, Some(4))]
        {
            let line = Line { arrivals, departures: 0.2, giving_up, places };
            let sums = line.sums().unwrap();
            let found_a_place = sums.all - sums.no_place;
            let waits = line.waits(0.0, f64::INFINITY, 0.0);
            assert!((waits.all / found_a_place - 1.0).abs() < 1e-13, "{line:?}");
            assert!(((waits.answered + waits.given_up) / waits.all - 1.0).abs() < 1e-13);
        }
    }

    #[test]
    fn a_cut_exponential_is_summed_term_by_term() {
        assert!((ln_truncated_exp(3, 2.0) - 5.0f64.ln()).abs() < 1e-15);
        assert_eq!(ln_truncated_exp(1, 1e4), 0.0);
        assert!((ln_truncated_exp(5000, 1000.0) - 1000.0).abs() < 1e-9);
    }
}
