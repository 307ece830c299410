//! Reads interval history from a CSV file, row by row, into an import.
//!
//! The columns are documented on the import page and in `docs/import.md`. A row that cannot be used
//! is refused with its row, its column and what would do; only a file without the needed columns is
//! refused whole.

use std::collections::HashMap;

use barometer_store::{ImportRow, ImportWriter, StoreError};
use csv_async::{AsyncReaderBuilder, ByteRecord};
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::{AmbiguousOffset, TimeZone};
use tokio::io::{AsyncBufReadExt, AsyncRead, BufReader};

/// More contacts than any interval has.
const MOST_CONTACTS: u32 = 10_000_000;
/// A handle time of over a day is a mistake of units.
const MOST_HANDLE_SECS: f64 = 86_400.0;
/// Names longer than this are refused.
const MOST_NAME_CHARS: usize = 80;
/// Intervals start on quarters of an hour.
const QUARTER_SECS: i64 = 900;

/// Why a file cannot be read at all.
#[derive(Debug, thiserror::Error)]
pub(crate) enum FileError {
    #[error("The file is empty. Its first row must name the columns.")]
    Empty,
    #[error(
        "The first row names no column {missing}. It has: {found}. Rename a column, or compare with the example file."
    )]
    MissingColumn { missing: &'static str, found: String },
    #[error(
        "The file has no column contact_type. Add one, or write the contact type's name beside the file."
    )]
    NoContactType,
    #[error("The file cannot be read as CSV in row {row}: {reason}.")]
    Unreadable { row: u64, reason: String },
    #[error(transparent)]
    Store(#[from] StoreError),
}

/// Where the columns stand.
#[derive(Debug)]
struct Columns {
    contact_type: Option<usize>,
    start: usize,
    offered: usize,
    answered: Option<usize>,
    abandoned: Option<usize>,
    handle_secs: Option<usize>,
    count: usize,
}

