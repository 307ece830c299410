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
        short_number: None,
        recording: None,
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

#[test]
fn behind_a_menu_each_type_has_its_own_way_home_and_its_own_first_queues() {
    use barometer_strategy::{
        Duration, HoursGate, Menu, MenuChoice, Next, Queue, SkillNeed, Step, StepKind, WantedSkill,
    };
    let queue = |id: &str, skill: &str| Step {
        id: id.to_owned(),
        name: id.to_owned(),
        does: StepKind::Queue(Queue {
            need: SkillNeed {
                skills: vec![WantedSkill { skill: skill.to_owned(), at_least: None }],
                relaxations: Vec::new(),
            },
            ..Queue::default()
        }),
    };
    let choice = |name: &str, share, contact_types: &[&str]| MenuChoice {
        name: name.to_owned(),
        share,
        contact_types: contact_types.iter().map(|each| (*each).to_owned()).collect(),
        next: Next::step(name),
    };
    let mut strategy = Strategy::plain("Centre");
    let menu = Menu {
        time: Duration::Constant { secs: 5.0 },
        choices: vec![
            choice("other", 0.05, &[]),
            choice("bookings", 0.9, &["Bookings"]),
            choice("freight", 0.9, &["Freight"]),
        ],
        retries: 0,
        no_choice: Next::Release,
    };
    let gate = HoursGate {
        zone: None,
        hours: Vec::new(),
        exceptions: Vec::new(),
        open: Next::step("menu"),
        closed: Next::Release,
    };
    let step = |id: &str, does| Step { id: id.to_owned(), name: id.to_owned(), does };
    strategy.entries[0].first = Next::step("gate");
    strategy.steps = vec![
        step("gate", StepKind::HoursGate(gate)),
        step("menu", StepKind::Menu(menu)),
        queue("other", "b"),
        queue("bookings", "b"),
        queue("freight", "f"),
    ];
    strategy.teams = ["b", "f"]
        .map(|skill| {
            let mut team = Team::named(skill, skill);
            team.skills = vec![barometer_strategy::Skill { skill: skill.to_owned(), level: None }];
            team
        })
        .to_vec();
    assert_eq!(strategy.faults(), [], "nine in ten of either type, and one in twenty of both");
    let home = |name: &str| strategy.home_team(name, Channel::Call).map(|team| team.id.as_str());
    assert_eq!((home("Bookings"), home("Freight")), (Some("b"), Some("f")));
    let first = |name: &str| {
        let mut ids: Vec<&str> =
            strategy.first_service_points(name).into_iter().map(|step| step.id.as_str()).collect();
        ids.sort_unstable();
        ids
    };
    assert_eq!(
        (first("Bookings"), first("Freight")),
        (vec!["bookings", "other"], vec!["freight", "other"])
    );
    // Shares are added up type by type.
    if let StepKind::Menu(menu) = &mut strategy.steps[1].does {
        menu.choices[0].share = 0.2;
    }
    let faults = strategy.faults();
    assert!(faults[0].message.starts_with("the shares of the choices add up to 1.1"), "{faults:?}");
}
