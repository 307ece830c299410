//! What always holds, whatever the strategy.

use barometer_simulate::{
    Arrivals, DemandLuck, Experiment, ExperimentError, People, PlayError, TypeTally,
};
use barometer_strategy::{
    Announcement, Channel, ChannelSkill, Customers, Duration, Next, OfferOrder, Offering, Queue,
    Relaxation, StepKind, Strategy as Plan, TryAgain, Voicemail, VoicemailWork, WantedSkill,
};
use proptest::prelude::*;

use crate::fixture::{Scene, team_cover};

/// Orders, windows, gaps, ranks and exits of all kinds, with two types on two teams.
fn any_scene() -> impl proptest::strategy::Strategy<Value = Scene> {
    let orders = prop_oneof![
        Just(OfferOrder::AllAtOnce),
        Just(OfferOrder::TopDown),
        Just(OfferOrder::RoundRobinFresh),
        Just(OfferOrder::RoundRobin),
        Just(OfferOrder::LongestIdle),
        Just(OfferOrder::FewestAnswered),
        Just(OfferOrder::Random),
    ];
    let offering = (
        orders,
        prop::option::of(1.0..40.0f64),
        prop_oneof![Just(0.0), 0.5..10.0f64],
        any::<[bool; 2]>(),
        prop::option::of(1u32..4),
        prop::option::of(1u32..5),
        prop_oneof![Just(0.0), 1.0..60.0f64],
    )
        .prop_map(|(order, window, gap_secs, flags, devices, most_offers, wrap_up_secs)| {
            Offering {
                order,
                ring_window_secs: window,
                gap_secs,
                parallel: flags[0],
                second_call: flags[1] && window.is_some() && order != OfferOrder::AllAtOnce,
                most_devices: devices.filter(|_| order == OfferOrder::AllAtOnce),
                most_offers,
                wrap_up_secs,
            }
        });
    let team = (
        prop_oneof![Just(Duration::nothing()), (1.0..15.0f64).prop_map(Duration::exponential)],
        prop_oneof![Just(0.0), 0.0..0.9f64],
        1u32..4,
        prop_oneof![Just(0.0), 0.1..1.0f64],
    );
    (
        offering,
        team,
        proptest::collection::vec((0.0..2.5f64, 0u32..7), 1..5),
        (
            prop::option::of(0u32..6),
            prop::option::of(1.0..200.0f64),
            prop::option::of(1.0..60.0f64),
        ),
        any::<[bool; 5]>(),
        prop::option::of(20.0..200.0f64),
    )
        .prop_map(|(offering, team, plan, (places, longest, ageing), flags, patience)| {
            let mut scene = Scene::line(1.0, plan.len(), 1).handled(150.0, patience);
            for (interval, (per_minute, _)) in scene.demand.types[0].intervals.iter_mut().zip(&plan)
            {
                interval.contacts = per_minute * 30.0;
            }
            scene.cover.teams[0].people = People::Counted(plan.iter().map(|each| each.1).collect());
            scene.team().answer_delay = team.0;
            scene.team().refused_share = team.1;
            scene.add_type("Chats", 0.4, Customers::calls(200.0, Some(90.0)));
            scene.demand.types[1].customers.channel = Channel::Chat;
            let again = TryAgain {
                share: 0.5,
                after: Duration::exponential(200.0),
                most_attempts: Some(4),
            };
            scene.customers().after_abandoning = flags[0].then(|| again.clone());
            scene.customers().after_blocked = flags[1].then_some(again);
            let both = scene.add_team("both", 2);
            let at_once = |channel, at_once| ChannelSkill { channel, at_once, slowing: team.3 };
            both.channels = vec![
                at_once(Channel::Chat, team.2),
                at_once(Channel::Call, 1),
                at_once(Channel::Task, 1),
            ];
            both.skills = vec![barometer_strategy::Skill { skill: "chat".to_owned(), level: None }];
            let mut queue =
                Queue { offering, places, longest_wait_secs: longest, ..Queue::default() };
            queue.ageing_secs = ageing;
            queue.exits.too_long = Next::step("told");
            queue.exits.full = if flags[2] { Next::BusyTone } else { Next::step("voicemail") };
            queue.exits.no_answer = if flags[3] { Next::step("second") } else { Next::KeepRinging };
            queue.exits.no_staff_while_waiting = flags[4].then(|| Next::step("voicemail"));
            *scene.queue() = queue;
            let mut second = Queue { priority: 2, ..Queue::default() };
            second.need.skills = vec![WantedSkill { skill: "chat".to_owned(), at_least: None }];
            second.need.relaxations = vec![Relaxation { after_secs: 30.0, skills: Vec::new() }];
            scene.add_step("second", StepKind::Queue(second));
            scene.add_entry("Chats", "second");
            let (time, next) = (Duration::exponential(10.0), Next::step("voicemail"));
            scene.add_step("told", StepKind::Announcement(Announcement { time, next }));
            let work =
                VoicemailWork { line: "second".to_owned(), time: Duration::exponential(60.0) };
            scene.add_step("voicemail", StepKind::Voicemail(Voicemail { work: Some(work) }));
            scene
        })
}

