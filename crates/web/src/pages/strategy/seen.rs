//! A version of the strategy with what is planned for the week, what preflight finds, and what its latest
//! trial counted.

use barometer_app::drafts::Opened;
use barometer_app::strategy_week::{self, Checked};
use barometer_preflight::{Finding, Premises, Rule, StepNow, steps_now};
use barometer_simulate::CampaignMeasures;
use barometer_store::{TrialLine, Waiver};
use barometer_strategy::{Journey, PartChange, PartId};
use jiff::Timestamp;
use jiff::civil::{DateTime, Time};
use uuid::Uuid;

use super::differences::Differences;
use super::map::{Fold, Load, Ways};
use crate::App;
use crate::access::RequestContext;
use crate::page_error::PageError;

/// Trials of a version among which the one to draw is found.
const LATEST_TRIALS: i64 = 40;

/// How a version is to be looked at.
#[derive(Clone, Debug, Default)]
pub(super) struct Asked {
    /// At this time of the context's day; at its busiest where none is said.
    pub at: Option<Time>,
    /// With the flows of this trial.
    pub trial: Option<Uuid>,
    /// With the differences from this version.
    pub from: Option<i32>,
    /// With the contacts of this type alone.
    pub contact_type: Option<String>,
    /// With these ways folded on the map.
    pub fold: Fold,
}

/// A version, looked at.
pub(super) struct Seen {
    pub opened: Opened,
    pub journey: Journey,
    pub premises: Premises,
    pub findings: Vec<Finding>,
    pub waived: Vec<(Finding, Waiver)>,
    /// The moment, on the centre's clock, and its interval among the week's.
    pub at: DateTime,
    pub interval: usize,
    pub now: Vec<StepNow>,
    /// How it differs from another version.
    pub differences: Option<Differences>,
    pub load: Option<Load>,
    /// What the map draws of journey and load, and what is folded on it.
    pub ways: Ways,
    pub fold: Fold,
    /// The contact types of its trial, and the one that alone is drawn.
    pub types: Vec<String>,
    pub only: Option<String>,
    /// The trial that the load is from.
    pub trial: Option<TrialLine>,
    /// The results of its campaigns.
    pub tried: Vec<TriedCampaign>,
}

/// The results of a campaign in a trial.
pub(super) struct TriedCampaign {
    pub name: String,
    /// All days of a replication together.
    pub whole: CampaignMeasures,
    /// Its intervals with their beginnings.
    pub intervals: Vec<(Timestamp, CampaignMeasures)>,
}

impl Seen {
    /// Looks at a version.
    pub async fn of(
        app: &App,
        context: &RequestContext,
        opened: Opened,
        asked: Asked,
    ) -> Result<Self, PageError> {
        let Asked { at, trial, from, contact_type, fold } = asked;
        let strategy = &opened.strategy;
        let monday = context.monday();
        let (checked, trial, differences) = tokio::try_join!(
            async {
                let week = strategy_week::check(
                    &app.store,
                    &context.centre,
                    &opened.types,
                    strategy,
                    monday,
                );
                Ok::<_, PageError>(week.await?)
            },
            latest_trial(app, &opened, trial),
            async { Ok(Differences::of(&app.store, &opened, from).await?) },
        )?;
        let Checked { premises, mut findings, waived } = checked;
        let interval = interval_of(&premises, context, at);
        let journey = strategy.journey();
        let load = match &trial {
            Some(line) => load(app, &opened, &journey, line, contact_type.as_deref()).await?,
            None => None,
        };
        let (load, types, tried) = load.map_or_else(Default::default, |counted| {
            (Some(counted.load), counted.types, counted.campaigns)
        });
        // The page has a notice of its own for it, with an entry, a queue and a team.
        findings.retain(|finding| finding.rule != Rule::NoEntry);
        Ok(Self {
            findings,
            waived,
            now: steps_now(strategy, &premises, interval),
            at: premises.clock(interval),
            interval,
            ways: Ways::of(strategy, &journey, load.as_ref(), &fold),
            fold,
            journey,
            differences,
            only: contact_type.filter(|only| types.contains(only)),
            types,
            trial: trial.filter(|_| load.is_some()),
            load,
            premises,
            tried,
            opened,
        })
    }
}

