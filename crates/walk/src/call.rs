//! A campaign's call followed: whether it is dialled, the line, and the agent.
//!
//! Whether and when somebody is called is the dialler's decision, with a list of this one person; which agent
//! is kept or connected is routing's. Here is only the line between the two, with times as the campaign
//! assumes them on average.

use barometer_dialling::carrier::{BUSY_AFTER_SECS, MACHINE_NOTICED_SECS};
use barometer_dialling::pacing::Situation;
use barometer_dialling::{CallEnd, CallingTimes, Detection, Dialler, PersonId};
use barometer_routing::{CampaignId, ContactId, Router, Seconds, Serves, ServicePointId};
use barometer_strategy::{Campaign, Duration, MachineAction, Pacing};
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};

use crate::called::{Answers, Called};
use crate::host::{Due, Follower, counted, plain};
use crate::walk::{WalkEnd, What};

/// Days for which it is known when the person may be called.
const DAYS_AHEAD: f64 = 8.0;
const DAY_SECS: f64 = 86_400.0;

/// What the line does.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Phase {
    /// The person's turn has not come.
    Before,
    /// The agent looks at who is next.
    Looking,
    /// The line rings.
    Ringing,
    /// Detection listens.
    Deciding,
    /// Routing has the contact, or the call is over.
    Over,
}

/// One call.
pub(crate) struct Call<'a> {
    called: &'a Called,
    campaign: &'a Campaign,
    id: CampaignId,
    dialler: Dialler<'a>,
    inbound_points: Vec<ServicePointId>,
    start: Timestamp,
    centre: &'a TimeZone,
    own: TimeZone,
    phase: Phase,
    person: Option<PersonId>,
    contact: Option<ContactId>,
    /// Why it was not dialled yet, as was told last.
    told_why: Option<String>,
}

type Walked<'m, 'f> = Router<'m, Follower<'f>>;

