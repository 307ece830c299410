//! A sound strategy with a step of every kind, and what is planned for it.

use barometer_preflight::{ContactTypePremise, Finding, Premises, Rule, TeamPremise, preflight};
use barometer_strategy::{
    Agent, Announcement, Assistant, Callback, CallbackOffer, Channel, ChannelSkill, Condition,
    Duration, Entry, Exits, HoursGate, HuntGroup, LabelRule, Labelling, Member, Members, Menu,
    MenuChoice, Next, OfferOrder, Offering, OpenHours, Promise, Queue, Relaxation, Route, Routing,
    Skill, SkillNeed, Step, StepKind, Strategy, Team, Voicemail, VoicemailWork, WantedSkill,
};
use jiff::civil::{date, time};
use jiff::tz::TimeZone;

fn step(id: &str, name: &str, does: StepKind) -> Step {
    Step { id: id.to_owned(), name: name.to_owned(), does }
}

fn skill(name: &str, level: u8) -> Skill {
    Skill { skill: name.to_owned(), level: Some(level) }
}

/// Calls from eight to six over a menu to bookings or the harbour group, freight by a label; chats over
/// an assistant; callbacks and messages that are heard.
pub fn strategy() -> Strategy {
    let mut strategy = Strategy::plain("Harbour");
    let entry = |name: &str, types: &[&str], first: &str| {
        let types = types.iter().map(|each| (*each).to_owned()).collect();
        Entry::named(name, types, Next::step(first))
    };
    strategy.entries =
        vec![entry("General line", &["Calls"], "gate"), entry("Website", &["Chats"], "bot")];
    let exits = |next: &str| Exits {
        full: Next::step(next),
        too_long: Next::step(next),
        no_staff_at_arrival: Some(Next::step("mail")),
        no_staff_while_waiting: Some(Next::step("mail")),
        no_answer: Next::KeepRinging,
    };
    let wanted =
        |at_least: u8| WantedSkill { skill: "Ferries".to_owned(), at_least: Some(at_least) };
    strategy.steps = vec![
        step(
            "gate",
            "Opening hours",
            StepKind::HoursGate(HoursGate {
                zone: None,
                hours: vec![OpenHours {
                    days: Vec::new(),
                    from: time(8, 0, 0, 0),
                    until: time(18, 0, 0, 0),
                }],
                exceptions: Vec::new(),
                open: Next::step("welcome"),
                closed: Next::step("mail"),
            }),
        ),
        step(
            "welcome",
            "Welcome",
            StepKind::Announcement(Announcement {
                time: Duration::Constant { secs: 6.0 },
                next: Next::step("menu"),
            }),
        ),
        step(
            "menu",
            "Main menu",
            StepKind::Menu(Menu {
                time: Duration::Constant { secs: 8.0 },
                choices: vec![
                    MenuChoice {
                        name: "Bookings".to_owned(),
                        share: 0.6,
                        contact_types: Vec::new(),
                        next: Next::step("labels"),
                    },
                    MenuChoice {
                        name: "Harbours".to_owned(),
                        share: 0.3,
                        contact_types: Vec::new(),
                        next: Next::step("group"),
                    },
                ],
                retries: 1,
                no_choice: Next::step("bookings"),
            }),
        ),
        step(
            "labels",
            "Frequent travellers",
            StepKind::Labelling(Labelling {
                rules: vec![LabelRule {
                    label: "frequent".to_owned(),
                    when: Condition::Share(0.2),
                }],
                next: Next::step("routes"),
            }),
        ),
        step(
            "routes",
            "By label",
            StepKind::Routing(Routing {
                routes: vec![Route { label: "frequent".to_owned(), next: Next::step("frequent") }],
                otherwise: Next::step("bookings"),
            }),
        ),
        step(
            "bookings",
            "Bookings queue",
            StepKind::Queue(Queue {
                places: Some(20),
                longest_wait_secs: Some(240.0),
                need: SkillNeed {
                    skills: vec![wanted(5)],
                    relaxations: vec![Relaxation { after_secs: 60.0, skills: vec![wanted(2)] }],
                },
                callback: Some(CallbackOffer {
                    after_secs: 90.0,
                    if_expected_wait_secs: 0.0,
                    accepted_share: 0.3,
                    step: "back".to_owned(),
                }),
                exits: exits("mail"),
                ..Queue::default()
            }),
        ),
        step(
            "frequent",
            "Frequent travellers queue",
            StepKind::Queue(Queue {
                longest_wait_secs: Some(120.0),
                priority: 2,
                need: SkillNeed { skills: vec![wanted(2)], relaxations: Vec::new() },
                exits: exits("mail"),
                ..Queue::default()
            }),
        ),
        step(
            "group",
            "Harbour offices",
            StepKind::HuntGroup(HuntGroup {
                short_number: None,
                recording: None,
                members: vec![
                    Member { who: Members::Team("office".to_owned()), rank: 1, wave: 0 },
                    Member { who: Members::Team("quay".to_owned()), rank: 2, wave: 1 },
                ],
                rings: Default::default(),
                waves_secs: vec![15.0],
                group_limit_secs: Some(90.0),
                places: Some(10),
                priority: 0,
                offering: Offering {
                    order: OfferOrder::TopDown,
                    ring_window_secs: Some(12.0),
                    ..Offering::default()
                },
                exits: exits("mail"),
            }),
        ),
        step(
            "back",
            "Callback",
            StepKind::Callback(Callback {
                line: "bookings".to_owned(),
                promise: Promise::PlaceKept,
                accepted_share: 1.0,
                otherwise: Next::Release,
                reached_share: 0.8,
                unanswered_secs: 20.0,
                attempts: 2,
                retry_after_secs: 1800.0,
            }),
        ),
        step(
            "mail",
            "Voicemail",
            StepKind::Voicemail(Voicemail {
                work: Some(VoicemailWork {
                    line: "bookings".to_owned(),
                    time: Duration::exponential(120.0),
                }),
            }),
        ),
        step(
            "bot",
            "Assistant",
            StepKind::Assistant(Assistant {
                time: Duration::exponential(40.0),
                contained_share: 0.3,
                next: Next::step("chat"),
            }),
        ),
        step(
            "chat",
            "Chat queue",
            StepKind::Queue(Queue {
                places: Some(15),
                need: SkillNeed {
                    skills: vec![WantedSkill { skill: "Chat".to_owned(), at_least: None }],
                    relaxations: Vec::new(),
                },
                exits: Exits { no_staff_at_arrival: Some(Next::step("mail")), ..Exits::default() },
                ..Queue::default()
            }),
        ),
    ];
    let named = |name: &str, level: u8| Agent {
        name: name.to_owned(),
        skills: Some(vec![skill("Ferries", level)]),
        ranks: Default::default(),
        short_number: None,
        port: None,
    };
    let mut desk = Team::named("desk", "Booking desk");
    desk.agents = [("Ada", 9), ("Bram", 7), ("Cleo", 6), ("Dov", 4), ("Enid", 3)]
        .map(|(name, level)| named(name, level))
        .to_vec();
    desk.answer_delay = Duration::exponential(4.0);
    let mut office = Team::named("office", "Harbour office");
    office.answer_delay = Duration::exponential(4.0);
    let mut quay = Team::named("quay", "Quay staff");
    quay.answer_delay = Duration::exponential(4.0);
    let mut chat = Team::named("chat-desk", "Chat desk");
    chat.skills = vec![Skill { skill: "Chat".to_owned(), level: None }];
    chat.channels = vec![ChannelSkill { channel: Channel::Chat, at_once: 2, slowing: 0.2 }];
    strategy.teams = vec![desk, office, quay, chat];
    strategy
}

