//! Whom a campaign calls: made-up people, or the people of an imported list, counted by what they have in common.

use std::collections::BTreeMap;

use jiff::civil::{Time, time};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Whom a campaign calls: people who are made up, or those of a list that was imported.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CampaignList {
    /// How many people there are.
    pub people: u32,
    /// In which time zones made-up people live; all in the centre's where nothing is said.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub zones: Vec<ZoneShare>,
    /// The imported list that takes the place of made-up people.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(extend("x-form" = "carried"))]
    pub imported: Option<ImportedList>,
}

/// What a strategy keeps of an imported list: how many people are alike. Numbers stay in the list.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ImportedList {
    /// The number of the list.
    pub number: i32,
    /// What it is called.
    pub name: String,
    /// Whom of it the campaign calls.
    #[serde(default, skip_serializing_if = "PeopleChosen::is_everybody")]
    pub only: PeopleChosen,
    /// People who are alike, in the order in which they are called: by priority.
    pub groups: Vec<PeopleGroup>,
}

impl ImportedList {
    /// Groups of people that a strategy tells apart, at most.
    pub const MOST_GROUPS: usize = 400;

    /// What it is called, and how many of its people live where.
    pub fn words(&self) -> String {
        let mut zones: Vec<(&str, u64)> = Vec::new();
        for group in &self.groups {
            match zones.iter_mut().find(|(zone, _)| *zone == group.zone) {
                Some((_, people)) => *people += u64::from(group.people),
                None => zones.push((&group.zone, u64::from(group.people))),
            }
        }
        let zones: Vec<String> =
            zones.iter().map(|(zone, people)| format!("{people} in {zone}")).collect();
        let calls: u64 = self
            .groups
            .iter()
            .map(|group| u64::from(group.people) * u64::from(group.attempts))
            .sum();
        let only = match self.only.words() {
            words if words.is_empty() => String::new(),
            words => format!(" ({words})"),
        };
        format!("“{}”{only}: {}, {calls} calls so far", self.name, zones.join(", "))
    }
}

/// Whom of a list a campaign calls: everybody of whom all of this is true.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct PeopleChosen {
    /// The language that they speak, as it stands in the list; none for any.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub language: Option<String>,
    /// Attributes by the headings of their columns, as they stand in the list.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub attributes: BTreeMap<String, String>,
}

impl PeopleChosen {
    /// Whether nobody is left out.
    pub fn is_everybody(&self) -> bool {
        self.language.is_none() && self.attributes.is_empty()
    }

    /// In words: "who speak Norse, Sailing Holm 12:15"; empty for everybody.
    pub fn words(&self) -> String {
        let language = self.language.iter().map(|language| format!("who speak {language}"));
        let attributes = self.attributes.iter().map(|(name, value)| format!("{name} {value}"));
        language.chain(attributes).collect::<Vec<_>>().join(", ")
    }
}

/// People of a list who are alike.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PeopleGroup {
    /// How many.
    pub people: u32,
    /// IANA time zone in which they live.
    pub zone: String,
    /// Those with the lowest priority number are called first.
    #[serde(default = "usual_priority")]
    pub priority: u8,
    /// Calls to each so far.
    #[serde(default)]
    pub attempts: u8,
    /// When they prefer to be called, by their own clocks; none for whenever people may be called.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hours: Option<LocalHours>,
}

const fn usual_priority() -> u8 {
    PeopleGroup::USUAL_PRIORITY
}

impl PeopleGroup {
    /// The priority of people for whom a list gives none.
    pub const USUAL_PRIORITY: u8 = 5;
}

/// People of a list who can be called at the same times.
#[derive(Clone, Debug, PartialEq)]
pub struct CallableTogether {
    /// Their IANA time zone; none for the centre's.
    pub zone: Option<String>,
    /// When they prefer to be called, by their own clocks.
    pub hours: Option<LocalHours>,
    /// Their share of the list.
    pub share: f64,
}

impl CampaignList {
    /// A list of made-up people, all in the centre's zone.
    pub const fn made_up(people: u32) -> Self {
        Self { people, zones: Vec::new(), imported: None }
    }

    /// The people of an imported list.
    pub fn of_imported(imported: ImportedList) -> Self {
        let people = imported.groups.iter().map(|group| group.people).sum();
        Self { people, zones: Vec::new(), imported: Some(imported) }
    }

    /// Who can be called at the same times: at least one row, in the order in which the list first names
    /// them.
    pub fn callable_together(&self) -> Vec<CallableTogether> {
        let everybody = || vec![CallableTogether { zone: None, hours: None, share: 1.0 }];
        let Some(imported) = &self.imported else {
            let zones = self.zones.iter().map(|each| CallableTogether {
                zone: Some(each.zone.clone()),
                hours: None,
                share: each.share,
            });
            let zones: Vec<CallableTogether> = zones.collect();
            return if zones.is_empty() { everybody() } else { zones };
        };
        let mut found: Vec<CallableTogether> = Vec::new();
        let all = f64::from(self.people.max(1));
        for group in &imported.groups {
            let share = f64::from(group.people) / all;
            match found.iter_mut().find(|each| each.holds(group)) {
                Some(known) => known.share += share,
                None => found.push(CallableTogether {
                    zone: Some(group.zone.clone()),
                    hours: group.hours,
                    share,
                }),
            }
        }
        if found.is_empty() { everybody() } else { found }
    }
}

impl CallableTogether {
    /// Whether the people of a group are among these.
    pub fn holds(&self, group: &PeopleGroup) -> bool {
        self.zone.as_deref() == Some(group.zone.as_str()) && self.hours == group.hours
    }
}

/// The people of a list who live in one time zone.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ZoneShare {
    /// IANA time zone, such as `Europe/Dublin`.
    pub zone: String,
    /// Share of the people.
    pub share: f64,
}

/// When people may be called, by their own clocks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LocalHours {
    /// Not before this time.
    #[schemars(with = "String")]
    pub from: Time,
    /// Not at this time or later.
    #[schemars(with = "String")]
    pub until: Time,
}

impl LocalHours {
    /// The hours in both; none where there are none.
    pub fn within(self, other: Self) -> Option<Self> {
        let both = Self { from: self.from.max(other.from), until: self.until.min(other.until) };
        (both.from < both.until).then_some(both)
    }
}

impl Default for LocalHours {
    fn default() -> Self {
        Self { from: time(8, 0, 0, 0), until: time(21, 0, 0, 0) }
    }
}
