//! Releases: change sheets that are drawn up, decided and published, and the way back.

use barometer_plan::{
    Actor, ChangeSheet, EvidenceDocument, EvidenceKey, EvidenceRules, Ground, RecordLine,
    SHEET_FORMAT, SheetAct, SheetDocument, SheetState, SheetText,
};
use barometer_store::{
    Centre, Comparison, KeptSheet, NewEntry, Publication, RunState, Store, StoreError,
    StrategyVersion, Trial,
};
use barometer_strategy::{Change, Strategy, changes};
use jiff::Timestamp;
use uuid::Uuid;

use crate::AppError;
use crate::strategy_week::{self, Checked};

/// A sheet with everything that it is judged by.
pub struct OpenedSheet {
    /// The sheet with its record.
    pub kept: KeptSheet,
    /// What the record makes of it.
    pub sheet: ChangeSheet,
    /// All versions of the strategy, the newest first.
    pub versions: Vec<StrategyVersion>,
    /// What the version says.
    pub strategy: Strategy,
    /// How it differs from the version that it is drawn up against.
    pub changes: Vec<Change>,
    /// What it rests on, as far as that is there.
    pub evidence: Vec<OpenedEvidence>,
    /// What is true of it now.
    pub ground: Ground,
}

/// A trial or comparison that a sheet rests on.
pub struct OpenedEvidence {
    /// Which.
    pub key: EvidenceKey,
    /// What it is called.
    pub name: String,
    /// Its inputs and its result; none until it is finished.
    pub document: Option<EvidenceDocument>,
    /// Whether it says something about the sheet's version.
    pub is_of_version: bool,
    /// Whether it has as many days, and is as precise, as the centre asks for.
    pub is_enough: bool,
}

/// What a sheet of a version can rest on.
pub struct Offer {
    /// What the version says.
    pub strategy: Strategy,
    /// Its finished trials, and the comparisons in which it is a candidate.
    pub evidence: Vec<OpenedEvidence>,
}

impl OpenedSheet {
    /// The sheet with this number.
    ///
    /// # Errors
    ///
    /// [`AppError::Store`] where there is none, or the database fails.
    pub async fn of(store: &Store, centre: &Centre, number: i32) -> Result<Self, AppError> {
        let (kept, versions, rules) = tokio::try_join!(
            store.change_sheet(centre.id, number),
            store.strategy_versions(centre.id),
            store.evidence_rules(centre.id),
        )?;
        let sheet = kept.sheet().ok_or(StoreError::NotFound)?;
        let strategy = store.strategy(kept.version).await?;
        let changes = match kept.against {
            Some(against) => changes(&store.strategy(against).await?, &strategy),
            None => Vec::new(),
        };
        let mut evidence = Vec::new();
        for key in &sheet.text.evidence {
            evidence.push(opened(store, *key, &strategy, &rules).await?);
        }
        let live = versions.iter().find(|version| version.is_live);
        let counts = |each: &&OpenedEvidence| each.document.is_some() && each.is_of_version;
        let (finished, thin): (Vec<&OpenedEvidence>, Vec<&OpenedEvidence>) =
            evidence.iter().filter(counts).partition(|each| each.is_enough);
        let (finished, thin) = (finished.len(), thin.len());
        let ground = Ground {
            finished_evidence: finished,
            thin_evidence: thin,
            other_evidence: evidence.len() - finished - thin,
            has_been_live: versions
                .iter()
                .any(|each| each.id == kept.version && each.has_been_live),
            is_against_live: live.map(|live| live.id) == kept.against,
        };
        Ok(Self { kept, sheet, versions, strategy, changes, evidence, ground })
    }

    /// The version that goes live.
    pub fn version(&self) -> Option<&StrategyVersion> {
        self.versions.iter().find(|version| version.id == self.kept.version)
    }

    /// The version that was live when the sheet was drawn up.
    pub fn against(&self) -> Option<&StrategyVersion> {
        self.versions.iter().find(|version| Some(version.id) == self.kept.against)
    }

