//! Campaigns: dialling too fast, at the wrong time, for people who are needed elsewhere.

mod numbers;

use barometer_dialling::chain::SteadyTeam;
use barometer_dialling::need::CallMix;
use barometer_dialling::{CallingTimes, Detection};
use barometer_strategy::{
    Campaign, CampaignList, Duration, Edit, Entry, MachineAction, Pacing, PartId, ServedBy,
};
use jiff::civil::{Time, time};
use serde_json::{Value, json};

use super::{found, percent, secs, set};
use crate::finding::Finding;
use crate::ground::Ground;
use crate::rule::Rule;

/// Teams are looked at up to this size: larger ones may dial faster, and the chain takes longer to solve.
const MOST_AGENTS: u32 = 25;
/// Agents under which predictive pacing has little to go by.
const FEW_AGENTS: u32 = 10;
/// Seconds under which a further call is too close: after a busy line, and after any other.
const BUSY_TOO_CLOSE: f64 = 300.0;
const TOO_CLOSE: f64 = 3600.0;
/// Calls to one person in a day that are too many.
const TOO_OFTEN: u32 = 4;
/// Seconds that people need to get to the phone.
const RING_TOO_SHORT: f64 = 12.0;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    let campaigns = ground.strategy.campaigns.iter().enumerate();
    // One that is paused calls nobody; what is wrong with it is found when it runs.
    campaigns
        .filter(|(_, campaign)| campaign.paused_because.is_none())
        .flat_map(|(place, campaign)| Outbound::of(ground, place, campaign).find())
        .collect()
}

/// A campaign and what is known of its agents.
struct Outbound<'a> {
    campaign: &'a Campaign,
    entries: &'a [Entry],
    part: PartId,
    times: CallingTimes,
    /// Agents on shift in each interval in which it dials; none where nothing is known of them.
    on_shift: Option<Vec<u32>>,
    /// The earliest and the latest time of day at which any of its agents is on shift.
    staffed: Option<(Time, Time)>,
    /// Whether inbound contacts wait for its agents as well.
    is_blended: bool,
    lines: Option<u32>,
}

impl<'a> Outbound<'a> {
    fn of(ground: &Ground<'a>, place: usize, campaign: &'a Campaign) -> Self {
        let premises = ground.premises;
        let secs = premises.interval_secs * premises.intervals as f64;
        let times = CallingTimes::of(campaign, premises.start, secs, &premises.zone);
        let people = ground.campaign_people(place);
        let all = people.iter().flatten().enumerate().filter(|(_, people)| **people > 0);
        let staffed = staffed_hours(ground, all.map(|(interval, _)| interval));
        let on_shift = people.map(|people| {
            let begins = |interval: usize| interval as f64 * premises.interval_secs;
            let dialled = people.into_iter().enumerate();
            dialled.filter(|(nth, _)| times.is_dialling(begins(*nth))).map(|(_, n)| n).collect()
        });
        let mut shared = ground.points_of_campaign(place);
        let is_blended = shared.any(|inbound| ground.traffic().expected(inbound.at) > 0.0);
        Self {
            part: PartId::Campaign(campaign.id.clone()),
            lines: premises.lines,
            campaign,
            entries: &ground.strategy.entries,
            times,
            on_shift,
            staffed,
            is_blended,
        }
    }

    fn found(&self, rule: Rule, setting: &str, reason: String) -> Finding {
        found(rule, self.part.clone(), Some(setting.to_owned()), reason)
    }

    fn set(&self, setting: &str, to: Value) -> Edit {
        set(&self.part, setting, to)
    }

    fn find(&self) -> Vec<Finding> {
        let timing = [self.never_dials(), self.zone_never_open(), self.nobody_on_shift()];
        let pace =
            [self.used_up_before(), self.over_the_ceiling(), self.few_agents(), self.more_lines()];
        let people = [
            self.starves_inbound(),
            self.keeps_everybody(),
            self.competes(),
            self.indecent_hours(),
        ];
        let calls = [self.detection(), self.too_close(), self.too_often(), self.short_ring()];
        let agreed = [self.called_back(), self.worn_numbers(), self.by_hand_beside()];
        let all = timing.into_iter().chain(pace).chain(people).chain(calls).chain(agreed);
        all.flatten().collect()
    }

    fn never_dials(&self) -> Option<Finding> {
        if !self.times.hours().is_empty() {
            return None;
        }
        let name = &self.campaign.name;
        let reason = format!("“{name}” has no hours in the whole period: it calls nobody.");
        // Hours of its own, within any first and last day, and no day off.
        let office = json!([{ "days": [], "from": "09:00:00", "until": "17:00:00" }]);
        let hours = [("/hours", office), ("/days_off", json!([]))];
        let days = ["/first_day", "/last_day"].map(|setting| (setting, Value::Null));
        let edits = hours.into_iter().chain(days).map(|(setting, to)| self.set(setting, to));
        let finding = self.found(Rule::NeverDials, "/hours", reason);
        Some(finding.mended_by("Dial every day from 9:00 to 17:00", Edit::Several(edits.collect())))
    }

