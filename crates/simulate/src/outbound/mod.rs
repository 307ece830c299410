//! Campaigns at work in a replication: the dialler's population of people who are called.
//!
//! Whom to call and how many lines at once is decided in `barometer-dialling`, which agent talks to whom in
//! `barometer-routing`. Here are the lines themselves, with the luck of those who are called: every call
//! draws from a stream of its own, by campaign, person and number of the call, so that two ways to dial
//! meet the same people.

mod dialling;
mod level;
mod lines;
mod model;

use barometer_dialling::carrier::{Answer, MACHINE_NOTICED_SECS};
use barometer_dialling::pacing::Learned;
use barometer_dialling::{Book, CallEnd, Dialler};
use barometer_routing::{ContactId, End, Router, Seconds, TimerToken};
use barometer_strategy::MachineAction;

use crate::calendar::Event;
use crate::customer::Customer;
use crate::draws::{Key, Purpose};
use crate::model::Model;
use crate::observers::{CampaignTally, Observer};
use crate::simulation::Simulation;
pub(crate) use level::RecentLevel;
use lines::{Line, Lines, Phase};
pub(crate) use model::{CampaignModel, bit_of, campaigns_of_agent, type_of};

/// What has happened to a campaign's contact while routing was at work.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Called {
    /// An agent talks to the person.
    Connected,
    /// The agent is done with it.
    Finished,
    /// It has ended without an agent.
    Ended(End),
}

/// All campaigns of a replication.
#[derive(Debug)]
pub(crate) struct Outbound<'m> {
    model: &'m Model,
    key: Key,
    at_work: Vec<AtWork<'m>>,
    lines: Lines,
    /// Campaigns that may have to dial, by bit.
    stirred: u64,
}

/// One campaign.
#[derive(Debug)]
struct AtWork<'m> {
    model: &'m CampaignModel,
    dialler: Dialler<'m>,
    /// Lines that nobody has answered yet, and when each was dialled.
    ringing: Vec<usize>,
    ringing_since: Vec<Seconds>,
    /// Conversations under way, wrap-up included, and when each began.
    talking: Vec<usize>,
    talking_since: Vec<Seconds>,
    /// The event at which it decides again.
    looks: Option<TimerToken>,
    looks_at: Seconds,
    now: Busy,
    since: Seconds,
}

impl AtWork<'_> {
    /// Whether a line rings or a conversation is under way.
    fn is_under_way(&self) -> bool {
        !self.ringing.is_empty() || !self.talking.is_empty()
    }
}

/// How many of a campaign's agents and lines do what, at one moment.
#[derive(Clone, Copy, Debug, Default)]
struct Busy {
    is_dialling: bool,
    on_shift: f64,
    free: f64,
    looking: f64,
    kept: f64,
    talking: f64,
    wrapping_up: f64,
    lines: f64,
}

type Played<'m, O> = Router<'m, Simulation<'m, O>>;

impl<'m> Outbound<'m> {
    pub fn of(model: &'m Model) -> Self {
        let at_work = model.campaigns.iter().map(|of| AtWork {
            model: of,
            dialler: Dialler::of(&of.campaign, of.times.clone()),
            ringing: Vec::new(),
            ringing_since: Vec::new(),
            talking: Vec::new(),
            talking_since: Vec::new(),
            looks: None,
            looks_at: f64::INFINITY,
            now: Busy::default(),
            since: 0.0,
        });
        Self {
            model,
            key: Key::default(),
            at_work: at_work.collect(),
            lines: Lines::default(),
            stirred: 0,
        }
    }

    /// A replication begins.
    pub fn begin(&mut self, key: Key) {
        self.key = key;
        // Every campaign looks around at the first event.
        self.stirred = u64::MAX;
        self.lines.clear();
        for at_work in &mut self.at_work {
            at_work.dialler.begin();
            at_work.ringing.clear();
            at_work.ringing_since.clear();
            at_work.talking.clear();
            at_work.talking_since.clear();
            (at_work.looks, at_work.looks_at) = (None, f64::INFINITY);
            (at_work.now, at_work.since) = (Busy::default(), 0.0);
        }
    }

