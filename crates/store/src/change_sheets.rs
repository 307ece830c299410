//! Change sheets: records that only grow, and what goes live by them.

use barometer_plan::{ChangeSheet, SheetAct, SheetEntry};
use sqlx::types::Json;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::strategies::locked;
use crate::{Store, StoreError};

/// A change sheet with its record.
#[derive(Clone, Debug)]
pub struct KeptSheet {
    /// Key.
    pub id: Uuid,
    /// 1, 2, 3 … within the centre.
    pub number: i32,
    /// The version that goes live.
    pub version: Uuid,
    /// The version that was live when it was drawn up.
    pub against: Option<Uuid>,
    /// What was done with it, in order.
    pub record: Vec<KeptEntry>,
}

/// An entry of a record.
#[derive(Clone, Debug)]
pub struct KeptEntry {
    /// What was done, by whom, when.
    pub entry: SheetEntry,
    /// The name of who did it.
    pub by: Option<String>,
    /// The seal of this entry and all before it, as hexadecimal digits.
    pub seal: String,
    /// Whether the seal fits what stands here: nothing was changed or taken out.
    pub is_sealed: bool,
}

impl KeptSheet {
    /// What the record makes of it.
    pub fn sheet(&self) -> Option<ChangeSheet> {
        let entries: Vec<SheetEntry> = self.record.iter().map(|kept| kept.entry.clone()).collect();
        ChangeSheet::of(&entries)
    }

    /// The place of the next entry.
    pub fn next(&self) -> i32 {
        self.record.len() as i32
    }
}

/// An entry to be added to a record, at a place that was free when it was read.
#[derive(Clone, Debug)]
pub struct NewEntry {
    /// Key of the sheet.
    pub sheet: Uuid,
    /// The place.
    pub nth: i32,
    /// What is done.
    pub act: SheetAct,
    /// Who does it.
    pub by: Option<Uuid>,
}

/// What goes live, or comes back, by a sheet.
#[derive(Clone, Debug)]
pub struct Publication {
    /// Key of the centre.
    pub centre: Uuid,
    /// What is added to the sheet's record, and to that of the sheet that it supersedes.
    pub entries: Vec<NewEntry>,
    /// The version that is live from now on.
    pub version: Uuid,
    /// The version that has to be live now: if another is, nothing is done.
    pub instead_of: Option<Uuid>,
    /// The trial that it rests on first of all.
    pub trial: Option<Uuid>,
    /// Key of the sheet.
    pub sheet: Uuid,
    /// Who publishes it.
    pub by: Option<Uuid>,
    /// Why, in a line.
    pub note: String,
}

#[derive(FromRow)]
struct SheetRow {
    id: Uuid,
    number: i32,
    version_id: Uuid,
    against_id: Option<Uuid>,
}

#[derive(FromRow)]
struct EntryRow {
    sheet_id: Uuid,
    act: Json<SheetAct>,
    done_by: Option<Uuid>,
    done_at: jiff_sqlx::Timestamp,
    name: Option<String>,
    seal: String,
    is_sealed: bool,
}

impl Store {
    /// Draws up a sheet for a version, against the one that is live; returns its number.
    pub async fn draw_up_sheet(
        &self,
        centre: Uuid,
        version: Uuid,
        against: Option<Uuid>,
        act: &SheetAct,
        by: Uuid,
    ) -> Result<i32, StoreError> {
        let failed = StoreError::on("drawing up a change sheet");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        locked(&mut tx, centre).await.map_err(&failed)?;
        let (id, number): (Uuid, i32) = sqlx::query_as(
            "INSERT INTO change_sheets (centre_id, number, version_id, against_id) \
             SELECT $1, coalesce(max(number), 0) + 1, $2, $3 FROM change_sheets \
             WHERE centre_id = $1 RETURNING id, number",
        )
        .bind(centre)
        .bind(version)
        .bind(against)
        .fetch_one(&mut *tx)
        .await
        .map_err(&failed)?;
        let entry = NewEntry { sheet: id, nth: 0, act: act.clone(), by: Some(by) };
        add(&mut tx, &entry).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(number)
    }

    /// One sheet with its record.
    pub async fn change_sheet(&self, centre: Uuid, number: i32) -> Result<KeptSheet, StoreError> {
        self.sheets_where(centre, Some(number)).await?.pop().ok_or(StoreError::NotFound)
    }

    /// The sheets of a centre with their records, the last first.
    pub async fn change_sheets(&self, centre: Uuid) -> Result<Vec<KeptSheet>, StoreError> {
        self.sheets_where(centre, None).await
    }

