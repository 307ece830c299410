//! The question of a search as a form: what may change in a trial, and how surely it must hold.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{Searchable, TrialInputs};
use barometer_search::{Promise, Question};
use barometer_store::{NewSearch, Trial};
use uuid::Uuid;

use super::typed::{DAY_KINDS, SearchForm};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Path};
use crate::forms::{self, FormErrors};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::trials::{Choosable, TrialForm, days_words, list_page, new_trials, only_type};
use crate::pages::{page, refused};
use crate::words;

/// Promises to choose from: per cent of days, nothing for the mean of all days, or each interval's mean.
const PROMISES: [(&str, &str); 6] = [
    ("", "on average"),
    ("interval", "in every interval"),
    ("70", "on 7 of 10 days"),
    ("80", "on 8 of 10 days"),
    ("90", "on 9 of 10 days"),
    ("95", "on 19 of 20 days"),
];

/// Minutes for which a team keeps its people.
const BLOCKS: [u32; 5] = [30, 60, 120, 240, 480];

/// Settings that a form has room for.
const SETTINGS: usize = 2;

/// Another kind of day in the form.
struct DayKindRow {
    name: String,
    volume: String,
    absent: String,
    level: String,
    abandonment: String,
}

/// A price in the form.
struct PriceRow {
    name: &'static str,
    value: String,
}

/// What contacts may cost, as the form asks for it, in the order of [`barometer_search::Prices::named`].
const PRICES: [&str; 5] = [
    "Abandoned",
    "Turned away or cut off",
    "To an outside number",
    "Promised callback",
    "Hour of waiting on a line",
];

/// A team in the form.
struct TeamRow {
    id: String,
    name: String,
    now: String,
    least: String,
    most: String,
    cost: String,
}

/// A setting in the form.
struct SettingRow {
    nth: usize,
    options: Vec<Choosable>,
    values: String,
}

#[derive(Template)]
#[template(path = "searches/ask.html")]
struct AskPage {
    frame: Frame,
    trial: Uuid,
    day: String,
    subject: String,
    promises: Vec<Choosable>,
    blocks: Vec<Choosable>,
    teams: Vec<TeamRow>,
    settings: Vec<SettingRow>,
    prices: Vec<PriceRow>,
    day_kinds: Vec<DayKindRow>,
    /// Settings that were ticked before the form was refused: name, and as the form sends it.
    ticked: Vec<(String, String)>,
    days: String,
    wrong: FormErrors,
}

/// `GET /trials/{trial}/search`
pub(crate) async fn ask(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let typed = SearchForm::of(&Question::about(trial.inputs.clone()));
    page(&AskPage::of(&context, &trial, typed))
}

/// `POST /trials/{trial}/search`
pub(crate) async fn queue(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(mut typed): Form<SearchForm>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let question = match typed.question(&trial.inputs) {
        Ok(question) => question,
        Err(wrong) => {
            typed.wrong = wrong;
            return refused(&AskPage::of(&context, &trial, typed));
        }
    };
    let new = NewSearch {
        title: title(&question, trial.version),
        subject: trial.subject,
        strategy_version: trial.strategy_version,
        question,
        created_by: context.user.id,
    };
    queued(&app, &new).await
}

/// `POST /searches`: the default question about a day, from the cover that is planned for it.
pub(crate) async fn queue_for_day(
    State(app): State<App>,
    Planner(mut context): Planner,
    Form(mut typed): Form<TrialForm>,
) -> Result<Response, PageError> {
    if let Some(day) = forms::day(&typed.days) {
        context.day = day;
    }
    if typed.version.is_none() {
        let versions = app.store.strategy_versions(context.centre.id).await?;
        typed.version = versions.iter().find(|version| version.is_live).map(|version| version.id);
    }
    let made = new_trials(&app, &context, &typed).await?;
    let question = |inputs: &TrialInputs| {
        let typed = SearchForm::of(&Question::about(inputs.clone()));
        typed.question(inputs)
    };
    let made = made.map(|trials| trials.into_iter().next());
    match made {
        Ok(Some(trial)) => match question(&trial.inputs) {
            Ok(question) => {
                let new = NewSearch {
                    title: title(&question, None),
                    subject: trial.subject,
                    strategy_version: trial.strategy_version,
                    question,
                    created_by: context.user.id,
                };
                queued(&app, &new).await
            }
            Err(wrong) => {
                typed.wrong = wrong;
                refused(&list_page(&app, &context, typed).await?)
            }
        },
        Ok(None) => Err(PageError::NotFound),
        Err(wrong) => {
            typed.wrong = wrong;
            refused(&list_page(&app, &context, typed).await?)
        }
    }
}

