//! Two people change the same thing: the second is told who was first, keeps what they typed, and may insist.

use axum::http::StatusCode;
use barometer_plan::{AlarmMeasure, AlarmRule, Severity};
use barometer_report::{Definition, Ready};
use barometer_store::{Role, Save};
use sqlx::PgPool;

use crate::visitor::{Answer, Centre, Visitor};

/// A thing that two people change: where it is shown, where its form goes, what each of them types, and what of the
/// second is still in the form that comes back.
struct Change {
    page: String,
    action: String,
    first: String,
    second: String,
    kept: &'static str,
}

async fn sent(visitor: &Visitor, change: &Change, typed: &str, version: &str) -> Answer {
    visitor.post(&change.action, &format!("{typed}&based_on={version}")).await
}

const TARGETS: &str = "within_secs=20&concurrency=1&slowing=0&leave=0&sickness=0&training=0&breaks=0&day=2026-11-23&service_level=";
const LINES: &str =
    "ring_secs=6&menu_secs=20&announcement_secs=10&wrap_up=20&day=2026-11-23&blocking=";
const ALARM: &str =
    "measure=waiting&contact_type=Bookings&minutes=2&severity=warning&act=change&threshold=";
const REPORT: &str = "section=demand&by=day&period=last-week&against=nothing&keep_days=30&title=";

fn alarm() -> AlarmRule {
    AlarmRule::new(AlarmMeasure::Waiting, Some("Bookings"), 9.0, Severity::Warning)
}

#[sqlx::test(migrations = false)]
async fn the_second_of_two_savers_is_told_keeps_what_they_typed_and_may_insist(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let first = centre.visitor(Role::Planner).await;
    let second = centre.visitor(Role::Administrator).await;
    let id = centre.bookings;
    centre.store.add_alarm(centre.centre, &alarm(), None).await.unwrap();
    let alarm = centre.store.alarms(centre.centre).await.unwrap()[0].id;
    let definition: Definition = Ready::ALL[0].definition();
    let report = centre.store.add_report(centre.centre, &definition, None).await.unwrap();
    let changes = [
        Change {
            page: format!("/staffing/{id}?day=2026-11-23"),
            action: format!("/staffing/{id}/targets"),
            first: format!("{TARGETS}90"),
            second: format!("{TARGETS}85"),
            kept: "value=\"85\"",
        },
        Change {
            page: format!("/staffing/{id}/lines?day=2026-11-23"),
            action: format!("/staffing/{id}/lines"),
            first: format!("{LINES}2"),
            second: format!("{LINES}3.5"),
            kept: "value=\"3.5\"",
        },
        Change {
            page: format!("/staffing/{id}/roster?day=2026-11-23"),
            action: format!("/staffing/{id}/cover"),
            first: "how=people&from=09:00&to=10:00&people=7&day=2026-11-23".to_owned(),
            second: "how=people&from=09:00&to=11:00&people=12&day=2026-11-23".to_owned(),
            kept: "value=\"12\"",
        },
        Change {
            page: format!("/watch/alarms?edit={alarm}"),
            action: "/watch/alarms".to_owned(),
            first: format!("{ALARM}11&alarm={alarm}"),
            second: format!("{ALARM}14&alarm={alarm}"),
            kept: "value=\"14\"",
        },
        Change {
            page: format!("/reports/{report}/edit"),
            action: format!("/reports/{report}"),
            first: format!("{REPORT}Harbour"),
            second: format!("{REPORT}Mainland"),
            kept: "value=\"Mainland\"",
        },
    ];
    for change in &changes {
        let (of_first, of_second) = (
            first.version(&change.page, &change.action).await,
            second.version(&change.page, &change.action).await,
        );
        let saved = sent(&first, change, &change.first, &of_first).await;
        assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}: {}", change.action, saved.text);
        let late = sent(&second, change, &change.second, &of_second).await;
        assert_eq!(
            late.status,
            StatusCode::UNPROCESSABLE_ENTITY,
            "{}: {}",
            change.action,
            late.text
        );
        late.says("planner saved this on").says("not saved yet").says(change.kept);
        // What the first saved stands until the second insists, on the version that is shown now.
        let again = sent(&second, change, &change.second, &late.version(&change.action)).await;
        assert_eq!(again.status, StatusCode::SEE_OTHER, "{}: {}", change.action, again.text);
        let stale = sent(&first, change, &change.first, &of_first).await;
        stale.says("administrator saved this on");
        let blind = first.post(&change.action, &change.first).await;
        assert_eq!(blind.status, StatusCode::UNPROCESSABLE_ENTITY, "it says no version");
    }
    let types = centre.store.contact_types(centre.centre).await.unwrap();
    assert!((types[0].rules.service_level - 0.85).abs() < 1e-9);
}

