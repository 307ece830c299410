//! The form of one part.

use std::collections::BTreeMap;

use askama::Template;
use barometer_app::drafts::Opened;
use barometer_strategy::{Fault, NumberPurpose, PartId, StepKind, Strategy, field_words};
use serde_json::Value;

use super::parts::{definition, title};
use crate::access::RequestContext;
use crate::page_error::PageError;
use crate::schema_form::{Field, FieldKind, Schema, Typed, lay_out, read};

/// The form of one part, alone or within its page.
#[derive(Template)]
#[template(path = "strategy/editor.html")]
pub(super) struct EditorPart {
    pub title: String,
    pub address: String,
    pub key: String,
    /// What it is a form of: a version or a revision of a draft.
    pub based_on: String,
    /// Whether what is changed is kept at once.
    pub is_draft: bool,
    /// The settings that matter most, and all others.
    pub fields: Vec<Field>,
    pub more: Vec<Field>,
    pub more_is_open: bool,
    pub may_plan: bool,
    /// What is wrong with the whole, not with one field.
    pub wrong: Vec<String>,
}

/// What the forms of a strategy's parts need to know about it.
pub(super) struct Forms {
    root: Value,
    ids: BTreeMap<&'static str, Vec<(String, String)>>,
}

/// What a setting does to a caller, where the schema's own line is for people who write JSON.
const HINTS: &[(&str, &str)] = &[
    ("/contact_types", "Who comes in here; none for every contact type that no other entry names."),
    ("/first", "Where a caller goes first."),
    ("/number", "The number that callers dial, such as +44 20 7946 0100."),
    ("/announcement", "What callers of this number hear before anything else."),
    ("/blocked", "Callers whose number fits get the busy tone: * is any digits, ? is one."),
    ("/short_number", "The number by which agents reach it from within."),
    ("/port", "The switch’s port that the agent’s telephone is at."),
    ("/recording", "Which share of the conversations here is recorded."),
    ("/is_announced", "Whether callers are told before they talk."),
    ("/keep_days", "Days after which a recording is deleted."),
    ("/kilobits_per_sec", "64 for an uncompressed telephone line; 8 to 16 for a compressed one."),
    ("/purpose", "What the numbers are set aside for."),
    ("/places", "A caller who finds all places taken takes the exit “full”. Empty: no limit."),
    (
        "/longest_wait_secs",
        "A caller who has waited so long takes the exit “after the longest wait”. Empty: until patience ends.",
    ),
    ("/need/skills", "An agent who has all of these is offered the caller; none: anybody."),
    (
        "/need/relaxations",
        "Skills to ask for instead after some waiting, so that more people may answer.",
    ),
    (
        "/ring_window_secs",
        "How long one member rings before the next is tried. Empty: until answered.",
    ),
    ("/gap_secs", "The caller hears nothing ring for so long between two members."),
    (
        "/group_limit_secs",
        "A caller whom nobody has answered by then takes the exit “after the longest wait”. Empty: no limit.",
    ),
    ("/waves_secs", "Seconds after which wave 1 joins, then wave 2. Wave 0 rings at once."),
    ("/wave", "0 rings at once; 1 joins with the first of the waves."),
    ("/rank", "Rank 2 is offered callers only when all of rank 1 are taken."),
    ("/priority", "Agents of several lines take the caller of the higher number first."),
    ("/offering/order", "Who is tried first."),
    (
        "/offering/parallel",
        "Several callers ring several free people at once. Off: one caller after the other.",
    ),
    ("/offering/second_call", "Also offer callers to people who are on a call."),
    ("/offering/most_devices", "Phones that ring at once for one caller, at most. Empty: all."),
    (
        "/offering/most_offers",
        "Unanswered offers after which the caller takes the exit “nobody answers”. Empty: no limit.",
    ),
    ("/offering/wrap_up_secs", "Every agent gets at least so long after a contact from here."),
    ("/exits/full", "Where a caller goes who finds no place."),
    ("/exits/too_long", "Where a caller goes who has waited too long."),
    (
        "/exits/no_staff_at_arrival",
        "Where a caller goes who finds nobody at work. Nothing: waits all the same.",
    ),
    (
        "/exits/no_staff_while_waiting",
        "Where those who wait go when the last one leaves. Nothing: wait on.",
    ),
    ("/exits/no_answer", "Where a caller goes whom nobody answered."),
    ("/share", "Share of callers who choose this, from 0 to 1."),
    ("/no_choice", "Where a caller goes who chooses nothing."),
    ("/retries", "How often a caller who chooses nothing hears the menu again."),
    (
        "/hours_gate/zone",
        "Whose clock the hours are on, such as Europe/Dublin. Empty: the centre’s.",
    ),
    ("/hours_gate/open", "Where a caller goes while it is open."),
    ("/hours_gate/closed", "Where a caller goes while it is closed."),
    ("/days", "On which days; none: every day."),
    ("/name", ""),
    ("/time", ""),
    ("/next", ""),
    ("/who", ""),
    ("/from", ""),
    ("/until", ""),
    ("/secs", ""),
    ("/mean_secs", ""),
    ("/label", ""),
];

