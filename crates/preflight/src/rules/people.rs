//! Skills and who has them, and the channels that teams answer.

use barometer_routing::{Id, Member};
use barometer_strategy::{Channel, ChannelSkill, Edit, OnLeaving, PartId, StepKind, Team};
use serde_json::json;

use super::{contacts, found, set};
use crate::finding::Finding;
use crate::ground::{Ground, Point};
use crate::rule::Rule;
use crate::traffic::channels;

/// Agents who have a skill at a lower level from which one carrier is too few.
const OTHERS: usize = 2;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    let mut all = Vec::new();
    for point in &ground.points {
        all.extend(nobody_matches(ground, point));
        all.extend(one_carries_it(ground, point));
        all.extend(adds_nobody(ground, point));
    }
    all.extend(ground.strategy.teams.iter().flat_map(|team| chats(ground, team)));
    all.extend(too_many(ground));
    all
}

/// More people on shift at once than have a seat, or may be signed in: told of the team with most of them.
fn too_many(ground: &Ground<'_>) -> Option<Finding> {
    let (at, people) = ground.premises.most_on_shift()?;
    let there_are = [(ground.premises.seats, "seat"), (ground.premises.licences, "licence")];
    let scarce = there_are.into_iter().filter_map(|(count, what)| Some((count?, what)));
    let (count, what) = scarce.filter(|(count, _)| people > *count).min()?;
    let plural = if count == 1 { "" } else { "s" };
    let reason = format!(
        "{people} people are on shift on {}, and there {} {count} {what}{plural}.",
        ground.clock(at).strftime("%A at %H:%M"),
        if count == 1 { "is" } else { "are" },
    );
    let here = |team: &&barometer_strategy::Team| {
        let of_team = ground.premises.teams.iter().find(|each| each.team == team.id);
        of_team.and_then(|each| each.people.get(at)).copied()
    };
    let largest = ground.strategy.teams.iter().max_by_key(here)?;
    Some(found(Rule::MoreThanSeats, PartId::Team(largest.id.clone()), None, reason))
}

fn nobody_matches(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let members = &ground.model(point).members;
    let part = ground.part(point.at);
    let expected = ground.traffic().expected(point.at);
    if members.is_empty() {
        let asked = match &point.step.does {
            StepKind::Queue(queue) => {
                let skills = queue.need.skills.iter().map(|wanted| match wanted.at_least {
                    Some(level) => format!("{} at {level} or more", wanted.skill),
                    None => wanted.skill.clone(),
                });
                format!("asks for {}", skills.collect::<Vec<_>>().join(" and "))
            }
            _ => "has no members".to_owned(),
        };
        let reason = format!(
            "“{}” {asked}, and no agent matches; {} wait there until they hang up.",
            point.step.name,
            contacts(expected)
        );
        let setting = point.setting("need/skills");
        let edit = set(&part, &setting, json!([]));
        let finding = found(Rule::NobodyMatches, part, Some(setting), reason).touching(expected);
        return Some(finding.mended_by("Ask for no skill", edit));
    }
    let team_of =
        |member: &Member| &ground.compiled.teams[ground.compiled.agents[member.agent].team];
    let unanswered = channels(ground, point.at).into_iter().find(|&channel| {
        let place = barometer_routing::channel_place(channel);
        members.iter().all(|member| team_of(member).at_once[place] == 0)
    })?;
    let what = match unanswered {
        Channel::Call => "calls",
        Channel::Chat => "chats",
        Channel::Task => "written work",
    };
    let reason =
        format!("“{}” receives {what}, and none of its members answers those.", point.step.name);
    let member = members.first()?;
    let team = &ground.strategy.teams[ground.compiled.agents[member.agent].team.place()];
    let mut answered = team.channels.clone();
    answered.push(ChannelSkill { channel: unanswered, at_once: 1, slowing: 0.0 });
    let edit = set(&PartId::Team(team.id.clone()), "/channels", json!(answered));
    let finding = found(Rule::NobodyMatches, part, None, reason).touching(expected);
    Some(finding.mended_by(format!("Let “{}” answer {what}", team.name), edit))
}

