//! People, their shifts and their cover; searches for shifts; lines; targets undone.

use barometer_forecast::Grain;
use barometer_plan::{
    CoverInterval, FitProgress, FreeDays, LineRules, Rules, ShiftProblem, ShiftShape, fit_shifts,
};
use barometer_store::{
    AgentStretch, DayRoster, Edited, InterventionNote, NamedAgent, NewIntervention, NewMessage,
    RunState, Save, StoreError,
};
use jiff::Timestamp;
use jiff::civil::date;
use sqlx::PgPool;
use std::time::Duration;
use uuid::Uuid;

use crate::fixture::{Fixture, fixture};

fn at(clock: &str) -> Timestamp {
    format!("2026-11-24T{clock}:00Z").parse().unwrap()
}

fn agent(name: &str, stretches: &[(&str, &str)]) -> NamedAgent {
    NamedAgent {
        name: name.to_owned(),
        team: None,
        skills: Vec::new(),
        contract_hours: None,
        stretches: stretches.iter().map(|(from, to)| (at(from), at(to))).collect(),
    }
}

fn cover(clock: &str, agents: u32) -> CoverInterval {
    CoverInterval { start: at(clock), agents }
}

#[sqlx::test(migrations = false)]
async fn a_roster_replaces_shifts_and_cover_of_its_days_and_nothing_else(pool: PgPool) {
    let Fixture { store, centre, bookings, .. } = &fixture(pool).await;
    store.save_cover(*bookings, &[cover("08:00", 9), cover("20:00", 9)], Save::OURS).await.unwrap();
    let first = [agent("Ada Quill", &[("09:00", "12:00"), ("12:30", "17:00")])];
    let day = (at("08:30"), at("19:00"));
    store
        .save_roster(*centre, *bookings, day, &first, &[cover("09:00", 1)], Save::OURS)
        .await
        .unwrap();
    let again =
        [agent("ada quill", &[("10:00", "12:00")]), agent("Bram Oster", &[("10:00", "11:00")])];
    store
        .save_roster(*centre, *bookings, day, &again, &[cover("10:00", 2)], Save::OURS)
        .await
        .unwrap();
    let agents = store.agents(*centre).await.unwrap();
    let names: Vec<_> = agents.iter().map(|agent| agent.name.as_str()).collect();
    assert_eq!(names, ["Ada Quill", "Bram Oster"], "the same person however the name is written");
    let stretches = store.stretches_between(*bookings, at("00:00"), at("23:00")).await.unwrap();
    assert_eq!(stretches.len(), 2, "the shifts from before are gone: {stretches:?}");
    let kept = store.cover_between(*bookings, at("00:00"), at("23:00")).await.unwrap();
    assert_eq!(kept, [cover("08:00", 9), cover("10:00", 2), cover("20:00", 9)]);
    // What cannot be saved changes nothing: a shift that ends before it starts.
    let wrong = [agent("Cleo", &[("12:00", "11:00")])];
    assert!(store.save_roster(*centre, *bookings, day, &wrong, &[], Save::OURS).await.is_err());
    assert_eq!(store.cover_between(*bookings, at("10:00"), at("11:00")).await.unwrap().len(), 1);
    assert_eq!(store.agents(*centre).await.unwrap().len(), 2);
}

