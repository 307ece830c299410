//! Preflight: what is wrong with a strategy, found without running it.
//!
//! A strategy without [`faults`](barometer_strategy::Strategy::faults) can be played, and can still lose
//! callers: timers that do not add up, queues that nobody answers, exits that lead back. Each such mistake
//! is a [`Rule`]; [`preflight`] gives a [`Finding`] for every place where one is broken, with the reason in
//! the planner's own numbers ([`Premises`]: who comes, who is on shift, how patient callers are), how many
//! contacts it touches where that can be said, and repairs that are edits like any other.
//!
//! What routing would do is asked of routing: opening hours and members are those of the compiled
//! strategy, and ring timers are those of a walked contact.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod finding;
mod ground;
mod now;
mod premises;
mod rule;
mod rules;
mod traffic;

pub use finding::{Finding, Repair};
pub use now::{CampaignNow, RankNow, Recorded, StepNow, campaigns_now, recorded, steps_now};
pub use premises::{ContactTypePremise, Premises, TeamPremise, outlasts};
pub use rule::{Rule, Severity};

use barometer_strategy::Strategy;
use ground::Ground;

/// Everything that is wrong with a strategy that can be played: the worst first, then in the order of its
/// parts. Empty for a sound one, and for one that has faults: those come first.
pub fn preflight(strategy: &Strategy, premises: &Premises) -> Vec<Finding> {
    let Some(ground) = Ground::of(strategy, premises) else { return Vec::new() };
    let mut findings = rules::all(&ground);
    for finding in &mut findings {
        // A repair is offered only if it leads to a strategy that can be played.
        finding.repairs.retain(|repair| repair.edit.apply(strategy).is_ok());
    }
    let place = |finding: &Finding| finding.part.find(strategy).unwrap_or(usize::MAX);
    findings.sort_by(|a, b| {
        let worst = b.rule.severity().cmp(&a.rule.severity());
        let dearest = b.contacts.unwrap_or(0.0).total_cmp(&a.contacts.unwrap_or(0.0));
        worst.then(dearest).then(place(a).cmp(&place(b)))
    });
    findings
}