/// A Monday and a Tuesday from midnight to midnight; everybody is on shift from eight to six.
pub fn premises() -> Premises {
    let intervals = 96;
    let is_open = |at: usize| (16..36).contains(&(at % 48));
    let contacts = |open: f64, closed: f64| -> Vec<f64> {
        (0..intervals).map(|at| if is_open(at) { open } else { closed }).collect()
    };
    let people = |count: u32| -> Vec<u32> {
        (0..intervals).map(|at| if is_open(at) { count } else { 0 }).collect()
    };
    let premise = |name: &str, channel, at_once, contacts| ContactTypePremise {
        name: name.to_owned(),
        channel,
        patience: Some(Duration::exponential(150.0)),
        handle_secs: 240.0,
        has_own_wrap_up: false,
        at_once,
        profiles: Vec::new(),
        contacts,
    };
    let team = |team: &str, count| TeamPremise { team: team.to_owned(), people: people(count) };
    let monday = date(2026, 11, 30).at(0, 0, 0, 0).to_zoned(TimeZone::UTC);
    Premises {
        zone: TimeZone::UTC,
        start: monday.expect("a moment that exists").timestamp(),
        interval_secs: 1800.0,
        intervals,
        types: vec![
            premise("Calls", Channel::Call, 1, contacts(30.0, 0.4)),
            premise("Chats", Channel::Chat, 2, contacts(12.0, 0.2)),
        ],
        teams: vec![team("desk", 5), team("office", 2), team("quay", 2), team("chat-desk", 4)],
        lines: Some(60),
        seats: None,
        licences: None,
    }
}

/// What preflight finds in a strategy with these premises, as rules.
pub fn rules_of(strategy: &Strategy, premises: &Premises) -> Vec<Rule> {
    assert_eq!(strategy.faults(), [], "preflight is for strategies that can be played");
    preflight(strategy, premises).iter().map(|finding| finding.rule).collect()
}

/// The one finding of a rule.
pub fn finding(strategy: &Strategy, premises: &Premises, rule: Rule) -> Finding {
    let found = preflight(strategy, premises);
    let mut of_rule = found.iter().filter(|finding| finding.rule == rule);
    let one = of_rule.next().unwrap_or_else(|| panic!("{rule:?} is not among {found:#?}"));
    assert_eq!(of_rule.next(), None, "{rule:?} is found once");
    one.clone()
}
