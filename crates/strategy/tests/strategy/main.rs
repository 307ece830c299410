//! Strategies as planners and their files have them.

#![cfg(test)]

mod edits;
mod joined;
mod journey;
mod json;
mod rewire;
mod rich;
mod start;
