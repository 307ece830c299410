//! Reports: which there are, what one says, how it is defined, when it is made, and for whom.

pub(crate) mod drawing;
pub(crate) mod edit;
pub(crate) mod edition;
mod files;
mod form;
pub(crate) mod list;
pub(crate) mod made;
mod schedule_form;
pub(crate) mod shared;
pub(crate) mod show;

use barometer_app::AppError;
use barometer_app::reports::{self, Reader};
use barometer_report::{About, Definition, Ready, Report};
use jiff::civil::Date;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::page_error::PageError;
use crate::words;

/// Days that a link to a made report works, unless another number is typed.
const LINK_DAYS: i32 = 30;

/// A report that is kept, or a ready-made one.
pub(super) struct Named {
    /// As addresses name it.
    key: String,
    /// Its key; none of a ready-made one.
    kept: Option<Uuid>,
    /// What it contains.
    definition: Definition,
}

impl Named {
    /// By the part of an address that names it.
    async fn of(app: &App, context: &RequestContext, key: &str) -> Result<Self, PageError> {
        if let Some(ready) = Ready::ALL.iter().find(|ready| ready.key == key) {
            return Ok(Self { key: key.to_owned(), kept: None, definition: ready.definition() });
        }
        let id: Uuid = key.parse().map_err(|_| PageError::NotFound)?;
        let report = app.store.report(context.centre.id, id).await?;
        Ok(Self { key: key.to_owned(), kept: Some(id), definition: report.definition })
    }
}

/// A report of now, or why it cannot be told: for the page to say in its place.
async fn made_or_refused(
    app: &App,
    context: &RequestContext,
    definition: &Definition,
) -> Result<Result<Report, String>, PageError> {
    match reports::preview(&app.store, &context.centre, definition, reader(context)).await {
        Ok(report) => Ok(Ok(report)),
        Err(AppError::Refused(why)) => Ok(Err(why)),
        Err(error) => Err(error.into()),
    }
}

/// What somebody who is signed in may see.
const fn reader(context: &RequestContext) -> Reader {
    Reader { sees_agents: context.user.sees_agents }
}

/// The page that explains a figure.
pub(super) fn address(about: &About, day: Date) -> Option<String> {
    Some(match about {
        About::Demand(id, day) => format!("/demand/{id}?day={day}"),
        About::Accuracy(id) => format!("/demand/{id}/accuracy?day={day}"),
        About::Staffing(id, day) => format!("/staffing/{id}?day={day}"),
        About::Roster(id, day) => format!("/staffing/{id}/roster?day={day}"),
        About::Account(date) => format!("/watch/account?date={date}"),
        About::Trial(id) => format!("/trials/{id}"),
        About::Campaigns => format!("/strategy/campaigns?day={day}"),
        About::Lines => format!("/staffing?day={day}"),
        About::Releases => format!("/go-live?day={day}"),
        About::Alarms => "/watch/alarms".to_owned(),
        About::Day(day) => format!("/demand?day={day}"),
        About::Board => format!("/watch?day={day}"),
        About::Weeks => format!("/watch/weeks?day={day}"),
    })
}

/// "Service, Demand and Teams".
fn sections(definition: &Definition) -> String {
    let titles: Vec<String> =
        definition.sections.iter().map(|section| section.title().to_owned()).collect();
    words::listing(&titles)
}