/// A row that cannot be used: the column at fault and what would do.
type Refused = (&'static str, String);

/// Reads all rows of `file` into `import`. `only` is the contact type of files without that column.
pub(crate) async fn read(
    file: impl AsyncRead + Unpin + Send,
    zone: &TimeZone,
    only: Option<&str>,
    import: &mut ImportWriter,
) -> Result<(), FileError> {
    let mut file = BufReader::with_capacity(1 << 16, file);
    let start = file.fill_buf().await.map_err(|error| unreadable(1, &error))?;
    if start.is_empty() {
        return Err(FileError::Empty);
    }
    let delimiter = delimiter(start);
    if start.starts_with(b"\xef\xbb\xbf") {
        file.consume(3);
    }
    let mut reader = AsyncReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(delimiter)
        .create_reader(file);
    let mut record = ByteRecord::new();
    if !reader.read_byte_record(&mut record).await.map_err(|error| unreadable(1, &error))? {
        return Err(FileError::Empty);
    }
    let columns = Columns::find(&record, only.is_some())?;
    let mut times = Times { zone, repeated: HashMap::new() };
    let mut row_number = 1;
    loop {
        row_number += 1;
        let more = reader.read_byte_record(&mut record).await;
        if !more.map_err(|error| unreadable(row_number, &error))? {
            return Ok(());
        }
        match usable(&record, row_number, &columns, only, &mut times) {
            Ok(row) => import.add(&row).await?,
            Err((field, reason)) => import.refuse(row_number, field, reason),
        }
    }
}

fn unreadable(row: u64, error: &dyn std::error::Error) -> FileError {
    FileError::Unreadable { row, reason: error.to_string() }
}

/// The separator that the first line has most of.
fn delimiter(start: &[u8]) -> u8 {
    let line = start.split(|byte| *byte == b'\n').next().unwrap_or(start);
    let count = |separator: u8| line.iter().filter(|byte| **byte == separator).count();
    [b',', b';', b'\t'].into_iter().rev().max_by_key(|separator| count(*separator)).unwrap_or(b',')
}

impl Columns {
    fn find(heading: &ByteRecord, type_is_given: bool) -> Result<Self, FileError> {
        let names: Vec<String> = heading
            .iter()
            .map(|name| {
                let name = String::from_utf8_lossy(name).trim().to_lowercase();
                name.replace([' ', '-'], "_")
            })
            .collect();
        let place = |known: &[&str]| names.iter().position(|name| known.contains(&name.as_str()));
        let needed = |missing, known: &[&str]| {
            place(known)
                .ok_or_else(|| FileError::MissingColumn { missing, found: names.join(", ") })
        };
        let contact_type = place(&["contact_type", "type", "queue"]);
        if contact_type.is_none() && !type_is_given {
            return Err(FileError::NoContactType);
        }
        Ok(Self {
            contact_type,
            start: needed(
                "interval_start",
                &["interval_start", "start", "interval", "timestamp", "datetime"],
            )?,
            offered: needed("offered", &["offered", "calls_offered", "contacts", "calls"])?,
            answered: place(&["answered", "handled", "calls_answered"]),
            abandoned: place(&["abandoned", "calls_abandoned"]),
            handle_secs: place(&[
                "handle_secs",
                "handle_seconds",
                "aht",
                "aht_secs",
                "handle_time",
            ]),
            count: names.len(),
        })
    }
}

fn usable<'a>(
    record: &'a ByteRecord,
    row_number: u64,
    columns: &Columns,
    only: Option<&'a str>,
    times: &mut Times<'_>,
) -> Result<ImportRow<'a>, Refused> {
    if record.len() < columns.count {
        let message =
            format!("the row has {} columns and the heading {}", record.len(), columns.count);
        return Err(("row", message));
    }
    let contact_type = match columns.contact_type {
        Some(column) => text(record, column, "contact_type")?,
        None => only.unwrap_or_default(),
    };
    if contact_type.is_empty() {
        return Err(("contact_type", "is empty; write the contact type's name".to_owned()));
    }
    if contact_type.chars().count() > MOST_NAME_CHARS {
        return Err(("contact_type", format!("is longer than {MOST_NAME_CHARS} characters")));
    }
    if contact_type.contains('\0') {
        return Err(("contact_type", "has a character that is no text".to_owned()));
    }
    let start = times.parse(contact_type, text(record, columns.start, "interval_start")?)?;
    let offered = count(record, Some(columns.offered), "offered")?
        .ok_or_else(|| ("offered", "is empty; write 0 when nothing was offered".to_owned()))?;
    let answered = count(record, columns.answered, "answered")?;
    let abandoned = count(record, columns.abandoned, "abandoned")?;
    // Whichever is not given is what the others leave; with neither, everything was answered.
    let abandoned =
        abandoned.unwrap_or_else(|| offered.saturating_sub(answered.unwrap_or(offered)));
    let answered = answered.unwrap_or_else(|| offered.saturating_sub(abandoned));
    if u64::from(answered) + u64::from(abandoned) > u64::from(offered) {
        let message = format!(
            "{answered} answered and {abandoned} abandoned are more than {offered} offered"
        );
        return Err(("offered", message));
    }
    let handle_secs = handle_secs(record, columns.handle_secs, answered)?;
    Ok(ImportRow { row_number, contact_type, start, offered, answered, abandoned, handle_secs })
}

fn text<'a>(record: &'a ByteRecord, column: usize, name: &'static str) -> Result<&'a str, Refused> {
    std::str::from_utf8(record.get(column).unwrap_or_default())
        .map(str::trim)
        .map_err(|_| (name, "is not UTF-8 text; save the file as UTF-8".to_owned()))
}

fn count(
    record: &ByteRecord,
    column: Option<usize>,
    name: &'static str,
) -> Result<Option<u32>, Refused> {
    let Some(column) = column else { return Ok(None) };
    let written = text(record, column, name)?;
    if written.is_empty() {
        return Ok(None);
    }
    written.parse::<u32>().ok().filter(|count| *count <= MOST_CONTACTS).map(Some).ok_or_else(|| {
        (name, format!("“{}” is not a whole number from 0 to {MOST_CONTACTS}", shown(written)))
    })
}

