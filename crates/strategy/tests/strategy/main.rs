//! Strategies as planners and their files have them.

#![cfg(test)]

mod campaigns;
mod choices;
mod edits;
mod folded;
mod joined;
mod journey;
mod json;
mod numbers;
mod people;
mod rewire;
mod rich;
mod start;
