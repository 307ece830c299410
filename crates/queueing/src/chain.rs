//! Small Markov chains in continuous time: their steady state without a single subtraction.

use crate::traffic::QueueError;

/// Transition rates between numbered states that lie at most `band` apart.
pub(crate) struct BandedChain {
    states: usize,
    band: usize,
    /// Row i holds the rates from i to i − band ..= i + band.
    rates: Vec<f64>,
}

/// Most multiplications that a chain may cost: some seconds.
const MOST_WORK: f64 = 6e9;

impl BandedChain {
    /// A chain of `states` without transitions.
    ///
    /// # Errors
    ///
    /// [`QueueError::TooLarge`] when it would take longer than some seconds.
    pub fn new(states: usize, band: usize, advice: &'static str) -> Result<Self, QueueError> {
        let work = states as f64 * (band as f64).powi(2);
        if work > MOST_WORK {
            return Err(QueueError::TooLarge { states: states as f64, advice });
        }
        Ok(Self { states, band, rates: vec![0.0; states * (2 * band + 1)] })
    }

    /// Adds `rate` from one state to another.
    pub fn add(&mut self, from: usize, to: usize, rate: f64) {
        debug_assert!(from.abs_diff(to) <= self.band && to < self.states);
        let at = self.at(from, to);
        self.rates[at] += rate;
    }

    fn at(&self, from: usize, to: usize) -> usize {
        from * (2 * self.band + 1) + to + self.band - from
    }

    /// Share of time in each state. The chain must be able to reach state 0 from everywhere.
    ///
    /// # Source
    ///
    /// Grassmann, Taksar and Heyman, *Regenerative analysis and steady state distributions for
    /// Markov chains* (1985): states are taken out one by one, and only positive numbers are added,
    /// multiplied and divided, so every probability keeps its digits however small it is.
    pub fn steady_state(mut self) -> Vec<f64> {
        let (band, width) = (self.band, 2 * self.band + 1);
        for out in (1..self.states).rev() {
            let first = out.saturating_sub(band);
            let (before, row) = self.rates.split_at_mut(out * width);
            let leaving = &mut row[first + band - out..band];
            let total: f64 = leaving.iter().sum();
            for rate in leaving.iter_mut() {
                *rate /= total;
            }
            for from in first..out {
                let entering = before[from * width + out + band - from];
                if entering == 0.0 {
                    continue;
                }
                let start = from * width + first + band - from;
                let targets = &mut before[start..start + (out - first)];
                for (target, share) in targets.iter_mut().zip(leaving.iter()) {
                    *target += entering * share;
                }
                // Kept as visits per unit of time in `from`, for the way back.
                before[from * width + out + band - from] = entering / total;
            }
        }
        let mut shares = vec![0.0; self.states];
        shares[0] = 1.0;
        for state in 1..self.states {
            shares[state] = (state.saturating_sub(band)..state)
                .map(|from| shares[from] * self.rates[self.at(from, state)])
                .sum();
        }
        let total: f64 = shares.iter().sum();
        shares.iter_mut().for_each(|share| *share /= total);
        shares
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_birth_death_chain_keeps_its_digits_to_the_far_end() {
        let (up, down) = (0.5, 2.0);
        let mut chain = BandedChain::new(60, 1, "").unwrap();
        for state in 0..59 {
            chain.add(state, state + 1, up);
            chain.add(state + 1, state, down);
        }
        let shares = chain.steady_state();
        for (state, share) in shares.iter().enumerate() {
            let exact = 0.75 * 0.25f64.powi(state as i32) / (1.0 - 0.25f64.powi(60));
            assert!((share / exact - 1.0).abs() < 1e-14, "{state}: {share} {exact}");
        }
    }

    #[test]
    fn a_wide_band_balances_in_every_state() {
        let (states, band) = (40usize, 7usize);
        let rate = |from: usize, to: usize| 0.1 + ((from * 7 + to * 13) % 10) as f64;
        let mut chain = BandedChain::new(states, band, "").unwrap();
        let near = |a: usize, b: usize| a != b && a.abs_diff(b) <= band;
        for (from, to) in (0..states).flat_map(|a| (0..states).map(move |b| (a, b))) {
            if near(from, to) {
                chain.add(from, to, rate(from, to));
            }
        }
        let shares = chain.steady_state();
        for state in 0..states {
            let others = (0..states).filter(|&other| near(state, other));
            let (mut into, mut out) = (0.0, 0.0);
            for other in others {
                into += shares[other] * rate(other, state);
                out += shares[state] * rate(state, other);
            }
            assert!((into / out - 1.0).abs() < 1e-12);
        }
    }
}
