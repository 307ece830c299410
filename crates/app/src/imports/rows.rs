//! The rows of an uploaded file, text or workbook.

use std::io::Cursor;

use barometer_store::Store;
use csv_async::{AsyncReader, AsyncReaderBuilder, ByteRecord};
use futures_util::TryStreamExt;
use tokio::io::{AsyncBufReadExt, AsyncRead, BufReader};
use tokio_util::io::StreamReader;
use uuid::Uuid;

use super::FileError;
use super::workbook::{self, MOST_WORKBOOK_MB, SheetRows};

/// Row after row, the heading first.
pub(crate) enum Rows {
    Text { reader: AsyncReader<Box<dyn AsyncRead + Send + Unpin>>, record: ByteRecord, row: u64 },
    Workbook { rows: SheetRows, row: Vec<String>, sheets: Vec<String> },
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
        if workbook::is_workbook(start) {
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
            Self::Workbook { rows, row, .. } => Ok(match rows.next().await? {
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
    let book = workbook::opened(bytes).await?;
    let sheets = book.sheets.clone();
    Ok(Rows::Workbook { rows: book.into_rows(sheet)?, row: Vec::new(), sheets })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_separator_is_the_one_that_the_heading_has_most_of() {
        assert_eq!(delimiter(b"a,b,c\n1;2;3;4;5"), b',');
        assert_eq!(delimiter(b"a;b;c,d\n"), b';');
        assert_eq!(delimiter(b"a\tb"), b'\t');
        assert_eq!(delimiter(b"alone"), b',');
    }
}
