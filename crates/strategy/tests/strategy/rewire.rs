//! Edits that keep a strategy whole, and the merge of what two planners made of one.

use barometer_strategy::{
    CallbackOffer, Edit, Member, Members, Next, PartId, Side, StepKind, StepName, Strategy, Team,
    merge,
};
use proptest::prelude::*;
use proptest::sample::select;
use proptest::strategy::Strategy as _;

use crate::rich::rich;

fn step(id: &str) -> PartId {
    PartId::Step(id.to_owned())
}

/// Every exit of every part, with the part.
fn exits(strategy: &Strategy) -> Vec<(PartId, String)> {
    let journey = strategy.journey();
    let part = |stop: usize| match stop.checked_sub(strategy.entries.len()) {
        Some(at) => PartId::Step(strategy.steps[at].id.clone()),
        None => PartId::Entry(stop),
    };
    let exits = journey.links.into_iter().filter_map(|link| Some((part(link.from), link.exit?)));
    exits.collect()
}

/// The rich strategy, whose queue offers a callback of its own.
fn with_offer() -> Strategy {
    let mut strategy = rich();
    if let StepKind::Queue(queue) = &mut strategy.steps[0].does {
        queue.callback = Some(CallbackOffer {
            after_secs: 30.0,
            if_expected_wait_secs: 0.0,
            accepted_share: 0.4,
            step: "callback".to_owned(),
        });
    }
    strategy
}

#[test]
fn a_step_of_every_kind_goes_into_the_middle_of_every_way() {
    let before = rich();
    for (part, exit) in exits(&before) {
        let led_to = part.exit(&before, &exit).unwrap().unwrap();
        for kind in StepName::ALL {
            let (edit, added) = Edit::insert_on_way(&before, &part, &exit, kind).unwrap();
            let after =
                edit.apply(&before).unwrap_or_else(|f| panic!("{part} {exit} {kind:?}: {f:?}"));
            assert_eq!(after.steps.len(), before.steps.len() + 1);
            let PartId::Step(id) = &added else { panic!("a step was added") };
            assert_eq!(part.exit(&after, &exit).unwrap(), Some(Next::step(id)));
            let leads_on = after.journey().links.iter().any(|link| {
                let from = after.stop_of(&added) == Some(link.from);
                from && link
                    .exit
                    .as_ref()
                    .is_some_and(|exit| added.exit(&after, exit).unwrap() == Some(led_to.clone()))
            });
            let ends = matches!(kind, StepName::Voicemail | StepName::Outside);
            assert_eq!(leads_on, !ends, "{part} {exit} {kind:?} leads on to where the way led");
            assert_eq!(edit.inverse(&before).unwrap().apply(&after).unwrap(), before);
        }
    }
    let nowhere =
        Edit::insert_on_way(&before, &step("queue"), "/does/queue/exits/up", StepName::Menu);
    assert_eq!(nowhere.unwrap_err().message, "there is no exit “/does/queue/exits/up”");
}

#[test]
fn a_queue_is_copied_with_its_ranks_and_its_callback() {
    let before = with_offer();
    let (edit, copy) = Edit::duplicate(&before, &step("queue")).unwrap();
    let after = edit.apply(&before).unwrap();
    assert_eq!(copy, step("queue-1"));
    let copied = after.step("queue-1").unwrap();
    assert_eq!(copied.name, "Bookings queue, copy");
    assert_eq!(
        after.teams[0].ranks["queue-1"], 2,
        "the team's rank in the queue holds in the copy"
    );
    let StepKind::Queue(queue) = &copied.does else { panic!("a queue") };
    let offered = after.step(&queue.callback.as_ref().unwrap().step).unwrap();
    let StepKind::Callback(callback) = &offered.does else { panic!("a callback") };
    assert_eq!((offered.id.as_str(), callback.line.as_str()), ("callback-1", "queue-1"));
    assert_eq!(edit.inverse(&before).unwrap().apply(&after).unwrap(), before);
    let (again, _) = Edit::duplicate(&after, &step("queue")).unwrap();
    let names: Vec<String> =
        again.apply(&after).unwrap().steps.into_iter().map(|s| s.name).collect();
    assert!(names.contains(&"Bookings queue, copy 2".to_owned()), "{names:?}");
}

#[test]
fn a_team_is_copied_into_its_hunt_groups_without_its_named_agents() {
    let before = rich();
    let (edit, copy) = Edit::duplicate(&before, &PartId::Team("team".to_owned())).unwrap();
    let after = edit.apply(&before).unwrap();
    assert_eq!(copy, PartId::Team("team-1".to_owned()));
    assert_eq!(after.teams[1].skills, before.teams[0].skills);
    assert!(after.teams[1].agents.is_empty());
    let StepKind::HuntGroup(group) = &after.step("group").unwrap().does else { panic!("a group") };
    let is_copy = |member: &Member| member.who == Members::Team("team-1".to_owned());
    assert_eq!(group.members.iter().filter(|member| is_copy(member)).count(), 1);
    let entry = Edit::duplicate(&before, &PartId::Entry(0)).unwrap_err();
    assert_eq!(entry.message, "two entries cannot receive the same contacts");
}

