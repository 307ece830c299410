//! What in the history is not as it seems: found, shown, and decided about by people.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_forecast::{Finding, Gap, Proposal, Treatment, gaps, proposals};
use barometer_intake::YEARS;
use barometer_store::{ContactType, Decision, HistoryMark};
use jiff::Span;
use jiff::civil::{Date, DateTime};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::tabs::{Head, Tab};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::charts;
use crate::extract::{Form, Path, Query};
use crate::forms::{self, FormErrors};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;
use barometer_app::demand::history_grid;

/// The longest reason that is kept.
const MOST_CHARS: usize = 200;
/// Days by which a shift may be dated anew and still be the one that was decided about.
const SAME_SHIFT_DAYS: i32 = 7;

#[derive(Template)]
#[template(path = "demand/cleaning.html")]
struct CleaningPage {
    head: Head,
    answer: String,
    note: Option<&'static str>,
    proposals: Vec<ProposalRow>,
    missing: Option<String>,
    marks: Vec<MarkRow>,
    form: MarkForm,
    wrong: FormErrors,
    day_chart: String,
    decide: String,
    mark: String,
}

struct ProposalRow {
    finding: &'static str,
    slug: &'static str,
    when: String,
    why: String,
    effect: String,
    from: DateTime,
    until: DateTime,
}

struct MarkRow {
    finding: &'static str,
    when: String,
    what: String,
    why: String,
    by: String,
    remove: String,
}

/// A stretch marked by hand, as typed.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct MarkForm {
    #[serde(default)]
    from: String,
    #[serde(default)]
    until: String,
    #[serde(default)]
    treatment: String,
    #[serde(default)]
    percent: String,
    #[serde(default)]
    why: String,
}

#[derive(Deserialize)]
pub(crate) struct CleaningQuery {
    note: Option<String>,
    from: Option<String>,
    until: Option<String>,
}

#[derive(Serialize)]
struct DayChart {
    labels: Vec<String>,
    days: Vec<Date>,
    offered: Vec<Option<i64>>,
    /// Index of the first and the last day of each stretch, and whether it is decided.
    stretches: Vec<(usize, usize, bool)>,
    zoom_from: usize,
}

/// `GET /demand/{contact_type}/cleaning`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<CleaningQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let form = MarkForm {
        from: query.from.unwrap_or_default(),
        until: query.until.unwrap_or_default(),
        ..MarkForm::default()
    };
    let mut template =
        CleaningPage::new(&app, &context, &contact_type, form, FormErrors::default()).await?;
    template.note = match query.note.as_deref() {
        Some("kept") => Some("Decided. The forecast is made again with it."),
        Some("gone") => Some("Undone. The forecast is made again without it."),
        _ => None,
    };
    page(&template)
}

impl CleaningPage {
    async fn new(
        app: &App,
        context: &RequestContext,
        contact_type: &ContactType,
        form: MarkForm,
        wrong: FormErrors,
    ) -> Result<Self, PageError> {
        let id = contact_type.id;
        let marks = app.store.history_marks(id).await?;
        let Found { open, missing } = find(app, context, contact_type, &marks).await?;
        let daily = app.store.daily_totals(id, &context.centre.zone).await?;
        let mut chart = DayChart {
            labels: Vec::new(),
            days: Vec::new(),
            offered: Vec::new(),
            stretches: Vec::new(),
            zoom_from: 0,
        };
        let mut next = daily.first().map(|first| first.day);
        for total in &daily {
            while let Some(day) = next.filter(|day| *day <= total.day) {
                chart.labels.push(format!("{} {}", words::short_day(day), day.year()));
                chart.days.push(day);
                chart.offered.push((day == total.day).then_some(total.offered));
                next = day.tomorrow().ok();
            }
        }
        let stretches = open.iter().map(|it| (it.mark.from, it.mark.to, it.finding, false)).chain(
            marks.iter().map(|it| (it.decision.from, it.decision.until, it.decision.finding, true)),
        );
        for (from, until, finding, is_decided) in stretches {
            // A shift is shown where the level changes, not over all that it scales.
            let from = if finding == Finding::LevelShift { until } else { from };
            let at = |day: Date| chart.days.partition_point(|known| *known < day);
            let last = chart.days.len().saturating_sub(1);
            let end = until.date().yesterday().unwrap_or(until.date()).max(from.date());
            chart.stretches.push((at(from.date()).min(last), at(end).min(last), is_decided));
        }
        let earliest = chart.stretches.iter().filter(|it| !it.2).map(|it| it.0).min();
        let usual = chart.days.len().saturating_sub(120);
        chart.zoom_from = earliest.map_or(usual, |at| at.saturating_sub(14).min(usual));
        Ok(Self {
            answer: answer(&open, &marks),
            note: None,
            proposals: open.iter().map(ProposalRow::of).collect(),
            missing: missing_words(&missing),
            marks: marks.iter().map(|mark| MarkRow::of(mark, id, context)).collect(),
            form,
            wrong,
            day_chart: charts::embedded(&chart)?,
            decide: format!("/demand/{id}/cleaning/decide?day={}", context.day),
            mark: format!("/demand/{id}/cleaning?day={}", context.day),
            head: Head::new(app, context, contact_type, Tab::Cleaning).await?,
        })
    }
}

