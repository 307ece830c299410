//! Staffing as a planner uses it: targets tried and undone, what if, rosters, lines.

use axum::http::StatusCode;
use barometer_plan::{Model, Rules};
use barometer_store::{Role, Save};
use sqlx::PgPool;

use crate::visitor::{Centre, TODAY};

/// The targets of a new contact type as its form sends them.
const AS_SAVED: &str = "service_level=80&within_secs=20&level_of=offered&short_secs=&answer_secs=&abandonment=5&occupancy=88\
    &occupancy_floor=&patience_secs=180&handle_secs=&concurrency=1&slowing=0&model=&leave=12&sickness=5&training=3&breaks=13.7\
    &cost_per_hour=&day=2026-11-24&span=day&pool=";

#[sqlx::test(migrations = false)]
async fn targets_are_tried_without_being_saved_and_what_differs_is_said(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/try", centre.bookings);
    let same = planner.post(&address, AS_SAVED).await;
    assert_eq!(same.status, StatusCode::OK, "{}", same.text);
    assert!(!same.text.contains("Not saved:"), "nothing differs");
    let dearer = AS_SAVED.replace("service_level=80", "service_level=95");
    let tried = planner.post(&address, &dearer).await;
    tried.says("Not saved:").says("service level 80 % → 95 %").says("agent-hours on the phones (+");
    let at = crate::visitor::at("2026-11-24T10:00").as_second();
    let why = format!("/staffing/{}/why?at={at}", centre.bookings);
    planner.get(&why).await.says("≥ 80 %").says("how it is worked out");
    planner.get(&format!("{why}&{dearer}")).await.says("≥ 95 %");
    planner.get(&format!("{why}&{}", AS_SAVED.replace("=80", "=lots"))).await.says("≥ 80 %");
    let wrong = planner.post(&address, &AS_SAVED.replace("within_secs=20", "within_secs=-1")).await;
    assert_eq!(wrong.headers["hx-reswap"], "none", "the last numbers stay");
    wrong.says("id=\"within_secs-wrong\" hx-swap-oob=\"true\">Must be 0 s to 604800 s");
    let rules = centre.store.contact_type(centre.bookings).await.unwrap().rules;
    assert_eq!(rules, Rules::STARTING);
}

#[sqlx::test(migrations = false)]
async fn saved_targets_can_be_undone(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/targets", centre.bookings);
    let level =
        async || centre.store.contact_type(centre.bookings).await.unwrap().rules.service_level;
    let page = format!("/staffing/{}?saved=targets", centre.bookings);
    let ninety = AS_SAVED.replace("service_level=80", "service_level=90");
    let saved = planner.save(&page, &address, &ninety).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    assert_eq!(level().await, 0.9);
    planner.save(&page, &format!("{address}/undo"), "day=2026-11-24").await;
    assert_eq!(level().await, 0.8);
    planner.save(&page, &format!("{address}/undo"), "day=2026-11-24").await;
    assert_eq!(level().await, 0.9, "undone once more");
}

#[sqlx::test(migrations = false)]
async fn targets_that_exclude_each_other_name_the_nearest_that_works(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let form = AS_SAVED
        .replace("service_level=80", "service_level=99")
        .replace("within_secs=20", "within_secs=0")
        .replace("occupancy=88", "occupancy=")
        .replace("occupancy_floor=", "occupancy_floor=95");
    let form = form.replace("occupancy=_floor", "occupancy_floor");
    for address in ["try", "targets"] {
        let answer = planner.post(&format!("/staffing/{}/{address}", centre.bookings), &form).await;
        answer.says("Cannot be reached with the other targets").says("Use at most ");
    }
    let deadline = AS_SAVED.replace("model=", "model=deadline");
    let answer = planner.post(&format!("/staffing/{}/try", centre.bookings), &deadline).await;
    answer.says("A deadline must be at least 7200 s");
}

