//! Simulated days held against exact solutions. An empty start weighs about one part in a thousand
//! of the long days here, well within the bounds.

use barometer_queueing::{
    ChatPace, ChatTeam, Class, ErlangA, ErlangC, FinitePlaces, GeneralPatience, LevelOf, Patience,
    Redial, Start, Stretch, Traffic, TransientDay, TwoClasses, WhenAllBusy, ordered_hunting,
};
use barometer_simulate::People;
use barometer_strategy::{
    Callback, CallbackOffer, Channel, ChannelSkill, Customers, Duration, Next, OfferOrder,
    Offering, Promise, Queue, Skill, StepKind, TryAgain, WantedSkill,
};

use crate::fixture::{HALF_HOUR, Scene, assert_agrees};

fn traffic(per_minute: f64, handle_secs: f64) -> Traffic {
    Traffic::per_interval(per_minute, 60.0, handle_secs).unwrap()
}

#[test]
fn a_day_from_an_empty_start_agrees_with_its_exact_transient_solution() {
    // 4 calls a minute for 600 minutes, 5 minutes each, 22 agents, patience 3 minutes, then drain:
    // the exact values are the solution of the Kolmogorov equations.
    let scene = Scene::line(4.0, 20, 22).handled(300.0, Some(180.0));
    let day = scene.play(2000, 20261124).day();
    assert_agrees("served", day.answered, 2263.995, 1.5);
    assert_agrees("abandoned", day.abandoned, 136.005, 1.5);
    assert_agrees("served within 20 s", day.answered_in_time, 1895.407, 2.5);
    assert_agrees("minutes waited", day.wait_secs.scaled(1.0 / 60.0), 408.015, 4.5);
}

#[test]
fn a_day_whose_demand_and_cover_change_agrees_with_its_exact_solution() {
    let plan = [(1.5, 5), (3.0, 9), (2.5, 9), (1.0, 4)];
    let mut scene = Scene::line(0.0, 4, 0).handled(240.0, Some(150.0));
    for (interval, (per_minute, _)) in scene.demand.types[0].intervals.iter_mut().zip(plan) {
        interval.contacts = per_minute * 30.0;
    }
    scene.cover.teams[0].people = People::Counted(plan.iter().map(|&(_, agents)| agents).collect());
    let stretches = plan.map(|(per_minute, servers)| Stretch {
        secs: HALF_HOUR,
        contacts_per_sec: per_minute / 60.0,
        handle_secs: 240.0,
        servers,
    });
    let exact = TransientDay::new(Some(150.0), 20.0, &stretches)
        .evaluate(&Start::Empty, &stretches)
        .unwrap();
    let summary = scene.play(5000, 5);
    for (nth, (got, exact)) in summary.intervals().iter().zip(&exact).enumerate() {
        let level = got.service_level;
        assert_agrees(&format!("level of interval {nth}"), level, exact.service_level, 0.004);
    }
    let teams = summary.team_intervals(0);
    let busy_hours: f64 =
        teams.iter().map(|team| team.occupancy.unwrap().mean * team.staffed_hours.mean).sum();
    let exact_hours: f64 = exact.iter().map(|stretch| stretch.mean_busy * 0.5).sum();
    // What is handled after the last interval counts to it: up to four agents' five minutes.
    assert!((busy_hours - exact_hours) / exact_hours < 0.03, "{busy_hours} {exact_hours}");
}

#[test]
fn a_long_day_settles_at_erlang_a() {
    let mut scene = Scene::line(2.0, 800, 9).handled(240.0, Some(120.0));
    scene.demand.types[0].within_secs = 30.0;
    let exact = ErlangA::new(traffic(2.0, 240.0), 9, 120.0).unwrap().outcome(30.0);
    let day = scene.play(30, 7).day();
    assert_agrees("service level", day.service_level, exact.service_level, 0.002);
    assert_agrees("abandonment", day.abandonment, exact.abandonment, 0.001);
    assert_agrees("ASA", day.answer_secs, exact.answer_secs, 0.2);
    assert_agrees("occupancy", day.occupancy, exact.occupancy, 0.0015);
}

