//! How good each method has been, on weeks that it was not shown.

use jiff::civil::Date;

use crate::combination::{combine, weights};
use crate::effects::Effects;
use crate::grid::DayGrid;
use crate::methods::{METHODS, MethodName};
use crate::special_days::Calendar;
use crate::trial_runs::{JUDGED_DAYS, Run};
use crate::uncertainty::{Error, Uncertainty};

/// Parts into which the mornings are divided, so that the combination's weights never come from
/// the weeks that it is judged on.
const FOLDS: usize = 3;
/// A single method is preferred to the combination only when it was better by this share, and the more so the fewer
/// stretches of four weeks there are to tell by: the second number is divided by them. Mornings that overlap share
/// their luck, so they do not count on their own.
const CLEARLY_BETTER: (f64, f64) = (0.005, 0.12);
/// Contacts a day under which no single method is preferred.
const FEW_A_DAY: f64 = 20.0;
/// The horizons that errors are told for: first and last day ahead.
pub const HORIZONS: [(usize, usize); 5] = [(1, 1), (2, 7), (8, 14), (15, 28), (29, 56)];

/// How far a method was off.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Errors {
    /// Σ |forecast − came| / Σ came over intervals, as a share (WAPE).
    pub interval_wape: f64,
    /// The same over days.
    pub daily_wape: f64,
    /// (Σ forecast − Σ came) / Σ came: above zero when the forecast was too high.
    pub bias: f64,
    /// Mean absolute interval error over that of the same slot a week before, within the history
    /// known at the time (MASE, Hyndman & Koehler 2006); none where every week was alike.
    pub mase: Option<f64>,
}

/// One method's record.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Record {
    /// The method.
    pub method: MethodName,
    /// Its errors over the first four weeks after each morning.
    pub errors: Errors,
    /// Interval WAPE per horizon of [`HORIZONS`]; none where no history reaches.
    pub by_horizon: Vec<Option<f64>>,
    /// The share that it has in the combination now.
    pub weight: f64,
}

/// Shares of what came that lay within the bands; nominal are 0.80 and 0.95.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Coverage {
    /// Of intervals, in the 80 % band.
    pub intervals_80: f64,
    /// Of intervals, in the 95 % band.
    pub intervals_95: f64,
    /// Of days, in the 80 % band.
    pub days_80: f64,
    /// Of days, in the 95 % band.
    pub days_95: f64,
}

/// One held-out day: what was forecast and what came.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct HeldOutDay {
    /// The day.
    pub day: Date,
    /// Contacts forecast, in the intervals of which it is known what came.
    pub forecast: f64,
    /// Contacts that came.
    pub came: f64,
}

/// Where the error sits: WAPE of the chosen method.
#[derive(Clone, Debug, Default, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct ErrorBy {
    /// Interval WAPE per weekday, Monday first; none where nothing came.
    pub weekday: Vec<Option<f64>>,
    /// Interval WAPE per wall-clock slot.
    pub slot: Vec<Option<f64>>,
    /// Daily WAPE of ordinary days.
    pub ordinary_days: Option<f64>,
    /// Daily WAPE of special days.
    pub special_days: Option<f64>,
}

/// All methods beside each other on the same held-out weeks.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Backtest {
    /// Mornings from which it was forecast again.
    pub origins: usize,
    /// Days judged after each, at most.
    pub horizon_days: usize,
    /// Every method that could forecast, in the order of [`MethodName::ALL`].
    pub records: Vec<Record>,
    /// The method that did best.
    pub best: MethodName,
    /// The method that the rest of this is about.
    pub method: MethodName,
    /// How often the bands held. Measured morning by morning with bands from the other mornings.
    pub coverage: Option<Coverage>,
    /// Where its error sits.
    pub error_by: ErrorBy,
    /// The days after the latest morning, oldest first.
    pub latest_days: Vec<HeldOutDay>,
}

impl Backtest {
    /// A method's record.
    pub fn record(&self, method: MethodName) -> Option<&Record> {
        self.records.iter().find(|record| record.method == method)
    }

    /// The errors of the method that the forecast is made with.
    pub fn errors(&self) -> Option<&Errors> {
        self.record(self.method).map(|record| &record.errors)
    }

