//! Interval history out of a CSV file, series by series.

use std::collections::BTreeMap;
use std::path::Path;

use anyhow::{Context, Result, bail};
use barometer_forecast::{Grain, Observation};
use barometer_intake::{Doubt, Layout, Role, RowReader, Start};
use jiff::Timestamp;
use jiff::tz::TimeZone;

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
pub async fn read(path: &Path, zone: &TimeZone, grain: Option<Grain>) -> Result<History> {
    let bytes = std::fs::read(path).with_context(|| format!("reading {}", path.display()))?;
    let rows = rows(&csv_file::text(bytes))
        .await
        .with_context(|| format!("reading {} as CSV", path.display()))?;
    let Some((heading, rows)) = rows.split_first() else {
        bail!("{} is empty; its first row must name the columns", path.display());
    };
    if rows.is_empty() {
        bail!("{} has a heading and no rows under it", path.display());
    }
    let heading: Vec<String> = heading.iter().map(|cell| lossy(cell)).collect();
    let sample: Vec<Vec<String>> = rows
        .iter()
        .take(SAMPLE_ROWS)
        .map(|row| row.iter().map(|cell| lossy(cell)).collect())
        .collect();
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
    let mut reader = RowReader::new(&guess.layout, zone);
    let mut by_series: BTreeMap<String, BTreeMap<Timestamp, Sums>> = BTreeMap::new();
    let unknown: Vec<&str> = guess
        .doubts
        .iter()
        .filter_map(|doubt| match doubt {
            Doubt::Unknown(column) => heading.get(*column).map(String::as_str),
            _ => None,
        })
        .collect();
    for (at, row) in rows.iter().enumerate() {
        let cells: Vec<&[u8]> = row.iter().map(Vec::as_slice).collect();
        let read = reader.read(&cells, Some(&only)).map_err(|refusal| {
            anyhow::anyhow!("row {}, column {}: {}", at + 2, refusal.field, refusal.reason)
        })?;
        let Start::Interval(start) = read.start else {
            bail!("row {}: a forecast needs intervals, and this row is a whole day", at + 2);
        };
        let starts = by_series.entry(read.contact_type.to_owned()).or_default();
        if let Some(earlier) = starts.get(&start) {
            bail!(
                "row {}: this interval of {} is in row {} already; {}",
                at + 2,
                read.contact_type,
                earlier.row,
                repeat_advice(guess.layout.column(Role::ContactType).is_some(), &unknown)
            );
        }
        let sums = starts.entry(start).or_insert(Sums { row: at + 2, ..Sums::default() });
        sums.offered += f64::from(read.offered);
        sums.answered += f64::from(read.answered);
        if let Some(secs) = read.handle_secs {
            sums.handled += f64::from(read.answered);
            sums.handle_total += secs * f64::from(read.answered);
        }
    }
    let series = by_series
        .into_iter()
        .map(|(name, starts)| resampled(name, &starts, zone, grain))
        .collect::<Result<_>>()?;
    let has_offsets = sample.iter().flatten().any(|cell| {
        cell.ends_with('Z') || cell.get(16..).is_some_and(|rest| rest.contains(['+', '-']))
    });
    Ok(History { series, has_offsets })
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

/// The rows of a CSV text with the separator that its first line has most of.
async fn rows(text: &[u8]) -> Result<Vec<Vec<Vec<u8>>>> {
    let line = text.split(|byte| *byte == b'\n').next().unwrap_or_default();
    let count = |separator: &u8| line.iter().filter(|byte| *byte == separator).count();
    let separator = [b'\t', b';', b','].into_iter().max_by_key(count).unwrap_or(b',');
    let mut reader = csv_async::AsyncReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(separator)
        .create_reader(text);
    let mut rows = Vec::new();
    let mut record = csv_async::ByteRecord::new();
    while reader.read_byte_record(&mut record).await? {
        rows.push(record.iter().map(<[u8]>::to_vec).collect());
    }
    Ok(rows)
}

fn greatest_common_divisor(one: i64, other: i64) -> i64 {
    if other == 0 { one } else { greatest_common_divisor(other, one % other) }
}

fn resampled(
    name: String,
    starts: &BTreeMap<Timestamp, Sums>,
    zone: &TimeZone,
    wanted: Option<Grain>,
) -> Result<Series> {
    let into_hour = |start: &Timestamp| {
        (start.as_second() + i64::from(zone.to_offset(*start).seconds())).rem_euclid(3600)
    };
    // The longest step that all starts are multiples of: a file of ten-minute intervals has one of ten.
    let step = starts.keys().map(into_hour).fold(3600, greatest_common_divisor);
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
