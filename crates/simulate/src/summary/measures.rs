//! What a day, an interval or a part of it came to, from sums over replications.
//!
//! Each measure is defined once, in the tables below: its field, its name in files with its unit, and
//! the pair of sums that it is taken from. Sums, measures and files follow from the tables.

use serde::{Deserialize, Serialize};

use super::estimate::{Estimate, Pair};
use crate::observers::{
    AgentTally, CampaignTally, LabelTally, ServicePointTally, TeamTally, TypeTally,
};

/// A tally whose replications are summed up: pairs of numerator and denominator, and the measures
/// that follow from their sums.
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

const HOUR_SECS: f64 = 3600.0;

impl Sums<'_> {
    /// The mean of a count or a sum per replication.
    fn mean(&mut self) -> Estimate {
        self.pairs.next().map_or(Estimate::NOTHING, |pair| pair.mean(self.replications))
    }

    /// A sum over another; `None` where the other is nothing.
    fn ratio(&mut self) -> Option<Estimate> {
        self.pairs.next()?.ratio(self.replications)
    }

    /// A sum of seconds per replication, in hours.
    fn hours(&mut self) -> Estimate {
        self.mean().scaled(1.0 / HOUR_SECS)
    }

    /// A sum of seconds over the time that passes: how many there are at any moment (Little's law).
    fn at_any_moment(&mut self) -> Estimate {
        self.mean().scaled(1.0 / self.interval_secs)
    }
}

/// The place of a measure in its table, by its name in files.
#[expect(clippy::panic, reason = "it is asked while this is compiled")]
pub(crate) const fn place_of(names: &[&str], wanted: &str) -> usize {
    let (mut place, wanted) = (0, wanted.as_bytes());
    while place < names.len() {
        let name = names[place].as_bytes();
        let mut same = if name.len() == wanted.len() { 0 } else { usize::MAX };
        while same < wanted.len() && name[same] == wanted[same] {
            same += 1;
        }
        if same == wanted.len() {
            return place;
        }
        place += 1;
    }
    panic!("there is no measure of this name")
}

