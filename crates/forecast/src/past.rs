//! What was known on one morning, in the form that every method starts from.
//!
//! Special days are taken out first: each day's contacts are divided by the day's factor, so that a
//! method sees ordinary weeks only, and what it forecasts is multiplied by the factors of the days
//! to come ([`crate::effects`]). A cell of which nothing is known is `NaN` in here, since half of
//! the arithmetic would otherwise be unwrapping.

use jiff::civil::Date;

use crate::effects::Effects;
use crate::grid::{DayGrid, day_after};
use crate::level::{even_logs, jumps};
use crate::profile::Profiles;
use crate::robust::median_and_spread;
use crate::special_days::Calendar;

/// A slot is open on a weekday when at least this share of the latest such days has history for it.
const OPEN_SHARE: f64 = 0.25;
/// Same weekdays that are asked whether a slot is open.
const OPEN_WEEKS: usize = 12;
/// Same weekdays on either side that an outlying day is measured against.
const CALM_WEEKS: usize = 4;
/// Standard deviations beyond which a day's total is drawn in.
const CALM_LIMIT: f64 = 4.0;
/// A day of which so much is left when it is drawn in was drawn in by nothing but rounding.
const ORDINARY_SHARE: f64 = 0.999;
/// First and last day after a jump of the level on which the past is lifted to it.
const RECENT_JUMP: (usize, usize) = (7, 28);
/// The least share of a recent jump that is believed.
const JUMP_TRUST: f64 = 0.8;
/// The least spread of log totals that counts as ordinary.
const LEAST_SPREAD: f64 = 0.05;

/// History up to one morning, without the effects of special days.
#[derive(Clone, Debug)]
pub struct Past {
    days: usize,
    slots: usize,
    first: Date,
    first_weekday: usize,
    /// Contacts per day and slot.
    values: Vec<f64>,
    /// Per weekday and slot.
    open: Vec<bool>,
    /// Contacts per day, completed where slots are missing.
    totals: Vec<f64>,
    /// The totals with outlying days drawn in.
    calm: Vec<f64>,
    profiles: Profiles,
}

impl Past {
    /// The past on the morning of day `until` of `history`.
    pub(crate) fn new(history: &DayGrid, until: usize, effects: &Effects) -> Self {
        let (days, slots) = (until.min(history.days()), history.slots());
        let mut values = vec![f64::NAN; days * slots];
        for (day, row) in values.chunks_exact_mut(slots).enumerate() {
            let factor = effects.divisor(history.day(day));
            let Some(factor) = factor else { continue };
            for (slot, value) in row.iter_mut().enumerate() {
                *value = history.offered(day, slot).map_or(f64::NAN, |offered| offered / factor);
            }
        }
        let mut past = Self {
            days,
            slots,
            first: history.first_day(),
            first_weekday: history.weekday(0),
            open: vec![false; 7 * slots],
            totals: Vec::new(),
            calm: Vec::new(),
            profiles: Profiles::default(),
            values,
        };
        past.find_open_slots();
        past.profiles = Profiles::choose(&past);
        past.totals = (0..days).map(|day| past.completed_total(day)).collect();
        past.rebase();
        past.calm = past.drawn_in();
        past
    }

    /// Days of history.
    pub fn days(&self) -> usize {
        self.days
    }

    /// Slots in a day.
    pub fn slots(&self) -> usize {
        self.slots
    }

    /// 0 for Monday to 6 for Sunday, also of days to come.
    pub fn weekday(&self, day: usize) -> usize {
        (self.first_weekday + day) % 7
    }

    /// Date of a day, also of one to come.
    pub fn date(&self, day: usize) -> Date {
        day_after(self.first, day)
    }

    /// Contacts per slot on a day; `NaN` where unknown.
    pub fn row(&self, day: usize) -> &[f64] {
        &self.values[day * self.slots..(day + 1) * self.slots]
    }

    /// Whether contacts are answered in a slot of a weekday.
    pub fn is_open(&self, weekday: usize, slot: usize) -> bool {
        self.open[weekday * self.slots + slot]
    }

    /// Whether contacts are answered at all on a weekday.
    pub fn is_open_day(&self, weekday: usize) -> bool {
        self.open[weekday * self.slots..(weekday + 1) * self.slots].contains(&true)
    }

    /// Contacts per day, completed where slots are missing; `NaN` where over half is.
    pub fn totals(&self) -> &[f64] {
        &self.totals
    }

    /// The daily totals with outlying days drawn in towards the same weekdays around them.
    pub fn calm_totals(&self) -> &[f64] {
        &self.calm
    }

    /// Median and spread of `ln(1 + total)` of the same weekdays around a day; `None` when fewer
    /// than three are known. The spread is at least that of counting.
    pub(crate) fn log_around(&self, day: usize) -> Option<(f64, f64)> {
        let mut around = [0.0; 2 * CALM_WEEKS];
        let mut known = 0;
        for weeks in 1..=CALM_WEEKS {
            for other in [day.checked_sub(7 * weeks), Some(day + 7 * weeks)].into_iter().flatten() {
                if let Some(total) = self.totals.get(other).filter(|total| total.is_finite()) {
                    around[known] = total.ln_1p();
                    known += 1;
                }
            }
        }
        let (middle, spread) = median_and_spread(&mut around[..known]).filter(|_| known >= 3)?;
        let counting = 1.0 / middle.exp().sqrt();
        Some((middle, spread.max(counting).max(LEAST_SPREAD)))
    }