#[sqlx::test(migrations = false)]
async fn a_day_as_a_planner_changed_it_is_kept_whole_or_not_at_all(pool: PgPool) {
    let Fixture { store, centre, bookings, planner } = &fixture(pool).await;
    let chat = store.add_contact_type(*centre, "Chat", Grain::Half, &Rules::STARTING).await;
    let chat = &chat.unwrap();
    let ada = store.save_agent(*centre, &agent("Ada Quill", &[])).await.unwrap();
    let bram = store.save_agent(*centre, &agent("Bram Oster", &[])).await.unwrap();
    let date = date(2026, 11, 24);
    let span = (at("00:00"), at("00:00") + jiff::SignedDuration::from_hours(24));
    let day = |stretches: &[(Uuid, &str, &str)], cover: &[CoverInterval]| DayRoster {
        date,
        span,
        stretches: stretches
            .iter()
            .map(|(agent, from, to)| AgentStretch { agent: *agent, start: at(from), end: at(to) })
            .collect(),
        cover: cover.to_vec(),
        absent: Vec::new(),
        back: Vec::new(),
    };
    store.save_cover(*bookings, &[cover("07:00", 3), cover("09:00", 3)], Save::OURS).await.unwrap();
    // The night before, and work for another contact type, are not this day's.
    let night = day(&[(ada, "09:00", "12:00")], &[]);
    store.save_day_roster(*centre, *chat, &night, Save::OURS).await.unwrap();
    let first = day(&[(ada, "13:00", "17:00"), (bram, "09:00", "12:00")], &[cover("09:00", 4)]);
    store.save_day_roster(*centre, *bookings, &first, Save::OURS).await.unwrap();
    let away =
        DayRoster { absent: vec![bram], ..day(&[(ada, "10:00", "12:00")], &[cover("09:00", 3)]) };
    store.save_day_roster(*centre, *bookings, &away, Save::OURS).await.unwrap();
    let all = store.all_stretches_between(*centre, span.0, span.1).await.unwrap();
    let told: Vec<(Uuid, Uuid, Timestamp)> =
        all.iter().map(|(of, each)| (*of, each.agent, each.start)).collect();
    assert_eq!(told, [(*chat, ada, at("09:00")), (*bookings, ada, at("10:00"))]);
    let kept = store.cover_between(*bookings, at("00:00"), at("23:00")).await.unwrap();
    assert_eq!(kept, [cover("07:00", 3), cover("09:00", 3)]);
    let off = store.time_off(*centre, date).await.unwrap();
    assert_eq!((off.len(), off[0].agent, off[0].why.as_str()), (1, bram, "Absent"));
    // Leave of several days is not taken back with one of them.
    store.add_time_off(*centre, bram, date, date.tomorrow().unwrap(), "Leave").await.unwrap();
    let back = DayRoster { back: vec![bram], ..day(&[], &[]) };
    store.save_day_roster(*centre, *bookings, &back, Save::OURS).await.unwrap();
    let off = store.time_off(*centre, date).await.unwrap();
    assert_eq!((off.len(), off[0].why.as_str()), (1, "Leave"));
    // A shift that ends before it starts changes nothing, nor does one who read an older cover.
    let wrong = day(&[(ada, "12:00", "11:00")], &[cover("09:00", 9)]);
    assert!(store.save_day_roster(*centre, *bookings, &wrong, Save::OURS).await.is_err());
    let stale = Save::of(*planner, 1);
    let refused = store.save_day_roster(*centre, *bookings, &first, stale).await;
    assert!(matches!(refused, Err(StoreError::SavedMeanwhile(_))), "{refused:?}");
    let kept = store.cover_between(*bookings, at("09:00"), at("10:00")).await.unwrap();
    assert_eq!(kept, [cover("09:00", 3)]);
    // People of another centre get no shift.
    let elsewhere = store.add_centre("Elsewhere", "Europe/London").await.unwrap();
    let stranger = store.save_agent(elsewhere, &agent("Ada Quill", &[])).await.unwrap();
    let theirs = day(&[(stranger, "10:00", "12:00")], &[]);
    store.save_day_roster(*centre, *bookings, &theirs, Save::OURS).await.unwrap();
    assert_eq!(store.stretches_between(*bookings, span.0, span.1).await.unwrap(), []);
}

