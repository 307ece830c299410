//! The sections of a report: each a sentence that answers, then pictures, then tables.

mod causes;
mod demand;
mod events;
mod handle_time;
mod outbound;
mod people;
mod planned;
mod service;
mod simulated;
mod staffing;

use crate::report::{Part, Picture, Series};
use crate::told::Told;
use crate::{Group, Mark, Section, Unit};

pub(crate) use demand::against as against_in_words;
pub(crate) use outbound::over_ceiling as campaigns_over;
pub(crate) use service::{Missed, missed_targets, unjudged};

/// Most places of a picture: more cannot be told apart on a page.
const MOST_PLACES: usize = 400;

/// Makes a section.
pub(crate) fn part(section: Section, told: &Told<'_>) -> Part {
    match section {
        Section::Demand => demand::demand(told),
        Section::Accuracy => demand::accuracy(told),
        Section::Service => service::part(told),
        Section::HandleTime => handle_time::part(told),
        Section::Waits => simulated::waits(told),
        Section::Queues => simulated::queues(told),
        Section::Flow => simulated::flow(told),
        Section::Staffing => staffing::part(told),
        Section::Teams => people::teams(told),
        Section::Agents => people::agents(told),
        Section::Campaigns => outbound::campaigns(told),
        Section::Lines => outbound::lines(told),
        Section::Releases => events::releases(told),
        Section::Alarms => events::alarms(told),
        Section::Trials => events::trials(told),
        Section::Causes => causes::part(told),
    }
}

/// Most names that a picture has room for.
const MOST_NAMES: usize = 14;

/// A picture of one figure for each name; none where there is but one name, or too many to be read.
fn by_name(
    (title, unit): (&str, Unit),
    series: &str,
    figures: impl Iterator<Item = (String, Option<f64>)>,
) -> Option<Picture> {
    let (places, values): (Vec<String>, Vec<Option<f64>>) = figures.unzip();
    let fits = (2..=MOST_NAMES).contains(&places.len());
    (fits && values.iter().any(Option::is_some)).then(|| Picture {
        title: title.to_owned(),
        unit,
        places,
        is_named: true,
        series: vec![Series { name: series.to_owned(), mark: Mark::Columns, values }],
        target: None,
    })
}

/// A picture over groups; none where there is but one place, or none, or nothing to draw.
fn over_groups(
    told: &Told<'_>,
    (title, unit): (&str, Unit),
    groups: &[Group],
    series: Vec<(&str, Mark, Vec<Option<f64>>)>,
) -> Option<Picture> {
    let series: Vec<Series> = series
        .into_iter()
        .filter(|(.., values)| values.iter().any(Option::is_some))
        .map(|(name, mark, values)| Series { name: name.to_owned(), mark, values })
        .collect();
    let fits = (2..=MOST_PLACES).contains(&groups.len());
    (fits && !series.is_empty()).then(|| Picture {
        title: title.to_owned(),
        unit,
        places: groups.iter().map(|group| told.place(*group)).collect(),
        is_named: false,
        series,
        target: None,
    })
}
