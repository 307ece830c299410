//! The same sentence from the same simulated days: on the outlook, in staffing and in a trial.

use axum::http::StatusCode;
use barometer_plan::DayByDay;
use barometer_store::{Role, Save};
use jiff::Span;
use sqlx::PgPool;

use crate::visitor::{Centre, TODAY};

#[sqlx::test(migrations = false)]
async fn the_outlook_says_of_a_day_what_a_trial_of_it_says(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let planner = centre.visitor(Role::Planner).await;
    viewer.get("/").await.says("hx-get=\"/outlook/days?day=2026-11-23\"");
    let first = viewer.get("/outlook/days").await;
    first.says("Simulate these days");
    assert!(!first.text.contains("simulating"), "a look costs nothing");
    viewer.get("/outlook/days?simulate=yes").await.says("simulating").says("load delay");
    centre.work_off().await;
    let days = viewer.get("/outlook/days").await;
    assert!(!days.text.contains("simulating"), "{}", days.text);
    // The same day as a planner tries it: the live strategy, the planned people, 200 days, seed 1.
    let form = format!(
        "version={}&days=2026-11-25&cover=planned&handling=exponential&replications=200&seed=1",
        centre.strategy_version
    );
    let queued = planner.post("/trials", &form).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    centre.work_off().await;
    let trial = centre.store.latest_trials(None, 1).await.unwrap().remove(0);
    let summary = centre.store.trial_summary(trial.id).await.unwrap().unwrap();
    let inputs = centre.store.trial(trial.id).await.unwrap().inputs;
    let held = DayByDay::of(&inputs, &summary).unwrap().held;
    assert_eq!(held.days, 200);
    let page = planner.get(&format!("/trials/{}", trial.id)).await;
    let said = format!("All targets hold on {} Wednesdays", held.of_ten());
    page.says(&said);
    days.says(&said).says(&format!(">{}</a>", held.of_ten()));
    // Days that are over are not simulated any more, nor is a week in which nobody is planned.
    let monday = TODAY.saturating_sub(Span::new().days(7));
    let past = viewer.get(&format!("/?day={monday}")).await;
    assert!(!past.text.contains("/outlook/days"), "the week is over");
}

#[sqlx::test(migrations = false)]
async fn a_day_is_sized_for_a_share_of_days_and_planned_with_one_press(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}", centre.bookings);
    let day = "day=2026-11-25";
    planner.get(&format!("{address}?{day}")).await.says("/day-need?day=2026-11-25");
    let part = format!("{address}/day-need?{day}");
    planner.get(&part).await.says("How surely does the day as a whole hold?");
    let ask = format!("{part}&simulate=yes");
    planner.get(&ask).await.says("Queued");
    let early =
        planner.post(&format!("{address}/cover"), &format!("how=sure-90&{day}&based_on=1")).await;
    assert_eq!(early.status, StatusCode::UNPROCESSABLE_ENTITY);
    early.says("is not worked out");
    centre.work_off().await;
    let shown = planner.get(&part).await;
    shown
        .says("With the planned cover the day as a whole holds on")
        .says("to hold on 9 of 10 takes")
        .says("Each interval’s need")
        .says("Plan these");
    let version = shown.version(&format!("{address}/cover"));
    let form = format!("how=sure-90&{day}&based_on={version}");
    let planned = planner.post(&format!("{address}/cover"), &form).await;
    assert_eq!(planned.status, StatusCode::SEE_OTHER, "{}", planned.text);
    // With these people the day holds on as many days as it was sized for.
    planner.get(&ask).await.says("Queued");
    centre.work_off().await;
    let text = planner.get(&part).await.text;
    let row = text.split("<tr>").find(|row| row.contains("Planned cover")).unwrap();
    let sure = text.split("<tr>").find(|row| row.contains("To hold on 9 of 10")).unwrap();
    let cells = |row: &str| -> Vec<String> {
        row.split("<td")
            .skip(1)
            .map(|cell| cell.split("</td>").next().unwrap().to_owned())
            .collect()
    };
    assert_eq!(cells(row)[..4], cells(sure)[..4], "planned is what was sized");
    assert!(row.contains("holds"), "{row}");
    // Other targets, another span or a pool are not simulated.
    let tried = planner.get(&format!("{address}?{day}&span=week")).await;
    assert!(!tried.text.contains("/day-need"));
    let nonsense =
        planner.post(&format!("{address}/cover"), &format!("how=sure-42&{day}&based_on=2")).await;
    assert_eq!(nonsense.status, StatusCode::UNPROCESSABLE_ENTITY);
}

#[sqlx::test(migrations = false)]
async fn work_that_can_wait_has_no_such_day(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let mut rules = centre.store.contact_type(centre.bookings).await.unwrap().rules;
    rules.model = Some(barometer_plan::Model::Deadline);
    rules.within_secs = 14_400.0;
    centre.store.save_rules(centre.bookings, &rules, Save::OURS).await.unwrap();
    let part = planner.get(&format!("/staffing/{}/day-need?day=2026-11-25", centre.bookings)).await;
    assert_eq!((part.status, part.text.as_str()), (StatusCode::OK, ""));
}
