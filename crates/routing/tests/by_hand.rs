//! Routing driven by hand: a host that does nothing by itself, so that every input is the test's.

use std::collections::HashMap;
use std::num::NonZeroU32;

use barometer_routing::{
    AgentId, Arrival, CallbackId, CallbackOffered, CampaignId, CompiledStrategy, Contact,
    ContactId, ContactTypeId, End, Floor, Host, Id, Interrupted, Observation, Phase, Reply,
    Ringing, Router, Seconds, ServicePointId, Setting, State, Stays, StepId, Timer, TimerToken,
    Work,
};
use barometer_strategy::{
    Campaign, Channel, HuntGroup, Member, Members, Next, OfferOrder, Offering, StepKind,
    Strategy as Routes, WhoRings,
};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use proptest::prelude::*;

/// Keeps timers until the test lets them fire, and what it was told in words.
#[derive(Debug, Default)]
struct Bench {
    timers: Vec<(Seconds, ContactId, Timer, TimerToken)>,
    set: u32,
    said: Vec<String>,
    /// Devices that ring.
    ringing: HashMap<AgentId, ContactId>,
    /// Who is connected to whom.
    connected: HashMap<ContactId, AgentId>,
    answered: u32,
    ended: u32,
}

impl Host for Bench {
    fn set_timer(
        &mut self,
        floor: &Floor,
        at: Seconds,
        contact: ContactId,
        timer: Timer,
    ) -> TimerToken {
        assert!(at >= floor.now, "{timer:?} is set for a moment that is over");
        self.set += 1;
        let token = TimerToken(NonZeroU32::new(self.set).expect("counted from 1"));
        self.timers.push((at, contact, timer, token));
        token
    }

    fn answers_at_once(&self, _: &Floor, _: AgentId) -> bool {
        false
    }

    fn ring(&mut self, _: &Floor, contact: ContactId, agent: AgentId, _: Seconds) {
        assert_eq!(self.ringing.insert(agent, contact), None, "a device rings for one contact");
        self.said.push(format!("{} rings {}", agent.place(), contact.place()));
    }

    fn stop_ringing(&mut self, _: &Floor, contact: ContactId, agent: AgentId) {
        assert_eq!(self.ringing.remove(&agent), Some(contact), "only what rings can stop");
        self.said.push(format!("{} stops", agent.place()));
    }

    fn connect(&mut self, _: &Floor, contact: ContactId, agent: AgentId) {
        assert_eq!(self.connected.insert(contact, agent), None, "a contact has one agent");
        self.answered += 1;
        self.said.push(format!("{} answers {}", agent.place(), contact.place()));
    }

    fn call_back(&mut self, _: &Floor, _: ContactId, _: CallbackId) -> Reply {
        Reply::Later
    }

    fn disconnect(&mut self, _: &Floor, contact: ContactId, _: AgentId, _: Interrupted) {
        self.connected.remove(&contact);
    }

    fn holds(&mut self, _: &Floor, _: AgentId, _: u32) {}

    fn play(&mut self, _: &Floor, _: ContactId, _: StepId) {}

    fn wait(&mut self, _: &Floor, _: ContactId) {}

    fn announce(&mut self, _: &Floor, _: ContactId, _: ServicePointId, _: usize) -> Stays {
        Stays::On
    }

    fn offer_callback(&mut self, _: &Floor, _: ContactId, _: CallbackOffered) -> Reply {
        Reply::Declined
    }

    fn share_applies(&self, _: &Floor, _: ContactId, _: u64, _: f64) -> bool {
        false
    }

    fn order_at_random(&self, _: &Floor, contact: ContactId, offer: u32, place: usize) -> f64 {
        f64::from((contact.place() as u32 * 31 + offer * 17 + place as u32 * 7) % 10) / 10.0
    }

    fn mean_handle_secs(&self, _: &Floor, _: ContactId) -> Seconds {
        180.0
    }

    fn work_made(&mut self, _: &Floor, _: ContactId, _: ContactId) {}

    fn leaves_when_free(&mut self, _: &Floor, _: AgentId) -> bool {
        false
    }

    fn observe(&mut self, _: &Floor, what: Observation) {
        match what {
            Observation::Finished { contact, .. } => {
                self.connected.remove(&contact);
                self.ended += 1;
            }
            Observation::Ended { contact, how } => {
                self.connected.remove(&contact);
                self.ended += 1;
                self.said.push(format!("{} ends: {how:?}", contact.place()));
            }
            _ => {}
        }
    }
}

