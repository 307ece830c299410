//! An intervention as a message to those who are to do it.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::live::Helps;
use barometer_plan::{Help, Recipient};
use barometer_store::NewMessage;
use serde::Deserialize;

use super::help::{MOVED_ON, known, shown};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Query};
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;

/// Characters of a message, at most.
const LONGEST: usize = 4000;

#[derive(Template)]
#[template(path = "watch/help_message.html")]
struct MessagePage {
    frame: Frame,
    tab: &'static str,
    typed: MessageForm,
    wrong: FormErrors,
}

#[derive(Deserialize)]
pub(crate) struct KindQuery {
    kind: String,
}

/// A message as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct MessageForm {
    kind: String,
    tells: String,
    subject: String,
    text: String,
}

/// `GET /watch/help/message?kind=`
pub(crate) async fn ask(
    State(app): State<App>,
    Planner(context): Planner,
    Query(query): Query<KindQuery>,
) -> Result<Response, PageError> {
    let Some((helps, place)) = known(&app, &query.kind)? else {
        return shown(&app, &context, Some(MOVED_ON.to_owned())).await;
    };
    let help = &helps.helps[place];
    let typed = MessageForm {
        kind: query.kind,
        tells: String::new(),
        subject: format!("{}: {}", context.centre.name, help.words),
        text: text_of(&helps, help, &context),
    };
    page(&MessagePage::of(&context, typed, FormErrors::default()))
}

/// `POST /watch/help/message`
pub(crate) async fn send(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<MessageForm>,
) -> Result<Response, PageError> {
    let Some((helps, place)) = known(&app, &form.kind)? else {
        return shown(&app, &context, Some(MOVED_ON.to_owned())).await;
    };
    let mut wrong = FormErrors::default();
    let recipients = Recipient::list(&form.tells).unwrap_or_else(|error| {
        wrong.note("tells", format!("{error}."));
        Vec::new()
    });
    if recipients.is_empty() && wrong.is_empty() {
        wrong.note("tells", "Say who is to be told: one e-mail address or several, with commas.");
    }
    for (field, typed) in [("subject", &form.subject), ("text", &form.text)] {
        if typed.trim().is_empty() {
            wrong.note(field, "Must not be empty.");
        } else if typed.chars().count() > LONGEST {
            wrong.note(field, format!("Must have at most {LONGEST} characters."));
        }
    }
    if !wrong.is_empty() {
        return refused(&MessagePage::of(&context, form, wrong));
    }
    let help = &helps.helps[place];
    let message = |recipient: Recipient| NewMessage {
        recipient,
        subject: form.subject.split_whitespace().collect::<Vec<_>>().join(" "),
        body: form.text.trim().to_owned(),
        event: serde_json::json!({ "event": "intervention", "intervention": help, "link": "/watch" }),
    };
    let messages: Vec<NewMessage> = recipients.into_iter().map(message).collect();
    let found = (helps.outlook.as_ref(), help);
    app.live.tell(&app.store, &context.centre, found, (&messages, context.user.id)).await?;
    Ok(Redirect::to("/watch?note=asked").into_response())
}

impl MessagePage {
    fn of(context: &RequestContext, typed: MessageForm, wrong: FormErrors) -> Self {
        Self { frame: Frame::of(context, Stage::Watch, None), tab: "help", typed, wrong }
    }
}

/// What is to be done, and what it is expected to do.
fn text_of(helps: &Helps, help: &Help, context: &RequestContext) -> String {
    let types = helps.outlook.today.now.inputs.types.iter().zip(&help.effects);
    let expected: Vec<String> = types
        .filter(|(_, effect)| effect.is_told())
        .map(|(kind, effect)| {
            format!(
                "- {}: {} of contacts answered in time by tonight, instead of {}",
                kind.name,
                words::percent(effect.level),
                words::percent(effect.level - effect.difference)
            )
        })
        .collect();
    format!(
        "Please do this now: {}.\n\nSeen from {}, it is expected to lead to:\n{}\n\n{}",
        help.words,
        words::clock(helps.outlook.at, &context.centre.zone),
        expected.join("\n"),
        context.user.name
    )
}
