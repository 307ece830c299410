//! Contact types that are not used any more: archived, restored, and removed for good.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{Deed, Noted};
use jiff::tz::TimeZone;
use uuid::Uuid;

use crate::App;
use crate::access::{Administrator, Planner, RequestContext};
use crate::extract::Path;
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::pages::trail;
use crate::words;

/// An archived contact type in the list.
pub(super) struct ArchivedRow {
    pub name: String,
    pub address: String,
    pub since: String,
    pub by: String,
    pub history: String,
}

/// The archived contact types of the centre.
pub(super) async fn rows(
    app: &App,
    context: &RequestContext,
) -> Result<Vec<ArchivedRow>, PageError> {
    let archived = app.store.archived_types(context.centre.id).await?;
    let rows = archived.into_iter().map(|each| ArchivedRow {
        address: format!("/demand/{}", each.id),
        since: day(each.since, &context.centre.zone),
        by: each.by.unwrap_or_else(|| words::NONE.to_owned()),
        history: words::thousands(each.intervals as f64),
        name: each.name,
    });
    Ok(rows.collect())
}

/// A day of the centre's calendar, in words.
pub(super) fn day(at: jiff::Timestamp, zone: &TimeZone) -> String {
    words::full_date(zone.to_datetime(at).date())
}

/// `POST /demand/{contact_type}/archive`: it is no longer forecast, staffed or tried; everything of it is kept.
pub(crate) async fn archive(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    app.store.archive_contact_type(id, Some(context.user.id)).await?;
    let change = Noted::about(contact_type.name);
    trail::note(&app, &context, Deed::ContactTypeArchived, change).await;
    Ok(to_list(&context, "#archived"))
}

/// `POST /demand/{contact_type}/restore`: back from the archive as it was, with a forecast from today.
pub(crate) async fn restore(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.restore_contact_type(id, Some(context.user.id)).await?;
    let contact_type = app.store.contact_type(id).await?;
    let change = Noted::about(contact_type.name);
    trail::note(&app, &context, Deed::ContactTypeRestored, change).await;
    let address = Stage::Demand.address(context.day, Some(id));
    Ok(Redirect::to(&address).into_response())
}

/// `POST /demand/{contact_type}/remove`: an archived contact type goes for good, with all that belongs to it.
pub(crate) async fn remove(
    State(app): State<App>,
    Administrator(context): Administrator,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let removed = app.store.contact_type(id).await?;
    app.store.remove_archived_type(id).await?;
    let change = Noted::about(removed.name);
    trail::note(&app, &context, Deed::ContactTypeRemoved, change).await;
    Ok(to_list(&context, ""))
}

fn to_list(context: &RequestContext, place: &str) -> Response {
    let address = Stage::Demand.address(context.day, None);
    Redirect::to(&format!("{address}{place}")).into_response()
}
