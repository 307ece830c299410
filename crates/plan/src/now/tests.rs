use barometer_simulate::{DemandInterval, Present};
use barometer_strategy::{
    Campaign, Channel, ChannelSkill, Entry, Next, Pacing, Queue, SkillNeed, Step, StepKind,
    Strategy, Team, WantedSkill,
};

use super::{DayNow, HelpKind, PlannedBreak, PlayedRest};
use crate::{Rules, TrialInputs, TrialTeam, TrialType, customers_of};

const HALF_HOURS: usize = 8;

/// Two contact types, each with a team that alone has its skill: the first has far too few people.
fn centre(people: [u32; 2], contacts: [f64; 2]) -> DayNow {
    let mut strategy = Strategy::plain("Calls");
    strategy.entries.clear();
    strategy.steps.clear();
    strategy.teams.clear();
    let names = ["Bookings", "Freight"];
    for name in names {
        let need = WantedSkill { skill: name.to_owned(), at_least: None };
        let queue = Queue {
            need: SkillNeed { skills: vec![need], relaxations: Vec::new() },
            ..Queue::default()
        };
        strategy.steps.push(Step {
            id: format!("{name}-queue"),
            name: format!("{name} queue"),
            does: StepKind::Queue(queue),
        });
        let first = Next::step(&format!("{name}-queue"));
        strategy.entries.push(Entry::named(name, vec![name.to_owned()], first));
        let mut team = Team::named(&format!("{name}-team"), &format!("{name} team"));
        team.skills = vec![barometer_strategy::Skill { skill: name.to_owned(), level: None }];
        strategy.teams.push(team);
    }
    assert_eq!(strategy.faults(), []);
    let rules = Rules { patience_secs: Some(120.0), ..Rules::STARTING };
    let handling = barometer_strategy::Duration::exponential(1.0);
    let types = names.iter().zip(contacts).map(|(name, contacts)| TrialType {
        name: (*name).to_owned(),
        rules,
        customers: customers_of(&rules, &handling),
        intervals: vec![DemandInterval { contacts, handle_secs: 180.0 }; HALF_HOURS],
        arrivals: Default::default(),
        luck: None,
    });
    let types: Vec<TrialType> = types.collect();
    let teams = names.iter().zip(people).map(|(name, people)| TrialTeam {
        team: format!("{name}-team"),
        agents: vec![people; HALF_HOURS],
        occupancy: None,
    });
    let inputs = TrialInputs {
        start: jiff::Timestamp::UNIX_EPOCH,
        zone: "UTC".to_owned(),
        interval_secs: 1800.0,
        teams: teams.collect(),
        precision: None,
        replications: 1,
        seed: 1,
        types,
        strategy,
    };
    let experiment = inputs.experiment().expect("it can be played");
    let mut live = experiment.live(0);
    live.advance(2.2 * 1800.0);
    let counts = live.counts();
    let so_far = names.iter().map(|name| counts.types[*name].iter().sum()).collect();
    DayNow { present: live.present(), so_far, inputs, breaks: Vec::new() }
}

#[test]
fn what_came_and_what_comes_are_the_whole_day() {
    let now = centre([14, 14], [120.0, 120.0]);
    let played = now.play(200, 5).expect("it can be played");
    for (of, so_far) in now.so_far.iter().enumerate() {
        let offered: Vec<f64> = played.days.iter().map(|day| day[of][0]).collect();
        assert!(offered.iter().all(|all| *all >= so_far.offered));
        let mean = offered.iter().sum::<f64>() / 200.0;
        // 5.8 half-hours of 120 contacts are to come: a Poisson mean of 200 days, four standard errors.
        let expected = so_far.offered + 5.8 * 120.0;
        assert!(
            (mean - expected).abs() < 4.0 * (5.8 * 120.0_f64 / 200.0).sqrt(),
            "{mean} {expected}"
        );
    }
    let end = played.end_of(0, 0.8);
    assert!(end.low <= end.level && end.level <= end.high, "{end:?}");
    assert_eq!(now.pressure(0, 3), Some(12.0 / 14.0));
}

