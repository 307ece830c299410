//! What the business knows and history does not.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_forecast::{Change, Overlay};
use barometer_store::{ContactType, ForecastDay, KeptOverlay};
use jiff::civil::{Date, Time};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::tabs::{Head, Tab};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::charts::{self, tenth};
use crate::extract::{Form, Path, Query};
use crate::forms::{self, FormErrors};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;

/// The longest name of an overlay.
const MOST_CHARS: usize = 80;
/// Contacts that a day may be set to.
const MOST_CONTACTS: f64 = 1e7;
const WEEKDAYS: [&str; 7] = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

#[derive(Template)]
#[template(path = "demand/overlays.html")]
struct OverlaysPage {
    head: Head,
    answer: String,
    note: Option<&'static str>,
    overlays: Vec<OverlayRow>,
    form: OverlayForm,
    weekdays: Vec<(usize, &'static str, bool)>,
    targets: Vec<(Uuid, String)>,
    wrong: FormErrors,
    chart: String,
    post: String,
}

struct OverlayRow {
    name: String,
    when: String,
    what: String,
    contacts: String,
    by: String,
    remove: Option<String>,
}

/// An overlay as typed.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct OverlayForm {
    #[serde(default)]
    name: String,
    #[serde(default)]
    from: String,
    #[serde(default)]
    to: String,
    #[serde(default)]
    weekday: Vec<usize>,
    #[serde(default)]
    start: String,
    #[serde(default)]
    end: String,
    /// "percent", "per-day", "day-total" or "move".
    #[serde(default)]
    kind: String,
    #[serde(default)]
    amount: String,
    #[serde(default)]
    target: String,
}

#[derive(Deserialize)]
pub(crate) struct OverlaysQuery {
    note: Option<String>,
}

#[derive(Serialize)]
struct OverlayChart {
    labels: Vec<String>,
    days: Vec<Date>,
    base: Vec<f64>,
    contacts: Vec<f64>,
    may_drag: bool,
}

/// `GET /demand/{contact_type}/overlays`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<OverlaysQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let form = OverlayForm {
        from: context.day.to_string(),
        to: context.day.to_string(),
        weekday: (0..7).collect(),
        kind: "percent".to_owned(),
        ..OverlayForm::default()
    };
    let mut template =
        OverlaysPage::new(&app, &context, &contact_type, form, FormErrors::default()).await?;
    template.note = match query.note.as_deref() {
        Some("kept") => Some("Added. Every later stage counts with it from now on."),
        Some("gone") => Some("Removed. The forecast is as it was without it."),
        _ => None,
    };
    page(&template)
}

impl OverlaysPage {
    async fn new(
        app: &App,
        context: &RequestContext,
        contact_type: &ContactType,
        form: OverlayForm,
        wrong: FormErrors,
    ) -> Result<Self, PageError> {
        let id = contact_type.id;
        let (overlays, days, types) = tokio::try_join!(
            app.store.overlays(id),
            app.store.forecast_days(id),
            app.store.contact_types(context.centre.id),
        )?;
        let name_of = |wanted: Uuid| {
            let found = types.iter().find(|each| each.id == wanted);
            found.map_or_else(|| words::NONE.to_owned(), |each| each.name.clone())
        };
        let chart = OverlayChart {
            labels: days.iter().map(|day| words::short_day(day.day)).collect(),
            days: days.iter().map(|day| day.day).collect(),
            base: days.iter().map(|day| tenth(day.base)).collect(),
            contacts: days.iter().map(|day| tenth(day.contacts)).collect(),
            may_drag: context.may_plan(),
        };
        Ok(Self {
            answer: answer(&overlays, &days),
            note: None,
            overlays: overlays
                .iter()
                .map(|overlay| OverlayRow::of(overlay, id, &days, &name_of, context))
                .collect(),
            weekdays: WEEKDAYS
                .into_iter()
                .enumerate()
                .map(|(at, name)| (at, name, form.weekday.contains(&at)))
                .collect(),
            targets: types
                .iter()
                .filter(|each| each.id != id)
                .map(|each| (each.id, each.name.clone()))
                .collect(),
            form,
            wrong,
            chart: charts::embedded(&chart)?,
            post: format!("/demand/{id}/overlays?day={}", context.day),
            head: Head::new(app, context, contact_type, Tab::Overlays).await?,
        })
    }
}

