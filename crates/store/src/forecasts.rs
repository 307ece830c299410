//! The latest forecast of each contact type.

use barometer_forecast::{Backtest, IntervalForecast};
use barometer_plan::{ForecastInterval, IntervalLoad};
use jiff::Timestamp;
use jiff::civil::Date;
use jiff_sqlx::ToSqlx;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::{Store, StoreError};

/// A forecast without its intervals.
#[derive(Clone, Debug)]
pub struct ForecastHead {
    /// Days of history that it was made from.
    pub history_days: i32,
    /// The first day that it forecasts: the day after the history's last.
    pub first_day: Date,
    /// Its errors on held-out weeks, when there was enough history to hold any out.
    pub backtest: Option<Backtest>,
    /// Why there are no intervals, when there are none.
    pub failure: Option<String>,
}

#[derive(FromRow)]
struct HeadRow {
    history_days: i32,
    first_day: jiff_sqlx::Date,
    backtest: Option<Json<Backtest>>,
    failure: Option<String>,
}

impl Store {
    /// The latest forecast of a contact type; `None` before its first history.
    pub async fn forecast(&self, contact_type: Uuid) -> Result<Option<ForecastHead>, StoreError> {
        let row: Option<HeadRow> = sqlx::query_as(
            "SELECT history_days, first_day, backtest, failure FROM forecasts WHERE contact_type_id = $1",
        )
        .bind(contact_type)
        .fetch_optional(&self.pool)
        .await
        .map_err(StoreError::on("reading the forecast"))?;
        Ok(row.map(|row| ForecastHead {
            history_days: row.history_days,
            first_day: row.first_day.to_jiff(),
            backtest: row.backtest.map(|Json(backtest)| backtest),
            failure: row.failure,
        }))
    }

    /// The forecast intervals that start from `from` until before `to`, in order.
    pub async fn forecast_between(
        &self,
        contact_type: Uuid,
        from: Timestamp,
        to: Timestamp,
    ) -> Result<Vec<ForecastInterval>, StoreError> {
        let rows: Vec<(jiff_sqlx::Timestamp, f64, f64)> = sqlx::query_as(
            "SELECT interval_start, contacts, handle_secs FROM forecast_intervals \
             WHERE contact_type_id = $1 AND interval_start >= $2 AND interval_start < $3 \
             ORDER BY interval_start",
        )
        .bind(contact_type)
        .bind(from.to_sqlx())
        .bind(to.to_sqlx())
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the forecast"))?;
        Ok(rows
            .into_iter()
            .map(|(start, contacts, handle_secs)| ForecastInterval {
                start: start.to_jiff(),
                load: IntervalLoad { contacts, handle_secs },
            })
            .collect())
    }

    /// Replaces a contact type's forecast in one transaction: readers see the old one or the new.
    pub async fn save_forecast(
        &self,
        contact_type: Uuid,
        head: &ForecastHead,
        intervals: &[IntervalForecast],
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("saving the forecast");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        for table in [
            "DELETE FROM forecasts WHERE contact_type_id = $1",
            "DELETE FROM forecast_intervals WHERE contact_type_id = $1",
        ] {
            sqlx::query(table).bind(contact_type).execute(&mut *tx).await.map_err(&failed)?;
        }
        sqlx::query(
            "INSERT INTO forecasts (contact_type_id, history_days, first_day, backtest, failure) \
             VALUES ($1, $2, $3, $4, $5)",
        )
        .bind(contact_type)
        .bind(head.history_days)
        .bind(head.first_day.to_sqlx())
        .bind(head.backtest.as_ref().map(Json))
        .bind(&head.failure)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        let starts: Vec<_> = intervals.iter().map(|interval| interval.start.to_sqlx()).collect();
        let contacts: Vec<_> = intervals.iter().map(|interval| interval.contacts).collect();
        let handle_secs: Vec<_> = intervals.iter().map(|interval| interval.handle_secs).collect();
        sqlx::query(
            "INSERT INTO forecast_intervals (contact_type_id, interval_start, contacts, handle_secs) \
             SELECT $1, * FROM unnest($2::timestamptz[], $3::float8[], $4::float8[])",
        )
        .bind(contact_type)
        .bind(starts)
        .bind(contacts)
        .bind(handle_secs)
        .execute(&mut *tx)
        .await
        .map_err(&failed)?;
        tx.commit().await.map_err(&failed)
    }
}
