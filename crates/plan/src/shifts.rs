//! Shifts that follow the need at least cost: a set-covering problem over a week.
//!
//! A shape says what shifts are like; every start, break and set of days that it allows is a column
//! of the integer programme, every interval of the week a row. People missing in a row cost so much
//! that they are missing only where no shift reaches, or no more people may be had.

use std::time::Duration;

use microlp::{
    ComparisonOp, OptimizationDirection, Problem, ResumeOptions, SolveOptions, Variable,
};
use serde::{Deserialize, Serialize};

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
    /// What a paid hour costs.
    pub cost_per_hour: f64,
    /// Most people of this kind; `None` for as many as it takes.
    pub most_people: Option<u32>,
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
    /// Too many starts, breaks and days to choose from.
    #[error("{columns} different shifts are too many to choose from; allow fewer starts or kinds")]
    TooMany {
        /// Columns of the programme.
        columns: usize,
    },
    /// The solver gave up.
    #[error("the solver gave up: {0}")]
    Solver(String),
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
    /// When the break begins, minutes after the start; `None` without one.
    pub break_at: Option<u32>,
    /// Whether they work on each day, Monday first.
    pub works: [bool; 7],
    /// People.
    pub people: u32,
}

/// What has been found so far.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FitProgress {
    /// Time spent.
    pub elapsed: Duration,
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
}

/// Columns that are still solved in reasonable time.
const MOST_COLUMNS: usize = 6000;

/// What a person missing for an interval costs, as a multiple of the dearest paid interval.
const MISSING: f64 = 50.0;

/// A roster within this share of the bound is as good as the best.
const CLOSE_ENOUGH: f64 = 1e-4;

/// Time between two looks at whether to go on.
const SLICE: Duration = Duration::from_millis(400);

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

    fn breaks(&self, interval: u32) -> Vec<Option<u32>> {
        if self.break_length == 0 {
            return vec![None];
        }
        let last = self.length - self.break_margin - self.break_length;
        (self.break_margin..=last).step_by(interval as usize).map(Some).collect()
    }

    /// Every way to have the free days of a week together.
    fn weeks(&self) -> Vec<[bool; 7]> {
        if self.days == 7 {
            return vec![[true; 7]];
        }
        let works =
            |first: usize| std::array::from_fn(|day| (day + 7 - first) % 7 < self.days as usize);
        (0..7).map(works).collect()
    }
}

/// A shift that somebody may have: which intervals of the week it fills.
struct Column {
    shift: FittedShift,
    fills: Vec<usize>,
    cost: f64,
}

/// Whether shifts could be fitted: the shapes are right and reach every interval that needs people.
///
/// # Errors
///
/// As [`fit_shifts`], before the search.
pub fn check_shifts(problem: &ShiftProblem) -> Result<(), ShiftError> {
    columns(problem).map(|_| ())
}