fn ends(tally: &TypeTally) -> f64 {
    tally.answered
        + tally.abandoned
        + tally.to_voicemail
        + tally.released
        + tally.blocked
        + tally.outside
        + tally.contained
        + tally.called_back
        + tally.callback_failed
        + tally.left_waiting
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(256))]
    #[test]
    fn every_contact_ends_in_exactly_one_way_and_nobody_works_more_than_the_time(
        scene in any_scene(), seed in any::<u64>(),
    ) {
        let experiment = scene.experiment(2, seed);
        for day in experiment.play_range(0..2).unwrap() {
            let total = day.total();
            prop_assert_eq!(total.offered, ends(&total));
            prop_assert!(total.answered_in_time <= total.answered);
            let lines = day.total_of_service_points();
            prop_assert!(lines.answered >= total.answered + total.called_back);
            let teams = day.total_of_teams();
            prop_assert_eq!(teams.answered, lines.answered);
            prop_assert!(teams.busy_secs <= teams.staffed_secs * (1.0 + 1e-9) + 1e-6,
                "{} of {}", teams.busy_secs, teams.staffed_secs);
            for agent in &day.agents {
                prop_assert!(agent.busy_secs <= agent.staffed_secs * (1.0 + 1e-9) + 1e-6);
                prop_assert!(agent.answered <= agent.offers);
            }
            // Work and promised callbacks wait too, though no customer does.
            prop_assert!(lines.wait_secs >= total.wait_secs - 1e-6 * (1.0 + total.wait_secs));
        }
    }

    #[test]
    fn the_same_seed_gives_the_same_days_in_any_order_on_any_number_of_threads(
        scene in any_scene(), seed in any::<u64>(),
    ) {
        let experiment = scene.experiment(6, seed);
        let mut backwards: Vec<_> =
            (0..6).rev().map(|replication| experiment.play(replication).unwrap()).collect();
        backwards.reverse();
        let together = experiment.play_range(0..6).unwrap();
        prop_assert_eq!(&together, &backwards);
        let (told, story) = experiment.log(3).unwrap();
        prop_assert_eq!(&told, &together[3]);
        prop_assert!(story.events.is_sorted_by(|a, b| a.at_secs <= b.at_secs));
    }
}

#[test]
fn what_contacts_of_each_type_took_adds_up_to_what_all_took() {
    let mut scene = Scene::line(2.0, 8, 7).handled(200.0, Some(100.0));
    scene.add_type("Chats", 0.4, Customers::calls(200.0, Some(90.0)));
    scene.add_step("second", StepKind::Queue(Queue::default()));
    scene.add_entry("Chats", "second");
    let experiment = scene.experiment(12, 3);
    let mut summary = experiment.summary();
    experiment.play_range(0..12).unwrap().iter().for_each(|day| summary.add(day));
    let (calls, chats) = (summary.type_flows(0), summary.type_flows(1));
    for (way, all) in summary.flows().iter().enumerate() {
        let name = &experiment.names().flows[way];
        let sum = calls[way].mean + chats[way].mean;
        assert!((all.mean - sum).abs() < 1e-9, "{} {}: {sum}", name.from, name.why);
        let is_of_chats = name.from.contains("second");
        let others = if is_of_chats { &calls } else { &chats };
        assert_eq!(others[way].mean, 0.0, "{} {}", name.from, name.why);
    }
    assert!(chats.iter().map(|way| way.mean).sum::<f64>() > 10.0);
    assert!(summary.in_short().type_flows(0).is_empty());
}

