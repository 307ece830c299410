//! Barometer: try a change before your customers do.
//!
//! One binary: `serve` answers pages and plays trials, `worker` only plays trials (on any machine
//! that reaches the database), `migrate` and `demo` prepare a database, `backup` and `restore` keep it. `forecast`, `need`,
//! `queueing`, `trial`, `search`, `preflight`, `walk`, `expect`, `diff` and `verify` work on files.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod backup;
mod database;
mod demo;
mod headless;
mod listen;
mod report;
mod serve;
mod switch;
mod worker;

use std::io::IsTerminal;
use std::process::ExitCode;

use anyhow::{Context, Result};
use barometer_store::{Role, Store};
use clap::{Parser, Subcommand};

#[derive(Parser)]
#[command(version, about = "Forecast, size and try a contact centre before customers meet it")]
struct Cli {
    #[command(flatten)]
    database: database::DatabaseOptions,
    /// How log lines are written.
    #[arg(long, env = "BAROMETER_LOG_FORMAT", global = true, value_enum, default_value_t = LogFormat::Text)]
    log_format: LogFormat,
    #[command(subcommand)]
    command: Command,
}

#[derive(Clone, Copy, clap::ValueEnum)]
enum LogFormat {
    /// For people.
    Text,
    /// An object a line, for programs.
    Json,
}

#[derive(Subcommand)]
enum Command {
    /// Answers pages, and plays trials unless told otherwise.
    Serve(serve::Options),
    /// The telephone switch stand-in: callers, agents and a clock of its own behind an open interface.
    Switch(switch::Options),
    /// Plays trials from the queue until stopped.
    Worker(worker::WorkerOptions),
    /// Forecasts interval history from a CSV file into another; needs no database.
    Forecast(headless::forecast::Options),
    /// Turns a forecast into people per interval under targets; needs no database.
    Need(headless::need::Options),
    /// Works out queueing models for the rows of a CSV file; needs no database.
    Queueing(headless::queueing::Options),
    /// Plays a strategy on a forecast with a cover, from files into files; needs no database.
    Trial(headless::trial::Options),
    /// Finds the cheapest people with which every target holds, from files into files; needs no database.
    Search(headless::search::Options),
    /// Finds what is wrong with a strategy; needs no database. Exits with 3 for a note, 4 for a
    /// warning, 5 for a serious finding.
    Preflight(headless::preflight::Options),
    /// Follows one made-up contact through a strategy; needs no database.
    Walk(headless::walk::WalkOptions),
    /// Checks that made-up contacts end as expected; needs no database.
    Expect(headless::walk::ExpectOptions),
    /// Tells how two strategies differ; needs no database. Exits with 3 where they do.
    Diff(headless::diff::Options),
    /// Prints how many lines a team may ring for each free agent under a ceiling on abandoned calls.
    Pacing(headless::pacing::Options),
    /// Plays again what a change sheet rests on; needs no database. Exits with 3 where a figure differs.
    Verify(headless::verify::Options),
    /// Draws the journey map of a strategy as SVG.
    Map(headless::map::Options),
    /// Prints the JSON Schema of a strategy, of customers, of a contact or of expectations.
    Schema(headless::schema::Options),
    /// Makes a report, one that is kept or a ready-made one, as files.
    Report(report::Options),
    /// Writes the whole database into a new folder, and checks that it can be had back.
    Backup(backup::BackupOptions),
    /// Fills an empty database from a backup.
    Restore(backup::RestoreOptions),
    /// Brings the database's schema up to date.
    Migrate,
    /// Loads Larkhaven Ferries and its users into an empty database, and prints who can sign in.
    Demo,
    /// Adds the contact centre of an empty database.
    AddCentre {
        /// Its name.
        name: String,
        /// Its IANA time zone, such as Europe/London.
        zone: String,
    },
    /// Adds a person who can sign in; the password is read from standard input.
    AddUser {
        /// Name as shown.
        name: String,
        /// Address to sign in with.
        email: String,
        /// viewer, planner, approver or administrator.
        role: String,
    },
}

fn main() -> ExitCode {
    let done = tokio::runtime::Runtime::new().context("starting threads").and_then(|runtime| {
        let done = runtime.block_on(run(Cli::parse()));
        // What is still computed on a thread of its own is not waited for: another worker takes it up.
        runtime.shutdown_background();
        done
    });
    match done {
        Ok(code) => code,
        Err(error) => {
            // One line with its causes; a backtrace helps nobody who started a program.
            eprintln!("barometer: {error:#}");
            ExitCode::FAILURE
        }
    }
}

