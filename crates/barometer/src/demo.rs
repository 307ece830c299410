//! Loads Larkhaven Ferries.

use anyhow::{Context, Result};
use barometer_app::demand::refresh_forecast;
use barometer_app::passwords::hash_password;
use barometer_app::{clock, lists, planning, release};
use barometer_demo::lists as demo_lists;
use barometer_demo::{
    CENTRE, DemoContactType, GRAIN, LICENCES, PEOPLE, SEATS, TODAY, ZONE, larkhaven, work_on,
    works_for,
};
use barometer_forecast::{Change, Overlay, Repeats};
use barometer_intake::ListLayout;
use barometer_plan::{
    AlarmMeasure, AlarmRule, Candidate, ComparisonInputs, CoverChoice, CoverInterval, Escalation,
    EvidenceKey, LineRules, Recipient, Severity, SheetAct, SheetText, TeamPeople, TrialInputs,
    TypePlan, customers_of,
};
use barometer_report::{Format, Ready, Timing, TimingDays};
use barometer_store::{
    AgentStretch, AnswerSpeed, DayRoster, HistoryInterval, ListSubject, NamedAgent, NewComparison,
    NewDraft, NewEntry, NewRevision, NewSchedule, NewSpecialDay, NewTrial, NewVersion, Role, Save,
    Sending, Store, Subject,
};
use barometer_strategy::{Duration, Edit, Strategy};
use barometer_web::DEMO_USERS;
use jiff::civil::{Date, date, time};
use jiff::tz::TimeZone;
use uuid::Uuid;

/// Loads the demo into an empty database; a database that has a centre is left as it is.
///
/// The demo's today is set last: a centre of its name without one is what a load that was cut off
/// has left, and is begun anew.
pub async fn load(store: &Store) -> Result<()> {
    store.migrate().await?;
    if let Some(centre) = store.centre().await? {
        if centre.name != CENTRE || centre.today.is_some() {
            return Ok(());
        }
        store.remove_centre(centre.id).await?;
    }
    let types = larkhaven().context("the time zone database lacks the demo's zone")?;
    let zone = TimeZone::get(ZONE)?;
    for user in DEMO_USERS {
        if store.user_by_email(user.email).await?.is_none() {
            let hash = hash_password(user.password).context("hashing a demo password")?;
            store.add_user(user.name, user.email, &hash, user.role).await?;
        }
    }
    let centre = store.add_centre(CENTRE, ZONE).await?;
    let rules = LineRules { seats: Some(SEATS), licences: Some(LICENCES), ..LineRules::STARTING };
    store.save_line_rules(centre, &rules, Save::OURS).await?;
    store.add_special_days(centre, &school_holidays(), None).await?;
    for contact_type in types {
        load_contact_type(store, centre, contact_type, &zone).await?;
    }
    let version = store.add_strategy_version(centre, &barometer_demo::strategy(), None).await?;
    store.go_live(version, None, None, "The strategy in use when Barometer began").await?;
    store.save_expectations(centre, &barometer_demo::expectations(), None).await?;
    for person in PEOPLE {
        let agent = NamedAgent {
            name: person.name.to_owned(),
            team: Some(person.team.to_owned()),
            skills: person.skills.iter().map(|skill| (*skill).to_owned()).collect(),
            contract_hours: Some(person.contract_hours),
            stretches: Vec::new(),
        };
        store.save_agent(centre, &agent).await?;
    }
    roster_the_week(store, centre, &zone).await?;
    for trial in FIRST_TRIALS {
        queue_trial(store, centre, (trial, None), &zone).await?;
    }
    begin_drafts(store, centre, &zone).await?;
    say_what_the_business_knows(store, centre, &zone).await?;
    import_lists(store).await?;
    for rule in alarms() {
        store.add_alarm(centre, &rule, None).await?;
    }
    keep_reports(store, centre, &zone).await?;
    store.set_today(centre, TODAY).await?;
    Ok(())
}

