//! People: who signs in, with which role. Everybody changes their own password, administrators the rest.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use axum_login::AuthSession;
use barometer_store::{Deed, Noted, Role, SessionLine, StoreError, Token, User};
use jiff::ToSpan;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Account, Accounts, Administrator, RequestContext};
use crate::edited;
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::frame::Frame;
use crate::page_error::PageError;
use crate::pages::sign_in::begin_session;
use crate::pages::{page, refused, trail};
use crate::words;
use barometer_app::passwords::{self, LEAST_PASSWORD_CHARS};

/// Characters of a name or an address, at most.
const MOST_CHARS: usize = 120;

#[derive(Template)]
#[template(path = "people.html")]
struct PeoplePage {
    frame: Frame,
    answer: String,
    me: Uuid,
    /// Everybody, for administrators.
    people: Option<Vec<User>>,
    roles: [Role; 4],
    form: PersonForm,
    least_chars: usize,
    note: Option<&'static str>,
    wrong: FormErrors,
    tokens: Vec<TokenRow>,
    /// Sessions of this person, this one included.
    sessions: Vec<SessionRow>,
    /// Whether this person has a second factor.
    has_second_factor: bool,
}

/// Somewhere a person is signed in.
struct SessionRow {
    id: String,
    since: String,
    last: String,
    from: String,
    is_this: bool,
}

async fn sessions(app: &App, context: &RequestContext) -> Result<Vec<SessionRow>, PageError> {
    let idle = i64::from(app.settings.idle_minutes).minutes();
    let zone = &context.centre.zone;
    let lines = app.store.sessions_of(context.user.id, &context.session).await?;
    let row = |line: SessionLine| SessionRow {
        since: words::moment(line.since, zone),
        // Each use moves the end.
        last: words::moment(line.until.checked_sub(idle).unwrap_or(line.until), zone),
        from: line.from.unwrap_or_else(|| words::NONE.to_owned()),
        is_this: line.is_this,
        id: line.id,
    };
    Ok(lines.into_iter().map(row).collect())
}

struct TokenRow {
    name: String,
    by: String,
    used: String,
    remove: String,
}

impl TokenRow {
    fn of(token: &Token, context: &RequestContext) -> Self {
        Self {
            name: token.name.clone(),
            by: token.by.clone(),
            used: token
                .used_at
                .map_or_else(|| "never".to_owned(), |at| words::moment(at, &context.centre.zone)),
            remove: format!("/people/tokens/{}/remove", token.id),
        }
    }
}

/// A new person as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct PersonForm {
    name: String,
    email: String,
    role: String,
    password: String,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    note: Option<String>,
}

/// `GET /people`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let mut template =
        PeoplePage::new(&app, &context, PersonForm::default(), FormErrors::default()).await?;
    template.note = match query.note.as_deref() {
        Some("added") => Some("Added. They can sign in now."),
        Some("ended") => Some("The session has ended: going on there takes a new sign-in."),
        Some("role") => Some("The role is changed."),
        Some("factor") => Some("The second factor is changed; sessions without it have ended."),
        Some("deactivated") => Some("Who may sign in is changed."),
        Some("agents") => Some("Who sees single agents is changed."),
        Some("password") => {
            Some("The password is changed; other sessions with the old one have ended.")
        }
        _ => None,
    };
    page(&template)
}

impl PeoplePage {
    async fn new(
        app: &App,
        context: &RequestContext,
        form: PersonForm,
        wrong: FormErrors,
    ) -> Result<Self, PageError> {
        let people =
            if context.may(Role::Administrator) { Some(app.store.users().await?) } else { None };
        let role = context.user.role.word();
        Ok(Self {
            frame: Frame::apart(context),
            answer: match &people {
                Some(people) => {
                    match people.iter().filter(|person| !person.is_deactivated).count() {
                        1 => "You are the only one who can sign in.".to_owned(),
                        count => format!(
                            "{} people can sign in.",
                            words::capitalised(&words::count_word(count))
                        ),
                    }
                }
                None => format!(
                    "You are signed in as {}, {role}. An administrator can change your role.",
                    context.user.name
                ),
            },
            me: context.user.id,
            people,
            roles: Role::ALL,
            tokens: if context.may(Role::Administrator) {
                app.store
                    .tokens(context.centre.id)
                    .await?
                    .iter()
                    .map(|it| TokenRow::of(it, context))
                    .collect()
            } else {
                Vec::new()
            },
            form,
            least_chars: LEAST_PASSWORD_CHARS,
            note: None,
            wrong,
            sessions: sessions(app, context).await?,
            has_second_factor: context.user.has_second_factor,
        })
    }
}

