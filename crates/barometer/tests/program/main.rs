//! The program as it is run: preparing a database, and workers that come and go.

#![cfg(test)]

mod operating;
mod upgrade;

use std::collections::BTreeSet;
use std::io::Write;
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

use barometer_plan::{
    Candidate, ComparisonInputs, CoverChoice, TrialInputs, TrialResult, customers_of, schedule,
    trial_intervals,
};
use barometer_preflight::preflight;
use barometer_search::Question;
use barometer_store::{
    Centre, Comparison, NewComparison, NewSearch, NewTrial, Role, RunState, Store, Subject, Trial,
};
use barometer_strategy::{Duration as Spread, Strategy};
use jiff::civil::{Date, date};
use sqlx::PgPool;
use uuid::Uuid;

/// How long something may take before it counts as stuck: the machine may have a lot to do.
const PATIENCE: Duration = Duration::from_secs(300);

const FRIDAY: Date = date(2026, 11, 27);

/// Address of the database of this test, for another process.
async fn address(pool: &PgPool) -> String {
    let name: String =
        sqlx::query_scalar("SELECT current_database()").fetch_one(pool).await.unwrap();
    let server = std::env::var("DATABASE_URL").unwrap();
    let (server, _) = server.rsplit_once('/').unwrap();
    format!("{server}/{name}")
}

fn barometer(database: &str, arguments: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_barometer"));
    command.args(arguments).env("DATABASE_URL", database).stdin(Stdio::null());
    command
}

