//! The special days of a centre.

use barometer_forecast::{Calendar, Repeats, SpecialDay};
use jiff::civil::Date;
use sqlx::FromRow;
use sqlx::types::Json;
use uuid::Uuid;

use crate::forecast_runs::queue_all_forecasts;
use crate::{Store, StoreError};

/// An entry of the calendar: one name with all its occurrences.
#[derive(Clone, Debug, PartialEq)]
pub struct SpecialDayEntry {
    /// Key.
    pub id: Uuid,
    /// What is entered.
    pub entry: NewSpecialDay,
    /// Who entered it; none when the demo or an import did.
    pub by: Option<String>,
}

/// An entry as it is made.
#[derive(Clone, Debug, PartialEq)]
pub struct NewSpecialDay {
    /// Name, such as "Christmas Day".
    pub name: String,
    /// What it is a case of, such as "public holiday".
    pub class: String,
    /// When it falls.
    pub repeats: Repeats,
    /// Days before it with an effect of their own.
    pub days_before: i8,
    /// Days after it with an effect of their own.
    pub days_after: i8,
    /// Whether nobody answers.
    pub closed: bool,
    /// The effect that the planner knows better.
    pub factor: Option<f64>,
    /// Where the entry came from, in words.
    pub source: String,
}

impl NewSpecialDay {
    /// Every occurrence from the year of `first` to the year of `last`, with the days around it.
    pub fn occurrences(&self, first: Date, last: Date) -> Vec<SpecialDay> {
        let around = -self.days_before..=self.days_after;
        let days = self.repeats.days(first, last);
        let occurrence = |day: Date, offset: i8| {
            // The days beside a stretch are the days before its first and after its last.
            let shifted = day.checked_add(jiff::Span::new().days(i64::from(offset))).ok()?;
            let is_beside = offset == 0 || !days.contains(&shifted);
            is_beside.then(|| SpecialDay {
                day: shifted,
                name: self.name.clone(),
                class: self.class.clone(),
                offset,
                closed: self.closed && offset == 0,
                factor: self.factor.filter(|_| offset == 0),
            })
        };
        days.iter()
            .flat_map(|&day| around.clone().filter_map(move |offset| occurrence(day, offset)))
            .collect()
    }
}

#[derive(FromRow)]
struct Row {
    id: Uuid,
    name: String,
    class: String,
    repeats: Json<Repeats>,
    days_before: i16,
    days_after: i16,
    closed: bool,
    factor: Option<f64>,
    source: String,
    by: Option<String>,
}

impl From<Row> for SpecialDayEntry {
    fn from(row: Row) -> Self {
        let entry = NewSpecialDay {
            name: row.name,
            class: row.class,
            repeats: row.repeats.0,
            days_before: row.days_before as i8,
            days_after: row.days_after as i8,
            closed: row.closed,
            factor: row.factor,
            source: row.source,
        };
        Self { id: row.id, entry, by: row.by }
    }
}

impl Store {
    /// The calendar's entries, by class and name.
    pub async fn special_days(&self, centre: Uuid) -> Result<Vec<SpecialDayEntry>, StoreError> {
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT special_days.id, special_days.name, class, repeats, days_before, days_after, \
               closed, factor, source, users.name AS by \
             FROM special_days LEFT JOIN users ON users.id = created_by \
             WHERE centre_id = $1 ORDER BY class, special_days.name, special_days.created_at",
        )
        .bind(centre)
        .fetch_all(&self.pool)
        .await
        .map_err(StoreError::on("reading the special days"))?;
        Ok(rows.into_iter().map(SpecialDayEntry::from).collect())
    }

    /// The calendar from the year of `first` to the year of `last`.
    pub async fn calendar(
        &self,
        centre: Uuid,
        first: Date,
        last: Date,
    ) -> Result<Calendar, StoreError> {
        let entries = self.special_days(centre).await?;
        let days = entries.iter().flat_map(|entry| entry.entry.occurrences(first, last));
        Ok(Calendar::new(days.collect()))
    }

    /// Adds entries, all or none, and queues all forecasts: a holiday touches all contact types.
    pub async fn add_special_days(
        &self,
        centre: Uuid,
        entries: &[NewSpecialDay],
        by: Option<Uuid>,
    ) -> Result<(), StoreError> {
        let failed = StoreError::on("adding special days");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        for entry in entries {
            sqlx::query(
                "INSERT INTO special_days (centre_id, name, class, repeats, days_before, \
                   days_after, closed, factor, source, created_by) \
                 VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)",
            )
            .bind(centre)
            .bind(&entry.name)
            .bind(&entry.class)
            .bind(Json(&entry.repeats))
            .bind(i16::from(entry.days_before))
            .bind(i16::from(entry.days_after))
            .bind(entry.closed)
            .bind(entry.factor)
            .bind(&entry.source)
            .bind(by)
            .execute(&mut *tx)
            .await
            .map_err(&failed)?;
        }
        queue_all_forecasts(&mut tx, centre, by).await?;
        tx.commit().await.map_err(&failed)
    }

    /// Takes an entry out, queues all forecasts, and returns the entry so that it can be put back.
    pub async fn remove_special_day(
        &self,
        centre: Uuid,
        id: Uuid,
        by: Option<Uuid>,
    ) -> Result<NewSpecialDay, StoreError> {
        let failed = StoreError::on("removing a special day");
        let mut tx = self.pool.begin().await.map_err(&failed)?;
        let row: Row = sqlx::query_as(
            "DELETE FROM special_days WHERE centre_id = $1 AND id = $2 \
             RETURNING id, name, class, repeats, days_before, days_after, closed, factor, source, \
               NULL::text AS by",
        )
        .bind(centre)
        .bind(id)
        .fetch_optional(&mut *tx)
        .await
        .map_err(&failed)?
        .ok_or(StoreError::NotFound)?;
        queue_all_forecasts(&mut tx, centre, by).await?;
        tx.commit().await.map_err(&failed)?;
        Ok(SpecialDayEntry::from(row).entry)
    }
}