/// The kind of a step is chosen when it is added.
const KEPT: &[&str] = &["/does"];

impl Forms {
    pub fn of(strategy: &Strategy) -> Self {
        let steps = || strategy.steps.iter();
        let pair = |id: &str, name: &str| (id.to_owned(), name.to_owned());
        let lines =
            steps().filter(|step| step.does.is_line()).map(|step| pair(&step.id, &step.name));
        let no_announcement = [pair("", "none")];
        let announcements = steps()
            .filter(|step| matches!(step.does, StepKind::Announcement(_)))
            .map(|step| pair(&step.id, &step.name));
        let agents = strategy.teams.iter().flat_map(|team| &team.agents);
        let ids = BTreeMap::from([
            ("step", steps().map(|step| pair(&step.id, &step.name)).collect()),
            ("line", lines.collect()),
            ("team", strategy.teams.iter().map(|team| pair(&team.id, &team.name)).collect()),
            ("agent", agents.map(|agent| pair(&agent.name, &agent.name)).collect()),
            ("announcement", no_announcement.into_iter().chain(announcements).collect()),
        ]);
        Self { root: Strategy::schema(), ids }
    }

    pub fn schema(&self) -> Schema<'_> {
        Schema { root: &self.root, ids: &self.ids, words: field_words, hints: HINTS, keeps: KEPT }
    }

    /// The part as it was typed, and what could not be read.
    pub fn read(&self, key: &PartId, typed: &Typed) -> (Value, BTreeMap<String, String>) {
        let schema = self.schema();
        read(schema, schema.definition(definition(key)), typed)
    }
}

impl EditorPart {
    /// The form of a part as it is kept.
    pub fn of(opened: &Opened, key: &PartId, context: &RequestContext) -> Result<Self, PageError> {
        let part = key.of(&opened.strategy).map_err(|_| PageError::NotFound)?;
        Ok(Self::filled(opened, key, context, &part.to_json(), &BTreeMap::new()))
    }

    /// The form of a part as it was typed, with messages beside the fields that are wrong.
    pub fn filled(
        opened: &Opened,
        key: &PartId,
        context: &RequestContext,
        value: &Value,
        wrong: &BTreeMap<String, String>,
    ) -> Self {
        let forms = Forms::of(&opened.strategy);
        let schema = forms.schema();
        let mut all = lay_out(schema, schema.definition(definition(key)), value, wrong);
        propose_numbers(&mut all, key, &opened.strategy);
        let first = first_settings(key, value);
        let matters = |field: &Field| {
            let name = field.name.trim_end_matches(['?', '!', '#']);
            first.iter().any(|first| name == *first || name.starts_with(&format!("{first}/")))
        };
        let (fields, more): (Vec<Field>, Vec<Field>) = all.into_iter().partition(matters);
        Self {
            more_is_open: more.iter().any(|field| field.wrong.is_some()),
            more,
            title: title(key, &opened.strategy),
            address: format!("/strategy/part?day={}", context.day),
            key: key.to_string(),
            based_on: opened.basis.to_string(),
            is_draft: opened.draft().is_some(),
            fields,
            may_plan: context.may_plan(),
            wrong: Vec::new(),
        }
    }
}

