//! The board of the day in figures.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use barometer_app::AppError;
use barometer_app::live::{Outlook, waits};
use barometer_simulate::{PointCounts, TypeCounts};
use barometer_wire::centre::{Board, QueueOnBoard, TeamOnBoard, TypeOnBoard, TypeTonight};
use barometer_wire::{QueueState, SwitchState, TeamState, TypeState};

use super::ApiError;
use super::caller::Caller;
use crate::App;

/// `GET /api/board`
pub(crate) async fn show(
    State(app): State<App>,
    Caller(context): Caller,
) -> Result<Json<Board>, ApiError> {
    let view = app.live.view().borrow().clone();
    let (Some(state), Some(age)) = (view.state.clone(), view.age()) else {
        return Err(ApiError::new(
            StatusCode::SERVICE_UNAVAILABLE,
            "nothing has been heard from the telephone switch yet",
        ));
    };
    // What is not planned is told without a plan, as on the page.
    let outlook = match app.live.outlook(&app.store, &context.centre).await {
        Ok(outlook) => outlook,
        Err(AppError::Refused(_)) => None,
        Err(error) => return Err(error.into()),
    };
    Ok(Json(Board {
        at: state.clock.now,
        date: state.clock.date,
        heard_secs_ago: age.as_secs_f64(),
        is_old: view.is_old(),
        release: state.release.clone(),
        types: state.types.iter().map(|each| on_board(&state, each, outlook.as_deref())).collect(),
        queues: state.queues.iter().map(queue).collect(),
        teams: state.teams.iter().map(team).collect(),
        campaigns: state.campaigns.clone(),
    }))
}

fn on_board(state: &SwitchState, of_type: &TypeState, outlook: Option<&Outlook>) -> TypeOnBoard {
    let whole: TypeCounts = of_type.intervals.iter().sum();
    let waits: Vec<f64> = waits(state, &of_type.contact_type).collect();
    let planned = outlook.and_then(|outlook| {
        let of = outlook.place_of(&of_type.contact_type)?;
        let today = &outlook.today;
        Some((&today.now.inputs.types[of].rules, &today.types[of], &outlook.ends[of]))
    });
    TypeOnBoard {
        contact_type: of_type.contact_type.clone(),
        waiting: waits.len() as u32,
        longest_wait_secs: waits.into_iter().reduce(f64::max),
        offered: whole.offered,
        answered_in_time: whole.in_time,
        abandoned: whole.abandoned,
        within_secs: of_type.within_secs,
        service_level: whole.service_level(),
        target: planned.map(|(rules, ..)| rules.service_level),
        forecast_so_far: planned.map(|(_, seen, _)| seen.forecast),
        by_tonight: planned.map(|(.., end)| TypeTonight {
            service_level: end.level,
            low: end.low,
            high: end.high,
            chance: end.chance,
        }),
    }
}

fn queue(queue: &QueueState) -> QueueOnBoard {
    let whole: PointCounts = queue.intervals.iter().sum();
    QueueOnBoard {
        step: queue.step.clone(),
        name: queue.name.clone(),
        waiting: queue.waiting,
        ringing: queue.ringing,
        longest_wait_secs: queue.longest_wait_secs,
        on_shift: queue.on_shift,
        free: queue.free,
        entered: whole.entered,
        answered: whole.answered,
        abandoned: whole.abandoned,
    }
}

fn team(team: &TeamState) -> TeamOnBoard {
    TeamOnBoard {
        team: team.team.clone(),
        name: team.name.clone(),
        planned: team.planned,
        on_shift: team.on_shift,
        free: team.free,
        talking: team.talking,
        wrapping_up: team.wrapping_up,
    }
}
