//! Walks whose every second can be reckoned by hand.

use barometer_strategy::{
    Announcement, Channel, Condition, Duration, HoursGate, HuntGroup, LabelRule, Labelling, Member,
    Members, Menu, MenuChoice, Next, OfferOrder, Offering, OpenHours, Queue, Route, Routing, Step,
    StepKind, Strategy, Team, Voicemail,
};
use barometer_walk::{
    Expectation, OnShift, Outcome, Scene, SceneError, WalkEnd, What, first_difference,
    read_expectations, ring_timeline, write_expectations,
};
use jiff::civil::{DateTime, date, time};
use jiff::tz::TimeZone;

fn monday(hour: i8, minute: i8) -> DateTime {
    date(2026, 11, 30).at(hour, minute, 0, 0)
}

fn step(id: &str, does: StepKind) -> Step {
    Step { id: id.to_owned(), name: format!("The {id}"), does }
}

/// Open from eight to six: a menu, then labels, then the frequent travellers' group or the queue.
fn harbour() -> Strategy {
    let mut strategy = Strategy::plain("Bookings");
    strategy.entries[0].first = Next::step("gate");
    strategy.steps = vec![
        step(
            "gate",
            StepKind::HoursGate(HoursGate {
                zone: None,
                hours: vec![OpenHours {
                    days: Vec::new(),
                    from: time(8, 0, 0, 0),
                    until: time(18, 0, 0, 0),
                }],
                exceptions: Vec::new(),
                open: Next::step("menu"),
                closed: Next::step("mail"),
            }),
        ),
        step(
            "menu",
            StepKind::Menu(Menu {
                time: Duration::Constant { secs: 10.0 },
                choices: vec![MenuChoice {
                    name: "Sailings".to_owned(),
                    share: 0.7,
                    contact_types: Vec::new(),
                    next: Next::step("labels"),
                }],
                retries: 1,
                no_choice: Next::BusyTone,
            }),
        ),
        step(
            "labels",
            StepKind::Labelling(Labelling {
                rules: vec![
                    LabelRule {
                        label: "frequent".to_owned(),
                        when: Condition::Attribute {
                            name: "card".to_owned(),
                            value: "gold".to_owned(),
                        },
                    },
                    LabelRule { label: "few".to_owned(), when: Condition::Share(0.1) },
                ],
                next: Next::step("routes"),
            }),
        ),
        step(
            "routes",
            StepKind::Routing(Routing {
                routes: vec![Route { label: "frequent".to_owned(), next: Next::step("group") }],
                otherwise: Next::step("queue"),
            }),
        ),
        step("queue", StepKind::Queue(Queue { longest_wait_secs: Some(45.0), ..Queue::default() })),
        step("group", StepKind::HuntGroup(group())),
        step("mail", StepKind::Voicemail(Voicemail { work: None })),
    ];
    if let StepKind::Queue(queue) = &mut strategy.steps[4].does {
        queue.exits.too_long = Next::step("mail");
    }
    strategy.teams = vec![Team::named("desk", "Desk"), Team::named("office", "Office")];
    strategy
}

/// The desk at once, the office twenty seconds later; each rings for ten, two seconds apart.
fn group() -> HuntGroup {
    HuntGroup {
        short_number: None,
        recording: None,
        members: vec![
            Member { who: Members::Team("desk".to_owned()), rank: 1, wave: 0 },
            Member { who: Members::Team("office".to_owned()), rank: 2, wave: 1 },
        ],
        rings: Default::default(),
        waves_secs: vec![20.0],
        group_limit_secs: Some(40.0),
        places: None,
        priority: 0,
        offering: Offering {
            order: OfferOrder::TopDown,
            ring_window_secs: Some(10.0),
            gap_secs: 2.0,
            ..Offering::default()
        },
        exits: Default::default(),
    }
}

fn on_shift(team: &str, people: u32, busy: u32, answers_after_secs: Option<f64>) -> OnShift {
    OnShift { team: team.to_owned(), people, busy, free_after_secs: 30.0, answers_after_secs }
}

fn caller(at: DateTime, people: Vec<OnShift>) -> Scene {
    let mut scene = Scene::plain("Bookings", at, people);
    scene.caller.keys = vec!["Sailings".to_owned()];
    scene
}

fn walked(scene: &Scene) -> barometer_walk::Walk {
    scene.walk(&harbour(), &TimeZone::UTC).expect("it can be walked")
}

