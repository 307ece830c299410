//! Parts to begin with: each can be added to a strategy as it is, and then be set.

use jiff::civil::time;

use super::Part;
use crate::Duration;
use crate::types::{
    Announcement, Assistant, Callback, Campaign, Entry, HoursGate, HuntGroup, Labelling, Member,
    Members, Menu, Next, NumberPurpose, NumberRange, Offering, OpenHours, Outside, Promise, Queue,
    Routing, Step, StepKind, Strategy, Team, Voicemail, Weekday,
};

/// The kinds of steps, without what they hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[expect(missing_docs, reason = "each is the kind of step of the same name")]
pub enum StepName {
    Queue,
    HuntGroup,
    HoursGate,
    Menu,
    Labelling,
    Routing,
    Announcement,
    Assistant,
    Callback,
    Voicemail,
    Outside,
}

impl StepName {
    /// All kinds, those that are added most often first.
    pub const ALL: [Self; 11] = [
        Self::Queue,
        Self::HuntGroup,
        Self::HoursGate,
        Self::Menu,
        Self::Labelling,
        Self::Routing,
        Self::Announcement,
        Self::Assistant,
        Self::Callback,
        Self::Voicemail,
        Self::Outside,
    ];

    /// Its name in the JSON form.
    pub const fn key(self) -> &'static str {
        match self {
            Self::Queue => "queue",
            Self::HuntGroup => "hunt_group",
            Self::HoursGate => "hours_gate",
            Self::Menu => "menu",
            Self::Labelling => "labelling",
            Self::Routing => "routing",
            Self::Announcement => "announcement",
            Self::Assistant => "assistant",
            Self::Callback => "callback",
            Self::Voicemail => "voicemail",
            Self::Outside => "outside",
        }
    }

    /// The kind as planners say it.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Queue => "queue",
            Self::HuntGroup => "hunt group",
            Self::HoursGate => "hours gate",
            Self::Menu => "menu",
            Self::Labelling => "sorting step (labels)",
            Self::Routing => "sorting step (routes)",
            Self::Announcement => "announcement",
            Self::Assistant => "virtual assistant",
            Self::Callback => "callback",
            Self::Voicemail => "voicemail",
            Self::Outside => "outside number",
        }
    }
}

impl StepKind {
    /// Which kind it is.
    pub const fn name(&self) -> StepName {
        match self {
            Self::HoursGate(_) => StepName::HoursGate,
            Self::Menu(_) => StepName::Menu,
            Self::Labelling(_) => StepName::Labelling,
            Self::Routing(_) => StepName::Routing,
            Self::Announcement(_) => StepName::Announcement,
            Self::Assistant(_) => StepName::Assistant,
            Self::Queue(_) => StepName::Queue,
            Self::HuntGroup(_) => StepName::HuntGroup,
            Self::Callback(_) => StepName::Callback,
            Self::Voicemail(_) => StepName::Voicemail,
            Self::Outside(_) => StepName::Outside,
        }
    }

    /// The kind as planners say it.
    pub const fn words(&self) -> &'static str {
        self.name().words()
    }

    /// Whether contacts wait here for agents: a queue or a hunt group.
    pub const fn is_line(&self) -> bool {
        matches!(self, Self::Queue(_) | Self::HuntGroup(_))
    }
}

impl Part {
    /// An entry that leads to the first step and stands for a contact type that no other entry names.
    pub fn new_entry(strategy: &Strategy) -> Self {
        let first = strategy.steps.first().map_or(Next::Release, |step| Next::step(&step.id));
        let is_named =
            |name: &String| strategy.entries.iter().any(|entry| entry.contact_types.contains(name));
        let names = (strategy.entries.len() + 1..).map(|nth| format!("Contact type {nth}"));
        let contact_types = names.into_iter().find(|name| !is_named(name)).into_iter().collect();
        let name = format!("Entry {}", strategy.entries.len() + 1);
        Self::Entry(Entry::named(&name, contact_types, first))
    }

    /// A team of calls, one at a time.
    pub fn new_team(strategy: &Strategy) -> Self {
        let id = free_id(strategy, "team");
        Self::Team(Team::named(&id, &format!("Team {id}")))
    }

    /// A campaign of the first team.
    pub fn new_campaign(strategy: &Strategy) -> Self {
        let id = free_id(strategy, "campaign");
        let nth = strategy.campaigns.len() + 1;
        let team = strategy.teams.first().map_or("", |team| team.id.as_str());
        Self::Campaign(Box::new(Campaign::named(&id, &format!("Campaign {nth}"), team)))
    }

