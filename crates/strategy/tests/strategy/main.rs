//! Strategies as planners and their files have them.

#![cfg(test)]

mod joined;
mod json;
mod rich;
