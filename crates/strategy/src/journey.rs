//! A strategy as a graph to be drawn: every stop of a contact's way and every link between two.
//!
//! [`Strategy::journey`] lists them. Links are known by where they start and why they are taken, which is
//! how trials count contacts, so a drawing can be as wide as what went there.

use crate::types::{Next, ServedBy, StepKind, Strategy};

/// The graph of a strategy: stops, and links between them.
#[derive(Clone, Debug, PartialEq)]
pub struct Journey {
    /// Entries in their order, then steps, then campaigns in theirs, then the ends that anything leads to.
    pub stops: Vec<Stop>,
    /// From stop to stop. Ways on which a contact stays where it is are left out.
    pub links: Vec<Link>,
}

/// A place on a contact's way.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stop {
    /// The entry at this place of the strategy's list.
    Entry(usize),
    /// The step at this place of the strategy's list.
    Step(usize),
    /// The campaign at this place of the strategy's list.
    Campaign(usize),
    /// Where a way ends.
    End(WayEnd),
}

/// How a contact's way ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum WayEnd {
    /// An agent answers.
    Answered,
    /// A virtual assistant settles it.
    Contained,
    /// It is called back later.
    CalledBack,
    /// It leaves a message.
    Voicemail,
    /// It is handed to a number outside.
    Outside,
    /// It hangs up.
    Abandoned,
    /// It is released.
    Released,
    /// It gets the busy tone.
    BusyTone,
}

impl WayEnd {
    /// What planners call it.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Answered => "Answered",
            Self::Contained => "Contained",
            Self::CalledBack => "Callback",
            Self::Voicemail => "Voicemail",
            Self::Outside => "Outside number",
            Self::Abandoned => "Abandoned",
            Self::Released => "Released",
            Self::BusyTone => "Busy tone",
        }
    }

    /// Whether the customer leaves without having been served or promised anything.
    pub const fn is_lost(self) -> bool {
        matches!(self, Self::Abandoned | Self::Released | Self::BusyTone)
    }
}

/// A way from one stop to another.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Link {
    /// Where it starts, by place among the stops.
    pub from: usize,
    /// Where it leads, by place among the stops.
    pub to: usize,
    /// Why contacts take it, as trials count them; empty for what leads on from an entry.
    pub cause: String,
    /// The exit that leads here, as a JSON pointer within the part; `None` where nothing can be set.
    pub exit: Option<String>,
}

impl Strategy {
    /// Every stop and link of this strategy. Ways to steps that are not there are left out.
    pub fn journey(&self) -> Journey {
        let entries = (0..self.entries.len()).map(Stop::Entry);
        let steps = (0..self.steps.len()).map(Stop::Step);
        let campaigns = (0..self.campaigns.len()).map(Stop::Campaign);
        let stops = entries.chain(steps).chain(campaigns).collect();
        let mut journey = Journey { stops, links: Vec::new() };
        for (at, entry) in self.entries.iter().enumerate() {
            if let Some(id) = &entry.announcement {
                journey.connect(self, at, "hears first".to_owned(), None, &Next::step(id));
            }
            if !entry.blocked.is_empty() {
                journey.end(at, "blocked", WayEnd::BusyTone);
            }
            journey.connect(self, at, String::new(), Some("/first".to_owned()), &entry.first);
        }
        for (at, step) in self.steps.iter().enumerate() {
            let from = self.entries.len() + at;
            for (cause, end) in step.does.ends() {
                journey.end(from, cause, end);
            }
            if let StepKind::Queue(queue) = &step.does
                && let Some(offer) = &queue.callback
            {
                let to = Next::Step(offer.step.clone());
                journey.connect(self, from, "callback accepted".to_owned(), None, &to);
            }
            for way in step.does.ways() {
                let cause = step.does.cause_of(&way.field);
                let pointer = way.field.replace(['.', '['], "/").replace(']', "");
                let exit = format!("/does/{}/{pointer}", step.does.name().key());
                journey.connect(self, from, cause, Some(exit), way.next);
            }
        }
        for (at, campaign) in self.campaigns.iter().enumerate() {
            let from = self.entries.len() + self.steps.len() + at;
            match &campaign.served_by {
                ServedBy::Team(_) => {
                    journey.end(from, "answered", WayEnd::Answered);
                    if !campaign.pacing.keeps_an_agent() {
                        journey.end(from, "nobody free in time", WayEnd::Abandoned);
                    }
                }
                ServedBy::Line(id) | ServedBy::Message(id) => {
                    let to = Next::step(id);
                    journey.connect(self, from, "a person answers".to_owned(), None, &to);
                }
            }
        }
        journey
    }

