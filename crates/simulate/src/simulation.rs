//! The simulated world as routing's host: a calendar for its timers, devices that are answered or
//! not, callers with their patience and choices.

use barometer_routing::{
    AgentId, CallbackId, CallbackOffered, Cause, ContactId, End, Errand, Floor, Host, Id,
    Interrupted, Observation, Phase, Reply, Ringing, Seconds, ServicePointId, State, Stays, StepId,
    Table, Timer, TimerToken, Work, channel_place,
};

use crate::calendar::{Calendar, Event};
use crate::customer::{Customer, Customers, Return, Returns};
use crate::draws::{Key, Purpose};
use crate::model::{Model, RedialModel, StepLuck, TeamModel};
use crate::observers::{Clock, Observer, View};
use crate::outbound::{Called, RecentLevel};

/// Seconds after which a contact is declined where neither a ring window nor a delay says it.
const DECLINED_AFTER_SECS: f64 = 1.0;
/// Told apart from all contacts' keys: agents draw from streams of their own.
const AGENTS: u64 = 1 << 40;
/// Told apart from the keys of a customer's further attempts.
const WORK: u64 = 1 << 32;

/// The world of one replication.
pub(crate) struct Simulation<'m, O> {
    pub model: &'m Model,
    pub key: Key,
    pub clock: Clock,
    pub calendar: Calendar,
    pub customers: Customers,
    pub returns: Returns,
    devices: Table<AgentId, Device>,
    /// People of each team who sign out as soon as they are free.
    pub leaving: Vec<Leaving>,
    /// What has happened to campaigns' calls and was not followed yet.
    pub called: Vec<(ContactId, Called)>,
    /// Campaigns whose agents' doings have changed since their calls were followed, by bit.
    pub stirred: u64,
    /// The service level to which each campaign gives way.
    pub levels: Vec<RecentLevel>,
    /// Where each inbound contact waited last, while there are campaigns.
    waited_at: Vec<Option<ServicePointId>>,
    pub observer: O,
}

/// An agent's device.
#[derive(Clone, Copy, Debug)]
struct Device {
    /// Offers so far.
    offers: u32,
    /// When the agent would answer what rings; infinite when never.
    answers_at: Seconds,
    /// The event of answering or declining.
    event: Option<TimerToken>,
}

const SILENT: Device = Device { offers: 0, answers_at: f64::INFINITY, event: None };

/// People of a team who sign out as soon as they are free.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Leaving {
    pub people: u32,
    /// Until when their time has been accounted for.
    pub since: Seconds,
}

impl<'m, O: Observer> Simulation<'m, O> {
    pub fn new(model: &'m Model, observer: O) -> Self {
        Self {
            model,
            key: Key::default(),
            clock: Clock::default(),
            calendar: Calendar::default(),
            customers: Customers::default(),
            returns: Returns::default(),
            devices: vec![SILENT; model.strategy.agents.len()].into(),
            leaving: vec![Leaving::default(); model.teams.len()],
            called: Vec::new(),
            stirred: 0,
            levels: vec![RecentLevel::default(); model.campaigns.len()],
            waited_at: Vec::new(),
            observer,
        }
    }

    /// A replication begins.
    pub fn begin(&mut self, key: Key) {
        self.key = key;
        self.clock.begin(self.model);
        self.calendar.clear();
        self.customers.clear();
        self.returns.clear();
        self.devices.fill(SILENT);
        self.leaving.fill(Leaving::default());
        self.called.clear();
        self.stirred = 0;
        self.levels.fill(RecentLevel::default());
        self.waited_at.clear();
        self.observer.begin(self.model);
    }

    pub fn end_of_day(&self) -> Seconds {
        self.model.intervals as f64 * self.model.interval_secs
    }