    /// A range of ten short numbers of lines.
    pub fn new_range(strategy: &Strategy) -> Self {
        let id = free_id(strategy, "range");
        let nth = strategy.number_ranges.len() + 1;
        Self::Range(NumberRange {
            id,
            name: format!("Range {nth}"),
            from: "100".to_owned(),
            until: "109".to_owned(),
            purpose: NumberPurpose::Lines,
        })
    }

    /// A step of a kind. What it cannot do without is filled in with what the strategy has; nothing is
    /// connected to it yet.
    pub fn new_step(strategy: &Strategy, kind: StepName) -> Self {
        let id = free_id(strategy, &kind.key().replace('_', "-"));
        let words = kind.words();
        let (first, others) = words.split_at(1);
        let mut name = first.to_ascii_uppercase() + others;
        // The number that tells its id from others of its kind tells its name, too.
        if let Some((_, nth)) = id.rsplit_once('-').filter(|(_, nth)| *nth != "1") {
            name = format!("{name} {nth}");
        }
        Self::Step(Box::new(Step { id, name, does: blank(strategy, kind) }))
    }
}

/// `queue-1`, or the first further number that no step, team or campaign has.
pub(super) fn free_id(strategy: &Strategy, stem: &str) -> String {
    let is_taken = |id: &str| {
        strategy.step(id).is_some()
            || strategy.teams.iter().any(|team| team.id == id)
            || strategy.campaign(id).is_some()
            || strategy.number_ranges.iter().any(|range| range.id == id)
    };
    let mut nth = 1;
    loop {
        let id = format!("{stem}-{nth}");
        if !is_taken(&id) {
            return id;
        }
        nth += 1;
    }
}

fn blank(strategy: &Strategy, kind: StepName) -> StepKind {
    match kind {
        StepName::Queue => StepKind::Queue(Queue::default()),
        StepName::HuntGroup => {
            let member =
                |team: &Team| Member { who: Members::Team(team.id.clone()), rank: 1, wave: 0 };
            StepKind::HuntGroup(HuntGroup {
                short_number: None,
                recording: None,
                members: strategy.teams.first().map(member).into_iter().collect(),
                rings: Default::default(),
                waves_secs: Vec::new(),
                group_limit_secs: None,
                places: None,
                priority: 0,
                offering: Offering::default(),
                exits: Default::default(),
            })
        }
        StepName::HoursGate => StepKind::HoursGate(HoursGate {
            zone: None,
            hours: vec![OpenHours {
                days: vec![
                    Weekday::Monday,
                    Weekday::Tuesday,
                    Weekday::Wednesday,
                    Weekday::Thursday,
                    Weekday::Friday,
                ],
                from: time(8, 0, 0, 0),
                until: time(18, 0, 0, 0),
            }],
            exceptions: Vec::new(),
            open: Next::Release,
            closed: Next::Release,
        }),
        StepName::Menu => StepKind::Menu(Menu {
            time: Duration::LogNormal { mean_secs: 12.0, variation: 0.4 },
            choices: Vec::new(),
            retries: 0,
            no_choice: Next::Release,
        }),
        StepName::Labelling => {
            StepKind::Labelling(Labelling { rules: Vec::new(), next: Next::Release })
        }
        StepName::Routing => {
            StepKind::Routing(Routing { routes: Vec::new(), otherwise: Next::Release })
        }
        StepName::Announcement => {
            let time = Duration::Constant { secs: 10.0 };
            StepKind::Announcement(Announcement { time, next: Next::Release })
        }
        StepName::Assistant => StepKind::Assistant(Assistant {
            time: Duration::exponential(60.0),
            contained_share: 0.1,
            next: Next::Release,
        }),
        StepName::Callback => {
            let line = strategy.steps.iter().find(|step| step.does.is_line());
            StepKind::Callback(Callback {
                line: line.map_or_else(String::new, |step| step.id.clone()),
                promise: Promise::PlaceKept,
                accepted_share: 1.0,
                otherwise: Next::Release,
                reached_share: 1.0,
                unanswered_secs: 0.0,
                attempts: 1,
                retry_after_secs: 0.0,
            })
        }
        StepName::Voicemail => StepKind::Voicemail(Voicemail { work: None }),
        StepName::Outside => StepKind::Outside(Outside { number: String::new() }),
    }
}
