//! The outbox: what alarms and reports have sent, and what has not arrived.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::Recipient;
use barometer_store::{MOST_ATTEMPTS, Message, MessageState};
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::Path;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

/// Messages that are listed.
const LISTED: i64 = 100;

#[derive(Template)]
#[template(path = "watch/outbox.html")]
struct OutboxPage {
    frame: Frame,
    tab: &'static str,
    answer: String,
    rows: Vec<MessageRow>,
    key: String,
}

struct MessageRow {
    id: Uuid,
    at: String,
    to: String,
    is_webhook: bool,
    subject: String,
    body: String,
    state: String,
    is_bad: bool,
    may_repeat: bool,
}

/// `GET /watch/outbox`
pub(crate) async fn show(
    State(app): State<App>,
    Planner(context): Planner,
) -> Result<Response, PageError> {
    let centre = context.centre.id;
    let messages = app.store.messages(centre, LISTED).await?;
    page(&OutboxPage {
        frame: Frame::of(&context, Stage::Watch, None),
        tab: "alarms",
        answer: answer(&messages),
        rows: messages.iter().map(|message| row(message, &context)).collect(),
        key: app.store.webhook_key(centre).await?,
    })
}

fn row(message: &Message, context: &RequestContext) -> MessageRow {
    let state = match (message.state, message.attempts, &message.failure) {
        (MessageState::Sent, ..) => "sent".to_owned(),
        (MessageState::Kept, ..) => "kept here: no mail server is set".to_owned(),
        (MessageState::Waiting, 0, _) | (MessageState::Waiting, _, None) => "waiting".to_owned(),
        (MessageState::Waiting, n, Some(why)) => {
            format!("attempt {n} of {MOST_ATTEMPTS} failed: {why}")
        }
        (MessageState::Failed, n, why) => {
            let why = why.as_deref().unwrap_or("no reason was kept");
            format!("given up after {n} attempts: {why}")
        }
    };
    MessageRow {
        id: message.id,
        at: words::moment(message.created_at, &context.centre.zone),
        to: message
            .recipient
            .as_ref()
            .map_or_else(|| "no address".to_owned(), Recipient::to_string),
        is_webhook: matches!(message.recipient, Some(Recipient::Webhook(_))),
        subject: message.subject.clone(),
        body: message.body.clone(),
        state,
        is_bad: message.state == MessageState::Failed || message.failure.is_some(),
        may_repeat: message.state != MessageState::Waiting,
    }
}

fn answer(messages: &[Message]) -> String {
    let of = |state| messages.iter().filter(|message| message.state == state).count();
    let (waiting, failed) = (of(MessageState::Waiting), of(MessageState::Failed));
    let kept = of(MessageState::Kept);
    if messages.is_empty() {
        return "Nothing has been sent yet: alarms write to those who are named with them."
            .to_owned();
    }
    let mut said = vec![match waiting {
        0 => "Nothing waits.".to_owned(),
        1 => "One message waits.".to_owned(),
        n => format!("{n} messages wait."),
    }];
    if failed > 0 {
        said.push(format!("{failed} could not be delivered: see why below, and send again."));
    }
    if kept > 0 {
        said.push(format!("{kept} can only be read here, because no mail server is set."));
    }
    said.join(" ")
}

/// `POST /watch/outbox/{id}`: sends a message again.
pub(crate) async fn send_again(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.send_again(context.centre.id, id).await?;
    Ok(Redirect::to("/watch/outbox").into_response())
}