fn group(ranks: &[u32], offering: Offering) -> Routes {
    let mut strategy = Routes::plain("Bookings");
    let team = strategy.teams[0].clone();
    strategy.teams.clear();
    let mut members = Vec::new();
    for (nth, rank) in ranks.iter().enumerate() {
        let mut of_one = team.clone();
        of_one.id = format!("team-{nth}");
        of_one.name = format!("Team {nth}");
        members.push(Member { who: Members::Team(of_one.id.clone()), rank: *rank, wave: 0 });
        strategy.teams.push(of_one);
    }
    strategy.steps[0].does = StepKind::HuntGroup(HuntGroup {
        short_number: None,
        recording: None,
        members,
        rings: WhoRings::SignedIn,
        waves_secs: Vec::new(),
        group_limit_secs: None,
        places: None,
        priority: 0,
        offering,
        exits: Default::default(),
    });
    strategy
}

fn compiled(strategy: &Routes) -> CompiledStrategy {
    let setting = Setting {
        start: Timestamp::UNIX_EPOCH,
        secs: 36_000.0,
        zone: &TimeZone::UTC,
        contact_types: &[("Bookings", Channel::Call)],
        people: &vec![1; strategy.teams.len()],
    };
    CompiledStrategy::compile(strategy, &setting).expect("it has no faults")
}

/// A router whose agents are all signed in.
fn staffed(strategy: &CompiledStrategy) -> Router<'_, Bench> {
    let mut router = Router::new(strategy, Bench::default());
    for nth in 0..strategy.agents.len() {
        router.sign_in(AgentId::at(nth));
    }
    router
}

fn caller(router: &mut Router<'_, Bench>) -> ContactId {
    let arrival = Arrival { contact_type: ContactTypeId::at(0), profile: None, last_agent: None };
    let contact = router.admit(arrival);
    router.come_in(contact);
    contact
}

/// A queue of one agent who is a campaign's agent as well.
fn with_campaign() -> Routes {
    let mut strategy = Routes::plain("Bookings");
    strategy.campaigns = vec![Campaign::named("news", "News", "team")];
    strategy
}

#[test]
fn an_agent_kept_for_a_call_takes_nothing_else_until_it_comes_to_nothing() {
    let strategy = with_campaign();
    let compiled = compiled(&strategy);
    let mut router = staffed(&compiled);
    let news = CampaignId::at(0);
    assert_eq!((router.free_agents(news), router.campaign_agents_on_shift(news)), (1, 1));
    let call = router.admit_call(news);
    assert_eq!(router.keep_agent(call), Some(AgentId::at(0)));
    assert_eq!(router.free_agents(news), 0);
    let second = router.admit_call(news);
    assert_eq!(router.keep_agent(second), None, "nobody else is free");
    let waits = caller(&mut router);
    assert!(router.floor.contacts[waits].is_in_line(), "an inbound contact waits for the agent");
    router.kept_not_answered(call);
    assert_eq!(router.host.ringing.get(&AgentId::at(0)), Some(&waits), "and is offered next");
    router.agent_answers(AgentId::at(0));
    // What comes too late changes nothing.
    router.kept_answered(call);
    router.kept_not_answered(call);
    assert_eq!(router.host.connected.get(&waits), Some(&AgentId::at(0)));
}

#[test]
fn whoever_answers_a_call_waits_for_an_agent_no_longer_than_allowed() {
    let strategy = with_campaign();
    let compiled = compiled(&strategy);
    let mut router = staffed(&compiled);
    let news = CampaignId::at(0);
    let call = router.admit_call(news);
    assert_eq!(router.keep_agent(call), Some(AgentId::at(0)));
    router.kept_answered(call);
    assert_eq!(router.host.connected.get(&call), Some(&AgentId::at(0)));
    // Nobody is free: at once where no time is allowed, else when it is over.
    let hasty = router.admit_call(news);
    router.call_answered(hasty, 0.0);
    let patient = router.admit_call(news);
    router.call_answered(patient, 2.0);
    assert!(router.floor.contacts[patient].is_in_line());
    let (at, contact, timer, token) =
        *router.host.timers.last().expect("the two seconds are counted");
    assert_eq!((at, contact, timer), (2.0, patient, Timer::LimitOver));
    router.advance(at);
    router.timer_fires(contact, timer, token);
    let lost = router.host.said.iter().filter(|said| said.ends_with("ends: NotConnected"));
    assert_eq!(lost.count(), 2);
}