    /// Whom each campaign has called: those whose call is under way are to be called again, unless they talk
    /// with an agent already.
    pub fn books(&self, now: Seconds) -> Vec<Book> {
        let books = self.at_work.iter().enumerate().map(|(place, at_work)| {
            let mut book = at_work.dialler.book.clone();
            for line in self.lines.open_lines().filter(|line| line.campaign == place) {
                match line.phase {
                    Phase::Talking | Phase::WrappingUp => {
                        book.call_over(at_work.dialler.times(), line.person, now, None, true);
                    }
                    _ => book.put_back(line.person, now),
                }
            }
            book
        });
        books.collect()
    }

    /// Goes on with the people of a list whom a campaign has not called yet, where it is the same list.
    pub fn go_on_with(&mut self, campaign: usize, book: &Book) {
        let at_work = &mut self.at_work[campaign];
        if at_work.dialler.book.is_of_same_list(book) {
            at_work.dialler.book = book.clone();
        }
    }

    /// What a campaign does at this moment: lines in use, conversations, and people left.
    pub fn now(&self, campaign: usize) -> (u32, u32, u32) {
        let at_work = &self.at_work[campaign];
        let (lines, talking) = (at_work.now.lines as u32, at_work.now.talking as u32);
        (lines, talking, at_work.dialler.book.left())
    }

    /// Calls that the campaigns could make, for the bound on events.
    pub fn most_calls(&self) -> f64 {
        let calls = self.at_work.iter().map(|at_work| {
            let campaign = &at_work.model.campaign;
            f64::from(campaign.list.people) * f64::from(campaign.retries.most_in_all)
        });
        calls.sum()
    }

    /// Follows what has happened to calls, and begins those that are to be begun now.
    pub fn go_on<O: Observer>(&mut self, router: &mut Played<'m, O>) {
        let mut happened = std::mem::take(&mut router.host.called);
        for (contact, what) in happened.drain(..) {
            self.follow(router, contact, what);
        }
        router.host.called = happened;
        let stirred = std::mem::take(&mut router.host.stirred) | std::mem::take(&mut self.stirred);
        for place in 0..self.at_work.len() {
            if stirred & bit_of(place) != 0 {
                self.dial(router, place);
            }
        }
    }

    /// The time has come to decide again how fast to dial, unless that was done meanwhile.
    pub fn look(&mut self, place: usize, token: TimerToken) {
        let at_work = &mut self.at_work[place];
        if at_work.looks == Some(token) {
            (at_work.looks, at_work.looks_at) = (None, f64::INFINITY);
        }
        self.stirred |= bit_of(place);
    }

    /// An agent begins to write up a conversation of a campaign.
    pub fn wraps_up<O: Observer>(&mut self, router: &mut Played<'m, O>, contact: ContactId) {
        let Some(place) = self.lines.of_contact(contact) else { return };
        let line = self.lines[place];
        self.account(router, line.campaign);
        let now = &mut self.at_work[line.campaign].now;
        (now.talking, now.wrapping_up) = (now.talking - 1.0, now.wrapping_up + 1.0);
        now.lines -= 1.0;
        self.lines[place].phase = Phase::WrappingUp;
    }

    /// The replication is over.
    pub fn end<O: Observer>(&mut self, router: &mut Played<'m, O>) {
        for place in 0..self.at_work.len() {
            self.account(router, place);
            let book = &self.at_work[place].dialler.book;
            let (left, is_used_up) = (f64::from(book.left()), book.is_used_up());
            let done = f64::from(book.done());
            // Behind any warm-up, which is left out.
            count(router, place, self.model.intervals - 1, |tally| {
                tally.left += left;
                tally.done += done;
                tally.used_up += f64::from(u8::from(is_used_up));
            });
        }
    }

    /// What a line does is over.
    pub fn line_over<O: Observer>(&mut self, router: &mut Played<'m, O>, id: usize) {
        let line = self.lines[id];
        self.stirred |= bit_of(line.campaign);
        self.account(router, line.campaign);
        match line.phase {
            Phase::Looking => self.looked(router, id),
            Phase::Ringing => self.rang(router, id),
            Phase::Deciding => self.decided(router, id),
            Phase::LeavingMessage => {
                self.at_work[line.campaign].now.lines -= 1.0;
                self.close(router, id, CallEnd::Machine);
            }
            Phase::Connecting | Phase::Talking | Phase::WrappingUp => {}
        }
    }

