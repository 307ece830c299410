//! Randomness: which numbers contacts, agents and days draw.
//!
//! Every draw is a function of a key and a purpose: the key says whose it is (seed, replication,
//! contact type and which contact of it), the purpose what for (patience, handling, the choice in a
//! menu). There is no shared stream, so the order of draws changes nothing, and two strategies meet
//! the same customers by construction. Only `libm` is used, whose results are the same on every
//! machine.

use std::sync::LazyLock;

const GOLDEN: u64 = 0x9e37_79b9_7f4a_7c15;

/// Whose draws.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub(crate) struct Key(u64);

/// What a draw is for. Steps and agents add their own number to it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Purpose(pub u64);

impl Purpose {
    pub const HANDLING: Self = Self(1);
    pub const WRAP_UP: Self = Self(2);
    pub const PATIENCE: Self = Self(3);
    pub const PROFILE: Self = Self(4);
    pub const TRY_AGAIN: Self = Self(5);
    pub const AGAIN_AFTER: Self = Self(6);
    pub const REPEAT: Self = Self(7);
    pub const REPEAT_AFTER: Self = Self(8);
    pub const LEAVING: Self = Self(9);
    pub const CALLBACK: Self = Self(10);
    pub const OFFER_ORDER: Self = Self(11);
    pub const ARRIVAL: Self = Self(12);
    pub const DAY: Self = Self(13);
    pub const INTERVAL: Self = Self(14);
    pub const ANSWER_DELAY: Self = Self(15);
    pub const REFUSAL: Self = Self(16);
    pub const TIME_IN_STEP: Self = Self(17);
    pub const CHOICE: Self = Self(18);
    pub const LABEL: Self = Self(19);
    pub const LINE: Self = Self(20);
    pub const LINE_RING: Self = Self(21);
    pub const DETECTION: Self = Self(22);
    pub const LOOK: Self = Self(23);
    pub const SKIPPED: Self = Self(24);
    pub const OUTCOME: Self = Self(25);

    /// This purpose for one of many: a step, a visit, an offer.
    #[inline]
    pub fn of(self, which: u64) -> Self {
        Self(finalise(which.wrapping_mul(GOLDEN) ^ (self.0 << 56)))
    }
}

impl Key {
    /// The key of a replication.
    pub fn of_replication(seed: u64, replication: u32) -> Self {
        Self(finalise(finalise(seed ^ GOLDEN).wrapping_add(u64::from(replication))))
    }

    /// The key of one of many that belong to this one.
    pub fn of(self, which: u64) -> Self {
        Self(finalise(self.0.wrapping_add(which.wrapping_mul(GOLDEN))))
    }

    #[inline]
    pub(crate) fn bits(self, purpose: Purpose, nth: u64) -> u64 {
        let salt = purpose.0.wrapping_add(nth.wrapping_mul(0xd134_2543_de82_ef95));
        finalise(self.0.wrapping_add(salt.wrapping_mul(GOLDEN)))
    }

    /// A number in the open interval from 0 to 1.
    #[inline]
    pub fn uniform(self, purpose: Purpose) -> f64 {
        open_unit(self.bits(purpose, 0))
    }

    /// A unit exponential, by the ziggurat (Marsaglia and Tsang 2000): the density is covered by
    /// layers of the same area, and a point in a layer is nearly always below it, so that no
    /// logarithm is needed.
    #[inline]
    pub fn exponential(self, purpose: Purpose) -> f64 {
        let bits = self.bits(purpose, 0);
        let (layer, share) = ((bits & 0xff) as usize, (bits >> 11) as f64 * UNIT_53);
        let edges = &ZIGGURAT.x;
        let x = share * edges[layer];
        if x < edges[layer + 1] { x } else { self.exponential_at_edge(purpose, layer, x) }
    }

