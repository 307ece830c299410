//! When reports are made by themselves, and to whom they go.

use barometer_report::{Format, Timing};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::{Role, Store, StoreError};

/// To whom a report goes, and how.
#[derive(Clone, Debug, PartialEq)]
pub struct Sending {
    /// Mail addresses.
    pub addresses: Vec<String>,
    /// Roles whose people get it.
    pub roles: Vec<Role>,
    /// The files that it is sent as.
    pub formats: Vec<Format>,
    /// Days that a link works which is sent instead of files; none to attach the files.
    pub link_days: Option<i32>,
    /// Sent only if a target is missed.
    pub only_if_missed: bool,
}

impl Sending {
    /// Who gets it, as people say it: addresses, then "every approver".
    pub fn recipients(&self) -> Vec<String> {
        let roles = self.roles.iter().map(|role| format!("every {}", role.word()));
        self.addresses.iter().cloned().chain(roles).collect()
    }
}

/// A schedule to be kept.
#[derive(Clone, Debug, PartialEq)]
pub struct NewSchedule<'a> {
    /// Of which report.
    pub report: Uuid,
    /// When.
    pub timing: &'a Timing,
    /// For whom.
    pub sending: &'a Sending,
    /// When it is made for the first time.
    pub next_at: Option<Timestamp>,
    /// Who wants it: they are told of failures.
    pub by: Uuid,
}

/// A schedule.
#[derive(Clone, Debug, PartialEq)]
pub struct Schedule {
    /// Key.
    pub id: Uuid,
    /// Of which report.
    pub report: Uuid,
    /// When.
    pub timing: Timing,
    /// For whom.
    pub sending: Sending,
    /// Whether it is switched on.
    pub is_on: bool,
    /// When it is made next.
    pub next_at: Option<Timestamp>,
    /// Who wants it.
    pub owner: Option<Uuid>,
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    report_id: Uuid,
    timing: Json<Timing>,
    addresses: Vec<String>,
    roles: Vec<String>,
    formats: Vec<String>,
    link_days: Option<i32>,
    only_if_missed: bool,
    is_on: bool,
    next_at: Option<jiff_sqlx::Timestamp>,
    created_by: Option<Uuid>,
}

impl From<Row> for Schedule {
    fn from(row: Row) -> Self {
        Self {
            id: row.id,
            report: row.report_id,
            timing: row.timing.0,
            sending: Sending {
                addresses: row.addresses,
                roles: row.roles.iter().filter_map(|role| Role::of_word(role)).collect(),
                formats: row.formats.iter().filter_map(|format| format.parse().ok()).collect(),
                link_days: row.link_days,
                only_if_missed: row.only_if_missed,
            },
            is_on: row.is_on,
            next_at: row.next_at.map(|at| at.to_jiff()),
            owner: row.created_by,
        }
    }
}

const SCHEDULES: &str = "SELECT id, report_id, timing, addresses, roles, formats, link_days, \
     only_if_missed, is_on, next_at, created_by FROM report_schedules";

impl Store {
    /// The schedules of a report, oldest first.
    pub async fn report_schedules(&self, report: Uuid) -> Result<Vec<Schedule>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{SCHEDULES} WHERE report_id = $1 ORDER BY created_at, id"
        )))
        .bind(report)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing schedules"))?;
        Ok(rows.into_iter().map(Schedule::from).collect())
    }

    /// The schedules of all reports of a centre, oldest first.
    pub async fn schedules_of_centre(&self, centre: Uuid) -> Result<Vec<Schedule>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{SCHEDULES} WHERE report_id IN (SELECT id FROM reports WHERE centre_id = $1) \
             ORDER BY created_at, id"
        )))
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing the schedules of a centre"))?;
        Ok(rows.into_iter().map(Schedule::from).collect())
    }

    /// One schedule.
    pub async fn report_schedule(&self, id: Uuid) -> Result<Schedule, StoreError> {
        let row: Row = sqlx::query_as(sqlx::AssertSqlSafe(format!("{SCHEDULES} WHERE id = $1")))
            .bind(id)
            .fetch_one(&self.pool)
            .await
            .map_err(StoreError::on("reading a schedule"))?;
        Ok(row.into())
    }

    /// Keeps a schedule.
    pub async fn add_report_schedule(&self, new: &NewSchedule<'_>) -> Result<Uuid, StoreError> {
        let roles: Vec<&str> = new.sending.roles.iter().map(|role| role.word()).collect();
        let formats: Vec<&str> = new.sending.formats.iter().map(|format| format.key()).collect();
        sqlx::query_scalar(
            "INSERT INTO report_schedules (report_id, timing, addresses, roles, formats, link_days, \
               only_if_missed, next_at, created_by) \
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9) RETURNING id",
        )
        .bind(new.report)
        .bind(Json(new.timing))
        .bind(&new.sending.addresses)
        .bind(roles)
        .bind(formats)
        .bind(new.sending.link_days)
        .bind(new.sending.only_if_missed)
        .bind(new.next_at.map(|at| at.to_sqlx()))
        .bind(new.by)
        .fetch_one(&self.pool)
        .await
        .map_err(StoreError::on("keeping a schedule"))
    }

    /// Switches a schedule on, from a time on, or off.
    pub async fn switch_report_schedule(
        &self,
        report: Uuid,
        id: Uuid,
        next_at: Option<Timestamp>,
    ) -> Result<(), StoreError> {
        let done = sqlx::query(
            "UPDATE report_schedules SET is_on = $3 IS NOT NULL, next_at = $3 \
             WHERE report_id = $1 AND id = $2",
        )
        .bind(report)
        .bind(id)
        .bind(next_at.map(|at| at.to_sqlx()))
        .execute(&self.pool)
        .await
        .map_err(StoreError::on("switching a schedule"))?;
        if done.rows_affected() == 1 { Ok(()) } else { Err(StoreError::NotFound) }
    }

    /// Removes a schedule; what it made stays.
    pub async fn remove_report_schedule(&self, report: Uuid, id: Uuid) -> Result<(), StoreError> {
        let gone = sqlx::query("DELETE FROM report_schedules WHERE report_id = $1 AND id = $2")
            .bind(report)
            .bind(id)
            .execute(&self.pool)
            .await
            .map_err(StoreError::on("removing a schedule"))?;
        if gone.rows_affected() == 1 { Ok(()) } else { Err(StoreError::NotFound) }
    }

    /// The schedules that are due at an instant, those waiting longest first.
    pub async fn due_report_schedules(&self, now: Timestamp) -> Result<Vec<Schedule>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "{SCHEDULES} WHERE is_on AND next_at <= $1 ORDER BY next_at, id"
        )))
        .bind(now.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("looking for due reports"))?;
        Ok(rows.into_iter().map(Schedule::from).collect())
    }
}
