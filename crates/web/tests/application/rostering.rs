//! A day's roster: people as bars, changed, tried, saved, and what follows from it.

use axum::http::StatusCode;
use barometer_plan::CoverInterval;
use barometer_store::{Agent, NamedAgent, Role, Save};
use jiff::Timestamp;
use serde_json::{Value, json};
use sqlx::PgPool;
use uuid::Uuid;

use crate::visitor::{Centre, Visitor};

const DAY: &str = "2026-11-25";

fn at(clock: &str) -> Timestamp {
    format!("{DAY}T{clock}:00Z").parse().unwrap()
}

/// A centre where Ada and Bram work from nine to one, and Cleo can.
async fn rostered(pool: PgPool) -> (Centre, Vec<Agent>) {
    let centre = Centre::new(pool).await;
    let named = |name: &str, works: bool| NamedAgent {
        skills: vec!["Bookings".to_owned()],
        contract_hours: Some(20.0),
        stretches: if works { vec![(at("09:00"), at("13:00"))] } else { Vec::new() },
        ..NamedAgent::named(name.to_owned())
    };
    let people = [named("Ada Quill", true), named("Bram Oster", true), named("Cleo March", false)];
    let cover: Vec<CoverInterval> =
        ["09:00", "09:30", "10:00", "10:30", "11:00", "11:30", "12:00", "12:30", "13:00"]
            .map(|clock| CoverInterval { start: at(clock), agents: 5 })
            .to_vec();
    let day = (at("00:00"), at("23:30"));
    let of = (centre.centre, centre.bookings);
    centre.store.save_roster(of.0, of.1, day, &people, &cover, Save::OURS).await.unwrap();
    let mut french = named("Dov Hallam", false);
    french.skills = vec!["French".to_owned()];
    centre.store.save_agent(centre.centre, &french).await.unwrap();
    let agents = centre.store.agents(centre.centre).await.unwrap();
    (centre, agents)
}

fn id(agents: &[Agent], name: &str) -> Uuid {
    agents.iter().find(|agent| agent.name.starts_with(name)).unwrap().id
}

fn person(agent: Uuid, pieces: Value, is_away: bool) -> Value {
    json!({ "agent": agent, "pieces": pieces, "is_away": is_away })
}

fn form(days: &Value, based_on: &str) -> String {
    let roster: String = form_urlencoded(&days.to_string());
    format!("day={DAY}&based_on={based_on}&roster={roster}")
}

fn form_urlencoded(text: &str) -> String {
    text.bytes().map(|byte| format!("%{byte:02X}")).collect()
}

async fn version(planner: &Visitor, page: &str) -> String {
    planner.version(page, page.split('?').next().unwrap()).await
}

