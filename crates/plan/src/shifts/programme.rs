//! The integer programme of the shifts of a week.
//!
//! Columns: people of each kind, start and set of days, and their number on each day; breaks of each
//! kind that begin at a time of a day; people missing in each interval, who cost so much that they are
//! missing only where no more may be had. Breaks are implicit (Bechtold and Jacobs 1990; Aykin 1996):
//! nobody has one before the shift's window begins, everybody has had one when it ends. Both are kept
//! by chains of columns that carry people from one time to the next, so that rows stay short. A column
//! for each shift, start, day and break would need hundreds of times as many.

use std::time::Duration;

use super::breaks::{Chosen, hand_out};
use super::{
    FitProgress, FittedRoster, FittedShift, ShiftError, ShiftProblem, ShiftShape, check_shifts,
};
use crate::integer::{Bound, PROVEN, Programme, SolveOptions, Solved};

/// What a person missing for an interval costs, as a multiple of the dearest paid interval.
const MISSING: f64 = 50.0;

/// A column of people.
struct Shift {
    shape: usize,
    start: u32,
    works: [bool; 7],
}

/// A shift on one day of the week, whatever its other days: a column that counts its people.
struct DayShift {
    shape: usize,
    start: u32,
    day: usize,
}

/// A column of breaks: of a kind, on a day, from a minute after its midnight.
struct Break {
    shape: usize,
    day: usize,
    begin: u32,
    hides: Vec<usize>,
}

/// A chain of columns that carries people from one time of a day to the next.
struct Chain {
    shape: usize,
    day: usize,
    /// Whether it counts people whose window has begun and who had no break yet; or breaks that were
    /// taken before the end of their windows.
    is_waiting: bool,
    /// Its columns: one for each time at which breaks begin.
    columns: Vec<usize>,
}

/// The programme with what its columns mean: people first, then people by day, breaks, missing people
/// and chains.
struct Model<'a> {
    problem: &'a ShiftProblem,
    programme: Programme,
    shifts: Vec<Shift>,
    day_shifts: Vec<DayShift>,
    breaks: Vec<Break>,
    /// Row and column of missing people of each interval that needs people.
    covering: Vec<Option<(usize, usize)>>,
    chains: Vec<Chain>,
    missing_cost: f64,
}

/// Fits shifts to the need of a week.
///
/// `go_on` is asked now and then whether the search shall go on; it ends with the best roster found by
/// then, and when no `time_left` is there anyway. Half of it at most goes into a roster to begin with.
///
/// # Errors
///
/// [`ShiftError`] for shapes out of range, for intervals that no shift reaches, and when the solver
/// gives up.
pub fn fit_shifts(
    problem: &ShiftProblem,
    time_left: &dyn Fn() -> Duration,
    mut go_on: impl FnMut(FitProgress) -> bool,
) -> Result<FittedRoster, ShiftError> {
    check_shifts(problem)?;
    let model = Model::new(problem);
    let relaxed = model.programme.relaxation()?;
    let half = time_left() / 2;
    let dived = model.programme.dive(0..model.shifts.len(), &|| time_left().saturating_sub(half));
    let start = dived.unwrap_or_else(|| model.values_of(&model.greedy()));
    let options = SolveOptions { start: Some(start), floor: relaxed.cost, time_left, gap: PROVEN };
    let solved = model.programme.solve(options, |solved| {
        let cost = model.people_cost(&solved.values);
        go_on(FitProgress { cost, gap: Some(solved.gap()) })
    })?;
    let price = |covering: &Option<(usize, usize)>| {
        covering.map_or(0.0, |(row, _)| relaxed.prices[row].max(0.0))
    };
    Ok(model.roster(&solved, model.covering.iter().map(price).collect()))
}