/// `POST /people`: adds a person.
pub(crate) async fn add(
    State(app): State<App>,
    Administrator(context): Administrator,
    Form(mut typed): Form<PersonForm>,
) -> Result<Response, PageError> {
    let mut wrong = FormErrors::default();
    let (name, email) = (typed.name.trim(), typed.email.trim());
    if name.is_empty() || name.chars().count() > MOST_CHARS {
        wrong.note("name", format!("Write a name of up to {MOST_CHARS} characters."));
    }
    if !email.contains('@')
        || email.chars().count() > MOST_CHARS
        || email.contains(char::is_whitespace)
    {
        wrong.note("email", "Write an address such as name@example.org.");
    }
    let role = Role::of_word(&typed.role);
    if role.is_none() {
        wrong.note("role", "Choose a role.");
    }
    let own = [name, email, &context.centre.name];
    if let Some(fault) = passwords::fault(&typed.password, &own) {
        wrong.note("password", fault);
    }
    if let (Some(role), true) = (role, wrong.is_empty()) {
        match app.store.add_user(name, email, &hashed(&typed.password).await?, role).await {
            Ok(_) => {
                let change = Noted {
                    became: Some(role.word().to_owned()),
                    ..Noted::about(format!("{name}, {email}"))
                };
                trail::note(&app, &context, Deed::PersonAdded, change).await;
                return Ok(Redirect::to("/people?note=added").into_response());
            }
            Err(StoreError::Taken) => {
                wrong.note("email", "Somebody signs in with this address already.")
            }
            Err(error) => return Err(error.into()),
        }
    }
    // Passwords are the one thing that is typed again.
    typed.password.clear();
    refused(&PeoplePage::new(&app, &context, typed, wrong).await?)
}

#[derive(Deserialize)]
pub(crate) struct RoleForm {
    role: String,
    #[serde(default)]
    based_on: String,
}

/// `POST /people/{person}/role`
pub(crate) async fn change_role(
    State(app): State<App>,
    Administrator(context): Administrator,
    Path(person): Path<Uuid>,
    Form(form): Form<RoleForm>,
) -> Result<Response, PageError> {
    let role =
        Role::of_word(&form.role).ok_or_else(|| PageError::Refused("Choose a role.".to_owned()))?;
    if person == context.user.id {
        let message = "Another administrator must change your role, so that one always stays.";
        return Err(PageError::Refused(message.to_owned()));
    }
    let before = app.store.user(person).await?.ok_or(PageError::NotFound)?;
    if !app.store.set_role(person, role, edited::save(&context, &form.based_on)).await? {
        let message = "This is the only administrator left. Make somebody else one first.";
        return Err(PageError::Refused(message.to_owned()));
    }
    let change = Noted::from_to(before.name, before.role.word(), role.word());
    trail::note(&app, &context, Deed::RoleChanged, change).await;
    Ok(Redirect::to("/people?note=role").into_response())
}

#[derive(Deserialize)]
pub(crate) struct AgentsForm {
    sees_agents: bool,
    #[serde(default)]
    based_on: String,
}

/// `POST /people/{person}/agents`: lets somebody see single agents, or no longer.
pub(crate) async fn let_see_agents(
    State(app): State<App>,
    Administrator(context): Administrator,
    Path(person): Path<Uuid>,
    Form(form): Form<AgentsForm>,
) -> Result<Response, PageError> {
    let before = app.store.user(person).await?.ok_or(PageError::NotFound)?;
    let save = edited::save(&context, &form.based_on);
    app.store.let_see_agents(person, form.sees_agents, save).await?;
    let told = |sees: bool| if sees { "sees them" } else { "hidden" };
    let change = Noted::from_to(before.name, told(before.sees_agents), told(form.sees_agents));
    trail::note(&app, &context, Deed::AgentsRightChanged, change).await;
    Ok(Redirect::to("/people?note=agents").into_response())
}

#[derive(Deserialize)]
pub(crate) struct DeactivateForm {
    is_deactivated: bool,
    #[serde(default)]
    based_on: String,
}