    fn looked<O: Observer>(&mut self, router: &mut Played<'m, O>, id: usize) {
        let line = self.lines[id];
        let of = self.at_work[line.campaign].model;
        self.at_work[line.campaign].now.looking -= 1.0;
        if line.key.uniform(Purpose::SKIPPED) >= of.skipped_share {
            return self.ring(router, id);
        }
        self.stops_ringing(id);
        count(router, line.campaign, router.host.clock.interval, |tally| tally.skipped += 1.0);
        if let Some(contact) = line.contact {
            // The contact's number is given to another one.
            self.lines.forget_contact(contact);
            router.kept_not_answered(contact);
        }
        self.close(router, id, CallEnd::Never);
    }

    fn rang<O: Observer>(&mut self, router: &mut Played<'m, O>, id: usize) {
        let line = self.lines[id];
        let of = self.at_work[line.campaign].model;
        let is_answered = matches!(line.answer, Answer::Person | Answer::Machine);
        count(router, line.campaign, router.host.clock.interval, |tally| {
            let count = match line.answer {
                Answer::Person => &mut tally.people,
                Answer::Machine => &mut tally.machines,
                Answer::Busy => &mut tally.busy,
                Answer::Nobody => &mut tally.no_answer,
                Answer::Unusable => &mut tally.unusable,
                Answer::Congested => &mut tally.congested,
            };
            *count += 1.0;
        });
        match (is_answered, of.detection) {
            (true, Some(detection)) => {
                self.lines[id].phase = Phase::Deciding;
                let at = router.floor.now + detection.decide_secs;
                router.host.calendar.plan(at, Event::LineOver, id);
            }
            (true, None) => self.connect(router, id, of.campaign.connect_within_secs),
            (false, _) => {
                let end = match line.answer {
                    Answer::Busy | Answer::Congested => CallEnd::Busy,
                    Answer::Unusable => CallEnd::Never,
                    _ => CallEnd::NoAnswer,
                };
                self.comes_to_nothing(router, id, end);
            }
        }
    }

    /// A person has answered and is left alone: the pacing learns it, and it is noted with the person.
    fn abandons<O: Observer>(&mut self, router: &mut Played<'m, O>, line: &Line) {
        let dialler = &mut self.at_work[line.campaign].dialler;
        dialler.learn(Learned::Abandoned);
        let nth = dialler.book.note_abandoned(line.person);
        let interval = router.host.clock.interval;
        count(router, line.campaign, interval, |tally| match nth {
            1 => tally.people_abandoned += 1.0,
            2 => tally.abandoned_again += 1.0,
            _ => {}
        });
    }

    /// Detection has decided whether a machine talks.
    fn decided<O: Observer>(&mut self, router: &mut Played<'m, O>, id: usize) {
        let line = self.lines[id];
        let of = self.at_work[line.campaign].model;
        let Some(detection) = of.detection else { return };
        let drawn = line.key.uniform(Purpose::DETECTION);
        let is_taken_for_machine = match line.answer {
            Answer::Person => drawn < detection.people_taken_for_machines,
            _ => drawn >= detection.machines_taken_for_people,
        };
        let left_secs = (of.campaign.connect_within_secs - detection.decide_secs).max(0.0);
        if !is_taken_for_machine || of.campaign.machines.action == MachineAction::ToAgent {
            return self.connect(router, id, left_secs);
        }
        if line.answer == Answer::Person {
            let interval = router.host.clock.interval;
            count(router, line.campaign, interval, |tally| tally.lost_to_detection += 1.0);
            self.abandons(router, &line);
        }
        match of.campaign.machines.action {
            MachineAction::Message { secs } => {
                self.learn_line(router, id, false);
                self.stops_ringing(id);
                self.lets_go(router, id);
                self.lines[id].phase = Phase::LeavingMessage;
                router.host.calendar.plan(router.floor.now + secs, Event::LineOver, id);
            }
            MachineAction::Release | MachineAction::ToAgent => {
                self.comes_to_nothing(router, id, CallEnd::Machine);
            }
        }
    }