    fn zone_never_open(&self) -> Option<Finding> {
        let zone = (0..self.times.zones()).find(|&zone| self.times.open(zone).is_empty())?;
        if self.times.hours().is_empty() {
            return None;
        }
        let local = &self.campaign.local_hours;
        let reason = format!(
            "“{}” never dials between {} and {} by the clocks of {}: nobody there is called.",
            self.campaign.name,
            local.from.strftime("%H:%M"),
            local.until.strftime("%H:%M"),
            self.times.zone_name(zone)
        );
        let finding = self.found(Rule::ZoneNeverCalled, "/local_hours", reason);
        let Some(others) = self.list_without(zone) else { return Some(finding) };
        Some(finding.mended_by("Leave them out of the list", self.set("/list", json!(others))))
    }

    /// The list without the people who can be called together with these; none where nobody is left.
    fn list_without(&self, zone: usize) -> Option<CampaignList> {
        let list = &self.campaign.list;
        if let Some(imported) = &list.imported {
            let together = list.callable_together();
            let mut others = imported.clone();
            others.groups.retain(|group| !together[zone].holds(group));
            return (!others.groups.is_empty()).then(|| CampaignList::of_imported(others));
        }
        let mut others = list.clone();
        if others.zones.len() < 2 {
            return None;
        }
        others.zones.remove(zone);
        let rest: f64 = others.zones.iter().map(|other| other.share).sum();
        others.zones.iter_mut().for_each(|other| other.share /= rest);
        Some(others)
    }

    fn nobody_on_shift(&self) -> Option<Finding> {
        let on_shift = self.on_shift.as_ref()?;
        if on_shift.is_empty() || on_shift.iter().any(|&people| people > 0) {
            return None;
        }
        let name = &self.campaign.name;
        let reason =
            format!("None of its agents is on shift in any interval in which “{name}” dials.");
        let finding = self.found(Rule::NobodyToTalk, "/hours", reason);
        let Some((from, until)) = self.staffed else { return Some(finding) };
        let hours = json!([{ "days": [], "from": from, "until": until }]);
        let what = format!("Dial from {} to {}", from.strftime("%H:%M"), until.strftime("%H:%M"));
        Some(finding.mended_by(what, self.set("/hours", hours)))
    }

    /// The fewest agents on shift while it dials, where any is.
    fn fewest(&self) -> Option<u32> {
        self.on_shift.as_ref()?.iter().copied().filter(|&people| people > 0).min()
    }

    /// The last 29 days leave nothing of the ceiling over 30 days, and the pacing abandons calls.
    fn used_up_before(&self) -> Option<Finding> {
        let share = self.campaign.last_29_days?.abandoned_share()?;
        let ceiling = self.campaign.abandoned_ceiling;
        let Pacing::Steady { .. } = self.campaign.pacing else { return None };
        if share <= ceiling {
            return None;
        }
        let reason = format!(
            "{} of those who answered over the last 29 days were abandoned; {} is allowed over 30 days. \
             With a fixed number of lines more will be.",
            percent(share),
            percent(ceiling)
        );
        let finding = self.found(Rule::OverTheCeiling, "/last_29_days", reason);
        let sparing = self.set("/pacing", json!({ "progressive": {} }));
        Some(finding.mended_by("Dial one line for each free agent", sparing))
    }

    fn over_the_ceiling(&self) -> Option<Finding> {
        let Pacing::Steady { lines_per_agent } = self.campaign.pacing else { return None };
        let agents = self.fewest()?.min(MOST_AGENTS);
        let mix = CallMix::of(self.campaign, None);
        let team = SteadyTeam {
            agents,
            lines_per_agent,
            answered_share: mix.agent_share,
            ring_secs: mix.ring_secs,
            handle_secs: mix.agent_secs.max(1.0),
        };
        let share = team.solve().ok()?.abandoned_share;
        let ceiling = self.campaign.abandoned_ceiling;
        if share <= ceiling {
            return None;
        }
        let safe = team.safe_lines(ceiling).ok()?;
        let reason = format!(
            "With {agents} agents and {lines_per_agent} lines for each free one, {} of those who answer \
             find nobody free; {} is allowed. {safe} lines would hold.",
            percent(share),
            percent(ceiling)
        );
        let setting = "/pacing/steady/lines_per_agent";
        let finding = self.found(Rule::OverTheCeiling, setting, reason);
        let slower = self.set(setting, json!(safe));
        let adapting = self.set("/pacing", json!({ "predictive": {} }));
        Some(
            finding
                .mended_by(format!("Dial {safe} lines for each free agent"), slower)
                .mended_by("Let the pacing adapt to the ceiling", adapting),
        )
    }

