//! Whole strategies to start from, for the contact types that a centre has.

use jiff::civil::time;

use crate::types::{
    ChannelSkill, Entry, Exits, HoursGate, HuntGroup, Member, Members, Menu, MenuChoice, Next,
    Offering, OpenHours, Queue, Skill, SkillNeed, Step, StepKind, Strategy, Team, Voicemail,
    VoicemailWork, WantedSkill, Weekday,
};
use crate::{Channel, Duration};

/// A shape to start from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StartingShape {
    /// All calls wait in one queue that one team answers.
    OneQueue,
    /// Opening hours, a menu with a choice for each contact type, and a queue with its team for each.
    MenuAndQueues,
    /// A hunt group that rings one after the other, then a queue, then voicemail.
    HuntGroup,
}

/// A contact type that a strategy is started for.
#[derive(Clone, Debug, PartialEq)]
pub struct StartingType {
    /// Its name.
    pub name: String,
    /// How it comes in.
    pub channel: Channel,
    /// Contacts that an agent handles at once.
    pub at_once: u32,
    /// By how much every further contact slows the others: see [`ChannelSkill::slowing`].
    pub slowing: f64,
}

impl StartingShape {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::OneQueue, Self::MenuAndQueues, Self::HuntGroup];

    /// A short name that never changes.
    pub const fn key(self) -> &'static str {
        match self {
            Self::OneQueue => "one-queue",
            Self::MenuAndQueues => "menu-and-queues",
            Self::HuntGroup => "hunt-group",
        }
    }

    /// What it is called.
    pub const fn words(self) -> &'static str {
        match self {
            Self::OneQueue => "One queue",
            Self::MenuAndQueues => "Menu and queues",
            Self::HuntGroup => "Hunt group with overflow",
        }
    }

    /// What happens to a caller in it.
    pub const fn told(self) -> &'static str {
        match self {
            Self::OneQueue => "All calls wait in one queue of 50 places; one team answers them.",
            Self::MenuAndQueues => {
                "Open 8 to 18 on weekdays, then a menu: each contact type has a choice, a queue and a team. Closed, callers leave a message."
            }
            Self::HuntGroup => {
                "Members ring one after the other, 15 s each. After a minute the caller waits in a queue, after five more leaves a message."
            }
        }
    }

    /// A strategy of this shape. Written contacts have a line of their own in each.
    pub fn strategy(self, name: &str, types: &[StartingType]) -> Strategy {
        let (calls, written): (Vec<_>, Vec<_>) =
            types.iter().cloned().partition(|each| each.channel == Channel::Call);
        let mut strategy = Strategy { name: name.to_owned(), ..Strategy::plain(name) };
        (strategy.entries, strategy.steps, strategy.teams) = Default::default();
        if !calls.is_empty() {
            let names: Vec<String> = calls.iter().map(|each| each.name.clone()).collect();
            match self {
                Self::OneQueue => one_queue(&mut strategy, names),
                Self::MenuAndQueues => menu_and_queues(&mut strategy, names),
                Self::HuntGroup => hunt_group(&mut strategy, names),
            }
        }
        for each in written {
            let mut line = Strategy::plain(&each.name);
            if let Some(queue) = line.first_queue_mut().filter(|_| each.channel == Channel::Chat) {
                queue.places = Some(50);
            }
            for team in &mut line.teams {
                let StartingType { channel, at_once, slowing, .. } = each;
                team.channels = vec![ChannelSkill { channel, at_once, slowing }];
            }
            strategy.take_in(&each.name, line);
        }
        strategy
    }
}

fn step(id: &str, name: &str, does: StepKind) -> Step {
    Step { id: id.to_owned(), name: name.to_owned(), does }
}

fn calls_in(strategy: &mut Strategy, contact_types: Vec<String>, first: &str) {
    let first = Next::step(first);
    strategy.entries.push(Entry::named("Calls", contact_types, first));
}

/// A queue that asks for a skill, and a team of calls that has it: written contacts have people of their own.
fn skilled(name: &str) -> (SkillNeed, Vec<Skill>) {
    let wanted = WantedSkill { skill: name.to_owned(), at_least: None };
    let need = SkillNeed { skills: vec![wanted], relaxations: Vec::new() };
    (need, vec![Skill { skill: name.to_owned(), level: None }])
}

