//! Demand: how many contacts will arrive, what that is made of, and how far to trust it.

pub(crate) mod accuracy;
pub(crate) mod cleaning;
pub(crate) mod export;
pub(crate) mod forecast;
pub(crate) mod frozen;
pub(crate) mod import;
pub(crate) mod list;
pub(crate) mod made_of;
pub(crate) mod overlays;
pub(crate) mod runs;
pub(crate) mod special_days;
pub(crate) mod tabs;

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{Deed, Noted};
use uuid::Uuid;

use crate::App;
use crate::access::Planner;
use crate::extract::Path;
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::pages::trail;

/// `POST /demand/{contact_type}/remove`: the contact type goes with all that belongs to it.
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let removed = app.store.contact_type(id).await?;
    app.store.remove_contact_type(id).await?;
    trail::note(&app, &context, Deed::ContactTypeRemoved, Noted::about(removed.name)).await;
    Ok(Redirect::to(&Stage::Demand.address(context.day, None)).into_response())
}