    fn few_agents(&self) -> Option<Finding> {
        let Pacing::Predictive {} = self.campaign.pacing else { return None };
        let agents = self.fewest().filter(|&agents| agents < FEW_AGENTS)?;
        let reason = format!(
            "“{}” dials for as few as {agents} agents: when one of them is free cannot be foretold, so \
             that it is hardly faster than one line for each free agent.",
            self.campaign.name
        );
        let one_each = self.set("/pacing", json!({ "progressive": {} }));
        let finding = self.found(Rule::FewForPredictive, "/pacing", reason);
        Some(finding.mended_by("Dial one line for each free agent", one_each))
    }

    fn more_lines(&self) -> Option<Finding> {
        let there_are = self.lines?;
        let lines = self.campaign.caps.lines?;
        if lines <= there_are {
            return None;
        }
        let reason = format!(
            "“{}” may use {lines} lines at once, and there are {there_are}.",
            self.campaign.name
        );
        let edit = self.set("/caps/lines", json!(there_are));
        let finding = self.found(Rule::MoreLinesThanThereAre, "/caps/lines", reason);
        Some(finding.mended_by(format!("Use up to {there_are} lines"), edit))
    }

    fn has_blending_rule(&self) -> bool {
        let blending = &self.campaign.blending;
        blending.kept_free > 0
            || blending.pause_at_waiting.is_some()
            || blending.pause_below_service_level.is_some()
    }

    fn starves_inbound(&self) -> Option<Finding> {
        let keeps = self.campaign.pacing.keeps_an_agent();
        if !self.is_blended || !keeps || self.campaign.blending.kept_free > 0 {
            return None;
        }
        let reason = format!(
            "“{}” keeps each agent who becomes free for its next call at once, so that nobody is free when \
             an inbound contact arrives.",
            self.campaign.name
        );
        let finding = self.found(Rule::StarvesInbound, "/blending/kept_free", reason);
        let keep = |free: u32| self.set("/blending/kept_free", json!(free));
        Some(
            finding
                .mended_by("Leave two free agents for inbound contacts", keep(2))
                .mended_by("Leave one", keep(1)),
        )
    }

    /// All agents are kept for the campaign at some hour, so that inbound contacts get none of them.
    fn keeps_everybody(&self) -> Option<Finding> {
        let kept = self.campaign.blending.kept_for_calls;
        let fewest = self.on_shift.as_ref()?.iter().copied().filter(|people| *people > 0).min()?;
        if !self.is_blended || kept < fewest {
            return None;
        }
        let reason = format!(
            "“{}” keeps {kept} agents for its calls, and at times only {fewest} of them are on shift: while it \
             dials, no inbound contact is offered to any of them.",
            self.campaign.name
        );
        let setting = "/blending/kept_for_calls";
        let finding = self.found(Rule::KeepsEverybody, setting, reason);
        let half = fewest / 2;
        Some(finding.mended_by(format!("Keep {half}"), self.set(setting, json!(half))))
    }

    fn competes(&self) -> Option<Finding> {
        let keeps = self.campaign.pacing.keeps_an_agent();
        if !self.is_blended || keeps || self.has_blending_rule() {
            return None;
        }
        let reason = format!(
            "“{}” dials while its agents take inbound contacts, and nothing slows it down when those wait.",
            self.campaign.name
        );
        let finding = self.found(Rule::CompetesWithInbound, "/blending", reason);
        let pause = self.set("/blending/pause_at_waiting", json!(1));
        Some(finding.mended_by("Do not dial while an inbound contact waits", pause))
    }

    fn indecent_hours(&self) -> Option<Finding> {
        let local = &self.campaign.local_hours;
        let (from, until) = (time(8, 0, 0, 0), time(21, 0, 0, 0));
        if local.from >= from && local.until <= until {
            return None;
        }
        let reason = format!(
            "People may be called from {} to {} by their own clocks.",
            local.from.strftime("%H:%M"),
            local.until.strftime("%H:%M")
        );
        let edit = self.set(
            "/local_hours",
            json!({ "from": local.from.max(from), "until": local.until.min(until) }),
        );
        let finding = self.found(Rule::OutsideLocalWindow, "/local_hours", reason);
        Some(finding.mended_by("Call from 8:00 to 21:00 at the most", edit))
    }

