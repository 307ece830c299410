//! Who may do what with a change sheet, and when.
#![expect(clippy::unwrap_used, reason = "a test may stop where it cannot go on")]

use barometer_plan::{
    Actor, ChangeSheet, Ground, SheetAct, SheetDocument, SheetEntry, SheetRefusal, SheetState,
    SheetText,
};
use proptest::prelude::*;
use uuid::Uuid;

const PLANNER: Actor = Actor { id: Uuid::from_u128(1), may_plan: true, may_approve: false };
const APPROVER: Actor = Actor { id: Uuid::from_u128(2), may_plan: true, may_approve: true };
const VIEWER: Actor = Actor { id: Uuid::from_u128(3), may_plan: false, may_approve: false };

const SOUND: Ground = Ground {
    finished_evidence: 1,
    thin_evidence: 0,
    other_evidence: 0,
    has_been_live: false,
    is_against_live: true,
};

fn text() -> SheetText {
    SheetText {
        title: "Shorter waits".to_owned(),
        why: "Because".to_owned(),
        way_back: "At once".to_owned(),
        ..SheetText::default()
    }
}

fn entry(act: SheetAct, by: Actor) -> SheetEntry {
    SheetEntry { act, by: Some(by.id), at: "2026-11-28T09:00:00Z".parse().unwrap() }
}

/// A sheet after these acts of a planner and an approver.
fn after(acts: &[(SheetAct, Actor)]) -> ChangeSheet {
    let drawn = std::iter::once(entry(SheetAct::DrawnUp(text()), PLANNER));
    let acts = acts.iter().map(|(act, by)| entry(act.clone(), *by));
    ChangeSheet::of(&drawn.chain(acts).collect::<Vec<_>>()).unwrap()
}

fn approved() -> SheetAct {
    SheetAct::Approved { knowing: Vec::new() }
}

fn reason() -> String {
    "because".to_owned()
}

#[test]
fn the_way_from_draft_to_live_and_back() {
    let mut acts = Vec::new();
    for (act, by, state) in [
        (SheetAct::Proposed, PLANNER, SheetState::Proposed),
        (SheetAct::Commented { text: reason() }, VIEWER, SheetState::Proposed),
        (SheetAct::SentBack { reason: reason() }, APPROVER, SheetState::SentBack),
        (SheetAct::Revised(text()), PLANNER, SheetState::Draft),
        (SheetAct::Proposed, PLANNER, SheetState::Proposed),
        (SheetAct::Withdrawn, PLANNER, SheetState::Draft),
        (SheetAct::Proposed, PLANNER, SheetState::Proposed),
        (approved(), APPROVER, SheetState::Approved),
        (SheetAct::WentLive, APPROVER, SheetState::Live),
        (SheetAct::RolledBack { reason: reason() }, APPROVER, SheetState::RolledBack),
    ] {
        let sheet = after(&acts);
        assert_eq!(sheet.may(&act, Some(by), SOUND), Ok(()), "{act:?} in {:?}", sheet.state);
        acts.push((act, by));
        assert_eq!(after(&acts).state, state);
    }
    let over = after(&acts);
    for act in [SheetAct::Proposed, approved(), SheetAct::WentLive] {
        assert!(over.may(&act, Some(APPROVER), SOUND).is_err(), "{act:?}");
    }
}

