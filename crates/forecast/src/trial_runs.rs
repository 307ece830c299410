//! Forecasts made again from earlier mornings, each from what was known by then.

use crate::effects::Effects;
use crate::grid::DayGrid;
use crate::methods::METHODS;
use crate::past::Past;
use crate::special_days::Calendar;

/// Mornings to forecast from, at most.
const ORIGINS: usize = 12;
/// Days that must be known before the first morning.
const LEAST_LEARNT_DAYS: usize = 21;
/// Days after each morning that methods are chosen and weighted by.
pub(crate) const JUDGED_DAYS: usize = 28;
/// Days after each morning that are looked at where the history reaches so far.
pub(crate) const FARTHEST_DAYS: usize = 56;

/// One morning: what every method forecast for the days after it, and what came.
#[derive(Clone, Debug)]
pub(crate) struct Run {
    /// Day of the history on whose morning the forecast was made.
    pub origin: usize,
    /// Slots in a day.
    pub slots: usize,
    /// Contacts per day and slot; `NaN` where unknown.
    pub came: Vec<f64>,
    /// Per method the forecast of the same cells. A method that has too little to go by stands in
    /// with the mean of the others.
    pub forecasts: Vec<Vec<f64>>,
    /// Whether a method could make its own forecast.
    pub able: Vec<bool>,
}

impl Run {
    /// Days that the run reaches.
    pub fn days(&self) -> usize {
        self.came.len() / self.slots
    }

    /// Days that count when methods are chosen.
    pub fn judged_days(&self) -> usize {
        self.days().min(JUDGED_DAYS)
    }
}

/// The days of the history from whose mornings it is forecast again, latest first.
pub(crate) fn origins(days: usize) -> Vec<usize> {
    let Some(spare) = days.checked_sub(LEAST_LEARNT_DAYS + 7) else { return Vec::new() };
    // A short history is tried on what little there is after its first weeks.
    let latest_back = JUDGED_DAYS.min(((spare + 7) / 2 / 7 * 7).max(7));
    let learnt = LEAST_LEARNT_DAYS.max((days / 3).min(91));
    let room = days.saturating_sub(learnt + latest_back);
    let step = (room / (ORIGINS - 1) / 7 * 7).clamp(7, JUDGED_DAYS);
    (0..ORIGINS)
        .map(|back| latest_back + back * step)
        .take_while(|back| days >= learnt.min(days - latest_back) + back)
        .map(|back| days - back)
        .collect()
}

/// Every method's forecast of `days` days from a morning.
///
/// Returns the forecasts and which methods were able to make one; `None` when none was.
pub(crate) fn forecast_all(
    past: &Past,
    effects: &Effects,
    days: usize,
) -> Option<(Vec<Vec<f64>>, Vec<bool>)> {
    let made: Vec<Option<Vec<f64>>> =
        METHODS.iter().map(|method| method.forecast(past, days)).collect();
    let able: Vec<bool> = made.iter().map(Option::is_some).collect();
    let count = able.iter().filter(|able| **able).count();
    let mut mean = vec![0.0; days * past.slots()];
    for forecast in made.iter().flatten() {
        for (sum, value) in mean.iter_mut().zip(forecast) {
            *sum += value / count as f64;
        }
    }
    let mut forecasts: Vec<Vec<f64>> =
        made.into_iter().map(|forecast| forecast.unwrap_or_else(|| mean.clone())).collect();
    for ahead in 0..days {
        let factor = effects.factor(past.date(past.days() + ahead));
        if factor != 1.0 {
            for forecast in &mut forecasts {
                let row = &mut forecast[ahead * past.slots()..(ahead + 1) * past.slots()];
                row.iter_mut().for_each(|cell| *cell *= factor);
            }
        }
    }
    (count > 0).then_some((forecasts, able))
}

/// The runs from all [`origins`], latest first.
pub(crate) fn runs(history: &DayGrid, calendar: &Calendar) -> Vec<Run> {
    let run = |origin: usize| {
        let days = FARTHEST_DAYS.min(history.days() - origin);
        let effects = Effects::learn(history, origin, calendar);
        let past = Past::new(history, origin, &effects);
        let (forecasts, able) = forecast_all(&past, &effects, days)?;
        let slots = history.slots();
        let came = (0..days * slots)
            .map(|at| history.offered(origin + at / slots, at % slots).unwrap_or(f64::NAN))
            .collect();
        Some(Run { origin, slots, came, forecasts, able })
    };
    origins(history.days()).into_iter().filter_map(run).collect()
}
