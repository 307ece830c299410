//! What a day, an interval or a part of it came to, from sums over replications.

use serde::{Deserialize, Serialize};

use super::estimate::{Estimate, Pair};
use crate::observers::{AgentTally, LabelTally, ServicePointTally, TeamTally, TypeTally};

/// What contacts came to. A measure without any contact or any staff to take it from is `None`.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Measures {
    /// Contacts per replication.
    pub offered: Estimate,
    /// Contacts answered per replication.
    pub answered: Estimate,
    /// Answered within the threshold / offered.
    pub service_level: Option<Estimate>,
    /// Abandoned / offered.
    pub abandonment: Option<Estimate>,
    /// Sent to voicemail / offered.
    pub to_voicemail: Option<Estimate>,
    /// Released after a message / offered.
    pub released: Option<Estimate>,
    /// Got the busy tone / offered.
    #[serde(default)]
    pub blocked: Option<Estimate>,
    /// Handed to an outside number / offered.
    #[serde(default)]
    pub outside: Option<Estimate>,
    /// Settled by an assistant / offered.
    #[serde(default)]
    pub contained: Option<Estimate>,
    /// Called back and reached / offered.
    #[serde(default)]
    pub called_back: Option<Estimate>,
    /// Promised a callback and not reached / offered.
    #[serde(default)]
    pub callback_failed: Option<Estimate>,
    /// Still waiting at the end / offered.
    pub left_waiting: Option<Estimate>,
    /// Mean wait of the answered in seconds.
    pub answer_secs: Option<Estimate>,
    /// Mean time from the promise to the callback in seconds.
    #[serde(default)]
    pub callback_secs: Option<Estimate>,
    /// Handling time / time of people present; of all teams together only.
    pub occupancy: Option<Estimate>,
    /// Seconds of waiting of everybody, per replication.
    pub wait_secs: Estimate,
    /// Answered within the threshold per replication.
    pub answered_in_time: Estimate,
    /// Abandoned per replication.
    pub abandoned: Estimate,
    /// Of the offered, customers who had tried before, per replication.
    #[serde(default = "nothing")]
    pub again: Estimate,
    /// Of the answered, cut off when their agent left, per replication.
    #[serde(default = "nothing")]
    pub cut_off: Estimate,
}

const fn nothing() -> Estimate {
    Estimate::NOTHING
}

/// What a queue or hunt group came to.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct ServicePointMeasures {
    /// Contacts sent here, per replication.
    pub entered: Estimate,
    /// Answered here, per replication.
    pub answered: Estimate,
    /// Answered within the threshold / entered.
    pub service_level: Option<Estimate>,
    /// Abandoned here / entered.
    pub abandonment: Option<Estimate>,
    /// Left because it was full / entered.
    pub full: Option<Estimate>,
    /// Left after the longest wait / entered.
    pub too_long: Option<Estimate>,
    /// Left because nobody was at work / entered.
    pub no_staff: Option<Estimate>,
    /// Left because nobody answered / entered.
    pub no_answer: Option<Estimate>,
    /// Accepted a callback / entered.
    pub callbacks: Option<Estimate>,
    /// Mean seconds spent here by those who entered.
    pub wait_secs: Option<Estimate>,
    /// Contacts here at any moment, on average.
    pub length: Estimate,
    /// Offers for each contact answered.
    pub offers: Option<Estimate>,
}

/// What a team came to.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct TeamMeasures {
    /// Contacts answered, per replication.
    pub answered: Estimate,
    /// Handling time / time at work.
    pub occupancy: Option<Estimate>,
    /// Ringing time / time at work.
    pub ringing: Option<Estimate>,
    /// Hours at work per replication, each counted for every contact that could be held.
    pub staffed_hours: Estimate,
}

/// What an agent came to.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct AgentMeasures {
    /// Contacts answered, per replication.
    pub answered: Estimate,
    /// Handling time / time at work.
    pub occupancy: Option<Estimate>,
    /// Ringing time / time at work.
    pub ringing: Option<Estimate>,
    /// Offers per replication, answered or not.
    pub offers: Estimate,
    /// Hours at work per replication.
    pub staffed_hours: Estimate,
}

/// What contacts with a label came to.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LabelMeasures {
    /// Contacts per replication.
    pub contacts: Estimate,
    /// Answered within the threshold / contacts.
    pub service_level: Option<Estimate>,
    /// Abandoned / contacts.
    pub abandonment: Option<Estimate>,
    /// Mean wait of the answered in seconds.
    pub answer_secs: Option<Estimate>,
}

