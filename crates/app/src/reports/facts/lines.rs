//! The telephone lines of the busiest interval.

use barometer_report::facts::LineFacts;
use barometer_store::{Centre, ContactType, Store};

use super::Reach;
use crate::AppError;
use crate::staffing::{BusiestLines, Period, Span};

pub(super) async fn lines(
    store: &Store,
    centre: &Centre,
    types: &[ContactType],
    reach: &Reach,
) -> Result<Option<LineFacts>, AppError> {
    let rules = store.line_rules(centre.id).await?;
    let period = Period { kind: Span::Days, first: reach.days.first, days: reach.days.count() };
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