#[test]
fn an_agent_who_becomes_free_takes_an_inbound_contact_before_a_campaigns_call() {
    let strategy = with_campaign();
    let compiled = compiled(&strategy);
    let mut router = staffed(&compiled);
    let first = caller(&mut router);
    router.agent_answers(AgentId::at(0));
    let call = router.admit_call(CampaignId::at(0));
    router.call_answered(call, 5.0);
    let inbound = caller(&mut router);
    router.finish(first);
    assert_eq!(router.host.ringing.get(&AgentId::at(0)), Some(&inbound), "though it came later");
}

/// Lets the next timer fire, stale or not.
fn next_timer(router: &mut Router<'_, Bench>) {
    let timers = &mut router.host.timers;
    let Some(soonest) = (0..timers.len()).min_by(|&a, &b| timers[a].0.total_cmp(&timers[b].0))
    else {
        return;
    };
    let (at, contact, timer, token) = timers.remove(soonest);
    router.advance(at.max(router.floor.now));
    router.timer_fires(contact, timer, token);
}

fn said(router: &mut Router<'_, Bench>) -> Vec<String> {
    std::mem::take(&mut router.host.said)
}

fn ring_for(secs: f64, order: OfferOrder) -> Offering {
    Offering { order, ring_window_secs: Some(secs), ..Offering::default() }
}

#[test]
fn an_offer_goes_from_member_to_member_until_one_answers() {
    let strategy = group(&[1, 1, 2], ring_for(15.0, OfferOrder::TopDown));
    let strategy = compiled(&strategy);
    let mut router = staffed(&strategy);
    let first = caller(&mut router);
    next_timer(&mut router);
    assert_eq!(said(&mut router), ["0 rings 0", "0 stops", "1 rings 0"]);
    router.agent_declines(AgentId::at(1));
    assert_eq!(
        said(&mut router),
        ["1 stops", "2 rings 0"],
        "the second rank, once the first is tried"
    );
    router.agent_answers(AgentId::at(2));
    assert_eq!(said(&mut router), ["2 stops", "2 answers 0"]);
    // The timer of the ring window that was cut short is stale.
    next_timer(&mut router);
    assert_eq!(said(&mut router), Vec::<String>::new());
    router.talk_ends(first);
    router.finish(first);
    assert!(matches!(router.floor.contacts[first].state, State::Ended));
}

#[test]
fn devices_of_all_ring_together_and_one_that_declines_falls_silent_alone() {
    let strategy = group(&[1, 1, 1], ring_for(20.0, OfferOrder::AllAtOnce));
    let strategy = compiled(&strategy);
    let mut router = staffed(&strategy);
    let first = caller(&mut router);
    assert_eq!(said(&mut router), ["0 rings 0", "1 rings 0", "2 rings 0"]);
    router.agent_declines(AgentId::at(1));
    assert_eq!(said(&mut router), ["1 stops"]);
    assert!(matches!(
        router.floor.contacts[first].state,
        State::InLine(_, Phase::Ringing { at: Ringing::Rank(_), .. })
    ));
    router.agent_answers(AgentId::at(2));
    let told = said(&mut router);
    assert!(told.contains(&"0 stops".to_owned()) && told.contains(&"2 answers 0".to_owned()));
    assert!(router.host.ringing.is_empty(), "nobody rings for a contact that is answered");
}

#[test]
fn a_caller_who_hangs_up_silences_the_device_and_the_next_one_rings() {
    let strategy = group(&[1], ring_for(15.0, OfferOrder::LongestIdle));
    let strategy = compiled(&strategy);
    let mut router = staffed(&strategy);
    let first = caller(&mut router);
    let second = caller(&mut router);
    assert_eq!(said(&mut router), ["0 rings 0"]);
    router.advance(5.0);
    router.hang_up(first);
    let told = said(&mut router);
    assert_eq!(told.iter().filter(|each| *each == "0 stops").count(), 1);
    assert!(told.contains(&"0 rings 1".to_owned()), "{told:?}");
    // An answer now is the second caller's, whatever the agent thought.
    router.agent_answers(AgentId::at(0));
    assert_eq!(router.host.connected[&second], AgentId::at(0));
    // Inputs that do not fit change nothing.
    for late in [first, second] {
        router.hang_up(late);
        router.key_pressed(late, Some(0));
        router.callback_reached(late);
    }
    assert!(matches!(
        router.floor.contacts[second].state,
        State::WithAgent { work: Work::Talking, .. }
    ));
}

