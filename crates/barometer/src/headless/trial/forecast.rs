//! The forecast of a trial: contacts per interval and type.

use std::collections::BTreeMap;
use std::path::Path;

use anyhow::{Result, bail};
use barometer_plan::normal_quantile;
use barometer_simulate::{Arrivals, Demand, DemandInterval, DemandLuck, TypeDemand};
use barometer_strategy::{Customers, CustomersFile, Duration};
use jiff::Timestamp;
use jiff::tz::TimeZone;

use super::columns::Columns;
use crate::headless::csv_file;

/// A forecast, and what was taken for granted in reading it.
pub(super) struct Forecast {
    pub demand: Demand,
    pub notes: Vec<String>,
}

#[derive(Clone, Copy)]
struct Row {
    contacts: f64,
    handle_secs: Option<f64>,
    patience_secs: Option<f64>,
    band: Option<(f64, f64)>,
}

/// The type of contacts where a file names none.
const ONLY_TYPE: &str = "Contacts";
/// Intervals that a file may span.
const MOST_INTERVALS: i64 = 36_000;
/// Equally likely days into which the bands of a forecast are turned.
const DAYS: usize = 41;

/// Reads a forecast.
pub(super) async fn read(
    path: &Path,
    customers: Option<&CustomersFile>,
    zone: &TimeZone,
) -> Result<Forecast> {
    let (heading, rows) = csv_file::read(path).await?;
    let columns = Columns::of(path, &heading);
    let start_at = columns.need(&["interval_start"])?;
    let contacts_at = columns.need(&["contacts", "mean"])?;
    let name_at = columns.find(&["contact_type", "series"]);
    let [handle_at, patience_at, low_at, high_at] =
        ["handle_secs", "patience_secs", "p10", "p90"].map(|name| columns.find(&[name]));
    let mut types: BTreeMap<String, BTreeMap<Timestamp, Row>> = BTreeMap::new();
    for (nth, row) in rows.iter().enumerate() {
        let cell = |column: usize| columns.cell(row, nth, column);
        let optional = |column: Option<usize>| match column {
            Some(column) => cell(column).number(),
            None => Ok(None),
        };
        let name = name_at.map(|at| cell(at).text).filter(|name| !name.is_empty());
        let start = cell(start_at).moment(zone)?;
        let read = Row {
            contacts: cell(contacts_at).needed_number()?,
            handle_secs: optional(handle_at)?,
            patience_secs: optional(patience_at)?,
            band: optional(low_at)?.zip(optional(high_at)?),
        };
        if let (Some((low, high)), Some(low_at), Some(high_at)) = (read.band, low_at, high_at) {
            if low > high {
                bail!(cell(low_at).wrong(&format!("at most p90, which is {high}")));
            }
            if !(low..=high).contains(&read.contacts) {
                let [low, high] = [cell(low_at).text, cell(high_at).text];
                bail!(cell(contacts_at).wrong(&format!("within its band, {low} to {high}")));
            }
        }
        let of_type = types.entry(name.unwrap_or(ONLY_TYPE).to_owned()).or_default();
        if of_type.insert(start, read).is_some() {
            bail!(cell(start_at).wrong("a new interval: this contact type has it already"));
        }
    }
    demand_of(path, types, customers, zone)
}

