//! What a way to dial comes to, as far as formulas tell: agents kept for each call, and steady pacing.

use crate::chain::{ChainError, SteadyTeam};
use crate::need::CallMix;

/// What a way to dial comes to with so many agents.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pace {
    /// Lines for each free agent.
    pub lines_per_agent: f64,
    /// Share of their time that agents talk or wrap up.
    pub busy_share: f64,
    /// Conversations for each hour of an agent.
    pub per_agent_hour: f64,
    /// Share of the calls that are answered for which no agent is free.
    pub abandoned_share: f64,
    /// Calls begun in an hour.
    pub dials_per_hour: f64,
}

impl CallMix {
    /// An agent kept for each call, who looks for so many seconds before it is dialled. Calls follow each other
    /// without a break, so that an agent's time is a renewal process: look, ring, and talk where somebody
    /// is there.
    pub fn one_each(&self, agents: f64, look_secs: f64) -> Pace {
        let needed_secs = self.agent_share * self.agent_secs;
        let call_secs = look_secs + self.ring_secs + needed_secs;
        Pace {
            lines_per_agent: 1.0,
            busy_share: needed_secs / call_secs,
            per_agent_hour: 3600.0 * self.conversation_share / call_secs,
            abandoned_share: 0.0,
            dials_per_hour: 3600.0 * agents / call_secs,
        }
    }

    /// A team that dials calls like these.
    pub fn team(&self, agents: u32, lines_per_agent: f64) -> SteadyTeam {
        SteadyTeam {
            agents,
            lines_per_agent,
            answered_share: self.agent_share,
            ring_secs: self.ring_secs,
            handle_secs: self.agent_secs.max(1.0),
        }
    }

    /// Steady pacing.
    ///
    /// # Errors
    ///
    /// Those of the [chain](SteadyTeam::solve).
    pub fn steady(&self, agents: u32, lines_per_agent: f64) -> Result<Pace, ChainError> {
        let solved = self.team(agents, lines_per_agent).solve()?;
        let people = self.conversation_share / self.agent_share;
        Ok(Pace {
            lines_per_agent,
            busy_share: solved.utilisation,
            per_agent_hour: people * solved.conversations_per_hour / f64::from(agents),
            abandoned_share: solved.abandoned_share,
            dials_per_hour: solved.dials_per_hour,
        })
    }

    /// Calls to each person until there is a conversation or there were so many.
    pub fn calls_to_each(&self, most: u32) -> f64 {
        let share = self.conversation_share;
        if share <= 0.0 {
            return f64::from(most);
        }
        (1.0 - (1.0 - share).powi(most as i32)) / share
    }
}

/// Abandoned shares of steady pacing by team size and lines for each free agent.
#[derive(Clone, Debug, PartialEq)]
pub struct PacingMap {
    /// Team sizes, increasing.
    pub agents: Vec<u32>,
    /// Lines for each free agent, increasing from 1.
    pub lines: Vec<f64>,
    /// The abandoned share, by team size and then by lines.
    pub shares: Vec<Vec<f64>>,
    /// The most lines that keep the ceiling, by team size: linear between the lines that were solved.
    pub boundary: Vec<f64>,
}

/// Team sizes and steps of lines that are solved.
const SIZES: usize = 10;
const STEPS: usize = 13;
/// Between these team sizes the map ends.
const FEWEST_AT_MOST: u32 = 20;
const MOST_AGENTS: u32 = 40;

impl PacingMap {
    /// The map around a team. It reaches two fifths further than the lines that keep the ceiling.
    ///
    /// # Errors
    ///
    /// Those of the [chain](SteadyTeam::solve).
    pub fn around(team: SteadyTeam, ceiling: f64) -> Result<Self, ChainError> {
        let largest = (2 * team.agents).clamp(FEWEST_AT_MOST, MOST_AGENTS);
        let mut agents: Vec<u32> = (1..=SIZES)
            .map(|nth| (f64::from(largest) * nth as f64 / SIZES as f64).round().max(1.0) as u32)
            .collect();
        agents.push(team.agents.min(MOST_AGENTS));
        agents.sort_unstable();
        agents.dedup();
        let safe = SteadyTeam { agents: largest, ..team }.safe_lines(ceiling)?;
        let top = (1.4 * safe).max(team.lines_per_agent * 1.1).clamp(2.0, 8.0);
        let lines: Vec<f64> =
            (0..STEPS).map(|nth| 1.0 + (top - 1.0) * nth as f64 / (STEPS - 1) as f64).collect();
        let mut shares = Vec::with_capacity(agents.len());
        for &agents in &agents {
            let row = lines.iter().map(|&lines_per_agent| {
                let team = SteadyTeam { agents, lines_per_agent, ..team };
                Ok(team.solve()?.abandoned_share)
            });
            shares.push(row.collect::<Result<Vec<f64>, ChainError>>()?);
        }
        let boundary = shares.iter().map(|row| crossing(&lines, row, ceiling)).collect();
        Ok(Self { agents, lines, shares, boundary })
    }
}

/// Where a share that grows with lines crosses a ceiling; the last line where it does not.
fn crossing(lines: &[f64], shares: &[f64], ceiling: f64) -> f64 {
    let Some(above) = shares.iter().position(|&share| share > ceiling) else {
        return lines.last().copied().unwrap_or(1.0);
    };
    let Some(below) = above.checked_sub(1) else { return lines[0] };
    let part = (ceiling - shares[below]) / (shares[above] - shares[below]);
    lines[below] + part * (lines[above] - lines[below])
}
