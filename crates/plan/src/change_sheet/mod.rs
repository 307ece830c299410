//! A change sheet: the record with which a version of the strategy goes live, and who may do what with it when.
//!
//! A sheet is a list of entries that only grows; what it says and how far it has come ([`ChangeSheet::of`])
//! follows from them. [`ChangeSheet::may`] says whether an entry may be added now: nobody approves what they
//! proposed, nothing goes live that nobody has tried, and what was approved against one live version does not go
//! live on top of another.

mod document;
mod evidence_rules;
mod risks;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

pub use evidence_rules::EvidenceRules;
pub use risks::{Risks, TriedDay};

pub use document::{
    EvidenceDocument, RecordLine, SHEET_FORMAT, SheetDocument, SheetReadError, Verified,
    VerifyError,
};

/// What a sheet says of its change.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct SheetText {
    /// What it is called.
    pub title: String,
    /// Why the change is wanted.
    pub why: String,
    /// Under which conditions it goes live; empty for none.
    #[serde(default)]
    pub conditions: String,
    /// How to go back, and when that is due.
    pub way_back: String,
    /// When it takes effect; none for as soon as it is published.
    #[serde(default)]
    pub takes_effect: Option<Timestamp>,
    /// The trials and comparisons that it rests on.
    #[serde(default)]
    pub evidence: Vec<EvidenceKey>,
}

/// What a sheet rests on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum EvidenceKey {
    /// A trial of the version.
    Trial(Uuid),
    /// A comparison in which the version is a candidate.
    Comparison(Uuid),
}

/// Something that is done with a sheet.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum SheetAct {
    /// It is drawn up.
    DrawnUp(SheetText),
    /// It says something else from now on.
    Revised(SheetText),
    /// Somebody says something about it.
    Commented {
        /// What.
        text: String,
    },
    /// It is put before the approvers.
    Proposed,
    /// It is taken from them again.
    Withdrawn,
    /// An approver does not approve it.
    SentBack {
        /// Why.
        reason: String,
    },
    /// An approver approves it.
    Approved {
        /// What the approver saw: verdicts of the evidence, findings, broken expectations.
        #[serde(default)]
        knowing: Vec<String>,
    },
    /// Its version goes live.
    WentLive,
    /// The version that was live before it is live again.
    RolledBack {
        /// Why.
        reason: String,
    },
    /// Another version went live after it.
    Superseded,
    /// The version that superseded it was rolled back.
    LiveAgain,
}

impl SheetAct {
    /// Its name in the record and in addresses.
    pub const fn key(&self) -> &'static str {
        match self {
            Self::DrawnUp(_) => "drawn_up",
            Self::Revised(_) => "revised",
            Self::Commented { .. } => "commented",
            Self::Proposed => "proposed",
            Self::Withdrawn => "withdrawn",
            Self::SentBack { .. } => "sent_back",
            Self::Approved { .. } => "approved",
            Self::WentLive => "went_live",
            Self::RolledBack { .. } => "rolled_back",
            Self::Superseded => "superseded",
            Self::LiveAgain => "live_again",
        }
    }

    /// What was done, in words.
    pub const fn words(&self) -> &'static str {
        match self {
            Self::DrawnUp(_) => "drawn up",
            Self::Revised(_) => "revised",
            Self::Commented { .. } => "comment",
            Self::Proposed => "proposed",
            Self::Withdrawn => "withdrawn",
            Self::SentBack { .. } => "sent back",
            Self::Approved { .. } => "approved",
            Self::WentLive => "went live",
            Self::RolledBack { .. } => "rolled back",
            Self::Superseded => "superseded",
            Self::LiveAgain => "live again",
        }
    }
}

/// An entry of a sheet's record.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SheetEntry {
    /// What was done.
    pub act: SheetAct,
    /// Who did it; none where Barometer did, at the time that was set.
    pub by: Option<Uuid>,
    /// When.
    pub at: Timestamp,
}

/// How far a sheet has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SheetState {
    /// It is being written.
    Draft,
    /// It waits for an approver.
    Proposed,
    /// An approver wants something else.
    SentBack,
    /// It may be published.
    Approved,
    /// It goes live at a time that is set.
    Scheduled,
    /// Its version is live.
    Live,
    /// Its version was live, and the one before it is again.
    RolledBack,
    /// Its version was live until another one went live.
    Superseded,
}

