//! Integer programmes: columns with costs, rows with bounds, solved by CBC's branch and cut.
//!
//! CBC cannot be asked to pause, so a search runs in slices of nodes, each longer than the one before; they begin from the best
//! solution so far, and between slices the caller may stop. What is found depends on the programme alone,
//! not on how fast the machine is, unless the time that the caller has is over before.

use std::time::Duration;

use good_lp::solvers::coin_cbc::{CoinCbcProblem, CoinCbcSolution, coin_cbc};
use good_lp::{
    Expression, ProblemVariables, ResolutionError, Solution, SolverModel, Variable, WithMipGap,
    WithTimeLimit, constraint, variable,
};

/// One quantity to be chosen.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Column {
    /// Cost of one.
    pub cost: f64,
    /// Its lower bound, 0 or more.
    pub least: f64,
    /// Its upper bound; infinite for none.
    pub most: f64,
    /// Whether it must be whole.
    pub is_whole: bool,
}

/// What a sum of columns must keep to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Bound {
    /// At least so much.
    AtLeast(f64),
    /// At most so much.
    AtMost(f64),
    /// Exactly so much.
    Equal(f64),
}

/// A sum of columns and its bound.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// Numbers of columns with their factors.
    pub terms: Vec<(usize, f64)>,
    /// What the sum keeps to.
    pub bound: Bound,
}

/// Minimise the cost of the columns under all rows.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Programme {
    /// What is chosen.
    pub columns: Vec<Column>,
    /// What it keeps to.
    pub rows: Vec<Row>,
}

/// The programme's optimum without wholeness.
#[derive(Clone, Debug, PartialEq)]
pub struct Relaxation {
    /// Its cost: no whole solution is cheaper.
    pub cost: f64,
    /// What one unit more of each row's bound costs.
    pub prices: Vec<f64>,
}

/// The best whole solution found.
#[derive(Clone, Debug, PartialEq)]
pub struct Solved {
    /// Its columns, whole where they must be.
    pub values: Vec<f64>,
    /// Its cost.
    pub cost: f64,
    /// No solution is cheaper than this.
    pub bound: f64,
}

/// Why there is no solution.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ProgrammeError {
    /// No choice keeps to all rows.
    #[error("no choice keeps to all rules at once")]
    Infeasible,
    /// The solver gave up.
    #[error("the solver gave up: {0}")]
    Solver(String),
}

/// A solution within this share of the bound counts as the best.
pub const PROVEN: f64 = 1e-4;

/// How a search for a whole solution is run.
pub struct SolveOptions<'a> {
    /// A solution to begin from.
    pub start: Option<Vec<f64>>,
    /// A cost that no solution undercuts; minus infinity where none is known.
    pub floor: f64,
    /// The time that is left, asked before each slice: the search ends when there is none.
    pub time_left: &'a dyn Fn() -> Duration,
    /// Share of the bound within which it ends.
    pub gap: f64,
}

/// How far a row may be off: what floating-point sums lose.
const TOLERANCE: f64 = 1e-6;

/// Of the columns that are not whole, one in so many is rounded up before the next relaxation: where
/// relaxations take long, there are fewer of them.
const MANY: usize = 8;
const FEW: usize = 3;
/// Factors in a programme's rows from which on its relaxation takes long.
const LONG: usize = 60_000;

/// Nodes of the first slice of a search.
const FIRST_SLICE: u32 = 100;
/// How much longer each slice is than the one before, of whose work little is kept.
const GROWTH: u32 = 4;
/// What a slice has at least, so that it can find anything.
const LEAST_TIME: Duration = Duration::from_secs(1);

impl Solved {
    /// The share by which a solution might be cheaper than this one; 0 when none is.
    pub fn gap(&self) -> f64 {
        let gap = (self.cost - self.bound) / self.cost.abs().max(1e-9);
        if gap <= PROVEN { 0.0 } else { gap }
    }
}

impl Programme {
    /// Adds a column; gives its number.
    pub fn column(&mut self, cost: f64, most: f64, is_whole: bool) -> usize {
        self.columns.push(Column { cost, least: 0.0, most, is_whole });
        self.columns.len() - 1
    }

