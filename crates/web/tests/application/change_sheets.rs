//! Change sheets: drawn up, decided by somebody else, published, rolled back, and never rewritten.

use axum::http::StatusCode;
use barometer_plan::SheetDocument;
use barometer_store::{Role, StrategyVersion};
use barometer_strategy::Strategy;
use sqlx::PgPool;
use uuid::Uuid;

use crate::visitor::{Centre, TODAY, Visitor, draw_up};

/// A second version that is not live, with fewer places.
async fn second_version(centre: &Centre) -> Uuid {
    let mut strategy = Strategy::plain("Bookings");
    strategy.first_queue_mut().unwrap().places = Some(12);
    centre.store.add_strategy_version(centre.centre, &strategy, None).await.unwrap()
}

/// A finished trial of a version.
async fn tried(centre: &Centre, planner: &Visitor, version: Uuid) -> Uuid {
    tried_on(centre, planner, version, 30).await
}

/// The same on so many simulated days.
async fn tried_on(centre: &Centre, planner: &Visitor, version: Uuid, days: u32) -> Uuid {
    let form = format!(
        "contact_type={}&version={version}&days={TODAY}&cover=planned&replications={days}&seed=3",
        centre.bookings
    );
    let queued = planner.post("/trials", &form).await;
    centre.work_off().await;
    queued.location().split('?').next().unwrap().rsplit('/').next().unwrap().parse().unwrap()
}

async fn live(centre: &Centre) -> i32 {
    let versions = centre.store.strategy_versions(centre.centre).await.unwrap();
    versions.iter().find(|each: &&StrategyVersion| each.is_live).unwrap().version
}

async fn refused(visitor: &Visitor, sheet: &str, form: &str, message: &str) {
    let answer = visitor.post(sheet, form).await;
    assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY, "{}", answer.text);
    answer.says(message);
}

async fn done(visitor: &Visitor, sheet: &str, form: &str) {
    let answer = visitor.post(sheet, form).await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER, "{}", answer.text);
}

#[sqlx::test(migrations = false)]
async fn a_change_goes_live_on_evidence_by_another_person_and_is_rolled_back_in_one_press(
    pool: PgPool,
) {
    let centre = Centre::new(pool).await;
    let (planner, approver) =
        (centre.visitor(Role::Planner).await, centre.visitor(Role::Approver).await);
    let version = second_version(&centre).await;
    planner
        .get("/go-live")
        .await
        .says("v1")
        .says("Draw up its sheet")
        .says("No change sheet waits.");
    let sheet = draw_up(&planner, 2, "").await;
    refused(&planner, &sheet, "act=propose", "Nobody has tried this version yet").await;
    let trial = tried(&centre, &planner, version).await;
    // A trial of another version is no evidence.
    let other = tried(&centre, &planner, centre.strategy_version).await;
    let text = |trial: Uuid| {
        format!("title=Shorter+waits&why_wanted=Because&way_back=At+once&evidence=trial%3A{trial}")
    };
    done(&planner, &format!("{sheet}/text"), &text(other)).await;
    refused(&planner, &sheet, "act=propose", "not of this version").await;
    planner.get(&sheet).await.says("not of this version");
    done(&planner, &format!("{sheet}/text"), &text(trial)).await;
    done(&planner, &sheet, "act=propose").await;
    planner.get("/go-live").await.says("One change sheet waits for an approver.");
    planner.get(&sheet).await.says("Only an approver can do this.").says("Places").says("12");
    refused(&planner, &sheet, "act=approve", "Only an approver can do this.").await;
    let viewer = centre.visitor(Role::Viewer).await;
    done(&viewer, &sheet, "act=comment&said=Tell+the+evening+team").await;
    refused(&approver, &sheet, "act=send_back&said=+", "Say it in words.").await;
    done(&approver, &sheet, "act=send_back&said=Which+day%3F").await;
    planner.get(&sheet).await.says("was sent back by A approver").says("Which day?");
    done(&planner, &sheet, "act=propose").await;
    assert_eq!(live(&centre).await, 1);
    done(&approver, &sheet, "act=approve_and_publish").await;
    assert_eq!(live(&centre).await, 2);
    approver.get("/go-live").await.says("v2").says("Shorter waits").says("A approver");
    refused(&approver, &sheet, "act=approve", "This sheet is live").await;
    refused(&planner, &sheet, "act=roll_back&said=Queues", "Only an approver").await;
    done(&approver, &sheet, "act=roll_back&said=Queues+of+an+hour").await;
    assert_eq!(live(&centre).await, 1);
    let page = viewer.get(&sheet).await;
    page.says("Knowing:").says("preflight found");
    page.says("was rolled back by A approver")
        .says("Queues of an hour")
        .says("Tell the evening team");
    assert!(!page.text.contains("Roll back</button>"), "there is nothing to do for a viewer");
}

