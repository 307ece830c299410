//! The latest forecast of each contact type.

use barometer_forecast::{Backtest, Band, DayParts, Effect, Errors, MethodName, Uncertainty};
use barometer_plan::{ForecastInterval, IntervalLoad};
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff_sqlx::ToSqlx;
use sqlx::types::Json;
use sqlx::{FromRow, PgConnection};
use uuid::Uuid;

use crate::{Store, StoreError};

/// A forecast without its intervals.
#[derive(Clone, Debug)]
pub struct ForecastHead {
    /// Days of history that it was made from.
    pub history_days: i32,
    /// The first day that it forecasts: the day after the history's last.
    pub first_day: Date,
    /// The method that made it; none when it is a share of another contact type's forecast.
    pub method: Option<MethodName>,
    /// How the methods did on held-out weeks, when there was enough history to hold any out.
    pub backtest: Option<Backtest>,
    /// The spread that its bands come from.
    pub uncertainty: Option<Uncertainty>,
    /// What special days do.
    pub effects: Vec<Effect>,
    /// Why there are no intervals, when there are none.
    pub failure: Option<String>,
}

/// One interval of a forecast, without and with its overlays.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MadeInterval {
    /// When it starts.
    pub start: Timestamp,
    /// Contacts as the method says.
    pub base: f64,
    /// Contacts expected, overlays included.
    pub contacts: f64,
    /// Handle time in seconds.
    pub handle_secs: f64,
    /// How far the base may be off.
    pub base_band: Band,
}

impl MadeInterval {
    /// How far the contacts may be off, overlays included.
    pub fn band(&self) -> Band {
        band_with_overlays(self.base_band, self.base, self.contacts)
    }
}

/// One day of a forecast, without and with its overlays.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ForecastDay {
    /// The day.
    pub day: Date,
    /// Contacts as the method says.
    pub base: f64,
    /// Contacts expected, overlays included.
    pub contacts: f64,
    /// How far the base may be off.
    pub base_band: Band,
    /// What the base is made of.
    pub parts: DayParts,
}

impl ForecastDay {
    /// How far the contacts may be off, overlays included.
    pub fn band(&self) -> Band {
        band_with_overlays(self.base_band, self.base, self.contacts)
    }
}

/// Bands follow from the base each time: an overlay that is removed leaves nothing behind.
fn band_with_overlays(base_band: Band, base: f64, contacts: f64) -> Band {
    if contacts == base { base_band } else { base_band.moved(base, contacts) }
}

/// A contact type in the list of all, with what its forecast comes to.
#[derive(Clone, Debug, FromRow)]
pub struct DemandLine {
    /// Key of the contact type.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// What its forecast comes to; `None` where none was made.
    #[sqlx(flatten)]
    pub forecast: ForecastLine,
}

/// What a forecast comes to.
#[derive(Clone, Debug, FromRow)]
pub struct ForecastLine {
    first_day: Option<jiff_sqlx::Date>,
    /// Days of history that it was made from.
    pub history_days: Option<i32>,
    method: Option<String>,
    /// Contacts on the 28 days before its first day.
    pub actual: Option<f64>,
    /// Contacts that it expects on its first 28 days.
    pub expected: Option<f64>,
    /// Its error by interval on held-out weeks, as a share of what arrived.
    pub interval_wape: Option<f64>,
    /// That of "as in the week before".
    pub naive_wape: Option<f64>,
}

impl ForecastLine {
    /// The first day that it forecasts; `None` where there is no forecast.
    pub fn first_day(&self) -> Option<Date> {
        self.first_day.map(jiff_sqlx::Date::to_jiff)
    }

    /// The method that made it.
    pub fn method(&self) -> Option<MethodName> {
        self.method.as_deref().and_then(MethodName::from_slug)
    }
}