#[test]
fn parts_of_a_trial_add_up_to_the_whole() {
    let scene = Scene::line(2.0, 8, 7).handled(200.0, Some(100.0));
    let experiment = scene.experiment(30, 3);
    let part = |range| {
        let mut summary = experiment.summary();
        experiment.play_range(range).unwrap().iter().for_each(|day| summary.add(day));
        summary
    };
    let (whole, mut merged) = (part(0..30), part(0..10));
    merged.merge(&part(10..20));
    merged.merge(&part(20..30));
    assert_eq!(merged.replications(), 30);
    let (whole, merged) = (whole.day(), merged.day());
    // Counts are whole numbers and add up exactly; times may differ in the last digit.
    assert_eq!(whole.service_level, merged.service_level);
    assert_eq!(whole.abandonment, merged.abandonment);
    let (one, other) = (whole.answer_secs.unwrap().mean, merged.answer_secs.unwrap().mean);
    assert!((one - other).abs() < 1e-12 * one);
}

#[test]
fn two_strategies_meet_the_same_customers() {
    let plain = Scene::line(2.0, 6, 6).handled(180.0, Some(80.0));
    let mut other = plain.clone();
    other.queue().places = Some(1);
    other.queue().exits.full = Next::step("told");
    let (time, next) = (Duration::exponential(5.0), Next::BusyTone);
    other.add_step("told", StepKind::Announcement(Announcement { time, next }));
    let offered = |scene: &Scene| -> Vec<f64> {
        let days = scene.experiment(5, 9).play_range(0..5).unwrap();
        days.iter().flat_map(|day| day.types.iter().map(|tally| tally.offered)).collect()
    };
    assert_eq!(offered(&plain), offered(&other));
    // Whoever is answered at once talks for as long: a day without waiting is the same day.
    let free = |scene: &Scene| {
        let mut scene = scene.clone();
        scene.cover.teams[0].people = People::Counted(vec![60; 6]);
        scene.experiment(1, 9).play(0).unwrap().total_of_teams().busy_secs
    };
    assert_eq!(free(&plain), free(&other));
}

#[test]
fn a_day_of_the_past_has_exactly_the_contacts_that_came() {
    let mut scene = Scene::line(2.0, 4, 6);
    scene.demand.types[0].arrivals = Arrivals::Counted;
    for (interval, came) in scene.demand.types[0].intervals.iter_mut().zip([17.0, 0.0, 60.0, 1.0]) {
        interval.contacts = came;
    }
    for day in scene.experiment(20, 1).play_range(0..20).unwrap() {
        let offered: Vec<f64> = day.types.iter().map(|tally| tally.offered).collect();
        assert_eq!(offered, [17.0, 0.0, 60.0, 1.0]);
    }
}

#[test]
fn without_cover_and_without_patience_the_day_still_ends() {
    let day = Scene::line(1.0, 2, 0).play(5, 1).day();
    assert_eq!((day.answered.mean, day.left_waiting.unwrap().mean), (0.0, 1.0));
    assert!(day.offered.mean > 0.0);
}

#[test]
fn handle_times_of_hours_and_a_hundred_thousand_calls_an_hour_come_to_an_end() {
    let long = Scene::line(1.0, 4, 3).handled(20_000.0, Some(600.0)).play(3, 1).day();
    assert!(long.occupancy.unwrap().mean > 0.95, "{long:?}");
    let storm = Scene::line(100_000.0 / 60.0, 2, 200).handled(240.0, Some(60.0));
    let day = storm.play(1, 1).day();
    assert!((day.offered.mean - 100_000.0).abs() < 2_000.0, "{:?}", day.offered);
    assert!(day.abandonment.unwrap().mean > 0.9);
}

#[test]
fn contacts_that_go_round_without_end_are_reported_not_played_for_ever() {
    let mut scene = Scene::line(1.0, 2, 0);
    scene.queue().longest_wait_secs = Some(0.01);
    scene.queue().exits.too_long = Next::step("queue");
    let error = scene.experiment(1, 1).play(0).unwrap_err();
    assert!(matches!(error, PlayError::TooManyEvents { replication: 0, .. }), "{error}");
    assert!(error.to_string().contains("go round without end"), "{error}");
}

