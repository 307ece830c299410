//! What a trial came to: the verdict in a sentence, the day, every interval, and theory beside them.

use barometer_plan::{Judged, Rules, Target, Theory, TrialResult, Verdict};
use barometer_queueing::Outcome;
use barometer_simulate::{Measures, Summary};
use barometer_store::Trial;
use jiff::tz::TimeZone;

use super::days::DaysView;
use super::parts::PartsView;
use super::shown::{IntervalRow, Shown};
use crate::charts;
use crate::page_error::PageError;
use crate::words;

pub(super) struct ResultView {
    pub verdict: Option<Verdict>,
    pub sentence: String,
    /// Every contact type; empty where there is one.
    pub types: Vec<TypeRow>,
    /// The contact type whose figures follow; empty where there is one.
    pub shown: String,
    pub theory_name: Option<&'static str>,
    pub rows: Vec<MeasureRow>,
    pub chart: String,
    pub intervals: Vec<IntervalRow>,
    pub theory_note: String,
    /// Queues, teams, agents, ways and waits; `None` where the trial was kept without them.
    pub parts: Option<PartsView>,
    /// The days one by one; `None` where they were not kept, or are too few.
    pub days: Option<DaysView>,
}

/// A contact type of several.
pub(super) struct TypeRow {
    pub name: String,
    pub address: String,
    pub is_shown: bool,
    pub verdict: Option<Verdict>,
    pub offered: String,
    pub level: String,
    pub wanted_level: String,
    pub theory: String,
    pub abandonment: String,
    pub wanted_abandonment: String,
    pub answer: String,
    pub team: String,
    pub occupancy: String,
    pub wanted_occupancy: String,
}

pub(super) struct MeasureRow {
    pub name: String,
    pub target: String,
    pub trial: String,
    pub theory: String,
    pub verdict: Option<Verdict>,
}

/// Shares below this would read 0.0 %.
const WORTH_A_ROW: f64 = 0.0005;

impl ResultView {
    /// The result, with the figures of the contact type at this place, or of the one that is worst off.
    pub fn of(
        trial: &Trial,
        result: &TrialResult,
        summary: Option<&Summary>,
        kind: Option<usize>,
        zone: &TimeZone,
    ) -> Result<Self, PageError> {
        let judged = result.outcome.judge(&trial.inputs);
        let several = trial.inputs.types.len() > 1;
        let kind = kind
            .filter(|kind| *kind < trial.inputs.types.len())
            .unwrap_or_else(|| worst_off(trial, &judged));
        let shown = Shown::of(trial, result, summary, kind, &judged, zone)?;
        let types = match several {
            true => type_rows(trial, result, &judged, kind)?,
            false => Vec::new(),
        };
        let parts = summary.map(|summary| PartsView::of(trial, summary, kind));
        let sentence = match several {
            true => sentence_of_several(&judged, trial),
            false => sentence(&judged, shown.rules) + &shown.worst_interval(),
        };
        Ok(Self {
            verdict: judged.iter().map(|judged| judged.verdict).max(),
            sentence,
            types,
            shown: if several { trial.inputs.types[kind].name.clone() } else { String::new() },
            rows: measure_rows(&shown.day, shown.theory.as_ref(), &shown.judged, shown.rules),
            chart: charts::embedded(&shown.chart())?,
            intervals: shown.interval_rows(),
            theory_note: theory_note(shown.theory.as_ref(), &shown.day),
            theory_name: shown.theory_name(),
            parts: parts.transpose()?,
            days: summary.and_then(|summary| DaysView::of(trial, summary)),
        })
    }
}

/// The place of the contact type with the worst verdict, and of those the furthest below its target.
fn worst_off(trial: &Trial, judged: &[Judged]) -> usize {
    let is_of = |each: &&Judged, name: &str| each.of.as_deref() == Some(name);
    let worst =
        |name: &str| judged.iter().filter(|each| is_of(each, name)).map(|each| each.verdict).max();
    let gap = |name: &str| {
        let mut own = judged.iter().filter(|each| is_of(each, name));
        let level = own.find(|each| each.target == Target::ServiceLevel);
        level.map_or(f64::NEG_INFINITY, |level| level.wanted - level.got.mean)
    };
    let types = trial.inputs.types.iter().enumerate();
    types
        .max_by(|(_, one), (_, other)| {
            let (one, other) = (&one.name, &other.name);
            worst(one).cmp(&worst(other)).then(gap(one).total_cmp(&gap(other)))
        })
        .map_or(0, |(kind, _)| kind)
}