fn handle_secs(
    record: &ByteRecord,
    column: Option<usize>,
    answered: u32,
) -> Result<Option<f64>, Refused> {
    let Some(column) = column else { return Ok(None) };
    let written = text(record, column, "handle_secs")?;
    if written.is_empty() {
        return Ok(None);
    }
    let secs = written
        .parse::<f64>()
        .ok()
        .filter(|secs| (0.0..=MOST_HANDLE_SECS).contains(secs))
        .ok_or_else(|| {
        (
            "handle_secs",
            format!("“{}” is not a number of seconds from 0 to {MOST_HANDLE_SECS}", shown(written)),
        )
    })?;
    match (secs, answered) {
        (0.0, 0) => Ok(None),
        (0.0, answered) => Err((
            "handle_secs",
            format!("is 0 with {answered} answered; leave it empty when it is not known"),
        )),
        // Nothing was handled, so there is no mean to keep.
        (_, 0) => Ok(None),
        (secs, _) => Ok(Some(secs)),
    }
}

/// Reads times, and tells apart the two passes of an hour that the clocks repeat.
struct Times<'a> {
    zone: &'a TimeZone,
    /// Repeated local times seen so far, per contact type: a file that lists them twice means the
    /// first pass and then the second.
    repeated: HashMap<(String, DateTime), u32>,
}

impl Times<'_> {
    fn parse(&mut self, contact_type: &str, written: &str) -> Result<Timestamp, Refused> {
        let wrong = |message: String| ("interval_start", message);
        let not_a_time = || {
            wrong(format!(
                "“{}” is not a time such as 2026-11-23T09:30 or 2026-11-23T09:30+01:00",
                shown(written)
            ))
        };
        let has_offset = written.ends_with(['Z', 'z'])
            || written.get(10..).is_some_and(|time| time.contains(['+', '-']));
        let start = if has_offset {
            written.parse::<Timestamp>().map_err(|_| not_a_time())?
        } else {
            let local = written.parse::<DateTime>().map_err(|_| not_a_time())?;
            self.instant_of(contact_type, local)?
        };
        if !(1990..2200).contains(&self.zone.to_datetime(start).year()) {
            return Err(wrong(format!("“{}” is not between 1990 and 2199", shown(written))));
        }
        if start.as_second() % QUARTER_SECS != 0 || start.subsec_nanosecond() != 0 {
            return Err(wrong(format!(
                "“{}” does not start on a quarter of an hour",
                shown(written)
            )));
        }
        Ok(start)
    }

    fn instant_of(&mut self, contact_type: &str, local: DateTime) -> Result<Timestamp, Refused> {
        let ambiguous = self.zone.to_ambiguous_timestamp(local);
        let found = match ambiguous.offset() {
            AmbiguousOffset::Unambiguous { .. } => ambiguous.compatible(),
            AmbiguousOffset::Gap { .. } => {
                let zone = self.zone.iana_name().unwrap_or("this zone");
                let message =
                    format!("{local} does not exist in {zone}: the clocks skip it on that day");
                return Err(("interval_start", message));
            }
            AmbiguousOffset::Fold { .. } => {
                let passes = self.repeated.entry((contact_type.to_lowercase(), local)).or_default();
                *passes += 1;
                if *passes == 1 { ambiguous.earlier() } else { ambiguous.later() }
            }
        };
        found.map_err(|_| ("interval_start", format!("{local} is out of range")))
    }
}