/// `POST /people/{person}/deactivated`: keeps somebody from signing in, or lets them again.
pub(crate) async fn deactivate(
    State(app): State<App>,
    Administrator(context): Administrator,
    Path(person): Path<Uuid>,
    Form(form): Form<DeactivateForm>,
) -> Result<Response, PageError> {
    if person == context.user.id {
        let message = "Another administrator must do this to you, so that one always stays.";
        return Err(PageError::Refused(message.to_owned()));
    }
    let before = app.store.user(person).await?.ok_or(PageError::NotFound)?;
    let save = edited::save(&context, &form.based_on);
    if !app.store.deactivate(person, form.is_deactivated, save).await? {
        let message = "This is the only administrator left. Make somebody else one first.";
        return Err(PageError::Refused(message.to_owned()));
    }
    let told =
        |is_deactivated: bool| if is_deactivated { "may not sign in" } else { "may sign in" };
    let change =
        Noted::from_to(before.name, told(before.is_deactivated), told(form.is_deactivated));
    trail::note(&app, &context, Deed::PersonDeactivated, change).await;
    Ok(Redirect::to("/people?note=deactivated").into_response())
}

#[derive(Deserialize)]
pub(crate) struct PasswordForm {
    password: String,
}

/// `POST /people/{person}/password`: a new password for somebody who lost theirs.
pub(crate) async fn give_password(
    State(app): State<App>,
    Administrator(context): Administrator,
    Path(person): Path<Uuid>,
    Form(form): Form<PasswordForm>,
) -> Result<Response, PageError> {
    let whose = app.store.user(person).await?.ok_or(PageError::NotFound)?;
    let own = [whose.name.as_str(), &whose.email, &context.centre.name];
    if let Some(fault) = passwords::fault(&form.password, &own) {
        return Err(PageError::Refused(format!("The password was not changed. {fault}")));
    }
    app.store.set_password(person, &hashed(&form.password).await?).await?;
    trail::note(&app, &context, Deed::PasswordChanged, Noted::about(whose.name)).await;
    Ok(Redirect::to("/people?note=password").into_response())
}

#[derive(Deserialize)]
pub(crate) struct OwnPasswordForm {
    current: String,
    new: String,
}

/// `POST /people/me`: one's own password, for whoever knows the current one.
pub(crate) async fn change_own_password(
    State(app): State<App>,
    context: RequestContext,
    mut session: AuthSession<Accounts>,
    Form(form): Form<OwnPasswordForm>,
) -> Result<Response, PageError> {
    let mut wrong = FormErrors::default();
    let OwnPasswordForm { current, new } = form;
    let hash = context.user.password_hash.clone();
    if !passwords::check(current, Some(hash)).await.map_err(busy)? {
        wrong.note("current", "This is not your current password.");
    }
    let own = [context.user.name.as_str(), &context.user.email, &context.centre.name];
    if let Some(fault) = passwords::fault(&new, &own) {
        wrong.note("new", fault);
    }
    if !wrong.is_empty() {
        return refused(&PeoplePage::new(&app, &context, PersonForm::default(), wrong).await?);
    }
    app.store.set_password(context.user.id, &hashed(&new).await?).await?;
    // The session is bound to the password: this one goes on with the new one.
    let user = app.store.user(context.user.id).await?.ok_or(PageError::NotFound)?;
    trail::note(&app, &context, Deed::PasswordChanged, Noted::about(user.name.clone())).await;
    begin_session(&mut session, &Account(user), context.from).await?;
    Ok(Redirect::to("/people?note=password").into_response())
}

#[derive(Deserialize)]
pub(crate) struct EndForm {
    /// The session that is to end; empty for all but this one.
    #[serde(default)]
    session: String,
}

/// `POST /people/me/sessions`: ends one session of this person, or all but this one.
pub(crate) async fn end_other_sessions(
    State(app): State<App>,
    context: RequestContext,
    Form(form): Form<EndForm>,
) -> Result<Response, PageError> {
    match form.session.as_str() {
        "" => {
            app.store.end_other_sessions(context.user.id, &context.session).await?;
        }
        one => app.store.end_session(context.user.id, one).await?,
    }
    trail::note(&app, &context, Deed::SessionsEnded, Noted::default()).await;
    Ok(Redirect::to("/people?note=ended").into_response())
}

async fn hashed(password: &str) -> Result<String, PageError> {
    let hashed = passwords::hash_in_turn(password.to_owned()).await.map_err(busy)?;
    hashed.map_err(|error| PageError::Refused(error.to_string()))
}

pub(super) fn busy(busy: passwords::Busy) -> PageError {
    PageError::Refused(format!("{}.", words::capitalised(&busy.to_string())))
}