#[sqlx::test(migrations = false)]
async fn targets_that_were_changed_meanwhile_are_told_by_their_names(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/targets", centre.bookings);
    let rules = barometer_plan::Rules { service_level: 0.9, ..barometer_plan::Rules::STARTING };
    centre.store.save_rules(centre.bookings, &rules, Save::OURS).await.unwrap();
    let late = planner.post(&address, &format!("{TARGETS}85&based_on=0")).await;
    late.says("Somebody else saved this").says("service level 90 % → 85 %");
    let undo = format!("{address}/undo");
    let late = planner.post(&undo, "day=2026-11-23&based_on=0").await;
    assert_eq!(late.status, StatusCode::CONFLICT);
    late.says("nothing was done");
}

#[sqlx::test(migrations = false)]
async fn what_a_person_may_do_and_what_counts_as_evidence_are_edited_by_one_at_a_time(
    pool: PgPool,
) {
    let centre = Centre::new(pool).await;
    let first = centre.visitor(Role::Administrator).await;
    let people = first.get("/people").await;
    let viewer = centre.store.user_by_email("viewer@example.org").await.unwrap().unwrap().id;
    let role = format!("/people/{viewer}/role");
    let version = people.version(&role);
    let done = first.post(&role, &format!("role=planner&based_on={version}")).await;
    assert_eq!(done.status, StatusCode::SEE_OTHER, "{}", done.text);
    for (address, form) in [
        (role, "role=approver"),
        (format!("/people/{viewer}/agents"), "sees_agents=true"),
        (format!("/people/{viewer}/deactivated"), "is_deactivated=true"),
    ] {
        let late = first.post(&address, &format!("{form}&based_on={version}")).await;
        assert_eq!(late.status, StatusCode::CONFLICT, "{address}: {}", late.text);
        late.says("administrator changed this");
    }
    let still = centre.store.user(viewer).await.unwrap().unwrap();
    assert_eq!((still.role, still.is_deactivated), (Role::Planner, false));

    let page = first.get("/go-live").await;
    let version = page.version("/go-live/evidence");
    let form = |days: u32| format!("least_days={days}&widest_points=&based_on={version}");
    let done = first.post("/go-live/evidence", &form(50)).await;
    assert_eq!(done.status, StatusCode::SEE_OTHER, "{}", done.text);
    let late = first.post("/go-live/evidence", &form(70)).await;
    late.says("at least 50 simulated days → at least 70 simulated days").says("value=\"70\"");
}

#[sqlx::test(migrations = false)]
async fn of_many_who_save_at_once_one_is_first(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/targets", centre.bookings);
    let forms: Vec<String> =
        (0..8).map(|nth| format!("{TARGETS}{}&based_on=0", 80 + nth)).collect();
    let answers =
        futures_util::future::join_all(forms.iter().map(|form| planner.post(&address, form))).await;
    let saved = answers.iter().filter(|answer| answer.status == StatusCode::SEE_OTHER).count();
    assert_eq!(saved, 1, "the others were told");
    assert!(answers.iter().all(|answer| answer.status.as_u16() < 500));
}
