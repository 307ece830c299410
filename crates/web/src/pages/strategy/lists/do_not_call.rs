//! Numbers that no campaign calls: entered, removed, and as a file.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::lists::{country_of, prefixes_of};
use barometer_intake::NumberReader;
use barometer_store::NotCalled;
use jiff::tz::TimeZone;
use serde::Deserialize;

use super::{Said, lists_page};
use crate::access::Planner;
use crate::extract::Form;
use crate::forms::FormErrors;
use crate::page_error::PageError;
use crate::pages::refused;
use crate::{App, exports, words};

/// Numbers that the page shows: the last that were added.
pub(super) const SHOWN: i64 = 50;
/// Numbers that leave as a file, at most.
const MOST_EXPORTED: i64 = 1_000_000;

pub(super) struct NotCalledRow {
    pub digits: i64,
    pub number: String,
    pub from: String,
    pub at: String,
    /// Whether it was entered here, and is removed here.
    pub is_entered: bool,
}

impl NotCalledRow {
    pub fn of(row: NotCalled, zone: &TimeZone) -> Self {
        Self {
            digits: row.number,
            number: format!("+{}", row.number),
            is_entered: row.list.is_none(),
            from: row.list.or(row.by).unwrap_or_else(|| "somebody who has left".to_owned()),
            at: words::moment(row.at, zone),
        }
    }
}

#[derive(Debug, Deserialize)]
pub(crate) struct NumberForm {
    #[serde(default)]
    number: String,
}

/// `POST /strategy/lists/do-not-call`: one more number.
pub(crate) async fn add(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<NumberForm>,
) -> Result<Response, PageError> {
    let prefixes = prefixes_of(&app.store, &context.centre).await?;
    let numbers = NumberReader::of_country(&country_of(&context.centre, &prefixes));
    let wrong = match numbers.read(typed.number.trim(), None) {
        Ok(number) => {
            let by = context.user.id;
            if app.store.add_do_not_call(context.centre.id, number.digits(), by).await? {
                return Ok(Redirect::to("/strategy/lists#do-not-call").into_response());
            }
            format!("{number} is on the list already.")
        }
        Err(reason) => words::capitalised(&format!("{reason}.")),
    };
    let said =
        Said { number: typed.number, wrong: FormErrors::of("number", wrong), ..Said::default() };
    refused(&lists_page(&app, &context, said).await?)
}

#[derive(Debug, Deserialize)]
pub(crate) struct DigitsForm {
    digits: i64,
}

/// `POST /strategy/lists/do-not-call/remove`: a number that may be called again.
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<DigitsForm>,
) -> Result<Response, PageError> {
    app.store.remove_do_not_call(context.centre.id, typed.digits).await?;
    Ok(Redirect::to("/strategy/lists#do-not-call").into_response())
}

/// `GET /strategy/lists/do-not-call.csv`
pub(crate) async fn export(
    State(app): State<App>,
    Planner(context): Planner,
) -> Result<Response, PageError> {
    let rows = app.store.do_not_call(context.centre.id, MOST_EXPORTED).await?;
    let rows = rows.into_iter().map(|row| {
        vec![row.number.to_string(), row.list.or(row.by).unwrap_or_default(), row.at.to_string()]
    });
    exports::csv("do-not-call.csv", &["number", "from", "added_at"], rows.collect()).await
}
