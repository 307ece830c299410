//! Two walks of one contact: where they part.

use crate::walk::{Moment, Walk};

/// The first moment at which two walks are not the same.
#[derive(Clone, Debug, PartialEq)]
pub struct Difference {
    /// Its place in both.
    pub at: usize,
    /// What happened in the first; `None` where that was over.
    pub first: Option<Moment>,
    /// What happened in the second; `None` where that was over.
    pub second: Option<Moment>,
}

/// Where two walks part: another thing happens, or the same more than a millisecond apart. `None` where
/// they are the same throughout.
pub fn first_difference(first: &Walk, second: &Walk) -> Option<Difference> {
    let count = first.moments.len().max(second.moments.len());
    let differs = |at: &usize| match (first.moments.get(*at), second.moments.get(*at)) {
        (Some(one), Some(other)) => {
            one.what != other.what
                || one.step != other.step
                || (one.at_secs - other.at_secs).abs() > 1e-3
        }
        _ => true,
    };
    let at = (0..count).find(differs)?;
    let (first, second) = (first.moments.get(at).cloned(), second.moments.get(at).cloned());
    Some(Difference { at, first, second })
}
