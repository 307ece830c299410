//! From forecast to people, and from a trial to a verdict: joins the core crates.
//!
//! * [`Rules`] are a contact type's targets with what else its need depends on;
//! * [`need`] is the fewest people with which an interval meets every target, [`explain`] says why;
//! * [`assess`] says what a planned cover will come to, [`schedule`] does so for a whole forecast;
//! * [`ComparisonInputs`] holds candidates against each other on the same customers;
//! * [`TrialInputs`] and [`TrialResult`] are a trial as it is kept, with what theory says beside it.
//!
//! Shares are 0..=1, times are seconds, people are people on the phones (shrinkage comes on top).
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod account;
mod alarm;
mod assess;
mod board;
mod change_sheet;
mod comparison;
mod cover_choice;
mod day_kinds;
mod day_need;
mod day_plan;
mod deferred;
mod edit_effect;
mod integer;
mod lines;
mod need;
mod now;
mod pooling;
mod premises;
mod question;
mod record;
mod roster;
mod rules;
mod schedule;
mod screening;
mod shifts;
mod shrinkage;
pub mod single_contacts;
mod spread;
mod sweep;
mod threshold;
mod trial;
mod uncertain;
mod verdict;
mod what_if;
mod working_time;

pub use account::{
    ACCOUNT_DAYS, AccountInputs, ActualInterval, Cause, CauseEffect, DayAccount, LaterRelease,
    MeasureAccount, PlannedActual, PredictionRecord, TeamAccount, TypeAccount, prediction_records,
};
pub use alarm::{
    AlarmChange, AlarmFault, AlarmHours, AlarmMeasure, AlarmRule, AlarmState, Escalation,
    Recipient, RecipientError, Severity, would_have_rung,
};
pub use assess::{IntervalAssessment, assess, pressure};
pub use board::{BoardFigure, BoardLayout, BoardSubject, MOST_TILES, Shows, Tile};
pub use change_sheet::{
    Actor, ChangeSheet, EvidenceDocument, EvidenceKey, EvidenceRules, Ground, RecordLine, Risks,
    SHEET_FORMAT, SheetAct, SheetDocument, SheetEntry, SheetReadError, SheetRefusal, SheetState,
    SheetText, TriedDay, Verified, VerifyError,
};
pub use comparison::{
    Axis, Candidate, CandidateResult, ComparisonError, ComparisonInputs, ComparisonPart,
    ComparisonResult, ComparisonWork,
};
pub use cover_choice::{CoverChoice, trial_intervals};
pub use day_kinds::{DayLoad, Storm, loads_by_date, typical_and_fullest, worst_past_day};
pub use day_need::{DayNeed, SizedDay, SureDay};
pub use day_plan::{DayPlan, ExactDay};
pub use edit_effect::{Difference, EditEffect};
pub use integer::{
    Bound, Column, PROVEN, Programme, ProgrammeError, Relaxation, Row, SolveOptions, Solved,
};
pub use lines::{Equipment, LineCalls, LineNeed, LineRules};
pub use need::{
    Explanation, Model, Need, NeedCandidate, NeedError, NeedSearch, explain, need, need_of_all,
};
pub use now::{
    COME_AFTER_SECS, DayNow, Help, HelpEffect, HelpKind, PlannedBreak, PlayedRest, TypeEnd,
};
pub use pooling::{Pooling, may_pool, pooled_cover, pooled_forecast, pooling};
pub use premises::premises_of;
pub use question::{Answer, HeldInterval, Question};
pub use record::{PastInterval, Record, RecordError, ReplayedDay, replay_day, without_gaps};
pub use roster::{
    RosterCandidate, Stretch, assign, cover_after, cover_of, present_of, required_in_week,
    stretches_of,
};
pub use rules::{Check, Rules, RulesError, Target};
pub use schedule::{
    CoverInterval, ForecastInterval, Hole, PlannedInterval, ScheduleHours, agent_hours, holes,
    schedule, worst,
};
pub use screening::{Screened, ScreenedValue};
pub use shifts::{
    FitProgress, FittedRoster, FittedShift, FreeDays, ShiftError, ShiftProblem, ShiftShape,
    check_shifts, fit_shifts,
};
pub use shrinkage::Shrinkage;
pub use sweep::{Searchable, Sweepable};
pub use threshold::Threshold;
pub use trial::{
    AssemblyError, DayByDay, Driver, DriverOfDay, Followed, FollowedEnd, HoldingDays, Judged,
    LessPatience, TargetByDay, TeamPeople, Theory, Third, TrialDigest, TrialInputs, TrialInterval,
    TrialOutcome, TrialResult, TrialTeam, TrialType, TypePlan, channel_of, customers_of, followed,
    share_of_ten,
};
pub use uncertain::{LoadSpread, UncertainNeed, normal_quantile};
pub use verdict::Verdict;
pub use what_if::{
    PricedLevel, Service, peak_of_levels, pooled, price_of_levels, service_of, stricter,
};

pub use working_time::{WorkingTimeFault, WorkingTimeRules, working_time_faults};

/// What is expected of one interval.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct IntervalLoad {
    /// Expected contacts.
    pub contacts: f64,
    /// Mean handle time in seconds.
    pub handle_secs: f64,
}
