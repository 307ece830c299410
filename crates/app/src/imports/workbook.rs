//! The rows of a workbook, one after the other, within limits that are checked before anything is
//! allocated from a number in the file.

use std::io::{Cursor, Read};

use calamine::{Cell, Data, DataRef, Reader, Xlsx};
use csv_async::AsyncWriterBuilder;
use tokio::sync::mpsc;
use zip::ZipArchive;

use super::FileError;

/// A workbook is held in memory, packed; a larger one is refused.
pub(super) const MOST_WORKBOOK_MB: usize = 64;
/// What all parts of a workbook may come to, unpacked.
const MOST_UNPACKED_MB: u64 = 200;
/// Different texts that a workbook may have.
const MOST_TEXTS: u64 = 2_000_000;
/// Cells of a sheet that are read.
const MOST_CELLS: usize = 20_000_000;
/// Columns that a sheet may have.
const MOST_COLUMNS: usize = 1_000;
/// Bytes of one cell's text.
const MOST_CELL_BYTES: usize = 32_767;
/// Rows that are handed on at a time.
const ROWS_AT_A_TIME: usize = 256;

/// What an .xlsx file begins with, as any ZIP archive.
const ARCHIVE: &[u8] = b"PK\x03\x04";
/// What an .xls file begins with, as any compound file.
const COMPOUND: &[u8] = b"\xd0\xcf\x11\xe0";

/// Whether a file that begins like this is a workbook.
pub(crate) fn is_workbook(start: &[u8]) -> bool {
    start.starts_with(ARCHIVE) || start.starts_with(COMPOUND)
}

/// A workbook that is within its limits.
pub(super) struct Workbook {
    book: Xlsx<Cursor<Vec<u8>>>,
    pub sheets: Vec<String>,
}

/// The rows of a sheet as they are read on a thread of their own.
pub(crate) struct SheetRows {
    batches: mpsc::Receiver<Batch>,
    batch: std::vec::IntoIter<Vec<String>>,
    is_over: bool,
}

enum Batch {
    Rows(Vec<Vec<String>>),
    /// There are no more; a thread that panics never says so.
    End,
    Failed(FileError),
}

fn damaged(why: impl ToString) -> FileError {
    FileError::Workbook(why.to_string())
}

impl Workbook {
    /// Opens a workbook once it is known to be within its limits.
    pub fn open(bytes: Vec<u8>) -> Result<Self, FileError> {
        if bytes.starts_with(COMPOUND) {
            return Err(damaged("it is of the older kind (.xls)"));
        }
        if bytes.len() > MOST_WORKBOOK_MB * 1024 * 1024 {
            return Err(FileError::WorkbookTooLarge { limit: MOST_WORKBOOK_MB });
        }
        check_parts(&bytes)?;
        let book = Xlsx::new(Cursor::new(bytes)).map_err(damaged)?;
        let sheets = book.sheet_names();
        Ok(Self { book, sheets })
    }

    /// The sheet of this name, or the first; its rows are read as they are asked for.
    pub fn into_rows(self, sheet: Option<&str>) -> Result<SheetRows, FileError> {
        let name = match sheet {
            Some(sheet) => sheet.to_owned(),
            None => self.sheets.first().cloned().ok_or(FileError::Empty)?,
        };
        if !self.sheets.contains(&name) {
            return Err(FileError::NoSheet(name));
        }
        let (send, batches) = mpsc::channel(4);
        let mut book = self.book;
        tokio::task::spawn_blocking(move || {
            let mut rows = Vec::with_capacity(ROWS_AT_A_TIME);
            let read = each_row(&mut book, &name, |row| {
                rows.push(row);
                rows.len() < ROWS_AT_A_TIME
                    || send.blocking_send(Batch::Rows(std::mem::take(&mut rows))).is_ok()
            });
            let last = match read {
                Ok(()) => Batch::End,
                Err(error) => Batch::Failed(error),
            };
            // Nobody may be listening any more; then nobody misses the rest.
            let _ = send.blocking_send(Batch::Rows(rows)).and_then(|()| send.blocking_send(last));
        });
        Ok(SheetRows { batches, batch: Vec::new().into_iter(), is_over: false })
    }
}

impl SheetRows {
    /// The cells of the next row that has any.
    pub async fn next(&mut self) -> Result<Option<Vec<String>>, FileError> {
        loop {
            if let Some(row) = self.batch.next() {
                return Ok(Some(row));
            }
            if self.is_over {
                return Ok(None);
            }
            match self.batches.recv().await {
                Some(Batch::Rows(rows)) => self.batch = rows.into_iter(),
                Some(Batch::End) => self.is_over = true,
                Some(Batch::Failed(error)) => return Err(error),
                None => return Err(damaged("it is damaged")),
            }
        }
    }
}

