//! Steady pacing solved exactly: a Markov chain of agents who talk and lines that ring.
//!
//! Assumes exponential times to answer and to handle, a list that does not end, and that a call is
//! abandoned at once where no agent is free. With `b` of `N` agents talking and `l` lines ringing, lines
//! end at rate `l/r`, each answered with chance `p`; conversations end at rate `b/h`. After each event lines
//! are begun up to `⌊n(N − b)⌋`, and none is taken back. The stationary distribution is found by
//! Gauss-Seidel sweeps over the balance equations (Stewart 1994, section 3.2).

use crate::pacing::Steady;

/// Steady pacing of a team.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SteadyTeam {
    /// Agents on shift.
    pub agents: u32,
    /// Lines for each free agent, 1 or more.
    pub lines_per_agent: f64,
    /// Share of calls that are answered.
    pub answered_share: f64,
    /// Mean seconds until a line is answered or given up.
    pub ring_secs: f64,
    /// Mean seconds of a conversation, wrap-up included.
    pub handle_secs: f64,
}

/// What steady pacing comes to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SteadyFigures {
    /// Share of answered calls for which no agent was free.
    pub abandoned_share: f64,
    /// Share of their time that agents talk or wrap up.
    pub utilisation: f64,
    /// Conversations of all agents in an hour.
    pub conversations_per_hour: f64,
    /// Calls begun in an hour.
    pub dials_per_hour: f64,
    /// Mean number of lines that ring.
    pub ringing: f64,
}

/// Why a team's pacing cannot be solved.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum ChainError {
    /// A figure is out of range.
    #[error("{what} must be {wanted}, got {got}")]
    BadNumber {
        /// Which.
        what: &'static str,
        /// What would do.
        wanted: &'static str,
        /// What was given.
        got: f64,
    },
}

/// Sweeps at most, and the change of a sweep that ends them.
const MOST_SWEEPS: usize = 4000;
const PRECISION: f64 = 1e-9;
/// Agents and lines for each, at most.
const MOST_AGENTS: u32 = 500;
const MOST_LINES: f64 = 20.0;

impl SteadyTeam {
    /// Solves the chain.
    ///
    /// # Errors
    ///
    /// [`ChainError`] says which figure is out of range.
    pub fn solve(&self) -> Result<SteadyFigures, ChainError> {
        self.check()?;
        let mut chain = Chain::of(self);
        chain.solve();
        Ok(chain.figures(self))
    }

    fn check(&self) -> Result<(), ChainError> {
        let bad = |what, wanted, got| Err(ChainError::BadNumber { what, wanted, got });
        if !(1..=MOST_AGENTS).contains(&self.agents) {
            return bad("agents", "1 to 500", f64::from(self.agents));
        }
        if !(1.0..=MOST_LINES).contains(&self.lines_per_agent) {
            return bad("lines for each free agent", "1 to 20", self.lines_per_agent);
        }
        if !(self.answered_share > 0.0 && self.answered_share <= 1.0) {
            return bad("share of calls answered", "above 0 and up to 1", self.answered_share);
        }
        let is_time = |secs: f64| secs > 0.0 && secs <= 86_400.0;
        if !is_time(self.ring_secs) {
            return bad("seconds of ringing", "above 0 and up to 86400", self.ring_secs);
        }
        if !is_time(self.handle_secs) {
            return bad("seconds of a conversation", "above 0 and up to 86400", self.handle_secs);
        }
        Ok(())
    }

    fn lines_for(&self, free: u32) -> usize {
        crate::pacing::lines_for(self.lines_per_agent, free) as usize
    }

    /// The same team with another number of lines for each free agent.
    #[must_use]
    pub fn at(&self, lines_per_agent: f64) -> Self {
        Self { lines_per_agent, ..*self }
    }

    /// The most lines for each free agent, in steps of 0.05, at which the abandoned share stays under a
    /// ceiling: 1 where no more is safe. Nothing is abandoned with one line each.
    ///
    /// # Errors
    ///
    /// As [`solve`](Self::solve).
    pub fn safe_lines(&self, ceiling: f64) -> Result<f64, ChainError> {
        let share = |steps: u32| -> Result<f64, ChainError> {
            Ok(self.at(lines_of(steps)).solve()?.abandoned_share)
        };
        // The share grows with the lines, so that halving finds where it crosses the ceiling.
        let (mut safe, mut unsafe_from) = (0, ((MOST_LINES_ASKED - 1.0) / STEP) as u32 + 1);
        while unsafe_from - safe > 1 {
            let middle = safe.midpoint(unsafe_from);
            if share(middle)? <= ceiling { safe = middle } else { unsafe_from = middle }
        }
        Ok(lines_of(safe))
    }
}

/// Steps of lines for each free agent, and the most that are looked at.
const STEP: f64 = 0.05;
const MOST_LINES_ASKED: f64 = 8.0;

fn lines_of(steps: u32) -> f64 {
    // Rounded to the step, so that it reads as it is meant.
    (100.0 + f64::from(steps) * STEP * 100.0).round() / 100.0
}

