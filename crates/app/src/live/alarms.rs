//! Alarms, looked at every time that the switch has said something, or nothing.

use std::collections::HashMap;

use barometer_plan::{
    AlarmChange, AlarmMeasure, AlarmRule, AlarmState, Recipient, would_have_rung,
};
use barometer_simulate::{PresentAt, TypeCounts};
use barometer_store::{Alarm, Centre, NewMessage, Store};
use barometer_wire::{IntervalRow, SwitchState};
use jiff::Timestamp;
use uuid::Uuid;

use super::outlook::GOOD_FOR_ALARMS;
use super::{Live, Outlook, View};
use crate::AppError;

/// The alarms of a centre, and where each is.
#[derive(Debug, Default)]
pub(super) struct Watching {
    /// With the rule by which it came there.
    states: HashMap<Uuid, (AlarmRule, AlarmState)>,
    is_begun: bool,
}

/// What an alarm's measure is now; `None` where that is not known, or there is nothing to measure.
pub fn value(rule: &AlarmRule, view: &View, outlook: Option<&Outlook>) -> Option<f64> {
    if rule.measure == AlarmMeasure::Silence {
        return view.age().map(|age| age.as_secs_f64());
    }
    let state = view.state.as_deref()?;
    let name = rule.contact_type.as_deref()?;
    let of_type = state.types.iter().find(|each| each.contact_type == name)?;
    let so_far: TypeCounts = of_type.intervals.iter().sum();
    match rule.measure {
        AlarmMeasure::LastLevel => {
            let last = of_type.intervals.len().checked_sub(2)?;
            of_type.intervals.get(last)?.service_level()
        }
        AlarmMeasure::LevelSoFar => so_far.service_level(),
        AlarmMeasure::Abandonment => {
            (so_far.offered > 0.0).then(|| so_far.abandoned / so_far.offered)
        }
        AlarmMeasure::Waiting => Some(waits(state, name).count() as f64),
        AlarmMeasure::LongestWait => Some(waits(state, name).fold(0.0, f64::max)),
        AlarmMeasure::ChanceByTonight => {
            let outlook = outlook?;
            outlook.ends.get(outlook.place_of(name)?).map(|end| end.chance)
        }
        AlarmMeasure::Silence => None,
    }
}

/// For how many seconds each contact of a type that waits has waited.
pub fn waits<'a>(state: &'a SwitchState, name: &'a str) -> impl Iterator<Item = f64> + 'a {
    let now = state.present.at_secs;
    state.present.contacts.iter().filter_map(move |contact| match contact.at {
        PresentAt::Waiting { since_secs, .. } if contact.contact_type == name => {
            Some(now - contact.waiting_since_secs.unwrap_or(since_secs))
        }
        _ => None,
    })
}

impl Watching {
    /// Looks at every alarm, and notes which begin to ring and which clear.
    pub async fn look(
        &mut self,
        store: &Store,
        centre: &Centre,
        live: &Live,
    ) -> Result<(), AppError> {
        let alarms = store.alarms(centre.id).await?;
        if !self.is_begun {
            // What rang before this process was started still does.
            for ring in store.rings(centre.id, i64::MAX).await? {
                if ring.cleared_at.is_none() {
                    let rings = AlarmState { rings: true, ..AlarmState::default() };
                    self.states.insert(ring.alarm, (ring.rule, rings));
                }
            }
            self.is_begun = true;
        }
        let view = live.view().borrow().clone();
        let Some(now) = view.state.as_ref().map(|state| state.clock.now) else { return Ok(()) };
        let is_foreseen =
            |alarm: &Alarm| alarm.is_on && alarm.rule.measure == AlarmMeasure::ChanceByTonight;
        let outlook = match alarms.iter().any(is_foreseen) && !view.is_old() {
            true => match live.outlook_within(store, centre, GOOD_FOR_ALARMS).await {
                Ok(outlook) => outlook,
                // A day that is not planned cannot be foreseen: said on the board.
                Err(AppError::Refused(_)) => None,
                Err(error) => return Err(error),
            },
            false => None,
        };
        let clock = now.to_zoned(centre.zone.clone());
        let minute =
            60 * u16::from(clock.hour().unsigned_abs()) + u16::from(clock.minute().unsigned_abs());
        for alarm in &alarms {
            if !alarm.is_on {
                self.states.remove(&alarm.id);
                continue;
            }
            if alarm.rule.hours.is_some_and(|hours| !hours.holds(minute)) {
                if self.states.remove(&alarm.id).is_some_and(|(_, state)| state.rings) {
                    store.clear_alarm(alarm.id, now).await?;
                }
                continue;
            }
            // Of a switch that is not heard nothing is known but that.
            let is_known = alarm.rule.measure == AlarmMeasure::Silence || !view.is_old();
            let value = value(&alarm.rule, &view, outlook.as_deref()).filter(|_| is_known);
            let at_secs = now.as_second() as f64;
            let (rule, state) = self
                .states
                .entry(alarm.id)
                .or_insert_with(|| (alarm.rule.clone(), AlarmState::default()));
            // An alarm that was changed begins again.
            if *rule != alarm.rule {
                (*rule, *state) = (alarm.rule.clone(), AlarmState::default());
            }
            match state.step(&alarm.rule, at_secs, value) {
                Some(AlarmChange::Rings) => {
                    let value = value.unwrap_or_default();
                    let messages = messages(centre, &alarm.rule, (now, value), &alarm.rule.tells);
                    store.ring((centre.id, alarm.id), (now, value), &messages).await?;
                    tracing::info!(alarm = alarm.rule.sentence(), value, "an alarm rings");
                }
                Some(AlarmChange::Clears) => store.clear_alarm(alarm.id, now).await?,
                None => {}
            }
        }
        escalate(store, centre, &alarms, now).await
    }
}

