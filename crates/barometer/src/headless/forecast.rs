//! `barometer forecast`: history in, forecast with bands out.

use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use barometer_forecast::{
    Band, Calendar, DayGrid, Finding, Forecast, Grain, MethodName, Repeats, Rule, SpecialDay,
    calendar_of, forecast, proposals, recurring_days,
};
use barometer_intake::{YEARS, calendar_days};
use clap::Args;
use csv_async::{AsyncReaderBuilder, StringRecord};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use rayon::prelude::*;

use super::csv_file;
use super::history::{self, Series};

/// Days that can be forecast at most.
const MOST_DAYS: usize = 366;

/// The largest effect that a calendar may set, in per cent of an ordinary day.
const MOST_PERCENT: f64 = 10_000.0;
/// Days from a date that an entry of a calendar may be about.
const MOST_OFFSET: i8 = 14;

#[derive(Args)]
pub struct Options {
    /// Interval history as CSV: interval_start and offered, and where known series (or
    /// contact_type), answered, abandoned, handle_secs.
    #[arg(long)]
    history: PathBuf,
    /// How far ahead: 28d, 4w.
    #[arg(long, default_value = "28d")]
    horizon: String,
    /// Where the intervals go: series, interval_start, mean, p10, p90, p2_5, p97_5, handle_secs.
    #[arg(long)]
    out: PathBuf,
    /// Where the days go: series, day, mean, p10, p90, p2_5, p97_5.
    #[arg(long)]
    days_out: Option<PathBuf>,
    /// Special days: a CSV file (date, name, class, and optionally closed, percent, and offset: days
    /// from the date, such as 1 for the day after) or an iCalendar file (.ics). Without one, days that the history shows to recur are used.
    #[arg(long)]
    calendar: Option<PathBuf>,
    /// The IANA zone whose clocks times without an offset follow.
    #[arg(long, default_value = "UTC")]
    zone: String,
    /// Minutes of an interval (15, 30, 60); the file's own by default.
    #[arg(long)]
    grain: Option<i16>,
    /// The method: combination, smoothing, regression ... The best on held-out weeks by default.
    #[arg(long)]
    method: Option<String>,
    /// Takes the history as it is: outages, doubled days and level shifts are left in.
    #[arg(long)]
    as_is: bool,
    /// Where the record of every method on held-out weeks goes, as JSON.
    #[arg(long)]
    report: Option<PathBuf>,
}

/// Runs the command.
pub async fn run(options: Options) -> Result<()> {
    let zone = TimeZone::get(&options.zone).with_context(|| {
        format!("{} is no time zone; use an IANA name such as Europe/London", options.zone)
    })?;
    let days = horizon(&options.horizon)?;
    let grain = options.grain.map(Grain::try_from).transpose()?;
    let method = match &options.method {
        None => None,
        Some(slug) => Some(MethodName::from_slug(slug).with_context(|| {
            let known: Vec<_> = MethodName::ALL.into_iter().map(MethodName::slug).collect();
            format!("{slug} is no method; use one of {}", known.join(", "))
        })?),
    };
    let history = history::read(&options.history, &zone, grain)?;
    let calendar = match &options.calendar {
        Some(path) => Some(read_calendar(path, &history.series, &zone).await?),
        None => None,
    };
    let tried: Vec<(&str, Result<Made>)> = history
        .series
        .par_iter()
        .map(|series| {
            let made = make(series, calendar.as_ref(), &zone, days, method, options.as_is);
            (series.name.as_str(), made)
        })
        .collect();
    // A series that cannot be forecast does not keep the others from it, as long as there are others.
    let (mut made, mut failed) = (Vec::new(), Vec::new());
    for (name, tried) in tried {
        match tried {
            Ok(done) => made.push(done),
            Err(error) => failed.push((name, error)),
        }
    }
    for (name, error) in &failed {
        eprintln!("{name}: left out: {error:#}");
    }
    if made.is_empty()
        && let Some((_, error)) = failed.into_iter().next()
    {
        return Err(error);
    }
    for each in &made {
        each.said.iter().for_each(|line| eprintln!("{}: {line}", each.name));
    }
    csv_file::write(&options.out, INTERVAL_COLUMNS, intervals(&made, &zone, history.has_offsets))
        .await?;
    if let Some(path) = &options.days_out {
        csv_file::write(path, DAY_COLUMNS, days_of(&made)).await?;
    }
    if let Some(path) = &options.report {
        let records: serde_json::Map<String, serde_json::Value> = made
            .iter()
            .map(|each| Ok((each.name.clone(), serde_json::to_value(&each.forecast.backtest)?)))
            .collect::<Result<_>>()?;
        std::fs::write(path, serde_json::to_string_pretty(&records)?)
            .with_context(|| format!("writing {}", path.display()))?;
    }
    Ok(())
}

