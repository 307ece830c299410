//! Strategies changed by several people, comparisons, days watched and days of the past.

use axum::http::StatusCode;
use barometer_plan::CoverInterval;
use barometer_store::{Role, RunState};
use jiff::ToSpan;
use sqlx::PgPool;
use uuid::Uuid;

use crate::visitor::{Centre, TODAY, at, queue_form};

#[sqlx::test(migrations = false)]
async fn whoever_saves_second_is_told_and_nothing_is_overwritten(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (first, second) =
        (centre.visitor(Role::Planner).await, centre.visitor(Role::Administrator).await);
    let address = "/strategy/part";
    // Both open v1; the second saves first.
    let mine = queue_form(&first, &[("/does/queue/places", "30")]).await;
    let theirs = queue_form(&second, &[("/does/queue/longest_wait_secs", "240")]).await;
    assert_eq!(second.post(address, &theirs).await.status, StatusCode::SEE_OTHER);
    let told = first.post(address, &mine).await;
    assert_eq!(told.status, StatusCode::CONFLICT);
    told.says("A administrator saved v2 while you were changing an earlier version.");
    told.says("Longest wait (s): no limit → 240").says("value=\"30\"");
    let versions = centre.store.strategy_versions(centre.centre).await.unwrap();
    assert_eq!(versions.len(), 2);
    // Saving again, on top of v2, makes the change to it.
    let again = queue_form(
        &first,
        &[("/does/queue/places", "30"), ("/does/queue/longest_wait_secs", "240")],
    )
    .await;
    assert_eq!(first.post(address, &again).await.status, StatusCode::SEE_OTHER);
    let newest = centre.store.strategy_versions(centre.centre).await.unwrap().remove(0);
    let strategy = centre.store.strategy(newest.id).await.unwrap();
    let queue = strategy.first_queue().unwrap().1.clone();
    assert_eq!((newest.version, queue.places, queue.longest_wait_secs), (3, Some(30), Some(240.0)));
}

#[sqlx::test(migrations = false)]
async fn parts_are_added_and_removed_and_an_earlier_version_comes_back(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = "/strategy/change";
    let kinds = [
        "queue",
        "hunt_group",
        "hours_gate",
        "menu",
        "labelling",
        "routing",
        "announcement",
        "assistant",
        "callback",
        "voicemail",
        "outside",
        "team",
        "entry",
    ];
    for kind in kinds {
        let answer = planner.post(address, &format!("based_on=1&do=add&kind={kind}")).await;
        assert_eq!(answer.status, StatusCode::SEE_OTHER, "{kind}: {}", answer.text);
        let page = planner.get(answer.location()).await;
        assert_eq!(page.status, StatusCode::OK, "{kind}");
        page.says("Save as new version");
    }
    let newest = || async {
        let version = centre.store.strategy_versions(centre.centre).await.unwrap().remove(0);
        centre.store.strategy(version.id).await.unwrap()
    };
    let first = centre.store.strategy(centre.strategy_version).await.unwrap();
    let all = newest().await;
    assert_eq!((all.steps.len(), all.teams.len(), all.entries.len()), (12, 2, 2));
    let removed = planner.post(address, "based_on=14&do=remove&part=step.menu-1").await;
    assert_eq!(removed.status, StatusCode::SEE_OTHER);
    assert!(newest().await.step("menu-1").is_none());
    // What others lead to cannot go; nothing is half changed.
    let refused = planner.post(address, "based_on=15&do=remove&part=step.queue").await;
    refused.says("Nothing was changed.").says("there is no step “queue”");
    let back = planner.post(address, "based_on=1&do=restore").await;
    assert_eq!(back.status, StatusCode::SEE_OTHER);
    assert_eq!(newest().await, first);
    // The list says what each version changed.
    let page = planner.get("/strategy").await;
    page.says("Added hunt group “Hunt group”.").says("Removed menu “Menu”.");
    // An entry is known by its place: a page of an earlier version may mean another one.
    let stale = planner.post(address, "based_on=14&do=remove&part=entry.0").await;
    stale.says("Nothing was changed: somebody else saved a version meanwhile.");
    let renamed = planner.post(address, "based_on=16&do=name&name=Winter").await;
    assert_eq!(renamed.status, StatusCode::SEE_OTHER);
    assert_eq!(newest().await.name, "Winter");
}

#[sqlx::test(migrations = false)]
async fn a_row_is_added_to_a_form_without_saving_anything(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let form = queue_form(&planner, &[("/does/queue/places", "12")]).await;
    // The last `do` of the form is the button that was pressed.
    let form = format!("{form}&do=add:/does/queue/announcements");
    let drawn = planner.post("/strategy/part", &form).await;
    assert_eq!(drawn.status, StatusCode::OK);
    drawn.says("/does/queue/announcements/0/at_secs").says("value=\"12\"");
    assert_eq!(centre.store.strategy_versions(centre.centre).await.unwrap().len(), 1);
}

/// Does what a worker would do with the comparison at this address.
async fn play(centre: &Centre, address: &str) -> Uuid {
    let id: Uuid = address.split('?').next().unwrap().rsplit('/').next().unwrap().parse().unwrap();
    let comparison = centre.store.comparison(id).await.unwrap();
    let result = comparison.inputs.play(|_| true).unwrap().unwrap();
    assert!(centre.store.begin_run(id).await.unwrap());
    centre.store.end_comparison(id, &result).await.unwrap();
    assert_eq!(centre.store.comparison(id).await.unwrap().run.state, RunState::Done);
    id
}

