//! Demand: makes forecasts from what the store knows, and lays the overlays over them.
//!
//! A contact type's forecast is made under a lock of its own, from reading its history to writing the
//! numbers with their overlays. So a forecast that was begun with older decisions never overwrites one
//! that knows newer ones, and an overlay is laid over the base that it was read with.

use std::collections::HashMap;

use barometer_forecast::{
    DayGrid, Forecast, HORIZON_DAYS, Mark, Overlay, apply_overlays, forecast,
};
use barometer_store::{
    ContactType, ForecastDay, ForecastHead, ForecastLock, KeptOverlay, MadeInterval, Store,
    StoreError,
};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};
use uuid::Uuid;

use crate::clock::today;

/// Years of history that a forecast looks at.
const HISTORY_YEARS: i64 = 4;

/// A contact type's history as it was recorded, laid out by day; `None` without any.
///
/// # Errors
///
/// The database does not answer.
pub async fn history_grid(
    store: &Store,
    contact_type: &ContactType,
    zone: &TimeZone,
) -> Result<Option<DayGrid>, StoreError> {
    let Some(end) = store.history_end(contact_type.id).await? else { return Ok(None) };
    let since = end
        .saturating_sub(Span::new().hours(HISTORY_YEARS * 365 * 24))
        .unwrap_or(Timestamp::UNIX_EPOCH);
    let history = store.history_since(contact_type.id, since).await?;
    Ok(DayGrid::new(&history, contact_type.grain, zone))
}

/// What the planners' decisions do to a contact type's history.
///
/// # Errors
///
/// The database does not answer.
pub async fn applied_marks(store: &Store, contact_type: Uuid) -> Result<Vec<Mark>, StoreError> {
    let marks = store.history_marks(contact_type).await?;
    Ok(marks.iter().filter_map(|mark| mark.decision.mark()).collect())
}

/// Makes a contact type's forecast from its history, marks, special days and overlays, and keeps it;
/// then those of the contact types that are modelled on it.
///
/// A history that is too short leaves a forecast that says so.
///
/// # Errors
///
/// [`StoreError`] when the database fails.
pub async fn refresh_forecast(
    store: &Store,
    contact_type: &ContactType,
    zone: &TimeZone,
) -> Result<(), StoreError> {
    let lock = store.lock_forecast(contact_type.id).await?;
    match history_grid(store, contact_type, zone).await? {
        Some(history) => from_history(store, contact_type, history, zone, lock).await?,
        None => from_another(store, contact_type, zone, lock).await?,
    }
    let Some(centre) = store.centre().await? else { return Ok(()) };
    for each in store.contact_types(centre.id).await? {
        let is_like = each.like.is_some_and(|(model, _)| model == contact_type.id);
        if is_like && store.history_end(each.id).await?.is_none() {
            let lock = store.lock_forecast(each.id).await?;
            from_another(store, &each, zone, lock).await?;
        }
    }
    for overlay in store.overlays(contact_type.id).await? {
        if let Some(target) = overlay.moves_to.filter(|target| *target != contact_type.id) {
            put_overlays_on(store, target, zone).await?;
        }
    }
    Ok(())
}

async fn from_history(
    store: &Store,
    contact_type: &ContactType,
    history: DayGrid,
    zone: &TimeZone,
    lock: ForecastLock,
) -> Result<(), StoreError> {
    let marks = applied_marks(store, contact_type.id).await?;
    let Some(centre) = store.centre().await? else { return lock.release().await };
    let history = without_today(history, today(&centre));
    let (first, end) = (history.first_day(), history.end());
    let last = end.saturating_add(Span::new().days(HORIZON_DAYS as i64));
    let calendar = store.calendar(centre.id, first, last).await?;
    let mut head = ForecastHead {
        history_days: i32::try_from(history.days()).unwrap_or(i32::MAX),
        first_day: end,
        method: None,
        backtest: None,
        uncertainty: None,
        effects: Vec::new(),
        failure: None,
    };
    let pinned = contact_type.pinned_method;
    let made = crate::computing::computed(move || {
        forecast(&history.marked(&marks), &calendar, HORIZON_DAYS, pinned)
    });
    // A panic in the core would be ours; the page then shows the forecast as not made.
    let Ok(made) = made.await else { return lock.release().await };
    match made {
        Ok(made) => {
            let (mut intervals, mut days) = numbers(&made);
            lay_overlays(store, contact_type.id, zone, &mut intervals, &mut days).await?;
            head.method = Some(made.method);
            head.backtest = made.backtest;
            head.uncertainty = Some(made.uncertainty);
            head.effects = made.effects;
            lock.save(&head, &intervals, &days).await
        }
        Err(error) => {
            head.failure = Some(error.to_string());
            lock.save(&head, &[], &[]).await
        }
    }
}

