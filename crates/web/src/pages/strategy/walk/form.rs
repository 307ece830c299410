//! The form of a walk-through: who comes in, or whom a campaign calls, and who is on shift.

use std::collections::BTreeMap;

use barometer_strategy::{Campaign, Channel, LocalHours, ServedBy, StepKind, Stop, Strategy, Team};
use barometer_walk::{Answers, Called, Caller, OnShift, Scene};

use super::super::seen::Seen;
use crate::access::RequestContext;
use crate::words;

/// The form as it was typed.
pub(super) struct WalkForm {
    pub day: String,
    /// What is open, as a field and its value: a version or a draft.
    pub of: (&'static str, i32),
    pub types: Vec<(String, bool)>,
    pub at: String,
    pub number: String,
    pub language: String,
    pub attributes: String,
    pub keys: String,
    pub labels: String,
    pub patience: String,
    pub ahead: String,
    pub accepts_callback: bool,
    pub is_contained: bool,
    pub handle_secs: String,
    pub teams: Vec<TeamRow>,
    /// Whom a campaign calls; none where somebody comes in.
    pub call: Option<CallFields>,
    /// The page for somebody who comes in, and where there are campaigns the one for somebody who is called.
    pub ways_in: Vec<(&'static str, String, bool)>,
    /// Every choice of every menu, to choose from.
    pub choices: Vec<String>,
    pub has_labels: bool,
    pub has_assistant: bool,
}

pub(super) struct TeamRow {
    pub id: String,
    pub name: String,
    pub people: String,
    pub busy: String,
    pub answers: String,
}

/// Whom a campaign calls, as it was typed.
pub(super) struct CallFields {
    /// Campaigns by id and name, and which is chosen.
    pub campaigns: Vec<(String, String, bool)>,
    /// Whether those who answer hear a message, and go on from there.
    pub is_message: bool,
    pub zone: String,
    /// Zones in which people of its list live.
    pub zones: Vec<String>,
    pub attempts: String,
    pub hours: (String, String),
    pub answers: Vec<(&'static str, &'static str, bool)>,
}

impl WalkForm {
    /// What was typed, or a plain contact at the shown moment with the people who are planned.
    pub fn of(seen: &Seen, typed: &BTreeMap<String, String>, context: &RequestContext) -> Self {
        let text = |name: &str, usual: &str| {
            typed.get(name).map_or_else(|| usual.to_owned(), |text| text.trim().to_owned())
        };
        let strategy = &seen.opened.strategy;
        let is_asked = typed.keys().any(|name| name.starts_with("people."));
        let chosen = text("contact_type", seen.opened.types.first().map_or("", |each| &each.name));
        let types = seen.opened.types.iter().map(|each| (each.name.clone(), each.name == chosen));
        let patience = seen.premises.types.iter().find(|each| each.name == chosen);
        let patience = patience.and_then(|each| each.patience.as_ref());
        let patience =
            patience.map_or_else(String::new, |each| words::plain_number(each.mean_secs()));
        let choices = strategy.steps.iter().flat_map(|step| match &step.does {
            StepKind::Menu(menu) => menu.choices.iter().map(|choice| choice.name.clone()).collect(),
            _ => Vec::new(),
        });
        let mut choices: Vec<String> = choices.collect();
        choices.dedup();
        let of = match (seen.opened.draft(), seen.opened.version()) {
            (Some(draft), _) => ("draft", draft.number),
            (None, version) => ("version", version.map_or(0, |version| version.version)),
        };
        let at = seen.at.strftime("%H:%M").to_string();
        let campaign = strategy.campaigns.iter().find(|each| each.id == text("campaign", ""));
        let has =
            |is_it: fn(&StepKind) -> bool| strategy.steps.iter().any(|step| is_it(&step.does));
        Self {
            day: context.day.to_string(),
            ways_in: ways_in(
                strategy,
                &format!("/strategy/walk?day={}&{}={}&at={at}", context.day, of.0, of.1),
                campaign.is_some(),
            ),
            of,
            types: types.collect(),
            at,
            number: text("number", ""),
            language: text("language", ""),
            attributes: text("attributes", ""),
            keys: text("keys", &usual_keys(strategy, &chosen)),
            labels: text("labels", ""),
            patience: text("patience", &patience),
            ahead: text("ahead", "0"),
            accepts_callback: typed.contains_key("accepts_callback"),
            is_contained: typed.contains_key("is_contained"),
            handle_secs: text("handle_secs", "300"),
            teams: match campaign {
                Some(campaign) => teams(seen, typed, is_asked, &Reached::by_call(seen, campaign)),
                None => teams(seen, typed, is_asked, &Reached::by_contact(seen, &chosen)),
            },
            call: campaign.map(|campaign| CallFields::of(strategy, campaign, &text)),
            has_labels: has(|does| matches!(does, StepKind::Labelling(_))),
            has_assistant: has(|does| matches!(does, StepKind::Assistant(_))),
            choices,
        }
    }

    /// The contact and the people that the form stands for.
    pub fn scene(&self, seen: &Seen, context: &RequestContext) -> Result<Scene, String> {
        let chosen = self.types.iter().find(|each| each.1).map(|each| each.0.clone());
        let ahead = count(&self.ahead, "contacts ahead")?;
        // Where somebody is called, only those who wait have a type.
        let is_named = self.call.is_none() || ahead > 0;
        let contact_type = chosen.filter(|_| is_named).map_or_else(
            || if is_named { Err("choose a contact type") } else { Ok(String::new()) },
            Ok,
        )?;
        let channel = seen.premises.types.iter().find(|each| each.name == contact_type);
        let time = self.at.parse().map_err(|_| format!("at: “{}” is no time of day", self.at))?;
        let attributes = list(&self.attributes).into_iter().map(|item| {
            let pair = item.split_once('=').map(|(name, value)| (name.trim(), value.trim()));
            let (name, value) =
                pair.ok_or_else(|| format!("attributes: “{item}” is not name=value"))?;
            Ok::<_, String>((name.to_owned(), value.to_owned()))
        });
        let people = self.teams.iter().filter(|team| !team.people.is_empty()).map(|team| {
            let people = count(&team.people, &team.name)?;
            let answers = number(&team.answers, &team.name)?;
            Ok::<_, String>(OnShift {
                team: team.id.clone(),
                people,
                busy: count(&team.busy, &team.name)?.min(people),
                free_after_secs: 60.0,
                answers_after_secs: answers,
            })
        });
        Ok(Scene {
            at: context.day.to_datetime(time),
            caller: Caller {
                contact_type,
                channel: channel.map_or(Channel::Call, |each| each.channel),
                number: self.number.clone(),
                language: self.language.clone(),
                attributes: attributes.collect::<Result<_, _>>()?,
                keys: list(&self.keys),
                labels: list(&self.labels),
                patience_secs: number(&self.patience, "patience")?,
                is_contained: self.is_contained,
                accepts_callback: self.accepts_callback,
                handle_secs: number(&self.handle_secs, "handle time")?.unwrap_or(300.0),
            },
            people: people.collect::<Result<_, _>>()?,
            called: self.call.as_ref().map(CallFields::called).transpose()?,
            ahead,
        })
    }
}

/// What most callers of a type choose in the menus, in the order of the steps.
fn usual_keys(strategy: &Strategy, contact_type: &str) -> String {
    let menus = strategy.steps.iter().filter_map(|step| match &step.does {
        StepKind::Menu(menu) => {
            let share = |choice: &&barometer_strategy::MenuChoice| choice.share_of(contact_type);
            menu.choices.iter().max_by(|a, b| share(a).total_cmp(&share(b)))
        }
        _ => None,
    });
    menus.map(|choice| choice.name.clone()).collect::<Vec<_>>().join("; ")
}

/// The page for somebody who comes in, and the one for somebody who is called.
fn ways_in(
    strategy: &Strategy,
    address: &str,
    is_called: bool,
) -> Vec<(&'static str, String, bool)> {
    let Some(first) = strategy.campaigns.first() else { return Vec::new() };
    let called = format!("{address}&campaign={}", words::in_address(&first.id));
    vec![("Comes in", address.to_owned(), !is_called), ("Is called", called, is_called)]
}

impl CallFields {
    fn of(strategy: &Strategy, campaign: &Campaign, text: &impl Fn(&str, &str) -> String) -> Self {
        let together = campaign.list.callable_together();
        let mut zones: Vec<String> = together.into_iter().filter_map(|each| each.zone).collect();
        zones.dedup();
        let first = zones.first().map_or("", String::as_str);
        let chosen = text("answers", "person");
        let answers = [
            ("person", "a person"),
            ("machine", "a machine"),
            ("busy", "a busy line"),
            ("nobody", "nobody"),
        ];
        let campaigns = strategy.campaigns.iter();
        let campaigns = campaigns
            .map(|each| (each.id.clone(), each.name.clone(), each.id == campaign.id))
            .collect();
        Self {
            campaigns,
            is_message: matches!(campaign.served_by, ServedBy::Message(_)),
            zone: text("zone", first),
            zones,
            attempts: text("attempts", "0"),
            hours: (text("from", ""), text("until", "")),
            answers: answers.map(|(key, words)| (key, words, key == chosen)).to_vec(),
        }
    }

    fn called(&self) -> Result<Called, String> {
        let chosen = self.campaigns.iter().find(|each| each.2).map(|each| each.0.clone());
        let hours = match (self.hours.0.as_str(), self.hours.1.as_str()) {
            ("", "") => None,
            (from, until) => {
                let time = |text: &str| text.parse().ok();
                let hours = time(from).zip(time(until));
                let hours = hours.map(|(from, until)| LocalHours { from, until });
                Some(hours.filter(|hours| hours.from < hours.until).ok_or_else(|| {
                    format!("preferred hours: “{from}” to “{until}” are no hours of a day")
                })?)
            }
        };
        Ok(Called {
            campaign: chosen.ok_or("choose a campaign")?,
            zone: Some(self.zone.clone()).filter(|zone| !zone.is_empty()),
            attempts: self.attempts.parse().map_err(|_| {
                format!(
                    "calls on days before: “{}” is no whole number from 0 to 255",
                    self.attempts
                )
            })?,
            hours,
            answers: match self.answers.iter().find(|each| each.2).map_or("", |each| each.0) {
                "machine" => Answers::Machine,
                "busy" => Answers::Busy,
                "nobody" => Answers::Nobody,
                _ => Answers::Person,
            },
        })
    }
}

/// The teams that may answer somebody, and how many of them are busy where nothing is said.
struct Reached<'a> {
    teams: Vec<&'a Team>,
    /// Agents who are free unless something else is typed.
    free: u32,
    /// Seconds after which agents answer at the least.
    least_answer_secs: f64,
}

impl<'a> Reached<'a> {
    /// Somebody who comes in: everybody is busy, so that there is something to see.
    fn by_contact(seen: &'a Seen, contact_type: &str) -> Self {
        let strategy = &seen.opened.strategy;
        let entry = strategy.entry_of(contact_type);
        let at = entry.and_then(|entry| strategy.entries.iter().position(|each| each == entry));
        let channel = seen.premises.types.iter().find(|each| each.name == contact_type);
        let channel = channel.map_or(Channel::Call, |each| each.channel);
        Self { teams: teams_from(seen, at, channel), free: 0, least_answer_secs: 3.0 }
    }