    /// What an approver knows who approves now: it goes into the record, because the planned week that preflight
    /// goes by changes.
    pub fn known(&self, checked: &Checked, broken_expectations: &[String]) -> Vec<String> {
        let mut known = Vec::new();
        for each in &self.evidence {
            let verdict = each.document.as_ref().and_then(|it| it.verdict_of(&self.strategy));
            known.extend(verdict.map(|verdict| format!("{} {}", each.name, verdict.word())));
        }
        known.push(match checked.findings.len() {
            0 => "preflight found nothing".to_owned(),
            _ => {
                let titles = checked.findings.iter().map(|finding| finding.rule.title());
                format!("preflight found: {}", titles.collect::<Vec<_>>().join(", "))
            }
        });
        known.extend(waived_words(checked).into_iter().map(|waived| format!("waived: {waived}")));
        known.extend(broken_expectations.iter().map(|broken| format!("broken: {broken}")));
        known
    }

    /// Does something with the sheet; what was done at once by somebody else wins.
    ///
    /// # Errors
    ///
    /// [`AppError::Refused`] says why it cannot be done now.
    pub async fn act(
        &self,
        store: &Store,
        centre: Uuid,
        act: SheetAct,
        who: Option<Actor>,
    ) -> Result<(), AppError> {
        self.sheet.may(&act, who, self.ground).map_err(|refusal| {
            let mut message = refusal.to_string();
            message[..1].make_ascii_uppercase();
            AppError::Refused(format!("{message}."))
        })?;
        let by = who.map(|who| who.id);
        let entry = NewEntry { sheet: self.kept.id, nth: self.kept.next(), act, by };
        let done = match entry.act.clone() {
            SheetAct::WentLive => {
                let is_live = |_: &KeptSheet, state| state == SheetState::Live;
                let mut entries = vec![entry];
                entries.extend(self.beside(store, centre, SheetAct::Superseded, is_live).await?);
                let trial = self.evidence.iter().find_map(|each| match each.key {
                    EvidenceKey::Trial(trial) => Some(trial),
                    EvidenceKey::Comparison(_) => None,
                });
                let publication = Publication {
                    centre,
                    entries,
                    version: self.kept.version,
                    instead_of: self.kept.against,
                    trial,
                    sheet: self.kept.id,
                    by,
                    note: self.sheet.text.title.clone(),
                };
                store.publish_by_sheet(&publication).await
            }
            SheetAct::RolledBack { reason } => {
                let Some(back) = self.kept.against else {
                    let message = "There was no version before this one to go back to.";
                    return Err(AppError::Refused(message.to_owned()));
                };
                let is_back = |other: &KeptSheet, state| {
                    other.version == back && state == SheetState::Superseded
                };
                let mut entries = vec![entry];
                entries.extend(self.beside(store, centre, SheetAct::LiveAgain, is_back).await?);
                let publication = Publication {
                    centre,
                    entries,
                    version: back,
                    instead_of: Some(self.kept.version),
                    trial: None,
                    sheet: self.kept.id,
                    by,
                    note: reason,
                };
                store.publish_by_sheet(&publication).await
            }
            _ => store.add_sheet_entry(&entry).await,
        };
        done.map_err(|error| match error {
            StoreError::Busy => AppError::Refused(
                "Somebody else has changed this sheet, or what is live, at this moment. Look at it again."
                    .to_owned(),
            ),
            error => error.into(),
        })
    }

    /// The entry that another sheet gets with what is done with this one; of several sheets the last.
    async fn beside(
        &self,
        store: &Store,
        centre: Uuid,
        act: SheetAct,
        is_meant: impl Fn(&KeptSheet, SheetState) -> bool,
    ) -> Result<Option<NewEntry>, AppError> {
        let sheets = store.change_sheets(centre).await?;
        let mut others = sheets.iter().filter(|other| other.id != self.kept.id);
        let meant =
            others.find(|other| other.sheet().is_some_and(|sheet| is_meant(other, sheet.state)));
        Ok(meant.map(|other| NewEntry { sheet: other.id, nth: other.next(), act, by: None }))
    }

