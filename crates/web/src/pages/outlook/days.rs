//! The days of the week under the strip: on how many days like it every target holds.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_app::holding::{Ask, PlannedDay, planned_days};
use barometer_plan::{Answer, Verdict};
use barometer_store::RunState;
use jiff::Span;
use jiff::civil::Date;
use serde::Deserialize;

use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::frame::Stage;
use crate::holding_words::{days_name, held_words, sentence};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

#[derive(Template)]
#[template(path = "outlook_days.html")]
struct OutlookDays {
    cells: Vec<DayCell>,
    /// Where it is asked again while days are being simulated.
    again: Option<String>,
    /// Where they are asked for, while nobody has.
    asks: Option<String>,
    /// The least sure day in a sentence.
    said: Option<String>,
}

#[derive(Default)]
struct DayCell {
    /// "9 of 10 Saturdays", or what stands there instead.
    words: String,
    title: String,
    verdict: Option<Verdict>,
    address: Option<String>,
    is_busy: bool,
    is_unasked: bool,
}

#[derive(Deserialize)]
pub(crate) struct DaysQuery {
    /// Present where days that nobody has asked about are to be simulated.
    simulate: Option<String>,
}

/// `GET /outlook/days`: what is known of the week's days; those that are being simulated are asked for again.
pub(crate) async fn days(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<DaysQuery>,
) -> Result<Response, PageError> {
    let monday = context.monday();
    let week: Vec<Date> =
        (0..7).map(|ahead| monday.saturating_add(Span::new().days(ahead))).collect();
    let ahead: Vec<Date> = week.iter().copied().filter(|day| *day >= context.today).collect();
    let (centre, by) = (&context.centre, context.user.id);
    let ask = if query.simulate.is_some() { Ask::Now } else { Ask::KnownOnly };
    let address = Stage::Outlook.address(monday, None);
    let planned = planned_days(&app.store, centre, &ahead, ask, (&address, by)).await?;
    let cells: Vec<DayCell> = week
        .iter()
        .map(|day| match planned.iter().find(|planned| planned.date == *day) {
            Some(planned) => cell(planned),
            None => DayCell { words: words::NONE.to_owned(), ..DayCell::default() },
        })
        .collect();
    let is_busy = cells.iter().any(|cell| cell.is_busy);
    page(&OutlookDays {
        again: is_busy.then(|| format!("/outlook/days?day={monday}")),
        asks: cells
            .iter()
            .any(|cell| cell.is_unasked)
            .then(|| format!("/outlook/days?day={monday}&simulate=yes")),
        said: if is_busy { None } else { least_sure(&planned) },
        cells,
    })
}

fn cell(planned: &PlannedDay) -> DayCell {
    let none =
        |title: String| DayCell { words: words::NONE.to_owned(), title, ..DayCell::default() };
    let (inputs, kept) = match &planned.asked {
        Ok(asked) => asked,
        Err(why) => return none(words::capitalised(why)),
    };
    let Some(kept) = kept else {
        let title = "Nobody has asked for this day yet.".to_owned();
        return DayCell { is_unasked: true, ..none(title) };
    };
    match (&kept.answer, kept.run.state) {
        (Some(Answer::Days { days: Some(days) }), _) => {
            let name = days_name(planned.date, 1);
            DayCell {
                words: days.held.of_ten(),
                title: sentence(inputs, days, &name),
                verdict: Some(days.held.verdict()),
                address: Some(format!("/trials?day={}&days={}", planned.date, planned.date)),
                ..DayCell::default()
            }
        }
        (Some(_), _) => none("There is no target.".to_owned()),
        (None, RunState::Failed) => none(kept.run.failure.clone().unwrap_or_default()),
        (None, state) if state.is_over() => none("Cancelled.".to_owned()),
        (None, _) => {
            DayCell { words: "simulating…".to_owned(), is_busy: true, ..DayCell::default() }
        }
    }
}

/// The day on which the targets hold least often, where it is not sure.
fn least_sure(planned: &[PlannedDay]) -> Option<String> {
    let known = planned.iter().filter_map(|planned| {
        let (inputs, kept) = planned.asked.as_ref().ok()?;
        let Some(Answer::Days { days: Some(days) }) = &kept.as_ref()?.answer else { return None };
        Some((planned.date, inputs, days))
    });
    let (date, inputs, days) =
        known.min_by(|one, other| one.2.held.share().total_cmp(&other.2.held.share()))?;
    let name = days_name(date, 1);
    if days.held.holding == days.held.days {
        return Some(format!(
            "Every day is sure: all targets hold on {}.",
            held_words(days.held, "simulated days")
        ));
    }
    Some(format!("Least sure is {}: {}", words::long_day(date), sentence(inputs, days, &name)))
}
