//! The rows of the board.

use barometer_app::live::{Outlook, waits};
use barometer_plan::{Rules, Verdict};
use barometer_simulate::TypeCounts;
use barometer_wire::{CampaignState, QueueState, SwitchState};
use jiff::tz::TimeZone;

use crate::pressure_scale;
use crate::words;

/// Cells of the strip overlap by this much, in per cent, so that no gap shows between them.
const CELL_OVERLAP: f64 = 0.3;

/// A contact type on the board.
pub(super) struct TypeRow {
    pub name: String,
    pub verdict: Option<Verdict>,
    pub waiting: u32,
    pub longest: String,
    pub is_long: bool,
    pub level: String,
    pub last: String,
    pub target: String,
    pub tonight: String,
    pub range: String,
    pub chance: String,
    pub is_unlikely: bool,
    pub came: String,
    pub abandoned: String,
    pub off: String,
    pub pressure: String,
    pub colour: String,
    pub cells: Vec<StripCell>,
    pub now_at: f64,
}

/// An interval of a day's strip.
#[derive(Clone)]
pub(super) struct StripCell {
    pub x: f64,
    pub width: f64,
    pub colour: String,
    pub title: String,
}

/// A team on the board.
pub(super) struct TeamRow {
    /// Its id.
    pub team: String,
    pub name: String,
    pub address: String,
    pub planned: u32,
    pub on_shift: u32,
    pub is_short: bool,
    pub free: u32,
    pub talking: u32,
    pub wrapping_up: u32,
    pub occupancy: String,
}

/// A queue or hunt group on the board.
pub(super) struct QueueRow {
    /// The id of its step.
    pub step: String,
    pub name: String,
    pub address: String,
    pub waiting: u32,
    pub ringing: u32,
    pub longest: String,
    pub members: String,
    pub level: String,
    pub lost: String,
}

/// A campaign on the board.
pub(super) struct CampaignRow {
    /// Its id.
    pub campaign: String,
    pub name: String,
    pub doing: &'static str,
    pub lines: u32,
    pub talking: u32,
    pub left: String,
}

/// "4:07" of seconds.
pub(super) fn minutes(secs: f64) -> String {
    let secs = secs.max(0.0) as u64;
    if secs >= 3600 {
        format!("{}:{:02}:{:02}", secs / 3600, secs / 60 % 60, secs % 60)
    } else {
        format!("{}:{:02}", secs / 60, secs % 60)
    }
}

/// "20 s", "4 h": as short as it can be said.
fn threshold(secs: f64) -> String {
    match secs {
        hours if hours >= 3600.0 && hours % 3600.0 == 0.0 => format!("{:.0} h", hours / 3600.0),
        minutes if minutes >= 300.0 && minutes % 60.0 == 0.0 => {
            format!("{:.0} min", minutes / 60.0)
        }
        secs => format!("{} s", words::plain_number(secs)),
    }
}

fn share(level: Option<f64>) -> String {
    level.map_or_else(|| words::NONE.to_owned(), words::whole_percent)
}

/// The contact types of a state; without an outlook, what the switch alone can tell.
pub(super) fn types(
    state: &SwitchState,
    outlook: Option<&Outlook>,
    zone: &TimeZone,
) -> Vec<TypeRow> {
    let all = state.types.iter().map(|of_type| {
        let waits: Vec<f64> = waits(state, &of_type.contact_type).collect();
        let longest = waits.iter().copied().reduce(f64::max);
        let whole: TypeCounts = of_type.intervals.iter().sum();
        let over = of_type.intervals.len().saturating_sub(1);
        let last = over.checked_sub(1).and_then(|last| of_type.intervals.get(last));
        let known = outlook.and_then(|outlook| {
            let of = outlook.place_of(&of_type.contact_type)?;
            Some((outlook, of, &outlook.today.now.inputs.types[of].rules))
        });
        let level_so_far = whole.service_level();
        let wanted = known.map(|(_, _, rules)| rules.service_level);
        let mut row = TypeRow {
            name: of_type.contact_type.clone(),
            verdict: level_so_far
                .zip(wanted)
                .map(|(level, wanted)| Verdict::on_level(level, wanted)),
            waiting: waits.len() as u32,
            is_long: longest.is_some_and(|longest| longest > of_type.within_secs),
            longest: longest.map_or_else(|| words::NONE.to_owned(), minutes),
            level: share(level_so_far),
            last: share(last.and_then(TypeCounts::service_level)),
            target: String::new(),
            tonight: words::NONE.to_owned(),
            range: String::new(),
            chance: words::NONE.to_owned(),
            is_unlikely: false,
            came: words::thousands(whole.offered),
            abandoned: share(
                (whole.offered > 0.0).then(|| whole.abandoned / whole.offered.max(1.0)),
            ),
            off: String::new(),
            pressure: words::NONE.to_owned(),
            colour: "none".to_owned(),
            cells: Vec::new(),
            now_at: 0.0,
        };
        if let Some((outlook, of, rules)) = known {
            row.add_outlook(state, outlook, of, rules, zone);
        }
        row
    });
    all.collect()
}

