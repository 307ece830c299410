//! Ring windows, gaps, limits: what a contact meets that nobody answers, walked through the group.

use barometer_strategy::{
    Channel, Edit, Members, Next, OfferOrder, PartId, StepKind, Strategy, WhoRings,
};
use barometer_walk::{RingTimeline, ring_timeline};
use serde_json::{Value, json};

use super::limits::still_waiting;
use super::{found, percent, secs, set};
use crate::finding::Finding;
use crate::ground::{Ground, Point};
use crate::rule::Rule;

/// Phones that a switch rings at once for one call, at most.
const MOST_DEVICES: u32 = 20;
/// Members on shift up to which each of them is meant to ring; of more, somebody answers before.
const MOST_IN_TURN: usize = 12;
/// The shortest ring window that is worth proposing.
const SHORTEST_RING_SECS: f64 = 8.0;
/// Members on shift from which offering one contact at a time is a loss.
const MANY_MEMBERS: u32 = 3;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    ground
        .points
        .iter()
        .flat_map(|point| {
            let mut all = timers(ground, point);
            let found = [
                window_too_short(ground, point),
                one_at_a_time(ground, point),
                second_call(ground, point),
                too_many(ground, point),
                the_absent(ground, point),
            ];
            all.extend(found.into_iter().flatten());
            all
        })
        .collect()
}

/// Rings of a contact that nobody answers, with everybody of the fullest interval on shift and free;
/// and how many members those are.
struct Rings {
    timeline: RingTimeline,
    /// Who has rung for a full window, and from when to when for the first time.
    full: Vec<(String, f64, f64)>,
}

impl Rings {
    fn of(
        ground: &Ground<'_>,
        point: &Point<'_>,
        strategy: &Strategy,
        window: f64,
    ) -> Option<Self> {
        let (interval, _) = point.fullest();
        let kind = ground.traffic().at(point.at).first()?;
        let kind = &ground.premises.types[kind.of];
        let timeline = ring_timeline(
            strategy,
            &point.step.id,
            &kind.name,
            kind.channel,
            &ground.on_shift(interval),
            &ground.premises.zone,
            ground.clock(interval),
        );
        let timeline = timeline.ok()?;
        let mut full: Vec<(String, f64, f64)> = Vec::new();
        for rung in &timeline.rings {
            let is_known = full.iter().any(|each| each.0 == rung.agent);
            if let Some(to) = rung.to_secs
                && to - rung.from_secs >= window - 1e-6
                && !is_known
            {
                full.push((rung.agent.clone(), rung.from_secs, to));
            }
        }
        Some(Self { timeline, full })
    }
}

fn timers(ground: &Ground<'_>, point: &Point<'_>) -> Vec<Finding> {
    let Some(window) = point.offering.ring_window_secs else { return Vec::new() };
    let (_, members) = point.fullest();
    if members == 0 || !ground.knows_staff() {
        return Vec::new();
    }
    // Nobody answers; does everybody ring at least once before something else happens?
    let Some(rings) = Rings::of(ground, point, ground.strategy, window) else { return Vec::new() };
    let mut without_limits = ground.strategy.clone();
    lift_limits(&mut without_limits, point.at);
    let Some(unlimited) = Rings::of(ground, point, &without_limits, window) else {
        return Vec::new();
    };
    let everybody = unlimited.full.len();
    let needed = unlimited.full.iter().map(|each| each.2).fold(0.0, f64::max);
    let mut all = Vec::new();
    // A queue may be meant to reach its first few only; a group lists those who are meant to ring.
    let is_group = matches!(point.step.does, StepKind::HuntGroup(_));
    let part = ground.part(point.at);
    if let Some((after, cause)) = &rings.timeline.leaves
        && rings.full.len() < everybody
        && (is_group || rings.full.len() < 2)
    {
        let missed: Vec<&str> = unlimited
            .full
            .iter()
            .map(|each| each.0.as_str())
            .filter(|name| rings.full.iter().all(|each| each.0 != *name))
            .collect();
        let who = match missed.as_slice() {
            [one] => format!("{one} never rings for a full window"),
            [one, another] => format!("{one} and {another} never ring for a full window"),
            [one, more @ ..] => {
                format!("{one} and {} others never ring for a full window", more.len())
            }
            [] => "not everybody rings".to_owned(),
        };
        all.extend(match cause.as_str() {
            "longest wait over" => {
                Some(limit_too_short(ground, point, *after, needed, everybody, &who))
            }
            "nobody answered" => Some(no_answer_too_early(&part, point, everybody, &who)),
            _ => None,
        });
    }
    let last = unlimited.full.iter().map(|each| each.1).fold(0.0, f64::max);
    let limit = point.limit.2.unwrap_or(f64::INFINITY);
    if let Some(left) = still_waiting(ground, point.at, last)
        && is_group
        && (3..=MOST_IN_TURN).contains(&everybody)
        && left < 0.5
        && last < limit
    {
        let setting = point.setting("offering/ring_window_secs");
        let reason = format!(
            "When the last of {everybody} on shift rings, after {}, {} of callers are still there.",
            secs(last),
            percent(left)
        );
        // The last one begins as much earlier as the windows are shorter.
        let patient = (0..=1800)
            .rev()
            .map(f64::from)
            .find(|&secs| still_waiting(ground, point.at, secs).is_some_and(|left| left >= 0.5));
        let shorter = (window * patient.unwrap_or(0.0) / last).floor();
        let all_at_once = set(&part, &point.setting("offering/order"), json!("all_at_once"));
        let mut finding =
            found(Rule::RingsPastPatience, part.clone(), Some(setting.clone()), reason);
        let by_then = |(_, from, _): &(String, f64, f64)| {
            still_waiting(ground, point.at, *from).is_some_and(|left| left >= 0.5)
        };
        if all_ring(ground, point, &all_at_once, window, everybody, by_then) {
            finding = finding.mended_by("Ring everybody at once", all_at_once);
        }
        let edit = Edit::set_number(part, &setting, shorter);
        if shorter >= SHORTEST_RING_SECS
            && all_ring(ground, point, &edit, shorter, everybody, by_then)
        {
            finding = finding.mended_by(format!("Ring each for {}", secs(shorter)), edit);
        }
        all.push(finding);
    }
    all
}