    /// The place of a part among the stops of the [journey](Self::journey); `None` for a team or a range of numbers, or where it is
    /// not there.
    pub fn stop_of(&self, part: &crate::PartId) -> Option<usize> {
        let at = part.find(self)?;
        match part {
            crate::PartId::Entry(_) => Some(at),
            crate::PartId::Step(_) => Some(self.entries.len() + at),
            crate::PartId::Campaign(_) => Some(self.entries.len() + self.steps.len() + at),
            crate::PartId::Team(_) | crate::PartId::Range(_) => None,
        }
    }
}

impl Journey {
    fn connect(
        &mut self,
        strategy: &Strategy,
        from: usize,
        cause: String,
        exit: Option<String>,
        next: &Next,
    ) {
        let to = match next {
            Next::Step(id) => {
                let Some(at) = strategy.steps.iter().position(|step| step.id == *id) else {
                    return;
                };
                strategy.entries.len() + at
            }
            Next::Release => self.place_of(WayEnd::Released),
            Next::BusyTone => self.place_of(WayEnd::BusyTone),
            Next::KeepRinging => return,
        };
        self.links.push(Link { from, to, cause, exit });
    }

    fn end(&mut self, from: usize, cause: &str, end: WayEnd) {
        let to = self.place_of(end);
        self.links.push(Link { from, to, cause: cause.to_owned(), exit: None });
    }

    /// The place of an end, which is added where nothing led to it yet.
    fn place_of(&mut self, end: WayEnd) -> usize {
        let found = self.stops.iter().position(|stop| *stop == Stop::End(end));
        found.unwrap_or_else(|| {
            self.stops.push(Stop::End(end));
            self.stops.len() - 1
        })
    }

    /// Stops from which a contact can come to one of these, and the stops themselves: backwards along
    /// the links, or forwards where `is_forward`. One flag for each stop.
    pub fn reach(&self, from: usize, is_forward: bool) -> Vec<bool> {
        let mut reached = vec![false; self.stops.len()];
        let mut ahead = vec![from];
        while let Some(at) = ahead.pop() {
            if std::mem::replace(&mut reached[at], true) {
                continue;
            }
            let next = self.links.iter().filter_map(|link| match is_forward {
                true => (link.from == at).then_some(link.to),
                false => (link.to == at).then_some(link.from),
            });
            ahead.extend(next);
        }
        reached
    }
}

impl StepKind {
    /// The ends that no exit leads to, with the cause by which trials count them.
    fn ends(&self) -> Vec<(&'static str, WayEnd)> {
        match self {
            Self::Queue(_) | Self::HuntGroup(_) => {
                vec![("answered", WayEnd::Answered), ("patience ended", WayEnd::Abandoned)]
            }
            Self::Assistant(_) => vec![("contained", WayEnd::Contained)],
            Self::Callback(_) => vec![("accepted", WayEnd::CalledBack)],
            Self::Voicemail(_) => vec![("message left", WayEnd::Voicemail)],
            Self::Outside(_) => vec![("handed over", WayEnd::Outside)],
            Self::HoursGate(_)
            | Self::Menu(_)
            | Self::Labelling(_)
            | Self::Routing(_)
            | Self::Announcement(_) => Vec::new(),
        }
    }
}
