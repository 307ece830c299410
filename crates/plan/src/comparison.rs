//! Candidates on the same customers: differences, sweeps of settings, and where each breaks.

use std::borrow::Cow;
use std::ops::Range;

use barometer_simulate::{
    COMPARED, Compared, DayTally, Estimate, Experiment, ExperimentError, Paired, PlayError, Summary,
};
use barometer_strategy::Strategy;
use serde::{Deserialize, Serialize};

use crate::sweep::Sweepable;
use crate::trial::{TrialInputs, TrialOutcome};

/// What is compared: candidates that all meet the same customers, with the same replications and seed.
/// The first is the one that the others are held against.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum ComparisonInputs {
    /// The values of one or two settings, all of them with all. Only what they start from is kept.
    Sweep {
        /// What the settings are set in.
        base: Box<TrialInputs>,
        /// The settings; of two, the last varies first.
        axes: Vec<Axis>,
    },
    /// Candidates chosen one by one.
    Chosen {
        /// The candidates.
        candidates: Vec<Candidate>,
    },
}

/// One candidate.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Candidate {
    /// What planners call it.
    pub name: String,
    /// What is played.
    pub inputs: TrialInputs,
}

/// A setting that is swept.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Axis {
    /// What is set.
    pub setting: Sweepable,
    /// The setting, with its unit, as it stands in headings.
    pub name: String,
    /// Its values.
    pub values: Vec<f64>,
}

/// What a comparison came to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ComparisonResult {
    /// Each candidate by itself.
    pub candidates: Vec<CandidateResult>,
}

/// What one candidate came to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CandidateResult {
    /// The figures by which it is judged.
    #[serde(flatten)]
    pub outcome: TrialOutcome,
    /// Service level of each interval.
    pub levels: Vec<Option<Estimate>>,
    /// How the day differs from the first candidate's, measure by measure; empty for the first.
    pub differences: Vec<(Compared, Option<Estimate>)>,
    /// How the service level and the abandonment of each contact type differ from the first
    /// candidate's; empty for the first, and where there is one contact type.
    #[serde(default)]
    pub type_differences: Vec<[Option<Estimate>; 2]>,
    /// How the service level of each interval differs from the first candidate's.
    pub level_differences: Vec<Option<Estimate>>,
    /// The volume, as a share of the demand, up to which every target holds on average; `None`
    /// where it was not looked for.
    #[serde(default)]
    pub breaks_at: Option<f64>,
}

/// Why a comparison cannot be played.
#[derive(Debug, thiserror::Error)]
pub enum ComparisonError {
    /// A setting cannot have a value of the sweep.
    #[error("{0}")]
    Value(String),
    /// A candidate cannot be played.
    #[error("{name}: {error}")]
    Experiment {
        /// Which.
        name: String,
        /// Why not.
        error: ExperimentError,
    },
    /// A candidate did not come to an end.
    #[error("{name}: {error}")]
    Play {
        /// Which.
        name: String,
        /// Why not.
        error: PlayError,
    },
}

/// Replications that are held at a time.
const AT_A_TIME: u32 = 32;
/// Replications of a look at one volume, and the range in which it is looked for.
const LOOK_REPLICATIONS: u32 = 60;
const VOLUMES: (f64, f64) = (0.25, 4.0);
const LOOKS: u32 = 9;

/// What a part of a comparison plays. Parts depend on nothing but the inputs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ComparisonWork {
    /// These replications of every candidate.
    Days(Range<u32>),
    /// The volume at which the candidate at this place breaks.
    Volume(usize),
}

/// What a part of a comparison came to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum ComparisonPart {
    /// Sums of each candidate, and of its differences from the first.
    Days(Vec<(Summary, Paired)>),
    /// The volume at which the candidate at this place breaks.
    Volume(usize, f64),
}

impl ComparisonInputs {
    /// The settings that are swept; none where candidates were chosen.
    pub fn axes(&self) -> &[Axis] {
        match self {
            Self::Sweep { axes, .. } => axes,
            Self::Chosen { .. } => &[],
        }
    }

    /// What the first candidate is, or what the settings are set in: the demand, replications and seed
    /// are those of every candidate.
    pub fn base(&self) -> Option<&TrialInputs> {
        match self {
            Self::Sweep { base, .. } => Some(base),
            Self::Chosen { candidates } => candidates.first().map(|first| &first.inputs),
        }
    }

    /// Whether a strategy is that of a candidate, or of what the settings are set in.
    pub fn tries(&self, strategy: &Strategy) -> bool {
        match self {
            Self::Sweep { base, .. } => base.strategy == *strategy,
            Self::Chosen { candidates } => {
                candidates.iter().any(|candidate| candidate.inputs.strategy == *strategy)
            }
        }
    }