#[test]
fn an_impossible_experiment_is_refused_with_what_would_do() {
    let build = |scene: &Scene, replications| {
        let Scene { strategy, demand, cover } = scene;
        Experiment::new(strategy, demand, cover, replications, 1).unwrap_err()
    };
    let scene = Scene::line(1.0, 2, 3);
    let mut short = scene.clone();
    short.cover.teams[0].people = People::Counted(vec![3]);
    insta::assert_snapshot!(build(&short, 10), @"the cover of “team” has 1 intervals and the demand 2; they must be the same");
    let mut negative = scene.clone();
    negative.demand.types[0].intervals[1].contacts = -5.0;
    insta::assert_snapshot!(build(&negative, 10), @"contacts must be zero or a finite number above it, got -5");
    let mut many = scene.clone();
    many.demand.types[0].intervals[1].contacts = 1e9;
    insta::assert_snapshot!(build(&many, 10), @"contacts in a replication must be at most ten million, got 1000000030");
    insta::assert_snapshot!(build(&scene, 0), @"replications must be 1 to 1000000, got 0");
    let mut unknown = scene.clone();
    unknown.cover.teams[0].team = "nobody".to_owned();
    insta::assert_snapshot!(build(&unknown, 1), @"the cover names the team “nobody”, which the strategy does not have");
    let mut lost = scene.clone();
    lost.strategy.entries[0].contact_types = vec!["Other".to_owned()];
    insta::assert_snapshot!(build(&lost, 1), @"no entry of the strategy takes contacts of the type “Calls”");
    let mut wrong = scene;
    let luck = DemandLuck { day_factors: vec![f64::NAN], interval_variance: 0.0 };
    wrong.demand.types[0].luck = Some(luck);
    assert!(
        matches!(build(&wrong, 1), ExperimentError::BadNumber { what, .. } if what == "day factors")
    );
}

#[test]
fn every_date_of_a_week_has_a_luck_of_its_own_and_the_first_that_of_the_day_alone() {
    let luck = DemandLuck { day_factors: vec![0.5, 1.5], interval_variance: 0.0 };
    let scene = |half_hours: usize| {
        let mut scene = Scene::line(100.0 / 30.0, half_hours, 40);
        scene.demand.types[0].luck = Some(luck.clone());
        scene.experiment(400, 3).play_range(0..400).unwrap()
    };
    let (weeks, days) = (scene(2 * 48), scene(48));
    let of_date = |day: &barometer_simulate::DayTally, date: usize| -> f64 {
        let of_date = &day.types[48 * date..48 * (date + 1)];
        of_date.iter().map(|interval| interval.offered).sum::<f64>() / 4800.0
    };
    let mut alike = 0;
    for (week, day) in weeks.iter().zip(&days) {
        let [first, second] = [0, 1].map(|date| of_date(week, date));
        assert_eq!(first, of_date(day, 0), "the first date is as if it were alone");
        // A day of 2400 or 7200 contacts is told from the other by 60 standard deviations.
        assert!((first - 0.5).abs() < 0.1 || (first - 1.5).abs() < 0.1, "{first}");
        alike += u32::from((first - second).abs() < 0.5);
    }
    // Two dates are alike in half of 400 weeks, with a standard deviation of 10; bound: 4.5 of them.
    assert!((155..=245).contains(&alike), "{alike}");
}

#[test]
fn joined_strategies_play_each_of_them_as_it_was_alone() {
    let alone = Scene::line(2.0, 8, 9).handled(240.0, Some(120.0));
    let mut joined = alone.clone();
    joined.add_type("Others", 3.0, Customers::calls(300.0, Some(200.0)));
    let parts = ["Calls", "Others"].map(|name| (name.to_owned(), Plan::plain(name)));
    joined.strategy = Plan::joined("Centre", parts);
    joined.cover.teams = vec![team_cover("calls-team", 9, 8), team_cover("others-team", 4, 8)];
    let (one, both) = (alone.play(30, 7), joined.play(30, 7));
    assert_eq!(both.of_type(0), {
        // People belong to no contact type.
        barometer_simulate::Measures { occupancy: None, ..one.day() }
    });
    assert_eq!(both.of_team(0), one.of_team(0));
    assert_eq!(both.of_service_point(0), one.of_service_point(0));
    // Too few people elsewhere are nobody's business here.
    assert!(both.of_type(1).service_level.unwrap().mean < 0.2);
    assert!(both.of_type(0).service_level.unwrap().mean > 0.7);
}

