//! Service level, speed of answer and abandonment, against their targets.

use barometer_plan::Target;
use barometer_queueing::LevelOf;

use super::{over_groups, planned};
use crate::beside::Beside;
use crate::facts::TypeFacts;
use crate::report::{About, Cell, Column, Part, Picture, Row, Table};
use crate::told::Told;
use crate::{Against, Counts, Mark, Section, Unit, words};

/// A target that was missed.
pub(crate) struct Missed {
    pub contact_type: String,
    pub target: Target,
    pub wanted: f64,
    pub got: f64,
}

impl Missed {
    /// "Bookings: service level 71.0 %, target 80 %."
    pub fn sentence(&self) -> String {
        let (name, got, wanted) = match self.target {
            Target::ServiceLevel => {
                ("service level", words::percent(self.got), words::short_percent(self.wanted))
            }
            Target::Abandonment => {
                ("abandonment", words::percent(self.got), words::short_percent(self.wanted))
            }
            Target::Occupancy => {
                ("occupancy", words::percent(self.got), words::short_percent(self.wanted))
            }
            Target::AnswerSpeed => (
                "speed of answer",
                format!("{} s", words::decimals(self.got, 1)),
                words::threshold(self.wanted),
            ),
        };
        format!("{}: {name} {got}, target {wanted}", self.contact_type)
    }
}

/// The service level of a contact type as its target means it.
pub(super) fn level(each: &TypeFacts, counts: &Counts) -> Option<f64> {
    match each.rules.level_of {
        LevelOf::Offered | LevelOf::OfferedLessShort { .. } => counts.service_level(),
        LevelOf::Answered => counts.service_level_of_answered(),
    }
}

/// The targets that a contact type missed in the period.
fn missed(each: &TypeFacts) -> Vec<Missed> {
    let (counts, rules) = (each.total(), &each.rules);
    let checks = [
        (Target::ServiceLevel, Some(rules.service_level), level(each, &counts)),
        (Target::AnswerSpeed, rules.answer_secs, counts.speed_of_answer()),
        (Target::Abandonment, rules.abandonment, counts.abandonment()),
        (Target::Occupancy, rules.occupancy, each.occupancy()),
    ];
    checks
        .into_iter()
        .filter_map(|(target, wanted, got)| {
            let (wanted, got) = (wanted?, got?);
            let check = barometer_plan::Check { target, wanted, got };
            (!check.is_met()).then(|| Missed {
                contact_type: each.name.clone(),
                target,
                wanted,
                got,
            })
        })
        .collect()
}

/// The contact types with contacts whose service level is not recorded: nobody can say that they met it.
pub(crate) fn unjudged(told: &Told<'_>) -> Vec<String> {
    let unjudged = |each: &&TypeFacts| {
        let counts = each.total();
        counts.offered > 0.0 && level(each, &counts).is_none()
    };
    told.facts.types.iter().filter(unjudged).map(|each| each.name.clone()).collect()
}

/// Every target that was missed in the period.
pub(crate) fn missed_targets(told: &Told<'_>) -> Vec<Missed> {
    told.facts.types.iter().flat_map(missed).collect()
}

pub(super) fn part(told: &Told<'_>) -> Part {
    let total = told.total();
    let as_planned = told.total_beside().all.service_level();
    if total.offered == 0.0 && as_planned.is_none() {
        return Part::missing(
            Section::Service,
            "No contacts are recorded in this period, so there is no service to tell.",
        );
    }
    let (sentence, tables) = match as_planned.filter(|_| total.offered == 0.0) {
        Some(level) => {
            (planned::sentence(told, level), vec![planned::by_type(told), planned::by_group(told)])
        }
        None => (sentence(told, &total), vec![by_type(told), by_group(told)]),
    };
    Part {
        section: Section::Service,
        sentence,
        is_missing: false,
        about: Some(About::Weeks),
        pictures: picture(told).into_iter().collect(),
        tables,
    }
}

fn sentence(told: &Told<'_>, total: &Counts) -> String {
    let mut text = match (total.service_level(), total.speed_of_answer()) {
        (Some(level), Some(speed)) => format!(
            "{} of contacts were answered within their thresholds, after {} s on average",
            words::percent(level),
            words::decimals(speed, 1),
        ),
        _ => "How fast contacts were answered was not recorded in this period".to_owned(),
    };
    if let Some(abandonment) = total.abandonment() {
        text += &format!("; {} abandoned", words::percent(abandonment));
    }
    let missed = missed_targets(told);
    let kept = told.facts.types.iter().filter(|each| each.total().offered > 0.0).count();
    let missing: std::collections::BTreeSet<&str> =
        missed.iter().map(|missed| missed.contact_type.as_str()).collect();
    text += &match (missing.len(), unjudged(told).is_empty()) {
        (0, true) => ". Every contact type met its targets.".to_owned(),
        (0, false) => ". No recorded figure is out of target.".to_owned(),
        (some, _) => format!(". {some} of {kept} contact types missed a target."),
    };
    if total.is_partly_timed() {
        text += &format!(
            " How fast contacts were answered is known for {} of the {} offered.",
            words::count(total.timed_offered),
            words::count(total.offered),
        );
    }
    text
}

