//! Places, longest waits, and the exits that follow from them.

use barometer_strategy::{Channel, Edit, Next, StepKind};
use serde_json::json;

use super::{found, percent, secs, set};
use crate::finding::Finding;
use crate::ground::{Ground, Point};
use crate::rule::Rule;
use crate::traffic::channels;

/// Share of callers who should still be there when a longest wait is over.
const WORTH_A_LIMIT: f64 = 0.01;
/// Share of callers whom a proposed longest wait should find still there.
const PROPOSED: f64 = 0.10;
/// Seconds proposed where nothing is known of patience.
const USUAL_LIMIT_SECS: f64 = 600.0;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    ground
        .points
        .iter()
        .flat_map(|point| {
            let found = [
                no_limit(ground, point),
                beyond_patience(ground, point),
                more_than_lines(ground, point),
            ];
            found
                .into_iter()
                .flatten()
                .chain(without_exit(ground, point))
                .chain(after_it(ground, point))
        })
        .collect()
}

/// Share of the callers at a step who would wait longer than so many seconds; `None` where nothing is
/// known of their patience.
pub(super) fn still_waiting(ground: &Ground<'_>, step: usize, secs: f64) -> Option<f64> {
    let (mut all, mut waiting, mut kinds, mut plain) = (0.0, 0.0, 0.0, 0.0);
    for each in ground.traffic().at(step) {
        let share = ground.premises.types[each.of].still_waiting(secs)?;
        let contacts: f64 = each.expected.iter().sum();
        all += contacts;
        waiting += contacts * share;
        kinds += 1.0;
        plain += share;
    }
    match (all > 0.0, kinds > 0.0) {
        (true, _) => Some(waiting / all),
        // How many come is not known: every type counts the same.
        (false, true) => Some(plain / kinds),
        (false, false) => None,
    }
}

/// Seconds after which so large a share of callers is still there, to ten seconds.
fn wait_of(ground: &Ground<'_>, step: usize, share: f64) -> Option<f64> {
    let mut tens = (1..=360).map(|tens| f64::from(tens) * 10.0);
    tens.find(|&secs| still_waiting(ground, step, secs).is_some_and(|left| left <= share))
}

fn no_limit(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let offers_callback =
        matches!(&point.step.does, StepKind::Queue(queue) if queue.callback.is_some());
    let ends = point.places.is_some()
        || point.limit.2.is_some()
        || point.offering.most_offers.is_some()
        || offers_callback;
    // Work that can wait is meant to.
    let is_live = channels(ground, point.at).iter().any(|&channel| channel != Channel::Task);
    if ends || !is_live {
        return None;
    }
    let (field, words, _) = point.limit;
    let part = ground.part(point.at);
    let limit = wait_of(ground, point.at, PROPOSED).unwrap_or(USUAL_LIMIT_SECS);
    let (next, to) = ground.way_out(point.at);
    let setting = point.setting(field);
    let edit = Edit::Several(vec![
        Edit::set_number(part.clone(), &setting, limit),
        Edit::Connect { part: part.clone(), exit: point.setting("exits/too_long"), to: Some(next) },
    ]);
    let left = still_waiting(ground, point.at, limit);
    let left = left.map_or_else(String::new, |left| {
        format!(" After {} {} of callers would still be there.", secs(limit), percent(left))
    });
    let reason = format!(
        "“{}” takes any number of contacts and keeps each until it is answered or hangs up.{left}",
        point.step.name
    );
    let finding = found(Rule::NoLimit, part, Some(setting), reason);
    Some(finding.mended_by(format!("Set the {words} to {}, then to {to}", secs(limit)), edit))
}

fn beyond_patience(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let (field, words, limit) = point.limit;
    let limit = limit?;
    let left = still_waiting(ground, point.at, limit)?;
    let better = wait_of(ground, point.at, PROPOSED)?;
    if left >= WORTH_A_LIMIT || better >= limit {
        return None;
    }
    let part = ground.part(point.at);
    let setting = point.setting(field);
    let reason = format!(
        "When the {words} of {} is over, {} of callers are left: nearly all have hung up before its exit.",
        secs(limit),
        percent(left)
    );
    let edit = Edit::set_number(part.clone(), &setting, better);
    let finding = found(Rule::LimitBeyondPatience, part, Some(setting), reason);
    Some(finding.mended_by(format!("Set it to {}, when 10 % are left", secs(better)), edit))
}

