//! The switch through its interface: what it takes, what it tells, and that nothing it told is lost or told twice.

#![expect(clippy::unwrap_used, reason = "a test stops where something is missing")]

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

use axum::body::{Body, to_bytes};
use axum::http::{Method, Request, StatusCode};
use barometer_simulate::DemandInterval;
use barometer_strategy::{Campaign, Customers, OpenHours, Pacing, Strategy};
use barometer_switch::{Options, Switch};
use barometer_wire::{
    Accepted, Caller, Conduct, DayPlan, Disturbance, IntervalPage, IntervalRow, Live, PlannedTeam,
    Refusal, Release, StaffingPage, StaffingRow, SwitchState,
};
use jiff::civil::{Date, date, time};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use serde::Serialize;
use serde::de::DeserializeOwned;
use tower::ServiceExt;

const DAY: Date = date(2026, 11, 23);

/// A folder of a test's own, away when the test is over.
struct Home(PathBuf);

impl Home {
    fn new() -> Self {
        static NEXT: AtomicU32 = AtomicU32::new(0);
        let nth = NEXT.fetch_add(1, Ordering::Relaxed);
        let path = std::env::temp_dir().join(format!("switch-{}-{nth}", std::process::id()));
        Self(path)
    }
}

impl Drop for Home {
    fn drop(&mut self) {
        // A folder that was never made cannot be removed, and need not be.
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

fn at(hour: i8, minute: i8) -> Timestamp {
    DAY.at(hour, minute, 0, 0).to_zoned(TimeZone::UTC).unwrap().timestamp()
}

fn start(folder: &Path) -> Switch {
    Switch::start(Options {
        folder: folder.to_owned(),
        token: "let me in".to_owned(),
        begins: at(7, 0),
        // The clock stands still unless it is moved.
        speed: 0.0,
        zone: TimeZone::UTC,
        seed: 7,
        disturbances: Vec::new(),
    })
    .unwrap()
}

async fn ask(switch: &Switch, method: Method, path: &str, body: String) -> (StatusCode, String) {
    let request = Request::builder()
        .method(method)
        .uri(path)
        .header("authorization", "Bearer let me in")
        .header("content-type", "application/json")
        .body(Body::from(body))
        .unwrap();
    let answer = switch.router().oneshot(request).await.unwrap();
    let status = answer.status();
    let bytes = to_bytes(answer.into_body(), 64 << 20).await.unwrap();
    (status, String::from_utf8(bytes.to_vec()).unwrap())
}

async fn get<T: DeserializeOwned>(switch: &Switch, path: &str) -> T {
    let (status, text) = ask(switch, Method::GET, path, String::new()).await;
    assert_eq!(status, StatusCode::OK, "{path}: {text}");
    serde_json::from_str(&text).unwrap()
}

async fn put(switch: &Switch, path: &str, body: &impl Serialize) -> (StatusCode, String) {
    ask(switch, Method::PUT, path, serde_json::to_string(body).unwrap()).await
}

async fn behave(switch: &Switch, conduct: &Conduct) -> (StatusCode, String) {
    ask(switch, Method::POST, "/v1/conduct", serde_json::to_string(conduct).unwrap()).await
}

/// Moves the clock on, and waits until the world has come there.
async fn until(switch: &Switch, moment: Timestamp) -> SwitchState {
    let conduct = Conduct { until: Some(moment), ..Conduct::default() };
    assert_eq!(behave(switch, &conduct).await.0, StatusCode::OK);
    for _ in 0..400 {
        let (status, text) = ask(switch, Method::GET, "/v1/state", String::new()).await;
        if status == StatusCode::OK {
            let state: SwitchState = serde_json::from_str(&text).unwrap();
            if state.clock.now >= moment {
                return state;
            }
        }
        tokio::time::sleep(Duration::from_millis(25)).await;
    }
    panic!("the world never came to {moment}");
}

async fn rows(switch: &Switch) -> Vec<IntervalRow> {
    get::<IntervalPage>(switch, "/v1/intervals?limit=20000").await.rows
}

async fn staffing(switch: &Switch) -> Vec<StaffingRow> {
    get::<StaffingPage>(switch, "/v1/staffing?limit=20000").await.rows
}

fn plan(day: Date) -> DayPlan {
    DayPlan {
        date: day,
        zone: "UTC".to_owned(),
        start: day.to_zoned(TimeZone::UTC).unwrap().timestamp(),
        interval_secs: 1800.0,
        teams: vec![PlannedTeam { team: "team".to_owned(), people: vec![8; 48] }],
        callers: vec![Caller {
            contact_type: "Calls".to_owned(),
            within_secs: 20.0,
            customers: Customers::calls(180.0, Some(120.0)),
            intervals: vec![DemandInterval { contacts: 60.0, handle_secs: 180.0 }; 48],
        }],
    }
}

fn release(number: u32, change: impl FnOnce(&mut Strategy)) -> Release {
    let mut strategy = Strategy::plain("Calls");
    change(&mut strategy);
    Release::of(number, number, "Plain", serde_json::to_value(&strategy).unwrap())
}

async fn begun(folder: &Path) -> Switch {
    let switch = start(folder);
    let path = format!("/v1/days/{DAY}");
    assert_eq!(put(&switch, &path, &plan(DAY)).await.0, StatusCode::OK);
    let tomorrow = DAY.tomorrow().unwrap();
    let path = format!("/v1/days/{tomorrow}");
    assert_eq!(put(&switch, &path, &plan(tomorrow)).await.0, StatusCode::OK);
    assert_eq!(put(&switch, "/v1/releases/1", &release(1, |_| ())).await.0, StatusCode::OK);
    switch
}

#[tokio::test]
async fn a_day_goes_by_and_is_told_interval_by_interval() {
    let home = Home::new();
    let switch = begun(&home.0).await;
    let state = until(&switch, at(10, 10)).await;
    assert_eq!(state.teams[0].planned, 8);
    assert!(state.teams[0].on_shift >= 4, "{:?}", state.teams);
    assert_eq!(state.types[0].intervals.len(), 21);
    assert_eq!(state.queues[0].intervals.len(), 21);
    let told = rows(&switch).await;
    let numbers: Vec<u64> = told.iter().map(|row| row.sequence).collect();
    assert_eq!(numbers, (1..=told.len() as u64).collect::<Vec<_>>());
    // Intervals until 9:30 are over at 10:10: nobody waits half an hour here.
    assert!((19..=20).contains(&told.len()), "{}", told.len());
    for row in &told {
        assert_eq!(row.offered, row.answered + row.abandoned + row.elsewhere, "{row:?}");
        assert_eq!(row.handled, row.answered, "{row:?}");
    }
    let offered: u32 = told.iter().map(|row| row.offered).sum();
    let expected = 60.0 * told.len() as f64;
    // A day's factor of 7 %, a drift of 8 %, and Poisson: four of the first.
    assert!((f64::from(offered) / expected - 1.0).abs() < 0.36, "{offered} of {expected}");
    let staffing = staffing(&switch).await;
    let is_missed = |row: &StaffingRow| {
        row.most_on_shift.is_some_and(|most| row.staffed_secs < f64::from(most) * row.secs - 1.0)
    };
    assert!(staffing.iter().any(is_missed), "somebody is late or away now and then");
    // Twenty half-hours are over at 10:10, also where contacts still wait.
    assert_eq!(staffing.len(), 20);
    for (row, (number, half_hour)) in staffing.iter().zip((1..).zip(0_i64..)) {
        assert_eq!((row.sequence, row.team.as_str()), (number, "team"));
        assert_eq!(row.start, at(0, 0).checked_add((30 * half_hour).minutes()).unwrap());
        assert!(row.busy_secs <= row.staffed_secs + 1e-6, "{row:?}");
        // Of eight planned people some are late, sick or away.
        assert!((3.0..=8.5).contains(&(row.staffed_secs / row.secs)), "{row:?}");
        let most = row.most_on_shift.map_or(0.0, f64::from);
        assert!(row.staffed_secs <= (most + 0.5) * row.secs, "{row:?}");
    }
    let page: IntervalPage = get(&switch, "/v1/intervals?after=3&limit=2").await;
    assert_eq!(page.rows, told[3..5]);
    assert_eq!(page.last, told.len() as u64);
    switch.stop();
}

#[tokio::test]
async fn a_switch_that_is_killed_over_and_over_tells_every_interval_once() {
    let (calm, mut killed) = (Home::new(), Home::new());
    let switch = begun(&calm.0).await;
    let tomorrow = at(0, 0).checked_add(24.hours()).unwrap();
    let end = tomorrow.checked_add(10.hours()).unwrap();
    until(&switch, at(13, 0)).await;
    let storm = Disturbance::Storm {
        contact_type: "Calls".to_owned(),
        from: at(13, 0),
        minutes: 90.0,
        factor: 1.5,
    };
    let conduct = Conduct { disturbances: vec![storm], ..Conduct::default() };
    behave(&switch, &conduct).await;
    until(&switch, end).await;
    let wanted = rows(&switch).await;
    let wanted_staffing = staffing(&switch).await;
    switch.stop();

    let mut switch = begun(&killed.0).await;
    let mut moment = at(7, 0);
    let mut nth = 0_i64;
    while moment < end {
        moment = moment.checked_add((61 + 13 * (nth % 4)).minutes()).unwrap().min(end);
        if moment > at(13, 0)
            && !matches!(get::<Conduct>(&switch, "/v1/conduct").await, Conduct { disturbances, .. } if !disturbances.is_empty())
        {
            until(&switch, at(13, 0)).await;
            behave(&switch, &conduct).await;
        }
        until(&switch, moment).await;
        // What a kill at this moment would have left; every third time in the middle of a line.
        let left = Home::new();
        std::fs::create_dir_all(&left.0).unwrap();
        for file in ["clock", "snapshot", "intervals.jsonl", "staffing.jsonl"] {
            std::fs::copy(killed.0.join(file), left.0.join(file)).unwrap();
        }
        if nth % 3 == 2 {
            for file in ["intervals.jsonl", "staffing.jsonl"] {
                let file = left.0.join(file);
                let text = std::fs::read_to_string(&file).unwrap();
                std::fs::write(&file, &text[..text.len() - 20]).unwrap();
            }
        }
        switch.stop();
        killed = left;
        switch = start(&killed.0);
        nth += 1;
    }
    until(&switch, end).await;
    let mut got = rows(&switch).await;
    let numbers: Vec<u64> = got.iter().map(|row| row.sequence).collect();
    assert_eq!(numbers, (1..=got.len() as u64).collect::<Vec<_>>(), "numbered without gaps");
    got.sort_by_key(|row| row.start);
    let mut wanted = wanted;
    wanted.sort_by_key(|row| row.start);
    let without_number = |rows: Vec<IntervalRow>| -> Vec<IntervalRow> {
        rows.into_iter().map(|row| IntervalRow { sequence: 0, ..row }).collect()
    };
    assert_eq!(without_number(got), without_number(wanted));
    assert_eq!(staffing(&switch).await, wanted_staffing);
    switch.stop();
}

#[tokio::test]
async fn a_release_is_taken_once_and_nobody_who_waits_is_lost() {
    let home = Home::new();
    let switch = begun(&home.0).await;
    let before = until(&switch, at(11, 7)).await;
    let here = before.present.contacts.len();
    assert!(here > 0);
    let second = release(2, |strategy| {
        strategy.first_queue_mut().unwrap().longest_wait_secs = Some(40.0);
        strategy.first_queue_mut().unwrap().exits.too_long = barometer_strategy::Next::BusyTone;
    });
    let (status, text) = put(&switch, "/v1/releases/2", &second).await;
    assert_eq!(status, StatusCode::OK, "{text}");
    let accepted: Accepted = serde_json::from_str(&text).unwrap();
    let after = until(&switch, at(11, 7)).await;
    assert_eq!(after.present.contacts.len(), here);
    let (status, again) = put(&switch, "/v1/releases/2", &second).await;
    assert_eq!((status, again), (StatusCode::OK, text), "the same release again changes nothing");
    let live: Live = get(&switch, "/v1/live").await;
    assert_eq!(live.release.as_ref(), Some(&accepted));
    assert_eq!(live.version, Some(2));
    // The way back is a release with a higher number.
    let (status, text) = put(&switch, "/v1/releases/3", &release(3, |_| ())).await;
    assert_eq!(status, StatusCode::OK, "{text}");
    switch.stop();
    let switch = start(&home.0);
    let live: Live = get(&switch, "/v1/live").await;
    assert_eq!(live.version, Some(3), "it is kept over a restart");
    switch.stop();
}

#[tokio::test]
async fn what_cannot_be_done_is_refused_with_a_reason_and_changes_nothing() {
    let home = Home::new();
    let switch = begun(&home.0).await;
    let message = |text: &str| serde_json::from_str::<Refusal>(text).unwrap().message;
    let other = release(1, |strategy| strategy.name = "Other".to_owned());
    let (status, text) = put(&switch, "/v1/releases/1", &other).await;
    assert_eq!(status, StatusCode::CONFLICT);
    assert!(message(&text).contains("another strategy"), "{text}");
    put(&switch, "/v1/releases/5", &release(5, |_| ())).await;
    let (status, text) = put(&switch, "/v1/releases/4", &release(4, |_| ())).await;
    assert_eq!(status, StatusCode::CONFLICT);
    assert!(message(&text).contains("release 5 is live"), "{text}");
    let broken = release(6, |strategy| strategy.entries.clear());
    let (status, text) = put(&switch, "/v1/releases/6", &broken).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{text}");
    let changed = Release { digest: "0".to_owned(), ..release(7, |_| ()) };
    assert_eq!(put(&switch, "/v1/releases/7", &changed).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    let mut short = plan(DAY);
    short.teams[0].people.pop();
    let (status, text) = put(&switch, &format!("/v1/days/{DAY}"), &short).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(message(&text).contains("47 intervals, and the day has 48"), "{text}");
    let elsewhere = DayPlan { zone: "Europe/Nowhere".to_owned(), ..plan(DAY) };
    let (_, text) = put(&switch, &format!("/v1/days/{DAY}"), &elsewhere).await;
    assert!(message(&text).contains("no time zone"), "{text}");
    let (status, text) = ask(&switch, Method::PUT, "/v1/releases/8", "{".to_owned()).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(!message(&text).is_empty());
    let fast = Conduct { speed: Some(601.0), ..Conduct::default() };
    assert_eq!(behave(&switch, &fast).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    let live: Live = get(&switch, "/v1/live").await;
    assert_eq!(live.version, Some(5));
    let request = Request::get("/v1/live").header("authorization", "Bearer let me out");
    let answer = switch.router().oneshot(request.body(Body::empty()).unwrap()).await.unwrap();
    assert_eq!(answer.status(), StatusCode::UNAUTHORIZED);
    switch.stop();
}

#[tokio::test]
async fn a_campaign_that_bursts_rings_more_of_its_people_while_it_lasts() {
    let release = release(2, |strategy| {
        let mut campaign = Campaign::named("news", "News", "team");
        let midnight = time(0, 0, 0, 0);
        campaign.hours = vec![OpenHours { days: Vec::new(), from: midnight, until: midnight }];
        campaign.local_hours.from = midnight;
        campaign.local_hours.until = time(23, 59, 59, 0);
        campaign.list.people = 100_000;
        campaign.pacing = Pacing::Steady { lines_per_agent: 1.0 };
        strategy.campaigns = vec![campaign];
    });
    let burst = |campaign: &str| {
        Some(Disturbance::CampaignBurst {
            campaign: campaign.to_owned(),
            from: at(10, 0),
            minutes: 30.0,
            factor: 3.0,
        })
    };
    let left = async |disturbance: Option<Disturbance>| {
        let home = Home::new();
        let switch = begun(&home.0).await;
        assert_eq!(put(&switch, "/v1/releases/2", &release).await.0, StatusCode::OK);
        until(&switch, at(10, 0)).await;
        let disturbances = disturbance.into_iter().collect();
        let conduct = Conduct { disturbances, ..Conduct::default() };
        assert_eq!(behave(&switch, &conduct).await.0, StatusCode::OK);
        let state = until(&switch, at(10, 30)).await;
        switch.stop();
        state.campaigns[0].left
    };
    // What its world is told of another campaign changes nothing but the calls that ring at that moment.
    let calm = left(burst("another")).await;
    assert!(calm < 100_000, "it rings");
    assert!(calm.abs_diff(left(None).await) <= 2);
    assert!(left(burst("news")).await < calm, "more people are done with");
}

#[tokio::test]
async fn an_outage_is_silence_and_marks_its_intervals() {
    let home = Home::new();
    let switch = begun(&home.0).await;
    until(&switch, at(8, 0)).await;
    let outage = Disturbance::Outage { from: at(9, 0), minutes: 30.0 };
    let conduct = Conduct { disturbances: vec![outage], ..Conduct::default() };
    assert_eq!(behave(&switch, &conduct).await.0, StatusCode::OK);
    let conduct = Conduct { until: Some(at(9, 10)), ..Conduct::default() };
    behave(&switch, &conduct).await;
    for _ in 0..200 {
        if ask(&switch, Method::GET, "/v1/state", String::new()).await.0
            == StatusCode::SERVICE_UNAVAILABLE
        {
            break;
        }
        tokio::time::sleep(Duration::from_millis(25)).await;
    }
    let (status, _) = ask(&switch, Method::GET, "/v1/intervals", String::new()).await;
    assert_eq!(status, StatusCode::SERVICE_UNAVAILABLE);
    until(&switch, at(11, 0)).await;
    let told = rows(&switch).await;
    let of = |hour, minute| told.iter().find(|row| row.start == at(hour, minute)).unwrap();
    assert!(of(9, 0).outage && !of(8, 30).outage && !of(9, 30).outage);
    assert!(of(9, 0).offered < of(8, 30).offered / 4);
    switch.stop();
}