fn picture(told: &Told<'_>) -> Option<Picture> {
    let (groups, measured, beside) = (told.groups(), told.measured(), told.beside());
    let values = groups.iter().map(|group| measured.get(group).and_then(Counts::service_level));
    let beside = groups.iter().map(|group| beside.get(group)?.all.service_level());
    let series = vec![
        ("Service level", Mark::Line, values.collect()),
        (told.definition.against.heading(), Mark::Dashed, beside.collect()),
    ];
    let mut picture = over_groups(told, ("Service level", Unit::Share), &groups, series)?;
    let targets: Vec<f64> = told.facts.types.iter().map(|each| each.rules.service_level).collect();
    let first = targets.first().copied()?;
    if targets.iter().all(|target| *target == first) {
        picture.target = Some((first, format!("target {}", words::short_percent(first))));
    }
    Some(picture)
}

fn by_type(told: &Told<'_>) -> Table {
    let against = told.definition.against;
    let is_compared = told.compares_service();
    let row = |each: &TypeFacts| {
        let (counts, rules) = (each.total(), &each.rules);
        let verdict = match missed(each) {
            _ if counts.offered == 0.0 => "no contacts".to_owned(),
            missed if !missed.is_empty() => "○ breaks".to_owned(),
            _ if level(each, &counts).is_none() => "not known".to_owned(),
            _ => "● holds".to_owned(),
        };
        let mut cells: Vec<Cell> = vec![
            each.name.as_str().into(),
            counts.offered.into(),
            counts.answered.into(),
            words::threshold(rules.within_secs).into(),
            level(each, &counts).into(),
            rules.service_level.into(),
        ];
        if is_compared {
            cells.extend(level_beside(Some(&each.beside(against)), |counts| level(each, counts)));
        }
        cells.extend([
            counts.speed_of_answer().into(),
            counts.abandonment().into(),
            rules.abandonment.into(),
            verdict.into(),
        ]);
        Row::of(cells).about(About::Demand(each.id, told.facts.days.first))
    };
    let total = || {
        let total = told.total();
        let mut cells: Vec<Cell> = vec![
            "All".into(),
            total.offered.into(),
            total.answered.into(),
            "varies".into(),
            total.service_level().into(),
            Cell::Unknown,
        ];
        if is_compared {
            cells.extend(level_beside(Some(&told.total_beside()), Counts::service_level));
        }
        cells.extend([
            total.speed_of_answer().into(),
            total.abandonment().into(),
            Cell::Unknown,
            Cell::Text(String::new()),
        ]);
        Row::of(cells)
    };
    let mut columns = vec![
        Column::new("Contact type", Unit::Text),
        Column::new("Offered", Unit::Count),
        Column::new("Answered", Unit::Count),
        Column::new("Threshold", Unit::Text),
        Column::new("Service level", Unit::Share),
        Column::new("Target", Unit::Share),
    ];
    if is_compared {
        columns.extend(columns_beside(against));
    }
    columns.extend([
        Column::new("Speed of answer", Unit::Seconds),
        Column::new("Abandonment", Unit::Share),
        Column::new("Ceiling", Unit::Share),
        Column::new("Verdict", Unit::Text),
    ]);
    Table {
        title: "Service by contact type".to_owned(),
        columns,
        rows: told.facts.types.iter().map(row).collect(),
        total: (told.facts.types.len() > 1).then(total),
    }
}

/// The service level that stands beside a measured one, and by how much the measured one is above it.
fn level_beside(beside: Option<&Beside>, level: impl Fn(&Counts) -> Option<f64>) -> [Cell; 2] {
    let both = beside.and_then(|beside| beside.both(&level));
    [
        beside.and_then(|beside| level(&beside.all)).into(),
        both.map(|(measured, beside)| measured - beside).into(),
    ]
}

/// The headings of [`level_beside`].
fn columns_beside(against: Against) -> [Column; 2] {
    [
        Column::new(format!("{}: service level", against.heading()), Unit::Share),
        Column::new("Difference", Unit::Points),
    ]
}

fn by_group(told: &Told<'_>) -> Table {
    let against = told.definition.against;
    let is_compared = told.compares_service();
    let mut columns = vec![
        Column::new(told.definition.grouping.heading(), Unit::Text),
        Column::new("Offered", Unit::Count),
        Column::new("Answered", Unit::Count),
        Column::new("Service level", Unit::Share),
        Column::new("Speed of answer", Unit::Seconds),
        Column::new("Abandonment", Unit::Share),
    ];
    if is_compared {
        columns.extend(columns_beside(against));
    }
    let (measured, beside) = (told.measured(), told.beside());
    let rows = told.groups().into_iter().map(|group| {
        let counts = measured.get(&group).copied().unwrap_or_default();
        let mut cells: Vec<Cell> = vec![
            told.name(group).into(),
            counts.offered.into(),
            counts.answered.into(),
            counts.service_level().into(),
            counts.speed_of_answer().into(),
            counts.abandonment().into(),
        ];
        if is_compared {
            cells.extend(level_beside(beside.get(&group), Counts::service_level));
        }
        told.row(group, cells)
    });
    let heading = told.definition.grouping.heading().to_lowercase();
    Table { title: format!("Service by {heading}"), columns, rows: rows.collect(), total: None }
}
