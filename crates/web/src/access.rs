//! Who may: the account behind a request, and the extractors that handlers ask for.

use std::net::IpAddr;

use axum::extract::{FromRequestParts, Query};
use axum::http::header;
use axum::http::request::Parts;
use axum_login::{AuthSession, AuthUser, AuthnBackend};
use barometer_store::{Centre, Role, Store, StoreError, User};
use jiff::civil::Date;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::extract::ClientAddress;
use crate::forms;
use crate::page_error::PageError;
use barometer_app::passwords;

/// The accounts of a store, for signing in.
#[derive(Clone, Debug)]
pub(crate) struct Accounts {
    store: Store,
}

impl Accounts {
    pub fn new(store: Store) -> Self {
        Self { store }
    }
}

/// What is typed to sign in.
#[derive(Clone, Debug, Deserialize)]
pub(crate) struct Credentials {
    pub email: String,
    pub password: String,
}

/// Why nobody can say whether a password is right.
#[derive(Debug, thiserror::Error)]
pub(crate) enum NotAuthenticated {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Busy(#[from] passwords::Busy),
}

/// A signed-in person.
#[derive(Clone, Debug)]
pub(crate) struct Account(pub User);

impl AuthUser for Account {
    type Id = Uuid;

    fn id(&self) -> Uuid {
        self.0.id
    }

    fn session_auth_hash(&self) -> &[u8] {
        self.0.session_key.as_bytes()
    }
}

impl AuthnBackend for Accounts {
    type User = Account;
    type Credentials = Credentials;
    type Error = NotAuthenticated;

    async fn authenticate(&self, typed: Credentials) -> Result<Option<Account>, NotAuthenticated> {
        // A person who may not sign in any more is told what an unknown address is told, after as long.
        let user = self.store.user_by_email(typed.email.trim()).await?;
        let user = user.filter(|user| !user.is_deactivated);
        let hash = user.as_ref().map(|user| user.password_hash.clone());
        let is_right = passwords::check(typed.password, hash).await?;
        Ok(user.filter(|_| is_right).map(Account))
    }

    async fn get_user(&self, id: &Uuid) -> Result<Option<Account>, NotAuthenticated> {
        Ok(self.store.user(*id).await?.filter(|user| !user.is_deactivated).map(Account))
    }
}

/// A signed-in visitor, the centre, and the day that they are looking at.
#[derive(Clone, Debug)]
pub(crate) struct RequestContext {
    pub user: User,
    pub centre: Centre,
    pub today: Date,
    pub day: Date,
    /// Where the request came from, where that is known.
    pub from: Option<IpAddr>,
    /// The key of the session; empty where a script asks with a token.
    pub session: String,
    /// The query of the page's address from which the request was sent; empty where none is known.
    pub query_before: String,
}

#[derive(Deserialize)]
struct DayQuery {
    day: Option<String>,
}

impl RequestContext {
    pub fn may(&self, role: Role) -> bool {
        self.user.role >= role
    }

    /// Whether forms that change something are shown.
    pub fn may_plan(&self) -> bool {
        self.may(Role::Planner)
    }

    fn require(self, role: Role) -> Result<Self, PageError> {
        if self.may(role) { Ok(self) } else { Err(PageError::Forbidden { needed: role }) }
    }

    /// Monday of the week that they are looking at.
    pub fn monday(&self) -> Date {
        barometer_app::planning::monday_of(self.day)
    }
}

impl FromRequestParts<App> for RequestContext {
    type Rejection = PageError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, PageError> {
        let session = AuthSession::<Accounts>::from_request_parts(parts, app)
            .await
            .map_err(|(_, reason)| PageError::Internal(reason.into()))?;
        let key = session.session.id().map_or_else(String::new, |id| id.to_string());
        let Some(Account(user)) = session.user else {
            return Err(PageError::signed_out(parts));
        };
        let centre = app.store.centre().await?.ok_or(PageError::NoCentre)?;
        let today = barometer_app::clock::today(&centre);
        let query = Query::<DayQuery>::try_from_uri(&parts.uri).ok();
        // A day that is no day is treated as none: the period simply starts today.
        let day = query.and_then(|Query(query)| forms::day(&query.day?)).unwrap_or(today);
        let Ok(ClientAddress(from)) = ClientAddress::from_request_parts(parts, app).await;
        let referrer = parts.headers.get(header::REFERER).and_then(|from| from.to_str().ok());
        let query_before = referrer.and_then(|from| from.split_once('?')).map(|(_, query)| query);
        let query_before = query_before.unwrap_or_default().to_owned();
        Ok(Self { user, centre, today, day, from, session: key, query_before })
    }
}

/// A visitor who may change plans and try strategies.
pub(crate) struct Planner(pub RequestContext);

impl FromRequestParts<App> for Planner {
    type Rejection = PageError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, PageError> {
        RequestContext::from_request_parts(parts, app).await?.require(Role::Planner).map(Self)
    }
}

/// A visitor who may see single agents at work.
pub(crate) struct SeesAgents(pub RequestContext);

impl FromRequestParts<App> for SeesAgents {
    type Rejection = PageError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, PageError> {
        let context = RequestContext::from_request_parts(parts, app).await?;
        if context.user.sees_agents { Ok(Self(context)) } else { Err(PageError::SingleAgents) }
    }
}

/// A visitor who looks after people.
pub(crate) struct Administrator(pub RequestContext);

impl FromRequestParts<App> for Administrator {
    type Rejection = PageError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, PageError> {
        let context =
            RequestContext::from_request_parts(parts, app).await?.require(Role::Administrator)?;
        if app.settings.administrators_need_second_factor && !context.user.has_second_factor {
            return Err(PageError::NeedsSecondFactor);
        }
        Ok(Self(context))
    }
}
