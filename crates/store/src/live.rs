//! What the switch is to have, what it has said, and what it has told of the day.

use barometer_wire::IntervalRow;
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use uuid::Uuid;

use crate::forecast_runs::queue_forecasts;
use crate::{Store, StoreError};

/// The release that is to be live.
#[derive(Clone, Debug, PartialEq)]
pub struct LiveRelease {
    /// Its number.
    pub number: i32,
    /// The version's key.
    pub version_id: Uuid,
    /// The version.
    pub version: i32,
    /// The strategy's name.
    pub name: String,
    /// When it was decided.
    pub decided_at: Timestamp,
    /// What the switch has said of it, if it has.
    pub answer: Option<ReleaseAnswer>,
}

/// What the switch has said of a release.
#[derive(Clone, Debug, PartialEq)]
pub enum ReleaseAnswer {
    /// It is live there since a moment of the switch's clock.
    Live(Timestamp),
    /// It cannot be, and why.
    Refused(String),
}

#[derive(FromRow)]
struct ReleaseRow {
    number: i32,
    version_id: Uuid,
    version: i32,
    name: String,
    decided_at: jiff_sqlx::Timestamp,
    live_since: Option<jiff_sqlx::Timestamp>,
    refusal: Option<String>,
}

#[derive(FromRow)]
struct IntervalLine {
    sequence: i64,
    contact_type: String,
    started_at: jiff_sqlx::Timestamp,
    secs: f64,
    offered: i32,
    answered: i32,
    in_time: i32,
    abandoned: i32,
    elsewhere: i32,
    wait_secs: f64,
    handled: i32,
    handle_secs: f64,
    wrap_up_secs: Option<f64>,
    outage: bool,
}

impl From<IntervalLine> for IntervalRow {
    fn from(line: IntervalLine) -> Self {
        Self {
            sequence: line.sequence.unsigned_abs(),
            contact_type: line.contact_type,
            start: line.started_at.to_jiff(),
            secs: line.secs,
            offered: line.offered.unsigned_abs(),
            answered: line.answered.unsigned_abs(),
            in_time: line.in_time.unsigned_abs(),
            abandoned: line.abandoned.unsigned_abs(),
            elsewhere: line.elsewhere.unsigned_abs(),
            wait_secs: line.wait_secs,
            handled: line.handled.unsigned_abs(),
            handle_secs: line.handle_secs,
            wrap_up_secs: line.wrap_up_secs,
            outage: line.outage,
        }
    }
}

impl Store {
    /// The release that is to be live; none before anything went live.
    pub async fn live_release(&self, centre: Uuid) -> Result<Option<LiveRelease>, StoreError> {
        let row: Option<ReleaseRow> = sqlx::query_as(
            "SELECT live.number, version.id AS version_id, version.version, version.name, \
               live.approved_at AS decided_at, answer.live_since, answer.refusal \
             FROM go_lives AS live \
             JOIN strategy_versions AS version ON version.id = live.strategy_version_id \
             LEFT JOIN go_live_answers AS answer ON answer.number = live.number \
             WHERE version.centre_id = $1 ORDER BY live.approved_at DESC, live.number DESC LIMIT 1",
        )
        .bind(centre)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reading what is to be live"))?;
        Ok(row.map(|row| LiveRelease {
            number: row.number,
            version_id: row.version_id,
            version: row.version,
            name: row.name,
            decided_at: row.decided_at.to_jiff(),
            answer: match (row.live_since, row.refusal) {
                (Some(since), _) => Some(ReleaseAnswer::Live(since.to_jiff())),
                (None, Some(refusal)) => Some(ReleaseAnswer::Refused(refusal)),
                (None, None) => None,
            },
        }))
    }

    /// Keeps what the switch has said of a release; the latest counts.
    pub async fn note_release_answer(
        &self,
        number: i32,
        answer: &ReleaseAnswer,
    ) -> Result<(), StoreError> {
        let (since, refusal) = match answer {
            ReleaseAnswer::Live(since) => (Some(since.to_sqlx()), None),
            ReleaseAnswer::Refused(refusal) => (None, Some(refusal)),
        };
        sqlx::query(
            "INSERT INTO go_live_answers (number, live_since, refusal) VALUES ($1, $2, $3) \
             ON CONFLICT (number) DO UPDATE SET live_since = excluded.live_since, \
               refusal = excluded.refusal, answered_at = now()",
        )
        .bind(number)
        .bind(since)
        .bind(refusal)
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(StoreError::on("keeping what the switch said"))
    }

    /// The number of the last row of intervals that a switch has told and that is kept; 0 before the first.
    pub async fn last_switch_row(&self, switch: &str) -> Result<u64, StoreError> {
        let last: Option<i64> =
            sqlx::query_scalar("SELECT max(sequence) FROM switch_intervals WHERE switch = $1")
                .bind(switch)
                .fetch_one(&self.pool)
                .await
                .map_err(StoreError::on("reading what the switch told"))?;
        Ok(last.map_or(0, i64::unsigned_abs))
    }

