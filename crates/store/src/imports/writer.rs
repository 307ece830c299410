//! Streams the rows of a file into `import_rows`, in constant memory.

use std::collections::HashMap;

use barometer_forecast::Grain;
use jiff::tz::TimeZone;
use uuid::Uuid;

use super::checks;
use super::file_type::FileType;
use super::{ImportRow, KEPT_REFUSALS, Refusal};
use crate::copying::Copying;
use crate::readings::ReadingTurn;
use crate::{Centre, Store, StoreError};

/// COPY buffers are sent when they have grown to this many bytes.
const COPY_CHUNK: usize = 1 << 16;

/// What a binary COPY begins with: its signature, no flags, no extension.
const COPY_HEADER: &[u8] = b"PGCOPY\n\xff\r\n\0\0\0\0\0\0\0\0\0";

/// Seconds from 1970 to 2000, from which PostgreSQL counts.
const POSTGRES_EPOCH_SECS: i64 = 946_684_800;

/// Writes the rows of one import.
pub struct ImportWriter {
    store: Store,
    import: Uuid,
    number: i32,
    zone: TimeZone,
    turn: ReadingTurn,
    copy: Copying,
    buffer: Vec<u8>,
    /// Contact types of the file by each spelling that it uses, and by their names in small letters.
    numbers: HashMap<String, usize>,
    types: Vec<FileType>,
    known: HashMap<String, (Uuid, Grain)>,
    archived: Vec<Uuid>,
    rows_read: i64,
    refusals: Vec<Refusal>,
    /// A row that is a whole day comes as many intervals and counts once.
    last_row: u64,
}

impl ImportWriter {
    pub(super) async fn open(
        store: &Store,
        import: (Uuid, i32),
        centre: &Centre,
        turn: ReadingTurn,
    ) -> Result<Self, StoreError> {
        let known = store.all_contact_types(centre.id).await?;
        let copy = Copying::begin(&store.pool, "COPY import_rows FROM STDIN (FORMAT binary)")
            .await
            .map_err(StoreError::on("beginning to read the file"))?;
        let archived = known.iter().filter(|each| each.archived_at.is_some());
        let archived = archived.map(|each| each.id).collect();
        let known =
            known.iter().map(|each| (each.name.to_lowercase(), (each.id, each.grain))).collect();
        let mut buffer = Vec::with_capacity(COPY_CHUNK + 512);
        buffer.extend_from_slice(COPY_HEADER);
        Ok(Self {
            store: store.clone(),
            import: import.0,
            number: import.1,
            zone: centre.zone.clone(),
            turn,
            copy,
            buffer,
            numbers: HashMap::new(),
            types: Vec::new(),
            known,
            archived,
            rows_read: 0,
            refusals: Vec::new(),
            last_row: 0,
        })
    }

    /// Adds a usable row.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database does not take it, [`StoreError::TooManyTypes`]
    /// when the file has more contact types than a centre could.
    pub async fn add(&mut self, row: &ImportRow<'_>) -> Result<(), StoreError> {
        if row.row_number != self.last_row {
            self.last_row = row.row_number;
            self.rows_read += 1;
        }
        let type_number = self.number_of(row.contact_type)?;
        self.types[usize::from(type_number.unsigned_abs())].note_start(row.start, &self.zone);
        let micros = row.start.as_microsecond() - POSTGRES_EPOCH_SECS * 1_000_000;
        self.buffer.extend_from_slice(&9_i16.to_be_bytes());
        push(&mut self.buffer, &self.number.to_be_bytes());
        push(&mut self.buffer, &type_number.to_be_bytes());
        push(&mut self.buffer, &row.row_number.to_be_bytes());
        push(&mut self.buffer, &micros.to_be_bytes());
        for count in [row.offered, row.answered, row.abandoned] {
            push(&mut self.buffer, &count.to_be_bytes());
        }
        for secs in [row.handle_secs, row.wrap_up_secs] {
            match secs {
                Some(secs) => push(&mut self.buffer, &secs.to_be_bytes()),
                None => self.buffer.extend_from_slice(&(-1_i32).to_be_bytes()),
            }
        }
        if self.buffer.len() > COPY_CHUNK { self.send().await } else { Ok(()) }
    }