    /// Adds a row; gives its number.
    pub fn row(&mut self, terms: Vec<(usize, f64)>, bound: Bound) -> usize {
        self.rows.push(Row { terms, bound });
        self.rows.len() - 1
    }

    /// Solves the programme without wholeness, by its dual: CBC's interface gives out no prices.
    ///
    /// # Errors
    ///
    /// [`ProgrammeError`] where nothing keeps to the rows, or the solver gives up.
    pub fn relaxation(&self) -> Result<Relaxation, ProgrammeError> {
        let mut dual = Self::default();
        let mut within: Vec<Vec<(usize, f64)>> = vec![Vec::new(); self.columns.len()];
        let mut price_of = |terms: &[(usize, f64)], bound: f64, sign: f64| {
            let price = dual.column(-sign * bound, f64::INFINITY, false);
            terms.iter().for_each(|&(at, factor)| within[at].push((price, sign * factor)));
            price
        };
        let prices: Vec<[Option<usize>; 2]> = self
            .rows
            .iter()
            .map(|row| match row.bound {
                Bound::AtLeast(least) => [Some(price_of(&row.terms, least, 1.0)), None],
                Bound::AtMost(most) => [None, Some(price_of(&row.terms, most, -1.0))],
                Bound::Equal(value) => {
                    [1.0, -1.0].map(|sign| Some(price_of(&row.terms, value, sign)))
                }
            })
            .collect();
        for (at, column) in
            self.columns.iter().enumerate().filter(|(_, each)| each.most.is_finite())
        {
            price_of(&[(at, 1.0)], column.most, -1.0);
        }
        for (terms, column) in within.into_iter().zip(&self.columns) {
            dual.row(terms, Bound::AtMost(column.cost));
        }
        let (model, variables) = dual.model(None, false);
        let solution = model.solve().map_err(|error| match error {
            ResolutionError::Unbounded => ProgrammeError::Infeasible,
            other => error_of(other),
        })?;
        let values: Vec<f64> = variables.iter().map(|&each| solution.value(each)).collect();
        let price = |at: Option<usize>| at.map_or(0.0, |at| values[at]);
        Ok(Relaxation {
            cost: -dual.cost(&values),
            prices: prices.into_iter().map(|[more, less]| price(more) - price(less)).collect(),
        })
    }

    /// The columns of the cheapest solution without wholeness.
    ///
    /// # Errors
    ///
    /// [`ProgrammeError`] where nothing keeps to the rows, or the solver gives up.
    pub fn relaxed_values(&self) -> Result<Vec<f64>, ProgrammeError> {
        let (model, variables) = self.model(None, false);
        let solution = model.solve().map_err(error_of)?;
        Ok(variables.iter().map(|&each| solution.value(each)).collect())
    }

    /// A good whole solution by diving: the relaxation is solved again and again, and each time the
    /// leading columns nearest above a whole number are rounded up and the others kept from falling
    /// below what they are; the rest is solved with the leading ones fixed. `None` where that fails.
    pub fn dive(
        &self,
        leading: std::ops::Range<usize>,
        time_left: &dyn Fn() -> Duration,
    ) -> Option<Vec<f64>> {
        let mut within = self.clone();
        let factors: usize = self.rows.iter().map(|row| row.terms.len()).sum();
        let dives = if factors > LONG { FEW } else { MANY };
        let whole = loop {
            let values = within.relaxed_values().ok()?[leading.clone()].to_vec();
            let above = |value: f64| value - (value + TOLERANCE).floor();
            let mut broken: Vec<(f64, usize)> = (leading.clone())
                .zip(&values)
                .map(|(at, &value)| (above(value), at))
                .filter(|(above, _)| *above > TOLERANCE)
                .collect();
            if broken.is_empty() {
                break values;
            }
            if time_left().is_zero() {
                return None;
            }
            for (at, &value) in leading.clone().zip(&values) {
                within.columns[at].least = (value + TOLERANCE).floor();
            }
            broken.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
            let rounded = broken.len().div_ceil(dives);
            broken.iter().take(rounded).for_each(|&(_, at)| within.columns[at].least += 1.0);
        };
        for (at, value) in leading.zip(whole) {
            let value = (value - TOLERANCE).ceil();
            (within.columns[at].least, within.columns[at].most) = (value, value);
        }
        let options =
            SolveOptions { start: None, floor: f64::NEG_INFINITY, time_left, gap: PROVEN };
        let solved = within.solve(options, |_| false).ok()?;
        Some(solved.values)
    }

