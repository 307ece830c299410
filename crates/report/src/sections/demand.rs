//! Contacts offered, and how far their forecast was off.

use super::{by_name, over_groups};
use crate::beside::Beside;
use crate::facts::TypeFacts;
use crate::report::{About, Cell, Column, Part, Picture, Row, Table};
use crate::told::{Judged, Told};
use crate::{Against, Mark, Section, Unit, words};

/// Most contact types that get a column each.
const MOST_COLUMNS: usize = 8;

pub(super) fn demand(told: &Told<'_>) -> Part {
    let offered = told.total().offered;
    let forecast: f64 = told.facts.types.iter().map(TypeFacts::forecast_contacts).sum();
    if offered == 0.0 && forecast == 0.0 {
        return Part::missing(
            Section::Demand,
            "No contacts are recorded or forecast in this period.",
        );
    }
    Part {
        section: Section::Demand,
        sentence: sentence(told, offered, forecast),
        is_missing: false,
        about: None,
        pictures: picture(told).into_iter().collect(),
        tables: vec![by_type(told), by_group(told)],
    }
}

/// What was offered against what it stands beside: "3.1 % more than forecast"; where only some days have a forecast,
/// how many.
pub(crate) fn against(told: &Told<'_>) -> Option<String> {
    let against = told.definition.against;
    let beside = told.total_beside();
    let words = words::more_or_fewer(beside.measured.offered, beside.judged.offered)?;
    let of_these = match against {
        Against::Forecast | Against::Plan => {
            let (all, judged) = (told.measured_days(), told.judged_days());
            let noun = if against == Against::Plan { "a plan" } else { "a forecast" };
            match judged {
                judged if judged >= all => String::new(),
                1 => format!(" on the one day of {all} with {noun}"),
                judged => format!(" on the {judged} of {all} days with {noun}"),
            }
        }
        Against::Before | Against::YearAgo | Against::Nothing => String::new(),
    };
    Some(format!("{words} {}{of_these}", against.in_sentence()))
}

fn sentence(told: &Told<'_>, offered: f64, forecast: f64) -> String {
    if offered == 0.0 {
        return format!("{} contacts are forecast.", words::count(forecast));
    }
    let mut text = format!("{} contacts were offered", words::count(offered));
    if let Some(against) = against(told) {
        text += &format!(", {against}");
    }
    let change = |each: &TypeFacts| {
        Some((each.name.clone(), each.beside(told.definition.against).change()?))
    };
    let furthest = told
        .facts
        .types
        .iter()
        .filter_map(change)
        .max_by(|one, other| one.1.abs().total_cmp(&other.1.abs()));
    if let Some((name, change)) = furthest.filter(|_| told.facts.types.len() > 1) {
        text += &format!("; {name} was furthest off, {} %", Unit::Change.figure(change));
    }
    text + "."
}

fn picture(told: &Told<'_>) -> Option<Picture> {
    let (groups, measured, beside) = (told.groups(), told.measured(), told.beside());
    let actual = groups.iter().map(|group| measured.get(group).map(|counts| counts.offered));
    let beside = groups.iter().map(|group| beside.get(group).and_then(Beside::contacts));
    let series = vec![
        ("Offered", Mark::Columns, actual.collect()),
        (told.definition.against.heading(), Mark::Dashed, beside.collect()),
    ];
    over_groups(told, ("Contacts offered", Unit::Count), &groups, series)
}

fn by_type(told: &Told<'_>) -> Table {
    let against = told.definition.against;
    let mut columns =
        vec![Column::new("Contact type", Unit::Text), Column::new("Offered", Unit::Count)];
    if against != Against::Nothing {
        columns.push(Column::new(against.heading(), Unit::Count));
        columns.push(Column::new("Change", Unit::Change));
    }
    let cells = |name: &str, offered: f64, beside: &Beside| {
        let mut cells: Vec<Cell> = vec![name.into(), offered.into()];
        if against != Against::Nothing {
            cells.push(beside.contacts().into());
            cells.push(beside.change().into());
        }
        cells
    };
    let types = &told.facts.types;
    let row = |each: &TypeFacts| {
        Row::of(cells(&each.name, each.total().offered, &each.beside(against)))
            .about(About::Demand(each.id, told.facts.days.first))
    };
    let total = cells("All", told.total().offered, &told.total_beside());
    Table {
        title: "Demand by contact type".to_owned(),
        columns,
        rows: types.iter().map(row).collect(),
        total: (types.len() > 1).then(|| Row::of(total)),
    }
}

