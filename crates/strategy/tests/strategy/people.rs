//! The people of a strategy: skills, levels, and the file that they come in and out by.

use barometer_strategy::{
    Agent, Edit, Queue, Skill, SkillNeed, StepKind, Strategy, Team, WantedSkill,
};
use proptest::prelude::*;
use proptest::strategy::Strategy as _;

fn skill(name: &str, level: Option<u8>) -> Skill {
    Skill { skill: name.to_owned(), level }
}

/// Two teams, four named agents, a queue that asks for Norse at 4.
fn centre() -> Strategy {
    let agent = |name: &str, skills: Option<Vec<Skill>>| Agent {
        name: name.to_owned(),
        skills,
        ranks: [("queue".to_owned(), 2)].into(),
        short_number: None,
        port: None,
    };
    let mut strategy = Strategy::plain("Bookings");
    let team = &mut strategy.teams[0];
    team.name = "Day".to_owned();
    team.skills = vec![skill("Bookings", None)];
    let both = |level| Some(vec![skill("Bookings", None), skill("Norse", Some(level))]);
    team.agents =
        vec![agent("Ada Quill", None), agent("Bo Tarn", both(4)), agent("Cy Holm", both(9))];
    let mut evening = Team::named("evening", "Evening");
    evening.agents = vec![agent("Di Moss", Some(vec![skill("Norse", None)]))];
    strategy.teams.push(evening);
    let wanted = |name: &str, at_least| WantedSkill { skill: name.to_owned(), at_least };
    let skills = vec![wanted("Norse", Some(4))];
    let need = SkillNeed { skills, relaxations: Vec::new() };
    strategy.steps[0].does = StepKind::Queue(Queue { need, ..Queue::default() });
    strategy
}

#[test]
fn a_level_says_how_many_it_leaves() {
    let centre = centre();
    let levels = centre.levels_left(&centre.steps[0]);
    assert_eq!(levels.len(), 1);
    assert_eq!((levels[0].skill.as_str(), levels[0].at_least), ("Norse", Some(4)));
    // Somebody who simply has it satisfies every level.
    assert_eq!(levels[0].left, [3, 3, 3, 3, 2, 2, 2, 2, 2, 1]);
    assert!(centre.skills().iter().eq(["Bookings", "Norse"]));
    let people = centre.people();
    assert_eq!(people.iter().filter(|person| person.are_own).count(), 3);
    assert_eq!(people[0].skills, [skill("Bookings", None)], "the team's");
}

#[test]
fn the_file_has_a_row_for_each_and_comes_back_as_it_was() {
    let centre = centre();
    let text = centre.people_csv();
    assert_eq!(
        text,
        "name,team,Bookings,Norse\nAda Quill,Day,yes,\nBo Tarn,Day,yes,4\nCy Holm,Day,yes,9\nDi Moss,Evening,,yes\n"
    );
    let edit = centre.edit_from_people_csv(&text).unwrap();
    assert_eq!(edit.apply(&centre).unwrap(), centre);
    let moved = "Name,Team,Norse\nDi Moss,Day,no\nEl Wick,Day,10\n";
    let after = centre.edit_from_people_csv(&format!("{moved}Fay Ness,Evening,\n")).unwrap();
    let after = after.apply(&centre).unwrap();
    let told: Vec<(String, String, bool)> =
        after.people().into_iter().map(|p| (p.name, p.team_name, p.are_own)).collect();
    let row = |name: &str, team: &str, own| (name.to_owned(), team.to_owned(), own);
    assert_eq!(
        told,
        [
            row("Di Moss", "Day", true),
            row("El Wick", "Day", true),
            row("Fay Ness", "Evening", false)
        ]
    );
}

#[test]
fn what_is_wrong_with_a_file_is_told_by_row_and_column() {
    let centre = centre();
    for (text, wanted) in [
        ("", vec!["the column “name” is missing", "the column “team” is missing"]),
        ("name,team\n", vec!["the file has no row below its head"]),
        (
            "name,team,Norse\n,Day,11\nAda Quill,Night,\nAda Quill,Day,soon\n",
            vec![
                "row 2, Norse: “11” is neither yes, no nor a level from 1 to 10",
                "row 2, name: is missing",
                "row 4, Norse: “soon” is neither yes, no nor a level from 1 to 10",
            ],
        ),
        (
            "name,team\nAda Quill,Night\nBo Tarn,Day\nBo Tarn,Day\n",
            vec!["row 2, team: there is no team “Night”", "row 4, name: “Bo Tarn” is there twice"],
        ),
        (
            "name,team\nDi Moss,Day\n",
            vec!["“Di Moss” is in “Evening” already, which the file does not name"],
        ),
    ] {
        assert_eq!(centre.edit_from_people_csv(text).unwrap_err(), wanted, "{text}");
    }
}

fn level() -> impl proptest::strategy::Strategy<Value = Option<Skill>> {
    prop_oneof![
        Just(None),
        prop::option::of(1u8..=10).prop_map(|level| Some(skill("Norse", level))),
    ]
}

proptest! {
    #[test]
    fn any_people_come_back_from_their_file(
        skills in proptest::collection::vec(prop::option::of(level()), 1..6),
        names in proptest::collection::vec("[\\PC&&[^\u{feff}]]{1,12}", 6),
    ) {
        let mut centre = centre();
        centre.teams[0].agents = skills.iter().enumerate().map(|(at, own)| Agent {
            // Names with quotes, commas and letters of all kinds; each is there once.
            name: format!("{at} {}", names[at].trim()).trim().to_owned(),
            skills: own.clone().map(|own| own.into_iter().collect()),
            ranks: Default::default(),
            short_number: None,
            port: None,
        }).collect();
        let text = centre.people_csv();
        let edit: Edit = centre.edit_from_people_csv(&text).unwrap();
        let back = edit.apply(&centre);
        // Names that cannot be kept are refused, whoever brings them.
        if let Ok(back) = back {
            prop_assert_eq!(back.people(), centre.people());
        }
    }
}
