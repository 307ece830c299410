//! Why a day ended differently from its plan, and how good the predictions have been.

mod bridge;
mod record;

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::AppError;
use barometer_app::live::queue_account;
use barometer_app::planning::span;
use barometer_plan::{Cause, DayAccount, MeasureAccount, TypeAccount, prediction_records};
use barometer_store::{Intervention, KeptAccount};
use jiff::civil::Date;
use serde::Deserialize;

use self::bridge::{BOTTOM, Bridge, HEIGHT, Measure, WIDTH, cause_name};
use self::record::RecordRow;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::exports::{self, Cell};
use crate::extract::{Form, Path, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;
use crate::words;

/// Days that the page remembers.
const DAYS: u32 = 28;

#[derive(Template)]
#[template(path = "watch/account.html")]
struct AccountPage {
    frame: Frame,
    tab: &'static str,
    answer: String,
    refusal: Option<String>,
    progress: Option<ProgressPart>,
    days: Vec<DayLink>,
    /// Whether today can be accounted for until now.
    today: Option<String>,
    shown: Option<Shown>,
    record: Vec<RecordRow>,
}

struct DayLink {
    name: String,
    address: String,
    is_current: bool,
}

struct Shown {
    date: Date,
    measure: Measure,
    others: Vec<(Measure, String)>,
    causes: Vec<&'static str>,
    rows: Vec<TypeRow>,
    teams: Vec<TeamRow>,
    done: Vec<DoneRow>,
    bridge: Option<(String, Bridge)>,
    luck: String,
}

struct TypeRow {
    name: String,
    address: String,
    is_current: bool,
    contacts: String,
    handle_secs: String,
    planned: String,
    effects: Vec<EffectCell>,
    actual: String,
    target: String,
    is_missed: bool,
}

struct EffectCell {
    figure: String,
    title: String,
    is_worse: bool,
}

struct TeamRow {
    name: String,
    planned: String,
    replanned: String,
    absent: String,
    missed: String,
    present: String,
    shrinkage: String,
}

struct DoneRow {
    at: String,
    what: String,
    predicted: String,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    date: Option<Date>,
    contact_type: Option<String>,
    measure: Option<String>,
}

/// `GET /watch/account`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    shown(&app, &context, &query, None).await
}

async fn shown(
    app: &App,
    context: &RequestContext,
    query: &ShowQuery,
    refusal: Option<String>,
) -> Result<Response, PageError> {
    let accounts = app.store.accounts(context.centre.id, context.today, DAYS).await?;
    let chosen = accounts
        .iter()
        .find(|each| Some(each.date) == query.date)
        .or_else(|| accounts.iter().find(|each| each.account.is_some()))
        .or(accounts.first());
    let measure = match query.measure.as_deref() {
        Some("abandonment") => Measure::Abandonment,
        _ => Measure::Level,
    };
    let day = match chosen {
        Some(KeptAccount { account: Some(account), date, .. }) => {
            let (from, to) = span(*date, 1, &context.centre.zone)?;
            let done = app.store.interventions(context.centre.id, from, to).await?;
            Some(view(account, *date, measure, query.contact_type.as_deref(), &done, context))
        }
        _ => None,
    };
    let progress = accounts
        .iter()
        .find(|each| !each.run.state.is_over())
        .or_else(|| chosen.filter(|each| each.account.is_none()));
    let done: Vec<&DayAccount> = accounts.iter().filter_map(|each| each.account.as_ref()).collect();
    page(&AccountPage {
        frame: Frame::of(context, Stage::Watch, None),
        tab: "account",
        answer: answer(chosen, context),
        refusal,
        progress: progress.map(|each| ProgressPart::of(&each.run, context)),
        days: accounts
            .iter()
            .map(|each| DayLink {
                name: words::long_day(each.date),
                address: format!("/watch/account?date={}", each.date),
                is_current: chosen.is_some_and(|chosen| chosen.id == each.id),
            })
            .collect(),
        today: app
            .live
            .is_there()
            .then(|| context.today.to_string())
            .filter(|_| context.may_plan()),
        shown: day,
        record: prediction_records(&done).into_iter().map(RecordRow::of).collect(),
    })
}

fn measure_of(of_type: &TypeAccount, measure: Measure) -> Option<&MeasureAccount> {
    match measure {
        Measure::Level => of_type.level.as_ref(),
        Measure::Abandonment => of_type.abandonment.as_ref(),
    }
}

