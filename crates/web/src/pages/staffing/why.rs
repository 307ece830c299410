//! Why this number: one interval's need with its inputs, its neighbours, its formula, what the other
//! models would say, and what the forecast's uncertainty asks for.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{
    Explanation, IntervalLoad, LoadSpread, Model, NeedCandidate, PlannedInterval, Rules, Target,
    explain, need,
};
use barometer_queueing::Outcome;
use barometer_store::ContactType;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Deserialize;
use uuid::Uuid;

use super::targets::TargetsForm;
use crate::App;
use crate::access::RequestContext;
use crate::extract::{Path, Query};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;
use barometer_app::planning;

/// People fewer and more that are looked at.
const AROUND: u32 = 2;

/// The chance that "safe" means where nobody asked for another.
const SAFE: f64 = 0.9;

#[derive(Template)]
#[template(path = "staffing/why.html")]
pub(super) struct WhyPanel {
    title: String,
    inputs: String,
    sentence: String,
    candidates: Vec<CandidateColumn>,
    measures: Vec<MeasureRow>,
    rostered: String,
    others: Vec<OtherModel>,
    /// What the forecast's uncertainty asks for; the page's own first panel leaves it to a click.
    sure: Option<String>,
    source: &'static str,
    note: &'static str,
}

struct CandidateColumn {
    agents: u32,
    is_need: bool,
    holds: bool,
}

struct MeasureRow {
    name: String,
    target: String,
    binds: bool,
    figures: Vec<String>,
}

struct OtherModel {
    name: &'static str,
    need: String,
    why: &'static str,
}

#[derive(Deserialize)]
pub(crate) struct WhyQuery {
    at: String,
    /// The targets that are being tried; those that are saved where the form was not sent along.
    #[serde(flatten)]
    tried: TargetsForm,
}

/// `GET /staffing/{contact_type}/why`: one interval's need with its reason.
pub(crate) async fn why(
    State(app): State<App>,
    mut context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<WhyQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let zone = context.centre.zone.clone();
    let at = query.at.parse().ok().and_then(|at| Timestamp::from_second(at).ok());
    let at = at.ok_or(PageError::NotFound)?;
    let day = zone.to_datetime(at).date();
    if query.tried.asked.day.is_empty() {
        context.day = day;
    }
    // What cannot be read is said at its field; the reason stays that of the saved targets.
    let is_sent = !query.tried.service_level.is_empty();
    let tried = if is_sent { query.tried.rules().ok() } else { None };
    let shown = ContactType { rules: tried.unwrap_or(contact_type.rules), ..contact_type };
    let rules = &shown.rules;
    let source = super::source(&app, &context, &shown, &query.tried.asked).await?;
    let plan = source.schedule(rules).map_err(|error| PageError::Internal(Box::new(error)))?;
    let interval = plan.iter().find(|interval| interval.start == at).ok_or(PageError::NotFound)?;
    let mut panel = WhyPanel::of(&shown, rules, interval, &zone, source.interval_secs())?;
    if let Some(luck) = planning::luck(&app.store, &shown, day).await? {
        let spread = LoadSpread::new(&luck.day_factors, luck.interval_variance);
        panel.sure = sure_words(&spread, interval, rules, source.interval_secs());
    }
    page(&panel)
}

impl WhyPanel {
    pub fn of(
        contact_type: &ContactType,
        rules: &Rules,
        interval: &PlannedInterval,
        zone: &TimeZone,
        interval_secs: f64,
    ) -> Result<Self, PageError> {
        let model = Model::for_rules(rules);
        let title = |need: u32| format!("Why {need} at {}?", words::clock(interval.start, zone));
        if model == Model::Deadline {
            return Ok(Self::of_deadline(contact_type, rules, interval, title));
        }
        let reason = explain(interval.load, interval_secs, rules, model, AROUND)
            .map_err(|error| PageError::Internal(Box::new(error)))?;
        Ok(Self {
            title: title(reason.need),
            inputs: inputs(interval, rules, interval_secs, &reason),
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
            rostered: rostered(rules, reason.need),
            others: others(interval.load, interval_secs, rules, model),
            sure: None,
            source: match model {
                Model::ErlangA => "Erlang A (M/M/n+M): Palm 1946; Mandelbaum and Zeltyn 2007",
                Model::Chat => "Birth-death chain with a pace that depends on the chats held",
                _ => "Erlang C (M/M/n): Erlang 1917; Cooper 1981, ch. 3",
            },
            note: match model {
                Model::Chat => "families",
                _ => "erlang",
            },
        })
    }