#[test]
fn callers_without_an_end_to_their_patience_settle_at_erlang_c() {
    let scene = Scene::line(1.0, 800, 4).handled(180.0, None);
    let exact = ErlangC::new(traffic(1.0, 180.0), 4).unwrap();
    let day = scene.play(30, 11).day();
    assert_agrees("service level", day.service_level, exact.service_level(20.0), 0.003);
    assert_agrees("ASA", day.answer_secs, exact.mean_wait_secs(), 3.0);
    assert_eq!(day.abandoned.mean, 0.0);
}

#[test]
fn finite_places_block_as_their_chain_says() {
    for places in [0, 3] {
        let mut scene = Scene::line(2.0, 600, 5).handled(180.0, Some(90.0));
        scene.queue().places = Some(places);
        let exact = FinitePlaces::new(traffic(2.0, 180.0), 5, Some(places), Some(90.0)).unwrap();
        let day = scene.play(30, 3).day();
        assert_agrees("refused", day.released, exact.figures().blocked, 0.002);
        assert_agrees("abandoned", day.abandonment, exact.figures().abandonment, 0.002);
        let level = exact.service_level(20.0, LevelOf::Offered);
        assert_agrees("service level", day.service_level, level, 0.002);
    }
}

#[test]
fn any_patience_is_met_as_its_integral_says() {
    let cases = [
        (
            Duration::Weibull { mean_secs: 120.0, shape: 1.7 },
            Patience::Weibull { mean_secs: 120.0, shape: 1.7 },
        ),
        (
            Duration::LogNormal { mean_secs: 90.0, variation: 1.2 },
            Patience::LogNormal { mean_secs: 90.0, variation: 1.2 },
        ),
        (Duration::Constant { secs: 60.0 }, Patience::Constant { secs: 60.0 }),
    ];
    for (patience, exact) in cases {
        let mut scene = Scene::line(4.0, 400, 12).handled(180.0, None);
        scene.customers().patience = Some(patience);
        let exact = GeneralPatience::new(traffic(4.0, 180.0), 12, exact).unwrap();
        let day = scene.play(30, 3).day();
        assert_agrees("abandoned", day.abandonment, exact.figures().abandonment, 0.001);
        let level = exact.service_level(20.0, LevelOf::Offered);
        assert_agrees("service level", day.service_level, level, 0.002);
    }
}

#[test]
fn a_longest_wait_is_a_constant_patience_by_another_name() {
    let mut scene = Scene::line(4.0, 400, 12).handled(180.0, None);
    scene.queue().longest_wait_secs = Some(60.0);
    let patience = Patience::Constant { secs: 60.0 };
    let exact = GeneralPatience::new(traffic(4.0, 180.0), 12, patience).unwrap();
    let day = scene.play(30, 4).day();
    assert_agrees("released", day.released, exact.figures().abandonment, 0.001);
}

#[test]
fn hunting_from_the_top_gives_each_member_the_exact_share() {
    for (patience, waits) in [
        (None, WhenAllBusy::Refused),
        (Some(120.0), WhenAllBusy::Waits { places: None, patience_secs: Some(120.0) }),
    ] {
        let mut scene = Scene::line(1.5, 600, 6).handled(180.0, patience);
        let group = scene.hunt(Offering { order: OfferOrder::TopDown, ..Offering::default() });
        group.places = patience.is_none().then_some(0);
        let exact = ordered_hunting(traffic(1.5, 180.0), 6, waits).unwrap();
        let agents = scene.play(30, 8).agents();
        for (member, (got, exact)) in agents.iter().zip(exact).enumerate() {
            assert_agrees(&format!("member {member}"), got.occupancy, exact, 0.002);
        }
    }
}