#[test]
fn round_robin_goes_on_behind_the_one_who_was_offered_last() {
    let strategy = group(&[1, 1, 1], ring_for(15.0, OfferOrder::RoundRobin));
    let strategy = compiled(&strategy);
    let mut router = staffed(&strategy);
    let mut rung = Vec::new();
    for _ in 0..6 {
        let contact = caller(&mut router);
        let agent = *router.host.ringing.keys().next().unwrap();
        rung.push(agent.place());
        router.agent_answers(agent);
        router.talk_ends(contact);
        router.finish(contact);
    }
    assert_eq!(rung, [0, 1, 2, 0, 1, 2]);
}

#[test]
fn an_agent_who_signs_out_while_ringing_is_passed_over() {
    let strategy = group(&[1, 1], ring_for(15.0, OfferOrder::TopDown));
    let strategy = compiled(&strategy);
    let mut router = staffed(&strategy);
    let first = caller(&mut router);
    said(&mut router);
    router.sign_out(AgentId::at(0));
    assert_eq!(router.host.ringing, HashMap::from([(AgentId::at(1), first)]));
    router.agent_answers(AgentId::at(0));
    assert_eq!(router.host.answered, 0, "a device that does not ring answers nothing");
}

/// Anything that may happen to a floor.
#[derive(Clone, Debug)]
enum Happens {
    Caller,
    HangUp(usize),
    Answer(usize),
    Decline(usize),
    TalkEnds(usize),
    Finish(usize),
    SignIn(usize),
    SignOut(usize),
    Timer,
    NewDay,
}

fn happens() -> impl Strategy<Value = Happens> {
    prop_oneof![
        4 => Just(Happens::Caller),
        1 => (0..12usize).prop_map(Happens::HangUp),
        3 => (0..4usize).prop_map(Happens::Answer),
        1 => (0..4usize).prop_map(Happens::Decline),
        2 => (0..12usize).prop_map(Happens::TalkEnds),
        2 => (0..12usize).prop_map(Happens::Finish),
        1 => (0..4usize).prop_map(Happens::SignIn),
        1 => (0..4usize).prop_map(Happens::SignOut),
        4 => Just(Happens::Timer),
        1 => Just(Happens::NewDay),
    ]
}

/// What must be true at every moment.
fn check(router: &Router<'_, Bench>) {
    let floor = &router.floor;
    for (agent, contact) in &router.host.ringing {
        assert_eq!(floor.agents[*agent].ringing, Some(*contact), "host and floor agree on rings");
        assert!(matches!(floor.contacts[*contact].state, State::InLine(_, Phase::Ringing { .. })));
    }
    let rings = floor.agents.iter().filter(|agent| agent.ringing.is_some()).count();
    assert_eq!(rings, router.host.ringing.len());
    for (contact, agent) in &router.host.connected {
        assert!(
            matches!(floor.contacts[*contact].state, State::WithAgent { agent: with, .. } if with == *agent)
        );
    }
    let held: u32 = floor.agents.iter().map(|agent| agent.held).sum();
    assert_eq!(held as usize, router.host.connected.len(), "who is held is connected");
    let count = |is_meant: fn(&Phase) -> bool| {
        let phase = |contact: &Contact| match &contact.state {
            State::InLine(_, phase) => is_meant(phase),
            _ => false,
        };
        floor.contacts.iter().filter(|contact| phase(contact)).count()
    };
    let waiting: u32 = floor.service_points.iter().map(|point| point.waiting).sum();
    let offering: u32 = floor.service_points.iter().map(|point| point.offering).sum();
    assert_eq!(waiting as usize, count(|phase| !matches!(phase, Phase::Ringing { .. })));
    assert_eq!(
        offering as usize,
        count(|phase| matches!(phase, Phase::Ringing { .. } | Phase::InGap { .. }))
    );
}