    /// A call for which no agent is needed ends.
    fn comes_to_nothing<O: Observer>(
        &mut self,
        router: &mut Played<'m, O>,
        id: usize,
        end: CallEnd,
    ) {
        let campaign = self.lines[id].campaign;
        self.learn_line(router, id, false);
        self.stops_ringing(id);
        self.at_work[campaign].now.lines -= 1.0;
        self.lets_go(router, id);
        self.close(router, id, end);
    }

    /// The pacing learns that a line is over.
    fn learn_line<O: Observer>(&mut self, router: &Played<'m, O>, id: usize, needs_agent: bool) {
        let Line { campaign, since: dialled_at, .. } = self.lines[id];
        let after_secs = router.floor.now - dialled_at;
        let learned = Learned::LineOver { dialled_at, after_secs, needs_agent };
        self.at_work[campaign].dialler.learn(learned);
    }

    /// The agent who was kept for a line is free of it.
    fn lets_go<O: Observer>(&mut self, router: &mut Played<'m, O>, id: usize) {
        if let Some(contact) = self.lines[id].contact.take() {
            self.at_work[self.lines[id].campaign].now.kept -= 1.0;
            self.lines.forget_contact(contact);
            router.kept_not_answered(contact);
        }
    }

    /// A person has answered, or a machine that an agent has to notice: an agent is needed.
    fn connect<O: Observer>(
        &mut self,
        router: &mut Played<'m, O>,
        id: usize,
        within_secs: Seconds,
    ) {
        let line = self.lines[id];
        self.learn_line(router, id, true);
        self.stops_ringing(id);
        self.lines[id].phase = Phase::Connecting;
        if let Some(contact) = line.contact {
            self.at_work[line.campaign].now.kept -= 1.0;
            return router.kept_answered(contact);
        }
        let contact = self.admit(router, &line);
        self.lines[id].contact = Some(contact);
        self.lines.note_contact(contact, id);
        router.call_answered(contact, within_secs);
    }

    /// The contact of a call, with its talk drawn.
    fn admit<O: Observer>(&self, router: &mut Played<'m, O>, line: &Line) -> ContactId {
        let of = self.at_work[line.campaign].model;
        let is_machine = line.answer == Answer::Machine;
        let talk_secs = if is_machine { MACHINE_NOTICED_SECS } else { of.talk_secs(line.key) };
        let contact = router.admit_call(of.id);
        let interval = router.host.clock.interval as u32;
        let customer =
            Customer { is_machine, work_left: talk_secs, ..Customer::new(line.key, interval) };
        router.host.customers.set(contact, customer);
        contact
    }

    /// Something has happened to a call in routing.
    fn follow<O: Observer>(
        &mut self,
        router: &mut Played<'m, O>,
        contact: ContactId,
        what: Called,
    ) {
        let Some(id) = self.lines.of_contact(contact) else { return };
        let line = self.lines[id];
        let is_person = line.answer == Answer::Person;
        let interval = router.host.clock.interval;
        self.stirred |= bit_of(line.campaign);
        self.account(router, line.campaign);
        match what {
            Called::Connected => {
                let at_work = &mut self.at_work[line.campaign];
                at_work.now.talking += 1.0;
                at_work.talking.push(id);
                at_work.talking_since.push(router.floor.now);
                self.lines[id].phase = Phase::Talking;
                self.lines[id].since = router.floor.now;
                if is_person {
                    at_work.dialler.learn(Learned::Connected);
                }
                count(router, line.campaign, interval, |tally| {
                    let count = if is_person {
                        &mut tally.conversations
                    } else {
                        &mut tally.machines_to_agents
                    };
                    *count += 1.0;
                });
            }
            Called::Finished => {
                let at_work = &mut self.at_work[line.campaign];
                match line.phase {
                    Phase::WrappingUp => at_work.now.wrapping_up -= 1.0,
                    _ => {
                        at_work.now.talking -= 1.0;
                        at_work.now.lines -= 1.0;
                    }
                }
                if let Some(at) = at_work.talking.iter().position(|&other| other == id) {
                    at_work.talking.swap_remove(at);
                    at_work.talking_since.swap_remove(at);
                }
                at_work.dialler.learn(Learned::Handled(router.floor.now - line.since));
                let end = if is_person { self.talked(&line) } else { CallEnd::Machine };
                self.close_contact(router, id, contact, end);
            }
            Called::Ended(End::NotConnected) => {
                self.at_work[line.campaign].now.lines -= 1.0;
                if is_person {
                    count(router, line.campaign, interval, |tally| tally.abandoned += 1.0);
                    self.abandons(router, &line);
                }
                let end = if is_person { CallEnd::Abandoned } else { CallEnd::Machine };
                self.close_contact(router, id, contact, end);
            }
            // The message was heard, or its way on was taken.
            Called::Ended(_) => {
                self.at_work[line.campaign].now.lines -= 1.0;
                if is_person {
                    count(router, line.campaign, interval, |tally| tally.conversations += 1.0);
                }
                let end = if is_person { self.talked(&line) } else { CallEnd::Machine };
                self.close_contact(router, id, contact, end);
            }
        }
    }

