//! Does what would help: cover of today is planned anew, or a draft is begun.

use barometer_plan::{COME_AFTER_SECS, CoverInterval, Help, HelpKind};
use barometer_store::{
    Centre, ContactType, InterventionNote, NewDraft, NewRevision, Store, StoreError,
};
use barometer_strategy::Edit;
use jiff::Timestamp;
use uuid::Uuid;

use super::{Live, Outlook};
use crate::AppError;
use crate::planning::span;

/// What has become of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Done {
    /// The cover of today is another one.
    Planned,
    /// A draft with this number has begun.
    Draft(i32),
}

impl Live {
    /// Does what would help.
    ///
    /// # Errors
    ///
    /// [`AppError::Refused`] where nobody is planned whom it could move; another when the database fails.
    pub async fn help(
        &self,
        store: &Store,
        centre: &Centre,
        (outlook, help): (&Outlook, &Help),
        by: Uuid,
    ) -> Result<Done, AppError> {
        let done = match &help.kind {
            HelpKind::Change { edit } => {
                let number = begin_draft(store, centre, outlook, (edit, &help.words), by).await?;
                Done::Draft(number)
            }
            HelpKind::Move { .. } | HelpKind::CallIn { .. } => {
                let covers = covers(store, centre, outlook, &help.kind).await?;
                if covers.is_empty() {
                    let message =
                        "Nobody is planned for the rest of the day whom this could change.";
                    return Err(AppError::Refused(message.to_owned()));
                }
                store.intervene(centre.id, (outlook.at, by), &note(outlook, help), &covers).await?;
                Done::Planned
            }
        };
        self.forget_outlook().await;
        self.wake();
        Ok(done)
    }
}

fn note(outlook: &Outlook, help: &Help) -> InterventionNote {
    let types = outlook.today.now.inputs.types.iter().zip(&help.effects);
    let told = types.filter(|(_, effect)| effect.is_told());
    let expected = told
        .map(|(kind, effect)| (kind.name.clone(), effect.level - effect.difference, effect.level));
    InterventionNote { words: help.words.clone(), expected: expected.collect() }
}

async fn begin_draft(
    store: &Store,
    centre: &Centre,
    outlook: &Outlook,
    (edit, words): (&Edit, &str),
    by: Uuid,
) -> Result<i32, AppError> {
    let live = store.live_release(centre.id).await?.ok_or(StoreError::NotFound)?;
    let before = &outlook.today.now.inputs.strategy;
    let edited = edit.apply(before).map_err(|faults| {
        let said = faults.first().map_or("it does not add up", |fault| fault.message.as_str());
        AppError::Refused(format!("The strategy has changed meanwhile: {said}."))
    })?;
    let by = Some(by);
    let summary = edit.sentence(before);
    let revision = NewRevision { edit, summary: &summary, strategy: &edited, by };
    let new = NewDraft { name: words, based_on: live.version, strategy: before, by };
    Ok(store.begin_draft(centre.id, new, Some(revision)).await?)
}

/// The cover of the contact types at home with the teams that give and take.
async fn covers(
    store: &Store,
    centre: &Centre,
    outlook: &Outlook,
    kind: &HelpKind,
) -> Result<Vec<(Uuid, Vec<CoverInterval>)>, AppError> {
    let all = store.contact_types(centre.id).await?;
    let later = |secs: f64| {
        let secs = jiff::SignedDuration::from_secs_f64(secs);
        outlook.at.checked_add(secs).unwrap_or(outlook.at)
    };
    let (changes, from) = match kind {
        HelpKind::Move { from, to, people } => {
            (vec![(from, -i64::from(*people)), (to, i64::from(*people))], outlook.at)
        }
        HelpKind::CallIn { to, people } => (vec![(to, i64::from(*people))], later(COME_AFTER_SECS)),
        HelpKind::Change { .. } => (Vec::new(), outlook.at),
    };
    let mut covers = Vec::new();
    for (team, more) in changes {
        let Some(at_home) = biggest_at_home(outlook, team, &all) else { continue };
        let date = from.to_zoned(centre.zone.clone()).date();
        let (_, end) = span(date, 1, &centre.zone)?;
        let begins = from_interval(from, at_home);
        let mut cover = store.cover_between(at_home.id, begins, end).await?;
        cover.retain(|interval| interval.agents > 0);
        for interval in &mut cover {
            let people = (i64::from(interval.agents) + more).max(0);
            interval.agents = u32::try_from(people).unwrap_or(u32::MAX);
        }
        if !cover.is_empty() {
            covers.push((at_home.id, cover));
        }
    }
    Ok(covers)
}

/// Of the contact types whose people a team is, the one with most contacts.
fn biggest_at_home<'a>(
    outlook: &Outlook,
    team: &str,
    all: &'a [ContactType],
) -> Option<&'a ContactType> {
    let now = &outlook.today.now;
    let at_home = (0..now.inputs.types.len())
        .filter(|&of| now.inputs.home_of(of).is_some_and(|home| home.team == team));
    let biggest = at_home.max_by(|&one, &other| {
        outlook.today.types[one].whole_day.total_cmp(&outlook.today.types[other].whole_day)
    })?;
    let name = &now.inputs.types[biggest].name;
    all.iter().find(|each| each.name == *name)
}

/// The beginning of the interval in which a moment is.
fn from_interval(at: Timestamp, contact_type: &ContactType) -> Timestamp {
    let secs = contact_type.grain.secs() as i64;
    Timestamp::from_second(at.as_second().div_euclid(secs) * secs).unwrap_or(at)
}