/// What is found in the history, as the marks make it, and not decided about yet; and what is
/// missing in it.
#[derive(Default)]
struct Found {
    open: Vec<Proposal>,
    missing: Vec<Gap>,
}

async fn find(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    marks: &[HistoryMark],
) -> Result<Found, PageError> {
    let zone = &context.centre.zone;
    let Some(history) = history_grid(&app.store, contact_type, zone).await? else {
        return Ok(Found::default());
    };
    let calendar =
        app.store.calendar(context.centre.id, history.first_day(), history.end()).await?;
    let applied: Vec<_> = marks.iter().filter_map(|mark| mark.decision.mark()).collect();
    let found = barometer_app::computing::computed(move || Found {
        missing: gaps(&history),
        open: proposals(&history.marked(&applied), &calendar),
    });
    let mut found = found.await.map_err(|error| PageError::Internal(Box::new(error)))?;
    found.open.retain(|proposal| !is_decided(proposal, marks));
    Ok(found)
}

fn is_decided(proposal: &Proposal, marks: &[HistoryMark]) -> bool {
    marks.iter().map(|mark| &mark.decision).any(|decision| match proposal.finding {
        Finding::LevelShift => {
            let days = (proposal.mark.to.date() - decision.until.date()).get_days();
            decision.finding == Finding::LevelShift && days.abs() <= SAME_SHIFT_DAYS
        }
        _ => {
            decision.finding != Finding::LevelShift
                && decision.from < proposal.mark.to
                && proposal.mark.from < decision.until
        }
    })
}

/// What is posted about proposals: one, or all of them.
#[derive(Deserialize)]
pub(crate) struct DecideForm {
    /// "accept", "reject" or "accept-all".
    answer: String,
    #[serde(default)]
    finding: String,
    #[serde(default)]
    from: String,
    #[serde(default)]
    until: String,
}

/// `POST /demand/{contact_type}/cleaning/decide`: what becomes of what was found.
///
/// The stretch is looked up among what is found now: nobody can accept what is not proposed.
pub(crate) async fn decide(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(form): Form<DecideForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let marks = app.store.history_marks(id).await?;
    let Found { open, .. } = find(&app, &context, &contact_type, &marks).await?;
    let is_meant = |proposal: &&Proposal| {
        form.answer == "accept-all"
            || (proposal.finding.slug() == form.finding
                && proposal.mark.from.to_string() == form.from
                && proposal.mark.to.to_string() == form.until)
    };
    let decisions: Vec<Decision> = open
        .iter()
        .filter(is_meant)
        .map(|proposal| Decision {
            from: proposal.mark.from,
            until: proposal.mark.to,
            finding: proposal.finding,
            treatment: (form.answer != "reject").then_some(proposal.mark.treatment),
            why: proposal.why.clone(),
        })
        .collect();
    if decisions.is_empty() {
        let message = "This is not proposed any more; somebody may have decided about it already.";
        return Err(PageError::Refused(message.to_owned()));
    }
    app.store.add_history_marks(id, &decisions, Some(context.user.id)).await?;
    Ok(back(id, context.day, "kept"))
}

