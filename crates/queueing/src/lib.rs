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

mod erlang_a;
mod erlang_b;
mod erlang_c;
mod outcome;
mod quadrature;
mod scaled;
mod traffic;

pub use erlang_a::ErlangA;
pub use erlang_b::erlang_b;
pub use erlang_c::ErlangC;
pub use outcome::Outcome;
pub use traffic::{QueueError, Traffic};
