//! How many people a whole day takes, by how surely it is to hold, beside the planned people and each interval's need.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Response};
use barometer_app::holding::{Ask, day_need as asked_day_need};
use barometer_plan::{
    Answer, CoverInterval, DayNeed, SizedDay, TrialInputs, Verdict, share_of_ten,
};
use barometer_store::{ContactType, Edited, KeptAnswer};
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::extract::{Path, Query};
use crate::frame::Stage;
use crate::holding_words::{days_name, held_words};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;
use crate::words;

#[derive(Template)]
#[template(path = "staffing/day_need.html")]
struct DayNeedPart {
    said: String,
    rows: Vec<Row>,
    name: String,
    id: Uuid,
    day: String,
    based_on: String,
    may_plan: bool,
}

struct Row {
    people: String,
    hours: String,
    peak: String,
    verdict: Option<Verdict>,
    held: String,
    range: String,
    /// How the cover's form names it; `None` for what is planned already.
    how: Option<String>,
}

/// The question, to be asked with a press.
#[derive(Template)]
#[template(path = "staffing/day_need_ask.html")]
struct AskPart {
    asks: String,
}

#[derive(Deserialize)]
pub(crate) struct DayNeedQuery {
    /// Present where the day is to be simulated though nobody has asked for it.
    simulate: Option<String>,
}

/// `GET /staffing/{contact_type}/day-need`
pub(crate) async fn day_need(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<DayNeedQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let ask = if query.simulate.is_some() { Ask::Now } else { Ask::KnownOnly };
    let Some((inputs, kept)) = asked(&app, &context, &contact_type, ask).await? else {
        return Ok(().into_response());
    };
    let Some(kept) = kept else {
        let asks = format!("/staffing/{id}/day-need?day={}&simulate=yes", context.day);
        return page(&AskPart { asks });
    };
    match kept.answer {
        Some(Answer::DayNeed(need)) => {
            let based_on = app.store.version_of(Edited::Cover(id)).await?.to_string();
            page(&DayNeedPart::of(&contact_type, &inputs, &need, &context, based_on))
        }
        Some(_) => Ok(().into_response()),
        None => {
            let address = format!("/staffing/{id}/day-need?day={}", context.day);
            page(&ProgressPart::of(&kept.run, &context).within(address))
        }
    }
}

async fn asked(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    ask: Ask,
) -> Result<Option<(TrialInputs, Option<KeptAnswer>)>, PageError> {
    let page_address = Stage::Staffing.address(context.day, Some(contact_type.id));
    let by = (page_address.as_str(), context.user.id);
    Ok(asked_day_need(&app.store, &context.centre, contact_type, context.day, ask, by).await?)
}

/// The cover that holds the day on this share of days, "sure-90"; else why there is none.
pub(super) async fn cover_for(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    how: &str,
) -> Result<Result<Vec<CoverInterval>, String>, PageError> {
    let not_known = || {
        Ok(Err("What holds this day as surely is not worked out. Open the day under Need first."
            .to_owned()))
    };
    let asked = asked(app, context, contact_type, Ask::KnownOnly).await?;
    let Some((inputs, Some(kept))) = asked else { return not_known() };
    let Some(Answer::DayNeed(need)) = kept.answer else { return not_known() };
    let people = match how {
        OWN => Some(&need.own),
        _ => need
            .sure
            .iter()
            .find(|sure| sure_key(sure.chance) == how)
            .and_then(|sure| sure.people.as_ref()),
    };
    let Some(people) = people else { return not_known() };
    let parts = (contact_type.grain.secs() / inputs.interval_secs).round().max(1.0) as usize;
    let agents = inputs.starts().zip(&people.agents).step_by(parts);
    // Closed stretches have no cover.
    let open = agents.filter(|(_, agents)| **agents > 0);
    Ok(Ok(open.map(|(start, agents)| CoverInterval { start, agents: *agents }).collect()))
}

/// How the form names each interval's own need.
const OWN: &str = "sure-own";

fn sure_key(chance: f64) -> String {
    format!("sure-{:.0}", 100.0 * chance)
}

impl DayNeedPart {
    fn of(
        contact_type: &ContactType,
        inputs: &TrialInputs,
        need: &DayNeed,
        context: &RequestContext,
        based_on: String,
    ) -> Self {
        let name = days_name(context.day, 1);
        let hours = |day: &SizedDay| day.agent_hours(inputs.interval_secs);
        let row = |people: String, day: &SizedDay, how: Option<String>| Row {
            people,
            hours: words::one_decimal(hours(day)),
            peak: day.peak().to_string(),
            verdict: Some(day.held.verdict()),
            held: format!("{} of {}", day.held.holding, day.held.days),
            range: {
                let (low, high) = day.held.range();
                format!("{} to {}", words::whole_percent(low), words::whole_percent(high))
            },
            how,
        };
        let planned = need.planned.iter().map(|day| row("Planned cover".to_owned(), day, None));
        let own = std::iter::once(row(
            "Each interval’s need".to_owned(),
            &need.own,
            Some(OWN.to_owned()),
        ));
        let sure = need.sure.iter().map(|sure| {
            let people = format!("To hold on {}", share_of_ten(sure.chance));
            match &sure.people {
                Some(day) => row(people, day, Some(sure_key(sure.chance))),
                None => Row {
                    people,
                    hours: words::NONE.to_owned(),
                    peak: words::NONE.to_owned(),
                    verdict: None,
                    held: "not with the need of twice the contacts".to_owned(),
                    range: words::NONE.to_owned(),
                    how: None,
                },
            }
        });
        Self {
            said: said(need, &name, hours),
            rows: planned.chain(own).chain(sure).collect(),
            name,
            id: contact_type.id,
            day: context.day.to_string(),
            based_on,
            may_plan: context.may_plan(),
        }
    }
}

/// "With the planned cover (148 agent-hours) all targets hold on none of 200 Saturdays; to hold on 9 of 10 takes 172.".
fn said(need: &DayNeed, name: &str, hours: impl Fn(&SizedDay) -> f64) -> String {
    let (who, day) = match &need.planned {
        Some(planned) => ("the planned cover", planned),
        None => ("each interval’s need", &need.own),
    };
    let lead = format!("With {who} the day as a whole holds on {}", held_words(day.held, name));
    match need.sure.last().map(|sure| (sure.chance, &sure.people)) {
        Some((chance, Some(sure))) => format!(
            "{lead}; to hold on {} takes {} agent-hours.",
            share_of_ten(chance),
            words::thousands(hours(sure))
        ),
        Some((chance, None)) => format!(
            "{lead}; not even the need of twice the contacts holds it on {}.",
            share_of_ten(chance)
        ),
        None => format!("{lead}."),
    }
}
