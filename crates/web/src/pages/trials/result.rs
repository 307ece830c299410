//! What a trial came to: the verdict in a sentence, the day, every interval, and theory beside them.

use barometer_plan::{Judged, Rules, Target, Theory, TrialResult, Verdict};
use barometer_queueing::Outcome;
use barometer_simulate::{Measures, Summary};
use barometer_store::Trial;
use jiff::tz::TimeZone;
use serde::Serialize;

use super::parts::PartsView;
use crate::charts;
use crate::page_error::PageError;
use crate::words;

pub(super) struct ResultView {
    pub verdict: Option<Verdict>,
    pub sentence: String,
    pub theory_name: Option<&'static str>,
    pub rows: Vec<MeasureRow>,
    pub chart: String,
    pub intervals: Vec<IntervalRow>,
    pub theory_note: String,
    /// Queues, teams, agents, ways and waits; `None` where the trial was kept without them.
    pub parts: Option<PartsView>,
}

pub(super) struct MeasureRow {
    pub name: String,
    pub target: String,
    pub trial: String,
    pub theory: String,
    pub verdict: Option<Verdict>,
}

pub(super) struct IntervalRow {
    pub time: String,
    pub agents: u32,
    pub offered: String,
    pub level: String,
    pub theory: String,
    pub abandonment: String,
    pub answer: String,
    pub occupancy: String,
}

#[derive(Serialize)]
struct TrialChart {
    labels: Vec<String>,
    trial: Vec<Option<f64>>,
    low: Vec<Option<f64>>,
    high: Vec<Option<f64>>,
    theory: Vec<Option<f64>>,
    theory_name: Option<&'static str>,
    target: f64,
}

/// Shares below this would read 0.0 %.
const WORTH_A_ROW: f64 = 0.0005;

impl ResultView {
    pub fn of(
        trial: &Trial,
        result: &TrialResult,
        summary: Option<&Summary>,
        zone: &TimeZone,
    ) -> Result<Self, PageError> {
        let rules = &trial.inputs.rules;
        let theory = trial.inputs.theory().map_err(|error| PageError::Internal(Box::new(error)))?;
        let judged = result.judge(rules);
        let parts = summary.map(|summary| PartsView::of(trial, summary));
        let theory = theory.as_ref();
        let theory_name = theory.map(|theory| words::model_name(theory.model));
        Ok(Self {
            verdict: judged.iter().map(|judged| judged.verdict).max(),
            sentence: sentence(&judged, rules) + &worst_interval(trial, result, zone),
            rows: measure_rows(&result.day, theory, &judged, rules),
            chart: charts::embedded(&trial_chart(trial, result, theory, theory_name, zone))?,
            intervals: interval_rows(trial, result, theory, zone),
            theory_note: theory_note(theory, result),
            theory_name,
            parts: parts.transpose()?,
        })
    }
}

fn sentence(judged: &[Judged], rules: &Rules) -> String {
    let of = |verdict: Verdict| -> Vec<String> {
        judged
            .iter()
            .filter(|each| each.verdict == verdict)
            .map(|each| {
                format!(
                    "{} is {} against {}",
                    words::target_name(each.target, rules),
                    words::estimated_percent(Some(each.got)),
                    words::target_bound(each.target, each.wanted)
                )
            })
            .collect()
    };
    let (broken, marginal) = (of(Verdict::Breaks), of(Verdict::Marginal));
    match (broken.is_empty(), marginal.is_empty()) {
        (false, _) => format!("It breaks: {}.", words::listing(&broken)),
        (true, false) => {
            format!("It is marginal: {}; more replications would tell.", words::listing(&marginal))
        }
        (true, true) if judged.is_empty() => {
            "Nothing was offered, so there is nothing to judge.".to_owned()
        }
        (true, true) => format!("It holds: {}.", words::listing(&of(Verdict::Holds))),
    }
}

