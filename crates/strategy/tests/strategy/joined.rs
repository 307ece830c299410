//! Strategies of contact types in one of the centre, and whose contacts are whose.

use barometer_strategy::{
    Channel, ChannelSkill, HuntGroup, Member, Members, Next, StepKind, Strategy, Team,
};

use crate::rich::{rich, step};

fn names(teams: &[Team]) -> Vec<&str> {
    teams.iter().map(|team| team.id.as_str()).collect()
}

#[test]
fn joined_strategies_refer_to_their_own_parts_and_have_no_faults() {
    let parts = ["Bookings", "Vehicles & freight", "Vehicles + freight"]
        .map(|name| (name.to_owned(), rich()));
    let mut parts = parts.to_vec();
    // Agents are known by name in the whole centre.
    parts.iter_mut().skip(1).for_each(|(_, part)| part.teams[0].agents.clear());
    for (_, part) in parts.iter_mut().skip(1) {
        for step in &mut part.steps {
            if let StepKind::HuntGroup(group) = &mut step.does {
                group.members.retain(|member| matches!(member.who, Members::Team(_)));
            }
        }
    }
    let joined = Strategy::joined("Larkhaven", parts.clone());
    assert_eq!(joined.faults(), [], "every reference leads somewhere");
    assert_eq!(joined.steps.len(), 3 * rich().steps.len());
    // Two names with the same letters still have ids of their own.
    let firsts = [0, 1, 2].map(|nth| joined.teams[nth * rich().teams.len()].id.clone());
    insta::assert_snapshot!(firsts.join(" "), @"bookings-team vehicles-freight-team vehicles-freight2-team");
    // Nothing leads from one part into another.
    for step in &joined.steps {
        let stem = |id: &str| id.rsplit_once('-').unwrap().0.to_owned();
        let own = stem(&step.id);
        let text = serde_json::to_string(&step.does).unwrap();
        for other in ["bookings-", "vehicles-freight-", "vehicles-freight2-"] {
            let foreign =
                !format!("{own}-").starts_with(other) && text.contains(&format!("\"{other}"));
            assert!(!foreign, "{}: {text}", step.id);
        }
    }
}

#[test]
fn people_of_one_joined_strategy_answer_nobody_elses_contacts() {
    let plain = |name: &str| (name.to_owned(), Strategy::plain(name));
    let joined = Strategy::joined("Larkhaven", [plain("Bookings"), plain("Groups")]);
    for (name, home) in [("Bookings", "bookings-team"), ("Groups", "groups-team")] {
        assert_eq!(joined.home_team(name, Channel::Call).unwrap().id, home);
    }
    assert_eq!(joined.home_team("Freight", Channel::Call), None, "it comes in nowhere");
    assert_eq!(joined.entry_of("Freight"), None);
    let mut open = joined;
    open.entries[1].contact_types.clear();
    assert_eq!(open.home_team("Freight", Channel::Call).unwrap().id, "groups-team");
}

#[test]
fn the_home_team_is_the_first_that_can_answer_on_the_way() {
    let mut strategy = Strategy::plain("Bookings");
    let mut chats = Team::named("chats", "Chats");
    chats.channels = vec![ChannelSkill { channel: Channel::Chat, at_once: 2, slowing: 0.0 }];
    strategy.teams.insert(0, chats);
    strategy.teams.push(Team::named("second", "Second line"));
    assert_eq!(names(&strategy.teams), ["chats", "team", "second"]);
    let home = |strategy: &Strategy| {
        strategy.home_team("Bookings", Channel::Call).map(|team| team.id.clone())
    };
    assert_eq!(home(&strategy).as_deref(), Some("team"), "the first team answers no calls");
    // A better rank comes first.
    strategy.teams[1].ranks.insert("queue".to_owned(), 2);
    assert_eq!(home(&strategy).as_deref(), Some("second"));
    // In a hunt group, the first wave, and there the best rank.
    let member =
        |team: &str, rank, wave| Member { who: Members::Team(team.to_owned()), rank, wave };
    let group = HuntGroup {
        members: vec![member("second", 1, 1), member("team", 2, 0), member("chats", 1, 0)],
        rings: Default::default(),
        waves_secs: vec![20.0],
        group_limit_secs: None,
        places: None,
        priority: 0,
        offering: Default::default(),
        exits: Default::default(),
    };
    strategy.steps.insert(0, step("group", StepKind::HuntGroup(group)));
    strategy.entries[0].first = Next::step("group");
    assert_eq!(home(&strategy).as_deref(), Some("team"));
    // Where a line has nobody for the channel, the way leads on.
    let StepKind::HuntGroup(group) = &mut strategy.steps[0].does else { panic!("no group") };
    group.members.truncate(0);
    group.members.push(member("chats", 1, 0));
    group.exits.full = Next::step("queue");
    assert_eq!(home(&strategy).as_deref(), Some("second"));
}
