//! Patience and handle times from what was seen: answered calls hide how long they would have waited.

use statrs::distribution::{ChiSquared, ContinuousCDF};

use crate::traffic::{QueueError, positive, share};

/// One call that waited.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SeenWait {
    /// How long it waited, in seconds.
    pub secs: f64,
    /// It gave up then; otherwise it was answered, and its patience is longer than that.
    pub abandoned: bool,
}

/// A mean with the range in which it lies with the asked confidence.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MeanPatience {
    /// Most likely mean of an exponential patience, in seconds.
    pub mean_secs: f64,
    /// Lower end of the range.
    pub low_secs: f64,
    /// Upper end of the range.
    pub high_secs: f64,
}

/// The mean of exponential patience from the time that everybody waited together and the number who
/// gave up, with a range of the given confidence (0.95 for 95%).
///
/// Interval figures suffice: mean wait of all × offered, and abandoned.
///
/// # Errors
///
/// [`QueueError::BadNumber`] when nobody waited or nobody gave up (then patience has no upper end),
/// or for a confidence outside 0..1.
///
/// # Source
///
/// Maximum likelihood with censoring, total time / events, and its chi-square range: Epstein and
/// Sobel, *Life testing* (1953); Brown et al., *Statistical analysis of a telephone call center*
/// (2005), section 5.
pub fn mean_patience(
    waited_secs: f64,
    abandoned: u64,
    confidence: f64,
) -> Result<MeanPatience, QueueError> {
    let waited = positive("time waited by everybody in seconds", waited_secs)?;
    confident(confidence)?;
    if abandoned == 0 {
        let (what, wanted) = ("contacts that abandoned", "at least 1");
        return Err(QueueError::BadNumber { what, wanted, got: 0.0 });
    }
    let gave_up = abandoned as f64;
    let tail = 0.5 * (1.0 - confidence);
    Ok(MeanPatience {
        mean_secs: waited / gave_up,
        low_secs: 2.0 * waited / chi_square(1.0 - tail, 2.0 * gave_up + 2.0),
        high_secs: 2.0 * waited / chi_square(tail, 2.0 * gave_up),
    })
}

/// A Weibull patience: whether giving up becomes more or less likely the longer one has waited.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct WeibullPatience {
    /// Shape; 1 is exponential, below 1 the hasty go first.
    pub shape: f64,
    /// Lower and upper end of the shape's range.
    pub shape_range: (f64, f64),
    /// Mean in seconds.
    pub mean_secs: f64,
}

/// The most likely Weibull patience behind `waits`, and the range of its shape.
///
/// # Errors
///
/// [`QueueError::BadNumber`] with fewer than two different waits that ended in giving up.
///
/// # Source
///
/// Lawless, *Statistical Models and Methods for Lifetime Data* (2003), section 5.2; the range is
/// normal in the logarithm of the shape, from the curvature of the profile likelihood.
pub fn weibull_patience(
    waits: &[SeenWait],
    confidence: f64,
) -> Result<WeibullPatience, QueueError> {
    confident(confidence)?;
    let waits = checked(waits)?;
    let lost: Vec<f64> =
        waits.iter().filter(|wait| wait.abandoned).map(|wait| wait.secs.ln()).collect();
    let spread = lost.iter().copied().fold(f64::NEG_INFINITY, f64::max)
        - lost.iter().copied().fold(f64::INFINITY, f64::min);
    if lost.len() < 2 || spread <= 0.0 {
        let (what, wanted) = ("different waits that ended in abandoning", "at least 2");
        return Err(QueueError::BadNumber { what, wanted, got: lost.len().min(1) as f64 });
    }
    let gave_up = lost.len() as f64;
    let mean_log = lost.iter().sum::<f64>() / gave_up;
    // Relative to the longest wait, so that no power overflows.
    let longest = waits.iter().map(|wait| wait.secs).fold(0.0, f64::max);
    let sums = |shape: f64| {
        waits.iter().fold([0.0; 3], |[all, first, second], wait| {
            let log = (wait.secs / longest).ln();
            let power = (shape * log).exp();
            [all + power, first + power * log, second + power * log * log]
        })
    };
    let slope = |shape: f64| {
        let [all, first, _] = sums(shape);
        1.0 / shape + (mean_log - longest.ln()) - first / all
    };
    let (mut low, mut high) = (0.02f64, 50.0f64);
    for _ in 0..100 {
        let middle = (low * high).sqrt();
        if slope(middle) > 0.0 { low = middle } else { high = middle }
    }
    let shape = (low * high).sqrt();
    let [all, first, second] = sums(shape);
    let curvature = gave_up * (1.0 + shape * shape * (second / all - (first / all).powi(2)));
    let reach = normal_quantile(0.5 * (1.0 + confidence)) / curvature.sqrt();
    let scale = longest * (all / gave_up).powf(1.0 / shape);
    Ok(WeibullPatience {
        shape,
        shape_range: (shape * (-reach).exp(), shape * reach.exp()),
        mean_secs: scale * statrs::function::gamma::gamma(1.0 + 1.0 / shape),
    })
}

