//! The facts of a report, read from the store.

use std::collections::BTreeMap;

use barometer_plan::PlannedInterval;
use barometer_report::facts::{
    AgentHours, AlarmFacts, CampaignFacts, CampaignTried, Facts, Forecast, LineFacts, Measured,
    ReleaseFacts, SimulatedFacts, SimulatedFlow, SimulatedPoint, SimulatedWaits, Staffed, TeamDay,
    TrialFacts, TypeFacts, WAIT_SHARES,
};
use barometer_report::{Against, Days, Definition, Grouping, Section};
use barometer_simulate::Estimate;
use barometer_store::{Centre, ContactType, Slots, Store};
use futures_util::future::try_join_all;
use jiff::civil::{Date, DateTime};
use jiff::{Timestamp, ToSpan};

use crate::planning::{self, Basis, expected};
use crate::staffing::{BusiestLines, Period as StaffingPeriod, Span as StaffingSpan};
use crate::{AppError, clock};

/// Most releases, alarms and trials of one report.
const MOST_EVENTS: i64 = 1_000;
/// Trials of the live version among which those of its campaigns are found.
const LATEST_TRIALS: i64 = 40;

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
struct Span {
    days: Days,
    compared: Option<Days>,
    slots: Slots,
}

impl Span {
    fn of(definition: &Definition, today: Date) -> Result<Self, AppError> {
        let days = definition
            .period
            .days(today, definition.grouping)
            .map_err(|error| AppError::Refused(format!("{}.", capitalised(&error.to_string()))))?;
        let compared = match definition.against {
            Against::Before => Some(definition.period.before(days)),
            Against::YearAgo => Some(definition.period.year_ago(days)),
            Against::Forecast | Against::Nothing => None,
        };
        let slots = match definition.grouping {
            Grouping::Interval => Slots::Interval,
            _ => Slots::Day,
        };
        Ok(Self { days, compared, slots })
    }
}

fn capitalised(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
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
    let span = Span::of(definition, today)?;
    let all = store.contact_types(centre.id).await?;
    let types = chosen(&all, definition)?;
    let has = |section: Section| definition.sections.contains(&section);
    let (types, teams, agents, simulated, campaigns, lines, releases, alarms, trials, causes) = tokio::try_join!(
        type_facts(store, centre, definition, &types, &span),
        async {
            if has(Section::Teams) {
                team_days(store, centre, definition, &span).await
            } else {
                Ok(Vec::new())
            }
        },
        async {
            let is_shown = has(Section::Agents) && reader.sees_agents;
            if is_shown {
                agent_hours(store, centre, &all, &span).await.map(Some)
            } else {
                Ok(None)
            }
        },
        async {
            let is_wanted = has(Section::Waits) || has(Section::Queues) || has(Section::Flow);
            if is_wanted { simulated(store, centre).await } else { Ok(None) }
        },
        async {
            if has(Section::Campaigns) { campaigns(store, centre).await } else { Ok(Vec::new()) }
        },
        async {
            if has(Section::Lines) { lines(store, centre, &types, &span).await } else { Ok(None) }
        },
        async {
            if has(Section::Releases) {
                releases(store, centre, &span).await
            } else {
                Ok(Vec::new())
            }
        },
        async {
            if has(Section::Alarms) { alarms(store, centre, &span).await } else { Ok(Vec::new()) }
        },
        async {
            if has(Section::Trials) { trials(store, centre, &span).await } else { Ok(Vec::new()) }
        },
        async {
            if has(Section::Causes) { causes(store, centre, &span).await } else { Ok(Vec::new()) }
        },
    )?;
    Ok(Facts {
        centre: centre.name.clone(),
        zone: centre.zone.iana_name().unwrap_or("UTC").to_owned(),
        today,
        read_at: centre.zone.to_datetime(clock::now()),
        days: span.days,
        compared: span.compared,
        types,
        teams,
        agents,
        simulated,
        campaigns,
        lines,
        releases,
        alarms,
        trials,
        causes,
    })
}

