//! Waiting lines with people behind them: Erlang B, C and A as pure functions on numbers.
//!
//! Calls arrive at random (Poisson), each keeps one *server* busy for a random handle time, and
//! what happens when every server is busy tells the models apart:
//!
//! * [`erlang_b`]: the call is refused;
//! * [`ErlangC`]: the caller waits for as long as it takes;
//! * [`ErlangA`]: the caller waits until patience runs out, then abandons.
//!
//! A server is a place where one contact is handled: one agent on the telephone is one server, an
//! agent who handles three chats at once is three. All three models are steady states: they tell
//! what an interval would settle to if it went on for long.
//!
//! Everything is computed from sums of positive terms, so nothing cancels and nothing overflows,
//! from an idle line to ten thousand servers in overload. The formulas and their sources are in
//! `docs/methods/erlang.md`.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod bend;
mod chain;
mod chat;
mod deadline;
mod erlang_a;
mod erlang_b;
mod erlang_c;
mod estimate;
mod figures;
mod finite_places;
mod general_patience;
mod hunting;
mod line;
mod offered_load;
mod outcome;
mod patience;
mod poisson;
mod priority;
mod quadrature;
mod redial;
mod scaled;
mod search;
mod station;
mod traffic;
mod transient;

pub use chat::{ChatPace, ChatTeam};
pub use deadline::{
    DeadlineError, DeferrableInterval, DeferredWork, LateWork, late_work, plan_by_deadline,
};
pub use erlang_a::ErlangA;
pub use erlang_b::{
    Redialled, erlang_b, erlang_b_with_redial, lines_for_blocking, load_for_blocking,
};
pub use erlang_c::ErlangC;
pub use estimate::{
    MeanPatience, SeenWait, Spread, WeibullPatience, mean_patience, spread, still_patient,
    weibull_patience,
};
pub use figures::{Figures, LevelOf};
pub use finite_places::FinitePlaces;
pub use general_patience::GeneralPatience;
pub use hunting::{WhenAllBusy, ordered_hunting};
pub use offered_load::{ModifiedLoad, modified_loads};
pub use outcome::Outcome;
pub use patience::Patience;
pub use priority::{Class, ClassFigures, TwoClasses};
pub use redial::{Redial, RedialFigures};
pub use search::{FewestServers, Promise};
pub use traffic::{QueueError, Traffic};
pub use transient::{Moment, Start, Stretch, StretchFigures, TransientDay};
