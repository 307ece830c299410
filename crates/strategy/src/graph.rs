//! Where contacts can go: the steps as a directed graph.

use crate::types::{Exits, Next, Step, StepKind, Strategy};

/// One way from a step.
pub(crate) struct Way<'a> {
    /// Path of the field within the step's JSON, such as `exits.full`.
    pub field: String,
    /// Where it leads.
    pub next: &'a Next,
    /// Whether time passes before a contact takes it.
    pub takes_time: bool,
}

impl StepKind {
    /// All ways that lead on from this step.
    pub(crate) fn ways(&self) -> Vec<Way<'_>> {
        let way = |field: &str, next, takes_time| Way { field: field.to_owned(), next, takes_time };
        match self {
            Self::HoursGate(gate) => {
                vec![way("open", &gate.open, false), way("closed", &gate.closed, false)]
            }
            Self::Menu(menu) => {
                let takes_time = menu.time.mean_secs() > 0.0;
                let choices = menu.choices.iter().enumerate();
                choices
                    .map(|(at, choice)| {
                        way(&format!("choices[{at}].next"), &choice.next, takes_time)
                    })
                    .chain([way("no_choice", &menu.no_choice, takes_time)])
                    .collect()
            }
            Self::Labelling(labelling) => vec![way("next", &labelling.next, false)],
            Self::Routing(routing) => {
                let routes = routing.routes.iter().enumerate();
                routes
                    .map(|(at, route)| way(&format!("routes[{at}].next"), &route.next, false))
                    .chain([way("otherwise", &routing.otherwise, false)])
                    .collect()
            }
            Self::Announcement(told) => vec![way("next", &told.next, told.time.mean_secs() > 0.0)],
            Self::Assistant(assistant) => {
                vec![way("next", &assistant.next, assistant.time.mean_secs() > 0.0)]
            }
            Self::Queue(queue) => exits(&queue.exits),
            Self::HuntGroup(group) => exits(&group.exits),
            Self::Callback(callback) => vec![way("otherwise", &callback.otherwise, false)],
            Self::Voicemail(_) | Self::Outside(_) => Vec::new(),
        }
    }
}

impl StepKind {
    /// Why contacts take the way of this field, in the planner's words: a menu's choice, a label,
    /// "full". The field is a path within the step's JSON, such as `exits.full` or `choices[0].next`.
    pub fn cause_of(&self, field: &str) -> String {
        let row = || field.split(['[', ']']).nth(1)?.parse::<usize>().ok();
        let named = match self {
            Self::Menu(menu) => row().and_then(|at| menu.choices.get(at)).map(|c| c.name.clone()),
            Self::Routing(routing) => {
                row().and_then(|at| routing.routes.get(at)).map(|route| route.label.clone())
            }
            _ => None,
        };
        named.unwrap_or_else(|| self.plain_cause_of(field).to_owned())
    }

    fn plain_cause_of<'a>(&self, field: &'a str) -> &'a str {
        match (self, field) {
            (Self::Labelling(_), "next") => "labelled",
            (Self::Announcement(_), "next") => "told",
            (Self::Assistant(_), "next") => "not contained",
            (Self::Callback(_), "otherwise") => "not accepted",
            (_, "no_choice") => "nothing chosen",
            (_, "exits.too_long") => "longest wait over",
            (_, "exits.no_staff_at_arrival") => "nobody at work",
            (_, "exits.no_staff_while_waiting") => "nobody at work any more",
            (_, "exits.no_answer") => "nobody answered",
            (_, field) => field.rsplit('.').next().unwrap_or(field),
        }
    }
}

fn exits(exits: &Exits) -> Vec<Way<'_>> {
    let Exits { full, too_long, no_staff_at_arrival, no_staff_while_waiting, no_answer } = exits;
    [
        ("exits.full", Some(full), false),
        ("exits.too_long", Some(too_long), true),
        ("exits.no_staff_at_arrival", no_staff_at_arrival.as_ref(), false),
        ("exits.no_staff_while_waiting", no_staff_while_waiting.as_ref(), true),
        ("exits.no_answer", Some(no_answer), true),
    ]
    .into_iter()
    .filter_map(|(field, next, takes_time)| {
        Some(Way { field: field.to_owned(), next: next?, takes_time })
    })
    .collect()
}

impl Strategy {
    /// The ways that lead on from a step: why, and where to, in the planner's words.
    pub fn ways_of(&self, step: &Step) -> Vec<(String, String)> {
        let told = |way: Way<'_>| {
            let why = step.does.cause_of(&way.field);
            (why, self.next_words(way.next))
        };
        step.does.ways().into_iter().map(told).collect()
    }

    /// Where a contact goes, in the planner's words.
    pub fn next_words(&self, next: &Next) -> String {
        match next {
            Next::Step(id) => {
                self.step(id).map_or_else(|| format!("“{id}”"), |step| step.name.clone())
            }
            Next::Release => "released".to_owned(),
            Next::BusyTone => "busy tone".to_owned(),
            Next::KeepRinging => "keeps ringing".to_owned(),
        }
    }

    /// A loop through which a contact could go round without time passing: its steps in order.
    pub(crate) fn timeless_loop(&self) -> Option<Vec<&Step>> {
        let mut seen = vec![Mark::New; self.steps.len()];
        (0..self.steps.len()).find_map(|from| self.loop_from(from, &mut seen, &mut Vec::new()))
    }

    fn loop_from<'a>(
        &'a self,
        at: usize,
        seen: &mut [Mark],
        trail: &mut Vec<usize>,
    ) -> Option<Vec<&'a Step>> {
        match seen[at] {
            Mark::Done => return None,
            Mark::OnTrail => {
                let start = trail.iter().position(|&step| step == at).unwrap_or(0);
                return Some(trail[start..].iter().map(|&step| &self.steps[step]).collect());
            }
            Mark::New => {}
        }
        seen[at] = Mark::OnTrail;
        trail.push(at);
        for way in self.steps[at].does.ways().iter().filter(|way| !way.takes_time) {
            let Next::Step(id) = way.next else { continue };
            let Some(next) = self.steps.iter().position(|step| step.id == *id) else { continue };
            if let Some(found) = self.loop_from(next, seen, trail) {
                return Some(found);
            }
        }
        trail.pop();
        seen[at] = Mark::Done;
        None
    }
}

#[derive(Clone, Copy)]
enum Mark {
    New,
    OnTrail,
    Done,
}