/// `POST /demand/{contact_type}/cleaning`: marks a stretch by hand.
pub(crate) async fn mark(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<MarkForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let mut wrong = FormErrors::default();
    match decision(&typed, &mut wrong) {
        Some(decision) => {
            app.store.add_history_marks(id, &[decision], Some(context.user.id)).await?;
            Ok(back(id, context.day, "kept"))
        }
        None => refused(&CleaningPage::new(&app, &context, &contact_type, typed, wrong).await?),
    }
}

fn decision(typed: &MarkForm, wrong: &mut FormErrors) -> Option<Decision> {
    let mut time = |field: &'static str, typed: &str| {
        let read = typed.trim().parse::<DateTime>().ok();
        let read = read.filter(|read| YEARS.contains(&read.year()));
        // A date alone means its midnight.
        let read = read.or_else(|| forms::day(typed).map(|day| day.at(0, 0, 0, 0)));
        if read.is_none() {
            wrong.note(field, "Write a time such as 2026-03-11T10:00, or a day.");
        }
        read
    };
    let (from, until) = (time("from", &typed.from), time("until", &typed.until));
    if let (Some(from), Some(until)) = (from, until)
        && from >= until
    {
        wrong.note("until", "Must be later than the start.");
    }
    let treatment = match typed.treatment.as_str() {
        "scale" => match wrong.number("percent", &typed.percent) {
            Some(percent) if percent > 0.0 && percent <= 1000.0 => {
                Some(Treatment::Scale(percent / 100.0))
            }
            _ => {
                wrong.note("percent", "Must be a number above 0 and up to 1000 %.");
                None
            }
        },
        _ => Some(Treatment::LeaveOut),
    };
    let why = typed.why.trim();
    if why.is_empty() || why.chars().count() > MOST_CHARS {
        wrong.note("why", format!("Say why, in up to {MOST_CHARS} characters."));
    }
    if !wrong.is_empty() {
        return None;
    }
    let (finding, why) = (Finding::ByHand, why.to_owned());
    Some(Decision { from: from?, until: until?, finding, treatment: Some(treatment?), why })
}

/// `POST /demand/{contact_type}/cleaning/{mark}/remove`: takes a decision back.
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Path((id, mark)): Path<(Uuid, Uuid)>,
) -> Result<Response, PageError> {
    app.store.remove_history_mark(id, mark, Some(context.user.id)).await?;
    Ok(back(id, context.day, "gone"))
}

fn back(id: Uuid, day: Date, note: &str) -> Response {
    Redirect::to(&format!("{}&note={note}", Tab::Cleaning.address(id, day))).into_response()
}

/// "Missing, and taken as unknown: 4 intervals (11 Mar 2026, 10:00 – 12:00); the longest of 3".
fn missing_words(gaps: &[Gap]) -> Option<String> {
    let longest = gaps.iter().max_by_key(|gap| gap.intervals)?;
    let intervals: usize = gaps.iter().map(|gap| gap.intervals).sum();
    let place = when(longest.from, longest.to, Finding::ByHand);
    Some(match gaps.len() {
        1 => format!("Missing in the history, and taken as unknown: {place}."),
        more => format!(
            "Missing in the history, and taken as unknown: {} intervals in {more} places; the longest is {place}.",
            words::thousands(intervals as f64)
        ),
    })
}

fn answer(open: &[Proposal], marks: &[HistoryMark]) -> String {
    let applied = marks.iter().filter(|mark| mark.decision.treatment.is_some()).count();
    let decided = match applied {
        0 => "The forecast is made from the history as it was recorded.".to_owned(),
        1 => "One stretch is cleaned before the forecast is made.".to_owned(),
        more => format!(
            "{} stretches are cleaned before the forecast is made.",
            words::capitalised(&words::count_word(more))
        ),
    };
    match open.len() {
        0 => format!("Nothing more looks wrong. {decided}"),
        1 => format!("One stretch looks wrong and waits for your decision. {decided}"),
        more => format!(
            "{} stretches look wrong and wait for your decision. {decided}",
            words::capitalised(&words::count_word(more))
        ),
    }
}

