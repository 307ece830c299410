//! Handle time, and the work that it makes.

use super::over_groups;
use crate::beside::Beside;
use crate::report::{About, Cell, Column, Part, Row, Table};
use crate::told::Told;
use crate::{Counts, Mark, Section, Unit, words};

pub(super) fn part(told: &Told<'_>) -> Part {
    let total = told.total();
    let Some(mean) = total.handle_time() else {
        return Part::missing(Section::HandleTime, "No handle times are recorded in this period.");
    };
    let against = told.definition.against;
    let both = told.total_beside().both(Counts::handle_time).filter(|_| told.compares_service());
    let against = match both {
        Some((mean, beside)) if (mean - beside).abs() < 0.05 => {
            format!(", as long as {}", against.in_sentence())
        }
        Some((mean, beside)) => format!(
            ", {} s {} than {}",
            words::decimals((mean - beside).abs(), 1),
            if mean < beside { "less" } else { "more" },
            against.in_sentence(),
        ),
        None => String::new(),
    };
    let sentence = format!(
        "A contact took {} s on average{against}: {} hours of work in all.{}",
        words::decimals(mean, 1),
        words::count(total.work_hours()),
        wrap_up(&total),
    );
    let (groups, measured, beside) = (told.groups(), told.measured(), told.beside());
    let values = groups.iter().map(|group| measured.get(group).and_then(Counts::handle_time));
    let beside = groups.iter().map(|group| beside.get(group)?.all.handle_time());
    let series = vec![
        ("Handle time", Mark::Line, values.collect()),
        (told.definition.against.heading(), Mark::Dashed, beside.collect()),
    ];
    let picture = over_groups(told, ("Average handle time", Unit::Seconds), &groups, series);
    let is_apart = total.wrap_up().is_some();
    let rows = groups.iter().map(|group| {
        let counts = measured.get(group).copied().unwrap_or_default();
        let mut cells: Vec<Cell> = vec![told.name(*group).into()];
        cells.extend(durations(&counts, is_apart));
        told.row(*group, cells)
    });
    let mut columns = vec![Column::new(told.definition.grouping.heading(), Unit::Text)];
    columns.extend(duration_columns(is_apart));
    let by_group = Table {
        title: format!("Handle time by {}", told.definition.grouping.heading().to_lowercase()),
        columns,
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

/// " Wrap-up is 38.0 s of it."; of a part of the contacts where it is known of no more.
fn wrap_up(total: &Counts) -> String {
    match total.wrap_up() {
        None => String::new(),
        Some(secs) if total.wrapped_up < total.handled => format!(
            " Wrap-up is {} s, known for {} of the {} answered.",
            words::decimals(secs, 1),
            words::count(total.wrapped_up),
            words::count(total.handled),
        ),
        Some(secs) => format!(" Wrap-up is {} s of it.", words::decimals(secs, 1)),
    }
}

/// Handle time and work; between them what the handle time is made of, where that is known.
fn durations(counts: &Counts, is_apart: bool) -> Vec<Cell> {
    let mut cells: Vec<Cell> = vec![counts.handle_time().into()];
    if is_apart {
        cells.extend([counts.talk().into(), counts.wrap_up().into()]);
    }
    cells.push(counts.work_hours().into());
    cells
}

/// The headings of [`durations`].
fn duration_columns(is_apart: bool) -> Vec<Column> {
    let mut columns = vec![Column::new("Handle time", Unit::Seconds)];
    if is_apart {
        columns.push(Column::new("Talk and hold", Unit::Seconds));
        columns.push(Column::new("Wrap-up", Unit::Seconds));
    }
    columns.push(Column::new("Work", Unit::Hours));
    columns
}

fn by_type(told: &Told<'_>, total: &Counts) -> Table {
    let against = told.definition.against;
    let is_compared = told.compares_service();
    let is_apart = total.wrap_up().is_some();
    let mut columns = vec![Column::new("Contact type", Unit::Text)];
    columns.extend(duration_columns(is_apart));
    if is_compared {
        columns.push(Column::new(format!("{}: handle time", against.heading()), Unit::Seconds));
        columns.push(Column::new("Change", Unit::Change));
    }
    let cells = |name: &str, counts: &Counts, beside: &Beside| {
        let mut cells: Vec<Cell> = vec![name.into()];
        cells.extend(durations(counts, is_apart));
        if is_compared {
            let both = beside.both(Counts::handle_time);
            cells.push(beside.all.handle_time().into());
            cells.push(both.map(|(measured, beside)| measured / beside - 1.0).into());
        }
        cells
    };
    let types = &told.facts.types;
    let rows = types.iter().map(|each| {
        Row::of(cells(&each.name, &each.total(), &each.beside(against)))
            .about(About::Demand(each.id, told.facts.days.first))
    });
    Table {
        title: "Handle time by contact type".to_owned(),
        columns,
        rows: rows.collect(),
        total: (types.len() > 1).then(|| Row::of(cells("All", total, &told.total_beside()))),
    }
}