#[test]
fn a_day_that_holds_needs_no_help() {
    let now = centre([18, 18], [120.0, 120.0]);
    let rest = now.play(40, 5).expect("it can be played");
    assert!(rest.end_of(0, 0.8).chance > 0.9);
    assert_eq!(now.helps(&rest, 40, 5), []);
}

#[test]
fn what_helps_is_found_and_does_what_was_said_on_other_days() {
    let now = centre([11, 20], [120.0, 100.0]);
    let rest = now.play(80, 5).expect("it can be played");
    assert!(rest.end_of(0, 0.8).chance < 0.5, "the first contact type is in trouble");
    let helps = now.helps(&rest, 80, 5);
    assert!(helps.len() >= 4, "{helps:#?}");
    let in_order = helps.windows(2).all(|pair| match (pair[0].is_enough(), pair[1].is_enough()) {
        (true, true) => pair[0].hours <= pair[1].hours,
        (true, false) => true,
        (false, true) => false,
        (false, false) => pair[0].worth >= pair[1].worth,
    });
    assert!(in_order, "what is enough comes first, the cheapest of it at the head: {helps:#?}");
    let is_move = |help: &&super::Help| matches!(&help.kind, HelpKind::Move { people: 2, .. });
    let moved = helps.iter().find(is_move).expect("two people may be moved");
    assert_eq!(moved.words, "Move 2 people from Freight team to Bookings team");
    assert!(moved.effects[0].is_told() && moved.effects[0].difference > 0.0);
    assert!(helps.iter().any(|help| matches!(help.kind, HelpKind::Change { .. })));
    let called_in = helps.iter().find(|help| matches!(help.kind, HelpKind::CallIn { .. }));
    assert!(called_in.is_some_and(|help| help.hours > 0.0));
    // The same on 1500 other days: within both confidence intervals.
    let [far, far_with] = [&now, &now.with(&moved.kind).expect("it is allowed")]
        .map(|now| now.play(1500, 99).expect("it can be played"));
    let (mean, half_width) = far_with.difference(&far, 0).expect("days with contacts");
    let said = moved.effects[0];
    let apart = (mean - said.difference).abs();
    // Twice the width of 95 %: one run in ten thousand is off by more.
    assert!(apart < 2.0 * (half_width.powi(2) + said.half_width.powi(2)).sqrt(), "{mean} {said:?}");
}

#[test]
fn an_empty_floor_in_the_middle_of_a_day_is_a_day_too() {
    let mut now = centre([14, 14], [120.0, 120.0]);
    now.present = Present { at_secs: now.present.at_secs, ..Present::default() };
    let played = now.play(20, 1).expect("it can be played");
    assert!(played.end_of(1, 0.8).level.is_some());
    now.present.at_secs = 1e9;
    assert!(now.play(20, 1).is_err());
}

#[test]
fn days_played_in_rounds_are_those_played_at_once() {
    let now = centre([11, 20], [120.0, 100.0]);
    let mut in_rounds = PlayedRest::default();
    for days in [3, 3, 8, 5, 20] {
        now.play_on(&mut in_rounds, days, 5).expect("it can be played");
    }
    assert_eq!(Ok(in_rounds), now.play(20, 5));
}

