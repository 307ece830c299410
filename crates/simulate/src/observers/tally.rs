//! Counts a replication while it is played.

use barometer_routing::{
    AgentId, Cause, ContactId, ContactTypeId, End, Errand, FlowId, Id, Observation, Seconds,
    ServicePointId, Table, TeamId, channel_place,
};

use super::counts::{
    AgentTally, CampaignTally, DayTally, LabelTally, ServicePointTally, TeamTally, TypeTally,
};
use super::{Observer, View};
use crate::model::Model;
use crate::sketch::Waits;

/// A wait that is meant to equal the threshold may come out longer by rounding, by less than this.
const ROUNDING_SECS: f64 = 1e-6;

/// Counts while they are taken.
#[derive(Debug, Default)]
pub(crate) struct Tally {
    pub counts: DayTally,
    /// Where a contact's stay in a service point is counted: in the interval in which it joined.
    rows: Vec<u32>,
    agents: Table<AgentId, AgentTime>,
}

/// Where an agent's time goes.
#[derive(Clone, Copy, Debug, Default)]
struct AgentTime {
    /// Until when it has been accounted for.
    since: Seconds,
    /// Since when on shift.
    on_shift_since: Seconds,
    /// Where the intervals of the agent's team begin in the table of teams.
    team_row: u32,
    /// Contacts that the agent can hold at once.
    slots: f64,
    /// What one contact of each channel is of all that the agent can hold.
    share_of_one: [f64; 3],
}

/// What a second of an agent's time is counted as.
struct Shares {
    busy: f64,
    ringing: f64,
    engaged: f64,
}

impl AgentTally {
    #[inline]
    fn add_time(&mut self, secs: f64, shares: &Shares) {
        self.busy_secs += shares.busy * secs;
        self.ringing_secs += shares.ringing * secs;
        self.engaged_secs += shares.engaged * secs;
    }
}

impl TeamTally {
    #[inline]
    fn add_time(&mut self, secs: f64, shares: &Shares, slots: f64) {
        self.busy_secs += shares.busy * secs * slots;
        self.ringing_secs += shares.ringing * secs;
        self.engaged_secs += shares.engaged * secs * slots;
    }
}

impl Tally {
    #[inline(always)]
    fn of_type(&mut self, view: View<'_>, contact: ContactId) -> &mut TypeTally {
        let kind: ContactTypeId = view.floor.contacts[contact].contact_type;
        let interval = view.customers[contact].interval as usize;
        &mut self.counts.types[kind.place() * view.model.intervals + interval]
    }

    #[inline(always)]
    fn of_point(&mut self, contact: ContactId) -> &mut ServicePointTally {
        &mut self.counts.service_points[self.rows[contact.place()] as usize]
    }

    /// Whether a contact arrived in the warm-up, which is left out.
    fn is_in_warm_up(&self, view: View<'_>, contact: ContactId) -> bool {
        (view.customers[contact].interval as usize) < view.model.counting.warm_up_intervals
    }

    /// Counts something of an agent in the interval of this moment, where that is asked for.
    #[inline]
    fn count_for_agent(
        &mut self,
        view: View<'_>,
        agent: AgentId,
        count: impl FnOnce(&mut AgentTally),
    ) {
        if view.model.counting.agents_by_interval {
            let place = agent.place() * view.model.intervals + view.clock.interval;
            count(&mut self.counts.agent_intervals[place]);
        }
    }

    #[inline]
    fn take(&mut self, view: View<'_>, contact: ContactId, flow: FlowId) {
        let kind = view.floor.contacts[contact].contact_type;
        let place = kind.place() * view.model.names.flows.len() + flow.place();
        self.counts.flows[place] += 1.0;
    }

    #[inline(always)]
    fn enter(&mut self, view: View<'_>, contact: ContactId, point: ServicePointId, since: f64) {
        let interval = view.clock.interval_of(since, view.model);
        let row = point.place() * view.model.intervals + interval;
        if self.rows.len() <= contact.place() {
            self.rows.resize(contact.place() + 1, 0);
        }
        self.rows[contact.place()] = row as u32;
        self.counts.service_points[row].entered += 1.0;
    }

    fn leave_unanswered(&mut self, view: View<'_>, contact: ContactId, cause: Cause) {
        let tally = self.of_point(contact);
        match cause {
            Cause::Full => tally.full += 1.0,
            Cause::TooLong => tally.too_long += 1.0,
            Cause::NoStaff => tally.no_staff += 1.0,
            Cause::NoAnswer => tally.no_answer += 1.0,
            Cause::CallbackAccepted => tally.callbacks += 1.0,
            Cause::Abandoned => {
                tally.abandoned += 1.0;
                let of = &view.floor.contacts[contact];
                let waited = of.waiting_since.map_or(0.0, |since| view.floor.now - since);
                if !self.is_in_warm_up(view, contact) {
                    self.counts.abandon_waits[of.contact_type.place()].record(waited);
                }
            }
        }
    }

