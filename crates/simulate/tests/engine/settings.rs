//! Steps, queues, callbacks, customers and shifts: with and without each setting.

use barometer_simulate::{Experiment, People, ServicePointTally, TypeTally, What};
use barometer_strategy::{
    Announcement, Assistant, Callback, CallbackOffer, Channel, ChannelSkill, Condition, Customers,
    Duration, HoursException, HoursGate, LabelRule, Labelling, Menu, MenuChoice, Next, OnLeaving,
    OpenHours, Outside, Profile, Promise, Queue, QueueAnnouncement, Relaxation, Repeat, Route,
    Routing, Skill, StepKind, TryAgain, Voicemail, VoicemailWork, WantedSkill,
};
use jiff::civil::{date, time};

use crate::fixture::Scene;

/// A line whose eight people are nearly too few for two calls a minute of three minutes each.
fn busy() -> Scene {
    Scene::line(2.4, 8, 8).handled(180.0, Some(120.0))
}

fn total(scene: &Scene) -> TypeTally {
    let days = scene.experiment(20, 42).play_range(0..20).unwrap();
    days.iter().fold(TypeTally::default(), |mut sum, day| {
        sum.add(&day.total());
        sum
    })
}

fn of_line(scene: &Scene, line: usize) -> ServicePointTally {
    let days = scene.experiment(20, 42).play_range(0..20).unwrap();
    let n = days[0].intervals;
    let rows = days.iter().flat_map(|day| &day.service_points[line * n..(line + 1) * n]);
    rows.fold(ServicePointTally::default(), |mut sum, each| {
        sum.add(each);
        sum
    })
}

fn wait(tally: &TypeTally) -> f64 {
    tally.answer_wait_secs / tally.answered
}

#[test]
fn a_longest_wait_sends_to_its_exit_those_who_would_have_waited_on() {
    let plain = total(&busy());
    let mut limited = busy();
    limited.queue().longest_wait_secs = Some(45.0);
    limited.queue().exits.too_long = Next::step("voicemail");
    limited.add_step("voicemail", StepKind::Voicemail(Voicemail { work: None }));
    let short = total(&limited);
    assert_eq!((plain.to_voicemail, plain.released), (0.0, 0.0));
    assert!(short.to_voicemail > 0.05 * short.offered, "{short:?}");
    assert!(short.abandoned < plain.abandoned);
    assert_eq!(short.offered, plain.offered, "the same customers come");
    // Ringing on at the end of the longest wait is as if there were none.
    limited.queue().exits.too_long = Next::KeepRinging;
    assert_eq!(total(&limited), plain);
}

#[test]
fn places_limit_the_line_and_the_rest_take_the_full_exit() {
    let plain = total(&busy());
    let mut small = busy();
    small.queue().places = Some(2);
    small.queue().exits.full = Next::step("outside");
    small.add_step("outside", StepKind::Outside(Outside { number: "+44".to_owned() }));
    let few = total(&small);
    assert!(few.outside > 0.0 && plain.outside == 0.0);
    assert!(few.wait_secs < plain.wait_secs);
    small.queue().exits.full = Next::BusyTone;
    assert_eq!(total(&small).blocked, few.outside);
    small.queue().exits.full = Next::KeepRinging;
    assert_eq!(total(&small), plain);
}

#[test]
fn nobody_at_work_is_noticed_at_arrival_and_while_waiting() {
    // Nobody in the first hour, seven in the second, nobody in the third, seven in the fourth.
    let mut scene = busy().handled(180.0, None);
    scene.cover.teams[0].people = People::Counted(vec![0, 0, 7, 7, 0, 0, 7, 7]);
    scene.add_step("closed", StepKind::Voicemail(Voicemail { work: None }));
    let waits = total(&scene);
    assert_eq!(waits.to_voicemail, 0.0);
    scene.queue().exits.no_staff_at_arrival = Some(Next::step("closed"));
    let at_arrival = total(&scene);
    assert!((at_arrival.to_voicemail / at_arrival.offered - 0.5).abs() < 0.05, "{at_arrival:?}");
    scene.queue().exits.no_staff_while_waiting = Some(Next::step("closed"));
    let also_later = total(&scene);
    assert!(also_later.to_voicemail > at_arrival.to_voicemail, "those in line at closing too");
    assert!(also_later.wait_secs < at_arrival.wait_secs);
}