/// "11 Mar 2026, 10:00 – 13:00", "3 – 5 Feb 2025", "until 15 Sep 2025".
fn when(from: DateTime, until: DateTime, finding: Finding) -> String {
    if finding == Finding::LevelShift {
        return format!("until {}", words::full_date(until.date()));
    }
    let whole_days = from.time() == jiff::civil::Time::midnight() && until.time() == from.time();
    let last =
        if whole_days { until.date().saturating_sub(Span::new().days(1)) } else { until.date() };
    match (whole_days, from.date() == last) {
        (true, true) => format!("{}, all day", words::full_date(from.date())),
        (true, false) => {
            format!("{} – {}", words::full_date(from.date()), words::full_date(last))
        }
        (false, true) => format!(
            "{}, {} – {}",
            words::full_date(last),
            words::clock_time(from.time()),
            words::clock_time(until.time())
        ),
        (false, false) => format!(
            "{}, {} – {}, {}",
            words::full_date(from.date()),
            words::clock_time(from.time()),
            words::full_date(last),
            words::clock_time(until.time())
        ),
    }
}

fn effect(treatment: Option<Treatment>) -> String {
    match treatment {
        None => "stays as recorded".to_owned(),
        Some(Treatment::LeaveOut) => "left out".to_owned(),
        Some(Treatment::Scale(factor)) => format!("times {factor:.2}"),
    }
}

impl ProposalRow {
    fn of(proposal: &Proposal) -> Self {
        let mark = &proposal.mark;
        Self {
            finding: proposal.finding.title(),
            slug: proposal.finding.slug(),
            when: when(mark.from, mark.to, proposal.finding),
            why: words::capitalised(&proposal.why),
            effect: effect(Some(mark.treatment)),
            from: mark.from,
            until: mark.to,
        }
    }
}

impl MarkRow {
    fn of(mark: &HistoryMark, contact_type: Uuid, context: &RequestContext) -> Self {
        let decision = &mark.decision;
        Self {
            finding: decision.finding.title(),
            when: when(decision.from, decision.until, decision.finding),
            what: effect(decision.treatment),
            why: words::capitalised(&decision.why),
            by: format!(
                "{}, {}",
                mark.by.as_deref().unwrap_or("the demo"),
                words::moment(mark.at, &context.centre.zone)
            ),
            remove: format!(
                "/demand/{contact_type}/cleaning/{}/remove?day={}",
                mark.id, context.day
            ),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn a_stretch_is_written_as_people_say_it() {
        let day = date(2026, 3, 11);
        let whens = [
            when(day.at(10, 0, 0, 0), day.at(13, 0, 0, 0), Finding::Outage),
            when(day.at(0, 0, 0, 0), date(2026, 3, 12).at(0, 0, 0, 0), Finding::Outlier),
            when(day.at(0, 0, 0, 0), date(2026, 3, 14).at(0, 0, 0, 0), Finding::ByHand),
            when(date(2024, 1, 1).at(0, 0, 0, 0), day.at(0, 0, 0, 0), Finding::LevelShift),
            when(day.at(22, 0, 0, 0), date(2026, 3, 12).at(2, 0, 0, 0), Finding::Outage),
        ];
        insta::assert_snapshot!(whens.join("\n"), @r"
        11 Mar 2026, 10:00 – 13:00
        11 Mar 2026, all day
        11 Mar 2026 – 13 Mar 2026
        until 11 Mar 2026
        11 Mar 2026, 22:00 – 12 Mar 2026, 02:00
        ");
    }

    #[test]
    fn a_mark_says_which_field_is_wrong() {
        let mut wrong = FormErrors::default();
        let typed = MarkForm {
            from: "2026-03-11T10:00".to_owned(),
            until: "2026-03-11T09:00".to_owned(),
            treatment: "scale".to_owned(),
            percent: "-5".to_owned(),
            why: " ".to_owned(),
        };
        assert_eq!(decision(&typed, &mut wrong), None);
        for field in ["until", "percent", "why"] {
            assert!(wrong.at(field).is_some(), "{field}");
        }
        let typed = MarkForm {
            until: "2026-03-12".to_owned(),
            percent: "80".to_owned(),
            why: "Half the team was ill".to_owned(),
            ..typed
        };
        let made = decision(&typed, &mut FormErrors::default()).unwrap();
        assert_eq!(made.treatment, Some(Treatment::Scale(0.8)));
        assert_eq!(made.until, date(2026, 3, 12).at(0, 0, 0, 0));
    }
}
