//! How the switch stand-in behaves: its clock, and what goes wrong.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_wire::{Conduct, Disturbance};
use jiff::SignedDuration;
use serde::Deserialize;

use crate::App;
use crate::access::Planner;
use crate::extract::Form;
use crate::page_error::PageError;

#[derive(Deserialize)]
pub(crate) struct ConductForm {
    #[serde(default)]
    speed: String,
    #[serde(default)]
    ahead: String,
    #[serde(default)]
    wrong: String,
    #[serde(default)]
    of: String,
}

/// How long a storm, sickness, a burst of a campaign or an outage that is pressed lasts, in minutes, and how bad it is.
const STORM_MINUTES: f64 = 120.0;
const STORM_FACTOR: f64 = 2.0;
const SICKNESS_MINUTES: f64 = 600.0;
const SICK: u32 = 3;
const BURST_MINUTES: f64 = 30.0;
const BURST_FACTOR: f64 = 3.0;
const OUTAGE_MINUTES: f64 = 20.0;

/// `POST /watch/switch`
pub(crate) async fn behave(
    State(app): State<App>,
    Planner(_): Planner,
    Form(form): Form<ConductForm>,
) -> Result<Response, PageError> {
    let refused = |message: &str| PageError::Refused(message.to_owned());
    let state = app.live.view().borrow().state.clone();
    let (Some(client), Some(state)) = (app.live.client(), state) else {
        return Err(refused("Nothing has been heard from the telephone switch yet."));
    };
    let now = state.clock.now;
    let mut conduct = Conduct::default();
    if !form.speed.is_empty() {
        let speed: f64 = form
            .speed
            .parse()
            .map_err(|_| refused("speed: a number of seconds a second, 0 to 600"))?;
        conduct.speed = Some(speed);
    }
    if !form.ahead.is_empty() {
        let minutes: i64 = form
            .ahead
            .parse()
            .ok()
            .filter(|minutes| (1..=1440).contains(minutes))
            .ok_or_else(|| refused("ahead: 1 to 1440 minutes"))?;
        conduct.until = now.checked_add(SignedDuration::from_mins(minutes)).ok();
    }
    conduct.disturbances = match form.wrong.as_str() {
        "storm" => vec![Disturbance::Storm {
            contact_type: form.of,
            from: now,
            minutes: STORM_MINUTES,
            factor: STORM_FACTOR,
        }],
        "sickness" => vec![Disturbance::Sickness {
            team: form.of,
            from: now,
            minutes: SICKNESS_MINUTES,
            people: SICK,
        }],
        "burst" => vec![Disturbance::CampaignBurst {
            campaign: form.of,
            from: now,
            minutes: BURST_MINUTES,
            factor: BURST_FACTOR,
        }],
        "outage" => vec![Disturbance::Outage { from: now, minutes: OUTAGE_MINUTES }],
        _ => Vec::new(),
    };
    client.behave(&conduct).await.map_err(|error| PageError::Refused(error.to_string()))?;
    app.live.forget_outlook();
    Ok(Redirect::to("/watch?note=told").into_response())
}