    /// The sheet as one document, with what preflight and the expectations say of its version now.
    pub fn document(&self, checked: &Checked, broken_expectations: Vec<String>) -> SheetDocument {
        let version = |version: Option<&StrategyVersion>| version.map(|version| version.version);
        SheetDocument {
            format: SHEET_FORMAT.to_owned(),
            number: self.kept.number,
            state: self.sheet.state.words().to_owned(),
            text: self.sheet.text.clone(),
            version: version(self.version()).unwrap_or_default(),
            against: version(self.against()),
            strategy: self.strategy.clone(),
            differences: self.changes.iter().cloned().map(Into::into).collect(),
            findings: checked.findings.iter().map(|finding| finding.reason.clone()).collect(),
            waived: waived_words(checked),
            broken_expectations,
            evidence: self.evidence.iter().filter_map(|each| each.document.clone()).collect(),
            record: self.kept.record.iter().map(record_line).collect(),
        }
    }
}

/// What was waived, why and by whom.
pub fn waived_words(checked: &Checked) -> Vec<String> {
    let waived = checked.waived.iter();
    waived
        .map(|(finding, waiver)| {
            format!("{}: “{}”, {}", finding.rule.title(), waiver.reason, waiver.by)
        })
        .collect()
}

fn record_line(kept: &barometer_store::KeptEntry) -> RecordLine {
    RecordLine {
        at: kept.entry.at,
        by: kept.by.clone().unwrap_or_else(|| "Barometer".to_owned()),
        act: kept.entry.act.words().to_owned(),
        said: said(&kept.entry.act),
        seal: kept.seal.clone(),
    }
}

/// What was said with an entry.
pub fn said(act: &SheetAct) -> String {
    match act {
        SheetAct::DrawnUp(text) | SheetAct::Revised(text) => text.why.clone(),
        SheetAct::Commented { text } => text.clone(),
        SheetAct::SentBack { reason } | SheetAct::RolledBack { reason } => reason.clone(),
        SheetAct::Approved { knowing } if !knowing.is_empty() => {
            format!("Knowing: {}.", knowing.join("; "))
        }
        _ => String::new(),
    }
}

async fn opened(
    store: &Store,
    key: EvidenceKey,
    strategy: &Strategy,
    rules: &EvidenceRules,
) -> Result<OpenedEvidence, AppError> {
    let opened = match key {
        EvidenceKey::Trial(id) => {
            store.trial(id).await.map(|trial| of_trial(key, trial, strategy, rules))
        }
        EvidenceKey::Comparison(id) => {
            store.comparison(id).await.map(|each| of_comparison(key, each, strategy, rules))
        }
    };
    match opened {
        Ok(opened) => Ok(opened),
        Err(StoreError::NotFound) => {
            let name = "removed since".to_owned();
            Ok(OpenedEvidence { key, name, document: None, is_of_version: false, is_enough: false })
        }
        Err(error) => Err(error.into()),
    }
}

fn of_trial(
    key: EvidenceKey,
    trial: Trial,
    strategy: &Strategy,
    rules: &EvidenceRules,
) -> OpenedEvidence {
    let name = format!("{}, {}", trial.subject.name, trial.subject.day);
    let is_of_version = trial.inputs.strategy == *strategy;
    let result = trial.result.filter(|_| trial.run.state == RunState::Done);
    let document = result.map(|result| EvidenceDocument::Trial {
        name: name.clone(),
        inputs: Box::new(trial.inputs),
        result: Box::new(result),
    });
    let is_enough = document.as_ref().is_some_and(|document| rules.are_met(document, strategy));
    OpenedEvidence { key, name, document, is_of_version, is_enough }
}

