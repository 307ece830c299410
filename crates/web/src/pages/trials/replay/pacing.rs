//! How the campaigns of a trial pace themselves over a simulated day.

use axum::extract::State;
use axum::response::Response;
use barometer_plan::TrialInputs;
use barometer_simulate::{PacingLog, PacingMoment};
use barometer_strategy::{Campaign, ServedBy};
use serde::Serialize;
use uuid::Uuid;

use super::{ReplayQuery, tell};
use crate::App;
use crate::access::RequestContext;
use crate::charts;
use crate::exports;
use crate::extract::{Path, Query};
use crate::page_error::PageError;

/// What the picture of a campaign is drawn from.
#[derive(Serialize)]
pub(super) struct PacingData<'a> {
    #[serde(skip)]
    name: &'a str,
    /// How it paces itself: "predictive".
    #[serde(skip)]
    mode: &'static str,
    /// Share of the calls that people answer.
    ceiling: f64,
    /// Whether it has agents, and can abandon calls.
    abandons: bool,
    moments: Vec<Row>,
}

/// A moment: seconds; agents on shift and free, conversations, lines that ring and that are asked for; whether it
/// gives way; answered and abandoned today; people left; and what it reckons with, where it learns anything.
type Row = (f64, [u32; 5], bool, [u32; 3], Option<[f64; 4]>);

impl PacingData<'_> {
    /// What its picture is called.
    pub fn heading(&self) -> String {
        format!("How “{}” paces itself ({})", self.name, self.mode)
    }
}

/// The campaigns that dialled between two times, counted from the first.
pub(super) fn pacing_data<'a>(
    inputs: &'a TrialInputs,
    log: &PacingLog,
    (from, until): (f64, f64),
) -> Vec<PacingData<'a>> {
    let of_campaign = |(place, campaign): (usize, &'a Campaign)| {
        let moments = log
            .moments
            .iter()
            .filter(|moment| moment.campaign == place && (from..until).contains(&moment.at_secs));
        PacingData {
            name: &campaign.name,
            mode: campaign.pacing.words(),
            ceiling: campaign.abandoned_ceiling,
            abandons: !campaign.pacing.keeps_an_agent()
                && !matches!(campaign.served_by, ServedBy::Message(_)),
            moments: moments.map(|moment| row(moment, from)).collect(),
        }
    };
    let campaigns = inputs.strategy.campaigns.iter().enumerate().map(of_campaign);
    campaigns.filter(|campaign| !campaign.moments.is_empty()).collect()
}

fn row(of: &PacingMoment, from: f64) -> Row {
    let to_thousandth = |share: f64| (share * 1000.0).round() / 1000.0;
    let (answered, abandoned) = of.answered_today;
    (
        charts::tenth(of.at_secs - from),
        [of.on_shift, of.free, of.talking, of.ringing, of.asked_for],
        of.gives_way,
        [answered, abandoned, of.left],
        of.reckoned.map(|reckoned| {
            [
                to_thousandth(reckoned.answered_share),
                charts::tenth(reckoned.answer_secs),
                charts::tenth(reckoned.handle_secs),
                to_thousandth(reckoned.risk),
            ]
        }),
    )
}

const HEADING: [&str; 16] = [
    "at_secs",
    "campaign",
    "agents_on_shift",
    "agents_free",
    "conversations",
    "lines_ringing",
    "lines_asked_for",
    "gives_way",
    "answered_today",
    "abandoned_today",
    "abandoned_share",
    "people_left",
    "reckons_answered_share",
    "reckons_answer_secs",
    "reckons_handle_secs",
    "reckons_risk",
];

/// `GET /trials/{trial}/pacing.csv?replication=…`: how campaigns decided on a simulated day.
pub(crate) async fn pacing_csv(
    State(app): State<App>,
    _: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<ReplayQuery>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let replication = query.place(&trial.inputs);
    let (_, _, log) = tell(trial.inputs.clone(), replication).await?;
    let campaigns = &trial.inputs.strategy.campaigns;
    let rows = log.moments.iter().map(|of| {
        let (answered, abandoned) = of.answered_today;
        let share = (answered > 0).then(|| f64::from(abandoned) / f64::from(answered));
        let reckoned = |figure: fn(&barometer_dialling::pacing::Reckoned) -> f64| {
            of.reckoned.as_ref().map_or_else(String::new, |all| format!("{:.4}", figure(all)))
        };
        vec![
            format!("{:.1}", of.at_secs),
            campaigns.get(of.campaign).map_or_else(String::new, |each| each.name.clone()),
            of.on_shift.to_string(),
            of.free.to_string(),
            of.talking.to_string(),
            of.ringing.to_string(),
            of.asked_for.to_string(),
            if of.gives_way { "yes" } else { "no" }.to_owned(),
            answered.to_string(),
            abandoned.to_string(),
            share.map_or_else(String::new, |share| format!("{share:.4}")),
            of.left.to_string(),
            reckoned(|all| all.answered_share),
            reckoned(|all| all.answer_secs),
            reckoned(|all| all.handle_secs),
            reckoned(|all| all.risk),
        ]
    });
    let name = format!("trial-pacing-{}.csv", replication + 1);
    exports::csv(&name, &HEADING, rows.collect()).await
}