    /// The rare case in which the point may lie above the density.
    #[cold]
    fn exponential_at_edge(self, purpose: Purpose, mut layer: usize, mut x: f64) -> f64 {
        let Ziggurat { x: edges, f: heights } = &*ZIGGURAT;
        let (mut nth, mut beyond) = (1, 0.0);
        loop {
            if layer == 0 {
                // The tail of an exponential is an exponential.
                beyond += ZIGGURAT_END;
            } else {
                let u = open_unit(self.bits(purpose, nth));
                let height = heights[layer + 1] + u * (heights[layer] - heights[layer + 1]);
                if height < libm::exp(-x) {
                    return beyond + x;
                }
            }
            let bits = self.bits(purpose, nth + 1);
            nth += 2;
            layer = (bits & 0xff) as usize;
            x = (bits >> 11) as f64 * UNIT_53 * edges[layer];
            if x < edges[layer + 1] {
                return beyond + x;
            }
        }
    }
}

/// One over the number of values of 53 bits.
const UNIT_53: f64 = 1.0 / (1u64 << 53) as f64;
/// Where the tail begins with 256 layers, and the area of each (Marsaglia and Tsang 2000).
const ZIGGURAT_END: f64 = 7.697_117_470_131_05;
const ZIGGURAT_AREA: f64 = 0.003_949_659_822_581_557;

/// Right edges of the layers, from the lowest, and the density there.
struct Ziggurat {
    x: [f64; 257],
    f: [f64; 257],
}

static ZIGGURAT: LazyLock<Ziggurat> = LazyLock::new(|| {
    let (mut x, mut f) = ([0.0; 257], [1.0; 257]);
    x[0] = ZIGGURAT_AREA / libm::exp(-ZIGGURAT_END);
    x[1] = ZIGGURAT_END;
    for layer in 1..255 {
        x[layer + 1] = -libm::log(ZIGGURAT_AREA / x[layer] + libm::exp(-x[layer]));
    }
    for layer in 0..256 {
        f[layer] = libm::exp(-x[layer]);
    }
    Ziggurat { x, f }
});

/// 53 bits as a number that is neither 0 nor 1.
pub(crate) fn open_unit(bits: u64) -> f64 {
    ((bits >> 12) as f64 + 0.5) * (1.0 / (1u64 << 52) as f64)
}

/// The finaliser of SplitMix64.
#[inline]
const fn finalise(mut bits: u64) -> u64 {
    bits = (bits ^ (bits >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    bits = (bits ^ (bits >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    bits ^ (bits >> 31)
}

/// A key for a name, the same wherever it stands.
pub(crate) fn key_of_name(name: &str) -> u64 {
    name.bytes().fold(0xcbf2_9ce4_8422_2325, |hash, byte| {
        (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn exponentials_have_the_right_share_beyond_every_point() {
        // A million draws: the standard error of a share p is √(p(1 − p)) / 1000, the bound 4.5.
        let key = Key::of_replication(3, 2);
        let draws: Vec<f64> =
            (0..1_000_000).map(|n| key.of(n).exponential(Purpose::PATIENCE)).collect();
        for point in [0.001f64, 0.1, 0.5, 1.0, 2.0, 4.0, 7.0, 7.7, 8.5, 10.0] {
            let beyond = draws.iter().filter(|&&x| x > point).count() as f64 / 1e6;
            let exact = (-point).exp();
            let error = (exact * (1.0 - exact)).sqrt() / 1e3;
            assert!((beyond - exact).abs() < 4.5 * error, "{point}: {beyond} against {exact}");
        }
    }

    #[test]
    fn draws_of_one_purpose_say_nothing_about_those_of_another() {
        // Correlation of 100,000 pairs: standard error 0.0032, bound 4.5 of them.
        let pairs = (0..100_000).map(|contact| {
            let key = Key::of_replication(9, 3).of(contact);
            (key.uniform(Purpose::PATIENCE) - 0.5, key.uniform(Purpose::HANDLING) - 0.5)
        });
        let correlation = pairs.map(|(a, b)| a * b).sum::<f64>() / 100_000.0 * 12.0;
        assert!(correlation.abs() < 0.0143, "{correlation}");
        let key = Key::of_replication(9, 3).of(17);
        assert_ne!(key.uniform(Purpose::LABEL.of(1)), key.uniform(Purpose::LABEL.of(2)));
        assert_ne!(key, Key::of_replication(9, 4).of(17));
    }
}
