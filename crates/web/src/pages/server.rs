//! How the server is doing: workers, runs, what failed, sizes, versions. For administrators.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_store::{BackupLine, OperatingState, Run, TableSize, WorkerLine, schema_version};

use super::progress;
use crate::App;
use crate::access::{Administrator, RequestContext};
use crate::frame::Frame;
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::watch::board::for_secs;
use crate::words;

/// Failures and tables that are listed.
const MOST_FAILURES: i64 = 20;
const MOST_TABLES: i64 = 8;

#[derive(Template)]
#[template(path = "server.html")]
struct ServerPage {
    frame: Frame,
    answer: String,
    workers: Vec<(String, String)>,
    runs: Vec<(String, &'static str, String)>,
    failures: Vec<FailureRow>,
    database: String,
    tables: Vec<(String, String)>,
    /// The last backup in words; `None` before the first.
    backup: Option<String>,
    versions: Vec<(&'static str, String)>,
}

struct FailureRow {
    at: String,
    kind: String,
    by: String,
    why: String,
    address: String,
    retry: String,
}

/// `GET /people/server`
pub(crate) async fn show(
    State(app): State<App>,
    Administrator(context): Administrator,
) -> Result<Response, PageError> {
    let (state, figures, workers, failed, (tables, server), backup) = tokio::try_join!(
        app.store.operating_state(),
        app.store.operating_figures(),
        app.store.workers(),
        app.store.failed_runs(MOST_FAILURES),
        app.store.sizes(MOST_TABLES),
        app.store.last_backup(),
    )?;
    let answer = answer(&state, failed.len());
    let mut failures = Vec::with_capacity(failed.len());
    for run in failed {
        failures.push(failure(&app, &context, run).await?);
    }
    let count = |count: i64| words::thousands(count as f64);
    page(&ServerPage {
        frame: Frame::apart(&context),
        answer,
        workers: workers.into_iter().map(worker).collect(),
        runs: figures
            .runs
            .into_iter()
            .map(|(kind, state, runs)| {
                (
                    words::capitalised(progress::kind_word(kind)),
                    progress::state_word(state),
                    count(runs),
                )
            })
            .collect(),
        failures,
        database: words::bytes(figures.database_bytes as f64),
        tables: tables
            .into_iter()
            .map(|TableSize { name, bytes: of }| (name, words::bytes(of as f64)))
            .collect(),
        backup: backup.map(|backup| backup_words(&backup, &context)),
        versions: vec![
            ("Barometer", env!("CARGO_PKG_VERSION").to_owned()),
            ("Schema", schema_version().to_string()),
            ("PostgreSQL", server),
        ],
    })
}

/// "29 Nov 2026, 08:38, 1,204,112 rows in /backups/today, restored elsewhere and compared".
fn backup_words(backup: &BackupLine, context: &RequestContext) -> String {
    format!(
        "{}, {} rows in {}, {}",
        words::moment(backup.made_at, &context.centre.zone),
        words::thousands(backup.rows as f64),
        backup.folder,
        if backup.is_checked { "restored elsewhere and compared" } else { "not checked" }
    )
}

fn answer(state: &OperatingState, failures: usize) -> String {
    let workers = match state.workers {
        0 => "No worker is alive: what is queued waits".to_owned(),
        1 => "One worker is alive".to_owned(),
        some => format!("{some} workers are alive"),
    };
    let waiting = state.oldest_waiting_secs.map_or_else(
        || "no run waits".to_owned(),
        |secs| format!("the oldest run has waited for {}", for_secs(secs)),
    );
    let failed = match failures {
        0 => "none has failed".to_owned(),
        1 => "one has failed".to_owned(),
        some => format!("{} have failed", words::count_word(some)),
    };
    format!("{workers}; {waiting}; {failed}.")
}

fn worker(line: WorkerLine) -> (String, String) {
    let seen = for_secs(line.silent_secs);
    (line.name, if line.is_alive { seen } else { format!("{seen}, counts for dead") })
}

async fn failure(app: &App, context: &RequestContext, run: Run) -> Result<FailureRow, PageError> {
    Ok(FailureRow {
        address: progress::address(app, context, &run).await?,
        retry: format!("/runs/{}/retry", run.id),
        at: words::moment(run.created_at, &context.centre.zone),
        kind: words::capitalised(progress::kind_word(run.kind)),
        by: run.created_by.unwrap_or_else(|| words::NONE.to_owned()),
        why: run.failure.unwrap_or_default(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_answer_says_who_works_what_waits_and_what_failed() {
        let state = |workers, oldest_waiting_secs| OperatingState {
            missing_migrations: 0,
            workers,
            oldest_waiting_secs,
        };
        assert_eq!(
            answer(&state(1, None), 0),
            "One worker is alive; no run waits; none has failed."
        );
        let stuck = answer(&state(0, Some(125.0)), 2);
        assert!(stuck.starts_with(
            "No worker is alive: what is queued waits; the oldest run has waited for"
        ));
        assert!(stuck.ends_with("; two have failed."), "{stuck}");
    }
}
