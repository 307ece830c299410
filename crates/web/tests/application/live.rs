//! The circle with a telephone switch: it is told what is to be, tells what is, and survives being away.

use std::path::PathBuf;
use std::time::Duration;

use axum::http::StatusCode;
use barometer_app::live::{self, Become, Done, Live, SwitchAddress, SwitchClient, View};
use barometer_plan::{Help, HelpKind};
use barometer_store::{ReleaseAnswer, Role};
use barometer_strategy::{Edit, Strategy};
use barometer_switch::{Options, Switch};
use barometer_wire::{Conduct, Disturbance};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use sqlx::PgPool;
use tokio::net::TcpListener;
use tokio::sync::watch;
use tokio::task::JoinHandle;
use uuid::Uuid;

use crate::visitor::{Answer, Centre, TODAY, Visitor, at};

/// A switch on a port of its own, and what hears it.
struct Circle {
    folder: PathBuf,
    address: SwitchAddress,
    switch: Option<Switch>,
    serving: Option<JoinHandle<()>>,
    live: Live,
    stop: watch::Sender<bool>,
}

impl Circle {
    async fn begin(centre: &Centre) -> Self {
        let folder = std::env::temp_dir().join(format!("circle-{}", Uuid::new_v4()));
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let address = format!("http://{}", listener.local_addr().unwrap());
        let address = SwitchAddress { address, token: "tide".to_owned() };
        let live = Live::of(Some(address.clone()));
        let (stop, stopped) = watch::channel(false);
        tokio::spawn(live::run(centre.store.clone(), live.clone(), stopped));
        let mut circle = Self { folder, address, switch: None, serving: None, live, stop };
        circle.start(listener);
        circle
    }

    fn start(&mut self, listener: TcpListener) {
        let switch = Switch::start(Options {
            folder: self.folder.clone(),
            token: self.address.token.clone(),
            begins: at("2026-11-23T09:40"),
            speed: 0.0,
            zone: TimeZone::get("Europe/London").unwrap(),
            seed: 4,
            disturbances: Vec::new(),
        })
        .unwrap();
        let router = switch.router();
        self.serving = Some(tokio::spawn(async move {
            axum::serve(listener, router).await.unwrap();
        }));
        self.switch = Some(switch);
    }

    fn client(&self) -> SwitchClient {
        SwitchClient::of(self.address.clone())
    }

    /// Waits until what is known of the switch is as wanted.
    async fn until(&self, what: &str, is_so: impl Fn(&View) -> bool) -> View {
        let mut view = self.live.view();
        let waited = tokio::time::timeout(Duration::from_secs(40), view.wait_for(is_so)).await;
        match waited {
            Ok(view) => view.unwrap().clone(),
            Err(_) => panic!("it never came to this: {what}; {:?}", self.live.view().borrow()),
        }
    }

