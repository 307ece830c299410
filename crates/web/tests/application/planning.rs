//! From forecast to verdict, as a planner goes through the stages.

use axum::http::StatusCode;
use barometer_plan::{TrialResult, Verdict, need};
use barometer_store::{Role, RunState};
use sqlx::PgPool;
use uuid::Uuid;

use crate::visitor::{Centre, TODAY, at, keep_draft, queue_form};

#[sqlx::test(migrations = false)]
async fn a_trial_draws_its_days_from_the_forecasts_record_unless_told_otherwise(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    for (demand, is_uncertain, words) in [
        ("", true, "as far off the forecast as days have been"),
        ("&demand=exact", false, "which is taken as exact"),
    ] {
        let form = format!(
            "contact_type={}&version={}&days=2026-11-25&cover=need&replications=2&seed=1{demand}",
            centre.bookings, centre.strategy_version
        );
        let queued = planner.post("/trials", &form).await;
        assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
        planner.get(queued.location()).await.says(words);
        let latest = centre.store.latest_trials(None, 1).await.unwrap()[0].id;
        let luck = centre.store.trial(latest).await.unwrap().inputs.types[0].luck.clone();
        assert_eq!(luck.is_some(), is_uncertain);
        if let Some(luck) = luck {
            let mean = luck.day_factors.iter().sum::<f64>() / luck.day_factors.len() as f64;
            assert!((mean - 1.0).abs() < 1e-12 && luck.day_factors.is_sorted());
        }
    }
}

#[sqlx::test(migrations = false)]
async fn the_need_on_the_page_and_in_the_file_is_the_need_of_the_core(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let file =
        viewer.get(&format!("/staffing/{}/need/csv?day={TODAY}&span=week", centre.bookings)).await;
    let mut lines = file.text.lines();
    let heading: Vec<_> = lines.next().unwrap().split(',').collect();
    let column = |name: &str| heading.iter().position(|each| *each == name).unwrap();
    let (from, to) = (at("2026-11-23T00:00"), at("2026-11-30T00:00"));
    let forecast = centre.store.forecast_between(centre.bookings, from, to).await.unwrap();
    let contact_type = centre.store.contact_type(centre.bookings).await.unwrap();
    assert_eq!(forecast.len(), 7 * 20);
    let model = barometer_plan::Model::for_rules(&contact_type.rules);
    for interval in &forecast {
        let cells: Vec<_> = lines.next().unwrap().split(',').collect();
        let expected = need(interval.load, 1800.0, &contact_type.rules, model).unwrap().agents;
        assert_eq!(cells[column("need_agents")], expected.to_string(), "{cells:?}");
        assert_eq!(cells[column("cover_agents")], "9");
    }
    let page = viewer.get(&format!("/staffing/{}?day={TODAY}", centre.bookings)).await;
    page.says("needs").says("Erlang A (M/M/n+M)");
    let first = forecast[0].start.as_second();
    let why = viewer.get(&format!("/staffing/{}/why?at={first}", centre.bookings)).await;
    why.says("at 08:00?").says("Every target");
    let reading =
        viewer.get(&format!("/reading?contact_type={}&at={first}", centre.bookings)).await;
    reading.says("Monday 23 November, 08:00");
}

#[sqlx::test(migrations = false)]
async fn cover_is_planned_for_a_stretch_and_as_needed(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/cover", centre.bookings);
    let form = |more: &str| format!("how=people&day={TODAY}&{more}");
    let wrong = [
        ("from=25%3A00&to=10%3A00&people=4", "From must be a time"),
        ("from=10%3A00&to=09%3A00&people=4", "To must be later than from."),
        ("from=09%3A00&to=10%3A00&people=lots", "People must be a whole number"),
        ("from=01%3A00&to=02%3A00&people=4", "Nothing is open between these times"),
    ];
    for (more, message) in wrong {
        let answer = planner.post(&address, &form(more)).await;
        assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY, "{more}");
        answer.says(message);
    }
    let page = format!("/staffing/{}/roster?day={TODAY}", centre.bookings);
    let hour = form("from=09%3A00&to=10%3A00&people=4");
    let answer = planner.save(&page, &address, &hour).await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER);
    let cover = async || {
        let (from, to) = (at("2026-11-23T08:30"), at("2026-11-23T10:30"));
        let planned = centre.store.cover_between(centre.bookings, from, to).await.unwrap();
        planned.iter().map(|interval| interval.agents).collect::<Vec<_>>()
    };
    assert_eq!(cover().await, [9, 4, 4, 9]);
    planner.save(&page, &address, &format!("how=need-day&day={TODAY}")).await;
    planner
        .get(&format!("/staffing/{}?day={TODAY}", centre.bookings))
        .await
        .says("The cover holds all day.");
}

