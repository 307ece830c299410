//! Two contact types over a week, with round figures.

use barometer_plan::Rules;
use barometer_report::facts::{
    AgentHours, AlarmFacts, CampaignFacts, CampaignTried, Facts, Forecast, LineFacts, Measured,
    ReleaseFacts, SimulatedFacts, SimulatedFlow, SimulatedPoint, SimulatedWaits, Staffed, TeamDay,
    TrialFacts, TypeFacts,
};
use barometer_report::{Against, Counts, Days, Definition, Grouping, Period, Section};
use jiff::ToSpan;
use jiff::civil::{Date, date};
use uuid::Uuid;

/// The Monday of the week that is told.
pub const MONDAY: Date = date(2026, 11, 16);

/// All sections of the week, by day, against the forecast.
pub fn definition() -> Definition {
    Definition {
        title: "Week review".to_owned(),
        sections: Section::ALL.to_vec(),
        contact_types: Vec::new(),
        teams: Vec::new(),
        queues: Vec::new(),
        campaigns: Vec::new(),
        grouping: Grouping::Day,
        period: Period::LAST_WEEK,
        against: Against::Forecast,
    }
}

/// The days of a week.
pub fn week(monday: Date) -> impl Iterator<Item = Date> {
    (0..7).map(move |day| monday.saturating_add(day.days()))
}

/// So many contacts, nine in ten answered, eight in ten in time.
pub fn counts(offered: f64) -> Counts {
    Counts {
        offered,
        answered: 0.9 * offered,
        abandoned: 0.1 * offered,
        in_time: 0.8 * offered,
        timed_offered: offered,
        timed_answered: 0.9 * offered,
        wait_secs: 0.9 * offered * 15.0,
        handle_secs: 0.9 * offered * 240.0,
        handled: 0.9 * offered,
        talk_secs: 0.9 * offered * 200.0,
        wrap_up_secs: 0.9 * offered * 40.0,
        wrapped_up: 0.9 * offered,
    }
}

/// Bookings as forecast and in target, Sailing changes a fifth over forecast.
pub fn facts() -> Facts {
    let starting = Rules::STARTING;
    let bookings =
        Rules { service_level: 0.8, abandonment: Some(0.1), occupancy: None, ..starting };
    let sailings =
        Rules { service_level: 0.9, abandonment: Some(0.05), occupancy: None, ..starting };
    Facts {
        centre: "Larkhaven Ferries".to_owned(),
        zone: "Europe/London".to_owned(),
        today: date(2026, 11, 23),
        read_at: date(2026, 11, 23).at(7, 0, 0, 0),
        days: Days { first: MONDAY, last: date(2026, 11, 22) },
        compared: None,
        types: vec![
            contact_type(1, "Bookings", bookings, 1_000.0, 1_000.0),
            contact_type(2, "Sailing changes", sailings, 600.0, 500.0),
        ],
        teams: Vec::new(),
        agents: None,
        simulated: None,
        campaigns: Vec::new(),
        lines: None,
        releases: Vec::new(),
        alarms: Vec::new(),
        trials: Vec::new(),
        causes: Vec::new(),
    }
}

fn contact_type(id: u128, name: &str, rules: Rules, a_day: f64, forecast: f64) -> TypeFacts {
    let measured = |monday: Date, a_day: f64| -> Vec<Measured> {
        week(monday).map(|day| Measured { at: day.at(0, 0, 0, 0), counts: counts(a_day) }).collect()
    };
    TypeFacts {
        id: Uuid::from_u128(id),
        name: name.to_owned(),
        rules,
        measured: measured(MONDAY, a_day),
        compared: measured(MONDAY.saturating_sub(7.days()), 0.5 * a_day),
        forecast: week(MONDAY)
            .map(|day| Forecast { at: day.at(0, 0, 0, 0), contacts: forecast, actual: Some(a_day) })
            .collect(),
        planned: Vec::new(),
        staffed: week(MONDAY)
            .map(|day| Staffed {
                at: day.at(0, 0, 0, 0),
                need_hours: 100.0,
                cover_hours: Some(90.0),
                short_intervals: 3,
                short_hours: 12.0,
                intervals: 20,
            })
            .collect(),
    }
}

/// The same week with something in every section.
pub fn full_facts() -> Facts {
    let at = MONDAY.at(9, 30, 0, 0);
    Facts {
        teams: week(MONDAY)
            .map(|day| TeamDay {
                team: "Harbour offices".to_owned(),
                at: day.at(0, 0, 0, 0),
                staffed_hours: 80.0,
                busy_hours: 60.0,
            })
            .collect(),
        agents: Some(vec![AgentHours {
            name: "=SUM(A1)".to_owned(),
            team: "Harbour offices".to_owned(),
            contract_hours: 37.5,
            rostered_hours: 40.0,
            rostered_for: Some(Uuid::from_u128(0xb)),
            shifts: 5,
            days_off: 0,
        }]),
        simulated: Some(SimulatedFacts {
            trial: Uuid::from_u128(9),
            subject: "the whole centre".to_owned(),
            day: MONDAY,
            replications: 200,
            waits: vec![SimulatedWaits {
                contact_type: "Bookings".to_owned(),
                secs: [Some(4.0), Some(18.0), Some(31.5), Some(60.0), None],
            }],
            service_points: vec![SimulatedPoint {
                name: "Bookings queue".to_owned(),
                entered: 1_000.0,
                answered: 930.0,
                service_level: Some(0.78),
                abandonment: Some(0.07),
                wait_secs: Some(22.0),
            }],
            flows: vec![
                SimulatedFlow {
                    from: "Menu".to_owned(),
                    cause: "key 1".to_owned(),
                    to: "Bookings queue".to_owned(),
                    contacts: 700.0,
                },
                SimulatedFlow {
                    from: "Number".to_owned(),
                    cause: "open".to_owned(),
                    to: "Menu".to_owned(),
                    contacts: 1_000.0,
                },
            ],
        }),
        campaigns: vec![
            CampaignFacts {
                name: "Cancelled sailings".to_owned(),
                ceiling: 0.03,
                tried: Some(CampaignTried {
                    trial: Uuid::from_u128(9),
                    day: MONDAY,
                    dialled: 900.0,
                    reached: 300.0,
                    abandoned: Some(0.05),
                }),
            },
            CampaignFacts { name: "Rebooking".to_owned(), ceiling: 0.03, tried: None },
        ],
        lines: Some(LineFacts {
            at,
            calls_per_hour: 400.0,
            erlangs: 31.5,
            blocking_target: 0.01,
            needed: 43,
            installed: Some(40),
            blocked: Some(0.024),
        }),
        releases: vec![ReleaseFacts {
            at,
            version: 2,
            strategy: "Overflow earlier".to_owned(),
            approved_by: Some("Una Approver".to_owned()),
            note: "<b>Storm</b> days".to_owned(),
        }],
        alarms: vec![AlarmFacts {
            rang_at: at,
            watches: "Sailing changes: longest wait over 3:00".to_owned(),
            minutes: Some(12.0),
            seen_by: None,
        }],
        trials: vec![TrialFacts {
            id: Uuid::from_u128(10),
            at,
            subject: "the whole centre".to_owned(),
            day: MONDAY,
            version: 2,
            verdict: Some("breaks".to_owned()),
            went_live: Some(at),
        }],
        ..facts()
    }
}