#[derive(FromRow)]
struct HeadRow {
    history_days: i32,
    first_day: jiff_sqlx::Date,
    method: Option<String>,
    backtest: Option<Json<Backtest>>,
    uncertainty: Option<Json<Uncertainty>>,
    effects: Json<Vec<Effect>>,
    failure: Option<String>,
}

#[derive(FromRow)]
struct IntervalRow {
    interval_start: jiff_sqlx::Timestamp,
    base: f64,
    contacts: f64,
    handle_secs: f64,
    p2_5: f64,
    p10: f64,
    p90: f64,
    p97_5: f64,
}

#[derive(FromRow)]
struct DayRow {
    day: jiff_sqlx::Date,
    base: f64,
    contacts: f64,
    p2_5: f64,
    p10: f64,
    p90: f64,
    p97_5: f64,
    level: f64,
    drift: f64,
    weekday: f64,
    special: f64,
}

impl From<IntervalRow> for MadeInterval {
    fn from(row: IntervalRow) -> Self {
        let IntervalRow { base, contacts, handle_secs, p2_5, p10, p90, p97_5, .. } = row;
        let base_band = Band { p2_5, p10, p90, p97_5 };
        Self { start: row.interval_start.to_jiff(), base, contacts, handle_secs, base_band }
    }
}

impl From<DayRow> for ForecastDay {
    fn from(row: DayRow) -> Self {
        let DayRow {
            base, contacts, p2_5, p10, p90, p97_5, level, drift, weekday, special, ..
        } = row;
        let base_band = Band { p2_5, p10, p90, p97_5 };
        let parts = DayParts { level, drift, weekday, special };
        Self { day: row.day.to_jiff(), base, contacts, base_band, parts }
    }
}

/// Between two tries to lock a forecast.
const TRY_AGAIN_AFTER: std::time::Duration = std::time::Duration::from_millis(30);

/// A contact type's forecast, locked: others who lock it wait until something is saved with it, or it is dropped. What is
/// saved is saved by the connection that holds the lock: where that breaks, neither is left.
pub struct ForecastLock {
    tx: sqlx::Transaction<'static, sqlx::Postgres>,
    contact_type: Uuid,
}

impl ForecastLock {
    /// Lets the next one in; everything stays as it was.
    pub async fn release(self) -> Result<(), StoreError> {
        self.tx.commit().await.map_err(StoreError::on("releasing a forecast"))
    }

    /// Replaces the forecast: readers see the old one or the new.
    pub async fn save(
        mut self,
        head: &ForecastHead,
        intervals: &[MadeInterval],
        days: &[ForecastDay],
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("saving the forecast");
        sqlx::query("DELETE FROM forecasts WHERE contact_type_id = $1")
            .bind(self.contact_type)
            .execute(&mut *self.tx)
            .await
            .map_err(&failed)?;
        sqlx::query(
            "INSERT INTO forecasts (contact_type_id, history_days, first_day, method, backtest, \
               uncertainty, effects, failure, interval_wape, naive_wape) \
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)",
        )
        .bind(self.contact_type)
        .bind(head.history_days)
        .bind(head.first_day.to_sqlx())
        .bind(head.method.map(MethodName::slug))
        .bind(head.backtest.as_ref().map(Json))
        .bind(head.uncertainty.as_ref().map(Json))
        .bind(Json(&head.effects))
        .bind(&head.failure)
        .bind(wape(head.backtest.as_ref().and_then(Backtest::errors)))
        .bind(wape(head.backtest.as_ref().and_then(Backtest::naive)))
        .execute(&mut *self.tx)
        .await
        .map_err(&failed)?;
        self.save_numbers(intervals, days).await
    }

    /// Replaces the numbers of a forecast, which otherwise stays as it is.
    pub async fn save_numbers(
        mut self,
        intervals: &[MadeInterval],
        days: &[ForecastDay],
    ) -> Result<(), StoreError> {
        replace_numbers(&mut self.tx, self.contact_type, intervals, days).await?;
        self.tx.commit().await.map_err(StoreError::on("saving the forecast"))
    }
}