fn without_exit(ground: &Ground<'_>, point: &Point<'_>) -> Vec<Finding> {
    let exits = point.exits;
    let (_, words, limit) = point.limit;
    let limits = [
        ("exits/full", &exits.full, point.places.map(|places| format!("{places} places"))),
        (
            "exits/too_long",
            &exits.too_long,
            limit.map(|limit| format!("a {words} of {}", secs(limit))),
        ),
    ];
    let broken = limits.into_iter().filter(|(_, exit, _)| **exit == Next::KeepRinging);
    let told = broken.filter_map(|(exit, _, limit)| {
        let part = ground.part(point.at);
        let (next, to) = ground.way_out(point.at);
        let setting = point.setting(exit);
        let reason = format!(
            "“{}” has {}, and its exit keeps the contact: the limit does nothing.",
            point.step.name, limit?
        );
        let edit = Edit::Connect { part: part.clone(), exit: setting.clone(), to: Some(next) };
        let finding = found(Rule::LimitWithoutExit, part, Some(setting), reason);
        Some(finding.mended_by(format!("Lead the exit to {to}"), edit))
    });
    told.collect()
}

/// Waves, relaxations, announcements and callback offers that begin when all is over.
fn after_it(ground: &Ground<'_>, point: &Point<'_>) -> Vec<Finding> {
    let (field, words, Some(limit)) = point.limit else { return Vec::new() };
    if point.exits.too_long == Next::KeepRinging {
        return Vec::new();
    }
    let mut planned: Vec<(String, String, f64)> = Vec::new();
    match &point.step.does {
        StepKind::HuntGroup(group) => {
            let used = |nth: usize| group.members.iter().any(|each| each.wave as usize == nth + 1);
            for (nth, &after) in group.waves_secs.iter().enumerate().filter(|(nth, _)| used(*nth)) {
                planned.push((format!("waves_secs/{nth}"), format!("wave {}", nth + 1), after));
            }
        }
        StepKind::Queue(queue) => {
            for (nth, each) in queue.need.relaxations.iter().enumerate() {
                let field = format!("need/relaxations/{nth}/after_secs");
                planned.push((field, format!("relaxation {}", nth + 1), each.after_secs));
            }
            for (nth, each) in queue.announcements.iter().enumerate() {
                let field = format!("announcements/{nth}/at_secs");
                planned.push((field, format!("announcement {}", nth + 1), each.at_secs));
            }
            if let Some(offer) = &queue.callback {
                let what = "the callback offer".to_owned();
                planned.push(("callback/after_secs".to_owned(), what, offer.after_secs));
            }
        }
        _ => {}
    }
    let late = planned.into_iter().filter(|(_, _, after)| *after >= limit);
    let told = late.map(|(setting, what, after)| {
        let part = ground.part(point.at);
        let setting = point.setting(&setting);
        let reason = format!(
            "The {words} of “{}” ends after {}; {what} would begin after {}.",
            point.step.name,
            secs(limit),
            secs(after)
        );
        let earlier = (limit / 2.0).round();
        let later = after + point.offering.ring_window_secs.unwrap_or(30.0).max(10.0);
        found(Rule::AfterTheLimit, part.clone(), Some(setting.clone()), reason)
            .mended_by(
                format!("Begin after {}", secs(earlier)),
                Edit::set_number(part.clone(), &setting, earlier),
            )
            .mended_by(
                format!("Set the {words} to {}", secs(later)),
                Edit::set_number(part, &point.setting(field), later),
            )
    });
    told.collect()
}

fn more_than_lines(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let (lines, places) = (ground.premises.lines?, point.places?);
    let calls = channels(ground, point.at).contains(&Channel::Call);
    if !calls || places <= lines {
        return None;
    }
    let part = ground.part(point.at);
    let setting = point.setting("places");
    let reason = format!(
        "“{}” holds {places} waiting calls, and there are {lines} lines in all: callers get the busy tone of the line before it is full.",
        point.step.name
    );
    let edit = set(&part, &setting, json!(lines));
    let finding = found(Rule::MorePlacesThanLines, part, Some(setting), reason);
    Some(finding.mended_by(format!("Set the places to {lines}"), edit))
}