    fn of_deadline(
        contact_type: &ContactType,
        rules: &Rules,
        interval: &PlannedInterval,
        title: impl Fn(u32) -> String,
    ) -> Self {
        let need = interval.assessment.need;
        Self {
            title: title(need),
            sentence: format!(
                "{} can wait: everything is done within {} opening hours of coming in, as evenly as the deadline allows. What comes in now is due later, so the need follows the day smoothly.",
                contact_type.name,
                words::plain(rules.within_secs / 3600.0)
            ),
            inputs: format!(
                "{:.1} contacts × {:.0} s of work come in during this interval.",
                interval.load.contacts, interval.load.handle_secs
            ),
            candidates: Vec::new(),
            measures: Vec::new(),
            rostered: rostered(rules, need),
            others: Vec::new(),
            sure: None,
            source: "Smoothest plan between what has come in and what is due: Yao, Demers and Shenker 1995",
            note: "families",
        }
    }
}

/// The model whose need stands beside that of the model in use.
pub(super) fn model_to_compare(rules: &Rules) -> Option<Model> {
    match Model::for_rules(rules) {
        Model::ErlangA => Some(Model::ErlangC),
        Model::ErlangC => rules.patience_secs.map(|_| Model::ErlangA),
        Model::Chat => {
            Some(if rules.patience_secs.is_some() { Model::ErlangA } else { Model::ErlangC })
        }
        Model::Deadline => None,
    }
}

fn inputs(
    interval: &PlannedInterval,
    rules: &Rules,
    interval_secs: f64,
    reason: &Explanation,
) -> String {
    let IntervalLoad { contacts, handle_secs } = interval.load;
    let patience = rules.patience_secs.map_or_else(
        || "callers wait for ever".to_owned(),
        |secs| format!("patience {} s on average", words::plain(secs)),
    );
    let concurrency = match (rules.concurrency, rules.slowing) {
        (1, _) => String::new(),
        (many, 0.0) => format!("; {many} at once per agent"),
        (many, slowing) => format!(
            "; {many} at once per agent, each further one takes {} longer",
            words::short_percent(slowing)
        ),
    };
    format!(
        "{contacts:.1} contacts × {handle_secs:.0} s ÷ {interval_secs:.0} s = {:.2} Erlangs; {patience}{concurrency}.",
        reason.offered_erlangs
    )
}

fn rostered(rules: &Rules, need: u32) -> String {
    format!(
        "With {} shrinkage that is {} on the roster.",
        words::percent(rules.shrinkage.total()),
        rules.rostered(need)
    )
}

/// The targets that one person fewer would miss.
fn binding(reason: &Explanation) -> Vec<Target> {
    let fewer = reason.candidates.iter().find(|candidate| candidate.agents + 1 == reason.need);
    fewer.map_or_else(Vec::new, |fewer| {
        fewer.checks.iter().filter(|check| !check.is_met()).map(|check| check.target).collect()
    })
}

