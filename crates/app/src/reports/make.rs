//! Making a report: at once for a reader, or as a run that is kept and sent.

use barometer_report::{Definition, Report, make};
use barometer_store::{Centre, EditionFile, MadeEdition, NewMessage, Sending, Store};
use sha2::{Digest, Sha256};
use tokio::sync::Semaphore;
use uuid::Uuid;

use super::facts::{self, Reader};
use super::files::files;
use super::sending::{Letter, recipients};
use crate::{AppError, clock};

/// Reports that are made at the same time: each reads over several connections, and pages want some too.
static AT_ONCE: Semaphore = Semaphore::const_new(2);

/// A report as a reader may see it now: made once, and again when something that it tells of has changed.
///
/// # Errors
///
/// [`AppError::Refused`] where its period cannot be told or its contact types are gone; otherwise when the database
/// fails.
pub async fn preview(
    store: &Store,
    centre: &Centre,
    definition: &Definition,
    reader: Reader,
) -> Result<Report, AppError> {
    let key = key(centre, definition, reader)?;
    if let Some(report) = store.report_page(&key).await?.report {
        return Ok(report);
    }
    let _place = AT_ONCE.acquire().await.map_err(AppError::core)?;
    // Somebody else may have made it meanwhile.
    let page = store.report_page(&key).await?;
    if let Some(report) = page.report {
        return Ok(report);
    }
    let facts = facts::read(store, centre, definition, reader).await?;
    let report = make(definition, &facts);
    store.keep_report_page(&key, page.changes, &report).await?;
    Ok(report)
}

/// Everything but the figures that a report depends on.
fn key(centre: &Centre, definition: &Definition, reader: Reader) -> Result<Vec<u8>, AppError> {
    let all = (centre.id, definition, reader.sees_agents, clock::today(centre));
    let text = serde_json::to_vec(&all).map_err(AppError::core)?;
    Ok(Sha256::digest(text).to_vec())
}

/// Makes a queued report, keeps it with its files, and puts it into the outbox for those who get it.
///
/// # Errors
///
/// [`AppError`] where the database does not answer or a file cannot be made; what a report cannot say is said in it.
pub async fn make_edition(store: &Store, id: Uuid) -> Result<(), AppError> {
    let edition = store.edition(id).await?;
    let Some(centre) = store.centre().await?.filter(|centre| centre.id == edition.run.centre)
    else {
        return Ok(store.fail_run(id, "its contact centre is not there any more").await?);
    };
    let report = preview(store, &centre, &edition.definition, Reader::ANYBODY).await?;
    let sent = match edition.schedule {
        None => Sent::nothing("made on request"),
        Some(schedule) => {
            let sending = store.report_schedule(schedule).await?.sending;
            if sending.only_if_missed && report.out_of_target.is_empty() {
                Sent::nothing("not sent: nothing is out of target")
            } else {
                Sent::by(store, id, &report, &sending).await?
            }
        }
    };
    let made = MadeEdition {
        report: &report,
        files: &sent.files,
        messages: &sent.messages,
        are_attached: !sent.files.is_empty(),
        outcome: &sent.outcome,
    };
    Ok(store.end_edition((centre.id, id), &made).await?)
}

/// What goes out of a made report, and what is noted of it.
struct Sent {
    files: Vec<EditionFile>,
    messages: Vec<NewMessage>,
    outcome: String,
}

impl Sent {
    fn nothing(outcome: &str) -> Self {
        Self { files: Vec::new(), messages: Vec::new(), outcome: outcome.to_owned() }
    }

    async fn by(
        store: &Store,
        edition: Uuid,
        report: &Report,
        sending: &Sending,
    ) -> Result<Self, AppError> {
        let (files, note) = match sending.link_days {
            Some(_) => (Vec::new(), None),
            None => files(report, &sending.formats).await?,
        };
        let letter = Letter::of(store, edition, report, sending, note.as_deref()).await?;
        let to = recipients(store, sending).await?;
        let outcome = match to.len() {
            0 => "not sent: it has no recipients".to_owned(),
            1 => "sent to 1 person".to_owned(),
            some => format!("sent to {some} people"),
        };
        Ok(Self { files, messages: letter.to(&to), outcome })
    }
}