/// A day that is still going on is not history yet: its forecast is wanted.
fn without_today(history: DayGrid, today: Date) -> DayGrid {
    let last = history.days().saturating_sub(1);
    if history.days() > 1 && history.day(last) == today { history.before(last) } else { history }
}

fn numbers(made: &Forecast) -> (Vec<MadeInterval>, Vec<ForecastDay>) {
    let intervals = made.intervals.iter().map(|it| MadeInterval {
        start: it.start,
        base: it.contacts,
        contacts: it.contacts,
        handle_secs: it.handle_secs,
        base_band: it.band,
    });
    let days = made.days.iter().map(|it| ForecastDay {
        day: it.day,
        base: it.contacts,
        contacts: it.contacts,
        base_band: it.band,
        parts: it.parts,
    });
    (intervals.collect(), days.collect())
}

/// The forecast of a contact type without history: a share of the one that it is like.
async fn from_another(
    store: &Store,
    contact_type: &ContactType,
    zone: &TimeZone,
    lock: ForecastLock,
) -> Result<(), StoreError> {
    let Some((model, share)) = contact_type.like else { return lock.release().await };
    let Some(head) = store.forecast(model).await?.filter(|head| head.failure.is_none()) else {
        return lock.release().await;
    };
    let mut intervals = all_intervals(store, model).await?;
    for each in &mut intervals {
        each.base *= share;
        each.contacts = each.base;
        each.base_band = each.base_band.scaled(share);
    }
    let mut days = store.forecast_days(model).await?;
    for each in &mut days {
        each.base *= share;
        each.contacts = each.base;
        each.base_band = each.base_band.scaled(share);
        each.parts.level *= share;
    }
    lay_overlays(store, contact_type.id, zone, &mut intervals, &mut days).await?;
    let head = ForecastHead { history_days: 0, method: None, backtest: None, ..head };
    lock.save(&head, &intervals, &days).await
}

/// Lays the overlays again over a forecast that is kept: those of another contact type have changed.
async fn put_overlays_on(
    store: &Store,
    contact_type: Uuid,
    zone: &TimeZone,
) -> Result<(), StoreError> {
    let lock = store.lock_forecast(contact_type).await?;
    let mut intervals = all_intervals(store, contact_type).await?;
    let mut days = store.forecast_days(contact_type).await?;
    lay_overlays(store, contact_type, zone, &mut intervals, &mut days).await?;
    lock.save_numbers(&intervals, &days).await
}

/// Lays a contact type's overlays over its forecast, and what other types' overlays move to it. The caller holds the lock.
async fn lay_overlays(
    store: &Store,
    contact_type: Uuid,
    zone: &TimeZone,
    intervals: &mut [MadeInterval],
    days: &mut [ForecastDay],
) -> Result<(), StoreError> {
    let overlays = store.overlays(contact_type).await?;
    let starts: Vec<Timestamp> = intervals.iter().map(|each| each.start).collect();
    let mut contacts: Vec<f64> = intervals.iter().map(|each| each.base).collect();
    let own: Vec<Overlay> = overlays
        .iter()
        .filter(|each| each.contact_type == contact_type)
        .map(|each| each.overlay.clone())
        .collect();
    apply_overlays(&own, &starts, &mut contacts, zone);
    for incoming in overlays.iter().filter(|each| each.moves_to == Some(contact_type)) {
        let gained = moved(store, incoming, zone).await?;
        for (start, contacts) in starts.iter().zip(&mut contacts) {
            *contacts += gained.get(start).copied().unwrap_or(0.0);
        }
    }
    let mut changes: HashMap<Date, f64> = HashMap::new();
    for (each, contacts) in intervals.iter_mut().zip(contacts) {
        each.contacts = contacts;
        *changes.entry(zone.to_datetime(each.start).date()).or_default() += contacts - each.base;
    }
    for day in days {
        day.contacts = day.base + changes.get(&day.day).copied().unwrap_or_default();
    }
    Ok(())
}

/// What an overlay takes from its own contact type, by interval.
async fn moved(
    store: &Store,
    overlay: &KeptOverlay,
    zone: &TimeZone,
) -> Result<HashMap<Timestamp, f64>, StoreError> {
    let source = all_intervals(store, overlay.contact_type).await?;
    let starts: Vec<Timestamp> = source.iter().map(|each| each.start).collect();
    let mut left: Vec<f64> = source.iter().map(|each| each.base).collect();
    apply_overlays(std::slice::from_ref(&overlay.overlay), &starts, &mut left, zone);
    Ok(source.iter().zip(left).map(|(each, left)| (each.start, each.base - left)).collect())
}