impl SheetState {
    /// In words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Draft => "draft",
            Self::Proposed => "proposed",
            Self::SentBack => "sent back",
            Self::Approved { .. } => "approved",
            Self::Scheduled => "scheduled",
            Self::Live => "live",
            Self::RolledBack => "rolled back",
            Self::Superseded => "superseded",
        }
    }

    /// Whether the sheet has not been live yet.
    pub const fn is_open(self) -> bool {
        !matches!(self, Self::Live | Self::RolledBack | Self::Superseded)
    }
}

/// A sheet as its record makes it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ChangeSheet {
    /// What it says.
    pub text: SheetText,
    /// How far it has come.
    pub state: SheetState,
    /// Who proposed it last.
    pub proposed_by: Option<Uuid>,
    /// Who drew it up or revised it.
    pub written_by: Vec<Uuid>,
}

/// Somebody who does something with a sheet.
#[derive(Clone, Copy, Debug)]
pub struct Actor {
    /// Who.
    pub id: Uuid,
    /// Whether they may plan.
    pub may_plan: bool,
    /// Whether they may approve.
    pub may_approve: bool,
}

/// What is true of the version and of what the sheet rests on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Ground {
    /// Finished trials and comparisons that the sheet rests on.
    pub finished_evidence: usize,
    /// Those that are finished and have too few days, or are too imprecise, to count.
    pub thin_evidence: usize,
    /// Those that are not finished, or that say nothing about the version.
    pub other_evidence: usize,
    /// Whether the version has been live before: that is evidence too.
    pub has_been_live: bool,
    /// Whether the live version is the one that the sheet was drawn up against.
    pub is_against_live: bool,
}

/// Why something cannot be done with a sheet.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[expect(missing_docs, reason = "the messages say it")]
pub enum SheetRefusal {
    #[error("only a planner can do this")]
    NotAPlanner,
    #[error("only an approver can do this")]
    NotAnApprover,
    #[error("you wrote or proposed this sheet: somebody else has to approve it")]
    OwnProposal,
    #[error("this sheet is {state}: that cannot be done with it now")]
    WrongState { state: &'static str },
    #[error("nobody has tried this version yet: try it on a day and add the trial as evidence")]
    Untried,
    #[error(
        "what it rests on has too few simulated days, or is not precise enough, to count as evidence here: try the \
         version on more days"
    )]
    ThinEvidence,
    #[error("a trial or comparison that it rests on is not finished, or is not of this version")]
    UnfinishedEvidence,
    #[error(
        "another version went live since this sheet was drawn up: its differences are not those that would go live. \
         Draw up a new sheet"
    )]
    NotAgainstLive,
    #[error("{0}")]
    Incomplete(String),
}

/// Characters of a title, and of any other text of a sheet, at most.
const MOST_TITLE_CHARS: usize = 120;
const MOST_TEXT_CHARS: usize = 2000;

impl SheetText {
    /// What is missing or too long, by field.
    pub fn faults(&self) -> Vec<(&'static str, String)> {
        let mut faults = Vec::new();
        let mut check = |field, text: &str, most: usize, needed: Option<&str>| match needed {
            Some(message) if text.trim().is_empty() => faults.push((field, message.to_owned())),
            _ if text.chars().count() > most => {
                faults.push((field, format!("May have up to {most} characters.")));
            }
            _ => {}
        };
        check("title", &self.title, MOST_TITLE_CHARS, Some("Give the change a title."));
        check("why", &self.why, MOST_TEXT_CHARS, Some("Say why the change is wanted."));
        check("conditions", &self.conditions, MOST_TEXT_CHARS, None);
        let how = "Say when to go back, and who decides.";
        check("way_back", &self.way_back, MOST_TEXT_CHARS, Some(how));
        faults
    }
}

impl ChangeSheet {
    /// What a record makes of a sheet; none where it does not begin with the sheet being drawn up.
    pub fn of(entries: &[SheetEntry]) -> Option<Self> {
        let mut entries = entries.iter();
        let first = entries.next()?;
        let SheetAct::DrawnUp(text) = &first.act else { return None };
        let mut sheet = Self {
            text: text.clone(),
            state: SheetState::Draft,
            proposed_by: None,
            written_by: first.by.into_iter().collect(),
        };
        entries.for_each(|entry| sheet.add(entry));
        Some(sheet)
    }