/// What was written, short enough for a message.
fn shown(written: &str) -> String {
    let mut shown: String = written.chars().take(40).collect();
    if shown.len() < written.len() {
        shown.push('…');
    }
    shown
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn times(zone: &TimeZone) -> Times<'_> {
        Times { zone, repeated: HashMap::new() }
    }

    fn london() -> TimeZone {
        TimeZone::get("Europe/London").unwrap()
    }

    #[test]
    fn times_with_and_without_offset_mean_the_same_instant() {
        let zone = london();
        let mut times = times(&zone);
        let expected: Timestamp = "2026-07-01T08:30:00Z".parse().unwrap();
        for written in [
            "2026-07-01T08:30Z",
            "2026-07-01T09:30:00+01:00",
            "2026-07-01T09:30",
            "2026-07-01 09:30:00",
        ] {
            assert_eq!(times.parse("A", written).unwrap(), expected, "{written}");
        }
    }

    #[test]
    fn the_repeated_hour_is_read_as_first_and_second_pass() {
        let zone = london();
        let mut times = times(&zone);
        let first = times.parse("A", "2026-10-25T01:30").unwrap();
        let other_type = times.parse("B", "2026-10-25T01:30").unwrap();
        let second = times.parse("A", "2026-10-25T01:30").unwrap();
        assert_eq!(first.to_string(), "2026-10-25T00:30:00Z");
        assert_eq!((other_type, second.as_second() - first.as_second()), (first, 3600));
    }

    #[test]
    fn a_time_that_the_clocks_skip_is_refused() {
        let zone = london();
        let (field, message) = times(&zone).parse("A", "2026-03-29T01:30").unwrap_err();
        assert_eq!(field, "interval_start");
        insta::assert_snapshot!(message, @"2026-03-29T01:30:00 does not exist in Europe/London: the clocks skip it on that day");
    }

    fn row(cells: &str) -> Result<(u32, u32, u32, Option<f64>), Refused> {
        let heading = ByteRecord::from(vec![
            "Contact type",
            "Interval-Start",
            "offered",
            "answered",
            "abandoned",
            "AHT",
            "note",
        ]);
        let columns = Columns::find(&heading, false).unwrap();
        let zone = london();
        let record = ByteRecord::from(cells.split(',').collect::<Vec<_>>());
        usable(&record, 2, &columns, None, &mut times(&zone))
            .map(|row| (row.offered, row.answered, row.abandoned, row.handle_secs))
    }

    #[test]
    fn what_is_not_given_follows_from_what_is() {
        assert_eq!(row("A,2026-07-01T09:30,10,8,2,300.5,").unwrap(), (10, 8, 2, Some(300.5)));
        assert_eq!(row("A,2026-07-01T09:30,10,,2,,").unwrap(), (10, 8, 2, None));
        assert_eq!(row("A,2026-07-01T09:30,10,7,,,").unwrap(), (10, 7, 3, None));
        assert_eq!(row("A,2026-07-01T09:30,10,,,,").unwrap(), (10, 10, 0, None));
        assert_eq!(row("A,2026-07-01T09:30,0,0,0,0,").unwrap(), (0, 0, 0, None));
    }

    #[test]
    fn a_refused_row_names_its_column_and_what_would_do() {
        let refusals: Vec<String> = [
            "A,2026-07-01T09:30,-3,,,,",
            "A,2026-07-01T09:30,10,9,2,,",
            "A,2026-07-01T09:30,10,9,1,0,",
            "A,2026-07-01T09:30,ten,,,,",
            "A,yesterday,10,,,,",
            "A,2026-07-01T09:37,10,,,,",
            ",2026-07-01T09:30,10,,,,",
            "A,2026-07-01T09:30",
        ]
        .iter()
        .map(|cells| row(cells).unwrap_err())
        .map(|(field, message)| format!("{field}: {message}"))
        .collect();
        insta::assert_snapshot!(refusals.join("\n"), @"
        offered: “-3” is not a whole number from 0 to 10000000
        offered: 9 answered and 2 abandoned are more than 10 offered
        handle_secs: is 0 with 9 answered; leave it empty when it is not known
        offered: “ten” is not a whole number from 0 to 10000000
        interval_start: “yesterday” is not a time such as 2026-11-23T09:30 or 2026-11-23T09:30+01:00
        interval_start: “2026-07-01T09:37” does not start on a quarter of an hour
        contact_type: is empty; write the contact type's name
        row: the row has 2 columns and the heading 7
        ");
    }

    #[test]
    fn a_heading_without_a_needed_column_lists_what_is_there() {
        let heading = ByteRecord::from(vec!["contact_type", "start"]);
        insta::assert_snapshot!(
            Columns::find(&heading, false).unwrap_err(),
            @"The first row names no column offered. It has: contact_type, start. Rename a column, or compare with the example file."
        );
    }

    #[test]
    fn the_separator_is_the_one_the_heading_uses() {
        assert_eq!(delimiter(b"a;b;c\n1,5;2;3"), b';');
        assert_eq!(
            (delimiter(b"a\tb\n"), delimiter(b"a,b\n"), delimiter(b"a\n")),
            (b'\t', b',', b',')
        );
    }

    /// Cells as files have them: numbers, times near every edge, and anything else.
    fn cell() -> impl Strategy<Value = Vec<u8>> {
        prop_oneof![
            "[0-9]{0,11}".prop_map(String::into_bytes),
            "-?[0-9]{1,4}[.,][0-9]{0,3}".prop_map(String::into_bytes),
            "(19|20|21|22|99)[0-9]{2}-[01][0-9]-[0-3][0-9][T ][0-2][0-9]:[0-5][05](:00)?(Z|[+-][0-2][0-9]:00)?"
                .prop_map(String::into_bytes),
            "20[0-9]{2}-(03|10)-2[5-9]T0[0-3]:(00|15|30|45)".prop_map(String::into_bytes),
            proptest::collection::vec(any::<u8>(), 0..40),
            ".{0,90}".prop_map(String::into_bytes),
        ]
    }

    /// Rows of anything, and rows that are nearly right.
    fn row_of_cells() -> impl Strategy<Value = Vec<Vec<u8>>> {
        let nearly = (
            "[A-Za-z ]{1,6}",
            "20[0-9]{2}-(0[1-9]|1[0-2])-(0[1-9]|2[0-8])T[01][0-9]:(00|15|30|45)(Z|[+-]0[0-9]:00)?",
            0u32..50,
            proptest::option::of(0u32..50),
            proptest::option::of(0u32..5),
            proptest::option::of(0.0..900.0f64),
        );
        let text = |cell: Option<String>| cell.unwrap_or_default().into_bytes();
        prop_oneof![
            proptest::collection::vec(cell(), 0..8),
            nearly.prop_map(move |(name, start, offered, answered, abandoned, handle)| {
                vec![
                    name.into_bytes(),
                    start.into_bytes(),
                    text(Some(offered.to_string())),
                    text(answered.map(|count| count.to_string())),
                    text(abandoned.map(|count| count.to_string())),
                    text(handle.map(|secs| secs.to_string())),
                ]
            }),
        ]
    }

    proptest! {
        #[test]
        fn no_row_panics_and_what_is_usable_adds_up(cells in row_of_cells(), zone in 0usize..4) {
            let heading =
                ByteRecord::from(vec!["type", "start", "offered", "answered", "abandoned", "aht"]);
            let columns = Columns::find(&heading, false).unwrap();
            let zone = ["Europe/London", "Asia/Kathmandu", "Australia/Lord_Howe", "UTC"][zone];
            let zone = TimeZone::get(zone).unwrap();
            let record = ByteRecord::from(cells);
            match usable(&record, 2, &columns, None, &mut times(&zone)) {
                Ok(row) => {
                    prop_assert!(row.answered + row.abandoned <= row.offered);
                    prop_assert!(row.start.as_second() % QUARTER_SECS == 0);
                    prop_assert!(!row.contact_type.is_empty());
                    prop_assert!(row.handle_secs.is_none_or(|secs| secs > 0.0 && secs <= MOST_HANDLE_SECS));
                }
                Err((field, message)) => prop_assert!(!field.is_empty() && !message.is_empty()),
            }
        }
    }
}
