//! A campaign at a moment: how fast it may dial, what each way to dial comes to, and what a goal takes.

use askama::Template;
use barometer_dialling::CallingTimes;
use barometer_dialling::need::{CallMix, Goal};
use barometer_dialling::pace::{Pace, PacingMap};
use barometer_preflight::CampaignNow;
use barometer_simulate::CampaignMeasures;
use barometer_strategy::{Campaign, Pacing, ServedBy, Strategy};

use super::super::seen::Seen;
use super::map::PacingMapView;
use super::{CampaignQuery, DAY_SECS, GoalView, since_midnight};
use crate::page_error::PageError;
use crate::words;

/// Seconds that an agent takes to look somebody up and dial by hand, and to look at a preview, where the
/// campaign itself does not say.
const LOOK_UP_SECS: f64 = 25.0;
const LOOK_SECS: f64 = 12.0;
/// Share of calls that may find no free line, for sizing lines.
pub(super) const BLOCKED_SHARE: f64 = 0.01;
/// Teams up to this size are solved; larger ones may dial at least as fast.
const MOST_SOLVED: u32 = 40;

/// One way to dial.
pub(super) struct WayRow {
    pub name: String,
    pub lines: String,
    pub busy: String,
    pub per_hour: String,
    pub abandoned: String,
    pub lasts: String,
    pub is_own: bool,
    pub is_over: bool,
}

/// A campaign at a moment.
pub(super) struct Looked<'a> {
    pub campaign: &'a Campaign,
    pub mix: CallMix,
    pub now: Option<CampaignNow>,
    /// Agents who are left to the campaign.
    pub agents: u32,
    /// Hours of the chosen day in which it dials.
    pub hours: f64,
    pub is_dialling: bool,
}

impl<'a> Looked<'a> {
    pub(super) fn of(
        campaign: &'a Campaign,
        now: Option<CampaignNow>,
        calling: &CallingTimes,
        seen: &Seen,
    ) -> Self {
        let hour = usize::from(seen.at.hour().unsigned_abs());
        let now_secs = seen.interval as f64 * seen.premises.interval_secs;
        let midnight = now_secs - since_midnight(seen.at.time());
        Self {
            mix: CallMix::of(campaign, Some(hour)),
            agents: now.map_or(0, |now| now.left(&campaign.blending)),
            hours: calling.secs_between(midnight, midnight + DAY_SECS) / 3600.0,
            is_dialling: calling.is_dialling(now_secs),
            campaign,
            now,
        }
    }

    fn is_message(&self) -> bool {
        matches!(self.campaign.served_by, ServedBy::Message(_))
    }

    fn safe(&self) -> Option<f64> {
        let team = self.mix.team(self.agents.min(MOST_SOLVED), 1.0);
        team.safe_lines(self.campaign.abandoned_ceiling).ok()
    }

    /// The answer in a sentence or two.
    pub(super) fn answer(&self, clock: &str, tried: Option<&CampaignMeasures>) -> String {
        if let Some(reason) = &self.campaign.paused_because {
            return format!("It is paused: {reason}.");
        }
        let trial = tried.map_or_else(String::new, |tried| {
            format!(
                " In its trial {} of those who answered found nobody in time; {} of days had more than {}.",
                words::estimated_percent(tried.abandoned_share),
                words::whole_percent(tried.dates_over.map_or(0.0, |over| over.mean)),
                words::percent(self.campaign.abandoned_ceiling)
            )
        });
        if self.is_message() {
            let lines = self.campaign.caps.lines.unwrap_or(0);
            return format!("As fast as its {lines} lines allow: a message needs no agent.{trial}");
        }
        if self.agents == 0 {
            return format!("Nobody is free for it at {clock}: it dials nobody then.{trial}");
        }
        let dials = if self.is_dialling { "" } else { ", when it does not dial," };
        let Some(safe) = self.safe() else {
            return format!("Nobody answers at {clock}: no way to dial reaches anybody.{trial}");
        };
        let ceiling = words::percent(self.campaign.abandoned_ceiling);
        let agents = if self.agents == 1 { "agent" } else { "agents" };
        let may = format!(
            "With {} {agents} free for it at {clock}{dials} it may ring up to {} lines for each free one: more \
             would abandon over {ceiling} of those who answer.",
            self.agents,
            words::plain_number(safe)
        );
        let set = match &self.campaign.pacing {
            Pacing::Steady { lines_per_agent } if *lines_per_agent > safe => {
                let share = self.mix.steady(self.agents.min(MOST_SOLVED), *lines_per_agent);
                let share = share.map_or(0.0, |pace| pace.abandoned_share);
                format!(
                    " It is set to {}, which abandons {}.",
                    words::plain_number(*lines_per_agent),
                    words::percent(share)
                )
            }
            Pacing::Steady { lines_per_agent } => {
                format!(" It is set to {}: that holds.", words::plain_number(*lines_per_agent))
            }
            Pacing::Predictive {} => " It finds its own pace under the ceiling.".to_owned(),
            _ => " It keeps one agent for each call, so that nobody is abandoned.".to_owned(),
        };
        format!("{may}{set}{trial}")
    }

