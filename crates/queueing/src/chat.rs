//! Agents who hold several chats at once, each of which slows the others down.

use crate::figures::{Figures, LevelOf};
use crate::line::Line;
use crate::scaled::Scaled;
use crate::station::Station;
use crate::traffic::{QueueError, not_negative, positive};

/// How an agent's chats take longer when there are several.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ChatPace {
    /// Most chats that one agent holds at once.
    pub at_once: u32,
    /// Mean time of a chat that is alone with its agent, in seconds.
    pub alone_secs: f64,
    /// By how much every further chat of the agent lengthens each of them, as a share of
    /// `alone_secs`: with 0 they do not notice each other, with 1 two take twice as long.
    pub slowing: f64,
}

impl ChatPace {
    /// Mean time of a chat beside `others` of the same agent, in seconds.
    pub fn handle_secs(self, others: u32) -> f64 {
        self.alone_secs * (1.0 + self.slowing * f64::from(others))
    }
}

/// A chat team in its steady state: chats go to the agent with the fewest, so that with N chats
/// on n agents each agent holds ⌊N/n⌋ or one more; beyond `at_once` each, chats wait.
#[derive(Clone, Copy, Debug)]
pub struct ChatTeam {
    station: Station,
    figures: Figures,
    mean_chats: f64,
}

impl ChatTeam {
    /// The steady state of `chats_per_sec` with `agents`, `places` to wait in (`None`: no limit)
    /// and a mean patience (`None`: chats wait for ever).
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for numbers out of range, [`QueueError::Unstable`] when patient
    /// chats come faster than full agents finish them.
    ///
    /// # Source
    ///
    /// A birth-death chain whose departure rate depends on the number present; Gross, Shortle,
    /// Thompson and Harris, *Fundamentals of Queueing Theory* (2008), section 2.9. That chats stay
    /// evenly spread is an assumption: a chat that ends may leave its agent two below another.
    pub fn new(
        chats_per_sec: f64,
        agents: u32,
        pace: ChatPace,
        places: Option<u32>,
        patience_secs: Option<f64>,
    ) -> Result<Self, QueueError> {
        not_negative("chats per second", chats_per_sec)?;
        positive("time of a chat alone in seconds", pace.alone_secs)?;
        not_negative("slowing per further chat", pace.slowing)?;
        if !(1..=100).contains(&pace.at_once) {
            let (what, wanted) = ("chats at once", "from 1 to 100");
            return Err(QueueError::BadNumber { what, wanted, got: f64::from(pace.at_once) });
        }
        let giving_up = match patience_secs {
            Some(secs) => 1.0 / positive("mean patience in seconds", secs)?,
            None => 0.0,
        };
        if chats_per_sec == 0.0 {
            let station = Station::idle(agents > 0, places == Some(0));
            return Ok(Self { station, figures: station.figures(0.0), mean_chats: 0.0 });
        }
        let chats = agents.saturating_mul(pace.at_once);
        let departures = finished_per_sec(chats, agents, pace);
        let line = Line { arrivals: chats_per_sec, departures, giving_up, places };
        if !line.settles() {
            return Err(QueueError::Unstable {
                servers: chats,
                erlangs: chats_per_sec * pace.handle_secs(pace.at_once - 1),
                needed: ((chats_per_sec * pace.handle_secs(pace.at_once - 1)).floor() as u32)
                    .saturating_add(1),
            });
        }
        let below = Below::new(chats_per_sec, chats, agents, pace);
        let station = Station::new(line, below.all)?;
        // Sums over the states below full are shares of those states until scaled by theirs.
        let share = |sum: f64| {
            if below.all.mantissa > 0.0 {
                sum / below.all.mantissa * station.at_once()
            } else {
                0.0
            }
        };
        let busy_agents = share(below.busy_agents) + f64::from(agents) * station.full();
        let mean_chats = share(below.chats) + f64::from(chats) * station.full();
        let occupancy = if agents == 0 { 0.0 } else { busy_agents / f64::from(agents) };
        Ok(Self { station, figures: station.figures(occupancy), mean_chats })
    }

    /// Everything but the service level; the occupancy is the share of the agents' time with at
    /// least one chat.
    pub fn figures(&self) -> Figures {
        self.figures
    }

    /// Mean number of chats being handled.
    pub fn mean_chats(&self) -> f64 {
        self.mean_chats
    }

    /// Share of the offered that abandons within `secs`.
    pub fn abandoned_within(&self, secs: f64) -> f64 {
        self.station.abandoned_within(secs)
    }

    /// Service level within `within_secs` under a definition.
    pub fn service_level(&self, within_secs: f64, of: LevelOf) -> f64 {
        self.station.service_level(within_secs, of, &self.figures)
    }
}

/// Chats finished per second with `chats` spread evenly over `agents`.
fn finished_per_sec(chats: u32, agents: u32, pace: ChatPace) -> f64 {
    if agents == 0 {
        return 0.0;
    }
    let (each, one_more) = (chats / agents, chats % agents);
    let of_agent = |held: u32| {
        if held == 0 { 0.0 } else { f64::from(held) / pace.handle_secs(held - 1) }
    };
    f64::from(agents - one_more) * of_agent(each) + f64::from(one_more) * of_agent(each + 1)
}

/// Sums over the states in which some agent can take another chat.
struct Below {
    all: Scaled,
    /// Σ weight × agents with a chat, and Σ weight × chats, in the scale of `all`.
    busy_agents: f64,
    chats: f64,
}

impl Below {
    fn new(arrivals: f64, full: u32, agents: u32, pace: ChatPace) -> Self {
        // [weight, all, busy agents, chats], from full down.
        let (mut terms, mut steps) = ([1.0, 0.0, 0.0, 0.0], 0);
        for chats in (1..=full).rev() {
            let [weight, all, busy, held] = &mut terms;
            *weight *= finished_per_sec(chats, agents, pace) / arrivals;
            *all += *weight;
            *busy += *weight * f64::from((chats - 1).min(agents));
            *held += *weight * f64::from(chats - 1);
            let falling = finished_per_sec(chats, agents, pace) < arrivals;
            if falling && *weight < *all * (f64::EPSILON / 64.0) && chats < agents {
                break;
            }
            Scaled::keep_in_range(&mut terms, &mut steps);
        }
        let [_, all, busy_agents, chats] = terms;
        Self { all: Scaled { mantissa: all, steps }, busy_agents, chats }
    }
}