impl<'a> Model<'a> {
    fn new(problem: &'a ShiftProblem) -> Self {
        let interval = problem.interval;
        let dearest = problem.shapes.iter().map(|shape| shape.cost_per_hour).fold(0.0, f64::max);
        let mut model = Self {
            problem,
            programme: Programme::default(),
            shifts: Vec::new(),
            day_shifts: Vec::new(),
            breaks: Vec::new(),
            covering: Vec::new(),
            chains: Vec::new(),
            missing_cost: MISSING * dearest * f64::from(interval) / 60.0,
        };
        for (number, shape) in problem.shapes.iter().enumerate() {
            let cost = f64::from(shape.days) * shape.paid_hours() * shape.cost_per_hour;
            for start in shape.starts(interval) {
                for works in shape.weeks() {
                    model.programme.column(cost, f64::INFINITY, true);
                    model.shifts.push(Shift { shape: number, start, works });
                }
            }
        }
        for (number, shape) in problem.shapes.iter().enumerate() {
            if let Some(most) = shape.most_people {
                let of_shape = model.shifts.iter().enumerate();
                let of_shape = of_shape.filter(|(_, shift)| shift.shape == number);
                let terms = of_shape.map(|(column, _)| (column, 1.0)).collect();
                model.programme.row(terms, Bound::AtMost(f64::from(most)));
            }
            for start in shape.starts(interval) {
                (0..7).for_each(|day| model.add_day_shift(number, start, day));
            }
        }
        for (number, shape) in problem.shapes.iter().enumerate() {
            model.add_breaks(number, shape);
        }
        model.add_covering();
        for (number, shape) in problem.shapes.iter().enumerate() {
            if shape.break_length > 0 {
                (0..7).for_each(|day| model.tie_breaks(number, shape, day));
            }
        }
        model
    }

    /// The people who start then on a day: those of all sets of days with it.
    fn add_day_shift(&mut self, number: usize, start: u32, day: usize) {
        let column = self.programme.column(0.0, f64::INFINITY, false);
        self.day_shifts.push(DayShift { shape: number, start, day });
        let of_day =
            self.shifts.iter().enumerate().filter(|(_, shift)| {
                (shift.shape, shift.start) == (number, start) && shift.works[day]
            });
        let people = of_day.map(|(column, _)| (column, 1.0));
        let terms = people.chain([(column, -1.0)]).collect();
        self.programme.row(terms, Bound::Equal(0.0));
    }

    fn add_breaks(&mut self, number: usize, shape: &ShiftShape) {
        let (day_length, week) = (self.problem.intervals_of_day(), self.problem.required.len());
        let long = (shape.break_length / self.problem.interval) as usize;
        for day in 0..7 {
            for begin in self.begins(shape) {
                let at = day * day_length + (begin / self.problem.interval) as usize;
                let hides = (at..at + long).filter(|&at| at < week).collect();
                self.programme.column(0.0, f64::INFINITY, true);
                self.breaks.push(Break { shape: number, day, begin, hides });
            }
        }
    }

    /// Minutes after midnight at which breaks of a kind may begin.
    fn begins(&self, shape: &ShiftShape) -> Vec<u32> {
        let windows =
            shape.break_window(shape.first_start).zip(shape.break_window(shape.last_start));
        windows.map_or_else(Vec::new, |(first, last)| {
            (*first.start()..=*last.end()).step_by(self.problem.interval as usize).collect()
        })
    }

    /// Every interval has the people it needs, or they are missing.
    fn add_covering(&mut self) {
        let mut rows: Vec<Vec<(usize, f64)>> = vec![Vec::new(); self.problem.required.len()];
        for (column, shift) in (self.shifts.len()..).zip(&self.day_shifts) {
            let shape = &self.problem.shapes[shift.shape];
            let only = std::array::from_fn(|day| day == shift.day);
            let there = self.problem.presence(shape, shift.start, only);
            there.for_each(|at| rows[at].push((column, 1.0)));
        }
        for (column, pause) in (self.first_break()..).zip(&self.breaks) {
            pause.hides.iter().for_each(|&at| rows[at].push((column, -1.0)));
        }
        for (mut row, &required) in rows.into_iter().zip(&self.problem.required) {
            let covering = (required > 0).then(|| {
                let missing = self.programme.column(self.missing_cost, f64::INFINITY, false);
                row.push((missing, 1.0));
                (self.programme.row(row, Bound::AtLeast(f64::from(required))), missing)
            });
            self.covering.push(covering);
        }
    }

    fn first_break(&self) -> usize {
        self.shifts.len() + self.day_shifts.len()
    }

