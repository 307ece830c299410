//! What would help now: interventions, each played from the present on the same days.

use barometer_strategy::Edit;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::{DayNow, PlayedRest};

/// People who are called in need this long to be there, in seconds.
pub const COME_AFTER_SECS: f64 = 3600.0;

/// Rounds in which interventions are played on the same days: up to how many days, and how many of them go on to the
/// next round. Most are hopeless, which few days tell.
const ROUNDS: [(u32, usize); 2] = [(3, 14), (8, 7)];

/// What can be done.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum HelpKind {
    /// People of one team work for another from now on.
    Move {
        /// The giving team's id.
        from: String,
        /// The receiving team's id.
        to: String,
        /// How many.
        people: u32,
    },
    /// People come in who were not planned.
    CallIn {
        /// The team's id.
        to: String,
        /// How many.
        people: u32,
    },
    /// Breaks that are about to begin are taken later.
    PostponeBreaks {
        /// The team's id.
        team: String,
        /// Of those that begin from now on within this time, in seconds.
        within_secs: f64,
        /// By how much, in seconds.
        by_secs: f64,
    },
    /// The strategy is changed.
    Change {
        /// How.
        edit: Edit,
    },
}

/// An intervention with what it does.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Help {
    /// What is done.
    pub kind: HelpKind,
    /// The same in words.
    pub words: String,
    /// What it does to each contact type, in the order of the inputs.
    pub effects: Vec<HelpEffect>,
    /// Agent-hours that it takes beside those planned.
    pub hours: f64,
    /// By how many contacts more are answered in time, up to the targets.
    pub worth: f64,
}

/// What an intervention does to a contact type.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct HelpEffect {
    /// The day's service level with it.
    pub level: f64,
    /// How much higher that is, in shares.
    pub difference: f64,
    /// Half the width of the difference's 95 % confidence interval.
    pub half_width: f64,
    /// The share of played days on which the target is reached with it.
    pub chance: f64,
}

/// An intervention while it is tried.
struct Tried {
    kind: HelpKind,
    words: String,
    /// The day with it.
    day: DayNow,
    played: PlayedRest,
    worth: f64,
}

/// Differences under this are nothing, however sure they are.
const NOTHING: f64 = 0.0005;

impl HelpEffect {
    /// Whether it is more than luck, and more than nothing.
    pub fn is_told(&self) -> bool {
        self.difference.abs() > self.half_width.max(NOTHING)
    }
}

impl Help {
    /// Whether every target is more likely reached than not with it.
    pub fn is_enough(&self) -> bool {
        self.effects.iter().all(|effect| effect.chance >= 0.5)
    }
}

impl DayNow {
    /// What would help, the best first; what helps nobody is left out. `rest` is the day without any of it, played
    /// as often and with the same seed.
    ///
    /// The best are those that are enough (every target is then more likely reached than not), with the fewest
    /// agent-hours first; then the others, by what they are worth. Everything is played on a few days first, and
    /// what does best there on more of them. What cannot be played is left out.
    pub fn helps(&self, rest: &PlayedRest, replications: u32, seed: u64) -> Vec<Help> {
        // What the strategy does not allow is no help.
        let mut tried: Vec<Tried> = self
            .candidates(rest)
            .into_iter()
            .filter_map(|(kind, words)| {
                let day = self.with(&kind)?;
                Some(Tried { kind, words, day, played: PlayedRest::default(), worth: 0.0 })
            })
            .collect();
        for (days, go_on) in ROUNDS {
            let days = days.min(replications);
            tried = self.played_on(tried, rest, (days, seed));
            tried.retain(|tried| tried.worth > 0.0);
            tried.sort_by(|one, other| other.worth.total_cmp(&one.worth));
            tried.truncate(go_on);
        }
        let tried = self.played_on(tried, rest, (replications, seed));
        let mut helps: Vec<Help> = tried
            .into_iter()
            .map(|Tried { kind, words, played, worth, .. }| {
                let effects = (0..self.inputs.types.len()).map(|of| self.effect(rest, &played, of));
                let hours = self.hours(&kind);
                Help { kind, words, effects: effects.collect(), hours, worth }
            })
            .filter(|help| {
                let is_better = |effect: &HelpEffect| effect.is_told() && effect.difference > 0.0;
                help.worth > 0.0 && help.effects.iter().any(is_better)
            })
            .collect();
        helps.sort_by(|one, other| {
            let rank = |help: &Help| if help.is_enough() { (0, help.hours) } else { (1, 0.0) };
            let (one_rank, other_rank) = (rank(one), rank(other));
            one_rank
                .0
                .cmp(&other_rank.0)
                .then(one_rank.1.total_cmp(&other_rank.1))
                .then(other.worth.total_cmp(&one.worth))
        });
        helps
    }

