//! Forecasts as they were when a planner froze them.

use barometer_forecast::{MethodName, Uncertainty};
use jiff::Timestamp;
use jiff::civil::Date;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::{MadeInterval, Store, StoreError};

/// A frozen forecast without its intervals.
#[derive(Clone, Debug)]
pub struct FrozenForecast {
    /// Key.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// The first day that it forecasts.
    pub first_day: Date,
    /// The method that made it.
    pub method: Option<MethodName>,
    /// Its error per interval on held-out weeks (WAPE), when known.
    pub interval_wape: Option<f64>,
    /// The spread that days are drawn from.
    pub uncertainty: Option<Uncertainty>,
    /// Contacts in all.
    pub contacts: f64,
    /// Who froze it.
    pub by: Option<String>,
    /// When.
    pub at: Timestamp,
}

/// One interval of a frozen forecast.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FrozenInterval {
    /// When it starts.
    pub start: Timestamp,
    /// Contacts expected.
    pub contacts: f64,
    /// Handle time in seconds.
    pub handle_secs: f64,
    /// Edges of the 80 % band.
    pub band_80: (f64, f64),
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    name: String,
    first_day: jiff_sqlx::Date,
    method: Option<String>,
    interval_wape: Option<f64>,
    uncertainty: Option<Json<Uncertainty>>,
    contacts: f64,
    by: Option<String>,
    frozen_at: jiff_sqlx::Timestamp,
}

#[derive(FromRow)]
struct IntervalRow {
    start: jiff_sqlx::Timestamp,
    contacts: f64,
    handle_secs: f64,
    p10: f64,
    p90: f64,
}

impl Store {
    /// Freezes a contact type's forecast, overlays included, under a name.
    ///
    /// # Errors
    ///
    /// [`StoreError::Taken`] when the name is taken, [`StoreError::NotFound`] without a forecast.
    pub async fn freeze_forecast(
        &self,
        contact_type: Uuid,
        name: &str,
        by: Option<Uuid>,
    ) -> Result<Uuid, StoreError> {
        // Nobody makes another forecast between reading and keeping this one.
        let lock = self.lock_forecast(contact_type).await?;
        let intervals =
            self.made_intervals(contact_type, Timestamp::UNIX_EPOCH, Timestamp::MAX).await?;
        if intervals.is_empty() {
            return Err(StoreError::NotFound);
        }
        let of = |pick: fn(&MadeInterval) -> f64| intervals.iter().map(pick).collect::<Vec<f64>>();
        let id: Option<Uuid> = sqlx::query_scalar(
            "INSERT INTO frozen_forecasts (contact_type_id, name, first_day, method, \
               interval_wape, uncertainty, frozen_by, starts, contacts, handle_secs, p10, p90) \
             SELECT $1, $2, first_day, method, interval_wape, uncertainty, $3, $4, $5, $6, $7, $8 \
             FROM forecasts WHERE forecasts.contact_type_id = $1 RETURNING id",
        )
        .bind(contact_type)
        .bind(name)
        .bind(by)
        .bind(intervals.iter().map(|each| each.start.to_sqlx()).collect::<Vec<_>>())
        .bind(of(|each| each.contacts))
        .bind(of(|each| each.handle_secs))
        .bind(of(|each| each.band().p10))
        .bind(of(|each| each.band().p90))
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("freezing the forecast"))?;
        lock.release().await?;
        id.ok_or(StoreError::NotFound)
    }

    /// The frozen forecasts of a contact type, latest first.
    pub async fn frozen_forecasts(
        &self,
        contact_type: Uuid,
    ) -> Result<Vec<FrozenForecast>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT frozen_forecasts.id, frozen_forecasts.name, first_day, method, interval_wape, \
               uncertainty, users.name AS by, frozen_at, \
               (SELECT coalesce(sum(each), 0) FROM unnest(contacts) AS each) AS contacts \
             FROM frozen_forecasts LEFT JOIN users ON users.id = frozen_by \
             WHERE contact_type_id = $1 ORDER BY frozen_at DESC",
        )
        .bind(contact_type)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading frozen forecasts"))?;
        let frozen = |row: Row| FrozenForecast {
            id: row.id,
            name: row.name,
            first_day: row.first_day.to_jiff(),
            method: row.method.as_deref().and_then(MethodName::from_slug),
            interval_wape: row.interval_wape,
            uncertainty: row.uncertainty.map(|Json(uncertainty)| uncertainty),
            contacts: row.contacts,
            by: row.by,
            at: row.frozen_at.to_jiff(),
        };
        Ok(rows.into_iter().map(frozen).collect())
    }

    /// The intervals of a frozen forecast, in order.
    pub async fn frozen_intervals(
        &self,
        contact_type: Uuid,
        id: Uuid,
    ) -> Result<Vec<FrozenInterval>, StoreError> {
        let rows: Vec<IntervalRow> = sqlx::query_as(
            "SELECT intervals.* FROM frozen_forecasts, \
               unnest(starts, contacts, handle_secs, p10, p90) \
                 AS intervals (start, contacts, handle_secs, p10, p90) \
             WHERE contact_type_id = $1 AND id = $2 ORDER BY start",
        )
        .bind(contact_type)
        .bind(id)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading a frozen forecast"))?;
        let interval = |row: IntervalRow| FrozenInterval {
            start: row.start.to_jiff(),
            contacts: row.contacts,
            handle_secs: row.handle_secs,
            band_80: (row.p10, row.p90),
        };
        Ok(rows.into_iter().map(interval).collect())
    }

    /// Throws a frozen forecast away.
    pub async fn remove_frozen_forecast(
        &self,
        contact_type: Uuid,
        id: Uuid,
    ) -> Result<(), StoreError> {
        let gone =
            sqlx::query("DELETE FROM frozen_forecasts WHERE contact_type_id = $1 AND id = $2")
                .bind(contact_type)
                .bind(id)
                .execute(&self.pool)
                .await
                .map_err(StoreError::on("removing a frozen forecast"))?;
        if gone.rows_affected() == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }
}