#[test]
fn an_hours_gate_follows_the_clock_of_its_zone_and_its_exceptions() {
    // From midnight UTC to four; the gate opens at two in a zone one hour ahead: at one UTC.
    let mut scene = Scene::line(2.0, 8, 20);
    scene.demand.start = "2026-01-15T00:00:00Z".parse().unwrap();
    let hours = OpenHours { days: Vec::new(), from: time(2, 0, 0, 0), until: time(0, 0, 0, 0) };
    let gate = HoursGate {
        zone: Some("Europe/Paris".to_owned()),
        hours: vec![hours],
        exceptions: Vec::new(),
        open: Next::step("queue"),
        closed: Next::BusyTone,
    };
    scene.add_step("gate", StepKind::HoursGate(gate.clone()));
    scene.strategy.entries[0].first = Next::step("gate");
    let by_interval = |scene: &Scene| -> Vec<bool> {
        let day = scene.experiment(1, 1).play(0).unwrap();
        day.types
            .iter()
            .map(|tally| tally.blocked == tally.offered && tally.offered > 0.0)
            .collect()
    };
    let closed = by_interval(&scene);
    assert_eq!(closed, [true, true, false, false, false, false, false, false]);
    let holiday = HoursException { date: date(2026, 1, 15), hours: Vec::new() };
    let StepKind::HoursGate(gate) = &mut scene.strategy.steps[1].does else { unreachable!() };
    gate.exceptions = vec![holiday];
    assert_eq!(by_interval(&scene), [true; 8]);
}

#[test]
fn a_menu_shares_callers_out_takes_its_time_and_is_heard_again() {
    let mut scene = Scene::line(2.0, 8, 20);
    let choice = |name: &str, share, next| MenuChoice {
        name: name.to_owned(),
        share,
        contact_types: Vec::new(),
        next,
    };
    let menu = Menu {
        time: Duration::Constant { secs: 10.0 },
        choices: vec![
            choice("Talk", 0.5, Next::step("queue")),
            choice("Hear the times", 0.3, Next::step("told")),
        ],
        retries: 0,
        no_choice: Next::BusyTone,
    };
    scene.add_step("menu", StepKind::Menu(menu));
    let (time, next) = (Duration::Constant { secs: 30.0 }, Next::Release);
    scene.add_step("told", StepKind::Announcement(Announcement { time, next }));
    scene.strategy.entries[0].first = Next::step("menu");
    let once = total(&scene);
    // 20 × 480 callers: a share's standard error is half a point.
    let share = |count: f64| count / once.offered;
    assert!((share(once.answered) - 0.5).abs() < 0.025, "{once:?}");
    assert!((share(once.released) - 0.3).abs() < 0.025 && (share(once.blocked) - 0.2).abs() < 0.02);
    assert_eq!(once.answer_wait_secs, 0.0, "time in a menu is no waiting");
    let StepKind::Menu(menu) = &mut scene.strategy.steps[1].does else { unreachable!() };
    menu.retries = 2;
    let thrice = total(&scene);
    // Who chooses nothing three times in a row: 0.2³.
    assert!(thrice.blocked / thrice.offered < 0.02, "{thrice:?}");
}