struct Made {
    name: String,
    forecast: Forecast,
    /// What was taken for granted on the way.
    said: Vec<String>,
}

fn horizon(written: &str) -> Result<usize> {
    let (number, unit) = match written.strip_suffix('w') {
        Some(number) => (number, 7),
        None => (written.strip_suffix('d').unwrap_or(written), 1),
    };
    let days = number.trim().parse::<usize>().ok().and_then(|number| number.checked_mul(unit));
    days.filter(|days| (1..=MOST_DAYS).contains(days)).with_context(|| {
        format!("“{written}” is no horizon; write 28d or 4w, up to {MOST_DAYS} days")
    })
}

fn make(
    series: &Series,
    calendar: Option<&Calendar>,
    zone: &TimeZone,
    days: usize,
    method: Option<MethodName>,
    as_is: bool,
) -> Result<Made> {
    let mut said = Vec::new();
    let Some(mut grid) = DayGrid::new(&series.history, series.grain, zone) else {
        bail!("{} has no history", series.name);
    };
    let calendar = match calendar {
        Some(calendar) => calendar.clone(),
        None => {
            let found = recurring_days(&grid, &Calendar::default());
            for each in &found {
                said.push(format!(
                    "special day found: {}, {:+.0} % ({} seen)",
                    each.rule,
                    100.0 * (each.factor - 1.0),
                    each.years
                ));
            }
            calendar_of(&found, &grid, "found in history")
        }
    };
    if !as_is {
        // A day out of line may come again, and the methods are robust against it; what was not
        // recorded, or twice, or at another level, will not.
        let accepted: Vec<_> = proposals(&grid, &calendar)
            .into_iter()
            .filter(|proposal| proposal.finding != Finding::Outlier)
            .collect();
        for proposal in &accepted {
            let (what, from) = (proposal.finding.title(), proposal.mark.from);
            said.push(format!("cleaned: {what} from {from}: {}", proposal.why));
        }
        let marks: Vec<_> = accepted.iter().map(|proposal| proposal.mark).collect();
        grid = grid.marked(&marks);
    }
    let forecast = forecast(&grid, &calendar, days, method)
        .with_context(|| format!("forecasting {}", series.name))?;
    said.push(format!("method: {}", forecast.method));
    if !forecast.has_handle_times {
        said.push("handle_secs is left empty, because the history has no handle times".to_owned());
    }
    Ok(Made { name: series.name.clone(), forecast, said })
}