    fn drawn_in(&self) -> Vec<f64> {
        let drawn_in = |day: usize| {
            let total = self.totals[day];
            let Some((middle, spread)) = self.log_around(day).filter(|_| total.is_finite()) else {
                return total;
            };
            let limit = CALM_LIMIT * spread;
            total.ln_1p().clamp(middle - limit, middle + limit).exp_m1().max(0.0)
        };
        (0..self.days).map(drawn_in).collect()
    }

    /// Same weekdays before the day with index `day` (which may be to come), latest first.
    pub fn same_weekdays(&self, day: usize) -> impl Iterator<Item = usize> + '_ {
        let ahead = day.saturating_sub(self.days) / 7;
        (ahead + 1..)
            .map_while(move |weeks| day.checked_sub(7 * weeks))
            .skip_while(|&past| past >= self.days)
    }

    /// Spreads daily totals to come over their slots: the shape of the weekday times the total.
    pub fn spread(&self, totals: impl Iterator<Item = f64>) -> Vec<f64> {
        let mut cells = Vec::new();
        for (ahead, total) in totals.enumerate() {
            let weekday = self.weekday(self.days + ahead);
            cells.extend(self.profiles.of(weekday).iter().map(|share| share * total.max(0.0)));
        }
        cells
    }

    /// What is left of a day's contacts when an outlying total is drawn in: 1 on an ordinary day.
    pub(crate) fn calm_share(&self, day: usize) -> f64 {
        let (total, calm) = (self.totals[day], self.calm[day]);
        if calm < ORDINARY_SHARE * total { calm / total } else { 1.0 }
    }

    /// The share of a weekday's contacts in each slot.
    pub(crate) fn shape(&self, weekday: usize) -> &[f64] {
        self.profiles.of(weekday)
    }

    /// Contacts to expect in a slot of a day that brings `total`.
    pub(crate) fn expected(&self, day: usize, slot: usize, total: f64) -> f64 {
        self.profiles.of(self.weekday(day))[slot] * total
    }

    /// Lifts what was before a jump of the last weeks to the new level: no average over weeks
    /// would follow it in time.
    ///
    /// Older jumps are for the planner to decide about ([`crate::cleaning`]); by then the methods
    /// have followed.
    fn rebase(&mut self) {
        let even = even_logs(self, |_| true);
        let latest = jumps(&even, RECENT_JUMP.0).pop();
        let Some(jump) = latest.filter(|jump| jump.day + RECENT_JUMP.1 >= self.days) else {
            return;
        };
        let known = (self.days - jump.day) as f64;
        // One week at a new level may yet be a whim; two are believed.
        let trust = (known / 14.0).clamp(JUMP_TRUST, 1.0);
        let factor = (trust * jump.log_ratio).exp();
        self.values[..jump.day * self.slots].iter_mut().for_each(|value| *value *= factor);
        self.totals[..jump.day].iter_mut().for_each(|total| *total *= factor);
    }

    fn find_open_slots(&mut self) {
        for weekday in 0..7 {
            let Some(latest) =
                (self.days.saturating_sub(7)..self.days).find(|&day| self.weekday(day) == weekday)
            else {
                continue;
            };
            let days: Vec<usize> = std::iter::once(latest)
                .chain(self.same_weekdays(latest))
                .take(OPEN_WEEKS)
                .collect();
            // Days of which nothing at all is known say nothing, unless they all do.
            let known: Vec<usize> = days
                .into_iter()
                .filter(|&day| self.row(day).iter().any(|value| value.is_finite()))
                .collect();
            let least = (OPEN_SHARE * known.len() as f64).max(1.0);
            for slot in 0..self.slots {
                let seen = known.iter().filter(|&&day| self.row(day)[slot].is_finite()).count();
                self.open[weekday * self.slots + slot] = seen as f64 >= least;
            }
        }
    }

    fn completed_total(&self, day: usize) -> f64 {
        let shares = self.profiles.of(self.weekday(day));
        let (mut contacts, mut share) = (0.0, 0.0);
        for (expected, value) in shares.iter().zip(self.row(day)) {
            if value.is_finite() {
                contacts += value;
                share += expected;
            }
        }
        if share > 0.5 { contacts / share } else { f64::NAN }
    }
}

/// Contacts per day as a forecast sees them: completed where some slots are missing, none where
/// over half is. Special days are evened out.
pub fn completed_totals(history: &DayGrid, calendar: &Calendar) -> Vec<Option<f64>> {
    let effects = Effects::learn(history, history.days(), calendar);
    let mut past = Past::new(history, history.days(), &effects);
    // As recorded, not lifted to a new level.
    past.totals = (0..past.days).map(|day| past.completed_total(day)).collect();
    past.totals.iter().map(|total| total.is_finite().then_some(*total)).collect()
}

/// The share of each weekday (Monday first) that falls into each slot; all zero where it is closed.
pub fn day_shapes(history: &DayGrid) -> [Vec<f64>; 7] {
    let effects = Effects::learn(history, 0, &Calendar::default());
    let past = Past::new(history, history.days(), &effects);
    std::array::from_fn(|weekday| past.profiles.of(weekday).to_vec())
}
