//! Does what would help: cover of today is planned anew, or a draft is begun.

use barometer_plan::{COME_AFTER_SECS, CoverInterval, Help, HelpKind};
use barometer_store::{
    Break, Centre, ContactType, InterventionNote, NewDraft, NewIntervention, NewMessage,
    NewRevision, Store, StoreError,
};
use barometer_strategy::Edit;
use jiff::Timestamp;
use uuid::Uuid;

use super::{Live, Outlook};
use crate::AppError;
use crate::drafts::{Opened, Which};
use crate::planning::span;

/// What has become of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Done {
    /// The cover of today is another one.
    Planned,
    /// A draft with this number has begun.
    Draft(i32),
    /// It is this version, of which a change sheet can be drawn up.
    Version(i32),
}

/// What a change of the strategy is to become.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Become {
    /// A draft.
    Draft,
    /// A version for a change sheet.
    Version,
}

/// An intervention in the day in which it was found.
pub type Found<'a> = (&'a Outlook, &'a Help);

impl Live {
    /// Does what would help: plans people and breaks, or begins a draft where the strategy changes.
    ///
    /// # Errors
    ///
    /// [`AppError::Refused`] where nobody is planned whom it could move; another when the database fails.
    pub async fn help(
        &self,
        store: &Store,
        centre: &Centre,
        found: Found<'_>,
        (become_what, by): (Become, Uuid),
    ) -> Result<Done, AppError> {
        let (outlook, help) = found;
        let done = match &help.kind {
            HelpKind::Change { edit } => {
                let number = begin_draft(store, centre, outlook, (edit, &help.words), by).await?;
                match become_what {
                    Become::Draft => Done::Draft(number),
                    Become::Version => {
                        let draft = Opened::open(store, centre, Which::Draft(number)).await?;
                        let kept = draft.keep(store, &help.words, by).await?;
                        Done::Version(number_of(store, centre, kept).await?)
                    }
                }
            }
            HelpKind::Move { .. } | HelpKind::CallIn { .. } | HelpKind::PostponeBreaks { .. } => {
                let covers = covers(store, centre, outlook, &help.kind).await?;
                if covers.is_empty() {
                    let message =
                        "Nobody is planned for the rest of the day whom this could change.";
                    return Err(AppError::Refused(message.to_owned()));
                }
                let (note, breaks) = (note(outlook, help), breaks(outlook, &help.kind));
                let new = NewIntervention {
                    at: outlook.at,
                    by,
                    note: &note,
                    covers: &covers,
                    breaks: &breaks,
                    messages: &[],
                };
                store.intervene(centre.id, new).await?;
                Done::Planned
            }
        };
        self.forget_outlook();
        self.wake();
        Ok(done)
    }

    /// Tells people of an intervention, who then do it, and keeps what was asked of them.
    ///
    /// # Errors
    ///
    /// Those of the database.
    pub async fn tell(
        &self,
        store: &Store,
        centre: &Centre,
        (outlook, help): Found<'_>,
        (messages, by): (&[NewMessage], Uuid),
    ) -> Result<(), AppError> {
        let mut note = note(outlook, help);
        note.words = format!("Asked by message: {}", note.words);
        let new =
            NewIntervention { at: outlook.at, by, note: &note, covers: &[], breaks: &[], messages };
        Ok(store.intervene(centre.id, new).await?)
    }
}

fn note(outlook: &Outlook, help: &Help) -> InterventionNote {
    let types = outlook.today.now.inputs.types.iter().zip(&help.effects);
    let told = types.filter(|(_, effect)| effect.is_told());
    let expected = told
        .map(|(kind, effect)| (kind.name.clone(), effect.level - effect.difference, effect.level));
    InterventionNote { words: help.words.clone(), expected: expected.collect() }
}

async fn number_of(store: &Store, centre: &Centre, version: Uuid) -> Result<i32, AppError> {
    let versions = store.strategy_versions(centre.id).await?;
    let kept = versions.iter().find(|each| each.id == version).ok_or(StoreError::NotFound)?;
    Ok(kept.version)
}

/// The breaks that an intervention takes later.
fn breaks(outlook: &Outlook, kind: &HelpKind) -> Vec<(Break, f64)> {
    let HelpKind::PostponeBreaks { team, within_secs, by_secs } = kind else { return Vec::new() };
    let places = outlook.today.now.breaks_within(team, *within_secs, *by_secs).into_iter();
    places.filter_map(|place| Some((*outlook.today.breaks.get(place)?, *by_secs))).collect()
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
    let changes = changes_of(outlook, kind);
    let date = outlook.at.to_zoned(centre.zone.clone()).date();
    let (_, end) = span(date, 1, &centre.zone)?;
    let mut covers: Vec<(Uuid, Vec<CoverInterval>)> = Vec::new();
    for Change { team, people, from, until } in changes {
        let Some(at_home) = biggest_at_home(outlook, &team, &all) else { continue };
        let (begins, until) = (from_interval(from, at_home), until.unwrap_or(end));
        let place = match covers.iter().position(|(known, _)| *known == at_home.id) {
            Some(place) => place,
            None => {
                let now = from_interval(outlook.at, at_home);
                let mut cover = store.cover_between(at_home.id, now, end).await?;
                cover.retain(|interval| interval.agents > 0);
                covers.push((at_home.id, cover));
                covers.len() - 1
            }
        };
        let changed =
            covers[place].1.iter_mut().filter(|each| (begins..until).contains(&each.start));
        for interval in changed {
            let there = (i64::from(interval.agents) + people).max(0);
            interval.agents = u32::try_from(there).unwrap_or(u32::MAX);
        }
    }
    covers.retain(|(_, cover)| !cover.is_empty());
    Ok(covers)
}

/// So many people more or fewer of a team, from a moment until another, or until the day ends.
struct Change {
    team: String,
    people: i64,
    from: Timestamp,
    until: Option<Timestamp>,
}

fn changes_of(outlook: &Outlook, kind: &HelpKind) -> Vec<Change> {
    let later = |at: Timestamp, secs: f64| {
        at.checked_add(jiff::SignedDuration::from_secs_f64(secs)).unwrap_or(at)
    };
    let to_the_end = |team: &str, people: i64, from: Timestamp| Change {
        team: team.to_owned(),
        people,
        from,
        until: None,
    };
    match kind {
        HelpKind::Move { from, to, people } => vec![
            to_the_end(from, -i64::from(*people), outlook.at),
            to_the_end(to, i64::from(*people), outlook.at),
        ],
        HelpKind::CallIn { to, people } => {
            vec![to_the_end(to, i64::from(*people), later(outlook.at, COME_AFTER_SECS))]
        }
        HelpKind::PostponeBreaks { team, .. } => {
            let during = |people: i64, from: Timestamp, until: Timestamp| Change {
                team: team.clone(),
                people,
                from,
                until: Some(until),
            };
            let breaks = breaks(outlook, kind).into_iter();
            let changed = breaks.flat_map(|(each, by_secs)| {
                let (from, until) = (later(each.from, by_secs), later(each.until, by_secs));
                [during(1, each.from, each.until), during(-1, from, until)]
            });
            changed.collect()
        }
        HelpKind::Change { .. } => Vec::new(),
    }
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
