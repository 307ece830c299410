//! Interventions that may help, before any of them is played.

use barometer_strategy::{
    Channel, Edit, Next, Pacing, PartId, Queue, Relaxation, Step, StepKind, Strategy,
};
use serde_json::json;

use super::{DayNow, HelpKind, PlayedRest};

/// Contact types for which help is looked for, at most: the worst.
const MOST_TROUBLED: usize = 2;
/// Numbers of people who are moved, and who are called in.
const MOVED: [u32; 3] = [1, 2, 4];
const CALLED_IN: [u32; 2] = [2, 4];
/// Seconds of waiting after which anybody may answer, where that is tried.
const ANYBODY_AFTER_SECS: f64 = 30.0;
/// Seconds of waiting after which contacts overflow, where that is tried.
const OVERFLOW_AFTER_SECS: f64 = 60.0;
/// Teams from which people are moved, at most: those with most room.
const GIVERS: usize = 3;
/// Breaks that begin within this time are postponed by that, in seconds.
const BREAKS_WITHIN_SECS: f64 = 5400.0;
const POSTPONED_BY_SECS: f64 = 3600.0;
/// Room is judged by the mean pressure of the next seconds.
const AHEAD_SECS: f64 = 7200.0;

impl DayNow {
    /// What might help those contact types that miss their target.
    pub(super) fn candidates(&self, rest: &PlayedRest) -> Vec<(HelpKind, String)> {
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
            candidates.extend(self.postponed_breaks(&home));
            candidates.extend(self.changes_for(of));
        }
        if !candidates.is_empty() {
            candidates.extend(self.slower_campaigns());
        }
        let mut once: Vec<(HelpKind, String)> = Vec::new();
        for candidate in candidates {
            if once.iter().all(|(kind, _)| *kind != candidate.0) {
                once.push(candidate);
            }
        }
        once
    }

    /// People who help in a team: of those with most room, who answer the same channels, and of one that answers
    /// chats.
    fn moves_to(&self, home: &str) -> Vec<(HelpKind, String)> {
        let people = |team: &str| {
            let found = self.inputs.teams.iter().find(|each| each.team == team);
            found.and_then(|each| each.agents.get(self.interval())).copied().unwrap_or(0)
        };
        let answers = |id: &str| {
            let team = self.inputs.strategy.teams.iter().find(|each| each.id == id)?;
            Some(
                [Channel::Call, Channel::Chat, Channel::Task]
                    .map(|channel| team.answers(channel).is_some()),
            )
        };
        let wanted = answers(home);
        let others =
            self.inputs.teams.iter().filter(|team| team.team != home && people(&team.team) > 0);
        let mut givers: Vec<(f64, &str)> = others
            .map(|team| (self.pressure_ahead(&team.team).unwrap_or(0.0), team.team.as_str()))
            .collect();
        givers.sort_by(|one, other| one.0.total_cmp(&other.0));
        let (alike, unlike): (Vec<&str>, Vec<&str>) =
            givers.into_iter().map(|(_, team)| team).partition(|team| answers(team) == wanted);
        let chats =
            unlike.into_iter().filter(|team| answers(team).is_some_and(|[_, chats, _]| chats));
        let mut moves = Vec::new();
        for (from, is_of_chat) in alike
            .into_iter()
            .take(GIVERS)
            .map(|team| (team, false))
            .chain(chats.take(1).map(|team| (team, true)))
        {
            for moved in MOVED.into_iter().filter(|&moved| 2 * moved <= people(from)) {
                let (giver, taker) = (self.name_of(from), self.name_of(home));
                let who = if moved == 1 { "person" } else { "people" };
                let words = if is_of_chat {
                    format!("Take {moved} {who} of {giver} from chats to {taker}")
                } else {
                    format!("Move {moved} {who} from {giver} to {taker}")
                };
                let (from, to) = (from.to_owned(), home.to_owned());
                moves.push((HelpKind::Move { from, to, people: moved }, words));
            }
        }
        moves
    }

    /// The mean pressure of the next two hours at home with a team; `None` where nothing comes there, or nobody is there.
    fn pressure_ahead(&self, team: &str) -> Option<f64> {
        let at_home = (0..self.inputs.types.len())
            .find(|&of| self.inputs.home_of(of).is_some_and(|home| home.team == team))?;
        let now = self.interval();
        let ahead = (AHEAD_SECS / self.inputs.interval_secs) as usize;
        let pressures: Vec<f64> =
            (now..now + ahead).filter_map(|at| self.pressure(at_home, at)).collect();
        let mean = pressures.iter().sum::<f64>() / pressures.len() as f64;
        (!pressures.is_empty()).then_some(mean)
    }

    /// Breaks of a team that are about to begin, an hour later.
    fn postponed_breaks(&self, team: &str) -> Option<(HelpKind, String)> {
        let count = self.breaks_within(team, BREAKS_WITHIN_SECS, POSTPONED_BY_SECS).len();
        if count == 0 {
            return None;
        }
        let breaks = if count == 1 { "one break".to_owned() } else { format!("{count} breaks") };
        let words = format!("Postpone {breaks} of {} by an hour", self.name_of(team));
        let kind = HelpKind::PostponeBreaks {
            team: team.to_owned(),
            within_secs: BREAKS_WITHIN_SECS,
            by_secs: POSTPONED_BY_SECS,
        };
        Some((kind, words))
    }

    /// Campaigns that dial, paused, or with fewer lines for each agent.
    fn slower_campaigns(&self) -> Vec<(HelpKind, String)> {
        let campaigns = &self.inputs.strategy.campaigns;
        let mut slower = Vec::new();
        for campaign in campaigns.iter().filter(|campaign| campaign.paused_because.is_none()) {
            let set = |setting: &str, to| {
                let part = PartId::Campaign(campaign.id.clone());
                HelpKind::Change { edit: Edit::Set { part, setting: setting.to_owned(), to } }
            };
            let pause = set("/paused_because", json!("inbound contacts need its agents"));
            slower.push((pause, format!("Pause the campaign “{}”", campaign.name)));
            let is_fast = match campaign.pacing {
                Pacing::Steady { lines_per_agent } => lines_per_agent > 1.0,
                Pacing::Predictive {} => {
                    campaign.caps.lines_per_agent.is_none_or(|most| most > 1.0)
                }
                Pacing::ByHand { .. } | Pacing::Preview { .. } | Pacing::Progressive {} => false,
            };
            if is_fast {
                let words = format!(
                    "Slow the campaign “{}” to one line for each free agent",
                    campaign.name
                );
                slower.push((set("/pacing", json!(Pacing::Progressive {})), words));
            }
        }
        slower
    }

    /// Changes of the queues at which a contact type waits first.
    fn changes_for(&self, of: usize) -> Vec<(HelpKind, String)> {
        let strategy = &self.inputs.strategy;
        let mut changes = Vec::new();
        for step in strategy.first_service_points(&self.inputs.types[of].name) {
            if let StepKind::Queue(queue) = &step.does {
                changes.extend(anybody_after_a_while(step, queue));
                changes.extend(self.other_callbacks(step, queue));
            }
            if let Some(room) = self.line_with_room(of) {
                changes.extend(sent_elsewhere(strategy, step, room));
                changes.extend(overflow(step, room));
            }
        }
        changes.into_iter().map(|(edit, words)| (HelpKind::Change { edit }, words)).collect()
    }

    /// Of the lines at which other contact types of the same channel wait first, the one whose people have most
    /// room; none where nobody has any.
    fn line_with_room(&self, of: usize) -> Option<&Step> {
        let channel = self.inputs.types[of].customers.channel;
        let home = self.inputs.home_of(of)?;
        let others = (0..self.inputs.types.len()).filter_map(|other| {
            let there = self.inputs.home_of(other).filter(|there| there.team != home.team)?;
            let pressure = self.pressure_ahead(&there.team)?;
            let is_possible =
                self.inputs.types[other].customers.channel == channel && pressure < 1.0;
            is_possible.then_some((pressure, other))
        });
        let (_, roomiest) = others.min_by(|one, other| one.0.total_cmp(&other.0))?;
        self.inputs
            .strategy
            .first_service_points(&self.inputs.types[roomiest].name)
            .into_iter()
            .next()
    }

    /// Callbacks offered where there are none, or none where they are offered: who calls back cannot answer.
    fn other_callbacks(&self, step: &Step, queue: &Queue) -> Option<(Edit, String)> {
        if queue.callback.is_some() {
            let words = format!("Stop offering callbacks in “{}”", step.name);
            return Some((set(step, "/does/queue/callback", json!(null)), words));
        }
        let callback = self.inputs.strategy.steps.iter().find_map(|step| match &step.does {
            StepKind::Callback(_) => Some(step.id.clone()),
            _ => None,
        })?;
        let offer = json!({ "after_secs": 60.0, "if_expected_wait_secs": 60.0, "accepted_share": 0.3, "step": callback });
        let words =
            format!("Offer callbacks in “{}” to those who would wait over a minute", step.name);
        Some((set(step, "/does/queue/callback", offer), words))
    }
}

