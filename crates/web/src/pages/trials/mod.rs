//! Trials: days are simulated before customers live them.

mod days;
mod export;
mod form;
mod list;
mod parts;
mod record;
mod replay;
mod result;
mod scope;
mod sets;
mod shown;
mod steps;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{TrialInputs, Verdict};
use barometer_simulate::Arrivals;
use barometer_store::Trial;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::extract::{Path, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;
use crate::words;

pub(crate) use days::export as export_days;
pub(crate) use export::{export, export_inputs};
pub(crate) use form::{TrialForm, new_trials, queue, repeat};
pub(crate) use list::{
    Choosable, FormView, TeamLine, TrialRow, list, list_page, trial_rows, version_options,
};
pub(crate) use record::record;
pub(crate) use replay::{pacing_csv, replay, replay_csv};
use result::ResultView;
pub(crate) use scope::{days_words, subject_of};
pub(crate) use sets::show_set;
pub(crate) use steps::show as show_step;

#[derive(Template)]
#[template(path = "trials/show.html")]
struct ShowPage {
    frame: Frame,
    question: String,
    progress: ProgressPart,
    facts: String,
    result: Option<ResultView>,
    again: String,
    /// The journey map with this trial's contacts.
    map: String,
    replay: String,
    repeat: String,
    search: String,
    intervals_csv: String,
    days_csv: String,
    inputs_json: String,
    /// The set of days that it belongs to.
    set: Option<String>,
    /// What one replication is: a day, or several.
    span: String,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    /// The contact type whose intervals are shown, by its place.
    of: Option<usize>,
}

/// The worst verdict on a target; `None` until the trial is done.
pub(crate) fn verdict_of(trial: &Trial) -> Option<Verdict> {
    trial.result.as_ref()?.outcome.verdict(&trial.inputs)
}

/// How contacts come: as forecast, and again.
fn demand_words(trial: &Trial) -> String {
    let inputs = &trial.inputs;
    let frozen =
        trial.asked.get("demand").and_then(|asked| asked.as_str()?.strip_prefix("frozen:"));
    let frozen = frozen.map_or_else(String::new, |name| {
        format!(" The forecast is the one frozen as “{name}”, where a contact type has it.")
    });
    let again = inputs.types.iter().find_map(|each| each.customers.after_abandoning.as_ref());
    let again = again.map_or_else(String::new, |again| {
        format!(
            " Of those who are lost {} try again, after {} min on average.",
            words::percent(again.share),
            words::plain_number(again.after.mean_secs() / 60.0)
        )
    });
    luck_words(inputs) + &frozen + &again
}

fn luck_words(inputs: &TrialInputs) -> String {
    if inputs.types.iter().any(|each| each.arrivals == Arrivals::Counted) {
        return "The actual contacts of each interval arrive, at random moments of it.".to_owned();
    }
    let mut lucks = inputs.types.iter().filter_map(|each| each.luck.as_ref());
    match (lucks.next(), inputs.types.len()) {
        (None, _) => {
            "Contacts arrive at random around the forecast, which is taken as exact.".to_owned()
        }
        (Some(luck), 1) => {
            let at = |part: usize| {
                let place = luck.day_factors.len() * part / 10;
                let factor = luck.day_factors.get(place).copied().unwrap_or(1.0);
                words::change(factor - 1.0)
            };
            format!(
                "Each simulated day is as far off the forecast as days have been, eight in ten from {} to {}; the models take the forecast as exact.",
                at(1),
                at(9)
            )
        }
        _ => "Each simulated day of each contact type is as far off its forecast as its days have been; the models take the forecast as exact.".to_owned(),
    }
}

/// `GET /trials/{trial}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let day = trial.subject.day;
    let context = RequestContext { day, ..context };
    let zone = &context.centre.zone;
    let result = match &trial.result {
        Some(result) => {
            let summary = app.store.trial_summary(id).await?;
            Some(ResultView::of(&trial, result, summary.as_ref(), query.of, zone)?)
        }
        None => None,
    };
    let days = words::thousands(f64::from(trial.inputs.replications));
    let template = ShowPage {
        frame: Frame::of(&context, Stage::Trials, only_type(&trial.subject.contact_types)),
        question: question(&trial),
        facts: format!(
            "v{} of “{}”, {}, {days} simulated {}, {} handle times, seed {}; asked by {} on {}. {}",
            trial.version,
            trial.inputs.strategy.name,
            trial.cover_words,
            if trial.subject.days == 1 { "days" } else { "rows of days" },
            form::handling_key(&trial.inputs),
            trial.inputs.seed,
            trial.run.created_by.as_deref().unwrap_or("nobody"),
            words::moment(trial.run.created_at, zone),
            demand_words(&trial),
        ),
        progress: ProgressPart::of(&trial.run, &context),
        result,
        again: format!("/trials?again={id}&day={day}#new"),
        map: format!("/strategy?day={day}&version={}&trial={id}", trial.version),
        replay: format!("/trials/{id}/day"),
        repeat: format!("/trials/{id}/repeat"),
        search: format!("/trials/{id}/search"),
        intervals_csv: format!("/trials/{id}/intervals.csv"),
        days_csv: format!("/trials/{id}/days.csv"),
        inputs_json: format!("/trials/{id}/trial.json"),
        span: match trial.subject.days {
            1 => "day".to_owned(),
            7 => "week".to_owned(),
            days => format!("{days} days"),
        },
        set: trial.set.map(|set| format!("/trials/sets/{}?day={day}", set.id)),
    };
    page(&template)
}

/// The contact type that a page is about, where it is one.
pub(crate) fn only_type(types: &[Uuid]) -> Option<Uuid> {
    match types {
        [only] => Some(*only),
        _ => None,
    }
}

/// Contact types as the end of an address.
pub(crate) fn named(types: &[Uuid]) -> String {
    types.iter().map(|id| format!("&contact_type={id}")).collect()
}

fn question(trial: &Trial) -> String {
    let subject = &trial.subject;
    let days = days_words(subject.day, subject.days);
    let has_been = trial.inputs.types.iter().any(|each| each.arrivals == Arrivals::Counted);
    match &trial.set {
        Some(set) => format!("Will the {} hold for {}?", set.day_kind, subject.name),
        None if has_been => format!("Would {days} have held for {}?", subject.name),
        None => format!("Will {days} hold for {}?", subject.name),
    }
}
