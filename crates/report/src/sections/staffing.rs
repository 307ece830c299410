//! People needed and planned, and what the planned ones cost.

use std::ops::Add;

use super::over_groups;
use crate::facts::{Staffed, TypeFacts};
use crate::report::{About, Cell, Column, Part, Row, Table};
use crate::told::Told;
use crate::{Mark, Section, Unit, words};

/// Sums of need and cover.
#[derive(Clone, Copy, Default)]
struct Hours {
    need: f64,
    /// Need of the intervals that have cover, and that cover.
    covered: Option<(f64, f64)>,
    short_intervals: u32,
    short_hours: f64,
}

impl Add for Hours {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        let covered = match (self.covered, other.covered) {
            (Some(one), Some(two)) => Some((one.0 + two.0, one.1 + two.1)),
            (one, two) => one.or(two),
        };
        Self {
            need: self.need + other.need,
            covered,
            short_intervals: self.short_intervals + other.short_intervals,
            short_hours: self.short_hours + other.short_hours,
        }
    }
}

impl From<&Staffed> for Hours {
    fn from(staffed: &Staffed) -> Self {
        Self {
            need: staffed.need_hours,
            covered: staffed.cover_hours.map(|cover| (staffed.need_hours, cover)),
            short_intervals: staffed.short_intervals,
            short_hours: staffed.short_hours,
        }
    }
}

impl Hours {
    fn cover(&self) -> Option<f64> {
        self.covered.map(|(_, cover)| cover)
    }

    /// Cover less need, where there is cover.
    fn spare(&self) -> Option<f64> {
        self.covered.map(|(need, cover)| cover - need)
    }
}

impl TypeFacts {
    fn hours(&self) -> Hours {
        self.staffed.iter().map(Hours::from).fold(Hours::default(), Add::add)
    }

    /// Share of the planned people's time that contacts took; none where no cover is known, or not everything
    /// was measured.
    pub(crate) fn occupancy(&self) -> Option<f64> {
        let cover = self.hours().cover().filter(|cover| *cover > 0.0)?;
        let is_all_covered = self.staffed.iter().all(|staffed| staffed.cover_hours.is_some());
        let counts = self.total();
        let is_measured = counts.handled > 0.0 && self.rules.concurrency == 1;
        (is_all_covered && is_measured).then(|| counts.work_hours() / cover)
    }

    /// What the planned people cost, shrinkage included; none where nobody said what an hour costs.
    fn cost(&self) -> Option<f64> {
        let paid = self.hours().cover()? / (1.0 - self.rules.shrinkage.total()).max(0.01);
        Some(paid * self.rules.cost_per_hour?)
    }
}

pub(super) fn part(told: &Told<'_>) -> Part {
    let types = &told.facts.types;
    let total = types.iter().map(TypeFacts::hours).fold(Hours::default(), Add::add);
    if total.need == 0.0 && total.covered.is_none() {
        return Part::missing(
            Section::Staffing,
            "No need can be computed for this period: it has neither history nor a forecast.",
        );
    }
    let staffed = types.iter().flat_map(|each| &each.staffed);
    let by_group = told.by_group(staffed.map(|staffed| (staffed.at, Hours::from(staffed))));
    let groups: Vec<_> = by_group.keys().copied().collect();
    let need = by_group.values().map(|hours| Some(hours.need)).collect();
    let cover = by_group.values().map(Hours::cover).collect();
    let series = vec![("Need", Mark::Columns, need), ("Cover", Mark::Line, cover)];
    let picture = over_groups(told, ("Hours of people", Unit::Hours), &groups, series);
    let rows = by_group.iter().map(|(group, hours)| {
        let mut cells: Vec<Cell> = vec![told.name(*group).into()];
        cells.extend(figures(hours));
        told.row(*group, cells)
    });
    let heading = told.definition.grouping.heading();
    let groups = Table {
        title: format!("Need and cover by {}", heading.to_lowercase()),
        columns: columns(heading),
        rows: rows.collect(),
        total: None,
    };
    Part {
        section: Section::Staffing,
        sentence: sentence(&total, told.is_past()),
        is_missing: false,
        about: None,
        pictures: picture.into_iter().collect(),
        tables: vec![by_type(told, &total), groups],
    }
}

fn sentence(total: &Hours, is_past: bool) -> String {
    let (is, are) = if is_past { ("was", "were") } else { ("is", "are") };
    let need = words::count(total.need);
    let (Some(cover), Some(spare)) = (total.cover(), total.spare()) else {
        return format!(
            "{need} hours of people {are} needed; no cover {is} planned for this period."
        );
    };
    let short = match total.short_intervals {
        0 => format!("no interval {is} short of people"),
        some => format!(
            "{} {} short, by {} hours in all",
            words::counted(f64::from(some), "interval"),
            if some == 1 { is } else { are },
            words::count(total.short_hours),
        ),
    };
    format!(
        "{need} hours of people {are} needed and {} planned, {} {} than needed; {short}.",
        words::count(cover),
        words::count(spare.abs()),
        if spare < 0.0 { "fewer" } else { "more" },
    )
}

fn columns(first: &str) -> Vec<Column> {
    vec![
        Column::new(first, Unit::Text),
        Column::new("Need", Unit::Hours),
        Column::new("Cover", Unit::Hours),
        Column::new("Spare", Unit::Hours),
        Column::new("Intervals short", Unit::Count),
        Column::new("Missing", Unit::Hours),
    ]
}

fn figures(hours: &Hours) -> [Cell; 5] {
    let is_covered = hours.covered.is_some();
    let known = |figure: f64| is_covered.then_some(figure).into();
    [
        hours.need.into(),
        hours.cover().into(),
        hours.spare().into(),
        known(f64::from(hours.short_intervals)),
        known(hours.short_hours),
    ]
}

fn by_type(told: &Told<'_>, total: &Hours) -> Table {
    let types = &told.facts.types;
    let has_cost = types.iter().any(|each| each.cost().is_some());
    let mut columns = columns("Contact type");
    columns.push(Column::new("Occupancy", Unit::Share));
    if has_cost {
        columns.push(Column::new("Paid cost", Unit::Count));
    }
    let rows = types.iter().map(|each| {
        let mut cells: Vec<Cell> = vec![each.name.as_str().into()];
        cells.extend(figures(&each.hours()));
        cells.push(each.occupancy().into());
        if has_cost {
            cells.push(each.cost().into());
        }
        Row::of(cells).about(About::Staffing(each.id, told.facts.days.first))
    });
    let total = (types.len() > 1).then(|| {
        let mut cells: Vec<Cell> = vec!["All".into()];
        cells.extend(figures(total));
        cells.push(Cell::Unknown);
        if has_cost {
            let costs: Option<f64> = types.iter().map(TypeFacts::cost).sum();
            cells.push(costs.into());
        }
        Row::of(cells)
    });
    Table {
        title: "Need and cover by contact type".to_owned(),
        columns,
        rows: rows.collect(),
        total,
    }
}