    /// The candidates, in order: those that were chosen, or one for every point of the sweep.
    ///
    /// # Errors
    ///
    /// What is wrong with a value of a sweep.
    pub fn candidates(&self) -> Result<Cow<'_, [Candidate]>, ComparisonError> {
        match self {
            Self::Chosen { candidates } => Ok(Cow::Borrowed(candidates)),
            Self::Sweep { base, axes } => grid(axes, base).map(Cow::Owned),
        }
    }

    /// How many candidates there are.
    fn count(&self) -> usize {
        match self {
            Self::Chosen { candidates } => candidates.len(),
            Self::Sweep { axes, .. } => axes.iter().map(|axis| axis.values.len()).product(),
        }
    }

    /// The parts in which the comparison is played, in the order in which they are put together.
    pub fn parts(&self) -> Vec<ComparisonWork> {
        let volumes = if self.axes().is_empty() { self.count() } else { 0 };
        let days = self.base().map_or_else(Vec::new, TrialInputs::parts);
        let days = days.into_iter().map(ComparisonWork::Days);
        days.chain((0..volumes).map(ComparisonWork::Volume)).collect()
    }

    /// Plays a part; asks now and then whether to go on, and gives none (`Ok(None)`) when told to stop.
    ///
    /// # Errors
    ///
    /// [`ComparisonError`] names the candidate that cannot be played, and why.
    pub fn play_part(
        &self,
        work: &ComparisonWork,
        goes_on: impl FnMut() -> bool,
    ) -> Result<Option<ComparisonPart>, ComparisonError> {
        let candidates = self.candidates()?;
        match work {
            ComparisonWork::Days(range) => play_days(&candidates, range.clone(), goes_on),
            ComparisonWork::Volume(nth) => {
                let Some(candidate) = candidates.get(*nth) else { return Ok(None) };
                let volume = candidate.breaks_at(goes_on)?;
                Ok(volume.map(|volume| ComparisonPart::Volume(*nth, volume)))
            }
        }
    }

    /// Puts all parts together, in order; `None` where there is none.
    pub fn result_of(
        &self,
        parts: impl IntoIterator<Item = ComparisonPart>,
    ) -> Option<ComparisonResult> {
        let mut sums: Vec<(Summary, Paired)> = Vec::new();
        let mut volumes = vec![None; self.count()];
        for part in parts {
            match part {
                ComparisonPart::Days(days) if sums.is_empty() => sums = days,
                ComparisonPart::Days(days) => {
                    for ((summary, paired), (more, pairs)) in sums.iter_mut().zip(&days) {
                        summary.merge(more);
                        paired.merge(pairs);
                    }
                }
                ComparisonPart::Volume(nth, volume) => {
                    if let Some(known) = volumes.get_mut(nth) {
                        *known = Some(volume);
                    }
                }
            }
        }
        let candidate =
            |(nth, ((summary, paired), breaks_at)): (usize, (&(Summary, Paired), _))| {
                let paired = (nth > 0).then_some(paired);
                CandidateResult { breaks_at, ..CandidateResult::of(summary, paired) }
            };
        let candidates: Vec<_> = sums.iter().zip(volumes).enumerate().map(candidate).collect();
        (!candidates.is_empty()).then_some(ComparisonResult { candidates })
    }

    /// Plays all parts one after the other; tells how much is done, as a share, and stops
    /// (`Ok(None)`) when told so.
    ///
    /// # Errors
    ///
    /// [`ComparisonError`] names the candidate that cannot be played, and why.
    pub fn play(
        &self,
        mut goes_on: impl FnMut(f64) -> bool,
    ) -> Result<Option<ComparisonResult>, ComparisonError> {
        let work = self.parts();
        let mut parts = Vec::with_capacity(work.len());
        for (nth, part) in work.iter().enumerate() {
            if !goes_on(nth as f64 / work.len() as f64) {
                return Ok(None);
            }
            parts.extend(self.play_part(part, || true)?);
        }
        Ok(self.result_of(parts))
    }
}