/// Whether the whole holds, and for whom it does not.
fn sentence_of_several(judged: &[Judged], trial: &Trial) -> String {
    let told = |verdict: Verdict| {
        let names = |each: &&Judged| each.verdict == verdict;
        let mut names: Vec<String> =
            judged.iter().filter(names).filter_map(|each| each.of.clone()).collect();
        names.dedup();
        let beyond = names.len().saturating_sub(3);
        if beyond > 0 {
            names.truncate(3);
            names.push(format!("{} more", words::count_word(beyond)));
        }
        words::listing(&names)
    };
    let worst = |verdict: Verdict| {
        let of_verdict = judged.iter().filter(|each| each.verdict == verdict);
        let miss = |each: &Judged| ((each.got.mean - each.wanted) / each.wanted).abs();
        let worst = of_verdict.max_by(|one, other| miss(one).total_cmp(&miss(other)))?;
        let rules = rules_of(trial, worst);
        Some(format!(
            "{} of {} is {} against {}",
            words::target_name(worst.target, rules),
            worst.of.as_deref().unwrap_or_default(),
            words::estimated_percent(Some(worst.got)),
            words::target_bound(worst.target, worst.wanted)
        ))
    };
    if let Some(worst) = worst(Verdict::Breaks) {
        return format!("It breaks for {}: {worst}.", told(Verdict::Breaks));
    }
    if let Some(worst) = worst(Verdict::Marginal) {
        let names = told(Verdict::Marginal);
        return format!("It is marginal for {names}: {worst}; more replications would tell.");
    }
    match judged.len() {
        0 => "Nothing was offered, so there is nothing to judge.".to_owned(),
        all => format!("It holds: all {all} targets of contact types and teams are met."),
    }
}

fn rules_of<'a>(trial: &'a Trial, judged: &Judged) -> &'a Rules {
    let named = trial.inputs.types.iter().find(|each| Some(&each.name) == judged.of.as_ref());
    named.or(trial.inputs.types.first()).map_or(&Rules::STARTING, |each| &each.rules)
}

fn type_rows(
    trial: &Trial,
    result: &TrialResult,
    judged: &[Judged],
    shown: usize,
) -> Result<Vec<TypeRow>, PageError> {
    let row = |(kind, each): (usize, &barometer_plan::TrialType)| {
        let own = |target: Target| {
            let of_type = |judged: &&Judged| judged.of.as_ref() == Some(&each.name);
            judged.iter().filter(of_type).find(|judged| judged.target == target)
        };
        let bound = |target: Target| {
            own(target).map_or_else(String::new, |own| words::target_bound(target, own.wanted))
        };
        let day = result.outcome.types.get(kind);
        let theory = trial
            .inputs
            .theory(kind)
            .map_err(|error| PageError::Internal(Box::new(error)))?
            .and_then(|theory| theory.day);
        let home = trial.inputs.home_of(kind);
        let place = home
            .and_then(|home| trial.inputs.strategy.teams.iter().position(|t| t.id == home.team));
        Ok(TypeRow {
            name: each.name.clone(),
            address: format!("/trials/{}?of={kind}", trial.id),
            is_shown: kind == shown,
            verdict: judged
                .iter()
                .filter(|judged| judged.of.as_ref() == Some(&each.name))
                .map(|judged| judged.verdict)
                .max(),
            offered: day.map_or_else(String::new, |day| words::estimated_count(day.offered)),
            level: words::estimated_percent(day.and_then(|day| day.service_level)),
            wanted_level: bound(Target::ServiceLevel),
            theory: theory
                .map_or_else(|| words::NONE.to_owned(), |day| words::percent(day.service_level)),
            abandonment: words::estimated_percent(day.and_then(|day| day.abandonment)),
            wanted_abandonment: bound(Target::Abandonment),
            answer: words::estimated_secs(day.and_then(|day| day.answer_secs)),
            team: place.map_or_else(String::new, |at| trial.inputs.strategy.teams[at].name.clone()),
            occupancy: words::estimated_percent(
                place.and_then(|at| *result.outcome.occupancies.get(at)?),
            ),
            wanted_occupancy: home
                .and_then(|home| home.occupancy)
                .map_or_else(String::new, |most| words::target_bound(Target::Occupancy, most)),
        })
    };
    trial.inputs.types.iter().enumerate().map(row).collect()
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
        ("Total waiting time, hours", words::estimated_count(day.wait_secs.scaled(1.0 / 3600.0))),
    ] {
        rows.push(plain_row(name, figure, none()));
    }
    rows
}

fn theory_note(theory: Option<&Theory>, trial: &Measures) -> String {
    let Some(theory) = theory else {
        return "No formula covers teams or lines that contact types share: only a trial can tell."
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
    match (&theory.day, trial.service_level) {
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

#[cfg(test)]
mod tests {
    use super::*;

    fn judged(target: Target, wanted: f64, mean: f64, half: f64, verdict: Verdict) -> Judged {
        let got = barometer_simulate::Estimate { mean, half_width: Some(half), error: None };
        Judged { target, of: None, wanted, got, verdict }
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