fn run(database: &str, arguments: &[&str], input: &str) -> Output {
    let mut child = barometer(database, arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
    child.wait_with_output().unwrap()
}

/// A worker process that ends with the test, however that ends.
struct Worker(Child);

impl Worker {
    fn start(database: &str) -> Self {
        Self(barometer(database, &["worker", "--heartbeat-secs", "1"]).spawn().unwrap())
    }
}

impl Drop for Worker {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Waits until the trial is as wanted.
async fn wait_for(store: &Store, trial: Uuid, wanted: impl Fn(&Trial) -> bool) -> Trial {
    let start = Instant::now();
    loop {
        let trial = store.trial(trial).await.unwrap();
        if wanted(&trial) {
            return trial;
        }
        assert!(
            start.elapsed() < PATIENCE,
            "still {:?}, {} played",
            trial.run.state,
            trial.run.work_done
        );
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
}

async fn queue_trial(store: &Store, replications: u32) -> Uuid {
    store.queue_trial(&new_trial(store, replications).await).await.unwrap()
}

async fn new_trial(store: &Store, replications: u32) -> NewTrial {
    let centre = store.centre().await.unwrap().unwrap();
    let types = store.contact_types(centre.id).await.unwrap();
    let bookings = types.iter().find(|each| each.name == "Bookings").unwrap();
    let version = store.strategy_versions(centre.id).await.unwrap()[0].clone();
    let planner = store.user_by_email("planner@larkhaven.example").await.unwrap().unwrap();
    let from = centre.zone.to_timestamp(FRIDAY.at(0, 0, 0, 0)).unwrap();
    let to = centre.zone.to_timestamp(FRIDAY.tomorrow().unwrap().at(0, 0, 0, 0)).unwrap();
    let forecast = store.forecast_between(bookings.id, from, to).await.unwrap();
    let planned = schedule(&forecast, &[], bookings.grain.secs(), &bookings.rules).unwrap();
    let agents = CoverChoice::Need.agents(&planned, 0).unwrap();
    // Calls to passengers would only make these trials longer.
    let mut strategy = store.strategy(version.id).await.unwrap();
    strategy.campaigns.clear();
    NewTrial {
        subject: Subject {
            centre: centre.id,
            contact_types: vec![bookings.id],
            name: bookings.name.clone(),
            day: FRIDAY,
            days: 1,
        },
        strategy_version: version.id,
        cover_words: "the need".to_owned(),
        inputs: TrialInputs {
            replications,
            seed: 4,
            ..TrialInputs::of_one_type(
                strategy,
                bookings.rules,
                &centre.zone,
                bookings.grain.secs(),
                ("Bookings", customers_of(&bookings.rules, &Spread::exponential(1.0))),
                &trial_intervals(&planned, &agents, bookings.grain.duration()),
            )
        },
        asked: serde_json::Value::Null,
        set: None,
        created_by: planner.id,
    }
}

/// The trial's result, played in this process and in one go.
fn played_here(inputs: &TrialInputs) -> TrialResult {
    let experiment = inputs.experiment().unwrap();
    let parts: Vec<_> =
        inputs.parts().into_iter().map(|part| experiment.play_part(part).unwrap()).collect();
    TrialResult::of(&inputs.merged(&parts).unwrap())
}

/// Preflight finds nothing in the live strategy and the better draft, six faults in the tidied draft, and in
/// the one with offers by phone what its campaign does wrong.
async fn the_faulty_draft_has_its_six_faults(store: &Store, centre: &Centre) {
    let types = store.contact_types(centre.id).await.unwrap();
    let found = async |strategy: &Strategy| {
        let monday = date(2026, 11, 23);
        let week = barometer_app::strategy_week::premises(store, centre, &types, strategy, monday);
        let findings = preflight(strategy, &week.await.unwrap());
        let codes: BTreeSet<&str> = findings.iter().map(|finding| finding.rule.code()).collect();
        codes.into_iter().collect::<Vec<_>>().join(" ")
    };
    for version in store.strategy_versions(centre.id).await.unwrap() {
        let strategy = store.strategy(version.id).await.unwrap();
        assert_eq!(found(&strategy).await, "", "v{}", version.version);
    }
    let drafts = store.drafts(centre.id).await.unwrap();
    let faulty = drafts.iter().find(|draft| draft.name == "Autumn tidy-up").unwrap();
    let strategy = store.draft_strategy(faulty.id, faulty.head).await.unwrap();
    assert_eq!(
        found(&strategy).await,
        "callback-after-closing chats-cut-off limit-before-all-rang loop message-nobody-hears one-at-a-time"
    );
    let fast = drafts.iter().find(|draft| draft.name == "Autumn offers by phone").unwrap();
    let strategy = store.draft_strategy(fast.id, fast.head).await.unwrap();
    assert_eq!(
        found(&strategy).await,
        "competes-with-inbound hangs-up-on-people over-the-ceiling worn-numbers"
    );
}

#[sqlx::test(migrations = false)]
async fn the_demo_is_loaded_once_and_a_half_loaded_one_is_begun_anew(pool: PgPool) {
    let database = address(&pool).await;
    let first = run(&database, &["demo"], "");
    assert!(first.status.success(), "{}", String::from_utf8_lossy(&first.stderr));
    assert!(String::from_utf8_lossy(&first.stdout).contains("plan-the-tide"));
    let store = Store::on(pool.clone());
    let centre = store.centre().await.unwrap().unwrap();
    assert_eq!(store.contact_types(centre.id).await.unwrap().len(), 7);
    assert_eq!(store.latest_trials(None, 9).await.unwrap().len(), 5);
    the_faulty_draft_has_its_six_faults(&store, &centre).await;
    assert!(run(&database, &["demo"], "").status.success());
    assert_eq!(
        store.centre().await.unwrap().unwrap().id,
        centre.id,
        "the second time changes nothing"
    );
    // What a load that was cut off leaves: no today.
    sqlx::query("UPDATE centres SET today = NULL").execute(&pool).await.unwrap();
    assert!(run(&database, &["demo"], "").status.success());
    let anew = store.centre().await.unwrap().unwrap();
    assert!(anew.id != centre.id && anew.today.is_some());
    let history: i64 = sqlx::query_scalar("SELECT count(DISTINCT contact_type_id) FROM history")
        .fetch_one(&pool)
        .await
        .unwrap();
    assert_eq!(history, 7, "nothing is left of the first");
}

#[sqlx::test(migrations = false)]
async fn a_trial_of_a_killed_worker_is_taken_up_again_with_the_same_numbers(pool: PgPool) {
    let database = address(&pool).await;
    assert!(run(&database, &["demo"], "").status.success());
    let store = Store::on(pool);
    // The demo's own trials do not matter here.
    for trial in store.latest_trials(None, 9).await.unwrap() {
        store.cancel_run(trial.id).await.unwrap();
    }
    let trial = queue_trial(&store, 4_000).await;
    let mut first = Worker::start(&database);
    wait_for(&store, trial, |trial| trial.run.work_done > 0).await;
    first.0.kill().unwrap();
    first.0.wait().unwrap();
    assert!(!store.trial(trial).await.unwrap().run.state.is_over(), "killed in the middle");
    let _second = Worker::start(&database);
    let done = wait_for(&store, trial, |trial| trial.run.state.is_over()).await;
    assert_eq!((done.run.state, done.run.work_done), (RunState::Done, 4_000));
    assert_eq!(done.result.unwrap(), played_here(&done.inputs));
}

#[sqlx::test(migrations = false)]
async fn a_comparison_of_a_killed_worker_is_taken_up_again_with_the_same_numbers(pool: PgPool) {
    let database = address(&pool).await;
    assert!(run(&database, &["demo"], "").status.success());
    let store = Store::on(pool);
    for trial in store.latest_trials(None, 9).await.unwrap() {
        store.cancel_run(trial.id).await.unwrap();
    }
    let NewTrial { subject, inputs, created_by, .. } = new_trial(&store, 2_000).await;
    let mut more = inputs.clone();
    more.add_people("bookings-team", 1);
    let candidate = |name: &str, inputs| Candidate { name: name.to_owned(), inputs };
    let candidates = vec![candidate("as needed", inputs), candidate("one more", more)];
    let inputs = ComparisonInputs::Chosen { candidates };
    let title = "One more".to_owned();
    let new = NewComparison { subject, title, inputs, created_by };
    let id = store.queue_comparison(&new).await.unwrap();
    let seen = async |wanted: fn(&Comparison) -> bool| {
        let start = Instant::now();
        loop {
            let seen = store.comparison(id).await.unwrap();
            if wanted(&seen) {
                return seen;
            }
            assert!(start.elapsed() < PATIENCE, "{:?}", (seen.run.state, seen.run.progress()));
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    };
    let mut first = Worker::start(&database);
    seen(|seen| seen.run.progress() > 0.0).await;
    first.0.kill().unwrap();
    first.0.wait().unwrap();
    assert!(!store.comparison(id).await.unwrap().run.state.is_over(), "killed in the middle");
    let _second = Worker::start(&database);
    let done = seen(|seen| seen.run.state.is_over()).await;
    assert_eq!(done.run.state, RunState::Done);
    assert_eq!(done.result, new.inputs.play(|_| true).unwrap());
}

/// Cuts every connection of a worker, as a restart of the database does.
async fn cut_connections(pool: &PgPool, ours: &[i32]) {
    sqlx::query(
        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity \
         WHERE datname = current_database() AND pid <> pg_backend_pid() AND pid <> ALL($1)",
    )
    .bind(ours)
    .execute(pool)
    .await
    .unwrap();
}

#[sqlx::test(migrations = false)]
async fn a_trial_goes_on_in_the_same_worker_when_its_connections_are_cut(pool: PgPool) {
    let database = address(&pool).await;
    assert!(run(&database, &["demo"], "").status.success());
    let store = Store::on(pool.clone());
    for trial in store.latest_trials(None, 9).await.unwrap() {
        store.cancel_run(trial.id).await.unwrap();
    }
    let trial = queue_trial(&store, 4_000).await;
    let ours: Vec<i32> =
        sqlx::query_scalar("SELECT pid FROM pg_stat_activity WHERE datname = current_database()")
            .fetch_all(&pool)
            .await
            .unwrap();
    let _worker = Worker::start(&database);
    let mut is_cut = false;
    let done = loop {
        let seen = store.trial(trial).await.unwrap();
        if seen.run.state.is_over() {
            break seen;
        }
        if seen.run.work_done > 0 && !is_cut {
            is_cut = true;
            cut_connections(&pool, &ours).await;
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    };
    assert_eq!((done.run.state, done.run.work_done, is_cut), (RunState::Done, 4_000, true));
    assert_eq!(done.result.unwrap(), played_here(&done.inputs));
}

#[sqlx::test(migrations = false)]
async fn a_cancelled_trial_stops_in_another_process(pool: PgPool) {
    let database = address(&pool).await;
    assert!(run(&database, &["demo"], "").status.success());
    let store = Store::on(pool);
    for trial in store.latest_trials(None, 9).await.unwrap() {
        store.cancel_run(trial.id).await.unwrap();
    }
    let _worker = Worker::start(&database);
    let trial = queue_trial(&store, 20_000).await;
    wait_for(&store, trial, |trial| trial.run.work_done > 0).await;
    store.cancel_run(trial).await.unwrap();
    let over = wait_for(&store, trial, |trial| trial.run.state.is_over()).await;
    assert_eq!((over.run.state, over.result), (RunState::Cancelled, None));
    assert!(over.run.work_done < 20_000);
}

#[sqlx::test(migrations = false)]
async fn all_forecasts_are_made_anew_by_a_worker_and_only_once_at_a_time(pool: PgPool) {
    let database = address(&pool).await;
    assert!(run(&database, &["demo"], "").status.success());
    let store = Store::on(pool.clone());
    let centre = store.centre().await.unwrap().unwrap();
    for trial in store.latest_trials(None, 9).await.unwrap() {
        store.cancel_run(trial.id).await.unwrap();
    }
    sqlx::query("DELETE FROM forecast_days").execute(&pool).await.unwrap();
    let queued = store.queue_forecast_run(centre.id, None).await.unwrap();
    assert_eq!(store.queue_forecast_run(centre.id, None).await.unwrap(), queued, "one waits");
    let _worker = Worker::start(&database);
    let start = Instant::now();
    let over = loop {
        let seen = store.run(queued).await.unwrap();
        if seen.state.is_over() {
            break seen;
        }
        assert!(start.elapsed() < PATIENCE, "{seen:?}");
        tokio::time::sleep(Duration::from_millis(20)).await;
    };
    assert_eq!((over.state, over.work_total), (RunState::Done, 7));
    assert!(store.open_forecast_run(centre.id).await.unwrap().is_none());
    for each in store.contact_types(centre.id).await.unwrap() {
        assert_eq!(store.forecast_days(each.id).await.unwrap().len(), 28, "{}", each.name);
    }
}

#[sqlx::test(migrations = false)]
async fn a_centre_and_its_people_are_added_from_the_command_line(pool: PgPool) {
    let database = address(&pool).await;
    let failing = |arguments: &[&str], input: &str, wanted: &str| {
        let output = run(&database, arguments, input);
        let message = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!output.status.success() && message.contains(wanted), "{arguments:?}: {message}");
        assert!(!message.contains("stack backtrace") && !message.contains("panicked"), "{message}");
    };
    assert!(run(&database, &["migrate"], "").status.success());
    failing(&["add-centre", "Quay", "Europe/Atlantis"], "", "Europe/Atlantis is no time zone");
    assert!(run(&database, &["add-centre", "Quay", "Europe/Lisbon"], "").status.success());
    failing(&["add-centre", "Second", "Europe/Lisbon"], "", "there is a centre already: Quay");
    let add = |role, password| {
        let arguments = ["add-user", "Ana", "ana@example.org", role];
        (arguments, password)
    };
    let (arguments, password) = add("king", "the evening tide\n");
    failing(&arguments, password, "king is no role");
    let (arguments, password) = add("planner", "short\n");
    failing(&arguments, password, "Use 12 to 200 characters.");
    let (arguments, password) = add("planner", "password1234\n");
    failing(&arguments, password, "This is easily guessed");
    let (arguments, password) = add("planner", "the evening tide\n");
    assert!(run(&database, &arguments, password).status.success());
    failing(&arguments, password, "taken already");
    let ana = Store::on(pool).user_by_email("ana@example.org").await.unwrap().unwrap();
    assert_eq!((ana.name.as_str(), ana.role), ("Ana", Role::Planner));
}

#[test]
fn a_database_that_does_not_answer_is_said_in_one_line() {
    for (database, wanted) in [
        ("postgres://nobody@127.0.0.1:1/none", "the database does not answer"),
        ("nonsense", "is DATABASE_URL right?"),
        ("", "no database: set DATABASE_URL"),
    ] {
        let output = run(database, &["serve", "--database-wait-secs", "0"], "");
        let message = String::from_utf8_lossy(&output.stderr);
        assert!(!output.status.success() && message.contains(wanted), "{message}");
        assert_eq!(message.trim().lines().count(), 1, "{message}");
    }
}

#[sqlx::test(migrations = false)]
async fn a_worker_that_is_told_to_stop_does_not_wait_for_a_search(pool: PgPool) {
    let database = address(&pool).await;
    assert!(run(&database, &["demo"], "").status.success());
    let store = Store::on(pool);
    for run in store.open_runs().await.unwrap() {
        store.cancel_run(run).await.unwrap();
    }
    let trial = new_trial(&store, 1).await;
    let planner = store.user_by_email("planner@larkhaven.example").await.unwrap().unwrap();
    // One design alone is played for minutes.
    let question = Question { days: 5_000, ..Question::about(trial.inputs) };
    let new = NewSearch {
        subject: trial.subject,
        title: "every target on average".to_owned(),
        strategy_version: trial.strategy_version,
        question,
        created_by: planner.id,
    };
    let search = store.queue_search(&new).await.unwrap();
    let mut worker = Worker::start(&database);
    let patience = Instant::now();
    while store.run(search).await.unwrap().state == RunState::Queued {
        assert!(patience.elapsed() < PATIENCE, "nobody took it up");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    let pid = worker.0.id().to_string();
    assert!(Command::new("kill").args(["-TERM", &pid]).status().unwrap().success());
    let patience = Instant::now();
    let ended = loop {
        if let Some(status) = worker.0.try_wait().unwrap() {
            break status;
        }
        assert!(patience.elapsed() < Duration::from_secs(45), "it still computes");
        tokio::time::sleep(Duration::from_millis(200)).await;
    };
    assert!(ended.success(), "{ended}");
    assert!(!store.run(search).await.unwrap().state.is_over(), "another worker takes it up");
}

#[sqlx::test(migrations = false)]
async fn a_report_is_made_from_the_command_line(pool: PgPool) {
    let database = address(&pool).await;
    assert!(run(&database, &["demo"], "").status.success());
    let folder = std::env::temp_dir().join(format!("barometer-report-{}", Uuid::new_v4()));
    let out = folder.to_str().unwrap();
    let week = ["report", "week-review", "--format", "csv", "--format", "json", "--out", out];
    let made = run(&database, &week, "");
    assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
    let said = String::from_utf8_lossy(&made.stdout).into_owned();
    assert!(said.starts_with("Week review, 16 – 22 Nov 2026: "), "{said}");
    assert!(said.contains("contacts were offered"), "{said}");
    let read = |name: &str| std::fs::read_to_string(folder.join(name)).unwrap();
    let json: serde_json::Value = serde_json::from_str(&read("report.json")).unwrap();
    assert!(said.trim().ends_with(json["answer"].as_str().unwrap()));
    assert!(read("report.csv").contains("Sailing changes"));
    assert!(read("service-1.svg").starts_with("<svg"));
    assert!(!folder.join("report.html").exists(), "only what was asked for");
    // A kept report by its title, over other days.
    let titled = run(
        &database,
        &[
            "report",
            "Week review",
            "--period",
            "2026-11-02..2026-11-08",
            "--format",
            "csv",
            "--out",
            out,
        ],
        "",
    );
    assert!(String::from_utf8_lossy(&titled.stdout).starts_with("Week review, 2 – 8 Nov 2026: "));
    for (arguments, wanted) in [
        (["report", "no-such-report", "--out", out].as_slice(), "use one of morning-brief"),
        (
            ["report", "accuracy", "--period", "soon", "--out", out].as_slice(),
            "“soon” is no period",
        ),
        (
            ["report", "accuracy", "--period", "2026-11-09..2026-11-02", "--out", out].as_slice(),
            "swap the two dates",
        ),
    ] {
        let refused = run(&database, arguments, "");
        let said = String::from_utf8_lossy(&refused.stderr);
        assert!(!refused.status.success() && said.contains(wanted), "{said}");
    }
    std::fs::remove_dir_all(&folder).unwrap();
}
