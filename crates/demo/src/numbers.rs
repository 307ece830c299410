//! The telephone numbers of Larkhaven Ferries, and what is recorded.

use barometer_strategy::{NumberPurpose, NumberRange, Recording, StepKind, Strategy};

/// The numbers that customers call, by entry.
const ENTRIES: [(&str, &str); 3] = [
    ("General line", "+44 20 7946 0100"),
    ("Freight line", "+44 20 7946 0110"),
    ("Assisted travel line", "+44 20 7946 0120"),
];
/// Numbers that are set aside: name, first, last, and what for.
const RANGES: [(&str, &str, &str, &str, NumberPurpose); 4] = [
    (
        "published",
        "Published numbers",
        "+44 20 7946 0100",
        "+44 20 7946 0139",
        NumberPurpose::Entries,
    ),
    ("lines", "Queues and offices", "600", "639", NumberPurpose::Lines),
    ("desks", "Desk telephones", "2000", "2099", NumberPurpose::People),
    ("ports", "Ports in the office", "101", "148", NumberPurpose::Ports),
];
const FIRST_LINE: usize = 601;
const FIRST_DESK: usize = 2001;
const FIRST_PORT: usize = 101;

/// Gives a strategy its numbers, and records what is booked and what freight is promised.
pub(crate) fn set_numbers(strategy: &mut Strategy) {
    for (name, number) in ENTRIES {
        if let Some(entry) = strategy.entries.iter_mut().find(|entry| entry.name == name) {
            entry.number = Some(number.to_owned());
        }
    }
    let mut lines = (FIRST_LINE..).map(|number| Some(number.to_string()));
    for step in &mut strategy.steps {
        match &mut step.does {
            // Chats and messages have no telephone number.
            StepKind::Queue(_)
                if ["web-chat-queue", "e-mail-queue"].contains(&step.id.as_str()) => {}
            StepKind::Queue(queue) => {
                queue.short_number = lines.next().flatten();
                queue.recording = match step.id.as_str() {
                    "bookings-queue" => Some(recorded(0.2)),
                    "vehicles-freight-queue" => Some(recorded(1.0)),
                    _ => None,
                };
            }
            StepKind::HuntGroup(group) => group.short_number = lines.next().flatten(),
            _ => {}
        }
    }
    let agents = strategy.teams.iter_mut().flat_map(|team| &mut team.agents);
    for (nth, agent) in agents.enumerate() {
        agent.short_number = Some((FIRST_DESK + nth).to_string());
        agent.port = Some((FIRST_PORT + nth).to_string());
    }
    let range = |(id, name, from, until, purpose): &(&str, &str, &str, &str, NumberPurpose)| {
        let [id, name, from, until] = [id, name, from, until].map(|text| (*text).to_owned());
        NumberRange { id, name, from, until, purpose: *purpose }
    };
    strategy.number_ranges = RANGES.iter().map(range).collect();
}

/// Some conversations, about which callers are told in the menu.
const fn recorded(share: f64) -> Recording {
    Recording { share, is_announced: true, keep_days: 90, kilobits_per_sec: 64.0 }
}