    /// Ties the breaks of a kind on a day to the people at work: nobody has one before the window
    /// begins, everybody has had one when it ends.
    fn tie_breaks(&mut self, number: usize, shape: &ShiftShape, day: usize) {
        let begins = self.begins(shape);
        for is_waiting in [true, false] {
            let mut columns = Vec::with_capacity(begins.len());
            let (people_sign, breaks_sign) = if is_waiting { (1.0, -1.0) } else { (-1.0, 1.0) };
            for (nth, &begin) in begins.iter().enumerate() {
                // Nothing is carried out of the day.
                let most = if nth + 1 == begins.len() { 0.0 } else { f64::INFINITY };
                let carried = self.programme.column(0.0, most, false);
                let mut terms = vec![(carried, -1.0)];
                terms.extend(columns.last().map(|&before| (before, 1.0)));
                let pause = self.breaks.iter().position(|pause| {
                    (pause.shape, pause.day, pause.begin) == (number, day, begin)
                });
                terms.extend(pause.map(|at| (self.first_break() + at, breaks_sign)));
                let edge = |start: u32| {
                    let window = shape.break_window(start)?;
                    Some(if is_waiting { *window.start() } else { *window.end() })
                };
                let people = (self.shifts.len()..).zip(&self.day_shifts).filter(|(_, shift)| {
                    (shift.shape, shift.day) == (number, day) && edge(shift.start) == Some(begin)
                });
                terms.extend(people.map(|(column, _)| (column, people_sign)));
                self.programme.row(terms, Bound::Equal(0.0));
                columns.push(carried);
            }
            self.chains.push(Chain { shape: number, day, is_waiting, columns });
        }
    }

    /// A roster to begin with: again and again the shift that fills most of what is missing for its
    /// cost, its breaks where they hide least.
    fn greedy(&self) -> Vec<FittedShift> {
        let mut missing: Vec<i64> =
            self.problem.required.iter().map(|&people| i64::from(people)).collect();
        let shapes = &self.problem.shapes;
        let mut left: Vec<u32> =
            shapes.iter().map(|shape| shape.most_people.unwrap_or(u32::MAX)).collect();
        let mut found = Vec::new();
        loop {
            let worth = |shift: &Shift| {
                let fitted = self.with_breaks(shift, &missing);
                let filled = |at: &usize| missing[*at] > 0;
                let filled = self.there_of(&fitted).filter(filled).count();
                (filled as f64 / self.cost_of(shift.shape), fitted)
            };
            let best = self
                .shifts
                .iter()
                .filter(|shift| left[shift.shape] > 0)
                .map(worth)
                .max_by(|a, b| a.0.total_cmp(&b.0));
            let Some((_, shift)) = best.filter(|(worth, _)| *worth > 0.0) else { return found };
            // As many at once as the emptiest interval that it fills allows.
            let fills = self.there_of(&shift).filter(|&at| missing[at] > 0);
            let alike = fills.map(|at| missing[at]).min().unwrap_or(1).max(2) as u32 / 2;
            let people = alike.min(left[shift.shape]);
            left[shift.shape] -= people;
            self.there_of(&shift).for_each(|at| missing[at] -= i64::from(people));
            found.push(FittedShift { people, ..shift });
        }
    }

    fn cost_of(&self, shape: usize) -> f64 {
        let shape = &self.problem.shapes[shape];
        f64::from(shape.days) * shape.paid_hours() * shape.cost_per_hour
    }

    /// A shift with its breaks where fewest are missing.
    fn with_breaks(&self, shift: &Shift, missing: &[i64]) -> FittedShift {
        let Shift { shape, start, works, .. } = *shift;
        let (day_length, interval) = (self.problem.intervals_of_day(), self.problem.interval);
        let kind = &self.problem.shapes[shape];
        let long = (kind.break_length / interval) as usize;
        let hidden = |day: usize, begin: u32| -> i64 {
            let at = day * day_length + (begin / interval) as usize;
            (at..at + long).filter_map(|at| missing.get(at)).map(|&people| people.max(0)).sum()
        };
        let breaks = std::array::from_fn(|day| {
            if !works[day] {
                return None;
            }
            let begins = kind.break_window(start)?.step_by(interval as usize);
            begins.min_by_key(|&begin| hidden(day, begin)).map(|begin| begin - start)
        });
        FittedShift { shape, start, breaks, works, people: 1 }
    }

