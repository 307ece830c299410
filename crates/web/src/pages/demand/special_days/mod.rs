//! The calendar: which days are not like others, and what they do.

mod form;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_forecast::{
    Calendar, Effect, HORIZON_DAYS, Recurring, Repeats, Rule, recurring_days,
};
use barometer_intake::{CalendarDays, calendar_days};
use barometer_store::{ContactType, NewSpecialDay, SpecialDayEntry};
use jiff::Span;
use jiff::civil::Date;
use serde::Deserialize;
use uuid::Uuid;

use super::runs::open_run;
use form::{SpecialDayForm, typed_entry};

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Multipart, Path, Query};
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::progress::ProgressPart;
use crate::pages::{Choice, choices, page, refused};
use crate::words;
use barometer_app::demand::history_grid;

/// The longest name and class.
const MOST_CHARS: usize = 80;
/// The largest calendar file, in bytes.
const MOST_FILE_BYTES: usize = 2_000_000;

#[derive(Template)]
#[template(path = "demand/special_days.html")]
struct SpecialDaysPage {
    frame: Frame,
    answer: String,
    run: Option<ProgressPart>,
    note: Option<String>,
    others: Vec<Choice>,
    of: Option<Uuid>,
    of_name: String,
    rows: Vec<EntryRow>,
    found: Vec<FoundRow>,
    classes: Vec<String>,
    form: SpecialDayForm,
    wrong: FormErrors,
    day: Date,
}

/// One name of one class, with all its entries.
struct EntryRow {
    name: String,
    class: String,
    entries: Vec<Occasion>,
    next: String,
    effect: String,
    between: String,
    seen: String,
    source: String,
}

struct Occasion {
    rule: String,
    remove: String,
}

struct FoundRow {
    rule: String,
    value: String,
    effect: String,
    years: String,
}

#[derive(Deserialize)]
pub(crate) struct SpecialDaysQuery {
    note: Option<String>,
    of: Option<Uuid>,
}

/// `GET /demand/special-days`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<SpecialDaysQuery>,
) -> Result<Response, PageError> {
    let form = SpecialDayForm {
        from: context.day.to_string(),
        repeats: "once".to_owned(),
        ..SpecialDayForm::default()
    };
    let mut template =
        SpecialDaysPage::new(&app, &context, query.of, form, FormErrors::default()).await?;
    template.note = query.note.as_deref().and_then(|note| match note.split_once('-') {
        Some(("added", count)) => Some(match count.parse::<usize>().ok()? {
            1 => "Added. The forecasts are made again with it.".to_owned(),
            count => format!("{count} entries added. The forecasts are made again with them."),
        }),
        _ if note == "gone" => Some("Removed. The forecasts are made again without it.".to_owned()),
        _ => None,
    });
    page(&template)
}

impl SpecialDaysPage {
    async fn new(
        app: &App,
        context: &RequestContext,
        of: Option<Uuid>,
        form: SpecialDayForm,
        wrong: FormErrors,
    ) -> Result<Self, PageError> {
        let (entries, types) = tokio::try_join!(
            app.store.special_days(context.centre.id),
            app.store.contact_types(context.centre.id),
        )?;
        let shown = of.and_then(|of| types.iter().find(|each| each.id == of)).or(types.first());
        let effects = match shown {
            Some(shown) => {
                app.store.forecast(shown.id).await?.map(|head| head.effects).unwrap_or_default()
            }
            None => Vec::new(),
        };
        let found = match shown {
            Some(shown) => found_days(app, context, shown).await?,
            None => Vec::new(),
        };
        let mut classes: Vec<String> =
            entries.iter().map(|entry| entry.entry.class.clone()).collect();
        classes.extend(["Public holiday", "School holiday", "Promotion"].map(str::to_owned));
        classes.sort();
        classes.dedup_by(|a, b| a.eq_ignore_ascii_case(b));
        let address = |other: Uuid| format!("/demand/special-days?of={other}&day={}", context.day);
        Ok(Self {
            frame: Frame::of(context, Stage::Demand, None),
            answer: answer(&entries, context, shown),
            run: open_run(app, context).await?,
            note: None,
            others: shown.map(|shown| choices(&types, shown.id, address)).unwrap_or_default(),
            of: shown.map(|shown| shown.id),
            of_name: shown.map_or_else(String::new, |shown| shown.name.clone()),
            rows: entries
                .chunk_by(|a, b| (&a.entry.class, &a.entry.name) == (&b.entry.class, &b.entry.name))
                .filter_map(|group| EntryRow::of(group, &effects, context))
                .collect(),
            found: found.iter().map(FoundRow::of).collect(),
            classes,
            form,
            wrong,
            day: context.day,
        })
    }
}

