//! Reports from made-up facts: periods, timings, sentences, tables, and the files that they become.

#![expect(clippy::unwrap_used, reason = "a test may stop where it cannot go on")]

mod fixture;
mod formats;
mod limited;
mod made;
mod period;
mod planned;
mod timing;
