//! What would help now, and doing it.

use std::sync::Arc;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::AppError;
use barometer_app::live::{Become, Done, Helps, Soon};
use barometer_plan::{Help, HelpKind};
use barometer_store::{Deed, Noted};
use serde::Deserialize;

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::Form;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, trail};
use crate::words;

/// Interventions that are shown.
const SHOWN: usize = 8;

#[derive(Template)]
#[template(path = "watch/help.html")]
struct HelpPage {
    frame: Frame,
    tab: &'static str,
    answer: String,
    refusal: Option<String>,
    types: Vec<TypeHead>,
    rows: Vec<HelpRow>,
    told: String,
    may_do: bool,
    is_working: bool,
}

struct TypeHead {
    name: String,
    level: String,
    chance: String,
    target: String,
}

struct HelpRow {
    words: String,
    kind: String,
    /// Whether it changes the strategy, and not who is at work.
    is_change: bool,
    cost: String,
    is_enough: bool,
    effects: Vec<EffectCell>,
}

struct EffectCell {
    difference: String,
    half_width: String,
    level: String,
    is_told: bool,
    is_worse: bool,
}

/// `GET /watch/help`: asks for itself again while it is worked out.
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
) -> Result<Response, PageError> {
    shown(&app, &context, None).await
}

/// What is known to help, with a message about what was not done, if there is one.
pub(super) async fn shown(
    app: &App,
    context: &RequestContext,
    refusal: Option<String>,
) -> Result<Response, PageError> {
    let (found, refusal) = match app.live.helps_soon(&app.store, &context.centre).await {
        Ok(found) => (found, refusal),
        Err(AppError::Refused(message)) => (Soon::Nothing, Some(message)),
        Err(error) => return Err(error.into()),
    };
    let is_working = matches!(found, Soon::Working);
    let helps = found.ready();
    let rows = helps.as_ref().map(|helps| helps.helps.as_slice()).unwrap_or_default();
    let rows: Vec<HelpRow> = rows.iter().take(SHOWN).map(help_row).collect::<Result<_, _>>()?;
    let answer = match &helps {
        Some(helps) => answer(helps, &rows, context),
        None if is_working => {
            "What would help is being tried on the rest of the day: a moment.".to_owned()
        }
        None => "Nothing has been heard from the telephone switch yet.".to_owned(),
    };
    page(&HelpPage {
        frame: Frame::of(context, Stage::Watch, None),
        tab: "help",
        answer,
        refusal,
        is_working,
        types: helps.as_deref().map(heads).unwrap_or_default(),
        told: helps.as_ref().map_or_else(String::new, |helps| {
            format!(
                "From the state of the switch at {}, each intervention on the same {} rests of the day; worked out in {:.1} s.",
                words::clock(helps.outlook.at, &context.centre.zone),
                helps.days,
                helps.took.as_secs_f64()
            )
        }),
        rows,
        may_do: context.may_plan(),
    })
}

fn heads(helps: &Helps) -> Vec<TypeHead> {
    let types = helps.outlook.today.now.inputs.types.iter().zip(&helps.ends);
    let head = types.map(|(kind, end)| TypeHead {
        name: kind.name.clone(),
        level: end.level.map_or_else(|| words::NONE.to_owned(), words::percent),
        chance: format!("{:.0} of 10", 10.0 * end.chance),
        target: words::whole_percent(kind.rules.service_level),
    });
    head.collect()
}

fn help_row(help: &Help) -> Result<HelpRow, PageError> {
    let effects = help.effects.iter().map(|effect| EffectCell {
        difference: words::signed_one_decimal(100.0 * effect.difference),
        half_width: format!("± {:.1}", 100.0 * effect.half_width),
        level: words::percent(effect.level),
        is_told: effect.is_told(),
        is_worse: effect.is_told() && effect.difference < 0.0,
    });
    Ok(HelpRow {
        words: help.words.clone(),
        kind: serde_json::to_string(&help.kind).map_err(AppError::core)?,
        is_change: matches!(help.kind, HelpKind::Change { .. }),
        cost: if help.hours > 0.0 {
            format!("{:.1} h", help.hours)
        } else {
            words::NONE.to_owned()
        },
        is_enough: help.is_enough(),
        effects: effects.collect(),
    })
}

fn answer(helps: &Helps, rows: &[HelpRow], context: &RequestContext) -> String {
    let types = helps.outlook.today.now.inputs.types.iter().zip(&helps.ends);
    let missed: Vec<String> = types
        .filter(|(_, end)| end.chance < 0.5)
        .map(|(kind, end)| {
            let level = end.level.map_or_else(String::new, |level| {
                format!(
                    " ({} of {})",
                    words::percent(level),
                    words::whole_percent(kind.rules.service_level)
                )
            });
            format!("{}{level}", kind.name)
        })
        .collect();
    let at = words::clock(helps.outlook.at, &context.centre.zone);
    match (missed.is_empty(), rows.first()) {
        (true, _) => format!(
            "Nothing needs help: seen from {at}, every target is more likely reached by tonight than not."
        ),
        (false, None) => format!(
            "Seen from {at}, {} will more likely miss by tonight, and nothing that was tried helps beyond luck.",
            words::listing(&missed)
        ),
        (false, Some(best)) => format!(
            "Seen from {at}, {} will more likely miss by tonight. {}: {}.",
            words::listing(&missed),
            if best.is_enough {
                "The cheapest that is enough"
            } else {
                "Nothing is enough; most helps"
            },
            lower_first(&best.words)
        ),
    }
}

fn lower_first(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| first.to_lowercase().chain(chars).collect())
}

#[derive(Deserialize)]
pub(crate) struct DoForm {
    kind: String,
    #[serde(default)]
    act: String,
}

/// `POST /watch/help`
pub(crate) async fn act(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<DoForm>,
) -> Result<Response, PageError> {
    let Some((helps, place)) = known(&app, &form.kind)? else {
        return shown(&app, &context, Some(MOVED_ON.to_owned())).await;
    };
    let found = (helps.outlook.as_ref(), &helps.helps[place]);
    let become_what = if form.act == "sheet" { Become::Version } else { Become::Draft };
    let done =
        app.live.help(&app.store, &context.centre, found, (become_what, context.user.id)).await;
    match done {
        Ok(Done::Planned) => {
            let what = Noted::about(helps.helps[place].words.clone());
            trail::note(&app, &context, Deed::CoverChanged, what).await;
            Ok(Redirect::to("/watch?note=planned").into_response())
        }
        Ok(Done::Draft(number)) => {
            Ok(Redirect::to(&format!("/strategy?draft={number}")).into_response())
        }
        Ok(Done::Version(version)) => {
            Ok(Redirect::to(&format!("/go-live/new?version={version}")).into_response())
        }
        Err(AppError::Refused(message)) => shown(&app, &context, Some(message)).await,
        Err(error) => Err(error.into()),
    }
}

/// What is said where an intervention is not in the list any more.
pub(super) const MOVED_ON: &str =
    "The day has moved on since you looked: this was worked out again. Choose from this list.";

/// What was found to help, and the place in it of an intervention as a form gives it; `None` where it is not in it
/// any more.
pub(super) fn known(app: &App, kind: &str) -> Result<Option<(Arc<Helps>, usize)>, PageError> {
    let wanted: HelpKind = serde_json::from_str(kind).map_err(|_| {
        PageError::Refused("This is no intervention. Choose one from the list.".to_owned())
    })?;
    let known = app.live.known_helps();
    Ok(known.and_then(|helps| {
        let place = helps.helps.iter().position(|help| help.kind == wanted)?;
        Some((helps, place))
    }))
}