async fn run(cli: Cli) -> Result<ExitCode> {
    let filter = tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(
        |_| // The check of a million rows takes its seconds, and SQLx would print it whole.
            "warn,barometer=info,sqlx::query=error".into(),
    );
    let log = tracing_subscriber::fmt()
        .with_env_filter(filter)
        .with_writer(std::io::stderr)
        .with_ansi(std::io::stderr().is_terminal());
    match cli.log_format {
        LogFormat::Text => log.init(),
        LogFormat::Json => log.json().flatten_event(true).init(),
    }
    let done = |()| ExitCode::SUCCESS;
    let command = match cli.command {
        Command::Forecast(options) => return headless::forecast::run(options).await.map(done),
        Command::Need(options) => return headless::need::run(options).await.map(done),
        Command::Queueing(options) => return headless::queueing::run(options).await.map(done),
        Command::Trial(options) => return headless::trial::run(options).await.map(done),
        Command::Search(options) => return headless::search::run(options).await.map(done),
        Command::Preflight(options) => return headless::preflight::run(options).await,
        Command::Walk(options) => return headless::walk::walk(&options),
        Command::Expect(options) => return headless::walk::expect(&options),
        Command::Diff(options) => return headless::diff::run(&options),
        Command::Pacing(options) => return headless::pacing::run(&options).map(done),
        Command::Verify(options) => return headless::verify::run(&options),
        Command::Map(options) => return headless::map::run(&options).map(done),
        Command::Schema(options) => return headless::schema::run(&options).map(done),
        Command::Switch(options) => return switch::run(options).await.map(done),
        command => command,
    };
    let waits = matches!(command, Command::Serve(_) | Command::Worker(_));
    let store = cli.database.connect(waits).await?;
    with_database(command, store, cli.database).await.map(done)
}

async fn with_database(
    command: Command,
    store: Store,
    database: database::DatabaseOptions,
) -> Result<()> {
    match command {
        Command::Forecast(_)
        | Command::Need(_)
        | Command::Queueing(_)
        | Command::Trial(_)
        | Command::Search(_)
        | Command::Preflight(_)
        | Command::Walk(_)
        | Command::Expect(_)
        | Command::Diff(_)
        | Command::Pacing(_)
        | Command::Verify(_)
        | Command::Map(_)
        | Command::Switch(_)
        | Command::Schema(_) => Ok(()),
        Command::Serve(options) => serve::run(store, database, options).await,
        Command::Worker(options) => worker::run_until_stopped(store, database, options).await,
        Command::Report(options) => report::run(&store, &options).await,
        Command::Backup(options) => backup::backup(&store, &database, &options).await,
        Command::Restore(options) => backup::restore(&store, &database, &options).await,
        Command::Migrate => Ok(store.migrate().await?),
        Command::Demo => {
            demo::load(&store).await?;
            demo::print_users();
            Ok(())
        }
        Command::AddCentre { name, zone } => add_centre(&store, &name, &zone).await,
        Command::AddUser { name, email, role } => add_user(&store, &name, &email, &role).await,
    }
}

async fn add_centre(store: &Store, name: &str, zone: &str) -> Result<()> {
    jiff::tz::TimeZone::get(zone).with_context(|| {
        format!("{zone} is no time zone; use an IANA name such as Europe/London")
    })?;
    if let Some(centre) = store.centre().await? {
        anyhow::bail!("there is a centre already: {}", centre.name);
    }
    store.add_centre(name, zone).await?;
    Ok(())
}

async fn add_user(store: &Store, name: &str, email: &str, role: &str) -> Result<()> {
    let role = Role::of_word(role).with_context(|| {
        format!("{role} is no role; use viewer, planner, approver or administrator")
    })?;
    let mut password = String::new();
    std::io::stdin()
        .read_line(&mut password)
        .context("reading the password from standard input")?;
    let password = password.trim_end_matches(['\r', '\n']);
    if let Some(fault) = barometer_app::passwords::fault(password, &[name, email]) {
        anyhow::bail!("the password cannot be taken. {fault}");
    }
    let hash = barometer_app::passwords::hash_password(password).context("hashing the password")?;
    store.add_user(name, email, &hash, role).await.with_context(|| format!("adding {email}"))?;
    Ok(())
}