fn lift_limits(strategy: &mut Strategy, at: usize) {
    match &mut strategy.steps[at].does {
        StepKind::HuntGroup(group) => {
            group.group_limit_secs = None;
            group.offering.most_offers = None;
            group.exits.no_answer = Next::KeepRinging;
        }
        StepKind::Queue(queue) => {
            queue.longest_wait_secs = None;
            queue.offering.most_offers = None;
            queue.exits.no_answer = Next::KeepRinging;
        }
        _ => {}
    }
}

fn limit_too_short(
    ground: &Ground<'_>,
    point: &Point<'_>,
    after: f64,
    needed: f64,
    everybody: usize,
    who: &str,
) -> Finding {
    let (field, words, _) = point.limit;
    let part = ground.part(point.at);
    let setting = point.setting(field);
    let left = still_waiting(ground, point.at, needed);
    let left = left.map_or_else(String::new, |left| {
        format!(" {} of callers would still be there.", percent(left))
    });
    let reason = format!(
        "The {words} ends after {}; reaching all {everybody} on shift takes {}: {who}.{left}",
        secs(after),
        secs(needed)
    );
    let longer = needed.ceil();
    let edit = Edit::set_number(part.clone(), &setting, longer);
    let all_at_once = set(&part, &point.setting("offering/order"), json!("all_at_once"));
    let finding = found(Rule::GroupLimitTooShort, part, Some(setting), reason)
        .mended_by(format!("Set the {words} to {}", secs(longer)), edit);
    let Some(window) = point.offering.ring_window_secs else { return finding };
    match all_ring(ground, point, &all_at_once, window, everybody, |_| true) {
        true => finding.mended_by("Ring everybody at once", all_at_once),
        false => finding,
    }
}

/// Whether everybody rings for a full window once an edit is made, each as wanted.
fn all_ring(
    ground: &Ground<'_>,
    point: &Point<'_>,
    edit: &Edit,
    window: f64,
    everybody: usize,
    is_as_wanted: impl Fn(&(String, f64, f64)) -> bool,
) -> bool {
    let Ok(edited) = edit.apply(ground.strategy) else { return false };
    let rings = Rings::of(ground, point, &edited, window);
    rings.is_some_and(|rings| rings.full.len() >= everybody && rings.full.iter().all(is_as_wanted))
}

fn no_answer_too_early(part: &PartId, point: &Point<'_>, everybody: usize, who: &str) -> Finding {
    let setting = point.setting("offering/most_offers");
    let most = point.offering.most_offers.unwrap_or(0);
    let reason = format!(
        "“No answer” is taken after {most} offers, and {everybody} members are on shift: {who}."
    );
    let edit = set(part, &setting, json!(everybody));
    let none = set(part, &setting, Value::Null);
    found(Rule::NoAnswerTooEarly, part.clone(), Some(setting), reason)
        .mended_by(format!("Allow {everybody} offers"), edit)
        .mended_by("Do not count offers", none)
}

/// Seconds from the first ring to the answer of the members, the slowest half of teams.
fn window_too_short(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let window = point.offering.ring_window_secs?;
    let model = ground.model(point);
    let mut delays: Vec<f64> = model
        .members
        .iter()
        .map(|member| {
            let team = ground.compiled.agents[member.agent].team;
            let team = &ground.strategy.teams[barometer_routing::Id::place(team)];
            team.answer_delay.mean_secs()
        })
        .collect();
    delays.sort_by(f64::total_cmp);
    let middle = *delays.get(delays.len() / 2)?;
    if middle <= window {
        return None;
    }
    let part = ground.part(point.at);
    let setting = point.setting("offering/ring_window_secs");
    let reason = format!(
        "Each phone rings for {}; half of the members need {} or more to answer.",
        secs(window),
        secs(middle)
    );
    let longer = (middle * 2.0).ceil();
    let edit = Edit::set_number(part.clone(), &setting, longer);
    let finding = found(Rule::WindowTooShort, part, Some(setting), reason);
    Some(finding.mended_by(format!("Ring each for {}", secs(longer)), edit))
}

