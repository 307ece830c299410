//! A walk-through and a trial never disagree: the same contact, at the same moments, takes the same way.

use barometer_simulate::{
    Arrivals, Cover, Demand, DemandInterval, Experiment, People, TeamCover, TypeDemand,
    What as Logged,
};
use barometer_strategy::{
    Announcement, Callback, CallbackOffer, Condition, Customers, Duration, Exits, HoursGate,
    HuntGroup, LabelRule, Labelling, Member, Members, Menu, MenuChoice, Next, OfferOrder, Offering,
    OpenHours, Promise, Queue, QueueAnnouncement, Relaxation, Route, Routing, Skill, SkillNeed,
    Step, StepKind, Strategy as Routes, Team, Voicemail, WantedSkill,
};
use barometer_walk::{OnShift, Scene, WalkEnd, What};
use jiff::civil::{date, time};
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};
use proptest::prelude::*;
use proptest::sample::select;

const TYPE: &str = "Bookings";
/// No two of these times, or sums of a few, are the same: nothing happens at one moment by chance.
const TIMES: [f64; 8] = [3.13, 7.57, 11.93, 19.31, 29.77, 43.19, 61.43, 97.61];

#[derive(Clone, Debug)]
struct Case {
    strategy: Routes,
    people: Vec<u32>,
    answers_after: Vec<Option<f64>>,
    patience: Option<f64>,
    presses: bool,
    accepts: bool,
}

fn secs() -> impl Strategy<Value = f64> {
    select(&TIMES[..])
}

fn maybe_secs() -> impl Strategy<Value = Option<f64>> {
    proptest::option::of(secs())
}

/// Somewhere among the steps that are there, or an end.
fn next() -> impl Strategy<Value = Next> {
    let steps = ["gate", "menu", "labels", "routes", "told", "queue", "group", "other", "mail"];
    prop_oneof![
        4 => select(steps.to_vec()).prop_map(Next::step),
        1 => Just(Next::Release),
        1 => Just(Next::BusyTone),
    ]
}

fn exit() -> impl Strategy<Value = Next> {
    prop_oneof![2 => next(), 1 => Just(Next::KeepRinging)]
}

fn exits() -> impl Strategy<Value = Exits> {
    let maybe = || proptest::option::of(exit());
    (exit(), exit(), maybe(), maybe(), exit()).prop_map(
        |(full, too_long, no_staff_at_arrival, no_staff_while_waiting, no_answer)| Exits {
            full,
            too_long,
            no_staff_at_arrival,
            no_staff_while_waiting,
            no_answer,
        },
    )
}

fn offering() -> impl Strategy<Value = Offering> {
    let orders = [
        OfferOrder::AllAtOnce,
        OfferOrder::TopDown,
        OfferOrder::RoundRobinFresh,
        OfferOrder::RoundRobin,
        OfferOrder::LongestIdle,
        OfferOrder::FewestAnswered,
    ];
    (select(orders.to_vec()), secs(), maybe_secs(), any::<bool>(), proptest::option::of(1..4u32))
        .prop_map(|(order, window, gap, parallel, most_offers)| Offering {
            order,
            ring_window_secs: Some(window),
            gap_secs: gap.unwrap_or(0.0),
            parallel,
            most_offers,
            ..Offering::default()
        })
}

fn queue() -> impl Strategy<Value = Queue> {
    (
        maybe_secs(),
        proptest::option::of(0..2u32),
        offering(),
        exits(),
        any::<bool>(),
        maybe_secs(),
        maybe_secs(),
    )
        .prop_map(|(limit, places, offering, exits, skilled, relaxed, told)| Queue {
            longest_wait_secs: limit,
            places,
            offering,
            exits,
            need: SkillNeed {
                skills: wanted(skilled),
                relaxations: relaxed
                    .filter(|_| skilled)
                    .map(|after_secs| Relaxation { after_secs, skills: Vec::new() })
                    .into_iter()
                    .collect(),
            },
            announcements: told
                .map(|at_secs| QueueAnnouncement {
                    at_secs,
                    secs: 2.71,
                    must_be_heard: at_secs < 20.0,
                    patience_factor: 1.5,
                    ..QueueAnnouncement::default()
                })
                .into_iter()
                .collect(),
            callback: told.filter(|at| *at > 20.0).map(|at_secs| CallbackOffer {
                after_secs: at_secs + 1.23,
                if_expected_wait_secs: 0.0,
                accepted_share: 1.0,
                step: "back".to_owned(),
            }),
            ..Queue::default()
        })
}

