//! What happens to a contact of Larkhaven Ferries.

use barometer_strategy::{Relaxation, Skill, StepKind, Strategy, Team, WantedSkill};

use crate::character::Character;

/// Seconds after which people of Bookings help out with sailing changes.
const HELP_AFTER_SECS: f64 = 180.0;

/// The strategy of the centre: each contact type has a queue and a team of its own. People of
/// Bookings help those who wait long for Sailing changes, and a small evening team may answer Groups
/// and Assisted travel when their own teams are taken.
pub fn strategy() -> Strategy {
    let parts = Character::all().map(|each| (each.name.to_owned(), each.strategy()));
    let mut strategy = Strategy::joined("Larkhaven Ferries", parts);
    for step in &mut strategy.steps {
        if let (StepKind::Queue(queue), "sailing-changes-queue") =
            (&mut step.does, step.id.as_str())
        {
            let skill = WantedSkill { skill: "Bookings".to_owned(), at_least: None };
            let helped = Relaxation { after_secs: HELP_AFTER_SECS, skills: vec![skill] };
            queue.need.relaxations = vec![helped];
        }
    }
    let mut evening = Team::named("evening-team", "Evening team");
    evening.skills = ["Groups", "Assisted travel"]
        .map(|skill| Skill { skill: skill.to_owned(), level: None })
        .to_vec();
    evening.ranks =
        ["groups-queue", "assisted-travel-queue"].map(|queue| (queue.to_owned(), 2)).into();
    strategy.teams.push(evening);
    strategy
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_strategy::Channel;

    #[test]
    fn every_contact_type_has_a_way_to_its_own_team_and_nothing_is_amiss() {
        let strategy = strategy();
        assert_eq!(strategy.faults(), []);
        for each in Character::all() {
            let channel = if each.name == "Web chat" { Channel::Chat } else { Channel::Call };
            let home = strategy.home_team(each.name, channel).unwrap();
            assert_eq!(home.name, format!("{} team", each.name));
        }
    }
}