#[sqlx::test(migrations = false)]
async fn weeks_typical_days_ranges_and_pools_are_shown(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let page = |more: &str| format!("/staffing/{}?day={TODAY}{more}", centre.bookings);
    viewer.get(&page("&span=week")).await.says("in the week 23 – 29 Nov needs").says("Day by day");
    viewer.get(&page("&span=typical")).await.says("on a typical ");
    viewer.get(&page("&span=2026-11-26")).await.says("from ").says("Day by day");
    viewer.get(&page("&span=nonsense")).await.says("Erlang A (M/M/n+M)");
    viewer.get("/staffing?pool=x").await;
    let sheet =
        viewer.get(&format!("/staffing/{}/need/xlsx?day={TODAY}&span=week", centre.bookings)).await;
    assert_eq!(sheet.status, StatusCode::OK);
    let odd = viewer.get(&format!("/staffing/{}/need/pdf?day={TODAY}", centre.bookings)).await;
    assert_eq!(odd.status, StatusCode::NOT_FOUND);
}

#[sqlx::test(migrations = false)]
async fn what_if_moves_volume_and_levels_and_survives_nonsense(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let address = format!("/staffing/{}/what-if", centre.bookings);
    viewer.get(&format!("{address}?day={TODAY}")).await.says("What a point of service costs");
    let more = viewer.post(&address, &format!("volume=20&level=80&day={TODAY}&span=day")).await;
    more.says("would need").says("instead of");
    for volume in ["NaN", "1e999", "-500", "lots", ""] {
        let odd = viewer.post(&address, &format!("volume={volume}&handle=inf&day={TODAY}")).await;
        assert_eq!(odd.status, StatusCode::OK, "{volume}: {}", odd.text);
    }
    // What takes longer than a page may is a run; the part of the page asks until its answer is there.
    let exact = format!("/staffing/{}/every-interval?day={TODAY}", centre.bookings);
    let asked = viewer.get(&exact).await;
    asked.says("Queued: 0 steps").says(&format!("hx-get=\"{}", exact.replace('&', "&#38;")));
    assert!(!asked.headers.contains_key("hx-refresh"));
    centre.work_off().await;
    viewer.get(&exact).await.says("Holding every target in every interval takes");
}

#[sqlx::test(migrations = false)]
async fn work_with_a_deadline_is_sized_by_what_is_due(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let rules = Rules {
        model: Some(Model::Deadline),
        within_secs: 4.0 * 3600.0,
        patience_secs: None,
        ..Rules::STARTING
    };
    centre.store.save_rules(centre.bookings, &rules, Save::OURS).await.unwrap();
    let viewer = centre.visitor(Role::Viewer).await;
    let page = viewer.get(&format!("/staffing/{}?day={TODAY}", centre.bookings)).await;
    page.says("Work that can wait").says("Work<br>left, h");
    let what_if = viewer.get(&format!("/staffing/{}/what-if?day={TODAY}", centre.bookings)).await;
    what_if.says("can wait");
}

#[sqlx::test(migrations = false)]
async fn a_roster_becomes_the_cover_and_a_wrong_one_changes_nothing(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/roster", centre.bookings);
    let wrong = planner.upload_to(&address, "r.csv", "", "agent,start,end\nAda,soon,17:00\n").await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("nothing was changed").says("Row 2, column start");
    assert!(centre.store.agents(planner_centre(&centre).await).await.unwrap().is_empty());
    let roster = "agent,start,end,break_start,break_end,team,skills,contract_hours\n\
                  Ada Quill,2026-11-24 09:00,17:00,12:00,12:30,Early,Bookings,37.5\n\
                  Bram Oster,2026-11-24 10:10,18:00,,,,,\n";
    let form = format!("{address}?day={TODAY}");
    let version = planner.version(&address, &form).await;
    let late = planner.upload_with(&form, "r.csv", ("based_on", "0"), roster).await;
    late.says("saved another cover on").says("choose the file again");
    let taken = planner.upload_with(&form, "r.csv", ("based_on", &version), roster).await;
    assert_eq!(taken.status, StatusCode::SEE_OTHER, "{}", taken.text);
    let at = |clock: &str| format!("2026-11-24T{clock}:00Z").parse::<jiff::Timestamp>().unwrap();
    let cover =
        centre.store.cover_between(centre.bookings, at("08:00"), at("20:00")).await.unwrap();
    let agents =
        |clock: &str| cover.iter().find(|each| each.start == at(clock)).map(|each| each.agents);
    assert_eq!(agents("09:00"), Some(1));
    assert_eq!(agents("10:00"), Some(1), "who comes at ten past is not there all of it");
    assert_eq!((agents("10:30"), agents("12:00"), agents("17:30")), (Some(2), Some(1), Some(1)));
    assert_eq!(agents("08:30"), None, "the day's cover from before is replaced");
    let page = planner.get(&format!("{address}?day=2026-11-24")).await;
    page.says("Ada Quill").says("iCalendar");
    let calendar = planner.get(&format!("{address}/ics?day=2026-11-24")).await;
    calendar.says("SUMMARY:Ada Quill").says("DTSTART:20261124T090000Z");
    let version = planner.version(&address, &form).await;
    let seen = ("based_on", version.as_str());
    let back = planner.upload_with(&address, "r.ics", seen, calendar.text.as_str()).await;
    assert_eq!(back.status, StatusCode::SEE_OTHER, "what leaves comes back: {}", back.text);
}