#[test]
fn a_caller_passes_the_gate_the_menu_and_the_labels_and_is_answered() {
    let walk = walked(&caller(monday(9, 30), vec![on_shift("desk", 1, 0, Some(4.0))]));
    assert_eq!((walk.end, walk.secs, walk.wait_secs), (WalkEnd::Answered, 14.0, 4.0));
    let told: Vec<&str> = walk.moments.iter().map(|moment| moment.sentence.as_str()).collect();
    assert_eq!(
        told,
        [
            "Bookings arrives at “Bookings line”.",
            "Reaches “The gate”.",
            "“The gate” is open at 09:30: on to “The menu”.",
            "Reaches “The menu”.",
            "Hears the menu “The menu” for 10 s.",
            "Chooses “Sailings” in “The menu”: on to “The labels”.",
            "Reaches “The labels”.",
            "“The labels” puts no label on.",
            "Through “The labels”, on to “The routes”.",
            "Reaches “The routes”.",
            "“The routes”: none of its labels, so on to “The queue”.",
            "Reaches “The queue”.",
            "Joins “The queue”: nobody waits, 1 member on shift.",
            "Rings at Desk 1.",
            "Desk 1 answers, 14 s after arrival.",
        ]
    );
    assert_eq!(walk.moments[2].setting.as_deref(), Some("/does/hours_gate/open"));
    assert_eq!(walk.moments[14].clock, date(2026, 11, 30).at(9, 30, 14, 0));
}

#[test]
fn a_label_says_which_rule_put_it_on() {
    let mut scene = caller(monday(9, 30), vec![on_shift("desk", 1, 0, Some(4.0))]);
    scene.caller.attributes.insert("card".to_owned(), "gold".to_owned());
    let walk = walked(&scene);
    let labelled = walk.moments.iter().find(|moment| matches!(moment.what, What::Labelled(_)));
    let labelled = labelled.expect("a label is put on");
    assert_eq!(labelled.sentence, "“The labels” labels it “frequent”: card is gold.");
    assert_eq!(labelled.setting.as_deref(), Some("/does/labelling/rules/0/when"));
    assert!(walk.moments.iter().any(|moment| moment.step.as_deref() == Some("group")));
}

#[test]
fn a_number_tells_labels_and_blocks_its_callers() {
    let mut strategy = harbour();
    let welcome = Announcement { time: Duration::Constant { secs: 6.0 }, next: Next::BusyTone };
    strategy.steps.push(step("welcome", StepKind::Announcement(welcome)));
    let entry = &mut strategy.entries[0];
    entry.announcement = Some("welcome".to_owned());
    entry.label = Some("frequent".to_owned());
    entry.blocked = vec!["+4470*".to_owned()];
    let mut scene = caller(monday(9, 30), vec![on_shift("desk", 1, 0, Some(4.0))]);
    let walk = scene.walk(&strategy, &TimeZone::UTC).expect("it can be walked");
    // Six seconds of welcome, which then leads to the gate and not where it leads itself; ten of menu, four of ringing.
    assert_eq!((walk.end, walk.secs), (WalkEnd::Answered, 20.0));
    let told: Vec<&str> = walk.moments.iter().map(|moment| moment.sentence.as_str()).collect();
    assert_eq!(told[0], "Bookings arrives at “Bookings line”, which labels it “frequent”.");
    assert_eq!(
        told[1..4],
        ["Reaches “The welcome”.", "Hears “The welcome” for 6 s.", "Reaches “The gate”.",]
    );
    assert!(told.contains(&"“The labels” puts no label on."), "{told:?}");
    assert!(walk.moments.iter().any(|moment| moment.step.as_deref() == Some("group")));
    scene.caller.number = "+447000001".to_owned();
    let walk = scene.walk(&strategy, &TimeZone::UTC).expect("it can be walked");
    assert_eq!((walk.end, walk.secs), (WalkEnd::BusyTone, 0.0));
    assert_eq!(
        walk.moments[0].sentence,
        "Bookings arrives at “Bookings line”, where +4470* is blocked."
    );
}

#[test]
fn the_language_of_a_number_counts_for_its_callers() {
    let mut strategy = harbour();
    let StepKind::Labelling(labelling) = &mut strategy.steps[2].does else { panic!("labels") };
    labelling.rules[0].when = Condition::Language("no".to_owned());
    let mut scene = caller(monday(9, 30), vec![on_shift("desk", 1, 0, Some(4.0))]);
    let reached = |scene: &Scene, strategy: &Strategy| -> Vec<String> {
        let walk = scene.walk(strategy, &TimeZone::UTC).expect("it can be walked");
        walk.moments.into_iter().filter_map(|moment| moment.step).collect()
    };
    let is_of = |steps: &[String], id: &str| steps.iter().any(|step| step == id);
    assert!(is_of(&reached(&scene, &strategy), "queue"), "nothing is known of the caller");
    strategy.entries[0].language = Some("no".to_owned());
    assert!(is_of(&reached(&scene, &strategy), "group"));
    scene.caller.language = "en".to_owned();
    assert!(is_of(&reached(&scene, &strategy), "group"), "the number decides");
}