/// The shifts of the people by name, from the day after the demo's own until Sunday; the cover is not changed.
async fn roster_the_week(store: &Store, centre: Uuid, zone: &TimeZone) -> Result<()> {
    let (agents, types) = (store.agents(centre).await?, store.contact_types(centre).await?);
    for date in (1..7).map(|ahead| TODAY.saturating_add(jiff::Span::new().days(ahead))) {
        for contact_type in
            types.iter().filter(|each| PEOPLE.iter().any(|one| works_for(one) == each.name))
        {
            let mut stretches = Vec::new();
            for person in PEOPLE.iter().filter(|person| works_for(person) == contact_type.name) {
                let agent = agents.iter().find(|agent| agent.name == person.name);
                let agent = agent.context("a demo person is missing")?.id;
                for (from, to) in work_on(person, date) {
                    let (start, end) = (zone.to_timestamp(from)?, zone.to_timestamp(to)?);
                    stretches.push(AgentStretch { agent, start, end });
                }
            }
            let day = DayRoster {
                date,
                span: planning::span(date, 1, zone)?,
                stretches,
                cover: Vec::new(),
                absent: Vec::new(),
                back: Vec::new(),
            };
            store.save_day_roster(centre, contact_type.id, &day, Save::OURS).await?;
        }
    }
    Ok(())
}

/// The reports that others get: managers on Monday mornings, the duty manager when a day went wrong.
async fn keep_reports(store: &Store, centre: Uuid, zone: &TimeZone) -> Result<()> {
    let planner = store.user_by_email(DEMO_USERS[0].email).await?.context("no demo planner")?;
    let monday = TimingDays::Weekdays([true, false, false, false, false, false, false]);
    let working_days = TimingDays::Weekdays([true, true, true, true, true, false, false]);
    let sending = |address: &str, formats: &[Format]| Sending {
        addresses: vec![format!("{address}@larkhaven.example")],
        roles: Vec::new(),
        formats: formats.to_vec(),
        link_days: None,
        only_if_missed: false,
    };
    let managers = Sending {
        roles: vec![Role::Approver],
        ..sending("harbour.manager", &[Format::Pdf, Format::Xlsx])
    };
    let duty = Sending { only_if_missed: true, link_days: Some(14), ..sending("duty", &[]) };
    let reports = [
        ("week-review", Timing::new(monday, time(7, 0, 0, 0))?, managers),
        ("morning-brief", Timing::new(working_days, time(6, 45, 0, 0))?, duty),
    ];
    for (key, timing, sending) in reports {
        let ready = Ready::ALL.iter().find(|ready| ready.key == key);
        let definition = ready.context("a ready-made report is gone")?.definition();
        let report = store.add_report(centre, &definition, Some(planner.id)).await?;
        let new = NewSchedule {
            report,
            next_at: timing.next(clock::now(), zone),
            timing: &timing,
            sending: &sending,
            by: planner.id,
        };
        store.add_report_schedule(&new).await?;
    }
    Ok(())
}

/// What the duty manager wants to be told: the storm of the afternoon, before it is lost, and silence.
fn alarms() -> [AlarmRule; 3] {
    let mail = |name: &str| Recipient::Mail(format!("{name}@larkhaven.example"));
    let of = |measure, contact_type, threshold, clears_at, severity| AlarmRule {
        clears_at,
        tells: vec![mail("duty")],
        escalation: Some(Escalation { after_minutes: 10.0, tells: vec![mail("harbour.manager")] }),
        ..AlarmRule::new(measure, contact_type, threshold, severity)
    };
    let storm = Some("Sailing changes");
    [
        AlarmRule {
            minutes: 2.0,
            ..of(AlarmMeasure::LongestWait, storm, 180.0, 60.0, Severity::Urgent)
        },
        of(AlarmMeasure::ChanceByTonight, storm, 0.3, 0.5, Severity::Warning),
        of(AlarmMeasure::Silence, None, 30.0, 5.0, Severity::Urgent),
    ]
}