#[sqlx::test(migrations = false)]
async fn a_trial_is_queued_shown_exported_and_rests_under_its_change_sheet(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let limits = [("/does/queue/places", "5"), ("/does/queue/longest_wait_secs", "60")];
    let strategy = queue_form(&planner, &limits).await;
    planner.post("/strategy/part", &strategy).await;
    keep_draft(&centre, &planner).await;
    let draft = centre.store.strategy_versions(centre.centre).await.unwrap()[0].clone();
    assert_eq!((draft.version, draft.is_live), (2, false));
    let form = format!(
        "contact_type={}&version={}&days={TODAY}&cover=need&team=team&more=2&handling=exponential&replications=40&seed=5",
        centre.bookings, draft.id
    );
    let queued = planner.post("/trials", &form).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let address = queued.location().split('?').next().unwrap().to_owned();
    planner.get(&address).await.says("Queued: 0 of 40 days");
    let id: Uuid = address.rsplit('/').next().unwrap().parse().unwrap();

    // What a worker does, without the queue.
    let trial = centre.store.trial(id).await.unwrap();
    let summary = trial.inputs.experiment().unwrap().play_part(0..40).unwrap();
    let result = TrialResult::of(&summary);
    centre.store.finish_trial(id, &summary).await.unwrap();
    assert_eq!(centre.store.trial(id).await.unwrap().run.state, RunState::Done);

    let verdict = result.outcome.verdict(&trial.inputs);
    assert_eq!(verdict, Some(Verdict::Holds), "two more than needed hold");
    let page = planner.get(&address).await;
    page.says("It holds:").says("Erlang A says").says("the need, 2 more, 40 simulated days");
    // One by one the days show how sure that is.
    let held = barometer_plan::DayByDay::of(&trial.inputs, &summary).unwrap().held;
    assert_eq!((held.holding, held.days), (40, 40));
    page.says("All targets hold on all 40 ");
    let csv = planner.get(&format!("{address}/intervals.csv")).await;
    assert_eq!(csv.text.lines().count(), 21);
    let days = planner.get(&format!("{address}/days.csv")).await;
    assert_eq!(days.text.lines().count(), 1 + 40 * 2, "a contact type and a team a day");
    let offered: f64 = days
        .text
        .lines()
        .filter(|line| line.contains("contact type"))
        .map(|line| line.split(',').nth(3).unwrap().parse::<f64>().unwrap())
        .sum();
    assert!((offered / 40.0 - result.outcome.day.offered.mean).abs() < 1e-9);
    // What happened at a step, and contacts of a simulated day to walk through.
    let step = trial.inputs.strategy.steps[0].clone();
    page.says(&format!("{address}/steps/{}", step.id));
    let told = planner.get(&format!("{address}/steps/{}", step.id)).await;
    told.says(&format!("What happened at {}?", step.name)).says("contacts a day reached it");
    told.says("answered").says("Walk it through");
    let walk = told.text.split("href=\"/strategy/walk?").nth(1).unwrap().split('"').next().unwrap();
    let walk = walk.replace("&#38;", "&").replace("&amp;", "&");
    let walked = planner.get(&format!("/strategy/walk?{walk}")).await;
    assert_eq!(walked.status, StatusCode::OK, "{}", walked.text);
    walked.says("A contact of Bookings that arrives at");
    let nowhere = planner.get(&format!("{address}/steps/nowhere")).await;
    assert_eq!(nowhere.status, StatusCode::NOT_FOUND);
    let json: serde_json::Value =
        serde_json::from_str(&planner.get(&format!("{address}/trial.json")).await.text).unwrap();
    assert_eq!(json["inputs"]["seed"], 5);

    // Its change sheet rests on it.
    let new = planner.get("/go-live/new?version=2").await;
    new.says("one finished trial or comparison").says("trial: holds").says(&format!("trial:{id}"));
}

