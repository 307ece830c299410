//! What a rule finds.

use barometer_strategy::{Edit, PartId};
use serde::Serialize;

use crate::rule::Rule;

/// A place where a rule is broken.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Finding {
    /// Which rule.
    pub rule: Rule,
    /// Where.
    pub part: PartId,
    /// The setting, as a JSON pointer within the part; `None` where it is no single one.
    pub setting: Option<String>,
    /// Why, in the planner's own numbers.
    pub reason: String,
    /// Contacts of the premises' period that it touches, where that can be said.
    pub contacts: Option<f64>,
    /// What would mend it, the best first.
    pub repairs: Vec<Repair>,
}

/// An edit that mends a finding.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Repair {
    /// What it does: "Set the group limit to 64 s".
    pub what: String,
    /// The edit.
    pub edit: Edit,
}

impl Finding {
    /// A key by which a finding is known from one version to the next: its rule, part and setting.
    pub fn key(&self) -> String {
        let setting = self.setting.as_deref().unwrap_or("");
        format!("{}@{}{setting}", self.rule.code(), self.part)
    }
}