fn one_at_a_time(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let (interval, members) = point.fullest();
    if point.offering.parallel || members < MANY_MEMBERS {
        return None;
    }
    let part = ground.part(point.at);
    let setting = point.setting("offering/parallel");
    let clock = ground.clock(interval).strftime("%a %H:%M");
    let reason = format!(
        "On {clock} {members} members are on shift, and while one call rings no other is offered."
    );
    let edit = set(&part, &setting, json!(true));
    let contacts = ground.traffic().expected(point.at);
    let finding = found(Rule::OneAtATime, part, Some(setting), reason).touching(contacts);
    Some(finding.mended_by("Offer contacts in parallel", edit))
}

fn second_call(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    if !point.offering.second_call {
        return None;
    }
    let part = ground.part(point.at);
    let setting = point.setting("offering/second_call");
    let reason = format!(
        "When nobody of “{}” is free, the next call rings at people who are on a call, for {}.",
        point.step.name,
        point.offering.ring_window_secs.map_or_else(|| "as long as it takes".to_owned(), secs),
    );
    let edit = set(&part, &setting, json!(false));
    let finding = found(Rule::SecondCall, part, Some(setting), reason);
    Some(finding.mended_by("Offer calls to free people only", edit))
}

fn too_many(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let offering = point.offering;
    let (interval, members) = point.fullest();
    let devices = offering.most_devices.unwrap_or(members).min(members);
    if offering.order != OfferOrder::AllAtOnce || devices <= MOST_DEVICES {
        return None;
    }
    let part = ground.part(point.at);
    let setting = point.setting("offering/most_devices");
    let clock = ground.clock(interval).strftime("%a %H:%M");
    let reason =
        format!("On {clock} one call rings {devices} phones at once; {MOST_DEVICES} are the most.");
    let edit = set(&part, &setting, json!(MOST_DEVICES));
    let finding = found(Rule::RingsTooMany, part, Some(setting), reason);
    Some(finding.mended_by(format!("Ring {MOST_DEVICES} phones at most"), edit))
}

fn the_absent(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let StepKind::HuntGroup(group) = &point.step.does else { return None };
    let is_ordered = group.offering.order != OfferOrder::AllAtOnce;
    if group.rings != WhoRings::Everyone || !is_ordered || !ground.knows_staff() {
        return None;
    }
    let listed = ground.model(point).members.len() as u32;
    let channel = Channel::Call;
    let open = (0..ground.premises.intervals).filter(|&at| point.staff(channel, at) > 0);
    let (fewest, at) = open.map(|at| (point.staff(channel, at), at)).min()?;
    if fewest >= listed {
        return None;
    }
    let part = ground.part(point.at);
    let setting = point.setting("rings");
    let absent = listed - fewest;
    let clock = ground.clock(at).strftime("%a %H:%M");
    let reason = format!(
        "On {clock} {fewest} of {listed} are on shift; the phones of the other {absent} ring as well, each for {}.",
        secs(group.offering.ring_window_secs.unwrap_or(0.0))
    );
    let edit = set(&part, &setting, json!("signed_in"));
    let finding = found(Rule::RingsTheAbsent, part, Some(setting), reason);
    Some(finding.mended_by("Ring only those on shift", edit))
}

/// Members that a hunt group names twice.
pub(super) fn listed_twice(ground: &Ground<'_>) -> Vec<Finding> {
    let mut all = Vec::new();
    for point in &ground.points {
        let StepKind::HuntGroup(group) = &point.step.does else { continue };
        for (nth, member) in group.members.iter().enumerate() {
            let Some(first) = group.members[..nth].iter().position(|each| each.who == member.who)
            else {
                continue;
            };
            let part = ground.part(point.at);
            let name = match &member.who {
                Members::Team(id) => {
                    let team = ground.strategy.teams.iter().find(|team| team.id == *id);
                    team.map_or(id.clone(), |team| team.name.clone())
                }
                Members::Agent(name) => name.clone(),
            };
            let reason = format!("“{name}” stands in lines {} and {}.", first + 1, nth + 1);
            let mut kept = group.members.clone();
            kept.remove(nth);
            let setting = point.setting("members");
            let edit = set(&part, &setting, json!(kept));
            let finding = found(Rule::ListedTwice, part, Some(format!("{setting}/{nth}")), reason);
            all.push(finding.mended_by("Remove the second line", edit));
        }
    }
    all
}
