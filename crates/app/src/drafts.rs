//! Drafts and versions: the strategy that planners change, and what they keep of it.
//!
//! A version never changes. Whoever changes one begins a draft, in which every [`Edit`] is a revision that can
//! be taken back and done again; nothing has to be saved. What two planners do to one draft at the same time is
//! merged, setting by setting; where both set the same one differently, the one who comes second chooses.

use std::fmt;
use std::str::FromStr;

use barometer_plan::channel_of;
use barometer_store::{
    Centre, ContactType, DraftLine, NewDraft, NewRevision, NewVersion, Revision, Store, StoreError,
    StrategyVersion,
};
pub use barometer_strategy::StartingShape;
use barometer_strategy::{
    Channel, ChannelSkill, Conflict, Edit, Fault, Side, StartingType, Strategy, merge,
};
use uuid::Uuid;

use crate::AppError;

/// How often a change is merged anew where others are faster each time.
const MOST_MERGES: usize = 8;

/// What a change was made of: a version, or a revision of a draft. Written `v3` and `d2.14`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Basis {
    /// A version by its number; 0 for what a centre without any begins with.
    Version(i32),
    /// A draft by its number, at a revision.
    Draft {
        /// Which draft.
        number: i32,
        /// Which revision of it.
        revision: i32,
    },
}

impl fmt::Display for Basis {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Version(version) => write!(formatter, "v{version}"),
            Self::Draft { number, revision } => write!(formatter, "d{number}.{revision}"),
        }
    }
}

impl FromStr for Basis {
    type Err = StoreError;

    fn from_str(text: &str) -> Result<Self, StoreError> {
        let version = || Some(Self::Version(text.strip_prefix('v')?.parse().ok()?));
        let draft = || {
            let (number, revision) = text.strip_prefix('d')?.split_once('.')?;
            Some(Self::Draft { number: number.parse().ok()?, revision: revision.parse().ok()? })
        };
        version().or_else(draft).ok_or(StoreError::NotFound)
    }
}

/// Which strategy to open.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Which {
    /// The live version; or the newest one, or else the draft that was changed last.
    Usual,
    /// A version by its number.
    Version(i32),
    /// A draft by its number, at its open revision.
    Draft(i32),
}

/// A version or a draft of the centre's strategy, opened for reading or changing.
#[derive(Clone, Debug)]
pub struct Opened {
    /// The centre's contact types.
    pub types: Vec<ContactType>,
    /// All versions, newest first.
    pub versions: Vec<StrategyVersion>,
    /// All drafts, the one that was changed last first.
    pub drafts: Vec<DraftLine>,
    /// What is opened.
    pub basis: Basis,
    /// What it says.
    pub strategy: Strategy,
    centre: Uuid,
}

/// Which way to go along the edits of a draft.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Direction {
    /// To the edit before.
    Undo,
    /// To the edit after.
    Redo,
}

/// What became of a change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Saved {
    /// It is in this draft, which it began where it was made of a version.
    InDraft {
        /// The number of the draft.
        number: i32,
        /// Whether the draft began with it.
        is_new: bool,
        /// Whether it was merged with what somebody else had done meanwhile.
        is_merged: bool,
    },
    /// It changed nothing.
    Unchanged,
}

