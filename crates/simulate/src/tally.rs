//! What happened in one replication.

use crate::sketch::Waits;

/// Counts of a contact type in an interval. Contacts belong to the interval in which they came; each
/// ends in exactly one way.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct TypeTally {
    /// Contacts that came, those who tried again included.
    pub offered: f64,
    /// Of those, customers who had tried before.
    pub again: f64,
    /// Answered while they waited.
    pub answered: f64,
    /// Of those, answered within the target's threshold.
    pub answered_in_time: f64,
    /// Abandoned.
    pub abandoned: f64,
    /// Sent to voicemail.
    pub to_voicemail: f64,
    /// Released after a message.
    pub released: f64,
    /// Got the busy tone.
    pub blocked: f64,
    /// Handed to an outside number.
    pub outside: f64,
    /// Settled by a virtual assistant.
    pub contained: f64,
    /// Called back, and reached.
    pub called_back: f64,
    /// Promised a callback, and not reached.
    pub callback_failed: f64,
    /// Still waiting when nobody was left to answer.
    pub left_waiting: f64,
    /// Of the answered, cut off when their agent left.
    pub cut_off: f64,
    /// Seconds that the answered waited in lines, in all.
    pub answer_wait_secs: f64,
    /// Seconds that everybody waited in lines, in all; whoever waits for a callback does not count.
    pub wait_secs: f64,
    /// Seconds from the promise to the callback, in all.
    pub callback_secs: f64,
}

/// Counts of a queue or hunt group in an interval, by when contacts joined it.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ServicePointTally {
    /// Contacts that were sent here.
    pub entered: f64,
    /// Answered here.
    pub answered: f64,
    /// Of those, answered within the target's threshold, counted from their first line.
    pub answered_in_time: f64,
    /// Abandoned here.
    pub abandoned: f64,
    /// Left because it was full.
    pub full: f64,
    /// Left after the longest wait.
    pub too_long: f64,
    /// Left because nobody was at work.
    pub no_staff: f64,
    /// Left because nobody answered.
    pub no_answer: f64,
    /// Accepted a callback.
    pub callbacks: f64,
    /// Seconds that contacts spent here, in all.
    pub wait_secs: f64,
    /// Offers to members.
    pub offers: f64,
}

/// Time of a team in an interval. A second of an agent counts once for each contact that the agent
/// could hold at once.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct TeamTally {
    /// Contacts answered.
    pub answered: f64,
    /// Seconds of handling, wrap-up included.
    pub busy_secs: f64,
    /// Seconds at work.
    pub staffed_secs: f64,
    /// Seconds in which devices rang, by agent.
    pub ringing_secs: f64,
}

/// A replication of one agent.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct AgentTally {
    /// Contacts answered.
    pub answered: f64,
    /// Offers, answered or not.
    pub offers: f64,
    /// Seconds of handling, wrap-up included, each contact as a share of what the agent can hold.
    pub busy_secs: f64,
    /// Seconds at work.
    pub staffed_secs: f64,
    /// Seconds in which the device rang.
    pub ringing_secs: f64,
}

/// A replication of the contacts with one label.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct LabelTally {
    /// Contacts that had it in the end.
    pub contacts: f64,
    /// Answered.
    pub answered: f64,
    /// Answered within the threshold.
    pub answered_in_time: f64,
    /// Abandoned.
    pub abandoned: f64,
    /// Seconds waited, in all.
    pub wait_secs: f64,
}

/// Counts of a replication. What happens after the last interval is counted to it. Tables of
/// intervals are laid out one part after the other: all intervals of the first type, then the next.
#[derive(Clone, Debug, PartialEq)]
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
    /// By label.
    pub labels: Vec<LabelTally>,
    /// By way from step to step.
    pub flows: Vec<f64>,
    /// Waits of those who were answered, by contact type.
    pub answer_waits: Vec<Waits>,
    /// Waits of those who abandoned, by contact type.
    pub abandon_waits: Vec<Waits>,
    /// Events that were played.
    pub events: u64,
}

macro_rules! adds {
    ($tally:ty { $($field:ident),+ $(,)? }) => {
        impl $tally {
            /// Adds another's counts.
            pub fn add(&mut self, other: &Self) {
                $(self.$field += other.$field;)+
            }
        }
    };
}

adds!(TypeTally {
    offered,
    again,
    answered,
    answered_in_time,
    abandoned,
    to_voicemail,
    released,
    blocked,
    outside,
    contained,
    called_back,
    callback_failed,
    left_waiting,
    cut_off,
    answer_wait_secs,
    wait_secs,
    callback_secs,
});
adds!(ServicePointTally {
    entered,
    answered,
    answered_in_time,
    abandoned,
    full,
    too_long,
    no_staff,
    no_answer,
    callbacks,
    wait_secs,
    offers,
});
adds!(TeamTally { answered, busy_secs, staffed_secs, ringing_secs });

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
