//! The centre's calls to passengers: one campaign that is safe, and one that would break the ceiling.

use barometer_strategy::{
    Assumed, Blending, CallOutcome, CallsBefore, Campaign, CampaignList, Caps, Duration, Edit,
    MachineAction, Machines, OpenHours, Pacing, Part, WornNumbers, ZoneShare,
};
use jiff::civil::time;

use crate::drafts::DemoDraft;

/// Share of calls that people answer by the hour of their own day: few at work, most in the early evening.
const ANSWERED_BY_HOUR: [f64; 24] = [
    0.05, 0.05, 0.05, 0.05, 0.05, 0.05, 0.10, 0.18, 0.24, 0.26, 0.28, 0.29, 0.31, 0.29, 0.28, 0.29,
    0.33, 0.38, 0.42, 0.40, 0.34, 0.20, 0.10, 0.05,
];

fn assumed(talk_secs: f64) -> Assumed {
    Assumed {
        answered_share: ANSWERED_BY_HOUR.to_vec(),
        machine_share: 0.22,
        busy_share: 0.05,
        unusable_share: 0.02,
        congested_share: 0.01,
        talk: Duration::LogNormal { mean_secs: talk_secs, variation: 0.7 },
        wrap_up: Duration::LogNormal { mean_secs: 35.0, variation: 0.5 },
        ..Assumed::default()
    }
}

fn outcome(name: &str, share: f64, again_after_secs: Option<f64>) -> CallOutcome {
    CallOutcome { name: name.to_owned(), share, again_after_secs }
}

fn daily(from: i8, until: i8) -> Vec<OpenHours> {
    vec![OpenHours { days: Vec::new(), from: time(from, 0, 0, 0), until: time(until, 0, 0, 0) }]
}

/// Passengers of cancelled sailings are told and offered another: people of Bookings call while they are not
/// needed for callers.
pub(crate) fn sailing_news() -> Campaign {
    Campaign {
        caller_number: "+44 20 7946 0100".to_owned(),
        pacing: Pacing::Predictive {},
        hours: daily(11, 19),
        last_29_days: Some(CallsBefore { answered: 15_820, abandoned: 264 }),
        list: CampaignList {
            people: 900,
            zones: vec![
                ZoneShare { zone: "Europe/London".to_owned(), share: 0.8 },
                ZoneShare { zone: "Europe/Paris".to_owned(), share: 0.14 },
                ZoneShare { zone: "America/New_York".to_owned(), share: 0.06 },
            ],
            imported: None,
        },
        caps: Caps { lines: Some(40), lines_per_agent: None, dials_per_minute: None },
        machines: Machines {
            sensitivity: Some(0.3),
            action: MachineAction::Message { secs: 28.0 },
        },
        outcomes: vec![
            outcome("Rebooked", 0.55, None),
            outcome("Refunded", 0.2, None),
            outcome("Call again", 0.12, Some(7200.0)),
        ],
        blending: Blending {
            kept_free: 4,
            pause_at_waiting: Some(1),
            pause_below_service_level: Some(0.7),
            ..Blending::default()
        },
        assumed: assumed(170.0),
        ..Campaign::named("sailing-news", "Sailing news", "bookings-team")
    }
}

/// Offers for the quiet season, dialled as somebody felt right.
fn autumn_offers() -> Campaign {
    Campaign {
        caller_number: "+44 20 7946 0100".to_owned(),
        pacing: Pacing::Steady { lines_per_agent: 3.5 },
        hours: daily(9, 18),
        list: CampaignList::made_up(12_000),
        machines: Machines { sensitivity: Some(0.7), action: MachineAction::Release },
        outcomes: vec![outcome("Booked", 0.08, None), outcome("Call again", 0.1, Some(86_400.0))],
        assumed: Assumed {
            worn_numbers: Some(WornNumbers { calls_a_day: 1500, answered_factor: 0.6 }),
            ..assumed(140.0)
        },
        ..Campaign::named("autumn-offers", "Autumn offers", "groups-team")
    }
}

/// A draft with a campaign that would break the ceiling on abandoned calls.
pub fn campaign_draft() -> DemoDraft {
    let part = Part::Campaign(Box::new(autumn_offers()));
    DemoDraft { name: "Autumn offers by phone", edits: vec![Edit::Add { part, at: None }] }
}