fn chosen(all: &[ContactType], definition: &Definition) -> Result<Vec<ContactType>, AppError> {
    if definition.contact_types.is_empty() {
        return Ok(all.to_vec());
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

async fn type_facts(
    store: &Store,
    centre: &Centre,
    definition: &Definition,
    types: &[ContactType],
    span: &Span,
) -> Result<Vec<TypeFacts>, AppError> {
    let ids: Vec<_> = types.iter().map(|each| each.id).collect();
    let measured = |days: Days| async move {
        let between = instants(days, centre)?;
        Ok::<_, AppError>(store.measured_counts(&ids, between, span.slots, &centre.zone).await?)
    };
    let own = measured.clone()(span.days).await?;
    let compared = match span.compared {
        Some(days) => measured(days).await?,
        None => Vec::new(),
    };
    let wants_people = definition.sections.contains(&Section::Staffing)
        || definition.sections.contains(&Section::Service);
    let each = types.iter().map(|each| async {
        let of_type = |counts: &[barometer_store::MeasuredCounts]| -> Vec<Measured> {
            let own = counts.iter().filter(|counts| counts.contact_type == each.id);
            own.map(|counts| Measured { at: counts.at, counts: counts.counts }).collect()
        };
        let (forecast, staffed) = tokio::try_join!(forecasts(store, centre, each, span), async {
            if wants_people { staffed(store, centre, each, span).await } else { Ok(Vec::new()) }
        })?;
        let measured = of_type(&own);
        let forecast = if span.slots == Slots::Interval {
            with_actuals(forecast, &measured)
        } else {
            forecast
        };
        Ok::<_, AppError>(TypeFacts {
            id: each.id,
            name: each.name.clone(),
            rules: each.rules,
            measured,
            compared: of_type(&compared),
            forecast,
            staffed,
        })
    });
    try_join_all(each).await
}

/// Forecasts of intervals beside what was measured in them.
fn with_actuals(mut forecast: Vec<Forecast>, measured: &[Measured]) -> Vec<Forecast> {
    let actual: BTreeMap<DateTime, f64> =
        measured.iter().map(|measured| (measured.at, measured.counts.offered)).collect();
    for each in &mut forecast {
        each.actual = actual.get(&each.at).copied();
    }
    forecast
}

/// When days begin and end.
fn instants(days: Days, centre: &Centre) -> Result<(Timestamp, Timestamp), AppError> {
    planning::span(days.first, days.count(), &centre.zone)
}

fn midnight(day: Date) -> DateTime {
    day.at(0, 0, 0, 0)
}

/// What was forecast: of days that have gone by, what the latest backtest forecast before them, or by interval what the
/// plan that a watched day opened with expected; of days to come, what is forecast now.
async fn forecasts(
    store: &Store,
    centre: &Centre,
    contact_type: &ContactType,
    span: &Span,
) -> Result<Vec<Forecast>, AppError> {
    let Some(head) = store.forecast(contact_type.id).await? else { return Ok(Vec::new()) };
    let ahead = |day: Date| day >= head.first_day;
    if span.slots == Slots::Interval {
        let (from, to) = instants(span.days, centre)?;
        let mut intervals =
            opened_with(store, centre, contact_type, span.days, head.first_day).await?;
        let ahead = store.forecast_between(contact_type.id, from, to).await?;
        intervals.extend(ahead.into_iter().map(|each| Forecast {
            at: centre.zone.to_datetime(each.start),
            contacts: each.load.contacts,
            actual: None,
        }));
        return Ok(intervals);
    }
    let held_out = head.backtest.map(|backtest| backtest.latest_days).unwrap_or_default();
    let past = held_out
        .into_iter()
        .filter(|day| span.days.contains(day.day) && !ahead(day.day))
        .map(|day| Forecast {
            at: midnight(day.day),
            contacts: day.forecast,
            actual: Some(day.came),
        });
    let mut forecast: Vec<Forecast> = past.collect();
    if ahead(span.days.last) {
        let days = store.forecast_days(contact_type.id).await?;
        let days = days.into_iter().filter(|day| span.days.contains(day.day));
        forecast.extend(days.map(|day| Forecast {
            at: midnight(day.day),
            contacts: day.contacts,
            actual: None,
        }));
    }
    Ok(forecast)
}

/// What the plans that days before `until` opened with expected, interval by interval.
async fn opened_with(
    store: &Store,
    centre: &Centre,
    contact_type: &ContactType,
    days: Days,
    until: Date,
) -> Result<Vec<Forecast>, AppError> {
    let mut expected = Vec::new();
    let mut day = days.first;
    while day <= days.last && day < until {
        if let Some(plan) = store.opening_plan(centre.id, day).await? {
            let inputs = plan.inputs;
            let own = inputs.types.iter().find(|each| each.name == contact_type.name);
            let intervals = own.map_or(&[][..], |own| &own.intervals);
            expected.extend(inputs.starts().zip(intervals).map(|(start, interval)| Forecast {
                at: centre.zone.to_datetime(start),
                contacts: interval.contacts,
                actual: None,
            }));
        }
        day = day.tomorrow().map_err(AppError::core)?;
    }
    Ok(expected)
}

/// Need and cover: of days to come from the forecast, of days that have gone by from the contacts that were offered.
async fn staffed(
    store: &Store,
    centre: &Centre,
    contact_type: &ContactType,
    span: &Span,
) -> Result<Vec<Staffed>, AppError> {
    let head = store.forecast(contact_type.id).await?;
    let first_ahead = head.map_or(clock::today(centre), |head| head.first_day);
    let Days { first, last } = span.days;
    let stretches =
        [(first, last.min(first_ahead.saturating_sub(1.day()))), (first.max(first_ahead), last)];
    let mut slots: BTreeMap<DateTime, Staffed> = BTreeMap::new();
    for (first, last) in stretches.into_iter().filter(|(first, last)| first <= last) {
        let days = Days { first, last }.count();
        let found =
            expected(store, contact_type, (first, days), &centre.zone, &Basis::Exact).await?;
        for interval in &found.plan {
            add(interval, contact_type, centre, span.slots, &mut slots);
        }
    }
    Ok(slots.into_values().collect())
}

fn add(
    interval: &PlannedInterval,
    contact_type: &ContactType,
    centre: &Centre,
    slots: Slots,
    sums: &mut BTreeMap<DateTime, Staffed>,
) {
    let at = centre.zone.to_datetime(interval.start);
    let at = if slots == Slots::Day { midnight(at.date()) } else { at };
    let hours = contact_type.grain.secs() / 3_600.0;
    let sum = sums.entry(at).or_insert_with(|| Staffed { at, ..Staffed::default() });
    let assessment = &interval.assessment;
    sum.intervals += 1;
    sum.need_hours += hours * f64::from(assessment.need);
    if let Some(cover) = assessment.cover {
        *sum.cover_hours.get_or_insert(0.0) += hours * f64::from(cover);
        let short = assessment.shortfall();
        sum.short_intervals += u32::from(short > 0);
        sum.short_hours += hours * f64::from(short);
    }
}

async fn team_days(
    store: &Store,
    centre: &Centre,
    definition: &Definition,
    span: &Span,
) -> Result<Vec<TeamDay>, AppError> {
    let hours =
        store.team_hours(centre.id, instants(span.days, centre)?, span.slots, &centre.zone).await?;
    let names: BTreeMap<String, String> = match store.live_release(centre.id).await? {
        Some(live) => {
            let strategy = store.strategy(live.version_id).await?;
            strategy.teams.into_iter().map(|team| (team.id, team.name)).collect()
        }
        None => BTreeMap::new(),
    };
    let day = |hours: barometer_store::TeamHours| TeamDay {
        team: names.get(&hours.team).cloned().unwrap_or(hours.team),
        at: hours.at,
        staffed_hours: hours.staffed_hours,
        busy_hours: hours.busy_hours,
    };
    let wanted =
        |day: &TeamDay| definition.teams.is_empty() || definition.teams.contains(&day.team);
    Ok(hours.into_iter().map(day).filter(wanted).collect())
}

async fn agent_hours(
    store: &Store,
    centre: &Centre,
    types: &[ContactType],
    span: &Span,
) -> Result<Vec<AgentHours>, AppError> {
    let (from, to) = instants(span.days, centre)?;
    let (agents, time_off) =
        tokio::try_join!(store.agents(centre.id), store.time_off(centre.id, span.days.first))?;
    let mut hours: BTreeMap<_, (f64, u32)> = BTreeMap::new();
    for each in types {
        for stretch in store.stretches_between(each.id, from, to).await? {
            let (start, end) = (stretch.start.max(from), stretch.end.min(to));
            let (sum, shifts) = hours.entry(stretch.agent).or_default();
            *sum += end.duration_since(start).as_secs_f64() / 3_600.0;
            *shifts += 1;
        }
    }
    let days_off = |agent: uuid::Uuid| -> u32 {
        let own = time_off.iter().filter(|entry| entry.agent == agent);
        own.map(|entry| {
            let (first, last) =
                (entry.first_day.max(span.days.first), entry.last_day.min(span.days.last));
            if last < first { 0 } else { u32::try_from(Days { first, last }.count()).unwrap_or(0) }
        })
        .sum()
    };
    let agent = |agent: barometer_store::Agent| {
        let (rostered_hours, shifts) = hours.get(&agent.id).copied().unwrap_or_default();
        AgentHours {
            days_off: days_off(agent.id),
            name: agent.name,
            team: agent.team,
            contract_hours: agent.contract_hours,
            rostered_hours,
            shifts,
        }
    };
    Ok(agents.into_iter().map(agent).collect())
}

/// The latest finished trial of the live strategy.
async fn simulated(store: &Store, centre: &Centre) -> Result<Option<SimulatedFacts>, AppError> {
    let Some(live) = store.live_release(centre.id).await? else { return Ok(None) };
    for line in store.latest_trials(Some(live.version_id), LATEST_TRIALS).await? {
        let Some(summary) = store.trial_summary(line.id).await? else { continue };
        let experiment = store.trial(line.id).await?.inputs.experiment().map_err(AppError::core)?;
        let names = experiment.names();
        let waits =
            names.types.iter().zip(summary.answer_waits()).map(|(name, waits)| SimulatedWaits {
                contact_type: name.clone(),
                secs: WAIT_SHARES.map(|share| waits.quantile(share)),
            });
        let points = names.service_points.iter().enumerate().map(|(at, name)| {
            let found = summary.of_service_point(at);
            let mean = |estimate: Option<Estimate>| estimate.map(|estimate| estimate.mean);
            SimulatedPoint {
                name: name.clone(),
                entered: found.entered.mean,
                answered: found.answered.mean,
                service_level: mean(found.service_level),
                abandonment: mean(found.abandonment),
                wait_secs: mean(found.wait_secs),
            }
        });
        let flows = names.flows.iter().zip(summary.flows()).map(|(name, contacts)| SimulatedFlow {
            from: name.from.clone(),
            cause: name.why.clone(),
            to: name.to.clone(),
            contacts: contacts.mean,
        });
        return Ok(Some(SimulatedFacts {
            trial: line.id,
            subject: line.subject.name.clone(),
            day: line.subject.day,
            replications: summary.replications(),
            waits: waits.collect(),
            service_points: points.collect(),
            flows: flows.collect(),
        }));
    }
    Ok(None)
}

/// The campaigns of the live strategy with what its latest trial of each found.
async fn campaigns(store: &Store, centre: &Centre) -> Result<Vec<CampaignFacts>, AppError> {
    let Some(live) = store.live_release(centre.id).await? else { return Ok(Vec::new()) };
    let strategy = store.strategy(live.version_id).await?;
    let mut tried: BTreeMap<String, CampaignTried> = BTreeMap::new();
    if !strategy.campaigns.is_empty() {
        for line in store.latest_trials(Some(live.version_id), LATEST_TRIALS).await? {
            let Some(summary) = store.trial_summary(line.id).await? else { continue };
            let experiment =
                store.trial(line.id).await?.inputs.experiment().map_err(AppError::core)?;
            for (at, name) in experiment.names().campaigns.iter().enumerate() {
                let found = summary.of_campaign(at);
                if found.dials.mean > 0.0 && !tried.contains_key(name) {
                    tried.insert(
                        name.clone(),
                        CampaignTried {
                            trial: line.id,
                            day: line.subject.day,
                            dialled: found.dials.mean,
                            reached: found.conversations.mean,
                            abandoned: found.abandoned_share.map(|share| share.mean),
                        },
                    );
                }
            }
            if tried.len() == strategy.campaigns.len() {
                break;
            }
        }
    }
    Ok(strategy
        .campaigns
        .into_iter()
        .map(|campaign| CampaignFacts {
            tried: tried.remove(&campaign.name),
            ceiling: campaign.abandoned_ceiling,
            name: campaign.name,
        })
        .collect())
}

async fn lines(
    store: &Store,
    centre: &Centre,
    types: &[ContactType],
    span: &Span,
) -> Result<Option<LineFacts>, AppError> {
    let rules = store.line_rules(centre.id).await?;
    let period = StaffingPeriod {
        kind: StaffingSpan::Days,
        first: span.days.first,
        days: span.days.count(),
    };
    let busiest = BusiestLines::of(store, types, period, &rules, &centre.zone).await?;
    Ok(busiest.map(|busiest| LineFacts {
        at: centre.zone.to_datetime(busiest.start),
        calls_per_hour: busiest.parts.iter().map(|(_, calls)| calls.calls_per_hour).sum(),
        erlangs: busiest.need.lines.erlangs,
        blocking_target: rules.blocking,
        needed: busiest.need.lines.needed,
        installed: busiest.need.lines.existing,
        blocked: busiest.need.lines.existing_blocking,
    }))
}

async fn releases(
    store: &Store,
    centre: &Centre,
    span: &Span,
) -> Result<Vec<ReleaseFacts>, AppError> {
    let live = store.latest_go_lives(MOST_EVENTS).await?;
    let release = |live: barometer_store::GoLive| ReleaseFacts {
        at: centre.zone.to_datetime(live.approved_at),
        version: live.version,
        strategy: live.strategy,
        approved_by: live.approved_by,
        note: live.note,
    };
    let releases = live.into_iter().map(release);
    Ok(releases.filter(|release| span.days.contains(release.at.date())).collect())
}

async fn alarms(store: &Store, centre: &Centre, span: &Span) -> Result<Vec<AlarmFacts>, AppError> {
    let (rules, rings) =
        tokio::try_join!(store.alarms(centre.id), store.rings(centre.id, MOST_EVENTS))?;
    let watches = |alarm: uuid::Uuid| {
        let rule = rules.iter().find(|rule| rule.id == alarm);
        rule.map_or_else(|| "an alarm that was removed".to_owned(), |rule| rule.rule.sentence())
    };
    let alarm = |ring: barometer_store::Ring| AlarmFacts {
        rang_at: centre.zone.to_datetime(ring.rang_at),
        watches: watches(ring.alarm),
        minutes: ring
            .cleared_at
            .map(|cleared| cleared.duration_since(ring.rang_at).as_secs_f64() / 60.0),
        seen_by: ring.seen_by,
    };
    let alarms = rings.into_iter().map(alarm);
    Ok(alarms.filter(|alarm| span.days.contains(alarm.rang_at.date())).collect())
}

async fn trials(store: &Store, centre: &Centre, span: &Span) -> Result<Vec<TrialFacts>, AppError> {
    let (lines, live) = tokio::try_join!(
        store.latest_trials(None, MOST_EVENTS),
        store.latest_go_lives(MOST_EVENTS)
    )?;
    let went_live = |line: &barometer_store::TrialLine| {
        let after = live
            .iter()
            .filter(|live| live.version == line.version && live.approved_at >= line.run.created_at);
        after.map(|live| centre.zone.to_datetime(live.approved_at)).min()
    };
    let trial = |line: barometer_store::TrialLine| TrialFacts {
        id: line.id,
        at: centre.zone.to_datetime(line.run.created_at),
        subject: line.subject.name.clone(),
        day: line.subject.day,
        version: line.version,
        verdict: line
            .digest
            .as_ref()
            .and_then(|digest| digest.verdict)
            .map(|verdict| verdict.word().to_owned()),
        went_live: went_live(&line),
    };
    let trials = lines.into_iter().map(trial);
    Ok(trials
        .filter(|trial| span.days.contains(trial.at.date()) || span.days.contains(trial.day))
        .collect())
}

async fn causes(
    store: &Store,
    centre: &Centre,
    span: &Span,
) -> Result<Vec<(Date, barometer_plan::DayAccount)>, AppError> {
    let days = u32::try_from(span.days.count()).unwrap_or(u32::MAX);
    let kept = store.accounts(centre.id, span.days.last, days).await?;
    let mut causes: Vec<_> = kept
        .into_iter()
        .filter(|kept| span.days.contains(kept.date))
        .filter_map(|kept| Some((kept.date, kept.account?)))
        .collect();
    causes.sort_by_key(|(day, _)| *day);
    Ok(causes)
}
