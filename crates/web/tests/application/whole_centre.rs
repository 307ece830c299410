//! A strategy of the whole centre: contact types tried together, weeks, and kinds of days.

use axum::http::StatusCode;
use barometer_store::{Role, RunState, Trial};
use barometer_strategy::Strategy;
use sqlx::PgPool;
use uuid::Uuid;

use crate::visitor::{Centre, TODAY, Visitor, keep_draft};

/// Does what a worker would do with a trial.
async fn play(centre: &Centre, id: Uuid) {
    let inputs = centre.store.trial(id).await.unwrap().inputs;
    let summary = inputs.experiment().unwrap().play_part(0..inputs.replications).unwrap();
    centre.store.finish_trial(id, &summary).await.unwrap();
    assert_eq!(centre.store.trial(id).await.unwrap().run.state, RunState::Done);
}

/// The trial that was queued last.
async fn latest(centre: &Centre) -> Trial {
    let line = centre.store.latest_trials(None, 1).await.unwrap().remove(0);
    centre.store.trial(line.id).await.unwrap()
}

/// A centre with a second contact type, whose strategy knows the first alone.
async fn two_types(pool: PgPool) -> (Centre, Uuid, Visitor) {
    let centre = Centre::new(pool).await;
    let groups = centre.add_type("Groups").await;
    let only = [("Bookings".to_owned(), Strategy::plain("Bookings"))];
    let only = Strategy::joined("Test centre", only);
    centre.store.add_strategy_version(centre.centre, &only, None).await.unwrap();
    let planner = centre.visitor(Role::Planner).await;
    (centre, groups, planner)
}

async fn newest(centre: &Centre) -> Uuid {
    centre.store.strategy_versions(centre.centre).await.unwrap()[0].id
}

/// Gives Groups an entry, a queue and a team.
async fn take_groups_in(centre: &Centre, planner: &Visitor) -> Uuid {
    planner.get("/strategy?version=2").await.says("No entry receives Groups");
    let taken = "based_on=v2&do=take_in&contact_type=Groups";
    let saved = planner.post("/strategy/change", taken).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    let page = planner.get(saved.location()).await;
    page.says("A draft has begun with this change.").says("Groups queue");
    assert!(!page.text.contains("No entry receives"));
    keep_draft(centre, planner).await
}

#[sqlx::test(migrations = false)]
async fn contact_types_are_tried_together_and_each_is_judged_by_its_own_targets(pool: PgPool) {
    let (centre, groups, planner) = two_types(pool).await;
    let form = |version: Uuid| {
        format!(
            "contact_type={}&contact_type={groups}&version={version}&days={TODAY}&cover=planned\
             &team=groups-team&more=-8&demand=exact&again_percent=40&again_minutes=5\
             &replications=20&seed=5",
            centre.bookings
        )
    };
    let refused = planner.post("/trials", &form(newest(&centre).await)).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("No entry of this strategy receives Groups.").says("id=\"contact_type-wrong\"");
    let many = form(newest(&centre).await).replace("percent=40&again_minutes=5", "percent=140");
    planner.post("/trials", &many).await.says("Must be 0 to 100 %");
    let version = take_groups_in(&centre, &planner).await;
    planner.get(&format!("/trials?version={version}")).await.says("Try the whole centre");
    let queued = planner.post("/trials", &form(version)).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let trial = latest(&centre).await;
    assert_eq!((trial.subject.name.as_str(), trial.inputs.types.len()), ("the whole centre", 2));
    assert_eq!(trial.cover_words, "planned cover, Groups team 8 fewer");
    play(&centre, trial.id).await;
    let address = format!("/trials/{}", trial.id);
    let again = trial.inputs.types[0].customers.after_abandoning.clone().unwrap();
    assert_eq!((again.share, again.after.mean_secs()), (0.4, 300.0));
    // One person cannot do the work of nine; the nine of Bookings do theirs.
    let page = planner.get(&address).await;
    page.says("It breaks for Groups").says("Groups, with 95 % confidence");
    page.says("Of those who are lost 40.0 % try again, after 5 min on average.");
    let other = planner.get(&format!("{address}?of=0")).await;
    other.says("Bookings, with 95 % confidence").says("Erlang A says");
    let csv = planner.get(&format!("{address}/intervals.csv")).await;
    assert_eq!(csv.text.lines().count(), 1 + 2 * 20);
    assert_eq!(csv.text.lines().filter(|line| line.starts_with("Groups,")).count(), 20);
    // Another begins from what was typed.
    let again = planner.get(&format!("/trials?again={}", trial.id)).await;
    again.says("value=\"-8\"").says("value=\"20\"");
}