#[test]
fn a_step_is_taken_out_and_what_led_to_it_leads_where_it_is_told_to() {
    let before = with_offer();
    let told = |to: Next| {
        let edit = Edit::remove_leading_to(&before, &step("queue"), &to).unwrap();
        edit.apply(&before).unwrap_or_else(|faults| panic!("{to:?}: {faults:?}"))
    };
    // Another line takes over what was work of this one.
    let after = told(Next::step("group"));
    assert_eq!(
        step("menu").exit(&after, "/does/menu/no_choice").unwrap(),
        Some(Next::step("group"))
    );
    let StepKind::Callback(callback) = &after.step("callback").unwrap().does else { panic!() };
    assert_eq!(callback.line, "group");
    let StepKind::Voicemail(voicemail) = &after.step("voicemail").unwrap().does else { panic!() };
    assert_eq!(voicemail.work.as_ref().unwrap().line, "group");
    assert!(after.teams[0].ranks.is_empty());
    // Released, there is no line: its callbacks go, its messages make no work.
    let after = told(Next::Release);
    assert!(after.step("callback").is_none());
    let StepKind::Voicemail(voicemail) = &after.step("voicemail").unwrap().does else { panic!() };
    assert_eq!(voicemail.work, None);
    assert_eq!(
        step("assistant").exit(&after, "/does/assistant/next").unwrap(),
        Some(Next::Release)
    );
    // A callback that is offered goes without its offer.
    let edit = Edit::remove_leading_to(&before, &step("callback"), &Next::Release).unwrap();
    let after = edit.apply(&before).unwrap();
    let StepKind::Queue(queue) = &after.step("queue").unwrap().does else { panic!() };
    assert_eq!(queue.callback, None);
    let mut two = before.clone();
    two.teams.push(Team::named("other", "Other"));
    let gone =
        Edit::remove_leading_to(&two, &PartId::Team("team".to_owned()), &Next::Release).unwrap();
    let faults = gone.apply(&two).unwrap_err();
    assert!(faults.iter().any(|fault| fault.message.contains("Ada Quill")), "{faults:?}");
}

#[test]
fn a_step_is_replaced_everywhere_and_stays() {
    let before = rich();
    let edit = Edit::replace_everywhere(&before, "queue", &Next::step("group")).unwrap();
    let after = edit.apply(&before).unwrap();
    let leads_to = |strategy: &Strategy, id: &str| {
        let to = Next::step(id);
        let led = exits(strategy)
            .into_iter()
            .filter(|(part, exit)| part.exit(strategy, exit).unwrap() == Some(to.clone()));
        led.count()
    };
    assert_eq!((leads_to(&before, "queue"), leads_to(&after, "queue")), (3, 0));
    assert_eq!(leads_to(&after, "group"), leads_to(&before, "group") + 3);
    assert!(after.step("queue").is_some());
    let nothing = Edit::replace_everywhere(&after, "queue", &Next::Release).unwrap_err();
    assert_eq!(nothing.message, "no way leads to “queue”");
}

fn set(part: &str, setting: &str, to: serde_json::Value) -> Edit {
    Edit::Set { part: step(part), setting: setting.to_owned(), to }
}

#[test]
fn two_planners_who_changed_different_things_both_keep_what_they_did() {
    let base = rich();
    let mine = Edit::Several(vec![
        set("queue", "/does/queue/places", 30.into()),
        set("menu", "/does/menu/choices/0/share", 0.6.into()),
        Edit::Remove(step("outside")),
        Edit::Rename("Winter".to_owned()),
    ])
    .apply(&base)
    .unwrap();
    let (inserted, _) = Edit::insert_on_way(
        &base,
        &step("gate"),
        "/does/hours_gate/closed",
        StepName::Announcement,
    )
    .unwrap();
    let theirs = Edit::Several(vec![
        set("queue", "/does/queue/longest_wait_secs", 240.into()),
        set("menu", "/does/menu/choices/0/name", "Ferries".into()),
        inserted,
    ])
    .apply(&base)
    .unwrap();
    let both = merge(&base, &mine, &theirs, &|_| None).unwrap();
    let other_way = merge(&base, &theirs, &mine, &|_| None).unwrap();
    assert_eq!(both, other_way);
    assert!(both.faults().is_empty());
    let StepKind::Queue(queue) = &both.step("queue").unwrap().does else { panic!() };
    assert_eq!((queue.places, queue.longest_wait_secs), (Some(30), Some(240.0)));
    let StepKind::Menu(menu) = &both.step("menu").unwrap().does else { panic!() };
    assert_eq!((menu.choices[0].name.as_str(), menu.choices[0].share), ("Ferries", 0.6));
    assert!(both.step("outside").is_none() && both.step("announcement-1").is_some());
    assert_eq!(both.name, "Winter");
}