    /// Searches for the cheapest whole solution until it is within the gap, no time is left, or `go_on`
    /// refuses at the end of a slice.
    ///
    /// # Errors
    ///
    /// [`ProgrammeError`] where nothing keeps to the rows, or nothing was found.
    pub fn solve(
        &self,
        options: SolveOptions<'_>,
        mut go_on: impl FnMut(&Solved) -> bool,
    ) -> Result<Solved, ProgrammeError> {
        let SolveOptions { start, floor, time_left, gap } = options;
        let start = start.filter(|values| self.is_kept_by(values));
        let mut best = start.map(|values| (self.cost(&values), values));
        let mut bound = floor;
        let mut slice = FIRST_SLICE;
        loop {
            let secs = time_left().max(LEAST_TIME).as_secs_f64();
            let (mut model, variables) =
                self.model(best.as_ref().map(|(_, values)| &values[..]), true);
            model.set_parameter("timeMode", "elapsed");
            model.set_parameter("maxNodes", &slice.to_string());
            let model = model.with_time_limit(secs).with_mip_gap(gap as f32);
            let model = model.map_err(|error| ProgrammeError::Solver(error.to_string()))?;
            let outcome = model.solve();
            let mut is_proven = false;
            match outcome {
                Ok(solution) => {
                    let model = solution.model();
                    is_proven = !model.is_seconds_limit_reached() && !model.is_node_limit_reached();
                    bound = bound.max(self.bound_of(&solution));
                    let values = self.rounded(&variables, &solution);
                    let cost = self.cost(&values);
                    let is_better = best.as_ref().is_none_or(|(known, _)| cost < *known);
                    if is_better && self.is_kept_by(&values) {
                        best = Some((cost, values));
                    }
                }
                Err(ResolutionError::Infeasible) if best.is_none() => {
                    return Err(ProgrammeError::Infeasible);
                }
                Err(error) if best.is_none() => return Err(error_of(error)),
                // A start that keeps to the rows stands, whatever the solver says.
                Err(_) => {}
            }
            let is_over = time_left().is_zero();
            let Some((cost, values)) = &best else {
                if is_over {
                    let nothing = "no solution within the time given".to_owned();
                    return Err(ProgrammeError::Solver(nothing));
                }
                slice = slice.saturating_mul(GROWTH);
                continue;
            };
            let solved = Solved { values: values.clone(), cost: *cost, bound: bound.min(*cost) };
            if is_proven || solved.gap() <= gap || is_over || !go_on(&solved) {
                return Ok(solved);
            }
            slice = slice.saturating_mul(GROWTH);
        }
    }

    /// What a choice of columns costs.
    pub fn cost(&self, values: &[f64]) -> f64 {
        self.columns.iter().zip(values).map(|(column, value)| column.cost * value).sum()
    }

    fn rounded(&self, variables: &[Variable], solution: &CoinCbcSolution) -> Vec<f64> {
        let value = |(column, &variable): (&Column, &Variable)| {
            let value = solution.value(variable).clamp(column.least, column.most);
            if column.is_whole { value.round() } else { value }
        };
        self.columns.iter().zip(variables).map(value).collect()
    }

    /// What CBC has proven; nothing where it has not begun to branch.
    fn bound_of(&self, solution: &CoinCbcSolution) -> f64 {
        let bound = solution.model().best_possible_value();
        if bound.is_finite() && bound.abs() < 1e40 { bound } else { f64::NEG_INFINITY }
    }

    fn is_kept_by(&self, values: &[f64]) -> bool {
        values.len() == self.columns.len()
            && self.rows.iter().all(|row| {
                let sum: f64 = row.terms.iter().map(|&(at, factor)| factor * values[at]).sum();
                match row.bound {
                    Bound::AtLeast(least) => sum >= least - TOLERANCE,
                    Bound::AtMost(most) => sum <= most + TOLERANCE,
                    Bound::Equal(value) => (sum - value).abs() <= TOLERANCE,
                }
            })
    }