/// When the day's service level is lowest, where that is below the target.
fn worst_interval(trial: &Trial, result: &TrialResult, zone: &TimeZone) -> String {
    let levels = trial.inputs.starts().zip(&result.intervals);
    let lowest = levels
        .filter_map(|(start, measures)| Some((start, measures.service_level?.mean)))
        .min_by(|(_, one), (_, other)| one.total_cmp(other));
    match lowest {
        Some((start, level)) if level < trial.inputs.rules.service_level => format!(
            " The service level is lowest from {}: {}.",
            words::clock(start, zone),
            words::percent(level)
        ),
        _ => String::new(),
    }
}

fn measure_rows(
    day: &Measures,
    theory: Option<&Theory>,
    judged: &[Judged],
    rules: &Rules,
) -> Vec<MeasureRow> {
    let on = |target: Target| judged.iter().find(|each| each.target == target);
    let says = |figure: fn(&Outcome) -> String| {
        let Some(theory) = theory else { return words::NONE.to_owned() };
        theory.day.as_ref().map_or_else(|| "no steady state".to_owned(), figure)
    };
    let judged_row = |target: Target, trial: String, theory: String| MeasureRow {
        name: words::capitalised(&words::target_name(target, rules)),
        target: on(target).map_or_else(
            || words::NONE.to_owned(),
            |each| words::target_bound(target, each.wanted),
        ),
        trial,
        theory,
        verdict: on(target).map(|each| each.verdict),
    };
    let plain_row = |name: &str, trial: String, theory: String| MeasureRow {
        name: name.to_owned(),
        target: words::NONE.to_owned(),
        trial,
        theory,
        verdict: None,
    };
    let mut rows = vec![
        judged_row(
            Target::ServiceLevel,
            words::estimated_percent(day.service_level),
            says(|outcome| words::percent(outcome.service_level)),
        ),
        judged_row(
            Target::Abandonment,
            words::estimated_percent(day.abandonment),
            says(|outcome| words::percent(outcome.abandonment)),
        ),
        judged_row(
            Target::Occupancy,
            words::estimated_percent(day.occupancy),
            says(|outcome| words::percent(outcome.occupancy)),
        ),
        plain_row(
            "Speed of answer (ASA)",
            words::estimated_secs(day.answer_secs),
            says(|outcome| words::secs(outcome.answer_secs)),
        ),
    ];
    let none = || words::NONE.to_owned();
    for (name, share) in [
        ("To voicemail", day.to_voicemail),
        ("Released", day.released),
        ("Busy tone", day.blocked),
        ("To an outside number", day.outside),
        ("Settled by the assistant", day.contained),
        ("Called back", day.called_back),
        ("Callback failed", day.callback_failed),
        ("Never answered: nobody left", day.left_waiting),
    ] {
        if share.is_some_and(|share| share.mean >= WORTH_A_ROW) {
            rows.push(plain_row(name, words::estimated_percent(share), none()));
        }
    }
    for (name, figure) in [
        ("Contacts offered", words::estimated_count(day.offered)),
        ("Contacts answered", words::estimated_count(day.answered)),
        ("Contacts abandoned", words::estimated_count(day.abandoned)),
        ("Waiting in all, hours", words::estimated_count(day.wait_secs.scaled(1.0 / 3600.0))),
    ] {
        rows.push(plain_row(name, figure, none()));
    }
    rows
}

