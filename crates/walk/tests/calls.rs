//! Calls of campaigns whose every second can be reckoned by hand, and what trials make of the same person.

use barometer_simulate::{
    Arrivals, CampaignMeasures, Cover, Demand, DemandInterval, Experiment, People, TeamCover,
    TypeDemand, What as Logged,
};
use barometer_strategy::{
    Announcement, Assumed, Blending, Campaign, Customers, Duration, LocalHours, MachineAction,
    Machines, Menu, MenuChoice, Next, OpenHours, Pacing, Queue, ServedBy, Step, StepKind,
    Strategy as Routes, Team,
};
use barometer_walk::{
    Answers, Called, Expectation, OnShift, Outcome, Scene, SceneError, Walk, WalkEnd, What,
    read_expectations, write_expectations,
};
use jiff::civil::{DateTime, date, time};
use jiff::tz::TimeZone;
use proptest::prelude::*;
use proptest::sample::select;

fn monday(hour: i8, minute: i8) -> DateTime {
    date(2026, 11, 30).at(hour, minute, 0, 0)
}

/// Nine to five; ten seconds of ringing, or twenty at a machine; a minute of talk.
fn renewals(pacing: Pacing) -> Campaign {
    let mut campaign = Campaign::named("renewals", "Renewals", "desk");
    campaign.pacing = pacing;
    campaign.caller_number = "+441500550100".to_owned();
    campaign.assumed = Assumed {
        ring: Duration::Constant { secs: 10.0 },
        machine_ring: Duration::Constant { secs: 20.0 },
        talk: Duration::Constant { secs: 60.0 },
        wrap_up: Duration::nothing(),
        ..Assumed::default()
    };
    campaign
}

fn centre(campaign: Campaign) -> Routes {
    let mut strategy = Routes::plain("Bookings");
    strategy.teams = vec![Team::named("desk", "Desk")];
    strategy.campaigns = vec![campaign];
    strategy
}

fn desk(people: u32, busy: u32, answers_after_secs: Option<f64>) -> OnShift {
    OnShift { team: "desk".to_owned(), people, busy, free_after_secs: 30.0, answers_after_secs }
}

fn call(at: DateTime, people: OnShift) -> Scene {
    let mut scene = Scene::plain("", at, vec![people]);
    scene.called = Some(Called::first_call("renewals"));
    scene
}

fn called(scene: &mut Scene) -> &mut Called {
    scene.called.as_mut().expect("somebody is called")
}

fn walked(scene: &Scene, campaign: Campaign) -> Walk {
    scene.walk(&centre(campaign), &TimeZone::UTC).expect("it can be walked")
}

fn told(walk: &Walk) -> Vec<(f64, &str)> {
    walk.moments.iter().map(|moment| (moment.at_secs, moment.sentence.as_str())).collect()
}

#[test]
fn an_agent_is_kept_the_number_is_dialled_and_a_person_talks_to_the_agent() {
    let scene = call(monday(11, 0), desk(2, 1, Some(0.0)));
    let walk = walked(&scene, renewals(Pacing::Progressive {}));
    assert_eq!((walk.end, walk.secs), (WalkEnd::Answered, 10.0));
    assert_eq!(
        told(&walk),
        [
            (0.0, "Desk 1 is kept for the call."),
            (0.0, "The number is dialled; +441500550100 is shown."),
            (10.0, "A person answers after 10 s."),
            (10.0, "Desk 1 is connected."),
        ]
    );
    // Looking at who is next comes first, and the agent is kept for it.
    let preview = Pacing::Preview { look: Duration::Constant { secs: 25.0 }, skipped_share: 0.5 };
    let walk = walked(&scene, renewals(preview));
    assert_eq!((walk.end, walk.secs), (WalkEnd::Answered, 35.0));
    assert!(told(&walk).contains(&(0.0, "The agent looks for 25 s.")), "{:?}", told(&walk));
}

