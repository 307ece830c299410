//! The search: the cheapest people, and settings, with which every target of a trial holds.
//!
//! * A [`Question`] is a trial's inputs with what may change, at which cost, and what is promised;
//! * a [`Design`] is an answer to it: people by team and block of intervals, values of settings;
//! * [`search`] finds the cheapest one it can: simulation and cutting planes, then a local search, on small centres a
//!   proof that nothing cheaper holds, then a test on days that the search has not seen;
//! * an [`Answer`] holds the design with its verdict, what binds, what a point of each target costs, and
//!   what else was tried.
//!
//! Sources: Atlason, Epelman and Henderson, "Optimizing call center staffing using simulation and analytic
//! center cutting-plane methods" (Management Science 54, 2008); Cezik and L'Ecuyer, "Staffing multiskill
//! call centers via linear programming and simulation" (Management Science 54, 2008).
//!
//! Same question, same answer, on any number of threads: days are simulated from seeds, and nothing
//! depends on the time that anything takes.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod answer;
mod budget;
mod confirm;
mod day_kind;
mod descent;
mod design;
mod error;
mod frontier;
mod goal;
mod local;
mod master;
mod paired;
mod play;
mod prices;
mod progress;
mod proof;
mod question;
mod ranges;
mod run;
mod settings;
mod slopes;
mod target;

pub use answer::{
    Answer, BreakingPoint, Claim, DesignFigures, FrontierPoint, GoalAnswer, GoalName, Reach,
    SettingRange, Tried, TriedWhat, ValueTried,
};
pub use day_kind::DayKind;
pub use design::{Block, Design};
pub use error::{SearchError, Stopped};
pub use prices::Prices;
pub use progress::Progress;
pub use proof::Proof;
pub use question::{Question, QuestionError, SettingKnob, TeamKnob};
pub use run::search;
pub use target::{Measure, Promise};
