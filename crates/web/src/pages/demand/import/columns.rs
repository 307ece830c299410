//! Which column holds what: asked where a file does not say, shown with a sample.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_intake::{DayOrder, Doubt, Layout, Role};
use barometer_store::ImportState;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use barometer_app::imports::{self as importing, Beginning, FileError};

/// Characters in a contact type's name, at most.
const MOST_NAME_CHARS: usize = 80;
/// Rows of the file that are shown.
const SHOWN_ROWS: usize = 6;

#[derive(Template)]
#[template(path = "demand/columns.html")]
struct ColumnsPage {
    frame: Frame,
    answer: String,
    file_name: String,
    columns: Vec<Column>,
    roles: [Role; 12],
    sample: Vec<Vec<String>>,
    sheets: Vec<(String, bool)>,
    sheet: String,
    layout: Layout,
    /// The contact type of a file that names none.
    contact_type: String,
    wrong: FormErrors,
    post: String,
    discard: String,
}

struct Column {
    name: String,
    role: Role,
}

#[derive(Deserialize)]
pub(crate) struct ColumnsQuery {
    sheet: Option<String>,
}

/// How the file is to be read, as chosen.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct ColumnsForm {
    #[serde(default)]
    column: Vec<String>,
    #[serde(default)]
    day_order: String,
    #[serde(default)]
    decimal: String,
    #[serde(default)]
    unit: String,
    #[serde(default)]
    of: String,
    #[serde(default)]
    open: String,
    #[serde(default)]
    close: String,
    #[serde(default)]
    sheet: String,
    #[serde(default)]
    contact_type: String,
}

/// `GET /demand/import/{import}/columns`
pub(crate) async fn show(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Query(query): Query<ColumnsQuery>,
) -> Result<Response, PageError> {
    let import = app.store.import(id).await?;
    if !matches!(import.state, ImportState::Uploaded | ImportState::Preview) {
        return Ok(Redirect::to(&format!("/demand/import/{id}")).into_response());
    }
    let sheet = query.sheet.or_else(|| import.layout.as_ref()?.sheet.clone());
    let beginning = begun(&app, id, sheet.as_deref()).await?;
    let guess = beginning.guess();
    let layout = import.layout.filter(|layout| layout.columns.len() == beginning.heading.len());
    let template = ColumnsPage::new(
        &context,
        id,
        (import.file_name, import.contact_type.unwrap_or_default()),
        &beginning,
        Layout { sheet, ..layout.unwrap_or_else(|| guess.layout.clone()) },
        &guess.doubts,
        FormErrors::default(),
    );
    page(&template)
}

/// The beginning of an uploaded file; one that cannot be read is told to the planner.
pub(crate) async fn begun(
    app: &App,
    id: Uuid,
    sheet: Option<&str>,
) -> Result<Beginning, PageError> {
    importing::beginning(&app.store, id, sheet).await.map_err(|error| match error {
        FileError::Store(error) => error.into(),
        error => PageError::Refused(error.to_string()),
    })
}

/// `POST /demand/import/{import}/columns`: reads the file so, and remembers it for the next one.
pub(crate) async fn choose(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<ColumnsForm>,
) -> Result<Response, PageError> {
    let import = app.store.import(id).await?;
    let sheet = Some(typed.sheet.clone()).filter(|sheet| !sheet.is_empty());
    let beginning = begun(&app, id, sheet.as_deref()).await?;
    let mut wrong = FormErrors::default();
    let layout = chosen(&typed, sheet, beginning.heading.len(), &mut wrong);
    let contact_type = typed.contact_type.trim().to_owned();
    let has_column = layout.column(Role::ContactType).is_some();
    if !has_column && contact_type.is_empty() {
        let message = "Choose the column with the contact type, or type its name here.";
        wrong.note("contact_type", message);
    }
    if contact_type.chars().count() > MOST_NAME_CHARS {
        wrong.note("contact_type", format!("May have up to {MOST_NAME_CHARS} characters."));
    }
    if wrong.is_empty() {
        let only = (!contact_type.is_empty()).then_some(contact_type.as_str());
        app.store.name_import(id, only).await?;
        match importing::read(&app.store, &context.centre, id, &layout).await {
            Ok(()) => {
                let signature = beginning.signature();
                app.store.remember_layout(context.centre.id, &signature, &layout).await?;
                return Ok(Redirect::to(&format!("/demand/import/{id}")).into_response());
            }
            Err(FileError::Store(error)) => return Err(error.into()),
            Err(error) => wrong.note("columns", error.to_string()),
        }
    }
    let names = (import.file_name, contact_type);
    refused(&ColumnsPage::new(&context, id, names, &beginning, layout, &[], wrong))
}

