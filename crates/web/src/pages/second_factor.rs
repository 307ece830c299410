//! The second factor: an authenticator that is set up by its owner, and taken away by them or an administrator.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use axum_login::AuthSession;
use barometer_app::clock::now;
use barometer_app::passwords;
use barometer_app::second_factor::Secret;
use barometer_store::{Deed, Noted};
use serde::Deserialize;
use uuid::Uuid;

use super::people::busy;
use super::sign_in::{begin_session, internal};
use crate::App;
use crate::access::{Account, Accounts, Administrator, RequestContext};
use crate::extract::{Form, Path};
use crate::forms::FormErrors;
use crate::frame::Frame;
use crate::page_error::PageError;
use crate::pages::{page, refused, trail};

/// Where a session keeps a secret that is not confirmed yet.
const UNCONFIRMED: &str = "second_factor_unconfirmed";

#[derive(Template)]
#[template(path = "second_factor.html")]
struct SecondFactorPage {
    frame: Frame,
    is_set_up: bool,
    /// Whether the centre's administrators need one, and this is one of them.
    is_needed: bool,
    /// The picture and the key to be typed, while it is set up.
    picture: String,
    key: String,
    wrong: FormErrors,
}

impl SecondFactorPage {
    async fn new(
        app: &App,
        context: &RequestContext,
        session: &AuthSession<Accounts>,
        wrong: FormErrors,
    ) -> Result<Self, PageError> {
        let is_set_up = context.user.has_second_factor;
        let (picture, key) = if is_set_up {
            Default::default()
        } else {
            let secret = unconfirmed(session).await?;
            let picture = secret.picture(&context.centre.name, &context.user.email);
            (picture.map_err(internal)?, secret.typed().map_err(internal)?)
        };
        Ok(Self {
            frame: Frame::apart(context),
            is_set_up,
            is_needed: app.settings.administrators_need_second_factor
                && context.may(barometer_store::Role::Administrator),
            picture,
            key: in_fours(&key),
            wrong,
        })
    }
}

/// The secret that this session sets up: the same until it is confirmed, so that a code can be typed again.
async fn unconfirmed(session: &AuthSession<Accounts>) -> Result<Secret, PageError> {
    let kept: Option<Vec<u8>> = session.session.get(UNCONFIRMED).await.map_err(internal)?;
    if let Some(kept) = kept {
        return Ok(Secret(kept));
    }
    let secret = Secret::new();
    session.session.insert(UNCONFIRMED, &secret.0).await.map_err(internal)?;
    Ok(secret)
}

/// "ABCD EFGH …": as people can copy it.
fn in_fours(key: &str) -> String {
    let letters: Vec<char> = key.chars().collect();
    let fours: Vec<String> = letters.chunks(4).map(|four| four.iter().collect()).collect();
    fours.join(" ")
}

/// `GET /people/me/second-factor`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    session: AuthSession<Accounts>,
) -> Result<Response, PageError> {
    page(&SecondFactorPage::new(&app, &context, &session, FormErrors::default()).await?)
}

#[derive(Deserialize)]
pub(crate) struct CodeForm {
    #[serde(default)]
    code: String,
}

/// `POST /people/me/second-factor`: the first code shows that the authenticator has the secret.
pub(crate) async fn set_up(
    State(app): State<App>,
    context: RequestContext,
    mut session: AuthSession<Accounts>,
    Form(typed): Form<CodeForm>,
) -> Result<Response, PageError> {
    if context.user.has_second_factor {
        return Ok(Redirect::to("/people/me/second-factor").into_response());
    }
    let secret = unconfirmed(&session).await?;
    let Some(step) = secret.step_of(&typed.code, now(), 0) else {
        let mut wrong = FormErrors::default();
        wrong.note(
            "code",
            "This is not the code that the authenticator shows now. Type the newest one.",
        );
        return refused(&SecondFactorPage::new(&app, &context, &session, wrong).await?);
    };
    app.store.set_second_factor(context.user.id, Some((&secret.0, step))).await?;
    let change = Noted::from_to(context.user.name.clone(), "none", "authenticator");
    trail::note(&app, &context, Deed::SecondFactorChanged, change).await;
    session.session.remove::<Vec<u8>>(UNCONFIRMED).await.map_err(internal)?;
    // Other sessions end: they were begun without it. This one goes on.
    let user = app.store.user(context.user.id).await?.ok_or(PageError::NotFound)?;
    begin_session(&mut session, &Account(user), context.from).await?;
    Ok(Redirect::to("/people?note=factor").into_response())
}

#[derive(Deserialize)]
pub(crate) struct RemoveForm {
    #[serde(default)]
    current: String,
}

/// `POST /people/me/second-factor/remove`: with the current password.
pub(crate) async fn remove_own(
    State(app): State<App>,
    context: RequestContext,
    mut session: AuthSession<Accounts>,
    Form(typed): Form<RemoveForm>,
) -> Result<Response, PageError> {
    let hash = context.user.password_hash.clone();
    if !passwords::check(typed.current, Some(hash)).await.map_err(busy)? {
        let mut wrong = FormErrors::default();
        wrong.note("current", "This is not your current password.");
        return refused(&SecondFactorPage::new(&app, &context, &session, wrong).await?);
    }
    take_away(&app, &context, context.user.id).await?;
    let user = app.store.user(context.user.id).await?.ok_or(PageError::NotFound)?;
    begin_session(&mut session, &Account(user), context.from).await?;
    Ok(Redirect::to("/people?note=factor").into_response())
}

/// `POST /people/{person}/second-factor`: for somebody whose authenticator is lost.
pub(crate) async fn remove(
    State(app): State<App>,
    Administrator(context): Administrator,
    Path(person): Path<Uuid>,
) -> Result<Response, PageError> {
    take_away(&app, &context, person).await?;
    Ok(Redirect::to("/people?note=factor").into_response())
}

async fn take_away(app: &App, context: &RequestContext, person: Uuid) -> Result<(), PageError> {
    let whose = app.store.user(person).await?.ok_or(PageError::NotFound)?;
    if whose.has_second_factor {
        app.store.set_second_factor(person, None).await?;
        let change = Noted::from_to(whose.name, "authenticator", "none");
        trail::note(app, context, Deed::SecondFactorChanged, change).await;
    }
    Ok(())
}