fn view(
    account: &DayAccount,
    date: Date,
    measure: Measure,
    contact_type: Option<&str>,
    done: &[Intervention],
    context: &RequestContext,
) -> Shown {
    let key = match measure {
        Measure::Level => "level",
        Measure::Abandonment => "abandonment",
    };
    let judged: Vec<&TypeAccount> =
        account.types.iter().filter(|each| measure_of(each, measure).is_some()).collect();
    let difference = |each: &TypeAccount| {
        measure_of(each, measure).map_or(0.0, |of| (of.actual - of.planned).abs())
    };
    let current =
        judged.iter().find(|each| Some(each.name.as_str()) == contact_type).or_else(|| {
            judged.iter().max_by(|one, other| difference(one).total_cmp(&difference(other)))
        });
    let current = current.copied();
    let causes = judged.first().and_then(|each| measure_of(each, measure));
    let causes: Vec<&'static str> =
        causes.into_iter().flat_map(|of| &of.causes).map(|each| cause_name(each.cause)).collect();
    let target = |each: &TypeAccount| (measure == Measure::Level).then_some(each.wanted);
    let address = |name: &str, measure: &str| {
        let name = words::in_address(name);
        format!("/watch/account?date={date}&measure={measure}&contact_type={name}")
    };
    let rows = account.types.iter().map(|each| {
        type_row(
            each,
            measure,
            causes.len(),
            TypeLink {
                address: address(&each.name, key),
                is_current: current.is_some_and(|current| current.name == each.name),
            },
        )
    });
    let name = current.map_or("", |each| each.name.as_str());
    let bridge = current.and_then(|each| {
        let of = measure_of(each, measure)?;
        Some((each.name.clone(), Bridge::of(of, measure, target(each))))
    });
    let luck = current.and_then(|each| measure_of(each, measure)).map_or_else(String::new, |of| {
        let is_usual = (of.usual.0..=of.usual.1).contains(&of.actual);
        format!(
            "Simulated with everything that was measured, eight in ten such days end between {} and {}: this one, {}, is {}.",
            words::percent(of.usual.0),
            words::percent(of.usual.1),
            words::percent(of.actual),
            if is_usual { "one of them" } else { "outside, so the model does not know something" }
        )
    });
    Shown {
        date,
        measure,
        others: [(Measure::Level, "level"), (Measure::Abandonment, "abandonment")]
            .map(|(measure, key)| (measure, address(name, key)))
            .to_vec(),
        rows: rows.collect(),
        causes,
        teams: account.teams.iter().map(team_row).collect(),
        done: done.iter().map(|each| done_row(each, account, context)).collect(),
        bridge,
        luck,
    }
}

struct TypeLink {
    address: String,
    is_current: bool,
}

fn type_row(each: &TypeAccount, measure: Measure, causes: usize, link: TypeLink) -> TypeRow {
    let of = measure_of(each, measure);
    let none = || words::NONE.to_owned();
    let effects = of.map_or_else(
        || {
            let empty = || EffectCell { figure: none(), title: String::new(), is_worse: false };
            (0..causes).map(|_| empty()).collect()
        },
        |of| {
            of.causes
                .iter()
                .map(|each| EffectCell {
                    figure: words::signed_one_decimal(100.0 * each.effect),
                    title: if each.half_width > 0.0 {
                        format!("± {:.1} points", 100.0 * each.half_width)
                    } else {
                        String::new()
                    },
                    is_worse: each.cause != Cause::Luck
                        && each.effect.abs() >= 0.01
                        && !measure.is_better(each.effect),
                })
                .collect()
        },
    );
    let pair = |planned: String, actual: String| format!("{actual} of {planned}");
    TypeRow {
        name: each.name.clone(),
        address: link.address,
        is_current: link.is_current,
        contacts: pair(
            words::thousands(each.contacts.planned),
            words::thousands(each.contacts.actual),
        ),
        handle_secs: pair(
            format!("{:.0}", each.handle_secs.planned),
            format!("{:.0}", each.handle_secs.actual),
        ),
        planned: of.map_or_else(none, |of| words::percent(of.planned)),
        effects,
        actual: of.map_or_else(|| "still open".to_owned(), |of| words::percent(of.actual)),
        target: match measure {
            Measure::Level => words::whole_percent(each.wanted),
            Measure::Abandonment => none(),
        },
        is_missed: measure == Measure::Level && of.is_some_and(|of| of.actual < each.wanted),
    }
}

fn team_row(team: &barometer_plan::TeamAccount) -> TeamRow {
    TeamRow {
        name: team.name.clone(),
        planned: words::one_decimal(team.planned_hours),
        replanned: words::one_decimal(team.replanned_hours),
        present: words::one_decimal(team.present_hours),
        absent: words::signed_one_decimal(team.absent_hours),
        missed: words::signed_one_decimal(team.missed_hours),
        shrinkage: team.shrinkage.map_or_else(
            || words::NONE.to_owned(),
            |share| {
                format!("{} of {}", words::percent(share.actual), words::percent(share.planned))
            },
        ),
    }
}

/// What was done during the day, what it was predicted to lead to, and the day's level.
fn done_row(each: &Intervention, account: &DayAccount, context: &RequestContext) -> DoneRow {
    let predicted = each.done.expected.iter().map(|(name, without, with)| {
        let of_type = account.types.iter().find(|each| each.name == *name);
        let actual = of_type.and_then(|each| each.level.as_ref()).map_or_else(
            || "still open".to_owned(),
            |level| format!("actual {}", words::percent(level.actual)),
        );
        format!(
            "{name}: predicted {} instead of {}, {actual}",
            words::percent(*with),
            words::percent(*without)
        )
    });
    DoneRow {
        at: words::clock(each.at, &context.centre.zone),
        what: each.done.words.clone(),
        predicted: predicted.collect::<Vec<_>>().join("; "),
    }
}

