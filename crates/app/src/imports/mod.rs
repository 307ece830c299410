//! From an uploaded file to a preview: what kind of file it is, how its columns are read, its rows.

mod rows;
mod shapes;
mod workbook;

use barometer_intake::{Guess, Layout, Reading, RowReader, Start};
use barometer_store::{ImportRow, ImportWriter, Store, StoreError};
use jiff::tz::TimeZone;
use uuid::Uuid;

use barometer_store::Centre;
pub(crate) use rows::Rows;
use shapes::Shapes;
pub(crate) use workbook::is_workbook;
pub use workbook::{csv_text, workbook_rows};

/// Rows that the layout is guessed from and the columns page shows some of.
const SAMPLE_ROWS: usize = 500;

/// Why a file cannot be read at all.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the messages say it")]
pub enum FileError {
    #[error("The file is empty. Its first row must name the columns.")]
    Empty,
    #[error(
        "The file is UTF-16 text. Save it as CSV in UTF-8, or as a workbook (.xlsx), and send that."
    )]
    WrongEncoding,
    #[error(
        "The file is not UTF-8 text. Save it as CSV in UTF-8, or as a workbook (.xlsx), and send that."
    )]
    NotUtf8,
    #[error(
        "The workbook is larger than {limit} MB, and a workbook is read at once. Save the sheet as CSV: that may be larger."
    )]
    WorkbookTooLarge { limit: usize },
    #[error("The workbook cannot be read: {0}. Save it again as .xlsx, or as CSV.")]
    Workbook(String),
    #[error(
        "The workbook unpacks to more than {limit} MB. Save the sheet as CSV: that may be larger."
    )]
    WorkbookUnpacksTooLarge { limit: u64 },
    #[error("The sheet has more than {limit} cells. Save it as CSV: that may be larger.")]
    SheetTooLarge { limit: usize },
    #[error("The sheet has more than {limit} columns. Remove those that are not needed.")]
    TooManyColumns { limit: usize },
    #[error("The workbook has no sheet {0}.")]
    NoSheet(String),
    #[error("The file cannot be read as CSV in row {row}: {reason}.")]
    Unreadable { row: u64, reason: String },
    #[error(transparent)]
    Store(#[from] StoreError),
}

/// The beginning of a file, as far as is needed to know how to read it.
pub struct Beginning {
    /// The columns' names.
    pub heading: Vec<String>,
    /// The first rows.
    pub sample: Vec<Vec<String>>,
    /// The sheets of a workbook; none of a text file.
    pub sheets: Vec<String>,
}

impl Beginning {
    /// What tells files of this kind by.
    pub fn signature(&self) -> String {
        Layout::signature(&self.heading())
    }

    /// How its columns look as if they should be read.
    pub fn guess(&self) -> Guess {
        Layout::guess(&self.heading(), &self.sample)
    }

    fn heading(&self) -> Vec<&str> {
        self.heading.iter().map(String::as_str).collect()
    }
}

/// Reads the beginning of an uploaded file.
///
/// # Errors
///
/// [`FileError`] where the file is empty or is none of those that can be read, or the database does not answer.
pub async fn beginning(
    store: &Store,
    import: Uuid,
    sheet: Option<&str>,
) -> Result<Beginning, FileError> {
    let mut rows = Rows::open(store, import, sheet).await?;
    let next = async |rows: &mut Rows| -> Result<Option<Vec<String>>, FileError> {
        Ok(rows.next().await?.map(|cells| {
            cells.iter().map(|cell| String::from_utf8_lossy(cell).into_owned()).collect()
        }))
    };
    let Some(heading) = next(&mut rows).await? else { return Err(FileError::Empty) };
    let mut sample = Vec::new();
    while sample.len() < SAMPLE_ROWS {
        match next(&mut rows).await {
            Ok(Some(row)) => sample.push(row),
            // A mistake further down is told when the file is read.
            Ok(None) | Err(_) => break,
        }
    }
    Ok(Beginning { heading, sample, sheets: rows.sheets().to_vec() })
}

/// Reads an uploaded file in a layout into a preview.
///
/// # Errors
///
/// [`FileError`] for the first thing because of which nothing can be read. Rows that are wrong are kept with the preview.
pub async fn read(
    store: &Store,
    centre: &Centre,
    import: Uuid,
    layout: &Layout,
) -> Result<(), FileError> {
    let only = store.import(import).await?.contact_type;
    let mut writer = store.begin_reading(centre, import, layout).await?;
    match read_rows(store, centre, import, layout, only.as_deref(), &mut writer).await {
        Ok(()) => {
            writer.finish().await?;
            Ok(())
        }
        Err(error) => Err(gave_up(error, writer.abandon().await)),
    }
}

/// Why a reading was given up: an error of the database says more than one of giving up would.
pub(crate) fn gave_up(read: FileError, abandoned: Result<(), StoreError>) -> FileError {
    match (read, abandoned) {
        (FileError::Store(error), _) | (_, Err(error)) => error.into(),
        (read, Ok(())) => read,
    }
}

async fn read_rows(
    store: &Store,
    centre: &Centre,
    import: Uuid,
    layout: &Layout,
    only: Option<&str>,
    writer: &mut ImportWriter,
) -> Result<(), FileError> {
    let mut rows = Rows::open(store, import, layout.sheet.as_deref()).await?;
    if rows.next().await?.is_none() {
        return Err(FileError::Empty);
    }
    let mut reader = RowReader::new(layout, &centre.zone);
    let mut shapes = Shapes::of(store, centre, layout.open_hours).await?;
    let mut row_number = 1;
    while let Some(cells) = rows.next().await? {
        row_number += 1;
        match reader.read(&cells, only) {
            Ok(reading) => add(writer, &mut shapes, row_number, &reading, &centre.zone).await?,
            Err(refusal) => writer.refuse(row_number, refusal.field, refusal.reason),
        }
    }
    Ok(())
}

async fn add(
    writer: &mut ImportWriter,
    shapes: &mut Shapes,
    row_number: u64,
    reading: &Reading<'_>,
    zone: &TimeZone,
) -> Result<(), StoreError> {
    let Reading { contact_type, offered, answered, abandoned, handle_secs, wrap_up_secs, .. } =
        *reading;
    let row = |start, offered, answered, abandoned| ImportRow {
        row_number,
        contact_type,
        start,
        offered,
        answered,
        abandoned,
        handle_secs: handle_secs.filter(|_| answered > 0),
        wrap_up_secs: wrap_up_secs.filter(|_| answered > 0),
    };
    match reading.start {
        Start::Interval(start) => writer.add(&row(start, offered, answered, abandoned)).await,
        Start::Day(day) => {
            let intervals = shapes.spread(reading, day, zone).await?;
            for (start, offered, answered, abandoned) in intervals {
                writer.add(&row(start, offered, answered, abandoned)).await?;
            }
            Ok(())
        }
    }
}
