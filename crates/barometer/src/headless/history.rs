//! Interval history out of a CSV file, series by series.

use std::collections::BTreeMap;
use std::path::Path;

use anyhow::{Context, Result, bail};
use barometer_forecast::{Grain, Observation};
use barometer_intake::{Doubt, Layout, Refusal, Role, RowReader, Start};
use csv::ByteRecord;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use rayon::prelude::*;

use super::csv_file;

/// Rows that the layout is guessed from.
const SAMPLE_ROWS: usize = 500;

/// The history of one series.
pub struct Series {
    /// Its name.
    pub name: String,
    /// Length of its intervals.
    pub grain: Grain,
    /// Its intervals, oldest first.
    pub history: Vec<Observation>,
}

/// What a file holds.
pub struct History {
    /// Its series, by name.
    pub series: Vec<Series>,
    /// Whether its times carry their offset.
    pub has_offsets: bool,
}

#[derive(Clone, Copy, Default)]
struct Sums {
    /// The row of the file that began them.
    row: usize,
    offered: f64,
    answered: f64,
    handled: f64,
    handle_total: f64,
}

/// Reads a file. `grain` is the wanted interval length; the file's own where none is given.
///
/// # Errors
///
/// The first row that cannot be used, with its column and what would do: a forecast from half a
/// file would be no forecast.
pub fn read(path: &Path, zone: &TimeZone, grain: Option<Grain>) -> Result<History> {
    let bytes = std::fs::read(path).with_context(|| format!("reading {}", path.display()))?;
    let (heading, rows) = rows(&csv_file::text(bytes))
        .with_context(|| format!("reading {} as CSV", path.display()))?;
    let Some(heading) = heading else {
        bail!("{} is empty; its first row must name the columns", path.display());
    };
    if rows.is_empty() {
        bail!("{} has a heading and no rows under it", path.display());
    }
    let heading: Vec<String> = heading.iter().map(lossy).collect();
    let sample: Vec<Vec<String>> =
        rows.iter().take(SAMPLE_ROWS).map(|row| row.iter().map(lossy).collect()).collect();
    let names: Vec<&str> = heading.iter().map(String::as_str).collect();
    let guess = Layout::guess(&names, &sample);
    for doubt in &guess.doubts {
        match doubt {
            Doubt::Missing(role) => bail!(
                "no column of {} holds the {}; it has: {}",
                path.display(),
                role.title(),
                heading.join(", ")
            ),
            Doubt::DayOrder => bail!(
                "the dates of {} can be read day first and month first; write them as 2026-11-23",
                path.display()
            ),
            Doubt::Unknown(_) => {}
        }
    }
    let only = path.file_stem().map_or_else(|| "history".into(), |stem| stem.to_string_lossy());
    let unknown: Vec<&str> = guess
        .doubts
        .iter()
        .filter_map(|doubt| match doubt {
            Doubt::Unknown(column) => heading.get(*column).map(String::as_str),
            _ => None,
        })
        .collect();
    let advice = repeat_advice(guess.layout.column(Role::ContactType).is_some(), &unknown);
    // Nothing in a row of one series depends on those of others, so that each can be read on its own.
    let reader = RowReader::new(&guess.layout, zone);
    let (by_series, mut wrong) = sorted_by_series(&rows, &reader, &only);
    let read: Vec<Result<Series, Wrong>> = by_series
        .into_par_iter()
        .map(|(name, at)| {
            let of_series = Rows { name, rows: &rows, at: &at };
            let starts = of_series.read(&guess.layout, zone, &advice)?;
            resampled(name.to_owned(), &starts, zone, grain)
                .map_err(|error| Wrong { at: usize::MAX, message: error.to_string() })
        })
        .collect();
    let mut series = Vec::with_capacity(read.len());
    for each in read {
        match each {
            Ok(read) => series.push(read),
            Err(other) => {
                let earlier = wrong.take().filter(|known| known.at <= other.at);
                wrong = Some(earlier.unwrap_or(other));
            }
        }
    }
    if let Some(wrong) = wrong {
        bail!(wrong.message);
    }
    let has_offsets = sample.iter().flatten().any(|cell| {
        cell.ends_with('Z') || cell.get(16..).is_some_and(|rest| rest.contains(['+', '-']))
    });
    Ok(History { series, has_offsets })
}

/// The first row that cannot be used, and why.
struct Wrong {
    /// Its place, from 0 on.
    at: usize,
    message: String,
}

