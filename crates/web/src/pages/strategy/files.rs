//! A strategy as a file: out and in, and the schema that describes it.

use axum::extract::State;
use axum::extract::multipart::MultipartError;
use axum::response::Response;
use barometer_app::drafts::Which;
use barometer_app::imports::csv_text;
use barometer_strategy::{CustomersFile, Edit, Strategy};

use super::change::{opened_for, save_edit};
use super::{ShowQuery, asked_page, open};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::exports;
use crate::extract::{Multipart, Path};
use crate::page_error::PageError;
use crate::pages::refused;

/// A file that was sent, as text (a workbook as CSV), and what was open when it was.
pub(crate) struct Uploaded {
    pub text: String,
    /// What the file is called.
    pub name: String,
    /// A version or a revision of a draft; nothing where the form does not say.
    pub based_on: String,
}

impl Uploaded {
    pub async fn of(Multipart(mut parts): Multipart) -> Result<Self, PageError> {
        let cut_off = |error: MultipartError| {
            PageError::Refused(format!(
                "The upload was cut off: {}. Nothing was saved.",
                error.body_text()
            ))
        };
        let (mut text, mut name, mut based_on) = (String::new(), String::new(), String::new());
        while let Some(part) = parts.next_field().await.map_err(cut_off)? {
            match part.name() {
                Some("file") => {
                    part.file_name().unwrap_or("file").clone_into(&mut name);
                    let bytes = part.bytes().await.map_err(cut_off)?.to_vec();
                    let read = csv_text(bytes).await;
                    text = read.map_err(|error| PageError::Refused(error.to_string()))?;
                }
                Some("based_on") => based_on = part.text().await.map_err(cut_off)?,
                _ => {}
            }
        }
        Ok(Self { text, name, based_on })
    }
}

/// `POST /strategy/json`: takes a strategy that was exported here or written elsewhere into the draft.
pub(crate) async fn save_json(
    State(app): State<App>,
    Planner(context): Planner,
    parts: Multipart,
) -> Result<Response, PageError> {
    let uploaded = Uploaded::of(parts).await?;
    let opened = opened_for(&app, &context, &uploaded.based_on).await?;
    match Strategy::from_json(&uploaded.text) {
        Ok(strategy) => {
            let edit = Edit::between(&opened.strategy, &strategy);
            save_edit(&app, &context, &opened, &edit, None).await
        }
        Err(error) => {
            let mut template =
                asked_page(&app, &context, opened, &ShowQuery::before(&context)).await?;
            template.wrong_json = Some(format!("Nothing was saved: {error}."));
            refused(&template)
        }
    }
}

/// `GET /strategy/versions/{version}`: the JSON form.
pub(crate) async fn export(
    State(app): State<App>,
    context: RequestContext,
    Path(version): Path<i32>,
) -> Result<Response, PageError> {
    let opened = open(&app, &context, Which::Version(version)).await?;
    let name = format!("strategy-{}-v{version}.json", opened.strategy.name);
    Ok(exports::json(&name, opened.strategy.to_json()))
}

/// `GET /strategy-schema.json`: the JSON Schema of a strategy.
pub(crate) async fn schema(_: RequestContext) -> Result<Response, PageError> {
    schema_file("strategy-schema.json", &Strategy::schema())
}

/// `GET /customers-schema.json`: the JSON Schema of what customers are like.
pub(crate) async fn customers_schema(_: RequestContext) -> Result<Response, PageError> {
    schema_file("customers-schema.json", &CustomersFile::schema())
}

fn schema_file(name: &str, schema: &serde_json::Value) -> Result<Response, PageError> {
    let text = serde_json::to_string_pretty(schema)
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    Ok(exports::json(name, text))
}
