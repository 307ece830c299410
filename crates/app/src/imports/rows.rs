//! The rows of an uploaded file, text or workbook.

use std::io::Cursor;

use barometer_store::Store;
use calamine::{Data, Range, Reader, Sheets, open_workbook_auto_from_rs};
use csv_async::{AsyncReader, AsyncReaderBuilder, ByteRecord};
use futures_util::TryStreamExt;
use tokio::io::{AsyncBufReadExt, AsyncRead, BufReader};
use tokio_util::io::StreamReader;
use uuid::Uuid;

use super::FileError;

/// A workbook is read into memory at once; a larger one is refused.
const MOST_WORKBOOK_MB: usize = 64;
/// What a workbook begins with: a ZIP archive, or the older compound file.
const WORKBOOK_SIGNATURES: [&[u8]; 2] = [b"PK\x03\x04", b"\xd0\xcf\x11\xe0"];

/// Row after row, the heading first.
pub(super) enum Rows {
    Text { reader: AsyncReader<Box<dyn AsyncRead + Send + Unpin>>, record: ByteRecord, row: u64 },
    Workbook { rows: std::vec::IntoIter<Vec<String>>, row: Vec<String>, sheets: Vec<String> },
}

impl Rows {
    pub async fn open(store: &Store, import: Uuid, sheet: Option<&str>) -> Result<Self, FileError> {
        let bytes = store.uploaded_bytes(import).map_ok(Cursor::new).map_err(std::io::Error::other);
        let mut file = BufReader::with_capacity(1 << 16, StreamReader::new(Box::pin(bytes)));
        let start = file.fill_buf().await.map_err(|error| unreadable(1, &error))?;
        if start.is_empty() {
            return Err(FileError::Empty);
        }
        if start.starts_with(b"\xff\xfe") || start.starts_with(b"\xfe\xff") {
            return Err(FileError::WrongEncoding);
        }
        if WORKBOOK_SIGNATURES.iter().any(|signature| start.starts_with(signature)) {
            return workbook(store, import, sheet).await;
        }
        let delimiter = delimiter(start);
        if start.starts_with(b"\xef\xbb\xbf") {
            file.consume(3);
        }
        let file: Box<dyn AsyncRead + Send + Unpin> = Box::new(file);
        let reader = AsyncReaderBuilder::new()
            .has_headers(false)
            .flexible(true)
            .delimiter(delimiter)
            .create_reader(file);
        Ok(Self::Text { reader, record: ByteRecord::new(), row: 0 })
    }

    /// The cells of the next row.
    pub async fn next(&mut self) -> Result<Option<Vec<&[u8]>>, FileError> {
        match self {
            Self::Text { reader, record, row } => {
                *row += 1;
                let more = reader.read_byte_record(record).await;
                let more = more.map_err(|error| unreadable(*row, &error))?;
                Ok(more.then(|| record.iter().collect()))
            }
            Self::Workbook { rows, row, .. } => Ok(match rows.next() {
                Some(next) => {
                    *row = next;
                    Some(row.iter().map(String::as_bytes).collect())
                }
                None => None,
            }),
        }
    }