impl Wrong {
    fn of(at: usize, refusal: &Refusal) -> Self {
        let message = format!("row {}, column {}: {}", at + 2, refusal.field, refusal.reason);
        Self { at, message }
    }
}

/// The rows of one series.
struct Rows<'a> {
    name: &'a str,
    rows: &'a [ByteRecord],
    at: &'a [usize],
}

impl Rows<'_> {
    /// Its intervals, oldest first.
    fn read(
        &self,
        layout: &Layout,
        zone: &TimeZone,
        advice: &str,
    ) -> Result<Vec<(Timestamp, Sums)>, Wrong> {
        let mut reader = RowReader::new(layout, zone);
        let mut starts: Vec<(Timestamp, Sums)> = Vec::with_capacity(self.at.len());
        let mut failed = None;
        for &at in self.at {
            let cells: Vec<&[u8]> = self.rows[at].iter().collect();
            let read = match reader.read(&cells, Some(self.name)) {
                Ok(read) => read,
                Err(refusal) => {
                    failed = Some(Wrong::of(at, &refusal));
                    break;
                }
            };
            let Start::Interval(start) = read.start else {
                let message = format!(
                    "row {}: a forecast needs intervals, and this row is a whole day",
                    at + 2
                );
                failed = Some(Wrong { at, message });
                break;
            };
            let handled = read.handle_secs.map_or(0.0, |_| f64::from(read.answered));
            starts.push((
                start,
                Sums {
                    row: at + 2,
                    offered: f64::from(read.offered),
                    answered: f64::from(read.answered),
                    handled,
                    handle_total: read.handle_secs.unwrap_or(0.0) * handled,
                },
            ));
        }
        // Stable: of the same interval the earlier row stands first.
        starts.sort_by_key(|(start, _)| *start);
        let twice = starts.windows(2).filter(|two| two[0].0 == two[1].0);
        let twice = twice.min_by_key(|two| two[1].1.row).map(|two| Wrong {
            at: two[1].1.row - 2,
            message: format!(
                "row {}: this interval of {} is in row {} already; {advice}",
                two[1].1.row, self.name, two[0].1.row
            ),
        });
        match twice.or(failed) {
            Some(wrong) => Err(wrong),
            None => Ok(starts),
        }
    }
}

/// What to do about an interval that comes twice.
fn repeat_advice(has_series: bool, unknown: &[&str]) -> String {
    if has_series || unknown.is_empty() {
        return "leave one of the rows out".to_owned();
    }
    format!(
        "leave one of the rows out or, if a column says whose contacts these are, name that column \
         series: the columns not used are {}",
        unknown.join(", ")
    )
}

fn lossy(cell: &[u8]) -> String {
    String::from_utf8_lossy(cell).into_owned()
}

/// Rows that one thread sorts at a time, and bytes that one reads.
const ROWS_AT_A_TIME: usize = 16_384;
const BYTES_AT_A_TIME: usize = 1 << 20;

type BySeries<'a> = BTreeMap<&'a str, Vec<usize>>;

/// The places of each series' rows in their order, up to the first row without a name that can be used.
fn sorted_by_series<'a>(
    rows: &'a [ByteRecord],
    reader: &RowReader,
    only: &'a str,
) -> (BySeries<'a>, Option<Wrong>) {
    let sort = |(nth, rows): (usize, &'a [ByteRecord])| {
        let mut found: BySeries<'a> = BTreeMap::new();
        for (at, row) in rows.iter().enumerate() {
            let at = nth * ROWS_AT_A_TIME + at;
            let cells: Vec<&[u8]> = row.iter().collect();
            match reader.contact_type(&cells, Some(only)) {
                Ok(name) => found.entry(name).or_default().push(at),
                Err(refusal) => return (found, Some(Wrong::of(at, &refusal))),
            }
        }
        (found, None)
    };
    let parts: Vec<_> = rows.par_chunks(ROWS_AT_A_TIME).enumerate().map(sort).collect();
    let mut all: BySeries<'a> = BTreeMap::new();
    for (found, wrong) in parts {
        for (name, mut at) in found {
            all.entry(name).or_default().append(&mut at);
        }
        if wrong.is_some() {
            return (all, wrong);
        }
    }
    (all, None)
}

