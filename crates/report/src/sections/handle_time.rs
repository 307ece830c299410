//! Handle time, and the work that it makes.

use super::over_groups;
use crate::facts::TypeFacts;
use crate::report::{About, Cell, Column, Part, Row, Table};
use crate::told::Told;
use crate::{Counts, Mark, Section, Unit, words};

pub(super) fn part(told: &Told<'_>) -> Part {
    let total = told.total();
    let Some(mean) = total.handle_time() else {
        return Part::missing(Section::HandleTime, "No handle times are recorded in this period.");
    };
    let against = told.definition.against;
    let compared: Counts = told.facts.types.iter().map(TypeFacts::compared_total).sum();
    let against = match compared.handle_time().filter(|_| against.is_past()) {
        Some(before) if (mean - before).abs() < 0.05 => {
            format!(", as long as {}", against.in_sentence())
        }
        Some(before) => format!(
            ", {} s {} than {}",
            words::decimals((mean - before).abs(), 1),
            if mean < before { "less" } else { "more" },
            against.in_sentence(),
        ),
        None => String::new(),
    };
    let sentence = format!(
        "A contact took {} s on average{against}: {} hours of work in all.",
        words::decimals(mean, 1),
        words::count(total.work_hours()),
    );
    let (groups, measured) = (told.groups(), told.measured());
    let compared = told.compared(Counts::handle_time);
    let values = groups.iter().map(|group| measured.get(group).and_then(Counts::handle_time));
    let beside = groups.iter().map(|group| compared.get(group).copied().flatten());
    let series = vec![
        ("Handle time", Mark::Line, values.collect()),
        (told.definition.against.heading(), Mark::Dashed, beside.collect()),
    ];
    let picture = over_groups(told, ("Average handle time", Unit::Seconds), &groups, series);
    let rows = groups.iter().map(|group| {
        let counts = measured.get(group).copied().unwrap_or_default();
        let handle = counts.handle_time();
        told.row(*group, vec![told.name(*group).into(), handle.into(), counts.work_hours().into()])
    });
    let by_group = Table {
        title: format!("Handle time by {}", told.definition.grouping.heading().to_lowercase()),
        columns: vec![
            Column::new(told.definition.grouping.heading(), Unit::Text),
            Column::new("Handle time", Unit::Seconds),
            Column::new("Work", Unit::Hours),
        ],
        rows: rows.collect(),
        total: None,
    };
    Part {
        section: Section::HandleTime,
        sentence,
        is_missing: false,
        about: None,
        pictures: picture.into_iter().collect(),
        tables: vec![by_type(told, &total), by_group],
    }
}

fn by_type(told: &Told<'_>, total: &Counts) -> Table {
    let against = told.definition.against;
    let is_compared = against.is_past();
    let mut columns = vec![
        Column::new("Contact type", Unit::Text),
        Column::new("Handle time", Unit::Seconds),
        Column::new("Work", Unit::Hours),
    ];
    if is_compared {
        columns.push(Column::new(format!("{}: handle time", against.heading()), Unit::Seconds));
        columns.push(Column::new("Change", Unit::Change));
    }
    let cells = |name: &str, counts: &Counts, compared: &Counts| {
        let mut cells: Vec<Cell> =
            vec![name.into(), counts.handle_time().into(), counts.work_hours().into()];
        if is_compared {
            let both = counts.handle_time().zip(compared.handle_time());
            cells.push(compared.handle_time().into());
            cells.push(both.map(|(now, before)| now / before - 1.0).into());
        }
        cells
    };
    let types = &told.facts.types;
    let rows = types.iter().map(|each| {
        Row::of(cells(&each.name, &each.total(), &each.compared_total()))
            .about(About::Demand(each.id, told.facts.days.first))
    });
    let compared: Counts = types.iter().map(TypeFacts::compared_total).sum();
    Table {
        title: "Handle time by contact type".to_owned(),
        columns,
        rows: rows.collect(),
        total: (types.len() > 1).then(|| Row::of(cells("All", total, &compared))),
    }
}
