//! Forecasts, and what planners decide about demand, on a real database.

use barometer_forecast::{
    Band, Change, DayParts, Finding, Grain, MethodName, Overlay, Repeats, Rule, Treatment,
};
use barometer_plan::{IntervalLoad, Rules};
use barometer_store::{
    Decision, ForecastDay, ForecastHead, HistoryInterval, MadeInterval, NewSpecialDay, Save,
    StoreError,
};
use jiff::civil::{Date, date};
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, at, fixture};

fn head(method: Option<MethodName>) -> ForecastHead {
    ForecastHead {
        history_days: 100,
        first_day: date(2026, 7, 2),
        method,
        backtest: None,
        uncertainty: None,
        effects: Vec::new(),
        failure: None,
    }
}

const BAND: Band = Band { p2_5: 1.5, p10: 3.25, p90: 11.0, p97_5: 14.5 };

fn interval(start: &str, contacts: f64) -> MadeInterval {
    MadeInterval {
        start: at(start),
        base: contacts,
        contacts,
        handle_secs: 240.25,
        base_band: BAND,
    }
}

fn day(day: Date, contacts: f64) -> ForecastDay {
    let parts = DayParts { level: 10.0, drift: 1.5, weekday: 0.9, special: 1.0 };
    ForecastDay { day, base: contacts, contacts, base_band: BAND, parts }
}

#[sqlx::test(migrations = false)]
async fn a_forecast_is_replaced_whole_and_its_numbers_alone(pool: PgPool) {
    let Fixture { store, bookings, .. } = fixture(pool).await;
    let first = [interval("2026-07-02T08:00:00Z", 7.125), interval("2026-07-02T08:30:00Z", 8.0)];
    let days = [day(date(2026, 7, 2), 15.125)];
    let smoothing = head(Some(MethodName::Smoothing));
    store.lock_forecast(bookings).await.unwrap().save(&smoothing, &first, &days).await.unwrap();
    store
        .lock_forecast(bookings)
        .await
        .unwrap()
        .save(&smoothing, &first[..1], &days)
        .await
        .unwrap();
    let (from, to) = (at("2026-07-01T00:00:00Z"), at("2026-07-04T00:00:00Z"));
    let kept = store.forecast_between(bookings, from, to).await.unwrap();
    assert_eq!(kept.len(), 1);
    assert_eq!(kept[0].load, IntervalLoad { contacts: 7.125, handle_secs: 240.25 });
    assert_eq!(store.made_intervals(bookings, from, to).await.unwrap(), first[..1]);
    assert_eq!(store.forecast_days(bookings).await.unwrap(), days);
    let kept = store.forecast(bookings).await.unwrap().unwrap();
    assert_eq!((kept.first_day, kept.method), (date(2026, 7, 2), Some(MethodName::Smoothing)));

    let overlaid = [MadeInterval { contacts: 9.0, ..first[0] }];
    store.lock_forecast(bookings).await.unwrap().save_numbers(&overlaid, &days).await.unwrap();
    assert_eq!(store.made_intervals(bookings, from, to).await.unwrap(), overlaid);
    assert!(store.forecast(bookings).await.unwrap().is_some(), "the head stays");
}

#[sqlx::test(migrations = false)]
async fn a_lock_that_breaks_leaves_nothing_of_what_was_to_be_saved(pool: PgPool) {
    let Fixture { store, bookings, .. } = fixture(pool.clone()).await;
    let first = [interval("2026-07-02T08:00:00Z", 7.0)];
    let days = [day(date(2026, 7, 2), 7.0)];
    // The worker that holds the lock is killed, and its connection with it: the next one may begin at once, and must not
    // meet half of what the first one was writing.
    let broken = store.lock_forecast(bookings).await.unwrap();
    let ended: bool = sqlx::query_scalar(
        "SELECT pg_terminate_backend(pid) FROM pg_locks WHERE locktype = 'advisory' AND pid <> pg_backend_pid() \
           AND database = (SELECT oid FROM pg_database WHERE datname = current_database())",
    )
    .fetch_one(&pool)
    .await
    .unwrap();
    assert!(ended);
    let next = store.lock_forecast(bookings).await.unwrap();
    let smoothing = head(Some(MethodName::Smoothing));
    assert!(broken.save(&head(None), &first, &days).await.is_err());
    next.save(&smoothing, &first, &days).await.unwrap();
    let kept = store.forecast(bookings).await.unwrap().unwrap();
    assert_eq!(kept.method, Some(MethodName::Smoothing));
}