    /// Notes a refused row.
    pub fn refuse(&mut self, row_number: u64, field: &str, reason: String) {
        self.rows_read += 1;
        if self.refusals.len() < KEPT_REFUSALS as usize {
            let row_number = i64::try_from(row_number).unwrap_or(i64::MAX);
            self.refusals.push(Refusal { row_number, field: field.to_owned(), reason });
        }
    }

    /// Ends the reading: rows that repeat an earlier one are refused, and what the import would do
    /// is worked out.
    pub async fn finish(mut self) -> Result<Uuid, StoreError> {
        self.buffer.extend_from_slice(&(-1_i16).to_be_bytes());
        self.send().await?;
        let failed = StoreError::on("reading the file");
        self.copy.finish().await.map_err(&failed)?;
        let mut tx = self.store.pool.begin().await.map_err(&failed)?;
        let import = (self.import, self.number);
        checks::insert_types(&mut tx, self.import, &self.types).await?;
        checks::insert_refusals(&mut tx, self.import, &self.refusals).await?;
        checks::refuse_coarser(&mut tx, import, &self.types).await?;
        checks::refuse_archived(&mut tx, import, (&self.types, &self.archived)).await?;
        if self.types.iter().any(|each| !each.is_in_order) {
            checks::refuse_repeats(&mut tx, import).await?;
        }
        checks::refuse_parts(&mut tx, import, &self.types, &self.zone).await?;
        let is_summed =
            self.types.iter().any(|each| each.file_minutes < each.kept_grain().minutes());
        checks::work_out_preview(&mut tx, import, is_summed, &self.zone).await?;
        sqlx::query(
            "UPDATE imports SET state = 'preview', rows_read = $2, \
               refused = $2 - (SELECT count(DISTINCT row_number) FROM import_rows \
                 WHERE import_number = $3) WHERE id = $1",
        )
        .bind(self.import)
        .bind(self.rows_read)
        .bind(self.number)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        self.turn.end().await.map_err(&failed)?;
        Ok(self.import)
    }

    /// Gives up: nothing that was read is kept; the file stays to be read in another way.
    pub async fn abandon(self) -> Result<(), StoreError> {
        self.copy.abandon("the file cannot be read").await;
        sqlx::query("UPDATE imports SET state = 'uploaded' WHERE id = $1")
            .bind(self.import)
            .execute(&self.store.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("giving up the reading of a file"))
    }

    fn number_of(&mut self, spelling: &str) -> Result<i16, StoreError> {
        let number = match self.numbers.get(spelling) {
            Some(number) => *number,
            None => self.first_seen(spelling),
        };
        i16::try_from(number).map_err(|_| StoreError::TooManyTypes)
    }

    fn first_seen(&mut self, spelling: &str) -> usize {
        let key = spelling.to_lowercase();
        let next = self.types.len();
        let number = *self.numbers.entry(key.clone()).or_insert(next);
        if number == next {
            self.types.push(FileType::new(spelling, self.known.get(&key).copied()));
        }
        self.numbers.insert(spelling.to_owned(), number);
        number
    }

    async fn send(&mut self) -> Result<(), StoreError> {
        self.copy.send(self.buffer.as_slice()).await.map_err(StoreError::on("reading the file"))?;
        self.buffer.clear();
        Ok(())
    }
}

/// One field of a binary COPY: its length and its bytes.
fn push(buffer: &mut Vec<u8>, bytes: &[u8]) {
    buffer.extend_from_slice(&(bytes.len() as i32).to_be_bytes());
    buffer.extend_from_slice(bytes);
}
