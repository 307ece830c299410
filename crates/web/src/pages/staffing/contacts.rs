//! What single contacts say of a contact type's customers: sent as a file, looked at, taken.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::single_contacts::{
    CustomersEstimate, HandlingEstimate, PatienceEstimate, SingleContacts,
};
use barometer_preflight::outlasts;
use barometer_store::{ContactType, Deed, Edited, Noted, StoreError};
use barometer_strategy::{CustomerHabits, Duration};
use serde::Deserialize;
use uuid::Uuid;

use super::head::{Head, Tab};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::edited;
use crate::exports;
use crate::extract::{Form, Multipart, Path};
use crate::page_error::PageError;
use crate::pages::strategy::Uploaded;
use crate::pages::{page, refused, trail};
use crate::words;

#[derive(Template)]
#[template(path = "staffing/contacts.html")]
struct ContactsPage {
    head: Head,
    id: Uuid,
    day: String,
    answer: String,
    wrong: Vec<String>,
    curve: Option<CurveView>,
    rows: Vec<EstimateRow>,
    queues: Vec<QueueRow>,
    /// What is taken, as JSON; none where there is nothing to take.
    measured: Option<String>,
    based_on: String,
}

/// One figure: so far, from these contacts, and between what it lies.
struct EstimateRow {
    name: &'static str,
    before: String,
    now: String,
    between: String,
    of: String,
}

struct QueueRow {
    name: String,
    contacts: String,
    abandoned: String,
    mean: String,
    between: String,
}

/// Who would still wait after some seconds: a drawing of 640 by 280.
struct CurveView {
    /// The curve as it was counted, and the band around it.
    counted: String,
    band: String,
    fit: String,
    assumed: Option<String>,
    fit_words: String,
    /// Ticks: place, and what they say.
    seconds: Vec<(f64, String)>,
    told: String,
}

const WIDTH: f64 = 640.0;
const HEIGHT: f64 = 280.0;
const LEFT: f64 = 44.0;
const BOTTOM: f64 = 26.0;

/// `GET /staffing/contacts.csv`: an example of the file.
pub(crate) async fn example(_context: RequestContext) -> Response {
    let text = "arrived_at,contact_type,queue,waited_secs,outcome,handled_secs,customer\n\
                2026-11-20 10:02:11,Bookings,Bookings queue,12,answered,268,C-1041\n\
                2026-11-20 10:02:40,Bookings,Bookings queue,95,abandoned,,C-0377\n\
                2026-11-20 10:09:02,Bookings,Bookings queue,31,answered,184,C-0377\n\
                2026-11-20 10:09:10,Bookings,Bookings queue,0,blocked,,C-2210\n";
    exports::attachment("single-contacts.csv", "text/csv; charset=utf-8", text.as_bytes().to_vec())
}

/// `POST /staffing/{contact_type}/contacts`: a file of single contacts, shown before anything changes.
pub(crate) async fn look(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    parts: Multipart,
) -> Result<Response, PageError> {
    let Uploaded { text, .. } = Uploaded::of(parts).await?;
    let based_on = app.store.version_of(Edited::Habits(id)).await?.to_string();
    let contact_type = app.store.contact_type(id).await?;
    let name = contact_type.name.clone();
    let read = barometer_app::computing::computed(move || {
        let contacts = SingleContacts::from_csv(&text, &name)?;
        let estimate = contacts.estimate();
        Ok::<_, Vec<String>>((contacts, estimate))
    });
    let read = read.await.map_err(|error| PageError::Internal(Box::new(error)))?;
    let types = app.store.contact_types(context.centre.id).await?;
    let plain = ContactsPage {
        head: Head::new(&context, &types, &contact_type, Tab::Customers),
        id,
        day: context.day.to_string(),
        answer: "The file cannot be read. Nothing was changed.".to_owned(),
        wrong: Vec::new(),
        curve: None,
        rows: Vec::new(),
        queues: Vec::new(),
        measured: None,
        based_on,
    };
    let (contacts, estimate) = match read {
        Ok(read) => read,
        Err(wrong) => return refused(&ContactsPage { wrong, ..plain }),
    };
    let measured = serde_json::to_string(&estimate.habits())
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    page(&ContactsPage {
        answer: answer(&estimate, contacts.others, &contact_type.name),
        curve: CurveView::of(&estimate.patience, contact_type.rules.patience_secs),
        rows: rows(&estimate, &contact_type),
        queues: estimate.by_queue.iter().map(queue_row).collect(),
        measured: Some(measured),
        ..plain
    })
}

#[derive(Debug, Deserialize)]
pub(crate) struct TakeForm {
    based_on: String,
    measured: String,
    #[serde(default)]
    patience: Option<String>,
    #[serde(default)]
    handling: Option<String>,
    #[serde(default)]
    returns: Option<String>,
}