/// `POST /demand/{contact_type}/overlays`
pub(crate) async fn add(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<OverlayForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let types = app.store.contact_types(context.centre.id).await?;
    let mut wrong = FormErrors::default();
    let known = |target: Uuid| target != id && types.iter().any(|each| each.id == target);
    match typed_overlay(&typed, known, &mut wrong) {
        Some((overlay, moves_to)) => {
            let name = typed.name.trim();
            app.store.add_overlay(id, name, &overlay, moves_to, Some(context.user.id)).await?;
            Ok(back(id, context.day, "kept"))
        }
        None => refused(&OverlaysPage::new(&app, &context, &contact_type, typed, wrong).await?),
    }
}

/// `POST /demand/{contact_type}/overlays/{overlay}/remove`
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Path((id, overlay)): Path<(Uuid, Uuid)>,
) -> Result<Response, PageError> {
    app.store.remove_overlay(id, overlay, Some(context.user.id)).await?;
    Ok(back(id, context.day, "gone"))
}

fn back(id: Uuid, day: Date, note: &str) -> Response {
    Redirect::to(&format!("{}&note={note}", Tab::Overlays.address(id, day))).into_response()
}

fn typed_overlay(
    typed: &OverlayForm,
    is_known: impl Fn(Uuid) -> bool,
    wrong: &mut FormErrors,
) -> Option<(Overlay, Option<Uuid>)> {
    let name = typed.name.trim();
    if name.is_empty() || name.chars().count() > MOST_CHARS {
        wrong.note("name", format!("Write a name of up to {MOST_CHARS} characters."));
    }
    let mut day = |field: &'static str, typed: &str| {
        let day = forms::day(typed);
        if day.is_none() {
            wrong.note(field, "Write a day such as 2026-11-27.");
        }
        day
    };
    let (from, to) = (day("from", &typed.from), day("to", &typed.to));
    if let (Some(from), Some(to)) = (from, to)
        && from > to
    {
        wrong.note("to", "Must not be before the first day.");
    }
    let weekdays = std::array::from_fn(|at| typed.weekday.contains(&at));
    if weekdays == [false; 7] {
        wrong.note("weekday", "Choose at least one weekday.");
    }
    let hours = typed_hours(typed, wrong);
    let amount = wrong.number("amount", &typed.amount);
    if amount.is_none() {
        wrong.note("amount", "Write a number.");
    }
    let amount = amount.unwrap_or(0.0);
    let mut moves_to = None;
    let change = match typed.kind.as_str() {
        "per-day" => Change::PerDay(amount),
        "day-total" => Change::DayTotal(amount),
        "move" => {
            moves_to = typed.target.parse().ok().filter(|target| is_known(*target));
            if moves_to.is_none() {
                wrong.note("target", "Choose the contact type that gets them.");
            }
            if !(amount > 0.0 && amount <= 100.0) {
                wrong.note("amount", "Must be above 0 and up to 100 % of the contacts.");
            }
            Change::Factor(1.0 - amount / 100.0)
        }
        _ => {
            if !(-100.0..=1000.0).contains(&amount) {
                wrong.note("amount", "Must be from −100 to 1000 %.");
            }
            Change::Factor(1.0 + amount / 100.0)
        }
    };
    let too_many = match change {
        Change::DayTotal(total) => !(0.0..=MOST_CONTACTS).contains(&total),
        Change::PerDay(more) => more.abs() > MOST_CONTACTS,
        Change::Factor(_) => false,
    };
    if too_many {
        wrong.note("amount", "Must be a number of contacts up to ten million.");
    }
    if !wrong.is_empty() {
        return None;
    }
    Some((Overlay { from: from?, to: to?, weekdays, hours, change }, moves_to))
}

fn typed_hours(typed: &OverlayForm, wrong: &mut FormErrors) -> Option<(Time, Time)> {
    let (start, end) = (typed.start.trim(), typed.end.trim());
    if start.is_empty() && end.is_empty() {
        return None;
    }
    let mut time = |field: &'static str, typed: &str, missing: Time| {
        if typed.is_empty() {
            return Some(missing);
        }
        let time = typed.parse::<Time>().ok();
        if time.is_none() {
            wrong.note(field, "Write a time such as 09:30.");
        }
        time
    };
    let hours = time("start", start, Time::midnight()).zip(time("end", end, Time::MAX));
    if hours.is_some_and(|(start, end)| start >= end) {
        wrong.note("end", "Must be later than the start.");
    }
    hours
}