/// Days that the contact type's history shows to be special and the calendar does not have.
async fn found_days(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
) -> Result<Vec<Recurring>, PageError> {
    let Some(history) = history_grid(&app.store, contact_type, &context.centre.zone).await? else {
        return Ok(Vec::new());
    };
    let calendar: Calendar =
        app.store.calendar(context.centre.id, history.first_day(), history.end()).await?;
    let found = barometer_app::computing::computed(move || recurring_days(&history, &calendar));
    found.await.map_err(|error| PageError::Internal(Box::new(error)))
}

/// `POST /demand/special-days`
pub(crate) async fn add(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<SpecialDayForm>,
) -> Result<Response, PageError> {
    let mut wrong = FormErrors::default();
    let of = typed.of.parse().ok();
    match typed_entry(&typed, &mut wrong) {
        Some(entry) => keep(&app, &context, of, &[entry]).await,
        None => refused(&SpecialDaysPage::new(&app, &context, of, typed, wrong).await?),
    }
}

#[derive(Deserialize)]
pub(crate) struct FoundForm {
    #[serde(default)]
    rule: Vec<String>,
    of: String,
}

/// `POST /demand/special-days/found`: takes over what the history shows.
pub(crate) async fn add_found(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<FoundForm>,
) -> Result<Response, PageError> {
    let of = form.of.parse().map_err(|_| PageError::NotFound)?;
    let contact_type = app.store.contact_type(of).await?;
    let found = found_days(&app, &context, &contact_type).await?;
    let entries: Vec<NewSpecialDay> = found
        .iter()
        .map(|each| each.rule)
        .filter(|rule| form.rule.contains(&rule.to_string()))
        .map(|rule| NewSpecialDay {
            name: words::capitalised(&rule.to_string()),
            class: "Found in history".to_owned(),
            repeats: Repeats::Yearly(rule),
            days_before: 0,
            days_after: 0,
            closed: false,
            factor: None,
            source: format!("history of {}", contact_type.name),
        })
        .collect();
    if entries.is_empty() {
        return Err(PageError::Refused("Choose at least one of the days found.".to_owned()));
    }
    keep(&app, &context, Some(of), &entries).await
}

/// `POST /demand/special-days/import`: an iCalendar file.
pub(crate) async fn import(
    State(app): State<App>,
    Planner(context): Planner,
    Multipart(mut upload): Multipart,
) -> Result<Response, PageError> {
    let (mut class, mut of, mut entries) = (String::new(), None, None);
    let mut wrong = FormErrors::default();
    while let Some(field) = upload.next_field().await.map_err(refused_upload)? {
        match field.name() {
            Some("class") => class = field.text().await.map_err(refused_upload)?,
            Some("of") => of = field.text().await.map_err(refused_upload)?.parse().ok(),
            Some("file") => {
                let bytes = field.bytes().await.map_err(refused_upload)?;
                if bytes.len() > MOST_FILE_BYTES {
                    wrong.note("file", "The file is larger than 2 MB; a calendar is not.");
                    continue;
                }
                match calendar_days(&bytes, &context.centre.zone) {
                    Ok(read) => entries = Some(read),
                    Err(error) => wrong.note("file", format!("{error}.")),
                }
            }
            _ => {}
        }
    }
    let class = class.trim();
    if class.is_empty() || class.chars().count() > MOST_CHARS {
        wrong.note("file_class", format!("Write a class of up to {MOST_CHARS} characters."));
    }
    match entries {
        Some(days) if wrong.is_empty() => {
            let entries: Vec<_> = days.iter().map(|days| from_calendar(days, class)).collect();
            keep(&app, &context, of, &entries).await
        }
        _ => {
            wrong.note("file", "Choose an iCalendar file (.ics).");
            let form = SpecialDayForm { repeats: "once".to_owned(), ..SpecialDayForm::default() };
            refused(&SpecialDaysPage::new(&app, &context, of, form, wrong).await?)
        }
    }
}

fn from_calendar(days: &CalendarDays, class: &str) -> NewSpecialDay {
    let CalendarDays { name, from, to, is_yearly } = days.clone();
    let repeats = if is_yearly {
        Repeats::Yearly(Rule::Date { month: from.month(), day: from.day() })
    } else {
        Repeats::Once { from, to }
    };
    NewSpecialDay {
        name,
        class: class.to_owned(),
        repeats,
        days_before: 0,
        days_after: 0,
        closed: false,
        factor: None,
        source: "iCalendar file".to_owned(),
    }
}

fn refused_upload(error: axum::extract::multipart::MultipartError) -> PageError {
    PageError::Refused(format!("The upload broke off: {}", error.body_text()))
}

/// `POST /demand/special-days/{id}/remove`
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Query(query): Query<SpecialDaysQuery>,
) -> Result<Response, PageError> {
    app.store.remove_special_day(context.centre.id, id, Some(context.user.id)).await?;
    Ok(back(query.of, context.day, "gone"))
}