fn chosen(
    typed: &ColumnsForm,
    sheet: Option<String>,
    columns: usize,
    wrong: &mut FormErrors,
) -> Layout {
    let mut roles: Vec<Role> =
        typed.column.iter().map(|field| Role::from_field(field).unwrap_or(Role::Ignore)).collect();
    roles.resize(columns, Role::Ignore);
    let mut hour = |field: &'static str, typed: &str, usual: u8| {
        wrong.optional_whole(field, typed, 0_u8..=24).unwrap_or(usual)
    };
    let open_hours = (hour("open", &typed.open, 8), hour("close", &typed.close, 20));
    if open_hours.0 >= open_hours.1 {
        wrong.note("close", "Must be later than the first hour.");
    }
    let layout = Layout {
        columns: roles,
        day_order: match typed.day_order.as_str() {
            "month-first" => DayOrder::MonthFirst,
            _ => DayOrder::DayFirst,
        },
        decimal_comma: typed.decimal == "comma",
        minutes: typed.unit == "minutes",
        totals: typed.of == "all",
        sheet,
        open_hours,
    };
    if let Some(role) = layout.doubled() {
        wrong.note("columns", format!("Two columns cannot both be the {}.", role.title()));
    }
    if let Some(missing) = layout.missing().first() {
        let message = match missing {
            Role::Start => {
                "Choose the column with date and time, or those with the date and the time."
            }
            _ => "Choose the column with the contacts offered, or answered.",
        };
        wrong.note("columns", message);
    }
    layout
}

impl ColumnsPage {
    fn new(
        context: &RequestContext,
        id: Uuid,
        (file_name, contact_type): (String, String),
        beginning: &Beginning,
        layout: Layout,
        doubts: &[Doubt],
        wrong: FormErrors,
    ) -> Self {
        let sheet = layout.sheet.clone().or_else(|| beginning.sheets.first().cloned());
        Self {
            frame: Frame::of(context, Stage::Demand, None),
            answer: answer(doubts),
            file_name,
            columns: beginning
                .heading
                .iter()
                .zip(&layout.columns)
                .map(|(name, role)| Column { name: name.clone(), role: *role })
                .collect(),
            roles: Role::ALL,
            sample: beginning.sample.iter().take(SHOWN_ROWS).cloned().collect(),
            sheets: beginning
                .sheets
                .iter()
                .map(|each| (each.clone(), Some(each) == sheet.as_ref()))
                .collect(),
            sheet: sheet.unwrap_or_default(),
            layout,
            contact_type,
            wrong,
            post: format!("/demand/import/{id}/columns"),
            discard: format!("/demand/import/{id}/discard"),
        }
    }
}

fn answer(doubts: &[Doubt]) -> String {
    let open: Vec<&str> = doubts
        .iter()
        .filter_map(|doubt| match doubt {
            Doubt::DayOrder => Some("its dates can be read day first and month first"),
            Doubt::Missing(Role::Start) => Some("no heading says when an interval starts"),
            Doubt::Missing(_) => Some("no heading says how many contacts were offered"),
            Doubt::Unknown(_) => None,
        })
        .collect();
    let asked = if open.is_empty() {
        "Check what each column holds".to_owned()
    } else {
        format!("Say what each column holds: {}", open.join(", and "))
    };
    format!(
        "{asked}. It is remembered for the next file with these headings; nothing is saved yet."
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    fn form(columns: &[&str]) -> ColumnsForm {
        ColumnsForm {
            column: columns.iter().map(|column| (*column).to_owned()).collect(),
            ..ColumnsForm::default()
        }
    }

    #[test]
    fn a_choice_without_what_is_needed_is_refused() {
        let message = |columns: &[&str]| {
            let mut wrong = FormErrors::default();
            chosen(&form(columns), None, columns.len(), &mut wrong);
            wrong.at("columns").map(str::to_owned)
        };
        assert_eq!(message(&["date", "time", "offered"]), None);
        assert_eq!(message(&["date", "answered"]), None);
        let doubled = message(&["interval_start", "offered", "offered"]);
        assert_eq!(doubled.as_deref(), Some("Two columns cannot both be the offered."));
        assert!(message(&["offered", "row"]).unwrap().contains("date and time"));
        assert!(message(&["date", "row"]).unwrap().contains("offered, or answered"));
    }
}
