//! The engine as a whole: against exact theory, setting by setting, and by laws that always hold.

#![cfg(test)]

mod fixture;
mod golden;
mod laws;
mod live;
mod offers;
mod outbound;
mod outbound_answers;
mod outbound_replay;
mod settings;
mod theory;
