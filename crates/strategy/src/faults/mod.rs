//! What keeps a strategy from being played, before anyone tries it.

mod campaigns;
mod lines;
mod numbers;
mod people;

use std::collections::HashSet;

use crate::duration::Duration;
use crate::read::SCHEMA_VERSION;
use crate::types::{Condition, Next, OpenHours, Step, StepKind, Strategy};

/// The longest time that may be set: a day.
const MOST_SECS: f64 = 86_400.0;
/// Characters in a name, at most.
const MOST_NAME_CHARS: usize = 80;
/// Entries, steps, teams, at most, each.
const MOST_PARTS: usize = 500;
/// Characters in a pattern of telephone numbers, at most.
const MOST_PATTERN_CHARS: usize = 40;
/// Labels that a strategy may have in all: each is a bit of a contact.
const MOST_LABELS: usize = 64;

/// One thing that is wrong, and where.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fault {
    /// Path of the field in the JSON form, such as `steps[2].does.queue.places`.
    pub field: String,
    /// What is wrong and what would do.
    pub message: String,
}

/// Faults found so far, and the path of what is being looked at.
struct Found<'a> {
    strategy: &'a Strategy,
    faults: Vec<Fault>,
    at: String,
}

impl Strategy {
    /// Everything that keeps this strategy from being played; empty when nothing does.
    pub fn faults(&self) -> Vec<Fault> {
        let mut found = Found { strategy: self, faults: Vec::new(), at: String::new() };
        if self.schema_version != SCHEMA_VERSION {
            let got = self.schema_version;
            found.note("schema_version", format!("must be {SCHEMA_VERSION}, got {got}"));
        }
        found.name("name", &self.name);
        found.parts("entries", self.entries.len());
        found.parts("steps", self.steps.len());
        found.parts("teams", self.teams.len());
        for (at, entry) in self.entries.iter().enumerate() {
            found.at = format!("entries[{at}].");
            found.name("name", &entry.name);
            found.next("first", &entry.first, false);
            found.entry_number(entry);
        }
        found.every_type_comes_in_once();
        let mut ids = HashSet::new();
        for (at, step) in self.steps.iter().enumerate() {
            found.at = format!("steps[{at}].");
            found.id(&step.id, &mut ids);
            found.step(step);
        }
        let (mut ids, mut agents) = (HashSet::new(), HashSet::new());
        for (at, team) in self.teams.iter().enumerate() {
            found.at = format!("teams[{at}].");
            found.id(&team.id, &mut ids);
            found.team(team, &mut agents);
        }
        let mut ids = HashSet::new();
        found.at = String::new();
        let campaigns = self.campaigns.len();
        found.ensure(campaigns <= MOST_PARTS, "campaigns", || {
            format!("up to {MOST_PARTS} of them, got {campaigns}")
        });
        for (at, campaign) in self.campaigns.iter().enumerate() {
            found.at = format!("campaigns[{at}].");
            found.id(&campaign.id, &mut ids);
            found.campaign(campaign);
        }
        let mut ids = HashSet::new();
        found.at = String::new();
        let ranges = self.number_ranges.len();
        found.ensure(ranges <= MOST_PARTS, "number_ranges", || {
            format!("up to {MOST_PARTS} of them, got {ranges}")
        });
        for (at, range) in self.number_ranges.iter().enumerate() {
            found.at = format!("number_ranges[{at}].");
            found.id(&range.id, &mut ids);
            found.range(range);
        }
        found.at = String::new();
        found.labels();
        if let Some(steps) = self.timeless_loop() {
            let names: Vec<&str> = steps.iter().map(|step| step.name.as_str()).collect();
            let message = format!(
                "contacts could go round without any time passing: {} and back; \
                 let one of these ways lead elsewhere",
                names.join(" → ")
            );
            found.note("steps", message);
        }
        found.faults
    }
}

