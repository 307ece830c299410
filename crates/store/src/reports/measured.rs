//! Counts of the history and of the switch, summed by the database: a year of a large centre is a few thousand rows.

use barometer_report::Counts;
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use uuid::Uuid;

use crate::{Store, StoreError};

/// How finely counts are told.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Slots {
    /// By interval of the history.
    Interval,
    /// By day of the centre's calendar.
    Day,
}

impl Slots {
    const fn sql(self) -> &'static str {
        match self {
            Self::Interval => "minute",
            Self::Day => "day",
        }
    }
}

/// Counts of a contact type from a moment on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MeasuredCounts {
    /// Which contact type.
    pub contact_type: Uuid,
    /// When they begin, on the centre's wall clock.
    pub at: DateTime,
    /// The counts.
    pub counts: Counts,
}

/// Hours of a team from a moment on.
#[derive(Clone, Debug, PartialEq)]
pub struct TeamHours {
    /// The team's id.
    pub team: String,
    /// When they begin, on the centre's wall clock.
    pub at: DateTime,
    /// Hours on shift.
    pub staffed_hours: f64,
    /// Of those, hours with a contact.
    pub busy_hours: f64,
}

#[derive(FromRow)]
struct Row {
    contact_type_id: Uuid,
    at: jiff_sqlx::DateTime,
    offered: f64,
    answered: f64,
    abandoned: f64,
    in_time: f64,
    timed_offered: f64,
    timed_answered: f64,
    wait_secs: f64,
    handle_secs: f64,
    handled: f64,
    talk_secs: f64,
    wrap_up_secs: f64,
    wrapped_up: f64,
}

impl From<Row> for MeasuredCounts {
    fn from(row: Row) -> Self {
        Self {
            contact_type: row.contact_type_id,
            at: row.at.to_jiff(),
            counts: Counts {
                offered: row.offered,
                answered: row.answered,
                abandoned: row.abandoned,
                in_time: row.in_time,
                timed_offered: row.timed_offered,
                timed_answered: row.timed_answered,
                wait_secs: row.wait_secs,
                handle_secs: row.handle_secs,
                handled: row.handled,
                talk_secs: row.talk_secs,
                wrap_up_secs: row.wrap_up_secs,
                wrapped_up: row.wrapped_up,
            },
        }
    }
}

impl Store {
    /// What was measured of contact types between two instants, by contact type and time.
    ///
    /// History comes first; of intervals that are not history yet, what the switch has told.
    pub async fn measured_counts(
        &self,
        contact_types: &[Uuid],
        (from, to): (Timestamp, Timestamp),
        slots: Slots,
        zone: &TimeZone,
    ) -> Result<Vec<MeasuredCounts>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "WITH told AS ( \
               SELECT DISTINCT ON (types.id, told.started_at) types.id AS contact_type_id, \
                 told.started_at AS interval_start, told.offered, told.answered, told.abandoned, \
                 CASE WHEN told.handled > 0 THEN told.handle_secs / told.handled END AS handle_secs, \
                 CASE WHEN told.handled > 0 THEN told.wrap_up_secs / told.handled END AS wrap_up_secs, \
                 least(told.in_time, told.answered) AS in_time, told.wait_secs \
               FROM switch_intervals AS told \
               JOIN contact_types AS types \
                 ON types.centre_id = told.centre_id AND types.name = told.contact_type \
               WHERE types.id = ANY($1) AND told.started_at >= $2 AND told.started_at < $3 \
                 AND NOT told.outage AND NOT EXISTS ( \
                   SELECT FROM history WHERE history.contact_type_id = types.id \
                     AND history.interval_start = told.started_at) \
               ORDER BY types.id, told.started_at, told.sequence DESC), \
             measured AS ( \
               SELECT contact_type_id, interval_start, offered, answered, abandoned, handle_secs, \
                 wrap_up_secs, in_time, wait_secs \
               FROM history \
               WHERE contact_type_id = ANY($1) AND interval_start >= $2 AND interval_start < $3 \
               UNION ALL SELECT * FROM told) \
             SELECT contact_type_id, date_trunc($4, interval_start AT TIME ZONE $5) AS at, \
               sum(offered)::float8 AS offered, \
               sum(answered)::float8 AS answered, sum(abandoned)::float8 AS abandoned, \
               coalesce(sum(in_time), 0)::float8 AS in_time, \
               coalesce(sum(offered) FILTER (WHERE in_time IS NOT NULL), 0)::float8 AS timed_offered, \
               coalesce(sum(answered) FILTER (WHERE in_time IS NOT NULL), 0)::float8 AS timed_answered, \
               coalesce(sum(wait_secs) FILTER (WHERE in_time IS NOT NULL), 0)::float8 AS wait_secs, \
               coalesce(sum(answered * handle_secs), 0)::float8 AS handle_secs, \
               coalesce(sum(answered) FILTER (WHERE handle_secs > 0), 0)::float8 AS handled, \
               coalesce(sum(answered * (handle_secs - wrap_up_secs)), 0)::float8 AS talk_secs, \
               coalesce(sum(answered * wrap_up_secs), 0)::float8 AS wrap_up_secs, \
               coalesce(sum(answered) FILTER (WHERE wrap_up_secs IS NOT NULL), 0)::float8 AS wrapped_up \
             FROM measured GROUP BY 1, 2 ORDER BY 1, 2",
        )
        .bind(contact_types)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .bind(slots.sql())
        .bind(zone.iana_name().unwrap_or("UTC"))
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("adding up history"))?;
        Ok(rows.into_iter().map(MeasuredCounts::from).collect())
    }

    /// Hours of teams between two instants, as switches have told them, by team and time.
    pub async fn team_hours(
        &self,
        centre: Uuid,
        (from, to): (Timestamp, Timestamp),
        slots: Slots,
        zone: &TimeZone,
    ) -> Result<Vec<TeamHours>, StoreError> {
        let rows: Vec<(String, jiff_sqlx::DateTime, f64, f64)> = sqlx::query_as(
            "WITH told AS ( \
               SELECT DISTINCT ON (team, started_at) team, started_at, staffed_secs, busy_secs \
               FROM switch_staffing WHERE centre_id = $1 AND started_at >= $2 AND started_at < $3 \
               ORDER BY team, started_at, sequence DESC) \
             SELECT team, date_trunc($4, started_at AT TIME ZONE $5) AS at, \
               sum(staffed_secs) / 3600, sum(busy_secs) / 3600 \
             FROM told GROUP BY 1, 2 ORDER BY 1, 2",
        )
        .bind(centre)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .bind(slots.sql())
        .bind(zone.iana_name().unwrap_or("UTC"))
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("adding up hours on shift"))?;
        let hours =
            |(team, at, staffed_hours, busy_hours): (String, jiff_sqlx::DateTime, f64, f64)| {
                TeamHours { team, at: at.to_jiff(), staffed_hours, busy_hours }
            };
        Ok(rows.into_iter().map(hours).collect())
    }
}
