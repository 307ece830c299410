//! What a comparison came to: a sentence, the candidates, where in the day they differ, a curve or a
//! map of the settings that were swept.

use barometer_plan::{
    Axis, Candidate, CandidateResult, ComparisonResult, TrialInputs, TrialType, Verdict,
};
use barometer_simulate::{Compared, Estimate};
use barometer_store::Comparison;
use jiff::tz::TimeZone;
use serde::Serialize;

use crate::charts;
use crate::page_error::PageError;
use crate::words;

pub(super) struct ResultView {
    pub sentence: String,
    pub rows: Vec<CandidateRow>,
    pub is_sweep: bool,
    /// Differences over the day, or the curve of a sweep; empty for a map.
    pub chart: Option<(&'static str, String)>,
    pub map: Option<MapView>,
    /// How each contact type fares; nothing where there is one, or in a sweep.
    pub types: Vec<TypeDifferences>,
    /// Names of the candidates.
    pub names: Vec<String>,
    pub first_name: String,
    pub axis: String,
}

pub(super) struct CandidateRow {
    pub name: String,
    pub verdict: Option<Verdict>,
    pub level: String,
    pub level_difference: String,
    pub abandonment: String,
    pub abandonment_difference: String,
    pub answer: String,
    pub occupancy: String,
    pub breaks_at: String,
}

/// A contact type: its service level with each candidate, and how that differs from the first.
pub(super) struct TypeDifferences {
    pub name: String,
    pub cells: Vec<TypeCell>,
}

pub(super) struct TypeCell {
    pub level: String,
    pub difference: String,
    /// Whether it is surely better or worse than with the first candidate.
    pub surely: Option<bool>,
}

/// Two settings: one down, one across.
pub(super) struct MapView {
    pub down: String,
    pub across: String,
    pub heads: Vec<String>,
    pub rows: Vec<(String, Vec<MapCell>)>,
}

pub(super) struct MapCell {
    pub level: String,
    pub verdict: Option<Verdict>,
    /// Sides on which the targets' boundary runs.
    pub edges: &'static str,
}

#[derive(Serialize)]
struct DifferencesChart {
    labels: Vec<String>,
    series: Vec<DifferenceSeries>,
}

#[derive(Serialize)]
struct DifferenceSeries {
    name: String,
    points: Vec<Option<f64>>,
    low: Vec<Option<f64>>,
    high: Vec<Option<f64>>,
}

#[derive(Serialize)]
struct SweepChart {
    axis: String,
    values: Vec<f64>,
    level: Vec<Option<f64>>,
    low: Vec<Option<f64>>,
    high: Vec<Option<f64>>,
    abandonment: Vec<Option<f64>>,
    occupancy: Vec<Option<f64>>,
    target: Option<f64>,
}

impl ResultView {
    pub fn of(
        comparison: &Comparison,
        result: &ComparisonResult,
        zone: &TimeZone,
    ) -> Result<Self, PageError> {
        let axes = comparison.inputs.axes();
        let candidates =
            comparison.inputs.candidates().map_err(|error| PageError::Internal(Box::new(error)))?;
        let first = candidates.first().ok_or(PageError::NotFound)?;
        // Where contact types have targets of their own, no line stands for all of them.
        let target = match first.inputs.types.as_slice() {
            [only] => Some(only.rules.service_level),
            _ => None,
        };
        let inputs = candidates.iter().map(|each| &each.inputs);
        let verdicts: Vec<Option<Verdict>> = inputs
            .zip(&result.candidates)
            .map(|(inputs, candidate)| candidate.outcome.verdict(inputs))
            .collect();
        let names: Vec<&str> = candidates.iter().map(|each| each.name.as_str()).collect();
        let rows = names.iter().zip(&result.candidates).zip(&verdicts);
        let rows =
            rows.map(|((name, candidate), verdict)| candidate_row(name, candidate, *verdict));
        let rows = rows.collect();
        let (sentence, chart, map) = match axes {
            [] => {
                let chart = differences(&candidates, result, comparison.subject.days, zone);
                (compared(&names, result), Some(("differences", charts::embedded(&chart)?)), None)
            }
            [axis] => {
                let chart = sweep_chart(axis, result, target);
                let sentence = swept(axis, &verdicts);
                (sentence, Some(("sweep", charts::embedded(&chart)?)), None)
            }
            [down, across, ..] => {
                (mapped(&verdicts), None, Some(map(down, across, result, &verdicts)))
            }
        };
        Ok(Self {
            sentence,
            rows,
            is_sweep: !axes.is_empty(),
            chart,
            map,
            types: match axes {
                [] => type_differences(&first.inputs, result),
                _ => Vec::new(),
            },
            names: names.iter().map(|name| (*name).to_owned()).collect(),
            first_name: first.name.clone(),
            axis: axes.iter().map(|axis| axis.name.as_str()).collect::<Vec<_>>().join(", "),
        })
    }
}

fn candidate_row(
    name: &str,
    candidate: &CandidateResult,
    verdict: Option<Verdict>,
) -> CandidateRow {
    let points = |what| {
        let difference = candidate.difference(what);
        difference.map_or_else(|| words::NONE.to_owned(), signed_points)
    };
    CandidateRow {
        name: name.to_owned(),
        verdict,
        level: words::estimated_percent(candidate.outcome.day.service_level),
        level_difference: points(Compared::ServiceLevel),
        abandonment: words::estimated_percent(candidate.outcome.day.abandonment),
        abandonment_difference: points(Compared::Abandonment),
        answer: words::estimated_secs(candidate.outcome.day.answer_secs),
        occupancy: words::estimated_percent(candidate.outcome.day.occupancy),
        breaks_at: candidate.breaks_at.map_or_else(
            || words::NONE.to_owned(),
            |volume| match volume {
                least if least <= 0.251 => "under a quarter".to_owned(),
                most if most >= 3.999 => "over four times".to_owned(),
                volume => words::change(volume - 1.0),
            },
        ),
    }
}

fn type_differences(first: &TrialInputs, result: &ComparisonResult) -> Vec<TypeDifferences> {
    if first.types.len() == 1 {
        return Vec::new();
    }
    let cell = |kind: usize, candidate: &CandidateResult| {
        let level = candidate.outcome.types.get(kind).and_then(|day| day.service_level);
        let difference = candidate.type_differences.get(kind).and_then(|both| both[0]);
        TypeCell {
            level: words::estimated_percent(level),
            difference: difference.map_or_else(String::new, signed_points),
            surely: difference.and_then(surely),
        }
    };
    let row = |(kind, each): (usize, &TrialType)| TypeDifferences {
        name: each.name.clone(),
        cells: result.candidates.iter().map(|candidate| cell(kind, candidate)).collect(),
    };
    first.types.iter().enumerate().map(row).collect()
}

fn signed_points(estimate: Estimate) -> String {
    let points = estimate.scaled(100.0);
    let sign = if points.mean < 0.0 { "−" } else { "+" };
    let half = words::plus_minus(points.half_width, 1.0);
    format!("{sign}{:.1}{half} points", points.mean.abs())
}

/// Whether a difference is surely on one side of nothing.
fn surely(estimate: Estimate) -> Option<bool> {
    if estimate.low() > 0.0 {
        Some(true)
    } else if estimate.high() < 0.0 {
        Some(false)
    } else {
        None
    }
}

/// Which of the candidates is better, and how surely.
fn compared(names: &[&str], result: &ComparisonResult) -> String {
    let level = |nth: usize| {
        result.candidates[nth].outcome.day.service_level.map_or(0.0, |level| level.mean)
    };
    let best = (0..result.candidates.len()).max_by(|&a, &b| level(a).total_cmp(&level(b)));
    let Some(best) = best else { return "Nothing was compared.".to_owned() };
    let others = (0..names.len()).filter(|&nth| nth != best);
    // Against the first each difference is paired; where the first is best, against the next best.
    let (nth, sign) = match best {
        0 => (others.max_by(|&a, &b| level(a).total_cmp(&level(b))).unwrap_or(0), -1.0),
        best => (best, 1.0),
    };
    let Some(difference) = result.candidates[nth].difference(Compared::ServiceLevel) else {
        return "Nothing was offered, so there is nothing to compare.".to_owned();
    };
    let other = if best == 0 { names[nth] } else { names[0] };
    match surely(difference.scaled(sign)) {
        Some(true) => {
            let points = difference.scaled(sign * 100.0);
            format!(
                "“{}” has the best service level: {:.1}{} points more than “{other}” on the same customers, with 95 % confidence.{}",
                names[best],
                points.mean,
                words::plus_minus(points.half_width, 1.0),
                abandonment_words(result.candidates[nth].difference(Compared::Abandonment), sign),
            )
        }
        _ => format!(
            "“{}” and “{other}” differ by less than these days can tell: {}; more would.",
            names[best],
            signed_points(difference.scaled(sign)),
        ),
    }
}

fn abandonment_words(difference: Option<Estimate>, sign: f64) -> String {
    let Some(difference) = difference.map(|difference| difference.scaled(sign)) else {
        return String::new();
    };
    match surely(difference) {
        Some(true) => format!(" More abandon, though: {}.", signed_points(difference)),
        Some(false) => format!(" Fewer abandon: {}.", signed_points(difference)),
        None => String::new(),
    }
}

/// From or up to which value of a setting every target holds.
fn swept(axis: &Axis, verdicts: &[Option<Verdict>]) -> String {
    let holds: Vec<bool> =
        verdicts.iter().map(|verdict| *verdict == Some(Verdict::Holds)).collect();
    let value = |nth: usize| words::plain_number(axis.values[nth]);
    let (first, last) =
        (holds.iter().position(|&holds| holds), holds.iter().rposition(|&holds| holds));
    let name = &axis.name;
    let (Some(first), Some(last)) = (first, last) else {
        return format!("{name}: at no value tried does every target hold.");
    };
    let end = holds.len() - 1;
    match (first, last) {
        (0, last) if last == end => format!("{name}: every target holds at all values tried."),
        (0, last) => format!("{name}: every target holds up to {}.", value(last)),
        (first, last) if last == end => {
            format!("{name}: every target holds from {} on.", value(first))
        }
        (first, last) => {
            format!("{name}: every target holds from {} to {}.", value(first), value(last))
        }
    }
}

fn mapped(verdicts: &[Option<Verdict>]) -> String {
    let all = verdicts.len();
    let holds = verdicts.iter().filter(|verdict| **verdict == Some(Verdict::Holds)).count();
    format!("Every target holds at {holds} of {all} points; the thick line is the boundary.")
}

fn map(
    down: &Axis,
    across: &Axis,
    result: &ComparisonResult,
    verdicts: &[Option<Verdict>],
) -> MapView {
    let width = across.values.len();
    let holds = |row: usize, column: usize| {
        let verdict = verdicts.get(row * width + column)?;
        Some(*verdict == Some(Verdict::Holds))
    };
    let cell = |row: usize, column: usize| {
        let point = &result.candidates[row * width + column];
        let here = holds(row, column);
        let right = column + 1 < width && holds(row, column + 1) != here;
        let below = row + 1 < down.values.len() && holds(row + 1, column) != here;
        MapCell {
            level: words::percent(point.outcome.day.service_level.map_or(0.0, |level| level.mean)),
            verdict: verdicts[row * width + column],
            edges: match (right, below) {
                (true, true) => "edge-right edge-below",
                (true, false) => "edge-right",
                (false, true) => "edge-below",
                (false, false) => "",
            },
        }
    };
    MapView {
        down: down.name.clone(),
        across: across.name.clone(),
        heads: across.values.iter().map(|&value| words::plain_number(value)).collect(),
        rows: down
            .values
            .iter()
            .enumerate()
            .map(|(row, &value)| {
                (words::plain_number(value), (0..width).map(|column| cell(row, column)).collect())
            })
            .collect(),
    }
}

fn percent(share: f64) -> f64 {
    charts::tenth(share * 100.0)
}

fn differences(
    candidates: &[Candidate],
    result: &ComparisonResult,
    days: u32,
    zone: &TimeZone,
) -> DifferencesChart {
    let first = candidates.first();
    let starts = first.into_iter().flat_map(|first| first.inputs.starts());
    let others = candidates.iter().zip(&result.candidates).skip(1);
    DifferencesChart {
        labels: starts
            .map(|start| match days {
                1 => words::clock(start, zone),
                _ => words::day_clock(start, zone),
            })
            .collect(),
        series: others
            .map(|(candidate, result)| {
                let of = |figure: fn(Estimate) -> f64| {
                    let levels = result.level_differences.iter();
                    levels.map(|level| level.map(|level| percent(figure(level)))).collect()
                };
                DifferenceSeries {
                    name: candidate.name.clone(),
                    points: of(|estimate| estimate.mean),
                    low: of(Estimate::low),
                    high: of(Estimate::high),
                }
            })
            .collect(),
    }
}

fn sweep_chart(axis: &Axis, result: &ComparisonResult, target: Option<f64>) -> SweepChart {
    let of = |figure: &dyn Fn(&CandidateResult) -> Option<f64>| {
        result.candidates.iter().map(|point| figure(point).map(percent)).collect()
    };
    SweepChart {
        axis: axis.name.clone(),
        values: axis.values.clone(),
        level: of(&|point| point.outcome.day.service_level.map(|level| level.mean)),
        low: of(&|point| point.outcome.day.service_level.map(Estimate::low)),
        high: of(&|point| point.outcome.day.service_level.map(Estimate::high)),
        abandonment: of(&|point| point.outcome.day.abandonment.map(|share| share.mean)),
        occupancy: of(&|point| point.outcome.day.occupancy.map(|share| share.mean)),
        target: target.map(percent),
    }
}
