//! The busiest interval of the telephone lines in a period.

use std::collections::BTreeMap;

use barometer_plan::{LineCalls, LineNeed, LineRules, Model, PlannedInterval};
use barometer_queueing::{ErlangA, Traffic};
use barometer_store::{ContactType, Store};
use jiff::Timestamp;
use jiff::tz::TimeZone;

use super::source::{Period, Source};
use crate::AppError;

/// Patience in seconds that is taken where callers wait for ever: on too few people they would fill every line
/// there is.
const LONGEST_PATIENCE_SECS: f64 = 3_600.0;

/// The interval of a period with most on the lines.
#[derive(Clone, Debug)]
pub struct BusiestLines {
    /// When it starts.
    pub start: Timestamp,
    /// What it needs.
    pub need: LineNeed,
    /// What each contact type adds, by name.
    pub parts: Vec<(String, LineCalls)>,
}

impl BusiestLines {
    /// Of the forecast calls of a period, with the cover that is planned, or else with the need; none where no calls
    /// are forecast.
    ///
    /// # Errors
    ///
    /// [`AppError`] when the database fails, or the rules cannot be computed with.
    pub async fn of(
        store: &Store,
        types: &[ContactType],
        period: Period,
        rules: &LineRules,
        zone: &TimeZone,
    ) -> Result<Option<Self>, AppError> {
        let mut calls: BTreeMap<Timestamp, Vec<(String, LineCalls)>> = BTreeMap::new();
        for each in types.iter().filter(|each| comes_by_telephone(each)) {
            let source = Source::read(store, each, None, period, zone).await?;
            let Ok(plan) = source.schedule(&each.rules) else { continue };
            for interval in &plan {
                if let Some(seen) = line_calls(interval, each, source.interval_secs()) {
                    calls.entry(interval.start).or_default().push((each.name.clone(), seen));
                }
            }
        }
        // The busiest interval is the one with most on the lines, not the one with most calls.
        let mut busiest: Option<Self> = None;
        for (start, parts) in calls {
            let only: Vec<LineCalls> = parts.iter().map(|(_, calls)| *calls).collect();
            let need = rules.need(&only).map_err(AppError::core)?;
            if busiest.as_ref().is_none_or(|most| need.lines.erlangs > most.need.lines.erlangs) {
                busiest = Some(Self { start, need, parts });
            }
        }
        Ok(busiest)
    }
}

/// Chats and e-mail come over no telephone line.
fn comes_by_telephone(contact_type: &ContactType) -> bool {
    let model = Model::for_rules(&contact_type.rules);
    contact_type.rules.concurrency == 1 && model != Model::Deadline && model != Model::Chat
}

fn line_calls(
    interval: &PlannedInterval,
    contact_type: &ContactType,
    secs: f64,
) -> Option<LineCalls> {
    let load = interval.load;
    if load.contacts <= 0.0 {
        return None;
    }
    let agents = interval.assessment.cover.unwrap_or(interval.assessment.need);
    let traffic = Traffic::per_interval(load.contacts, secs, load.handle_secs).ok()?;
    let patience = contact_type.rules.patience_secs.unwrap_or(LONGEST_PATIENCE_SECS);
    let line = ErlangA::new(traffic, agents, patience).ok()?;
    Some(LineCalls {
        calls_per_hour: load.contacts * 3_600.0 / secs,
        handle_secs: load.handle_secs,
        answered: 1.0 - line.abandonment(),
        wait_probability: line.wait_probability(),
        mean_wait_secs: line.mean_wait_secs(),
    })
}