async fn planner_centre(centre: &Centre) -> uuid::Uuid {
    centre.store.centre().await.unwrap().unwrap().id
}

#[sqlx::test(migrations = false)]
async fn people_are_named_and_who_is_away_is_left_out_of_a_roster(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}", centre.bookings);
    let wrong = planner.post(&format!("{address}/agents"), "name=Ada&contract_hours=900").await;
    wrong.says("Contract hours are above 0 and at most 80 a week.");
    planner
        .post(
            &format!("{address}/agents"),
            "name=Ada&team=Early&skills=Bookings%2C+Norse&contract_hours=30",
        )
        .await;
    let ada = centre.store.agents(planner_centre(&centre).await).await.unwrap()[0].clone();
    assert_eq!((ada.skills.len(), ada.contract_hours), (2, 30.0));
    let off = format!("agent={}&first_day=2026-11-24&last_day=2026-11-20", ada.id);
    planner.post(&format!("{address}/time-off"), &off).await.says("must not be before the first");
    let off = format!("agent={}&first_day=2026-11-24&last_day=&why=Leave", ada.id);
    assert_eq!(
        planner.post(&format!("{address}/time-off"), &off).await.status,
        StatusCode::SEE_OTHER
    );
    let roster = "agent,start,end\nada,2026-11-24 09:00,17:00\n";
    let seen = ("based_on", "1");
    let away = planner.upload_with(&format!("{address}/roster"), "r.csv", seen, roster).await;
    away.says("Everybody in this roster is on time off on its days.");
    let removed =
        planner.post(&format!("{address}/agents/{}/remove", ada.id), "day=2026-11-24").await;
    assert_eq!(removed.status, StatusCode::SEE_OTHER);
}

#[sqlx::test(migrations = false)]
async fn shifts_that_cannot_reach_the_need_are_refused_with_what_would(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/shifts", centre.bookings);
    let form = |first: &str, last: &str, hours: &str| {
        format!(
            "name=Day&first_start={first}&last_start={last}&hours={hours}&break_minutes=30&days=5&most_people=&cost=20\
             &limit_secs=5&day={TODAY}"
        )
    };
    let late = planner.post(&address, &form("12%3A00", "14%3A00", "6")).await;
    assert_eq!(late.status, StatusCode::UNPROCESSABLE_ENTITY);
    late.says("Nobody can be there on Monday at 08:00").says("let a kind of shift start at 08:00");
    let odd = planner.post(&address, &form("08%3A10", "14%3A00", "8")).await;
    odd.says("Day, first start: must be a multiple of 30 minutes");
    let queued = planner.post(&address, &form("07%3A00", "14%3A00", "8")).await;
    assert_eq!(queued.status, StatusCode::SEE_OTHER, "{}", queued.text);
    let page = planner.get(&format!("/staffing/{}/roster?day={TODAY}", centre.bookings)).await;
    page.says("Waiting for a worker.");
}

#[sqlx::test(migrations = false)]
async fn lines_are_sized_for_the_busy_interval_and_checked(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/lines", centre.bookings);
    planner.get(&format!("{address}?day={TODAY}")).await.says("lines to block no more than 1 %");
    let form = "blocking=2&ring_secs=6&menu_secs=20&announcement_secs=12&wrap_up=10&lines=2&menu_ports=50&announcement_ports=";
    let saved = planner.post(&address, &format!("{form}&day={TODAY}")).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    let page = planner.get(&format!("{address}?day={TODAY}")).await;
    page.says("too few").says("suffices").says("not known");
    let wrong = planner.post(&address, &form.replace("blocking=2", "blocking=0")).await;
    wrong.says("0 % would need endless lines");
}

