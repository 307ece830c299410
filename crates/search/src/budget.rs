//! How far a search has come, and whether it goes on.

use crate::answer::{Tried, TriedWhat};
use crate::design::{Block, Design};
use crate::error::{SearchError, Stopped};
use crate::goal::Goals;
use crate::paired::mean_and_error;
use crate::play::Days;
use crate::progress::Progress;
use crate::question::Question;

/// What a search has found on its days, and what it may still spend.
pub(crate) struct Bench<'a> {
    pub question: &'a Question,
    pub blocks: &'a [Block],
    pub goals: Goals,
    /// The cheapest design that holds, with its days.
    pub best: Option<(f64, Design, Days)>,
    /// Designs that were simulated.
    pub tried: Vec<Tried>,
    phase: TriedWhat,
    days: u64,
    ask: &'a mut dyn FnMut(Progress) -> Option<Stopped>,
}

/// Days on which a design is sketched, at least.
const SKETCHED: u32 = 60;
const FEWEST_SKETCHED: u32 = 16;

/// A design is hopeless where it will miss a goal by so many standard errors of its difference from a
/// known one.
const HOPELESS_ERRORS: f64 = 2.5;

/// Days on which a design is tried first.
const FIRST_TRIED: u32 = 25;

impl<'a> Bench<'a> {
    pub fn new(
        question: &'a Question,
        blocks: &'a [Block],
        ask: &'a mut dyn FnMut(Progress) -> Option<Stopped>,
    ) -> Self {
        let goals = Goals::of(question);
        let (best, tried) = (None, Vec::new());
        Self { question, blocks, goals, best, tried, phase: TriedWhat::Cuts, days: 0, ask }
    }

    pub fn enter(&mut self, phase: TriedWhat) {
        self.phase = phase;
    }

    pub fn days_played(&self) -> u64 {
        self.days
    }

    /// Days that may still be simulated.
    pub fn days_left(&self) -> u64 {
        self.question.most_days.saturating_sub(self.days)
    }

    /// Plays days `from..until` of a design, whatever it costs; asks whether to go on before.
    pub fn play(
        &mut self,
        design: &Design,
        range: std::ops::Range<u32>,
    ) -> Result<Days, SearchError> {
        let progress = Progress {
            days: self.days,
            most_days: self.question.most_days,
            phase: self.phase.words(),
            best_cost: self.best.as_ref().map(|(cost, ..)| *cost),
        };
        match (self.ask)(progress) {
            Some(stopped) => return Err(SearchError::Stopped(stopped)),
            None if self.days >= self.question.most_days => {
                return Err(SearchError::Stopped(Stopped::Enough));
            }
            None => {}
        }
        self.days += u64::from(range.end - range.start);
        Days::play(&self.inputs(design)?, self.question, range)
    }

    /// Plays the days of the search of a design near one whose days are known; one that is hopeless
    /// beside it only in part, which gives `None`.
    pub fn try_design(
        &mut self,
        design: &Design,
        known: &Days,
    ) -> Result<Option<Days>, SearchError> {
        let all = self.question.days;
        let mut days = Days::default();
        let mut played = 0;
        // Twice as many each time: the same customers tell most differences within the first few days.
        let mut until = FIRST_TRIED.min(all);
        while played < all {
            let more = self.play(design, played..until)?;
            days.append(more);
            played = until;
            until = (2 * until).min(all);
            let is_hopeless = self.is_hopeless(known, &days) || self.is_dearer(design, &days);
            if played < all && is_hopeless {
                self.note(design, worst_of(&self.goals.slacks(&days)), &days);
                return Ok(None);
            }
        }
        self.keep(design, &days);
        Ok(Some(days))
    }

    /// Plays a part of the days of the search: enough to see where to look further.
    pub fn sketch(&mut self, design: &Design) -> Result<Days, SearchError> {
        let all = self.question.days;
        let least = self.question.telling_days(SKETCHED, FEWEST_SKETCHED);
        let days = self.play(design, 0..(all / 4).max(least).min(all))?;
        self.note(design, worst_of(&self.goals.slacks(&days)), &days);
        Ok(days)
    }

    /// Plays all days of the search.
    pub fn evaluate(&mut self, design: &Design) -> Result<Days, SearchError> {
        let days = self.play(design, 0..self.question.days)?;
        self.keep(design, &days);
        Ok(days)
    }

    pub fn holds(&self, days: &Days) -> bool {
        worst_of(&self.goals.slacks(days)) >= 0.0
    }

    fn inputs(&self, design: &Design) -> Result<barometer_plan::TrialInputs, SearchError> {
        design.inputs(self.question, self.blocks).map_err(SearchError::Setting)
    }

    fn keep(&mut self, design: &Design, days: &Days) {
        let (cost, worst) = (self.cost(design, days), worst_of(&self.goals.slacks(days)));
        self.note(design, worst, days);
        let is_better = self.best.as_ref().is_none_or(|(known, ..)| cost < known - 1e-9);
        if worst >= 0.0 && is_better {
            self.best = Some((cost, design.clone(), days.clone()));
        }
    }

    /// What a design costs on some days: its people, and what contacts cost.
    pub fn cost(&self, design: &Design, days: &Days) -> f64 {
        design.cost(self.blocks) + days.priced()
    }

    /// Keeps a design and its worst slack for the table of designs tried.
    pub fn note(&mut self, design: &Design, worst: f64, days: &Days) {
        self.tried.push(Tried {
            what: self.phase,
            cost: self.cost(design, days),
            worst,
            days: days.count() as u32,
            hours: design.hours_by_team(self.question, self.blocks),
            settings: design.settings.clone(),
        });
    }

    /// Whether a design costs more than the best, by what the first days tell of what the same contacts cost.
    fn is_dearer(&self, design: &Design, days: &Days) -> bool {
        let Some((_, best, known)) = self.best.as_ref().filter(|_| self.question.prices.are_any())
        else {
            return false;
        };
        let n = days.count().min(known.count());
        let pairs: Vec<f64> =
            (0..n).map(|day| days.priced_on(day) - known.priced_on(day)).collect();
        let (mean, error) = mean_and_error(&pairs);
        let dearer = design.cost(self.blocks) - best.cost(self.blocks) + mean;
        dearer > HOPELESS_ERRORS * error
    }

    /// Whether a goal will be missed on all days, by what the first of them tell: its slack on the known
    /// design's days, and how it changes on the same customers.
    fn is_hopeless(&self, known: &Days, days: &Days) -> bool {
        let slacks = self.goals.slacks(known);
        let before = known.first(days.count());
        let changes = self.goals.changes(&before, days);
        let goals = self.goals.all.iter().zip(slacks).zip(changes);
        goals.into_iter().any(|((goal, slack), change)| {
            let (old, new) = (goal.by_day(&before), goal.by_day(days));
            let pairs: Vec<f64> = old.iter().zip(&new).map(|(old, new)| new - old).collect();
            let (_, error) = mean_and_error(&pairs);
            slack + change < -HOPELESS_ERRORS * error
        })
    }
}

/// The worst of the slacks: negative where something does not hold.
pub(crate) fn worst_of(slacks: &[f64]) -> f64 {
    slacks.iter().copied().fold(f64::INFINITY, f64::min)
}