#[test]
fn labels_come_from_what_customers_are_and_routes_follow_them() {
    let mut scene = Scene::line(2.0, 8, 20);
    let profile = |share, number: &str, language: &str, status: Option<&str>| Profile {
        share,
        number: number.to_owned(),
        language: language.to_owned(),
        attributes: status
            .map(|value| ("status".to_owned(), value.to_owned()))
            .into_iter()
            .collect(),
    };
    scene.customers().profiles =
        vec![profile(0.2, "+441111", "gd", None), profile(0.3, "+33222", "en", Some("islander"))];
    let rule = |label: &str, when| LabelRule { label: label.to_owned(), when };
    let islander = Condition::Attribute { name: "status".to_owned(), value: "islander".to_owned() };
    let labelling = Labelling {
        rules: vec![
            rule("Gaelic", Condition::Language("gd".to_owned())),
            rule("abroad", Condition::CallerNumber("+33*".to_owned())),
            rule("islander", islander),
            rule("tenth", Condition::Share(0.1)),
        ],
        next: Next::step("routes"),
    };
    let route = |label: &str, next| Route { label: label.to_owned(), next };
    let routing = Routing {
        routes: vec![route("Gaelic", Next::BusyTone), route("islander", Next::Release)],
        otherwise: Next::step("queue"),
    };
    scene.add_step("labels", StepKind::Labelling(labelling));
    scene.add_step("routes", StepKind::Routing(routing));
    scene.strategy.entries[0].first = Next::step("labels");
    let day = total(&scene);
    assert!((day.blocked / day.offered - 0.2).abs() < 0.02, "{day:?}");
    assert!((day.released / day.offered - 0.3).abs() < 0.025, "{day:?}");
    let labels = scene.play(20, 42).labels();
    let share = |label: usize| labels[label].contacts.mean * 20.0 / day.offered;
    assert!((share(1) - 0.3).abs() < 0.025 && (share(1) - share(2)).abs() < 1e-12);
    assert!((share(3) - 0.1).abs() < 0.02);
}

#[test]
fn what_is_set_for_a_number_is_done_to_its_callers() {
    let mut scene = busy();
    let profile = |share, number: &str| Profile {
        share,
        number: number.to_owned(),
        language: "en".to_owned(),
        attributes: Default::default(),
    };
    scene.customers().profiles = vec![profile(0.3, "+33222"), profile(0.7, "+44111")];
    let labelling = Labelling {
        rules: vec![
            LabelRule { label: "Gaelic".to_owned(), when: Condition::Language("gd".to_owned()) },
            LabelRule { label: "storm".to_owned(), when: Condition::Share(0.0) },
        ],
        next: Next::step("routes"),
    };
    let route = |label: &str, next| Route { label: label.to_owned(), next };
    let routing = Routing {
        routes: vec![route("Gaelic", Next::Release), route("storm", Next::BusyTone)],
        otherwise: Next::step("queue"),
    };
    scene.add_step("labels", StepKind::Labelling(labelling));
    scene.add_step("routes", StepKind::Routing(routing));
    let welcome = Announcement { time: Duration::Constant { secs: 60.0 }, next: Next::BusyTone };
    scene.add_step("welcome", StepKind::Announcement(welcome));
    scene.strategy.entries[0].first = Next::step("labels");
    let without = total(&scene);
    assert_eq!((without.blocked, without.released), (0.0, 0.0));
    let with = |set: &dyn Fn(&mut barometer_strategy::Entry)| {
        let mut scene = scene.clone();
        set(&mut scene.strategy.entries[0]);
        total(&scene)
    };
    // Blocked callers get the busy tone; a standard error of a share of some thousand contacts is under 0.01.
    let blocked = with(&|entry| entry.blocked = vec!["+33*".to_owned()]);
    assert!((blocked.blocked / blocked.offered - 0.3).abs() < 0.025, "{blocked:?}");
    // Everybody is labelled, or speaks the number's language.
    let labelled = with(&|entry| entry.label = Some("storm".to_owned()));
    assert_eq!(labelled.blocked, labelled.offered);
    let spoken = with(&|entry| entry.language = Some("gd".to_owned()));
    assert_eq!(spoken.released, spoken.offered);
    // What is heard first takes a minute and leads on to the first step, not where it leads itself.
    let told = with(&|entry| entry.announcement = Some("welcome".to_owned()));
    assert_eq!(told.blocked, 0.0);
    assert!((told.offered - without.offered).abs() < 1e-9);
    // Both are counted as ways of the entry: who is not blocked hears it.
    let mut both = scene.clone();
    both.strategy.entries[0].blocked = vec!["+33*".to_owned()];
    both.strategy.entries[0].announcement = Some("welcome".to_owned());
    let experiment = Experiment::new(&both.strategy, &both.demand, &both.cover, 20, 42).unwrap();
    let summary = experiment.play_part(0..20).unwrap();
    let entry = &both.strategy.entries[0].name;
    let way = |why: &str| {
        let flows = &experiment.names().flows;
        let at = flows.iter().position(|flow| flow.from == *entry && flow.why == why);
        summary.flows()[at.expect("the way is there")].mean
    };
    let offered = summary.of_type(0).offered.mean;
    assert!((way("blocked") / offered - 0.3).abs() < 0.025);
    assert!((way("blocked") + way("hears first") - offered).abs() < 1e-9);
    let plain = Experiment::new(&scene.strategy, &scene.demand, &scene.cover, 1, 42).unwrap();
    assert!(plain.names().flows.iter().all(|flow| flow.from != *entry), "one way is not counted");
}