/// Tells others of alarms that ring and that nobody has seen in time.
async fn escalate(
    store: &Store,
    centre: &Centre,
    alarms: &[Alarm],
    now: Timestamp,
) -> Result<(), AppError> {
    if !alarms.iter().any(|alarm| alarm.rule.escalation.is_some()) {
        return Ok(());
    }
    // Those that ring are listed first, at most one of each alarm.
    let most = i64::try_from(alarms.len()).unwrap_or(i64::MAX);
    for ring in store.rings(centre.id, most).await? {
        let is_unseen =
            ring.cleared_at.is_none() && ring.seen_by.is_none() && ring.escalated_at.is_none();
        let alarm = alarms.iter().find(|alarm| alarm.id == ring.alarm).filter(|_| is_unseen);
        let Some((alarm, escalation)) =
            alarm.and_then(|alarm| Some((alarm, alarm.rule.escalation.as_ref()?)))
        else {
            continue;
        };
        let rung_secs = now.duration_since(ring.rang_at).as_secs_f64();
        if rung_secs >= 60.0 * escalation.after_minutes {
            let rang = (ring.rang_at, ring.value);
            let mut messages = messages(centre, &alarm.rule, rang, &escalation.tells);
            for message in &mut messages {
                message.subject = format!("Nobody has seen it: {}", message.subject);
                message.event["escalated"] = true.into();
            }
            store.escalate((centre.id, ring.id), now, &messages).await?;
        }
    }
    Ok(())
}

/// What is written when an alarm rings, to everybody who is to be told.
fn messages(
    centre: &Centre,
    rule: &AlarmRule,
    (at, value): (Timestamp, f64),
    tells: &[Recipient],
) -> Vec<NewMessage> {
    let sentence = rule.sentence();
    let said = rule.measure.said(value);
    let clock = at.to_zoned(centre.zone.clone()).strftime("%A %-d %B, %H:%M").to_string();
    let write = |recipient: &Recipient| NewMessage {
        recipient: recipient.clone(),
        subject: format!("{}, {}: {sentence}", centre.name, rule.severity.word()),
        body: format!(
            "{sentence}.\nIt was {said} at {clock}, by the clock of the telephone switch.\n\n\
             Watch shows the day and what would help now.\n"
        ),
        event: serde_json::json!({
            "kind": "alarm",
            "centre": centre.name,
            "severity": rule.severity.word(),
            "measure": rule.measure.key(),
            "contact_type": rule.contact_type,
            "threshold": rule.threshold,
            "value": value,
            "rang_at": at.to_string(),
        }),
    };
    tells.iter().map(write).collect()
}

/// When a rule would have rung on the intervals that the switch has told; `None` where its measure cannot be told
/// from intervals.
pub fn tried_on_the_past(rule: &AlarmRule, rows: &[IntervalRow]) -> Option<Vec<Timestamp>> {
    let is_of_intervals =
        matches!(rule.measure, AlarmMeasure::LastLevel | AlarmMeasure::Abandonment);
    if !is_of_intervals {
        return None;
    }
    let mut own: Vec<&IntervalRow> = rows
        .iter()
        .filter(|row| Some(&row.contact_type) == rule.contact_type.as_ref() && !row.outage)
        .collect();
    own.sort_by_key(|row| row.start);
    let past: Vec<(f64, Option<f64>)> = own
        .iter()
        .map(|row| {
            let count = match rule.measure {
                AlarmMeasure::LastLevel => row.in_time,
                _ => row.abandoned,
            };
            let value = (row.offered > 0).then(|| f64::from(count) / f64::from(row.offered));
            (row.start.as_second() as f64 + row.secs, value)
        })
        .collect();
    let rang = would_have_rung(rule, &past);
    Some(rang.into_iter().filter_map(|at| Timestamp::from_second(at as i64).ok()).collect())
}
