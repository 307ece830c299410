//! Whom a campaign calls: made-up people, or those of a list, counted into the draft.

use axum::extract::State;
use axum::response::Response;
use barometer_app::drafts::Opened;
use barometer_app::lists::{self as listing, ListError};
use barometer_store::{List, ListCounts, ListSubject};
use barometer_strategy::{Campaign, CampaignList, Edit, PartId, PeopleChosen, ZoneShare};
use serde::Deserialize;
use uuid::Uuid;

use super::chosen;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Path};
use crate::page_error::PageError;
use crate::pages::strategy::change::{opened_at, save_edit};
use crate::words;

/// What stands for made-up people in the list of lists.
const MADE_UP: &str = "made_up";

/// Who is called.
pub(super) struct PeopleView {
    pub told: String,
    /// What has changed in the list since it was counted.
    pub since: Option<String>,
    pub address: String,
    /// What can be chosen: its value, what it is called, and whether it is the one.
    pub choices: Vec<(String, String, bool)>,
    /// Whom of the list, as it is typed.
    pub language: String,
    pub attributes: String,
}

impl PeopleView {
    pub async fn of(
        app: &App,
        context: &RequestContext,
        opened: &Opened,
        id: Option<&str>,
    ) -> Result<Option<Self>, PageError> {
        let Some(place) = chosen(&opened.strategy, id).filter(|_| context.may_plan()) else {
            return Ok(None);
        };
        let campaign = &opened.strategy.campaigns[place];
        let lists = app.store.lists(context.centre.id).await?;
        let lists = lists.iter().filter(|(list, _)| list.subject == ListSubject::People);
        let lists: Vec<&(List, ListCounts)> = lists.collect();
        let own = campaign.list.imported.as_ref();
        let own_list = own.and_then(|own| lists.iter().find(|(list, _)| list.number == own.number));
        let mut choices = vec![(MADE_UP.to_owned(), "made-up people".to_owned(), own.is_none())];
        choices.extend(lists.iter().map(|(list, counts)| {
            let people = words::thousands((counts.people - counts.not_called) as f64);
            let is_own = own.is_some_and(|own| own.number == list.number);
            (list.id.to_string(), format!("{}: {people} people", list.name), is_own)
        }));
        let now = match (own, own_list) {
            (Some(own), Some((list, _))) if !own.only.is_everybody() => {
                let groups = app.store.list_groups(list.id, &own.only).await?;
                Some(groups.iter().map(|group| i64::from(group.people)).sum())
            }
            (_, Some((_, counts))) => Some(counts.people - counts.not_called),
            _ => None,
        };
        let only = own.map(|own| own.only.clone()).unwrap_or_default();
        let attributes = only.attributes.iter().map(|(name, value)| format!("{name}={value}"));
        Ok(Some(Self {
            told: told(campaign),
            attributes: attributes.collect::<Vec<_>>().join("; "),
            language: only.language.unwrap_or_default(),
            since: own.and_then(|own| since(campaign, &own.name, now)),
            address: format!("/strategy/campaigns/{}/list", words::in_address(&campaign.id)),
            choices,
        }))
    }
}

fn told(campaign: &Campaign) -> String {
    let counted = |one, more| words::counted(campaign.list.people as usize, one, more);
    let people = counted("person", "people");
    match &campaign.list.imported {
        Some(imported) if imported.only.is_everybody() => {
            format!("{people} of the list “{}”.", imported.name)
        }
        Some(imported) => {
            let only = imported.only.words();
            format!("{people} of the list “{}”: those {only}.", imported.name)
        }
        None => format!("{}.", counted("made-up person", "made-up people")),
    }
}

/// What is to be counted again, by how many of the list may be called now; none where it is gone.
fn since(campaign: &Campaign, name: &str, now: Option<i64>) -> Option<String> {
    let Some(now) = now else {
        return Some(format!(
            "The list “{name}” was removed since; the campaign keeps what it counted."
        ));
    };
    let counted = i64::from(campaign.list.people);
    (now != counted).then(|| {
        format!(
            "{} of them may be called now: the do-not-call list has changed. Choose the list again to count \
             them.",
            words::thousands(now as f64)
        )
    })
}

