//! The roster of one day as a planner changes it: who works when, what that leaves of the need, and which limits of
//! working time it breaks.

use std::collections::BTreeSet;

use barometer_plan::{
    IntervalLoad, NeedError, PlannedInterval, ScheduleHours, Service, Stretch, Verdict,
    WorkingTimeFault, WorkingTimeRules, cover_after, service_of, working_time_faults, worst,
};
use barometer_store::{Agent, AgentStretch, Centre, ContactType, DayRoster, Save, Store, TimeOff};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::source::Span as PeriodSpan;
use super::{Period, Source};
use crate::AppError;
use crate::planning::{monday_of, span};

/// Minutes after midnight until which a shift may last: noon of the next day.
pub const LAST_MINUTE: u32 = 36 * 60;

/// The limits of working time that a roster is held against.
pub const LIMITS: WorkingTimeRules = WorkingTimeRules::STARTING;

/// Pieces of a person's day at most.
const MOST_PIECES: usize = 8;

/// A person's day: pieces of work in minutes of the wall clock after midnight; those after 1,440 are on the next day.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PersonDay {
    /// Who.
    pub agent: Uuid,
    /// From and until, in order.
    pub pieces: Vec<(u32, u32)>,
    /// Whether the person is away on this day.
    #[serde(default)]
    pub is_away: bool,
}

/// Why somebody is away on the day.
#[derive(Clone, Debug)]
pub struct Away {
    /// The reason that was noted.
    pub why: String,
    /// Whether it is for this day alone: leave of several days is not ended here.
    pub is_this_day_alone: bool,
}

/// A person who can work for the contact type on the day.
#[derive(Clone, Debug)]
pub struct RosterPerson {
    /// Who.
    pub agent: Agent,
    /// The day as it is saved.
    pub saved: PersonDay,
    /// Why the person is away.
    pub away: Option<Away>,
    /// Work for other contact types on the day.
    pub elsewhere: Vec<(u32, u32)>,
}

/// A day's roster with all that its figures follow from.
pub struct RosterDay {
    /// The day.
    pub date: Date,
    /// Everybody who can work on it, those who do first, in order of their start.
    pub people: Vec<RosterPerson>,
    rules: barometer_plan::Rules,
    zone: TimeZone,
    source: Source,
    /// All work of the week and of the day before it, for any contact type but this one on this day.
    other_work: Vec<AgentStretch>,
    time_off: Vec<TimeOff>,
}

/// What a day's roster comes to.
#[derive(Clone, Debug)]
pub struct RosterFigures {
    /// Need and cover, interval by interval.
    pub plan: Vec<PlannedInterval>,
    /// Length of its intervals in seconds.
    pub interval_secs: f64,
    /// Agent-hours of need and cover.
    pub hours: ScheduleHours,
    /// What the cover comes to over the day; `None` for work that can wait, and without contacts.
    pub service: Option<Service>,
    /// Hours of those with a name.
    pub named_hours: f64,
    /// What the cover costs with shrinkage, where an hour has a price.
    pub cost: Option<f64>,
    /// The worst interval.
    pub verdict: Option<Verdict>,
    /// Limits of working time that are broken on the day or in its week, by person.
    pub faults: Vec<(Uuid, Vec<WorkingTimeFault>)>,
}

