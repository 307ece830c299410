//! Candidates on the same customers: differences, sweeps of settings, and where each breaks.

use std::ops::Range;

use barometer_simulate::{
    COMPARED, Compared, DayTally, Estimate, Experiment, ExperimentError, Paired, PlayError, Summary,
};
use barometer_strategy::Strategy;
use serde::{Deserialize, Serialize};
use serde_json::Value;

use crate::trial::{TrialInputs, TrialOutcome};

/// What is compared: candidates that all meet the same customers. The first is the one that the
/// others are held against.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ComparisonInputs {
    /// The candidates; all with the same demand, replications and seed.
    pub candidates: Vec<Contender>,
    /// The settings that were swept; none where candidates were chosen one by one.
    #[serde(default)]
    pub axes: Vec<Axis>,
}

/// One candidate.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Contender {
    /// What planners call it.
    pub name: String,
    /// What is played.
    pub inputs: TrialInputs,
}

/// A setting that was swept.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Axis {
    /// The setting, with its unit.
    pub name: String,
    /// Its values.
    pub values: Vec<f64>,
}

/// What a comparison came to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ComparisonResult {
    /// Each candidate by itself.
    pub candidates: Vec<ContenderResult>,
}

/// What one candidate came to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ContenderResult {
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
    /// The parts in which the comparison is played, in the order in which they are put together.
    pub fn parts(&self) -> Vec<ComparisonWork> {
        let days = self.candidates.first().map_or_else(Vec::new, |first| first.inputs.parts());
        let volumes = if self.axes.is_empty() { self.candidates.len() } else { 0 };
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
        match work {
            ComparisonWork::Days(range) => self.play_days(range.clone(), goes_on),
            ComparisonWork::Volume(nth) => {
                let Some(candidate) = self.candidates.get(*nth) else { return Ok(None) };
                let volume = candidate.breaks_at(goes_on)?;
                Ok(volume.map(|volume| ComparisonPart::Volume(*nth, volume)))
            }
        }
    }

    fn play_days(
        &self,
        range: Range<u32>,
        mut goes_on: impl FnMut() -> bool,
    ) -> Result<Option<ComparisonPart>, ComparisonError> {
        let experiments = self
            .candidates
            .iter()
            .map(|candidate| candidate.experiment(&candidate.inputs))
            .collect::<Result<Vec<_>, _>>()?;
        let intervals = self.candidates.first().map_or(0, |first| first.inputs.interval_count());
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
                    .map_err(|error| self.candidates[nth].failed(error))?;
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

    /// Puts all parts together, in order; `None` where there is none.
    pub fn result_of(
        &self,
        parts: impl IntoIterator<Item = ComparisonPart>,
    ) -> Option<ComparisonResult> {
        let mut sums: Vec<(Summary, Paired)> = Vec::new();
        let mut volumes = vec![None; self.candidates.len()];
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
                ContenderResult { breaks_at, ..ContenderResult::of(summary, paired) }
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

impl Contender {
    /// A candidate for every point of a sweep, the last axis varying first; `named` words a value.
    ///
    /// # Errors
    ///
    /// What is wrong with a value, in words.
    pub fn grid(
        axes: &[(&Sweepable, Axis)],
        base: &TrialInputs,
        named: impl Fn(f64) -> String,
    ) -> Result<Vec<Self>, String> {
        let mut points = vec![Self { name: String::new(), inputs: base.clone() }];
        for (setting, axis) in axes {
            let mut further = Vec::with_capacity(points.len() * axis.values.len());
            for point in &points {
                for &value in &axis.values {
                    let name = match point.name.as_str() {
                        "" => named(value),
                        before => format!("{before}, {}", named(value)),
                    };
                    further.push(Self { name, inputs: setting.set(&point.inputs, value)? });
                }
            }
            points = further;
        }
        Ok(points)
    }

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

impl ContenderResult {
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

/// A setting that can be swept: people, volume, or a number of the strategy.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Sweepable {
    /// People more or fewer of a team while it is at work.
    People {
        /// The team's id.
        team: String,
        /// What tells it from the others.
        key: String,
        /// What it is, in the planner's words.
        name: String,
    },
    /// Contacts as a share of the forecast.
    Volume,
    /// A number at this place of the strategy's JSON.
    Setting {
        /// JSON pointer.
        pointer: String,
        /// What it is, in the planner's words.
        name: String,
    },
}

impl Sweepable {
    /// What can be swept in trials of a strategy.
    pub fn all(strategy: &Strategy) -> Vec<Self> {
        let settings =
            strategy.numbers().into_iter().map(|(pointer, name)| Self::Setting { pointer, name });
        let several = strategy.teams.len() > 1;
        let people = strategy.teams.iter().map(|team| Self::People {
            team: team.id.clone(),
            key: format!("people:{}", team.id),
            name: match several {
                true => format!("Headcount change, {}", team.name),
                false => "Headcount change".to_owned(),
            },
        });
        people.chain([Self::Volume]).chain(settings).collect()
    }

    /// What tells it from the others.
    pub fn key(&self) -> &str {
        match self {
            Self::People { key, .. } => key,
            Self::Volume => "volume",
            Self::Setting { pointer, .. } => pointer,
        }
    }

    /// What it is, in the planner's words.
    pub fn name(&self) -> &str {
        match self {
            Self::Volume => "Volume, as a share of the forecast",
            Self::People { name, .. } | Self::Setting { name, .. } => name,
        }
    }

    /// The trial with this value.
    ///
    /// # Errors
    ///
    /// What is wrong with the value, in words.
    pub fn set(&self, inputs: &TrialInputs, value: f64) -> Result<TrialInputs, String> {
        let mut set = inputs.clone();
        match self {
            Self::People { team, .. } => set.add_people(team, value.round() as i32),
            Self::Volume => set.scale_volume(value),
            Self::Setting { pointer, name } => {
                let mut whole =
                    serde_json::to_value(&inputs.strategy).map_err(|error| error.to_string())?;
                let place =
                    whole.pointer_mut(pointer).ok_or_else(|| format!("{name} is not there"))?;
                *place = number(value);
                set.strategy =
                    serde_json::from_value(whole).map_err(|error| format!("{name}: {error}"))?;
                if let Some(fault) = set.strategy.faults().into_iter().next() {
                    return Err(format!("{name}: {}", fault.message));
                }
            }
        }
        Ok(set)
    }
}

/// A number as JSON writes it: whole where it is whole.
fn number(value: f64) -> Value {
    if value.fract() == 0.0 && value.abs() < 1e15 {
        Value::from(value as i64)
    } else {
        Value::from(value)
    }
}