#[derive(Debug, Deserialize)]
pub(crate) struct ListForm {
    based_on: String,
    list: String,
    #[serde(default)]
    language: String,
    #[serde(default)]
    attributes: String,
}

impl ListForm {
    /// Whom of the list: "Sailing=Holm 12:15; Card=gold".
    fn only(&self) -> Result<PeopleChosen, PageError> {
        let attribute = |item: &str| match item.split_once('=') {
            Some((name, value)) if !name.trim().is_empty() && !value.trim().is_empty() => {
                Ok((name.trim().to_owned(), value.trim().to_owned()))
            }
            _ => Err(PageError::Refused(format!(
                "Attributes: “{item}” is not name=value, such as Card=gold. Nothing was changed."
            ))),
        };
        let items = self.attributes.split(';').map(str::trim).filter(|item| !item.is_empty());
        let language = self.language.trim();
        Ok(PeopleChosen {
            language: Some(language.to_owned()).filter(|language| !language.is_empty()),
            attributes: items.map(attribute).collect::<Result<_, _>>()?,
        })
    }
}

/// `POST /strategy/campaigns/{campaign}/list`: the campaign calls the people of a list, in a draft.
pub(crate) async fn choose_list(
    State(app): State<App>,
    Planner(context): Planner,
    Path(campaign): Path<String>,
    Form(typed): Form<ListForm>,
) -> Result<Response, PageError> {
    let opened = opened_at(&app, &context, &typed.based_on).await?;
    let Some(of) = opened.strategy.campaign(&campaign) else { return Err(PageError::NotFound) };
    let list = if typed.list == MADE_UP {
        made_up(&of.list)
    } else {
        let id: Uuid = typed.list.parse().map_err(|_| PageError::NotFound)?;
        listing::for_campaign(&app.store, id, typed.only()?).await.map_err(|error| match error {
            ListError::Store(error) => error.into(),
            error => {
                PageError::Refused(words::capitalised(&format!("{error} Nothing was changed.")))
            }
        })?
    };
    let part = PartId::Campaign(campaign);
    let to = serde_json::to_value(list).map_err(|error| PageError::Internal(Box::new(error)))?;
    let edit = Edit::Set { part: part.clone(), setting: "/list".to_owned(), to };
    save_edit(&app, &context, &opened, &edit, Some(&part)).await
}

/// As many made-up people in the same zones.
fn made_up(list: &CampaignList) -> CampaignList {
    let mut zones: Vec<ZoneShare> = Vec::new();
    for each in list.callable_together() {
        let Some(zone) = each.zone else { continue };
        match zones.iter_mut().find(|known| known.zone == zone) {
            Some(known) => known.share += each.share,
            None => zones.push(ZoneShare { zone, share: each.share }),
        }
    }
    CampaignList { zones, ..CampaignList::made_up(list.people) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_strategy::{ImportedList, LocalHours, PeopleGroup};

    #[test]
    fn going_back_to_made_up_people_keeps_how_many_live_where() {
        let group = |people, zone: &str, hours| PeopleGroup {
            people,
            zone: zone.to_owned(),
            priority: 5,
            attempts: 0,
            hours,
        };
        let hours = Some(LocalHours::default());
        let groups =
            vec![group(30, "UTC", None), group(30, "UTC", hours), group(40, "Asia/Tokyo", None)];
        let list =
            ImportedList { number: 1, name: "A".to_owned(), only: Default::default(), groups };
        let back = made_up(&CampaignList::of_imported(list));
        assert_eq!((back.people, back.imported, back.zones.len()), (100, None, 2));
        assert!((back.zones[0].share - 0.6).abs() < 1e-12);
        let plain = CampaignList::made_up(5);
        assert_eq!(made_up(&plain), plain);
    }
}