/// `POST /staffing/{contact_type}/contacts/take`: keeps what was measured with the contact type.
pub(crate) async fn take(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(form): Form<TakeForm>,
) -> Result<Response, PageError> {
    let refuse = |why: String| PageError::Refused(format!("Nothing was saved: {why}"));
    let measured: CustomerHabits = serde_json::from_str(&form.measured)
        .map_err(|error| refuse(format!("these are no customers: {error}.")))?;
    let before = app.store.contact_type(id).await?;
    let mut habits = before.habits.clone();
    if form.patience.is_some() {
        habits.patience = measured.patience.clone();
    }
    if form.handling.is_some() {
        habits.handling = measured.handling.clone();
    }
    if form.returns.is_some() {
        habits.after_abandoning = measured.after_abandoning.or(habits.after_abandoning);
        habits.after_blocked = measured.after_blocked.or(habits.after_blocked);
        habits.repeat = measured.repeat.or(habits.repeat);
    }
    let spreads = [&habits.patience, &habits.handling].into_iter().flatten();
    let fault = spreads.filter_map(Duration::fault).next();
    if let Some(message) = fault.or_else(|| habits.fault().map(|fault| fault.message)) {
        return Err(refuse(format!("{message}.")));
    }
    let patience_secs = form.patience.and(measured.patience).map(|fit| fit.mean_secs().round());
    let patience_secs = patience_secs.map(|secs| secs.max(1.0));
    let save = edited::save(&context, &form.based_on);
    match app.store.save_measured(id, &habits, patience_secs, save).await {
        Ok(()) => {
            let (was, became) = trail::fields_changed(&before.habits, &habits);
            let change = Noted::from_to(before.name, was, became);
            trail::note(&app, &context, Deed::CustomersChanged, change).await;
            let address = Tab::Customers.address(id, context.day);
            Ok(Redirect::to(&format!("{address}&saved=yes")).into_response())
        }
        Err(StoreError::SavedMeanwhile(first)) => Err(PageError::Refused(format!(
            "{} Nothing was saved: send the file again.",
            edited::meanwhile(&first, &context, &[])
        ))),
        Err(error) => Err(error.into()),
    }
}

fn answer(estimate: &CustomersEstimate, others: usize, name: &str) -> String {
    let patience = &estimate.patience;
    let contacts = words::thousands(patience.contacts as f64);
    let left_out = match others {
        0 => String::new(),
        others => format!(
            " {} rows of other contact types were left out.",
            words::thousands(others as f64)
        ),
    };
    match &patience.fit {
        Some(fit) => format!(
            "{contacts} contacts of {name} waited or could have, {} abandoned: they wait {:.0} s on average before they do, \
             {:.0} to {:.0} s in 95 of 100 cases.{left_out}",
            words::thousands(patience.abandoned as f64),
            fit.mean_secs(),
            patience.between.0,
            patience.between.1
        ),
        None => format!(
            "{contacts} contacts of {name} waited or could have, and {} abandoned: too few to say how long they wait.{left_out}",
            patience.abandoned
        ),
    }
}

fn rows(estimate: &CustomersEstimate, of: &ContactType) -> Vec<EstimateRow> {
    let mut rows = Vec::new();
    let secs = |secs: f64| format!("{secs:.0} s");
    let range = |(low, high): (f64, f64)| format!("{low:.0} to {high:.0} s");
    if let Some(fit) = &estimate.patience.fit {
        rows.push(EstimateRow {
            name: "Patience, mean",
            before: of.rules.patience_secs.map_or_else(|| "endless".to_owned(), secs),
            now: secs(fit.mean_secs()),
            between: range(estimate.patience.between),
            of: format!("{} who abandoned", words::thousands(estimate.patience.abandoned as f64)),
        });
        rows.push(EstimateRow {
            name: "Spread of patience",
            before: of
                .habits
                .patience
                .as_ref()
                .map_or_else(|| "exponential".to_owned(), spread_words),
            now: spread_words(fit),
            between: String::new(),
            of: String::new(),
        });
    }
    if let Some(HandlingEstimate { contacts, mean_secs, between, fit, .. }) = &estimate.handling {
        rows.push(EstimateRow {
            name: "Handle time, mean",
            before: "the forecast’s".to_owned(),
            now: secs(*mean_secs),
            between: range(*between),
            of: format!("{} answered", words::thousands(*contacts as f64)),
        });
        rows.push(EstimateRow {
            name: "Spread of handle times",
            before: of
                .habits
                .handling
                .as_ref()
                .map_or_else(|| "exponential".to_owned(), spread_words),
            now: spread_words(fit),
            between: String::new(),
            of: String::new(),
        });
    }
    let share = |again: Option<f64>| again.map_or_else(|| "nobody".to_owned(), words::percent);
    let habits = &of.habits;
    let returns = [
        (
            "Call again after abandoning",
            habits.after_abandoning.as_ref().map(|again| again.share),
            estimate.after_abandoning,
        ),
        (
            "Call again after finding it full",
            habits.after_blocked.as_ref().map(|again| again.share),
            estimate.after_blocked,
        ),
        (
            "Call again after being served",
            habits.repeat.as_ref().map(|again| again.share),
            estimate.after_answer,
        ),
    ];
    rows.extend(returns.into_iter().filter_map(|(name, before, now)| {
        let now = now?;
        Some(EstimateRow {
            name,
            before: share(before),
            now: format!("{}, after {:.0} min", words::percent(now.share), now.after_secs / 60.0),
            between: format!(
                "{} to {}",
                words::percent(now.between.0),
                words::percent(now.between.1)
            ),
            of: format!("{} contacts", words::thousands(now.contacts as f64)),
        })
    }));
    rows
}

