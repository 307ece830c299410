//! All rules on a strategy of eighty steps and a week of half-hours, beside reading the same strategy
//! from its JSON form: what every page that shows one has to do anyway.

use barometer_preflight::{ContactTypePremise, Premises, TeamPremise, preflight};
use barometer_strategy::{
    Channel, Duration, Entry, Exits, HoursGate, HuntGroup, Member, Members, Menu, MenuChoice, Next,
    OfferOrder, Offering, OpenHours, Queue, Step, StepKind, Strategy, Team, Voicemail,
};
use barometer_timing::{compare, measure};
use jiff::Timestamp;
use jiff::civil::time;
use jiff::tz::TimeZone;

const LINES: usize = 16;
const INTERVALS: usize = 7 * 48;

fn step(id: String, does: StepKind) -> Step {
    Step { name: format!("Step {id}"), id, does }
}

/// Sixteen lines of five steps: a gate, a menu, a queue, a hunt group of ten people, a voicemail.
fn strategy() -> Strategy {
    let mut strategy = Strategy::plain("Eighty");
    (strategy.entries, strategy.steps, strategy.teams) = (Vec::new(), Vec::new(), Vec::new());
    for line in 0..LINES {
        let id = |name: &str| format!("{name}-{line}");
        let mail = || Next::Step(id("mail"));
        let exits = || Exits { full: mail(), too_long: mail(), ..Exits::default() };
        strategy.entries.push(Entry::named(&id("Line"), vec![id("Type")], Next::Step(id("gate"))));
        let hours =
            OpenHours { days: Vec::new(), from: time(7, 0, 0, 0), until: time(21, 0, 0, 0) };
        let choice = |name: &str, to: &str| MenuChoice {
            name: name.to_owned(),
            share: 0.4,
            contact_types: Vec::new(),
            next: Next::Step(id(to)),
        };
        strategy.steps.extend([
            step(
                id("gate"),
                StepKind::HoursGate(HoursGate {
                    zone: None,
                    hours: vec![hours],
                    exceptions: Vec::new(),
                    open: Next::Step(id("menu")),
                    closed: mail(),
                }),
            ),
            step(
                id("menu"),
                StepKind::Menu(Menu {
                    time: Duration::Constant { secs: 8.0 },
                    choices: vec![choice("One", "queue"), choice("Two", "group")],
                    retries: 1,
                    no_choice: Next::Step(id("queue")),
                }),
            ),
            step(
                id("queue"),
                StepKind::Queue(Queue {
                    places: Some(20),
                    longest_wait_secs: Some(300.0),
                    exits: exits(),
                    ..Queue::default()
                }),
            ),
            step(
                id("group"),
                StepKind::HuntGroup(HuntGroup {
                    short_number: None,
                    recording: None,
                    members: vec![Member { who: Members::Team(id("team")), rank: 1, wave: 0 }],
                    rings: Default::default(),
                    waves_secs: Vec::new(),
                    group_limit_secs: Some(60.0),
                    places: Some(10),
                    priority: 0,
                    offering: Offering {
                        order: OfferOrder::TopDown,
                        ring_window_secs: Some(15.0),
                        ..Offering::default()
                    },
                    exits: exits(),
                }),
            ),
            step(id("mail"), StepKind::Voicemail(Voicemail { work: None })),
        ]);
        strategy.teams.push(Team::named(&id("team"), &id("Team")));
    }
    strategy
}

fn premises() -> Premises {
    let types = (0..LINES).map(|line| ContactTypePremise {
        name: format!("Type-{line}"),
        channel: Channel::Call,
        patience: Some(Duration::exponential(150.0)),
        handle_secs: 240.0,
        has_own_wrap_up: false,
        at_once: 1,
        profiles: Vec::new(),
        contacts: vec![20.0; INTERVALS],
    });
    let teams = (0..LINES)
        .map(|line| TeamPremise { team: format!("team-{line}"), people: vec![10; INTERVALS] });
    Premises {
        zone: TimeZone::get("Europe/London").unwrap_or(TimeZone::UTC),
        start: Timestamp::UNIX_EPOCH,
        interval_secs: 1800.0,
        intervals: INTERVALS,
        types: types.collect(),
        teams: teams.collect(),
        lines: None,
        seats: None,
        licences: None,
    }
}

fn main() {
    let (strategy, premises) = (strategy(), premises());
    assert_eq!(strategy.faults(), []);
    let json = strategy.to_json();
    let found = preflight(&strategy, &premises).len();
    compare(
        "preflight of 80 steps, beside reading them from JSON",
        || Strategy::from_json(&json).map(|strategy| strategy.steps.len()),
        || preflight(&strategy, &premises).len(),
    );
    measure(&format!("preflight of 80 steps, {found} findings"), || {
        preflight(&strategy, &premises)
    });
}