impl TypeRow {
    fn add_outlook(
        &mut self,
        state: &SwitchState,
        outlook: &Outlook,
        of: usize,
        rules: &Rules,
        zone: &TimeZone,
    ) {
        let today = &outlook.today;
        let end = outlook.ends[of];
        let seen = &today.types[of];
        self.target = format!(
            "{} in {}",
            words::whole_percent(rules.service_level),
            threshold(rules.within_secs)
        );
        self.tonight = share(end.level);
        self.range = match (end.low, end.high) {
            (Some(low), Some(high)) if words::whole_percent(low) != words::whole_percent(high) => {
                format!("{:.0}–{:.0} %", 100.0 * low, 100.0 * high)
            }
            _ => String::new(),
        };
        self.chance = format!("{:.0} of 10", 10.0 * end.chance);
        self.is_unlikely = end.chance < 0.5;
        if seen.forecast > 0.0 {
            self.off = words::change(seen.came / seen.forecast - 1.0);
        }
        let pressure = today.now.pressure(of, today.now.interval());
        if let Some(pressure) = pressure {
            self.pressure = words::pressure(pressure);
            self.colour = pressure_scale::colour(pressure);
        }
        let intervals = today.now.inputs.interval_count();
        let x = |interval: f64| 100.0 * interval / intervals.max(1) as f64;
        self.now_at = x(today.now.present.at_secs / today.now.inputs.interval_secs);
        let starts: Vec<jiff::Timestamp> = today.now.inputs.starts().collect();
        self.cells = (0..intervals)
            .filter_map(|interval| {
                let is_over = interval < today.now.interval();
                let pressure = if is_over {
                    today.pressure_was(state, of, interval)
                } else {
                    today.now.pressure(of, interval)
                }?;
                let start = words::clock(*starts.get(interval)?, zone);
                let kind = if is_over { "was" } else { "expected" };
                Some(StripCell {
                    x: x(interval as f64),
                    width: x(1.0) + CELL_OVERLAP,
                    colour: pressure_scale::colour(pressure),
                    title: format!("{start}: pressure {} {kind}", words::pressure(pressure)),
                })
            })
            .collect();
    }
}

pub(super) fn teams(state: &SwitchState) -> Vec<TeamRow> {
    let there = state.teams.iter().filter(|team| {
        team.planned > 0 || team.on_shift > 0 || team.talking + team.wrapping_up > 0
    });
    let row = there.map(|team| {
        let over = team.intervals.len().saturating_sub(1);
        let last = over.checked_sub(1).and_then(|last| team.intervals.get(last));
        let occupancy = last
            .filter(|last| last.staffed_secs > 0.0)
            .map(|last| last.busy_secs / last.staffed_secs);
        TeamRow {
            team: team.team.clone(),
            name: team.name.clone(),
            address: format!("/watch/teams/{}", team.team),
            planned: team.planned,
            on_shift: team.on_shift,
            is_short: team.on_shift < team.planned,
            free: team.free,
            talking: team.talking,
            wrapping_up: team.wrapping_up,
            occupancy: share(occupancy),
        }
    });
    row.collect()
}

pub(super) fn queues(state: &SwitchState) -> Vec<QueueRow> {
    let row = |queue: &QueueState| {
        let sum: barometer_simulate::PointCounts = queue.intervals.iter().sum();
        let answered = (sum.answered > 0.0).then(|| sum.in_time / sum.answered.max(1.0));
        QueueRow {
            step: queue.step.clone(),
            name: queue.name.clone(),
            address: format!("/watch/queues/{}", queue.step),
            waiting: queue.waiting,
            ringing: queue.ringing,
            longest: queue.longest_wait_secs.map_or_else(|| words::NONE.to_owned(), minutes),
            members: format!("{} of {}", queue.free, queue.on_shift),
            level: share(answered),
            lost: words::thousands(sum.abandoned),
        }
    };
    state.queues.iter().map(row).collect()
}

pub(super) fn campaigns(state: &SwitchState) -> Vec<CampaignRow> {
    let row = |campaign: &CampaignState| CampaignRow {
        campaign: campaign.campaign.clone(),
        name: campaign.name.clone(),
        doing: if campaign.is_dialling { "dials" } else { "is at rest" },
        lines: campaign.lines,
        talking: campaign.talking,
        left: words::thousands(f64::from(campaign.left)),
    };
    state.campaigns.iter().map(row).collect()
}