fn wanted(skilled: bool) -> Vec<WantedSkill> {
    let skill = WantedSkill { skill: "Gaelic".to_owned(), at_least: Some(6) };
    if skilled { vec![skill] } else { Vec::new() }
}

fn group() -> impl Strategy<Value = HuntGroup> {
    let member = |nth: usize| Member {
        who: Members::Team(format!("team-{nth}")),
        rank: 1 + nth as u32,
        wave: (nth % 2) as u32,
    };
    (maybe_secs(), secs(), offering(), exits()).prop_map(move |(limit, wave, offering, exits)| {
        HuntGroup {
            short_number: None,
            recording: None,
            members: (0..3).map(member).collect(),
            rings: Default::default(),
            waves_secs: vec![wave],
            group_limit_secs: limit,
            places: None,
            priority: 0,
            offering,
            exits,
        }
    })
}

fn case() -> impl Strategy<Value = Case> {
    let steps = (
        (next(), next(), 0..24i8),
        (next(), next(), 0..3u32),
        (next(), any::<bool>()),
        (next(), next()),
        (next(), secs()),
        queue(),
        group(),
        queue(),
    );
    let people = (
        proptest::collection::vec(0..3u32, 3),
        proptest::collection::vec(proptest::option::of(secs()), 3),
        maybe_secs(),
        any::<bool>(),
        any::<bool>(),
        next(),
        (any::<bool>(), any::<bool>()),
    );
    (steps, people)
        .prop_map(|(steps, (people, answers_after, patience, presses, accepts, first, number))| {
            let (gate, menu, labels, routes, told, queue, group, other) = steps;
            // Of several who answer at one moment a trial draws one: here nobody answers at the same.
            let orders =
                [&queue.offering, &group.offering, &other.offering].map(|offering| offering.order);
            let most = if orders.contains(&OfferOrder::AllAtOnce) { 1 } else { 2 };
            let people: Vec<u32> = people.into_iter().map(|people: u32| people.min(most)).collect();
            let answers_after: Vec<Option<f64>> = answers_after
                .into_iter()
                .enumerate()
                .map(|(nth, secs): (usize, Option<f64>)| Some(secs? + nth as f64 * 0.017))
                .collect();
            let mut strategy = Routes::plain(TYPE);
            strategy.entries[0].first = first;
            let (is_told, is_labelled) = number;
            strategy.entries[0].announcement = is_told.then(|| "told".to_owned());
            strategy.entries[0].label = is_labelled.then(|| "some".to_owned());
            let from = time(gate.2, 0, 0, 0);
            let until = if gate.2 < 20 { time(gate.2 + 3, 0, 0, 0) } else { time(0, 0, 0, 0) };
            let share = |is_sure: bool| if is_sure { 1.0 } else { 0.0 };
            let does = [
                (
                    "gate",
                    StepKind::HoursGate(HoursGate {
                        zone: None,
                        hours: vec![OpenHours { days: Vec::new(), from, until }],
                        exceptions: Vec::new(),
                        open: gate.0,
                        closed: gate.1,
                    }),
                ),
                (
                    "menu",
                    StepKind::Menu(Menu {
                        time: Duration::Constant { secs: 5.29 },
                        choices: vec![MenuChoice {
                            name: "One".to_owned(),
                            share: share(presses),
                            contact_types: Vec::new(),
                            next: menu.0,
                        }],
                        retries: menu.2,
                        no_choice: menu.1,
                    }),
                ),
                (
                    "labels",
                    StepKind::Labelling(Labelling {
                        rules: vec![LabelRule {
                            label: "some".to_owned(),
                            when: Condition::Share(share(labels.1)),
                        }],
                        next: labels.0,
                    }),
                ),
                (
                    "routes",
                    StepKind::Routing(Routing {
                        routes: vec![Route { label: "some".to_owned(), next: routes.0 }],
                        otherwise: routes.1,
                    }),
                ),
                (
                    "told",
                    StepKind::Announcement(Announcement {
                        time: Duration::Constant { secs: told.1 },
                        next: told.0,
                    }),
                ),
                ("queue", StepKind::Queue(queue)),
                ("group", StepKind::HuntGroup(group)),
                ("other", StepKind::Queue(other)),
                ("mail", StepKind::Voicemail(Voicemail { work: None })),
                (
                    "back",
                    StepKind::Callback(Callback {
                        line: "queue".to_owned(),
                        promise: Promise::AfterSecs(401.3),
                        accepted_share: share(accepts),
                        otherwise: Next::Release,
                        reached_share: 1.0,
                        unanswered_secs: 0.0,
                        attempts: 1,
                        retry_after_secs: 0.0,
                    }),
                ),
            ];
            strategy.steps = does
                .into_iter()
                .map(|(id, does)| Step { id: id.to_owned(), name: format!("The {id}"), does })
                .collect();
            for step in &mut strategy.steps {
                if let StepKind::Queue(Queue { callback: Some(offer), .. }) = &mut step.does {
                    offer.accepted_share = share(accepts);
                }
            }
            strategy.teams = (0..3)
                .map(|nth: usize| {
                    let mut team = Team::named(&format!("team-{nth}"), &format!("Team {nth}"));
                    team.refused_share = share(answers_after[nth].is_none());
                    team.answer_delay =
                        Duration::Constant { secs: answers_after[nth].unwrap_or(1.0) };
                    if nth == 1 {
                        team.skills = vec![Skill { skill: "Gaelic".to_owned(), level: Some(7) }];
                    }
                    team
                })
                .collect();
            Case { strategy, people, answers_after, patience, presses, accepts }
        })
        .prop_filter("loops without time are refused", |case| case.strategy.faults().is_empty())
}