impl RosterDay {
    /// Reads a day.
    ///
    /// # Errors
    ///
    /// [`AppError`] when the database fails.
    pub async fn read(
        store: &Store,
        centre: &Centre,
        contact_type: &ContactType,
        date: Date,
    ) -> Result<Self, AppError> {
        let zone = &centre.zone;
        let monday = monday_of(date);
        let day_before = monday.saturating_sub(Span::new().days(1));
        let week = span(day_before, 9, zone)?;
        let period = Period { kind: PeriodSpan::Day, first: date, days: 1 };
        let (agents, stretches, time_off, source) = tokio::try_join!(
            async { Ok(store.agents(centre.id).await?) },
            async { Ok(store.all_stretches_between(centre.id, week.0, week.1).await?) },
            async { Ok(store.time_off(centre.id, monday).await?) },
            Source::read(store, contact_type, None, period, zone),
        )?;
        let is_own = |of: &(Uuid, AgentStretch)| {
            of.0 == contact_type.id && zone.to_datetime(of.1.start).date() == date
        };
        let (own, other): (Vec<_>, Vec<_>) = stretches.into_iter().partition(is_own);
        let minutes = |each: &AgentStretch| minutes_of(each, date, zone);
        let mut people: Vec<RosterPerson> = agents
            .into_iter()
            .filter_map(|agent| {
                let works = |of: &(Uuid, AgentStretch)| of.1.agent == agent.id;
                let pieces: Vec<(u32, u32)> =
                    own.iter().filter(|of| works(of)).map(|of| minutes(&of.1)).collect();
                let can = agent.skills.is_empty()
                    || agent
                        .skills
                        .iter()
                        .any(|skill| skill.eq_ignore_ascii_case(&contact_type.name));
                if !can && pieces.is_empty() {
                    return None;
                }
                let on_day = |of: &&(Uuid, AgentStretch)| {
                    works(of) && zone.to_datetime(of.1.start).date() == date
                };
                let elsewhere = other.iter().filter(on_day).map(|of| minutes(&of.1)).collect();
                let off = time_off.iter().find(|off| {
                    off.agent == agent.id && (off.first_day..=off.last_day).contains(&date)
                });
                let away = off.map(|off| Away {
                    why: off.why.clone(),
                    is_this_day_alone: off.first_day == off.last_day,
                });
                let saved = PersonDay { agent: agent.id, pieces, is_away: away.is_some() };
                Some(RosterPerson { agent, saved, away, elsewhere })
            })
            .collect();
        people.sort_by_key(|person| {
            let start = person.saved.pieces.first().map(|piece| piece.0);
            (person.saved.is_away, start.is_none(), start, person.agent.name.to_lowercase())
        });
        Ok(Self {
            date,
            people,
            rules: contact_type.rules,
            zone: zone.clone(),
            source,
            other_work: other.into_iter().map(|of| of.1).collect(),
            time_off,
        })
    }

    /// The day as it is saved.
    pub fn saved(&self) -> Vec<PersonDay> {
        self.people.iter().map(|person| person.saved.clone()).collect()
    }

    /// A day as somebody sent it, if it can be one; those whom it does not name keep their own.
    ///
    /// # Errors
    ///
    /// What is wrong, as people read it.
    pub fn checked(&self, mut typed: Vec<PersonDay>) -> Result<Vec<PersonDay>, String> {
        let mut seen = BTreeSet::new();
        for day in &mut typed {
            let Some(person) = self.people.iter().find(|each| each.agent.id == day.agent) else {
                return Err("Somebody on this roster is not in the list of people any more. Reload the page.".to_owned());
            };
            let name = &person.agent.name;
            if !seen.insert(day.agent) {
                return Err(format!("{name} is on this roster twice. Reload the page."));
            }
            if day.is_away {
                day.pieces.clear();
            } else if person.away.as_ref().is_some_and(|away| !away.is_this_day_alone) {
                return Err(format!(
                    "{name} is away for several days. Change that under Cover first."
                ));
            }
            day.pieces.sort_unstable();
            if day.pieces.len() > MOST_PIECES {
                return Err(format!(
                    "{name} has {} pieces of work: at most {MOST_PIECES} a day.",
                    day.pieces.len()
                ));
            }
            let is_piece =
                |&(from, to): &(u32, u32)| from < 24 * 60 && from < to && to <= LAST_MINUTE;
            if !day.pieces.iter().all(is_piece) {
                return Err(format!(
                    "A shift of {name} does not end after it begins, or ends after noon of the next day."
                ));
            }
        }
        let unnamed = self.people.iter().filter(|person| !seen.contains(&person.agent.id));
        typed.extend(unnamed.map(|person| person.saved.clone()));
        Ok(typed)
    }

    fn stretches(&self, days: &[PersonDay]) -> Vec<AgentStretch> {
        let at = |minutes: u32| {
            let midnight = self.date.at(0, 0, 0, 0);
            let local = midnight.saturating_add(Span::new().minutes(i64::from(minutes)));
            self.zone.to_timestamp(local).ok()
        };
        let pieces = days.iter().flat_map(|day| day.pieces.iter().map(|piece| (day.agent, *piece)));
        pieces
            .filter_map(|(agent, (from, to))| {
                Some(AgentStretch { agent, start: at(from)?, end: at(to)? })
            })
            .filter(|each| each.start < each.end)
            .collect()
    }