/// The two drafts; the better one is kept as a version and compared with the live one.
async fn begin_drafts(store: &Store, centre: Uuid, zone: &TimeZone) -> Result<()> {
    let planner = store.user_by_email(DEMO_USERS[0].email).await?.context("no demo planner")?;
    let live = barometer_demo::strategy();
    let drafts = [
        barometer_demo::faulty_draft(),
        barometer_demo::better_draft(),
        barometer_demo::campaign_draft(),
    ];
    for draft in drafts {
        let by = Some(planner.id);
        let new = NewDraft { name: draft.name, based_on: 1, strategy: &live, by };
        let number = store.begin_draft(centre, new, None).await?;
        let line = store.drafts(centre).await?.into_iter().find(|line| line.number == number);
        let id = line.context("a draft that was begun is there")?.id;
        let mut strategy = live.clone();
        for (head, edit) in draft.edits.iter().enumerate() {
            let summary = edit.sentence(&strategy);
            let edited = edit.apply(&strategy);
            strategy = edited.map_err(|faults| anyhow::anyhow!("{}: {faults:?}", draft.name))?;
            let new = NewRevision { edit, summary: &summary, strategy: &strategy, by };
            store.edit_draft(id, head as i32, new).await?;
        }
        if draft.name == barometer_demo::better_draft().name {
            let summary = Edit::between(&live, &strategy).sentence(&live);
            let of_draft = Some((id, draft.edits.len() as i32));
            let (strategy, label) = (&strategy, draft.name);
            let new = NewVersion { strategy, label, summary: &summary, draft: of_draft, by };
            store.keep_version(centre, new).await?;
        }
    }
    let mut candidates = Vec::new();
    for version in store.strategy_versions(centre).await?.iter().rev() {
        let strategy = store.strategy(version.id).await?;
        let (_, cover, mut inputs) = demo_inputs(store, centre, strategy, COMPARED, zone).await?;
        inputs.replications = COMPARED_DAYS;
        candidates.push(Candidate { name: format!("v{}, {cover}", version.version), inputs });
    }
    let (subject, ..) = demo_inputs(store, centre, live, COMPARED, zone).await?;
    let names: Vec<&str> = candidates.iter().map(|each| each.name.as_str()).collect();
    let new = NewComparison {
        subject,
        title: names.join(" against "),
        inputs: ComparisonInputs::Chosen { candidates },
        created_by: planner.id,
    };
    let mut evidence = vec![EvidenceKey::Comparison(store.queue_comparison(&new).await?)];
    for trial in TRIALS_OF_BETTER {
        evidence.push(EvidenceKey::Trial(
            queue_trial(store, centre, (trial, Some(COMPARED_DAYS)), zone).await?,
        ));
    }
    propose_better(store, centre, evidence, planner.id).await
}

/// The change sheet of the better draft, on the evidence of its comparison and of its trials: it waits for an approver.
async fn propose_better(
    store: &Store,
    centre: Uuid,
    evidence: Vec<EvidenceKey>,
    by: Uuid,
) -> Result<()> {
    let versions = store.strategy_versions(centre).await?;
    let newest = versions.first().context("the demo keeps a draft as a version")?;
    let text = SheetText {
        title: newest.called().to_owned(),
        why: "On storm days callers about changed sailings wait too long while people of Bookings are free."
            .to_owned(),
        conditions: "Not on the first day of school holidays.".to_owned(),
        way_back: "Roll back if Bookings stays under 70 % for two half-hours; the duty manager decides."
            .to_owned(),
        takes_effect: None,
        evidence,
    };
    let number = release::draw_up(store, centre, newest.id, text, by).await?;
    let sheet = store.change_sheet(centre, number).await?;
    let proposed =
        NewEntry { sheet: sheet.id, nth: sheet.next(), act: SheetAct::Proposed, by: Some(by) };
    Ok(store.add_sheet_entry(&proposed).await?)
}

