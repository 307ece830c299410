//! Searches whose answers are known: by trying every design, and by theory.

#![cfg(test)]

mod day_kinds;
mod enumerated;
mod fixture;
mod priced;
mod promises;
mod refused;
