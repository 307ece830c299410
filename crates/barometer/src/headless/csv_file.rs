//! CSV files of the headless commands: read whole, written whole.

use std::path::Path;

use anyhow::{Context, Result, bail};
use csv_async::{AsyncReaderBuilder, AsyncWriterBuilder, StringRecord};

/// The heading and the rows of a file; rows without a cell are left out. A row with more or fewer
/// cells than the heading is refused: its cells may stand under the wrong columns.
pub async fn read(path: &Path) -> Result<(StringRecord, Vec<StringRecord>)> {
    let failed = || format!("reading {}", path.display());
    let bytes = std::fs::read(path).with_context(failed)?;
    let text = text(bytes);
    let mut reader = AsyncReaderBuilder::new().flexible(true).create_reader(&text[..]);
    let heading = reader.headers().await.with_context(failed)?.clone();
    if heading.is_empty() {
        bail!("{} is empty; its first row must name the columns", path.display());
    }
    let (mut rows, mut record) = (Vec::new(), StringRecord::new());
    while reader.read_record(&mut record).await.with_context(failed)? {
        if record.iter().all(|cell| cell.trim().is_empty()) {
            continue;
        }
        if record.len() != heading.len() {
            bail!(
                "{}, row {}: it has {} cells and the heading has {}; add or remove cells, or quote \
                 those that hold a comma",
                path.display(),
                record.position().map_or(rows.len() as u64 + 2, |position| position.line()),
                record.len(),
                heading.len()
            );
        }
        rows.push(record.clone());
    }
    Ok((heading, rows))
}

/// The text of a file as UTF-8 without a mark at its beginning: spreadsheets also write UTF-16, with one.
pub fn text(bytes: Vec<u8>) -> Vec<u8> {
    let of_units = |unit: fn([u8; 2]) -> u16| {
        let units: Vec<u16> =
            bytes[2..].chunks_exact(2).map(|pair| unit([pair[0], pair[1]])).collect();
        String::from_utf16_lossy(&units).into_bytes()
    };
    match bytes.as_slice() {
        [0xff, 0xfe, ..] => of_units(u16::from_le_bytes),
        [0xfe, 0xff, ..] => of_units(u16::from_be_bytes),
        [0xef, 0xbb, 0xbf, rest @ ..] => rest.to_vec(),
        _ => bytes,
    }
}

/// Writes a file, once all of it is known.
pub async fn write<'a>(
    path: &Path,
    columns: impl IntoIterator<Item = &'a str>,
    rows: Vec<Vec<String>>,
) -> Result<()> {
    let mut file = AsyncWriterBuilder::new().create_writer(Vec::new());
    file.write_record(columns).await?;
    for row in rows {
        file.write_record(&row).await?;
    }
    let bytes = file.into_inner().await.map_err(|error| anyhow::anyhow!("{error}"))?;
    std::fs::write(path, bytes).with_context(|| format!("writing {}", path.display()))
}