    /// Counts an answer everywhere at once: this happens to nearly every contact.
    #[inline(always)]
    fn answer(&mut self, view: View<'_>, contact: ContactId, agent: AgentId) {
        let of = &view.floor.contacts[contact];
        if of.errand == Errand::HandedOver {
            return;
        }
        let (now, model) = (view.floor.now, view.model);
        self.counts.agents[agent.place()].answered += 1.0;
        self.count_for_agent(view, agent, |tally| tally.answered += 1.0);
        let team = model.strategy.agents[agent].team.place();
        self.counts.teams[team * model.intervals + view.clock.interval].answered += 1.0;
        self.of_point(contact).answered += 1.0;
        match of.errand {
            Errand::Customer => {
                let kind = of.contact_type;
                let waited = of.waiting_since.map_or(0.0, |since| now - since);
                let is_in_time = waited <= model.contact_types[kind].within_secs + ROUNDING_SECS;
                let in_time = f64::from(u8::from(is_in_time));
                self.of_point(contact).answered_in_time += in_time;
                let tally = self.of_type(view, contact);
                tally.answered += 1.0;
                tally.answer_wait_secs += waited;
                tally.answered_in_time += in_time;
                if self.is_in_warm_up(view, contact) {
                    return;
                }
                self.counts.answer_waits[kind.place()].record(waited);
                self.count_labels(of.labels, |tally| {
                    tally.answered += 1.0;
                    tally.answered_in_time += in_time;
                    tally.wait_secs += waited;
                });
            }
            Errand::Callback(promised) => {
                let tally = self.of_type(view, contact);
                tally.called_back += 1.0;
                tally.callback_secs += now - promised.at;
                if !self.is_in_warm_up(view, contact) {
                    self.count_labels(of.labels, |tally| tally.answered += 1.0);
                }
            }
            Errand::Work(_) | Errand::HandedOver | Errand::Campaign(_) => {}
        }
    }

    fn end_contact(&mut self, view: View<'_>, contact: ContactId, how: End) {
        let of = &view.floor.contacts[contact];
        if how == End::CutOff {
            self.of_type(view, contact).cut_off += 1.0;
            return;
        }
        if matches!(of.errand, Errand::Work(_) | Errand::HandedOver) {
            return;
        }
        let waited = of.waiting_since.map_or(0.0, |since| view.floor.now - since);
        let tally = self.of_type(view, contact);
        let count = match how {
            End::Abandoned => {
                tally.abandon_wait_secs += waited;
                &mut tally.abandoned
            }
            End::Released => &mut tally.released,
            End::Blocked => &mut tally.blocked,
            End::Voicemail => &mut tally.to_voicemail,
            End::Outside => &mut tally.outside,
            End::Contained => &mut tally.contained,
            End::CallbackFailed => &mut tally.callback_failed,
            End::CutOff => &mut tally.cut_off,
            // Of a campaign's call, which is counted elsewhere.
            End::NotConnected => return,
        };
        *count += 1.0;
        if self.is_in_warm_up(view, contact) {
            return;
        }
        let abandoned = f64::from(u8::from(how == End::Abandoned));
        self.count_labels(of.labels, |tally| tally.abandoned += abandoned);
    }

    /// Whether an observation is of a campaign's call, which is counted as a campaign's; of its agents alone
    /// their part is counted here.
    fn is_of_campaign(&mut self, view: View<'_>, what: Observation) -> bool {
        let Some(contact) = what.contact() else { return false };
        if view.floor.contacts[contact].contact_type.place() < view.model.inbound_types {
            return false;
        }
        match what {
            Observation::Answered { agent, .. } => {
                self.counts.agents[agent.place()].answered += 1.0;
                self.count_for_agent(view, agent, |tally| tally.answered += 1.0);
                let team = view.model.strategy.agents[agent].team.place();
                let place = team * view.model.intervals + view.clock.interval;
                self.counts.teams[place].answered += 1.0;
            }
            Observation::Offered { agent, .. } => {
                self.counts.agents[agent.place()].offers += 1.0;
                self.count_for_agent(view, agent, |tally| tally.offers += 1.0);
            }
            _ => {}
        }
        true
    }