async fn queued(app: &App, new: &NewSearch) -> Result<Response, PageError> {
    let id = app.store.queue_search(new).await?;
    Ok(Redirect::to(&format!("/searches/{id}?day={}", new.subject.day)).into_response())
}

fn title(question: &Question, version: impl Into<Option<i32>>) -> String {
    let version = version.into().map_or_else(String::new, |version| format!("v{version} of "));
    let minutes = (question.block_intervals as f64 * question.base.interval_secs / 60.0).round();
    format!(
        "{version}“{}”, every target {}, people by {} min",
        question.base.strategy.name,
        promise_words(question.promise),
        words::plain(minutes)
    )
}

/// "on 9 of 10 days".
pub(super) fn promise_words(promise: Promise) -> String {
    match promise {
        Promise::OnAverage => "on average".to_owned(),
        Promise::InEveryInterval => "in every interval".to_owned(),
        Promise::OnShareOfDays(share) => {
            let percent = format!("{}", (share * 100.0).round());
            let known = PROMISES.iter().find(|(key, _)| **key == percent);
            known
                .map_or_else(|| format!("on {percent} % of days"), |(_, words)| (*words).to_owned())
        }
    }
}

/// "“Bookings queue”, places: 10; 40".
fn screened_words(all: &[Searchable], ticked: &str) -> String {
    let Some((key, values)) = ticked.split_once('=') else { return ticked.to_owned() };
    let named = all.iter().find(|known| known.setting.key() == key);
    let name = named.map_or(key, |known| &known.name);
    format!("{}: {values}", words::capitalised(name))
}

impl AskPage {
    fn of(context: &RequestContext, trial: &Trial, typed: SearchForm) -> Self {
        let (inputs, subject) = (&trial.inputs, &trial.subject);
        let context = RequestContext { day: subject.day, ..context.clone() };
        let at = |column: &[String], nth: usize| column.get(nth).cloned().unwrap_or_default();
        let teams = inputs.teams.iter().enumerate().map(|(nth, team)| {
            let named = inputs.strategy.teams.iter().find(|each| each.id == team.team);
            let there = team.agents.iter().copied().filter(|&people| people > 0);
            let (least, most) = there
                .fold((u32::MAX, 0), |(least, most), people| (least.min(people), most.max(people)));
            TeamRow {
                id: team.team.clone(),
                name: named.map_or_else(|| team.team.clone(), |each| each.name.clone()),
                now: match most {
                    0 => "nobody".to_owned(),
                    _ if least == most => most.to_string(),
                    _ => format!("{least} to {most}"),
                },
                least: at(&typed.least, nth),
                most: at(&typed.most, nth),
                cost: at(&typed.cost, nth),
            }
        });
        let all = Searchable::all(&inputs.strategy);
        let settings = (0..SETTINGS).map(|nth| {
            let chosen = at(&typed.setting, nth);
            let options = all.iter().map(|known| Choosable {
                value: known.setting.key(),
                name: known.name.clone(),
                is_chosen: known.setting.key() == chosen,
            });
            SettingRow { nth, options: options.collect(), values: at(&typed.values, nth) }
        });
        let interval_minutes = (inputs.interval_secs / 60.0).round() as u32;
        let blocks = BLOCKS.into_iter().filter(|minutes| *minutes >= interval_minutes);
        Self {
            frame: Frame::of(&context, Stage::Trials, only_type(&subject.contact_types)),
            trial: trial.id,
            day: subject.day.to_string(),
            subject: format!("{} on {}", subject.name, days_words(subject.day, subject.days)),
            promises: PROMISES
                .iter()
                .map(|(value, name)| Choosable {
                    value: (*value).to_owned(),
                    name: (*name).to_owned(),
                    is_chosen: *value == typed.promise,
                })
                .collect(),
            blocks: blocks
                .map(|minutes| Choosable {
                    value: minutes.to_string(),
                    name: format!("{minutes} min"),
                    is_chosen: minutes.to_string() == typed.block,
                })
                .collect(),
            teams: teams.collect(),
            ticked: typed
                .screened
                .iter()
                .map(|ticked| (screened_words(&all, ticked), ticked.clone()))
                .collect(),
            prices: PRICES
                .into_iter()
                .enumerate()
                .map(|(nth, name)| PriceRow { name, value: at(&typed.price, nth) })
                .collect(),
            day_kinds: (0..DAY_KINDS)
                .map(|nth| DayKindRow {
                    name: at(&typed.kind, nth),
                    volume: at(&typed.kind_volume, nth),
                    absent: at(&typed.kind_absent, nth),
                    level: at(&typed.kind_level, nth),
                    abandonment: at(&typed.kind_abandonment, nth),
                })
                .collect(),
            settings: settings.collect(),
            days: typed.days.clone(),
            wrong: typed.wrong,
        }
    }
}