/// All rows of a workbook's first sheet.
///
/// # Errors
///
/// [`FileError`] for a workbook that is damaged or beyond its limits.
pub async fn workbook_rows(bytes: Vec<u8>) -> Result<Vec<Vec<String>>, FileError> {
    let mut rows = opened(bytes).await?.into_rows(None)?;
    let mut all = Vec::new();
    while let Some(row) = rows.next().await? {
        all.push(row);
    }
    Ok(all)
}

/// A file of rows as CSV text: the first sheet of a workbook, or the text that it is.
///
/// # Errors
///
/// [`FileError`] for a workbook that is damaged or beyond its limits, and for text that is not UTF-8.
pub async fn csv_text(bytes: Vec<u8>) -> Result<String, FileError> {
    if !is_workbook(&bytes) {
        return String::from_utf8(bytes).map_err(|_| FileError::NotUtf8);
    }
    let mut writer = AsyncWriterBuilder::new().flexible(true).create_writer(Vec::new());
    for row in workbook_rows(bytes).await? {
        writer.write_record(&row).await.map_err(damaged)?;
    }
    let text = writer.into_inner().await.map_err(damaged)?;
    String::from_utf8(text).map_err(damaged)
}

/// Opens a workbook on a thread of its own.
pub(super) async fn opened(bytes: Vec<u8>) -> Result<Workbook, FileError> {
    let opened = tokio::task::spawn_blocking(move || Workbook::open(bytes));
    // calamine panics on some broken files; the visitor gets the same message.
    opened.await.unwrap_or_else(|_| Err(damaged("it is damaged")))
}

/// Unpacks every part of a workbook once, to know that all of them are within the limits. What the
/// file says of its own sizes is not believed.
fn check_parts(bytes: &[u8]) -> Result<(), FileError> {
    let mut archive = ZipArchive::new(Cursor::new(bytes)).map_err(damaged)?;
    let mut left = MOST_UNPACKED_MB * 1024 * 1024;
    for part in 0..archive.len() {
        let part = archive.by_index(part).map_err(damaged)?;
        let mut texts = CountedTexts::default();
        let mut part = part.take(left + 1);
        let mut buffer = [0; 1 << 14];
        loop {
            let read = part.read(&mut buffer).map_err(damaged)?;
            if read == 0 {
                break;
            }
            left = left
                .checked_sub(read as u64)
                .ok_or(FileError::WorkbookUnpacksTooLarge { limit: MOST_UNPACKED_MB })?;
            texts.look(&buffer[..read]);
        }
        if texts.said > MOST_TEXTS {
            return Err(damaged(format!("it says that it has {} different texts", texts.said)));
        }
    }
    Ok(())
}

/// The number of texts that a part says it has, wherever in the part that stands: room for that many
/// would be made before the first is read.
#[derive(Default)]
struct CountedTexts {
    matched: usize,
    is_number: bool,
    number: u64,
    said: u64,
}

impl CountedTexts {
    const ATTRIBUTE: &'static [u8] = b"uniquecount";

    fn look(&mut self, bytes: &[u8]) {
        for byte in bytes {
            let byte = byte.to_ascii_lowercase();
            if self.matched == Self::ATTRIBUTE.len() {
                match byte {
                    b'0'..=b'9' => {
                        self.is_number = true;
                        let digit = u64::from(byte - b'0');
                        self.number = self.number.saturating_mul(10).saturating_add(digit);
                        self.said = self.said.max(self.number);
                        continue;
                    }
                    b' ' | b'\t' | b'\r' | b'\n' | b'=' | b'"' | b'\'' | b'+'
                        if !self.is_number =>
                    {
                        continue;
                    }
                    _ => *self = Self { said: self.said, ..Self::default() },
                }
            }
            self.matched = match byte {
                byte if byte == Self::ATTRIBUTE[self.matched] => self.matched + 1,
                byte if byte == Self::ATTRIBUTE[0] => 1,
                _ => 0,
            };
        }
    }
}

