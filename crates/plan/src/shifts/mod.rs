//! Shifts that follow the need at least cost: a set-covering problem over a week.
//!
//! A shape says what shifts are like: starts, days, and where the break may lie. The integer programme
//! (`programme`) chooses people by start and days, and breaks by day; `breaks` hands the breaks out.

mod breaks;
mod programme;

use serde::{Deserialize, Serialize};

use crate::integer::ProgrammeError;

pub use programme::fit_shifts;

/// What shifts of one kind are like.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ShiftShape {
    /// What the kind is called.
    pub name: String,
    /// Earliest start, minutes after midnight.
    pub first_start: u32,
    /// Latest start, minutes after midnight.
    pub last_start: u32,
    /// Minutes from start to end, breaks included.
    pub length: u32,
    /// Minutes of the break in it, unpaid; 0 for none.
    pub break_length: u32,
    /// The break begins at least so many minutes after the start, and ends as many before the end.
    pub break_margin: u32,
    /// Days that one person works in a week, 1 to 7.
    pub days: u32,
    /// How the free days lie.
    #[serde(default)]
    pub free_days: FreeDays,
    /// What a paid hour costs.
    pub cost_per_hour: f64,
    /// Most people of this kind; `None` for as many as it takes.
    pub most_people: Option<u32>,
}

/// How the free days of a week lie.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum FreeDays {
    /// In one stretch; Sunday and Monday are neighbours.
    #[default]
    Together,
    /// Anywhere.
    Anywhere,
}

/// A week's need and the shifts it may be met with.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ShiftProblem {
    /// Minutes of an interval; divides a day.
    pub interval: u32,
    /// People needed in every interval of seven days, Monday's first.
    pub required: Vec<u32>,
    /// Kinds of shifts.
    pub shapes: Vec<ShiftShape>,
}

/// Why shifts cannot be fitted.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ShiftError {
    /// A field of a shape is out of range.
    #[error("shift {shape}, {field}: {message}")]
    Shape {
        /// Number of the shape, from 0.
        shape: usize,
        /// Name of the field.
        field: &'static str,
        /// What would do.
        message: String,
    },
    /// Some interval needs people whom no shift reaches.
    #[error("nobody can be there on {day} at {at}, when {required} are needed; {instead}", day = DAYS[*day])]
    OutOfReach {
        /// Day, Monday is 0.
        day: usize,
        /// Time of day as it is written.
        at: String,
        /// People needed.
        required: u32,
        /// The nearest thing that would reach it.
        instead: String,
    },
    /// The week has another number of intervals than it should have.
    #[error("the week has {got} intervals, not {wanted}")]
    Length {
        /// Intervals given.
        got: usize,
        /// Intervals of a week.
        wanted: usize,
    },
    /// The integer programme was not solved.
    #[error(transparent)]
    Programme(#[from] ProgrammeError),
}

const DAYS: [&str; 7] =
    ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];

/// So many people with the same shift on the same days.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FittedShift {
    /// Number of the shape.
    pub shape: usize,
    /// Start, minutes after midnight.
    pub start: u32,
    /// When the break of each day begins, minutes after the start, Monday first; `None` without one.
    pub breaks: [Option<u32>; 7],
    /// Whether they work on each day, Monday first.
    pub works: [bool; 7],
    /// People.
    pub people: u32,
}

/// What has been found so far.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FitProgress {
    /// Cost of a week of the best roster so far, missing people not counted.
    pub cost: f64,
    /// No roster can be better than the best one by more than this share; `None` when not known.
    pub gap: Option<f64>,
}

/// A week's roster by shifts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FittedRoster {
    /// Shifts with at least one person.
    pub shifts: Vec<FittedShift>,
    /// People there in every interval of the week, those on their break not counted.
    pub there: Vec<u32>,
    /// Cost of a week.
    pub cost: f64,
    /// Paid hours of a week.
    pub paid_hours: f64,
    /// No roster can be better by more than this share; 0 when this one is the best.
    pub gap: Option<f64>,
    /// What one more person needed in each interval of the week costs, of the relaxed programme.
    #[serde(default)]
    pub prices: Vec<f64>,
}

/// Whether shifts could be fitted: the shapes are right and reach every interval that needs people.
///
/// # Errors
///
/// As [`fit_shifts`], before the search.
pub fn check_shifts(problem: &ShiftProblem) -> Result<(), ShiftError> {
    let ShiftProblem { interval, required, shapes } = problem;
    let day = problem.intervals_of_day();
    if required.len() != 7 * day {
        return Err(ShiftError::Length { got: required.len(), wanted: 7 * day });
    }
    for (number, shape) in shapes.iter().enumerate() {
        shape.check(number, *interval)?;
    }
    // A break hides no interval for good: somebody else's lies elsewhere, or people are missing there.
    let mut reached = vec![false; required.len()];
    for shape in shapes {
        for start in shape.starts(*interval) {
            for works in shape.weeks() {
                problem.presence(shape, start, works).for_each(|at| reached[at] = true);
            }
        }
    }
    match (0..required.len()).find(|&at| required[at] > 0 && !reached[at]) {
        Some(at) => Err(out_of_reach(problem, at, day)),
        None => Ok(()),
    }
}