    fn detection(&self) -> Option<Finding> {
        let sensitivity = self.campaign.machines.sensitivity?;
        let detection = Detection::of(sensitivity);
        if self.campaign.machines.action == MachineAction::ToAgent {
            return None;
        }
        let (lost, ceiling) =
            (detection.people_taken_for_machines, self.campaign.abandoned_ceiling);
        let setting = "/machines/sensitivity";
        let is_late = !self.campaign.pacing.keeps_an_agent()
            && detection.decide_secs >= self.campaign.connect_within_secs
            && !matches!(self.campaign.served_by, ServedBy::Message(_));
        let lower = || self.set(setting, json!(0.2));
        if is_late {
            let reason = format!(
                "Detection takes {}, and an agent must be connected within {}: everybody is late for \
                 whom no agent is free at that very moment.",
                secs(detection.decide_secs),
                secs(self.campaign.connect_within_secs)
            );
            let finding = self.found(Rule::DetectionTooSlow, setting, reason);
            return Some(finding.mended_by("Let detection try less hard", lower()));
        }
        if lost <= ceiling / 2.0 {
            return None;
        }
        let reason = format!(
            "Detection takes {} of the people who answer for machines and hangs up on them; the ceiling \
             for all abandoned calls is {}.",
            percent(lost),
            percent(ceiling)
        );
        let finding = self.found(Rule::HangsUpOnPeople, setting, reason);
        let off = self.set(setting, Value::Null);
        Some(
            finding
                .mended_by("Let detection try less hard", lower())
                .mended_by("Switch detection off", off),
        )
    }

    fn too_close(&self) -> Option<Finding> {
        let retries = &self.campaign.retries;
        let rules = [
            ("busy_after_secs", "a busy line", retries.busy_after_secs, BUSY_TOO_CLOSE),
            ("no_answer_after_secs", "no answer", retries.no_answer_after_secs, TOO_CLOSE),
            ("machine_after_secs", "a machine", retries.machine_after_secs, TOO_CLOSE),
            ("abandoned_after_secs", "an abandoned call", retries.abandoned_after_secs, TOO_CLOSE),
        ];
        let (field, what, after, least) = rules
            .into_iter()
            .find(|(_, _, after, least)| after.is_some_and(|after| after < *least))?;
        let setting = format!("/retries/{field}");
        let reason = format!(
            "After {what} a person is called again within {}.",
            secs(after.unwrap_or_default())
        );
        let edit = self.set(&setting, json!(least));
        let finding = self.found(Rule::CallsTooClose, &setting, reason);
        Some(finding.mended_by(format!("Wait {:.0} minutes", least / 60.0), edit))
    }

    fn too_often(&self) -> Option<Finding> {
        let most = self.campaign.retries.most_a_day;
        if most < TOO_OFTEN {
            return None;
        }
        let setting = "/retries/most_a_day";
        let reason = format!("One person may be called {most} times in a day.");
        let edit = self.set(setting, json!(TOO_OFTEN - 1));
        Some(
            self.found(Rule::CallsTooOften, setting, reason)
                .mended_by("Call three times at most", edit),
        )
    }

    fn short_ring(&self) -> Option<Finding> {
        let limit = self.campaign.ring_limit_secs;
        if limit >= RING_TOO_SHORT {
            return None;
        }
        let setting = "/ring_limit_secs";
        let reason = format!(
            "A line is given up after {} of ringing; people take {} to answer on average.",
            secs(limit),
            secs(self.campaign.assumed.ring.mean_secs())
        );
        let edit = self.set(setting, json!(20.0));
        Some(self.found(Rule::RingsTooShort, setting, reason).mended_by("Ring for 20 s", edit))
    }

    fn by_hand_beside(&self) -> Option<Finding> {
        if !self.campaign.hand_dialling || matches!(self.campaign.pacing, Pacing::ByHand { .. }) {
            return None;
        }
        let reason = format!(
            "Agents of “{}” may dial by hand while its pacing dials for them: no trial and no ceiling counts those calls.",
            self.campaign.name
        );
        let (setting, pacing) = ("/hand_dialling", "/pacing");
        let only_pacing = self.set(setting, json!(false));
        let look_up = json!({ "by_hand": { "look_up": Duration::exponential(20.0) } });
        let only_by_hand = self.set(pacing, look_up);
        let finding = self.found(Rule::DialledByHandBeside, setting, reason);
        Some(
            finding
                .mended_by("Let the pacing alone dial", only_pacing)
                .mended_by("Let agents alone dial", only_by_hand),
        )
    }
}

/// The earliest beginning and the latest end of these intervals by the centre's clock; none where they go
/// past midnight.
fn staffed_hours(
    ground: &Ground<'_>,
    intervals: impl Iterator<Item = usize>,
) -> Option<(Time, Time)> {
    let clock = |nth: usize| ground.clock(nth).time();
    let stretches = intervals.map(|nth| (clock(nth), clock(nth + 1)));
    let whole = stretches.reduce(|all, one| (all.0.min(one.0), all.1.max(one.1)))?;
    (whole.0 < whole.1).then_some(whole)
}