/// Reads a sheet cell by cell and hands on every row that has a cell, until told to stop. Columns
/// before the first of the heading are left out.
fn each_row(
    book: &mut Xlsx<Cursor<Vec<u8>>>,
    sheet: &str,
    mut goes_on: impl FnMut(Vec<String>) -> bool,
) -> Result<(), FileError> {
    let mut cells = book.worksheet_cells_reader(sheet).map_err(damaged)?;
    let (mut row, mut at, mut first_column) = (Vec::new(), 0, None);
    let mut count = 0;
    while let Some(cell) = cells.next_cell().map_err(damaged)? {
        count += 1;
        if count > MOST_CELLS {
            return Err(FileError::SheetTooLarge { limit: MOST_CELLS });
        }
        let Some((number, column, text)) = filled(&cell)? else { continue };
        if number < at {
            return Err(damaged(format!("its row {} comes after row {}", number + 1, at + 1)));
        }
        if number > at && !row.is_empty() && !goes_on(std::mem::take(&mut row)) {
            return Ok(());
        }
        at = number;
        let first_column = *first_column.get_or_insert(column);
        let Some(place) = column.checked_sub(first_column) else { continue };
        if place >= MOST_COLUMNS {
            return Err(FileError::TooManyColumns { limit: MOST_COLUMNS });
        }
        if row.len() <= place {
            row.resize(place + 1, String::new());
        }
        row[place] = text;
    }
    if !row.is_empty() {
        goes_on(row);
    }
    Ok(())
}

/// A cell's place and text; `None` where it is empty.
fn filled(cell: &Cell<DataRef<'_>>) -> Result<Option<(u32, usize, String)>, FileError> {
    let (row, column) = cell.get_position();
    let text = text(&Data::from(cell.get_value().clone()));
    if text.len() > MOST_CELL_BYTES {
        return Err(damaged(format!("a cell of row {} has {} bytes", row + 1, text.len())));
    }
    Ok((!text.is_empty()).then_some((row, column as usize, text)))
}

