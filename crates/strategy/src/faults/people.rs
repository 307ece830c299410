//! Faults of teams and of customers.

use std::collections::HashSet;

use super::{Fault, Found};
use crate::Duration;
use crate::customers::{Customers, TryAgain};
use crate::types::{Skill, StepKind, Strategy, Team};

/// The most contacts an agent may handle at once.
const MOST_AT_ONCE: u32 = 20;

impl Found<'_> {
    pub(super) fn team<'b>(&mut self, team: &'b Team, agents: &mut HashSet<&'b str>) {
        self.name("name", &team.name);
        self.duration("answer_delay", &team.answer_delay);
        self.share("refused_share", team.refused_share);
        self.ensure((0.05..=20.0).contains(&team.pace), "pace", || {
            format!("must be 0.05 to 20, got {}", team.pace)
        });
        self.skills("skills", &team.skills);
        for (at, channel) in team.channels.iter().enumerate() {
            let right = (1..=MOST_AT_ONCE).contains(&channel.at_once);
            self.ensure(right, &format!("channels[{at}].at_once"), || {
                format!("must be 1 to {MOST_AT_ONCE} contacts at once")
            });
            let slowing = channel.slowing;
            let right = (0.0..=10.0).contains(&slowing);
            self.ensure(right, &format!("channels[{at}].slowing"), || {
                format!("must be 0 to 10, got {slowing}")
            });
        }
        for id in team.ranks.keys() {
            self.ranks_in_queue("ranks", id);
        }
        for (at, channel) in team.channels.iter().enumerate() {
            let mut earlier = team.channels[..at].iter();
            let is_new = earlier.all(|other| other.channel != channel.channel);
            self.ensure(is_new, &format!("channels[{at}].channel"), || {
                "is named twice; keep one entry for each channel".to_owned()
            });
        }
        for (at, agent) in team.agents.iter().enumerate() {
            let field = format!("agents[{at}]");
            self.name(&format!("{field}.name"), &agent.name);
            let is_new = agents.insert(agent.name.as_str());
            self.ensure(is_new, &format!("{field}.name"), || {
                format!("“{}” is named twice", agent.name)
            });
            self.number(&format!("{field}.short_number"), agent.short_number.as_deref());
            self.number(&format!("{field}.port"), agent.port.as_deref());
            self.skills(&format!("{field}.skills"), agent.skills.as_deref().unwrap_or_default());
            for id in agent.ranks.keys() {
                self.ranks_in_queue(&format!("{field}.ranks"), id);
            }
        }
    }

    /// Ranks are kept with the team for queues; a hunt group has those of its own members.
    fn ranks_in_queue(&mut self, field: &str, id: &str) {
        let step = self.strategy.step(id);
        let is_group = step.is_some_and(|step| matches!(step.does, StepKind::HuntGroup(_)));
        if is_group {
            self.note(field, format!("“{id}” is a hunt group: set the rank at its member"));
        } else {
            self.refers_to_line(field, id);
        }
    }

    fn skills(&mut self, field: &str, skills: &[Skill]) {
        for (at, skill) in skills.iter().enumerate() {
            self.name(&format!("{field}[{at}].skill"), &skill.skill);
            let right = skill.level.is_none_or(|level| (1..=10).contains(&level));
            self.ensure(right, &format!("{field}[{at}].level"), || {
                "must be a level from 1 to 10".to_owned()
            });
        }
    }
}

impl Customers {
    /// What is wrong with these customers, if anything.
    pub fn fault(&self) -> Option<Fault> {
        let strategy = Strategy::plain("none");
        let mut found = Found { strategy: &strategy, faults: Vec::new(), at: String::new() };
        found.duration("handling", &self.handling);
        // A forecast's handle time replaces the mean, which no scaling of zeros can reach.
        let is_all_zero =
            matches!(self.handling, Duration::Empirical { .. }) && self.handling.mean_secs() < 1e-6;
        found.ensure(!is_all_zero, "handling", || "needs a value above 0".to_owned());
        found.duration("wrap_up", &self.wrap_up);
        if let Some(patience) = &self.patience {
            found.duration("patience", patience);
        }
        let again =
            [("after_abandoning", &self.after_abandoning), ("after_blocked", &self.after_blocked)];
        for (field, again) in again {
            let Some(TryAgain { share, after, most_attempts }) = again else { continue };
            found.share(&format!("{field}.share"), *share);
            found.duration(&format!("{field}.after"), after);
            let ends = most_attempts.is_some() || (*share < 1.0 && after.mean_secs() > 0.0);
            found.ensure(ends, field, || {
                "needs most_attempts where everybody tries again, or at once".to_owned()
            });
        }
        if let Some(repeat) = &self.repeat {
            found.share("repeat.share", repeat.share);
            found.duration("repeat.after", &repeat.after);
        }
        let sum: f64 = self.profiles.iter().map(|profile| profile.share).sum();
        for (at, profile) in self.profiles.iter().enumerate() {
            found.share(&format!("profiles[{at}].share"), profile.share);
            let chars = profile.number.chars().count();
            found.ensure(
                chars <= super::MOST_PATTERN_CHARS,
                &format!("profiles[{at}].number"),
                || format!("may have up to {} characters", super::MOST_PATTERN_CHARS),
            );
        }
        found.ensure(sum <= 1.0 + 1e-9, "profiles", || {
            format!("the shares of the profiles add up to {sum}; 1 is the most")
        });
        found.faults.into_iter().next()
    }
}