impl Measures {
    /// All measures by their names in files, units included; shares are 0..=1.
    pub fn named(&self) -> Vec<(&'static str, Option<Estimate>)> {
        vec![
            ("offered", Some(self.offered)),
            ("offered_again", Some(self.again)),
            ("answered", Some(self.answered)),
            ("answered_in_time", Some(self.answered_in_time)),
            ("abandoned", Some(self.abandoned)),
            ("cut_off", Some(self.cut_off)),
            ("service_level_share", self.service_level),
            ("abandonment_share", self.abandonment),
            ("to_voicemail_share", self.to_voicemail),
            ("released_share", self.released),
            ("blocked_share", self.blocked),
            ("outside_share", self.outside),
            ("contained_share", self.contained),
            ("called_back_share", self.called_back),
            ("callback_failed_share", self.callback_failed),
            ("left_waiting_share", self.left_waiting),
            ("answer_secs", self.answer_secs),
            ("callback_secs", self.callback_secs),
            ("occupancy_share", self.occupancy),
            ("wait_secs_in_all", Some(self.wait_secs)),
        ]
    }
}

impl ServicePointMeasures {
    /// All measures by their names in files, units included; shares are 0..=1.
    pub fn named(&self) -> Vec<(&'static str, Option<Estimate>)> {
        vec![
            ("entered", Some(self.entered)),
            ("answered", Some(self.answered)),
            ("service_level_share", self.service_level),
            ("abandonment_share", self.abandonment),
            ("full_share", self.full),
            ("too_long_share", self.too_long),
            ("no_staff_share", self.no_staff),
            ("no_answer_share", self.no_answer),
            ("callback_share", self.callbacks),
            ("wait_secs", self.wait_secs),
            ("mean_length", Some(self.length)),
            ("offers_per_answer", self.offers),
        ]
    }
}

impl TeamMeasures {
    /// All measures by their names in files, units included; shares are 0..=1.
    pub fn named(&self) -> Vec<(&'static str, Option<Estimate>)> {
        vec![
            ("answered", Some(self.answered)),
            ("occupancy_share", self.occupancy),
            ("ringing_share", self.ringing),
            ("staffed_hours", Some(self.staffed_hours)),
        ]
    }
}

impl AgentMeasures {
    /// All measures by their names in files, units included; shares are 0..=1.
    pub fn named(&self) -> Vec<(&'static str, Option<Estimate>)> {
        vec![
            ("answered", Some(self.answered)),
            ("offers", Some(self.offers)),
            ("occupancy_share", self.occupancy),
            ("ringing_share", self.ringing),
            ("staffed_hours", Some(self.staffed_hours)),
        ]
    }
}

impl LabelMeasures {
    /// All measures by their names in files, units included; shares are 0..=1.
    pub fn named(&self) -> Vec<(&'static str, Option<Estimate>)> {
        vec![
            ("contacts", Some(self.contacts)),
            ("service_level_share", self.service_level),
            ("abandonment_share", self.abandonment),
            ("answer_secs", self.answer_secs),
        ]
    }
}

/// A tally whose replications are summed up: pairs of numerator and denominator, and the measures
/// that follow from their sums. Both name the pairs in the same order.
pub(crate) trait Tallied {
    type Measures;
    /// How many pairs there are.
    const WIDTH: usize;
    fn pairs(&self) -> impl Iterator<Item = (f64, f64)>;
    fn measures(sums: &mut Sums<'_>) -> Self::Measures;
}

/// Sums of pairs, read one by one.
pub(crate) struct Sums<'a> {
    pub pairs: std::slice::Iter<'a, Pair>,
    pub replications: u32,
    pub interval_secs: f64,
}

impl Sums<'_> {
    fn mean(&mut self) -> Estimate {
        self.pairs.next().map_or(Estimate::NOTHING, |pair| pair.mean(self.replications))
    }

    fn ratio(&mut self) -> Option<Estimate> {
        self.pairs.next()?.ratio(self.replications)
    }
}

/// Contacts with the time of those who answer them; no team where contacts of one type are meant.
pub(crate) struct Whole(pub TypeTally, pub TeamTally);

impl Tallied for Whole {
    type Measures = Measures;
    const WIDTH: usize = 20;

    fn pairs(&self) -> impl Iterator<Item = (f64, f64)> {
        let Self(tally, team) = self;
        [
            (tally.offered, 1.0),
            (tally.answered, 1.0),
            (tally.answered_in_time, tally.offered),
            (tally.abandoned, tally.offered),
            (tally.to_voicemail, tally.offered),
            (tally.released, tally.offered),
            (tally.blocked, tally.offered),
            (tally.outside, tally.offered),
            (tally.contained, tally.offered),
            (tally.called_back, tally.offered),
            (tally.callback_failed, tally.offered),
            (tally.left_waiting, tally.offered),
            (tally.answer_wait_secs, tally.answered),
            (tally.callback_secs, tally.called_back),
            (team.busy_secs, team.staffed_secs),
            (tally.wait_secs, 1.0),
            (tally.answered_in_time, 1.0),
            (tally.abandoned, 1.0),
            (tally.again, 1.0),
            (tally.cut_off, 1.0),
        ]
        .into_iter()
    }

