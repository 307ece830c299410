//! CSV files of the headless commands: read whole, written whole.

use std::path::Path;

use anyhow::{Context, Result, bail};
use csv_async::{AsyncReaderBuilder, AsyncWriterBuilder, StringRecord};

/// The heading and the rows of a file; rows without a cell are left out. A row with more or fewer
/// cells than the heading is refused: its cells may stand under the wrong columns.
pub async fn read(path: &Path) -> Result<(StringRecord, Vec<StringRecord>)> {
    let failed = || format!("reading {}", path.display());
    let bytes = std::fs::read(path).with_context(failed)?;
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes);
    let mut reader = AsyncReaderBuilder::new().flexible(true).create_reader(bytes);
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