    pub fn sheets(&self) -> &[String] {
        match self {
            Self::Text { .. } => &[],
            Self::Workbook { sheets, .. } => sheets,
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

async fn workbook(store: &Store, import: Uuid, sheet: Option<&str>) -> Result<Rows, FileError> {
    let mut bytes = Vec::new();
    let mut chunks = store.uploaded_bytes(import);
    while let Some(chunk) = chunks.try_next().await? {
        bytes.extend(chunk);
        if bytes.len() > MOST_WORKBOOK_MB * 1024 * 1024 {
            return Err(FileError::WorkbookTooLarge { limit: MOST_WORKBOOK_MB });
        }
    }
    let sheet = sheet.map(str::to_owned);
    let read = tokio::task::spawn_blocking(move || read_workbook(bytes, sheet));
    // calamine panics on some broken files; the visitor gets the same message.
    read.await.unwrap_or_else(|_| Err(FileError::Workbook("it is damaged".to_owned())))
}

fn read_workbook(bytes: Vec<u8>, sheet: Option<String>) -> Result<Rows, FileError> {
    let broken = |error: calamine::Error| FileError::Workbook(error.to_string());
    let mut book: Sheets<_> = open_workbook_auto_from_rs(Cursor::new(bytes)).map_err(broken)?;
    let sheets = book.sheet_names();
    let name = match sheet {
        Some(sheet) => sheet,
        None => sheets.first().cloned().ok_or(FileError::Empty)?,
    };
    if !sheets.contains(&name) {
        return Err(FileError::NoSheet(name));
    }
    let range = book.worksheet_range(&name).map_err(broken)?;
    Ok(Rows::Workbook { rows: texts(&range).into_iter(), row: Vec::new(), sheets })
}

/// All rows of a workbook's first sheet.
pub fn workbook_rows(bytes: Cursor<Vec<u8>>) -> Result<Vec<Vec<String>>, FileError> {
    match read_workbook(bytes.into_inner(), None)? {
        Rows::Workbook { rows, .. } => Ok(rows.collect()),
        Rows::Text { .. } => Err(FileError::Empty),
    }
}

/// The cells as a person would have typed them into a CSV file. Empty rows are left out.
fn texts(range: &Range<Data>) -> Vec<Vec<String>> {
    let rows = range.rows().map(|row| row.iter().map(text).collect::<Vec<String>>());
    rows.filter(|row| row.iter().any(|cell| !cell.is_empty())).collect()
}

fn text(cell: &Data) -> String {
    match cell {
        Data::Empty | Data::Error(_) => String::new(),
        Data::String(text) | Data::DateTimeIso(text) | Data::DurationIso(text) => text.clone(),
        Data::Float(number) => number.to_string(),
        Data::Int(number) => number.to_string(),
        Data::Bool(yes) => yes.to_string(),
        Data::DateTime(at) if at.is_duration() => clock(at.as_f64()),
        Data::DateTime(at) => {
            let serial = at.as_f64();
            // A time alone is a fraction of a day, a date alone has no fraction.
            if serial < 1.0 {
                return clock(serial);
            }
            let (year, month, day, hour, minute, second, milli) = at.to_ymd_hms_milli();
            let rounded = u32::from(second) + u32::from(milli >= 500);
            if serial.fract() == 0.0 {
                format!("{year:04}-{month:02}-{day:02}")
            } else {
                let secs = u32::from(hour) * 3600 + u32::from(minute) * 60 + rounded;
                let (hour, minute, second) = (secs / 3600, secs / 60 % 60, secs % 60);
                format!("{year:04}-{month:02}-{day:02} {hour:02}:{minute:02}:{second:02}")
            }
        }
    }
}

fn clock(days: f64) -> String {
    let secs = (days * 86_400.0).round() as u64;
    format!("{}:{:02}:{:02}", secs / 3600, secs / 60 % 60, secs % 60)
}

#[cfg(test)]
mod tests {
    use super::*;
    use calamine::{ExcelDateTime, ExcelDateTimeType};

    #[test]
    fn a_workbooks_cells_are_what_a_person_sees() {
        let at = |serial, kind| text(&Data::DateTime(ExcelDateTime::new(serial, kind, false)));
        // 2026-11-23 is day 46349 of the spreadsheets' calendar.
        assert_eq!(at(46_349.0, ExcelDateTimeType::DateTime), "2026-11-23");
        assert_eq!(at(46_349.0 + 9.5 / 24.0, ExcelDateTimeType::DateTime), "2026-11-23 09:30:00");
        assert_eq!(at(9.5 / 24.0, ExcelDateTimeType::DateTime), "9:30:00");
        assert_eq!(at(184.0 / 86_400.0, ExcelDateTimeType::TimeDelta), "0:03:04");
        assert_eq!((text(&Data::Float(12.0)), text(&Data::Empty)), ("12".into(), String::new()));
    }

    #[test]
    fn the_separator_is_the_one_that_the_heading_has_most_of() {
        assert_eq!(delimiter(b"a,b,c\n1;2;3;4;5"), b',');
        assert_eq!(delimiter(b"a;b;c,d\n"), b';');
        assert_eq!(delimiter(b"a\tb"), b'\t');
        assert_eq!(delimiter(b"alone"), b',');
    }
}