#[sqlx::test(migrations = false)]
async fn candidates_are_compared_on_the_same_customers(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let (id, version) = (centre.bookings, centre.strategy_version);
    planner.get(&format!("/comparisons?contact_type={id}")).await.says("Two to six candidates");
    let form = format!(
        "contact_type={id}&days={TODAY}&cover=need&demand=exact&replications=40&seed=3&kind=candidates\
         &version={version}&more=0&version={version}&more=2&version=&more=0"
    );
    let queued = planner.post("/comparisons", &form).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    planner.get(queued.location()).await.says("Queued: 0 of 4 parts");
    let comparison = play(&centre, queued.location()).await;
    let page = planner.get(&format!("/comparisons/{comparison}")).await;
    page.says("“v1, the need, 2 more” has the best service level").says("with 95 % confidence");
    page.says("Fewer abandon").says("Breaks at volume");
    let file = planner.get(&format!("/comparisons/{comparison}/comparison.json")).await;
    file.says("\"level_differences\"");
    // The same twice is no comparison, one alone neither.
    let twins = form.replace("more=2", "more=0");
    let refused = planner.post("/comparisons", &twins).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("is there twice");
    let alone = form.replace(&format!("&version={version}&more=2"), "");
    planner.post("/comparisons", &alone).await.says("Choose at least two candidates.");
}

#[sqlx::test(migrations = false)]
async fn one_setting_is_swept_as_a_curve_and_two_as_a_map(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let (id, version) = (centre.bookings, centre.strategy_version);
    let form = |setting: &str| {
        format!(
            "contact_type={id}&days={TODAY}&cover=need&demand=exact&replications=20&seed=3&kind=sweep\
             &swept_version={version}&{setting}"
        )
    };
    let people = "setting=people:team&from=-4&to=4&steps=3";
    let queued = planner.post("/comparisons", &form(people)).await;
    let comparison = play(&centre, queued.location()).await;
    let page = planner.get(&format!("/comparisons/{comparison}")).await;
    page.says("Headcount change: every target holds from 0 on.").says("data-chart=\"sweep\"");
    let places = "step.queue%3A%2Fdoes%2Fqueue%2Fplaces";
    let both = format!("{people}&setting={places}&from=2&to=40&steps=2");
    let queued = planner.post("/comparisons", &form(&both)).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let comparison = play(&centre, queued.location()).await;
    let page = planner.get(&format!("/comparisons/{comparison}")).await;
    page.says("of 6 points; the thick line is the boundary").says("“Bookings queue”, places");
    let many = "setting=people:team&from=-20&to=20&steps=40&setting=volume&from=0.5&to=2&steps=40";
    planner
        .post("/comparisons", &form(many))
        .await
        .says("1600 points are too many; 144 is the most.");
    let gone = "setting=team.night:/pace&from=1&to=2&steps=2";
    planner.post("/comparisons", &form(gone)).await.says("This version has no such setting.");
    let impossible = format!("setting={places}&from=-2&to=40&steps=2");
    planner.post("/comparisons", &form(&impossible)).await.says("-2: invalid value");
    let wrong = "setting=people:team&from=3&to=1&steps=1";
    planner.post("/comparisons", &form(wrong)).await.says("Must be a whole number from 2 to 40.");
}

#[sqlx::test(migrations = false)]
async fn a_day_of_a_trial_is_watched_event_by_event(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let form = format!(
        "contact_type={}&version={}&days={TODAY}&cover=need&demand=exact&replications=5&seed=1",
        centre.bookings, centre.strategy_version
    );
    let queued = planner.post("/trials", &form).await;
    let address = queued.location().split('?').next().unwrap().to_owned();
    let page = planner.get(&format!("{address}/day?replication=3")).await;
    page.says("How does day 3 of the trial go?")
        .says("contacts arrive")
        .says("Replication, 1 to 5");
    let csv = planner.get(&format!("{address}/day.csv?replication=3")).await;
    csv.says("at_secs,contact,what,where_or_who").says(",answered,Bookings team 1");
    assert_eq!(planner.get(&format!("{address}/day.csv?replication=3")).await.text, csv.text);
    // The inputs that are kept with a trial are all that it takes to repeat it.
    let repeated = planner.post(&format!("{address}/repeat"), "").await;
    let trials = centre.store.latest_trials(None, 5).await.unwrap();
    assert!(repeated.location().contains(&trials[0].id.to_string()));
    let [latest, first] = [0, 1].map(|nth| trials[nth].id);
    let inputs = async |id| centre.store.trial(id).await.unwrap().inputs;
    assert_eq!((trials.len(), inputs(latest).await), (2, inputs(first).await));
}

#[sqlx::test(migrations = false)]
async fn days_of_the_past_are_played_again_beside_what_happened(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let address = format!("/trials/record?contact_type={}", centre.bookings);
    viewer.get(&address).await.says("There is no past day with both");
    let from = at("2026-11-16T00:00");
    let cover: Vec<_> = (0..7 * 48)
        .map(|half| CoverInterval { start: from + (30 * half).minutes(), agents: 8 })
        .collect();
    centre.store.save_cover(centre.bookings, &cover).await.unwrap();
    let page = viewer.get(&address).await;
    page.says("of 7 days went as the engine expects").says("Sunday 22 November");
}