#[test]
fn an_assistant_settles_its_share_and_delays_the_others() {
    let mut scene = busy();
    let without = total(&scene);
    let assistant = Assistant {
        time: Duration::exponential(30.0),
        contained_share: 0.4,
        next: Next::step("queue"),
    };
    scene.add_step("assistant", StepKind::Assistant(assistant));
    scene.strategy.entries[0].first = Next::step("assistant");
    let with = total(&scene);
    assert!((with.contained / with.offered - 0.4).abs() < 0.025, "{with:?}");
    assert!(wait(&with) < 0.5 * wait(&without));
}

#[test]
fn a_higher_priority_is_served_first_and_ageing_evens_it_out() {
    let mut scene = busy();
    scene.demand.types[0].intervals.iter_mut().for_each(|each| each.contacts *= 0.5);
    scene.add_type("Others", 1.2, Customers::calls(180.0, Some(120.0)));
    scene.add_step("second", StepKind::Queue(Queue::default()));
    scene.add_entry("Others", "second");
    let waits = |scene: &Scene| {
        let summary = scene.play(20, 42);
        [0, 1].map(|kind| summary.of_type(kind).answer_secs.unwrap().mean)
    };
    let even = waits(&scene);
    assert!((even[0] / even[1] - 1.0).abs() < 0.2, "{even:?}");
    scene.queue().priority = 3;
    let ranked = waits(&scene);
    assert!(ranked[0] < 0.85 * ranked[1], "{ranked:?}");
    // Every five seconds of waiting count as much as a step of priority.
    let StepKind::Queue(second) = &mut scene.strategy.steps[1].does else { unreachable!() };
    second.ageing_secs = Some(5.0);
    let aged = waits(&scene);
    assert!(aged[1] < ranked[1] && aged[0] > ranked[0], "{aged:?} {ranked:?}");
}

#[test]
fn a_need_keeps_others_out_until_it_is_relaxed_and_levels_count() {
    let mut scene = busy();
    let wanted = |at_least| WantedSkill { skill: "Gaelic".to_owned(), at_least };
    scene.queue().need.skills = vec![wanted(Some(6))];
    let nobody = total(&scene);
    assert_eq!(nobody.answered, 0.0, "nobody has the skill");
    scene.team().skills = vec![Skill { skill: "Gaelic".to_owned(), level: Some(5) }];
    assert_eq!(total(&scene).answered, 0.0, "nobody is good enough");
    scene.queue().need.relaxations =
        vec![Relaxation { after_secs: 20.0, skills: vec![wanted(None)] }];
    let relaxed = total(&scene);
    assert!(relaxed.answered > 0.5 * relaxed.offered && wait(&relaxed) >= 20.0, "{relaxed:?}");
    scene.team().skills[0].level = Some(6);
    assert_eq!(total(&scene), total(&busy()), "good enough from the start");
}

