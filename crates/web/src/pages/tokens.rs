//! Tokens with which scripts send history.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{Deed, Noted};
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::Administrator;
use crate::extract::{Form, Path};
use crate::frame::Frame;
use crate::page_error::PageError;
use crate::pages::{page, trail};

/// The longest name.
const MOST_CHARS: usize = 80;

#[derive(Template)]
#[template(path = "token.html")]
struct TokenPage {
    frame: Frame,
    name: String,
    secret: String,
}

#[derive(Deserialize)]
pub(crate) struct TokenForm {
    name: String,
}

/// `POST /people/tokens`: makes a token and shows it, this once.
pub(crate) async fn add(
    State(app): State<App>,
    Administrator(context): Administrator,
    Form(form): Form<TokenForm>,
) -> Result<Response, PageError> {
    let name = form.name.trim();
    if name.is_empty() || name.chars().count() > MOST_CHARS {
        let message = format!("Say what the token is for, in up to {MOST_CHARS} characters.");
        return Err(PageError::Refused(message));
    }
    let secret = app.store.add_token(context.centre.id, name, context.user.id).await?;
    trail::note(&app, &context, Deed::TokenMade, Noted::about(name)).await;
    page(&TokenPage { frame: Frame::apart(&context), name: name.to_owned(), secret })
}

/// `POST /people/tokens/{token}/remove`
pub(crate) async fn remove(
    State(app): State<App>,
    Administrator(context): Administrator,
    Path(token): Path<Uuid>,
) -> Result<Response, PageError> {
    let tokens = app.store.tokens(context.centre.id).await?;
    let name = tokens.into_iter().find(|each| each.id == token).map(|token| token.name);
    app.store.remove_token(context.centre.id, token).await?;
    trail::note(&app, &context, Deed::TokenEnded, Noted::about(name.unwrap_or_default())).await;
    Ok(Redirect::to("/people").into_response())
}