impl Store {
    /// Locks a contact type's forecast. Hold one at a time, so that nobody waits for each other.
    pub async fn lock_forecast(&self, contact_type: Uuid) -> Result<ForecastLock, StoreError> {
        let failed = StoreError::on("locking a forecast");
        loop {
            let mut tx = self.pool.begin().await.map_err(&failed)?;
            let is_ours: bool = sqlx::query_scalar(
                "SELECT pg_try_advisory_xact_lock(hashtextextended($1::text, 0))",
            )
            .bind(contact_type)
            .fetch_one(&mut *tx)
            .await
            .map_err(&failed)?;
            if is_ours {
                return Ok(ForecastLock { tx, contact_type });
            }
            // Waiting keeps no connection: the one whose turn it is needs further ones.
            tx.rollback().await.map_err(&failed)?;
            tokio::time::sleep(TRY_AGAIN_AFTER).await;
        }
    }

    /// The latest forecast of a contact type; `None` before its first history.
    pub async fn forecast(&self, contact_type: Uuid) -> Result<Option<ForecastHead>, StoreError> {
        let row: Option<HeadRow> = sqlx::query_as(
            "SELECT history_days, first_day, method, backtest, uncertainty, effects, failure \
             FROM forecasts WHERE contact_type_id = $1",
        )
        .bind(contact_type)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reading the forecast"))?;
        Ok(row.map(|row| ForecastHead {
            history_days: row.history_days,
            first_day: row.first_day.to_jiff(),
            method: row.method.as_deref().and_then(MethodName::from_slug),
            backtest: row.backtest.map(|Json(backtest)| backtest),
            uncertainty: row.uncertainty.map(|Json(uncertainty)| uncertainty),
            effects: row.effects.0,
            failure: row.failure,
        }))
    }

