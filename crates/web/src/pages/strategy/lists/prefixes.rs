//! The table that tells a number's time zone: as a file, replaced, and the one that ships again.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_intake::PrefixZones;

use super::{Said, lists_page};
use crate::access::Planner;
use crate::extract::Multipart;
use crate::forms::FormErrors;
use crate::page_error::PageError;
use crate::pages::refused;
use crate::pages::strategy::files::Uploaded;
use crate::{App, exports, words};

pub(super) struct PrefixesView {
    pub told: String,
    pub is_own: bool,
}

impl PrefixesView {
    pub fn of(prefixes: &PrefixZones, is_own: bool) -> Self {
        let whose = if is_own { "Your own table" } else { "The table that ships with Barometer" };
        let count = words::thousands(prefixes.len() as f64);
        Self { told: format!("{whose} has {count} prefixes."), is_own }
    }
}

/// `GET /strategy/lists/prefixes.csv`
pub(crate) async fn export(
    State(app): State<App>,
    Planner(context): Planner,
) -> Result<Response, PageError> {
    let own = app.store.number_prefixes(context.centre.id).await?;
    let csv = own.unwrap_or_else(|| PrefixZones::SHIPPED.to_owned());
    Ok(exports::attachment("number-prefixes.csv", "text/csv; charset=utf-8", csv.into_bytes()))
}

/// `POST /strategy/lists/prefixes`: a table in the place of the one that is used.
pub(crate) async fn replace(
    State(app): State<App>,
    Planner(context): Planner,
    parts: Multipart,
) -> Result<Response, PageError> {
    let Uploaded { text, .. } = Uploaded::of(parts).await?;
    if let Err(error) = PrefixZones::from_csv(&text) {
        let said = Said { wrong: FormErrors::of("prefixes", error.to_string()), ..Said::default() };
        return refused(&lists_page(&app, &context, said).await?);
    }
    app.store.replace_number_prefixes(context.centre.id, Some(&text), context.user.id).await?;
    Ok(Redirect::to("/strategy/lists#prefixes").into_response())
}

/// `POST /strategy/lists/prefixes/reset`: the table that ships again.
pub(crate) async fn reset(
    State(app): State<App>,
    Planner(context): Planner,
) -> Result<Response, PageError> {
    app.store.replace_number_prefixes(context.centre.id, None, context.user.id).await?;
    Ok(Redirect::to("/strategy/lists#prefixes").into_response())
}