async fn keep(
    app: &App,
    context: &RequestContext,
    of: Option<Uuid>,
    entries: &[NewSpecialDay],
) -> Result<Response, PageError> {
    app.store.add_special_days(context.centre.id, entries, Some(context.user.id)).await?;
    Ok(back(of, context.day, &format!("added-{}", entries.len())))
}

fn back(of: Option<Uuid>, day: Date, note: &str) -> Response {
    let of = of.map_or_else(String::new, |of| format!("&of={of}"));
    Redirect::to(&format!("/demand/special-days?day={day}{of}&note={note}")).into_response()
}

fn answer(
    entries: &[SpecialDayEntry],
    context: &RequestContext,
    shown: Option<&ContactType>,
) -> String {
    let horizon = context.today.saturating_add(Span::new().days(HORIZON_DAYS as i64));
    let mut coming: Vec<(Date, &str)> = entries
        .iter()
        .flat_map(|entry| {
            let days = entry.entry.repeats.days(context.today, horizon);
            days.into_iter().map(|day| (day, entry.entry.name.as_str()))
        })
        .filter(|(day, _)| (context.today..horizon).contains(day))
        .collect();
    coming.sort();
    coming.dedup_by_key(|(_, name)| *name);
    if entries.is_empty() {
        return "None is known yet: every day is taken for an ordinary one.".to_owned();
    }
    let Some((day, name)) = coming.first() else {
        return format!(
            "None of the {} in the calendar falls into the next four weeks.",
            words::count_word(entries.len())
        );
    };
    let others = match coming.len() - 1 {
        0 => String::new(),
        more => format!(", and {} more", words::count_word(more)),
    };
    format!(
        "In the next four weeks: {name} on {}{others}. The effects below are those on {}.",
        words::long_day(*day),
        shown.map_or("no contact type yet", |shown| shown.name.as_str())
    )
}

impl EntryRow {
    fn of(group: &[SpecialDayEntry], effects: &[Effect], context: &RequestContext) -> Option<Self> {
        let SpecialDayEntry { entry, by, .. } = group.first()?;
        let effect = effects.iter().find(|effect| {
            effect.offset == 0 && effect.name == entry.name && effect.class == entry.class
        });
        let soon = context.today.saturating_add(Span::new().years(2));
        let days = group.iter().flat_map(|each| each.entry.repeats.days(context.today, soon));
        let next = days.filter(|day| *day >= context.today).min();
        let (effect_words, between, seen) = match (entry.closed, entry.factor, effect) {
            (true, ..) => ("closed".to_owned(), String::new(), String::new()),
            (_, Some(factor), _) => {
                (words::change(factor - 1.0), "set by hand".to_owned(), String::new())
            }
            (_, _, Some(effect)) => (
                words::change(effect.factor - 1.0),
                format!(
                    "{} to {}",
                    words::change(effect.between.0 - 1.0),
                    words::change(effect.between.1 - 1.0)
                ),
                match effect.seen {
                    0 => "never: as its class".to_owned(),
                    1 => "once".to_owned(),
                    more => format!("on {more} days"),
                },
            ),
            _ => (words::NONE.to_owned(), String::new(), String::new()),
        };
        Some(Self {
            name: entry.name.clone(),
            class: entry.class.clone(),
            entries: group.iter().map(|each| Occasion::of(each, context)).collect(),
            next: next.map_or_else(|| words::NONE.to_owned(), words::full_date),
            effect: effect_words,
            between,
            seen,
            source: match by {
                Some(by) => format!("{}, {by}", entry.source),
                None => entry.source.clone(),
            },
        })
    }
}

impl Occasion {
    fn of(SpecialDayEntry { id, entry, .. }: &SpecialDayEntry, context: &RequestContext) -> Self {
        let around = match (entry.days_before, entry.days_after) {
            (0, 0) => String::new(),
            (before, after) => format!(", with {before} before and {after} after"),
        };
        Self {
            rule: format!("{}{around}", rule_words(entry.repeats)),
            remove: format!("/demand/special-days/{id}/remove?day={}", context.day),
        }
    }
}

fn rule_words(repeats: Repeats) -> String {
    match repeats {
        Repeats::Once { from, to } if from == to => words::full_date(from),
        Repeats::Once { from, to } => {
            format!("{} – {}", words::full_date(from), words::full_date(to))
        }
        Repeats::Yearly(rule) => format!("every year, {rule}"),
    }
}

impl FoundRow {
    fn of(found: &Recurring) -> Self {
        Self {
            rule: words::capitalised(&found.rule.to_string()),
            value: found.rule.to_string(),
            effect: words::change(found.factor - 1.0),
            years: match found.years {
                1 => "in the one year known".to_owned(),
                years => format!("in {years} of {years} years"),
            },
        }
    }
}