    /// What is expected of the intervals that start from `from` until before `to`, in order.
    pub async fn forecast_between(
        &self,
        contact_type: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<ForecastInterval>, StoreError> {
        let made = self.made_intervals(contact_type, from, to).await?;
        let expected = |made: MadeInterval| ForecastInterval {
            start: made.start,
            load: IntervalLoad { contacts: made.contacts, handle_secs: made.handle_secs },
        };
        Ok(made.into_iter().map(expected).collect())
    }

    /// The forecast intervals that start from `from` until before `to`, in order, with their bands.
    pub async fn made_intervals(
        &self,
        contact_type: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<MadeInterval>, StoreError> {
        let rows: Vec<IntervalRow> = sqlx::query_as(
            "SELECT interval_start, base, contacts, handle_secs, p2_5, p10, p90, p97_5 \
             FROM forecast_intervals \
             WHERE contact_type_id = $1 AND interval_start >= $2 AND interval_start < $3 \
             ORDER BY interval_start",
        )
        .bind(contact_type)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the forecast"))?;
        Ok(rows.into_iter().map(MadeInterval::from).collect())
    }

    /// The days of the forecast, in order.
    pub async fn forecast_days(&self, contact_type: Uuid) -> Result<Vec<ForecastDay>, StoreError> {
        let rows: Vec<DayRow> = sqlx::query_as(
            "SELECT day, base, contacts, p2_5, p10, p90, p97_5, level, drift, weekday, special \
             FROM forecast_days WHERE contact_type_id = $1 ORDER BY day",
        )
        .bind(contact_type)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the forecast's days"))?;
        Ok(rows.into_iter().map(ForecastDay::from).collect())
    }

    /// All contact types of a centre in their order, with what their forecasts come to.
    pub async fn demand_lines(
        &self,
        centre: Uuid,
        zone: &TimeZone,
    ) -> Result<Vec<DemandLine>, StoreError> {
        sqlx::query_as(
            "SELECT contact_types.id, contact_types.name, forecasts.first_day, \
               forecasts.history_days, forecasts.method, forecasts.interval_wape, \
               forecasts.naive_wape, \
               (SELECT sum(offered)::double precision FROM history \
                 WHERE contact_type_id = contact_types.id \
                   AND interval_start >= (first_day - 28)::timestamp AT TIME ZONE $2 \
                   AND interval_start < first_day::timestamp AT TIME ZONE $2) AS actual, \
               (SELECT sum(contacts) FROM forecast_days \
                 WHERE contact_type_id = contact_types.id \
                   AND day >= first_day AND day < first_day + 28) AS expected \
             FROM contact_types LEFT JOIN forecasts ON contact_type_id = contact_types.id \
             WHERE centre_id = $1 AND archived_at IS NULL ORDER BY position, contact_types.id",
        )
        .bind(centre)
        .bind(zone.iana_name().unwrap_or("UTC"))
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("listing contact types"))
    }
}

fn wape(errors: Option<&Errors>) -> Option<f64> {
    errors.map(|errors| errors.interval_wape)
}

async fn replace_numbers(
    connection: &mut PgConnection,
    contact_type: Uuid,
    intervals: &[MadeInterval],
    days: &[ForecastDay],
) -> Result<(), StoreError> {
    let failed = StoreError::on("saving the forecast");
    for table in [
        "DELETE FROM forecast_intervals WHERE contact_type_id = $1",
        "DELETE FROM forecast_days WHERE contact_type_id = $1",
    ] {
        sqlx::query(table).bind(contact_type).execute(&mut *connection).await.map_err(&failed)?;
    }
    let of = |pick: fn(&MadeInterval) -> f64| intervals.iter().map(pick).collect::<Vec<f64>>();
    sqlx::query(
        "INSERT INTO forecast_intervals (contact_type_id, interval_start, base, contacts, \
           handle_secs, p2_5, p10, p90, p97_5) \
         SELECT $1, * FROM unnest($2::timestamptz[], $3::float8[], $4::float8[], $5::float8[], \
           $6::float8[], $7::float8[], $8::float8[], $9::float8[])",
    )
    .bind(contact_type)
    .bind(intervals.iter().map(|each| each.start.to_sqlx()).collect::<Vec<_>>())
    .bind(of(|each| each.base))
    .bind(of(|each| each.contacts))
    .bind(of(|each| each.handle_secs))
    .bind(of(|each| each.base_band.p2_5))
    .bind(of(|each| each.base_band.p10))
    .bind(of(|each| each.base_band.p90))
    .bind(of(|each| each.base_band.p97_5))
    .execute(&mut *connection)
    .await
    .map_err(&failed)?;
    let of = |pick: fn(&ForecastDay) -> f64| days.iter().map(pick).collect::<Vec<f64>>();
    sqlx::query(
        "INSERT INTO forecast_days (contact_type_id, day, base, contacts, p2_5, p10, p90, p97_5, \
           level, drift, weekday, special) \
         SELECT $1, * FROM unnest($2::date[], $3::float8[], $4::float8[], $5::float8[], \
           $6::float8[], $7::float8[], $8::float8[], $9::float8[], $10::float8[], \
           $11::float8[], $12::float8[])",
    )
    .bind(contact_type)
    .bind(days.iter().map(|each| each.day.to_sqlx()).collect::<Vec<_>>())
    .bind(of(|each| each.base))
    .bind(of(|each| each.contacts))
    .bind(of(|each| each.base_band.p2_5))
    .bind(of(|each| each.base_band.p10))
    .bind(of(|each| each.base_band.p90))
    .bind(of(|each| each.base_band.p97_5))
    .bind(of(|each| each.parts.level))
    .bind(of(|each| each.parts.drift))
    .bind(of(|each| each.parts.weekday))
    .bind(of(|each| each.parts.special))
    .execute(connection)
    .await
    .map(|_| ())
    .map_err(&failed)
}