    async fn sheets_where(
        &self,
        centre: Uuid,
        number: Option<i32>,
    ) -> Result<Vec<KeptSheet>, StoreError> {
        let failed = StoreError::on("reading change sheets");
        let sheets: Vec<SheetRow> = sqlx::query_as(
            "SELECT id, number, version_id, against_id FROM change_sheets \
             WHERE centre_id = $1 AND ($2 IS NULL OR number = $2) ORDER BY number DESC",
        )
        .bind(centre)
        .bind(number)
        .fetch_all(&self.pool)
        .await
        .map_err(&failed)?;
        let ids: Vec<Uuid> = sheets.iter().map(|sheet| sheet.id).collect();
        let entries: Vec<EntryRow> = sqlx::query_as(
            "SELECT sheet_id, act, done_by, done_at, users.name, encode(seal, 'hex') AS seal, \
               seal = change_sheet_seal( \
                 lag(seal) OVER (PARTITION BY sheet_id ORDER BY nth), \
                 ROW(sheet_id, nth, act, done_by, done_at, seal)::change_sheet_entries) \
               AND nth = row_number() OVER (PARTITION BY sheet_id ORDER BY nth) - 1 AS is_sealed \
             FROM change_sheet_entries LEFT JOIN users ON users.id = done_by \
             WHERE sheet_id = ANY($1) ORDER BY nth",
        )
        .bind(&ids)
        .fetch_all(&self.pool)
        .await
        .map_err(&failed)?;
        let mut kept: Vec<KeptSheet> = sheets
            .into_iter()
            .map(|row| KeptSheet {
                id: row.id,
                number: row.number,
                version: row.version_id,
                against: row.against_id,
                record: Vec::new(),
            })
            .collect();
        for row in entries {
            let Some(sheet) = kept.iter_mut().find(|sheet| sheet.id == row.sheet_id) else {
                continue;
            };
            let at = row.done_at.to_jiff();
            sheet.record.push(KeptEntry {
                entry: SheetEntry { act: row.act.0, by: row.done_by, at },
                by: row.name,
                seal: row.seal,
                is_sealed: row.is_sealed,
            });
        }
        Ok(kept)
    }

    /// Adds an entry to a record.
    ///
    /// # Errors
    ///
    /// [`StoreError::Busy`] where somebody else has added one meanwhile.
    pub async fn add_sheet_entry(&self, entry: &NewEntry) -> Result<(), StoreError> {
        let failed = StoreError::on("adding to a change sheet");
        let mut connection = self.pool.acquire().await.map_err(failed)?;
        add(&mut connection, entry).await
    }

    /// Lets a version go live by a sheet, or takes it back: entries and release in one transaction.
    ///
    /// # Errors
    ///
    /// [`StoreError::Busy`] where somebody else has added to one of the records meanwhile, or another version
    /// has gone live.
    pub async fn publish_by_sheet(&self, publication: &Publication) -> Result<(), StoreError> {
        let failed = StoreError::on("publishing by a change sheet");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        locked(&mut tx, publication.centre).await.map_err(&failed)?;
        let live: Option<Uuid> = sqlx::query_scalar(
            "SELECT live.strategy_version_id FROM go_lives AS live \
             JOIN strategy_versions AS version ON version.id = live.strategy_version_id \
             WHERE version.centre_id = $1 ORDER BY live.approved_at DESC LIMIT 1",
        )
        .bind(publication.centre)
        .fetch_optional(&mut *tx)
        .await
        .map_err(&failed)?;
        if live != publication.instead_of {
            return Err(StoreError::Busy);
        }
        for entry in &publication.entries {
            add(&mut tx, entry).await?;
        }
        sqlx::query(
            "INSERT INTO go_lives \
               (strategy_version_id, trial_id, approved_by, approved_at, note, sheet_id) \
             VALUES ($1, $2, $3, clock_timestamp(), $4, $5)",
        )
        .bind(publication.version)
        .bind(publication.trial)
        .bind(publication.by)
        .bind(&publication.note)
        .bind(publication.sheet)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }
}

async fn add(connection: &mut PgConnection, entry: &NewEntry) -> Result<(), StoreError> {
    // The time and the seal are the database's.
    let added = sqlx::query(
        "INSERT INTO change_sheet_entries (sheet_id, nth, act, done_by, done_at, seal) \
         VALUES ($1, $2, $3, $4, now(), '') ON CONFLICT DO NOTHING",
    )
    .bind(entry.sheet)
    .bind(entry.nth)
    .bind(Json(&entry.act))
    .bind(entry.by)
    .execute(connection)
    .await
    .map_err(StoreError::on("adding to a change sheet"))?;
    if added.rows_affected() == 1 { Ok(()) } else { Err(StoreError::Busy) }
}