    /// The programme as CBC takes it, from `start`; without wholeness if that is not asked for.
    fn model(&self, start: Option<&[f64]>, is_whole: bool) -> (CoinCbcProblem, Vec<Variable>) {
        let mut variables = ProblemVariables::new();
        let all: Vec<Variable> = self
            .columns
            .iter()
            .enumerate()
            .map(|(at, column)| {
                let mut definition = variable().min(column.least);
                if column.most.is_finite() {
                    definition = definition.max(column.most);
                }
                if is_whole && column.is_whole {
                    definition = definition.integer();
                }
                if let Some(start) = start {
                    definition = definition.initial(start[at]);
                }
                variables.add(definition)
            })
            .collect();
        let cost: Expression =
            self.columns.iter().zip(&all).map(|(column, &each)| column.cost * each).sum();
        let mut model = variables.minimise(cost).using(coin_cbc);
        // Its linear solver has messages of its own.
        model.set_parameter("slogLevel", "0");
        for row in &self.rows {
            let sum: Expression = row.terms.iter().map(|&(at, factor)| factor * all[at]).sum();
            model = match row.bound {
                Bound::AtLeast(least) => model.with(constraint!(sum >= least)),
                Bound::AtMost(most) => model.with(constraint!(sum <= most)),
                Bound::Equal(value) => model.with(constraint!(sum == value)),
            };
        }
        (model, all)
    }
}

fn error_of(error: ResolutionError) -> ProgrammeError {
    match error {
        ResolutionError::Infeasible => ProgrammeError::Infeasible,
        other => ProgrammeError::Solver(other.to_string()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Knapsacks small enough to try every choice.
    fn by_hand(programme: &Programme, most: u32) -> f64 {
        let count = programme.columns.len() as u32;
        (0..(most + 1).pow(count))
            .filter_map(|mut code| {
                let values: Vec<f64> = (0..count)
                    .map(|_| {
                        let value = code % (most + 1);
                        code /= most + 1;
                        f64::from(value)
                    })
                    .collect();
                programme.is_kept_by(&values).then(|| programme.cost(&values))
            })
            .fold(f64::INFINITY, f64::min)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn the_optimum_is_that_of_every_choice_tried(
            costs in prop::collection::vec(1u32..20, 4),
            factors in prop::collection::vec(0u32..6, 12),
            least in prop::collection::vec(0u32..12, 3),
        ) {
            let mut programme = Programme::default();
            for cost in costs {
                programme.column(f64::from(cost), 5.0, true);
            }
            for (row, least) in factors.chunks(4).zip(least) {
                let terms = row.iter().enumerate().map(|(at, &factor)| (at, f64::from(factor)));
                programme.row(terms.collect(), Bound::AtLeast(f64::from(least)));
            }
            let best = by_hand(&programme, 5);
            let time_left = || Duration::from_secs(5);
            let options = SolveOptions { start: None, floor: 0.0, time_left: &time_left, gap: PROVEN };
            let solved = programme.solve(options, |_| true);
            match solved {
                Ok(solved) => {
                    prop_assert!((solved.cost - best).abs() < 1e-6, "{} {best}", solved.cost);
                    prop_assert!(solved.bound <= best + 1e-6);
                    prop_assert_eq!(solved.gap(), 0.0);
                }
                Err(error) => {
                    prop_assert_eq!(error, ProgrammeError::Infeasible);
                    prop_assert!(best.is_infinite());
                }
            }
        }
    }

    #[test]
    fn prices_say_what_one_more_of_a_bound_costs() {
        let mut programme = Programme::default();
        let (cheap, dear) =
            (programme.column(2.0, 3.0, false), programme.column(5.0, f64::INFINITY, false));
        programme.row(vec![(cheap, 1.0), (dear, 1.0)], Bound::AtLeast(4.0));
        programme.row(vec![(dear, 1.0)], Bound::AtMost(10.0));
        let relaxed = programme.relaxation().unwrap();
        assert!((relaxed.cost - 11.0).abs() < 1e-9);
        assert!((relaxed.prices[0] - 5.0).abs() < 1e-9 && relaxed.prices[1].abs() < 1e-9);
    }
}
