//! The parts of a strategy.

mod assumed;
mod campaign_lists;
mod campaigns;
mod hunting;
mod numbering;
mod steps;
mod teams;
mod waiting;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use assumed::{Assumed, WornNumbers, ZoneAnswers};
pub use campaign_lists::{
    CallableTogether, CampaignList, ImportedList, LocalHours, PeopleChosen, PeopleGroup, ZoneShare,
};
pub use campaigns::{
    Blending, CallOutcome, CallsBefore, Campaign, Caps, MachineAction, Machines, Pacing, Retries,
    ServedBy,
};
pub use hunting::{HuntGroup, Member, Members, OfferOrder, Offering, WhoRings};
pub use numbering::{NumberPurpose, NumberRange, Recording};
pub use steps::{
    Announcement, Assistant, Callback, Condition, HoursException, HoursGate, LabelRule, Labelling,
    Menu, MenuChoice, OpenHours, Outside, Promise, Route, Routing, Voicemail, VoicemailWork,
    Weekday,
};
pub use teams::{Agent, ChannelSkill, OnLeaving, Skill, Team};
pub use waiting::{
    CallbackOffer, Exits, Queue, QueueAnnouncement, Relaxation, SkillNeed, WantedSkill,
};

/// What happens to a contact, from entry to end.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
#[schemars(deny_unknown_fields)]
pub struct Strategy {
    /// Version of this JSON form; see [`SCHEMA_VERSION`](crate::SCHEMA_VERSION).
    pub schema_version: u32,
    /// What planners call it.
    pub name: String,
    /// Where contacts come in.
    pub entries: Vec<Entry>,
    /// What contacts pass and wait in.
    pub steps: Vec<Step>,
    /// Who answers them.
    pub teams: Vec<Team>,
    /// Who is called, and how.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[schemars(default)]
    pub campaigns: Vec<Campaign>,
    /// Numbers that are set aside.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[schemars(default)]
    pub number_ranges: Vec<NumberRange>,
}

/// Where contacts come in: a number, a chat or message address.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Entry {
    /// The number or address, or a name for it.
    pub name: String,
    /// The contact types that come in here; none for every type that no other entry names.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub contact_types: Vec<String>,
    /// Where a contact goes first.
    pub first: Next,
    /// The number that customers call, where the name is not the number.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub number: Option<String>,
    /// The announcement step that callers of this number hear before they go on to the first step; none for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub announcement: Option<String>,
    /// A label that is put on everybody who comes in here; none for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// The language that callers of this number are taken to speak, whatever else is known of them; none for theirs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub language: Option<String>,
    /// Patterns of caller numbers that get the busy tone here, such as +44161*: * stands for any digits, ? for one.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub blocked: Vec<String>,
}

impl Entry {
    /// An entry with nothing set but where contacts go.
    pub fn named(name: &str, contact_types: Vec<String>, first: Next) -> Self {
        Self {
            name: name.to_owned(),
            contact_types,
            first,
            number: None,
            announcement: None,
            label: None,
            language: None,
            blocked: Vec::new(),
        }
    }
}

/// One step on a contact's way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Step {
    /// By which other steps refer to it: a short word that never changes.
    pub id: String,
    /// What planners call it.
    pub name: String,
    /// What it does.
    pub does: StepKind,
}

/// What a step does.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum StepKind {
    /// Sends contacts one way while open and another while closed.
    HoursGate(HoursGate),
    /// Lets callers choose.
    Menu(Menu),
    /// Puts labels on contacts.
    Labelling(Labelling),
    /// Sends contacts on by their labels.
    Routing(Routing),
    /// Tells something, then sends on.
    Announcement(Announcement),
    /// A virtual assistant that settles some contacts itself.
    Assistant(Assistant),
    /// A waiting line whose agents are those with the skills.
    Queue(Queue),
    /// Members who are offered contacts in an order.
    HuntGroup(HuntGroup),
    /// Promises to call back.
    Callback(Callback),
    /// Takes a message, which may become work for agents.
    Voicemail(Voicemail),
    /// Hands the contact to a number outside.
    Outside(Outside),
}

/// Where a contact goes next.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Next {
    /// To the step with this id.
    Step(String),
    /// It is released.
    Release,
    /// It gets the busy tone, which counts as blocked.
    BusyTone,
    /// It stays where it is and rings on until its patience ends. Only for exits of queues and
    /// hunt groups: a full one lets the contact in all the same, a timer that ends is ignored.
    KeepRinging,
}

impl Next {
    /// To the step with this id.
    pub fn step(id: &str) -> Self {
        Self::Step(id.to_owned())
    }
}

impl Strategy {
    /// A strategy to start from: one queue without limits, one team, one contact at a time.
    pub fn plain(name: &str) -> Self {
        Self {
            schema_version: crate::SCHEMA_VERSION,
            name: name.to_owned(),
            entries: vec![Entry::named(&format!("{name} line"), Vec::new(), Next::step("queue"))],
            steps: vec![Step {
                id: "queue".to_owned(),
                name: format!("{name} queue"),
                does: StepKind::Queue(Queue::default()),
            }],
            teams: vec![Team::named("team", &format!("{name} team"))],
            campaigns: Vec::new(),
            number_ranges: Vec::new(),
        }
    }

    /// The step with this id.
    pub fn step(&self, id: &str) -> Option<&Step> {
        self.steps.iter().find(|step| step.id == id)
    }

    /// The campaign with this id.
    pub fn campaign(&self, id: &str) -> Option<&Campaign> {
        self.campaigns.iter().find(|campaign| campaign.id == id)
    }

    /// The first queue, if there is one.
    pub fn first_queue(&self) -> Option<(&Step, &Queue)> {
        self.steps.iter().find_map(|step| match &step.does {
            StepKind::Queue(queue) => Some((step, queue)),
            _ => None,
        })
    }

    /// The first queue, to be changed.
    pub fn first_queue_mut(&mut self) -> Option<&mut Queue> {
        self.steps.iter_mut().find_map(|step| match &mut step.does {
            StepKind::Queue(queue) => Some(queue),
            _ => None,
        })
    }

    /// The strategy as JSON, indented for reading and for version control.
    ///
    /// # Panics
    ///
    /// Never: names and numbers can be written as JSON.
    #[expect(clippy::expect_used, reason = "nothing in it cannot be written")]
    pub fn to_json(&self) -> String {
        serde_json::to_string_pretty(self).expect("names and numbers always serialise")
    }
}
