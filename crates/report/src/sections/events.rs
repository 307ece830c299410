//! What happened: releases, alarms, trials.

use std::collections::BTreeMap;

use jiff::civil::DateTime;

use super::by_name;
use crate::report::{About, Column, Part, Row, Table};
use crate::told::Told;
use crate::{Section, Unit, words};

fn moment(at: DateTime) -> String {
    format!("{} {}", words::short_day(at.date()), words::clock(at.time()))
}

fn listed(section: Section, sentence: String, about: About, table: Table) -> Part {
    Part {
        section,
        sentence,
        is_missing: false,
        about: Some(about),
        pictures: Vec::new(),
        tables: vec![table],
    }
}

pub(super) fn releases(told: &Told<'_>) -> Part {
    let releases = &told.facts.releases;
    let Some(latest) = releases.iter().max_by_key(|release| release.at) else {
        return Part::missing(Section::Releases, "Nothing went live in this period.");
    };
    let sentence = format!(
        "{} went live; the latest is v{} of “{}”, on {}.",
        words::counted(releases.len() as f64, "release"),
        latest.version,
        latest.strategy,
        words::short_day(latest.at.date()),
    );
    let rows = releases.iter().map(|release| {
        Row::of(vec![
            moment(release.at).into(),
            format!("v{}", release.version).into(),
            release.strategy.as_str().into(),
            release.approved_by.as_deref().unwrap_or(words::NONE).into(),
            release.note.as_str().into(),
        ])
        .about(About::Releases)
    });
    let table = Table {
        title: "Releases".to_owned(),
        columns: vec![
            Column::new("Live since", Unit::Text),
            Column::new("Version", Unit::Text),
            Column::new("Strategy", Unit::Text),
            Column::new("Approved by", Unit::Text),
            Column::new("Why", Unit::Text),
        ],
        rows: rows.collect(),
        total: None,
    };
    listed(Section::Releases, sentence, About::Releases, table)
}

pub(super) fn alarms(told: &Told<'_>) -> Part {
    let alarms = &told.facts.alarms;
    if alarms.is_empty() {
        return Part::missing(Section::Alarms, "No alarm rang in this period.");
    }
    let unseen = alarms.iter().filter(|alarm| alarm.seen_by.is_none()).count();
    let sentence = format!(
        "{} rang; {}.",
        words::counted(alarms.len() as f64, "alarm"),
        match unseen {
            0 => "all were acknowledged".to_owned(),
            1 => "one was not acknowledged".to_owned(),
            some => format!("{some} were not acknowledged"),
        },
    );
    let rows = alarms.iter().map(|alarm| {
        Row::of(vec![
            moment(alarm.rang_at).into(),
            alarm.watches.as_str().into(),
            alarm.minutes.into(),
            alarm.seen_by.as_deref().unwrap_or("nobody").into(),
        ])
        .about(About::Alarms)
    });
    let table = Table {
        title: "Alarms".to_owned(),
        columns: vec![
            Column::new("Rang", Unit::Text),
            Column::new("Alarm", Unit::Text),
            Column::new("Cleared after", Unit::Minutes),
            Column::new("Acknowledged by", Unit::Text),
        ],
        rows: rows.collect(),
        total: None,
    };
    // The most frequent first; more names than a picture holds are in the table alone.
    let mut times: BTreeMap<&str, f64> = BTreeMap::new();
    for alarm in alarms {
        *times.entry(&alarm.watches).or_default() += 1.0;
    }
    let mut times: Vec<(&str, f64)> = times.into_iter().collect();
    times.sort_by(|one, other| other.1.total_cmp(&one.1));
    let times = times.into_iter().map(|(watches, times)| (watches.to_owned(), Some(times)));
    let picture = by_name(("Times that each alarm rang", Unit::Count), "Rang", times);
    let part = listed(Section::Alarms, sentence, About::Alarms, table);
    Part { pictures: picture.into_iter().collect(), ..part }
}

pub(super) fn trials(told: &Told<'_>) -> Part {
    let trials = &told.facts.trials;
    if trials.is_empty() {
        return Part::missing(Section::Trials, "No trial was run in this period.");
    }
    let live = trials.iter().filter(|trial| trial.went_live.is_some()).count();
    let sentence = format!(
        "{} {} run; {} a version that went live afterwards.",
        words::counted(trials.len() as f64, "trial"),
        if trials.len() == 1 { "was" } else { "were" },
        match live {
            0 => "none was of".to_owned(),
            1 => "one was of".to_owned(),
            some => format!("{some} were of"),
        },
    );
    let rows = trials.iter().map(|trial| {
        Row::of(vec![
            moment(trial.at).into(),
            trial.subject.as_str().into(),
            words::short_day(trial.day).into(),
            format!("v{}", trial.version).into(),
            trial.verdict.as_deref().unwrap_or("not finished").into(),
            trial.went_live.map_or_else(|| "not live".to_owned(), moment).into(),
        ])
        .about(About::Trial(trial.id))
    });
    let table = Table {
        title: "Trials".to_owned(),
        columns: vec![
            Column::new("Run on", Unit::Text),
            Column::new("Subject", Unit::Text),
            Column::new("Simulated day", Unit::Text),
            Column::new("Version", Unit::Text),
            Column::new("Verdict", Unit::Text),
            Column::new("Live since", Unit::Text),
        ],
        rows: rows.collect(),
        total: None,
    };
    Part { about: None, ..listed(Section::Trials, sentence, About::Releases, table) }
}