#[sqlx::test(migrations = false)]
async fn a_frozen_forecast_stays_when_the_forecast_changes(pool: PgPool) {
    let Fixture { store, bookings, planner, .. } = fixture(pool).await;
    let nothing = store.freeze_forecast(bookings, "Too early", Some(planner)).await;
    assert!(matches!(nothing, Err(StoreError::NotFound)));
    let first = [interval("2026-07-02T08:00:00Z", 7.0), interval("2026-07-02T08:30:00Z", 8.0)];
    let method = head(Some(MethodName::Combination));
    store.lock_forecast(bookings).await.unwrap().save(&method, &first, &[]).await.unwrap();
    let id = store.freeze_forecast(bookings, "July", Some(planner)).await.unwrap();
    let again = store.freeze_forecast(bookings, "JULY", Some(planner)).await;
    assert!(matches!(again, Err(StoreError::Taken)), "one name, one frozen forecast");
    store.lock_forecast(bookings).await.unwrap().save(&method, &[], &[]).await.unwrap();

    let frozen = store.frozen_forecasts(bookings).await.unwrap();
    assert_eq!((frozen.len(), frozen[0].name.as_str(), frozen[0].contacts), (1, "July", 15.0));
    assert_eq!(frozen[0].by.as_deref(), Some("A. Planner"));
    let intervals = store.frozen_intervals(bookings, id).await.unwrap();
    let contacts: Vec<f64> = intervals.iter().map(|each| each.contacts).collect();
    assert_eq!((contacts, intervals[0].band_80), (vec![7.0, 8.0], (3.25, 11.0)));
    store.remove_frozen_forecast(bookings, id).await.unwrap();
    let gone = store.remove_frozen_forecast(bookings, id).await;
    assert!(matches!(gone, Err(StoreError::NotFound)));
}

#[sqlx::test(migrations = false)]
async fn the_calendar_gives_every_occurrence_with_the_days_around_it(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let entry = |name: &str, repeats| NewSpecialDay {
        name: name.to_owned(),
        class: "Public holiday".to_owned(),
        repeats,
        days_before: 1,
        days_after: 0,
        closed: false,
        factor: Some(0.5),
        source: "entered by hand".to_owned(),
    };
    let christmas = entry("Christmas Day", Repeats::Yearly(Rule::Date { month: 12, day: 25 }));
    let closure = NewSpecialDay {
        closed: true,
        ..entry("Move", Repeats::Once { from: date(2026, 3, 2), to: date(2026, 3, 3) })
    };
    store.add_special_days(centre, &[christmas.clone(), closure], Some(planner)).await.unwrap();
    let calendar = store.calendar(centre, date(2025, 6, 1), date(2026, 12, 31)).await.unwrap();
    let days: Vec<(Date, i8)> =
        calendar.days().iter().map(|special| (special.day, special.offset)).collect();
    assert_eq!(
        days,
        [
            (date(2025, 12, 24), -1),
            (date(2025, 12, 25), 0),
            (date(2026, 3, 1), -1),
            (date(2026, 3, 2), 0),
            (date(2026, 3, 3), 0),
            (date(2026, 12, 24), -1),
            (date(2026, 12, 25), 0),
        ]
    );
    assert!(calendar.is_closed(date(2026, 3, 3)) && !calendar.is_closed(date(2026, 3, 1)));
    // The effect set by hand is that of the day, not of the days around it.
    assert_eq!(calendar.on(date(2025, 12, 25))[0].factor, Some(0.5));
    assert_eq!(calendar.on(date(2025, 12, 24))[0].factor, None);

    let entries = store.special_days(centre).await.unwrap();
    assert_eq!(entries[0].by.as_deref(), Some("A. Planner"));
    let taken_out = store.remove_special_day(centre, entries[0].id, None).await.unwrap();
    assert_eq!(taken_out, christmas);
    let twice = store.remove_special_day(centre, entries[0].id, None).await;
    assert!(matches!(twice, Err(StoreError::NotFound)));
}

#[sqlx::test(migrations = false)]
async fn decisions_about_history_keep_who_when_and_why(pool: PgPool) {
    let Fixture { store, bookings, planner, .. } = fixture(pool).await;
    let outage = Decision {
        from: date(2026, 3, 11).at(10, 0, 0, 0),
        until: date(2026, 3, 11).at(13, 0, 0, 0),
        finding: Finding::Outage,
        treatment: Some(Treatment::LeaveOut),
        why: "the switch was down".to_owned(),
    };
    let shift = Decision {
        from: date(2024, 1, 1).at(0, 0, 0, 0),
        until: date(2025, 9, 15).at(0, 0, 0, 0),
        finding: Finding::LevelShift,
        treatment: Some(Treatment::Scale(0.8)),
        why: "online booking".to_owned(),
    };
    let fine = Decision { treatment: None, finding: Finding::Outlier, ..outage.clone() };
    let decisions = [outage.clone(), shift.clone(), fine.clone()];
    store.add_history_marks(bookings, &decisions, Some(planner)).await.unwrap();
    let marks = store.history_marks(bookings).await.unwrap();
    let kept: Vec<Decision> = marks.iter().map(|mark| mark.decision.clone()).collect();
    assert_eq!(kept, [shift, outage, fine], "the oldest stretch first");
    assert_eq!(marks[0].by.as_deref(), Some("A. Planner"));
    assert_eq!(marks[2].decision.mark(), None, "what was found to be right changes nothing");
    store.remove_history_mark(bookings, marks[0].id, None).await.unwrap();
    assert_eq!(store.history_marks(bookings).await.unwrap().len(), 2);
    let elsewhere = store.remove_history_mark(Uuid::nil(), marks[1].id, None).await;
    assert!(matches!(elsewhere, Err(StoreError::NotFound)));
}