fn theory_note(theory: Option<&Theory>, result: &TrialResult) -> String {
    let Some(theory) = theory else {
        return "No formula covers several teams or contact types: only a trial can tell."
            .to_owned();
    };
    let name = words::model_name(theory.model);
    let left_out: Vec<String> = theory.left_out.iter().map(|&each| each.to_owned()).collect();
    let besides = match left_out.as_slice() {
        [] => String::new(),
        parts => format!(" It also leaves out {}.", words::listing(parts)),
    };
    let assumes = format!(
        "{name} takes each interval as settled, the queue as endless and the day's backlog as none; the trial does not.{besides}"
    );
    match (&theory.day, result.day.service_level) {
        (Some(day), Some(level)) => {
            let points = (level.mean - day.service_level) * 100.0;
            let sign = if points < 0.0 { "lower" } else { "higher" };
            format!(
                "The trial's service level is {:.1} points {sign} than {name}'s. {assumes}",
                points.abs()
            )
        }
        _ => format!(
            "{name} has no steady state for some interval: the line would grow without limit. {assumes}"
        ),
    }
}

fn trial_chart(
    trial: &Trial,
    result: &TrialResult,
    theory: Option<&Theory>,
    theory_name: Option<&'static str>,
    zone: &TimeZone,
) -> TrialChart {
    let percent = |share: f64| charts::tenth((share * 100.0).clamp(0.0, 100.0));
    let levels = || result.intervals.iter().map(|interval| interval.service_level);
    TrialChart {
        labels: trial.inputs.starts().map(|start| words::clock(start, zone)).collect(),
        trial: levels().map(|level| level.map(|level| percent(level.mean))).collect(),
        low: levels().map(|level| level.map(|level| percent(level.low()))).collect(),
        high: levels().map(|level| level.map(|level| percent(level.high()))).collect(),
        theory: theory
            .into_iter()
            .flat_map(|theory| &theory.intervals)
            .map(|outcome| outcome.map(|outcome| percent(outcome.service_level)))
            .collect(),
        theory_name,
        target: percent(trial.inputs.rules.service_level),
    }
}

fn interval_rows(
    trial: &Trial,
    result: &TrialResult,
    theory: Option<&Theory>,
    zone: &TimeZone,
) -> Vec<IntervalRow> {
    let people = trial.inputs.people();
    let says = |interval: usize| {
        let outcome = theory.and_then(|theory| *theory.intervals.get(interval)?);
        outcome
            .map_or_else(|| words::NONE.to_owned(), |outcome| words::percent(outcome.service_level))
    };
    trial
        .inputs
        .starts()
        .zip(&result.intervals)
        .zip(people)
        .enumerate()
        .map(|(interval, ((start, measures), agents))| IntervalRow {
            time: words::clock(start, zone),
            agents,
            offered: words::estimated_count(measures.offered),
            level: words::estimated_percent(measures.service_level),
            theory: says(interval),
            abandonment: words::estimated_percent(measures.abandonment),
            answer: words::estimated_secs(measures.answer_secs),
            occupancy: words::estimated_percent(measures.occupancy),
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn judged(target: Target, wanted: f64, mean: f64, half: f64, verdict: Verdict) -> Judged {
        let got = barometer_simulate::Estimate { mean, half_width: Some(half), error: None };
        Judged { target, wanted, got, verdict }
    }

    #[test]
    fn what_breaks_is_said_before_what_holds() {
        let judged = [
            judged(Target::ServiceLevel, 0.8, 0.681, 0.004, Verdict::Breaks),
            judged(Target::Abandonment, 0.05, 0.051, 0.002, Verdict::Marginal),
            judged(Target::Occupancy, 0.88, 0.74, 0.003, Verdict::Holds),
        ];
        let said = |upto: &[Judged]| sentence(upto, &Rules::STARTING);
        insta::assert_snapshot!(said(&judged), @"It breaks: service level in 20 s is 68.1 ± 0.4 % against ≥ 80 %.");
        insta::assert_snapshot!(said(&judged[1..]), @"It is marginal: abandonment is 5.1 ± 0.2 % against ≤ 5 %; more replications would tell.");
        insta::assert_snapshot!(said(&judged[2..]), @"It holds: occupancy is 74.0 ± 0.3 % against ≤ 88 %.");
        insta::assert_snapshot!(said(&[]), @"Nothing was offered, so there is nothing to judge.");
    }
}
