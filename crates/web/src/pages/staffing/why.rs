//! Why this number: one interval's need with its inputs, its neighbours and its formula.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{
    Candidate, Explanation, IntervalLoad, Model, PlannedInterval, Rules, explain, need,
};
use barometer_store::ContactType;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Deserialize;
use uuid::Uuid;

use super::other_model;
use crate::App;
use crate::access::Visit;
use crate::extract::{Path, Query};
use crate::page_error::PageError;
use crate::pages::page;
use crate::planning;
use crate::words;

#[derive(Template)]
#[template(path = "staffing/why.html")]
pub(super) struct WhyPanel {
    title: String,
    inputs: String,
    sentence: String,
    candidates: Vec<CandidateColumn>,
    measures: Vec<MeasureRow>,
    other: String,
    source: &'static str,
}

struct CandidateColumn {
    agents: u32,
    is_need: bool,
    holds: bool,
}

struct MeasureRow {
    name: String,
    target: String,
    figures: Vec<String>,
}

#[derive(Deserialize)]
pub(crate) struct WhyQuery {
    at: i64,
}

/// `GET /staffing/{contact_type}/why`: one interval's need with its reason.
pub(crate) async fn why(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
    Query(query): Query<WhyQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let zone = &visit.centre.zone;
    let at = Timestamp::from_second(query.at).map_err(|_| PageError::NotFound)?;
    let plan =
        planning::plan(&app.store, &contact_type, zone.to_datetime(at).date(), 1, zone).await?;
    let interval = plan.iter().find(|interval| interval.start == at).ok_or(PageError::NotFound)?;
    page(&WhyPanel::of(&contact_type, interval, zone)?)
}

impl WhyPanel {
    pub fn of(
        contact_type: &ContactType,
        interval: &PlannedInterval,
        zone: &TimeZone,
    ) -> Result<Self, PageError> {
        let rules = &contact_type.rules;
        let model = Model::for_rules(rules);
        let reason = explain(interval.load, contact_type.grain.secs(), rules, model)
            .map_err(|error| PageError::Internal(Box::new(error)))?;
        Ok(Self {
            title: format!("Why {} at {}?", reason.need, words::clock(interval.start, zone)),
            inputs: inputs(contact_type, interval, &reason),
            sentence: sentence(&reason, rules),
            candidates: reason
                .candidates
                .iter()
                .map(|candidate| CandidateColumn {
                    agents: candidate.agents,
                    is_need: candidate.agents == reason.need,
                    holds: candidate.holds(),
                })
                .collect(),
            measures: measures(&reason, rules),
            other: other_words(contact_type, interval, &reason),
            source: match model {
                Model::ErlangA => "Erlang A (M/M/n+M): Palm 1946; Mandelbaum and Zeltyn 2007",
                Model::ErlangC => "Erlang C (M/M/n): Erlang 1917; Cooper 1981, ch. 3",
            },
        })
    }
}

fn inputs(contact_type: &ContactType, interval: &PlannedInterval, reason: &Explanation) -> String {
    let rules = &contact_type.rules;
    let IntervalLoad { contacts, handle_secs } = interval.load;
    let patience = rules.patience_secs.map_or_else(
        || "callers wait for ever".to_owned(),
        |secs| format!("patience {} s on average", words::plain(secs)),
    );
    let concurrency = if rules.concurrency > 1 {
        format!("; {} at once per agent", rules.concurrency)
    } else {
        String::new()
    };
    format!(
        "{contacts:.1} contacts × {handle_secs:.0} s ÷ {:.0} s = {:.2} Erlangs; {patience}{concurrency}.",
        contact_type.grain.secs(),
        reason.offered_erlangs
    )
}

fn sentence(reason: &Explanation, rules: &Rules) -> String {
    let need = reason.need;
    if need == 0 {
        return "Nobody is needed: no contacts are expected.".to_owned();
    }
    let fewer = reason.candidates.iter().find(|candidate| candidate.agents + 1 == need);
    match fewer {
        None => "One person is the least that answers at all.".to_owned(),
        Some(Candidate { agents, outcome: None, .. }) => {
            format!("With {agents} the line would grow without limit.")
        }
        Some(Candidate { agents, checks, .. }) => {
            let missed: Vec<String> = checks
                .iter()
                .filter(|check| !check.is_met())
                .map(|check| words::missed(check, rules))
                .collect();
            format!("With {agents}, {}.", words::listing(&missed))
        }
    }
}

fn measures(reason: &Explanation, rules: &Rules) -> Vec<MeasureRow> {
    type Figure = fn(&barometer_queueing::Outcome) -> String;
    let row = |name: String, target: String, figure: Figure| MeasureRow {
        name,
        target,
        figures: reason
            .candidates
            .iter()
            .map(|candidate| {
                candidate.outcome.as_ref().map_or_else(|| "no limit".to_owned(), figure)
            })
            .collect(),
    };
    let ceiling = |ceiling: Option<f64>| {
        ceiling.map_or_else(String::new, |most| format!("≤ {}", words::short_percent(most)))
    };
    vec![
        row(
            format!("Service level, {} s", words::plain(rules.within_secs)),
            format!("≥ {}", words::short_percent(rules.service_level)),
            |outcome| words::percent(outcome.service_level),
        ),
        row("Abandonment".to_owned(), ceiling(rules.abandonment), |outcome| {
            words::percent(outcome.abandonment)
        }),
        row("Occupancy".to_owned(), ceiling(rules.occupancy), |outcome| {
            words::percent(outcome.occupancy)
        }),
        row("Speed of answer".to_owned(), String::new(), |outcome| {
            words::secs(outcome.answer_secs)
        }),
        row("Has to wait".to_owned(), String::new(), |outcome| {
            words::percent(outcome.wait_probability)
        }),
    ]
}

fn other_words(
    contact_type: &ContactType,
    interval: &PlannedInterval,
    reason: &Explanation,
) -> String {
    let rules = &contact_type.rules;
    let rostered = format!(
        "With {} shrinkage that is {} on the roster.",
        words::short_percent(rules.shrinkage),
        rules.rostered(reason.need)
    );
    let other = other_model(rules)
        .and_then(|model| need(interval.load, contact_type.grain.secs(), rules, model).ok());
    match other {
        Some(other) => format!(
            "{rostered} Erlang C, in which nobody loses patience, would say {}.",
            other.agents
        ),
        None => rostered,
    }
}
