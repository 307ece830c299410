//! The day that is going on: what came so far, and the rest of it forecast anew.

use barometer_forecast::{RestOfDay, rest_of_day};
use barometer_store::ContactType;
use jiff::Timestamp;

use crate::App;
use crate::access::RequestContext;
use crate::page_error::PageError;
use crate::words;
use barometer_app::planning::span;

/// One contact type's day so far.
pub(crate) struct TodayRow {
    pub name: String,
    pub until: String,
    pub forecast: String,
    pub came: String,
    pub factor: String,
    pub rest_before: String,
    pub rest: String,
    pub day: String,
}

/// What came of a contact type today, and what the rest of the day will bring; `None` before the
/// first interval of today is known.
pub(crate) async fn today_row(
    app: &App,
    contact_type: &ContactType,
    context: &RequestContext,
) -> Result<Option<TodayRow>, PageError> {
    let zone = &context.centre.zone;
    let (from, to) = span(context.today, 1, zone)?;
    let (history, forecast, head) = tokio::try_join!(
        app.store.history_since(contact_type.id, from),
        app.store.made_intervals(contact_type.id, from, to),
        app.store.forecast(contact_type.id),
    )?;
    let known = history.iter().filter(|seen| seen.start < to);
    let Some(last) = known.clone().map(|seen| seen.start).max() else { return Ok(None) };
    let Some(uncertainty) = head.and_then(|head| head.uncertainty) else { return Ok(None) };
    if forecast.is_empty() {
        return Ok(None);
    }
    let until = last.checked_add(contact_type.grain.duration()).unwrap_or(last);
    let came_at =
        |start: Timestamp| known.clone().find(|seen| seen.start == start).map(|seen| seen.offered);
    let came: Vec<Option<f64>> =
        forecast.iter().filter(|made| made.start < until).map(|made| came_at(made.start)).collect();
    let contacts: Vec<f64> = forecast.iter().map(|made| made.contacts).collect();
    let rest = rest_of_day(&contacts, &came, 1, &uncertainty);
    Ok(Some(TodayRow::of(contact_type, &words::clock(until, zone), &contacts, &came, &rest)))
}

impl TodayRow {
    fn of(
        contact_type: &ContactType,
        until: &str,
        contacts: &[f64],
        came: &[Option<f64>],
        rest: &RestOfDay,
    ) -> Self {
        let expected: f64 =
            contacts.iter().zip(came).filter(|(_, came)| came.is_some()).map(|(it, _)| it).sum();
        let seen: f64 = came.iter().flatten().sum();
        let before: f64 = contacts[came.len()..].iter().sum();
        let after: f64 = rest.contacts.iter().sum();
        Self {
            name: contact_type.name.clone(),
            until: until.to_owned(),
            forecast: words::thousands(expected),
            came: words::thousands(seen),
            factor: format!("{:.2} ± {:.2}", rest.factor, 1.96 * rest.factor_spread),
            rest_before: words::thousands(before),
            rest: words::thousands(after),
            day: words::thousands(seen + after),
        }
    }
}
