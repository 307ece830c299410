//! Contacts that find nobody on shift, ranks that are run too hard.

use std::collections::BTreeMap;

use barometer_queueing::erlang_b;
use barometer_routing::Id;
use barometer_strategy::{Edit, Next, PartId, StepKind};
use serde_json::json;

use super::{contacts, found, percent, set};
use crate::finding::Finding;
use crate::ground::{Ground, Point};
use crate::rule::Rule;

/// Contacts of the period below which an empty queue is no finding: forecasts have tails.
const WORTH_SAYING: f64 = 0.5;
/// Occupancy that people cannot hold.
const TOO_BUSY: f64 = 0.92;
/// Occupancy below which people have time.
const HAS_TIME: f64 = 0.6;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    if !ground.knows_staff() {
        return Vec::new();
    }
    let points = ground.points.iter();
    points.flat_map(|point| nobody(ground, point).into_iter().chain(ranks(ground, point))).collect()
}

fn nobody(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    if ground.model(point).members.is_empty() {
        return None;
    }
    if point.exits.no_staff_at_arrival.as_ref().is_some_and(|exit| *exit != Next::KeepRinging) {
        return None;
    }
    let mut expected = 0.0;
    let mut is_empty = vec![false; ground.premises.intervals];
    let mut of_type: BTreeMap<&str, f64> = BTreeMap::new();
    for each in ground.traffic().at(point.at) {
        let premise = &ground.premises.types[each.of];
        for (at, is_empty) in is_empty.iter_mut().enumerate() {
            if point.staff(premise.channel, at) == 0 && each.is_possible[at] {
                *is_empty = true;
                expected += each.expected[at];
                *of_type.entry(premise.name.as_str()).or_default() += each.expected[at];
            }
        }
    }
    let first = ground.first_stretch(|at| is_empty[at])?;
    let part = ground.part(point.at);
    let exit = point.setting("exits/no_staff_at_arrival");
    let (next, to) = ground.way_out(point.at);
    let edit = Edit::Connect { part: part.clone(), exit: exit.clone(), to: Some(next) };
    let never = point.fullest().1 == 0;
    let mend = format!("Send contacts that find nobody on shift to {to}");
    if expected >= WORTH_SAYING {
        let who = of_type.iter().max_by(|a, b| a.1.total_cmp(b.1)).map_or("", |most| most.0);
        let reason = if never {
            format!(
                "Nobody who answers “{}” is on shift in the whole period; {} wait there until they hang up.",
                point.step.name,
                contacts(expected)
            )
        } else {
            format!(
                "{} reach “{}” while nobody is on shift, mostly {who}; first {first}.",
                capitalised(&contacts(expected)),
                point.step.name
            )
        };
        let finding = found(Rule::NobodyOnShift, part, Some(exit), reason).touching(expected);
        return Some(finding.mended_by(mend, edit));
    }
    // Nothing comes by itself: what exits send here finds nobody.
    let source = exit_to(ground, point)?;
    let reason = format!(
        "{} leads to “{}”, where nobody is on shift; first {first}.",
        source, point.step.name
    );
    Some(found(Rule::ExitToNobody, part, Some(exit), reason).mended_by(mend, edit))
}

/// The exit of a queue or hunt group that leads to a point, in words.
fn exit_to(ground: &Ground<'_>, point: &Point<'_>) -> Option<String> {
    let entries = ground.strategy.entries.len();
    let links = ground.journey.links.iter().filter(|link| link.to == entries + point.at);
    let mut exits = links.filter_map(|link| {
        let from = link.from.checked_sub(entries)?;
        ground.point_at(from).map(|source| (source, link))
    });
    exits
        .next()
        .map(|(source, link)| format!("The exit “{}” of “{}”", link.cause, source.step.name))
}

fn capitalised(text: &str) -> String {
    let mut letters = text.chars();
    let first = letters.next().map(|first| first.to_uppercase().collect::<String>());
    first.unwrap_or_default() + letters.as_str()
}

/// The first rank too busy while a lower one has time, in the interval with most work.
fn ranks(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let model = ground.model(point);
    let best = model.members.iter().map(|member| member.rank).min()?;
    if model.members.iter().all(|member| member.rank == best) {
        return None;
    }
    let load = |at: usize| -> f64 {
        let types = ground.traffic().at(point.at).iter();
        types
            .map(|each| {
                let handle_secs = ground.premises.types[each.of].handle_secs;
                each.expected[at] * handle_secs / ground.premises.interval_secs
            })
            .sum()
    };
    // The first of those that are equal.
    let (fullest, erlangs) = (0..ground.premises.intervals)
        .map(|at| (at, load(at)))
        .fold((0, 0.0), |most, each| if each.1 > most.1 { each } else { most });
    let (mut first, mut others) = (0u32, 0u32);
    for member in &model.members {
        let team = &ground.compiled.teams[ground.compiled.agents[member.agent].team];
        let id = &ground.strategy.teams[ground.compiled.agents[member.agent].team.place()].id;
        let planned = ground.premises.teams.iter().find(|each| each.team == *id);
        let people = planned.and_then(|each| each.people.get(fullest)).copied().unwrap_or(0);
        if member.agent.place() - team.agents.0 < people as usize {
            *(if member.rank == best { &mut first } else { &mut others }) += 1;
        }
    }
    if first == 0 || others == 0 || erlangs <= 0.0 {
        return None;
    }
    // What the first rank carries if the others take all that overflows: at least this.
    let overflowing = erlangs * erlang_b(erlangs, first).ok()?;
    let busy = (erlangs - overflowing) / f64::from(first);
    let below = (overflowing / f64::from(others)).min(1.0);
    if busy < TOO_BUSY || below > HAS_TIME {
        return None;
    }
    let part = ground.part(point.at);
    let clock = ground.clock(fullest).strftime("%a %H:%M");
    let reason = format!(
        "On {clock} the {first} of rank {best} are busy {} of the time, the {others} of lower ranks {}.",
        percent(busy),
        percent(below)
    );
    let finding = found(Rule::RankOverload, part, None, reason);
    Some(finding.mended_by("Give everybody the same rank", level_ranks(ground, point, best)))
}

fn level_ranks(ground: &Ground<'_>, point: &Point<'_>, best: u32) -> Edit {
    if let StepKind::HuntGroup(group) = &point.step.does {
        let mut members = group.members.clone();
        members.iter_mut().for_each(|member| member.rank = best);
        return set(&ground.part(point.at), &point.setting("members"), json!(members));
    }
    let teams = ground.strategy.teams.iter().filter(|team| {
        team.ranks.contains_key(&point.step.id)
            || team.agents.iter().any(|agent| agent.ranks.contains_key(&point.step.id))
    });
    let level = |ranks: &BTreeMap<String, u32>| {
        let mut ranks = ranks.clone();
        ranks.remove(&point.step.id);
        ranks
    };
    let edits = teams.map(|team| {
        let part = PartId::Team(team.id.clone());
        let mut agents = team.agents.clone();
        agents.iter_mut().for_each(|agent| agent.ranks = level(&agent.ranks));
        Edit::Several(vec![
            set(&part, "/ranks", json!(level(&team.ranks))),
            set(&part, "/agents", json!(agents)),
        ])
    });
    Edit::Several(edits.collect())
}
