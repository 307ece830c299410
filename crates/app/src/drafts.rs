//! Drafts: the strategy that planners change, version by version.
//!
//! Every change is an [`Edit`] of the newest version and makes the next one. A planner who
//! began from a version that is not the newest any more is told so, and nothing is overwritten.

use barometer_store::{Centre, ContactType, NewVersion, Store, StoreError, StrategyVersion};
use barometer_strategy::{Channel, ChannelSkill, Edit, Fault, Strategy};
use uuid::Uuid;

use crate::AppError;

/// A version of the centre's strategy, opened for reading or changing.
#[derive(Clone, Debug)]
pub struct Draft {
    /// The centre's contact types.
    pub types: Vec<ContactType>,
    /// All versions, newest first.
    pub versions: Vec<StrategyVersion>,
    /// Number of the opened one; 0 where none was ever saved.
    pub version: i32,
    /// What it says.
    pub strategy: Strategy,
    centre: Uuid,
}

/// What became of a change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Saved {
    /// It is the next version.
    AsNewVersion,
    /// It changed nothing, so there is no new version.
    Unchanged,
}

/// Why a change was not saved.
#[derive(Debug, thiserror::Error)]
pub enum NotSaved {
    /// The strategy could not be played.
    #[error("{} faults", .0.len())]
    Faults(Vec<Fault>),
    /// Another version was saved meanwhile.
    #[error("another version was saved meanwhile")]
    Outdated,
    /// The store has no answer.
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl Draft {
    /// Opens a version by its number, or else the newest. A centre without any begins with a queue and
    /// a team of its own for each contact type.
    ///
    /// # Errors
    ///
    /// [`StoreError::NotFound`] where there is no such version.
    pub async fn open(
        store: &Store,
        centre: &Centre,
        version: Option<i32>,
    ) -> Result<Self, AppError> {
        let (types, versions) =
            tokio::try_join!(store.contact_types(centre.id), store.strategy_versions(centre.id),)?;
        let found = match version.filter(|&version| version > 0) {
            Some(version) => {
                let found = versions.iter().find(|each| each.version == version);
                Some(found.ok_or(StoreError::NotFound)?)
            }
            None => versions.first(),
        };
        let (version, strategy) = match found {
            Some(found) => (found.version, store.strategy(found.id).await?),
            None => (0, to_begin_with(&centre.name, &types)),
        };
        Ok(Self { types, versions, version, strategy, centre: centre.id })
    }

    /// The number of the newest version; 0 where there is none.
    pub fn newest(&self) -> i32 {
        self.versions.first().map_or(0, |newest| newest.version)
    }

    /// Names of the contact types that no entry receives.
    pub fn without_entry(&self) -> Vec<String> {
        let names = self.types.iter().map(|each| &each.name);
        names.filter(|name| self.strategy.entry_of(name).is_none()).cloned().collect()
    }

    /// The edit that gives a contact type an entry, a queue and a team of its own; `None` where the
    /// centre has no such type.
    pub fn take_in(&self, contact_type: &str) -> Option<Edit> {
        let found = self.types.iter().find(|each| each.name == contact_type)?;
        Some(Edit::take_in(&self.strategy, contact_type, line_of_its_own(found)))
    }

    /// Makes a change to the opened version and saves it as the next one.
    ///
    /// # Errors
    ///
    /// [`NotSaved`] says why nothing was saved.
    pub async fn save(&self, store: &Store, edit: &Edit, by: Uuid) -> Result<Saved, NotSaved> {
        let strategy = edit.apply(&self.strategy).map_err(NotSaved::Faults)?;
        if self.version > 0 && strategy == self.strategy && self.version == self.newest() {
            return Ok(Saved::Unchanged);
        }
        let summary = edit.sentence(&self.strategy);
        let new = NewVersion { strategy: &strategy, summary: &summary, based_on: self.version, by };
        match store.save_strategy_version(self.centre, new).await? {
            Some(_) => Ok(Saved::AsNewVersion),
            None => Err(NotSaved::Outdated),
        }
    }
}

/// What a centre begins with: a line of its own for each contact type.
fn to_begin_with(centre: &str, types: &[ContactType]) -> Strategy {
    Strategy::joined(centre, types.iter().map(|each| (each.name.clone(), line_of_its_own(each))))
}

/// A queue, and a team that handles as many contacts at once as the contact type's targets say.
fn line_of_its_own(contact_type: &ContactType) -> Strategy {
    let mut strategy = Strategy::plain(&contact_type.name);
    let (at_once, slowing) = (contact_type.rules.concurrency, contact_type.rules.slowing);
    if at_once > 1 {
        for team in &mut strategy.teams {
            team.channels = vec![ChannelSkill { channel: Channel::Chat, at_once, slowing }];
        }
    }
    strategy
}