#[sqlx::test(migrations = false)]
async fn breaks_are_found_between_stretches_and_moved_with_what_was_done(pool: PgPool) {
    let Fixture { store, centre, bookings, .. } = &fixture(pool).await;
    let people = [
        agent("Ada Quill", &[("09:00", "12:00"), ("12:30", "17:00")]),
        agent("Bram Oster", &[("09:00", "11:00"), ("11:00", "15:00")]),
        agent("Cleo Marsh", &[("07:00", "10:00"), ("14:00", "18:00")]),
    ];
    let day = (at("06:00"), at("19:00"));
    let before = [cover("12:00", 2), cover("13:00", 3)];
    store.save_roster(*centre, *bookings, day, &people, &before, Save::OURS).await.unwrap();
    let breaks = store.breaks_between(*centre, at("09:00"), at("18:00")).await.unwrap();
    let times: Vec<_> = breaks.iter().map(|each| (each.from, each.until, each.work_ends)).collect();
    // Two stretches that touch have no break between them, and four hours are an afternoon off.
    assert_eq!(times, [(at("12:00"), at("12:30"), at("17:00"))]);
    assert_eq!(store.breaks_between(*centre, at("12:01"), at("18:00")).await.unwrap(), []);

    let by = store.users().await.unwrap()[0].id;
    let note = InterventionNote { words: "Postpone one break".into(), expected: Vec::new() };
    let after = [cover("12:00", 3), cover("13:00", 2)];
    let message = NewMessage {
        recipient: "lead@larkhaven.example".parse().unwrap(),
        subject: "Breaks".into(),
        body: "Later".into(),
        event: serde_json::json!({}),
    };
    let new = NewIntervention {
        at: at("11:00"),
        by,
        note: &note,
        covers: &[(*bookings, after.to_vec())],
        breaks: &[(breaks[0], 3600.0)],
        messages: &[message],
    };
    store.intervene(*centre, new.clone()).await.unwrap();
    let moved = store.breaks_between(*centre, at("09:00"), at("18:00")).await.unwrap();
    assert_eq!((moved[0].from, moved[0].until), (at("13:00"), at("13:30")));
    assert_eq!(store.cover_between(*bookings, at("12:00"), at("14:00")).await.unwrap(), after);
    assert_eq!(store.interventions(*centre, at("00:00"), at("23:00")).await.unwrap()[0].done, note);
    // A form of the cover that was open meanwhile is refused, as after any other save.
    let version = store.version_of(Edited::Cover(*bookings)).await.unwrap();
    let late = store.save_cover(*bookings, &before, Save::of(by, version - 1)).await;
    assert!(matches!(late, Err(StoreError::SavedMeanwhile(_))), "{late:?}");
    // It is not there any more where it was: told twice, it moves once.
    store.intervene(*centre, new).await.unwrap();
    assert_eq!(store.breaks_between(*centre, at("09:00"), at("18:00")).await.unwrap(), moved);
}

#[sqlx::test(migrations = false)]
async fn what_a_roster_does_not_say_about_people_stays_as_it_is(pool: PgPool) {
    let Fixture { store, centre, .. } = &fixture(pool).await;
    let known = NamedAgent {
        team: Some("Early".into()),
        skills: vec!["Bookings".into()],
        contract_hours: Some(20.0),
        ..agent("Ada", &[])
    };
    let id = store.save_agent(*centre, &known).await.unwrap();
    assert_eq!(store.save_agent(*centre, &agent("ADA", &[])).await.unwrap(), id);
    let ada = store.agents(*centre).await.unwrap().remove(0);
    assert_eq!((ada.team.as_str(), ada.contract_hours, ada.skills.len()), ("Early", 20.0, 1));
    let (first, last) = (date(2026, 11, 24), date(2026, 11, 26));
    store.add_time_off(*centre, id, first, last, "Leave").await.unwrap();
    let away = store.time_off(*centre, date(2026, 11, 26)).await.unwrap();
    assert_eq!((away.len(), away[0].why.as_str()), (1, "Leave"));
    assert!(store.time_off(*centre, date(2026, 11, 27)).await.unwrap().is_empty(), "it is over");
    let elsewhere = store.add_time_off(Uuid::nil(), id, first, last, "").await;
    assert!(matches!(elsewhere, Err(StoreError::NotFound)), "people of another centre");
    store.remove_time_off(*centre, away[0].id).await.unwrap();
    store.remove_agent(*centre, id).await.unwrap();
    assert!(matches!(store.remove_agent(*centre, id).await, Err(StoreError::NotFound)));
}

