//! Trials of several kinds of days, side by side.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{Target, Verdict};
use barometer_store::{RunState, Trial};
use uuid::Uuid;

use super::{only_type, verdict_of};
use crate::App;
use crate::access::RequestContext;
use crate::extract::Path;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::state_word;
use crate::words;

#[derive(Template)]
#[template(path = "trials/set.html")]
struct SetPage {
    frame: Frame,
    question: String,
    answer: String,
    address: String,
    is_over: bool,
    types: Vec<String>,
    days: Vec<DayRow>,
    facts: String,
}

struct DayRow {
    kind: String,
    date: String,
    address: String,
    verdict: Option<Verdict>,
    state: &'static str,
    percent: u32,
    cells: Vec<Option<Cell>>,
}

/// One contact type on one kind of day.
struct Cell {
    verdict: Verdict,
    level: String,
}

/// `GET /trials/sets/{set}`: the trials of a set of days.
pub(crate) async fn show_set(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trials = app.store.trials_of_set(id).await?;
    let first = trials.first().ok_or(PageError::NotFound)?;
    page(&SetPage {
        frame: Frame::of(&context, Stage::Trials, only_type(&first.subject.contact_types)),
        question: format!("Which days does {} survive?", first.subject.name),
        answer: answer(&trials),
        address: format!("/trials/sets/{id}?day={}", context.day),
        is_over: trials.iter().all(|trial| trial.run.state.is_over()),
        types: first.inputs.types.iter().map(|each| each.name.clone()).collect(),
        days: trials.iter().map(day_row).collect(),
        facts: format!(
            "v{} of “{}”, {}, {} simulated days of each kind, seed {}. A storm day has the people of the typical day, and of each contact type as many contacts, beside what is usual, as came on the worst day there has been.",
            first.version,
            first.inputs.strategy.name,
            first.cover_words,
            words::thousands(f64::from(first.inputs.replications)),
            first.inputs.seed,
        ),
    })
}

fn day_row(trial: &Trial) -> DayRow {
    DayRow {
        kind: words::capitalised(kind_of(trial)),
        date: words::short_day(trial.subject.day),
        address: format!("/trials/{}?day={}", trial.id, trial.subject.day),
        verdict: verdict_of(trial),
        state: state_word(trial.run.state),
        percent: (trial.run.progress() * 100.0) as u32,
        cells: cells(trial),
    }
}

fn kind_of(trial: &Trial) -> &str {
    trial.set.as_ref().map_or("day", |set| &set.day_kind)
}

/// The worst verdict on each contact type's own targets, and its service level.
fn cells(trial: &Trial) -> Vec<Option<Cell>> {
    let Some(result) = &trial.result else {
        return trial.inputs.types.iter().map(|_| None).collect();
    };
    let judged = result.outcome.judge(&trial.inputs);
    let is_alone = trial.inputs.types.len() == 1;
    let cell = |name: &str| {
        let own = || judged.iter().filter(|each| is_alone || each.of.as_deref() == Some(name));
        let level = own().find(|each| each.target == Target::ServiceLevel)?;
        Some(Cell {
            verdict: own().map(|each| each.verdict).max()?,
            level: words::estimated_percent(Some(level.got)),
        })
    };
    trial.inputs.types.iter().map(|each| cell(&each.name)).collect()
}

fn answer(trials: &[Trial]) -> String {
    let of = |verdict: Verdict| -> Vec<String> {
        trials
            .iter()
            .filter(|trial| verdict_of(trial) == Some(verdict))
            .map(|trial| format!("the {}", kind_of(trial)))
            .collect()
    };
    let told = [
        (Verdict::Holds, "holds on"),
        (Verdict::Marginal, "is marginal on"),
        (Verdict::Breaks, "breaks on"),
    ]
    .into_iter()
    .map(|(verdict, words)| (words, of(verdict)))
    .filter(|(_, days)| !days.is_empty())
    .map(|(verb, days)| format!("{verb} {}", words::listing(&days)));
    let told: Vec<String> = told.collect();
    let waiting = trials.iter().filter(|trial| !trial.run.state.is_over()).count();
    match (told.is_empty(), waiting) {
        (true, 0) => {
            let stopped = trials.iter().all(|trial| trial.run.state == RunState::Cancelled);
            if stopped { "It was cancelled." } else { "None of its days could be played." }
                .to_owned()
        }
        (true, _) => "It is being played.".to_owned(),
        (false, 0) => format!("It {}.", words::listing(&told)),
        (false, _) => format!("So far it {}.", words::listing(&told)),
    }
}