#[test]
fn a_busy_agent_answers_once_free_and_those_ahead_come_first() {
    let busy = vec![on_shift("desk", 1, 1, Some(4.0))];
    // Free after 30 s, and rings for four: the menu took the first ten.
    assert_eq!(walked(&caller(monday(9, 30), busy.clone())).secs, 34.0);
    let mut behind = caller(monday(9, 30), busy);
    behind.ahead = 1;
    behind.caller.handle_secs = 5.0;
    // The one ahead is answered at 34 s and done at 39; then it rings for four more.
    assert_eq!(walked(&behind).secs, 43.0);
}

#[test]
fn nobody_on_shift_means_voicemail_after_the_longest_wait_and_remedies_say_what_would_help() {
    let scene = caller(monday(9, 30), vec![]);
    let walk = walked(&scene);
    assert_eq!((walk.end, walk.secs, walk.wait_secs), (WalkEnd::Voicemail, 55.0, 45.0));
    let remedies = scene.remedies(&harbour(), &TimeZone::UTC).expect("it can be walked");
    let told: Vec<&str> = remedies.iter().map(|remedy| remedy.what.as_str()).collect();
    // A queue without a need is answered by either team; an hour without people helps nobody.
    assert_eq!(
        told,
        ["One person more, and free, in “Desk”", "One person more, and free, in “Office”"]
    );
    assert_eq!(remedies[0].answered_after_secs, 13.0);
    // Somebody is there, but busy for longer than the longest wait.
    let mut busy = caller(monday(9, 30), vec![on_shift("desk", 1, 1, Some(4.0))]);
    busy.people[0].free_after_secs = 80.0;
    let remedies = busy.remedies(&harbour(), &TimeZone::UTC).expect("it can be walked");
    let edit = remedies.iter().find(|remedy| remedy.edit.is_some()).expect("a limit may go");
    assert_eq!(edit.what, "“The queue”: longest wait (s) 45 → 90");
}

#[test]
fn outside_hours_the_next_open_moment_is_found() {
    let mut scene = caller(monday(19, 10), vec![on_shift("desk", 1, 0, Some(4.0))]);
    assert_eq!(walked(&scene).end, WalkEnd::Voicemail);
    let remedies = scene.remedies(&harbour(), &TimeZone::UTC).expect("it can be walked");
    assert_eq!(remedies[0].what, "Arriving at 08:10, with the same people");
    scene.caller.keys.clear();
    scene.at = monday(9, 0);
    assert_eq!(walked(&scene).end, WalkEnd::BusyTone, "two hearings without a choice");
}

#[test]
fn a_ring_timeline_shows_windows_gaps_waves_and_the_limit() {
    let people = [on_shift("desk", 2, 0, None), on_shift("office", 1, 0, None)];
    let timeline = ring_timeline(
        &harbour(),
        "group",
        "Bookings",
        Channel::Call,
        &people,
        &TimeZone::UTC,
        monday(9, 30),
    );
    let timeline = timeline.expect("it can be walked");
    let rings: Vec<(&str, f64, Option<f64>)> = timeline
        .rings
        .iter()
        .map(|rung| (rung.agent.as_str(), rung.from_secs, rung.to_secs))
        .collect();
    assert_eq!(
        rings,
        [
            ("Desk 1", 0.0, Some(10.0)),
            ("Desk 2", 12.0, Some(22.0)),
            ("Office 1", 24.0, Some(34.0)),
            ("Desk 1", 36.0, Some(40.0)),
        ]
    );
    assert_eq!(timeline.widens, [20.0]);
    assert_eq!(timeline.leaves, Some((40.0, "longest wait over".to_owned())));
}

#[test]
fn an_expectation_is_met_or_says_what_happens_instead() {
    let scene = caller(monday(9, 30), vec![on_shift("desk", 1, 0, Some(4.0))]);
    let mut expectation = Expectation {
        name: "A caller in the morning".to_owned(),
        scene,
        expects: Outcome {
            end: Some(WalkEnd::Answered),
            reaches: Some("queue".to_owned()),
            within_secs: Some(20.0),
        },
    };
    let checked = expectation.check(&harbour(), &TimeZone::UTC);
    assert_eq!(
        (checked.is_met, checked.told.as_str()),
        (true, "reaches “The queue” after 10 s, is answered after 14 s")
    );
    expectation.expects.within_secs = Some(13.0);
    assert!(!expectation.check(&harbour(), &TimeZone::UTC).is_met);
    expectation.expects = Outcome { reaches: Some("group".to_owned()), ..Outcome::default() };
    let checked = expectation.check(&harbour(), &TimeZone::UTC);
    assert_eq!(
        (checked.is_met, checked.told.as_str()),
        (false, "never reaches “The group”, is answered after 14 s")
    );
    expectation.expects.reaches = Some("attic".to_owned());
    assert_eq!(
        expectation.check(&harbour(), &TimeZone::UTC).told,
        "the strategy has no step “attic”"
    );
}

