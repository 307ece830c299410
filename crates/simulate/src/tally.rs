//! What happened on one simulated day.

/// Counts of one interval. Contacts belong to the interval in which they arrived, people's time to
/// the interval in which it was spent.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct IntervalTally {
    /// Contacts that arrived.
    pub offered: f64,
    /// Of those, answered at some time.
    pub answered: f64,
    /// Of those, answered within the target's threshold.
    pub answered_in_time: f64,
    /// Of those, abandoned while waiting.
    pub abandoned: f64,
    /// Of those, sent to voicemail.
    pub to_voicemail: f64,
    /// Of those, released after a message.
    pub released: f64,
    /// Of those, still waiting when nobody was left to answer.
    pub left_waiting: f64,
    /// Seconds that the answered waited, in all.
    pub answer_wait_secs: f64,
    /// Seconds that everybody waited, in all.
    pub wait_secs: f64,
    /// Seconds of handling; an agent with two chats counts twice.
    pub busy_secs: f64,
    /// Seconds of handling that the people present could have done.
    pub staffed_secs: f64,
}

impl IntervalTally {
    /// Adds another interval's counts.
    pub fn add(&mut self, other: &Self) {
        self.offered += other.offered;
        self.answered += other.answered;
        self.answered_in_time += other.answered_in_time;
        self.abandoned += other.abandoned;
        self.to_voicemail += other.to_voicemail;
        self.released += other.released;
        self.left_waiting += other.left_waiting;
        self.answer_wait_secs += other.answer_wait_secs;
        self.wait_secs += other.wait_secs;
        self.busy_secs += other.busy_secs;
        self.staffed_secs += other.staffed_secs;
    }
}

/// Counts of a day, interval by interval. What is handled after the last interval is counted to it.
#[derive(Clone, Debug, PartialEq)]
pub struct DayTally {
    /// One entry per interval of the demand.
    pub intervals: Vec<IntervalTally>,
}

impl DayTally {
    /// The day's counts in all.
    pub fn total(&self) -> IntervalTally {
        self.intervals.iter().fold(IntervalTally::default(), |mut total, interval| {
            total.add(interval);
            total
        })
    }
}