fn demand_of(
    path: &Path,
    types: BTreeMap<String, BTreeMap<Timestamp, Row>>,
    customers: Option<&CustomersFile>,
    zone: &TimeZone,
) -> Result<Forecast> {
    let starts = || types.values().flat_map(BTreeMap::keys).copied();
    let (Some(first), Some(last)) = (starts().min(), starts().max()) else {
        bail!("{} has no intervals", path.display());
    };
    let mut all: Vec<i64> = starts().map(Timestamp::as_second).collect();
    all.sort_unstable();
    all.dedup();
    let secs = all.windows(2).map(|pair| pair[1] - pair[0]).min().unwrap_or(1800);
    let count = (last.as_second() - first.as_second()) / secs + 1;
    if count > MOST_INTERVALS {
        bail!(
            "{} spans {count} intervals of {secs} s; {MOST_INTERVALS} is the most: are its times right?",
            path.display()
        );
    }
    if let Some(off) = all.iter().find(|at| (*at - first.as_second()) % secs != 0) {
        let off = Timestamp::from_second(*off)?;
        bail!(
            "{}: {off} is not a whole number of intervals of {secs} s after {first}",
            path.display()
        );
    }
    let mut notes = Vec::new();
    let mut demands = Vec::new();
    for (name, rows) in &types {
        let missing = count as usize - rows.len();
        if missing > 0 {
            notes.push(format!(
                "{name}: {missing} of {count} intervals from {first} to {last} are not in the forecast: no contacts arrive in them"
            ));
        }
        let of_type = customers.and_then(|file| file.contact_types.get(name));
        demands.push(type_demand(name, rows, of_type, (first, secs, count))?);
    }
    if let Some(unknown) =
        customers.and_then(|file| file.contact_types.keys().find(|name| !types.contains_key(*name)))
    {
        notes.push(format!("customers of {unknown} are described, but none are forecast"));
    }
    let demand =
        Demand { start: first, zone: zone.clone(), interval_secs: secs as f64, types: demands };
    Ok(Forecast { demand, notes })
}

fn type_demand(
    name: &str,
    rows: &BTreeMap<Timestamp, Row>,
    of_type: Option<&Customers>,
    (first, secs, count): (Timestamp, i64, i64),
) -> Result<TypeDemand> {
    let mean_handle = of_type.map(|customers| customers.handling.mean_secs());
    if let (None, Some((start, _))) =
        (mean_handle, rows.iter().find(|(_, row)| row.handle_secs.is_none()))
    {
        bail!(
            "{name}: the interval {start} has no handle_secs, and no --customers file gives its handle time"
        );
    }
    let mut customers = of_type.cloned().unwrap_or_else(|| Customers::calls(1.0, None));
    if let Some(patience_secs) = rows.values().find_map(|row| row.patience_secs) {
        if customers.patience.is_some() {
            bail!(
                "{name}: patience is given twice, by the forecast's patience_secs and by the \
                 customers' patience; remove one of them"
            );
        }
        customers.patience = Some(Duration::exponential(patience_secs));
    }
    let interval = |nth: i64| {
        let start = Timestamp::from_second(first.as_second() + nth * secs)?;
        let row = rows.get(&start);
        let handle_secs = row.and_then(|row| row.handle_secs).or(mean_handle);
        Ok(DemandInterval {
            contacts: row.map_or(0.0, |row| row.contacts),
            handle_secs: handle_secs.unwrap_or(1.0),
        })
    };
    Ok(TypeDemand {
        name: name.to_owned(),
        customers,
        within_secs: 20.0,
        intervals: (0..count).map(interval).collect::<Result<_>>()?,
        arrivals: Arrivals::Random,
        luck: luck_of(rows.values()),
    })
}

/// How far days may be off, from the bands of the intervals: what the bands say beyond the luck of
/// counting is taken as one factor for the whole day. `None` without bands: the forecast is exact.
fn luck_of<'a>(rows: impl Iterator<Item = &'a Row>) -> Option<DemandLuck> {
    let reach = 2.0 * normal_quantile(0.9);
    let (mut beyond, mut squares, mut banded) = (0.0, 0.0, false);
    for row in rows {
        let Some((low, high)) = row.band else { continue };
        let deviation = (high - low) / reach;
        beyond += deviation * deviation - row.contacts;
        squares += row.contacts * row.contacts;
        banded = true;
    }
    let spread = (beyond / squares).max(0.0).sqrt();
    if !banded || spread <= 0.0 || !spread.is_finite() {
        return None;
    }
    // Equally likely days of a log-normal around 1.
    let log_deviation = (1.0 + spread * spread).ln().sqrt();
    let at = |day: usize| (log_deviation * normal_quantile((day as f64 + 0.5) / DAYS as f64)).exp();
    let mean = (0..DAYS).map(at).sum::<f64>() / DAYS as f64;
    let day_factors = (0..DAYS).map(|day| at(day) / mean).collect();
    Some(DemandLuck { day_factors, interval_variance: 0.0 })
}