/// Defines measures: `field: kind(numerator, denominator) as "name in files"`.
macro_rules! measures {
    (
        $(#[$doc:meta])*
        pub struct $measures:ident from $tallied:ty, as ($tally:pat) {
            $($(#[$of:meta])* $field:ident: $kind:ident($top:expr, $bottom:expr) as $name:literal,)+
        }
    ) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
        pub struct $measures {
            $($(#[$of])* #[serde(default)] pub $field: measures!(@type $kind),)+
        }

        impl $measures {
            /// The names in files of all measures, units included.
            pub const NAMES: &[&str] = &[$($name),+];

            /// All measures by their names in files; shares are 0..=1.
            pub fn named(&self) -> Vec<(&'static str, Option<Estimate>)> {
                vec![$(($name, measures!(@named $kind self.$field))),+]
            }
        }

        impl Tallied for $tallied {
            type Measures = $measures;
            const WIDTH: usize = $measures::NAMES.len();

            fn pairs(&self) -> impl Iterator<Item = (f64, f64)> {
                let $tally = self;
                [$(($top, $bottom)),+].into_iter()
            }

            fn measures(sums: &mut Sums<'_>) -> $measures {
                $measures { $($field: sums.$kind(),)+ }
            }
        }
    };
    (@type ratio) => { Option<Estimate> };
    (@type $kind:ident) => { Estimate };
    (@named ratio $field:expr) => { $field };
    (@named $kind:ident $field:expr) => { Some($field) };
}

/// Contacts with the time of those who answer them; no team where contacts of one type are meant.
pub(crate) struct Whole(pub TypeTally, pub TeamTally);

measures! {
    /// Results of contacts. A measure without any contact or any staff to take it from is `None`.
    pub struct Measures from Whole, as (Whole(tally, team)) {
        /// Contacts per replication.
        offered: mean(tally.offered, 1.0) as "offered",
        /// Of the offered, customers who had tried before, per replication.
        again: mean(tally.again, 1.0) as "offered_again",
        /// Contacts answered per replication.
        answered: mean(tally.answered, 1.0) as "answered",
        /// Answered within the threshold per replication.
        answered_in_time: mean(tally.answered_in_time, 1.0) as "answered_in_time",
        /// Abandoned per replication.
        abandoned: mean(tally.abandoned, 1.0) as "abandoned",
        /// Of the answered, cut off when their agent left, per replication.
        cut_off: mean(tally.cut_off, 1.0) as "cut_off",
        /// Answered within the threshold / offered.
        service_level: ratio(tally.answered_in_time, tally.offered) as "service_level_share",
        /// Abandoned / offered.
        abandonment: ratio(tally.abandoned, tally.offered) as "abandonment_share",
        /// Sent to voicemail / offered.
        to_voicemail: ratio(tally.to_voicemail, tally.offered) as "to_voicemail_share",
        /// Released after a message / offered.
        released: ratio(tally.released, tally.offered) as "released_share",
        /// Got the busy tone / offered.
        blocked: ratio(tally.blocked, tally.offered) as "blocked_share",
        /// Handed to an outside number / offered.
        outside: ratio(tally.outside, tally.offered) as "outside_share",
        /// Settled by an assistant / offered.
        contained: ratio(tally.contained, tally.offered) as "contained_share",
        /// Called back and reached / offered.
        called_back: ratio(tally.called_back, tally.offered) as "called_back_share",
        /// Promised a callback and not reached / offered.
        callback_failed: ratio(tally.callback_failed, tally.offered) as "callback_failed_share",
        /// Still waiting at the end / offered.
        left_waiting: ratio(tally.left_waiting, tally.offered) as "left_waiting_share",
        /// Mean wait of the answered in seconds.
        answer_secs: ratio(tally.answer_wait_secs, tally.answered) as "answer_secs",
        /// Mean wait of those who abandoned in seconds.
        abandon_secs: ratio(tally.abandon_wait_secs, tally.abandoned) as "abandon_secs",
        /// Mean time from the promise to the callback in seconds.
        callback_secs: ratio(tally.callback_secs, tally.called_back) as "callback_secs",
        /// Handling time / time of people on shift; of all teams together only.
        occupancy: ratio(team.busy_secs, team.staffed_secs) as "occupancy_share",
        /// Seconds of waiting of everybody, per replication.
        wait_secs: mean(tally.wait_secs, 1.0) as "wait_secs_in_all",
    }
}

measures! {
    /// Results of a queue or hunt group.
    pub struct ServicePointMeasures from ServicePointTally, as (tally) {
        /// Contacts sent here, per replication.
        entered: mean(tally.entered, 1.0) as "entered",
        /// Answered here, per replication.
        answered: mean(tally.answered, 1.0) as "answered",
        /// Answered within the threshold / entered.
        service_level: ratio(tally.answered_in_time, tally.entered) as "service_level_share",
        /// Abandoned here / entered.
        abandonment: ratio(tally.abandoned, tally.entered) as "abandonment_share",
        /// Left because it was full / entered.
        full: ratio(tally.full, tally.entered) as "full_share",
        /// Left after the longest wait / entered.
        too_long: ratio(tally.too_long, tally.entered) as "too_long_share",
        /// Left because nobody was on shift / entered.
        no_staff: ratio(tally.no_staff, tally.entered) as "no_staff_share",
        /// Left because nobody answered / entered.
        no_answer: ratio(tally.no_answer, tally.entered) as "no_answer_share",
        /// Accepted a callback / entered.
        callbacks: ratio(tally.callbacks, tally.entered) as "callback_share",
        /// Mean seconds spent here by those who entered.
        wait_secs: ratio(tally.wait_secs, tally.entered) as "wait_secs",
        /// Contacts here at any moment, on average.
        length: at_any_moment(tally.wait_secs, 1.0) as "mean_length",
        /// Offers for each contact answered.
        offers: ratio(tally.offers, tally.answered) as "offers_per_answer",
    }
}

measures! {
    /// Results of a team.
    pub struct TeamMeasures from TeamTally, as (tally) {
        /// Contacts answered, per replication.
        answered: mean(tally.answered, 1.0) as "answered",
        /// Handling time / time on shift, each contact as a share of what an agent can hold.
        occupancy: ratio(tally.busy_secs, tally.staffed_secs) as "occupancy_share",
        /// Time with at least one contact / time on shift.
        engaged: ratio(tally.engaged_secs, tally.staffed_secs) as "busy_share",
        /// Ringing time / time on shift.
        ringing: ratio(tally.ringing_secs, tally.staffed_secs) as "ringing_share",
        /// Hours on shift per replication, each counted for every contact that could be held.
        staffed_hours: hours(tally.staffed_secs, 1.0) as "staffed_hours",
    }
}

measures! {
    /// Results of an agent.
    pub struct AgentMeasures from AgentTally, as (tally) {
        /// Contacts answered, per replication.
        answered: mean(tally.answered, 1.0) as "answered",
        /// Offers per replication, answered or not.
        offers: mean(tally.offers, 1.0) as "offers",
        /// Handling time / time on shift, each contact as a share of what the agent can hold.
        occupancy: ratio(tally.busy_secs, tally.staffed_secs) as "occupancy_share",
        /// Time with at least one contact / time on shift.
        engaged: ratio(tally.engaged_secs, tally.staffed_secs) as "busy_share",
        /// Ringing time / time on shift.
        ringing: ratio(tally.ringing_secs, tally.staffed_secs) as "ringing_share",
        /// Hours on shift per replication.
        staffed_hours: hours(tally.staffed_secs, 1.0) as "staffed_hours",
    }
}

measures! {
    /// Results of contacts with a label.
    pub struct LabelMeasures from LabelTally, as (tally) {
        /// Contacts per replication.
        contacts: mean(tally.contacts, 1.0) as "contacts",
        /// Answered within the threshold / contacts.
        service_level: ratio(tally.answered_in_time, tally.contacts) as "service_level_share",
        /// Abandoned / contacts.
        abandonment: ratio(tally.abandoned, tally.contacts) as "abandonment_share",
        /// Mean wait of the answered in seconds.
        answer_secs: ratio(tally.wait_secs, tally.answered) as "answer_secs",
    }
}

measures! {
    /// Results of a campaign.
    pub struct CampaignMeasures from CampaignTally, as (tally) {
        /// Calls dialled, per replication.
        dials: mean(tally.dials, 1.0) as "dials",
        /// Calls that a person answered, per replication.
        people: mean(tally.people, 1.0) as "answered_by_people",
        /// Conversations with people, per replication.
        conversations: mean(tally.conversations, 1.0) as "conversations",
        /// Calls that a person answered and no agent was connected for in time, per replication.
        abandoned: mean(tally.abandoned, 1.0) as "abandoned",
        /// Calls that a person answered and that were taken for a machine's, per replication.
        lost_to_detection: mean(tally.lost_to_detection, 1.0) as "lost_to_detection",
        /// Abandoned and taken for machines / answered by people.
        abandoned_share: ratio(tally.abandoned + tally.lost_to_detection, tally.people) as "abandoned_share",
        /// Dates over the ceiling / dates with calls that people answered.
        dates_over: ratio(tally.dates_over, tally.dates) as "dates_over_ceiling_share",
        /// Calls that a person answered / calls dialled.
        answered_share: ratio(tally.people, tally.dials) as "answered_share",
        /// Calls that a machine answered / calls dialled.
        machine_share: ratio(tally.machines, tally.dials) as "machine_share",
        /// Machines that reached an agent, per replication.
        machines_to_agents: mean(tally.machines_to_agents, 1.0) as "machines_to_agents",
        /// Talk and wrap-up / time of agents on shift while it dialled.
        utilisation: ratio(tally.talking_secs + tally.wrapping_up_secs, tally.on_shift_secs) as "utilisation_share",
        /// Free time / time of agents on shift while it dialled.
        free: ratio(tally.free_secs, tally.on_shift_secs) as "free_share",
        /// Looking at whom to call / time of agents on shift while it dialled.
        looking: ratio(tally.looking_secs, tally.on_shift_secs) as "looking_share",
        /// Kept for a line that rang / time of agents on shift while it dialled.
        kept: ratio(tally.kept_secs, tally.on_shift_secs) as "kept_share",
        /// Conversations for each hour of an agent on shift while it dialled.
        per_agent_hour: ratio(3600.0 * tally.conversations, tally.on_shift_secs) as "conversations_per_agent_hour",
        /// Seconds that an agent is free for each conversation.
        wait_secs: ratio(tally.free_secs, tally.conversations) as "agent_wait_secs",
        /// Hours of agents on shift while it dialled, per replication.
        agent_hours: hours(tally.on_shift_secs, 1.0) as "agent_hours",
        /// Lines in use while it dialled, on average.
        lines: ratio(tally.line_secs, tally.dialling_secs) as "mean_lines",
        /// People who are still to be called at the end.
        left: mean(tally.left, 1.0) as "people_left",
        /// People who are not called any more at the end.
        done: mean(tally.done, 1.0) as "people_done",
        /// Share of replications in which the list was used up.
        used_up: mean(tally.used_up, 1.0) as "list_used_up_share",
        /// People who answered and were left alone at least once, per replication; `None` in sums that were kept
        /// without it.
        people_abandoned: ratio(tally.people_abandoned, 1.0) as "people_abandoned",
        /// Of those, people who were left alone more than once.
        abandoned_again: ratio(tally.abandoned_again, tally.people_abandoned) as "abandoned_again_share",
    }
}

/// A transition: contacts that took it, per replication.
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_measure_has_one_name_and_is_found_by_it() {
        for names in [
            Measures::NAMES,
            ServicePointMeasures::NAMES,
            TeamMeasures::NAMES,
            AgentMeasures::NAMES,
            LabelMeasures::NAMES,
            CampaignMeasures::NAMES,
        ] {
            for (place, name) in names.iter().enumerate() {
                assert_eq!(place_of(names, name), place);
            }
        }
    }

    #[test]
    fn measures_are_read_from_the_pairs_that_they_are_summed_in() {
        let tally = TeamTally {
            answered: 3.0,
            busy_secs: 1800.0,
            staffed_secs: 7200.0,
            ringing_secs: 720.0,
            engaged_secs: 3600.0,
        };
        let pairs: Vec<Pair> = tally
            .pairs()
            .map(|(top, bottom)| {
                let mut pair = Pair::default();
                pair.add(top, bottom);
                pair
            })
            .collect();
        let sums = &mut Sums { pairs: pairs.iter(), replications: 1, interval_secs: 1800.0 };
        let got: Vec<f64> = TeamTally::measures(sums)
            .named()
            .into_iter()
            .map(|(_, estimate)| estimate.unwrap().mean)
            .collect();
        assert_eq!(got, [3.0, 0.25, 0.5, 0.1, 2.0]);
    }
}