#[sqlx::test(migrations = false)]
async fn a_roster_is_tried_saved_and_the_cover_follows_with_those_who_have_no_name(pool: PgPool) {
    let (centre, agents) = rostered(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/roster/day", centre.bookings);
    let page = format!("{address}?day={DAY}");
    let shown = planner.get(&page).await;
    shown.says("Who works when on Wednesday 25 November?").says("Ada Quill").says("Cleo March");
    assert!(!shown.text.contains("Dov Hallam"), "who cannot take the contact type is no help");
    let [ada, bram, cleo] = ["Ada", "Bram", "Cleo"].map(|name| id(&agents, name));
    let days = json!([
        person(ada, json!([[480, 720], [750, 900]]), false),
        person(bram, json!([]), true),
        person(cleo, json!([[540, 1020]]), false),
    ]);
    let tried = planner.post(&format!("{address}/try"), &form(&days, "")).await;
    tried
        .says("Of people by name, hours")
        .says("works 8.0 h without a break: at most 6 h")
        .says("roster-strip");
    let kept = || centre.store.cover_between(centre.bookings, at("00:00"), at("23:30"));
    let before = kept().await.unwrap();
    assert!(before.iter().all(|each| each.agents == 5), "nothing is saved by trying: {before:?}");
    let version = version(&planner, &page).await;
    let saved = planner.post(&address, &form(&days, &version)).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    planner.get(saved.location()).await.says("Saved: these shifts are the roster of the day");
    // Five there, two of them by name: three stay, and Ada and Cleo come and go as they do.
    let after = kept().await.unwrap();
    let agents_at =
        |clock: &str| after.iter().find(|each| each.start == at(clock)).map(|each| each.agents);
    assert_eq!(agents_at("08:00"), Some(1), "Ada alone, before the planned cover begins");
    assert_eq!(agents_at("09:00"), Some(5), "three, Ada and Cleo");
    assert_eq!(agents_at("12:00"), Some(4), "Ada’s break");
    assert_eq!(agents_at("13:00"), Some(7), "five had nobody by name at one");
    let off = centre.store.time_off(centre.centre, DAY.parse().unwrap()).await.unwrap();
    assert_eq!((off.len(), off[0].agent), (1, bram));
    // Who is away is drawn as away and can come back; the calendar has what is saved.
    planner.get(&page).await.says("\"is_away\":true").says("\"may_return\":true");
    let calendar = planner.get(&format!("/staffing/people/{ada}/shifts.ics?day={DAY}")).await;
    calendar
        .says("SUMMARY:Bookings")
        .says("DTSTART:20261125T080000Z")
        .says("DTEND:20261125T120000Z");
    assert_eq!(calendar.text.matches("BEGIN:VEVENT").count(), 2);
    let trail = centre.visitor(Role::Administrator).await.get("/people/trail").await;
    trail.says("Bram Oster away").says("Cleo March 09:00–17:00");
}

#[sqlx::test(migrations = false)]
async fn what_is_no_roster_is_refused_and_changes_nothing(pool: PgPool) {
    let (centre, agents) = rostered(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/roster/day", centre.bookings);
    let (ada, french) = (id(&agents, "Ada"), id(&agents, "Dov"));
    let wrong = [
        ("nonsense".into(), "cannot be read"),
        (
            json!([person(Uuid::nil(), json!([[480, 720]]), false)]).to_string(),
            "not in the list of people",
        ),
        (
            json!([person(french, json!([[480, 720]]), false)]).to_string(),
            "not in the list of people",
        ),
        (
            json!([person(ada, json!([[720, 480]]), false)]).to_string(),
            "does not end after it begins",
        ),
        (json!([person(ada, json!([[480, 9_000]]), false)]).to_string(), "noon of the next day"),
        (
            json!([person(ada, json!([[480, 500]]), false), person(ada, json!([]), false)])
                .to_string(),
            "twice",
        ),
        (
            json!([person(
                ada,
                json!((0..9).map(|nth| [nth * 60, nth * 60 + 30]).collect::<Vec<_>>()),
                false
            )])
            .to_string(),
            "at most 8",
        ),
    ];
    for (roster, said) in &wrong {
        let sent = format!("day={DAY}&based_on=9&roster={}", form_urlencoded(roster));
        let refused = planner.post(&address, &sent).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{roster}");
        refused.says(said);
        let tried = planner.post(&format!("{address}/try"), &sent).await;
        assert!(tried.status.is_client_error(), "{roster}: {}", tried.status);
    }
    // Somebody who read an older cover is told, with what was changed still on the page.
    let days = json!([person(ada, json!([[600, 720]]), false)]);
    let late = planner.post(&address, &form(&days, "0")).await;
    assert_eq!(late.status, StatusCode::UNPROCESSABLE_ENTITY);
    late.says("saved this on").says("[[600,720]]");
    let kept =
        centre.store.stretches_between(centre.bookings, at("00:00"), at("23:30")).await.unwrap();
    assert_eq!(kept.len(), 2, "{kept:?}");
    // Nobody by name is said, with what to do.
    let other = centre.add_type("Groups").await;
    planner.get(&format!("/staffing/{other}/roster/day?day={DAY}")).await.says("Nobody by name");
}

#[sqlx::test(migrations = false)]
async fn rest_before_the_day_and_hours_of_the_week_count_for_any_contact_type(pool: PgPool) {
    let (centre, agents) = rostered(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let groups = centre.add_type("Groups").await;
    let late = NamedAgent {
        stretches: vec![(
            "2026-11-24T14:00:00Z".parse().unwrap(),
            "2026-11-24T23:00:00Z".parse().unwrap(),
        )],
        ..NamedAgent::named("Ada Quill".to_owned())
    };
    let day = ("2026-11-24T00:00:00Z".parse().unwrap(), at("00:00"));
    centre.store.save_roster(centre.centre, groups, day, &[late], &[], Save::OURS).await.unwrap();
    let ada = id(&agents, "Ada");
    let days = json!([person(ada, json!([[480, 720], [750, 1020]]), false)]);
    let address = format!("/staffing/{}/roster/day/try", centre.bookings);
    let tried = planner.post(&address, &form(&days, "")).await;
    tried.says("rests 9.0 h before Wed 25 Nov: at least 11 h");
    assert!(!tried.text.contains("this week: the contract"), "17.5 of 20 hours: {}", tried.text);
    let days = json!([person(ada, json!([[480, 780], [810, 1200]]), false)]);
    let tried = planner.post(&address, &form(&days, "")).await;
    tried
        .says("works 11.5 h: at most 10 h a day")
        .says("works 6.5 h without a break")
        .says("works 20.5 h this week: the contract has 20");
}

#[sqlx::test(migrations = false)]
async fn a_night_ends_the_next_morning_and_people_who_are_not_sent_keep_their_shifts(pool: PgPool) {
    let (centre, agents) = rostered(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/staffing/{}/roster/day", centre.bookings);
    let (ada, bram) = (id(&agents, "Ada"), id(&agents, "Bram"));
    let page = format!("{address}?day={DAY}");
    let seen = version(&planner, &page).await;
    let night = json!([person(ada, json!([[1320, 1800]]), false)]);
    let saved = planner.post(&address, &form(&night, &seen)).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    let next = |clock: &str| format!("2026-11-26T{clock}:00Z").parse::<Timestamp>().unwrap();
    let kept = centre.store.stretches_between(centre.bookings, at("00:00"), next("12:00")).await;
    let kept: Vec<(Uuid, Timestamp, Timestamp)> =
        kept.unwrap().iter().map(|each| (each.agent, each.start, each.end)).collect();
    assert_eq!(
        kept,
        [(bram, at("09:00"), at("13:00")), (ada, at("22:00"), next("06:00"))],
        "Bram was not sent and keeps what he had"
    );
    let cover =
        centre.store.cover_between(centre.bookings, at("00:00"), next("12:00")).await.unwrap();
    let people = |at: Timestamp| cover.iter().find(|each| each.start == at).map(|each| each.agents);
    assert_eq!((people(at("09:00")), people(at("22:00"))), (Some(4), Some(1)));
    assert_eq!((people(next("05:30")), people(next("06:00"))), (Some(10), Some(9)));
    // The next morning's shift begins too soon after it.
    for (from, said) in [
        (660, "rests 5.0 h before Thu 26 Nov: at least 11 h"),
        // After a break of two hours it is the same shift.
        (480, "works 12.0 h: at most 10 h a day"),
    ] {
        let early = json!([person(ada, json!([[from, from + 240]]), false)]);
        let early = form(&early, "").replace(DAY, "2026-11-26");
        planner.post(&format!("{address}/try"), &early).await.says(said);
    }
    // Leave of several days is not ended by a shift on one of them.
    let (first, last) = (DAY.parse().unwrap(), "2026-11-27".parse().unwrap());
    centre.store.add_time_off(centre.centre, bram, first, last, "Leave").await.unwrap();
    planner.get(&page).await.says("\"away\":\"Leave\",\"may_return\":false");
    let back = json!([person(bram, json!([[540, 780]]), false)]);
    let refused = planner.post(&address, &form(&back, &version(&planner, &page).await)).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("Bram Oster is away for several days. Change that under Cover first.");
}
