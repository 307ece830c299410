//! Outbound by itself: whom to call, when, how fast, and the exact chain.

#![cfg(test)]

mod book;
mod calling_times;
mod chain;
mod list;
mod need;
mod pace;
mod pacing;
mod records;