impl Seen {
    /// How a part differs from the version that differences are told from, in a word.
    pub fn mark_of(&self, part: &PartId) -> Option<&'static str> {
        Some(match self.differences.as_ref()?.parts.get(part)? {
            PartChange::Added => "added",
            PartChange::Changed => "changed",
        })
    }
}

/// The interval of a time of the day, or the one with most contacts.
fn interval_of(premises: &Premises, context: &RequestContext, at: Option<Time>) -> usize {
    let zone = &context.centre.zone;
    let place = |time: Time| {
        let moment = context.day.to_datetime(time).to_zoned(zone.clone()).ok()?;
        let secs = moment.timestamp().duration_since(premises.start).as_secs_f64();
        Some((secs / premises.interval_secs).max(0.0) as usize)
    };
    let last = premises.intervals.saturating_sub(1);
    if let Some(chosen) = at.and_then(place) {
        return chosen.min(last);
    }
    let first = place(Time::midnight()).unwrap_or(0).min(last);
    let day = (86_400.0 / premises.interval_secs) as usize;
    let contacts =
        |at: usize| -> f64 { premises.types.iter().filter_map(|each| each.contacts.get(at)).sum() };
    let all = (first..(first + day).min(premises.intervals)).map(|at| (at, contacts(at)));
    let (busiest, most) =
        all.fold((first, 0.0), |most, each| if each.1 > most.1 { each } else { most });
    // Nothing is forecast: half past nine is as good as any.
    if most > 0.0 {
        busiest
    } else {
        place(jiff::civil::time(9, 30, 0, 0)).unwrap_or(first).min(last)
    }
}

/// The trial that is asked for, or the latest finished one of this version with most contact types. A draft
/// that was not tried is drawn with one of the version that it began from.
async fn latest_trial(
    app: &App,
    opened: &Opened,
    wanted: Option<Uuid>,
) -> Result<Option<TrialLine>, PageError> {
    let mut done: Vec<TrialLine> = Vec::new();
    for version in [opened.version(), opened.began_from()].into_iter().flatten() {
        let trials = app.store.latest_trials(Some(version.id), LATEST_TRIALS).await?;
        done.extend(trials.into_iter().filter(|trial| trial.digest.is_some()));
        if !done.is_empty() {
            break;
        }
    }
    if let Some(at) = done.iter().position(|trial| Some(trial.id) == wanted) {
        return Ok(Some(done.swap_remove(at)));
    }
    // The newest comes first, and the first of those that are equal is kept.
    let widest = done.iter().map(|trial| trial.subject.contact_types.len()).max();
    Ok(done.into_iter().find(|trial| Some(trial.subject.contact_types.len()) == widest))
}

async fn load(
    app: &App,
    opened: &Opened,
    journey: &Journey,
    line: &TrialLine,
    only: Option<&str>,
) -> Result<Option<Counted>, PageError> {
    let (trial, summary) =
        tokio::try_join!(app.store.trial(line.id), app.store.trial_summary(line.id))?;
    let Some(summary) = summary else { return Ok(None) };
    let experiment =
        trial.inputs.experiment().map_err(|error| PageError::Internal(Box::new(error)))?;
    let names = experiment.names();
    let load = Load::of(&opened.strategy, journey, names, &summary, only);
    let campaigns = names.campaigns.iter().cloned().enumerate();
    let campaigns = campaigns.map(|(at, name)| TriedCampaign {
        name,
        whole: summary.of_campaign(at),
        intervals: trial.inputs.starts().zip(summary.campaign_intervals(at)).collect(),
    });
    let (types, campaigns) = (names.types.clone(), campaigns.collect());
    Ok(Some(Counted { load, types, campaigns }))
}

/// What a trial counted.
struct Counted {
    load: Load,
    types: Vec<String>,
    campaigns: Vec<TriedCampaign>,
}
