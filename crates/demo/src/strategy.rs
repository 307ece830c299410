//! What happens to a contact of Larkhaven Ferries.

use barometer_strategy::{
    Agent, Announcement, Assistant, Callback, CallbackOffer, Condition, Duration, Entry, Exits,
    HoursException, HoursGate, HuntGroup, LabelRule, Labelling, Member, Members, Menu, MenuChoice,
    Next, OfferOrder, Offering, OnLeaving, OpenHours, Promise, Queue, Relaxation, Route, Routing,
    Skill, SkillNeed, Step, StepKind, Strategy, Team, Voicemail, VoicemailWork, WantedSkill,
};
use jiff::civil::{date, time};

use crate::character::Character;
use crate::people::PEOPLE;

/// Seconds after which people of Bookings help out with sailing changes.
const HELP_AFTER_SECS: f64 = 180.0;

/// The strategy of the centre. Three numbers: the general line with opening hours, two languages and a
/// menu; freight; assisted travel. Two written entries: chats, some of which an assistant settles, and
/// e-mail. Each contact type has a queue and a team of its own; people of Bookings help those who wait
/// long for Sailing changes, the harbour offices take what nobody else does, callers of Groups may be
/// called back, and messages become work.
pub fn strategy() -> Strategy {
    let parts = Character::all().map(|each| (each.name.to_owned(), each.strategy()));
    let mut strategy = Strategy::joined("Larkhaven Ferries", parts);
    strategy.entries = entries();
    for step in &mut strategy.steps {
        if let StepKind::Queue(queue) = &mut step.does {
            set_queue(&step.id, queue);
        }
    }
    let queues = std::mem::take(&mut strategy.steps);
    strategy.steps = before_queues();
    strategy.steps.extend(queues);
    strategy.steps.extend(beside_queues());
    strategy.teams.iter_mut().for_each(set_team);
    let mut evening = Team::named("evening-team", "Evening team");
    evening.skills = ["Groups", "Assisted travel"].map(skill).to_vec();
    evening.ranks =
        ["groups-queue", "assisted-travel-queue"].map(|queue| (queue.to_owned(), 2)).into();
    strategy.teams.push(evening);
    strategy.campaigns = vec![crate::campaigns::sailing_news()];
    crate::numbers::set_numbers(&mut strategy);
    strategy
}

fn skill(name: &str) -> Skill {
    Skill { skill: name.to_owned(), level: None }
}

fn wanted(name: &str) -> WantedSkill {
    WantedSkill { skill: name.to_owned(), at_least: None }
}

fn step(id: &str, name: &str, does: StepKind) -> Step {
    Step { id: id.to_owned(), name: name.to_owned(), does }
}

fn entries() -> Vec<Entry> {
    let entry = |name: &str, types: &[&str], first: &str| {
        let types = types.iter().map(|each| (*each).to_owned()).collect();
        Entry::named(name, types, Next::step(first))
    };
    vec![
        entry("General line", &["Bookings", "Sailing changes", "Groups"], "hours"),
        entry("Freight line", &["Vehicles & freight"], "freight-hours"),
        entry("Assisted travel line", &["Assisted travel"], "assisted-travel-queue"),
        entry("Website chat", &["Web chat"], "assistant"),
        entry("E-mail", &["E-mail"], "e-mail-queue"),
    ]
}

fn to_messages() -> Exits {
    let mail = Next::step("voicemail");
    Exits {
        full: mail.clone(),
        too_long: mail.clone(),
        no_staff_at_arrival: Some(mail.clone()),
        no_staff_while_waiting: Some(mail),
        no_answer: Next::KeepRinging,
    }
}

fn set_queue(id: &str, queue: &mut Queue) {
    match id {
        "web-chat-queue" => {
            queue.exits = Exits { no_staff_at_arrival: Some(Next::Release), ..Exits::default() };
            return;
        }
        // Written work waits as long as it takes.
        "e-mail-queue" => {
            queue.exits = Exits::default();
            return;
        }
        _ => queue.exits = to_messages(),
    }
    match id {
        "sailing-changes-queue" => {
            queue.need.relaxations =
                vec![Relaxation { after_secs: HELP_AFTER_SECS, skills: vec![wanted("Bookings")] }];
            queue.exits.too_long = Next::step("harbour-offices");
        }
        "vehicles-freight-queue" => queue.longest_wait_secs = Some(600.0),
        "assisted-travel-queue" => queue.places = Some(30),
        "groups-queue" => {
            queue.callback = Some(CallbackOffer {
                after_secs: 40.0,
                if_expected_wait_secs: 60.0,
                accepted_share: 0.4,
                step: "groups-callback".to_owned(),
            });
        }
        _ => {}
    }
}