    /// Waits until so many rows of intervals are kept.
    async fn taken(&self, centre: &Centre, rows: u64) {
        let switch = self.client().live().await.unwrap().switch;
        for _ in 0..200 {
            if centre.store.last_switch_row(&switch).await.unwrap() >= rows {
                return;
            }
            self.live.wake();
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("{rows} rows were never taken");
    }

    /// So many times the usual calls from 9:40 on.
    async fn storm(&self, minutes: f64, factor: f64) {
        let storm = Disturbance::Storm {
            contact_type: "Bookings".to_owned(),
            from: at("2026-11-23T09:40"),
            minutes,
            factor,
        };
        let conduct = Conduct { disturbances: vec![storm], ..Conduct::default() };
        self.client().behave(&conduct).await.unwrap();
    }

    async fn move_on(&self, to: Timestamp) -> View {
        let conduct = Conduct { until: Some(to), ..Conduct::default() };
        self.client().behave(&conduct).await.unwrap();
        self.live.wake();
        let is_there = |view: &View| view.state.as_ref().is_some_and(|state| state.clock.now >= to);
        self.until("the clock has moved on", is_there).await
    }
}

impl Drop for Circle {
    fn drop(&mut self) {
        self.stop.send_replace(true);
        if let Some(serving) = self.serving.take() {
            serving.abort();
        }
        if let Some(switch) = self.switch.take() {
            switch.stop();
        }
        // What another test's folder is called is another name: nothing else is lost.
        let _ = std::fs::remove_dir_all(&self.folder);
    }
}

fn is_as_it_should(view: &View) -> bool {
    view.is_as_it_should == Some(true)
        && view.state.as_ref().is_some_and(|state| !state.types.is_empty())
}

#[sqlx::test(migrations = false)]
async fn a_release_reaches_the_switch_and_its_day_comes_back(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let circle = Circle::begin(&centre).await;
    circle.until("the switch has the strategy and the plan", is_as_it_should).await;
    let release = centre.store.live_release(centre.centre).await.unwrap().unwrap();
    assert!(matches!(release.answer, Some(ReleaseAnswer::Live(_))), "{release:?}");
    let planner = centre.visitor_of(&circle.live, Role::Planner).await;
    planner.get("/go-live").await.says("On the switch: v1").says("as it is to be");
    let board = planner.get("/watch").await;
    board.says("How is today going?").says("Bookings").says("By tonight").says(" of 9");
    // What it tells is kept once, however often it is told.
    let view = circle.move_on(at("2026-11-23T13:10")).await;
    let told = view.state.unwrap().last_interval;
    assert!(told >= 8, "{told}");
    circle.until("rows are taken", is_as_it_should).await;
    circle.taken(&centre, told).await;
    let switch = circle.client().live().await.unwrap().switch;
    let (from, to) = (at("2026-11-23T00:00"), at("2026-11-24T00:00"));
    let rows = centre.store.switch_rows(centre.centre, from, to).await.unwrap();
    assert!(rows.len() as u64 >= told);
    let again = centre.store.add_switch_rows(centre.centre, &switch, &rows).await.unwrap();
    assert_eq!(again, 0, "a row that is told twice is kept once");
    // A later version goes live there, and the way back is one press.
    let mut other = Strategy::plain("Bookings");
    other.first_queue_mut().unwrap().places = Some(3);
    let version = centre.store.add_strategy_version(centre.centre, &other, None).await.unwrap();
    centre.store.go_live(version, None, None, "fewer places").await.unwrap();
    circle.live.wake();
    let number = centre.store.live_release(centre.centre).await.unwrap().unwrap().number;
    for _ in 0..100 {
        let there = circle.client().live().await.unwrap();
        if there.release.is_some_and(|there| there.number == number.unsigned_abs()) {
            assert_eq!(there.version, Some(2));
            return;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("v2 never reached the switch");
}

#[sqlx::test(migrations = false)]
async fn the_board_comes_as_it_changes_to_those_who_have_signed_in(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let circle = Circle::begin(&centre).await;
    circle.until("it is heard", is_as_it_should).await;
    let stranger = centre.stranger().get("/watch/stream").await;
    assert_eq!(stranger.status, StatusCode::SEE_OTHER);
    let viewer = centre.visitor_of(&circle.live, Role::Viewer).await;
    let first = viewer.begins("/watch/stream").await;
    assert!(first.starts_with("event: board"), "{first}");
    assert!(first.contains("Bookings") && first.contains("09:40"), "{first}");
}

#[sqlx::test(migrations = false)]
async fn a_board_of_a_planners_own_has_the_figures_of_the_switch(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let circle = Circle::begin(&centre).await;
    circle.until("the switch has the strategy and the plan", is_as_it_should).await;
    let view = circle.move_on(at("2026-11-23T11:10")).await;
    let state = view.state.clone().unwrap();
    let planner = centre.visitor_of(&circle.live, Role::Planner).await;
    let (team, queue) = (&state.teams[0], &state.queues[0]);
    let figure = |figure: &str, of: &str| {
        format!(
            "{{\"shows\":{{\"figure\":{{\"figure\":\"{figure}\",\"of\":\"{of}\"}}}},\"is_wide\":false}}"
        )
    };
    let tiles = [
        figure("level_so_far", "Bookings"),
        figure("team_on_shift", &team.team),
        figure("queue_waiting", &queue.step),
        figure("campaign_lines", "gone"),
        "{\"shows\":{\"strip\":{\"contact_type\":\"Bookings\"}},\"is_wide\":true}".to_owned(),
        "{\"shows\":\"alarms\"}".to_owned(),
    ];
    let form = tiles
        .iter()
        .fold("name=Floor".to_owned(), |form, tile| format!("{form}&tile={}", percent(tile)));
    let saved = planner.post("/watch/boards", &form).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    let board = planner.get(saved.location()).await;
    board
        .says("service level since opening · target")
        .says(&format!("{} of {}", team.on_shift, team.planned))
        .says(&team.name)
        .says(&queue.name)
        .says("not on the switch now")
        .says("Pressure of Bookings over the day")
        .says("Alarms that ring");
    // The whole day's board has the same level.
    let level = board.text.split("service level since opening").next().unwrap();
    let level = level.rsplit("<p class=\"value").next().unwrap().split('>').nth(1).unwrap();
    let level = level.split('<').next().unwrap();
    assert!(level.ends_with('%'), "{level}");
    planner.get("/watch").await.says(&format!("<td class=\"num big\">{level}</td>"));
}

/// A text as a form sends it.
fn percent(text: &str) -> String {
    text.bytes().map(|byte| format!("%{byte:02X}")).collect()
}

#[sqlx::test(migrations = false)]
async fn the_board_in_figures_is_what_the_switch_said(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let circle = Circle::begin(&centre).await;
    circle.until("it is heard", is_as_it_should).await;
    let state = circle.move_on(at("2026-11-23T11:00")).await.state.unwrap();
    let viewer = centre.store.user_by_email("viewer@example.org").await.unwrap().unwrap();
    let secret = centre.store.add_token(centre.centre, "Wall", viewer.id).await.unwrap();
    let script = centre.visitor_of(&circle.live, Role::Viewer).await;
    let request =
        axum::http::Request::get("/api/board").header("authorization", format!("Bearer {secret}"));
    let told = script.send(request, axum::body::Body::empty()).await;
    assert_eq!(told.status, StatusCode::OK, "{}", told.text);
    let board: barometer_wire::centre::Board = serde_json::from_str(&told.text).unwrap();
    assert_eq!((board.date, board.is_old), (TODAY, false));
    assert!(board.at >= state.clock.now && board.heard_secs_ago < 5.0);
    let [bookings] = board.types.as_slice() else { panic!("{board:?}") };
    let offered: f64 = state.types[0].intervals.iter().map(|each| each.offered).sum();
    assert!(offered > 50.0 && bookings.offered >= offered, "{offered} {bookings:?}");
    assert_eq!((bookings.target, bookings.within_secs), (Some(0.8), 20.0));
    let tonight = bookings.by_tonight.unwrap();
    assert!((0.0..=1.0).contains(&tonight.chance));
    assert!(tonight.low <= tonight.high);
    let [team] = board.teams.as_slice() else { panic!("{board:?}") };
    assert!(team.planned == 9 && team.free + team.talking + team.wrapping_up <= team.on_shift);
    assert_eq!(board.queues.len(), 1);
}

#[sqlx::test(migrations = false)]
async fn a_switch_that_is_away_is_said_to_be_and_heard_again(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let mut circle = Circle::begin(&centre).await;
    circle.until("it is heard", is_as_it_should).await;
    let planner = centre.visitor_of(&circle.live, Role::Planner).await;
    let outage = Disturbance::Outage { from: at("2026-11-23T09:40"), minutes: 15.0 };
    let conduct = Conduct { disturbances: vec![outage], ..Conduct::default() };
    circle.client().behave(&conduct).await.unwrap();
    circle.until("it is out of order", |view| view.trouble.is_some()).await;
    planner.get("/watch").await.says("out of order").says("09:40");
    planner.get("/go-live").await.says("waits to be published");
    let conduct = Conduct { until: Some(at("2026-11-23T10:00")), ..Conduct::default() };
    circle.client().behave(&conduct).await.unwrap();
    circle.until("it is heard again", |view| view.trouble.is_none()).await;
    // It is stopped and started again where it was.
    let port = circle.address.address.trim_start_matches("http://").to_owned();
    circle.serving.take().unwrap().abort();
    circle.switch.take().unwrap().stop();
    circle.until("it does not answer", |view| view.trouble.is_some()).await;
    let mut listener = None;
    for _ in 0..50 {
        match TcpListener::bind(&port).await {
            Ok(free) => {
                listener = Some(free);
                break;
            }
            Err(_) => tokio::time::sleep(Duration::from_millis(100)).await,
        }
    }
    circle.start(listener.expect("the port is free again"));
    let is_back = |view: &View| {
        view.trouble.is_none()
            && view.state.as_ref().is_some_and(|state| state.clock.now >= at("2026-11-23T10:00"))
    };
    circle.until("it goes on where it was", is_back).await;
}

#[sqlx::test(migrations = false)]
async fn a_day_that_is_over_becomes_history_and_today_goes_on(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let circle = Circle::begin(&centre).await;
    circle.until("it is heard", is_as_it_should).await;
    let end = centre.store.history_end(centre.bookings).await.unwrap().unwrap();
    assert!(end < at("2026-11-23T00:00"));
    circle.move_on(at("2026-11-24T00:30")).await;
    let tomorrow = TODAY.tomorrow().unwrap();
    for _ in 0..150 {
        circle.live.wake();
        tokio::time::sleep(Duration::from_millis(200)).await;
        let known = centre.store.centre().await.unwrap().unwrap();
        let end = centre.store.history_end(centre.bookings).await.unwrap().unwrap();
        if known.today == Some(tomorrow) && end >= at("2026-11-23T17:30") {
            // The forecast is made again, by a worker.
            let run = centre.store.open_forecast_run(centre.centre).await.unwrap();
            assert!(run.is_some(), "the forecasts are queued");
            let day = centre.store.history_since(centre.bookings, at("2026-11-23T00:00")).await;
            let day = day.unwrap();
            let offered: f64 = day.iter().map(|interval| interval.offered).sum();
            let forecast: f64 = (16..36).map(|half: i32| f64::from(40 - (half - 20).abs())).sum();
            assert!((offered / forecast - 1.0).abs() < 0.5, "{offered} of {forecast}");
            return;
        }
    }
    panic!("the day was never closed");
}

#[sqlx::test(migrations = false)]
async fn a_day_is_held_against_its_plan_until_now_and_by_itself_when_it_is_over(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let circle = Circle::begin(&centre).await;
    circle.until("it is heard", is_as_it_should).await;
    let planner = centre.visitor_of(&circle.live, Role::Planner).await;
    planner.get("/watch/account").await.says("No day has been accounted for yet");
    let never = planner.post("/watch/account", "date=2026-11-20").await;
    assert_eq!(never.status, StatusCode::UNPROCESSABLE_ENTITY);
    never.says("No plan was kept for 2026-11-20");
    // Twice the calls for two hours, and the plan knows nothing of it.
    circle.storm(120.0, 2.0).await;
    let view = circle.move_on(at("2026-11-23T13:10")).await;
    circle.taken(&centre, view.state.unwrap().last_interval).await;
    let started = planner.post("/watch/account", "date=2026-11-23").await;
    assert_eq!(started.status, StatusCode::SEE_OTHER, "{}", started.text);
    planner.get("/watch/account").await.says("is being taken apart").says("of 17 scenarios");
    barometer_app::runs::work_off_open(&centre.store).await.unwrap();
    let account = planner.get("/watch/account").await;
    account.says("Bookings reached").says("points of that are volume").says("class=\"bridge\"");
    account.says("Agent-hours by team").says("How good were the predictions?");
    planner
        .get("/watch/account?measure=abandonment")
        .await
        .says("abandonment, from plan to actual");
    // What is told adds up: the effects of a measure are its difference.
    let file = planner.get("/watch/account/2026-11-23/csv").await;
    let rows: Vec<Vec<&str>> =
        file.text.lines().skip(1).map(|row| row.split(',').collect()).collect();
    let level: Vec<&Vec<&str>> = rows.iter().filter(|row| row[2] == "Service level").collect();
    let number = |text: &str| text.parse::<f64>().unwrap();
    let sum: f64 = level.iter().map(|row| number(row[4])).sum();
    let (before, after) = (number(level[0][6]), number(level[0][7]));
    assert!(before - after > 10.0, "the storm is felt: {before} {after}");
    assert!((sum - (after - before)).abs() < 0.01, "{sum} of {}", after - before);
    let again = planner.post("/watch/account", "date=2026-11-23").await;
    assert_eq!(again.status, StatusCode::SEE_OTHER);
    let open = centre.store.open_runs().await.unwrap();
    assert!(open.is_empty(), "the account until now is there already: {open:?}");
    let viewer = centre.visitor_of(&circle.live, Role::Viewer).await;
    viewer.get("/watch/account").await.says("Bookings reached");
    let refused = viewer.post("/watch/account", "date=2026-11-23").await;
    assert_eq!(refused.status, StatusCode::FORBIDDEN);
    // A report tells the plan of the day, interval by interval, beside what was measured so far.
    let day = "period=dates&first=2026-11-23&last=2026-11-23&against=plan";
    let so_far = viewer.get(&format!("/reports/week-review?{day}&by=interval")).await;
    so_far.says("compared with the plan").says("more than planned").says("Mon 23 Nov 12:00");
    // When the day is over it gets its account by itself.
    circle.move_on(at("2026-11-24T00:50")).await;
    let end = at("2026-11-24T00:00");
    for _ in 0..150 {
        if centre.store.has_account(centre.centre, TODAY, end).await.unwrap() {
            barometer_app::runs::work_off_open(&centre.store).await.unwrap();
            // Now the level that the plan led to is known, and the actual one is held against it.
            let told = viewer.get(&format!("/reports/week-review?{day}")).await;
            told.says("more than planned")
                .says("Plan: service level")
                .says("class=\"report-figure\">−");
            return;
        }
        circle.live.wake();
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    panic!("the day that is over never got its account");
}

/// The page of what would help, once that is worked out; no request waits for it.
async fn helps_page(planner: &Visitor) -> Answer {
    for _ in 0..200 {
        let page = planner.get("/watch/help").await;
        if !page.text.contains("is being tried") {
            return page;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("what would help was never worked out");
}

#[sqlx::test(migrations = false)]
async fn what_would_help_becomes_a_message_a_draft_or_a_change_sheet(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let circle = Circle::begin(&centre).await;
    circle.until("it is heard", is_as_it_should).await;
    circle.storm(120.0, 2.0).await;
    circle.move_on(at("2026-11-23T11:05")).await;
    let planner = centre.visitor_of(&circle.live, Role::Planner).await;
    let viewer = centre.visitor_of(&circle.live, Role::Viewer).await;
    helps_page(&planner).await.says("Call in 4 people").says("Message");
    assert!(!helps_page(&viewer).await.text.contains("Plan it"));
    let called = r#"{"call_in":{"to":"team","people":4}}"#;
    let kind: String = called.bytes().map(|byte| format!("%{byte:02X}")).collect();
    let form = format!("/watch/help/message?kind={kind}");
    planner
        .get(&form)
        .await
        .says("Please do this now: Call in 4 people")
        .says("answered in time by tonight, instead of");
    assert_eq!(viewer.get(&form).await.status, StatusCode::FORBIDDEN);
    let typed = |tells: &str, text: &str| {
        format!("kind={kind}&tells={tells}&subject=Four+more&text={text}%0D%0AThank+you")
    };
    let nobody = planner.post("/watch/help/message", &typed("", "Please")).await;
    nobody.says("Say who is to be told").says("Four more");
    assert_eq!(nobody.status, StatusCode::UNPROCESSABLE_ENTITY);
    let odd = format!("kind={kind}&tells=lead%40larkhaven.example,at+home&subject=&text=+%0D%0A");
    let odd = planner.post("/watch/help/message", &odd).await;
    odd.says("at home").says("Must not be empty");
    let sent = planner
        .post("/watch/help/message", &typed("lead%40larkhaven.example", "Please+come"))
        .await;
    assert_eq!(sent.location(), "/watch?note=asked");
    planner.get("/watch").await.says("Asked by message: Call in 4 people");
    planner.get("/watch/outbox").await.says("Four more").says("lead@larkhaven.example");
    // The plan is as it was: it was only asked for.
    let (from, to) = (at("2026-11-23T11:00"), at("2026-11-23T13:00"));
    let cover = centre.store.cover_between(centre.bookings, from, to).await.unwrap();
    assert!(cover.iter().all(|interval| interval.agents == 9), "{cover:?}");

    // A change of the strategy becomes a draft, or a version with a sheet to be filled in.
    let whose = centre.store.centre().await.unwrap().unwrap();
    let outlook = circle.live.outlook(&centre.store, &whose).await.unwrap().unwrap();
    let help = Help {
        kind: HelpKind::Change { edit: Edit::Rename("For the storm".to_owned()) },
        words: "Call it otherwise".to_owned(),
        effects: Vec::new(),
        hours: 0.0,
        worth: 0.0,
    };
    let by = centre.store.users().await.unwrap()[0].id;
    let found = (outlook.as_ref(), &help);
    let done = |what| circle.live.help(&centre.store, &whose, found, (what, by));
    let Done::Draft(draft) = done(Become::Draft).await.unwrap() else { panic!("it is no draft") };
    planner.get(&format!("/strategy?draft={draft}")).await.says("For the storm");
    let Done::Version(version) = done(Become::Version).await.unwrap() else {
        panic!("it is no version")
    };
    planner
        .get(&format!("/go-live/new?version={version}"))
        .await
        .says("Save the sheet")
        .says("Call it otherwise");
}

#[sqlx::test(migrations = false)]
async fn what_would_help_is_worked_out_from_the_switch_and_done_with_one_press(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let circle = Circle::begin(&centre).await;
    circle.until("it is heard", is_as_it_should).await;
    let planner = centre.visitor_of(&circle.live, Role::Planner).await;
    helps_page(&planner).await.says("What would help now?");
    // Twice as many for two hours, and nine people.
    circle.storm(120.0, 2.0).await;
    circle.move_on(at("2026-11-23T11:05")).await;
    circle.live.forget_outlook();
    let helps = circle
        .live
        .helps(&centre.store, &centre.store.centre().await.unwrap().unwrap())
        .await
        .unwrap()
        .unwrap();
    assert!(!helps.helps.is_empty(), "a storm needs help: {:?}", helps.outlook.ends);
    let page = helps_page(&planner).await;
    page.says("Bookings").says("Call in 4 people").says("Plan it");
    let called = r#"{"call_in":{"to":"team","people":4}}"#;
    let encoded: String = called.bytes().map(|byte| format!("%{byte:02X}")).collect();
    let done = planner.post("/watch/help", &format!("kind={encoded}")).await;
    assert_eq!(done.status, StatusCode::SEE_OTHER, "{}", done.text);
    assert_eq!(done.location(), "/watch?note=planned");
    planner.get("/watch").await.says("Done today").says("Call in 4 people");
    let admin = centre.visitor_of(&circle.live, Role::Administrator).await;
    admin.get("/people/trail").await.says("Call in 4 people");
    // What was found before is not there any more once something was done.
    let again = planner.post("/watch/help", &format!("kind={encoded}")).await;
    again.says("The day has moved on since you looked");
    let (from, to) = (at("2026-11-23T11:00"), at("2026-11-23T13:00"));
    let cover = centre.store.cover_between(centre.bookings, from, to).await.unwrap();
    let people: Vec<u32> = cover.iter().map(|interval| interval.agents).collect();
    assert_eq!(people, [9, 9, 13, 13], "in an hour, and not before");
    // The switch is told, and they come.
    let view = circle.move_on(at("2026-11-23T12:40")).await;
    let planned = view.state.unwrap().teams[0].planned;
    assert_eq!(planned, 13);
    let nonsense = planner.post("/watch/help", "kind=nothing").await;
    assert_eq!(nonsense.status, StatusCode::UNPROCESSABLE_ENTITY);
    let viewer = centre.visitor_of(&circle.live, Role::Viewer).await;
    let refused = viewer.post("/watch/help", &format!("kind={encoded}")).await;
    assert_eq!(refused.status, StatusCode::FORBIDDEN);
    // One queue's contacts are everybody's to see, single agents are not.
    viewer.get("/watch/queues/queue").await.says("Who is in");
    assert_eq!(viewer.get("/watch/teams/team").await.status, StatusCode::FORBIDDEN);
    planner.get("/watch/teams/team").await.says("Answered today");
    assert_eq!(viewer.get("/watch/queues/nothing").await.status, StatusCode::NOT_FOUND);
}

#[sqlx::test(migrations = false)]
async fn an_alarm_is_tried_on_the_past_rings_is_seen_and_clears(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let circle = Circle::begin(&centre).await;
    circle.until("it is heard", is_as_it_should).await;
    let planner = centre.visitor_of(&circle.live, Role::Planner).await;
    planner.get("/watch/alarms").await.says("No alarm is switched on.");
    // What cannot be meant comes back filled in, with a message at its field.
    let odd = "measure=waiting&contact_type=Bookings&threshold=4&clears_at=9&minutes=soon&severity=urgent&act=add";
    let refused = planner.post("/watch/alarms", odd).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("good side of the threshold").says("“soon” is not a number").says("value=\"9\"");
    let nobody = "measure=waiting&contact_type=Bookings&threshold=4&minutes=0&severity=urgent&tells=the+boss&hours=always&escalation_tells=a%40b.example&act=add";
    let refused = planner.post("/watch/alarms", nobody).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("“the boss” is neither an e-mail address").says("as 08:00-20:00");
    refused.says("Say after how many minutes").says("value=\"the boss\"");
    let silent =
        "measure=silence&contact_type=Bookings&threshold=30&minutes=0&severity=urgent&act=try";
    planner.post("/watch/alarms", silent).await.says("cannot be tried on the past");
    circle.taken(&centre, 1).await;
    let level =
        "measure=last_level&contact_type=Bookings&threshold=99.9&minutes=0&severity=notice&act=try";
    planner.post("/watch/alarms", level).await.says("it would have rung");
    let waits = "measure=waiting&contact_type=Bookings&threshold=2&clears_at=1&minutes=0&severity=urgent&tells=duty%40larkhaven.example&escalation_minutes=1&escalation_tells=harbour%40larkhaven.example&act=add";
    let added = planner.post("/watch/alarms", waits).await;
    assert_eq!(added.status, StatusCode::SEE_OTHER, "{}", added.text);
    planner.get("/watch/alarms").await.says("Bookings: contacts waiting over 2");
    let rings = async |is_open: bool| {
        for _ in 0..100 {
            let rings = centre.store.rings(centre.centre, 10).await.unwrap();
            if rings.iter().any(|ring| ring.cleared_at.is_none()) == is_open && !rings.is_empty() {
                return rings;
            }
            circle.live.wake();
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        let view = circle.live.view().borrow().clone();
        let waiting = view.state.as_ref().map(|state| state.queues[0].waiting);
        panic!("the alarm never came to this: rings {is_open}; {waiting:?} wait, {view:?}");
    };
    circle.storm(60.0, 4.0).await;
    circle.move_on(at("2026-11-23T10:20")).await;
    let open = rings(true).await;
    planner.get("/watch").await.says("Bookings: contacts waiting over 2");
    // Those who are named are written to, and others when nobody has seen it.
    circle.move_on(at("2026-11-23T10:22")).await;
    let mut written = Vec::new();
    for _ in 0..100 {
        written = centre.store.messages(centre.centre, 10).await.unwrap();
        if written.len() == 2 {
            break;
        }
        circle.live.wake();
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    let to: Vec<String> =
        written.iter().rev().map(|each| each.recipient.as_ref().unwrap().to_string()).collect();
    assert_eq!(to, ["duty@larkhaven.example", "harbour@larkhaven.example"]);
    assert!(written[0].subject.starts_with("Nobody has seen it: "), "{}", written[0].subject);
    planner.get("/watch/outbox").await.says("contacts waiting over 2");
    planner.post(&format!("/watch/alarms/{}", open[0].id), "act=seen").await;
    planner.get("/watch/alarms").await.says("A planner").says("One rings now.");
    circle.move_on(at("2026-11-23T18:40")).await;
    let cleared = rings(false).await;
    assert_eq!(cleared.len(), 1, "it rang once: {cleared:?}");
    let alarm = cleared[0].alarm;
    // It is changed in the form that it was typed in; what rang before is still told as it was.
    let form = planner.get(&format!("/watch/alarms?edit={alarm}")).await;
    form.says("Change an alarm").says("value=\"duty@larkhaven.example\"").says("Change it");
    let changed = format!("{}&alarm={alarm}", waits.replace("threshold=2", "threshold=7"));
    let bad = planner.post("/watch/alarms", &changed.replace("minutes=0", "minutes=soon")).await;
    bad.says("Change an alarm").says("“soon” is not a number");
    assert_eq!(planner.post("/watch/alarms", &changed).await.status, StatusCode::SEE_OTHER);
    let alarms = centre.store.alarms(centre.centre).await.unwrap();
    assert_eq!((alarms.len(), alarms[0].id, alarms[0].rule.threshold), (1, alarm, 7.0));
    let told = planner.get("/watch/alarms").await;
    told.says("Bookings: contacts waiting over 7").says("Bookings: contacts waiting over 2");
    let unknown = changed.replace(&alarm.to_string(), &Uuid::nil().to_string());
    assert_eq!(planner.post("/watch/alarms", &unknown).await.status, StatusCode::NOT_FOUND);
    planner.post(&format!("/watch/alarms/{alarm}"), "act=off").await;
    planner.get("/watch/alarms").await.says("Switch on");
    planner.post(&format!("/watch/alarms/{alarm}"), "act=remove").await;
    assert!(centre.store.alarms(centre.centre).await.unwrap().is_empty());
    let gone = planner.post(&format!("/watch/alarms/{alarm}"), "act=off").await;
    assert_eq!(gone.status, StatusCode::NOT_FOUND);
}
