//! What the strategy's labels can tell of a caller.

use barometer_strategy::{Condition, Profile};

use crate::compiled::{CompiledStrategy, number_matches};

/// Which of the strategy's conditions on callers this one meets, in their order.
pub(crate) fn conditions_met(strategy: &CompiledStrategy, caller: &Profile) -> Vec<bool> {
    let is_met = |condition: &Condition| match condition {
        Condition::CallerNumber(pattern) => number_matches(pattern, &caller.number),
        Condition::Attribute { name, value } => caller.attributes.get(name) == Some(value),
        Condition::Language(language) => caller.language == *language,
        // These depend on more than the caller, and are no conditions of this kind.
        Condition::Time(_) | Condition::Share(_) => false,
    };
    strategy.caller_conditions.iter().map(is_met).collect()
}