impl ShiftProblem {
    fn intervals_of_day(&self) -> usize {
        (24 * 60 / self.interval) as usize
    }

    /// Intervals of the week from start to end of a shift on its days, breaks included. The last night
    /// ends with the week.
    fn presence(
        &self,
        shape: &ShiftShape,
        start: u32,
        works: [bool; 7],
    ) -> impl Iterator<Item = usize> + use<> {
        let (day, week) = (self.intervals_of_day(), self.required.len());
        let first = (start / self.interval) as usize;
        let length = (shape.length / self.interval) as usize;
        (0..7)
            .filter(move |&weekday| works[weekday])
            .flat_map(move |weekday| (0..length).map(move |at| weekday * day + first + at))
            .filter(move |&at| at < week)
    }
}

impl ShiftShape {
    fn check(&self, shape: usize, interval: u32) -> Result<(), ShiftError> {
        let wrong = |field, message: String| Err(ShiftError::Shape { shape, field, message });
        let on_grid = |minutes: u32| minutes.is_multiple_of(interval);
        if self.length < 2 * interval || self.length > 16 * 60 {
            return wrong("length", format!("must be {} to 960 minutes", 2 * interval));
        }
        if self.first_start >= 24 * 60 {
            return wrong("first_start", "must be a time of day".to_owned());
        }
        if self.last_start < self.first_start || self.last_start >= 24 * 60 {
            return wrong(
                "last_start",
                "must be a time of day not before the earliest start".into(),
            );
        }
        for (field, minutes) in [
            ("first_start", self.first_start),
            ("last_start", self.last_start),
            ("length", self.length),
            ("break_length", self.break_length),
            ("break_margin", self.break_margin),
        ] {
            if !on_grid(minutes) {
                return wrong(
                    field,
                    format!("must be a multiple of {interval} minutes, the interval"),
                );
            }
        }
        if self.break_length > 0 && 2 * self.break_margin + self.break_length > self.length {
            let most = (self.length - self.break_length.min(self.length)) / 2 / interval * interval;
            return wrong(
                "break_margin",
                format!("leaves no room for the break; at most {most} minutes do"),
            );
        }
        if !(1..=7).contains(&self.days) {
            return wrong("days", "must be 1 to 7 days a week".to_owned());
        }
        if !(self.cost_per_hour > 0.0 && self.cost_per_hour <= 1e6) {
            return wrong("cost_per_hour", "must be above 0".to_owned());
        }
        Ok(())
    }

    fn paid_hours(&self) -> f64 {
        f64::from(self.length - self.break_length) / 60.0
    }

    fn starts(&self, interval: u32) -> impl Iterator<Item = u32> {
        (self.first_start..=self.last_start).step_by(interval as usize)
    }

    /// When a break may begin in a shift from `start`, minutes after midnight; `None` without breaks.
    fn break_window(&self, start: u32) -> Option<std::ops::RangeInclusive<u32>> {
        let last = start + self.length - self.break_margin - self.break_length;
        (self.break_length > 0).then(|| start + self.break_margin..=last)
    }

    /// Every set of days that a week may have.
    fn weeks(&self) -> Vec<[bool; 7]> {
        if self.days == 7 {
            return vec![[true; 7]];
        }
        match self.free_days {
            FreeDays::Together => (0..7)
                .map(|first| std::array::from_fn(|day| (day + 7 - first) % 7 < self.days as usize))
                .collect(),
            FreeDays::Anywhere => (0u32..1 << 7)
                .filter(|days| days.count_ones() == self.days)
                .map(|days| std::array::from_fn(|day| days & 1 << day != 0))
                .collect(),
        }
    }
}

fn out_of_reach(problem: &ShiftProblem, at: usize, day: usize) -> ShiftError {
    let minute = (at % day) as u32 * problem.interval;
    let clock = |minute: u32| format!("{:02}:{:02}", minute / 60 % 24, minute % 60);
    let instead = match problem.shapes.iter().map(|shape| shape.first_start).min() {
        None => "add a kind of shift".to_owned(),
        Some(first) if minute < first => {
            format!("let a kind of shift start at {} or before", clock(minute))
        }
        Some(_) => {
            let longest = problem.shapes.iter().map(|shape| shape.length).max().unwrap_or(0);
            let start = (minute + problem.interval).saturating_sub(longest);
            format!("let a kind of shift start at {} or later, or last longer", clock(start))
        }
    };
    let required = problem.required[at];
    ShiftError::OutOfReach { day: at / day, at: clock(minute), required, instead }
}

impl FittedRoster {
    /// When a person of `shift` is there on `day` of the week, Monday 0, as stretches of minutes after
    /// that day's midnight, before and after the break; none on a free day.
    pub fn stretches(shift: &FittedShift, shape: &ShiftShape, day: usize) -> Vec<(u32, u32)> {
        if !shift.works[day] {
            return Vec::new();
        }
        let end = shift.start + shape.length;
        match shift.breaks[day] {
            None => vec![(shift.start, end)],
            Some(at) => {
                let from = shift.start + at;
                vec![(shift.start, from), (from + shape.break_length, end)]
            }
        }
    }
}