/// The heading and the rows of a CSV text with the separator that its first line has most of.
fn rows(text: &[u8]) -> Result<(Option<ByteRecord>, Vec<ByteRecord>)> {
    let line = text.split(|byte| *byte == b'\n').next().unwrap_or_default();
    let count = |separator: &u8| line.iter().filter(|byte| *byte == separator).count();
    let separator = [b'\t', b';', b','].into_iter().max_by_key(count).unwrap_or(b',');
    let read = |text: &[u8]| -> Result<Vec<ByteRecord>, csv::Error> {
        let reader = csv::ReaderBuilder::new()
            .has_headers(false)
            .flexible(true)
            .delimiter(separator)
            .from_reader(text);
        reader.into_byte_records().collect()
    };
    let parts: Result<Vec<Vec<ByteRecord>>, _> = in_parts(text).into_par_iter().map(read).collect();
    let mut records = parts?.into_iter().flatten();
    let heading = records.next();
    Ok((heading, records.collect()))
}

/// A text in parts of whole lines that can be read apart; in one where a quoted cell may hold a line's end.
fn in_parts(text: &[u8]) -> Vec<&[u8]> {
    if text.contains(&b'"') {
        return vec![text];
    }
    let mut parts = Vec::new();
    let mut left = text;
    while left.len() > BYTES_AT_A_TIME {
        let end = left[BYTES_AT_A_TIME..].iter().position(|byte| *byte == b'\n');
        let Some(end) = end else { break };
        let (part, rest) = left.split_at(BYTES_AT_A_TIME + end + 1);
        parts.push(part);
        left = rest;
    }
    parts.push(left);
    parts
}

fn greatest_common_divisor(one: i64, other: i64) -> i64 {
    if other == 0 { one } else { greatest_common_divisor(other, one % other) }
}

fn resampled(
    name: String,
    starts: &[(Timestamp, Sums)],
    zone: &TimeZone,
    wanted: Option<Grain>,
) -> Result<Series> {
    let into_hour = |start: &Timestamp| {
        (start.as_second() + i64::from(zone.to_offset(*start).seconds())).rem_euclid(3600)
    };
    // The longest step that all starts are multiples of: a file of ten-minute intervals has one of ten.
    let step = starts.iter().map(|(start, _)| into_hour(start)).fold(3600, greatest_common_divisor);
    let minutes = |grain: Grain| i64::from(grain.minutes());
    let holds = |grain: &Grain| minutes(*grain) * 60 % step == 0;
    // Steps under a minute are moments of single contacts, and fit anywhere.
    let own = Grain::ALL.into_iter().find(|grain| step < 60 || holds(grain));
    let grain = wanted.or(own).unwrap_or(Grain::Hour);
    if step >= 60 && !holds(&grain) {
        bail!(
            "{name} has {}-minute intervals; they cannot be told apart into {} minutes",
            step / 60,
            grain.minutes()
        );
    }
    let mut history: BTreeMap<Timestamp, Sums> = BTreeMap::new();
    for (start, sums) in starts {
        let over = into_hour(start) % (i64::from(grain.minutes()) * 60);
        let start = start.checked_sub(jiff::SignedDuration::from_secs(over))?;
        let all = history.entry(start).or_default();
        all.offered += sums.offered;
        all.answered += sums.answered;
        all.handled += sums.handled;
        all.handle_total += sums.handle_total;
    }
    let history = history
        .into_iter()
        .map(|(start, sums)| Observation {
            start,
            offered: sums.offered,
            answered: sums.answered,
            handle_secs: (sums.handled > 0.0).then(|| sums.handle_total / sums.handled),
        })
        .collect();
    Ok(Series { name, grain, history })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_that_is_read_in_parts_has_the_rows_of_one_that_is_not() {
        let mut text = String::from("interval_start,offered\r\n");
        for nth in 0..120_000 {
            text += &format!("2026-01-{:02}T{:02}:00,{nth}\r\n", nth % 28 + 1, nth % 24);
        }
        assert!(in_parts(text.as_bytes()).len() > 2);
        assert_eq!(in_parts(text.as_bytes()).concat(), text.as_bytes());
        let (heading, apart) = rows(text.as_bytes()).expect("it can be read");
        // A quoted heading keeps it in one part.
        let quoted = text.replacen("offered", "\"offered\"", 1);
        assert_eq!(in_parts(quoted.as_bytes()).len(), 1);
        let (same, whole) = rows(quoted.as_bytes()).expect("it can be read");
        assert_eq!((heading, apart.len()), (same, 120_000));
        assert!(apart == whole, "row by row");
        assert_eq!(rows(b"").expect("nothing").0, None);
        let (_, quotes) = rows(b"a,b\n\"one\ntwo\",3\n").expect("a cell of two lines");
        assert_eq!(quotes.len(), 1);
    }
}
