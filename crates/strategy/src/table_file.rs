//! Tables of a strategy that leave as CSV and come in again.

/// A table from a file, with the number of each row.
pub(crate) struct TableFile {
    /// Names of the columns.
    pub heads: Vec<String>,
    /// Rows with the number that a spreadsheet gives them: the head is row 1.
    pub rows: Vec<(usize, csv::StringRecord)>,
}

impl TableFile {
    /// Reads CSV; short rows have empty cells, and what stands around a cell's text is left out.
    ///
    /// # Errors
    ///
    /// The rows that cannot be read.
    pub fn read(text: &str) -> Result<Self, Vec<String>> {
        let mut reader = csv::ReaderBuilder::new()
            .trim(csv::Trim::All)
            .flexible(true)
            .from_reader(text.trim_start_matches('\u{feff}').as_bytes());
        let heads =
            reader.headers().map_err(|error| vec![format!("the file cannot be read: {error}")])?;
        let heads = heads.iter().map(str::to_owned).collect();
        let (mut rows, mut wrong) = (Vec::new(), Vec::new());
        for (nth, record) in (2..).zip(reader.records()) {
            match record {
                Ok(record) => rows.push((nth, record)),
                Err(error) => wrong.push(format!("row {nth}: {error}")),
            }
        }
        if wrong.is_empty() { Ok(Self { heads, rows }) } else { Err(wrong) }
    }

    /// The places of columns that there have to be, whatever the case of their names.
    ///
    /// # Errors
    ///
    /// The columns that are missing; or that there is no row at all.
    pub fn columns<const N: usize>(&self, names: [&str; N]) -> Result<[usize; N], Vec<String>> {
        let places =
            names.map(|name| self.heads.iter().position(|head| head.eq_ignore_ascii_case(name)));
        let missing = names.iter().zip(&places).filter(|(_, place)| place.is_none());
        let mut wrong: Vec<String> =
            missing.map(|(name, _)| format!("the column “{name}” is missing")).collect();
        if wrong.is_empty() && self.rows.is_empty() {
            wrong.push("the file has no row below its head".to_owned());
        }
        if wrong.is_empty() { Ok(places.map(Option::unwrap_or_default)) } else { Err(wrong) }
    }
}

/// A cell of a row; empty where the row is shorter.
pub(crate) fn cell(row: &csv::StringRecord, at: usize) -> &str {
    row.get(at).unwrap_or_default()
}