#[sqlx::test(migrations = false)]
async fn a_week_is_one_trial_whose_days_are_watched_one_by_one(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let form = format!(
        "version={}&days=week&cover=planned&demand=exact&replications=3&seed=5",
        centre.strategy_version
    );
    let queued = planner.post(&format!("/trials?day={TODAY}"), &form).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let trial = latest(&centre).await;
    assert_eq!((trial.subject.day, trial.subject.days), (TODAY, 7));
    // Seven days of ten hours, and six nights of fourteen between them.
    assert_eq!(trial.inputs.interval_count(), 7 * 20 + 6 * 28);
    play(&centre, trial.id).await;
    let page = planner.get(&format!("/trials/{}", trial.id)).await;
    page.says("Will Mon 23 Nov to Sun 29 Nov hold for Bookings?").says("Sun 08:00");
    let watched = planner.get(&format!("/trials/{}/day?date=2", trial.id)).await;
    watched.says("How does Wednesday 25 November of replication 1 go?");
    watched.says("\"opens_minutes\":480").says("\"secs\":36000.0");
}

#[sqlx::test(migrations = false)]
async fn kinds_of_days_stand_side_by_side(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    // On one day of the past three times as many came.
    sqlx::query(
        "UPDATE history SET offered = 3 * offered \
         WHERE (interval_start AT TIME ZONE 'UTC')::date = '2026-10-21'",
    )
    .execute(&pool)
    .await
    .unwrap();
    let planner = centre.visitor(Role::Planner).await;
    let form = format!(
        "version={}&days=kinds&cover=planned&replications=10&seed=5",
        centre.strategy_version
    );
    let queued = planner.post(&format!("/trials?day={TODAY}"), &form).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let address = queued.location().to_owned();
    assert!(address.starts_with("/trials/sets/"), "{address}");
    planner.get(&address).await.says("It is being played.");
    let mut trials = Vec::new();
    for line in centre.store.latest_trials(None, 9).await.unwrap() {
        trials.push(centre.store.trial(line.id).await.unwrap());
    }
    let kinds: Vec<_> = trials.iter().map(|each| each.set.clone().unwrap().day_kind).collect();
    assert_eq!(kinds[1..], ["busiest day", "typical day"]);
    assert_eq!(kinds[0], "storm day (as on 21 Oct 2026)");
    let contacts = |at: usize| -> f64 {
        trials[at].inputs.types[0].intervals.iter().map(|interval| interval.contacts).sum()
    };
    assert!((contacts(0) / contacts(2) - 3.0).abs() < 1e-9, "{} {}", contacts(0), contacts(2));
    assert_eq!(trials[0].inputs.types[0].luck, None, "a storm is as it was");
    assert_eq!(trials[0].inputs.people(), trials[2].inputs.people());
    for trial in &trials {
        play(&centre, trial.id).await;
    }
    let page = planner.get(&address).await;
    page.says("Which days does Bookings survive?").says("Typical day").says("Storm day");
    planner.get(&format!("/trials/{}", trials[2].id)).await.says("Will the typical day hold");
}

#[sqlx::test(migrations = false)]
async fn a_comparison_of_the_centre_says_who_gains_and_who_loses(pool: PgPool) {
    let (centre, _, planner) = two_types(pool).await;
    let version = take_groups_in(&centre, &planner).await;
    planner.get("/comparisons").await.says("Candidates for the whole centre");
    let form = format!(
        "days={TODAY}&cover=planned&demand=exact&replications=40&seed=3&kind=candidates\
         &version={version}&team=groups-team&more=0&version={version}&team=groups-team&more=-3"
    );
    let queued = planner.post("/comparisons", &form).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let id = centre.store.latest_comparisons(1).await.unwrap()[0].id;
    let inputs = centre.store.comparison(id).await.unwrap().inputs;
    let result = inputs.play(|_| true).unwrap().unwrap();
    let [bookings, groups] = [0, 1].map(|kind| result.candidates[1].type_differences[kind][0]);
    // Bookings meets the same customers with the same people: it is the same to the last bit.
    assert_eq!(bookings.unwrap().mean, 0.0);
    assert!(groups.unwrap().high() < -0.01, "{groups:?}");
    assert!(centre.store.begin_run(id).await.unwrap());
    centre.store.end_comparison(id, &result).await.unwrap();
    let page = planner.get(&format!("/comparisons/{id}")).await;
    page.says("Contact type by contact type").says("surely worse");
    page.says("planned cover, Groups team 3 fewer");
    // A team that a version does not have is not passed over.
    let unknown = form.replace("groups-team&more=-3", "night-team&more=2");
    planner.post("/comparisons", &unknown).await.says("has no team “night-team”");
}

#[sqlx::test(migrations = false)]
async fn a_day_that_was_is_played_with_the_contacts_that_came(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    let form = |demand: &str| {
        format!(
            "version={}&days=2026-11-18&cover=fixed&people=8&demand={demand}&replications=4&seed=5",
            centre.strategy_version
        )
    };
    let queued = planner.post("/trials", &form("uncertain")).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let trial = latest(&centre).await;
    let came: i64 = sqlx::query_scalar(
        "SELECT sum(offered) FROM history \
         WHERE (interval_start AT TIME ZONE 'Europe/London')::date = '2026-11-18'",
    )
    .fetch_one(&pool)
    .await
    .unwrap();
    play(&centre, trial.id).await;
    let day = centre.store.trial(trial.id).await.unwrap().result.unwrap().outcome.day;
    // Exactly as many in every replication: there is nothing to be unsure of.
    assert_eq!((day.offered.mean, day.offered.half_width), (came as f64, Some(0.0)));
    let page = planner.get(&format!("/trials/{}", trial.id)).await;
    page.says("Would Wednesday 18 November have held for Bookings?");
    page.says("The actual contacts of each interval arrive");
}