    /// What the answer rests on.
    pub(super) fn assumes(&self, clock: &str, strategy: &Strategy) -> String {
        if self.is_message() {
            return String::new();
        }
        let who = match &self.campaign.served_by {
            ServedBy::Team(id) => {
                strategy.teams.iter().find(|team| team.id == *id).map(|t| &t.name)
            }
            ServedBy::Line(id) | ServedBy::Message(id) => strategy.step(id).map(|step| &step.name),
        };
        let who = who.map_or("its agents", String::as_str);
        let Some(now) = self.now else {
            return format!(
                "Nothing is planned for {who}: take in the cover to see how many are free."
            );
        };
        let blending = &self.campaign.blending;
        let left_free = match blending.kept_free {
            0 => String::new(),
            kept => format!(" and the campaign leaves {kept} free for them"),
        };
        let kept_for_it = match blending.kept_for_calls {
            0 => String::new(),
            kept => format!("; they leave {kept} for its calls"),
        };
        format!(
            "{who} at {clock}: {} on shift, of whom inbound contacts keep {} busy{left_free}{kept_for_it}. People \
             answer {} of calls then, by what it assumes. Exact for exponential times and no wait; while agents \
             come and go with inbound contacts a trial is the better judge.",
            now.on_shift,
            words::one_decimal(now.inbound_erlangs),
            words::percent(self.mix.conversation_share)
        )
    }

    pub(super) fn map(&self) -> Result<Option<String>, PageError> {
        if self.is_message() || self.agents == 0 || self.mix.agent_share <= 0.0 {
            return Ok(None);
        }
        let own = match &self.campaign.pacing {
            Pacing::Steady { lines_per_agent } => Some(*lines_per_agent),
            Pacing::Predictive {} => None,
            _ => Some(1.0),
        };
        let team = self.mix.team(self.agents.min(MOST_SOLVED), own.unwrap_or(1.0));
        let ceiling = self.campaign.abandoned_ceiling;
        let Ok(map) = PacingMap::around(team, ceiling) else { return Ok(None) };
        let own = own.map(|lines| (team.agents, lines));
        Ok(Some(PacingMapView::of(&map, ceiling, own).render()?))
    }

    pub(super) fn map_note(&self) -> String {
        match (self.is_message(), self.agents) {
            (true, _) => "A message needs no agent, so that no call is abandoned.".to_owned(),
            (false, 0) => {
                "Nobody is free for the campaign at this moment: choose another one above."
                    .to_owned()
            }
            _ if self.mix.agent_share <= 0.0 => "Nobody answers at this hour.".to_owned(),
            _ => String::new(),
        }
    }

    /// Every way to dial on the same calls.
    pub(super) fn ways(&self, tried: Option<&CampaignMeasures>) -> Vec<WayRow> {
        if self.is_message() || self.agents == 0 {
            return Vec::new();
        }
        let own = &self.campaign.pacing;
        let look = |pacing: &Pacing| match pacing {
            Pacing::ByHand { look_up } => look_up.mean_secs(),
            Pacing::Preview { look, .. } => look.mean_secs(),
            _ => 0.0,
        };
        let by_hand = if matches!(own, Pacing::ByHand { .. }) { look(own) } else { LOOK_UP_SECS };
        let preview = if matches!(own, Pacing::Preview { .. }) { look(own) } else { LOOK_SECS };
        let agents = f64::from(self.agents);
        let solved = self.agents.min(MOST_SOLVED);
        let each = [
            (format!("Hand-dialled, {by_hand:.0} s to look up"), by_hand, "by_hand"),
            (format!("Preview, {preview:.0} s to look"), preview, "preview"),
            ("Progressive".to_owned(), 0.0, "progressive"),
        ];
        let mut rows: Vec<WayRow> = each
            .into_iter()
            .map(|(name, secs, key)| {
                self.way(name, Some(self.mix.one_each(agents, secs)), own.key() == key)
            })
            .collect();
        let set = match own {
            Pacing::Steady { lines_per_agent } => Some(*lines_per_agent),
            _ => None,
        };
        if let Some(safe) = self.safe().filter(|safe| set != Some(*safe)) {
            rows.push(self.way(
                "Steady, as fast as is safe".to_owned(),
                self.mix.steady(solved, safe).ok(),
                false,
            ));
        }
        if let Some(lines) = set {
            let pace = self.mix.steady(solved, lines).ok();
            rows.push(self.way("Steady, as it is set".to_owned(), pace, true));
        }
        if matches!(own, Pacing::Predictive {}) {
            let mut row =
                self.way("Predictive, in its trial beside inbound".to_owned(), None, true);
            if let Some(tried) = tried {
                row.lines = "adapts".to_owned();
                row.busy = words::estimated_percent(tried.utilisation);
                row.per_hour = tried
                    .per_agent_hour
                    .map_or_else(|| "–".to_owned(), |p| words::one_decimal(p.mean));
                row.abandoned = words::estimated_percent(tried.abandoned_share);
                // By the calls of the trial's agents, with as many as are on shift now.
                let per_agent = tried.dials.mean / tried.agent_hours.mean;
                let on_shift = self.now.map_or(0.0, |now| f64::from(now.on_shift));
                if per_agent * on_shift > 0.0 {
                    row.lasts = self.lasts(per_agent * on_shift);
                }
            }
            rows.push(row);
        }
        rows
    }

