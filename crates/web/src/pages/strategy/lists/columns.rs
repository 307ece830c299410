//! Which column of a list holds what, asked with its first rows.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::imports::{Beginning, FileError};
use barometer_app::lists::{self as listing, country_of, prefixes_of};
use barometer_intake::{ListColumn, ListLayout, is_country};
use barometer_store::{ImportState, List, ListSubject};
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::demand::import::columns::begun;
use crate::pages::{page, refused};

/// Rows of the file that are shown.
const SHOWN_ROWS: usize = 6;

#[derive(Template)]
#[template(path = "strategy/lists/columns.html")]
struct ColumnsPage {
    frame: Frame,
    title: String,
    answer: String,
    address: String,
    columns: Vec<(String, ListColumn)>,
    kinds: Vec<ListColumn>,
    sample: Vec<Vec<String>>,
    sheets: Vec<(String, bool)>,
    sheet: String,
    region: String,
    wrong: FormErrors,
}

#[derive(Deserialize)]
pub(crate) struct ColumnsQuery {
    sheet: Option<String>,
}

/// How the list is to be read, as chosen.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct ColumnsForm {
    #[serde(default)]
    column: Vec<String>,
    #[serde(default)]
    region: String,
    #[serde(default)]
    sheet: String,
}

/// `GET /strategy/lists/{list}/columns`
pub(crate) async fn show(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Query(query): Query<ColumnsQuery>,
) -> Result<Response, PageError> {
    let list = app.store.list(id).await?;
    if !matches!(list.state, ImportState::Uploaded | ImportState::Preview) {
        return Ok(Redirect::to(&format!("/strategy/lists/{id}")).into_response());
    }
    let sheet = query.sheet.or_else(|| list.layout.as_ref()?.sheet.clone());
    let beginning = begun(&app, id, sheet.as_deref()).await?;
    let known = list.layout.clone();
    let layout = match known.filter(|known| known.columns.len() == beginning.heading.len()) {
        Some(known) => known,
        None => {
            let prefixes = prefixes_of(&app.store, &context.centre).await?;
            let heading: Vec<&str> = beginning.heading.iter().map(String::as_str).collect();
            ListLayout::guess(&heading, &country_of(&context.centre, &prefixes))
        }
    };
    let layout = ListLayout { sheet, ..layout };
    page(&ColumnsPage::new(&context, &list, &beginning, layout, FormErrors::default()))
}

/// `POST /strategy/lists/{list}/columns`: reads the list so, and remembers it for the next one.
pub(crate) async fn choose(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<ColumnsForm>,
) -> Result<Response, PageError> {
    let list = app.store.list(id).await?;
    let sheet = Some(typed.sheet.clone()).filter(|sheet| !sheet.is_empty());
    let beginning = begun(&app, id, sheet.as_deref()).await?;
    let mut wrong = FormErrors::default();
    let layout = chosen(&typed, sheet, beginning.heading.len(), &mut wrong);
    if wrong.is_empty() {
        match listing::read(&app.store, &context.centre, &list, &layout).await {
            Ok(()) => {
                let (centre, signature) = (context.centre.id, beginning.signature());
                app.store.remember_list_layout(centre, list.subject, &signature, &layout).await?;
                return Ok(Redirect::to(&format!("/strategy/lists/{id}")).into_response());
            }
            Err(FileError::Store(error)) => return Err(error.into()),
            Err(error) => wrong.note("columns", error.to_string()),
        }
    }
    refused(&ColumnsPage::new(&context, &list, &beginning, layout, wrong))
}

fn chosen(
    typed: &ColumnsForm,
    sheet: Option<String>,
    columns: usize,
    wrong: &mut FormErrors,
) -> ListLayout {
    let kind = |field: &String| ListColumn::from_field(field).unwrap_or(ListColumn::Ignore);
    let mut kinds: Vec<ListColumn> = typed.column.iter().map(kind).collect();
    kinds.resize(columns, ListColumn::Ignore);
    let region = typed.region.trim().to_ascii_uppercase();
    if !region.is_empty() && !is_country(&region) {
        wrong.note("region", "Write a country's two letters, such as GB or IE, or leave it empty.");
    }
    let layout = ListLayout { columns: kinds, region, sheet };
    if let Some(doubled) = layout.doubled() {
        wrong.note("columns", format!("Two columns cannot both be the {}.", doubled.title()));
    }
    if layout.column(ListColumn::Number).is_none() {
        wrong.note("columns", "Choose the column with the telephone number.");
    }
    layout
}

impl ColumnsPage {
    fn new(
        context: &RequestContext,
        list: &List,
        beginning: &Beginning,
        layout: ListLayout,
        wrong: FormErrors,
    ) -> Self {
        let sheet = layout.sheet.clone().or_else(|| beginning.sheets.first().cloned());
        let is_people = list.subject == ListSubject::People;
        let kinds = ListColumn::ALL.into_iter();
        let of_numbers = [ListColumn::Ignore, ListColumn::Number, ListColumn::Region];
        let asked = if layout.column(ListColumn::Number).is_some() {
            "Check what each column holds"
        } else {
            "Say what each column holds: no heading names the telephone number"
        };
        Self {
            frame: Frame::of(context, Stage::Strategy, None),
            title: format!("What do the columns of {} hold?", list.file_name),
            answer: format!(
                "{asked}. It is remembered for the next file with these headings; nothing is saved yet."
            ),
            address: format!("/strategy/lists/{}", list.id),
            columns: beginning
                .heading
                .iter()
                .cloned()
                .zip(layout.columns.iter().copied())
                .collect(),
            kinds: kinds.filter(|kind| is_people || of_numbers.contains(kind)).collect(),
            sample: beginning.sample.iter().take(SHOWN_ROWS).cloned().collect(),
            sheets: beginning
                .sheets
                .iter()
                .map(|each| (each.clone(), Some(each) == sheet.as_ref()))
                .collect(),
            sheet: sheet.unwrap_or_default(),
            region: layout.region,
            wrong,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_choice_without_a_number_or_with_a_country_that_there_is_not_is_refused() {
        let refusals = |columns: &[&str], region: &str| {
            let column = columns.iter().map(|column| (*column).to_owned()).collect();
            let typed = ColumnsForm { column, region: region.to_owned(), sheet: String::new() };
            let mut wrong = FormErrors::default();
            chosen(&typed, None, columns.len(), &mut wrong);
            let at = |field| wrong.at(field).map(str::to_owned);
            (at("columns"), at("region"))
        };
        assert_eq!(refusals(&["number", "attribute", "attribute"], "gb"), (None, None));
        assert!(refusals(&["zone"], "").0.unwrap().contains("telephone number"));
        assert!(refusals(&["number", "number"], "").0.unwrap().contains("both"));
        assert!(refusals(&["number"], "Britain").1.unwrap().contains("two letters"));
    }
}
