//! Making a report: at once for a reader, or as a run that is kept and sent.

use barometer_report::{Definition, Report, make};
use barometer_store::{Centre, EditionFile, MadeEdition, Store};
use uuid::Uuid;

use super::facts::{self, Reader};
use super::files::files;
use super::sending::{Letter, recipients};
use crate::AppError;

/// A report as a reader may see it now.
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
    let facts = facts::read(store, centre, definition, reader).await?;
    Ok(make(definition, &facts))
}

/// Makes a queued report, keeps it with its files, and puts it into the outbox for those who get it.
pub async fn make_edition(store: &Store, id: Uuid) -> Result<(), AppError> {
    let edition = store.edition(id).await?;
    let Some(centre) = store.centre().await?.filter(|centre| centre.id == edition.run.centre)
    else {
        return Ok(store.fail_run(id, "its contact centre is not there any more").await?);
    };
    let report = preview(store, &centre, &edition.definition, Reader::ANYBODY).await?;
    let schedule = match edition.schedule {
        Some(schedule) => Some(store.report_schedule(schedule).await?),
        None => None,
    };
    let Some(schedule) = schedule else {
        let outcome = "made on request";
        return Ok(store.end_edition((centre.id, id), &of(&report, &[], &[], outcome)).await?);
    };
    if schedule.sending.only_if_missed && report.out_of_target.is_empty() {
        let outcome = "not sent: nothing is out of target";
        return Ok(store.end_edition((centre.id, id), &of(&report, &[], &[], outcome)).await?);
    }
    let is_linked = schedule.sending.link_days.is_some();
    let (files, note) = if is_linked {
        (Vec::new(), None)
    } else {
        files(&report, &schedule.sending.formats).await?
    };
    let letter = Letter::of(store, id, &report, &schedule.sending, note.as_deref()).await?;
    let to = recipients(store, &schedule.sending).await?;
    let messages = letter.to(&to);
    let outcome = match to.len() {
        0 => "not sent: it has no recipients".to_owned(),
        1 => "sent to 1 person".to_owned(),
        some => format!("sent to {some} people"),
    };
    let made = MadeEdition { are_attached: !is_linked, ..of(&report, &files, &messages, &outcome) };
    Ok(store.end_edition((centre.id, id), &made).await?)
}

fn of<'a>(
    report: &'a Report,
    files: &'a [EditionFile],
    messages: &'a [barometer_store::NewMessage],
    outcome: &'a str,
) -> MadeEdition<'a> {
    MadeEdition { report, files, messages, are_attached: false, outcome }
}