    /// The errors of "the same slot a week before".
    pub fn naive(&self) -> Option<&Errors> {
        self.record(MethodName::SeasonalNaive).map(|record| &record.errors)
    }
}

/// What the runs teach: the weights, the records and the spread.
pub(crate) struct Lessons {
    pub weights: Vec<f64>,
    pub backtest: Option<Backtest>,
    pub uncertainty: Uncertainty,
}

/// Judges every method on the runs and learns weights and bands from them.
pub(crate) fn learn(
    history: &DayGrid,
    calendar: &Calendar,
    runs: &[Run],
    pinned: Option<MethodName>,
) -> Lessons {
    let able: Vec<bool> =
        (0..METHODS.len()).map(|at| runs.iter().any(|run| run.able[at])).collect();
    let all_weights = weights(runs.iter(), history.days());
    let combined = cross_combined(runs);
    let of = |method: MethodName, at: usize| -> &[f64] {
        match METHODS.iter().position(|each| each.name() == method) {
            Some(index) => &runs[at].forecasts[index],
            None => &combined[at],
        }
    };
    let scale = naive_scale(history, runs);
    let records: Vec<Record> = MethodName::ALL
        .into_iter()
        .enumerate()
        .filter(|&(at, _)| able.get(at).copied().unwrap_or(!runs.is_empty()))
        .filter_map(|(at, method)| {
            let mut tally = Tally::default();
            let mut horizons = [Tally::default(); HORIZONS.len()];
            for (index, run) in runs.iter().enumerate() {
                for day in 0..run.days() {
                    let cells = day * run.slots..(day + 1) * run.slots;
                    let (forecast, came) = (&of(method, index)[cells.clone()], &run.came[cells]);
                    if day < JUDGED_DAYS {
                        tally.add_day(forecast, came);
                    }
                    let horizon =
                        HORIZONS.iter().position(|&(from, to)| (from..=to).contains(&(day + 1)));
                    if let Some(horizon) = horizon {
                        horizons[horizon].add_day(forecast, came);
                    }
                }
            }
            Some(Record {
                method,
                errors: tally.errors(scale)?,
                by_horizon: horizons.map(|tally| tally.wape()).to_vec(),
                weight: all_weights.get(at).copied().unwrap_or(0.0),
            })
        })
        .collect();
    let Some(best) = best(&records, runs) else {
        return Lessons {
            weights: all_weights,
            backtest: None,
            uncertainty: Uncertainty::learn(&[], &[], 0.0),
        };
    };
    let method = pinned.filter(|pinned| records.iter().any(|record| record.method == *pinned));
    let method = method.unwrap_or(best);
    let errors: Vec<RunErrors> = runs
        .iter()
        .enumerate()
        .map(|(at, run)| RunErrors::of(history, calendar, run, of(method, at)))
        .collect();
    let learnt = |skip: Option<usize>| {
        let of = |pick: fn(&RunErrors) -> &Vec<Error>| -> Vec<Error> {
            let kept = errors
                .iter()
                .enumerate()
                .filter(|&(at, _)| Some(fold_of(at, errors.len())) != skip);
            kept.flat_map(|(_, errors)| pick(errors).iter().copied()).collect()
        };
        let stretches = stretches(runs);
        Uncertainty::learn(&of(|errors| &errors.days), &of(|errors| &errors.intervals), stretches)
    };
    let backtest = Backtest {
        origins: runs.len(),
        horizon_days: runs.iter().map(Run::judged_days).max().unwrap_or(0),
        best,
        method,
        coverage: coverage(&errors, learnt),
        error_by: error_by(history, calendar, runs, |at| of(method, at)),
        latest_days: runs.first().map_or_else(Vec::new, |run| {
            (0..run.judged_days()).map(|day| held_out(history, run, of(method, 0), day)).collect()
        }),
        records,
    };
    Lessons { weights: all_weights, backtest: Some(backtest), uncertainty: learnt(None) }
}