#[sqlx::test(migrations = false)]
async fn overlays_are_seen_from_both_ends_and_go_with_their_contact_type(pool: PgPool) {
    let Fixture { store, centre, bookings, planner } = fixture(pool).await;
    let chat = store.add_contact_type(centre, "Chat", Grain::Half, &Rules::STARTING).await.unwrap();
    let overlay = Overlay {
        from: date(2026, 7, 2),
        to: date(2026, 7, 9),
        weekdays: [true; 7],
        hours: None,
        change: Change::Factor(0.9),
    };
    let id =
        store.add_overlay(bookings, "To chat", &overlay, Some(chat), Some(planner)).await.unwrap();
    for seen_from in [bookings, chat] {
        let seen = store.overlays(seen_from).await.unwrap();
        assert_eq!((seen.len(), &seen[0].overlay, seen[0].moves_to), (1, &overlay, Some(chat)));
    }
    let not_its_own = store.remove_overlay(chat, id, None).await;
    assert!(matches!(not_its_own, Err(StoreError::NotFound)));
    store.remove_overlay(bookings, id, None).await.unwrap();
    // Both forecasts wait to be made again.
    let run = store.open_forecast_run(centre).await.unwrap().unwrap();
    let mut waiting = store.forecast_run_types(run.id).await.unwrap().unwrap();
    waiting.sort();
    let mut both = [bookings, chat];
    both.sort();
    assert_eq!(waiting, both);
    store.add_overlay(bookings, "Again", &overlay, Some(chat), None).await.unwrap();
    store.archive_contact_type(chat, None).await.unwrap();
    store.remove_archived_type(chat).await.unwrap();
    assert!(store.overlays(bookings).await.unwrap().is_empty());
}

#[sqlx::test(migrations = false)]
async fn a_contact_type_remembers_its_method_and_its_model(pool: PgPool) {
    let Fixture { store, centre, bookings, .. } = fixture(pool).await;
    store.pin_method(bookings, Some(MethodName::YearAgo), Save::OURS).await.unwrap();
    let model = store.contact_type(bookings).await.unwrap();
    assert_eq!(model.pinned_method, Some(MethodName::YearAgo));
    let like = store.add_contact_type_like(centre, "Island bus", &model, 0.25, None).await.unwrap();
    let like = store.contact_type(like).await.unwrap();
    assert_eq!((like.like, like.grain), (Some((bookings, 0.25)), Grain::Half));
    let taken = store.add_contact_type_like(centre, "bookings", &model, 0.25, None).await;
    assert!(matches!(taken, Err(StoreError::Taken)));
    store.pin_method(bookings, None, Save::OURS).await.unwrap();
    assert_eq!(store.contact_type(bookings).await.unwrap().pinned_method, None);
}

#[sqlx::test(migrations = false)]
async fn the_list_of_contact_types_sums_each_forecast_and_the_days_before_it(pool: PgPool) {
    let Fixture { store, centre, bookings, .. } = fixture(pool).await;
    let zone = jiff::tz::TimeZone::get("Europe/Dublin").unwrap();
    let first = date(2026, 3, 30);
    let line = async || store.demand_lines(centre, &zone).await.unwrap().remove(0);
    assert_eq!((line().await.name.as_str(), line().await.forecast.first_day()), ("Bookings", None));
    // 28 days from 30 March begin at 23:00 UTC of the 29th: summer time began that morning.
    let interval = |start: &str, offered| HistoryInterval {
        start: at(start),
        offered,
        answered: offered,
        abandoned: 0,
        handle_secs: Some(100.0),
        wrap_up_secs: None,
        speed: None,
    };
    let history = [
        interval("2026-03-01T23:30:00Z", 1000),
        interval("2026-03-02T00:00:00Z", 5),
        interval("2026-03-29T22:30:00Z", 7),
        interval("2026-03-29T23:00:00Z", 2000),
    ];
    store.add_history(bookings, &history).await.unwrap();
    let head = ForecastHead { history_days: 28, first_day: first, ..head(None) };
    let day = |ahead: i64, contacts| ForecastDay {
        day: first.saturating_add(jiff::Span::new().days(ahead)),
        base: contacts,
        contacts,
        base_band: Band { p2_5: 0.0, p10: 0.0, p90: 0.0, p97_5: 0.0 },
        parts: DayParts { level: contacts, drift: 0.0, weekday: 0.0, special: 0.0 },
    };
    let days = [day(0, 30.0), day(27, 12.0), day(28, 500.0)];
    store.lock_forecast(bookings).await.unwrap().save(&head, &[], &days).await.unwrap();
    let known = line().await.forecast;
    assert_eq!((known.first_day(), known.history_days), (Some(first), Some(28)));
    assert_eq!((known.actual, known.expected), (Some(12.0), Some(42.0)));
    assert_eq!((known.interval_wape, known.naive_wape), (None, None));
}