#[test]
fn ranks_of_a_team_in_a_queue_spare_those_who_help_out() {
    let mut scene = busy();
    let helpers = scene.add_team("helpers", 3);
    helpers.ranks = [("queue".to_owned(), 2)].into();
    let summary = scene.play(20, 42);
    let (own, help) =
        (summary.of_team(0).occupancy.unwrap(), summary.of_team(1).occupancy.unwrap());
    assert!(own.mean > help.mean + 0.15, "{own:?} {help:?}");
    scene.strategy.teams[1].ranks.clear();
    let summary = scene.play(20, 42);
    let (own, help) =
        (summary.of_team(0).occupancy.unwrap(), summary.of_team(1).occupancy.unwrap());
    assert!((own.mean - help.mean).abs() < 0.04, "{own:?} {help:?}");
}

#[test]
fn announcements_take_their_time_and_move_patience() {
    let told = |patience_factor, must_be_heard| QueueAnnouncement {
        at_secs: 0.0,
        secs: 8.0,
        must_be_heard,
        patience_factor,
        tells_expected_wait: false,
        leaving_share: 0.0,
    };
    let plain = total(&busy());
    let mut scene = busy();
    scene.queue().announcements = vec![told(1.0, false)];
    assert_eq!(total(&scene), plain, "what may be cut short costs nothing");
    scene.queue().announcements = vec![told(1.0, true)];
    let heard = total(&scene);
    assert!(wait(&heard) > wait(&plain) && heard.answered_in_time < plain.answered_in_time);
    let mut idle = scene.clone();
    idle.cover.teams[0].people = People::Counted(vec![40; 8]);
    let idle = total(&idle);
    assert!((wait(&idle) - 8.0).abs() < 1e-9, "everybody hears it to the end");
    scene.queue().announcements = vec![told(2.0, false)];
    assert!(total(&scene).abandoned < 0.97 * plain.abandoned, "patience is longer");
    scene.queue().announcements = vec![told(0.5, false)];
    assert!(total(&scene).abandoned > plain.abandoned, "or shorter");
}

#[test]
fn whoever_is_told_a_wait_beyond_patience_leaves_at_once() {
    let plain = total(&busy());
    let mut scene = busy();
    scene.queue().announcements = vec![QueueAnnouncement {
        at_secs: 0.0,
        secs: 0.0,
        must_be_heard: false,
        patience_factor: 1.0,
        tells_expected_wait: true,
        leaving_share: 1.0,
    }];
    let told = total(&scene);
    assert!(told.wait_secs < plain.wait_secs, "nobody waits in vain who knows it");
    assert!(told.abandoned > 0.0);
}

fn callback(line: &str, promise: Promise) -> Callback {
    Callback {
        line: line.to_owned(),
        promise,
        accepted_share: 1.0,
        otherwise: Next::Release,
        reached_share: 1.0,
        unanswered_secs: 20.0,
        attempts: 2,
        retry_after_secs: 600.0,
    }
}

#[test]
fn a_callback_ends_the_waiting_and_is_made_when_promised() {
    let plain = total(&busy());
    let mut scene = busy();
    scene.add_step("callback", StepKind::Callback(callback("queue", Promise::AfterSecs(1200.0))));
    scene.queue().callback = Some(CallbackOffer {
        after_secs: 20.0,
        if_expected_wait_secs: 0.0,
        accepted_share: 1.0,
        step: "callback".to_owned(),
    });
    let later = total(&scene);
    assert!(later.called_back > 0.1 * later.offered && later.abandoned < 0.6 * plain.abandoned);
    assert!(later.callback_secs / later.called_back >= 1200.0, "{later:?}");
    scene.queue().callback.as_mut().unwrap().if_expected_wait_secs = 8e4;
    assert_eq!(total(&scene), plain, "not offered where the wait is short");
}

