//! Reports whose time has come: queued once each, whatever number of servers looks.

use std::time::Duration;

use barometer_plan::Recipient;
use barometer_store::{Centre, FailedEdition, NewEdition, NewMessage, Store, StoreError};
use jiff::Timestamp;
use serde_json::json;

use crate::{AppError, clock};

/// How often schedules are looked at.
const LOOK_EVERY: Duration = Duration::from_secs(5);

/// Looks at the schedules until told to stop.
pub async fn run(store: Store, mut stopped: tokio::sync::watch::Receiver<bool>) {
    loop {
        tokio::select! {
            _ = stopped.wait_for(|stopped| *stopped) => return,
            () = tokio::time::sleep(LOOK_EVERY) => {}
        }
        if let Err(error) = tick(&store, clock::now()).await {
            tracing::warn!(%error, "scheduled reports wait");
        }
    }
}

/// Queues the reports that are due at an instant, tells the owners of those that failed, and removes those that are
/// too old to keep. Gives how many were queued.
///
/// A schedule that was due several times while no server ran is made once, for the earliest of them.
///
/// # Errors
///
/// When the database fails: what was not queued is queued at the next look.
pub async fn tick(store: &Store, now: Timestamp) -> Result<usize, AppError> {
    let Some(centre) = store.centre().await? else { return Ok(0) };
    let mut queued = 0;
    for schedule in store.due_report_schedules(now).await? {
        let Some(due_at) = schedule.next_at else { continue };
        let report = match store.report(centre.id, schedule.report).await {
            Ok(report) => report,
            Err(StoreError::NotFound) => continue,
            Err(error) => return Err(error.into()),
        };
        let new = NewEdition {
            centre: centre.id,
            report: report.id,
            definition: &report.definition,
            due_at,
            by: None,
        };
        let next_at = schedule.timing.next(now, &centre.zone);
        let edition = store.queue_scheduled_edition((&schedule, due_at), &new, next_at).await?;
        queued += usize::from(edition.is_some());
    }
    tell_failures(store, &centre).await?;
    store.forget_old_editions(now).await?;
    Ok(queued)
}

async fn tell_failures(store: &Store, centre: &Centre) -> Result<(), AppError> {
    for failed in store.untold_failures(centre.id).await? {
        let FailedEdition { id, title, reason, owner } = failed;
        let message = owner.map(|address| NewMessage {
            recipient: Recipient::Mail(address),
            subject: format!("The report “{title}” could not be made"),
            body: format!(
                "{reason}.\n\nIt is made again at its next time, or at once from its page under Watch, Reports.",
            ),
            event: json!({ "kind": "report_failed", "edition": id, "reason": reason }),
        });
        let messages: Vec<NewMessage> = message.into_iter().collect();
        store.tell_failure((centre.id, id), &messages).await?;
    }
    Ok(())
}