fn answer(overlays: &[KeptOverlay], days: &[ForecastDay]) -> String {
    let more: f64 = days.iter().map(|day| day.contacts - day.base).sum();
    let base: f64 = days.iter().map(|day| day.base).sum();
    match overlays.len() {
        0 => "Nothing yet: the forecast is what history says.".to_owned(),
        count => format!(
            "{} {} {} contacts in the next four weeks{}.",
            words::capitalised(&words::count_word(count)),
            if count == 1 { "overlay makes" } else { "overlays make" },
            words::signed_count(more),
            if base > 0.0 { format!(", {}", words::change(more / base)) } else { String::new() },
        ),
    }
}

impl OverlayRow {
    fn of(
        kept: &KeptOverlay,
        shown_for: Uuid,
        days: &[ForecastDay],
        name_of: &impl Fn(Uuid) -> String,
        context: &RequestContext,
    ) -> Self {
        let overlay = &kept.overlay;
        let is_own = kept.contact_type == shown_for;
        let covered: Vec<&ForecastDay> =
            days.iter().filter(|day| overlay.covers_day(day.day)).collect();
        Self {
            name: kept.name.clone(),
            when: when(overlay),
            what: match (overlay.change, kept.moves_to) {
                (Change::Factor(factor), Some(target)) if is_own => {
                    format!("{} moved to {}", words::short_percent(1.0 - factor), name_of(target))
                }
                (Change::Factor(factor), Some(_)) => format!(
                    "{} of {} moved here",
                    words::short_percent(1.0 - factor),
                    name_of(kept.contact_type)
                ),
                (Change::Factor(factor), None) => words::change(factor - 1.0),
                (Change::PerDay(more), _) => {
                    format!("{} contacts a day", words::signed_count(more))
                }
                (Change::DayTotal(total), _) => {
                    format!("{} contacts a day", words::thousands(total))
                }
            },
            contacts: if covered.is_empty() {
                "no day of the forecast".to_owned()
            } else {
                format!("{} {}", covered.len(), if covered.len() == 1 { "day" } else { "days" })
            },
            by: format!(
                "{}, {}",
                kept.by.as_deref().unwrap_or("the demo"),
                words::moment(kept.at, &context.centre.zone)
            ),
            remove: is_own.then(|| {
                format!("/demand/{shown_for}/overlays/{}/remove?day={}", kept.id, context.day)
            }),
        }
    }
}

fn when(overlay: &Overlay) -> String {
    let days = if overlay.from == overlay.to {
        words::full_date(overlay.from)
    } else {
        format!("{} – {}", words::full_date(overlay.from), words::full_date(overlay.to))
    };
    let chosen: Vec<String> = WEEKDAYS
        .iter()
        .zip(overlay.weekdays)
        .filter(|(_, chosen)| *chosen)
        .map(|(name, _)| (*name).to_owned())
        .collect();
    let weekdays =
        if chosen.len() == 7 { String::new() } else { format!(", {}", words::listing(&chosen)) };
    let hours = overlay.hours.map_or_else(String::new, |(start, end)| {
        format!(", {} – {}", words::clock_time(start), words::clock_time(end))
    });
    format!("{days}{weekdays}{hours}")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn form() -> OverlayForm {
        OverlayForm {
            name: "Promotion".to_owned(),
            from: "2026-11-27".to_owned(),
            to: "2026-11-29".to_owned(),
            weekday: vec![4, 5, 6],
            kind: "percent".to_owned(),
            amount: "12".to_owned(),
            ..OverlayForm::default()
        }
    }

    #[test]
    fn twelve_per_cent_from_friday_to_sunday() {
        let (overlay, moves_to) =
            typed_overlay(&form(), |_| false, &mut FormErrors::default()).unwrap();
        assert_eq!((overlay.change, moves_to), (Change::Factor(1.12), None));
        assert_eq!(when(&overlay), "27 Nov 2026 – 29 Nov 2026, Fri, Sat and Sun");
    }

    #[test]
    fn each_wrong_field_has_its_message() {
        let typed = OverlayForm {
            name: String::new(),
            to: "2026-11-20".to_owned(),
            weekday: Vec::new(),
            start: "noon".to_owned(),
            kind: "move".to_owned(),
            amount: "130".to_owned(),
            ..form()
        };
        let mut wrong = FormErrors::default();
        assert_eq!(typed_overlay(&typed, |_| true, &mut wrong), None);
        for field in ["name", "to", "weekday", "start", "amount", "target"] {
            assert!(wrong.at(field).is_some(), "{field}");
        }
    }
}