/// Why a change was not saved.
#[derive(Debug, thiserror::Error)]
pub enum NotSaved {
    /// The strategy could not be played.
    #[error("{} faults", .0.len())]
    Faults(Vec<Fault>),
    /// Somebody set the same settings differently meanwhile, and nobody has chosen yet.
    #[error("{} conflicts", .conflicts.len())]
    Conflicts {
        /// The settings.
        conflicts: Vec<Conflict>,
        /// Who changed the draft meanwhile.
        who: Option<String>,
    },
    /// Others changed the draft again and again while this was merged.
    #[error("the draft was changed again and again meanwhile")]
    TooBusy,
    /// The store has no answer.
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl Opened {
    /// Opens a version or a draft. A centre without any begins with a queue and a team of its own for each
    /// contact type.
    ///
    /// # Errors
    ///
    /// [`StoreError::NotFound`] where there is no such version or draft.
    pub async fn open(store: &Store, centre: &Centre, which: Which) -> Result<Self, AppError> {
        let (types, versions, drafts) = tokio::try_join!(
            store.contact_types(centre.id),
            store.strategy_versions(centre.id),
            store.drafts(centre.id),
        )?;
        let usual = || {
            let version = versions.iter().find(|each| each.is_live).or(versions.first());
            let draft = drafts.iter().find(|draft| !draft.is_thrown_away);
            match (version, draft) {
                (Some(version), _) => Basis::Version(version.version),
                (None, Some(draft)) => Basis::Draft { number: draft.number, revision: draft.head },
                (None, None) => Basis::Version(0),
            }
        };
        let basis = match which {
            Which::Usual => usual(),
            Which::Version(version) => Basis::Version(version),
            Which::Draft(number) => {
                let found = drafts.iter().find(|draft| draft.number == number);
                let head = found.ok_or(StoreError::NotFound)?.head;
                Basis::Draft { number, revision: head }
            }
        };
        let strategy = Strategy::plain(&centre.name);
        let mut opened = Self { types, versions, drafts, basis, strategy, centre: centre.id };
        opened.strategy = opened.read(store, basis, &centre.name).await?;
        Ok(opened)
    }

    /// Opens what a change was made of.
    ///
    /// # Errors
    ///
    /// [`StoreError::NotFound`] where there is no such version or revision.
    pub async fn at(store: &Store, centre: &Centre, basis: Basis) -> Result<Self, AppError> {
        let which = match basis {
            Basis::Version(version) => Which::Version(version),
            Basis::Draft { number, .. } => Which::Draft(number),
        };
        let mut opened = Self::open(store, centre, which).await?;
        if opened.basis != basis {
            opened.basis = basis;
            opened.strategy = opened.read(store, basis, &centre.name).await?;
        }
        Ok(opened)
    }

    async fn read(&self, store: &Store, basis: Basis, name: &str) -> Result<Strategy, StoreError> {
        match basis {
            Basis::Version(0) => Ok(to_begin_with(name, &self.types)),
            Basis::Version(version) => {
                let found = self.versions.iter().find(|each| each.version == version);
                store.strategy(found.ok_or(StoreError::NotFound)?.id).await
            }
            Basis::Draft { number, revision } => {
                let found = self.drafts.iter().find(|draft| draft.number == number);
                store.draft_strategy(found.ok_or(StoreError::NotFound)?.id, revision).await
            }
        }
    }

    /// Takes a shape to start from, filled with the centre's contact types, instead of what is opened.
    pub fn begin_with(&mut self, shape: StartingShape, name: &str) {
        let types: Vec<StartingType> = self
            .types
            .iter()
            .map(|each| StartingType {
                name: each.name.clone(),
                channel: channel_of(&each.rules),
                at_once: each.rules.concurrency,
                slowing: each.rules.slowing,
            })
            .collect();
        self.strategy = shape.strategy(name, &types);
        self.basis = Basis::Version(0);
    }

    /// The draft that is opened, if it is one.
    pub fn draft(&self) -> Option<&DraftLine> {
        let Basis::Draft { number, .. } = self.basis else { return None };
        self.drafts.iter().find(|draft| draft.number == number)
    }

    /// The version that says what is opened: itself, or the one that was kept of the draft's open revision.
    pub fn version(&self) -> Option<&StrategyVersion> {
        let number = match (self.basis, self.draft()) {
            (Basis::Version(version), _) => version,
            (Basis::Draft { revision, .. }, Some(draft)) if draft.head == revision => {
                draft.kept_as?
            }
            _ => return None,
        };
        self.versions.iter().find(|each| each.version == number)
    }

    /// The version that the draft began from; none for a version.
    pub fn began_from(&self) -> Option<&StrategyVersion> {
        let based_on = self.draft()?.based_on;
        self.versions.iter().find(|each| each.version == based_on)
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

    /// Begins a draft from what is opened, and returns its number.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database fails.
    pub async fn branch(&self, store: &Store, name: &str, by: Uuid) -> Result<i32, StoreError> {
        let based_on = match (self.basis, self.version(), self.draft()) {
            (Basis::Version(version), ..) => version,
            (_, Some(version), _) => version.version,
            (_, _, draft) => draft.map_or(0, |draft| draft.based_on),
        };
        let new = NewDraft { name, based_on, strategy: &self.strategy, by: Some(by) };
        store.begin_draft(self.centre, new, None).await
    }

    /// Makes a change to what is opened: in its draft, or in a new one where it is a version. What others did to
    /// the draft meanwhile is merged with it; `prefer` says whose setting holds where both set the same.
    ///
    /// # Errors
    ///
    /// [`NotSaved`] says why nothing was saved.
    pub async fn save(
        &self,
        store: &Store,
        edit: &Edit,
        by: Uuid,
        prefer: &(dyn Fn(&Conflict) -> Option<Side> + Sync),
    ) -> Result<Saved, NotSaved> {
        let mine = edit.apply(&self.strategy).map_err(NotSaved::Faults)?;
        if mine == self.strategy {
            return Ok(Saved::Unchanged);
        }
        let summary = edit.sentence(&self.strategy);
        let new = NewRevision { edit, summary: &summary, strategy: &mine, by: Some(by) };
        match (self.basis, self.draft()) {
            (Basis::Draft { number, revision }, Some(draft)) => {
                let is_merged = match store.edit_draft(draft.id, revision, new).await? {
                    Some(_) => false,
                    None => {
                        let of = (draft.id, revision);
                        self.merge_into(store, of, &mine, by, prefer).await?
                    }
                };
                Ok(Saved::InDraft { number, is_new: false, is_merged })
            }
            (Basis::Draft { .. }, None) => Err(StoreError::NotFound.into()),
            (Basis::Version(version), _) => {
                let name = self.free_name(&match version {
                    0 => "First strategy".to_owned(),
                    version => format!("Changes to v{version}"),
                });
                let strategy = &self.strategy;
                let begun = NewDraft { name: &name, based_on: version, strategy, by: Some(by) };
                let number = store.begin_draft(self.centre, begun, Some(new)).await?;
                Ok(Saved::InDraft { number, is_new: true, is_merged: false })
            }
        }
    }

    /// Merges what was made of the opened revision with what the draft has become since. Whether anybody else
    /// has changed it: what the same person did meanwhile is an earlier state of the same form, and gives way.
    async fn merge_into(
        &self,
        store: &Store,
        (draft, made_of): (Uuid, i32),
        mine: &Strategy,
        by: Uuid,
        prefer: &(dyn Fn(&Conflict) -> Option<Side> + Sync),
    ) -> Result<bool, NotSaved> {
        for _ in 0..MOST_MERGES {
            let drafts = store.drafts(self.centre).await?;
            let line = drafts.iter().find(|each| each.id == draft).ok_or(StoreError::NotFound)?;
            let theirs = store.draft_strategy(draft, line.head).await?;
            let history = store.draft_history(draft).await?;
            let is_own = is_own_since(&history, made_of, by);
            let prefer = |conflict: &Conflict| prefer(conflict).or(is_own.then_some(Side::Mine));
            let merged = merge(&self.strategy, mine, &theirs, &prefer).map_err(|conflicts| {
                NotSaved::Conflicts { conflicts, who: line.changed_by.clone() }
            })?;
            if merged == theirs {
                return Ok(!is_own);
            }
            let edit = Edit::between(&theirs, &merged);
            // Each side can be played; both together need not be.
            let merged = edit.apply(&theirs).map_err(NotSaved::Faults)?;
            let summary = edit.sentence(&theirs);
            let new =
                NewRevision { edit: &edit, summary: &summary, strategy: &merged, by: Some(by) };
            if store.edit_draft(draft, line.head, new).await?.is_some() {
                return Ok(!is_own);
            }
        }
        Err(NotSaved::TooBusy)
    }

    /// Undoes the last edit of the opened draft, or redoes the last that was undone. `seen` is the revision that
    /// the person saw: what the same person did since is the same work, and what somebody else did since is not
    /// undone unseen.
    ///
    /// # Errors
    ///
    /// [`StoreError::NotFound`] where a version is opened.
    pub async fn step(
        &self,
        store: &Store,
        direction: Direction,
        seen: i32,
        by: Uuid,
    ) -> Result<bool, StoreError> {
        let draft = self.draft().ok_or(StoreError::NotFound)?;
        let history = store.draft_history(draft.id).await?;
        let head = if is_own_since(&history, seen, by) { draft.head } else { seen };
        match direction {
            Direction::Undo => store.undo_in_draft(draft.id, head).await,
            Direction::Redo => store.redo_in_draft(draft.id, head).await,
        }
    }

    /// Keeps what is opened as a version, and returns its key. What is one already stays it.
    ///
    /// # Errors
    ///
    /// [`StoreError::Database`] when the database fails.
    pub async fn keep(&self, store: &Store, label: &str, by: Uuid) -> Result<Uuid, StoreError> {
        if let Some(version) = self.version() {
            return Ok(version.id);
        }
        let (draft, summary) = match (self.basis, self.draft()) {
            (Basis::Draft { revision, .. }, Some(draft)) => {
                let summary = match self.began_from() {
                    Some(before) => {
                        let before = store.strategy(before.id).await?;
                        Edit::between(&before, &self.strategy).sentence(&before)
                    }
                    None => String::new(),
                };
                (Some((draft.id, revision)), summary)
            }
            _ => (None, String::new()),
        };
        let strategy = &self.strategy;
        let new = NewVersion { strategy, label, summary: &summary, draft, by: Some(by) };
        store.keep_version(self.centre, new).await
    }

    /// A name that no draft has yet: the wanted one, or "…, 2", "…, 3".
    pub fn free_name(&self, wanted: &str) -> String {
        let is_taken = |name: &str| self.drafts.iter().any(|draft| draft.name == name);
        if !is_taken(wanted) {
            return wanted.to_owned();
        }
        let mut nth = 2;
        loop {
            let name = format!("{wanted}, {nth}");
            if !is_taken(&name) {
                return name;
            }
            nth += 1;
        }
    }
}

/// Whether everything that was done to a draft since a revision is one person's own; not where that revision was
/// undone meanwhile.
fn is_own_since(history: &[Revision], revision: i32, by: Uuid) -> bool {
    history.iter().any(|each| each.revision == revision)
        && history
            .iter()
            .filter(|each| each.revision > revision)
            .all(|each| each.made_by_id == Some(by))
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