fn play_days(
    candidates: &[Candidate],
    range: Range<u32>,
    mut goes_on: impl FnMut() -> bool,
) -> Result<Option<ComparisonPart>, ComparisonError> {
    let experiments = candidates
        .iter()
        .map(|candidate| candidate.experiment(&candidate.inputs))
        .collect::<Result<Vec<_>, _>>()?;
    let intervals = candidates.first().map_or(0, |first| first.inputs.interval_count());
    let mut sums: Vec<(Summary, Paired)> = experiments
        .iter()
        .map(|experiment| (experiment.summary(), Paired::new(intervals)))
        .collect();
    for from in range.clone().step_by(AT_A_TIME as usize) {
        if !goes_on() {
            return Ok(None);
        }
        let range = from..(from + AT_A_TIME).min(range.end);
        let mut base: Vec<DayTally> = Vec::new();
        for (nth, experiment) in experiments.iter().enumerate() {
            let days = experiment
                .play_range(range.clone())
                .map_err(|error| candidates[nth].failed(error))?;
            let (summary, paired) = &mut sums[nth];
            days.iter().for_each(|day| summary.add(day));
            if nth == 0 {
                base = days;
            } else {
                base.iter().zip(&days).for_each(|(one, other)| paired.add(one, other));
            }
        }
    }
    let short = sums.into_iter().map(|(summary, paired)| (summary.in_short(), paired));
    Ok(Some(ComparisonPart::Days(short.collect())))
}

/// A candidate for every point of a sweep, the last axis varying first.
fn grid(axes: &[Axis], base: &TrialInputs) -> Result<Vec<Candidate>, ComparisonError> {
    let mut points = vec![Candidate { name: String::new(), inputs: base.clone() }];
    for Axis { setting, values, .. } in axes {
        let mut further = Vec::with_capacity(points.len() * values.len());
        for point in &points {
            for &value in values {
                let named = value.to_string().replace('-', "−");
                let name = match point.name.as_str() {
                    "" => named,
                    before => format!("{before}, {named}"),
                };
                let inputs = setting.set(&point.inputs, value).map_err(ComparisonError::Value)?;
                further.push(Candidate { name, inputs });
            }
        }
        points = further;
    }
    Ok(points)
}

impl Candidate {
    fn experiment(&self, inputs: &TrialInputs) -> Result<Experiment, ComparisonError> {
        inputs
            .experiment()
            .map_err(|error| ComparisonError::Experiment { name: self.name.clone(), error })
    }

    fn failed(&self, error: PlayError) -> ComparisonError {
        ComparisonError::Play { name: self.name.clone(), error }
    }

    /// The volume up to which every target holds on average, by halving: always the same customers,
    /// of whom more or fewer come.
    fn breaks_at(&self, mut goes_on: impl FnMut() -> bool) -> Result<Option<f64>, ComparisonError> {
        let (mut holds, mut breaks) = VOLUMES;
        if self.holds_at(breaks)? {
            return Ok(Some(breaks));
        }
        for _ in 0..LOOKS {
            if !goes_on() {
                return Ok(None);
            }
            let volume = (holds * breaks).sqrt();
            *(if self.holds_at(volume)? { &mut holds } else { &mut breaks }) = volume;
        }
        Ok(Some(holds))
    }

    fn holds_at(&self, volume: f64) -> Result<bool, ComparisonError> {
        let mut inputs = self.inputs.clone();
        inputs.replications = inputs.replications.min(LOOK_REPLICATIONS);
        inputs.scale_volume(volume);
        let experiment = self.experiment(&inputs)?;
        let summary =
            experiment.play_part(0..inputs.replications).map_err(|error| self.failed(error))?;
        Ok(TrialOutcome::of(&summary).holds_on_average(&inputs))
    }
}

fn type_differences(summary: &Summary, paired: &Paired) -> Vec<[Option<Estimate>; 2]> {
    let of = |kind| {
        [Compared::ServiceLevel, Compared::Abandonment].map(|what| paired.of_type(kind, what))
    };
    match summary.type_count() {
        1 => Vec::new(),
        several => (0..several).map(of).collect(),
    }
}

impl CandidateResult {
    fn of(summary: &Summary, paired: Option<&Paired>) -> Self {
        let differences = paired.map_or_else(Vec::new, |paired| {
            COMPARED.into_iter().map(|what| (what, paired.of_day(what))).collect()
        });
        Self {
            type_differences: paired
                .map_or_else(Vec::new, |paired| type_differences(summary, paired)),
            outcome: TrialOutcome::of(summary),
            levels: summary.intervals().iter().map(|interval| interval.service_level).collect(),
            differences,
            level_differences: paired
                .map_or_else(Vec::new, |paired| paired.of_intervals(Compared::ServiceLevel)),
            breaks_at: None,
        }
    }

    /// The difference of one measure from the first candidate's.
    pub fn difference(&self, what: Compared) -> Option<Estimate> {
        self.differences.iter().find(|(which, _)| *which == what)?.1
    }
}