#[test]
fn urgent_contacts_go_first_as_the_chain_of_two_classes_says() {
    let mut scene = Scene::line(1.0, 800, 8).handled(180.0, Some(120.0));
    scene.add_type("Urgent", 1.2, Customers::calls(180.0, Some(200.0)));
    scene.add_step("urgent", StepKind::Queue(Queue { priority: 5, ..Queue::default() }));
    scene.add_entry("Urgent", "urgent");
    let exact = TwoClasses {
        urgent: Class { contacts_per_sec: 1.2 / 60.0, patience_secs: Some(200.0) },
        others: Class { contacts_per_sec: 1.0 / 60.0, patience_secs: Some(120.0) },
        handle_secs: 180.0,
        servers: 8,
    };
    let [urgent, others] = exact.figures(20.0).unwrap();
    let summary = scene.play(30, 2);
    for (name, kind, exact) in [("others", 0, others), ("urgent", 1, urgent)] {
        let got = summary.of_type(kind);
        assert_agrees(&format!("{name} abandoned"), got.abandonment, exact.abandonment, 0.0015);
        assert_agrees(&format!("{name} ASA"), got.answer_secs, exact.answer_secs, 0.3);
        assert_agrees(&format!("{name} level"), got.service_level, exact.service_level, 0.002);
    }
}

#[test]
fn callers_who_try_again_meet_what_the_retrial_chain_says() {
    let mut scene = Scene::line(1.0, 800, 3).handled(150.0, Some(60.0));
    let again = TryAgain { share: 0.6, after: Duration::exponential(300.0), most_attempts: None };
    scene.customers().after_abandoning = Some(again.clone());
    scene.customers().after_blocked = Some(again);
    scene.queue().places = Some(2);
    let exact = Redial {
        traffic: traffic(1.0, 150.0),
        servers: 3,
        places: Some(2),
        patience_secs: Some(60.0),
        share: 0.6,
        after_secs: 300.0,
    }
    .figures(20.0)
    .unwrap();
    let day = scene.play(30, 6).day();
    assert_agrees("abandoned", day.abandonment, exact.abandonment, 0.002);
    assert_agrees("refused", day.released, exact.blocked, 0.002);
    assert_agrees("service level", day.service_level, exact.service_level, 0.003);
    let again = day.again.scaled(1.0 / (day.offered.mean - day.again.mean));
    assert_agrees("calls per caller", again, exact.calls_per_caller - 1.0, 0.004);
}

#[test]
fn chats_that_slow_each_other_down_settle_as_their_chain_says() {
    // Chats wait while two agents hold three each; with so few agents the chain's assumption, that
    // chats stay evenly spread, is nearly right: one agent makes it exactly so.
    let mut scene = Scene::line(0.6, 800, 1).handled(150.0, Some(120.0));
    scene.customers().channel = Channel::Chat;
    let skill = ChannelSkill { channel: Channel::Chat, at_once: 3, slowing: 0.4 };
    scene.team().channels = vec![skill];
    let pace = ChatPace { at_once: 3, alone_secs: 150.0, slowing: 0.4 };
    let exact = ChatTeam::new(0.6 / 60.0, 1, pace, None, Some(120.0)).unwrap();
    let day = scene.play(30, 9).day();
    assert_agrees("abandoned", day.abandonment, exact.figures().abandonment, 0.003);
    let level = exact.service_level(20.0, LevelOf::Offered);
    assert_agrees("service level", day.service_level, level, 0.004);
    // The chain's occupancy is of agents, the engine's of what they could hold.
    assert_agrees("chats held", day.occupancy, exact.mean_chats() / 3.0, 0.004);
}