/// What a trial logs of its one contact, and when it came in.
fn logged(case: &Case, seed: u64) -> Option<(f64, Vec<(f64, String)>)> {
    let mut customers = Customers::calls(180.0, None);
    customers.handling = Duration::Constant { secs: 180.0 };
    customers.patience = case.patience.map(|secs| Duration::Constant { secs });
    let interval = |contacts| DemandInterval { contacts, handle_secs: 180.0 };
    let demand = Demand {
        start: start(),
        zone: TimeZone::UTC,
        interval_secs: 1800.0,
        types: vec![TypeDemand {
            name: TYPE.to_owned(),
            customers,
            within_secs: 20.0,
            intervals: (0..46).map(|nth| interval(if nth == 10 { 1.0 } else { 0.0 })).collect(),
            arrivals: Arrivals::Counted,
            luck: None,
        }],
    };
    let teams = case.people.iter().enumerate().map(|(nth, &people)| TeamCover {
        team: format!("team-{nth}"),
        people: People::Counted(vec![people; 46]),
    });
    let cover = Cover { teams: teams.collect() };
    let experiment =
        Experiment::new(&case.strategy, &demand, &cover, 1, seed).expect("it can be played");
    // Contacts that go round for ever are given up by both.
    let (_, log) = experiment.log(0).ok()?;
    let names = experiment.names();
    let mut came = None;
    let mut told = Vec::new();
    for event in log.events.iter().filter(|event| event.contact == 1) {
        let since = event.at_secs - *came.get_or_insert(event.at_secs);
        let agent = |agent: u32| names.agents[agent as usize].1.clone();
        let words = match event.what {
            Logged::Reached { step } => {
                format!("reached {}", case.strategy.steps[step as usize].id)
            }
            Logged::Joined { .. } => "joined".to_owned(),
            Logged::RingsAt { agent: number } => format!("rings {}", agent(number)),
            Logged::NotAnswered => "not answered".to_owned(),
            Logged::Answered { agent: number } => format!("answered {}", agent(number)),
            Logged::Ended { how } => format!("ended {how:?}"),
            Logged::CallbackPromised => "promised".to_owned(),
            _ => continue,
        };
        told.push((since, words));
    }
    came.map(|came| (came, told))
}

fn start() -> Timestamp {
    let midnight = date(2026, 11, 30).at(0, 0, 0, 0).to_zoned(TimeZone::UTC);
    midnight.expect("a moment that exists").timestamp()
}