    /// Counts the dates on which each campaign called, and those on which it was over its ceiling.
    fn hold_against_ceilings(&mut self, model: &Model) {
        let rows = self.counts.campaigns.chunks_mut(model.intervals);
        for (rows, campaign) in rows.zip(&model.campaigns) {
            let mut from = model.counting.warm_up_intervals;
            while from < rows.len() {
                let date = model.dates[from];
                let after = model.dates.partition_point(|&other| other <= date);
                let mut whole = CampaignTally::default();
                rows[from..after].iter().for_each(|tally| whole.add(tally));
                if let Some(share) = whole.abandoned_share() {
                    rows[from].dates += 1.0;
                    let is_over = share > campaign.campaign.abandoned_ceiling;
                    rows[from].dates_over += f64::from(u8::from(is_over));
                }
                from = after;
            }
        }
    }

    /// Counts a contact for each of its labels.
    fn count_labels(&mut self, mut labels: u64, count: impl Fn(&mut LabelTally)) {
        while labels != 0 {
            let tally = &mut self.counts.labels[labels.trailing_zeros() as usize];
            tally.contacts += 1.0;
            count(tally);
            labels &= labels - 1;
        }
    }

    /// Accounts for an agent's time until now, before what the agent does changes.
    #[inline(always)]
    fn account(&mut self, view: View<'_>, agent: AgentId) {
        let now = view.floor.now;
        let state = &view.floor.agents[agent];
        let time = &mut self.agents[agent];
        let from = std::mem::replace(&mut time.since, now);
        if (state.held == 0 && state.ringing.is_none()) || from >= now {
            return;
        }
        let shares = Shares {
            busy: f64::from(state.held) * time.share_of_one[channel_place(state.channel)],
            ringing: if state.ringing.is_some() { 1.0 } else { 0.0 },
            engaged: if state.held > 0 { 1.0 } else { 0.0 },
        };
        self.counts.agents[agent.place()].add_time(now - from, &shares);
        if from >= view.clock.begins && now <= view.clock.ends && state.is_on_shift {
            let row = time.team_row as usize + view.clock.interval;
            self.counts.teams[row].add_time(now - from, &shares, time.slots);
            self.count_for_agent(view, agent, |tally| tally.add_time(now - from, &shares));
            return;
        }
        self.account_intervals(view, agent, from, &shares);
    }

    /// As [`account`](Self::account), where the time is in several intervals or outside the shift.
    #[cold]
    fn account_intervals(
        &mut self,
        view: View<'_>,
        agent: AgentId,
        from: Seconds,
        shares: &Shares,
    ) {
        let (now, model) = (view.floor.now, view.model);
        let is_on_shift = view.floor.agents[agent].is_on_shift;
        let AgentTime { team_row, slots, .. } = self.agents[agent];
        let end = model.intervals as f64 * model.interval_secs;
        let mut begins = from;
        let mut interval = ((from / model.interval_secs) as usize).min(model.intervals - 1);
        loop {
            let is_last = interval + 1 >= model.intervals;
            let ends =
                if is_last { f64::INFINITY } else { (interval + 1) as f64 * model.interval_secs };
            let until = now.min(ends);
            // Agents who stay after their shift or after the day's end are there for what is at hand.
            let overtime =
                if is_on_shift { (until - begins.max(end)).max(0.0) } else { until - begins };
            let tally = &mut self.counts.teams[team_row as usize + interval];
            tally.add_time(until - begins, shares, slots);
            tally.staffed_secs += shares.busy * slots * overtime;
            self.counts.agents[agent.place()].staffed_secs += shares.busy * overtime;
            if model.counting.agents_by_interval {
                let place = agent.place() * model.intervals + interval;
                let of_agent = &mut self.counts.agent_intervals[place];
                of_agent.add_time(until - begins, shares);
                of_agent.staffed_secs += shares.busy * overtime;
            }
            if until >= now {
                break;
            }
            begins = until;
            interval += 1;
        }
    }

    /// Accounts for an agent's time on shift, which ends now.
    fn account_shift(&mut self, view: View<'_>, agent: AgentId) {
        let end = view.model.intervals as f64 * view.model.interval_secs;
        if view.floor.agents[agent].is_on_shift {
            let (from, until) =
                (self.agents[agent].on_shift_since.min(end), view.floor.now.min(end));
            self.agents[agent].on_shift_since = view.floor.now;
            self.counts.agents[agent.place()].staffed_secs += until - from;
            let secs = view.model.interval_secs;
            let mut begins = from;
            while begins < until && view.model.counting.agents_by_interval {
                let interval = ((begins / secs) as usize).min(view.model.intervals - 1);
                let ends = until.min((interval + 1) as f64 * secs);
                let place = agent.place() * view.model.intervals + interval;
                self.counts.agent_intervals[place].staffed_secs += ends - begins;
                begins = ends;
            }
        }
    }
}

