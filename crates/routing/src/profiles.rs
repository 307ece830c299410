//! What the strategy can tell of a caller: which conditions of labels are met, and whether the number is blocked.

use barometer_strategy::{Condition, Profile};

use crate::compiled::{CompiledStrategy, ContactType, number_matches};

/// What is known of a caller who comes in at an entry.
#[derive(Clone, Debug)]
pub(crate) struct Recognised {
    /// Which of the strategy's conditions on callers are met, in their order.
    pub met: Vec<bool>,
    /// Whether the entry does not take calls of this number.
    pub is_blocked: bool,
}

impl Recognised {
    /// A caller, or somebody of whom nothing is known, who comes in as contacts of a type do.
    pub fn of(
        strategy: &CompiledStrategy,
        of_type: &ContactType,
        caller: Option<&Profile>,
    ) -> Self {
        let language = of_type.language.as_deref().or(caller.map(|caller| &*caller.language));
        let is_met = |condition: &Condition| match condition {
            Condition::CallerNumber(pattern) => {
                caller.is_some_and(|caller| number_matches(pattern, &caller.number))
            }
            Condition::Attribute { name, value } => {
                caller.is_some_and(|caller| caller.attributes.get(name) == Some(value))
            }
            Condition::Language(wanted) => language == Some(wanted),
            // These depend on more than the caller, and are no conditions of this kind.
            Condition::Time(_) | Condition::Share(_) => false,
        };
        let is_blocked = caller.is_some_and(|caller| {
            let patterns = of_type.blocked.iter().flat_map(|(patterns, _)| patterns);
            patterns.into_iter().any(|pattern| number_matches(pattern, &caller.number))
        });
        Self { met: strategy.caller_conditions.iter().map(is_met).collect(), is_blocked }
    }
}