#[test]
fn nothing_is_dialled_until_an_agent_is_free() {
    let scene = call(monday(11, 0), desk(1, 1, Some(0.0)));
    let walk = walked(&scene, renewals(Pacing::Progressive {}));
    assert_eq!((walk.end, walk.secs), (WalkEnd::Answered, 40.0));
    assert_eq!(told(&walk)[0], (0.0, "No agent of the campaign is free: nothing is dialled."));
    // Two are to stay free for inbound contacts: the second of three comes free after a minute.
    let mut campaign = renewals(Pacing::Progressive {});
    campaign.blending = Blending { kept_free: 1, ..Blending::default() };
    let walk = walked(&call(monday(11, 0), desk(2, 2, Some(0.0))), campaign.clone());
    assert_eq!((walk.end, walk.secs), (WalkEnd::Answered, 70.0));
    let waits = "1 agent is free, 1 is left for inbound contacts: nothing is dialled.";
    assert!(told(&walk).contains(&(30.0, waits)), "{:?}", told(&walk));
    // Who never comes free: nobody is called.
    let walk = walked(&call(monday(11, 0), desk(1, 0, Some(0.0))), campaign);
    assert_eq!(walk.end, WalkEnd::NotCalled);
}

#[test]
fn a_campaign_gives_way_while_inbound_contacts_wait_for_its_agents() {
    let mut campaign = renewals(Pacing::Steady { lines_per_agent: 1.0 });
    campaign.blending = Blending { pause_at_waiting: Some(1), ..Blending::default() };
    let mut strategy = centre(campaign);
    strategy.entries[0].first = Next::step("queue");
    let queue = StepKind::Queue(Queue::default());
    strategy.steps = vec![Step { id: "queue".to_owned(), name: "Queue".to_owned(), does: queue }];
    let mut scene = call(monday(11, 0), desk(1, 1, Some(0.0)));
    scene.caller.contact_type = "Bookings".to_owned();
    scene.caller.handle_secs = 100.0;
    scene.ahead = 1;
    // The agent is free after 30 s, is with who waits for 100 s, and then the line rings for 10 s.
    let walk = scene.walk(&strategy, &TimeZone::UTC).unwrap();
    assert_eq!((walk.end, walk.secs), (WalkEnd::Answered, 140.0), "{:?}", told(&walk));
    assert_eq!(
        told(&walk)[0],
        (0.0, "The campaign gives way: 1 inbound contact waits for its agents.")
    );
}

#[test]
fn nobody_is_called_outside_the_campaigns_hours_their_own_or_too_often() {
    let dial = |scene: &Scene, campaign: Campaign| {
        let walk = walked(scene, campaign);
        assert_eq!((walk.end, walk.secs), (WalkEnd::NotCalled, 0.0));
        walk.moments.last().map(|last| last.sentence.clone()).unwrap_or_default()
    };
    let campaign = || renewals(Pacing::Progressive {});
    let scene = call(monday(17, 0), desk(1, 0, Some(0.0)));
    assert_eq!(
        dial(&scene, campaign()),
        "“Renewals” does not dial on Monday 17:00. It may be dialled from Tuesday 09:00 on."
    );
    let mut scene = call(monday(11, 0), desk(1, 0, Some(0.0)));
    called(&mut scene).zone = Some("America/New_York".to_owned());
    assert_eq!(
        dial(&scene, campaign()),
        "It is Monday 06:00 where the person lives, who may be called 08:00 to 21:00. It may be \
         dialled from Monday 13:00 on."
    );
    called(&mut scene).hours =
        Some(LocalHours { from: time(11, 0, 0, 0), until: time(12, 30, 0, 0) });
    assert_eq!(
        dial(&scene, campaign()),
        "It is Monday 06:00 where the person lives, who may be called 11:00 to 12:30. It may be \
         dialled from Monday 16:00 on."
    );
    let mut scene = call(monday(11, 0), desk(1, 0, Some(0.0)));
    called(&mut scene).attempts = 6;
    assert_eq!(dial(&scene, campaign()), "The person has been called 6 times, which is the most.");
    let scene = call(monday(11, 0), desk(1, 0, Some(0.0)));
    let paused = Campaign { paused_because: Some("new script".to_owned()), ..campaign() };
    assert_eq!(dial(&scene, paused), "“Renewals” is paused: new script.");
    let mut holiday = campaign();
    holiday.days_off = vec![date(2026, 11, 30)];
    assert!(dial(&scene, holiday).ends_with("It may be dialled from Tuesday 09:00 on."));
}