impl Observer for Tally {
    fn begin(&mut self, model: &Model) {
        self.counts = DayTally::of(model);
        self.rows.clear();
        self.agents.clear();
        for agent in model.strategy.agents.iter() {
            let team = &model.teams[agent.team];
            self.agents.push(AgentTime {
                since: 0.0,
                on_shift_since: 0.0,
                team_row: (agent.team.place() * model.intervals) as u32,
                slots: team.slots,
                share_of_one: team.share_of_one,
            });
        }
    }

    #[inline(always)]
    fn observe(&mut self, view: View<'_>, what: Observation) {
        if !view.model.campaigns.is_empty() && self.is_of_campaign(view, what) {
            return;
        }
        match what {
            Observation::Arrived { contact } => {
                let is_again = view.customers[contact].attempt > 1;
                let tally = self.of_type(view, contact);
                tally.offered += 1.0;
                tally.again += f64::from(u8::from(is_again));
            }
            Observation::Took { contact, flow } => self.take(view, contact, flow),
            Observation::Entered { contact, service_point, since } => {
                self.enter(view, contact, service_point, since);
            }
            Observation::Offered { contact, agent } => {
                self.counts.agents[agent.place()].offers += 1.0;
                self.count_for_agent(view, agent, |tally| tally.offers += 1.0);
                self.of_point(contact).offers += 1.0;
            }
            Observation::Waited { contact, secs } => {
                if view.floor.contacts[contact].is_customer() {
                    self.of_type(view, contact).wait_secs += secs;
                }
                self.of_point(contact).wait_secs += secs;
            }
            Observation::LeftUnanswered { contact, cause } => {
                self.leave_unanswered(view, contact, cause);
            }
            Observation::Answered { contact, agent } => self.answer(view, contact, agent),
            Observation::Ended { contact, how } => self.end_contact(view, contact, how),
            Observation::LeftWaiting { contact } => {
                let is_callback = view.floor.contacts[contact].promised().is_some();
                let tally = self.of_type(view, contact);
                let count =
                    if is_callback { &mut tally.callback_failed } else { &mut tally.left_waiting };
                *count += 1.0;
            }
            Observation::AgentChanges { agent } => self.account(view, agent),
            Observation::SignedIn { agent } => {
                self.agents[agent].on_shift_since = view.floor.now;
            }
            Observation::SignedOut { agent } => self.account_shift(view, agent),
            Observation::ReachedStep { .. }
            | Observation::Joined { .. }
            | Observation::Rings { .. }
            | Observation::NotAnswered { .. }
            | Observation::CallbackPromised { .. }
            | Observation::Finished { .. } => {}
        }
    }

    fn stayed_on(&mut self, view: View<'_>, team: TeamId, people: u32, since: Seconds) {
        let model = view.model;
        let end = model.intervals as f64 * model.interval_secs;
        let (from, until) = (since.min(end), view.floor.now.min(end));
        if people == 0 || from >= until {
            return;
        }
        let row = team.place() * model.intervals;
        let mut begins = from;
        for interval in (from / model.interval_secs) as usize..model.intervals {
            let ends = until.min((interval + 1) as f64 * model.interval_secs);
            self.counts.teams[row + interval].staffed_secs += f64::from(people) * (ends - begins);
            begins = ends;
            if ends >= until {
                break;
            }
        }
    }

    fn count_campaign(
        &mut self,
        model: &Model,
        campaign: usize,
        interval: usize,
        count: impl Fn(&mut CampaignTally),
    ) {
        count(&mut self.counts.campaigns[campaign * model.intervals + interval]);
    }

    fn end(&mut self, view: View<'_>) {
        self.hold_against_ceilings(view.model);
        for agent in view.floor.agents.ids() {
            self.account(view, agent);
            self.account_shift(view, agent);
        }
        // Planned time on shift is added to what was counted beside it.
        let intervals = view.model.intervals;
        for (rows, team) in self.counts.teams.chunks_mut(intervals).zip(view.model.teams.iter()) {
            for (tally, staffed) in rows.iter_mut().zip(&team.staffed_secs) {
                tally.staffed_secs += staffed * team.slots;
            }
        }
        self.counts.leave_out(view.model.counting.warm_up_intervals);
    }

    fn end_warm_up(&mut self, view: View<'_>) {
        for agent in view.floor.agents.ids() {
            self.account(view, agent);
            self.account_shift(view, agent);
        }
        let counts = &mut self.counts;
        counts.agents.fill(AgentTally::default());
        counts.labels.fill(LabelTally::default());
        counts.flows.fill(0.0);
        counts.answer_waits.fill(Waits::default());
        counts.abandon_waits.fill(Waits::default());
    }
}