    /// What a conversation has come to.
    fn talked(&self, line: &Line) -> CallEnd {
        let drawn = line.key.uniform(Purpose::OUTCOME);
        let mut sum = 0.0;
        let outcomes = &self.at_work[line.campaign].model.campaign.outcomes;
        let outcome = outcomes.iter().find(|outcome| {
            sum += outcome.share;
            drawn < sum
        });
        CallEnd::Talked { again_after_secs: outcome.and_then(|outcome| outcome.again_after_secs) }
    }

    fn close_contact<O: Observer>(
        &mut self,
        router: &Played<'m, O>,
        id: usize,
        contact: ContactId,
        end: CallEnd,
    ) {
        self.lines.forget_contact(contact);
        self.close(router, id, end);
    }

    /// A call is over.
    fn close<O: Observer>(&mut self, router: &Played<'m, O>, id: usize, end: CallEnd) {
        let line = self.lines.close(id);
        let at_work = &mut self.at_work[line.campaign];
        at_work.dialler.call_over(line.person, router.floor.now, end);
        // Somebody may be due earlier than was planned.
        let is_under_way = at_work.is_under_way();
        if at_work.dialler.next_look(router.floor.now, is_under_way) < at_work.looks_at {
            at_work.looks = None;
        }
    }

    fn stops_ringing(&mut self, id: usize) {
        let at_work = &mut self.at_work[self.lines[id].campaign];
        if let Some(at) = at_work.ringing.iter().position(|&other| other == id) {
            at_work.ringing.swap_remove(at);
            at_work.ringing_since.swap_remove(at);
        }
    }

    /// Accounts for the time until now, before what a campaign's agents or lines do changes.
    fn account<O: Observer>(&mut self, router: &mut Played<'m, O>, place: usize) {
        let now = router.floor.now;
        let at_work = &mut self.at_work[place];
        let from = std::mem::replace(&mut at_work.since, now);
        let busy = at_work.now;
        let dialling = f64::from(u8::from(busy.is_dialling));
        let (interval_secs, last) = (self.model.interval_secs, self.model.intervals - 1);
        let mut begins = from;
        while begins < now {
            let interval = ((begins / interval_secs) as usize).min(last);
            let ends =
                if interval == last { now } else { now.min((interval + 1) as f64 * interval_secs) };
            // A moment on the very edge of an interval belongs to the next one.
            let ends = if ends > begins { ends } else { now };
            let secs = ends - begins;
            count(router, place, interval, |tally| {
                tally.dialling_secs += dialling * secs;
                tally.on_shift_secs += dialling * busy.on_shift * secs;
                tally.free_secs += dialling * busy.free * secs;
                tally.looking_secs += busy.looking * secs;
                tally.kept_secs += busy.kept * secs;
                tally.talking_secs += busy.talking * secs;
                tally.wrapping_up_secs += busy.wrapping_up * secs;
                tally.line_secs += busy.lines * secs;
            });
            begins = ends;
        }
    }
}

/// Counts something of a campaign in an interval.
fn count<O: Observer>(
    router: &mut Played<'_, O>,
    campaign: usize,
    interval: usize,
    count: impl Fn(&mut CampaignTally),
) {
    let Simulation { model, observer, .. } = &mut router.host;
    observer.count_campaign(model, campaign, interval, count);
}