/// Callers wait until their patience ends; who finds it full hears the busy tone.
fn waiting(need: SkillNeed) -> Queue {
    let exits = Exits { full: Next::BusyTone, ..Exits::default() };
    Queue { places: Some(50), need, exits, ..Queue::default() }
}

fn team(id: &str, name: &str, skills: Vec<Skill>) -> Team {
    let calls = ChannelSkill { channel: Channel::Call, at_once: 1, slowing: 0.0 };
    let answer_delay = Duration::exponential(4.0);
    Team { skills, channels: vec![calls], answer_delay, ..Team::named(id, name) }
}

fn voicemail(line: &str) -> Step {
    let work = VoicemailWork { line: line.to_owned(), time: Duration::exponential(120.0) };
    step("voicemail", "Voicemail", StepKind::Voicemail(Voicemail { work: Some(work) }))
}

fn one_queue(strategy: &mut Strategy, types: Vec<String>) {
    let (need, skills) = skilled("Calls");
    calls_in(strategy, types, "queue");
    strategy.steps.push(step("queue", "Calls queue", StepKind::Queue(waiting(need))));
    strategy.teams.push(team("agents", "Agents", skills));
}

fn menu_and_queues(strategy: &mut Strategy, types: Vec<String>) {
    let lines: Vec<(String, String)> = types
        .iter()
        .enumerate()
        .map(|(at, name)| (format!("queue-{}", at + 1), name.clone()))
        .collect();
    let weekdays = vec![
        Weekday::Monday,
        Weekday::Tuesday,
        Weekday::Wednesday,
        Weekday::Thursday,
        Weekday::Friday,
    ];
    let hours = OpenHours { days: weekdays, from: time(8, 0, 0, 0), until: time(18, 0, 0, 0) };
    let gate = HoursGate {
        zone: None,
        hours: vec![hours],
        exceptions: Vec::new(),
        open: Next::step("menu"),
        closed: Next::step("voicemail"),
    };
    let choices = lines.iter().map(|(id, name)| MenuChoice {
        name: name.clone(),
        share: 1.0,
        contact_types: vec![name.clone()],
        next: Next::step(id),
    });
    let first = lines.first().map_or("voicemail", |(id, _)| id);
    let menu = Menu {
        time: Duration::LogNormal { mean_secs: 12.0, variation: 0.4 },
        choices: choices.collect(),
        retries: 1,
        no_choice: Next::step(first),
    };
    calls_in(strategy, types, "hours");
    strategy.steps.push(step("hours", "Opening hours", StepKind::HoursGate(gate)));
    strategy.steps.push(step("menu", "Menu", StepKind::Menu(menu)));
    for (at, (id, name)) in lines.iter().enumerate() {
        let (need, skills) = skilled(name);
        let queue = StepKind::Queue(waiting(need));
        strategy.steps.push(step(id, &format!("{name} queue"), queue));
        strategy.teams.push(team(&format!("team-{}", at + 1), &format!("{name} team"), skills));
    }
    strategy.steps.push(voicemail(first));
}

fn hunt_group(strategy: &mut Strategy, types: Vec<String>) {
    let (need, skills) = skilled("Calls");
    let exits = Exits {
        full: Next::step("queue"),
        too_long: Next::step("queue"),
        no_answer: Next::KeepRinging,
        ..Exits::default()
    };
    let group = HuntGroup {
        short_number: None,
        recording: None,
        members: vec![Member { who: Members::Team("agents".to_owned()), rank: 1, wave: 0 }],
        rings: Default::default(),
        waves_secs: Vec::new(),
        group_limit_secs: Some(60.0),
        places: None,
        priority: 1,
        offering: Offering { ring_window_secs: Some(15.0), ..Offering::default() },
        exits,
    };
    let mut queue = waiting(need);
    queue.longest_wait_secs = Some(300.0);
    queue.exits.too_long = Next::step("voicemail");
    calls_in(strategy, types, "group");
    strategy.steps.push(step("group", "Hunt group", StepKind::HuntGroup(group)));
    strategy.steps.push(step("queue", "Overflow queue", StepKind::Queue(queue)));
    strategy.steps.push(voicemail("queue"));
    strategy.teams.push(team("agents", "Agents", skills));
}