#[test]
fn every_intervention_that_is_offered_can_be_played_and_says_something_of_its_own() {
    let mut now = centre([11, 20], [120.0, 60.0]);
    now.inputs.strategy.campaigns = vec![Campaign {
        pacing: Pacing::Steady { lines_per_agent: 2.0 },
        ..Campaign::named("back", "Call back", "Bookings-team")
    }];
    now.inputs.strategy.teams.push(Team {
        channels: vec![ChannelSkill { channel: Channel::Chat, at_once: 2, slowing: 0.0 }],
        ..Team::named("chats", "Chat team")
    });
    now.inputs.teams.push(TrialTeam {
        team: "chats".to_owned(),
        agents: vec![6; HALF_HOURS],
        occupancy: None,
    });
    now.breaks = vec![lunch("Bookings-team", 4, 5)];
    assert_eq!(now.inputs.strategy.faults(), []);
    let rest = now.play(40, 5).expect("it can be played");
    let candidates = now.candidates(&rest);
    let words: Vec<&str> = candidates.iter().map(|(_, words)| words.as_str()).collect();
    for wanted in [
        "Move 2 people from Freight team to Bookings team",
        "Take 2 people of Chat team from chats to Bookings team",
        "Call in 4 people for Bookings team, there in an hour",
        "Postpone one break of Bookings team by an hour",
        "Let anybody who is free answer “Bookings queue” after 30 s",
        "Send contacts of “Bookings queue” to “Freight queue”",
        "Let “Bookings queue” overflow to “Freight queue” after 60 s",
        "Pause the campaign “Call back”",
        "Slow the campaign “Call back” to one line for each free agent",
    ] {
        assert!(words.contains(&wanted), "{wanted} is not among {words:#?}");
    }
    for (nth, (kind, said)) in candidates.iter().enumerate() {
        let with = now.with(kind).unwrap_or_else(|| panic!("{said} is not allowed"));
        assert_ne!(with, now, "{said} changes nothing");
        assert!(with.play(2, 5).is_ok(), "{said} cannot be played");
        assert!(words[..nth].iter().all(|other| other != said), "{said} stands there twice");
    }
    let sent = candidates
        .iter()
        .find(|(_, words)| words.starts_with("Send contacts"))
        .expect("it is there");
    let played = now.with(&sent.0).expect("it is allowed").play(40, 5).expect("it can be played");
    let (better, half_width) = played.difference(&rest, 0).expect("days with contacts");
    assert!(
        better > half_width,
        "the other desk has twice the people for half the work: {better} ± {half_width}"
    );
}

#[test]
fn no_way_is_offered_to_a_line_whose_people_have_no_room() {
    let full = centre([11, 9], [120.0, 120.0]);
    let mut closed = centre([11, 20], [120.0, 60.0]);
    closed.inputs.teams[1].agents[2..].fill(0);
    closed.inputs.types[1].intervals[2..].iter_mut().for_each(|each| each.contacts = 0.0);
    for now in [full, closed] {
        let rest = now.play(40, 5).expect("it can be played");
        let candidates = now.candidates(&rest);
        assert!(!candidates.is_empty());
        for (_, words) in candidates {
            assert!(!words.contains("overflow") && !words.starts_with("Send"), "{words}");
            assert!(!words.starts_with("Postpone"), "there are no breaks: {words}");
        }
    }
}

#[test]
fn a_break_is_postponed_only_where_work_goes_on_after_it_and_it_has_not_begun() {
    let mut now = centre([11, 20], [120.0, 100.0]);
    // It is 2.2 half-hours after the start.
    now.breaks = vec![
        lunch("Bookings-team", 1, 3),
        lunch("Bookings-team", 3, 4),
        lunch("Freight-team", 3, 4),
        PlannedBreak { work_ends_secs: 5.5 * 1800.0, ..lunch("Bookings-team", 3, 4) },
        lunch("Bookings-team", 6, 7),
    ];
    let kind = HelpKind::PostponeBreaks {
        team: "Bookings-team".to_owned(),
        within_secs: 5400.0,
        by_secs: 3600.0,
    };
    let with = now.with(&kind).expect("it is allowed");
    assert_eq!(with.inputs.teams[0].agents, [11, 11, 11, 12, 11, 10, 11, 11]);
    assert_eq!(with.inputs.teams[1].agents, now.inputs.teams[1].agents);
    let rest = now.play(20, 5).expect("it can be played");
    let offered = now.candidates(&rest);
    assert!(
        offered.iter().any(|(_, words)| words == "Postpone one break of Bookings team by an hour")
    );
}

/// A break between two half-hours, in work that goes on until the day ends.
fn lunch(team: &str, from: u32, until: u32) -> PlannedBreak {
    PlannedBreak {
        team: team.to_owned(),
        from_secs: 1800.0 * f64::from(from),
        until_secs: 1800.0 * f64::from(until),
        work_ends_secs: 1800.0 * HALF_HOURS as f64,
    }
}