fn of_comparison(
    key: EvidenceKey,
    comparison: Comparison,
    strategy: &Strategy,
    rules: &EvidenceRules,
) -> OpenedEvidence {
    let name = comparison.title;
    let is_of_version = comparison.inputs.tries(strategy);
    let result = comparison.result.filter(|_| comparison.run.state == RunState::Done);
    let document = result.map(|result| EvidenceDocument::Comparison {
        name: name.clone(),
        inputs: Box::new(comparison.inputs),
        result: Box::new(result),
    });
    let is_enough = document.as_ref().is_some_and(|document| rules.are_met(document, strategy));
    OpenedEvidence { key, name, document, is_of_version, is_enough }
}

/// What a new sheet of a version can rest on: its trials, and the latest comparisons in which it is a candidate.
///
/// # Errors
///
/// [`AppError`] when the database fails.
pub async fn evidence_of(
    store: &Store,
    centre: Uuid,
    version: Uuid,
    most: i64,
) -> Result<Offer, AppError> {
    let (strategy, rules) =
        tokio::try_join!(store.strategy(version), store.evidence_rules(centre))?;
    let mut keys: Vec<EvidenceKey> = store
        .latest_trials(Some(version), most)
        .await?
        .into_iter()
        .filter(|trial| trial.run.state == RunState::Done)
        .map(|trial| EvidenceKey::Trial(trial.id))
        .collect();
    let comparisons = store.latest_comparisons(most).await?;
    let done = comparisons.into_iter().filter(|each| each.run.state == RunState::Done);
    keys.extend(done.map(|each| EvidenceKey::Comparison(each.id)));
    let mut evidence = Vec::new();
    for key in keys {
        let each = opened(store, key, &strategy, &rules).await?;
        if each.is_of_version && each.document.is_some() {
            evidence.push(each);
        }
    }
    Ok(Offer { strategy, evidence })
}

/// Draws up a sheet for a version against the live one; returns its number.
///
/// # Errors
///
/// [`AppError::Refused`] where the version is live already.
pub async fn draw_up(
    store: &Store,
    centre: Uuid,
    version: Uuid,
    text: SheetText,
    by: Uuid,
) -> Result<i32, AppError> {
    let versions = store.strategy_versions(centre).await?;
    let of = versions.iter().find(|each| each.id == version).ok_or(StoreError::NotFound)?;
    if of.is_live {
        return Err(AppError::Refused(format!("v{} is live already.", of.version)));
    }
    let live = versions.iter().find(|each| each.is_live).map(|live| live.id);
    Ok(store.draw_up_sheet(centre, version, live, &SheetAct::DrawnUp(text), by).await?)
}

/// Publishes the sheets whose time has come; says which, and which could not be and why.
///
/// # Errors
///
/// [`AppError`] when the database fails.
pub async fn publish_due(
    store: &Store,
    now: Timestamp,
) -> Result<Vec<(i32, Result<(), String>)>, AppError> {
    let Some(centre) = store.centre().await? else { return Ok(Vec::new()) };
    let mut published = Vec::new();
    for kept in store.change_sheets(centre.id).await? {
        if !kept.sheet().is_some_and(|sheet| sheet.is_due(now)) {
            continue;
        }
        let opened = OpenedSheet::of(store, &centre, kept.number).await?;
        let done = match opened.act(store, centre.id, SheetAct::WentLive, None).await {
            Ok(()) => Ok(()),
            Err(AppError::Refused(message)) => Err(message),
            Err(error) => return Err(error),
        };
        published.push((kept.number, done));
    }
    Ok(published)
}

/// What preflight says of a sheet's version in the week that begins on this Monday.
///
/// # Errors
///
/// [`AppError`] when the database fails.
pub async fn checked(
    store: &Store,
    centre: &Centre,
    strategy: &Strategy,
    monday: jiff::civil::Date,
) -> Result<Checked, AppError> {
    let types = store.contact_types(centre.id).await?;
    strategy_week::check(store, centre, &types, strategy, monday).await
}