    fn measures(sums: &mut Sums<'_>) -> Measures {
        Measures {
            offered: sums.mean(),
            answered: sums.mean(),
            service_level: sums.ratio(),
            abandonment: sums.ratio(),
            to_voicemail: sums.ratio(),
            released: sums.ratio(),
            blocked: sums.ratio(),
            outside: sums.ratio(),
            contained: sums.ratio(),
            called_back: sums.ratio(),
            callback_failed: sums.ratio(),
            left_waiting: sums.ratio(),
            answer_secs: sums.ratio(),
            callback_secs: sums.ratio(),
            occupancy: sums.ratio(),
            wait_secs: sums.mean(),
            answered_in_time: sums.mean(),
            abandoned: sums.mean(),
            again: sums.mean(),
            cut_off: sums.mean(),
        }
    }
}

impl Tallied for ServicePointTally {
    type Measures = ServicePointMeasures;
    const WIDTH: usize = 12;

    fn pairs(&self) -> impl Iterator<Item = (f64, f64)> {
        let entered = self.entered;
        [
            (entered, 1.0),
            (self.answered, 1.0),
            (self.answered_in_time, entered),
            (self.abandoned, entered),
            (self.full, entered),
            (self.too_long, entered),
            (self.no_staff, entered),
            (self.no_answer, entered),
            (self.callbacks, entered),
            (self.wait_secs, entered),
            (self.wait_secs, 1.0),
            (self.offers, self.answered),
        ]
        .into_iter()
    }

    fn measures(sums: &mut Sums<'_>) -> ServicePointMeasures {
        ServicePointMeasures {
            entered: sums.mean(),
            answered: sums.mean(),
            service_level: sums.ratio(),
            abandonment: sums.ratio(),
            full: sums.ratio(),
            too_long: sums.ratio(),
            no_staff: sums.ratio(),
            no_answer: sums.ratio(),
            callbacks: sums.ratio(),
            wait_secs: sums.ratio(),
            // Little's law: the time that contacts spend here, over the time that passes.
            length: sums.mean().scaled(1.0 / sums.interval_secs),
            offers: sums.ratio(),
        }
    }
}

const HOUR_SECS: f64 = 3600.0;

impl Tallied for TeamTally {
    type Measures = TeamMeasures;
    const WIDTH: usize = 4;

    fn pairs(&self) -> impl Iterator<Item = (f64, f64)> {
        [
            (self.answered, 1.0),
            (self.busy_secs, self.staffed_secs),
            (self.ringing_secs, self.staffed_secs),
            (self.staffed_secs, 1.0),
        ]
        .into_iter()
    }

    fn measures(sums: &mut Sums<'_>) -> TeamMeasures {
        TeamMeasures {
            answered: sums.mean(),
            occupancy: sums.ratio(),
            ringing: sums.ratio(),
            staffed_hours: sums.mean().scaled(1.0 / HOUR_SECS),
        }
    }
}

impl Tallied for AgentTally {
    type Measures = AgentMeasures;
    const WIDTH: usize = 5;

    fn pairs(&self) -> impl Iterator<Item = (f64, f64)> {
        [
            (self.answered, 1.0),
            (self.busy_secs, self.staffed_secs),
            (self.ringing_secs, self.staffed_secs),
            (self.offers, 1.0),
            (self.staffed_secs, 1.0),
        ]
        .into_iter()
    }

    fn measures(sums: &mut Sums<'_>) -> AgentMeasures {
        AgentMeasures {
            answered: sums.mean(),
            occupancy: sums.ratio(),
            ringing: sums.ratio(),
            offers: sums.mean(),
            staffed_hours: sums.mean().scaled(1.0 / HOUR_SECS),
        }
    }
}

impl Tallied for LabelTally {
    type Measures = LabelMeasures;
    const WIDTH: usize = 4;

    fn pairs(&self) -> impl Iterator<Item = (f64, f64)> {
        [
            (self.contacts, 1.0),
            (self.answered_in_time, self.contacts),
            (self.abandoned, self.contacts),
            (self.wait_secs, self.answered),
        ]
        .into_iter()
    }

    fn measures(sums: &mut Sums<'_>) -> LabelMeasures {
        LabelMeasures {
            contacts: sums.mean(),
            service_level: sums.ratio(),
            abandonment: sums.ratio(),
            answer_secs: sums.ratio(),
        }
    }
}

/// A way from step to step: contacts that took it, per replication.
pub(crate) struct Flow(pub f64);

impl Tallied for Flow {
    type Measures = Estimate;
    const WIDTH: usize = 1;

    fn pairs(&self) -> impl Iterator<Item = (f64, f64)> {
        std::iter::once((self.0, 1.0))
    }

    fn measures(sums: &mut Sums<'_>) -> Estimate {
        sums.mean()
    }
}