/// Whether a character cannot be seen, or changes the direction of those beside it: it has no place in a name.
pub fn is_unseen(letter: char) -> bool {
    letter.is_control()
        || matches!(letter, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
}

impl Found<'_> {
    fn note(&mut self, field: &str, message: String) {
        self.faults.push(Fault { field: format!("{}{field}", self.at), message });
    }

    fn ensure(&mut self, right: bool, field: &str, message: impl FnOnce() -> String) {
        if !right {
            self.note(field, message());
        }
    }

    fn name(&mut self, field: &str, name: &str) {
        if name.trim().is_empty() {
            self.note(field, "needs a name".to_owned());
        } else if name.chars().count() > MOST_NAME_CHARS {
            self.note(field, format!("may have up to {MOST_NAME_CHARS} characters"));
        } else if name.contains(is_unseen) {
            self.note(field, "has a character that cannot be seen".to_owned());
        }
    }

    fn parts(&mut self, field: &str, count: usize) {
        self.ensure((1..=MOST_PARTS).contains(&count), field, || {
            format!("needs 1 to {MOST_PARTS} of them, got {count}")
        });
    }

    fn id<'b>(&mut self, id: &'b str, ids: &mut HashSet<&'b str>) {
        self.name("id", id);
        let is_new = ids.insert(id);
        self.ensure(is_new, "id", || format!("“{id}” is used twice; each needs its own"));
    }

    fn secs(&mut self, field: &str, secs: f64, least: f64) {
        let right = secs.is_finite() && (least..=MOST_SECS).contains(&secs);
        self.ensure(right, field, || format!("must be {least} to {MOST_SECS} seconds, got {secs}"));
    }

    fn limit(&mut self, field: &str, secs: Option<f64>) {
        let right = secs.is_none_or(|secs| secs > 0.0 && secs <= MOST_SECS);
        self.ensure(right, field, || {
            format!("must be above 0 and up to {MOST_SECS} seconds; leave it empty for no limit")
        });
    }

    fn share(&mut self, field: &str, share: f64) {
        self.ensure((0.0..=1.0).contains(&share), field, || {
            format!("must be a share from 0 to 1, got {share}")
        });
    }

    fn duration(&mut self, field: &str, duration: &Duration) {
        if let Some(message) = duration.fault() {
            self.note(field, message);
        }
    }

    fn next(&mut self, field: &str, next: &Next, may_keep: bool) {
        match next {
            Next::Step(id) => self.refers_to_step(field, id),
            Next::KeepRinging if !may_keep => {
                self.note(field, "only a queue or a hunt group can keep ringing".to_owned());
            }
            Next::Release | Next::BusyTone | Next::KeepRinging => {}
        }
    }

    fn refers_to_step(&mut self, field: &str, id: &str) {
        let is_there = self.strategy.step(id).is_some();
        self.ensure(is_there, field, || format!("there is no step “{id}”"));
    }

    fn refers_to_line(&mut self, field: &str, id: &str) {
        let is_line = self.strategy.step(id).is_some_and(|step| step.does.is_line());
        self.ensure(is_line, field, || format!("there is no queue or hunt group “{id}”"));
    }

    fn every_type_comes_in_once(&mut self) {
        self.at = String::new();
        let mut seen = HashSet::new();
        for (at, entry) in self.strategy.entries.iter().enumerate() {
            for name in &entry.contact_types {
                let is_new = seen.insert(name.as_str());
                self.ensure(is_new, &format!("entries[{at}].contact_types"), || {
                    format!("“{name}” is received by two entries; name it once")
                });
            }
        }
        let open = self.strategy.entries.iter().filter(|entry| entry.contact_types.is_empty());
        if open.count() > 1 {
            let message = "only one entry may leave its contact types open".to_owned();
            self.note("entries", message);
        }
    }

    fn step(&mut self, step: &Step) {
        self.name("name", &step.name);
        let place = self.at.clone();
        self.at = format!("{place}does.{}.", step.does.name().key());
        let keeps = step.does.is_line();
        for way in step.does.ways() {
            self.next(&way.field, way.next, keeps && way.field.starts_with("exits."));
        }
        match &step.does {
            StepKind::HoursGate(gate) => {
                if let Some(zone) = &gate.zone {
                    let known = jiff::tz::TimeZone::get(zone).is_ok();
                    self.ensure(known, "zone", || format!("there is no time zone “{zone}”"));
                }
                for (at, hours) in gate.hours.iter().enumerate() {
                    self.hours(&format!("hours[{at}]"), hours);
                }
            }
            StepKind::Menu(menu) => {
                self.duration("time", &menu.time);
                for (at, choice) in menu.choices.iter().enumerate() {
                    self.share(&format!("choices[{at}].share"), choice.share);
                }
                let named = menu.choices.iter().flat_map(|choice| &choice.contact_types);
                // A type that no choice names meets those that name none.
                let types = named.map(String::as_str).chain([""]);
                let sums = types.map(|name| -> f64 {
                    menu.choices.iter().map(|choice| choice.share_of(name)).sum()
                });
                let sum = sums.fold(0.0, f64::max);
                self.ensure(sum <= 1.0 + 1e-9, "choices", || {
                    format!("the shares of the choices add up to {sum}; 1 is the most")
                });
                self.ensure(menu.retries <= 100, "retries", || "may be up to 100".to_owned());
            }
            StepKind::Labelling(labelling) => {
                for (at, rule) in labelling.rules.iter().enumerate() {
                    self.name(&format!("rules[{at}].label"), &rule.label);
                    self.condition(&format!("rules[{at}].when"), &rule.when);
                }
            }
            StepKind::Routing(_) | StepKind::Outside(_) => {}
            StepKind::Announcement(told) => self.duration("time", &told.time),
            StepKind::Assistant(assistant) => {
                self.duration("time", &assistant.time);
                self.share("contained_share", assistant.contained_share);
            }
            StepKind::Queue(queue) => self.queue(queue),
            StepKind::HuntGroup(group) => self.group(group),
            StepKind::Callback(callback) => {
                self.refers_to_line("line", &callback.line);
                self.share("accepted_share", callback.accepted_share);
                self.share("reached_share", callback.reached_share);
                self.secs("unanswered_secs", callback.unanswered_secs, 0.0);
                self.secs("retry_after_secs", callback.retry_after_secs, 0.0);
                let attempts = callback.attempts;
                self.ensure((1..=20).contains(&attempts), "attempts", || {
                    format!("must be 1 to 20, got {attempts}")
                });
                if let crate::Promise::AfterSecs(secs) = callback.promise {
                    self.secs("promise.after_secs", secs, 0.0);
                }
            }
            StepKind::Voicemail(voicemail) => {
                if let Some(work) = &voicemail.work {
                    self.refers_to_line("work.line", &work.line);
                    self.duration("work.time", &work.time);
                }
            }
        }
        self.at = place;
    }

    fn hours(&mut self, field: &str, hours: &OpenHours) {
        let midnight = jiff::civil::Time::midnight();
        let right = hours.until == midnight || hours.from < hours.until;
        self.ensure(right, field, || {
            format!("{} is not before {}; split hours at midnight", hours.from, hours.until)
        });
    }

    fn condition(&mut self, field: &str, condition: &Condition) {
        match condition {
            Condition::CallerNumber(pattern) => self.pattern(field, pattern),
            Condition::Time(hours) => self.hours(field, hours),
            Condition::Share(share) => self.share(field, *share),
            Condition::Attribute { .. } | Condition::Language(_) => {}
        }
    }

    /// A pattern of telephone numbers.
    fn pattern(&mut self, field: &str, pattern: &str) {
        let right = !pattern.is_empty()
            && pattern.len() <= MOST_PATTERN_CHARS
            && pattern.chars().all(|each| each.is_ascii_digit() || "+*?".contains(each));
        self.ensure(right, field, || {
            format!("“{pattern}” may hold up to {MOST_PATTERN_CHARS} digits, +, * and ? only")
        });
    }

    fn labels(&mut self) {
        let labels = self.strategy.labels();
        let count = labels.len();
        self.ensure(count <= MOST_LABELS, "steps", || {
            format!("may use up to {MOST_LABELS} labels in all, got {count}")
        });
        for (at, step) in self.strategy.steps.iter().enumerate() {
            let StepKind::Routing(routing) = &step.does else { continue };
            for (which, route) in routing.routes.iter().enumerate() {
                let field = format!("steps[{at}].does.routing.routes[{which}].label");
                let is_put_on = labels.contains(&route.label.as_str());
                self.ensure(is_put_on, &field, || {
                    format!("no sorting step or entry puts the label “{}” on", route.label)
                });
            }
        }
    }
}

impl Strategy {
    /// Every label that a sorting step puts on, in the order of the steps.
    pub fn labels(&self) -> Vec<&str> {
        let mut labels = Vec::new();
        for step in &self.steps {
            let StepKind::Labelling(labelling) = &step.does else { continue };
            for rule in &labelling.rules {
                if !labels.contains(&rule.label.as_str()) {
                    labels.push(rule.label.as_str());
                }
            }
        }
        for label in self.entries.iter().filter_map(|entry| entry.label.as_deref()) {
            if !labels.contains(&label) {
                labels.push(label);
            }
        }
        labels
    }
}