impl<'a> Call<'a> {
    /// The call to a person who is all of the campaign's list.
    pub fn of(
        called: &'a Called,
        campaign: &'a Campaign,
        (start, centre): (Timestamp, &'a TimeZone),
        (id, inbound_points): (CampaignId, Vec<ServicePointId>),
    ) -> Self {
        let times = CallingTimes::of(campaign, start, DAYS_AHEAD * DAY_SECS, centre);
        let own = called.zone.as_ref().and_then(|zone| TimeZone::get(zone).ok());
        Self {
            dialler: Dialler::of(campaign, times),
            own: own.unwrap_or_else(|| centre.clone()),
            phase: Phase::Before,
            person: None,
            contact: None,
            told_why: None,
            called,
            campaign,
            id,
            inbound_points,
            start,
            centre,
        }
    }

    /// Lets the campaign decide, where the person's turn has not come.
    pub fn go_on(&mut self, router: &mut Walked<'_, '_>) {
        if self.phase != Phase::Before {
            return;
        }
        if let Some(never) = self.never(router.floor.now) {
            let told = format!("{never}{}", self.next_moment(router.floor.now));
            return self.close(router, WalkEnd::NotCalled, &told);
        }
        if let Some(why) = self.not_yet(router) {
            if self.told_why.as_ref() != Some(&why) {
                self.note(router, What::NotDialled, &why);
                self.told_why = Some(why);
            }
            return;
        }
        self.begin(router);
    }

    /// Why the person is not called at this moment, even if agents are free.
    fn never(&self, now: Seconds) -> Option<String> {
        let (campaign, times) = (self.campaign, self.dialler.times());
        if let Some(reason) = &campaign.paused_because {
            return Some(format!("“{}” is paused: {reason}.", campaign.name));
        }
        if !times.is_dialling(now) {
            let at = self.clock(self.centre, now);
            return Some(format!("“{}” does not dial on {at}.", campaign.name));
        }
        if self.dialler.book.left() == 0 {
            let most = campaign.retries.most_in_all;
            return Some(format!("The person has been called {most} times, which is the most."));
        }
        if !times.is_open(0, now) {
            let at = self.clock(&self.own, now);
            let hours = campaign.local_hours;
            let within = self.called.hours.map_or(Some(hours), |own| hours.within(own));
            let within = within.map_or("never".to_owned(), |hours| {
                format!("{} to {}", hours.from.strftime("%H:%M"), hours.until.strftime("%H:%M"))
            });
            return Some(format!("It is {at} where the person lives, who may be called {within}."));
        }
        None
    }

    /// When both clocks allow the call next: " From Monday 13:00 on it may be dialled."
    fn next_moment(&self, after: Seconds) -> String {
        if self.campaign.paused_because.is_some() || self.dialler.book.is_used_up() {
            return String::new();
        }
        self.open_from(after).map_or_else(String::new, |at| {
            format!(" It may be dialled from {} on.", self.clock(self.centre, at))
        })
    }

    /// The first moment from one on at which both clocks allow a call.
    fn open_from(&self, from: Seconds) -> Option<Seconds> {
        let open = self.dialler.times().open(0).iter();
        open.map(|&(begins, until)| (begins.max(from), until))
            .find(|(begins, until)| begins < until)
            .map(|(begins, _)| begins)
            .filter(|&at| at < DAYS_AHEAD * DAY_SECS)
    }

    /// Why no call is begun at this moment; none where one is.
    fn not_yet(&mut self, router: &Walked<'_, '_>) -> Option<String> {
        let blending = &self.campaign.blending;
        if let Some(most) = blending.pause_at_waiting {
            let waiting = router.floor.waiting_at(&self.inbound_points);
            if waiting >= most {
                let waiting =
                    counted(waiting, "", "inbound contact waits", "inbound contacts wait");
                return Some(format!("The campaign gives way: {waiting} for its agents."));
            }
        }
        let now = router.floor.now;
        let free = router.free_agents(self.id);
        let at = Situation {
            now,
            free: free.saturating_sub(blending.kept_free),
            owed: blending.kept_free.saturating_sub(free),
            on_shift: router.campaign_agents_on_shift(self.id),
            left_secs: self.dialler.stretch(now).left_secs(now),
            left_people: self.dialler.book.left(),
            talking_since: &[],
            ringing_since: &[],
        };
        if self.dialler.calls_to_begin(&at, 0, 1.0) > 0 {
            return None;
        }
        Some(match (free, at.free) {
            (0, _) => "No agent of the campaign is free: nothing is dialled.".to_owned(),
            (free, 0) => format!(
                "{}, {} left for inbound contacts: nothing is dialled.",
                counted(free, "", "agent is free", "agents are free"),
                counted(blending.kept_free, "", "is", "are")
            ),
            _ => "Its caps allow no line.".to_owned(),
        })
    }

    fn begin(&mut self, router: &mut Walked<'_, '_>) {
        self.person = self.dialler.next_person(router.floor.now);
        let is_served = matches!(router.strategy().campaigns[self.id].serves, Serves::Agents(_));
        if self.campaign.pacing.keeps_an_agent() && is_served {
            let contact = router.admit_call(self.id);
            let Some(agent) = router.keep_agent(contact) else {
                if let Some(person) = self.person.take() {
                    self.dialler.book.put_back(person, router.floor.now);
                }
                return;
            };
            self.contact = Some(contact);
            router.host.follow(contact);
            let name = router.host.agent_name(agent);
            let told = format!("{name} is kept for the call.");
            self.note(router, What::Kept(name), &told);
        }
        let looks = match &self.campaign.pacing {
            Pacing::ByHand { look_up: look } | Pacing::Preview { look, .. } => Some(look),
            Pacing::Progressive {} | Pacing::Steady { .. } | Pacing::Predictive {} => None,
        };
        match looks.map(Duration::mean_secs) {
            Some(secs) => {
                self.note(router, What::Looks, &format!("The agent looks for {} s.", plain(secs)));
                self.goes_on_at(router, secs, Phase::Looking);
            }
            None => self.ring(router),
        }
    }

    /// The number is dialled.
    fn ring(&mut self, router: &mut Walked<'_, '_>) {
        let shown = match self.campaign.caller_number.as_str() {
            "" => "no number is shown".to_owned(),
            number => format!("{number} is shown"),
        };
        self.note(router, What::Dialled, &format!("The number is dialled; {shown}."));
        let (_, secs) = self.rings_for();
        self.goes_on_at(router, secs, Phase::Ringing);
    }

    /// What comes of the line, and after how many seconds.
    fn rings_for(&self) -> (Answers, Seconds) {
        let (assumed, limit) = (&self.campaign.assumed, self.campaign.ring_limit_secs);
        let secs = match self.called.answers {
            Answers::Person => assumed.ring.mean_secs(),
            Answers::Machine => assumed.machine_ring.mean_secs(),
            Answers::Busy => BUSY_AFTER_SECS,
            Answers::Nobody => {
                assumed.unanswered_ring.as_ref().map_or(limit, |ring| ring.mean_secs().min(limit))
            }
        };
        if secs > limit { (Answers::Nobody, limit) } else { (self.called.answers, secs) }
    }

    /// What the line does is over.
    pub fn line_over(&mut self, router: &mut Walked<'_, '_>) {
        match self.phase {
            Phase::Looking => self.ring(router),
            Phase::Ringing => self.rang(router),
            Phase::Deciding => self.decided(router),
            Phase::Before | Phase::Over => {}
        }
    }

    fn rang(&mut self, router: &mut Walked<'_, '_>) {
        let (answers, secs) = self.rings_for();
        let secs = plain(secs);
        match answers {
            Answers::Nobody => {
                let told = format!("Nobody answers within {secs} s.");
                self.comes_to_nothing(router, CallEnd::NoAnswer, &told);
            }
            Answers::Busy => {
                self.comes_to_nothing(router, CallEnd::Busy, "The line is busy.");
            }
            Answers::Person | Answers::Machine => {
                let who = if answers == Answers::Person { "A person" } else { "A machine" };
                self.note(router, What::LineAnswered, &format!("{who} answers after {secs} s."));
                match self.detection() {
                    Some(detection) => {
                        let told = format!(
                            "Detection listens for {} s; it takes {:.1} % of people for machines.",
                            plain(detection.decide_secs),
                            100.0 * detection.people_taken_for_machines
                        );
                        self.note(router, What::Detects, &told);
                        self.goes_on_at(router, detection.decide_secs, Phase::Deciding);
                    }
                    None => self.connect(router, self.campaign.connect_within_secs),
                }
            }
        }
    }

    fn detection(&self) -> Option<Detection> {
        self.campaign.machines.sensitivity.map(Detection::of)
    }

    fn decided(&mut self, router: &mut Walked<'_, '_>) {
        let decide_secs = self.detection().map_or(0.0, |detection| detection.decide_secs);
        let left_secs = (self.campaign.connect_within_secs - decide_secs).max(0.0);
        match (self.called.answers, &self.campaign.machines.action) {
            (Answers::Machine, MachineAction::Release) => {
                let told = "It is taken for a machine and released.";
                self.comes_to_nothing(router, CallEnd::Machine, told);
            }
            (Answers::Machine, MachineAction::Message { secs }) => {
                let told = format!("A message is left after the tone, {} s.", plain(*secs));
                self.comes_to_nothing(router, CallEnd::Machine, &told);
            }
            _ => self.connect(router, left_secs),
        }
    }

    /// An agent is needed, or the message begins.
    fn connect(&mut self, router: &mut Walked<'_, '_>, within_secs: Seconds) {
        self.phase = Phase::Over;
        let is_message = matches!(router.strategy().campaigns[self.id].serves, Serves::Message(_));
        if self.called.answers == Answers::Machine && !is_message {
            let secs = plain(MACHINE_NOTICED_SECS);
            let told = format!("An agent is connected, and needs {secs} s to notice the machine.");
            return self.comes_to_nothing(router, CallEnd::Machine, &told);
        }
        if let Some(contact) = self.contact {
            return router.kept_answered(contact);
        }
        let contact = router.admit_call(self.id);
        self.contact = Some(contact);
        router.host.follow(contact);
        if !is_message {
            let told = format!("An agent must be there within {} s.", plain(within_secs));
            self.note(router, What::LineAnswered, &told);
        }
        router.call_answered(contact, within_secs);
    }

    /// A call ends for which no agent is needed.
    fn comes_to_nothing(&mut self, router: &mut Walked<'_, '_>, end: CallEnd, told: &str) {
        let told = format!("{told} {}", self.again(router.floor.now, end));
        self.close(router, WalkEnd::NotReached, &told);
    }

    /// Nothing more happens: whether there is another call, or why there was none.
    pub fn over(&mut self, router: &mut Walked<'_, '_>) {
        if self.phase == Phase::Before && !router.host.is_over() {
            self.close(router, WalkEnd::NotCalled, "Nothing is dialled as long as that is so.");
        }
        if router.host.has_ended(WalkEnd::NotConnected) {
            let told = self.again(router.floor.now, CallEnd::Abandoned);
            self.note(router, What::Again, &told);
        }
    }

    /// When the person is called again after a call that ended so.
    fn again(&mut self, now: Seconds, end: CallEnd) -> String {
        let Some(person) = self.person else { return String::new() };
        self.dialler.call_over(person, now, end);
        match self.dialler.book.next_due(now) {
            at if at.is_finite() => match self.open_from(at) {
                Some(at) => {
                    format!("The next call is not before {}.", self.clock(self.centre, at))
                }
                None => format!("The next call is more than {DAYS_AHEAD} days away."),
            },
            _ => "The person is not called again.".to_owned(),
        }
    }

    fn goes_on_at(&mut self, router: &mut Walked<'_, '_>, after: Seconds, phase: Phase) {
        self.phase = phase;
        router.host.plan(router.floor.now + after, Due::Line);
    }

    fn close(&mut self, router: &mut Walked<'_, '_>, end: WalkEnd, told: &str) {
        self.phase = Phase::Over;
        self.note(router, What::Ended(end), told);
        router.host.settle(&router.floor, end);
    }

    fn note(&self, router: &mut Walked<'_, '_>, what: What, told: &str) {
        router.host.note(&router.floor, what, None, None, told.to_owned());
    }

    fn clock(&self, zone: &TimeZone, secs: Seconds) -> String {
        let at = self.start.saturating_add(SignedDuration::from_secs_f64(secs));
        let at = at.map_or(DateTime::MAX, |at| at.to_zoned(zone.clone()).datetime());
        at.strftime("%A %H:%M").to_string()
    }
}