#[test]
fn a_line_that_reaches_nobody_says_when_the_next_call_is() {
    let dial = |answers: Answers, campaign: &Campaign| {
        let mut scene = call(monday(11, 0), desk(1, 0, Some(0.0)));
        called(&mut scene).answers = answers;
        let walk = walked(&scene, campaign.clone());
        assert_eq!(walk.end, WalkEnd::NotReached);
        (walk.secs, walk.moments.last().map(|last| last.sentence.clone()).unwrap_or_default())
    };
    let mut campaign = renewals(Pacing::Progressive {});
    let nobody = "Nobody answers within 25 s. The next call is not before Monday 13:00.";
    assert_eq!(dial(Answers::Nobody, &campaign), (25.0, nobody.to_owned()));
    let busy = "The line is busy. The next call is not before Monday 11:15.";
    assert_eq!(dial(Answers::Busy, &campaign), (3.0, busy.to_owned()));
    let machine = "An agent is connected, and needs 8 s to notice the machine. The next call is \
                   not before Monday 15:00.";
    assert_eq!(dial(Answers::Machine, &campaign), (20.0, machine.to_owned()));
    // The middle of the scale listens for 1.2 s.
    campaign.machines = Machines { sensitivity: Some(0.5), action: MachineAction::Release };
    let released =
        "It is taken for a machine and released. The next call is not before Monday 15:00.";
    assert_eq!(dial(Answers::Machine, &campaign), (21.2, released.to_owned()));
    campaign.machines.action = MachineAction::Message { secs: 18.0 };
    let (_, left) = dial(Answers::Machine, &campaign);
    assert!(left.starts_with("A message is left after the tone, 18 s."), "{left}");
    // A machine that answers after the ring limit does not answer.
    campaign.ring_limit_secs = 15.0;
    let (secs, late) = dial(Answers::Machine, &campaign);
    assert_eq!((secs, late.starts_with("Nobody answers within 15 s.")), (15.0, true), "{late}");
    // Further calls wait for the hour in which most people answer; here from 14:00 on.
    campaign.retries.best_hour = true;
    campaign.assumed.answered_share =
        (0..24).map(|hour| if hour == 14 { 0.6 } else { 0.2 }).collect();
    let (_, best) = dial(Answers::Nobody, &campaign);
    assert!(best.ends_with("The next call is not before Monday 14:00."), "{best}");
    campaign.retries.most_in_all = 1;
    let (_, last) = dial(Answers::Nobody, &campaign);
    assert!(last.ends_with("The person is not called again."), "{last}");
}

#[test]
fn who_answers_and_finds_no_agent_in_time_is_abandoned_by_us() {
    // The agent is free when the number is dialled, but picks up after 3 s, not 2.
    let scene = call(monday(11, 0), desk(1, 0, Some(3.0)));
    let walk = walked(&scene, renewals(Pacing::Steady { lines_per_agent: 1.0 }));
    assert_eq!((walk.end, walk.secs), (WalkEnd::NotConnected, 12.0));
    let last: Vec<&str> =
        walk.moments.iter().rev().take(2).map(|moment| moment.sentence.as_str()).collect();
    assert_eq!(
        last,
        [
            "The next call is not before Tuesday 11:00.",
            "No agent in time: the call is released, and counts as abandoned.",
        ]
    );
    // Detection takes its time of the two seconds.
    let mut campaign = renewals(Pacing::Steady { lines_per_agent: 1.0 });
    campaign.machines.sensitivity = Some(0.5);
    let walk = walked(&call(monday(11, 0), desk(1, 0, Some(1.0))), campaign);
    assert_eq!(walk.end, WalkEnd::NotConnected);
    assert!((walk.secs - 12.0).abs() < 1e-9, "{}", walk.secs);
    let scene = call(monday(11, 0), desk(1, 0, Some(3.0)));
    let remedies = scene
        .remedies(&centre(renewals(Pacing::Steady { lines_per_agent: 1.0 })), &TimeZone::UTC)
        .unwrap();
    assert!(remedies[0].what.contains("progressive"), "{remedies:?}");
    assert_eq!(remedies[0].answered_after_secs, 10.0);
}