    /// Keeps rows that a switch has told, all or none; a row that is there already stays as it is. Says how many
    /// are new.
    pub async fn add_switch_rows(
        &self,
        centre: Uuid,
        switch: &str,
        rows: &[IntervalRow],
    ) -> Result<u64, StoreError> {
        let failed = StoreError::on("keeping what the switch told");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let mut added = 0;
        let whole = |count: u32| i32::try_from(count).unwrap_or(i32::MAX);
        for row in rows {
            let done = sqlx::query(
                "INSERT INTO switch_intervals (switch, sequence, centre_id, contact_type, started_at, \
                   secs, offered, answered, in_time, abandoned, elsewhere, wait_secs, handled, \
                   handle_secs, wrap_up_secs, outage) \
                 VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16) \
                 ON CONFLICT DO NOTHING",
            )
            .bind(switch)
            .bind(i64::try_from(row.sequence).unwrap_or(i64::MAX))
            .bind(centre)
            .bind(&row.contact_type)
            .bind(row.start.to_sqlx())
            .bind(row.secs)
            .bind(whole(row.offered))
            .bind(whole(row.answered))
            .bind(whole(row.in_time))
            .bind(whole(row.abandoned))
            .bind(whole(row.elsewhere))
            .bind(row.wait_secs)
            .bind(whole(row.handled))
            .bind(row.handle_secs)
            .bind(row.wrap_up_secs)
            .bind(row.outage)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
            added += done.rows_affected();
        }
        tx.commit().await.map_err(&failed)?;
        Ok(added)
    }

    /// The intervals between two times that switches have told, by contact type and time.
    pub async fn switch_rows(
        &self,
        centre: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<IntervalRow>, StoreError> {
        let lines: Vec<IntervalLine> = sqlx::query_as(
            "SELECT DISTINCT ON (contact_type, started_at) sequence, contact_type, started_at, secs, \
               offered, answered, in_time, abandoned, elsewhere, wait_secs, handled, handle_secs, \
               wrap_up_secs, outage \
             FROM switch_intervals WHERE centre_id = $1 AND started_at >= $2 AND started_at < $3 \
             ORDER BY contact_type, started_at, sequence DESC",
        )
        .bind(centre)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading what the switch told"))?;
        Ok(lines.into_iter().map(IntervalRow::from).collect())
    }

    /// A centre whose clock is the switch's goes on to the next day, unless that was done already.
    pub async fn next_day(&self, centre: Uuid, day: jiff::civil::Date) -> Result<(), StoreError> {
        sqlx::query("UPDATE centres SET today = $3 WHERE id = $1 AND today = $2")
            .bind(centre)
            .bind(day.to_sqlx())
            .bind(day.tomorrow().unwrap_or(day).to_sqlx())
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(StoreError::on("going on to the next day"))
    }

    /// What switches told of a time that is over becomes history where there is none yet, and the forecasts of
    /// these contact types are queued to be made again, all or nothing. Intervals of an outage are left out, as
    /// those that nobody recorded.
    pub async fn take_told_into_history(
        &self,
        centre: Uuid,
        from: Timestamp,
        before: Timestamp,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("taking the day into history");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let grown: Vec<Uuid> = sqlx::query_scalar(
            "WITH told AS ( \
               SELECT DISTINCT ON (contact_type, started_at) * FROM switch_intervals \
               WHERE centre_id = $1 AND started_at >= $2 AND started_at < $3 AND NOT outage \
               ORDER BY contact_type, started_at, sequence DESC), \
             added AS ( \
               INSERT INTO history (contact_type_id, interval_start, offered, answered, abandoned, \
                 handle_secs, wrap_up_secs, in_time, wait_secs) \
               SELECT types.id, told.started_at, told.offered, told.answered, told.abandoned, \
                 CASE WHEN told.handled > 0 THEN told.handle_secs / told.handled END, \
                 CASE WHEN told.handled > 0 THEN told.wrap_up_secs / told.handled END, \
                 least(told.in_time, told.answered), told.wait_secs \
               FROM told JOIN contact_types AS types \
                 ON types.centre_id = $1 AND types.name = told.contact_type \
               ON CONFLICT (contact_type_id, interval_start) DO NOTHING RETURNING contact_type_id) \
             SELECT DISTINCT contact_type_id FROM added",
        )
        .bind(centre)
        .bind(from.to_sqlx())
        .bind(before.to_sqlx())
        .fetch_all(&mut *tx)
        .await
        .map_err(&failed)?;
        if !grown.is_empty() {
            queue_forecasts(&mut tx, centre, &grown, None).await?;
        }
        tx.commit().await.map_err(&failed)
    }
}
