//! The scale of a picture's figures: round steps that hold them all.

/// A scale from a round figure to a round figure.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Scale {
    pub from: f64,
    pub to: f64,
    step: f64,
}

impl Scale {
    /// A scale that holds all figures, in four to eight steps of 1, 2, 2.5 or 5 times a power of ten. It begins at
    /// zero where `from_zero`, or where zero is near.
    pub fn holding(figures: impl Iterator<Item = f64>, from_zero: bool) -> Self {
        let (mut low, mut high) = figures
            .filter(|figure| figure.is_finite())
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), figure| {
                (low.min(figure), high.max(figure))
            });
        if low > high {
            (low, high) = (0.0, 1.0);
        }
        if from_zero || (low > 0.0 && low < 0.5 * high) {
            (low, high) = (low.min(0.0), high.max(0.0));
        }
        if high - low < 1e-9 {
            high = low + if low.abs() > 1.0 { 0.1 * low.abs() } else { 1.0 };
        }
        let rough = (high - low) / 5.0;
        let power = 10_f64.powf(rough.log10().floor());
        let step = [1.0, 2.0, 2.5, 5.0, 10.0]
            .into_iter()
            .map(|factor| factor * power)
            .find(|step| *step >= rough)
            .unwrap_or(10.0 * power);
        Self { from: (low / step).floor() * step, to: (high / step).ceil() * step, step }
    }

    /// The figures at its steps.
    pub fn steps(&self) -> impl Iterator<Item = f64> + use<> {
        let (from, step) = (self.from, self.step);
        let count = ((self.to - from) / step).round() as usize;
        (0..=count).map(move |nth| from + nth as f64 * step)
    }

    /// Where a figure lies, 0 at its beginning and 1 at its end.
    pub fn place(&self, figure: f64) -> f64 {
        (figure - self.from) / (self.to - self.from)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn steps_are_round_and_hold_every_figure() {
        let scale = Scale::holding([0.0, 1_234.0].into_iter(), true);
        assert_eq!(scale.steps().collect::<Vec<_>>(), [0.0, 250.0, 500.0, 750.0, 1000.0, 1250.0]);
        let near = Scale::holding([0.78, 0.84].into_iter(), false);
        assert!(near.from > 0.7 && near.to < 0.9, "{near:?}");
        let below = Scale::holding([-0.04, 0.02].into_iter(), true);
        assert!(below.from <= -0.04 && below.to >= 0.02);
    }

    proptest::proptest! {
        #[test]
        fn any_figures_lie_on_their_scale_between_few_steps(
            figures in proptest::collection::vec(-1e6_f64..1e6, 1..40), from_zero in proptest::bool::ANY,
        ) {
            let scale = Scale::holding(figures.iter().copied(), from_zero);
            let steps = scale.steps().count();
            proptest::prop_assert!((3..=12).contains(&steps), "{steps} steps: {scale:?}");
            for figure in figures {
                proptest::prop_assert!((-1e-9..=1.0 + 1e-9).contains(&scale.place(figure)));
            }
            proptest::prop_assert!(!from_zero || (scale.from <= 0.0 && scale.to >= 0.0));
        }
    }

    #[test]
    fn no_figures_or_one_still_make_a_scale() {
        for figures in [vec![], vec![0.0], vec![5.0], vec![f64::NAN]] {
            let scale = Scale::holding(figures.iter().copied(), false);
            assert!(scale.to > scale.from && scale.steps().count() < 20, "{scale:?}");
        }
    }
}
