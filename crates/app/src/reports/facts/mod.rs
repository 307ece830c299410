//! The facts of a report, read from the store.

mod contacts;
mod events;
mod lines;
mod people;
mod plan;
mod simulated;

use barometer_report::facts::Facts;
use barometer_report::{Against, Days, Definition, Grouping, Section};
use barometer_store::{Centre, ContactType, Slots, Store};
use futures_util::TryFutureExt;
use jiff::Timestamp;
use jiff::civil::{Date, DateTime};

use super::refused;
use crate::{AppError, clock, planning};

/// Who reads a report: it shows no more than they may see.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Reader {
    /// Whether they may see single agents.
    pub sees_agents: bool,
}

impl Reader {
    /// Anybody: people who get it by mail, or by a link.
    pub const ANYBODY: Self = Self { sees_agents: false };
}

/// The days of a report and those that they stand beside.
struct Reach {
    days: Days,
    compared: Option<Days>,
    slots: Slots,
}

impl Reach {
    fn of(definition: &Definition, today: Date) -> Result<Self, AppError> {
        let days = definition.period.days(today, definition.grouping).map_err(refused)?;
        let compared = match definition.against {
            Against::Before => Some(definition.period.before(days)),
            Against::YearAgo => Some(definition.period.year_ago(days)),
            Against::Forecast | Against::Plan | Against::Nothing => None,
        };
        let slots = match definition.grouping {
            Grouping::Interval => Slots::Interval,
            _ => Slots::Day,
        };
        Ok(Self { days, compared, slots })
    }

    /// The interval or the day that a moment is added up in.
    fn slot(&self, at: DateTime) -> DateTime {
        match self.slots {
            Slots::Interval => at,
            Slots::Day => midnight(at.date()),
        }
    }
}

/// Reads the facts of a report for a reader.
///
/// # Errors
///
/// [`AppError::Refused`] where its period cannot be told, or it names contact types that are gone; otherwise when
/// the database fails.
pub async fn read(
    store: &Store,
    centre: &Centre,
    definition: &Definition,
    reader: Reader,
) -> Result<Facts, AppError> {
    let today = clock::today(centre);
    let reach = Reach::of(definition, today)?;
    let all = store.all_contact_types(centre.id).await?;
    let types = chosen(&all, definition, instants(reach.days, centre)?.0)?;
    let has = |section: Section| definition.sections.contains(&section);
    let wants_accounts = has(Section::Causes) || definition.against == Against::Plan;
    let accounts = if_wanted(wants_accounts, events::accounts(store, centre, &reach)).await?;
    let (types, teams, agents, simulated, campaigns, lines, releases, alarms, trials) = tokio::try_join!(
        contacts::type_facts(store, centre, definition, &types, &accounts, &reach),
        if_wanted(has(Section::Teams), people::team_days(store, centre, definition, &reach)),
        if_wanted(
            has(Section::Agents) && reader.sees_agents,
            people::agent_hours(store, centre, &all, &reach).map_ok(Some)
        ),
        if_wanted(
            has(Section::Waits) || has(Section::Queues) || has(Section::Flow),
            simulated::simulated(store, centre)
        ),
        if_wanted(has(Section::Campaigns), simulated::campaigns(store, centre)),
        if_wanted(has(Section::Lines), lines::lines(store, centre, &types, &reach)),
        if_wanted(has(Section::Releases), events::releases(store, centre, &reach)),
        if_wanted(has(Section::Alarms), events::alarms(store, centre, &reach)),
        if_wanted(has(Section::Trials), events::trials(store, centre, &reach)),
    )?;
    Ok(Facts {
        centre: centre.name.clone(),
        zone: centre.zone.iana_name().unwrap_or("UTC").to_owned(),
        today,
        read_at: centre.zone.to_datetime(clock::now()),
        days: reach.days,
        compared: reach.compared,
        types,
        teams,
        agents,
        simulated,
        campaigns,
        lines,
        releases,
        alarms,
        trials,
        causes: accounts.into_iter().map(|each| (each.day, each.account)).collect(),
    })
}

/// What is read where a section wants it, and nothing where none does.
async fn if_wanted<T: Default>(
    is_wanted: bool,
    read: impl Future<Output = Result<T, AppError>>,
) -> Result<T, AppError> {
    if is_wanted { read.await } else { Ok(T::default()) }
}

/// The contact types of a report on days from `begins` on: those that it names, or else all that were in use then.
fn chosen(
    all: &[ContactType],
    definition: &Definition,
    begins: Timestamp,
) -> Result<Vec<ContactType>, AppError> {
    if definition.contact_types.is_empty() {
        let was_in_use = |each: &&ContactType| each.archived_at.is_none_or(|since| since > begins);
        return Ok(all.iter().filter(was_in_use).cloned().collect());
    }
    let chosen: Vec<ContactType> =
        all.iter().filter(|each| definition.contact_types.contains(&each.id)).cloned().collect();
    if chosen.is_empty() {
        return Err(AppError::Refused(
            "All contact types of this report have been removed. Edit the report and choose others.".to_owned(),
        ));
    }
    Ok(chosen)
}

/// When days begin and end.
fn instants(days: Days, centre: &Centre) -> Result<(Timestamp, Timestamp), AppError> {
    planning::span(days.first, days.count(), &centre.zone)
}

fn midnight(day: Date) -> DateTime {
    day.at(0, 0, 0, 0)
}
