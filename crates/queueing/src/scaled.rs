//! The weight of the states below "all servers busy", which all three models share.

/// Weights above this are scaled down by exactly as much, so that no sum overflows.
const STEP: f64 = f64::from_bits((1023 + 512) << 52); // 2^512

/// A weight of over 2^(512 × 4) leaves nothing that an `f64` could hold for the other states.
const BEYOND_REACH: u32 = 4;

/// A number too large for an `f64`: `mantissa` times 2^(512 `steps`).
#[derive(Clone, Copy, Debug)]
pub(crate) struct Scaled {
    pub mantissa: f64,
    pub steps: u32,
}

impl Scaled {
    /// One.
    pub const ONE: Self = Self { mantissa: 1.0, steps: 0 };

    /// ln 2^512.
    pub const LN_STEP: f64 = 512.0 * std::f64::consts::LN_2;

    /// The number itself, infinite where an `f64` ends.
    pub fn value(self) -> f64 {
        self.relative_to(0)
    }

    /// The number divided by 2^(512 `steps`).
    pub fn relative_to(self, steps: u32) -> f64 {
        match self.steps.cmp(&steps) {
            std::cmp::Ordering::Equal => self.mantissa,
            std::cmp::Ordering::Greater if self.steps == steps + 1 => self.mantissa * STEP,
            std::cmp::Ordering::Greater => f64::INFINITY,
            std::cmp::Ordering::Less if self.steps + 1 == steps => self.mantissa / STEP,
            std::cmp::Ordering::Less => 0.0,
        }
    }

    /// Scales a running sum and its current term down once the term has grown too large.
    pub fn keep_in_range<const N: usize>(terms: &mut [f64; N], steps: &mut u32) {
        if terms[0] > STEP {
            terms.iter_mut().for_each(|term| *term /= STEP);
            *steps += 1;
        }
    }
}

/// Weight of the states with 0 to `servers` − 1 busy servers, in units of the weight of the state
/// with all `servers` busy and nobody waiting: the sum over k ≥ 1 of n (n−1) … (n−k+1) / a^k.
///
/// One more than this is the reciprocal of Erlang B. Summed from the top down, so that a lightly
/// loaded line of thousands costs a few terms, and every term is positive.
pub(crate) fn weight_below_full(offered_erlangs: f64, servers: u32) -> Scaled {
    let (mut terms, mut steps) = ([1.0, 0.0], 0);
    for busy in (1..=servers).rev() {
        let [term, sum] = &mut terms;
        *term *= f64::from(busy) / offered_erlangs;
        *sum += *term;
        if f64::from(busy) < offered_erlangs && *term < *sum * (f64::EPSILON / 64.0) {
            break;
        }
        Scaled::keep_in_range(&mut terms, &mut steps);
        if steps > BEYOND_REACH {
            break;
        }
    }
    Scaled { mantissa: terms[1], steps }
}