/// What callers of the general line and the freight line pass before they wait.
fn before_queues() -> Vec<Step> {
    let open_daily =
        || OpenHours { days: Vec::new(), from: time(7, 0, 0, 0), until: time(21, 0, 0, 0) };
    let closed_at_christmas =
        || vec![HoursException { date: date(2026, 12, 25), hours: Vec::new() }];
    let gate = |open: &str, closed: &str| {
        StepKind::HoursGate(HoursGate {
            zone: None,
            hours: vec![open_daily()],
            exceptions: closed_at_christmas(),
            open: Next::step(open),
            closed: Next::step(closed),
        })
    };
    let choice = |name: &str, share: f64, types: &[&str], next: &str| MenuChoice {
        name: name.to_owned(),
        share,
        contact_types: types.iter().map(|each| (*each).to_owned()).collect(),
        next: Next::step(next),
    };
    let labels = |label: &str, share: f64, next: &str| {
        let rule = LabelRule { label: label.to_owned(), when: Condition::Share(share) };
        StepKind::Labelling(Labelling { rules: vec![rule], next: Next::step(next) })
    };
    let by_label = |label: &str, next: &str, otherwise: &str| {
        let route = Route { label: label.to_owned(), next: Next::step(next) };
        StepKind::Routing(Routing { routes: vec![route], otherwise: Next::step(otherwise) })
    };
    let told = |secs: f64, next: &str| {
        StepKind::Announcement(Announcement {
            time: Duration::Constant { secs },
            next: Next::step(next),
        })
    };
    vec![
        step("hours", "Opening hours", gate("language", "closed")),
        step("closed", "We are closed", told(14.0, "voicemail")),
        step(
            "language",
            "Two languages",
            StepKind::Menu(Menu {
                time: Duration::LogNormal { mean_secs: 7.0, variation: 0.3 },
                choices: vec![
                    choice("English", 0.93, &[], "main-menu"),
                    choice("Norse", 0.03, &[], "norse-queue"),
                ],
                retries: 1,
                no_choice: Next::step("main-menu"),
            }),
        ),
        step(
            "main-menu",
            "Main menu",
            StepKind::Menu(Menu {
                time: Duration::LogNormal { mean_secs: 13.0, variation: 0.4 },
                choices: vec![
                    choice("New and changed bookings", 0.95, &["Bookings"], "travellers"),
                    choice("Today’s sailings", 0.95, &["Sailing changes"], "sailings"),
                    choice("Groups of ten and more", 0.95, &["Groups"], "groups-queue"),
                    choice("Harbour offices", 0.01, &[], "harbour-offices"),
                ],
                retries: 1,
                no_choice: Next::step("bookings-queue"),
            }),
        ),
        step("travellers", "Who is calling?", labels("frequent traveller", 0.09, "by-traveller")),
        step(
            "by-traveller",
            "Frequent travellers",
            by_label("frequent traveller", "frequent-queue", "bookings-queue"),
        ),
        step("sailings", "Which sailing?", labels("cancelled sailing", 0.1, "by-sailing")),
        step(
            "by-sailing",
            "Cancelled sailings",
            by_label("cancelled sailing", "cancelled", "sailing-changes-queue"),
        ),
        step("cancelled", "How rebooking works", told(12.0, "sailing-changes-queue")),
        step("freight-hours", "Freight hours", gate("vehicles-freight-queue", "voicemail")),
        step(
            "assistant",
            "Website assistant",
            StepKind::Assistant(Assistant {
                time: Duration::LogNormal { mean_secs: 45.0, variation: 0.5 },
                contained_share: 0.15,
                next: Next::step("web-chat-queue"),
            }),
        ),
    ]
}

/// Queues that serve no contact type of their own, the harbour offices, callbacks and messages.
fn beside_queues() -> Vec<Step> {
    let asks = |skill: &str, relaxations| SkillNeed { skills: vec![wanted(skill)], relaxations };
    let to_bookings = vec![Relaxation { after_secs: 45.0, skills: vec![wanted("Bookings")] }];
    let member =
        |team: &str, rank, wave| Member { who: Members::Team(team.to_owned()), rank, wave };
    vec![
        step(
            "frequent-queue",
            "Frequent travellers queue",
            StepKind::Queue(Queue {
                longest_wait_secs: Some(300.0),
                priority: 2,
                need: asks("Bookings", Vec::new()),
                exits: to_messages(),
                ..Queue::default()
            }),
        ),
        step(
            "norse-queue",
            "Norse queue",
            StepKind::Queue(Queue {
                longest_wait_secs: Some(300.0),
                priority: 1,
                need: asks("Norse", to_bookings),
                exits: to_messages(),
                ..Queue::default()
            }),
        ),
        step(
            "harbour-offices",
            "Harbour offices",
            StepKind::HuntGroup(HuntGroup {
                short_number: None,
                recording: None,
                members: vec![member("groups-team", 1, 0), member("assisted-travel-team", 2, 1)],
                rings: Default::default(),
                waves_secs: vec![20.0],
                group_limit_secs: Some(240.0),
                places: Some(10),
                priority: -1,
                offering: Offering {
                    order: OfferOrder::RoundRobin,
                    ring_window_secs: Some(10.0),
                    ..Offering::default()
                },
                exits: to_messages(),
            }),
        ),
        step(
            "groups-callback",
            "Groups callback",
            StepKind::Callback(Callback {
                line: "groups-queue".to_owned(),
                promise: Promise::PlaceKept,
                accepted_share: 1.0,
                otherwise: Next::Release,
                reached_share: 0.8,
                unanswered_secs: 25.0,
                attempts: 2,
                retry_after_secs: 1_800.0,
            }),
        ),
        step(
            "voicemail",
            "Voicemail",
            StepKind::Voicemail(Voicemail {
                work: Some(VoicemailWork {
                    line: "bookings-queue".to_owned(),
                    time: Duration::exponential(120.0),
                }),
            }),
        ),
    ]
}

/// Named people of the small teams, and chats that are handed over when somebody leaves.
fn set_team(team: &mut Team) {
    if !team.channels.is_empty() {
        team.on_leaving = OnLeaving::HandOver;
    }
    let of_team = PEOPLE.iter().filter(|person| team.name == format!("{} team", person.team));
    let agent = |person: &crate::people::Person| Agent {
        name: person.name.to_owned(),
        skills: Some(person.skills.iter().map(|name| skill(name)).collect()),
        ranks: Default::default(),
        short_number: None,
        port: None,
    };
    team.agents = of_team.map(agent).collect();
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
            let channel = match each.name {
                "Web chat" => Channel::Chat,
                "E-mail" => Channel::Task,
                _ => Channel::Call,
            };
            let home = strategy.home_team(each.name, channel).unwrap();
            assert_eq!(home.name, format!("{} team", each.name));
        }
    }
}