#[test]
fn expectations_are_written_and_read_without_loss() {
    let mut scene = caller(monday(21, 30), vec![on_shift("desk", 3, 1, None)]);
    scene.caller.attributes.insert("card".to_owned(), "gold, \"new\"".to_owned());
    scene.caller.labels = vec!["few".to_owned()];
    scene.caller.patience_secs = Some(90.5);
    let expectation = Expectation {
        name: "Evening, gold".to_owned(),
        scene,
        expects: Outcome { end: Some(WalkEnd::Voicemail), reaches: None, within_secs: Some(60.0) },
    };
    let text = write_expectations(std::slice::from_ref(&expectation));
    assert_eq!(read_expectations(&text), Ok(vec![expectation]));
}

#[test]
fn a_file_of_expectations_says_every_row_and_column_that_is_wrong() {
    let text = "name,contact_type,at,people,end\n\
                First,Bookings,yesterday,,answered\n\
                Second,Bookings,2026-11-30T09:30,desk,answered\n\
                Third,Bookings,2026-11-30T09:30,desk:2,vanished\n\
                Fourth,Bookings,2026-11-30T09:30,desk:2,\n\
                Fifth,Bookings\n";
    let wrong = read_expectations(text).expect_err("no row can be read");
    assert_eq!(wrong.len(), 5, "{wrong:?}");
    assert_eq!(wrong[0], "row 2, at: “yesterday” is no moment like 2026-11-30T09:30");
    assert_eq!(wrong[1], "row 3, people: “desk” does not say how many are on shift");
    assert!(wrong[2].starts_with("row 4, end: unknown variant `vanished`"), "{}", wrong[2]);
    assert_eq!(wrong[3], "row 5, end: say how it ends, or which step it reaches");
    assert_eq!(wrong[4], "row 6: has 2 fields, the heading 5");
    let unseen = "name,contact_type,at\nEarly\0,Calls,2026-11-25T09:30\n\
                  Late,Ca\u{202e}lls,2026-11-25T19:30\n";
    let wrong = read_expectations(unseen).expect_err("nobody could find these");
    assert_eq!(
        wrong,
        [
            "row 2, name: has a character that cannot be seen",
            "row 3, contact_type: has a character that cannot be seen",
        ]
    );
    let wrong = read_expectations("name,at,colour\n").expect_err("no such column");
    assert!(wrong[0].starts_with("row 1: there is no column “colour”"));
    assert_eq!(wrong[1], "row 1: the column “contact_type” is missing, or “campaign”");
}

#[test]
fn scenes_that_mean_nothing_are_refused() {
    let refused = |change: &dyn Fn(&mut Scene)| {
        let mut scene = caller(monday(9, 30), vec![on_shift("desk", 1, 0, Some(4.0))]);
        change(&mut scene);
        scene.walk(&harbour(), &TimeZone::UTC).expect_err("refused").to_string()
    };
    let told = [
        refused(&|scene| scene.people[0].busy = 2),
        refused(&|scene| scene.people[0].team = "attic".to_owned()),
        refused(&|scene| scene.caller.patience_secs = Some(f64::NAN)),
        refused(&|scene| scene.at = date(9999, 12, 31).at(23, 0, 0, 0)),
        refused(&|scene| scene.ahead = 100_000),
    ];
    assert_eq!(
        told,
        [
            "people[0].busy: must be 0 to 1, got 2",
            "people: the strategy has no team “attic”; use its id",
            "caller.patience_secs: must be 0 to 86400, got NaN",
            "at: 9999-12-31T23:00:00 is no moment between 1990 and 2199",
            "ahead: must be 0 to 500, got 100000",
        ]
    );
    let mut named = harbour();
    named.entries[0].contact_types = vec!["Groups".to_owned()];
    let scene = caller(monday(9, 30), vec![]);
    let error = scene.walk(&named, &TimeZone::UTC).expect_err("nothing takes Bookings");
    assert!(matches!(error, SceneError::Strategy(_)), "{error}");
}

#[test]
fn two_walks_part_where_the_strategy_differs() {
    let scene = caller(monday(9, 30), vec![]);
    let mut longer = harbour();
    if let StepKind::Queue(queue) = &mut longer.steps[4].does {
        queue.longest_wait_secs = Some(60.0);
    }
    let (one, other) = (walked(&scene), scene.walk(&longer, &TimeZone::UTC).expect("walked"));
    assert_eq!(first_difference(&one, &one), None);
    let difference = first_difference(&one, &other).expect("they part");
    assert_eq!(difference.first.map(|moment| moment.at_secs), Some(55.0));
    assert_eq!(difference.second.map(|moment| moment.at_secs), Some(70.0));
}