#[test]
fn customers_who_do_not_answer_a_callback_are_tried_again_and_given_up() {
    let mut scene = Scene::line(1.0, 8, 20).handled(120.0, Some(60.0));
    let mut unreached = callback("queue", Promise::AfterSecs(300.0));
    unreached.reached_share = 0.3;
    scene.add_step("callback", StepKind::Callback(unreached));
    scene.strategy.entries[0].first = Next::step("callback");
    let day = total(&scene);
    assert_eq!(day.called_back + day.callback_failed, day.offered);
    // Two attempts: 1 − 0.7² are reached; 20 × 240 customers, a standard error of 0.7 points.
    assert!((day.called_back / day.offered - 0.51).abs() < 0.03, "{day:?}");
}

#[test]
fn a_voicemail_is_work_that_somebody_hears_when_there_is_time() {
    let mut scene = Scene::line(1.0, 8, 6).handled(120.0, Some(60.0));
    scene.add_step("messages", StepKind::Queue(Queue { priority: -1, ..Queue::default() }));
    scene.add_step("voicemail", StepKind::Voicemail(Voicemail { work: None }));
    scene.strategy.entries[0].first = Next::step("voicemail");
    assert_eq!(of_line(&scene, 1).answered, 0.0);
    let StepKind::Voicemail(voicemail) = &mut scene.strategy.steps[2].does else { unreachable!() };
    voicemail.work = Some(VoicemailWork {
        line: "messages".to_owned(),
        time: Duration::Constant { secs: 60.0 },
    });
    let (day, messages) = (total(&scene), of_line(&scene, 1));
    assert_eq!((messages.answered, day.to_voicemail), (day.offered, day.offered));
    let busy = scene.play(20, 42).of_team(0).occupancy.unwrap().mean;
    assert!((busy - 60.0 / 60.0 / 6.0).abs() < 0.02, "a minute of work a minute for six: {busy}");
}

#[test]
fn customers_try_again_after_abandoning_and_after_the_busy_tone() {
    let mut scene = busy();
    let again =
        TryAgain { share: 0.8, after: Duration::exponential(120.0), most_attempts: Some(3) };
    scene.customers().after_abandoning = Some(again.clone());
    let first = total(&busy());
    let more = total(&scene);
    assert!(more.again > 0.0 && more.offered > first.offered);
    assert_eq!(more.offered - more.again, first.offered, "the same customers");
    scene.customers().after_abandoning = None;
    scene.customers().after_blocked = Some(again);
    assert_eq!(total(&scene), first, "nobody is blocked");
    scene.queue().places = Some(0);
    scene.queue().exits.full = Next::BusyTone;
    assert!(total(&scene).again > 0.0);
}

#[test]
fn a_repeat_caller_waits_for_the_agent_who_served_last() {
    let mut scene = Scene::line(0.8, 8, 5).handled(180.0, None);
    scene.customers().repeat = Some(Repeat { share: 0.9, after: Duration::exponential(300.0) });
    let same = |scene: &Scene| {
        let (_, story) = scene.experiment(1, 3).log(0).unwrap();
        let answers = story.events.iter().filter(|each| matches!(each.what, What::Answered { .. }));
        answers.count() as f64
    };
    let without = total(&scene);
    scene.queue().last_agent_secs = Some(120.0);
    let with = total(&scene);
    assert!(same(&scene) > 0.0);
    // They wait for one of five instead of any: longer, which only this setting can make.
    assert!(wait(&with) > wait(&without) + 5.0, "{} {}", wait(&with), wait(&without));
}

#[test]
fn chats_at_once_are_more_places_and_slowing_costs_some_of_them() {
    let mut scene = busy();
    scene.customers().channel = Channel::Chat;
    let chats = |at_once, slowing| ChannelSkill { channel: Channel::Chat, at_once, slowing };
    scene.team().channels = vec![chats(1, 0.0)];
    assert_eq!(total(&scene), total(&busy()), "one at a time is like calls");
    scene.team().channels = vec![chats(3, 0.0)];
    let three = total(&scene);
    scene.team().channels = vec![chats(3, 1.0)];
    let slowed = total(&scene);
    assert!(three.abandoned < 0.1 * total(&busy()).abandoned);
    assert!(slowed.abandoned > three.abandoned, "they are not three times as many");
    scene.team().channels = vec![ChannelSkill { channel: Channel::Call, at_once: 3, slowing: 0.0 }];
    assert_eq!(total(&scene).answered, 0.0, "nobody answers chats");
}