    /// What a day comes to with these people.
    ///
    /// # Errors
    ///
    /// [`NeedError`] where no number of people would do.
    pub fn figures(&self, days: &[PersonDay]) -> Result<RosterFigures, NeedError> {
        let work = self.stretches(days);
        let before = pairs(&self.stretches(&self.saved()));
        let secs = self.source.interval_secs();
        let cover = cover_after(self.source.cover(), &before, &pairs(&work), secs, &self.zone);
        let plan = self.source.clone().with_cover(cover).schedule(&self.rules)?;
        let hours = ScheduleHours::of(&plan, secs);
        let is_deferred = plan.iter().any(|each| each.assessment.backlog_hours.is_some());
        let loads: Vec<IntervalLoad> = plan.iter().map(|each| each.load).collect();
        let people: Vec<u32> = plan.iter().map(|each| each.assessment.cover.unwrap_or(0)).collect();
        let service = match is_deferred {
            true => None,
            false => service_of(&loads, &people, secs, &self.rules)?,
        };
        let named_hours =
            work.iter().map(|each| each.end.duration_since(each.start).as_secs_f64()).sum::<f64>()
                / 3600.0;
        Ok(RosterFigures {
            hours,
            service,
            named_hours,
            cost: self
                .rules
                .cost_per_hour
                .map(|cost| cost * hours.cover / self.rules.shrinkage.present()),
            verdict: worst(&plan),
            faults: self.faults(days, &work),
            plan,
            interval_secs: secs,
        })
    }

    /// Limits of working time that somebody breaks on the day, or over its week by working on it.
    fn faults(
        &self,
        days: &[PersonDay],
        work: &[AgentStretch],
    ) -> Vec<(Uuid, Vec<WorkingTimeFault>)> {
        let monday = monday_of(self.date);
        let week = monday..=monday.saturating_add(Span::new().days(6));
        let is_of_day = |piece: &Stretch| self.zone.to_datetime(piece.0).date() == self.date;
        let of_person = |day: &PersonDay| {
            let person = self.people.iter().find(|each| each.agent.id == day.agent)?;
            let own = self.other_work.iter().chain(work).filter(|each| each.agent == day.agent);
            let own: Vec<Stretch> = own.map(|each| (each.start, each.end)).collect();
            let rest: Vec<Stretch> = own.iter().copied().filter(|each| !is_of_day(each)).collect();
            let is_away = |date: Date| {
                let noted = self.time_off.iter().any(|off| {
                    off.agent == day.agent && (off.first_day..=off.last_day).contains(&date)
                });
                if date == self.date { day.is_away } else { noted }
            };
            let faults_of = |work: &[Stretch]| {
                let contract = person.agent.contract_hours;
                working_time_faults(work, week.clone(), is_away, contract, &LIMITS, &self.zone)
            };
            // What would be wrong without this day's work too is told on another day.
            let without = faults_of(&rest);
            let mut faults = faults_of(&own);
            faults.retain(|fault| !without.contains(fault));
            (!faults.is_empty()).then_some((day.agent, faults))
        };
        days.iter().filter_map(of_person).collect()
    }

    /// Keeps the day with these people: their shifts, who is away, and the cover that follows.
    ///
    /// # Errors
    ///
    /// [`AppError::Store`] where somebody saved the cover meanwhile, or when the database fails.
    pub async fn save(
        &self,
        store: &Store,
        centre: &Centre,
        contact_type: &ContactType,
        days: &[PersonDay],
        save: Save,
    ) -> Result<(), AppError> {
        let stretches = self.stretches(days);
        let before = self.stretches(&self.saved());
        let span = span(self.date, 1, &self.zone)?;
        let ends = stretches.iter().chain(&before).map(|each| each.end);
        let until = ends.chain([span.1]).max().unwrap_or(span.1);
        let cover = store.cover_between(contact_type.id, span.0, until).await?;
        let is_away = |agent: Uuid| {
            let person = self.people.iter().find(|each| each.agent.id == agent);
            person.is_some_and(|person| person.saved.is_away)
        };
        let changed = |to: bool| {
            let of = days.iter().filter(move |day| day.is_away == to);
            of.map(|day| day.agent).filter(|agent| is_away(*agent) != to).collect()
        };
        let day = DayRoster {
            date: self.date,
            span,
            cover: cover_after(
                &cover,
                &pairs(&before),
                &pairs(&stretches),
                contact_type.grain.secs(),
                &self.zone,
            ),
            stretches,
            absent: changed(true),
            back: changed(false),
        };
        Ok(store.save_day_roster(centre.id, contact_type.id, &day, save).await?)
    }
}

fn pairs(stretches: &[AgentStretch]) -> Vec<Stretch> {
    stretches.iter().map(|each| (each.start, each.end)).collect()
}

/// Minutes of the wall clock after the midnight that a day begins with.
fn minutes_of(of: &AgentStretch, date: Date, zone: &TimeZone) -> (u32, u32) {
    let minutes = |at: Timestamp| {
        let local = zone.to_datetime(at);
        let days = i64::from((local.date() - date).get_days());
        let minutes = days * 1440 + i64::from(local.hour()) * 60 + i64::from(local.minute());
        u32::try_from(minutes).unwrap_or(0)
    };
    (minutes(of.start), minutes(of.end))
}
