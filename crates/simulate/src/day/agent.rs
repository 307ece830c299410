//! An agent: who is free, who holds what, and where the time goes.

use super::Day;
use super::contact::NONE;
use crate::calendar::{ContactId, SimTime};
use crate::model::place_of;
use barometer_strategy::Channel;

/// An agent in the course of a day.
#[derive(Clone, Copy, Debug)]
pub(super) struct Agent {
    pub is_at_work: bool,
    pub is_in_idle_list: bool,
    /// Contacts held.
    pub held: u32,
    /// Their channel.
    pub channel: Channel,
    /// The contact that rings here.
    pub ringing: ContactId,
    /// When this agent would answer it.
    pub answers_at: SimTime,
    /// A second contact that rings here while the agent is on one.
    pub second: ContactId,
    /// Since when free.
    pub idle_since: SimTime,
    /// Neighbours in the list of the free.
    pub before: u32,
    pub after: u32,
    /// Until when the time has been accounted for.
    pub since: SimTime,
    pub answered: u32,
    pub offers: u32,
    /// Since when at work.
    pub present_since: SimTime,
    /// Seconds at work, of handling (each contact as a share of what the agent can hold) and of
    /// ringing so far.
    pub staffed_secs: f64,
    pub busy_secs: f64,
    pub ringing_secs: f64,
}

impl Default for Agent {
    fn default() -> Self {
        Self {
            is_at_work: false,
            is_in_idle_list: false,
            held: 0,
            channel: Channel::Call,
            ringing: NONE,
            answers_at: f64::INFINITY,
            second: NONE,
            idle_since: 0.0,
            before: NONE,
            after: NONE,
            since: 0.0,
            answered: 0,
            offers: 0,
            present_since: 0.0,
            staffed_secs: 0.0,
            busy_secs: 0.0,
            ringing_secs: 0.0,
        }
    }
}

/// Free agents of a class, the longest idle first.
#[derive(Clone, Copy, Debug)]
pub(super) struct IdleList {
    pub first: u32,
    pub last: u32,
}

impl Default for IdleList {
    fn default() -> Self {
        Self { first: NONE, last: NONE }
    }
}

impl Day<'_> {
    /// Whether an agent at work can take a contact of this channel now.
    pub(super) fn has_room(&self, agent: u32, channel: Channel) -> bool {
        let now = &self.agents[agent as usize];
        if !now.is_at_work || now.ringing != NONE || now.second != NONE {
            return false;
        }
        let team = &self.model.teams[usize::from(self.model.agents[agent as usize].team)];
        let at_once = team.at_once[place_of(channel)];
        if now.held == 0 { at_once > 0 } else { now.channel == channel && now.held < at_once }
    }

    /// Puts an agent on the list of the free, if free.
    pub(super) fn rest(&mut self, agent: u32) {
        let class = usize::from(self.model.agents[agent as usize].class);
        let list = self.idle[class];
        let now = &mut self.agents[agent as usize];
        let is_free = now.is_at_work && now.held == 0 && now.ringing == NONE;
        if !is_free || now.is_in_idle_list {
            return;
        }
        now.is_in_idle_list = true;
        (now.before, now.after) = (list.last, NONE);
        match list.last {
            NONE => self.idle[class].first = agent,
            last => self.agents[last as usize].after = agent,
        }
        self.idle[class].last = agent;
    }

    /// Takes an agent off the list of the free.
    pub(super) fn rouse(&mut self, agent: u32) {
        let now = &mut self.agents[agent as usize];
        if !now.is_in_idle_list {
            return;
        }
        now.is_in_idle_list = false;
        let (before, after) = (now.before, now.after);
        let class = usize::from(self.model.agents[agent as usize].class);
        match before {
            NONE => self.idle[class].first = after,
            before => self.agents[before as usize].after = after,
        }
        match after {
            NONE => self.idle[class].last = before,
            after => self.agents[after as usize].before = before,
        }
    }

    /// Accounts for an agent's time until now, before what the agent does changes.
    pub(super) fn account(&mut self, agent: u32) {
        let (now, model) = (self.now, self.model);
        let state = &mut self.agents[agent as usize];
        let from = std::mem::replace(&mut state.since, now);
        if (state.held == 0 && state.ringing == NONE) || from >= now {
            return;
        }
        let team = usize::from(model.agents[agent as usize].team);
        let of_team = &model.teams[team];
        let share = f64::from(state.held) * of_team.share_of_one[place_of(state.channel)];
        let (is_ringing, is_at_work) = (state.ringing != NONE, state.is_at_work);
        let slots = of_team.slots;
        let spent = |secs: f64| (share * secs, if is_ringing { secs } else { 0.0 });
        let (busy, ringing) = spent(now - from);
        state.busy_secs += busy;
        state.ringing_secs += ringing;
        let row = team * model.intervals;
        if from >= self.interval_begins && now <= self.interval_ends && is_at_work {
            let tally = &mut self.tally.teams[row + self.interval];
            tally.busy_secs += busy * slots;
            tally.ringing_secs += ringing;
            return;
        }
        let end = model.intervals as f64 * model.interval_secs;
        let mut begins = from;
        let mut interval = ((from / model.interval_secs) as usize).min(model.intervals - 1);
        loop {
            let is_last = interval + 1 >= model.intervals;
            let ends =
                if is_last { f64::INFINITY } else { (interval + 1) as f64 * model.interval_secs };
            let until = now.min(ends);
            let (busy, ringing) = spent(until - begins);
            // Whoever stays after the shift or after the day's end is there for what is at hand.
            let overtime =
                if is_at_work { (until - begins.max(end)).max(0.0) } else { until - begins };
            let tally = &mut self.tally.teams[row + interval];
            tally.busy_secs += busy * slots;
            tally.ringing_secs += ringing;
            tally.staffed_secs += share * slots * overtime;
            self.agents[agent as usize].staffed_secs += share * overtime;
            if until >= now {
                break;
            }
            begins = until;
            interval += 1;
        }
    }

    /// Accounts for an agent's time at work, which ends now.
    pub(super) fn account_presence(&mut self, agent: u32) {
        let end = self.end_of_day();
        let state = &mut self.agents[agent as usize];
        if state.is_at_work {
            state.staffed_secs += self.now.min(end) - state.present_since.min(end);
        }
    }

    /// Adds planned time at work to what was counted beside it.
    pub(super) fn fill_in_staffed(&mut self) {
        let intervals = self.model.intervals;
        for (team, model) in self.model.teams.iter().enumerate() {
            let row = &mut self.tally.teams[team * intervals..(team + 1) * intervals];
            for (tally, staffed) in row.iter_mut().zip(&model.staffed_secs) {
                tally.staffed_secs += staffed * model.slots;
            }
        }
        for (tally, state) in self.tally.agents.iter_mut().zip(&self.agents) {
            (tally.answered, tally.offers) = (f64::from(state.answered), f64::from(state.offers));
            (tally.busy_secs, tally.ringing_secs) = (state.busy_secs, state.ringing_secs);
            tally.staffed_secs = state.staffed_secs;
        }
    }
}
