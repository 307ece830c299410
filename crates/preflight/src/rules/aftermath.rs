//! What comes after the call: callbacks, messages, wrap-up.

use barometer_strategy::{Callback, Edit, Promise, StepKind, Voicemail};
use serde_json::json;

use super::{contacts, found, secs, set};
use crate::finding::Finding;
use crate::ground::{Ground, Point};
use crate::rule::Rule;

/// Seconds between attempts below which a customer is pestered.
const CLOSE_SECS: f64 = 300.0;
/// Seconds between attempts that are proposed instead.
const APART_SECS: f64 = 1_800.0;
/// Seconds that a message takes, where work is proposed for it.
const MESSAGE_SECS: f64 = 120.0;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    let mut all = Vec::new();
    for (at, step) in ground.strategy.steps.iter().enumerate() {
        match &step.does {
            StepKind::Callback(callback) => {
                all.extend(after_closing(ground, at, callback));
                all.extend(too_close(ground, at, callback));
            }
            StepKind::Voicemail(voicemail) => all.extend(unheard(ground, at, voicemail)),
            _ => {}
        }
    }
    all.extend(ground.points.iter().filter_map(|point| wrap_up_twice(ground, point)));
    all
}

fn after_closing(ground: &Ground<'_>, at: usize, callback: &Callback) -> Option<Finding> {
    let Promise::AfterSecs(after) = callback.promise else { return None };
    let line = ground.point_at(ground.step_place(&callback.line)?)?;
    if !ground.knows_staff() {
        return None;
    }
    let later = (after / ground.premises.interval_secs).ceil() as usize;
    let intervals = ground.premises.intervals;
    // A callback is a call, whatever it was before. The period's last intervals are left out: who is
    // on shift after them is not known.
    let is_broken = |interval: usize| {
        let due = interval + later;
        due < intervals && line.staff(barometer_strategy::Channel::Call, due) == 0
    };
    let id = &ground.strategy.steps[at].id;
    let offered = ground.strategy.steps.iter().enumerate().filter(|(place, step)| {
        let offers = matches!(&step.does, StepKind::Queue(queue)
            if queue.callback.as_ref().is_some_and(|offer| offer.step == *id));
        *place == at || offers
    });
    let sources: Vec<usize> = offered.map(|(place, _)| place).collect();
    let mut promised = 0.0;
    let mut may_break = vec![false; intervals];
    for &source in &sources {
        for each in ground.traffic().at(source) {
            let channel = ground.premises.types[each.of].channel;
            for (interval, may_break) in may_break.iter_mut().enumerate() {
                // Nobody waits, and is offered anything, where nobody is on shift: another rule says so.
                let is_open =
                    ground.point_at(source).is_none_or(|p| p.staff(channel, interval) > 0);
                if each.is_possible[interval] && is_open && is_broken(interval) {
                    *may_break = true;
                    if source == at {
                        promised += each.expected[interval] * callback.accepted_share;
                    }
                }
            }
        }
    }
    let first = ground.first_stretch(|interval| may_break[interval])?;
    let part = ground.part(at);
    let setting = "/does/callback/promise".to_owned();
    let reason = format!(
        "“{}” promises a call after {}; promised {first}, it falls due when nobody of “{}” is on shift.",
        ground.strategy.steps[at].name,
        secs(after),
        line.step.name
    );
    let edit = set(&part, &setting, json!("place_kept"));
    let finding = found(Rule::CallbackAfterClosing, part, Some(setting), reason).touching(promised);
    Some(finding.mended_by("Keep the contact’s place instead of a time", edit))
}

fn too_close(ground: &Ground<'_>, at: usize, callback: &Callback) -> Option<Finding> {
    if callback.attempts < 2
        || callback.reached_share >= 1.0
        || callback.retry_after_secs >= CLOSE_SECS
    {
        return None;
    }
    let part = ground.part(at);
    let setting = "/does/callback/retry_after_secs".to_owned();
    let reason = format!(
        "A customer who does not answer “{}” is called again after {}, up to {} times.",
        ground.strategy.steps[at].name,
        secs(callback.retry_after_secs),
        callback.attempts
    );
    let edit = Edit::set_number(part.clone(), &setting, APART_SECS);
    let finding = found(Rule::RetriesTooClose, part, Some(setting), reason);
    Some(finding.mended_by("Try again after half an hour", edit))
}

fn unheard(ground: &Ground<'_>, at: usize, voicemail: &Voicemail) -> Option<Finding> {
    if voicemail.work.is_some() {
        return None;
    }
    let part = ground.part(at);
    let setting = "/does/voicemail/work".to_owned();
    let name = &ground.strategy.steps[at].name;
    let expected = ground.traffic().expected(at);
    let many = match expected >= 1.0 {
        true => format!("; {} leave one there", contacts(expected)),
        false => String::new(),
    };
    let reason =
        format!("“{name}” takes messages, and nobody is given the work of hearing them{many}.");
    let finding = found(Rule::MessageNobodyHears, part.clone(), Some(setting.clone()), reason)
        .touching(expected);
    let Some(line) = ground.points.first() else { return Some(finding) };
    let work = json!({
        "line": line.step.id,
        "time": { "exponential": { "mean_secs": MESSAGE_SECS } },
    });
    let what = format!("Make each message two minutes of work in “{}”", line.step.name);
    Some(finding.mended_by(what, set(&part, &setting, work)))
}

fn wrap_up_twice(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let least = point.offering.wrap_up_secs;
    let premise = ground.traffic().at(point.at).iter().map(|each| &ground.premises.types[each.of]);
    let mut counted =
        premise.filter(|premise| !premise.has_own_wrap_up && premise.knows_handling());
    let twice = counted.next()?;
    if least <= 0.0 {
        return None;
    }
    let part = ground.part(point.at);
    let setting = point.setting("offering/wrap_up_secs");
    let reason = format!(
        "“{}” adds {} of wrap-up to the {} that {} is handled, which include it.",
        point.step.name,
        secs(least),
        secs(twice.handle_secs),
        twice.name
    );
    let edit = Edit::set_number(part.clone(), &setting, 0.0);
    let finding = found(Rule::WrapUpTwice, part, Some(setting), reason)
        .touching(ground.traffic().expected(point.at));
    Some(finding.mended_by("Take the least wrap-up off", edit))
}

impl crate::ContactTypePremise {
    /// Whether its handle time is measured: something is forecast.
    fn knows_handling(&self) -> bool {
        !self.contacts.is_empty()
    }
}