async fn all_intervals(store: &Store, contact_type: Uuid) -> Result<Vec<MadeInterval>, StoreError> {
    store.made_intervals(contact_type, Timestamp::UNIX_EPOCH, Timestamp::MAX).await
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use barometer_forecast::{Band, Change, DayParts, Grain};
    use barometer_plan::Rules;
    use futures_util::future::try_join_all;
    use sqlx::postgres::{PgConnectOptions, PgPoolOptions};

    use super::*;

    /// A contact type without history, in a centre on UTC.
    async fn bookings(store: &Store) -> ContactType {
        store.migrate().await.unwrap();
        let centre = store.add_centre("Test centre", "UTC").await.unwrap();
        let added = store.add_contact_type(centre, "Bookings", Grain::Half, &Rules::STARTING);
        let id = added.await.unwrap();
        store.contact_type(id).await.unwrap()
    }

    #[sqlx::test(migrations = false)]
    async fn many_who_change_one_forecast_take_turns_on_few_connections(
        pool: PgPoolOptions,
        database: PgConnectOptions,
    ) {
        let pool = pool.max_connections(3).acquire_timeout(Duration::from_secs(5));
        let store = Store::on(pool.connect_with(database).await.unwrap());
        let contact_type = bookings(&store).await;
        // Those who wait must not hold connections that the one whose turn it is needs.
        let zone = TimeZone::UTC;
        let changes = (0..8).map(|_| refresh_forecast(&store, &contact_type, &zone));
        try_join_all(changes).await.unwrap();
    }

    #[sqlx::test(migrations = false)]
    async fn an_overlay_that_is_removed_leaves_the_bands_as_they_were(pool: sqlx::PgPool) {
        let store = Store::on(pool);
        let id = bookings(&store).await.id;
        let (zone, first) = (TimeZone::UTC, jiff::civil::date(2026, 7, 2));
        let head = ForecastHead {
            history_days: 100,
            first_day: first,
            method: None,
            backtest: None,
            uncertainty: None,
            effects: Vec::new(),
            failure: None,
        };
        let base_band = Band { p2_5: 4.0, p10: 6.0, p90: 14.0, p97_5: 17.0 };
        let interval = MadeInterval {
            start: "2026-07-02T09:00:00Z".parse().unwrap(),
            base: 10.0,
            contacts: 10.0,
            handle_secs: 200.0,
            base_band,
        };
        let parts = DayParts { level: 10.0, drift: 1.0, weekday: 1.0, special: 1.0 };
        let day = ForecastDay { day: first, base: 10.0, contacts: 10.0, base_band, parts };
        let lock = store.lock_forecast(id).await.unwrap();
        lock.save(&head, &[interval], &[day]).await.unwrap();
        let now = async || {
            let interval = all_intervals(&store, id).await.unwrap()[0];
            let day = store.forecast_days(id).await.unwrap()[0];
            (interval.contacts, interval.band(), day.contacts, day.band())
        };
        let before = now().await;
        assert_eq!(before, (10.0, base_band, 10.0, base_band));
        // Nothing at all for a day, then half as much, then as before.
        for (factor, p90) in [(0.0, 0.0), (0.5, 7.0)] {
            let overlay = Overlay {
                from: first,
                to: first,
                weekdays: [true; 7],
                hours: None,
                change: Change::Factor(factor),
            };
            let kept = store.add_overlay(id, "Closed", &overlay, None, None).await.unwrap();
            put_overlays_on(&store, id, &zone).await.unwrap();
            let (contacts, band, of_day, band_of_day) = now().await;
            assert_eq!((contacts, of_day), (10.0 * factor, 10.0 * factor));
            assert_eq!((band.p90, band_of_day.p90), (p90, p90), "{factor}");
            store.remove_overlay(id, kept, None).await.unwrap();
            put_overlays_on(&store, id, &zone).await.unwrap();
            assert_eq!(now().await, before);
        }
    }

    #[sqlx::test(migrations = false)]
    async fn a_change_waits_until_the_one_before_is_kept(pool: sqlx::PgPool) {
        let store = Store::on(pool);
        let contact_type = bookings(&store).await;
        let lock = store.lock_forecast(contact_type.id).await.unwrap();
        let zone = TimeZone::UTC;
        let mut second = Box::pin(refresh_forecast(&store, &contact_type, &zone));
        let early = tokio::time::timeout(Duration::from_millis(300), &mut second).await;
        assert!(early.is_err(), "the lock is held");
        lock.release().await.unwrap();
        second.await.unwrap();
    }
}