fn sentence(reason: &Explanation, rules: &Rules) -> String {
    let need = reason.need;
    if need == 0 {
        return "Nobody is needed: no contacts are expected.".to_owned();
    }
    let fewer = reason.candidates.iter().find(|candidate| candidate.agents + 1 == need);
    match fewer {
        None => "One person is the least that answers at all.".to_owned(),
        Some(NeedCandidate { agents, outcome: None, .. }) => {
            format!("With {agents} the line would grow without limit.")
        }
        Some(NeedCandidate { agents, checks, .. }) => {
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
    type Figure = fn(&Outcome) -> String;
    let binding = binding(reason);
    let row = |name: String, target: Option<Target>, bound: String, figure: Figure| MeasureRow {
        name,
        target: bound,
        binds: target.is_some_and(|target| binding.contains(&target)),
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
    let speed =
        rules.answer_secs.map_or_else(String::new, |most| format!("≤ {}", words::secs(most)));
    let nine_of_ten = MeasureRow {
        name: "9 of 10 answered in".to_owned(),
        target: String::new(),
        binds: false,
        figures: reason
            .candidates
            .iter()
            .map(|candidate| {
                let secs = candidate.nine_of_ten_secs.filter(|secs| secs.is_finite());
                secs.map_or_else(|| words::NONE.to_owned(), words::secs)
            })
            .collect(),
    };
    let has_percentile = reason.candidates.iter().any(|each| each.nine_of_ten_secs.is_some());
    let mut rows = vec![
        row(
            format!("Service level, {} s", words::plain(rules.within_secs)),
            Some(Target::ServiceLevel),
            format!("≥ {}", words::short_percent(rules.service_level)),
            |outcome| words::percent(outcome.service_level),
        ),
        row(
            "Abandonment".to_owned(),
            Some(Target::Abandonment),
            ceiling(rules.abandonment),
            |outcome| words::percent(outcome.abandonment),
        ),
        row("Occupancy".to_owned(), Some(Target::Occupancy), ceiling(rules.occupancy), |outcome| {
            words::percent(outcome.occupancy)
        }),
        row("Speed of answer".to_owned(), Some(Target::AnswerSpeed), speed, |outcome| {
            words::secs(outcome.answer_secs)
        }),
        row("Has to wait".to_owned(), None, String::new(), |outcome| {
            words::percent(outcome.wait_probability)
        }),
    ];
    if has_percentile {
        rows.insert(4, nine_of_ten);
    }
    rows
}

fn others(load: IntervalLoad, secs: f64, rules: &Rules, model: Model) -> Vec<OtherModel> {
    let mut asked: Vec<(Model, Rules, &'static str, &'static str)> = Vec::new();
    let by_servers = Rules { slowing: 0.0, ..*rules };
    if model == Model::Chat {
        let counted = if rules.patience_secs.is_some() { Model::ErlangA } else { Model::ErlangC };
        asked.push((
            counted,
            by_servers,
            "Chats counted like calls",
            "as if two at once did not slow each other down",
        ));
    }
    if model != Model::ErlangC {
        asked.push((
            Model::ErlangC,
            by_servers,
            "Erlang C",
            "nobody loses patience, so the line is longer",
        ));
    }
    if model == Model::ErlangC && rules.patience_secs.is_some() {
        asked.push((
            Model::ErlangA,
            by_servers,
            "Erlang A",
            "who gives up makes room for the others",
        ));
    }
    asked
        .into_iter()
        .map(|(model, rules, name, why)| OtherModel {
            name,
            need: need(load, secs, &rules, model)
                .map_or_else(|_| "no number".to_owned(), |need| need.agents.to_string()),
            why,
        })
        .collect()
}

fn sure_words(
    spread: &LoadSpread,
    interval: &PlannedInterval,
    rules: &Rules,
    secs: f64,
) -> Option<String> {
    let model = Model::for_rules(rules);
    if model == Model::Deadline || interval.load.contacts == 0.0 {
        return None;
    }
    let got = spread.need(interval.load, secs, rules, model, SAFE).ok()?;
    let plain = interval.assessment.need;
    let expected = spread.expected(interval.load, secs, rules, model, plain).ok().flatten()?;
    Some(format!(
        "The forecast is not certain: {} hold every target with a chance of {} and can expect a service level of {}. For a chance of {} it takes {}.",
        words::people(plain),
        words::short_percent(got.chance_of_plain_need),
        words::percent(expected.service_level),
        words::short_percent(SAFE),
        got.agents,
    ))
}
