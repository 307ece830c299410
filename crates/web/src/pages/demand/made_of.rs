//! What one number of the forecast is made of.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_store::{ForecastDay, MadeInterval};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::extract::{Path, Query};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;
use barometer_app::planning::span;

#[derive(Template)]
#[template(path = "demand/made_of.html")]
struct MadeOfPanel {
    title: String,
    sentence: String,
    rows: Vec<PartRow>,
    note: String,
}

struct PartRow {
    name: String,
    factor: String,
    contacts: String,
    is_sum: bool,
}

#[derive(Deserialize)]
pub(crate) struct MadeOfQuery {
    at: i64,
}

/// `GET /demand/{contact_type}/made-of`: the parts of one interval's number.
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<MadeOfQuery>,
) -> Result<Response, PageError> {
    let zone = &context.centre.zone;
    let at = Timestamp::from_second(query.at).map_err(|_| PageError::NotFound)?;
    let day = zone.to_datetime(at).date();
    let (from, to) = span(day, 1, zone)?;
    let (intervals, days, calendar) = tokio::try_join!(
        app.store.made_intervals(id, from, to),
        app.store.forecast_days(id),
        app.store.calendar(context.centre.id, day, day),
    )?;
    let interval = intervals.iter().find(|each| each.start == at).ok_or(PageError::NotFound)?;
    let day = days.iter().find(|each| each.day == day).ok_or(PageError::NotFound)?;
    let special: Vec<String> =
        calendar.on(day.day).iter().map(|special| special.name.clone()).collect();
    page(&panel(interval, day, &special, zone))
}

fn panel(
    interval: &MadeInterval,
    day: &ForecastDay,
    special: &[String],
    zone: &TimeZone,
) -> MadeOfPanel {
    let parts = day.parts;
    let mut contacts = parts.level;
    let mut rows = vec![PartRow {
        name: "Level: a day of the last four weeks".to_owned(),
        factor: String::new(),
        contacts: words::one_decimal(contacts),
        is_sum: false,
    }];
    let special_name = if special.is_empty() { None } else { Some(words::listing(special)) };
    let steps = [
        (Some("Trend and time of year".to_owned()), parts.drift),
        (Some(day.day.strftime("%A").to_string()), parts.weekday),
        (special_name, parts.special),
    ];
    for (name, factor) in steps {
        let Some(name) = name else { continue };
        contacts *= factor;
        rows.push(PartRow {
            name,
            factor: format!("× {factor:.3}"),
            contacts: words::one_decimal(contacts),
            is_sum: false,
        });
    }
    let share = if day.base > 0.0 { interval.base / day.base } else { 0.0 };
    let clock = words::clock(interval.start, zone);
    rows.push(PartRow {
        name: format!("Share of the day at {clock}"),
        factor: format!("× {:.2} %", 100.0 * share),
        contacts: words::one_decimal(interval.base),
        is_sum: false,
    });
    let overlaid = interval.contacts - interval.base;
    if overlaid.abs() > 1e-9 {
        rows.push(PartRow {
            name: "Overlays".to_owned(),
            factor: words::signed_one_decimal(overlaid),
            contacts: words::one_decimal(interval.contacts),
            is_sum: false,
        });
    }
    rows.push(PartRow {
        name: "Contacts expected".to_owned(),
        factor: String::new(),
        contacts: words::one_decimal(interval.contacts),
        is_sum: true,
    });
    let band = interval.band();
    MadeOfPanel {
        title: format!("What is {} {clock} made of?", words::short_day(day.day)),
        sentence: format!(
            "{} contacts; 80 % range {:.0} to {:.0}, 95 % range {:.0} to {:.0}.",
            words::one_decimal(interval.contacts),
            band.p10.floor(),
            band.p90.ceil(),
            band.p2_5.floor(),
            band.p97_5.ceil(),
        ),
        note: format!("Handle time {}.", words::secs(interval.handle_secs)),
        rows,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_forecast::{Band, DayParts};
    use jiff::civil::date;

    #[test]
    fn the_parts_lead_from_the_level_to_the_number() {
        // Of the base; with the sale all of it is 12.5 / 11 times as much.
        let band = Band { p2_5: 6.336, p10: 8.272, p90: 14.168, p97_5: 17.16 };
        let parts = DayParts { level: 200.0, drift: 1.1, weekday: 0.5, special: 2.0 };
        let day = ForecastDay {
            day: date(2026, 11, 28),
            base: 220.0,
            contacts: 230.0,
            base_band: band,
            parts,
        };
        let interval = MadeInterval {
            start: "2026-11-28T09:30:00Z".parse().unwrap(),
            base: 11.0,
            contacts: 12.5,
            handle_secs: 301.25,
            base_band: band,
        };
        let panel = panel(&interval, &day, &["Sale".to_owned()], &TimeZone::UTC);
        let rows: Vec<_> = panel
            .rows
            .iter()
            .map(|row| format!("{} {} {}", row.name, row.factor, row.contacts))
            .collect();
        insta::assert_snapshot!(rows.join("\n"), @r"
        Level: a day of the last four weeks  200.0
        Trend and time of year × 1.100 220.0
        Saturday × 0.500 110.0
        Sale × 2.000 220.0
        Share of the day at 09:30 × 5.00 % 11.0
        Overlays +1.5 12.5
        Contacts expected  12.5
        ");
        insta::assert_snapshot!(panel.sentence, @"12.5 contacts; 80 % range 9 to 17, 95 % range 7 to 20.");
    }
}