fn walked(case: &Case, came: f64) -> (WalkEnd, Vec<(f64, String)>) {
    let people = case.people.iter().zip(&case.answers_after).enumerate();
    let people = people.map(|(nth, (&people, &answers_after_secs))| OnShift {
        team: format!("team-{nth}"),
        people,
        busy: 0,
        free_after_secs: 60.0,
        answers_after_secs,
    });
    let at = start() + SignedDuration::from_secs_f64(came);
    let at = at.to_zoned(TimeZone::UTC).datetime();
    let mut scene = Scene::plain(TYPE, at, people.collect());
    scene.caller.patience_secs = case.patience;
    scene.caller.handle_secs = 180.0;
    scene.caller.accepts_callback = case.accepts;
    if case.presses {
        scene.caller.keys = vec!["One".to_owned(); 1000];
    }
    let labels = case.strategy.steps.iter().find_map(|step| match &step.does {
        StepKind::Labelling(labelling) => labelling.rules.first(),
        _ => None,
    });
    if labels.is_some_and(|rule| rule.when == Condition::Share(1.0)) {
        scene.caller.labels = vec!["some".to_owned()];
    }
    let walk = scene.walk(&case.strategy, &TimeZone::UTC).expect("it can be walked");
    let told = walk.moments.iter().filter_map(|moment| {
        let words = match &moment.what {
            What::Reached => format!("reached {}", moment.step.as_deref().unwrap_or("")),
            What::Joined => "joined".to_owned(),
            What::Rings(agent) => format!("rings {agent}"),
            What::NotAnswered => "not answered".to_owned(),
            What::Answered(agent) => format!("answered {agent}"),
            What::Ended(end) => format!("ended {}", logged_end(*end)),
            What::CallbackPromised => "promised".to_owned(),
            _ => return None,
        };
        Some((moment.at_secs, words))
    });
    (walk.end, told.collect())
}

fn logged_end(end: WalkEnd) -> &'static str {
    match end {
        WalkEnd::Abandoned => "Abandoned",
        WalkEnd::Released => "Released",
        WalkEnd::BusyTone => "Blocked",
        WalkEnd::Voicemail => "Voicemail",
        WalkEnd::Outside => "Outside",
        WalkEnd::Contained => "Contained",
        _ => "otherwise",
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, ..ProptestConfig::default() })]

    #[test]
    fn a_walk_takes_the_way_that_a_trial_takes(case in case(), seed in 0..1000u64) {
        let Some((came, logged)) = logged(&case, seed) else { return Ok(()) };
        let (end, walked) = walked(&case, came);
        // A walk is over with the answer; one that waits for good is followed for a day only.
        let is_settled = !matches!(end, WalkEnd::StillWaiting | WalkEnd::CallbackPromised);
        let common = if is_settled { walked.len() } else { walked.len().min(logged.len()) };
        // Menus are chosen from a thousand times at most.
        let common = common.min(400);
        prop_assert!(logged.len() >= common, "the trial stops after {logged:?}, the walk goes on: {walked:?}");
        for (of_walk, of_trial) in walked.iter().zip(&logged).take(common) {
            prop_assert_eq!(&of_walk.1, &of_trial.1, "walk {:?}\ntrial {:?}", &walked, &logged);
            prop_assert!((of_walk.0 - of_trial.0).abs() < 1e-3, "{of_walk:?} against {of_trial:?}");
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, ..ProptestConfig::default() })]

    #[test]
    fn the_journey_has_a_link_for_every_transition_that_trials_count(case in case()) {
        use barometer_routing::{CompiledStrategy, Setting};
        use barometer_strategy::Stop;
        let setting = Setting {
            start: start(),
            secs: 86_400.0,
            zone: &TimeZone::UTC,
            contact_types: &[(TYPE, barometer_strategy::Channel::Call)],
            people: &[1, 1, 1],
        };
        let compiled = CompiledStrategy::compile(&case.strategy, &setting).expect("no faults");
        let journey = case.strategy.journey();
        let mut links: Vec<(String, String)> = journey
            .links
            .iter()
            .filter_map(|link| match journey.stops[link.from] {
                Stop::Step(at) => Some((case.strategy.steps[at].name.clone(), link.cause.clone())),
                // Who simply goes on from an entry is not counted on a way.
                Stop::Entry(at) if !link.cause.is_empty() => {
                    Some((case.strategy.entries[at].name.clone(), link.cause.clone()))
                }
                _ => None,
            })
            .collect();
        // Who stays is on no way; a callback that is accepted in a queue has a link only where one is offered.
        let offers = |name: &str| case.strategy.steps.iter().any(|step| {
            step.name == name
                && matches!(&step.does, StepKind::Queue(queue) if queue.callback.is_some())
        });
        let mut flows: Vec<(String, String)> = compiled
            .flows
            .iter()
            .filter(|flow| flow.to != "keeps ringing" && flow.to != "nowhere")
            .filter(|flow| flow.why != "callback accepted" || offers(&flow.from))
            .map(|flow| (flow.from.clone(), flow.why.clone()))
            .collect();
        links.sort();
        flows.sort();
        prop_assert_eq!(links, flows);
    }
}