async fn read_calendar(path: &Path, series: &[Series], zone: &TimeZone) -> Result<Calendar> {
    let bytes = std::fs::read(path).with_context(|| format!("reading {}", path.display()))?;
    if path.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("ics")) {
        let events =
            calendar_days(&bytes, zone).with_context(|| format!("reading {}", path.display()))?;
        let ends = series.iter().flat_map(|each| [each.history.first(), each.history.last()]);
        let days: Vec<Date> =
            ends.flatten().map(|seen| zone.to_datetime(seen.start).date()).collect();
        let (first, last) = (days.iter().min(), days.iter().max());
        let (Some(first), Some(last)) = (first, last) else { return Ok(Calendar::default()) };
        let last = last.saturating_add(jiff::Span::new().days(MOST_DAYS as i64));
        let days = events.iter().flat_map(|event| {
            let repeats = if event.is_yearly {
                Repeats::Yearly(Rule::Date { month: event.from.month(), day: event.from.day() })
            } else {
                Repeats::Once { from: event.from, to: event.to }
            };
            let days = repeats.days(*first, last);
            days.into_iter().map(|day| SpecialDay::new(day, &event.name, "calendar"))
        });
        return Ok(Calendar::new(days.collect()));
    }
    let text = csv_file::text(bytes);
    let mut reader = AsyncReaderBuilder::new().flexible(true).create_reader(&text[..]);
    let heading = reader.headers().await?.clone();
    let column =
        |name: &str| heading.iter().position(|each| each.trim().eq_ignore_ascii_case(name));
    let date = column("date").with_context(|| {
        format!("{} has no column date; it needs date, name and class", path.display())
    })?;
    let (name, class) = (column("name"), column("class"));
    let (closed, percent, offset) = (column("closed"), column("percent"), column("offset"));
    let mut days = Vec::new();
    let mut record = StringRecord::new();
    let mut at = 0;
    while reader.read_record(&mut record).await? {
        let cell =
            |column: Option<usize>| column.and_then(|at| record.get(at)).unwrap_or("").trim();
        let day: Date = cell(Some(date))
            .parse()
            .with_context(|| format!("row {}, column date: write a day as 2026-12-25", at + 2))?;
        if !YEARS.contains(&day.year()) {
            let (first, last) = (YEARS.start(), YEARS.end());
            bail!("row {}, column date: years are {first} to {last}", at + 2);
        }
        let offset = match cell(offset) {
            "" => 0,
            typed => typed
                .parse::<i8>()
                .ok()
                .filter(|days| (-MOST_OFFSET..=MOST_OFFSET).contains(days))
                .with_context(|| {
                    format!(
                        "row {}, column offset: write days from the date, -{MOST_OFFSET} to {MOST_OFFSET}",
                        at + 2
                    )
                })?,
        };
        let day = day.saturating_add(jiff::Span::new().days(i64::from(offset)));
        let named = |text: &str, instead: &str| {
            if text.is_empty() { instead.to_owned() } else { text.to_owned() }
        };
        let class = named(cell(class), "special day");
        let name = named(cell(name), &class);
        let factor = match cell(percent) {
            "" => None,
            percent => Some(
                percent
                    .parse::<f64>()
                    .ok()
                    .filter(|percent| *percent > 0.0 && *percent <= MOST_PERCENT)
                    .with_context(|| {
                        format!(
                            "row {}, column percent: write a number above 0, at most {MOST_PERCENT}",
                            at + 2
                        )
                    })?
                    / 100.0,
            ),
        };
        let closed = match cell(closed).to_ascii_lowercase().as_str() {
            "yes" | "true" | "1" | "x" => true,
            "" | "no" | "false" | "0" => false,
            other => bail!("row {}, column closed: “{other}” is neither yes nor no", at + 2),
        };
        days.push(SpecialDay { closed, factor, offset, ..SpecialDay::new(day, &name, &class) });
        at += 1;
    }
    Ok(Calendar::new(days))
}

fn band(band: Band) -> [String; 4] {
    [band.p10, band.p90, band.p2_5, band.p97_5].map(|edge| format!("{edge:.4}"))
}

const INTERVAL_COLUMNS: [&str; 8] =
    ["series", "interval_start", "mean", "p10", "p90", "p2_5", "p97_5", "handle_secs"];
const DAY_COLUMNS: [&str; 7] = ["series", "day", "mean", "p10", "p90", "p2_5", "p97_5"];

fn intervals(made: &[Made], zone: &TimeZone, has_offsets: bool) -> Vec<Vec<String>> {
    // As the history writes its times, so that the two can be put side by side.
    let pattern = if has_offsets { "%Y-%m-%dT%H:%M:%S%:z" } else { "%Y-%m-%dT%H:%M:%S" };
    let mut rows = Vec::new();
    for each in made {
        for interval in &each.forecast.intervals {
            let start = interval.start.to_zoned(zone.clone()).strftime(pattern).to_string();
            let mut row = vec![each.name.clone(), start, format!("{:.4}", interval.contacts)];
            row.extend(band(interval.band));
            row.push(if each.forecast.has_handle_times {
                format!("{:.2}", interval.handle_secs)
            } else {
                String::new()
            });
            rows.push(row);
        }
    }
    rows
}

fn days_of(made: &[Made]) -> Vec<Vec<String>> {
    let mut rows = Vec::new();
    for each in made {
        for day in &each.forecast.days {
            let mut row =
                vec![each.name.clone(), day.day.to_string(), format!("{:.4}", day.contacts)];
            row.extend(band(day.band));
            rows.push(row);
        }
    }
    rows
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_horizon_is_days_or_weeks() {
        assert_eq!(horizon("28d").unwrap(), 28);
        assert_eq!(horizon("4w").unwrap(), 28);
        assert_eq!(horizon("10").unwrap(), 10);
        for written in ["0d", "soon", "-3d", "400d", "99999999999999999999w"] {
            assert!(horizon(written).is_err(), "{written}");
        }
    }
}