    /// Interventions played on a number of days; days they were played on before are not played again. What
    /// cannot be played is left out.
    fn played_on(
        &self,
        tried: Vec<Tried>,
        rest: &PlayedRest,
        (days, seed): (u32, u64),
    ) -> Vec<Tried> {
        let without = rest.first(days);
        tried
            .into_par_iter()
            .filter_map(|mut tried| {
                tried.day.play_on(&mut tried.played, days, seed).ok()?;
                tried.worth = self.worth(&without, &tried.played);
                Some(tried)
            })
            .collect()
    }

    fn effect(&self, rest: &PlayedRest, played: &PlayedRest, of: usize) -> HelpEffect {
        let end = played.end_of(of, self.inputs.types[of].rules.service_level);
        let (difference, half_width) = played.difference(rest, of).unwrap_or((0.0, 0.0));
        HelpEffect { level: end.level.unwrap_or(1.0), difference, half_width, chance: end.chance }
    }

    /// Contacts that are answered in time up to the target of their type: what is above a target is worth nothing.
    fn worth(&self, rest: &PlayedRest, played: &PlayedRest) -> f64 {
        let of_type = |played: &PlayedRest, of: usize| {
            let wanted = self.inputs.types[of].rules.service_level;
            let days = played.days.iter().filter_map(|day| day.get(of));
            let counted = days.map(|[offered, in_time, _]| in_time.min(wanted * offered));
            counted.sum::<f64>() / played.days.len().max(1) as f64
        };
        (0..self.inputs.types.len()).map(|of| of_type(played, of) - of_type(rest, of)).sum()
    }

    fn rest_secs(&self) -> f64 {
        self.inputs.interval_count() as f64 * self.inputs.interval_secs - self.present.at_secs
    }

    fn hours(&self, kind: &HelpKind) -> f64 {
        match kind {
            HelpKind::CallIn { to, people } => {
                let from = self.interval_after(COME_AFTER_SECS);
                let team = self.inputs.teams.iter().find(|team| team.team == *to);
                let open = team.map_or(0, |team| {
                    team.agents.iter().skip(from).filter(|&&people| people > 0).count()
                });
                f64::from(*people) * open as f64 * self.inputs.interval_secs / 3600.0
            }
            HelpKind::Move { .. } | HelpKind::PostponeBreaks { .. } | HelpKind::Change { .. } => {
                0.0
            }
        }
    }

    fn interval_after(&self, secs: f64) -> usize {
        let at = self.present.at_secs + secs.min(self.rest_secs());
        (at / self.inputs.interval_secs).ceil() as usize
    }

    /// The day with an intervention; `None` where the strategy does not allow it.
    pub fn with(&self, kind: &HelpKind) -> Option<Self> {
        let mut with = self.clone();
        let end = self.inputs.interval_count();
        let add = |now: &mut Self, team: &str, people: i32, from: usize| {
            add_between(now, team, people, (from, end));
        };
        match kind {
            HelpKind::Move { from, to, people } => {
                let people = i32::try_from(*people).ok()?;
                add(&mut with, from, -people, self.interval());
                add(&mut with, to, people, self.interval());
            }
            HelpKind::CallIn { to, people } => {
                add(
                    &mut with,
                    to,
                    i32::try_from(*people).ok()?,
                    self.interval_after(COME_AFTER_SECS),
                );
            }
            HelpKind::PostponeBreaks { team, within_secs, by_secs } => {
                for place in self.breaks_within(team, *within_secs, *by_secs) {
                    let each = &self.breaks[place];
                    let at = |secs: f64| (secs / self.inputs.interval_secs).round() as usize;
                    let taken = (at(each.from_secs), at(each.until_secs));
                    let later = (at(each.from_secs + by_secs), at(each.until_secs + by_secs));
                    add_between(&mut with, team, 1, taken);
                    add_between(&mut with, team, -1, later);
                }
            }
            HelpKind::Change { edit } => {
                with.inputs.strategy = edit.apply(&with.inputs.strategy).ok()?;
            }
        }
        Some(with)
    }
}

/// More people of a team, or fewer, in those intervals of a stretch in which anybody is there at all.
fn add_between(now: &mut DayNow, team: &str, people: i32, (from, until): (usize, usize)) {
    let Some(team) = now.inputs.teams.iter_mut().find(|each| each.team == team) else { return };
    let open = team.agents.iter_mut().take(until).skip(from).filter(|people| **people > 0);
    open.for_each(|there| *there = there.saturating_add_signed(people));
}