fn set(step: &Step, setting: &str, to: serde_json::Value) -> Edit {
    Edit::Set { part: PartId::Step(step.id.clone()), setting: setting.to_owned(), to }
}

fn anybody_after_a_while(step: &Step, queue: &Queue) -> Option<(Edit, String)> {
    let is_narrow = queue
        .need
        .relaxations
        .iter()
        .all(|each| !each.skills.is_empty() || each.after_secs > ANYBODY_AFTER_SECS);
    if !is_narrow || queue.need.skills.is_empty() {
        return None;
    }
    let mut relaxations = queue.need.relaxations.clone();
    relaxations.retain(|each| each.after_secs < ANYBODY_AFTER_SECS);
    relaxations.push(Relaxation { after_secs: ANYBODY_AFTER_SECS, skills: Vec::new() });
    let words =
        format!("Let anybody who is free answer “{}” after {ANYBODY_AFTER_SECS:.0} s", step.name);
    Some((set(step, "/does/queue/need/relaxations", json!(relaxations)), words))
}

/// Contacts of a line go to another one from the start.
fn sent_elsewhere(strategy: &Strategy, step: &Step, room: &Step) -> Option<(Edit, String)> {
    let edit = Edit::replace_everywhere(strategy, &step.id, &Next::step(&room.id)).ok()?;
    Some((edit, format!("Send contacts of “{}” to “{}”", step.name, room.name)))
}

/// Contacts of a line go to another one after a while.
fn overflow(step: &Step, room: &Step) -> Option<(Edit, String)> {
    let (kind, limit) = match &step.does {
        StepKind::Queue(queue) => ("queue", queue.longest_wait_secs),
        StepKind::HuntGroup(group) => ("hunt_group", group.group_limit_secs),
        _ => return None,
    };
    if limit.is_some_and(|secs| secs <= OVERFLOW_AFTER_SECS) {
        return None;
    }
    let limit_name = if kind == "queue" { "longest_wait_secs" } else { "group_limit_secs" };
    let edit = Edit::Several(vec![
        set(step, &format!("/does/{kind}/{limit_name}"), json!(OVERFLOW_AFTER_SECS)),
        Edit::Connect {
            part: PartId::Step(step.id.clone()),
            exit: format!("/does/{kind}/exits/too_long"),
            to: Some(Next::step(&room.id)),
        },
    ]);
    let words =
        format!("Let “{}” overflow to “{}” after {OVERFLOW_AFTER_SECS:.0} s", step.name, room.name);
    Some((edit, words))
}