/// The policy that the chain solves.
impl From<SteadyTeam> for Steady {
    fn from(team: SteadyTeam) -> Self {
        Self { lines_per_agent: team.lines_per_agent }
    }
}

/// States by agents who talk and lines that ring, with their chances.
struct Chain {
    agents: usize,
    /// Lines that can ring at most.
    most: usize,
    /// Fewest lines that ring while so many agents talk.
    least: Vec<usize>,
    end_rate: f64,
    answered: f64,
    release_rate: f64,
    chance: Vec<f64>,
}

impl Chain {
    fn of(team: &SteadyTeam) -> Self {
        let agents = team.agents as usize;
        let least: Vec<usize> =
            (0..=team.agents).map(|busy| team.lines_for(team.agents - busy)).collect();
        let most = least[0];
        let mut chain = Self {
            agents,
            most,
            least,
            end_rate: 1.0 / team.ring_secs,
            answered: team.answered_share,
            release_rate: 1.0 / team.handle_secs,
            chance: vec![0.0; (agents + 1) * (most + 1)],
        };
        for busy in 0..=agents {
            for lines in chain.least[busy]..=most {
                let place = chain.place(busy, lines);
                chain.chance[place] = 1.0;
            }
        }
        chain
    }

    fn place(&self, busy: usize, lines: usize) -> usize {
        busy * (self.most + 1) + lines
    }

    fn at(&self, busy: usize, lines: usize) -> f64 {
        self.chance[busy * (self.most + 1) + lines]
    }

    /// What flows into a state from the others, for each unit of time.
    fn inflow(&self, busy: usize, lines: usize) -> f64 {
        let least = self.least[busy];
        let (end, p) = (self.end_rate, self.answered);
        let mut inflow = 0.0;
        // A line above the least is not answered, and none takes its place.
        if lines < self.most {
            inflow += self.at(busy, lines + 1) * (lines + 1) as f64 * end * (1.0 - p);
        }
        // It is answered: one more talks, or it is abandoned with nobody free. Fewer free agents never ask
        // for more lines, so none is begun.
        if busy > 0 && lines < self.most {
            inflow += self.at(busy - 1, lines + 1) * (lines + 1) as f64 * end * p;
        }
        if busy == self.agents && lines < self.most {
            inflow += self.at(busy, lines + 1) * (lines + 1) as f64 * end * p;
        }
        // A conversation ends: lines are begun up to what one more free agent asks for.
        if busy < self.agents {
            let rate = (busy + 1) as f64 * self.release_rate;
            if lines > least {
                inflow += self.at(busy + 1, lines) * rate;
            } else if lines == least {
                for before in self.least[busy + 1]..=least {
                    inflow += self.at(busy + 1, before) * rate;
                }
            }
        }
        inflow
    }

    /// The rate at which a state is left for others. A line at the least that is not answered is replaced at
    /// once, so that nothing changes.
    fn outflow(&self, busy: usize, lines: usize) -> f64 {
        let ends = lines as f64 * self.end_rate;
        let replaced = lines == self.least[busy] && lines > 0;
        let unanswered = if replaced { 0.0 } else { ends * (1.0 - self.answered) };
        unanswered + ends * self.answered + busy as f64 * self.release_rate
    }

    fn sweep(&mut self, busy: usize) {
        for lines in (self.least[busy]..=self.most).rev() {
            let out = self.outflow(busy, lines);
            let place = self.place(busy, lines);
            self.chance[place] = if out > 0.0 { self.inflow(busy, lines) / out } else { 0.0 };
        }
    }

    fn solve(&mut self) {
        let mut before = f64::NAN;
        for sweep in 0..MOST_SWEEPS {
            (0..=self.agents).for_each(|busy| self.sweep(busy));
            (0..self.agents).rev().for_each(|busy| self.sweep(busy));
            if sweep % 8 == 7 {
                self.normalise();
                let talking = self.talking();
                if ((talking - before) / talking).abs() < PRECISION {
                    break;
                }
                before = talking;
            }
        }
        self.normalise();
    }

    fn normalise(&mut self) {
        let sum: f64 = self.chance.iter().sum();
        self.chance.iter_mut().for_each(|chance| *chance /= sum);
    }

    fn talking(&self) -> f64 {
        let rows = self.chance.chunks(self.most + 1).enumerate();
        rows.map(|(busy, row)| busy as f64 * row.iter().sum::<f64>()).sum()
    }

    fn figures(&self, team: &SteadyTeam) -> SteadyFigures {
        let (mut ringing, mut lost) = (0.0, 0.0);
        for (busy, row) in self.chance.chunks(self.most + 1).enumerate() {
            let lines: f64 =
                row.iter().enumerate().map(|(lines, chance)| lines as f64 * chance).sum();
            ringing += lines;
            if busy == self.agents {
                lost += lines;
            }
        }
        let talking = self.talking();
        SteadyFigures {
            abandoned_share: if ringing > 0.0 { lost / ringing } else { 0.0 },
            utilisation: talking / f64::from(team.agents),
            conversations_per_hour: 3600.0 * talking / team.handle_secs,
            dials_per_hour: 3600.0 * ringing / team.ring_secs,
            ringing,
        }
    }
}