#[sqlx::test(migrations = false)]
async fn what_single_contacts_say_is_looked_at_and_taken_in_parts(pool: PgPool) {
    use barometer_strategy::Duration;
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let bookings = centre.bookings;
    let address = format!("/staffing/{bookings}/contacts");
    let send = async |text: String| planner.upload_to(&address, "contacts.csv", "", text).await;
    let refused = send("arrived_at,outcome\n".to_owned()).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused
        .says("must name the columns arrived_at, waited_secs and outcome")
        .says("Nothing was changed");
    send("arrived_at,waited_secs,outcome\n2026-11-20 10:00,3,abandoned\n".to_owned())
        .await
        .says("too few to say how long they wait");
    // Sixty who give up after 20 to 39 s, and as many who are answered after 20 s.
    let mut text = "arrived_at;waited_secs;outcome;handled_secs;customer\n".to_owned();
    for nth in 0..60 {
        let day = 1 + nth / 12;
        text += &format!("2026-11-{day:02} 10:{nth:02}:00;{};abandoned;;A{nth}\n", 20 + nth % 20);
        text += &format!("2026-11-{day:02} 11:{nth:02}:00;20;answered;{};A{nth}\n", 100 + nth);
    }
    let page = send(text).await;
    page.says("120 contacts of Bookings waited or could have, 60 abandoned")
        .says("Spread of patience");
    page.says("Call again after abandoning").says("100.0 %, after 60 min");
    let measured = r#"{"patience":{"weibull":{"mean_secs":33.4,"shape":4.0}},"handling":{"gamma":{"mean_secs":129.0,"variation":0.2}},"after_abandoning":{"share":1.0,"after":{"exponential":{"mean_secs":3570.0}},"most_attempts":5}}"#;
    let take = async |more: &str, measured: &str| {
        let version =
            centre.store.version_of(barometer_store::Edited::Habits(bookings)).await.unwrap();
        let mut form = form_urlencoded::Serializer::new(String::new());
        let form = form.append_pair("measured", measured).finish();
        planner.post(&format!("{address}/take"), &format!("based_on={version}&{form}{more}")).await
    };
    take("&patience=on", "{\"patience\":7}")
        .await
        .says("Nothing was saved: these are no customers");
    let odd = measured.replace("0.2", "700");
    take("&handling=on", &odd).await.says("needs a variation from 0.01 to 20");
    let taken = take("&patience=on&handling=on", measured).await;
    assert_eq!(taken.status, StatusCode::SEE_OTHER, "{}", taken.text);
    let of = async || centre.store.contact_type(bookings).await.unwrap();
    let after = of().await;
    assert_eq!(after.rules.patience_secs, Some(33.0), "needs take the mean");
    assert!(matches!(after.habits.handling, Some(Duration::Gamma { .. })));
    assert_eq!(after.habits.after_abandoning, None, "that was not to be taken");
    planner.get(taken.location()).await.says("Measured: patience as Weibull, shape 4.00");
    // A trial takes how they spread, with the means of the targets and the forecast.
    let form = format!(
        "contact_type={bookings}&version={}&days={TODAY}&cover=need&demand=exact&replications=5&seed=1&handling=measured",
        centre.strategy_version
    );
    planner.post("/trials", &form).await;
    let trial = centre.store.latest_trials(None, 1).await.unwrap()[0].id;
    let customers = centre.store.trial(trial).await.unwrap().inputs.types[0].customers.clone();
    assert_eq!(customers.patience, Some(Duration::Weibull { mean_secs: 33.0, shape: 4.0 }));
    assert_eq!(customers.handling, Duration::Gamma { mean_secs: 1.0, variation: 0.2 });
    planner.get(&format!("/trials/{trial}")).await.says("measured handle times");
    // Whoever looked at an older page is told, and nothing is saved.
    let stale =
        planner.post(&format!("{address}/take"), "based_on=0&measured={}&patience=on").await;
    stale.says("Nothing was saved");
    assert_eq!(of().await.habits, after.habits);
    // Targets are undone as after any other change of them.
    let targets = barometer_store::Edited::Targets(bookings);
    let version = centre.store.version_of(targets).await.unwrap();
    let undo = format!("/staffing/{bookings}/targets/undo");
    planner.post(&undo, &format!("based_on={version}&day={TODAY}")).await;
    assert_ne!(of().await.rules.patience_secs, Some(33.0));
}
