//! Integrals of smooth functions to full precision.

/// Nodes and weights of the 16-point Gauss-Legendre rule on −1..1, positive half.
#[expect(clippy::excessive_precision, reason = "17 digits, as the tables print them")]
const GAUSS_LEGENDRE_16: [(f64, f64); 8] = [
    (0.98940093499164993, 0.027152459411754095),
    (0.94457502307323258, 0.062253523938647893),
    (0.86563120238783174, 0.095158511682492785),
    (0.75540440835500303, 0.12462897125553387),
    (0.61787624440264375, 0.14959598881657673),
    (0.45801677765722739, 0.16915651939500254),
    (0.28160355077925891, 0.18260341504492359),
    (0.09501250983763744, 0.1894506104550685),
];

/// Nodes and weights of the 8-point rule, positive half.
#[expect(clippy::excessive_precision, reason = "17 digits, as the tables print them")]
pub(crate) const GAUSS_LEGENDRE_8: [(f64, f64); 4] = [
    (0.96028985649753623, 0.10122853629037626),
    (0.79666647741362674, 0.22238103445337447),
    (0.52553240991632899, 0.31370664587788729),
    (0.18343464249564980, 0.36268378337836198),
];

/// Halvings before the integrator gives up refining; 2^-40 of a range is below rounding.
const MAX_DEPTH: u32 = 40;

/// ∫ f over `from..to` by one 16-point rule: exact for polynomials up to degree 31.
pub(crate) fn gauss_legendre(f: &impl Fn(f64) -> f64, from: f64, to: f64) -> f64 {
    let (middle, half) = (0.5 * (from + to), 0.5 * (to - from));
    let sum: f64 = GAUSS_LEGENDRE_16
        .iter()
        .map(|(node, weight)| weight * (f(middle - half * node) + f(middle + half * node)))
        .sum();
    sum * half
}

/// ∫ f over `from..to`, halving the range until both halves agree with the whole to rounding, of
/// their own or of the whole integral.
///
/// A function that carries more noise than rounding would be halved for ever; after
/// [`MOST_PANELS`] it is taken as it is.
pub(crate) fn integrate(f: &impl Fn(f64) -> f64, from: f64, to: f64) -> f64 {
    if to.is_nan() || from.is_nan() || to <= from {
        return 0.0;
    }
    let whole = gauss_legendre(f, from, to);
    let mut refinement = Refinement { f, largest: whole.abs(), panels: MOST_PANELS };
    refinement.refine(from, to, whole, whole.abs(), 0)
}

/// ∫ f over all of `points`, which are in order: cut there, so that nothing between two of them is
/// missed, and each piece as fine as the whole integral needs.
pub(crate) fn integrate_between(f: &impl Fn(f64) -> f64, points: &[f64]) -> f64 {
    let pieces: Vec<(f64, f64, f64)> = points
        .windows(2)
        .filter(|piece| piece[0] < piece[1])
        .map(|piece| (piece[0], piece[1], gauss_legendre(f, piece[0], piece[1])))
        .collect();
    let largest = pieces.iter().map(|piece| piece.2.abs()).sum();
    let mut refinement = Refinement { f, largest, panels: MOST_PANELS };
    pieces
        .into_iter()
        .map(|(from, to, whole)| refinement.refine(from, to, whole, whole.abs(), 0))
        .sum()
}

/// Panels that one integral may be cut into.
const MOST_PANELS: u32 = 3_000;

struct Refinement<'a, F: Fn(f64) -> f64> {
    f: &'a F,
    /// The largest value that the whole integral has been estimated at.
    largest: f64,
    panels: u32,
}

impl<F: Fn(f64) -> f64> Refinement<'_, F> {
    fn refine(&mut self, from: f64, to: f64, whole: f64, mut scale: f64, depth: u32) -> f64 {
        let middle = 0.5 * (from + to);
        let left = gauss_legendre(self.f, from, middle);
        let right = gauss_legendre(self.f, middle, to);
        let halves = left + right;
        scale = scale.max(halves.abs());
        self.largest = self.largest.max(halves.abs());
        self.panels = self.panels.saturating_sub(1);
        let off = (halves - whole).abs();
        let is_close =
            off <= 4.0 * f64::EPSILON * scale || off <= 0.125 * f64::EPSILON * self.largest;
        if is_close || off.is_nan() || depth == MAX_DEPTH || self.panels == 0 {
            return halves;
        }
        self.refine(from, middle, left, scale, depth + 1)
            + self.refine(middle, to, right, scale, depth + 1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_narrow_peak_is_not_missed() {
        // A normal density with a spread of 1e-3 on a range of 1, split at its peak.
        let density = |x: f64| (-0.5 * (x / 1e-3).powi(2)).exp();
        let got = integrate(&density, 0.0, 1.0);
        let exact = 1e-3 * (std::f64::consts::PI / 2.0).sqrt();
        assert!((got / exact - 1.0).abs() < 1e-14, "{got} against {exact}");
    }

    #[test]
    fn noise_and_nonsense_end() {
        let noisy = |x: f64| x.sin() + 1e-9 * ((x * 1e15).sin());
        assert!((integrate(&noisy, 0.0, 1.0) - (1.0 - 1.0f64.cos())).abs() < 1e-8);
        assert!(integrate(&|_| f64::NAN, 0.0, 1.0).is_nan());
        assert_eq!(integrate(&|x| x, 0.0, f64::NAN), 0.0);
    }

    #[test]
    fn polynomials_up_to_degree_31_are_exact_in_one_go() {
        let got = gauss_legendre(&|x: f64| x.powi(30), -1.0, 1.0);
        assert!((got - 2.0 / 31.0).abs() < 1e-15, "{got}");
    }
}
