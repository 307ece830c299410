//! Other kinds of day on which a design must hold too, with targets of their own: a storm day, a day with many people sick.

use barometer_plan::TrialInputs;
use serde::{Deserialize, Serialize};

/// A kind of day beside the trial's own. Its targets are for all its days together.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DayKind {
    /// What planners call it: "Storm day".
    pub name: String,
    /// Contacts, as a share of the trial's: 1.4 where two fifths more come.
    #[serde(default = "one")]
    pub volume: f64,
    /// Share of people who are not there, 0 to 0.9.
    #[serde(default)]
    pub absent_share: f64,
    /// The service level of every contact type, as a share, within the trial's seconds; that of the trial without one.
    #[serde(default)]
    pub service_level: Option<f64>,
    /// The abandonment of every contact type, at most, as a share; that of the trial without one.
    #[serde(default)]
    pub abandonment: Option<f64>,
}

const fn one() -> f64 {
    1.0
}

impl DayKind {
    /// A trial on such a day: other contacts, and in each interval as many people fewer as the share comes to, rounded.
    pub fn trial(&self, usual: &TrialInputs) -> TrialInputs {
        let mut inputs = usual.clone();
        inputs.scale_volume(self.volume);
        for people in inputs.teams.iter_mut().flat_map(|team| &mut team.agents) {
            let absent = (f64::from(*people) * self.absent_share).round();
            *people = people.saturating_sub(absent as u32);
        }
        inputs
    }

    /// Each number with what it is and the range that it must be in; nothing for a number that was not given.
    pub(crate) fn numbers(
        &self,
    ) -> [(&'static str, std::ops::RangeInclusive<f64>, Option<f64>); 4] {
        [
            ("contacts as a share of the trial’s", 0.1..=10.0, Some(self.volume)),
            ("share of people who are not there", 0.0..=0.9, Some(self.absent_share)),
            ("service level as a share", 0.0..=0.999, self.service_level),
            ("abandonment as a share", 0.0..=1.0, self.abandonment),
        ]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::question::{Question, QuestionError};

    fn storm() -> DayKind {
        DayKind {
            name: "Storm day".to_owned(),
            volume: 1.5,
            absent_share: 0.3,
            service_level: None,
            abandonment: None,
        }
    }

    fn trial(agents: Vec<u32>) -> TrialInputs {
        let team = "team".to_owned();
        TrialInputs {
            strategy: barometer_strategy::Strategy::plain("Bookings"),
            start: "2026-11-28T08:00:00Z".parse().unwrap(),
            zone: "UTC".to_owned(),
            interval_secs: 1800.0,
            types: Vec::new(),
            teams: vec![barometer_plan::TrialTeam { team, agents, occupancy: None }],
            precision: None,
            replications: 20,
            seed: 1,
        }
    }

    #[test]
    fn a_share_of_people_is_missing_rounded_and_one_more_is_never_fewer() {
        let there = storm().trial(&trial((0..8).collect())).teams[0].agents.clone();
        assert_eq!(there, [0, 1, 1, 2, 3, 3, 4, 5]);
        let all = DayKind { absent_share: 0.9, ..storm() }.trial(&trial((0..200).collect()));
        assert!(all.teams[0].agents.is_sorted());
    }

    #[test]
    fn numbers_out_of_range_are_refused_with_the_day_that_they_belong_to() {
        let refused = |kind: DayKind| {
            let day_kinds = vec![kind];
            let question = Question { day_kinds, ..Question::about(trial(vec![3, 3])) };
            match question.check() {
                Err(QuestionError::BadNumber { what, .. }) => what,
                other => panic!("{other:?}"),
            }
        };
        let said = refused(DayKind { volume: 0.0, ..storm() });
        assert_eq!(said, "contacts as a share of the trial’s on “Storm day”");
        let said = refused(DayKind { absent_share: 0.95, ..storm() });
        assert_eq!(said, "share of people who are not there on “Storm day”");
        let said = refused(DayKind { service_level: Some(1.0), ..storm() });
        assert_eq!(said, "service level as a share on “Storm day”");
        let said = refused(DayKind { abandonment: Some(f64::NAN), ..storm() });
        assert_eq!(said, "abandonment as a share on “Storm day”");
    }
}