#[test]
fn each_contact_type_is_held_against_its_own_threshold() {
    let mut scene = Scene::line(1.0, 8, 6).handled(240.0, None);
    scene.add_type("Late", 0.5, Customers::calls(240.0, None));
    scene.demand.types[1].within_secs = 1e9;
    let summary = scene.play(20, 1);
    let late = summary.of_type(1).service_level.unwrap().mean;
    assert_eq!(late, 1.0, "whoever waits for ever is in time for a threshold without end");
    assert!(summary.of_type(0).service_level.unwrap().mean < 0.9);
}

#[test]
fn the_luck_of_the_day_spreads_days_as_it_says_and_keeps_their_mean() {
    // 4 intervals of 100 contacts, day factors 0.7, 1.0 and 1.3, interval variance 0.04, 6000 days.
    // Variance of a day: 400 (counting) + 400² × 0.06 (day) + (1 + 0.06) × 4 × 100² × 0.04 (own) =
    // 11,696. The standard error of the mean is 1.4 (bound 4.5 of them), that of the standard
    // deviation about 1 % (bound 4 %).
    let mut scene = Scene::line(100.0 / 30.0, 4, 40);
    scene.demand.types[0].luck =
        Some(DemandLuck { day_factors: vec![0.7, 1.0, 1.3], interval_variance: 0.04 });
    let days = scene.experiment(6000, 3).play_range(0..6000).unwrap();
    let days: Vec<f64> = days.iter().map(|day| day.total().offered).collect();
    let mean = days.iter().sum::<f64>() / 6000.0;
    let variance = days.iter().map(|day| (day - mean).powi(2)).sum::<f64>() / 6000.0;
    assert!((mean - 400.0).abs() < 6.5, "{mean}");
    assert!((variance.sqrt() / 11_696.0_f64.sqrt() - 1.0).abs() < 0.04, "{}", variance.sqrt());
}

#[test]
fn a_warm_up_is_played_and_left_out() {
    use barometer_simulate::Counting;
    let scene = Scene::line(2.4, 8, 8).handled(180.0, Some(120.0));
    let whole = scene.experiment(1, 5).play(0).unwrap();
    let counting = Counting { warm_up_intervals: 3, agents_by_interval: true };
    let left = scene.experiment(1, 5).counting(counting).unwrap().play(0).unwrap();
    assert_eq!(left.intervals, 5);
    assert_eq!(left.types, whole.types[3..]);
    assert_eq!(left.service_points, whole.service_points[3..]);
    assert_eq!(left.teams, whole.teams[3..]);
    let by_interval: f64 = left.agent_intervals.iter().map(|each| each.busy_secs).sum();
    let by_agent: f64 = left.agents.iter().map(|each| each.busy_secs).sum();
    let by_team: f64 = left.teams.iter().map(|each| each.busy_secs).sum();
    assert!((by_interval - by_agent).abs() < 1e-6 && (by_team - by_agent).abs() < 1e-6);
    let on_shift: f64 = left.agents.iter().map(|each| each.staffed_secs).sum();
    let by_interval: f64 = left.agent_intervals.iter().map(|each| each.staffed_secs).sum();
    assert!((on_shift - by_interval).abs() < 1e-6);
    // Eight people for five half-hours, and what is at hand when the day ends.
    assert!((8.0 * 5.0 * 1800.0..8.0 * 5.0 * 1800.0 + 8.0 * 3600.0).contains(&on_shift));
    assert!(
        scene.experiment(1, 5).counting(Counting { warm_up_intervals: 8, ..counting }).is_err()
    );
}

#[test]
fn chat_agents_are_busy_for_longer_than_their_places_are_taken() {
    let mut scene = Scene::line(1.5, 8, 6).handled(180.0, None);
    scene.customers().channel = barometer_strategy::Channel::Chat;
    scene.team().channels = vec![barometer_strategy::ChannelSkill {
        channel: barometer_strategy::Channel::Chat,
        at_once: 3,
        slowing: 0.0,
    }];
    let team = scene.play(20, 3).of_team(0);
    let (places, busy) = (team.occupancy.unwrap().mean, team.engaged.unwrap().mean);
    // 4.5 Erlangs at eighteen places; a fresh chat goes to the agent who holds fewest.
    assert!((places - 0.25).abs() < 0.03, "{places}");
    assert!(busy > 0.5 && busy < 0.75, "{busy}");
}