#[sqlx::test(migrations = false)]
async fn nobody_approves_what_they_proposed_and_of_two_who_decide_one_does(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (planner, approver) =
        (centre.visitor(Role::Planner).await, centre.visitor(Role::Approver).await);
    let administrator = centre.visitor(Role::Administrator).await;
    let version = second_version(&centre).await;
    let trial = tried(&centre, &planner, version).await;
    let sheet = draw_up(&approver, 2, &format!("&evidence=trial%3A{trial}")).await;
    done(&approver, &sheet, "act=propose").await;
    refused(&approver, &sheet, "act=approve", "somebody else has to approve it").await;
    refused(&approver, &sheet, "act=send_back&said=no", "somebody else has to approve it").await;
    let (one, other) = tokio::join!(
        administrator.post(&sheet, "act=approve_and_publish"),
        administrator.post(&sheet, "act=send_back&said=no"),
    );
    let statuses = [one.status, other.status];
    assert!(statuses.contains(&StatusCode::SEE_OTHER), "{statuses:?}");
    let number = sheet.rsplit('/').next().unwrap().parse().unwrap();
    let kept = centre.store.change_sheet(centre.centre, number).await.unwrap();
    let acts: Vec<&str> = kept.record.iter().map(|each| each.entry.act.key()).collect();
    let is_one = acts.ends_with(&["sent_back"]) || acts.ends_with(&["approved", "went_live"]);
    assert!(is_one, "{acts:?}");
}

#[sqlx::test(migrations = false)]
async fn what_was_approved_against_another_live_version_does_not_go_live(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (planner, approver) =
        (centre.visitor(Role::Planner).await, centre.visitor(Role::Approver).await);
    let mut sheets = Vec::new();
    for number in [2, 3] {
        let version = second_version(&centre).await;
        let trial = tried(&centre, &planner, version).await;
        let sheet = draw_up(&planner, number, &format!("&evidence=trial%3A{trial}")).await;
        done(&planner, &sheet, "act=propose").await;
        done(&approver, &sheet, "act=approve").await;
        sheets.push(sheet);
    }
    planner.get("/go-live").await.says("Two change sheets are approved and not published.");
    done(&approver, &sheets[0], "act=publish").await;
    refused(&approver, &sheets[1], "act=publish", "Another version went live since").await;
    assert_eq!(live(&centre).await, 2);
    // An earlier version needs no trial: it has been live.
    let back = draw_up(&planner, 1, "").await;
    done(&planner, &back, "act=propose").await;
    done(&approver, &back, "act=approve_and_publish").await;
    assert_eq!(live(&centre).await, 1);
    planner.get(&sheets[0]).await.says("was live until another version went live");
}

#[sqlx::test(migrations = false)]
async fn a_sheet_that_was_superseded_is_live_again_when_the_next_one_is_rolled_back(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (planner, approver) =
        (centre.visitor(Role::Planner).await, centre.visitor(Role::Approver).await);
    let mut sheets = Vec::new();
    for number in [2, 3] {
        let version = second_version(&centre).await;
        let trial = tried(&centre, &planner, version).await;
        let sheet = draw_up(&planner, number, &format!("&evidence=trial%3A{trial}")).await;
        done(&planner, &sheet, "act=propose").await;
        done(&approver, &sheet, "act=approve_and_publish").await;
        sheets.push(sheet);
    }
    done(&approver, &sheets[1], "act=roll_back&said=Queues").await;
    assert_eq!(live(&centre).await, 2);
    planner.get(&sheets[0]).await.says("is live since").says("live again");
    done(&approver, &sheets[0], "act=roll_back&said=Still").await;
    assert_eq!(live(&centre).await, 1);
}