#[sqlx::test(migrations = false)]
async fn a_trial_may_rest_on_a_frozen_forecast(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    centre.store.freeze_forecast(centre.bookings, "First draft", None).await.unwrap();
    // The forecast has doubled since.
    sqlx::query("UPDATE forecast_intervals SET contacts = 2 * contacts")
        .execute(&pool)
        .await
        .unwrap();
    planner.get("/trials").await.says("as measured, of the version “First draft”");
    let mut contacts = Vec::new();
    for demand in ["frozen:First+draft", "exact"] {
        let form = format!(
            "version={}&days={TODAY}&cover=planned&demand={demand}&replications=4&seed=5",
            centre.strategy_version
        );
        let queued = planner.post("/trials", &form).await;
        assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
        let trial = latest(&centre).await;
        let of_type = &trial.inputs.types[0];
        assert_eq!(of_type.luck.is_some(), demand != "exact");
        contacts.push(of_type.intervals.iter().map(|each| each.contacts).sum::<f64>());
        let page = planner.get(queued.location()).await;
        assert_eq!(page.text.contains("is the one frozen as “First draft”"), demand != "exact");
    }
    assert!((contacts[1] / contacts[0] - 2.0).abs() < 1e-9, "{contacts:?}");
}

#[sqlx::test(migrations = false)]
async fn customers_are_kept_with_their_contact_type_and_come_in_trials(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    planner.get("/customers-schema.json").await.says("\"profiles\"").says("\"after_abandoning\"");
    let page = format!("/staffing/{}/customers", centre.bookings);
    planner.get(&page).await.says("Nobody calls again. All customers are alike.");
    let habits = "abandoned_percent=&repeat_percent=20&repeat_minutes=10&blocked_percent=30&blocked_minutes=2&blocked_most=3\
        &share=12.5&language=nb&number=&attributes=tier%3Dfrequent&share=&language=&number=&attributes=";
    let saved = planner.save(&page, &page, habits).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    let shown = planner.get(saved.location()).await;
    shown
        .says("Saved.")
        .says("20.0 % of those who were served call again, after 10 min on average");
    shown.says("value=\"12.5\"").says("tier=frequent");
    let form = format!(
        "version={}&days={TODAY}&cover=planned&demand=exact&replications=4&seed=5",
        centre.strategy_version
    );
    let queued = planner.post("/trials", &form).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let customers = latest(&centre).await.inputs.types[0].customers.clone();
    assert_eq!(customers.repeat.as_ref().unwrap().share, 0.2);
    assert_eq!(customers.after_blocked.as_ref().unwrap().most_attempts, Some(3));
    assert_eq!((customers.after_abandoning.as_ref(), customers.profiles.len()), (None, 1));
    assert!(customers.patience.is_some(), "patience is that of the targets");
    // A share that is typed for one trial stands in their place.
    planner.post("/trials", &format!("{form}&again_percent=50&again_minutes=5")).await;
    let customers = latest(&centre).await.inputs.types[0].customers.clone();
    assert_eq!(customers.after_abandoning.unwrap().share, 0.5);
    assert_eq!(customers.repeat.unwrap().share, 0.2);

    for (typed, wanted) in [
        ("repeat_percent=120&repeat_minutes=10", "Must be 0 to 100 %"),
        ("repeat_percent=20&repeat_minutes=", "Must be 0.1 to 10,080 minutes"),
        (
            "abandoned_percent=100&abandoned_minutes=1&abandoned_most=1",
            "whole number from 2 to 100",
        ),
        ("share=x&language=&number=&attributes=", "Row 1: the share must be 0 to 100 %."),
        ("share=5&language=&number=&attributes=gold", "“gold” is no attribute"),
        (
            "share=60&language=nb&number=&attributes=&share=50&language=de&number=&attributes=",
            "The shares add up to 110.0 %; 100 % is the most.",
        ),
    ] {
        let refused = planner.save(&page, &page, typed).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{typed}");
        refused.says(wanted);
    }
    // Two who save at once: the second is told, and what was typed stays.
    let (first, second) = (planner.get(&page).await, planner.get(&page).await);
    let with = |version: &str, percent: u32| {
        format!("based_on={version}&repeat_percent={percent}&repeat_minutes=10")
    };
    let (one, other) = (first.version(&page), second.version(&page));
    assert_eq!(planner.post(&page, &with(&one, 7)).await.status, StatusCode::SEE_OTHER);
    let late = planner.post(&page, &with(&other, 9)).await;
    assert_eq!(late.status, StatusCode::UNPROCESSABLE_ENTITY);
    late.says("saved this on").says("value=\"9\"");
    let kept = centre.store.contact_type(centre.bookings).await.unwrap().habits;
    assert!((kept.repeat.unwrap().share - 0.07).abs() < 1e-12);
    let admin = centre.visitor(Role::Administrator).await;
    admin.get("/people/trail").await.says("changed customers");
}