/// Share of callers who are still patient after each wait at which somebody gave up, in order.
///
/// # Errors
///
/// [`QueueError::BadNumber`] for a wait that is negative or not finite.
///
/// # Source
///
/// Kaplan and Meier, *Nonparametric estimation from incomplete observations* (1958).
pub fn still_patient(waits: &[SeenWait]) -> Result<Vec<(f64, f64)>, QueueError> {
    for wait in waits {
        crate::traffic::not_negative("wait in seconds", wait.secs)?;
    }
    let mut waits = waits.to_vec();
    waits.sort_by(|a, b| a.secs.total_cmp(&b.secs));
    let mut curve: Vec<(f64, f64)> = Vec::new();
    let (mut patient, mut at) = (1.0, 0);
    while at < waits.len() {
        let secs = waits[at].secs;
        let same = waits[at..].iter().take_while(|wait| wait.secs == secs).count();
        let gave_up = waits[at..at + same].iter().filter(|wait| wait.abandoned).count();
        if gave_up > 0 {
            patient *= 1.0 - gave_up as f64 / (waits.len() - at) as f64;
            curve.push((secs, patient));
        }
        at += same;
    }
    Ok(curve)
}

/// How handle times spread.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spread {
    /// Mean.
    pub mean: f64,
    /// Standard deviation / mean; 1 for exponential times.
    pub variation: f64,
    /// Half are shorter.
    pub median: f64,
    /// Nine of ten are shorter.
    pub p90: f64,
}

/// The spread of `times`; `None` for fewer than two or a mean of zero.
pub fn spread(times: &[f64]) -> Option<Spread> {
    let count = times.len() as f64;
    let mean = times.iter().sum::<f64>() / count;
    if times.len() < 2 || mean.is_nan() || mean <= 0.0 || !mean.is_finite() {
        return None;
    }
    let variance = times.iter().map(|time| (time - mean).powi(2)).sum::<f64>() / (count - 1.0);
    let mut sorted = times.to_vec();
    sorted.sort_by(f64::total_cmp);
    let at = |share: f64| sorted[((count * share).ceil() as usize).clamp(1, sorted.len()) - 1];
    Some(Spread { mean, variation: variance.sqrt() / mean, median: at(0.5), p90: at(0.9) })
}

/// Waits of zero count as a tenth of a second: their logarithm is asked for.
fn checked(waits: &[SeenWait]) -> Result<Vec<SeenWait>, QueueError> {
    waits
        .iter()
        .map(|wait| {
            let secs = crate::traffic::not_negative("wait in seconds", wait.secs)?;
            Ok(SeenWait { secs: secs.max(0.1), ..*wait })
        })
        .collect()
}

fn confident(confidence: f64) -> Result<f64, QueueError> {
    share("confidence", confidence)?;
    if confidence > 0.0 && confidence < 1.0 {
        return Ok(confidence);
    }
    let (what, wanted) = ("confidence", "above 0 and below 1");
    Err(QueueError::BadNumber { what, wanted, got: confidence })
}

fn chi_square(share: f64, freedom: f64) -> f64 {
    ChiSquared::new(freedom).map_or(f64::NAN, |law| law.inverse_cdf(share))
}

fn normal_quantile(share: f64) -> f64 {
    statrs::distribution::Normal::standard().inverse_cdf(share)
}