proptest! {
    #[test]
    fn whatever_happens_the_floor_stays_true_and_every_contact_ends_once(
        second_call in any::<bool>(),
        parallel in any::<bool>(),
        gap_secs in prop_oneof![Just(0.0), Just(4.0)],
        places in prop_oneof![Just(None), Just(Some(3u32))],
        order in prop_oneof![
            Just(OfferOrder::TopDown), Just(OfferOrder::RoundRobin), Just(OfferOrder::LongestIdle),
            Just(OfferOrder::RoundRobinFresh), Just(OfferOrder::FewestAnswered),
            Just(OfferOrder::Random), Just(OfferOrder::AllAtOnce),
        ],
        story in proptest::collection::vec(happens(), 1..200),
    ) {
        let second_call = second_call && order != OfferOrder::AllAtOnce;
        let offering = Offering { gap_secs, parallel, second_call, ..ring_for(15.0, order) };
        let mut strategy = group(&[1, 1, 2, 2], offering);
        if let StepKind::HuntGroup(group) = &mut strategy.steps[0].does {
            group.places = places;
            group.group_limit_secs = Some(90.0);
        }
        let strategy = compiled(&strategy);
        let mut router = staffed(&strategy);
        let mut came = 0;
        for happened in story {
            let known = router.floor.contacts.iter().count();
            match happened {
                Happens::Caller => { caller(&mut router); came += 1; }
                Happens::Answer(agent) => router.agent_answers(AgentId::at(agent)),
                Happens::Decline(agent) => router.agent_declines(AgentId::at(agent)),
                Happens::SignIn(agent) if !router.floor.agents[AgentId::at(agent)].is_on_shift =>
                    router.sign_in(AgentId::at(agent)),
                Happens::SignOut(agent) if router.floor.agents[AgentId::at(agent)].is_on_shift =>
                    router.sign_out(AgentId::at(agent)),
                Happens::HangUp(at) if at < known => router.hang_up(ContactId::at(at)),
                Happens::TalkEnds(at) if at < known => router.talk_ends(ContactId::at(at)),
                Happens::Finish(at) if at < known => router.finish(ContactId::at(at)),
                Happens::Timer => next_timer(&mut router),
                Happens::NewDay => router.new_day(),
                _ => {}
            }
            check(&router);
        }
        let under_way = router.floor.contacts.iter()
            .filter(|contact| !matches!(contact.state, State::Ended))
            .count();
        prop_assert_eq!(came, router.host.ended as usize + under_way);
    }
}

#[test]
fn a_contact_that_nobody_is_there_for_leaves_by_no_staff() {
    let mut strategy = group(&[1], ring_for(15.0, OfferOrder::TopDown));
    if let StepKind::HuntGroup(group) = &mut strategy.steps[0].does {
        group.exits.no_staff_at_arrival = Some(Next::BusyTone);
    }
    let strategy = compiled(&strategy);
    let mut router = Router::new(&strategy, Bench::default());
    caller(&mut router);
    assert_eq!(said(&mut router), [format!("0 ends: {:?}", End::Blocked)]);
}

#[test]
fn an_agent_who_is_on_a_contact_already_is_offered_nothing_until_it_is_finished() {
    let strategy = group(&[1, 1], ring_for(15.0, OfferOrder::TopDown));
    let strategy = compiled(&strategy);
    let mut router = staffed(&strategy);
    let held = router.occupy(AgentId::at(0), ContactTypeId::at(0)).expect("there is room");
    assert_eq!(router.occupy(AgentId::at(0), ContactTypeId::at(0)), None, "one call at a time");
    assert_eq!(router.floor.agents[AgentId::at(0)].held, 1);
    caller(&mut router);
    assert_eq!(said(&mut router), ["1 rings 1"], "the first in the list is busy");
    router.finish(held);
    assert_eq!(router.floor.agents[AgentId::at(0)].held, 0);
    caller(&mut router);
    assert_eq!(said(&mut router), ["0 rings 0"], "the number of the ended contact is used again");
}

#[test]
fn an_agent_who_is_not_on_shift_cannot_be_occupied() {
    let strategy = group(&[1], ring_for(15.0, OfferOrder::TopDown));
    let strategy = compiled(&strategy);
    let mut router = Router::new(&strategy, Bench::default());
    assert_eq!(router.occupy(AgentId::at(0), ContactTypeId::at(0)), None);
}
