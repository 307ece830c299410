//! One module per page or stage: handlers and their view models.

pub(crate) mod comparisons;
pub(crate) mod demand;
pub(crate) mod go_live;
pub(crate) mod methods;
pub(crate) mod outlook;
pub(crate) mod people;
pub(crate) mod progress;
pub(crate) mod reports;
pub(crate) mod searches;
pub(crate) mod second_factor;
pub(crate) mod server;
pub(crate) mod sign_in;
pub(crate) mod staffing;
pub(crate) mod strategy;
pub(crate) mod today;
pub(crate) mod tokens;
pub(crate) mod trail;
pub(crate) mod trials;
pub(crate) mod watch;

use askama::Template;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use barometer_store::ContactType;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::frame::Stage;
use crate::page_error::PageError;

/// An entry of a list to choose from, by its address.
pub(crate) struct Choice {
    pub name: String,
    pub address: String,
    pub is_current: bool,
}

/// The contact types as choices that lead to a stage's page of each.
pub(crate) fn choices(
    types: &[ContactType],
    current: Uuid,
    address: impl Fn(Uuid) -> String,
) -> Vec<Choice> {
    types
        .iter()
        .map(|each| Choice {
            name: each.name.clone(),
            address: address(each.id),
            is_current: each.id == current,
        })
        .collect()
}

/// A rendered page.
pub(crate) fn page(template: &impl Template) -> Result<Response, PageError> {
    Ok(Html(template.render()?).into_response())
}

/// A form that comes back, filled in, with messages at its fields.
pub(crate) fn refused(template: &impl Template) -> Result<Response, PageError> {
    Ok((StatusCode::UNPROCESSABLE_ENTITY, Html(template.render()?)).into_response())
}

/// To a stage's page of the first contact type, or to where contact types come from.
pub(crate) async fn to_first(
    app: &App,
    context: &RequestContext,
    stage: Stage,
) -> Result<Response, PageError> {
    let types = app.store.contact_types(context.centre.id).await?;
    let (stage, first) = match types.first() {
        Some(first) => (stage, Some(first.id)),
        None => (Stage::Demand, None),
    };
    Ok(Redirect::to(&stage.address(context.day, first)).into_response())
}
