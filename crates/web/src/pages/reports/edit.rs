//! A report's definition: typed with its preview beside it, saved, removed.

use askama::Template;
use axum::extract::State;
use axum::response::{Html, IntoResponse, Redirect, Response};
use barometer_app::reports::Coverage;
use barometer_report::{Ready, body};
use barometer_store::{Edited, StoreError};
use serde::Deserialize;
use uuid::Uuid;

use super::form::{
    KEPT_DAYS, Limit, ReportForm, against_options, grouping_options, period_options,
};
use super::{address, made_or_refused};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::edited;
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::trials::Choosable;
use crate::pages::{page, refused};

#[derive(Template)]
#[template(path = "reports/edit.html")]
struct EditPage {
    frame: Frame,
    tab: &'static str,
    question: String,
    /// Where the form goes, and where it is left to.
    action: String,
    back: String,
    is_new: bool,
    title: String,
    sections: Vec<(Choosable, &'static str)>,
    types: Vec<Choosable>,
    limits: Vec<Limit>,
    groupings: Vec<Choosable>,
    periods: Vec<Choosable>,
    first: String,
    last: String,
    againsts: Vec<Choosable>,
    keep_days: String,
    based_on: String,
    wrong: FormErrors,
}

/// The preview beside the form.
#[derive(Template)]
#[template(path = "reports/preview.html")]
struct PreviewPart {
    about: String,
    refusals: Vec<String>,
    body: String,
}

#[derive(Deserialize)]
pub(crate) struct BeginQuery {
    ready: Option<String>,
}

/// `GET /reports/new`: empty of choices, or from a ready-made one.
pub(crate) async fn begin(
    State(app): State<App>,
    Planner(context): Planner,
    Query(query): Query<BeginQuery>,
) -> Result<Response, PageError> {
    let ready = Ready::ALL.iter().find(|ready| Some(ready.key) == query.ready.as_deref());
    let mut definition = ready.unwrap_or(&Ready::ALL[1]).definition();
    if ready.is_none() {
        definition.title = String::new();
    }
    let typed = ReportForm::of(&definition, KEPT_DAYS, 0);
    page(&form(&app, &context, None, typed).await?)
}

/// `GET /reports/{report}/edit`
pub(crate) async fn edit(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let version = app.store.version_of(Edited::Report(id)).await?;
    let report = app.store.report(context.centre.id, id).await?;
    let typed = ReportForm::of(&report.definition, report.keep_days, version);
    page(&form(&app, &context, Some(id), typed).await?)
}

async fn form(
    app: &App,
    context: &RequestContext,
    report: Option<Uuid>,
    typed: ReportForm,
) -> Result<EditPage, PageError> {
    let types = app.store.contact_types(context.centre.id).await?;
    let coverage = Coverage::of(&app.store, &context.centre).await?;
    let address = report.map_or_else(|| "/reports".to_owned(), |id| format!("/reports/{id}"));
    Ok(EditPage {
        frame: Frame::of(context, Stage::Watch, None),
        tab: "reports",
        question: "What should the report tell?".to_owned(),
        action: address.clone(),
        back: address,
        is_new: report.is_none(),
        sections: typed.sections(),
        types: typed.contact_types(&types),
        limits: typed.limits(coverage),
        groupings: grouping_options(&typed.by),
        periods: period_options(typed.period()),
        againsts: against_options(&typed.against),
        title: typed.title,
        first: typed.first,
        last: typed.last,
        keep_days: typed.keep_days,
        based_on: typed.based_on,
        wrong: typed.wrong,
    })
}

/// `POST /reports/preview`: what is typed, made of the centre's own figures.
pub(crate) async fn preview(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<ReportForm>,
) -> Result<Response, PageError> {
    let refusals = |wrong: &FormErrors| -> Vec<String> {
        let fields = ["title", "section", "period", "keep_days"];
        fields.iter().filter_map(|field| wrong.at(field)).map(str::to_owned).collect()
    };
    let mut titled = typed.clone();
    if titled.title.trim().is_empty() {
        titled.title = "Report".to_owned();
    }
    let refused_with =
        |refusals: Vec<String>| PreviewPart { about: String::new(), refusals, body: String::new() };
    let part = match titled.definition(context.today) {
        Err(wrong) => refused_with(refusals(&wrong)),
        Ok((definition, _)) => match made_or_refused(&app, &context, &definition).await? {
            Ok(report) => PreviewPart {
                about: format!("{}. {}", report.days.words(), super::show::about(&report)),
                refusals: Vec::new(),
                body: body(&report, |about| address(about, context.day))?,
            },
            Err(why) => refused_with(vec![why]),
        },
    };
    Ok(Html(part.render()?).into_response())
}

/// `POST /reports`
pub(crate) async fn add(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<ReportForm>,
) -> Result<Response, PageError> {
    keep(&app, &context, None, typed).await
}

/// `POST /reports/{report}`
pub(crate) async fn save(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<ReportForm>,
) -> Result<Response, PageError> {
    keep(&app, &context, Some(id), typed).await
}

async fn keep(
    app: &App,
    context: &RequestContext,
    report: Option<Uuid>,
    mut typed: ReportForm,
) -> Result<Response, PageError> {
    let centre = context.centre.id;
    let kept = match typed.definition(context.today) {
        Err(wrong) => Err(wrong),
        Ok((definition, keep_days)) => {
            let kept = match report {
                None => app.store.add_report(centre, &definition, Some(context.user.id)).await,
                Some(id) => {
                    let save = edited::save(context, &typed.based_on);
                    let change = (&definition, keep_days);
                    app.store.change_report(centre, id, change, save).await.map(|()| id)
                }
            };
            match kept {
                Ok(id) => Ok(id),
                Err(StoreError::Taken) => Err(FormErrors::of(
                    "title",
                    "Another report has this title. Choose another one.",
                )),
                Err(StoreError::SavedMeanwhile(first)) => {
                    if let Some(id) = report {
                        let version = app.store.version_of(Edited::Report(id)).await?;
                        typed.based_on = version.to_string();
                    }
                    Err(FormErrors::of("based_on", edited::meanwhile(&first, context, &[])))
                }
                Err(error) => return Err(error.into()),
            }
        }
    };
    match kept {
        Ok(id) => Ok(Redirect::to(&format!("/reports/{id}")).into_response()),
        Err(wrong) => {
            typed.wrong = wrong;
            refused(&form(app, context, report, typed).await?)
        }
    }
}

/// `POST /reports/{report}/remove`
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.remove_report(context.centre.id, id).await?;
    Ok(Redirect::to("/reports").into_response())
}