fn by_group(told: &Told<'_>) -> Table {
    let (types, against) = (&told.facts.types, told.definition.against);
    let single = types.len() > 1 && types.len() <= MOST_COLUMNS;
    let mut columns = vec![Column::new(told.definition.grouping.heading(), Unit::Text)];
    if single {
        columns.extend(types.iter().map(|each| Column::new(each.name.clone(), Unit::Count)));
    }
    columns.push(Column::new(if single { "All" } else { "Offered" }, Unit::Count));
    if against != Against::Nothing {
        columns.push(Column::new(against.heading(), Unit::Count));
        columns.push(Column::new("Change", Unit::Change));
    }
    let by_type: Vec<_> = types
        .iter()
        .map(|each| told.by_group(each.measured.iter().map(|it| (it.at, it.counts))))
        .collect();
    let (measured, beside) = (told.measured(), told.beside());
    let rows = told.groups().into_iter().map(|group| {
        let mut cells: Vec<Cell> = vec![told.name(group).into()];
        if single {
            let of_type = by_type.iter().map(|sums| sums.get(&group).map(|counts| counts.offered));
            cells.extend(of_type.map(Cell::from));
        }
        let offered = measured.get(&group).map(|counts| counts.offered);
        cells.push(offered.into());
        if against != Against::Nothing {
            let beside = beside.get(&group);
            cells.push(beside.and_then(Beside::contacts).into());
            cells.push(beside.and_then(Beside::change).into());
        }
        told.row(group, cells)
    });
    let heading = told.definition.grouping.heading().to_lowercase();
    Table { title: format!("Demand by {heading}"), columns, rows: rows.collect(), total: None }
}

pub(super) fn accuracy(told: &Told<'_>) -> Part {
    let rows: Vec<Row> = told.facts.types.iter().filter_map(accuracy_row).collect();
    if rows.is_empty() {
        return Part::missing(
            Section::Accuracy,
            "No day of this period has both a forecast made before it and a history: the latest held-out days are \
             the last four weeks before today.",
        );
    }
    let (mut actual, mut off, mut bias) = (0.0, 0.0, 0.0);
    for (_, day) in told.facts.types.iter().flat_map(TypeFacts::judged_days) {
        actual += day.actual;
        off += (day.forecast - day.actual).abs();
        bias += day.forecast - day.actual;
    }
    let judged = told.facts.types.iter().filter(|each| error(each).is_some());
    let errors = judged.map(|each| (each.name.clone(), error(each)));
    let sentence = format!(
        "Daily forecasts were off by {} on average, weighted by contacts; in all they were {} too {}.",
        words::percent(off / actual.max(1.0)),
        words::percent(bias.abs() / actual.max(1.0)),
        if bias > 0.0 { "high" } else { "low" },
    );
    Part {
        section: Section::Accuracy,
        sentence,
        is_missing: false,
        about: None,
        pictures: by_name(("Forecast error", Unit::Share), "Error (WAPE)", errors)
            .into_iter()
            .collect(),
        tables: vec![Table {
            title: "Forecast error by contact type, by day".to_owned(),
            columns: vec![
                Column::new("Contact type", Unit::Text),
                Column::new("Days judged", Unit::Count),
                Column::new("Forecast", Unit::Count),
                Column::new("Actual", Unit::Count),
                Column::new("Error (WAPE)", Unit::Share),
                Column::new("Bias", Unit::Change),
                Column::new("Worst day", Unit::Text),
                Column::new("Off", Unit::Change),
            ],
            rows,
            total: None,
        }],
    }
}

/// Sum of the daily differences, signs left out, as a share of the actual contacts.
fn error(each: &TypeFacts) -> Option<f64> {
    let Judged { actual, .. } = each.judged();
    let off = each.judged_days().into_values().map(|day| (day.actual - day.forecast).abs());
    (actual > 0.0).then(|| off.sum::<f64>() / actual)
}

fn accuracy_row(each: &TypeFacts) -> Option<Row> {
    let judged = each.judged_days();
    let Judged { forecast, actual } = each.judged();
    let error = error(each)?;
    let off = |day: &Judged| (day.actual - day.forecast).abs();
    let (day, worst) = judged.iter().max_by(|one, other| off(one.1).total_cmp(&off(other.1)))?;
    let row = Row::of(vec![
        each.name.as_str().into(),
        (judged.len() as f64).into(),
        forecast.into(),
        actual.into(),
        error.into(),
        (forecast / actual - 1.0).into(),
        words::short_day(*day).into(),
        (worst.forecast > 0.0).then(|| worst.actual / worst.forecast - 1.0).into(),
    ]);
    Some(row.about(About::Accuracy(each.id)))
}
