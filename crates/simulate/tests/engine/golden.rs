//! The same seeds give the same bytes: ten strategies that together use every kind of step and every
//! setting. A change that is meant to change nothing leaves these digests alone; one that mends a
//! fault says in its commit which of them it changes and why.

use std::fmt::Write;

use barometer_simulate::{End, Estimate, EventLog, Summary, What};
use barometer_strategy::{
    Announcement, Assistant, Callback, CallbackOffer, Channel, ChannelSkill, Condition, Customers,
    Duration, HoursException, HoursGate, LabelRule, Labelling, Member, Members, Menu, MenuChoice,
    Next, OfferOrder, Offering, OnLeaving, OpenHours, Outside, Profile, Promise, Queue,
    QueueAnnouncement, Relaxation, Repeat, Route, Routing, Skill, StepKind, TryAgain, Voicemail,
    VoicemailWork, WantedSkill, Weekday, WhoRings,
};
use jiff::civil::{date, time};

use crate::fixture::Scene;

/// FNV-1a over everything that a planner can see of an experiment.
struct Digest(u64);

impl Digest {
    fn number(&mut self, bits: u64) {
        for byte in bits.to_le_bytes() {
            self.0 = (self.0 ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
        }
    }

    fn estimate(&mut self, estimate: Option<Estimate>) {
        let Some(Estimate { mean, error, .. }) = estimate else { return self.number(1) };
        self.number((mean + 0.0).to_bits());
        self.number(error.map_or(2, |error| (error + 0.0).to_bits()));
    }

    fn named(&mut self, named: Vec<(&'static str, Option<Estimate>)>) {
        named.into_iter().for_each(|(_, estimate)| self.estimate(estimate));
    }

    fn summary(&mut self, summary: &Summary, service_points: usize) {
        self.named(summary.day().named());
        summary.intervals().iter().for_each(|each| self.named(each.named()));
        for kind in 0..summary.type_count() {
            self.named(summary.of_type(kind).named());
            summary.type_intervals(kind).iter().for_each(|each| self.named(each.named()));
        }
        for point in 0..service_points {
            self.named(summary.of_service_point(point).named());
            let rows = summary.service_point_intervals(point);
            rows.iter().for_each(|each| self.named(each.named()));
        }
        for team in 0..summary.team_count() {
            summary.team_intervals(team).iter().for_each(|each| self.named(each.named()));
        }
        summary.agents().iter().for_each(|each| self.named(each.named()));
        summary.labels().iter().for_each(|each| self.named(each.named()));
        summary.flows().into_iter().for_each(|flow| self.estimate(Some(flow)));
        for sketch in summary.answer_waits().iter().chain(summary.abandon_waits()) {
            for (secs, count) in sketch.bins() {
                self.number(secs.to_bits());
                self.number(count);
            }
        }
    }

    fn log(&mut self, log: &EventLog) {
        for event in &log.events {
            let (code, which) = match event.what {
                What::Arrived => (0, 0),
                What::Reached { step } => (1, u32::from(step)),
                What::Joined { service_point } => (2, u32::from(service_point)),
                What::RingsAt { agent } => (3, agent),
                What::NotAnswered => (4, 0),
                What::Answered { agent } => (5, agent),
                What::Done { agent } => (6, agent),
                What::Ended { how } => (7, end_code(how)),
                What::CallbackPromised => (8, 0),
                What::AgentSignedIn { agent } => (9, agent),
                What::AgentSignedOut { agent } => (10, agent),
            };
            self.number(event.at_secs.to_bits());
            self.number(u64::from(event.contact) << 32 | u64::from(event.kind));
            self.number(code << 32 | u64::from(which));
        }
    }
}

const fn end_code(how: End) -> u32 {
    match how {
        End::Abandoned => 0,
        End::Released => 1,
        End::Blocked => 2,
        End::Voicemail => 3,
        End::Outside => 4,
        End::Contained => 5,
        End::CallbackFailed => 6,
        End::CutOff => 7,
        End::NotConnected => 8,
    }
}

/// A line of the golden: what was played, the digest of twelve replications, and enough figures to
/// see at a glance what kind of change a difference is.
fn line(name: &str, scene: &Scene) -> String {
    let experiment = scene.experiment(12, 20_261_127);
    let summary = experiment.play_part(0..12).unwrap();
    let mut digest = Digest(0xcbf2_9ce4_8422_2325);
    digest.summary(&summary, experiment.names().service_points.len());
    for replication in [0, 7] {
        digest.log(&experiment.log(replication).unwrap().1);
    }
    let day = summary.day();
    let (offered, answered) = (day.offered.mean, day.answered.mean);
    let waits = day.answer_secs.map_or(0.0, |secs| secs.mean);
    format!(
        "{name:<24} {:016x}  offered {offered:.2} answered {answered:.2} after {waits:.3} s",
        digest.0
    )
}

fn wanted(skill: &str, at_least: Option<u8>) -> WantedSkill {
    WantedSkill { skill: skill.to_owned(), at_least }
}

fn skill(skill: &str, level: Option<u8>) -> Skill {
    Skill { skill: skill.to_owned(), level }
}

fn chat_customers() -> Customers {
    Customers { channel: Channel::Chat, ..Customers::calls(300.0, Some(240.0)) }
}

fn no_work() -> StepKind {
    StepKind::Voicemail(Voicemail { work: None })
}

/// Places, the longest wait, the exits of a queue without people, wrap-up of both kinds, and demand
/// that is off its forecast.
fn limits() -> Scene {
    let mut scene = Scene::line(2.6, 8, 8).handled(180.0, Some(120.0));
    scene.cover.teams[0].people = barometer_simulate::People::Counted(vec![7, 8, 8, 0, 9, 3, 8, 0]);
    scene.queue().places = Some(6);
    scene.queue().longest_wait_secs = Some(75.0);
    scene.queue().offering.wrap_up_secs = 20.0;
    let exits = &mut scene.queue().exits;
    exits.full = Next::BusyTone;
    exits.too_long = Next::step("message");
    exits.no_staff_at_arrival = Some(Next::step("outside"));
    exits.no_staff_while_waiting = Some(Next::Release);
    scene.add_step("message", no_work());
    scene.add_step("outside", StepKind::Outside(Outside { number: "+353".to_owned() }));
    let customers = scene.customers();
    customers.wrap_up = Duration::Gamma { mean_secs: 25.0, variation: 0.6 };
    customers.handling = Duration::LogNormal { mean_secs: 170.0, variation: 0.8 };
    customers.patience = Some(Duration::Weibull { mean_secs: 90.0, shape: 1.4 });
    customers.after_abandoning =
        Some(TryAgain { share: 0.5, after: Duration::exponential(300.0), most_attempts: Some(4) });
    customers.after_blocked = Some(TryAgain {
        share: 0.7,
        after: Duration::Constant { secs: 200.0 },
        most_attempts: None,
    });
    scene.demand.types[0].luck = Some(barometer_simulate::DemandLuck {
        day_factors: vec![0.8, 1.0, 1.25],
        interval_variance: 0.05,
    });
    scene
}

/// Hours with exceptions, a menu, labels from all that a customer is, routes, an announcement, an
/// assistant, and two days of them.
fn journey() -> Scene {
    let mut scene = Scene::line(1.5, 96, 9).handled(200.0, Some(150.0));
    scene.demand.start = "2026-03-28T00:00:00Z".parse().unwrap();
    scene.demand.zone = jiff::tz::TimeZone::get("Europe/Dublin").unwrap();
    scene.demand.types[0].luck = Some(barometer_simulate::DemandLuck {
        day_factors: vec![0.9, 1.1],
        interval_variance: 0.0,
    });
    let profile = |share, number: &str, language: &str, value: &str| Profile {
        share,
        number: number.to_owned(),
        language: language.to_owned(),
        attributes: [("tier".to_owned(), value.to_owned())].into(),
    };
    scene.customers().profiles =
        vec![profile(0.3, "+353861", "ga", "gold"), profile(0.4, "+44770", "en", "blue")];
    let hours = |from, until| OpenHours { days: Vec::new(), from, until };
    scene.strategy.entries[0].first = Next::step("gate");
    scene.add_step(
        "gate",
        StepKind::HoursGate(HoursGate {
            zone: Some("Europe/London".to_owned()),
            hours: vec![
                hours(time(7, 0, 0, 0), time(21, 0, 0, 0)),
                OpenHours {
                    days: vec![Weekday::Sunday],
                    ..hours(time(21, 0, 0, 0), time(0, 0, 0, 0))
                },
            ],
            exceptions: vec![HoursException {
                date: date(2026, 3, 29),
                hours: vec![(time(9, 0, 0, 0), time(17, 0, 0, 0))],
            }],
            open: Next::step("menu"),
            closed: Next::step("closed"),
        }),
    );
    scene.add_step(
        "closed",
        StepKind::Announcement(Announcement {
            time: Duration::Constant { secs: 15.0 },
            next: Next::Release,
        }),
    );
    let choice = |name: &str, share, to: &str| MenuChoice {
        name: name.to_owned(),
        share,
        contact_types: Vec::new(),
        next: Next::step(to),
    };
    scene.add_step(
        "menu",
        StepKind::Menu(Menu {
            time: Duration::Gamma { mean_secs: 12.0, variation: 0.4 },
            choices: vec![choice("one", 0.5, "labels"), choice("two", 0.3, "assistant")],
            retries: 2,
            no_choice: Next::step("labels"),
        }),
    );
    scene.add_step(
        "assistant",
        StepKind::Assistant(Assistant {
            time: Duration::Empirical { secs: vec![20.0, 45.0, 90.0] },
            contained_share: 0.4,
            next: Next::step("labels"),
        }),
    );
    let rule = |label: &str, when| LabelRule { label: label.to_owned(), when };
    scene.add_step(
        "labels",
        StepKind::Labelling(Labelling {
            rules: vec![
                rule("irish", Condition::CallerNumber("+353*".to_owned())),
                rule(
                    "gold",
                    Condition::Attribute { name: "tier".to_owned(), value: "gold".to_owned() },
                ),
                rule("speaks", Condition::Language("en".to_owned())),
                rule("noon", Condition::Time(hours(time(11, 30, 0, 0), time(13, 0, 0, 0)))),
                rule("some", Condition::Share(0.25)),
            ],
            next: Next::step("routes"),
        }),
    );
    let route = |label: &str, next| Route { label: label.to_owned(), next };
    scene.add_step(
        "routes",
        StepKind::Routing(Routing {
            routes: vec![
                route("noon", Next::step("told")),
                route("gold", Next::step("queue")),
                route("some", Next::BusyTone),
            ],
            otherwise: Next::step("told"),
        }),
    );
    scene.add_step(
        "told",
        StepKind::Announcement(Announcement {
            time: Duration::exponential(8.0),
            next: Next::step("queue"),
        }),
    );
    scene
}

/// Announcements that hold, change patience and tell the expected wait; the last agent; repeat calls.
fn announcements() -> Scene {
    let mut scene = Scene::line(2.4, 10, 8).handled(190.0, Some(160.0));
    let queue = scene.queue();
    queue.last_agent_secs = Some(60.0);
    queue.longest_wait_secs = Some(400.0);
    queue.exits.too_long = Next::KeepRinging;
    queue.announcements = vec![
        QueueAnnouncement {
            secs: 6.0,
            must_be_heard: true,
            patience_factor: 1.0,
            ..Default::default()
        },
        QueueAnnouncement {
            at_secs: 30.0,
            secs: 10.0,
            patience_factor: 1.3,
            tells_expected_wait: true,
            leaving_share: 0.6,
            ..Default::default()
        },
        QueueAnnouncement {
            at_secs: 60.0,
            secs: 5.0,
            must_be_heard: true,
            patience_factor: 0.7,
            ..Default::default()
        },
    ];
    scene.customers().repeat =
        Some(Repeat { share: 0.3, after: Duration::Gamma { mean_secs: 900.0, variation: 0.5 } });
    scene
}

/// Callbacks with the place kept, after a promised time, tried again, and from a step of their own.
fn callbacks() -> Scene {
    let mut scene = Scene::line(2.5, 10, 8).handled(180.0, Some(140.0));
    scene.queue().callback = Some(CallbackOffer {
        after_secs: 20.0,
        if_expected_wait_secs: 60.0,
        accepted_share: 0.5,
        step: "kept".to_owned(),
    });
    let callback = |promise, line: &str| Callback {
        line: line.to_owned(),
        promise,
        accepted_share: 0.6,
        otherwise: Next::step("queue"),
        reached_share: 0.7,
        unanswered_secs: 25.0,
        attempts: 3,
        retry_after_secs: 600.0,
    };
    scene.add_step("kept", StepKind::Callback(callback(Promise::PlaceKept, "queue")));
    scene.add_step("later", StepKind::Callback(callback(Promise::AfterSecs(1200.0), "second")));
    scene.add_step("second", StepKind::Queue(Queue { priority: -1, ..Queue::default() }));
    scene.add_type("Groups", 0.4, Customers::calls(240.0, Some(200.0)));
    scene.add_entry("Groups", "later");
    scene.add_type("Returns", 0.3, Customers::calls(200.0, Some(100.0)));
    let mut waits = Queue { longest_wait_secs: Some(300.0), ..Queue::default() };
    waits.callback = Some(CallbackOffer {
        after_secs: 10.0,
        if_expected_wait_secs: 0.0,
        accepted_share: 0.8,
        step: "later".to_owned(),
    });
    scene.add_step("third", StepKind::Queue(waits));
    scene.add_entry("Returns", "third");
    scene
}

/// Skills with levels, relaxations, ranks, priorities, ageing, rostered people with names.
fn skills() -> Scene {
    let mut scene = Scene::line(1.2, 8, 4).handled(200.0, Some(200.0));
    scene.queue().need.skills = vec![wanted("sales", Some(5))];
    scene.queue().need.relaxations = vec![
        Relaxation { after_secs: 30.0, skills: vec![wanted("sales", None)] },
        Relaxation { after_secs: 80.0, skills: Vec::new() },
    ];
    scene.queue().ageing_secs = Some(45.0);
    scene.team().skills = vec![skill("sales", Some(3))];
    scene.rostered(0, &[(0.0, 7000.0), (1800.0, 14_400.0), (900.0, 12_000.0), (0.0, 14_400.0)]);
    scene.strategy.teams[0].agents[3].skills = Some(vec![skill("sales", Some(9))]);
    scene.strategy.teams[0].agents[1].ranks = [("queue".to_owned(), 2)].into();
    let team = scene.add_team("freight", 3);
    team.skills = vec![skill("freight", None)];
    team.ranks = [("queue".to_owned(), 3)].into();
    team.pace = 1.25;
    let need = barometer_strategy::SkillNeed {
        skills: vec![wanted("freight", Some(2))],
        relaxations: Vec::new(),
    };
    scene.add_step("lorries", StepKind::Queue(Queue { need, priority: 2, ..Queue::default() }));
    scene.add_type("Freight", 0.6, Customers::calls(240.0, Some(300.0)));
    scene.add_entry("Freight", "lorries");
    scene
}

/// A hunt group in each order that rings one member after the other, with windows, gaps, refusals,
/// ranks, waves, a group limit, a limit of offers and a second call.
fn hunt(order: OfferOrder) -> Scene {
    let mut scene = Scene::line(1.6, 8, 6).handled(170.0, Some(150.0));
    let group = scene.hunt(Offering {
        order,
        ring_window_secs: Some(9.0),
        gap_secs: 2.0,
        most_offers: Some(6),
        wrap_up_secs: 10.0,
        second_call: order == OfferOrder::TopDown,
        parallel: order != OfferOrder::RoundRobinFresh,
        ..Offering::default()
    });
    group.group_limit_secs = Some(90.0);
    group.places = Some(12);
    group.waves_secs = vec![15.0];
    group.exits.no_answer = Next::step("message");
    group.exits.too_long = Next::step("message");
    let member =
        |team: &str, rank, wave| Member { who: Members::Team(team.to_owned()), rank, wave };
    group.members = vec![member("team", 1, 0), member("harbour", 2, 0), member("night", 2, 1)];
    scene.add_step(
        "message",
        StepKind::Voicemail(Voicemail {
            work: Some(VoicemailWork {
                line: "queue".to_owned(),
                time: Duration::exponential(100.0),
            }),
        }),
    );
    let team = scene.team();
    team.answer_delay = Duration::Gamma { mean_secs: 5.0, variation: 0.7 };
    team.refused_share = 0.15;
    let harbour = scene.add_team("harbour", 3);
    harbour.answer_delay = Duration::exponential(4.0);
    harbour.refused_share = 0.3;
    scene.add_team("night", 2).answer_delay = Duration::exponential(2.0);
    scene
}

/// Everybody rings, on and off shift, up to so many devices, with waves and refusals.
fn all_at_once() -> Scene {
    let mut scene = hunt(OfferOrder::AllAtOnce);
    let group = scene.group();
    group.rings = WhoRings::Everyone;
    group.offering.most_devices = Some(4);
    group.offering.most_offers = Some(3);
    group.offering.second_call = false;
    scene.cover.teams[0].people = barometer_simulate::People::Counted(vec![6, 5, 4, 6, 6, 3, 2, 6]);
    scene
}

/// Chats beside calls: concurrency, slowing, and agents who hand their chats over or cut them off.
fn chats(on_leaving: OnLeaving) -> Scene {
    let mut scene = Scene::line(0.8, 8, 5).handled(180.0, Some(150.0));
    scene.cover.teams[0].people = barometer_simulate::People::Counted(vec![5, 4, 6, 3, 0, 5, 2, 4]);
    let team = scene.team();
    team.channels = vec![
        ChannelSkill { channel: Channel::Call, at_once: 1, slowing: 0.0 },
        ChannelSkill { channel: Channel::Chat, at_once: 3, slowing: 0.3 },
        ChannelSkill { channel: Channel::Task, at_once: 1, slowing: 0.0 },
    ];
    team.on_leaving = on_leaving;
    scene.add_type("Chats", 1.0, chat_customers());
    scene.add_step("written", StepKind::Queue(Queue { priority: 1, ..Queue::default() }));
    scene.add_entry("Chats", "written");
    scene.add_type(
        "Letters",
        0.2,
        Customers { channel: Channel::Task, ..Customers::calls(120.0, None) },
    );
    scene.add_entry("Letters", "written");
    scene
}

/// Counted arrivals and named people who come and go.
fn rostered() -> Scene {
    let mut scene = Scene::line(1.5, 8, 6).handled(190.0, Some(120.0));
    scene.demand.types[0].arrivals = barometer_simulate::Arrivals::Counted;
    scene.rostered(
        0,
        &[
            (0.0, 3600.0),
            (900.0, 14_400.0),
            (0.0, 9000.0),
            (1800.0, 12_600.0),
            (0.0, 14_400.0),
            (5400.0, 14_400.0),
        ],
    );
    let queue = scene.queue();
    queue.offering.order = OfferOrder::FewestAnswered;
    queue.offering.ring_window_secs = None;
    scene.team().answer_delay = Duration::exponential(3.0);
    scene.team().refused_share = 0.1;
    scene
}

/// Scenes that together use every setting.
pub fn scenes() -> [(&'static str, Scene); 14] {
    [
        ("limits and redial", limits()),
        ("steps on the way", journey()),
        ("announcements", announcements()),
        ("callbacks", callbacks()),
        ("skills and ageing", skills()),
        ("top down", hunt(OfferOrder::TopDown)),
        ("round robin", hunt(OfferOrder::RoundRobin)),
        ("round robin, fresh", hunt(OfferOrder::RoundRobinFresh)),
        ("longest idle", hunt(OfferOrder::LongestIdle)),
        ("random", hunt(OfferOrder::Random)),
        ("all at once", all_at_once()),
        ("chats handed over", chats(OnLeaving::HandOver)),
        ("chats cut off", chats(OnLeaving::CutOff)),
        ("rostered", rostered()),
    ]
}

#[test]
fn identical_seeds_give_identical_bytes() {
    let mut golden = String::new();
    for (name, scene) in &scenes() {
        writeln!(golden, "{}", line(name, scene)).unwrap();
    }
    insta::assert_snapshot!(golden);
}
