//! Strategies as planners and their files have them.

#![cfg(test)]

mod edits;
mod joined;
mod json;
mod rich;