/// Fits shifts to the need of a week.
///
/// `go_on` is asked a few times a second whether the search shall go on; it ends with the best
/// roster found by then, and at `limit` anyway.
///
/// # Errors
///
/// [`ShiftError`] for shapes out of range, for intervals that no shift reaches, and when the solver
/// gives up.
pub fn fit_shifts(
    problem: &ShiftProblem,
    limit: Duration,
    mut go_on: impl FnMut(FitProgress) -> bool,
) -> Result<FittedRoster, ShiftError> {
    let columns = columns(problem)?;
    let week = problem.required.len();
    let dearest = problem.shapes.iter().map(|shape| shape.cost_per_hour).fold(0.0, f64::max);
    let missing_costs = MISSING * dearest * f64::from(problem.interval) / 60.0;
    let mut programme = Problem::new(OptimizationDirection::Minimize);
    let people: Vec<Variable> =
        columns.iter().map(|column| programme.add_integer_var(column.cost, (0, 100_000))).collect();
    let missing: Vec<Variable> =
        (0..week).map(|_| programme.add_var(missing_costs, (0.0, f64::INFINITY))).collect();
    let mut rows: Vec<Vec<(Variable, f64)>> =
        missing.iter().map(|&under| vec![(under, 1.0)]).collect();
    for (column, &variable) in columns.iter().zip(&people) {
        column.fills.iter().for_each(|&at| rows[at].push((variable, 1.0)));
    }
    for (row, &required) in rows.into_iter().zip(&problem.required) {
        if required > 0 {
            programme.add_constraint(row, ComparisonOp::Ge, f64::from(required));
        }
    }
    for (number, shape) in problem.shapes.iter().enumerate() {
        let Some(most) = shape.most_people else { continue };
        let of_shape: Vec<_> = columns
            .iter()
            .zip(&people)
            .filter(|(column, _)| column.shift.shape == number)
            .map(|(_, &variable)| (variable, 1.0))
            .collect();
        programme.add_constraint(of_shape, ComparisonOp::Le, f64::from(most));
    }
    let start = greedy(problem, &columns);
    let under = missing_of(problem, &columns, &start);
    let hint = people.iter().zip(&start).map(|(&variable, &count)| (variable, f64::from(count)));
    let hint = hint
        .chain(missing.iter().zip(&under).map(|(&variable, &count)| (variable, f64::from(count))));
    let mut options = SolveOptions::default();
    options.time_limit = Some(SLICE.min(limit));
    options.mip_gap = CLOSE_ENOUGH;
    options.warm_start = Some(hint.collect());
    let failed = |error: microlp::Error| ShiftError::Solver(error.to_string());
    let mut best = start;
    let mut outcome = programme.solve_with(options).map_err(failed)?;
    loop {
        if let Some(solution) = outcome.solution() {
            let found: Vec<u32> = people
                .iter()
                .map(|&variable| solution.var_value(variable).round().max(0.0) as u32)
                .collect();
            best = found;
        }
        let stats = outcome.stats();
        let progress =
            FitProgress { elapsed: stats.elapsed, cost: cost_of(&columns, &best), gap: stats.gap };
        let is_done = !matches!(
            outcome.termination_reason(),
            microlp::TerminationReason::TimeLimit | microlp::TerminationReason::NodeLimit
        );
        if is_done || stats.elapsed >= limit || !go_on(progress) {
            let gap = if is_done { stats.gap.or(Some(0.0)) } else { stats.gap };
            return Ok(roster(problem, &columns, &best, gap));
        }
        let left = SLICE.min(limit - stats.elapsed);
        let mut more = ResumeOptions::default();
        more.time_limit = Some(left);
        more.mip_gap = Some(CLOSE_ENOUGH);
        outcome = outcome.resume_with(more).map_err(failed)?;
    }
}

