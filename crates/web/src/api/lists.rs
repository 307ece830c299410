//! Contact types, versions of the strategy and change sheets.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use barometer_wire::centre::{ContactTypeLine, SheetLine, VersionLine};

use super::ApiError;
use super::caller::Caller;
use crate::App;
use crate::extract::Path;
use crate::pages::go_live::sheet;

/// `GET /api/contact-types`
pub(crate) async fn contact_types(
    State(app): State<App>,
    Caller(context): Caller,
) -> Result<Json<Vec<ContactTypeLine>>, ApiError> {
    let types = app.store.contact_types(context.centre.id).await?;
    let line = |each: barometer_store::ContactType| ContactTypeLine {
        contact_type: each.name,
        service_level: each.rules.service_level,
        within_secs: each.rules.within_secs,
        abandonment: each.rules.abandonment,
        occupancy: each.rules.occupancy,
    };
    Ok(Json(types.into_iter().map(line).collect()))
}

/// `GET /api/strategies`
pub(crate) async fn strategies(
    State(app): State<App>,
    Caller(context): Caller,
) -> Result<Json<Vec<VersionLine>>, ApiError> {
    let versions = app.store.strategy_versions(context.centre.id).await?;
    let line = |each: barometer_store::StrategyVersion| VersionLine {
        version: each.version,
        name: each.name,
        label: each.label,
        saved_at: each.created_at,
        is_live: each.is_live,
    };
    Ok(Json(versions.into_iter().map(line).collect()))
}

/// `GET /api/strategies/{version}`: by its number, or `live`.
pub(crate) async fn strategy(
    State(app): State<App>,
    Caller(context): Caller,
    Path(wanted): Path<String>,
) -> Result<Response, ApiError> {
    let versions = app.store.strategy_versions(context.centre.id).await?;
    let is_wanted = |each: &barometer_store::StrategyVersion| match wanted.as_str() {
        "live" => each.is_live,
        number => number.parse() == Ok(each.version),
    };
    let Some(version) = versions.iter().find(|each| is_wanted(each)) else {
        return Err(ApiError::new(
            StatusCode::NOT_FOUND,
            format!("there is no version {wanted} of the strategy; /api/strategies lists them"),
        ));
    };
    Ok(Json(app.store.strategy(version.id).await?).into_response())
}

/// `GET /api/sheets`
pub(crate) async fn sheets(
    State(app): State<App>,
    Caller(context): Caller,
) -> Result<Json<Vec<SheetLine>>, ApiError> {
    let centre = context.centre.id;
    let versions = app.store.strategy_versions(centre).await?;
    let kept = app.store.change_sheets(centre).await?;
    let line = |kept: barometer_store::KeptSheet| {
        let sheet = kept.sheet()?;
        let version = versions.iter().find(|version| version.id == kept.version);
        Some(SheetLine {
            number: kept.number,
            title: sheet.text.title,
            state: sheet.state.words().to_owned(),
            version: version.map(|version| version.version),
        })
    };
    Ok(Json(kept.into_iter().filter_map(line).collect()))
}

/// `GET /api/sheets/{number}`
pub(crate) async fn sheet(
    State(app): State<App>,
    Caller(context): Caller,
    Path(number): Path<i32>,
) -> Result<Response, ApiError> {
    Ok(Json(sheet::document(&app, &context, number).await?).into_response())
}