fn one_carries_it(ground: &Ground<'_>, point: &Point<'_>) -> Option<Finding> {
    let StepKind::Queue(queue) = &point.step.does else { return None };
    let at_once = ground.model(point).members.iter().filter(|member| member.joins_after == 0.0);
    let carriers: Vec<&Member> = at_once.collect();
    let [carrier] = carriers.as_slice() else { return None };
    let (nth, wanted) =
        queue.need.skills.iter().enumerate().find(|(_, wanted)| wanted.at_least.is_some())?;
    // Levels of named agents, one each; a team without names counts as one.
    let mut levels: Vec<u8> = Vec::new();
    for team in &ground.strategy.teams {
        let own = team.agents.iter().map(|agent| agent.skills.as_ref().unwrap_or(&team.skills));
        let unnamed = team.agents.is_empty().then_some(&team.skills);
        for skills in own.chain(unnamed) {
            let has = skills.iter().find(|each| each.skill == wanted.skill);
            levels.extend(has.map(|has| has.level.unwrap_or(10)));
        }
    }
    levels.sort_unstable_by(|a, b| b.cmp(a));
    if levels.len() <= OTHERS {
        return None;
    }
    let level = levels[OTHERS.min(levels.len() - 1)].max(1);
    let reaching = levels.iter().filter(|&&each| each >= level).count();
    let part = ground.part(point.at);
    let setting = point.setting(&format!("need/skills/{nth}/at_least"));
    let name = &ground.compiled.agents[carrier.agent].name;
    let reason = format!(
        "“{}” asks for {} at {} or more: only {name} has it, of {} who have the skill.",
        point.step.name,
        wanted.skill,
        wanted.at_least.unwrap_or(0),
        levels.len()
    );
    let edit = set(&part, &setting, json!(level));
    let finding = found(Rule::OneCarriesIt, part, Some(setting), reason)
        .touching(ground.traffic().expected(point.at));
    Some(finding.mended_by(format!("Ask for {level} or more: {reaching} match"), edit))
}

fn adds_nobody(ground: &Ground<'_>, point: &Point<'_>) -> Vec<Finding> {
    let StepKind::Queue(queue) = &point.step.does else { return Vec::new() };
    let members = &ground.model(point).members;
    if members.is_empty() {
        return Vec::new();
    }
    let idle = queue.need.relaxations.iter().enumerate().filter(|(_, relaxation)| {
        members.iter().all(|member| (member.joins_after - relaxation.after_secs).abs() > 1e-9)
    });
    let told = idle.map(|(nth, relaxation)| {
        let part = ground.part(point.at);
        let list = point.setting("need/relaxations");
        let reason = format!(
            "After {} “{}” asks for less, and the same {} agents match as before.",
            super::secs(relaxation.after_secs),
            point.step.name,
            members.len()
        );
        let mut kept = queue.need.relaxations.clone();
        kept.remove(nth);
        let edit = set(&part, &list, json!(kept));
        let setting = Some(format!("{list}/{nth}"));
        found(Rule::RelaxationAddsNobody, part, setting, reason)
            .mended_by("Remove the relaxation", edit)
    });
    told.collect()
}

fn chats(ground: &Ground<'_>, team: &Team) -> Vec<Finding> {
    let part = PartId::Team(team.id.clone());
    let chat = team.channels.iter().position(|each| each.channel == Channel::Chat);
    let mut all = Vec::new();
    if chat.is_some() && team.on_leaving == OnLeaving::CutOff {
        let reason = format!("When somebody of “{}” signs out, the chats at hand end.", team.name);
        let finding =
            found(Rule::ChatsCutOff, part.clone(), Some("/on_leaving".to_owned()), reason);
        let hand_over = set(&part, "/on_leaving", json!("hand_over"));
        let finish = set(&part, "/on_leaving", json!("finish"));
        all.push(
            finding
                .mended_by("Hand chats over", hand_over)
                .mended_by("Let people finish their chats", finish),
        );
    }
    let holds = team.answers(Channel::Chat).map_or(0, |chat| chat.at_once);
    let planned = ground.premises.types.iter().find(|each| {
        let is_home = || {
            let home = ground.strategy.home_team(&each.name, each.channel);
            home.is_some_and(|home| home.id == team.id)
        };
        each.channel == Channel::Chat && each.at_once > 1 && is_home()
    });
    if let Some(planned) = planned
        && holds == 1
    {
        let reason = format!(
            "{} is planned with {} chats at once, and each agent of “{}” holds one.",
            planned.name, planned.at_once, team.name
        );
        let mut channels = team.channels.clone();
        match chat {
            Some(chat) => channels[chat].at_once = planned.at_once,
            None => channels.push(ChannelSkill {
                channel: Channel::Chat,
                at_once: planned.at_once,
                slowing: 0.0,
            }),
        }
        let edit: Edit = set(&part, "/channels", json!(channels));
        let finding = found(Rule::ChatsOneAtATime, part, Some("/channels".to_owned()), reason);
        all.push(finding.mended_by(format!("Hold {} chats at once", planned.at_once), edit));
    }
    all
}
