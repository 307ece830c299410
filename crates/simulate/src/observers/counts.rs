//! What is counted in a replication, by interval, contact type, service point, team, agent, label and campaign.

use crate::model::Model;
use crate::sketch::Waits;

/// A tally: counts and sums of seconds, which add up. Its fields are listed here and nowhere else.
macro_rules! tally {
    ($(#[$doc:meta])* pub struct $tally:ident { $($(#[$of:meta])* $field:ident,)+ }) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, Default, PartialEq)]
        pub struct $tally { $($(#[$of])* pub $field: f64,)+ }

        impl $tally {
            /// Adds another's counts.
            pub fn add(&mut self, other: &Self) {
                $(self.$field += other.$field;)+
            }
        }
    };
}

tally! {
    /// Counts of a contact type in an interval. Contacts belong to the interval in which they arrived; each
    /// ends in exactly one way.
    pub struct TypeTally {
        /// Contacts that arrived, redials included.
        offered,
        /// Of those, customers who had tried before.
        again,
        /// Answered while they waited.
        answered,
        /// Of those, answered within the target's threshold.
        answered_in_time,
        /// Abandoned.
        abandoned,
        /// Sent to voicemail.
        to_voicemail,
        /// Released after a message.
        released,
        /// Got the busy tone.
        blocked,
        /// Handed to an outside number.
        outside,
        /// Settled by a virtual assistant.
        contained,
        /// Called back, and reached.
        called_back,
        /// Promised a callback, and not reached.
        callback_failed,
        /// Still waiting when nobody was left to answer.
        left_waiting,
        /// Of the answered, cut off when their agent left.
        cut_off,
        /// Seconds that the answered waited, in all.
        answer_wait_secs,
        /// Seconds that those who abandoned waited, in all.
        abandon_wait_secs,
        /// Seconds that everybody waited in lines, in all; waiting for a callback does not count.
        wait_secs,
        /// Seconds from the promise to the callback, in all.
        callback_secs,
    }
}

tally! {
    /// Counts of a queue or hunt group in an interval, by when contacts joined it.
    pub struct ServicePointTally {
        /// Contacts that were sent here.
        entered,
        /// Answered here.
        answered,
        /// Of those, answered within the target's threshold, counted from their first line.
        answered_in_time,
        /// Abandoned here.
        abandoned,
        /// Left because it was full.
        full,
        /// Left after the longest wait.
        too_long,
        /// Left because nobody was at work.
        no_staff,
        /// Left because nobody answered.
        no_answer,
        /// Accepted a callback.
        callbacks,
        /// Seconds that contacts spent here, work and promised callbacks too, in all.
        wait_secs,
        /// Offers to members.
        offers,
    }
}

tally! {
    /// Time of a team in an interval. A second of an agent counts once for each contact that the agent
    /// could hold at once.
    pub struct TeamTally {
        /// Contacts answered.
        answered,
        /// Seconds of handling, wrap-up included.
        busy_secs,
        /// Seconds at work.
        staffed_secs,
        /// Seconds in which devices rang, by agent.
        ringing_secs,
        /// Seconds with at least one contact.
        engaged_secs,
    }
}

tally! {
    /// A replication of one agent.
    pub struct AgentTally {
        /// Contacts answered.
        answered,
        /// Offers, answered or not.
        offers,
        /// Seconds of handling, wrap-up included, each contact as a share of what the agent can hold.
        busy_secs,
        /// Seconds at work.
        staffed_secs,
        /// Seconds in which the device rang.
        ringing_secs,
        /// Seconds with at least one contact.
        engaged_secs,
    }
}

tally! {
    /// A replication of the contacts with one label.
    pub struct LabelTally {
        /// Contacts that had it in the end.
        contacts,
        /// Answered.
        answered,
        /// Answered within the threshold.
        answered_in_time,
        /// Abandoned.
        abandoned,
        /// Seconds waited, in all.
        wait_secs,
    }
}

tally! {
    /// Counts of a campaign in an interval, by when they happened.
    pub struct CampaignTally {
        /// Calls dialled.
        dials,
        /// Calls that a person answered.
        people,
        /// Of those, connected to an agent in time, or the message heard.
        conversations,
        /// Of those, released because no agent was free in time.
        abandoned,
        /// Of those, taken for machines.
        lost_to_detection,
        /// Calls that a machine answered.
        machines,
        /// Of those, connected to an agent.
        machines_to_agents,
        /// Busy lines.
        busy,
        /// Calls that nobody answered.
        no_answer,
        /// Numbers that do not exist.
        unusable,
        /// Calls that the network could not carry.
        congested,
        /// People whom agents skipped.
        skipped,
        /// People who are not called any more when the replication ends.
        done,
        /// People who are still to be called then.
        left,
        /// Whether nobody is left then.
        used_up,
        /// Dates with calls that people answered.
        dates,
        /// Of those, dates on which more was abandoned than the ceiling allows.
        dates_over,
        /// Seconds in which it dialled, by the centre's clock.
        dialling_secs,
        /// Seconds of its agents on shift while it dialled.
        on_shift_secs,
        /// Of those, seconds in which they were free.
        free_secs,
        /// Seconds of agents who looked whom to call.
        looking_secs,
        /// Seconds of agents who were kept for a line that rang.
        kept_secs,
        /// Seconds of agents who talked.
        talking_secs,
        /// Seconds of agents who wrote up.
        wrapping_up_secs,
        /// Seconds of lines in use.
        line_secs,
        /// People of whom a first call was abandoned or taken for a machine's.
        people_abandoned,
        /// People of whom a second one was.
        abandoned_again,
    }
}

impl CampaignTally {
    /// The share of the calls that people answered for which no agent was connected; `None` where nobody
    /// answered.
    pub fn abandoned_share(&self) -> Option<f64> {
        (self.people > 0.0).then(|| (self.abandoned + self.lost_to_detection) / self.people)
    }
}

/// Counts of a replication. What happens after the last interval is counted to it. Tables of
/// intervals are laid out one part after the other: all intervals of the first type, then the next.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct DayTally {
    /// Intervals of the trial.
    pub intervals: usize,
    /// By contact type and interval.
    pub types: Vec<TypeTally>,
    /// By line and interval.
    pub service_points: Vec<ServicePointTally>,
    /// By team and interval.
    pub teams: Vec<TeamTally>,
    /// By agent.
    pub agents: Vec<AgentTally>,
    /// By agent and interval, where that is [asked for](crate::Counting); nothing otherwise.
    pub agent_intervals: Vec<AgentTally>,
    /// By label.
    pub labels: Vec<LabelTally>,
    /// By campaign and interval.
    pub campaigns: Vec<CampaignTally>,
    /// By contact type and way from step to step.
    pub flows: Vec<f64>,
    /// Waits of those who were answered, by contact type.
    pub answer_waits: Vec<Waits>,
    /// Waits of those who abandoned, by contact type.
    pub abandon_waits: Vec<Waits>,
    /// Events that were played.
    pub events: u64,
}

impl DayTally {
    /// All contact types in all.
    pub fn total(&self) -> TypeTally {
        self.types.iter().fold(TypeTally::default(), |mut total, each| {
            total.add(each);
            total
        })
    }

    /// Each contact type in all.
    pub fn kinds(&self) -> impl Iterator<Item = TypeTally> {
        self.types.chunks(self.intervals.max(1)).map(|intervals| {
            intervals.iter().fold(TypeTally::default(), |mut total, each| {
                total.add(each);
                total
            })
        })
    }

    /// All contact types and all teams in one interval.
    pub fn of_interval(&self, interval: usize) -> (TypeTally, TeamTally) {
        let (mut contacts, mut people) = (TypeTally::default(), TeamTally::default());
        let n = self.intervals.max(1);
        self.types.iter().skip(interval).step_by(n).for_each(|each| contacts.add(each));
        self.teams.iter().skip(interval).step_by(n).for_each(|each| people.add(each));
        (contacts, people)
    }

    /// All lines in all.
    pub fn total_of_service_points(&self) -> ServicePointTally {
        self.service_points.iter().fold(ServicePointTally::default(), |mut total, each| {
            total.add(each);
            total
        })
    }

    /// All teams in all.
    pub fn total_of_teams(&self) -> TeamTally {
        self.teams.iter().fold(TeamTally::default(), |mut total, each| {
            total.add(each);
            total
        })
    }
}

/// Of rows of equally many intervals, keeps those after the first few of each.
fn rows_after<T>(table: &mut Vec<T>, intervals: usize, left_out: usize) {
    let mut place = 0;
    table.retain(|_| {
        let is_kept = place % intervals >= left_out;
        place += 1;
        is_kept
    });
}

impl DayTally {
    /// Leaves out this number of intervals from the beginning.
    pub(super) fn leave_out(&mut self, intervals: usize) {
        if intervals == 0 {
            return;
        }
        let before = self.intervals;
        rows_after(&mut self.types, before, intervals);
        rows_after(&mut self.service_points, before, intervals);
        rows_after(&mut self.teams, before, intervals);
        rows_after(&mut self.agent_intervals, before, intervals);
        rows_after(&mut self.campaigns, before, intervals);
        self.intervals -= intervals;
    }

    /// Nothing counted yet.
    pub(super) fn of(model: &Model) -> Self {
        let Model { intervals, inbound_types, campaigns, teams, names, strategy, counting, .. } =
            model;
        Self {
            intervals: *intervals,
            types: vec![TypeTally::default(); inbound_types * intervals],
            service_points: vec![
                ServicePointTally::default();
                names.service_points.len() * intervals
            ],
            teams: vec![TeamTally::default(); teams.len() * intervals],
            agents: vec![AgentTally::default(); strategy.agents.len()],
            agent_intervals: if counting.agents_by_interval {
                vec![AgentTally::default(); strategy.agents.len() * intervals]
            } else {
                Vec::new()
            },
            labels: vec![LabelTally::default(); names.labels.len()],
            campaigns: vec![CampaignTally::default(); campaigns.len() * intervals],
            flows: vec![0.0; names.flows.len() * inbound_types],
            answer_waits: vec![Default::default(); *inbound_types],
            abandon_waits: vec![Default::default(); *inbound_types],
            events: 0,
        }
    }
}