#[test]
fn who_hears_a_message_goes_on_by_the_menu_to_the_queue() {
    let mut campaign = renewals(Pacing::Steady { lines_per_agent: 1.0 });
    campaign.served_by = ServedBy::Message("told".to_owned());
    campaign.caps.lines = Some(4);
    let mut strategy = centre(campaign);
    let step = |id: &str, does| Step { id: id.to_owned(), name: format!("The {id}"), does };
    strategy.entries[0].first = Next::step("queue");
    strategy.steps = vec![
        step(
            "told",
            StepKind::Announcement(Announcement {
                time: Duration::Constant { secs: 12.0 },
                next: Next::step("menu"),
            }),
        ),
        step(
            "menu",
            StepKind::Menu(Menu {
                time: Duration::Constant { secs: 5.0 },
                choices: vec![MenuChoice {
                    name: "Talk".to_owned(),
                    share: 0.2,
                    contact_types: Vec::new(),
                    next: Next::step("queue"),
                }],
                retries: 0,
                no_choice: Next::Release,
            }),
        ),
        step("queue", StepKind::Queue(Queue::default())),
    ];
    let mut scene = call(monday(11, 0), desk(1, 0, Some(4.0)));
    let walk = scene.walk(&strategy, &TimeZone::UTC).unwrap();
    assert_eq!((walk.end, walk.secs), (WalkEnd::Released, 27.0), "nothing is chosen");
    scene.caller.keys = vec!["Talk".to_owned()];
    let walk = scene.walk(&strategy, &TimeZone::UTC).unwrap();
    assert_eq!((walk.end, walk.secs), (WalkEnd::Answered, 31.0));
    let reached: Vec<&str> = walk
        .moments
        .iter()
        .filter(|moment| moment.what == What::Reached)
        .filter_map(|moment| moment.step.as_deref())
        .collect();
    assert_eq!(reached, ["told", "menu", "queue"]);
}

#[test]
fn expectations_of_calls_are_checked_and_survive_both_forms() {
    let mut scene = call(monday(11, 0), desk(2, 1, Some(0.0)));
    let expects = |end, within_secs| Outcome { end: Some(end), reaches: None, within_secs };
    let talks = Expectation {
        name: "Somebody at eleven talks to an agent".to_owned(),
        scene: scene.clone(),
        expects: expects(WalkEnd::Answered, Some(10.0)),
    };
    *called(&mut scene) = Called {
        zone: Some("America/New_York".to_owned()),
        attempts: 2,
        hours: Some(LocalHours { from: time(9, 0, 0, 0), until: time(12, 30, 0, 0) }),
        answers: Answers::Machine,
        ..Called::first_call("renewals")
    };
    let asleep = Expectation {
        name: "Nobody is called at six in the morning".to_owned(),
        scene,
        expects: expects(WalkEnd::NotCalled, None),
    };
    let strategy = centre(renewals(Pacing::Progressive {}));
    let both = vec![talks, asleep];
    for each in &both {
        let checked = each.check(&strategy, &TimeZone::UTC);
        assert!(checked.is_met, "{}: {}", each.name, checked.told);
    }
    assert_eq!(read_expectations(&write_expectations(&both)).unwrap(), both);
    let json = serde_json::to_string(&both).unwrap();
    assert_eq!(serde_json::from_str::<Vec<Expectation>>(&json).unwrap(), both);
    // A version that dials through the evening breaks none; one with wider hours for people does.
    let mut wider = strategy.clone();
    wider.campaigns[0].local_hours.from = time(5, 0, 0, 0);
    assert!(both[0].check(&wider, &TimeZone::UTC).is_met);
    let mut early = both[1].clone();
    called(&mut early.scene).hours = None;
    assert!(early.check(&strategy, &TimeZone::UTC).is_met);
    assert!(!early.check(&wider, &TimeZone::UTC).is_met);
    let none = centre(renewals(Pacing::Progressive {}));
    let none = Routes { campaigns: Vec::new(), ..none };
    assert_eq!(
        both[0].check(&none, &TimeZone::UTC).told,
        "called.campaign: the strategy has no campaign “renewals”; use its id"
    );
}