/// The passengers who are called, those who have asked not to be, and past calls: as a planner imports them.
async fn import_lists(store: &Store) -> Result<()> {
    let centre = store.centre().await?.context("the demo's centre is gone")?;
    let planner = DEMO_USERS.iter().find(|user| user.role == Role::Planner);
    let planner = planner.context("the demo has no planner")?;
    let by = store.user_by_email(planner.email).await?.context("the demo's planner is gone")?.id;
    let prefixes = lists::prefixes_of(store, &centre).await?;
    let region = lists::country_of(&centre, &prefixes);
    let files = [
        (ListSubject::People, demo_lists::PASSENGERS, "passengers.csv", demo_lists::passengers()),
        (
            ListSubject::DoNotCall,
            demo_lists::ASKED_NOT_TO,
            "asked-not-to.csv",
            demo_lists::asked_not_to(),
        ),
    ];
    for (subject, name, file_name, csv) in files {
        let mut upload = store.begin_list_upload(&centre, subject, name, file_name, by).await?;
        upload.add(csv.as_bytes()).await?;
        let id = upload.finish().await?;
        let heading: Vec<&str> = csv.lines().next().unwrap_or_default().split(';').collect();
        let layout = ListLayout::guess(&heading, &region);
        lists::read(store, &centre, &store.list(id).await?, &layout).await?;
        store.confirm_list(id, by).await?;
    }
    let csv = barometer_demo::past_calls();
    let calls = csv.lines().count() as i64 - 1;
    store.keep_past_calls(centre.id, (barometer_demo::PAST_CALLS, &csv), calls, by).await?;
    Ok(())
}

fn school_holidays() -> Vec<NewSpecialDay> {
    let entry = |(from, to)| NewSpecialDay {
        name: "School holidays".to_owned(),
        class: "School holiday".to_owned(),
        repeats: Repeats::Once { from, to },
        days_before: 0,
        days_after: 0,
        closed: false,
        factor: None,
        source: "demo".to_owned(),
    };
    barometer_demo::SCHOOL_HOLIDAYS.into_iter().map(entry).collect()
}

/// An overlay, and the forecast frozen as it was before it.
async fn say_what_the_business_knows(store: &Store, centre: Uuid, zone: &TimeZone) -> Result<()> {
    let types = store.contact_types(centre).await?;
    let bookings = types.first().context("a demo without contact types")?;
    store.freeze_forecast(bookings.id, "Published 23 Nov", None).await?;
    let sale = Overlay {
        from: date(2026, 12, 4),
        to: date(2026, 12, 6),
        weekdays: [true; 7],
        hours: None,
        change: Change::Factor(1.12),
    };
    store.add_overlay(bookings.id, "Winter sale", &sale, None, None).await?;
    refresh_forecast(store, bookings, zone).await?;
    Ok(())
}

/// Trials that are there to be looked at when somebody signs in for the first time: contact types
/// (none for all of them) and the day.
const FIRST_TRIALS: [(&str, &str, Date); 3] = [
    ("the whole centre", "", date(2026, 11, 27)),
    ("Bookings", "Bookings", date(2026, 11, 25)),
    ("Sailing changes", "Sailing changes", date(2026, 11, 28)),
];

/// Trials of the better draft on other days than that of the comparison: a typical one and the fullest.
const TRIALS_OF_BETTER: [(&str, &str, Date); 2] =
    [("the whole centre", "", date(2026, 11, 24)), ("the whole centre", "", date(2026, 11, 28))];

/// What the better draft is compared with the live strategy on.
const COMPARED: (&str, &str, Date) = FIRST_TRIALS[0];

/// Days that are played for the comparison, and for each trial of the better draft: enough to be sure, and soon there on the first start.
const COMPARED_DAYS: u32 = 60;

