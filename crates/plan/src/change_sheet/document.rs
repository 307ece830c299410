//! A change sheet as one JSON document, from which everything that it rests on can be played again.

use barometer_simulate::{ExperimentError, PlayError};
use barometer_strategy::{Change, Strategy};
use jiff::Timestamp;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::SheetText;
use crate::comparison::{Candidate, ComparisonError, ComparisonInputs, ComparisonResult};
use crate::trial::{TrialInputs, TrialOutcome, TrialResult};
use crate::verdict::Verdict;

/// What a document says of itself.
pub const SHEET_FORMAT: &str = "barometer change sheet 1";

/// A change sheet with everything it rests on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SheetDocument {
    /// [`SHEET_FORMAT`].
    pub format: String,
    /// Number of the sheet.
    pub number: i32,
    /// How far it had come.
    pub state: String,
    /// What it says.
    pub text: SheetText,
    /// The version that goes live.
    pub version: i32,
    /// The version that was live when it was drawn up.
    pub against: Option<i32>,
    /// What the version says.
    pub strategy: Strategy,
    /// Setting by setting, how it differs.
    pub differences: Vec<SettingChange>,
    /// What preflight found in the planned week.
    pub findings: Vec<String>,
    /// What was waived, why and by whom.
    pub waived: Vec<String>,
    /// Expectations that are not met.
    pub broken_expectations: Vec<String>,
    /// What it rests on.
    pub evidence: Vec<EvidenceDocument>,
    /// What was done with it.
    pub record: Vec<RecordLine>,
}

/// A setting that differs.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct SettingChange {
    /// Whose setting.
    pub subject: String,
    /// Which.
    pub setting: String,
    /// Its value before.
    pub before: String,
    /// Its value after.
    pub after: String,
}

impl From<Change> for SettingChange {
    fn from(change: Change) -> Self {
        let Change { subject, setting, before, after } = change;
        Self { subject, setting, before, after }
    }
}

/// An entry of the record, as a document shows it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct RecordLine {
    /// When.
    pub at: Timestamp,
    /// Who.
    pub by: String,
    /// What was done.
    pub act: String,
    /// What was said with it.
    pub said: String,
    /// The seal of this entry and all before it, as hexadecimal digits.
    pub seal: String,
}

/// A trial or comparison with everything that its numbers follow from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum EvidenceDocument {
    /// A trial.
    Trial {
        /// What it is called.
        name: String,
        /// Everything its numbers follow from, its targets and seed among it.
        inputs: Box<TrialInputs>,
        /// Its result.
        result: Box<TrialResult>,
    },
    /// A comparison.
    Comparison {
        /// What it is called.
        name: String,
        /// Everything its numbers follow from.
        inputs: Box<ComparisonInputs>,
        /// Its result.
        result: Box<ComparisonResult>,
    },
}

/// Why a document is no change sheet.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the messages say it")]
pub enum SheetReadError {
    #[error("it is no change sheet: {0}")]
    Json(#[from] serde_json::Error),
    #[error("it says “{0}” of itself, and “{SHEET_FORMAT}” is what can be read")]
    Format(String),
}

/// Why evidence cannot be played again.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the messages say it")]
pub enum VerifyError {
    #[error(transparent)]
    Experiment(#[from] ExperimentError),
    #[error(transparent)]
    Play(#[from] PlayError),
    #[error(transparent)]
    Comparison(#[from] ComparisonError),
    #[error("its parts do not fit together")]
    Incomplete,
}

/// Evidence that was played again.
#[derive(Debug)]
pub struct Verified {
    /// What it is called.
    pub name: String,
    /// Whether every figure is the same to the last bit; or why it cannot be played.
    pub is_equal: Result<bool, VerifyError>,
    /// Whether the version of the sheet is what was played.
    pub is_of_version: bool,
}

impl SheetDocument {
    /// Reads a document.
    ///
    /// # Errors
    ///
    /// [`SheetReadError`] where it is none.
    pub fn from_json(text: &str) -> Result<Self, SheetReadError> {
        let value: serde_json::Value = serde_json::from_str(text)?;
        let format = value["format"].as_str().unwrap_or("nothing").to_owned();
        if format != SHEET_FORMAT {
            return Err(SheetReadError::Format(format));
        }
        Ok(serde_json::from_value(value)?)
    }

    /// Plays everything again that the sheet rests on.
    pub fn verify(&self) -> Vec<Verified> {
        self.evidence.iter().map(|evidence| evidence.verify(&self.strategy)).collect()
    }
}

impl EvidenceDocument {
    /// What it is called.
    pub fn name(&self) -> &str {
        match self {
            Self::Trial { name, .. } | Self::Comparison { name, .. } => name,
        }
    }

    /// Whether it says something about a strategy: that is what was played.
    pub fn is_of(&self, strategy: &Strategy) -> bool {
        match self {
            Self::Trial { inputs, .. } => inputs.strategy == *strategy,
            Self::Comparison { inputs, .. } => inputs.tries(strategy),
        }
    }

    /// The outcome of a strategy in it, with what was played: of several candidates with the same
    /// strategy, the first.
    pub fn outcome_of(&self, strategy: &Strategy) -> Option<(&TrialInputs, &TrialOutcome)> {
        match self {
            Self::Trial { inputs, result, .. } => {
                (inputs.strategy == *strategy).then_some((&**inputs, &result.outcome))
            }
            Self::Comparison { inputs, result, .. } => {
                let ComparisonInputs::Chosen { candidates } = &**inputs else { return None };
                let is_of = |candidate: &Candidate| candidate.inputs.strategy == *strategy;
                let place = candidates.iter().position(is_of)?;
                let outcome = &result.candidates.get(place)?.outcome;
                Some((&candidates[place].inputs, outcome))
            }
        }
    }

    /// Whether every target holds with a strategy, where it was played by itself.
    pub fn verdict_of(&self, strategy: &Strategy) -> Option<Verdict> {
        let (inputs, outcome) = self.outcome_of(strategy)?;
        outcome.verdict(inputs)
    }

    fn verify(&self, strategy: &Strategy) -> Verified {
        let is_equal = match self {
            Self::Trial { inputs, result, .. } => played(inputs).map(|again| again == **result),
            Self::Comparison { inputs, result, .. } => match inputs.play(|_| true) {
                Ok(again) => Ok(again.as_ref() == Some(&**result)),
                Err(error) => Err(error.into()),
            },
        };
        Verified { name: self.name().to_owned(), is_equal, is_of_version: self.is_of(strategy) }
    }
}

/// Plays a trial as a worker does: part by part, put together in order until it is precise enough.
fn played(inputs: &TrialInputs) -> Result<TrialResult, VerifyError> {
    let experiment = inputs.experiment()?;
    let play = |range: &std::ops::Range<u32>| {
        let mut summary = experiment.summary();
        experiment.add_to(&mut summary, range.clone()).map(|_| summary)
    };
    let parts: Result<Vec<_>, PlayError> = inputs.parts().par_iter().map(play).collect();
    let summary = inputs.merged(&parts?).ok_or(VerifyError::Incomplete)?;
    Ok(TrialResult::of(&summary))
}