/// Says beside a number that can be typed which is free.
fn propose_numbers(fields: &mut [Field], key: &PartId, strategy: &Strategy) {
    let purposes: &[(&str, NumberPurpose)] = match key {
        PartId::Entry(_) => &[("number", NumberPurpose::Entries)],
        PartId::Step(_) => &[("number", NumberPurpose::Lines)],
        PartId::Team(_) => &[("number", NumberPurpose::People), ("/port", NumberPurpose::Ports)],
        PartId::Campaign(_) => &[("number", NumberPurpose::Campaigns)],
        PartId::Range(_) => &[],
    };
    for (end, purpose) in purposes {
        let Some(free) = strategy.next_free_number(*purpose) else { continue };
        let is_of = |name: &str| name.trim_end_matches(['?', '!', '#']).ends_with(end);
        for field in fields.iter_mut().filter(|field| is_of(&field.name)) {
            field.hint = format!("{} {free} is free.", field.hint).trim_start().to_owned();
        }
    }
}

/// The settings of a part that matter most, as JSON pointers; what stands within them comes along.
fn first_settings(key: &PartId, value: &Value) -> Vec<&'static str> {
    let kind = value["does"].as_object().and_then(|does| does.keys().next());
    let mut first = vec!["/id", "/name"];
    first.extend_from_slice(match (key, kind.map(String::as_str)) {
        (PartId::Entry(_), _) => &["/number", "/contact_types", "/first"],
        (PartId::Range(_), _) => &["/from", "/until", "/purpose"],
        (PartId::Team(_), _) => &["/skills", "/channels", "/answer_delay", "/agents"],
        (PartId::Campaign(_), _) => &[
            "/served_by",
            "/pacing",
            "/abandoned_ceiling",
            "/hours",
            "/list/people",
            "/caps/lines",
        ],
        (_, Some("queue")) => &[
            "/does/queue/places",
            "/does/queue/longest_wait_secs",
            "/does/queue/need",
            "/does/queue/priority",
            "/does/queue/exits/full",
            "/does/queue/exits/too_long",
        ],
        (_, Some("hunt_group")) => &[
            "/does/hunt_group/offering/order",
            "/does/hunt_group/offering/ring_window_secs",
            "/does/hunt_group/offering/gap_secs",
            "/does/hunt_group/group_limit_secs",
            "/does/hunt_group/waves_secs",
            "/does/hunt_group/members",
            "/does/hunt_group/exits/too_long",
        ],
        // The other kinds have few settings, and all of them matter.
        _ => &["/does"],
    });
    first
}

/// Sorts faults of a strategy into those of one part's fields, by pointer, and all others in words.
pub(super) fn sorted_faults(
    faults: Vec<Fault>,
    key: &PartId,
    at: usize,
) -> (BTreeMap<String, String>, Vec<String>) {
    let (mut here, mut elsewhere) = (BTreeMap::new(), Vec::new());
    let start = format!("{}[{at}].", key.list());
    for fault in faults {
        match fault.field.strip_prefix(&start) {
            Some(field) => {
                let pointer = format!("/{}", field.replace(['.', '['], "/").replace(']', ""));
                here.insert(pointer, format!("{}.", crate::words::capitalised(&fault.message)));
            }
            None => elsewhere.push(format!("{}: {}.", fault.field, fault.message)),
        }
    }
    (here, elsewhere)
}

impl EditorPart {
    /// Messages that no field of the form shows are shown above it.
    pub fn with_strays(mut self, wrong: &BTreeMap<String, String>) -> Self {
        let is_shown = |pointer: &str| {
            self.fields.iter().chain(&self.more).any(|field| {
                field.name.trim_end_matches(['?', '!', '#']) == pointer
                    && !matches!(field.kind, FieldKind::Heading { .. })
            })
        };
        let strays = wrong.iter().filter(|(pointer, _)| !is_shown(pointer));
        let strays: Vec<String> = strays.map(|(_, message)| message.clone()).collect();
        self.wrong.extend(strays);
        self
    }
}