#[test]
fn chats_of_an_agent_who_leaves_are_finished_handed_over_or_cut_off() {
    let mut scene = Scene::line(1.0, 4, 0).handled(600.0, None);
    scene.customers().channel = Channel::Chat;
    scene.team().channels = vec![ChannelSkill { channel: Channel::Chat, at_once: 4, slowing: 0.0 }];
    scene.rostered(0, &[(0.0, 3600.0), (0.0, 7200.0), (3600.0, 7200.0)]);
    let finished = total(&scene);
    assert_eq!(finished.cut_off, 0.0);
    scene.team().on_leaving = OnLeaving::CutOff;
    let cut = total(&scene);
    assert!(cut.cut_off > 20.0, "up to four on each of twenty days: {}", cut.cut_off);
    scene.team().on_leaving = OnLeaving::HandOver;
    let handed = total(&scene);
    assert_eq!(handed.cut_off, 0.0);
    assert_eq!(handed.answered, finished.answered, "everybody is served, and counted once");
    let joined = of_line(&scene, 0).entered;
    assert!(joined > handed.offered, "those who came back to the line");
}

#[test]
fn agents_who_leave_finish_the_call_at_hand_and_nobody_new_is_answered() {
    let mut scene = Scene::line(0.0, 2, 0).handled(240.0, Some(120.0));
    scene.demand.types[0].intervals[0].contacts = 60.0;
    scene.cover.teams[0].people = People::Counted(vec![10, 0]);
    let day = total(&scene);
    assert_eq!(day.offered, day.answered + day.abandoned);
    let late = scene.experiment(1, 42).play(0).unwrap().teams[1];
    assert!(late.busy_secs > 0.0 && (late.busy_secs - late.staffed_secs).abs() < 1e-6, "{late:?}");
}

#[test]
fn slower_people_take_longer() {
    let mut scene = busy();
    scene.team().pace = 1.2;
    let (slow, usual) = (scene.play(20, 42), busy().play(20, 42));
    let busy_hours = |summary: &barometer_simulate::Summary| {
        let team = summary.of_team(0);
        team.occupancy.unwrap().mean * team.staffed_hours.mean / team.answered.mean
    };
    let ratio = busy_hours(&slow) / busy_hours(&usual);
    assert!((ratio - 1.2).abs() < 0.02, "{ratio}");
}

#[test]
fn nobody_at_work_means_nobody_who_takes_the_contact() {
    // Only people who chat are on shift: a call finds nobody, and does not wait for them.
    let mut scene = Scene::line(1.0, 4, 5).handled(120.0, Some(60.0));
    scene.team().channels = vec![ChannelSkill { channel: Channel::Chat, at_once: 2, slowing: 0.0 }];
    scene.queue().exits.no_staff_at_arrival = Some(Next::BusyTone);
    let day = total(&scene);
    assert_eq!((day.blocked, day.abandoned), (day.offered, 0.0));
    // When the last of those who take calls leaves, those who wait leave too.
    let mut scene = Scene::line(2.0, 4, 1).handled(600.0, None);
    scene.cover.teams[0].people = People::Counted(vec![1, 1, 0, 0]);
    scene.add_team("chats", 3).channels =
        vec![ChannelSkill { channel: Channel::Chat, at_once: 2, slowing: 0.0 }];
    scene.queue().exits.no_staff_while_waiting = Some(Next::Release);
    scene.queue().exits.no_staff_at_arrival = Some(Next::BusyTone);
    let day = total(&scene);
    assert!(day.released > 0.0 && day.left_waiting == 0.0, "{day:?}");
}

