//! What happened: releases, alarms, trials, days that were accounted for.

use barometer_plan::DayAccount;
use barometer_report::facts::{AlarmFacts, ReleaseFacts, TrialFacts};
use barometer_store::{Centre, GoLive, Ring, Store, TrialLine};
use jiff::civil::Date;

use super::Reach;
use crate::AppError;
use crate::planning::span;

/// Most releases, alarms and trials of one report.
const MOST_EVENTS: i64 = 1_000;

pub(super) async fn releases(
    store: &Store,
    centre: &Centre,
    reach: &Reach,
) -> Result<Vec<ReleaseFacts>, AppError> {
    let live = store.latest_go_lives(MOST_EVENTS).await?;
    let release = |live: GoLive| ReleaseFacts {
        at: centre.zone.to_datetime(live.approved_at),
        version: live.version,
        strategy: live.strategy,
        approved_by: live.approved_by,
        note: live.note,
    };
    let releases = live.into_iter().map(release);
    Ok(releases.filter(|release| reach.days.contains(release.at.date())).collect())
}

pub(super) async fn alarms(
    store: &Store,
    centre: &Centre,
    reach: &Reach,
) -> Result<Vec<AlarmFacts>, AppError> {
    let rings = store.rings(centre.id, MOST_EVENTS).await?;
    let alarm = |ring: Ring| AlarmFacts {
        rang_at: centre.zone.to_datetime(ring.rang_at),
        watches: ring.rule.sentence(),
        minutes: ring
            .cleared_at
            .map(|cleared| cleared.duration_since(ring.rang_at).as_secs_f64() / 60.0),
        seen_by: ring.seen_by,
    };
    let alarms = rings.into_iter().map(alarm);
    Ok(alarms.filter(|alarm| reach.days.contains(alarm.rang_at.date())).collect())
}

pub(super) async fn trials(
    store: &Store,
    centre: &Centre,
    reach: &Reach,
) -> Result<Vec<TrialFacts>, AppError> {
    let (lines, live) = tokio::try_join!(
        store.latest_trials(None, MOST_EVENTS),
        store.latest_go_lives(MOST_EVENTS)
    )?;
    let went_live = |line: &TrialLine| {
        let after = live
            .iter()
            .filter(|live| live.version == line.version && live.approved_at >= line.run.created_at);
        after.map(|live| centre.zone.to_datetime(live.approved_at)).min()
    };
    let trial = |line: TrialLine| TrialFacts {
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
        .filter(|trial| reach.days.contains(trial.at.date()) || reach.days.contains(trial.day))
        .collect())
}

/// A day's account, oldest first.
pub(super) struct Accounted {
    pub day: Date,
    /// Whether it covers all of the day.
    pub is_whole: bool,
    pub account: DayAccount,
}

pub(super) async fn accounts(
    store: &Store,
    centre: &Centre,
    reach: &Reach,
) -> Result<Vec<Accounted>, AppError> {
    let days = u32::try_from(reach.days.count()).unwrap_or(u32::MAX);
    let kept = store.accounts(centre.id, reach.days.last, days).await?;
    let mut accounts = Vec::with_capacity(kept.len());
    for kept in kept.into_iter().filter(|kept| reach.days.contains(kept.date)) {
        let Some(account) = kept.account else { continue };
        let (_, end) = span(kept.date, 1, &centre.zone)?;
        accounts.push(Accounted { day: kept.date, is_whole: kept.until >= end, account });
    }
    accounts.sort_by_key(|accounted| accounted.day);
    Ok(accounts)
}