    fn way(&self, name: String, pace: Option<Pace>, is_own: bool) -> WayRow {
        let none = || "–".to_owned();
        let lasts = pace.map_or_else(none, |pace| {
            let scale = f64::from(self.agents) / f64::from(self.agents.min(MOST_SOLVED));
            self.lasts(pace.dials_per_hour * scale)
        });
        WayRow {
            name,
            lines: pace.map_or_else(none, |pace| words::plain_number(pace.lines_per_agent)),
            busy: pace.map_or_else(none, |pace| words::percent(pace.busy_share)),
            per_hour: pace.map_or_else(none, |pace| words::one_decimal(pace.per_agent_hour)),
            abandoned: pace.map_or_else(none, |pace| words::percent(pace.abandoned_share)),
            is_over: pace.is_some_and(|p| p.abandoned_share > self.campaign.abandoned_ceiling),
            lasts,
            is_own,
        }
    }

    /// When the list is used up, with this many calls in an hour in which it dials.
    fn lasts(&self, dials_per_hour: f64) -> String {
        let calls = self.mix.calls_to_each(self.campaign.retries.most_in_all);
        let hours = calls * f64::from(self.campaign.list.people) / dials_per_hour;
        if self.hours <= 0.0 {
            format!("{hours:.0} h")
        } else if hours < self.hours {
            format!("{} h", words::one_decimal(hours))
        } else {
            format!("{} days", words::one_decimal(hours / self.hours))
        }
    }

    /// What one call comes to at this hour.
    pub(super) fn call(&self) -> Vec<(String, String)> {
        let assumed = &self.campaign.assumed;
        let mix = &self.mix;
        vec![
            (
                "Answered by a person and connected".to_owned(),
                words::percent(mix.conversation_share),
            ),
            ("Answered by a machine".to_owned(), words::percent(assumed.machine_share)),
            ("An agent is needed".to_owned(), words::percent(mix.agent_share)),
            ("People lost to machine detection".to_owned(), words::percent(mix.lost_to_detection)),
            ("Rings for".to_owned(), words::secs(mix.ring_secs)),
            ("An agent is busy for".to_owned(), words::secs(mix.agent_secs)),
            ("A line is in use for".to_owned(), words::secs(mix.line_secs)),
        ]
    }

    /// Agents and lines for a number of conversations in a number of days.
    pub(super) fn goal(
        &self,
        query: &CampaignQuery,
        fields: Vec<(&'static str, String)>,
    ) -> GoalView {
        let text = |given: &Option<String>, usual: &str| {
            given.as_deref().map(str::trim).filter(|t| !t.is_empty()).unwrap_or(usual).to_owned()
        };
        let usual = (f64::from(self.campaign.list.people) / 2.0).round().max(1.0);
        let conversations = text(&query.conversations, &format!("{usual:.0}"));
        let days = text(&query.days, "5");
        let number = |text: &str| text.parse::<f64>().ok().filter(|n| *n > 0.0 && *n <= 1e7);
        let mut view = GoalView { fields, conversations, days, wrong: None, told: None };
        let (Some(conversations), Some(days)) = (number(&view.conversations), number(&view.days))
        else {
            view.wrong = Some("Give both as numbers above 0, such as 500 in 5 days.".to_owned());
            return view;
        };
        let hours = days * if self.hours > 0.0 { self.hours } else { 8.0 };
        let goal = Goal::of(self.campaign, conversations, hours, BLOCKED_SHARE);
        let busy = goal.utilisation;
        match goal.need(self.campaign) {
            Ok(need) => {
                let agents = if need.agents == 1 { "agent" } else { "agents" };
                view.told = Some(format!(
                    "{} {agents} for {} hours at {} busy, {} calls, {} lines in use on average and {} for {} \
                     blocked (Erlang B). The list must have {} people.",
                    need.agents,
                    words::one_decimal(hours),
                    words::whole_percent(busy),
                    words::thousands(need.dials),
                    words::one_decimal(need.line_erlangs),
                    need.lines,
                    words::whole_percent(BLOCKED_SHARE),
                    words::thousands(need.people)
                ));
            }
            Err(_) => {
                view.wrong = Some("Nobody answers, so that no goal can be reached.".to_owned())
            }
        }
        view
    }
}
