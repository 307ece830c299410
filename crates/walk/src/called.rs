//! Somebody whom a campaign calls.

use barometer_strategy::{
    Campaign, CampaignList, ImportedList, LocalHours, PeopleChosen, PeopleGroup, Strategy,
};
use jiff::tz::TimeZone;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::scene::SceneError;

/// A made-up person of a campaign's list.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Called {
    /// The campaign's id.
    pub campaign: String,
    /// IANA time zone in which the person lives; the centre's where none is given.
    #[serde(default)]
    pub zone: Option<String>,
    /// Calls to the person on the days before.
    #[serde(default)]
    pub attempts: u8,
    /// When the person prefers to be called, by their own clock.
    #[serde(default)]
    pub hours: Option<LocalHours>,
    /// What is at the other end.
    #[serde(default)]
    pub answers: Answers,
}

/// What is at the other end of a call.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Answers {
    /// A person answers, after the ring time that the campaign assumes.
    #[default]
    Person,
    /// A machine answers, and detection, where it is on, takes it for one.
    Machine,
    /// The line is busy.
    Busy,
    /// Nobody answers.
    Nobody,
}

impl Called {
    /// A person in the centre's zone who is called for the first time and answers.
    pub fn first_call(campaign: &str) -> Self {
        Self {
            campaign: campaign.to_owned(),
            zone: None,
            attempts: 0,
            hours: None,
            answers: Answers::Person,
        }
    }

    /// The campaign with this person as its whole list.
    pub(crate) fn campaign_of(&self, strategy: &Strategy) -> Result<Campaign, SceneError> {
        let campaign = strategy.campaigns.iter().find(|each| each.id == self.campaign);
        let campaign = campaign.ok_or_else(|| SceneError::NoCampaign(self.campaign.clone()))?;
        if let Some(zone) = &self.zone
            && TimeZone::get(zone).is_err()
        {
            return Err(SceneError::NoZone(zone.clone()));
        }
        let alone = PeopleGroup {
            people: 1,
            // A name that is none stands for the centre's.
            zone: self.zone.clone().unwrap_or_default(),
            priority: PeopleGroup::USUAL_PRIORITY,
            attempts: self.attempts,
            hours: self.hours,
        };
        let imported = ImportedList {
            number: 0,
            name: String::new(),
            only: PeopleChosen::default(),
            groups: vec![alone],
        };
        Ok(Campaign { list: CampaignList::of_imported(imported), ..campaign.clone() })
    }
}
