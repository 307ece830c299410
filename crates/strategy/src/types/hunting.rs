//! Hunt groups, and how contacts are offered to agents.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Exits, Recording};

/// Members who are offered contacts in an order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HuntGroup {
    /// Who is offered contacts, in the order in which they are listed.
    pub members: Vec<Member>,
    /// Whose device rings.
    #[serde(default)]
    pub rings: WhoRings,
    /// Seconds after which each wave of members joins: the first is wave 0 and begins at once, so
    /// `[20, 40]` lets wave 1 join after 20 s and wave 2 after 40 s.
    #[serde(default)]
    pub waves_secs: Vec<f64>,
    /// The longest that a contact stays in the group, in seconds; none for no limit.
    #[serde(default)]
    pub group_limit_secs: Option<f64>,
    /// How many contacts the group holds that nobody has answered; none for no limit.
    #[serde(default)]
    pub places: Option<u32>,
    /// Which line an agent of several serves first: the higher one.
    #[serde(default)]
    pub priority: i32,
    /// How contacts are offered.
    #[serde(default)]
    pub offering: Offering,
    /// Its short number, by which agents reach it; none for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub short_number: Option<String>,
    /// What is recorded of its conversations; none for nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub recording: Option<Recording>,
    /// Where contacts go that nobody answers.
    #[serde(default)]
    pub exits: Exits,
}

/// One member, or all agents of a team, in a hunt group.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Member {
    /// A team, or a single agent.
    pub who: Members,
    /// A member of a lower rank is offered contacts first; a higher one only when all of the better
    /// ranks are taken.
    #[serde(default = "first_rank")]
    pub rank: u32,
    /// The wave in which the member joins, 0 for the first.
    #[serde(default)]
    pub wave: u32,
}

const fn first_rank() -> u32 {
    1
}

/// Whom a line of a hunt group's list stands for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Members {
    /// Every agent of the team with this id, in the team's order.
    Team(String),
    /// The agent with this name.
    Agent(String),
}

/// Whose device rings.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum WhoRings {
    /// Only members who are at work.
    #[default]
    SignedIn,
    /// Every member, at work or not; nobody answers the device of one who is not.
    Everyone,
}

/// How a waiting contact is offered to agents.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Offering {
    /// Who comes first.
    pub order: OfferOrder,
    /// Seconds that one member rings before the contact is offered to the next; none to ring until
    /// it is answered.
    pub ring_window_secs: Option<f64>,
    /// Seconds between one offer and the next.
    pub gap_secs: f64,
    /// Whether several waiting contacts are offered at the same time; otherwise one at a time.
    pub parallel: bool,
    /// Whether members who are on a contact are offered a second one when nobody is free.
    pub second_call: bool,
    /// How many devices ring at once for one contact when all are offered it; none for all.
    pub most_devices: Option<u32>,
    /// Offers without an answer after which the contact takes the exit "no answer"; none for no
    /// such limit.
    pub most_offers: Option<u32>,
    /// Seconds of wrap-up that an agent gets at least after each contact from here.
    pub wrap_up_secs: f64,
}

impl Default for Offering {
    fn default() -> Self {
        Self {
            order: OfferOrder::LongestIdle,
            ring_window_secs: None,
            gap_secs: 0.0,
            parallel: true,
            second_call: false,
            most_devices: None,
            most_offers: None,
            wrap_up_secs: 0.0,
        }
    }
}

/// Who is offered a contact first.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum OfferOrder {
    /// Everybody who is free rings; whoever answers first has it.
    AllAtOnce,
    /// The highest in the list who is free and was not offered this contact in this round.
    TopDown,
    /// Each contact begins at the top of the list and goes down it, offer by offer, and round again.
    RoundRobinFresh,
    /// Each offer, of whatever contact, goes to the next in the list after the one before.
    RoundRobin,
    /// Whoever has been free for longest.
    #[default]
    LongestIdle,
    /// Whoever has answered the fewest contacts today.
    FewestAnswered,
    /// Anybody who is free, with equal chance.
    Random,
}
