//! Streams the rows of a list into `list_people`.

use barometer_intake::ListLayout;
use sqlx::types::Json;
use uuid::Uuid;

use crate::copying::Copying;
use crate::imports::{KEPT_REFUSALS, Refusal, insert_refusals};
use crate::readings::ReadingTurn;
use crate::{Store, StoreError};

/// COPY buffers are sent when they have grown to this many bytes.
const COPY_CHUNK: usize = 1 << 16;

/// One usable row of a list.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ListRow<'a> {
    /// The number with its country code, as digits.
    pub number: u64,
    /// IANA time zone; none in a list of numbers alone.
    pub zone: Option<&'a str>,
    /// Whether the zone was told from the number.
    pub is_zone_guessed: bool,
    /// 1 to 9: 1 is called first.
    pub priority: Option<u8>,
    /// Language.
    pub language: Option<&'a str>,
    /// Preferred hours, as minutes of the person's day.
    pub hours: Option<(u16, u16)>,
    /// Calls so far.
    pub attempts: u8,
    /// What else the list says, by the names of its columns.
    pub attributes: &'a [(String, String)],
}

/// Writes the people of one list.
pub struct ListWriter {
    store: Store,
    id: Uuid,
    number: i32,
    turn: ReadingTurn,
    copy: Copying,
    buffer: String,
    rows_read: i64,
    refused: i64,
    refusals: Vec<Refusal>,
}

impl Store {
    /// Begins to read an uploaded list in a layout, whatever was read of it before. Only one reads a list at a
    /// time: [`StoreError::Busy`] for the others.
    pub async fn begin_list_reading(
        &self,
        id: Uuid,
        layout: &ListLayout,
    ) -> Result<ListWriter, StoreError> {
        let failed = StoreError::on("beginning to read a list");
        let turn = self.reading_turn(id).await?;
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let number: i32 = sqlx::query_scalar(
            "UPDATE imports SET state = 'reading', list_layout = $2 \
             WHERE id = $1 AND subject <> 'history' AND state IN ('uploaded', 'reading', 'preview') \
             RETURNING number",
        )
        .bind(id)
        .bind(Json(layout))
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        sqlx::query("DELETE FROM list_people WHERE import_number = $1")
            .bind(number)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        sqlx::query("DELETE FROM import_refusals WHERE import_id = $1")
            .bind(id)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        let statement = "COPY list_people (import_number, number, zone, is_zone_guessed, priority, language, \
                           hours_from, hours_until, attempts, attributes) FROM STDIN";
        let copy = Copying::begin(&self.pool, statement).await.map_err(&failed)?;
        Ok(ListWriter {
            store: self.clone(),
            id,
            number,
            turn,
            copy,
            buffer: String::with_capacity(COPY_CHUNK + 1024),
            rows_read: 0,
            refused: 0,
            refusals: Vec::new(),
        })
    }
}

impl ListWriter {
    /// Adds a usable row; numbers must differ from each other.
    pub async fn add(&mut self, row: &ListRow<'_>) -> Result<(), StoreError> {
        self.rows_read += 1;
        let buffer = &mut self.buffer;
        buffer.push_str(&format!("{}\t{}", self.number, row.number));
        push_text(buffer, row.zone);
        buffer.push_str(if row.is_zone_guessed { "\tt" } else { "\tf" });
        push_number(buffer, row.priority.map(i64::from));
        push_text(buffer, row.language);
        push_number(buffer, row.hours.map(|(from, _)| i64::from(from)));
        push_number(buffer, row.hours.map(|(_, until)| i64::from(until)));
        push_number(buffer, Some(i64::from(row.attempts)));
        let attributes = (!row.attributes.is_empty()).then(|| {
            // No text of PostgreSQL can hold a zero, escaped or not.
            let clean = |text: &str| text.replace('\0', "");
            let object =
                row.attributes.iter().map(|(name, text)| (clean(name), clean(text).into()));
            serde_json::Value::Object(object.collect()).to_string()
        });
        push_text(buffer, attributes.as_deref());
        buffer.push('\n');
        if self.buffer.len() > COPY_CHUNK { self.send().await } else { Ok(()) }
    }

    /// Notes a refused row.
    pub fn refuse(&mut self, row_number: u64, field: &str, reason: String) {
        self.rows_read += 1;
        self.refused += 1;
        if self.refusals.len() < KEPT_REFUSALS as usize {
            let row_number = i64::try_from(row_number).unwrap_or(i64::MAX);
            self.refusals.push(Refusal { row_number, field: field.to_owned(), reason });
        }
    }

    /// Ends the reading: the list can be looked at.
    pub async fn finish(mut self) -> Result<(), StoreError> {
        self.send().await?;
        let failed = StoreError::on("reading a list");
        self.copy.finish().await.map_err(&failed)?;
        let mut tx = self.store.pool.begin().await.map_err(&failed)?;
        insert_refusals(&mut tx, self.id, &self.refusals).await?;
        sqlx::query(
            "UPDATE imports SET state = 'preview', rows_read = $2, refused = $3 WHERE id = $1",
        )
        .bind(self.id)
        .bind(self.rows_read)
        .bind(self.refused)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)?;
        self.turn.end().await.map_err(&failed)
    }

    /// Gives up: nothing that was read is kept; the file stays to be read in another way.
    pub async fn abandon(self) -> Result<(), StoreError> {
        self.copy.abandon("the list cannot be read").await;
        sqlx::query("UPDATE imports SET state = 'uploaded' WHERE id = $1")
            .bind(self.id)
            .execute(&self.store.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("giving up the reading of a list"))
    }

    async fn send(&mut self) -> Result<(), StoreError> {
        self.copy.send(self.buffer.as_bytes()).await.map_err(StoreError::on("reading a list"))?;
        self.buffer.clear();
        Ok(())
    }
}

fn push_number(buffer: &mut String, number: Option<i64>) {
    let text = number.map(|number| number.to_string());
    push_text(buffer, text.as_deref());
}

/// A field of a text COPY, with what means something to it escaped.
fn push_text(buffer: &mut String, text: Option<&str>) {
    buffer.push('\t');
    let Some(text) = text else { return buffer.push_str("\\N") };
    for letter in text.chars() {
        match letter {
            '\\' => buffer.push_str("\\\\"),
            '\t' => buffer.push_str("\\t"),
            '\n' => buffer.push_str("\\n"),
            '\r' => buffer.push_str("\\r"),
            // No text of PostgreSQL can hold it.
            '\0' => {}
            letter => buffer.push(letter),
        }
    }
}