#[sqlx::test(migrations = false)]
async fn a_search_for_shifts_is_queued_reported_stopped_and_kept(pool: PgPool) {
    let Fixture { store, bookings, .. } = &fixture(pool).await;
    let monday = date(2026, 11, 23);
    let mut required = vec![0; 7 * 24];
    required[9..17].fill(2);
    let shape = ShiftShape {
        name: "Day".into(),
        first_start: 540,
        last_start: 540,
        length: 480,
        break_length: 0,
        break_margin: 0,
        days: 5,
        free_days: FreeDays::Together,
        cost_per_hour: 20.0,
        most_people: None,
    };
    let problem = ShiftProblem { interval: 60, required, shapes: vec![shape.clone()] };
    let id = store.queue_shift_search(*bookings, monday, &problem, 5, None).await.unwrap();
    assert_eq!(store.shift_shapes(*bookings).await.unwrap(), [shape], "kept for the next search");
    let progress = FitProgress { cost: 1600.0, gap: Some(0.1) };
    assert!(store.report_shift_search(id, Duration::from_secs(2), progress).await.unwrap());
    let seen = store.newest_shift_search(*bookings, monday).await.unwrap().unwrap();
    assert_eq!((seen.run.state, seen.gap, seen.run.work_done), (RunState::Running, Some(0.1), 2));
    store.enough_of_shift_search(id).await.unwrap();
    assert!(
        !store.report_shift_search(id, Duration::from_secs(3), progress).await.unwrap(),
        "it shall stop"
    );
    let roster = fit_shifts(&problem, &|| Duration::from_secs(5), |_| true).unwrap();
    store.end_shift_search(id, &roster).await.unwrap();
    let found = store.shift_search(id).await.unwrap();
    assert_eq!((found.run.state, &found.problem), (RunState::Done, &problem));
    assert_eq!(found.roster.unwrap(), roster);
    assert!(store.newest_shift_search(*bookings, date(2026, 11, 30)).await.unwrap().is_none());
    let hopeless = store.queue_shift_search(*bookings, monday, &problem, 5, None).await.unwrap();
    store.fail_run(hopeless, "no shift reaches").await.unwrap();
    let failed = store.shift_search(hopeless).await.unwrap().run;
    assert_eq!(
        (failed.state, failed.failure.as_deref()),
        (RunState::Failed, Some("no shift reaches"))
    );
    store.end_shift_search(hopeless, &roster).await.unwrap();
    assert_eq!(store.shift_search(hopeless).await.unwrap().roster, None, "it comes too late");
}

#[sqlx::test(migrations = false)]
async fn lines_and_targets_come_back_as_they_were_saved(pool: PgPool) {
    let Fixture { store, centre, bookings, .. } = &fixture(pool).await;
    assert_eq!(store.line_rules(*centre).await.unwrap(), LineRules::STARTING);
    let rules = LineRules { lines: Some(60), menu_secs: 25.0, ..LineRules::STARTING };
    store.save_line_rules(*centre, &rules, Save::OURS).await.unwrap();
    assert_eq!(store.line_rules(*centre).await.unwrap(), rules);
    store.undo_rules(*bookings, Save::OURS).await.unwrap();
    assert_eq!(store.contact_type(*bookings).await.unwrap().rules, Rules::STARTING);
    let dearer = Rules { service_level: 0.95, cost_per_hour: Some(20.0), ..Rules::STARTING };
    store.save_rules(*bookings, &dearer, Save::OURS).await.unwrap();
    assert_eq!(store.contact_type(*bookings).await.unwrap().rules, dearer);
    store.undo_rules(*bookings, Save::OURS).await.unwrap();
    assert_eq!(store.contact_type(*bookings).await.unwrap().rules, Rules::STARTING);
}
