//! Agents come to work and leave it.

use super::Day;
use super::contact::{NONE, State};
use crate::calendar::{ContactId, SimTime};
use crate::event_log::{End, What};
use crate::model::{Shift, place_of};
use barometer_strategy::{Channel, OnLeaving};

/// People of a team who are to leave as soon as they are free.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Owed {
    pub people: u32,
    /// Until when their time has been accounted for.
    pub since: SimTime,
}

impl Day<'_> {
    pub(super) fn next_shift_at(&self) -> SimTime {
        self.model.shifts.get(self.next_shift).map_or(f64::INFINITY, |change| change.at)
    }

    /// The next agent comes or leaves.
    pub(super) fn change_shift(&mut self) {
        let Some(&change) = self.model.shifts.get(self.next_shift) else { return };
        self.next_shift += 1;
        match change.what {
            Shift::Comes { agent } => self.comes_to_work(agent),
            Shift::Leaves { agent } => self.leaves_work(agent),
            Shift::Count { team, people } => self.change_count(team, people),
        }
    }

    /// So many people of a team are to be at work. Whoever comes is the first in the team's list;
    /// whoever leaves is free, the last in the list first. Where nobody is free, those leave who are
    /// next done with a contact: a count does not say who.
    fn change_count(&mut self, team: u16, people: u32) {
        let (first, end) = self.model.teams[usize::from(team)].agents;
        let holds_several = self.model.teams[usize::from(team)].slots > 1.0;
        self.account_owed(team);
        let owed = self.owed[usize::from(team)].people;
        let at_work = |day: &Self, agent: u32| day.agents[agent as usize].is_at_work;
        let present = (first..end).filter(|&agent| at_work(self, agent)).count() as u32;
        if people >= present - owed {
            let more = people - (present - owed);
            let stay = more.min(owed);
            self.owed[usize::from(team)].people -= stay;
            let absent: Vec<u32> = (first..end).filter(|&agent| !at_work(self, agent)).collect();
            for agent in absent.into_iter().take((more - stay) as usize) {
                self.comes_to_work(agent);
            }
            return;
        }
        for _ in people..present - owed {
            let free = |day: &Self, agent: u32| day.agents[agent as usize].is_in_idle_list;
            let leaves = if people == 0 || holds_several {
                // Nobody stays to swap with, or all may have room: who holds least leaves.
                (first..end)
                    .filter(|&agent| at_work(self, agent))
                    .min_by_key(|&agent| (self.agents[agent as usize].held, u32::MAX - agent))
            } else {
                (first..end).rev().find(|&agent| free(self, agent))
            };
            match leaves {
                Some(agent) => self.leaves_work(agent),
                None => self.owed[usize::from(team)].people += 1,
            }
        }
        if people == 0 {
            self.owed[usize::from(team)].people = 0;
            for agent in first..end {
                if at_work(self, agent) {
                    self.leaves_work(agent);
                }
            }
        }
    }

    /// Whether a free agent leaves because somebody of the team has to; then the agent is gone.
    pub(super) fn leaves_if_owed(&mut self, agent: u32) -> bool {
        let team = self.model.agents[agent as usize].team;
        let state = &self.agents[agent as usize];
        let is_free = state.is_at_work && state.held == 0 && state.ringing == NONE;
        if self.owed[usize::from(team)].people == 0 || !is_free {
            return false;
        }
        self.account_owed(team);
        self.owed[usize::from(team)].people -= 1;
        self.leaves_work(agent);
        true
    }

    /// Accounts for the time of people who stay on though the count asks for fewer.
    pub(super) fn account_owed(&mut self, team: u16) {
        let end = self.end_of_day();
        let owed = &mut self.owed[usize::from(team)];
        let (people, until) = (f64::from(owed.people), self.now.min(end));
        let from = std::mem::replace(&mut owed.since, self.now).min(end);
        if people == 0.0 || from >= until {
            return;
        }
        let model = self.model;
        let row = usize::from(team) * model.intervals;
        let mut begins = from;
        for interval in (from / model.interval_secs) as usize..model.intervals {
            let ends = until.min((interval + 1) as f64 * model.interval_secs);
            self.tally.teams[row + interval].staffed_secs += people * (ends - begins);
            begins = ends;
            if ends >= until {
                break;
            }
        }
    }

    fn comes_to_work(&mut self, agent: u32) {
        if let Some(story) = &mut self.story {
            story.push(self.now, 0, 0, What::AgentCame { agent });
        }
        self.account(agent);
        let now = self.now;
        let state = &mut self.agents[agent as usize];
        state.is_at_work = true;
        (state.idle_since, state.present_since) = (now, now);
        let class = usize::from(self.model.agents[agent as usize].class);
        for member in &self.model.classes[class].lines {
            self.lines[usize::from(member.line)].at_work += 1;
        }
        self.look_for_contacts(agent);
    }

    fn leaves_work(&mut self, agent: u32) {
        if let Some(story) = &mut self.story {
            story.push(self.now, 0, 0, What::AgentLeft { agent });
        }
        self.rouse(agent);
        self.account(agent);
        self.account_presence(agent);
        self.agents[agent as usize].is_at_work = false;
        let ringing = [self.agents[agent as usize].ringing, self.agents[agent as usize].second];
        for id in ringing.into_iter().filter(|&id| id != NONE) {
            self.ring_elsewhere(id, agent);
        }
        self.leave_chats(agent);
        let class = usize::from(self.model.agents[agent as usize].class);
        for place in 0..self.model.classes[class].lines.len() {
            let line = self.model.classes[class].lines[place].line;
            let state = &mut self.lines[usize::from(line)];
            state.at_work -= 1;
            if state.at_work == 0 {
                self.lose_staff(line);
            }
        }
    }

    /// The device of an agent who leaves does not ring any more; others' may.
    fn ring_elsewhere(&mut self, id: ContactId, agent: u32) {
        let state = &mut self.agents[agent as usize];
        (state.ringing, state.second, state.answers_at) = (NONE, NONE, f64::INFINITY);
        let others = self.agents.iter().any(|other| other.ringing == id);
        if !others {
            self.not_answered(id);
        } else if self.contacts[id as usize].agent == agent {
            self.find_first_to_answer(id);
        }
    }

    /// What becomes of the chats of an agent who leaves.
    fn leave_chats(&mut self, agent: u32) {
        let on_leaving =
            self.model.teams[usize::from(self.model.agents[agent as usize].team)].on_leaving;
        if on_leaving == OnLeaving::Finish || self.agents[agent as usize].channel != Channel::Chat {
            return;
        }
        let row = agent as usize * self.model.most_at_once as usize;
        let held = self.agents[agent as usize].held as usize;
        let chats: Vec<ContactId> = self.hands[row..row + held].to_vec();
        for id in chats {
            if self.contacts[id as usize].state != State::Talking {
                continue;
            }
            let left = self.work_left(id, agent);
            self.put_down(id, agent);
            match on_leaving {
                OnLeaving::HandOver => {
                    let contact = &mut self.contacts[id as usize];
                    (contact.work_left, contact.is_handed_over) = (left, true);
                    let (line, joined) = (contact.line, contact.joined);
                    self.join_without_hurry(id, line, joined);
                }
                OnLeaving::CutOff => {
                    self.tally_of(id).cut_off += 1.0;
                    self.say(id, What::Ended { how: End::CutOff });
                    self.forget(id);
                }
                OnLeaving::Finish => {}
            }
        }
    }

    /// Seconds that a chat still takes, alone with an agent.
    fn work_left(&self, id: ContactId, agent: u32) -> f64 {
        let contact = &self.contacts[id as usize];
        let state = &self.agents[agent as usize];
        let team = &self.model.teams[usize::from(self.model.agents[agent as usize].team)];
        let slowing = team.slowing[place_of(state.channel)];
        (contact.due - self.now) / (1.0 + slowing * f64::from(state.held.saturating_sub(1)))
    }
}
