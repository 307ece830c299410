//! What the history does not tell: waits by percentile, queues, and where contacts go, as the latest trial of the live
//! strategy found them.

use super::by_name;
use crate::facts::{SimulatedFacts, SimulatedFlow, WAIT_SHARES};
use crate::report::{About, Cell, Column, Part, Picture, Row, Table};
use crate::told::{Told, gone};
use crate::{Section, Unit, words};

/// Most transitions that are listed.
const MOST_FLOWS: usize = 40;

/// Transitions that are drawn: the names of more have no room.
const DRAWN_FLOWS: usize = 5;

/// "Simulated: the whole centre on Fri 27 Nov, 200 replications."
fn source(simulated: &SimulatedFacts) -> String {
    format!(
        "Simulated: {} on {}, {}.",
        simulated.subject,
        words::short_day(simulated.day),
        words::counted(f64::from(simulated.replications), "replication"),
    )
}

fn part(
    section: Section,
    told: &Told<'_>,
    made: impl FnOnce(&SimulatedFacts) -> (String, Option<Picture>, Table),
) -> Part {
    let Some(simulated) = &told.facts.simulated else {
        return Part::missing(
            section,
            "No trial of the live strategy has finished. Run one under Trials: the history does not record this.",
        );
    };
    let (sentence, picture, table) = made(simulated);
    Part {
        section,
        sentence: format!("{sentence} {}", source(simulated)),
        is_missing: false,
        about: Some(About::Trial(simulated.trial)),
        pictures: picture.into_iter().collect(),
        tables: vec![table],
    }
}

pub(super) fn waits(told: &Told<'_>) -> Part {
    part(Section::Waits, told, |simulated| {
        let nine_in_ten = |each: &crate::facts::SimulatedWaits| each.secs[2];
        let longest = simulated
            .waits
            .iter()
            .filter_map(|each| Some((each, nine_in_ten(each)?)))
            .max_by(|one, other| one.1.total_cmp(&other.1));
        let sentence = longest.map_or_else(
            || "Nobody was answered.".to_owned(),
            |(each, secs)| {
                format!(
                    "Nine in ten answered contacts of {} waited up to {} s, longest of all.",
                    each.contact_type,
                    words::decimals(secs, 1),
                )
            },
        );
        let mut columns = vec![Column::new("Contact type", Unit::Text)];
        columns.extend(WAIT_SHARES.into_iter().map(|share| {
            Column::new(format!("{} within", words::short_percent(share)), Unit::Seconds)
        }));
        let rows = simulated.waits.iter().map(|each| {
            let mut cells: Vec<Cell> = vec![each.contact_type.as_str().into()];
            cells.extend(each.secs.into_iter().map(Cell::from));
            Row::of(cells).about(About::Trial(simulated.trial))
        });
        let table = Table {
            title: "Waits of the answered, as simulated".to_owned(),
            columns,
            rows: rows.collect(),
            total: None,
        };
        let waits = simulated.waits.iter();
        let picture = by_name(
            ("Wait of nine in ten answered contacts", Unit::Seconds),
            "up to",
            waits.map(|each| (each.contact_type.clone(), nine_in_ten(each))),
        );
        (sentence, picture, table)
    })
}

pub(super) fn queues(told: &Told<'_>) -> Part {
    part(Section::Queues, told, |simulated| {
        let covered = || {
            let all = simulated.service_points.iter();
            all.filter(|point| told.covers_queue(&point.name))
        };
        let worst = covered()
            .filter_map(|point| Some((point, point.service_level?)))
            .min_by(|one, other| one.1.total_cmp(&other.1));
        let sentence = worst.map_or_else(
            || "No contact reached a queue.".to_owned(),
            |(point, level)| {
                format!(
                    "{} has the lowest service level, {} of {} contacts.",
                    point.name,
                    words::percent(level),
                    words::count(point.entered),
                )
            },
        );
        let rows = covered().map(|point| {
            Row::of(vec![
                point.name.as_str().into(),
                point.entered.into(),
                point.answered.into(),
                point.service_level.into(),
                point.wait_secs.into(),
                point.abandonment.into(),
            ])
            .about(About::Trial(simulated.trial))
        });
        let table = Table {
            title: "Queues and hunt groups, as simulated".to_owned(),
            columns: vec![
                Column::new("Queue or hunt group", Unit::Text),
                Column::new("Entered", Unit::Count),
                Column::new("Answered", Unit::Count),
                Column::new("Service level", Unit::Share),
                Column::new("Wait", Unit::Seconds),
                Column::new("Abandonment", Unit::Share),
            ],
            rows: rows.collect(),
            total: None,
        };
        let picture = by_name(
            ("Service level by queue or hunt group", Unit::Share),
            "Service level",
            covered().map(|point| (point.name.clone(), point.service_level)),
        );
        (sentence + &gone_queues(told, simulated), picture, table)
    })
}

/// The queues that the report is to cover and that are gone.
fn gone_queues(told: &Told<'_>, simulated: &SimulatedFacts) -> String {
    let names = simulated.service_points.iter().map(|point| point.name.as_str());
    gone(&told.definition.queues, names)
}

pub(super) fn flow(told: &Told<'_>) -> Part {
    part(Section::Flow, told, |simulated| {
        let is_covered = |flow: &&SimulatedFlow| {
            let passes = told.covers_queue(&flow.from) || told.covers_queue(&flow.to);
            flow.contacts > 0.0 && passes
        };
        let mut flows: Vec<&SimulatedFlow> = simulated.flows.iter().filter(is_covered).collect();
        let ways = flows.len();
        flows.sort_by(|one, other| other.contacts.total_cmp(&one.contacts));
        let largest = flows.first().map_or_else(String::new, |flow| {
            format!(
                "; the largest, {} from {} to {}",
                words::count(flow.contacts),
                flow.from,
                flow.to
            )
        });
        let left_out = match ways.saturating_sub(MOST_FLOWS) {
            0 => String::new(),
            some => format!(" The {some} smallest are left out."),
        };
        let sentence = format!(
            "Contacts take {} in a day{largest}.{left_out}{}",
            words::counted(ways as f64, "transition"),
            gone_queues(told, simulated),
        );
        let largest = flows.iter().take(DRAWN_FLOWS);
        let picture = by_name(
            ("Contacts of a day by transition, the largest", Unit::Count),
            "Contacts",
            largest.map(|flow| (format!("{} → {}", flow.from, flow.to), Some(flow.contacts))),
        );
        let rows = flows.into_iter().take(MOST_FLOWS).map(|flow| {
            Row::of(vec![
                flow.from.as_str().into(),
                flow.cause.as_str().into(),
                flow.to.as_str().into(),
                flow.contacts.into(),
            ])
            .about(About::Trial(simulated.trial))
        });
        let table = Table {
            title: "Flow, as simulated: contacts of a day".to_owned(),
            columns: vec![
                Column::new("From", Unit::Text),
                Column::new("Cause", Unit::Text),
                Column::new("To", Unit::Text),
                Column::new("Contacts", Unit::Count),
            ],
            rows: rows.collect(),
            total: None,
        };
        (sentence, picture, table)
    })
}