#[sqlx::test(migrations = false)]
async fn an_empty_centre_shows_the_way_to_the_first_import(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let kept = centre.store.centre().await.unwrap().unwrap();
    centre.store.remove_centre(kept.id).await.unwrap();
    let planner = centre.visitor(Role::Planner).await;
    let answer = planner.get("/").await;
    assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
    answer.says("There is no contact centre yet.");
    centre.store.add_centre("New centre", "Europe/Madrid").await.unwrap();
    for page in ["/", "/demand", "/trials", "/go-live", "/watch/weeks"] {
        let answer = planner.get(page).await;
        assert_eq!(answer.status, StatusCode::OK, "{page}");
    }
    planner.get("/").await.says("Import history");
    for page in ["/staffing", "/strategy"] {
        assert!(planner.get(page).await.location().starts_with("/demand"), "{page}");
    }
}

#[sqlx::test(migrations = false)]
async fn an_exported_strategy_comes_back_changed_and_a_broken_one_says_where(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = "/strategy";
    let exported = planner.get(&format!("{address}/versions/1")).await.text;
    let upload = async |text: String| {
        planner.upload_to(&format!("{address}/json"), "strategy.json", "", text).await
    };
    assert!(upload(exported.clone()).await.location().ends_with("note=same"));
    let changed = exported.replace("\"places\": null", "\"places\": 17");
    assert!(upload(changed).await.location().ends_with("note=begun"));
    keep_draft(&centre, &planner).await;
    let versions = centre.store.strategy_versions(centre.centre).await.unwrap();
    let newest = centre.store.strategy(versions[0].id).await.unwrap();
    assert_eq!((versions.len(), newest.first_queue().unwrap().1.places), (2, Some(17)));
    assert_eq!(versions[0].summary, "Queue “Bookings queue”: places no limit → 17.");
    for (text, wanted) in [
        (
            exported.replace("\"refused_share\": 0.0", "\"refused_share\": 1.5"),
            "teams[0].refused_share: must be a share from 0 to 1, got 1.5",
        ),
        (exported.replace("places", "plces"), "unknown field"),
        ("{".to_owned(), "this is not JSON"),
    ] {
        let answer = upload(text).await;
        assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
        answer.says(wanted);
    }
    assert_eq!(centre.store.strategy_versions(centre.centre).await.unwrap().len(), 2);
}

#[sqlx::test(migrations = false)]
async fn a_queued_trial_is_cancelled_at_once_and_has_no_result(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let form = format!(
        "contact_type={}&version={}&days={TODAY}&cover=planned&replications=200&seed=1",
        centre.bookings, centre.strategy_version
    );
    let queued = planner.post("/trials", &form).await;
    let address = queued.location().split('?').next().unwrap().to_owned();
    let run = address.replace("/trials/", "/runs/");
    let before = planner.get(&format!("{run}/progress")).await;
    assert!(before.headers.get("hx-refresh").is_none());
    let stopped = planner.post(&format!("{run}/cancel"), "").await;
    assert_eq!(stopped.location(), address);
    planner.get(&address).await.says("Cancelled after 0 of 200 days; there is no result.");
    let after = planner.get(&format!("{run}/progress")).await;
    assert_eq!(after.headers["hx-refresh"], "true", "the page is loaded anew once it is over");
    let csv = planner.get(&format!("{address}/intervals.csv")).await;
    assert_eq!(csv.status, StatusCode::NOT_FOUND);
    let again =
        planner.get(&format!("/trials?again={}", address.rsplit('/').next().unwrap())).await;
    again.says("value=\"200\"");
}
