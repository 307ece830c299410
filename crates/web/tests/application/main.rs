//! The whole application, from request to response, on a real database.

#![cfg(test)]

mod access;
mod archiving;
mod bad_input;
mod boards;
mod change_sheets;
mod demand;
mod drafts;
mod editing;
mod holding;
mod importing;
mod interface;
mod lists;
mod live;
mod operator;
mod outbox;
mod planning;
mod reporting;
mod rostering;
mod searching;
mod second_factor;
mod sent_twice;
mod staffing;
mod strategy_stage;
mod trail;
mod trying;
mod visitor;
mod whole_centre;
