//! Repairs of preflight findings: what they would do, and one press, which is undone like any other edit.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_app::AppError;
use barometer_app::drafts::Opened;
use barometer_app::strategy_week::{self, EFFECT_DAYS};
use barometer_plan::{Answer, Difference, EditEffect};
use barometer_preflight::{Finding, Repair, preflight};
use jiff::civil::Date;
use serde::Deserialize;

use super::change::{opened_at, save_edit};
use super::{open, query_of, which};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Query};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;
use crate::words;

#[derive(Deserialize)]
pub(crate) struct RepairForm {
    /// The version or the revision that it was found in.
    based_on: String,
    /// The key of the finding.
    finding: String,
    /// Which of its repairs.
    repair: usize,
}

/// `POST /strategy/repair`: makes a repair, in the draft.
pub(crate) async fn repair(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<RepairForm>,
) -> Result<Response, PageError> {
    let opened = opened_at(&app, &context, &form.based_on).await?;
    let found = found(&app, &context, &opened, (&form.finding, form.repair)).await?;
    let Some((finding, repair)) = found else {
        return Err(PageError::Refused(
            "Nothing was changed: this is not found any more. Go back and reload the page."
                .to_owned(),
        ));
    };
    save_edit(&app, &context, &opened, &repair.edit, Some(&finding.part)).await
}

/// A finding of a strategy by its key, and one of its repairs.
async fn found(
    app: &App,
    context: &RequestContext,
    opened: &Opened,
    (key, repair): (&str, usize),
) -> Result<Option<(Finding, Repair)>, PageError> {
    let (centre, strategy) = (&context.centre, &opened.strategy);
    let premises =
        strategy_week::premises(&app.store, centre, &opened.types, strategy, context.monday());
    let findings = preflight(strategy, &premises.await?);
    let finding = findings.into_iter().find(|finding| finding.key() == key);
    Ok(finding.and_then(|finding| {
        let repair = finding.repairs.get(repair)?.clone();
        Some((finding, repair))
    }))
}

/// What is asked of a repair.
#[derive(Deserialize)]
pub(crate) struct EffectQuery {
    draft: Option<i32>,
    version: Option<i32>,
    finding: String,
    repair: usize,
}

#[derive(Template)]
#[template(path = "strategy/effect_part.html")]
struct EffectPart {
    said: String,
    /// Contact types to which it makes a difference: by how many more are in time, and how many more are lost.
    rows: Vec<(String, String, String)>,
}

/// `GET /strategy/repair-effect`: what a repair would do on the open day, on the same simulated days with and without
/// it.
pub(crate) async fn effect(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<EffectQuery>,
) -> Result<Response, PageError> {
    let opened = open(&app, &context, which(query.draft, query.version)).await?;
    let nothing = |said: String| page(&EffectPart { said, rows: Vec::new() });
    let asked = (query.finding.as_str(), query.repair);
    let Some((finding, repair)) = found(&app, &context, &opened, asked).await? else {
        return nothing("This is not found any more.".to_owned());
    };
    let of = query_of(&opened);
    let shown = format!("/strategy?day={}&{of}&part={}", context.day, finding.part);
    let (store, centre) = (&app.store, &context.centre);
    let edit = (&opened.strategy, &repair.edit);
    let asking =
        strategy_week::effect_of_edit(store, centre, edit, context.day, (&shown, context.user.id));
    let kept = match asking.await {
        Ok(kept) => kept,
        Err(AppError::Refused(why)) => {
            return nothing(format!("It cannot be tried: {why}."));
        }
        Err(error) => return Err(error.into()),
    };
    match kept.answer {
        Some(Answer::Edit { effects }) => page(&told(&effects, context.day)),
        Some(_) => nothing("Nothing is known of it.".to_owned()),
        None => {
            let key = words::in_address(&query.finding);
            let day = context.day;
            let address = format!(
                "/strategy/repair-effect?day={day}&{of}&finding={key}&repair={}",
                query.repair
            );
            page(&ProgressPart::of(&kept.run, &context).within(address))
        }
    }
}

fn told(effects: &[EditEffect], day: Date) -> EffectPart {
    let differs = |effect: &&EditEffect| effect.in_time.is_told() || effect.lost.is_told();
    let of_types = effects.iter().skip(1).filter(differs);
    let rows = of_types
        .map(|effect| (effect.name.clone(), signed(&effect.in_time), signed(&effect.lost)))
        .collect();
    let said = effects.first().map_or_else(String::new, |all| {
        let luck = if differs(&all) { "" } else { " it makes no difference beyond luck:" };
        format!(
            "On {},{luck} of {} contacts {} are answered in time and {} are lost (the same {EFFECT_DAYS} simulated days with and without it, 95 % confidence).",
            words::long_day(day),
            words::thousands(all.contacts),
            more_or_fewer(&all.in_time),
            more_or_fewer(&all.lost)
        )
    });
    EffectPart { said, rows }
}

/// "41 ± 6 more".
fn more_or_fewer(difference: &Difference) -> String {
    let word = if difference.mean < 0.0 { "fewer" } else { "more" };
    let positive = Difference { mean: difference.mean.abs(), ..*difference };
    format!("{} {word}", signed(&positive).trim_start_matches('+'))
}

/// "+41 ± 6".
fn signed(difference: &Difference) -> String {
    let sign = if difference.mean > 0.0 { "+" } else { "" };
    let (mean, width) = (difference.mean, difference.half_width);
    if mean.abs() < 10.0 {
        let mean = format!("{mean:.1}").replace('-', "−");
        return format!("{sign}{mean} ± {width:.1}");
    }
    format!("{sign}{} ± {}", words::thousands(mean), words::thousands(width))
}
