//! How what is open differs from the version that it began from, or from the live one.

use std::collections::BTreeMap;

use barometer_app::drafts::Opened;
use barometer_store::{Store, StoreError, StrategyVersion};
use barometer_strategy::{Change, PartChange, PartId, changed_parts, changes};

/// The differences, in words and by part.
pub(super) struct Differences {
    /// Number of the version that they are from.
    pub from: i32,
    pub changes: Vec<Change>,
    pub parts: BTreeMap<PartId, PartChange>,
}

impl Differences {
    /// From the version that is asked for; else from the one that a draft began from; else, of a version that
    /// is not live, from the live one. None where there is no such other version.
    pub async fn of(
        store: &Store,
        opened: &Opened,
        from: Option<i32>,
    ) -> Result<Option<Self>, StoreError> {
        let asked = from.and_then(|from| opened.versions.iter().find(|each| each.version == from));
        let live = || opened.versions.iter().find(|each| each.is_live);
        let usual = || match opened.draft() {
            Some(_) => opened.began_from(),
            None => live(),
        };
        let is_other = |version: &&StrategyVersion| {
            opened.draft().is_some() || opened.version().is_none_or(|open| open.id != version.id)
        };
        let Some(version) = asked.or_else(usual).filter(is_other) else { return Ok(None) };
        let before = store.strategy(version.id).await?;
        Ok(Some(Self {
            from: version.version,
            changes: changes(&before, &opened.strategy),
            parts: changed_parts(&before, &opened.strategy).into_iter().collect(),
        }))
    }
}
