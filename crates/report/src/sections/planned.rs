//! The service of days to come, as they are planned.

use super::service::level;
use crate::beside::Beside;
use crate::facts::TypeFacts;
use crate::report::{About, Cell, Column, Row, Table};
use crate::told::Told;
use crate::{Against, Unit, words};

/// How many are in time, and who stays below target.
pub(super) fn sentence(told: &Told<'_>, as_planned: f64) -> String {
    let below = |each: &&TypeFacts| {
        let planned = level(each, &each.beside(Against::Plan).all);
        planned.is_some_and(|planned| planned < each.rules.service_level)
    };
    let below: Vec<String> =
        told.facts.types.iter().filter(below).map(|each| each.name.clone()).collect();
    let targets = match below.as_slice() {
        [] => "no contact type is planned below its target".to_owned(),
        below => format!("{} below target", words::listing(below)),
    };
    format!(
        "As planned, {} will be answered within their thresholds; {targets}.",
        words::percent(as_planned)
    )
}

pub(super) fn by_type(told: &Told<'_>) -> Table {
    let row = |each: &TypeFacts| {
        let planned = each.beside(Against::Plan).all;
        let level = level(each, &planned);
        let verdict = match level {
            None => "not known",
            Some(level) if level < each.rules.service_level => "below target",
            Some(_) => "on target",
        };
        Row::of(vec![
            each.name.as_str().into(),
            planned.offered.into(),
            words::threshold(each.rules.within_secs).into(),
            level.into(),
            each.rules.service_level.into(),
            planned.abandonment().filter(|_| level.is_some()).into(),
            each.rules.abandonment.into(),
            verdict.into(),
        ])
        .about(About::Staffing(each.id, told.facts.days.first))
    };
    let total = told.total_beside().all;
    let types = &told.facts.types;
    Table {
        title: "Service by contact type, as planned".to_owned(),
        columns: vec![
            Column::new("Contact type", Unit::Text),
            Column::new("Contacts", Unit::Count),
            Column::new("Threshold", Unit::Text),
            Column::new("Service level", Unit::Share),
            Column::new("Target", Unit::Share),
            Column::new("Abandonment", Unit::Share),
            Column::new("Ceiling", Unit::Share),
            Column::new("Service level is", Unit::Text),
        ],
        rows: types.iter().map(row).collect(),
        total: (types.len() > 1).then(|| {
            Row::of(vec![
                "All".into(),
                total.offered.into(),
                "varies".into(),
                total.service_level().into(),
                Cell::Unknown,
                total.abandonment().into(),
                Cell::Unknown,
                Cell::Text(String::new()),
            ])
        }),
    }
}

pub(super) fn by_group(told: &Told<'_>) -> Table {
    let beside = told.beside();
    let heading = told.definition.grouping.heading();
    let row = |(group, planned): (&crate::Group, &Beside)| {
        let cells: Vec<Cell> = vec![
            told.name(*group).into(),
            planned.contacts().into(),
            planned.all.service_level().into(),
            planned.all.abandonment().into(),
        ];
        told.row(*group, cells)
    };
    Table {
        title: format!("Service by {}, as planned", heading.to_lowercase()),
        columns: vec![
            Column::new(heading, Unit::Text),
            Column::new("Contacts", Unit::Count),
            Column::new("Service level", Unit::Share),
            Column::new("Abandonment", Unit::Share),
        ],
        rows: beside.iter().map(row).collect(),
        total: None,
    }
}