fn queue_row((name, estimate): &(String, PatienceEstimate)) -> QueueRow {
    let mean = estimate.fit.as_ref().map(|fit| format!("{:.0} s", fit.mean_secs()));
    QueueRow {
        name: if name.is_empty() { "without a queue".to_owned() } else { name.clone() },
        contacts: words::thousands(estimate.contacts as f64),
        abandoned: words::thousands(estimate.abandoned as f64),
        between: match &mean {
            Some(_) => format!("{:.0} to {:.0} s", estimate.between.0, estimate.between.1),
            None => "too few abandoned".to_owned(),
        },
        mean: mean.unwrap_or_else(|| words::NONE.to_owned()),
    }
}

/// "Weibull, shape 1.40".
pub(super) fn spread_words(of: &Duration) -> String {
    match of {
        Duration::Constant { .. } => "constant".to_owned(),
        Duration::Exponential { .. } => "exponential".to_owned(),
        Duration::LogNormal { variation, .. } => format!("log-normal, variation {variation:.2}"),
        Duration::Gamma { variation, .. } => format!("gamma, variation {variation:.2}"),
        Duration::Weibull { shape, .. } => format!("Weibull, shape {shape:.2}"),
        Duration::Empirical { .. } => "as was seen".to_owned(),
    }
}

impl CurveView {
    fn of(patience: &PatienceEstimate, assumed_secs: Option<f64>) -> Option<Self> {
        let fit = patience.fit.as_ref()?;
        let last = patience.curve.last().filter(|last| last.secs > 0.0)?;
        let most = last.secs;
        let x = |secs: f64| LEFT + (WIDTH - LEFT - 8.0) * secs / most;
        let y = |share: f64| 8.0 + (HEIGHT - 8.0 - BOTTOM) * (1.0 - share);
        // Steps: the share stays until the next who abandons.
        let mut counted = format!("M{:.1},{:.1}", x(0.0), y(1.0));
        let (mut upper, mut lower) = (counted.clone(), Vec::new());
        let mut before = (1.0, 1.0, 1.0);
        for point in &patience.curve {
            let (at, (low, high)) = (x(point.secs), point.between);
            counted += &format!(" L{at:.1},{:.1} L{at:.1},{:.1}", y(before.0), y(point.share));
            upper += &format!(" L{at:.1},{:.1} L{at:.1},{:.1}", y(before.2), y(high));
            lower.push(format!(" L{at:.1},{:.1} L{at:.1},{:.1}", y(low), y(before.1)));
            before = (point.share, low, high);
        }
        lower.reverse();
        let smooth = |of: &Duration| {
            let points = (0..=80).map(|nth| {
                let secs = most * f64::from(nth) / 80.0;
                format!("{:.1},{:.1}", x(secs), y(outlasts(of, secs)))
            });
            format!("M{}", points.collect::<Vec<_>>().join(" L"))
        };
        let step = tick(most);
        let ticks = (0..).map(|nth| f64::from(nth) * step).take_while(|&secs| secs <= most);
        Some(Self {
            band: format!("{upper}{} Z", lower.concat()),
            counted,
            fit: smooth(fit),
            assumed: assumed_secs.map(|secs| smooth(&Duration::exponential(secs))),
            fit_words: spread_words(fit),
            seconds: ticks.map(|secs| (x(secs), format!("{secs:.0}"))).collect(),
            told: format!(
                "Share of customers who would still wait: {} after {:.0} s by what was counted, {} by the fit",
                words::percent(last.share),
                most,
                words::percent(outlasts(fit, most))
            ),
        })
    }
}

/// A round distance of five ticks or so.
fn tick(most: f64) -> f64 {
    let steps = [1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1800.0, 3600.0];
    steps.into_iter().find(|step| most / step <= 8.0).unwrap_or(7200.0)
}