    /// Intervals of the week in which a person of this shift is there.
    fn there_of(&self, shift: &FittedShift) -> impl Iterator<Item = usize> + use<'_> {
        let (problem, shape) = (self.problem, &self.problem.shapes[shift.shape]);
        let (day_length, week) = (problem.intervals_of_day(), problem.required.len());
        let interval = problem.interval;
        let shift = shift.clone();
        (0..7)
            .flat_map(move |day| {
                FittedRoster::stretches(&shift, shape, day)
                    .into_iter()
                    .flat_map(move |(from, to)| from / interval..to / interval)
                    .map(move |at| day * day_length + at as usize)
            })
            .filter(move |&at| at < week)
    }

    fn there(&self, shifts: &[FittedShift]) -> Vec<u32> {
        let mut there = vec![0; self.problem.required.len()];
        for shift in shifts {
            self.there_of(shift).for_each(|at| there[at] += shift.people);
        }
        there
    }

    /// A roster as values of the programme's columns.
    fn values_of(&self, shifts: &[FittedShift]) -> Vec<f64> {
        let mut values = vec![0.0; self.programme.columns.len()];
        let mut add = |column: Option<usize>, people: f64| {
            if let Some(column) = column {
                values[column] += people;
            }
        };
        for shift in shifts {
            let people = f64::from(shift.people);
            let key = (shift.shape, shift.start);
            let of_week =
                |column: &Shift| (column.shape, column.start) == key && column.works == shift.works;
            add(self.shifts.iter().position(of_week), people);
            for day in (0..7).filter(|&day| shift.works[day]) {
                let of_day =
                    |column: &DayShift| (column.shape, column.start) == key && column.day == day;
                let at = self.day_shifts.iter().position(of_day);
                add(at.map(|at| self.shifts.len() + at), people);
                let begin = shift.breaks[day].map(|at| shift.start + at);
                let of_break = |pause: &Break| {
                    (pause.shape, pause.day) == (shift.shape, day) && Some(pause.begin) == begin
                };
                let at = self.breaks.iter().position(of_break);
                add(at.map(|at| self.first_break() + at), people);
            }
        }
        let there = self.there(shifts);
        let needed = self.covering.iter().zip(&self.problem.required).zip(there);
        for ((covering, required), there) in needed {
            add(covering.map(|(_, column)| column), f64::from(required.saturating_sub(there)));
        }
        for chain in &self.chains {
            self.carry(chain, shifts, &mut values);
        }
        values
    }

    /// Fills in a chain: who waits for a break, or which breaks lie before the ends of their windows.
    fn carry(&self, chain: &Chain, shifts: &[FittedShift], values: &mut [f64]) {
        let shape = &self.problem.shapes[chain.shape];
        for (&column, begin) in chain.columns.iter().zip(self.begins(shape)) {
            let carried = shifts.iter().filter(|shift| shift.shape == chain.shape).map(|shift| {
                let Some(taken) = shift.breaks[chain.day].map(|at| shift.start + at) else {
                    return 0.0;
                };
                let is_carried = shape.break_window(shift.start).is_some_and(|window| {
                    if chain.is_waiting {
                        *window.start() <= begin && begin < taken
                    } else {
                        taken <= begin && begin < *window.end()
                    }
                });
                if is_carried { f64::from(shift.people) } else { 0.0 }
            });
            values[column] = carried.sum();
        }
    }

    /// What the people cost, those missing left out.
    fn people_cost(&self, values: &[f64]) -> f64 {
        let people = self.shifts.iter().zip(values);
        people.map(|(shift, people)| self.cost_of(shift.shape) * people).sum()
    }

    fn roster(&self, solved: &Solved, prices: Vec<f64>) -> FittedRoster {
        let people = &solved.values[..self.shifts.len()];
        let counts = &solved.values[self.first_break()..];
        let mut shifts = Vec::new();
        for (number, shape) in self.problem.shapes.iter().enumerate() {
            let chosen: Vec<Chosen> = self
                .shifts
                .iter()
                .zip(people)
                .filter(|(shift, people)| shift.shape == number && **people > 0.0)
                .map(|(shift, &people)| Chosen {
                    start: shift.start,
                    works: shift.works,
                    people: people as u32,
                })
                .collect();
            let mut begins: [Vec<u32>; 7] = Default::default();
            let breaks = self.breaks.iter().zip(counts).filter(|(pause, _)| pause.shape == number);
            for (pause, &count) in breaks {
                begins[pause.day].extend((0..count as u32).map(|_| pause.begin));
            }
            shifts.extend(hand_out(number, shape, &chosen, &begins));
        }
        let paid_hours = shifts
            .iter()
            .map(|shift| {
                let shape = &self.problem.shapes[shift.shape];
                f64::from(shift.people * shape.days) * shape.paid_hours()
            })
            .sum();
        FittedRoster {
            there: self.there(&shifts),
            shifts,
            cost: self.people_cost(&solved.values),
            paid_hours,
            gap: Some(solved.gap()),
            prices,
        }
    }
}