#[test]
fn a_call_that_cannot_be_followed_says_what_to_do() {
    let strategy = centre(renewals(Pacing::Progressive {}));
    let mut scene = call(monday(11, 0), desk(1, 0, Some(0.0)));
    called(&mut scene).zone = Some("Atlantis/Harbour".to_owned());
    assert_eq!(
        scene.walk(&strategy, &TimeZone::UTC),
        Err(SceneError::NoZone("Atlantis/Harbour".to_owned()))
    );
    let mut scene = call(monday(11, 0), desk(1, 0, Some(0.0)));
    scene.ahead = 2;
    assert_eq!(scene.walk(&strategy, &TimeZone::UTC), Err(SceneError::Nobody));
    assert_eq!(
        Scene::from_json(r#"{"at":"2026-11-30T11:00"}"#),
        Err(SceneError::Nobody.to_string())
    );
    let text = "name,at,campaign,calls_so_far,preferred_hours,line_answers,end\n\
                A,2026-11-30T11:00,renewals,many,,,answered\n\
                B,2026-11-30T11:00,renewals,1,12:00-09:00,,answered\n\
                C,2026-11-30T11:00,renewals,1,,a parrot,answered\n\
                D,2026-11-30T11:00,,,,,answered\n";
    let wrong = read_expectations(text).unwrap_err();
    assert_eq!(wrong.len(), 4, "{wrong:?}");
    assert_eq!(wrong[0], "row 2, calls_so_far: “many” is no whole number from 0 to 255");
    assert_eq!(wrong[1], "row 3, preferred_hours: “12:00-09:00” are no hours like 09:00-17:00");
    assert!(
        wrong[2].starts_with("row 4, line_answers: unknown variant `a parrot`"),
        "{}",
        wrong[2]
    );
    assert_eq!(wrong[3], "row 5, contact_type: is empty");
}

/// One person, called from half past an hour on for half an hour in which no hours begin or end.
#[derive(Clone, Debug)]
struct Case {
    campaign: Campaign,
    hour: i8,
    zone: &'static str,
    attempts: u8,
    answers: Answers,
    people: u32,
    answers_after: f64,
}

fn case() -> impl Strategy<Value = Case> {
    let pacing = prop_oneof![
        Just(Pacing::Progressive {}),
        Just(Pacing::Predictive {}),
        Just(Pacing::ByHand { look_up: Duration::Constant { secs: 31.0 } }),
        Just(Pacing::Preview { look: Duration::Constant { secs: 17.0 }, skipped_share: 0.0 }),
        select(&[1.0, 2.0][..]).prop_map(|lines_per_agent| Pacing::Steady { lines_per_agent }),
    ];
    let zones = ["UTC", "America/New_York", "Asia/Kolkata", "Pacific/Auckland"];
    let ends = [Answers::Person, Answers::Person, Answers::Machine, Answers::Busy, Answers::Nobody];
    let numbers = (0..3u32, 7..19i8, 0..3u8, 0..2u32);
    let others = (select(zones.to_vec()), select(ends.to_vec()), select(&[0.0, 1.0, 3.0][..]));
    (pacing, numbers, others).prop_map(|(pacing, numbers, others)| {
        let (people, hour, attempts, kept_free) = numbers;
        let (zone, answers, answers_after) = others;
        let mut campaign = renewals(pacing);
        campaign.hours =
            vec![OpenHours { days: Vec::new(), from: time(8, 0, 0, 0), until: time(18, 0, 0, 0) }];
        campaign.retries.most_in_all = 2;
        campaign.blending.kept_free = kept_free;
        let share = |is_it: bool| f64::from(u8::from(is_it));
        campaign.assumed.answered_share = vec![share(answers == Answers::Person)];
        campaign.assumed.machine_share = share(answers == Answers::Machine);
        campaign.assumed.busy_share = share(answers == Answers::Busy);
        campaign.assumed.unusable_share = 0.0;
        // One call in the half hour.
        campaign.retries.busy_after_secs = Some(7200.0);
        Case { campaign, hour, zone, attempts, answers, people, answers_after }
    })
}

/// What a trial with this one person counts, and when an agent was connected.
fn tried(case: &Case) -> (CampaignMeasures, Option<f64>) {
    use barometer_strategy::{CampaignList, ImportedList, PeopleGroup};
    let group = PeopleGroup {
        people: 1,
        zone: case.zone.to_owned(),
        priority: 5,
        attempts: case.attempts,
        hours: None,
    };
    let mut strategy = centre(case.campaign.clone());
    strategy.campaigns[0].list = CampaignList::of_imported(ImportedList {
        number: 1,
        name: "One".to_owned(),
        only: Default::default(),
        groups: vec![group],
    });
    strategy.teams[0].answer_delay = Duration::Constant { secs: case.answers_after };
    let start =
        monday(case.hour, 30).to_zoned(TimeZone::UTC).expect("it can be played").timestamp();
    let demand = Demand {
        start,
        zone: TimeZone::UTC,
        interval_secs: 1800.0,
        types: vec![TypeDemand {
            name: "Bookings".to_owned(),
            customers: Customers::calls(60.0, None),
            within_secs: 20.0,
            intervals: vec![DemandInterval { contacts: 0.0, handle_secs: 60.0 }],
            arrivals: Arrivals::Random,
            luck: None,
        }],
    };
    let cover = TeamCover { team: "desk".to_owned(), people: People::Counted(vec![case.people]) };
    let experiment = Experiment::new(&strategy, &demand, &Cover { teams: vec![cover] }, 1, 7)
        .expect("it can be played");
    let (_, log) = experiment.log(0).expect("it can be played");
    let talked = log.events.iter().find(|event| matches!(event.what, Logged::Answered { .. }));
    let talked = talked.map(|event| event.at_secs);
    (experiment.play_part(0..1).expect("it can be played").of_campaign(0), talked)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn a_call_ends_as_in_a_trial_with_this_one_person(case in case()) {
        let mut scene = call(monday(case.hour, 30), desk(case.people, 0, Some(case.answers_after)));
        *called(&mut scene) = Called {
            zone: Some(case.zone.to_owned()),
            attempts: case.attempts,
            answers: case.answers,
            ..Called::first_call("renewals")
        };
        let walk = walked(&scene, case.campaign.clone());
        let (counted, talked) = tried(&case);
        let dials = counted.dials.mean;
        match walk.end {
            WalkEnd::NotCalled => prop_assert_eq!(dials, 0.0, "{:?}", told(&walk)),
            WalkEnd::Answered => {
                prop_assert_eq!((dials, counted.conversations.mean), (1.0, 1.0), "{:?}", told(&walk));
                prop_assert!((talked.unwrap_or(f64::NAN) - walk.secs).abs() < 1e-6, "{talked:?} {}", walk.secs);
            }
            WalkEnd::NotConnected => {
                prop_assert_eq!((dials, counted.abandoned.mean), (1.0, 1.0), "{:?}", told(&walk));
            }
            WalkEnd::NotReached => {
                prop_assert_eq!((dials, counted.people.mean), (1.0, 0.0), "{:?}", told(&walk));
            }
            other => prop_assert!(false, "{other:?}: {:?}", told(&walk)),
        }
    }
}
