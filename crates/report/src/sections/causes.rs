//! Plan against actual: what moved each day's service level away from its plan.

use barometer_plan::{Cause, MeasureAccount, TypeAccount};
use jiff::civil::Date;

use crate::report::{About, Cell, Column, Mark, Part, Picture, Row, Series, Table};
use crate::told::Told;
use crate::{Section, Unit, words};

/// What a cause is called.
const fn name(cause: Cause) -> &'static str {
    match cause {
        Cause::Volume => "Volume",
        Cause::HandleTime => "Handle time",
        Cause::StaffingChange => "Staffing change",
        Cause::Absence => "Absence",
        Cause::Adherence => "Adherence",
        Cause::Strategy => "Strategy",
        Cause::Luck => "Chance",
    }
}

const CAUSES: [Cause; 7] = [
    Cause::Volume,
    Cause::HandleTime,
    Cause::StaffingChange,
    Cause::Absence,
    Cause::Adherence,
    Cause::Strategy,
    Cause::Luck,
];

fn effect(level: &MeasureAccount, cause: Cause) -> Option<f64> {
    level.causes.iter().find(|each| each.cause == cause).map(|each| each.effect)
}

pub(super) fn part(told: &Told<'_>) -> Part {
    let accounts: Vec<(Date, &TypeAccount, &MeasureAccount)> = told
        .facts
        .causes
        .iter()
        .flat_map(|(day, account)| account.types.iter().map(move |each| (*day, each)))
        .filter(|(_, each)| told.facts.types.iter().any(|known| known.name == each.name))
        .filter_map(|(day, each)| Some((day, each, each.level.as_ref()?)))
        .collect();
    if accounts.is_empty() {
        return Part::missing(
            Section::Causes,
            "No day of this period has been accounted for: a day gets its account once it has been watched on the \
             switch from its beginning.",
        );
    }
    let below = accounts.iter().filter(|(.., level)| level.actual < level.planned).count();
    let (day, worst, level) = accounts
        .iter()
        .min_by(|one, other| {
            (one.2.actual - one.2.planned).total_cmp(&(other.2.actual - other.2.planned))
        })
        .copied()
        .unwrap_or(accounts[0]);
    let main = level
        .main_cause()
        .map_or_else(String::new, |main| format!(", mostly {}", name(main.cause).to_lowercase()));
    let sentence = format!(
        "{below} of {} ended below plan; furthest {} on {}: {} against {} planned{main}.",
        words::counted(accounts.len() as f64, "service level"),
        worst.name,
        words::short_day(day),
        words::percent(level.actual),
        words::percent(level.planned),
    );
    let mean = |cause: Cause| {
        let effects = accounts.iter().filter_map(|(.., level)| effect(level, cause));
        effects.sum::<f64>() / accounts.len() as f64
    };
    let picture = Picture {
        title: "Mean effect on the service level, by cause".to_owned(),
        unit: Unit::Points,
        places: CAUSES.into_iter().map(|cause| name(cause).to_owned()).collect(),
        is_named: true,
        series: vec![Series {
            name: "Mean effect".to_owned(),
            mark: Mark::Columns,
            values: CAUSES.into_iter().map(|cause| Some(mean(cause))).collect(),
        }],
        target: None,
    };
    let mut columns = vec![
        Column::new("Day", Unit::Text),
        Column::new("Contact type", Unit::Text),
        Column::new("Planned", Unit::Share),
    ];
    columns.extend(CAUSES.into_iter().map(|cause| Column::new(name(cause), Unit::Points)));
    columns.push(Column::new("Actual", Unit::Share));
    let rows = accounts.iter().map(|(day, each, level)| {
        let mut cells: Vec<Cell> =
            vec![words::short_day(*day).into(), each.name.as_str().into(), level.planned.into()];
        cells.extend(CAUSES.into_iter().map(|cause| Cell::from(effect(level, cause))));
        cells.push(level.actual.into());
        Row::of(cells).about(About::Account(*day))
    });
    let table = Table {
        title: "Service level, planned and actual, by cause".to_owned(),
        columns,
        rows: rows.collect(),
        total: None,
    };
    Part {
        section: Section::Causes,
        sentence,
        is_missing: false,
        about: Some(About::Account(day)),
        pictures: vec![picture],
        tables: vec![table],
    }
}
