//! Which version of a strategy may go live.

/// What speaks for a version.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Evidence {
    /// Whether the trial that is named was played to its end.
    pub is_done: bool,
    /// Whether it is a trial of this version.
    pub is_of_this_version: bool,
}

/// Why a version may not go live.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReleaseRefusal {
    /// The trial that is named says nothing about this version.
    #[error("this trial is no evidence for this version: choose a finished trial of it")]
    NoEvidence,
    /// Nobody has tried it, and it has never been live.
    #[error("nobody has tried this version yet: try it on a day first")]
    Untried,
}

/// Whether a version may go live: with a finished trial of it, or because it has been live before.
/// "Has been live" is what the release history says, not that a later version is live now.
///
/// # Errors
///
/// [`ReleaseRefusal`] says what is missing.
pub fn may_go_live(evidence: Option<Evidence>, has_been_live: bool) -> Result<(), ReleaseRefusal> {
    match evidence {
        Some(Evidence { is_done: true, is_of_this_version: true }) => Ok(()),
        Some(_) => Err(ReleaseRefusal::NoEvidence),
        None if has_been_live => Ok(()),
        None => Err(ReleaseRefusal::Untried),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_version_needs_a_finished_trial_of_its_own_or_to_have_been_live() {
        let evidence = |is_done, is_of_this_version| Some(Evidence { is_done, is_of_this_version });
        assert_eq!(may_go_live(evidence(true, true), false), Ok(()));
        assert_eq!(may_go_live(None, true), Ok(()));
        assert_eq!(may_go_live(None, false), Err(ReleaseRefusal::Untried));
        for wrong in [evidence(false, true), evidence(true, false)] {
            assert_eq!(may_go_live(wrong, true), Err(ReleaseRefusal::NoEvidence));
        }
    }
}
