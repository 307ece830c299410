//! The way itself: loops, ends, steps that nothing leads to.

use barometer_strategy::{Edit, Next, PartId, Step, StepKind, Stop};
use serde_json::json;

use super::ringing::listed_twice;
use super::{found, set};
use crate::finding::Finding;
use crate::ground::{Ground, Point};
use crate::rule::Rule;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    let mut all = entries(ground);
    all.extend(ground.points.iter().flat_map(|point| exits(ground, point)));
    all.extend(unreached(ground));
    all.extend(never_routed(ground));
    all.extend(listed_twice(ground));
    all
}

fn entries(ground: &Ground<'_>) -> Vec<Finding> {
    let strategy = ground.strategy;
    let mut all = Vec::new();
    for (at, entry) in strategy.entries.iter().enumerate() {
        if let Next::Release | Next::BusyTone = entry.first {
            let reason = format!(
                "“{}” leads straight to {}.",
                entry.name,
                if entry.first == Next::Release { "a release" } else { "the busy tone" }
            );
            let setting = Some("/first".to_owned());
            all.push(found(Rule::LeadsNowhere, PartId::Entry(at), setting, reason));
        }
    }
    for premise in &ground.premises.types {
        if strategy.entry_of(&premise.name).is_none() {
            let expected: f64 = premise.contacts.iter().sum();
            let reason = format!("No entry receives {}.", premise.name);
            let finding = found(Rule::NoEntry, PartId::Entry(0), None, reason).touching(expected);
            all.push(match strategy.entries.first() {
                // An entry that names none takes all others anyway.
                Some(entry) => {
                    let mut names = entry.contact_types.clone();
                    names.push(premise.name.clone());
                    let edit = set(&PartId::Entry(0), "/contact_types", json!(names));
                    finding.mended_by(format!("Let “{}” receive it", entry.name), edit)
                }
                None => finding,
            });
        }
    }
    all
}

/// Exits that lead back to their step, or to another one with the very same members.
fn exits(ground: &Ground<'_>, point: &Point<'_>) -> Vec<Finding> {
    let entries = ground.strategy.entries.len();
    let here = entries + point.at;
    let links = ground.journey.links.iter();
    let exits = links.filter(|link| {
        link.from == here && link.exit.as_ref().is_some_and(|exit| exit.contains("/exits/"))
    });
    let mut all = Vec::new();
    for link in exits {
        let Stop::Step(to) = ground.journey.stops[link.to] else { continue };
        let Some(exit) = link.exit.clone() else { continue };
        let part = ground.part(point.at);
        let (next, way_out) = ground.way_out(point.at);
        let edit = Edit::Connect { part: part.clone(), exit: exit.clone(), to: Some(next) };
        let what = format!("Lead this exit to {way_out}");
        let to_name = &ground.strategy.steps[to].name;
        if ground.journey.reach(link.to, true)[here] {
            let way = match to == point.at {
                true => "leads back to itself".to_owned(),
                false => format!("leads to “{to_name}”, from where contacts come back"),
            };
            let reason = format!("The exit “{}” of “{}” {way}.", link.cause, point.step.name);
            let finding = found(Rule::Loop, part, Some(exit), reason);
            all.push(finding.mended_by(what, edit));
        } else if let Some(other) = ground.point_at(to)
            && has_same_members(ground, point, other)
        {
            let reason = format!(
                "The exit “{}” of “{}” leads to “{to_name}”, whose members are the same people.",
                link.cause, point.step.name
            );
            let finding = found(Rule::PointlessOverflow, part, Some(exit), reason);
            all.push(finding.mended_by(what, edit));
        }
    }
    all
}

fn has_same_members(ground: &Ground<'_>, one: &Point<'_>, other: &Point<'_>) -> bool {
    let members = |point: &Point<'_>| {
        let model = ground.model(point);
        let mut agents: Vec<_> = model.members.iter().map(|member| member.agent).collect();
        agents.sort_unstable();
        agents
    };
    let of_one = members(one);
    !of_one.is_empty() && of_one == members(other)
}

fn unreached(ground: &Ground<'_>) -> Vec<Finding> {
    let strategy = ground.strategy;
    let mut reached = vec![false; ground.journey.stops.len()];
    let is_start = |stop: &Stop| matches!(stop, Stop::Entry(_) | Stop::Campaign(_));
    let stops = ground.journey.stops.iter().enumerate();
    for (start, _) in stops.filter(|(_, stop)| is_start(stop)) {
        let from = ground.journey.reach(start, true);
        reached.iter_mut().zip(from).for_each(|(reached, from)| *reached |= from);
    }
    // Callbacks and messages come to their line without a way that leads there.
    let is_served = |id: &str| {
        strategy.steps.iter().any(|step: &Step| match &step.does {
            StepKind::Callback(callback) => callback.line == id,
            StepKind::Voicemail(voicemail) => {
                voicemail.work.as_ref().is_some_and(|work| work.line == id)
            }
            _ => false,
        })
    };
    let steps = strategy.steps.iter().enumerate();
    let stray =
        steps.filter(|(at, step)| !reached[strategy.entries.len() + at] && !is_served(&step.id));
    let told = stray.map(|(at, step)| {
        let part = ground.part(at);
        let reason = format!("No way leads from an entry to “{}”.", step.name);
        let edit = Edit::Remove(part.clone());
        found(Rule::NothingLeadsHere, part, None, reason).mended_by("Remove the step", edit)
    });
    told.collect()
}

fn never_routed(ground: &Ground<'_>) -> Vec<Finding> {
    let mut all = Vec::new();
    for (at, step) in ground.strategy.steps.iter().enumerate() {
        let StepKind::Routing(routing) = &step.does else { continue };
        for (nth, route) in routing.routes.iter().enumerate() {
            if routing.routes[..nth].iter().all(|each| each.label != route.label) {
                continue;
            }
            let part = ground.part(at);
            let list = "/does/routing/routes".to_owned();
            let reason = format!(
                "“{}” has two routes for “{}”; the first takes all contacts.",
                step.name, route.label
            );
            let mut kept = routing.routes.clone();
            kept.remove(nth);
            let edit = set(&part, &list, json!(kept));
            let finding = found(Rule::NeverRouted, part, Some(format!("{list}/{nth}")), reason);
            all.push(finding.mended_by("Remove the second route", edit));
        }
    }
    all
}
