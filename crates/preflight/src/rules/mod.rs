//! The rules as functions, by subject: each looks at the ground and gives what it finds.

mod aftermath;
mod campaigns;
mod hours;
mod limits;
mod numbers;
mod people;
mod ringing;
mod shape;
mod staffing;

use barometer_strategy::{Edit, PartId};
use serde_json::Value;

use crate::finding::{Finding, Repair};
use crate::ground::Ground;
use crate::rule::Rule;

/// Everything that all rules find.
pub(crate) fn all(ground: &Ground<'_>) -> Vec<Finding> {
    let subjects: [fn(&Ground<'_>) -> Vec<Finding>; 9] = [
        shape::find,
        limits::find,
        ringing::find,
        staffing::find,
        people::find,
        hours::find,
        aftermath::find,
        campaigns::find,
        numbers::find,
    ];
    subjects.iter().flat_map(|find| find(ground)).collect()
}

fn found(rule: Rule, part: PartId, setting: Option<String>, reason: String) -> Finding {
    Finding { rule, part, setting, reason, contacts: None, repairs: Vec::new() }
}

impl Finding {
    fn touching(mut self, contacts: f64) -> Self {
        self.contacts = (contacts > 0.0).then_some(contacts);
        self
    }

    fn mended_by(mut self, what: impl Into<String>, edit: Edit) -> Self {
        self.repairs.push(Repair { what: what.into(), edit });
        self
    }
}

fn set(part: &PartId, setting: &str, to: Value) -> Edit {
    Edit::Set { part: part.clone(), setting: setting.to_owned(), to }
}

/// Seconds as people write them.
fn secs(secs: f64) -> String {
    let tenths = (secs * 10.0).round() / 10.0;
    if tenths.fract() == 0.0 { format!("{tenths:.0} s") } else { format!("{tenths:.1} s") }
}

/// A count of contacts as people write it.
fn contacts(count: f64) -> String {
    match count {
        count if count < 1.0 => "fewer than one contact".to_owned(),
        count if count < 1.5 => "1 contact".to_owned(),
        count if count < 10_000.0 => format!("{count:.0} contacts"),
        count => format!("{},{:03} contacts", (count / 1000.0) as u64, count as u64 % 1000),
    }
}

/// A share in whole per cent.
fn percent(share: f64) -> String {
    match share * 100.0 {
        percent if percent > 0.0 && percent < 1.0 => "under 1 %".to_owned(),
        percent => format!("{percent:.0} %"),
    }
}