#[test]
fn work_and_callbacks_wait_in_their_queue_though_no_customer_does() {
    let mut scene = Scene::line(1.0, 8, 1).handled(45.0, None);
    scene.add_step("messages", StepKind::Queue(Queue { priority: -1, ..Queue::default() }));
    scene.add_step(
        "voicemail",
        StepKind::Voicemail(Voicemail {
            work: Some(VoicemailWork {
                line: "messages".to_owned(),
                time: Duration::Constant { secs: 45.0 },
            }),
        }),
    );
    scene.strategy.entries[0].first = Next::step("voicemail");
    // One person, a minute from one message to the next, 45 s each: M/D/1 waits 67.5 s.
    let messages = of_line(&scene, 1);
    let wait = messages.wait_secs / messages.answered;
    assert!((wait - 67.5).abs() < 8.0, "{wait}");
    assert_eq!(total(&scene).wait_secs, 0.0);
    // A callback waits from the moment at which it is due.
    let mut scene = Scene::line(1.0, 8, 1).handled(50.0, None);
    let mut promise = callback("queue", Promise::AfterSecs(600.0));
    promise.reached_share = 1.0;
    scene.add_step("callback", StepKind::Callback(promise));
    scene.strategy.entries[0].first = Next::step("callback");
    let queue = of_line(&scene, 0);
    assert!(queue.wait_secs / queue.answered > 50.0, "{queue:?}");
    assert_eq!(total(&scene).wait_secs, 0.0);
}

#[test]
fn customers_think_of_each_callback_offer_by_itself() {
    // Half accept; of those who do not, half accept in the next queue.
    let mut scene = Scene::line(1.0, 8, 0).handled(120.0, None);
    let offer = CallbackOffer {
        after_secs: 10.0,
        if_expected_wait_secs: 0.0,
        accepted_share: 0.5,
        step: "callback".to_owned(),
    };
    scene.add_step("callback", StepKind::Callback(callback("queue", Promise::AfterSecs(600.0))));
    scene.queue().callback = Some(offer.clone());
    scene.queue().longest_wait_secs = Some(60.0);
    scene.queue().exits.too_long = Next::step("second");
    scene.add_step("second", StepKind::Queue(Queue { callback: Some(offer), ..Queue::default() }));
    let (first, second) = (of_line(&scene, 0), of_line(&scene, 1));
    // About 2400 customers: standard error 0.015.
    let share = second.callbacks / second.entered;
    assert!((share - 0.5).abs() < 0.06, "{share} of those who declined {}", first.callbacks);
}

#[test]
fn a_threshold_that_is_met_exactly_is_met() {
    let mut scene = Scene::line(1.0, 8, 30).handled(60.0, None);
    scene.team().answer_delay = Duration::Constant { secs: 20.1 };
    scene.demand.types[0].within_secs = 20.1;
    let day = total(&scene);
    assert_eq!(day.answered_in_time, day.answered);
}

#[test]
fn callbacks_that_fall_due_after_the_day_are_promises_not_kept() {
    let mut scene = Scene::line(1.0, 4, 10).handled(60.0, None);
    let mut promise = callback("queue", Promise::AfterSecs(3600.0));
    promise.reached_share = 1.0;
    scene.add_step("callback", StepKind::Callback(promise));
    scene.strategy.entries[0].first = Next::step("callback");
    let day = total(&scene);
    // Those of the second of two hours are due after it.
    assert!((day.callback_failed / day.offered - 0.5).abs() < 0.05, "{day:?}");
    assert_eq!(day.called_back + day.callback_failed, day.offered);
}

#[test]
fn handle_times_that_are_all_zero_are_refused_where_a_mean_is_given() {
    let mut scene = Scene::line(1.0, 4, 3);
    scene.customers().handling = Duration::Empirical { secs: vec![0.0, 0.0] };
    let refused =
        barometer_simulate::Experiment::new(&scene.strategy, &scene.demand, &scene.cover, 1, 1);
    let message = refused.unwrap_err().to_string();
    assert!(message.contains("handling") && message.contains("above 0"), "{message}");
}