#[sqlx::test(migrations = false)]
async fn a_sheet_goes_live_by_itself_at_the_time_that_is_set(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (planner, approver) =
        (centre.visitor(Role::Planner).await, centre.visitor(Role::Approver).await);
    let version = second_version(&centre).await;
    let trial = tried(&centre, &planner, version).await;
    let wrong = planner
        .post(
            "/go-live/new?version=2",
            "title=&why_wanted=&way_back=&takes_effect=soon&conditions=Kept",
        )
        .await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("Give the change a title.").says("Say why the change is wanted.").says("Kept");
    wrong.says("Give a day and a time, or leave it empty.");
    let past =
        "title=Lines&why_wanted=One&way_back=At+once&conditions=&takes_effect=2020-01-02T07%3A30";
    let past = planner.post("/go-live/new?version=2", past).await;
    assert_eq!(past.status, StatusCode::UNPROCESSABLE_ENTITY);
    past.says("This time is past: leave it empty for when it is published.");
    past.says(r#"value="2020-01-02T07:30""#);
    // A browser sends lines as CR and LF; a sheet may have several.
    let lines = "title=Lines&why_wanted=One%0D%0ATwo&way_back=At+once%0D%0AOr+later&takes_effect=&conditions=A%0AB";
    let several = planner.post("/go-live/new?version=2", lines).await;
    assert_eq!(several.status, StatusCode::SEE_OTHER, "{}", several.text);
    planner.get(several.location()).await.says("One").says("Or later");
    let more = format!("&evidence=trial%3A{trial}&takes_effect=2030-01-02T07%3A30");
    let sheet = draw_up(&planner, 2, &more).await;
    done(&planner, &sheet, "act=propose").await;
    done(&approver, &sheet, "act=approve").await;
    approver.get(&sheet).await.says("goes live on 2 Jan 2030, 07:30");
    let due = |at: &str| barometer_app::release::publish_due(&centre.store, at.parse().unwrap());
    assert_eq!(due("2030-01-02T07:29:59Z").await.unwrap(), []);
    assert_eq!(due("2030-01-02T07:30:00Z").await.unwrap(), [(2, Ok(()))]);
    assert_eq!(due("2030-01-02T07:31:00Z").await.unwrap(), [], "once");
    assert_eq!(live(&centre).await, 2);
    planner.get("/go-live").await.says("at the time that was set");
}

#[sqlx::test(migrations = false)]
async fn the_record_cannot_be_rewritten_and_its_evidence_is_played_again_to_the_bit(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    let version = second_version(&centre).await;
    let trial = tried(&centre, &planner, version).await;
    let sheet = draw_up(&planner, 2, &format!("&evidence=trial%3A{trial}")).await;
    done(&planner, &sheet, "act=propose").await;
    for statement in [
        "UPDATE change_sheet_entries SET act = '{\"act\": \"approved\"}'",
        "DELETE FROM change_sheet_entries",
        "TRUNCATE change_sheet_entries",
        "DELETE FROM change_sheets",
        "SET session_replication_role = replica; DELETE FROM change_sheet_entries",
        "INSERT INTO change_sheet_entries SELECT sheet_id, 7, act, done_by, done_at, seal \
         FROM change_sheet_entries WHERE nth = 0",
    ] {
        let refused = sqlx::raw_sql(statement).execute(&pool).await;
        let message = refused.expect_err(statement).to_string();
        assert!(message.contains("change sheet"), "{statement}: {message}");
    }
    planner.get(&sheet).await.says("drawn up");
    let json = planner.get(&format!("{sheet}/sheet.json")).await.text;
    let document = SheetDocument::from_json(&json).unwrap();
    assert_eq!((document.version, document.against, document.record.len()), (2, Some(1), 2));
    let verified = document.verify();
    assert!(matches!(verified[0].is_equal, Ok(true)) && verified[0].is_of_version, "{verified:?}");
    let mut other = document.clone();
    let barometer_plan::EvidenceDocument::Trial { inputs, .. } = &mut other.evidence[0] else {
        panic!("a trial");
    };
    inputs.seed += 1;
    assert!(matches!(other.verify()[0].is_equal, Ok(false)), "another seed");
    // A role that takes the triggers away to rewrite it breaks the seals.
    sqlx::raw_sql(
        "ALTER TABLE change_sheet_entries DISABLE TRIGGER ALL; \
         UPDATE change_sheet_entries SET act = jsonb_set(act, '{why}', '\"Nothing\"') WHERE nth = 0",
    )
    .execute(&pool)
    .await
    .unwrap();
    planner.get(&sheet).await.says("The record was changed outside Barometer.");
}

#[sqlx::test(migrations = false)]
async fn a_change_rests_on_as_many_days_as_the_centre_asks_for(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let version = second_version(&centre).await;
    let two_days = tried_on(&centre, &planner, version, 2).await;
    let sheet = draw_up(&planner, 2, &format!("&evidence=trial%3A{two_days}")).await;
    refused(&planner, &sheet, "act=propose", "has too few simulated days").await;
    planner.get(&sheet).await.says("too little to count");
    planner.get("/go-live").await.says("counts with at least 30 simulated days.");
    // Administrators say what counts.
    let admin = centre.visitor(Role::Administrator).await;
    for (form, message) in [
        ("least_days=1&widest_points=", "Must be a whole number from 2 to 10000."),
        ("least_days=30&widest_points=40", "Must be 0.1 to 20 points, or empty."),
        ("least_days=30&widest_points=wide", "is not a number"),
    ] {
        refused(&admin, "/go-live/evidence", form, message).await;
    }
    done(&admin, "/go-live/evidence", "least_days=2&widest_points=0.1&based_on=0").await;
    refused(&planner, &sheet, "act=propose", "not precise enough").await;
    planner
        .get("/go-live")
        .await
        .says("at least 2 simulated days, service level within ± 0.1 points");
    done(&admin, "/go-live/evidence", "least_days=2&widest_points=&based_on=1").await;
    done(&planner, &sheet, "act=propose").await;
    admin
        .get("/people/trail")
        .await
        .says("changed what counts as evidence")
        .says("at least 30 simulated days");
}
