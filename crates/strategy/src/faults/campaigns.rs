//! Faults of campaigns.

use super::Found;
use crate::types::{
    Assumed, Campaign, CampaignList, Caps, ImportedList, MachineAction, Machines, Pacing, Retries,
    ServedBy,
};

/// People on a list, at most.
const MOST_PEOPLE: u32 = 1_000_000;
/// Lines that a campaign may use at once.
const MOST_LINES: u32 = 5_000;
/// Characters in why a campaign is paused, at most.
const MOST_REASON_CHARS: usize = 200;

impl Found<'_> {
    pub(super) fn campaign(&mut self, campaign: &Campaign) {
        self.name("name", &campaign.name);
        if let Some(reason) = &campaign.paused_because {
            let right = !reason.trim().is_empty() && reason.chars().count() <= MOST_REASON_CHARS;
            self.ensure(right, "paused_because", || {
                format!("say why, in up to {MOST_REASON_CHARS} characters")
            });
        }
        self.served_by(&campaign.served_by);
        self.pacing(&campaign.pacing);
        for (at, hours) in campaign.hours.iter().enumerate() {
            self.hours(&format!("hours[{at}]"), hours);
        }
        if let (Some(first), Some(last)) = (campaign.first_day, campaign.last_day) {
            self.ensure(first <= last, "last_day", || {
                format!("{last} is before the first day, {first}")
            });
        }
        let local = &campaign.local_hours;
        self.ensure(local.from < local.until, "local_hours", || {
            format!("{} is not before {}", local.from, local.until)
        });
        self.list(&campaign.list, campaign.runs_empty);
        self.caps(&campaign.caps);
        let is_message = matches!(campaign.served_by, ServedBy::Message(_));
        let is_capped = campaign.caps.lines.is_some();
        self.ensure(!is_message || is_capped, "caps.lines", || {
            "a campaign that plays a message needs a cap on its lines".to_owned()
        });
        self.ensure(
            !is_message || campaign.blending.kept_for_calls == 0,
            "blending.kept_for_calls",
            || "a campaign that plays a message has no agents who could be kept for it".to_owned(),
        );
        self.secs("ring_limit_secs", campaign.ring_limit_secs, 1.0);
        self.secs("connect_within_secs", campaign.connect_within_secs, 0.0);
        self.share("abandoned_ceiling", campaign.abandoned_ceiling);
        if let Some(before) = campaign.last_29_days {
            let right = before.abandoned <= before.answered;
            self.ensure(right, "last_29_days.abandoned", || {
                format!(
                    "{} abandoned calls are more than {} that people answered",
                    before.abandoned, before.answered
                )
            });
        }
        self.limit("longest_call_secs", campaign.longest_call_secs);
        self.machines(&campaign.machines);
        self.retries(&campaign.retries);
        let mut sum = 0.0;
        for (at, outcome) in campaign.outcomes.iter().enumerate() {
            let place = format!("outcomes[{at}]");
            self.name(&format!("{place}.name"), &outcome.name);
            self.share(&format!("{place}.share"), outcome.share);
            self.again(&format!("{place}.again_after_secs"), outcome.again_after_secs);
            sum += outcome.share;
        }
        self.ensure(sum <= 1.0 + 1e-9, "outcomes", || {
            format!("the shares of the outcomes add up to {sum}; 1 is the most")
        });
        if let Some(level) = campaign.blending.pause_below_service_level {
            self.share("blending.pause_below_service_level", level);
        }
        self.assumed(&campaign.assumed);
    }

    fn served_by(&mut self, served_by: &ServedBy) {
        match served_by {
            ServedBy::Team(id) => {
                let is_there = self.strategy.teams.iter().any(|team| team.id == *id);
                self.ensure(is_there, "served_by", || format!("there is no team “{id}”"));
            }
            ServedBy::Line(id) => self.refers_to_line("served_by", id),
            ServedBy::Message(id) => self.refers_to_step("served_by", id),
        }
    }

    fn pacing(&mut self, pacing: &Pacing) {
        match pacing {
            Pacing::ByHand { look_up } => self.duration("pacing.by_hand.look_up", look_up),
            Pacing::Preview { look, skipped_share } => {
                self.duration("pacing.preview.look", look);
                self.share("pacing.preview.skipped_share", *skipped_share);
            }
            Pacing::Progressive {} | Pacing::Predictive {} => {}
            Pacing::Steady { lines_per_agent } => {
                let right = (1.0..=50.0).contains(lines_per_agent);
                self.ensure(right, "pacing.steady.lines_per_agent", || {
                    format!("must be 1 to 50 lines for each free agent, got {lines_per_agent}")
                });
            }
        }
    }

    fn list(&mut self, list: &CampaignList, runs_empty: bool) {
        let people = list.people;
        let least = u32::from(!runs_empty);
        self.ensure((least..=MOST_PEOPLE).contains(&people), "list.people", || {
            format!(
                "must be 1 to {MOST_PEOPLE}, got {people}; an empty list needs “runs empty” to be on"
            )
        });
        let mut sum = 0.0;
        for (at, zone) in list.zones.iter().enumerate() {
            let place = format!("list.zones[{at}]");
            self.zone(&format!("{place}.zone"), &zone.zone);
            self.share(&format!("{place}.share"), zone.share);
            sum += zone.share;
        }
        let right = list.zones.is_empty() || (sum - 1.0).abs() < 1e-6;
        self.ensure(right, "list.zones", || {
            format!("the shares of the zones add up to {sum}; they must add up to 1")
        });
        if let Some(imported) = &list.imported {
            self.imported(list.people, imported);
        }
    }

    fn imported(&mut self, people: u32, imported: &ImportedList) {
        let groups = &imported.groups;
        let most = ImportedList::MOST_GROUPS;
        let right = groups.len() <= most;
        self.ensure(right, "list.imported.groups", || {
            format!("may have up to {most} groups of people, got {}", groups.len())
        });
        for (at, group) in groups.iter().enumerate() {
            let place = format!("list.imported.groups[{at}]");
            self.zone(&format!("{place}.zone"), &group.zone);
            let right = group.hours.is_none_or(|hours| hours.from < hours.until);
            self.ensure(right, &format!("{place}.hours"), || {
                "must end later on the day than they begin".to_owned()
            });
        }
        let sum: u64 = groups.iter().map(|group| u64::from(group.people)).sum();
        self.ensure(sum == u64::from(people), "list.people", || {
            format!("is {people}, but the groups of the imported list have {sum} people")
        });
    }

    fn zone(&mut self, field: &str, zone: &str) {
        let known = jiff::tz::TimeZone::get(zone).is_ok();
        self.ensure(known, field, || format!("there is no time zone “{zone}”"));
    }

    fn caps(&mut self, caps: &Caps) {
        if let Some(lines) = caps.lines {
            self.ensure((1..=MOST_LINES).contains(&lines), "caps.lines", || {
                format!("must be 1 to {MOST_LINES} lines, got {lines}")
            });
        }
        if let Some(lines) = caps.lines_per_agent {
            self.ensure((0.1..=50.0).contains(&lines), "caps.lines_per_agent", || {
                format!("must be 0.1 to 50 lines for each agent, got {lines}")
            });
        }
        let dials = caps.dials_per_minute;
        self.ensure(dials != Some(0), "caps.dials_per_minute", || {
            "must be at least 1; leave it empty for no limit".to_owned()
        });
    }

    fn machines(&mut self, machines: &Machines) {
        if let Some(sensitivity) = machines.sensitivity {
            self.share("machines.sensitivity", sensitivity);
        }
        if let MachineAction::Message { secs } = machines.action {
            self.secs("machines.action.message.secs", secs, 1.0);
        }
    }

    fn retries(&mut self, retries: &Retries) {
        let after = [
            ("retries.busy_after_secs", retries.busy_after_secs),
            ("retries.no_answer_after_secs", retries.no_answer_after_secs),
            ("retries.machine_after_secs", retries.machine_after_secs),
            ("retries.abandoned_after_secs", retries.abandoned_after_secs),
        ];
        for (field, secs) in after {
            self.again(field, secs);
        }
        let most = [
            ("retries.most_a_day", retries.most_a_day),
            ("retries.most_in_all", retries.most_in_all),
        ];
        for (field, most) in most {
            self.ensure((1..=100).contains(&most), field, || {
                format!("must be 1 to 100 calls, got {most}")
            });
        }
    }

    /// Seconds until somebody is called again: up to thirty days.
    fn again(&mut self, field: &str, secs: Option<f64>) {
        let right = secs.is_none_or(|secs| (1.0..=30.0 * 86_400.0).contains(&secs));
        self.ensure(right, field, || {
            "must be 1 second to 30 days; leave it empty for never".to_owned()
        });
    }

    fn assumed(&mut self, assumed: &Assumed) {
        let hours = assumed.answered_share.len();
        self.ensure(hours == 1 || hours == 24, "assumed.answered_share", || {
            format!("needs one share for all hours, or 24, one for each; got {hours}")
        });
        for (at, &share) in assumed.answered_share.iter().enumerate() {
            self.share(&format!("assumed.answered_share[{at}]"), share);
        }
        let others = [
            ("assumed.machine_share", assumed.machine_share),
            ("assumed.busy_share", assumed.busy_share),
            ("assumed.unusable_share", assumed.unusable_share),
            ("assumed.congested_share", assumed.congested_share),
        ];
        for (field, share) in others {
            self.share(field, share);
        }
        for (at, each) in assumed.zones.iter().enumerate() {
            let place = format!("assumed.zones[{at}]");
            self.zone(&format!("{place}.zone"), &each.zone);
            let is_once = assumed.zones[..at].iter().all(|before| before.zone != each.zone);
            self.ensure(is_once, &format!("{place}.zone"), || {
                format!("{} is there twice", each.zone)
            });
            self.ensure(
                (0.0..=20.0).contains(&each.answered_factor),
                &format!("{place}.answered_factor"),
                || format!("must be 0 to 20 times, got {}", each.answered_factor),
            );
        }
        if let Some(worn) = &assumed.worn_numbers {
            self.ensure(worn.calls_a_day > 0, "assumed.worn_numbers.calls_a_day", || {
                "must be at least 1; leave it out where numbers are never worn".to_owned()
            });
            self.share("assumed.worn_numbers.answered_factor", worn.answered_factor);
        }
        let zones = assumed.zones.iter().map(|each| each.answered_factor).fold(1.0, f64::max);
        let most = assumed.answered_share.iter().copied().fold(0.0, f64::max) * zones;
        let sum: f64 = most + others.iter().map(|(_, share)| share).sum::<f64>();
        self.ensure(sum <= 1.0 + 1e-9, "assumed", || {
            format!("the shares add up to {sum} in the hour with most answers; 1 is the most")
        });
        self.duration("assumed.ring", &assumed.ring);
        self.duration("assumed.machine_ring", &assumed.machine_ring);
        if let Some(ring) = &assumed.unanswered_ring {
            self.duration("assumed.unanswered_ring", ring);
        }
        self.duration("assumed.talk", &assumed.talk);
        self.duration("assumed.wrap_up", &assumed.wrap_up);
    }
}
