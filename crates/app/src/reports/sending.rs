//! What is written to those who get a report.

use std::collections::BTreeSet;

use barometer_plan::Recipient;
use barometer_report::Report;
use barometer_store::{Centre, Edition, NewMessage, Sending, Store};
use jiff::ToSpan;
use serde_json::json;
use uuid::Uuid;

use crate::{AppError, clock};

/// A letter about a made report.
pub(super) struct Letter {
    subject: String,
    body: String,
    event: serde_json::Value,
}

/// Everybody who gets a report: the addresses, and the people of the roles, each once.
pub(super) async fn recipients(store: &Store, sending: &Sending) -> Result<Vec<String>, AppError> {
    let mut seen = BTreeSet::new();
    let users = store.users().await?;
    let of_roles = users.into_iter().filter(|user| sending.roles.contains(&user.role));
    let all = sending.addresses.iter().cloned().chain(of_roles.map(|user| user.email));
    Ok(all.filter(|address| seen.insert(address.to_lowercase())).collect())
}

/// Makes a link to a made report that works for a number of days, and gives its path.
///
/// # Errors
///
/// When the database fails.
pub async fn make_link(store: &Store, edition: Uuid, days: i32) -> Result<String, AppError> {
    let hours = i64::from(days) * 24;
    let expires_at = clock::now().checked_add(hours.hours()).map_err(AppError::core)?;
    let secret = store.add_report_link(edition, expires_at).await?;
    Ok(format!("/reports/shared/{secret}"))
}

impl Letter {
    /// About a report; with a link where the sending wants one.
    pub async fn of(
        store: &Store,
        edition: Uuid,
        report: &Report,
        sending: &Sending,
        note: Option<&str>,
    ) -> Result<Self, AppError> {
        let mut body = format!("{}\n", report.answer);
        if report.out_of_target.len() > 1 {
            body += "\nOut of target:\n";
            for missed in &report.out_of_target {
                body += &format!("- {missed}\n");
            }
        }
        body.push('\n');
        for part in &report.parts {
            body += &format!("{}: {}\n", part.section.title(), part.sentence);
        }
        let mut event = json!({
            "kind": "report",
            "edition": edition,
            "title": report.title,
            "days": report.days,
            "answer": report.answer,
            "out_of_target": report.out_of_target,
        });
        if let Some(days) = sending.link_days {
            let path = make_link(store, edition, days).await?;
            body += &format!("\nThe whole report, for {days} days:\n{path}\n");
            event["link"] = path.into();
        }
        if let Some(note) = note {
            body += &format!("\n{note}\n");
        }
        let subject = format!("{}, {}", report.title, report.days.words());
        Ok(Self { subject, body, event })
    }

    /// As messages to addresses.
    pub fn to(&self, addresses: &[String]) -> Vec<NewMessage> {
        let message = |address: &String| NewMessage {
            recipient: Recipient::Mail(address.clone()),
            subject: self.subject.clone(),
            body: self.body.clone(),
            event: self.event.clone(),
        };
        addresses.iter().map(message).collect()
    }
}

/// Sends a made report once more to those who get it now. Gives how many they are.
///
/// # Errors
///
/// [`AppError::Refused`] where no schedule says to whom, or it is not done; otherwise when the database fails.
pub async fn resend(store: &Store, centre: &Centre, edition: &Edition) -> Result<usize, AppError> {
    let Some(report) = &edition.report else {
        return Err(AppError::Refused(
            "This report is not finished, so it cannot be sent.".to_owned(),
        ));
    };
    let Some(schedule) = edition.schedule else {
        return Err(AppError::Refused(
            "This report was made by hand, so it has no recipients. Add a schedule, or share a link.".to_owned(),
        ));
    };
    let sending = store.report_schedule(schedule).await?.sending;
    let letter = Letter::of(store, edition.id, report, &sending, None).await?;
    let to = recipients(store, &sending).await?;
    let are_attached = sending.link_days.is_none();
    store.resend_edition(centre.id, edition.id, &letter.to(&to), are_attached).await?;
    Ok(to.len())
}