/// The combination's forecasts, run by run, with weights from the other thirds of the runs.
fn cross_combined(runs: &[Run]) -> Vec<Vec<f64>> {
    let folds: Vec<Vec<f64>> = (0..FOLDS)
        .map(|fold| {
            let others = runs.iter().enumerate().filter(move |(at, _)| at % FOLDS != fold);
            weights(others.map(|(_, run)| run), 0)
        })
        .collect();
    runs.iter().enumerate().map(|(at, run)| combine(&run.forecasts, &folds[at % FOLDS])).collect()
}

/// The part of the mornings that one belongs to when bands are judged. Parts are blocks: neighbouring mornings look at
/// the same weeks, so bands learnt from one of them would know the other's errors.
fn fold_of(at: usize, runs: usize) -> usize {
    at * FOLDS / runs.max(1)
}

/// Stretches of four weeks that the runs cover: runs that overlap share their luck.
fn stretches(runs: &[Run]) -> f64 {
    let first = runs.iter().map(|run| run.origin).min().unwrap_or(0);
    let last = runs.iter().map(|run| run.origin + run.judged_days()).max().unwrap_or(0);
    (last - first) as f64 / JUDGED_DAYS as f64
}

fn best(records: &[Record], runs: &[Run]) -> Option<MethodName> {
    let clearly = CLEARLY_BETTER.0 + CLEARLY_BETTER.1 / stretches(runs).max(1.0);
    let total = |record: &Record| record.errors.interval_wape + record.errors.daily_wape;
    let least = records.iter().min_by(|a, b| total(a).total_cmp(&total(b)))?;
    let combination = records.iter().find(|record| record.method == MethodName::Combination);
    let Some(combination) = combination else { return Some(least.method) };
    // The absolute error of few contacts is least for forecasts that are too low.
    let can_tell = contacts_a_day(runs) >= FEW_A_DAY;
    let is_better = total(least) < total(combination) * (1.0 - clearly);
    Some(if can_tell && is_better { least.method } else { MethodName::Combination })
}

/// Mean contacts of the judged days.
fn contacts_a_day(runs: &[Run]) -> f64 {
    let judged = runs.iter().map(|run| &run.came[..run.judged_days() * run.slots]);
    let sum: f64 = judged.flatten().filter(|came| came.is_finite()).sum();
    sum / runs.iter().map(Run::judged_days).sum::<usize>().max(1) as f64
}

/// Mean absolute difference of intervals a week apart, in the history before the earliest run;
/// none where there is no difference.
fn naive_scale(history: &DayGrid, runs: &[Run]) -> Option<f64> {
    let until = runs.iter().map(|run| run.origin).min().unwrap_or(0);
    let (mut sum, mut count) = (0.0, 0.0);
    for day in 7..until {
        for slot in 0..history.slots() {
            if let (Some(now), Some(before)) =
                (history.offered(day, slot), history.offered(day - 7, slot))
            {
                sum += (now - before).abs();
                count += 1.0;
            }
        }
    }
    (sum > 0.0).then(|| sum / count)
}

struct RunErrors {
    days: Vec<Error>,
    intervals: Vec<Error>,
}

impl RunErrors {
    fn of(history: &DayGrid, calendar: &Calendar, run: &Run, forecast: &[f64]) -> Self {
        let effects = Effects::learn(history, run.origin, calendar);
        let mut errors = Self { days: Vec::new(), intervals: Vec::new() };
        for day in 0..run.judged_days() {
            let calendar_variance = effects.variance(history.day(run.origin + day));
            let error =
                |forecast, came| Error { ahead: day + 1, forecast, came, calendar_variance };
            let (mut day_forecast, mut day_came, mut all, mut known) = (0.0, 0.0, 0.0, 0);
            let cells = day * run.slots..(day + 1) * run.slots;
            for (&forecast, &came) in forecast[cells.clone()].iter().zip(&run.came[cells]) {
                all += forecast;
                if came.is_finite() {
                    known += 1;
                    day_forecast += forecast;
                    day_came += came;
                    if forecast > 0.0 {
                        errors.intervals.push(error(forecast, came));
                    }
                }
            }
            // A day of which a good part is missing is no day.
            if known > 0 && day_forecast >= 0.9 * all && day_forecast > 0.0 {
                errors.days.push(error(day_forecast, day_came));
            }
        }
        errors
    }
}