/// A trial of the newest version; `days` is how many are simulated, the usual number where it says none.
async fn queue_trial(
    store: &Store,
    centre: Uuid,
    (of, days): ((&str, &str, Date), Option<u32>),
    zone: &TimeZone,
) -> Result<Uuid> {
    let versions = store.strategy_versions(centre).await?;
    let version = versions.first().context("a demo trial without a strategy")?;
    let planner = store.user_by_email(DEMO_USERS[0].email).await?.context("no demo planner")?;
    let strategy = store.strategy(version.id).await?;
    let (subject, cover_words, mut inputs) = demo_inputs(store, centre, strategy, of, zone).await?;
    inputs.replications = days.unwrap_or(inputs.replications);
    let new = NewTrial {
        subject,
        strategy_version: version.id,
        cover_words,
        inputs,
        asked: serde_json::Value::Null,
        set: None,
        created_by: planner.id,
    };
    Ok(store.queue_trial(&new).await?)
}

/// What a strategy is played with on a day under planned cover: what is tried, the cover in words, the inputs.
async fn demo_inputs(
    store: &Store,
    centre: Uuid,
    strategy: Strategy,
    (name, only, day): (&str, &str, Date),
    zone: &TimeZone,
) -> Result<(Subject, String, TrialInputs)> {
    let mut types = store.contact_types(centre).await?;
    types.retain(|each| only.is_empty() || each.name == only);
    let (from, to) = (zone.to_timestamp(day.into())?, zone.to_timestamp(day.tomorrow()?.into())?);
    let mut plans = Vec::with_capacity(types.len());
    for each in &types {
        let plan = barometer_plan::schedule(
            &store.forecast_between(each.id, from, to).await?,
            &store.cover_between(each.id, from, to).await?,
            each.grain.secs(),
            &each.rules,
        )?;
        plans.push(TypePlan {
            name: each.name.clone(),
            rules: each.rules,
            customers: customers_of(&each.rules, &Duration::exponential(1.0)),
            interval_secs: each.grain.secs(),
            plan,
            luck: None,
            arrivals: Default::default(),
        });
    }
    let people = TeamPeople::of(CoverChoice::Planned);
    let cover_words = people.words(&strategy);
    let inputs = TrialInputs::of_centre(strategy, zone, &plans, &people)?;
    let subject = Subject {
        centre,
        contact_types: types.iter().map(|each| each.id).collect(),
        name: name.to_owned(),
        day,
        days: 1,
    };
    Ok((subject, cover_words, inputs))
}

/// Prints the demo's users, a line each.
pub fn print_users() {
    for user in DEMO_USERS {
        println!("  {:<30}{:<20}{}", user.email, user.password, user.role.word());
    }
}

async fn load_contact_type(
    store: &Store,
    centre: Uuid,
    demo: DemoContactType,
    zone: &TimeZone,
) -> Result<()> {
    let DemoContactType { character, history, cover } = demo;
    let id = store.add_contact_type(centre, character.name, GRAIN, &character.rules).await?;
    let history: Vec<HistoryInterval> = history
        .into_iter()
        .map(|past| HistoryInterval {
            start: past.start,
            offered: past.offered as i32,
            answered: past.answered as i32,
            abandoned: past.abandoned as i32,
            handle_secs: past.handle_secs,
            wrap_up_secs: past.wrap_up_secs,
            speed: past
                .speed
                .map(|(in_time, wait_secs)| AnswerSpeed { in_time: in_time as i32, wait_secs }),
        })
        .collect();
    store.add_history(id, &history).await?;
    let cover: Vec<CoverInterval> =
        cover.into_iter().map(|(start, agents)| CoverInterval { start, agents }).collect();
    store.save_cover(id, &cover, Save::OURS).await?;
    let contact_type = store.contact_type(id).await?;
    refresh_forecast(store, &contact_type, zone).await?;
    Ok(())
}
