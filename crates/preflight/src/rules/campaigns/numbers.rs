//! The numbers that a campaign shows: whether they can be called back, and whether they are shown too often.

use std::collections::BTreeSet;

use barometer_dialling::need::CallMix;
use barometer_strategy::dialled;
use serde_json::json;

use super::Outbound;
use crate::finding::Finding;
use crate::rule::Rule;

impl Outbound<'_> {
    pub(super) fn called_back(&self) -> Option<Finding> {
        let numbered =
            self.entries.iter().filter_map(|entry| Some((entry, entry.number.as_ref()?)));
        // Where no entry has a number, numbers are kept elsewhere.
        let (entry, number) = numbered.clone().next()?;
        let has_entry =
            |shown: &&str| numbered.clone().any(|(_, number)| dialled(number) == dialled(shown));
        let mut shown = self.campaign.shown_numbers();
        let name = &self.campaign.name;
        let reason = match (shown.clone().next(), shown.find(|shown| !has_entry(shown))) {
            (None, _) => {
                format!("“{name}” shows no number: people who missed its call cannot call back.")
            }
            (Some(_), Some(shown)) => format!(
                "“{name}” shows {shown}, which no entry has: people who call back reach nobody."
            ),
            (Some(_), None) => return None,
        };
        let further = &self.campaign.further_numbers;
        if has_entry(&self.campaign.caller_number.as_str()) {
            let setting = "/further_numbers";
            let known: Vec<&String> =
                further.iter().filter(|shown| has_entry(&shown.as_str())).collect();
            let edit = self.set(setting, json!(known));
            let finding = self.found(Rule::CannotBeCalledBack, setting, reason);
            return Some(finding.mended_by("Show only numbers that an entry has", edit));
        }
        let setting = "/caller_number";
        let edit = self.set(setting, json!(number));
        let what = format!("Show {number}, the number of “{}”", entry.name);
        Some(self.found(Rule::CannotBeCalledBack, setting, reason).mended_by(what, edit))
    }

    /// More calls in a day than its numbers are good for, at one line for each agent at the least.
    pub(super) fn worn_numbers(&self) -> Option<Finding> {
        let worn = self.campaign.assumed.worn_numbers?;
        let calls = self.calls_a_day()?;
        let numbers = self.campaign.numbers_in_turn();
        let enough = (calls / f64::from(worn.calls_a_day)).ceil();
        if enough <= f64::from(numbers) {
            return None;
        }
        let reason = format!(
            "“{}” makes about {calls:.0} calls a day, and shows {}: from its call {} on a number is worn, and \
             people answer {} times as often. {enough:.0} numbers would do.",
            self.campaign.name,
            if numbers == 1 { "one number".to_owned() } else { format!("{numbers} numbers") },
            worn.calls_a_day + 1,
            worn.answered_factor
        );
        let finding = self.found(Rule::WornNumbers, "/further_numbers", reason);
        let good_for = f64::from(numbers) * f64::from(worn.calls_a_day);
        let a_minute = (good_for / (self.dialling_secs_a_day() / 60.0)).floor();
        if a_minute < 1.0 {
            return Some(finding);
        }
        let slower = self.set("/caps/dials_per_minute", json!(a_minute as u32));
        Some(finding.mended_by(format!("Begin at most {a_minute:.0} calls a minute"), slower))
    }

    /// Seconds in which it dials on a mean day on which it does.
    fn dialling_secs_a_day(&self) -> f64 {
        let hours = self.times.hours().iter();
        let days: BTreeSet<i32> = hours.clone().map(|&(from, _)| self.times.day(from)).collect();
        hours.map(|(from, until)| until - from).sum::<f64>() / days.len().max(1) as f64
    }

    /// Calls of a mean day with one line for each agent on shift, as far as the list and the cap go.
    fn calls_a_day(&self) -> Option<f64> {
        let on_shift = self.on_shift.as_ref().filter(|on_shift| !on_shift.is_empty())?;
        let mix = CallMix::of(self.campaign, None);
        let call_secs = mix.ring_secs + mix.agent_share * mix.agent_secs;
        let agents = on_shift.iter().map(|&people| f64::from(people)).sum::<f64>();
        let agents = agents / on_shift.len() as f64;
        let secs = self.dialling_secs_a_day();
        let people = f64::from(self.campaign.list.people);
        let most = people * f64::from(self.campaign.retries.most_a_day);
        let cap = self.campaign.caps.dials_per_minute;
        let cap = cap.map_or(f64::INFINITY, |dials| f64::from(dials) * secs / 60.0);
        let calls = (agents * secs / call_secs).min(most).min(cap);
        (calls > 0.0).then_some(calls)
    }
}
