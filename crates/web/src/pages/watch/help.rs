//! What would help now, and doing it.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::AppError;
use barometer_app::live::{Done, Helps, Outlook};
use barometer_plan::{Help, HelpKind};
use serde::Deserialize;

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::Form;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
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
    press: &'static str,
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

/// `GET /watch/help`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
) -> Result<Response, PageError> {
    match app.live.helps(&app.store, &context.centre).await {
        Ok(helps) => shown(&context, helps.as_deref(), None),
        Err(AppError::Refused(message)) => shown(&context, None, Some(message)),
        Err(error) => Err(error.into()),
    }
}

fn shown(
    context: &RequestContext,
    helps: Option<&Helps>,
    refusal: Option<String>,
) -> Result<Response, PageError> {
    let outlook = helps.map(|helps| helps.outlook.as_ref());
    let rows = helps.map(|helps| helps.helps.as_slice()).unwrap_or_default();
    let rows: Vec<HelpRow> = rows.iter().take(SHOWN).map(help_row).collect::<Result<_, _>>()?;
    let zone = &context.centre.zone;
    page(&HelpPage {
        frame: Frame::of(context, Stage::Watch, None),
        tab: "help",
        answer: answer(outlook, &rows, context),
        refusal,
        types: outlook.map(heads).unwrap_or_default(),
        told: helps.map_or_else(String::new, |helps| {
            format!(
                "From the state of the switch at {}, each intervention on the same 40 rests of the day; worked out in {:.1} s.",
                words::clock(helps.outlook.at, zone),
                helps.took.as_secs_f64()
            )
        }),
        rows,
        may_do: context.may_plan(),
    })
}

fn heads(outlook: &Outlook) -> Vec<TypeHead> {
    let types = outlook.today.now.inputs.types.iter().zip(&outlook.ends);
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
        press: match help.kind {
            HelpKind::Move { .. } | HelpKind::CallIn { .. } => "Plan it",
            HelpKind::Change { .. } => "Begin a draft",
        },
        cost: if help.hours > 0.0 {
            format!("{:.1} h", help.hours)
        } else {
            words::NONE.to_owned()
        },
        is_enough: help.is_enough(),
        effects: effects.collect(),
    })
}

fn answer(outlook: Option<&Outlook>, rows: &[HelpRow], context: &RequestContext) -> String {
    let Some(outlook) = outlook else {
        return "Nothing has been heard from the telephone switch yet.".to_owned();
    };
    let types = outlook.today.now.inputs.types.iter().zip(&outlook.ends);
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
    let at = words::clock(outlook.at, &context.centre.zone);
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
}

/// `POST /watch/help`
pub(crate) async fn act(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<DoForm>,
) -> Result<Response, PageError> {
    let wanted: HelpKind = serde_json::from_str(&form.kind).map_err(|_| {
        PageError::Refused("This is no intervention. Choose one from the list.".to_owned())
    })?;
    let helps = app.live.helps(&app.store, &context.centre).await?;
    let known = helps.as_ref().and_then(|helps| {
        let help = helps.helps.iter().find(|help| help.kind == wanted)?;
        Some((helps.outlook.as_ref(), help))
    });
    let Some(known) = known else {
        let message =
            "The day has moved on, and this does not help any more. Look at the list again.";
        return shown(&context, helps.as_deref(), Some(message.to_owned()));
    };
    match app.live.help(&app.store, &context.centre, known, context.user.id).await {
        Ok(Done::Planned) => Ok(Redirect::to("/watch?note=planned").into_response()),
        Ok(Done::Draft(number)) => {
            Ok(Redirect::to(&format!("/strategy?draft={number}")).into_response())
        }
        Err(AppError::Refused(message)) => shown(&context, helps.as_deref(), Some(message)),
        Err(error) => Err(error.into()),
    }
}