    /// Somebody whom a campaign calls: one agent is free for it, or nothing would be dialled.
    fn by_call(seen: &'a Seen, campaign: &Campaign) -> Self {
        let strategy = &seen.opened.strategy;
        let place = strategy.campaigns.iter().position(|each| each.id == campaign.id);
        let is_its = |stop: &Stop| place.is_some_and(|place| *stop == Stop::Campaign(place));
        let at = seen.journey.stops.iter().position(is_its);
        let teams = match &campaign.served_by {
            ServedBy::Team(id) => strategy.teams.iter().filter(|team| team.id == *id).collect(),
            ServedBy::Line(_) | ServedBy::Message(_) => teams_from(seen, at, Channel::Call),
        };
        Self { teams, free: campaign.blending.kept_free + 1, least_answer_secs: 0.0 }
    }
}

/// Teams that may be offered a contact that begins at a stop; a callback is a call, whatever it was before.
fn teams_from(seen: &Seen, stop: Option<usize>, channel: Channel) -> Vec<&Team> {
    let strategy = &seen.opened.strategy;
    let reached = stop.map(|stop| seen.journey.reach(stop, true));
    let may_answer = |team: &&Team| {
        strategy.steps.iter().enumerate().any(|(at, step)| {
            let is_reached =
                reached.as_ref().is_none_or(|reached| reached[strategy.entries.len() + at]);
            is_reached
                && [channel, Channel::Call]
                    .iter()
                    .any(|&channel| strategy.may_be_answered_by(step, team, channel))
        })
    };
    strategy.teams.iter().filter(may_answer).collect()
}

/// Teams with who is on shift: as typed, or as planned.
fn teams(
    seen: &Seen,
    typed: &BTreeMap<String, String>,
    is_asked: bool,
    reached: &Reached<'_>,
) -> Vec<TeamRow> {
    let planned = |id: &str| {
        let of_team = seen.premises.teams.iter().find(|team| team.team == id);
        of_team.and_then(|team| team.people.get(seen.interval)).copied().unwrap_or(0)
    };
    let field = |name: String, usual: String| {
        let kept = typed.get(&name).map(|text| text.trim().to_owned());
        kept.unwrap_or_else(|| if is_asked { String::new() } else { usual })
    };
    let row = |team: &&Team| {
        let people = planned(&team.id);
        let answers = team.answer_delay.mean_secs().max(reached.least_answer_secs);
        let busy = people.saturating_sub(reached.free);
        TeamRow {
            people: field(format!("people.{}", team.id), people.to_string()),
            busy: field(format!("busy.{}", team.id), busy.to_string()),
            answers: field(format!("answers.{}", team.id), words::plain_number(answers)),
            id: team.id.clone(),
            name: team.name.clone(),
        }
    };
    reached.teams.iter().map(row).collect()
}

fn list(text: &str) -> Vec<String> {
    let items = text.split(';').map(str::trim).filter(|item| !item.is_empty());
    items.map(str::to_owned).collect()
}

fn number(text: &str, what: &str) -> Result<Option<f64>, String> {
    match text.trim() {
        "" => Ok(None),
        text => match text.parse::<f64>() {
            Ok(number) if number.is_finite() && number >= 0.0 => Ok(Some(number)),
            _ => Err(format!("{what}: “{text}” is no number of 0 or more")),
        },
    }
}

fn count(text: &str, what: &str) -> Result<u32, String> {
    match text.trim() {
        "" => Ok(0),
        text => {
            text.parse().map_err(|_| format!("{what}: “{text}” is no whole number of 0 or more"))
        }
    }
}