/// Every shift that the shapes allow, once all of them are right and reach every needed interval.
fn columns(problem: &ShiftProblem) -> Result<Vec<Column>, ShiftError> {
    let ShiftProblem { interval, required, shapes } = problem;
    let day = (24 * 60 / interval) as usize;
    if required.len() != 7 * day {
        return Err(ShiftError::Length { got: required.len(), wanted: 7 * day });
    }
    for (number, shape) in shapes.iter().enumerate() {
        shape.check(number, *interval)?;
    }
    let many = shapes.iter().map(|shape| {
        shape.starts(*interval).count() * shape.breaks(*interval).len() * shape.weeks().len()
    });
    let many = many.sum();
    if many > MOST_COLUMNS {
        return Err(ShiftError::TooMany { columns: many });
    }
    let mut columns = Vec::with_capacity(many);
    for (number, shape) in shapes.iter().enumerate() {
        for start in shape.starts(*interval) {
            for break_at in shape.breaks(*interval) {
                for works in shape.weeks() {
                    let shift = FittedShift { shape: number, start, break_at, works, people: 0 };
                    let fills = fills(&shift, shape, *interval, required.len());
                    let days = f64::from(shape.days);
                    let cost = days * shape.paid_hours() * shape.cost_per_hour;
                    columns.push(Column { shift, fills, cost });
                }
            }
        }
    }
    let mut reached = vec![false; required.len()];
    columns.iter().flat_map(|column| &column.fills).for_each(|&at| reached[at] = true);
    if let Some(at) = (0..required.len()).find(|&at| required[at] > 0 && !reached[at]) {
        return Err(out_of_reach(problem, at, day));
    }
    Ok(columns)
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

/// Intervals of the week in which somebody on this shift is there. The last night ends with the week.
fn fills(shift: &FittedShift, shape: &ShiftShape, interval: u32, week: usize) -> Vec<usize> {
    let day = (24 * 60 / interval) as usize;
    let (start, length) = ((shift.start / interval) as usize, (shape.length / interval) as usize);
    let on_break = shift.break_at.map(|at| {
        let from = (at / interval) as usize;
        from..from + (shape.break_length / interval) as usize
    });
    (0..7)
        .filter(|&weekday| shift.works[weekday])
        .flat_map(|weekday| (0..length).map(move |at| (weekday, at)))
        .filter(|(_, at)| on_break.as_ref().is_none_or(|on_break| !on_break.contains(at)))
        .map(|(weekday, at)| weekday * day + start + at)
        .filter(|&at| at < week)
        .collect()
}

/// A roster to begin with: again and again the shift that fills most of what is missing for its cost.
fn greedy(problem: &ShiftProblem, columns: &[Column]) -> Vec<u32> {
    let mut missing: Vec<i64> = problem.required.iter().map(|&people| i64::from(people)).collect();
    let mut left: Vec<u32> =
        problem.shapes.iter().map(|shape| shape.most_people.unwrap_or(u32::MAX)).collect();
    let mut people = vec![0; columns.len()];
    loop {
        let worth = |column: &Column| {
            let filled = column.fills.iter().filter(|&&at| missing[at] > 0).count();
            filled as f64 / column.cost
        };
        let best = columns
            .iter()
            .enumerate()
            .filter(|(_, column)| left[column.shift.shape] > 0)
            .map(|(at, column)| (at, worth(column)))
            .max_by(|a, b| a.1.total_cmp(&b.1));
        let Some((best, worth)) = best.filter(|(_, worth)| *worth > 0.0) else { return people };
        debug_assert!(worth > 0.0);
        people[best] += 1;
        left[columns[best].shift.shape] -= 1;
        columns[best].fills.iter().for_each(|&at| missing[at] -= 1);
    }
}

fn there(problem: &ShiftProblem, columns: &[Column], people: &[u32]) -> Vec<u32> {
    let mut there = vec![0; problem.required.len()];
    for (column, &count) in columns.iter().zip(people) {
        column.fills.iter().for_each(|&at| there[at] += count);
    }
    there
}

fn missing_of(problem: &ShiftProblem, columns: &[Column], people: &[u32]) -> Vec<u32> {
    let there = there(problem, columns, people);
    problem.required.iter().zip(there).map(|(&need, there)| need.saturating_sub(there)).collect()
}

fn cost_of(columns: &[Column], people: &[u32]) -> f64 {
    columns.iter().zip(people).map(|(column, &count)| column.cost * f64::from(count)).sum()
}

fn roster(
    problem: &ShiftProblem,
    columns: &[Column],
    people: &[u32],
    gap: Option<f64>,
) -> FittedRoster {
    let shifts: Vec<FittedShift> = columns
        .iter()
        .zip(people)
        .filter(|(_, count)| **count > 0)
        .map(|(column, &people)| FittedShift { people, ..column.shift.clone() })
        .collect();
    let paid_hours = shifts
        .iter()
        .map(|shift| {
            let shape = &problem.shapes[shift.shape];
            f64::from(shift.people * shape.days) * shape.paid_hours()
        })
        .sum();
    FittedRoster {
        shifts,
        there: there(problem, columns, people),
        cost: cost_of(columns, people),
        paid_hours,
        gap,
    }
}

impl FittedRoster {
    /// When a person of `shift` is there on the day that starts the stretch, as stretches of minutes
    /// after midnight, before and after the break.
    pub fn stretches(shift: &FittedShift, shape: &ShiftShape) -> Vec<(u32, u32)> {
        let end = shift.start + shape.length;
        match shift.break_at {
            None => vec![(shift.start, end)],
            Some(at) => {
                let from = shift.start + at;
                vec![(shift.start, from), (from + shape.break_length, end)]
            }
        }
    }
}