    fn add(&mut self, entry: &SheetEntry) {
        self.state = match &entry.act {
            SheetAct::DrawnUp(text) | SheetAct::Revised(text) => {
                self.text = text.clone();
                self.written_by.extend(entry.by);
                SheetState::Draft
            }
            SheetAct::Commented { .. } => self.state,
            SheetAct::Proposed => {
                self.proposed_by = entry.by;
                SheetState::Proposed
            }
            SheetAct::Withdrawn => SheetState::Draft,
            SheetAct::SentBack { .. } => SheetState::SentBack,
            SheetAct::Approved { .. } if self.text.takes_effect.is_some() => SheetState::Scheduled,
            SheetAct::Approved { .. } => SheetState::Approved,
            SheetAct::WentLive | SheetAct::LiveAgain => SheetState::Live,
            SheetAct::RolledBack { .. } => SheetState::RolledBack,
            SheetAct::Superseded => SheetState::Superseded,
        };
    }

    /// Whether somebody may do something with the sheet as it stands; none acts for Barometer itself, which
    /// publishes at the time that is set.
    ///
    /// # Errors
    ///
    /// [`SheetRefusal`] says why not.
    pub fn may(
        &self,
        act: &SheetAct,
        who: Option<Actor>,
        ground: Ground,
    ) -> Result<(), SheetRefusal> {
        use SheetState::{Approved, Draft, Live, Proposed, Scheduled, SentBack};
        let within = |states: &[SheetState]| {
            let state = self.state.words();
            if states.contains(&self.state) {
                Ok(())
            } else {
                Err(SheetRefusal::WrongState { state })
            }
        };
        let planner = || match who {
            Some(who) if !who.may_plan => Err(SheetRefusal::NotAPlanner),
            _ => Ok(()),
        };
        let approver = || match who {
            Some(who) if !who.may_approve => Err(SheetRefusal::NotAnApprover),
            _ => Ok(()),
        };
        let another = || match who {
            Some(who) if Some(who.id) == self.proposed_by || self.written_by.contains(&who.id) => {
                Err(SheetRefusal::OwnProposal)
            }
            _ => Ok(()),
        };
        match act {
            SheetAct::DrawnUp(_) => within(&[]),
            SheetAct::Revised(text) => {
                planner()?;
                within(&[Draft, SentBack])?;
                complete(text)
            }
            SheetAct::Commented { text } => said(text),
            SheetAct::Proposed => {
                planner()?;
                within(&[Draft, SentBack])?;
                complete(&self.text)?;
                tried(ground)
            }
            SheetAct::Withdrawn => {
                planner()?;
                within(&[Proposed, Approved, Scheduled])
            }
            SheetAct::SentBack { reason } => {
                approver()?;
                within(&[Proposed])?;
                another()?;
                said(reason)
            }
            SheetAct::Approved { .. } => {
                approver()?;
                within(&[Proposed])?;
                another()?;
                tried(ground)?;
                against_live(ground)
            }
            SheetAct::WentLive => {
                approver()?;
                within(&[Approved, Scheduled])?;
                tried(ground)?;
                against_live(ground)
            }
            SheetAct::RolledBack { reason } => {
                approver()?;
                within(&[Live])?;
                said(reason)
            }
            SheetAct::Superseded => within(&[Live]),
            SheetAct::LiveAgain => within(&[SheetState::Superseded]),
        }
    }

    /// Whether it goes live by itself now: its time has come.
    pub fn is_due(&self, now: Timestamp) -> bool {
        self.state == SheetState::Scheduled
            && self.text.takes_effect.is_some_and(|takes_effect| takes_effect <= now)
    }
}

fn tried(ground: Ground) -> Result<(), SheetRefusal> {
    if ground.other_evidence > 0 {
        return Err(SheetRefusal::UnfinishedEvidence);
    }
    match (ground.finished_evidence, ground.thin_evidence) {
        _ if ground.has_been_live => Ok(()),
        (0, 0) => Err(SheetRefusal::Untried),
        (0, _) => Err(SheetRefusal::ThinEvidence),
        _ => Ok(()),
    }
}

const fn against_live(ground: Ground) -> Result<(), SheetRefusal> {
    if ground.is_against_live { Ok(()) } else { Err(SheetRefusal::NotAgainstLive) }
}

fn said(text: &str) -> Result<(), SheetRefusal> {
    if text.trim().is_empty() {
        return Err(SheetRefusal::Incomplete("say it in words".to_owned()));
    }
    if text.chars().count() > MOST_TEXT_CHARS {
        let message = format!("say it in up to {MOST_TEXT_CHARS} characters");
        return Err(SheetRefusal::Incomplete(message));
    }
    Ok(())
}

fn complete(text: &SheetText) -> Result<(), SheetRefusal> {
    match text.faults().into_iter().next() {
        None => Ok(()),
        Some((field, message)) => Err(SheetRefusal::Incomplete(format!("{field}: {message}"))),
    }
}
