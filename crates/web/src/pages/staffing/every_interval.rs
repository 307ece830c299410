//! The plan that holds in every interval of a day that never settles, beside each interval's own need.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{Answer, IntervalLoad, Question};
use jiff::SignedDuration;
use serde::Serialize;
use uuid::Uuid;

use super::Asked;
use crate::App;
use crate::access::RequestContext;
use crate::charts;
use crate::extract::{Path, Query};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;
use crate::words;

#[derive(Template)]
#[template(path = "staffing/every_interval.html")]
struct EveryInterval {
    said: String,
    chart: Option<String>,
    rows: Vec<Row>,
    within: String,
}

struct Row {
    time: String,
    own: u32,
    own_level: String,
    own_holds: bool,
    held: u32,
    held_level: String,
}

#[derive(Serialize)]
struct HeldChart {
    labels: Vec<String>,
    own: Vec<f64>,
    held: Vec<f64>,
    target: f64,
}

/// `GET /staffing/{contact_type}/every-interval`
pub(crate) async fn every_interval(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(asked): Query<Asked>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let zone = context.centre.zone.clone();
    let one_day =
        Asked { span: if asked.span == "typical" { asked.span } else { String::new() }, ..asked };
    let source = super::source(&app, &context, &contact_type, &one_day).await?;
    let rules = contact_type.rules;
    let plan = source.schedule(&rules).map_err(|error| PageError::Internal(Box::new(error)))?;
    let secs = source.interval_secs();
    let nothing = |said: &str| EveryInterval {
        said: said.to_owned(),
        chart: None,
        rows: Vec::new(),
        within: String::new(),
    };
    let step = SignedDuration::from_secs(secs as i64);
    if plan.is_empty() || plan.windows(2).any(|pair| pair[1].start != pair[0].start + step) {
        return page(&nothing(
            "This takes a day with a forecast and without a closed stretch in it.",
        ));
    }
    let loads: Vec<IntervalLoad> = plan.iter().map(|interval| interval.load).collect();
    let own: Vec<u32> = plan.iter().map(|interval| interval.assessment.need).collect();
    let question = Question::EveryInterval {
        loads,
        own: own.clone(),
        interval_secs: secs,
        rules: Box::new(rules),
    };
    let rest = one_day.rest();
    let page_address = format!("/staffing/{id}/what-if?day={}{rest}", context.day);
    let (centre, by) = (context.centre.id, context.user.id);
    let kept = app.store.ask(centre, &question, &page_address, Some(by)).await?;
    let intervals = match kept.answer {
        Some(Answer::EveryInterval { intervals }) => intervals,
        Some(_) => {
            return page(&nothing(
                "This is known for Erlang A and C with a service level of the offered; chats that slow each other down, deadlines and a speed of answer are not.",
            ));
        }
        None => {
            let address = format!("/staffing/{id}/every-interval?day={}{rest}", context.day);
            return page(&ProgressPart::of(&kept.run, &context).within(address));
        }
    };
    let hours =
        |agents: &mut dyn Iterator<Item = u32>| agents.map(f64::from).sum::<f64>() * secs / 3600.0;
    let own_hours = hours(&mut own.iter().copied());
    let held_hours = hours(&mut intervals.iter().map(|each| each.held));
    let broken = intervals.iter().filter(|each| !each.own_holds).count();
    let said = format!(
        "Each interval's own need comes to {} agent-hours and misses a target in {} of {} intervals, since none begins where its steady state would have it. Holding every target in every interval takes {} agent-hours ({}).",
        words::thousands(own_hours),
        broken,
        own.len(),
        words::thousands(held_hours),
        words::change(held_hours / own_hours.max(1e-9) - 1.0),
    );
    let percent = |share: f64| (share * 1000.0).round() / 10.0;
    let clock = |at: usize| words::clock(plan[at].start, &zone);
    page(&EveryInterval {
        said,
        chart: Some(charts::embedded(&HeldChart {
            labels: (0..own.len()).map(clock).collect(),
            own: intervals.iter().map(|each| percent(each.own_level)).collect(),
            held: intervals.iter().map(|each| percent(each.held_level)).collect(),
            target: percent(rules.service_level),
        })?),
        rows: intervals
            .iter()
            .enumerate()
            .map(|(at, each)| Row {
                time: clock(at),
                own: own[at],
                own_level: words::percent(each.own_level),
                own_holds: each.own_holds,
                held: each.held,
                held_level: words::percent(each.held_level),
            })
            .collect(),
        within: words::plain(rules.within_secs),
    })
}
