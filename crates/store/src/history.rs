//! Interval history.

use barometer_forecast::Observation;
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use uuid::Uuid;

use crate::copying::Copying;
use crate::{Store, StoreError};

/// One interval as it was measured.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct HistoryInterval {
    /// When it starts.
    pub start: Timestamp,
    /// Contacts offered.
    pub offered: i32,
    /// Contacts answered.
    pub answered: i32,
    /// Contacts abandoned.
    pub abandoned: i32,
    /// Mean handle time in seconds, when known.
    pub handle_secs: Option<f64>,
    /// The part of it that is wrap-up, when known.
    pub wrap_up_secs: Option<f64>,
    /// How fast they were answered, when known.
    pub speed: Option<AnswerSpeed>,
}

/// How fast the contacts of an interval were answered.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct AnswerSpeed {
    /// Contacts answered within the threshold of the service level.
    pub in_time: i32,
    /// Seconds that the answered waited, in all.
    pub wait_secs: f64,
}

/// One local day of history.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DayTotal {
    /// The day.
    pub day: Date,
    /// Contacts offered.
    pub offered: i64,
    /// What they would take at their intervals' handle times, in seconds; intervals without a handle
    /// time count nothing.
    pub work_secs: f64,
}

/// What a period came to.
#[derive(Clone, Copy, Debug, Default, PartialEq, FromRow)]
pub struct PeriodTotal {
    /// Intervals with history.
    pub intervals: i64,
    /// Contacts offered.
    pub offered: i64,
    /// Contacts answered.
    pub answered: i64,
    /// Contacts abandoned.
    pub abandoned: i64,
    /// Mean handle time of the answered in seconds, when known.
    pub handle_secs: Option<f64>,
}

#[derive(FromRow)]
struct Row {
    interval_start: jiff_sqlx::Timestamp,
    offered: i32,
    answered: i32,
    handle_secs: Option<f64>,
}

/// COPY buffers are sent when they have grown to this many bytes.
const COPY_CHUNK: usize = 1 << 16;

impl Store {
    /// A contact type's history from `since` on, oldest first.
    pub async fn history_since(
        &self,
        contact_type: Uuid,
        since: Timestamp,
    ) -> Result<Vec<Observation>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT interval_start, offered, answered, handle_secs FROM history \
             WHERE contact_type_id = $1 AND interval_start >= $2 ORDER BY interval_start",
        )
        .bind(contact_type)
        .bind(since.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading history"))?;
        let observed = |row: Row| Observation {
            start: row.interval_start.to_jiff(),
            offered: f64::from(row.offered),
            answered: f64::from(row.answered),
            handle_secs: row.handle_secs,
        };
        Ok(rows.into_iter().map(observed).collect())
    }

    /// Start of the last interval of history.
    pub async fn history_end(&self, contact_type: Uuid) -> Result<Option<Timestamp>, StoreError> {
        let end: Option<jiff_sqlx::Timestamp> = sqlx::query_scalar(
            "SELECT max(interval_start) FROM history WHERE contact_type_id = $1",
        )
        .bind(contact_type)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("reading history"))?;
        Ok(end.map(|end| end.to_jiff()))
    }

    /// Contacts offered per local day, oldest first; days without history are left out.
    pub async fn daily_totals(
        &self,
        contact_type: Uuid,
        zone: &TimeZone,
    ) -> Result<Vec<DayTotal>, StoreError> {
        let rows: Vec<(jiff_sqlx::Date, i64, f64)> = sqlx::query_as(
            "SELECT (interval_start AT TIME ZONE $2)::date AS day, sum(offered), \
               coalesce(sum(offered * handle_secs), 0)::float8 \
             FROM history WHERE contact_type_id = $1 GROUP BY day ORDER BY day",
        )
        .bind(contact_type)
        .bind(zone.iana_name().unwrap_or("UTC"))
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading daily history"))?;
        Ok(rows
            .into_iter()
            .map(|(day, offered, work_secs)| DayTotal { day: day.to_jiff(), offered, work_secs })
            .collect())
    }

    /// What came between two instants.
    pub async fn came_between(
        &self,
        contact_type: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<PeriodTotal, StoreError> {
        sqlx::query_as(
            "SELECT count(*) AS intervals, coalesce(sum(offered), 0) AS offered, \
               coalesce(sum(answered), 0) AS answered, coalesce(sum(abandoned), 0) AS abandoned, \
               sum(answered * handle_secs) / nullif(sum(answered) FILTER (WHERE handle_secs > 0), 0) \
                 AS handle_secs \
             FROM history WHERE contact_type_id = $1 AND interval_start >= $2 AND interval_start < $3",
        )
        .bind(contact_type)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("adding up history"))
    }

    /// Adds intervals that are not there yet, all or none.
    pub async fn add_history(
        &self,
        contact_type: Uuid,
        intervals: &[HistoryInterval],
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("adding history");
        let statement = "COPY history (contact_type_id, interval_start, offered, answered, abandoned, handle_secs, \
                           wrap_up_secs, in_time, wait_secs) FROM STDIN";
        let mut copy = Copying::begin(&self.pool, statement).await.map_err(&failed)?;
        let mut buffer = String::with_capacity(COPY_CHUNK + 256);
        for interval in intervals {
            let HistoryInterval { start, offered, answered, abandoned, .. } = interval;
            let secs =
                |secs: Option<f64>| secs.map_or_else(|| "\\N".to_owned(), |secs| secs.to_string());
            let (handle, wrap_up) = (secs(interval.handle_secs), secs(interval.wrap_up_secs));
            let speed = interval.speed.map_or_else(
                || "\\N\t\\N".to_owned(),
                |AnswerSpeed { in_time, wait_secs }| format!("{in_time}\t{wait_secs}"),
            );
            buffer += &format!(
                "{contact_type}\t{start}\t{offered}\t{answered}\t{abandoned}\t{handle}\t{wrap_up}\t{speed}\n"
            );
            if buffer.len() > COPY_CHUNK {
                copy.send(buffer.as_bytes()).await.map_err(&failed)?;
                buffer.clear();
            }
        }
        copy.send(buffer.as_bytes()).await.map_err(&failed)?;
        copy.finish().await.map_err(&failed)
    }
}
