//! What would help now: interventions, each played from the present on the same days.

use barometer_strategy::{Edit, PartId, Relaxation, StepKind};
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::{DayNow, PlayedRest};

/// Contact types for which help is looked for, at most: the worst.
const MOST_TROUBLED: usize = 2;
/// Numbers of people who are moved, and who are called in.
const MOVED: [u32; 3] = [1, 2, 4];
const CALLED_IN: [u32; 2] = [2, 4];
/// People who are called in need this long to be there, in seconds.
pub const COME_AFTER_SECS: f64 = 3600.0;
/// Seconds of waiting after which anybody may answer, where that is tried.
const ANYBODY_AFTER_SECS: f64 = 30.0;
/// Teams from which people are moved, at most: those with most room.
const GIVERS: usize = 3;

/// Days on which everything is played first, and interventions that are then played on all days.
const SCREENING_DAYS: u32 = 6;
const SCREENED: usize = 7;

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
    /// what does best there on all of them.
    ///
    /// # Errors
    ///
    /// What cannot be played, in words.
    pub fn helps(
        &self,
        rest: &PlayedRest,
        replications: u32,
        seed: u64,
    ) -> Result<Vec<Help>, String> {
        let few = SCREENING_DAYS.min(replications);
        let begun = rest.first(few);
        // What the strategy does not allow is no help.
        let possible = self.candidates(rest).into_iter().filter_map(|(kind, words)| {
            let with = self.with(&kind)?;
            let worth = self.worth(&begun, &with.play(few, seed).ok()?);
            (worth > 0.0).then_some((worth, kind, words, with))
        });
        let mut screened: Vec<(f64, HelpKind, String, Self)> = possible.collect();
        screened.sort_by(|one, other| other.0.total_cmp(&one.0));
        let mut helps = Vec::new();
        for (_, kind, words, with) in screened.into_iter().take(SCREENED) {
            let played = with.play(replications, seed)?;
            let effects = (0..self.inputs.types.len()).map(|of| self.effect(rest, &played, of));
            let effects: Vec<HelpEffect> = effects.collect();
            let worth = self.worth(rest, &played);
            let hours = self.hours(&kind);
            if worth > 0.0
                && effects.iter().any(|effect| effect.is_told() && effect.difference > 0.0)
            {
                helps.push(Help { kind, words, effects, hours, worth });
            }
        }
        helps.sort_by(|one, other| {
            let rank = |help: &Help| if help.is_enough() { (0, help.hours) } else { (1, 0.0) };
            let (one_rank, other_rank) = (rank(one), rank(other));
            one_rank
                .0
                .cmp(&other_rank.0)
                .then(one_rank.1.total_cmp(&other_rank.1))
                .then(other.worth.total_cmp(&one.worth))
        });
        Ok(helps)
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
            HelpKind::Move { .. } | HelpKind::Change { .. } => 0.0,
        }
    }

    fn interval_after(&self, secs: f64) -> usize {
        let at = self.present.at_secs + secs.min(self.rest_secs());
        (at / self.inputs.interval_secs).ceil() as usize
    }

    fn name_of(&self, team: &str) -> String {
        let known = self.inputs.strategy.teams.iter().find(|each| each.id == team);
        known.map_or_else(|| team.to_owned(), |each| each.name.clone())
    }

    /// What might help those contact types that miss their target.
    fn candidates(&self, rest: &PlayedRest) -> Vec<(HelpKind, String)> {
        let mut troubled: Vec<(f64, usize)> = (0..self.inputs.types.len())
            .filter_map(|of| {
                let wanted = self.inputs.types[of].rules.service_level;
                let end = rest.end_of(of, wanted);
                let short = wanted - end.level?;
                let offered: f64 =
                    self.inputs.types[of].intervals.iter().map(|each| each.contacts).sum();
                (end.chance < 0.5).then_some((short * offered, of))
            })
            .collect();
        troubled.sort_by(|one, other| other.0.total_cmp(&one.0));
        let mut candidates: Vec<(HelpKind, String)> = Vec::new();
        for (_, of) in troubled.into_iter().take(MOST_TROUBLED) {
            let Some(home) = self.inputs.home_of(of).map(|home| home.team.clone()) else {
                continue;
            };
            candidates.extend(self.moves_to(&home));
            for people in CALLED_IN {
                let words = format!(
                    "Call in {people} people for {}, there in an hour",
                    self.name_of(&home)
                );
                candidates.push((HelpKind::CallIn { to: home.clone(), people }, words));
            }
            candidates.extend(self.changes_for(of));
        }
        if !candidates.is_empty() {
            candidates.extend(self.pauses());
        }
        let mut once: Vec<(HelpKind, String)> = Vec::new();
        for candidate in candidates {
            if once.iter().all(|(kind, _)| *kind != candidate.0) {
                once.push(candidate);
            }
        }
        once
    }

    fn moves_to(&self, home: &str) -> Vec<(HelpKind, String)> {
        let interval = self.interval();
        let people = |team: &str| {
            let found = self.inputs.teams.iter().find(|each| each.team == team);
            found.and_then(|each| each.agents.get(interval)).copied().unwrap_or(0)
        };
        let answers = |id: &str| {
            let team = self.inputs.strategy.teams.iter().find(|each| each.id == id)?;
            Some([0, 1, 2].map(|place| {
                let channels = [
                    barometer_strategy::Channel::Call,
                    barometer_strategy::Channel::Chat,
                    barometer_strategy::Channel::Task,
                ];
                team.answers(channels[place]).is_some()
            }))
        };
        let wanted = answers(home);
        // The mean pressure of the next two hours: who has most room gives first.
        let ahead = (7200.0 / self.inputs.interval_secs) as usize;
        let mut givers: Vec<(f64, String)> = self
            .inputs
            .teams
            .iter()
            .filter(|team| team.team != home && people(&team.team) > 0)
            .filter(|team| answers(&team.team) == wanted)
            .map(|team| {
                let at_home = (0..self.inputs.types.len())
                    .find(|&of| self.inputs.home_of(of).is_some_and(|home| home.team == team.team));
                let pressures = (interval..interval + ahead)
                    .filter_map(|at| self.pressure(at_home?, at))
                    .collect::<Vec<_>>();
                let mean = pressures.iter().sum::<f64>() / pressures.len().max(1) as f64;
                (mean, team.team.clone())
            })
            .collect();
        givers.sort_by(|one, other| one.0.total_cmp(&other.0));
        let mut moves = Vec::new();
        for (_, from) in givers.into_iter().take(GIVERS) {
            for moved in MOVED.into_iter().filter(|&moved| 2 * moved <= people(&from)) {
                let (giver, taker) = (self.name_of(&from), self.name_of(home));
                let who = if moved == 1 { "person" } else { "people" };
                let words = format!("Move {moved} {who} from {giver} to {taker}");
                let to = home.to_owned();
                moves.push((HelpKind::Move { from: from.clone(), to, people: moved }, words));
            }
        }
        moves
    }

    /// Campaigns that dial, paused.
    fn pauses(&self) -> Vec<(HelpKind, String)> {
        let running = self
            .inputs
            .strategy
            .campaigns
            .iter()
            .filter(|campaign| campaign.paused_because.is_none());
        let paused = running.map(|campaign| {
            let edit = Edit::Set {
                part: PartId::Campaign(campaign.id.clone()),
                setting: "/paused_because".to_owned(),
                to: json!("inbound contacts need its agents"),
            };
            (HelpKind::Change { edit }, format!("Pause the campaign “{}”", campaign.name))
        });
        paused.collect()
    }

    /// Changes of the queues at which a contact type waits first.
    fn changes_for(&self, of: usize) -> Vec<(HelpKind, String)> {
        let strategy = &self.inputs.strategy;
        let name = &self.inputs.types[of].name;
        let callback = strategy.steps.iter().find_map(|step| match &step.does {
            StepKind::Callback(_) => Some(step.id.clone()),
            _ => None,
        });
        let mut changes = Vec::new();
        for step in strategy.first_service_points(name) {
            let StepKind::Queue(queue) = &step.does else { continue };
            let set = |setting: &str, to| Edit::Set {
                part: PartId::Step(step.id.clone()),
                setting: setting.to_owned(),
                to,
            };
            let anybody = Relaxation { after_secs: ANYBODY_AFTER_SECS, skills: Vec::new() };
            let is_narrow = queue
                .need
                .relaxations
                .iter()
                .all(|each| !each.skills.is_empty() || each.after_secs > ANYBODY_AFTER_SECS);
            if is_narrow && !queue.need.skills.is_empty() {
                let mut relaxations = queue.need.relaxations.clone();
                relaxations.retain(|each| each.after_secs < ANYBODY_AFTER_SECS);
                relaxations.push(anybody);
                let edit = set("/does/queue/need/relaxations", json!(relaxations));
                let words = format!(
                    "Let anybody who is free answer “{}” after {ANYBODY_AFTER_SECS:.0} s",
                    step.name
                );
                changes.push((HelpKind::Change { edit }, words));
            }
            if queue.callback.is_none()
                && let Some(callback) = &callback
            {
                let offer = json!({ "after_secs": 60.0, "if_expected_wait_secs": 60.0, "accepted_share": 0.3, "step": callback });
                let edit = set("/does/queue/callback", offer);
                let words = format!(
                    "Offer callbacks in “{}” to those who would wait over a minute",
                    step.name
                );
                changes.push((HelpKind::Change { edit }, words));
            }
        }
        changes
    }

    /// The day with an intervention; `None` where the strategy does not allow it.
    pub fn with(&self, kind: &HelpKind) -> Option<Self> {
        let mut with = self.clone();
        let add = |now: &mut Self, team: &str, people: i32, from: usize| {
            let team = now.inputs.teams.iter_mut().find(|each| each.team == team);
            let Some(team) = team else { return };
            let open = team.agents.iter_mut().skip(from).filter(|people| **people > 0);
            open.for_each(|there| *there = there.saturating_add_signed(people));
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
            HelpKind::Change { edit } => {
                with.inputs.strategy = edit.apply(&with.inputs.strategy).ok()?;
            }
        }
        Some(with)
    }
}