#[test]
fn a_callback_that_keeps_its_place_is_a_caller_who_never_gives_up() {
    // Half of those who wait accept at once: their patience has no end, the others' is 60 s. The
    // exact line is one with patience of two kinds.
    let mut scene = Scene::line(4.0, 400, 12).handled(180.0, Some(60.0));
    scene.add_step(
        "callback",
        StepKind::Callback(Callback {
            line: "queue".to_owned(),
            promise: Promise::PlaceKept,
            accepted_share: 1.0,
            otherwise: Next::Release,
            reached_share: 1.0,
            unanswered_secs: 0.0,
            attempts: 1,
            retry_after_secs: 0.0,
        }),
    );
    scene.queue().callback = Some(CallbackOffer {
        after_secs: 0.0,
        if_expected_wait_secs: 0.0,
        accepted_share: 0.5,
        step: "callback".to_owned(),
    });
    let patience =
        Patience::HyperExponential { first: 0.5, first_mean_secs: 60.0, second_mean_secs: 1e9 };
    let exact = GeneralPatience::new(traffic(4.0, 180.0), 12, patience).unwrap();
    let day = scene.play(30, 12).day();
    assert_agrees("abandoned", day.abandonment, exact.figures().abandonment, 0.001);
    assert_agrees("occupancy", day.occupancy, exact.figures().occupancy, 0.001);
    assert_eq!(day.callback_failed.unwrap().mean, 0.0);
}

/// Share of each type that is refused in a small network without waiting: the first type may use
/// both teams and prefers the first, the second type only the second team. The chain over (busy in
/// the first, busy in the second) is solved by repeated balancing.
fn refused_in_network(loads: [f64; 2], agents: [usize; 2]) -> [f64; 2] {
    let (rows, columns) = (agents[0] + 1, agents[1] + 1);
    let mut chance = vec![vec![1.0 / (rows * columns) as f64; columns]; rows];
    for _ in 0..20_000 {
        let mut next = vec![vec![0.0; columns]; rows];
        // One step of the chain that is looked at so often that at most one thing happens.
        let rate = loads[0] + loads[1] + (agents[0] + agents[1]) as f64;
        for (i, row) in chance.iter().enumerate() {
            for (j, &here) in row.iter().enumerate() {
                let mut stays = rate;
                let mut moves = |to: (usize, usize), speed: f64| {
                    next[to.0][to.1] += here * speed / rate;
                    stays -= speed;
                };
                if i < agents[0] {
                    moves((i + 1, j), loads[0]);
                } else if j < agents[1] {
                    moves((i, j + 1), loads[0]);
                }
                if j < agents[1] {
                    moves((i, j + 1), loads[1]);
                }
                if i > 0 {
                    moves((i - 1, j), i as f64);
                }
                if j > 0 {
                    moves((i, j - 1), j as f64);
                }
                next[i][j] += here * stays / rate;
            }
        }
        chance = next;
    }
    let second: f64 = chance.iter().map(|row| row[agents[1]]).sum();
    [chance[agents[0]][agents[1]], second]
}

#[test]
fn a_small_skill_network_agrees_with_its_chain() {
    let mut scene = Scene::line(1.0, 600, 4).handled(180.0, None);
    scene.add_type("Other", 0.5, Customers::calls(180.0, None));
    let need = |skill: &str| barometer_strategy::SkillNeed {
        skills: vec![WantedSkill { skill: skill.to_owned(), at_least: None }],
        relaxations: Vec::new(),
    };
    let line = |skill| Queue { need: need(skill), places: Some(0), ..Queue::default() };
    *scene.queue() = line("first");
    scene.add_step("other", StepKind::Queue(line("second")));
    scene.add_entry("Other", "other");
    let skill = |name: &str| Skill { skill: name.to_owned(), level: None };
    scene.team().skills = vec![skill("first")];
    let both = scene.add_team("both", 3);
    both.skills = vec![skill("first"), skill("second")];
    both.ranks = [("queue".to_owned(), 2)].into();
    let [first, second] = refused_in_network([3.0, 1.5], [4, 3]);
    let summary = scene.play(30, 4);
    assert_agrees("first refused", summary.of_type(0).released, first, 0.002);
    assert_agrees("second refused", summary.of_type(1).released, second, 0.002);
}