#[test]
fn two_new_steps_of_the_same_id_stay_two() {
    let base = rich();
    let onto = |part: &str, exit: &str| {
        let edit = Edit::insert_on_way(&base, &step(part), exit, StepName::Queue);
        edit.unwrap().0.apply(&base).unwrap()
    };
    let mine = onto("gate", "/does/hours_gate/open");
    let theirs = onto("assistant", "/does/assistant/next");
    let both = merge(&base, &mine, &theirs, &|_| None).unwrap();
    assert!(both.faults().is_empty());
    assert_eq!(both.steps.len(), base.steps.len() + 2);
    let led = |part: &str, exit: &str| step(part).exit(&both, exit).unwrap();
    assert_eq!(led("assistant", "/does/assistant/next"), Some(Next::step("queue-1")));
    assert_eq!(led("gate", "/does/hours_gate/open"), Some(Next::step("queue-1-2")));
}

#[test]
fn what_both_changed_in_different_ways_is_chosen_by_somebody() {
    let base = rich();
    let places =
        |places: u32| set("queue", "/does/queue/places", places.into()).apply(&base).unwrap();
    let conflicts = merge(&base, &places(30), &places(40), &|_| None).unwrap_err();
    assert_eq!(conflicts.len(), 1);
    let found = &conflicts[0];
    assert_eq!(found.key, "steps/queue/does/queue/places");
    assert_eq!(found.name, "“Bookings queue”, queue, places");
    let told = |value: &Option<String>| value.clone().unwrap_or_default();
    assert_eq!(
        (told(&found.base), told(&found.mine), told(&found.theirs)),
        ("no limit".into(), "30".into(), "40".into())
    );
    for (side, wanted) in [(Side::Mine, 30), (Side::Theirs, 40)] {
        let merged = merge(&base, &places(30), &places(40), &|_| Some(side)).unwrap();
        assert_eq!(merged, places(wanted));
    }
    // One takes a step out while the other sets it.
    let gone = Edit::Remove(step("outside")).apply(&base).unwrap();
    let set = set("outside", "/does/outside/number", "+44 131".into()).apply(&base).unwrap();
    let conflicts = merge(&base, &gone, &set, &|_| None).unwrap_err();
    assert_eq!((conflicts[0].name.as_str(), &conflicts[0].mine), ("“The outside”", &None));
    assert_eq!(merge(&base, &gone, &set, &|_| Some(Side::Mine)).unwrap(), gone);
    assert_eq!(merge(&base, &gone, &set, &|_| Some(Side::Theirs)).unwrap(), set);
}

/// One change of the rich strategy.
fn change() -> impl proptest::strategy::Strategy<Value = Edit> {
    let kinds = select(StepName::ALL.to_vec());
    let exits = select(exits(&rich()));
    let numbers = select(rich().numbers());
    prop_oneof![
        (exits, kinds).prop_map(|((part, exit), kind)| {
            Edit::insert_on_way(&rich(), &part, &exit, kind).expect("an exit that is there").0
        }),
        (numbers, 1..9u32).prop_map(|(number, to)| number.set(f64::from(to) / 10.0)),
        Just(Edit::Remove(step("outside"))),
        Just(Edit::Rename("Winter".to_owned())),
        Just(Edit::Move { part: step("menu"), to: 0 }),
    ]
}

proptest! {
    #[test]
    fn a_merge_keeps_the_side_that_changed_and_is_the_same_both_ways(mine in change(), theirs in change()) {
        let base = rich();
        let (Ok(mine), Ok(theirs)) = (mine.apply(&base), theirs.apply(&base)) else { return Ok(()) };
        prop_assert_eq!(&merge(&base, &mine, &base, &|_| None).unwrap(), &mine);
        prop_assert_eq!(&merge(&base, &base, &theirs, &|_| None).unwrap(), &theirs);
        prop_assert_eq!(&merge(&base, &mine, &mine, &|_| None).unwrap(), &mine);
        // Whoever chooses one side for everything keeps all of that side's own changes.
        let merged = merge(&base, &mine, &theirs, &|_| Some(Side::Mine)).unwrap();
        let swapped = merge(&base, &theirs, &mine, &|_| Some(Side::Theirs)).unwrap();
        let by_id = |strategy: &Strategy| {
            let mut steps = strategy.steps.clone();
            steps.sort_by(|a, b| a.id.cmp(&b.id));
            (strategy.name.clone(), strategy.entries.clone(), steps, strategy.teams.clone())
        };
        // Steps that both added under one id get new ids, on the side that is joined in.
        let added = |step: &&barometer_strategy::Step| base.step(&step.id).is_none();
        let both_added = mine.steps.iter().filter(added).any(|step| theirs.step(&step.id).is_some());
        if both_added {
            return Ok(());
        }
        prop_assert_eq!(by_id(&merged), by_id(&swapped));
        for step in &mine.steps {
            if base.step(&step.id) != Some(step) && theirs.step(&step.id) == base.step(&step.id) {
                prop_assert_eq!(merged.step(&step.id), Some(step));
            }
        }
    }
}
