//! Comparisons, days watched and days of the past.

use axum::http::StatusCode;
use barometer_plan::CoverInterval;
use barometer_store::{Role, RunState, Save};
use jiff::ToSpan;
use sqlx::PgPool;
use uuid::Uuid;

use crate::visitor::{Centre, TODAY, at, queue_form};

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
    assert!(centre.store.drafts(centre.centre).await.unwrap().is_empty());
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
    // Nobody is called: there is no pacing to see.
    assert!(!page.text.contains("paces itself"));
    let pacing = planner.get(&format!("{address}/pacing.csv?replication=3")).await;
    pacing.says("at_secs,campaign,agents_on_shift").says("reckons_risk");
    assert_eq!(pacing.text.lines().count(), 1);
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
    centre.store.save_cover(centre.bookings, &cover, Save::OURS).await.unwrap();
    viewer.get(&address).await.says("Queued: 0 steps");
    centre.work_off().await;
    let page = viewer.get(&address).await;
    page.says("of 7 days went as the engine expects").says("Sunday 22 November");
    // Asked again it is there at once; a planner who cancels one comes back to the page that asked.
    assert_eq!(viewer.get(&address).await.text, page.text);
    let open = centre.store.open_runs().await.unwrap();
    assert!(open.is_empty(), "nothing is worked out twice");
}