/// The sentence that answers first: the contact type that fell furthest behind its plan, and why.
fn answer(chosen: Option<&KeptAccount>, context: &RequestContext) -> String {
    let Some(chosen) = chosen else {
        return "No day has been accounted for yet: a day gets its account by itself after it ends.".to_owned();
    };
    let day = words::long_day(chosen.date);
    let Some(account) = &chosen.account else {
        return format!("{day} is being taken apart.");
    };
    let (_, end) = match span(chosen.date, 1, &context.centre.zone) {
        Ok(span) => span,
        Err(_) => (chosen.until, chosen.until),
    };
    let until = if chosen.until < end {
        format!(" until {}", words::clock(chosen.until, &context.centre.zone))
    } else {
        String::new()
    };
    let levels = account.types.iter().filter_map(|each| Some((each, each.level.as_ref()?)));
    let worst = levels.min_by(|(_, one), (_, other)| {
        (one.actual - one.planned).total_cmp(&(other.actual - other.planned))
    });
    let Some((of_type, level)) = worst else {
        return format!("{day}{until}: no contact type has closed all of its intervals yet.");
    };
    let lost = 100.0 * (level.actual - level.planned);
    if lost > -1.0 {
        return format!(
            "{day}{until} went as planned: no contact type lost a point of service level."
        );
    }
    let main = level.main_cause().map_or_else(String::new, |cause| {
        let share = 100.0 * cause.effect;
        let why = match cause.cause {
            Cause::Volume => format!(
                " ({} contacts, {} forecast)",
                words::thousands(of_type.contacts.actual),
                words::thousands(of_type.contacts.planned)
            ),
            Cause::HandleTime => format!(
                " ({:.0} s, {:.0} s forecast)",
                of_type.handle_secs.actual, of_type.handle_secs.planned
            ),
            _ => String::new(),
        };
        format!(
            "; {} points of that are {}{why}",
            words::one_decimal(share.abs()),
            cause_name(cause.cause).to_lowercase()
        )
    });
    format!(
        "{day}{until}: {} reached {} of {} planned, {} points less{main}.",
        of_type.name,
        words::percent(level.actual),
        words::percent(level.planned),
        words::one_decimal(lost.abs()),
    )
}

#[derive(Deserialize)]
pub(crate) struct AccountForm {
    date: Date,
}

/// `POST /watch/account`: accounts for a day until now.
pub(crate) async fn start(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<AccountForm>,
) -> Result<Response, PageError> {
    let now = app.live.now();
    let by = Some(context.user.id);
    let query = ShowQuery { date: Some(form.date), contact_type: None, measure: None };
    match queue_account(&app.store, &context.centre, (form.date, now), by).await {
        Ok(_) => Ok(Redirect::to(&format!("/watch/account?date={}", form.date)).into_response()),
        Err(AppError::Refused(message)) => {
            let page = shown(&app, &context, &query, Some(message)).await?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(error) => Err(error.into()),
    }
}

const HEADING: [&str; 9] = [
    "date",
    "contact_type",
    "measure",
    "cause",
    "effect_points",
    "half_width_points",
    "planned_percent",
    "actual_percent",
    "contacts_actual",
];

/// `GET /watch/account/{date}/{format}`: every cause of every contact type, as csv or xlsx.
pub(crate) async fn export(
    State(app): State<App>,
    context: RequestContext,
    Path((date, format)): Path<(Date, String)>,
) -> Result<Response, PageError> {
    let accounts = app.store.accounts(context.centre.id, date, 1).await?;
    let account = accounts.into_iter().find(|each| each.date == date);
    let account = account.and_then(|each| each.account).ok_or(PageError::NotFound)?;
    let mut rows = Vec::new();
    for of_type in &account.types {
        for measure in [Measure::Level, Measure::Abandonment] {
            let Some(of) = measure_of(of_type, measure) else { continue };
            rows.extend(of.causes.iter().map(|each| {
                vec![
                    Cell::Text(date.to_string()),
                    Cell::Text(of_type.name.clone()),
                    Cell::Text(measure.name().to_owned()),
                    Cell::Text(cause_name(each.cause).to_owned()),
                    Cell::Number(100.0 * each.effect, 3),
                    Cell::Number(100.0 * each.half_width, 3),
                    Cell::Number(100.0 * of.planned, 3),
                    Cell::Number(100.0 * of.actual, 3),
                    Cell::Number(of_type.contacts.actual, 0),
                ]
            }));
        }
    }
    let name = format!("account-{date}");
    match format.as_str() {
        "csv" => exports::csv_of(&format!("{name}.csv"), &HEADING, rows).await,
        "xlsx" => exports::xlsx(&format!("{name}.xlsx"), &HEADING, rows),
        _ => Err(PageError::NotFound),
    }
}