    fn team_of(&self, agent: AgentId) -> &'m TeamModel {
        &self.model.teams[self.model.strategy.agents[agent].team]
    }

    /// Accounts for the time of people who stay on though the count asks for fewer.
    pub fn account_leaving(&mut self, floor: &Floor, team: barometer_routing::TeamId) {
        let leaving = &mut self.leaving[team.place()];
        let since = std::mem::replace(&mut leaving.since, floor.now);
        let people = leaving.people;
        let Self { model, clock, customers, observer, .. } = self;
        observer.stayed_on(View { model, floor, customers, clock }, team, people, since);
    }

    /// Whether an agent's event is still waited for; then it is over.
    pub fn device_acts(&mut self, agent: AgentId, token: TimerToken) -> bool {
        self.devices[agent].event.take_if(|event| *event == token).is_some()
    }

    /// Of the agents who answer a contact that rings at everybody at this moment, the one who has it.
    pub fn first_to_answer(&self, floor: &Floor, agent: AgentId) -> AgentId {
        let Some(contact) = floor.agents[agent].ringing else { return agent };
        let State::InLine(stay, Phase::Ringing { at: Ringing::Rank(_), .. }) =
            floor.contacts[contact].state
        else {
            return agent;
        };
        let key = self.customers[contact].key;
        let drawn = |agent: AgentId| {
            let offer = u64::from(stay.offers) << 32 | agent.place() as u64;
            key.uniform(Purpose::OFFER_ORDER.of(offer))
        };
        let members = &self.model.strategy.service_points[stay.service_point].members;
        members
            .iter()
            .map(|member| member.agent)
            .filter(|&other| {
                floor.agents[other].ringing == Some(contact)
                    && self.devices[other].answers_at == floor.now
            })
            .min_by(|&one, &other| drawn(one).total_cmp(&drawn(other)))
            .unwrap_or(agent)
    }

    fn plan_over(&mut self, floor: &Floor, contact: ContactId, secs: Seconds, event: Event) {
        let at = floor.now + secs;
        let over = self.calendar.plan(at, event, contact.place());
        let customer = &mut self.customers[contact];
        (customer.over, customer.over_at) = (Some(over), at);
    }

    /// Whether the event is the one at which what a contact does is over.
    pub fn is_over(&mut self, contact: ContactId, token: TimerToken) -> bool {
        self.customers[contact].over.take_if(|over| *over == token).is_some()
    }

    /// The key that a caller in a menu presses.
    pub fn chooses(&self, floor: &Floor, contact: ContactId, step: StepId) -> Option<usize> {
        let StepLuck::Menu { shares, .. } = &self.model.steps[step].luck else { return None };
        let drawn = self.choice(contact, step);
        shares[floor.contacts[contact].contact_type].iter().position(|share| drawn < *share)
    }

    /// Whether an assistant settles a contact.
    pub fn is_contained(&self, contact: ContactId, step: StepId) -> bool {
        match &self.model.steps[step].luck {
            StepLuck::Assistant { contained_share, .. } => {
                self.choice(contact, step) < *contained_share
            }
            _ => false,
        }
    }

    /// What a contact draws at the end of a step, afresh each time.
    fn choice(&self, contact: ContactId, step: StepId) -> f64 {
        let customer = &self.customers[contact];
        let which = self.model.steps[step].key.wrapping_add(u64::from(customer.visits));
        customer.key.uniform(Purpose::CHOICE.of(which))
    }

    /// Seconds of handling, alone with the agent.
    #[inline(always)]
    pub fn handle_secs(&self, floor: &Floor, contact: ContactId, agent: AgentId) -> Seconds {
        let (of, customer) = (&floor.contacts[contact], &self.customers[contact]);
        let pace = self.team_of(agent).pace;
        match of.errand {
            Errand::HandedOver => customer.work_left,
            // Drawn when the call was admitted.
            Errand::Campaign(_) => pace * customer.work_left,
            Errand::Work(step) => match &self.model.steps[step].luck {
                StepLuck::Voicemail { time } => pace * time.secs(customer.key, Purpose::HANDLING),
                _ => 0.0,
            },
            Errand::Customer | Errand::Callback(_) => {
                let mean = self.mean_handle_secs(floor, contact);
                let kind = &self.model.contact_types[of.contact_type];
                pace * mean * kind.handling.secs(customer.key, Purpose::HANDLING)
            }
        }
    }

    /// Seconds of wrap-up after a contact.
    pub fn wrap_up_secs(&self, floor: &Floor, contact: ContactId) -> Seconds {
        let of = &floor.contacts[contact];
        let State::WithAgent { service_point, .. } = of.state else { return 0.0 };
        let least = self.model.strategy.service_points[service_point].wrap_up_secs;
        match &self.model.contact_types[of.contact_type].wrap_up {
            _ if self.customers[contact].is_machine => 0.0,
            Some(wrap_up) if !of.is_work() => {
                wrap_up.secs(self.customers[contact].key, Purpose::WRAP_UP).max(least)
            }
            _ => least,
        }
    }

    /// Plans the end of a talk or of a wrap-up.
    #[inline(always)]
    pub fn plan_handled(&mut self, floor: &Floor, contact: ContactId, secs: Seconds) {
        self.plan_over(floor, contact, secs, Event::HandledSoFar);
    }

    /// Plans the end of a patience that is known already.
    pub fn plan_patience(&mut self, floor: &Floor, contact: ContactId) {
        let customer = &mut self.customers[contact];
        if let Some(ends) = customer.patience_at.filter(|ends| *ends < f64::INFINITY) {
            let (at, place) = (ends.max(floor.now), contact.place());
            customer.patience = Some(self.calendar.plan(at, Event::PatienceEnds, place));
        }
    }

    /// By how much an agent's contacts go slower than alone.
    pub fn slower_by(&self, floor: &Floor, agent: AgentId) -> f64 {
        let others = floor.agents[agent].held.saturating_sub(1);
        1.0 + self.slowing(floor, agent) * f64::from(others)
    }

    /// For how long a customer's device rings when a callback is not answered.
    pub fn unanswered_secs(&self, floor: &Floor, contact: ContactId) -> Seconds {
        let promised = floor.contacts[contact].promised();
        promised.map_or(0.0, |promised| self.model.callbacks[promised.callback].unanswered_secs)
    }

    fn slowing(&self, floor: &Floor, agent: AgentId) -> f64 {
        self.team_of(agent).slowing[channel_place(floor.agents[agent].channel)]
    }

    /// An agent holds more or fewer contacts than before: all of them go on at another pace.
    fn change_pace(&mut self, floor: &Floor, agent: AgentId, before: u32, held: u32) {
        let slowing = self.slowing(floor, agent);
        if slowing == 0.0 {
            return;
        }
        let secs_of_one = |held: u32| 1.0 + slowing * f64::from(held.saturating_sub(1));
        for contact in floor.held_by(agent) {
            if !matches!(
                floor.contacts[contact].state,
                State::WithAgent { work: Work::Talking, .. }
            ) {
                continue;
            }
            let customer = &mut self.customers[contact];
            if customer.over.is_some() {
                let done = (floor.now - customer.work_since) / secs_of_one(before);
                customer.work_left = (customer.work_left - done).max(0.0);
            }
            customer.work_since = floor.now;
            let secs = customer.work_left * secs_of_one(held);
            self.plan_handled(floor, contact, secs);
        }
    }

    /// Notes what happens to campaigns' calls, and how the contacts do to which campaigns give way.
    fn watch_for_campaigns(&mut self, floor: &Floor, what: Observation) {
        if let Observation::AgentChanges { agent }
        | Observation::SignedIn { agent }
        | Observation::SignedOut { agent } = what
        {
            self.stirred |= self.model.campaigns_of_agent[agent];
        }
        let Some(contact) = what.contact() else { return };
        if floor.contacts[contact].contact_type.place() >= self.model.inbound_types {
            let called = match what {
                Observation::Answered { .. } => Called::Connected,
                Observation::Finished { .. } => Called::Finished,
                Observation::Ended { how, .. } => Called::Ended(how),
                _ => return,
            };
            return self.called.push((contact, called));
        }
        let is_in_time = match what {
            Observation::Entered { service_point, .. } => {
                if self.waited_at.len() <= contact.place() {
                    self.waited_at.resize(contact.place() + 1, None);
                }
                self.waited_at[contact.place()] = Some(service_point);
                return;
            }
            Observation::Answered { .. } => {
                let of = &floor.contacts[contact];
                let waited = of.waiting_since.map_or(0.0, |since| floor.now - since);
                waited <= self.model.contact_types[of.contact_type].within_secs
            }
            Observation::LeftUnanswered { cause: Cause::Abandoned, .. } => false,
            _ => return,
        };
        let waited_at = self.waited_at.get(contact.place()).copied().flatten();
        for (campaign, level) in self.model.campaigns.iter().zip(&mut self.levels) {
            if waited_at.is_some_and(|point| campaign.inbound_points.contains(&point)) {
                level.note(floor.now, is_in_time);
            }
        }
    }

    /// Lets a customer who was not served try again, if this one does.
    fn may_redial(&mut self, floor: &Floor, contact: ContactId, redial: Option<&RedialModel>) {
        let Some(redial) = redial else { return };
        let Customer { key, attempt, .. } = self.customers[contact];
        let purpose = Purpose::TRY_AGAIN.of(u64::from(attempt));
        if attempt >= redial.most_attempts || key.uniform(purpose) >= redial.share {
            return;
        }
        let secs = redial.after.secs(key, Purpose::AGAIN_AFTER.of(u64::from(attempt)));
        self.plan_return(floor, contact, secs, |next| next.attempt = attempt + 1);
    }

    /// Lets a customer who was served call once more, if this one does.
    pub fn may_repeat(&mut self, floor: &Floor, contact: ContactId, agent: AgentId) {
        let of = &floor.contacts[contact];
        let Some(repeat) = &self.model.contact_types[of.contact_type].repeat else { return };
        let Customer { key, is_repeat, .. } = self.customers[contact];
        if !is_repeat && !of.is_work() && key.uniform(Purpose::REPEAT) < repeat.share {
            let secs = repeat.after.secs(key, Purpose::REPEAT_AFTER);
            self.plan_return(floor, contact, secs, |next| {
                (next.is_repeat, next.last_agent) = (true, Some(agent));
            });
        }
    }

    fn plan_return(
        &mut self,
        floor: &Floor,
        contact: ContactId,
        secs: Seconds,
        differs: impl FnOnce(&mut Return),
    ) {
        let (of, before) = (&floor.contacts[contact], &self.customers[contact]);
        let attempts = u64::from(before.attempt) + u64::from(before.is_repeat);
        let mut back = Return {
            key: before.key.of(attempts),
            contact_type: of.contact_type,
            profile: of.profile,
            attempt: before.attempt,
            is_repeat: before.is_repeat,
            last_agent: of.last_agent,
        };
        differs(&mut back);
        let place = self.returns.keep(back);
        self.calendar.plan(floor.now + secs, Event::Returns, place);
    }
}