#[test]
fn what_stands_against_it_is_told() {
    let draft = after(&[]);
    let proposed = after(&[(SheetAct::Proposed, APPROVER)]);
    let by_planner = after(&[(SheetAct::Proposed, PLANNER)]);
    let may = |sheet: &ChangeSheet, act: SheetAct, who, ground| sheet.may(&act, Some(who), ground);
    let untried = Ground { finished_evidence: 0, ..SOUND };
    assert_eq!(may(&draft, SheetAct::Proposed, PLANNER, untried), Err(SheetRefusal::Untried));
    let thin = Ground { thin_evidence: 1, ..untried };
    assert_eq!(may(&draft, SheetAct::Proposed, PLANNER, thin), Err(SheetRefusal::ThinEvidence));
    let besides = Ground { thin_evidence: 1, ..SOUND };
    assert_eq!(
        may(&draft, SheetAct::Proposed, PLANNER, besides),
        Ok(()),
        "something else is enough"
    );
    let before = Ground { has_been_live: true, ..untried };
    assert_eq!(may(&draft, SheetAct::Proposed, PLANNER, before), Ok(()));
    let unfinished = Ground { other_evidence: 1, ..SOUND };
    let refusal = may(&draft, SheetAct::Proposed, PLANNER, unfinished);
    assert_eq!(refusal, Err(SheetRefusal::UnfinishedEvidence));
    let refusal = may(&draft, SheetAct::Proposed, VIEWER, SOUND);
    assert_eq!(refusal, Err(SheetRefusal::NotAPlanner));
    let refusal = may(&proposed, approved(), APPROVER, SOUND);
    assert_eq!(refusal, Err(SheetRefusal::OwnProposal));
    // Whoever has written it does not approve it either, whoever proposed it.
    let revised = after(&[(SheetAct::Revised(text()), APPROVER), (SheetAct::Proposed, PLANNER)]);
    let refusal = may(&revised, approved(), APPROVER, SOUND);
    assert_eq!(refusal, Err(SheetRefusal::OwnProposal));
    let third = Actor { id: Uuid::from_u128(4), ..APPROVER };
    assert_eq!(may(&revised, approved(), third, SOUND), Ok(()));
    let refusal = may(&by_planner, approved(), PLANNER, SOUND);
    assert_eq!(refusal, Err(SheetRefusal::NotAnApprover));
    let elsewhere = Ground { is_against_live: false, ..SOUND };
    let refusal = may(&by_planner, approved(), APPROVER, elsewhere);
    assert_eq!(refusal, Err(SheetRefusal::NotAgainstLive));
    let silent = SheetAct::SentBack { reason: " ".to_owned() };
    assert!(may(&by_planner, silent, APPROVER, SOUND).is_err());
    let bare = SheetAct::Revised(SheetText { way_back: String::new(), ..text() });
    let refusal = may(&draft, bare, PLANNER, SOUND).unwrap_err();
    insta::assert_snapshot!(refusal, @"way_back: Say when to go back, and who decides.");
}

#[test]
fn a_time_that_is_set_makes_an_approved_sheet_wait_for_it() {
    let takes_effect = Some("2026-12-01T06:00:00Z".parse().unwrap());
    let timed = SheetText { takes_effect, ..text() };
    let sheet = after(&[
        (SheetAct::Revised(timed), PLANNER),
        (SheetAct::Proposed, PLANNER),
        (approved(), APPROVER),
    ]);
    assert_eq!(sheet.state, SheetState::Scheduled);
    assert!(!sheet.is_due("2026-12-01T05:59:59Z".parse().unwrap()));
    assert!(sheet.is_due("2026-12-01T06:00:00Z".parse().unwrap()));
    assert_eq!(sheet.may(&SheetAct::WentLive, None, SOUND), Ok(()), "Barometer itself");
    let withdrawn = sheet.may(&SheetAct::Withdrawn, Some(PLANNER), SOUND);
    assert_eq!(withdrawn, Ok(()), "until then it can be stopped");
}

#[test]
fn what_is_no_sheet_says_so() {
    let said = |text: &str| SheetDocument::from_json(text).unwrap_err().to_string();
    assert!(said("{").starts_with("it is no change sheet:"));
    assert_eq!(
        said("{}"),
        "it says “nothing” of itself, and “barometer change sheet 1” is what can be read"
    );
    assert!(said("{\"format\": \"barometer change sheet 1\"}").contains("missing field"));
}

fn acts() -> impl Strategy<Value = (SheetAct, Actor)> {
    let act = prop::sample::select(vec![
        SheetAct::Revised(text()),
        SheetAct::Commented { text: reason() },
        SheetAct::Proposed,
        SheetAct::Withdrawn,
        SheetAct::SentBack { reason: reason() },
        approved(),
        SheetAct::WentLive,
        SheetAct::RolledBack { reason: reason() },
    ]);
    (act, prop::sample::select(vec![PLANNER, APPROVER, VIEWER]))
}

proptest! {
    /// Whatever people try in whatever order: what is live was proposed by one and approved by another, and no
    /// viewer has done anything but comment.
    #[test]
    fn nothing_goes_live_without_two_people(tries in prop::collection::vec(acts(), 0..40)) {
        let mut done: Vec<(SheetAct, Actor)> = Vec::new();
        for (act, who) in tries {
            if after(&done).may(&act, Some(who), SOUND).is_ok() {
                done.push((act, who));
            }
        }
        for (nth, (act, who)) in done.iter().enumerate() {
            let is_comment = matches!(act, SheetAct::Commented { .. });
            prop_assert!(is_comment || who.id != VIEWER.id);
            if *act == SheetAct::WentLive {
                let last = |wanted: &SheetAct| done[..nth].iter().rfind(|(act, _)| act == wanted);
                let (_, proposer) = last(&SheetAct::Proposed).unwrap();
                let (_, approver) = last(&approved()).unwrap();
                prop_assert!(proposer.id != approver.id && approver.may_approve);
            }
        }
    }
}
