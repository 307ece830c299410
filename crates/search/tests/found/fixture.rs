//! Small centres whose every design can be tried.

use barometer_plan::{
    CoverChoice, CoverInterval, ForecastInterval, IntervalLoad, Rules, TeamPeople, TrialInputs,
    TypePlan, customers_of, schedule,
};
use barometer_search::{Promise, Question, TeamKnob};
use barometer_simulate::DemandLuck;
use barometer_strategy::{Duration, Skill, Strategy};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

const SECS: f64 = 1800.0;

/// 80 % within 20 s, 5 % abandonment; no ceiling on how busy people are.
pub const RULES: Rules = Rules { occupancy: None, ..Rules::STARTING };

/// Half-hours with these contacts of 240 s and so many people planned.
fn plan(name: &str, contacts: &[f64], agents: u32) -> TypePlan {
    let opening: Timestamp = "2026-11-28T08:00:00Z".parse().expect("a time");
    let start = |nth: usize| opening + (30 * nth as i64).minutes();
    let forecast: Vec<_> = contacts
        .iter()
        .enumerate()
        .map(|(nth, &contacts)| ForecastInterval {
            start: start(nth),
            load: IntervalLoad { contacts, handle_secs: 240.0 },
        })
        .collect();
    let cover: Vec<_> =
        (0..contacts.len()).map(|nth| CoverInterval { start: start(nth), agents }).collect();
    TypePlan {
        name: name.to_owned(),
        rules: RULES,
        customers: customers_of(&RULES, &Duration::exponential(1.0)),
        interval_secs: SECS,
        plan: schedule(&forecast, &cover, SECS, &RULES).expect("a need"),
        luck: None,
        arrivals: Default::default(),
    }
}

/// One team with calls that peak in the middle of two hours.
pub fn one_team() -> TrialInputs {
    centre(Strategy::plain("Bookings"), &[plan("Bookings", &[20.0, 40.0, 50.0, 25.0], 6)])
}

/// Bookings and Groups, each with a team; Groups' people answer Bookings too.
pub fn n_design() -> TrialInputs {
    let parts = ["Bookings", "Groups"].map(|name| (name.to_owned(), Strategy::plain(name)));
    let mut strategy = Strategy::joined("Centre", parts);
    strategy.teams[1].skills.push(Skill { skill: "Bookings".to_owned(), level: None });
    let types = [
        plan("Bookings", &[40.0, 40.0, 60.0, 60.0], 8),
        plan("Groups", &[15.0, 15.0, 20.0, 20.0], 4),
    ];
    centre(strategy, &types)
}

fn centre(strategy: Strategy, types: &[TypePlan]) -> TrialInputs {
    let people = TeamPeople::of(CoverChoice::Planned);
    TrialInputs::of_centre(strategy, &TimeZone::UTC, types, &people).expect("a trial")
}

/// A question about a centre: `least` to `most` people in blocks of an hour, teams costing `costs` an hour.
pub fn question(base: TrialInputs, least: u32, most: u32, costs: &[f64]) -> Question {
    let teams = base.teams.iter().zip(costs).map(|(team, &cost_per_hour)| TeamKnob {
        team: team.team.clone(),
        least,
        most,
        cost_per_hour,
    });
    let teams = teams.collect();
    let (days, fresh_days, most_days) = (120, 1000, 40_000);
    Question { teams, days, fresh_days, most_days, ..Question::about(base) }
}

/// Days that are up to a fifth busier or quieter.
pub fn with_luck(mut base: TrialInputs) -> TrialInputs {
    let day_factors = vec![0.8, 0.9, 0.95, 1.0, 1.0, 1.05, 1.1, 1.2];
    for kind in &mut base.types {
        kind.luck = Some(DemandLuck { day_factors: day_factors.clone(), interval_variance: 0.005 });
    }
    base
}

/// The same question with all targets on a share of days.
pub fn on_share_of_days(question: Question, share: f64) -> Question {
    Question { promise: Promise::OnShareOfDays(share), ..question }
}