impl<O: Observer> Host for Simulation<'_, O> {
    fn set_timer(
        &mut self,
        floor: &Floor,
        at: Seconds,
        contact: ContactId,
        timer: Timer,
    ) -> TimerToken {
        if timer == Timer::CallbackDue {
            self.customers[contact].over_at = at;
        }
        let never_matters = match timer {
            // Behind the end of patience, unless patience may yet grow.
            Timer::LimitOver => {
                let point = floor.contacts[contact].stay().map(|stay| stay.service_point);
                let grows = point.is_some_and(|point| {
                    !self.model.service_points[point].announcements.is_empty()
                });
                !grows && self.customers[contact].patience_at.is_some_and(|ends| ends < at)
            }
            // Behind the answer of the one agent at whom it rings.
            Timer::RingWindowOver => match floor.contacts[contact].state {
                State::InLine(_, Phase::Ringing { at: Ringing::Agent(agent), .. }) => {
                    self.devices[agent].answers_at <= at
                }
                _ => false,
            },
            _ => false,
        };
        if never_matters {
            return self.calendar.token();
        }
        self.calendar.plan(at, Event::Routing(timer), contact.place())
    }

    #[inline]
    fn answers_at_once(&self, _floor: &Floor, agent: AgentId) -> bool {
        self.team_of(agent).answers_at_once
    }

    fn ring(&mut self, floor: &Floor, _contact: ContactId, agent: AgentId, until: Seconds) {
        let team = self.team_of(agent);
        let offers = u64::from(self.devices[agent].offers);
        let key = self.key.of(AGENTS + agent.place() as u64);
        let delay = || team.answer_delay.secs(key, Purpose::ANSWER_DELAY.of(offers));
        let is_refused = key.uniform(Purpose::REFUSAL.of(offers)) < team.refused_share;
        let answers = floor.agents[agent].is_on_shift && !is_refused;
        let answers_at = if answers { floor.now + delay() } else { f64::INFINITY };
        let (place, calendar) = (agent.place(), &mut self.calendar);
        let event = if answers_at <= until && answers_at < f64::INFINITY {
            Some(calendar.plan(answers_at, Event::AgentAnswers, place))
        } else if until == f64::INFINITY {
            // Without a ring window, agents who do not want a contact decline it.
            let declines_at = floor.now + delay().max(DECLINED_AFTER_SECS);
            Some(calendar.plan(declines_at, Event::AgentDeclines, place))
        } else {
            None
        };
        let device = &mut self.devices[agent];
        (device.answers_at, device.event) = (answers_at, event);
    }

    fn stop_ringing(&mut self, _floor: &Floor, _contact: ContactId, agent: AgentId) {
        let device = &mut self.devices[agent];
        (device.answers_at, device.event) = (f64::INFINITY, None);
    }

    /// Work begins; an agent's other contacts may go slower from now on.
    #[inline]
    fn connect(&mut self, floor: &Floor, contact: ContactId, agent: AgentId) {
        let secs = self.handle_secs(floor, contact, agent);
        let held = floor.agents[agent].held;
        let customer = &mut self.customers[contact];
        (customer.work_left, customer.work_since) = (secs, floor.now);
        if held > 1 && self.slowing(floor, agent) > 0.0 {
            self.customers[contact].over = None;
            return self.change_pace(floor, agent, held - 1, held);
        }
        self.plan_handled(floor, contact, secs);
    }

    fn call_back(&mut self, floor: &Floor, contact: ContactId, callback: CallbackId) -> Reply {
        let model = &self.model.callbacks[callback];
        let attempts = floor.contacts[contact].promised().map_or(0, |promised| promised.attempts);
        let attempt = Purpose::CALLBACK.of(u64::from(attempts));
        if self.customers[contact].key.uniform(attempt) < model.reached_share {
            return Reply::Accepted;
        }
        self.plan_handled(floor, contact, model.unanswered_secs);
        Reply::Declined
    }

    fn disconnect(&mut self, floor: &Floor, contact: ContactId, agent: AgentId, _why: Interrupted) {
        // Seconds that the chat still takes, alone with an agent.
        let slowing = self.slowing(floor, agent);
        let others = floor.agents[agent].held.saturating_sub(1);
        let customer = &mut self.customers[contact];
        customer.work_left = (customer.over_at - floor.now) / (1.0 + slowing * f64::from(others));
        customer.over = None;
    }

    fn holds(&mut self, floor: &Floor, agent: AgentId, before: u32) {
        self.change_pace(floor, agent, before, before - 1);
    }

    fn play(&mut self, floor: &Floor, contact: ContactId, step: StepId) {
        let model = &self.model.steps[step];
        let (StepLuck::Menu { time, .. }
        | StepLuck::Announcement { time }
        | StepLuck::Assistant { time, .. }) = &model.luck
        else {
            return;
        };
        let customer = &mut self.customers[contact];
        customer.visits += 1;
        let which = model.key.wrapping_add(u64::from(customer.visits));
        let secs = time.secs(customer.key, Purpose::TIME_IN_STEP.of(which));
        self.plan_over(floor, contact, secs, Event::StepOver);
    }

    /// Patience runs from the first service point on.
    #[inline]
    fn wait(&mut self, floor: &Floor, contact: ContactId) {
        let customer = &mut self.customers[contact];
        if customer.patience_at.is_some() {
            return;
        }
        let of = &floor.contacts[contact];
        let kind = &self.model.contact_types[of.contact_type];
        let since = of.waiting_since.unwrap_or(floor.now);
        let ends = kind.patience.as_ref().map_or(f64::INFINITY, |patience| {
            since + patience.secs(customer.key, Purpose::PATIENCE)
        });
        customer.patience_at = Some(ends);
        if ends < f64::INFINITY {
            customer.patience =
                Some(self.calendar.plan(ends, Event::PatienceEnds, contact.place()));
        }
    }

    fn announce(
        &mut self,
        floor: &Floor,
        contact: ContactId,
        service_point: ServicePointId,
        announcement: usize,
    ) -> Stays {
        let told = &self.model.service_points[service_point].announcements[announcement];
        let now = floor.now;
        let mut ends = self.customers[contact].patience_at.unwrap_or(f64::INFINITY);
        if ends < f64::INFINITY && told.patience_factor != 1.0 {
            ends = now + (ends - now) * told.patience_factor;
            let patience = self.calendar.plan(ends, Event::PatienceEnds, contact.place());
            let customer = &mut self.customers[contact];
            (customer.patience_at, customer.patience) = (Some(ends), Some(patience));
        }
        let which = Purpose::LEAVING.of(announcement as u64 + 1);
        let hangs_up = told.tells_expected_wait
            && self.customers[contact].key.uniform(which) < told.leaving_share
            && ends - now
                < floor.expected_wait_secs(contact, self.mean_handle_secs(floor, contact));
        if hangs_up { Stays::HangsUp } else { Stays::On }
    }

    fn offer_callback(
        &mut self,
        _floor: &Floor,
        contact: ContactId,
        offer: CallbackOffered,
    ) -> Reply {
        let (purpose, share) = match offer {
            CallbackOffered::WhileWaiting(point) => {
                let model = &self.model.service_points[point];
                (Purpose::CALLBACK.of(model.key), model.callback_accepted_share)
            }
            CallbackOffered::AtStep(step, _) => {
                let model = &self.model.steps[step];
                let StepLuck::Callback { accepted_share } = model.luck else {
                    return Reply::Declined;
                };
                (Purpose::CALLBACK.of(model.key), accepted_share)
            }
        };
        let is_accepted = self.customers[contact].key.uniform(purpose) < share;
        if is_accepted { Reply::Accepted } else { Reply::Declined }
    }

    fn share_applies(&self, _floor: &Floor, contact: ContactId, label: u64, share: f64) -> bool {
        self.customers[contact].key.uniform(Purpose::LABEL.of(label)) < share
    }

    fn order_at_random(&self, _floor: &Floor, contact: ContactId, offer: u32, place: usize) -> f64 {
        let which = u64::from(offer) << 32 | place as u64;
        self.customers[contact].key.uniform(Purpose::OFFER_ORDER.of(which))
    }

    #[inline]
    fn mean_handle_secs(&self, floor: &Floor, contact: ContactId) -> Seconds {
        let kind = &self.model.contact_types[floor.contacts[contact].contact_type];
        kind.intervals[self.customers[contact].interval as usize].handle_secs
    }

    fn work_made(&mut self, floor: &Floor, message: ContactId, work: ContactId) {
        let Errand::Work(step) = floor.contacts[work].errand else { return };
        let key = self.customers[message].key.of(WORK + step.place() as u64);
        self.customers.set(work, Customer::new(key, self.clock.interval as u32));
    }

    #[inline]
    fn leaves_when_free(&mut self, floor: &Floor, agent: AgentId) -> bool {
        let team = self.model.strategy.agents[agent].team;
        if self.leaving[team.place()].people == 0 {
            return false;
        }
        self.account_leaving(floor, team);
        self.leaving[team.place()].people -= 1;
        true
    }

    #[inline(always)]
    fn observe(&mut self, floor: &Floor, what: Observation) {
        match what {
            Observation::Offered { agent, .. } => self.devices[agent].offers += 1,
            Observation::CallbackPromised { contact } => {
                let customer = &mut self.customers[contact];
                (customer.patience_at, customer.patience) = (Some(f64::INFINITY), None);
            }
            Observation::Ended { contact, how } => {
                let of = &floor.contacts[contact];
                let kind = &self.model.contact_types[of.contact_type];
                let redial = match how {
                    End::Abandoned => kind.after_abandoning.as_ref(),
                    End::Released | End::Blocked => kind.after_blocked.as_ref(),
                    _ => None,
                };
                if matches!(of.errand, Errand::Customer | Errand::Callback(_)) {
                    self.may_redial(floor, contact, redial);
                }
            }
            _ => {}
        }
        if !self.model.campaigns.is_empty() {
            self.watch_for_campaigns(floor, what);
        }
        let Self { model, clock, customers, observer, .. } = self;
        observer.observe(View { model, floor, customers, clock }, what);
    }
}