fn coverage(
    errors: &[RunErrors],
    learnt: impl Fn(Option<usize>) -> Uncertainty,
) -> Option<Coverage> {
    if errors.len() < FOLDS {
        return None;
    }
    let mut held = [0.0; 4];
    let (mut days, mut intervals) = (0.0, 0.0);
    for fold in 0..FOLDS {
        let spread = learnt(Some(fold));
        let own = errors.iter().enumerate().filter(|&(at, _)| fold_of(at, errors.len()) == fold);
        for (_, run) in own {
            for error in &run.intervals {
                let band = spread.of_interval(error.ahead, error.forecast, error.calendar_variance);
                held[0] += f64::from(band.holds_80(error.came));
                held[1] += f64::from(band.holds_95(error.came));
                intervals += 1.0;
            }
            for error in &run.days {
                let band = spread.of_day(error.ahead, error.forecast, error.calendar_variance);
                held[2] += f64::from(band.holds_80(error.came));
                held[3] += f64::from(band.holds_95(error.came));
                days += 1.0;
            }
        }
    }
    (days > 0.0 && intervals > 0.0).then(|| Coverage {
        intervals_80: held[0] / intervals,
        intervals_95: held[1] / intervals,
        days_80: held[2] / days,
        days_95: held[3] / days,
    })
}

fn error_by<'a>(
    history: &DayGrid,
    calendar: &Calendar,
    runs: &[Run],
    forecast: impl Fn(usize) -> &'a [f64],
) -> ErrorBy {
    let mut weekday = [Tally::default(); 7];
    let mut slot = vec![Tally::default(); history.slots()];
    let mut days = [Tally::default(); 2];
    for (at, run) in runs.iter().enumerate() {
        for day in 0..run.judged_days() {
            let cells = day * run.slots..(day + 1) * run.slots;
            let (forecast, came) = (&forecast(at)[cells.clone()], &run.came[cells]);
            weekday[history.weekday(run.origin + day)].add_day(forecast, came);
            let special = !calendar.on(history.day(run.origin + day)).is_empty();
            days[usize::from(special)].add_day(forecast, came);
            for (at, tally) in slot.iter_mut().enumerate() {
                tally.add_day(&forecast[at..=at], &came[at..=at]);
            }
        }
    }
    ErrorBy {
        weekday: weekday.iter().map(Tally::wape).collect(),
        slot: slot.iter().map(Tally::wape).collect(),
        ordinary_days: days[0].daily_wape(),
        special_days: days[1].daily_wape(),
    }
}

fn held_out(history: &DayGrid, run: &Run, forecast: &[f64], day: usize) -> HeldOutDay {
    let mut tally = Tally::default();
    let cells = day * run.slots..(day + 1) * run.slots;
    tally.add_day(&forecast[cells.clone()], &run.came[cells]);
    HeldOutDay { day: history.day(run.origin + day), forecast: tally.forecast, came: tally.came }
}

#[derive(Clone, Copy, Default)]
struct Tally {
    cells: f64,
    came: f64,
    forecast: f64,
    interval_error: f64,
    daily_error: f64,
}

impl Tally {
    /// Adds a day's intervals; those of which nothing is known do not count.
    fn add_day(&mut self, forecast: &[f64], came: &[f64]) {
        let (mut day_forecast, mut day_came) = (0.0, 0.0);
        for (forecast, came) in forecast.iter().zip(came).filter(|(_, came)| came.is_finite()) {
            self.cells += 1.0;
            self.interval_error += (forecast - came).abs();
            day_forecast += forecast;
            day_came += came;
        }
        self.daily_error += (day_forecast - day_came).abs();
        self.forecast += day_forecast;
        self.came += day_came;
    }

    fn wape(&self) -> Option<f64> {
        (self.came > 0.0).then(|| self.interval_error / self.came)
    }

    fn daily_wape(&self) -> Option<f64> {
        (self.came > 0.0).then(|| self.daily_error / self.came)
    }

    fn errors(&self, naive_scale: Option<f64>) -> Option<Errors> {
        Some(Errors {
            interval_wape: self.wape()?,
            daily_wape: self.daily_wape()?,
            bias: (self.forecast - self.came) / self.came,
            mase: naive_scale.map(|scale| self.interval_error / self.cells / scale),
        })
    }
}