/// The cell as a person would have typed it into a CSV file.
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

    use proptest::prelude::*;
    use std::io::Write;
    use zip::ZipWriter;
    use zip::write::SimpleFileOptions;

    const SPREADSHEET: &str = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
    const RELATIONS: &str = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";

    /// An archive of these parts.
    fn archive(parts: &[(&str, Vec<u8>)]) -> Vec<u8> {
        let mut archive = ZipWriter::new(Cursor::new(Vec::new()));
        for (name, bytes) in parts {
            archive.start_file(*name, SimpleFileOptions::default()).unwrap();
            archive.write_all(bytes).unwrap();
        }
        archive.finish().unwrap().into_inner()
    }

    /// A workbook with one sheet, of these rows in XML, and these shared texts.
    fn book(rows: &str, texts: &str) -> Vec<u8> {
        let package = "http://schemas.openxmlformats.org/package/2006/relationships";
        let parts = [
            (
                "_rels/.rels",
                format!(
                    "<Relationships xmlns='{package}'><Relationship Id='r1' \
                     Type='{RELATIONS}/officeDocument' Target='xl/workbook.xml'/></Relationships>"
                ),
            ),
            (
                "xl/workbook.xml",
                format!(
                    "<workbook xmlns='{SPREADSHEET}' xmlns:r='{RELATIONS}'><sheets>\
                     <sheet name='Calls' sheetId='1' r:id='r1'/></sheets></workbook>"
                ),
            ),
            (
                "xl/_rels/workbook.xml.rels",
                format!(
                    "<Relationships xmlns='{package}'>\
                     <Relationship Id='r1' Type='{RELATIONS}/worksheet' Target='worksheets/sheet1.xml'/>\
                     <Relationship Id='r2' Type='{RELATIONS}/sharedStrings' Target='sharedStrings.xml'/>\
                     </Relationships>"
                ),
            ),
            (
                "xl/worksheets/sheet1.xml",
                format!(
                    "<worksheet xmlns='{SPREADSHEET}'><sheetData>{rows}</sheetData></worksheet>"
                ),
            ),
            ("xl/sharedStrings.xml", texts.to_owned()),
        ];
        archive(&parts.map(|(name, text)| (name, text.into_bytes())))
    }

    fn texts(count: &str) -> String {
        format!(
            "<sst xmlns='{SPREADSHEET}' {count}><si><t>Queue</t></si><si><t>Sales</t></si></sst>"
        )
    }

    fn number(place: &str, value: u32) -> String {
        format!("<c r='{place}'><v>{value}</v></c>")
    }

    async fn refused(bytes: Vec<u8>) -> String {
        workbook_rows(bytes).await.unwrap_err().to_string()
    }

    #[tokio::test]
    async fn rows_come_one_after_the_other_from_the_first_column_on_and_empty_ones_are_left_out() {
        let many: String = (5..1000)
            .map(|row| format!("<row r='{row}'>{}</row>", number(&format!("B{row}"), row)))
            .collect();
        let rows = format!(
            "<row r='2'><c r='B2' t='s'><v>0</v></c><c r='D2' t='s'><v>1</v></c></row>\
             <row r='3'/><row r='4'>{}{}</row>{many}",
            number("A4", 9),
            number("C4", 7),
        );
        let read = workbook_rows(book(&rows, &texts("count='2' uniqueCount='2'"))).await.unwrap();
        assert_eq!(read[0], ["Queue", "", "Sales"]);
        // What stands before the heading's first column belongs to no column.
        assert_eq!(read[1], ["", "7"]);
        assert_eq!((read.len(), read.last().unwrap().as_slice()), (997, &["999".to_owned()][..]));
    }

    #[tokio::test]
    async fn numbers_in_the_file_make_no_room_for_what_is_not_there() {
        // A few bytes that ask for 103 GB, wherever they stand and however they are written.
        for count in [
            "uniqueCount='4294967295'",
            "uniqueCount = \"4294967295\"",
            "count='1'\nuniqueCount='99999999999999999999999'",
        ] {
            let told = refused(book("", &texts(count))).await;
            assert!(told.contains("it says that it has"), "{told}");
        }
        let corners = |last: &str| {
            let row: String = last.chars().filter(char::is_ascii_digit).collect();
            let (first, last) = (number("A1", 1), number(last, 2));
            book(&format!("<row r='1'>{first}</row><row r='{row}'>{last}</row>"), &texts(""))
        };
        let told = refused(corners("XFD1048576")).await;
        assert_eq!(told, "The sheet has more than 1000 columns. Remove those that are not needed.");
        let read = workbook_rows(corners("C1048576")).await.unwrap();
        assert_eq!(read, [vec!["1"], vec!["", "", "2"]]);
    }

    #[tokio::test]
    async fn what_unpacks_to_too_much_is_refused_whatever_its_size_is_said_to_be() {
        let mut bomb = ZipWriter::new(Cursor::new(Vec::new()));
        bomb.start_file("xl/media/picture.bin", SimpleFileOptions::default()).unwrap();
        let zeros = vec![0; 1 << 20];
        (0..=MOST_UNPACKED_MB).for_each(|_| bomb.write_all(&zeros).unwrap());
        let packed = bomb.finish().unwrap().into_inner();
        assert!(packed.len() < 1 << 20, "{}", packed.len());
        let told = refused(packed).await;
        assert!(told.starts_with("The workbook unpacks to more than 200 MB."), "{told}");
        let long =
            format!("<sst xmlns='{SPREADSHEET}'><si><t>{}</t></si></sst>", "x".repeat(40_000));
        let told = refused(book("<row r='1'><c r='A1' t='s'><v>0</v></c></row>", &long)).await;
        assert!(told.contains("a cell of row 1 has 40000 bytes"), "{told}");
    }

    #[tokio::test]
    async fn a_file_that_is_no_workbook_of_this_kind_says_what_to_do() {
        let rows =
            format!("<row r='2'>{}</row><row r='1'>{}</row>", number("A2", 1), number("A1", 2));
        for (bytes, wanted) in [
            (
                [COMPOUND, &[0; 600]].concat(),
                "the older kind (.xls). Save it again as .xlsx, or as CSV.",
            ),
            (archive(&[("readme.txt", b"hello".to_vec())]), "The workbook cannot be read:"),
            (b"PK\x03\x04 and then nothing".to_vec(), "The workbook cannot be read:"),
            (book(&rows, &texts("")), "its row 1 comes after row 2"),
        ] {
            let told = refused(bytes).await;
            assert!(told.contains(wanted), "{told}");
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(400))]
        #[test]
        fn no_damage_to_a_workbook_does_more_than_refuse_it(
            damage in proptest::collection::vec((any::<proptest::sample::Index>(), any::<u8>()), 1..12),
            cut in proptest::option::of(any::<proptest::sample::Index>()),
        ) {
            let rows: String =
                (1..9).map(|row| format!("<row r='{row}'>{}</row>", number(&format!("A{row}"), row))).collect();
            let mut bytes = book(&rows, &texts("uniqueCount='2'"));
            for (at, byte) in damage {
                let at = at.index(bytes.len());
                bytes[at] = byte;
            }
            if let Some(cut) = cut {
                bytes.truncate(cut.index(bytes.len()));
            }
            let runtime = tokio::runtime::Builder::new_current_thread().build().unwrap();
            if let Err(error) = runtime.block_on(workbook_rows(bytes)) {
                prop_assert!(!error.to_string().is_empty());
            }
        }
    }

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
}
