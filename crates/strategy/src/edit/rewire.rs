//! Edits that keep a strategy whole: a step put on a way, a copy with all that belongs to it, a part taken
//! out with a choice for what led to it.

use super::new_part::free_id;
use super::{Edit, Part, PartId, StepName};
use crate::faults::Fault;
use crate::refs::Ref;
use crate::types::{MenuChoice, Next, Step, StepKind, Strategy};

impl Edit {
    /// Puts a new step in the middle of a way, which leads on from it to where the way led, and says which
    /// step that is.
    ///
    /// # Errors
    ///
    /// The part or the exit is not there.
    pub fn insert_on_way(
        strategy: &Strategy,
        part: &PartId,
        exit: &str,
        kind: StepName,
    ) -> Result<(Self, PartId), Fault> {
        let led_to = part.exit(strategy, exit)?;
        let onward = match led_to {
            Some(Next::KeepRinging) | None => Next::Release,
            Some(next) => next,
        };
        let Part::Step(mut step) = Part::new_step(strategy, kind) else {
            return Err(no_exit(part, exit));
        };
        step.does.lead_on(&onward);
        let added = PartId::Step(step.id.clone());
        let to = Some(Next::step(&step.id));
        // It stands after the step that leads to it, so that lists tell the way in its order.
        let at = match part {
            PartId::Step(_) => part.find(strategy).map(|at| at + 1),
            PartId::Entry(_) | PartId::Team(_) | PartId::Campaign(_) | PartId::Range(_) => None,
        };
        let edits = vec![
            Self::Add { part: Part::Step(step), at },
            Self::Connect { part: part.clone(), exit: exit.to_owned(), to },
        ];
        Ok((Self::Several(edits), added))
    }

    /// Adds a copy of a step, a team or a campaign with what belongs to it: a line's ranks in its teams and the
    /// callbacks that it offers, a team's place in hunt groups. Nothing leads to the copy of a step yet, and
    /// the copy of a team has no named agents, who are in one team only.
    ///
    /// # Errors
    ///
    /// The part is not there, or is an entry or a range: two cannot receive the same contacts or have the same numbers.
    pub fn duplicate(strategy: &Strategy, part: &PartId) -> Result<(Self, PartId), Fault> {
        let mut whole = strategy.clone();
        let at = part.place_in(strategy)?;
        let copy = match part {
            PartId::Entry(_) => {
                let message = "two entries cannot receive the same contacts".to_owned();
                return Err(Fault { field: format!("entries[{at}]"), message });
            }
            PartId::Step(_) => PartId::Step(whole.copy_step(at)),
            PartId::Team(id) => {
                let mut team = strategy.teams[at].clone();
                team.id = free_id(strategy, id);
                team.name =
                    copy_name(&team.name, |name| strategy.teams.iter().any(|t| t.name == name));
                team.agents.clear();
                for step in &mut whole.steps {
                    let StepKind::HuntGroup(group) = &mut step.does else { continue };
                    let mut copies = group.members.clone();
                    copies.retain(|member| member.who == crate::Members::Team(id.clone()));
                    copies.iter_mut().for_each(|copy| {
                        copy.who = crate::Members::Team(team.id.clone());
                    });
                    group.members.extend(copies);
                }
                let copy = PartId::Team(team.id.clone());
                whole.teams.insert(at + 1, team);
                copy
            }
            PartId::Campaign(id) => {
                let mut campaign = strategy.campaigns[at].clone();
                campaign.id = free_id(strategy, id);
                campaign.name = copy_name(&campaign.name, |name| {
                    strategy.campaigns.iter().any(|each| each.name == name)
                });
                let copy = PartId::Campaign(campaign.id.clone());
                whole.campaigns.insert(at + 1, campaign);
                copy
            }
            PartId::Range(_) => {
                let message = "two ranges cannot have the same numbers".to_owned();
                return Err(Fault { field: format!("number_ranges[{at}]"), message });
            }
        };
        Ok((Self::between(strategy, &whole), copy))
    }

    /// Takes a part out; every way that leads to it leads elsewhere. What is work of a line that goes becomes
    /// work of the line that contacts go to instead, if that is one. Ranks, memberships and callback
    /// offers of the part go with it.
    ///
    /// # Errors
    ///
    /// The part is not there.
    pub fn remove_leading_to(strategy: &Strategy, part: &PartId, to: &Next) -> Result<Self, Fault> {
        let mut whole = strategy.clone();
        part.take_from(&mut whole)?;
        match part {
            PartId::Entry(_) | PartId::Campaign(_) | PartId::Range(_) => {}
            PartId::Step(id) => whole.forget_step(id, to),
            PartId::Team(id) => {
                for step in &mut whole.steps {
                    if let StepKind::HuntGroup(group) = &mut step.does {
                        group
                            .members
                            .retain(|member| member.who != crate::Members::Team(id.clone()));
                    }
                }
            }
        }
        Ok(Self::between(strategy, &whole))
    }

    /// Lets every way that leads to a step lead elsewhere; the step stays.
    ///
    /// # Errors
    ///
    /// Nothing leads to it.
    pub fn replace_everywhere(strategy: &Strategy, step: &str, by: &Next) -> Result<Self, Fault> {
        let mut whole = strategy.clone();
        if whole.lead_elsewhere(step, by) == 0 {
            let message = format!("no way leads to “{step}”");
            return Err(Fault { field: "steps".to_owned(), message });
        }
        Ok(Self::between(strategy, &whole))
    }
}

fn no_exit(part: &PartId, exit: &str) -> Fault {
    Fault { field: part.list().to_owned(), message: format!("there is no exit “{exit}”") }
}

impl PartId {
    /// Where an exit of this part leads; none where it is closed.
    ///
    /// # Errors
    ///
    /// The part or the exit is not there.
    pub fn exit(&self, strategy: &Strategy, exit: &str) -> Result<Option<Next>, Fault> {
        let value = self.of(strategy)?.to_json();
        let found = value.pointer(exit).ok_or_else(|| no_exit(self, exit))?;
        serde_json::from_value(found.clone()).map_err(|_| no_exit(self, exit))
    }
}

impl StepKind {
    /// Lets whatever this new step does not keep go on to where the way led before.
    fn lead_on(&mut self, to: &Next) {
        match self {
            Self::Menu(menu) => {
                menu.choices = (1..=2)
                    .map(|nth| MenuChoice {
                        name: format!("Choice {nth}"),
                        share: 0.5,
                        contact_types: Vec::new(),
                        next: to.clone(),
                    })
                    .collect();
                menu.no_choice.clone_from(to);
            }
            Self::HoursGate(gate) => gate.open.clone_from(to),
            Self::Queue(crate::Queue { exits, .. })
            | Self::HuntGroup(crate::HuntGroup { exits, .. }) => {
                exits.full.clone_from(to);
                exits.too_long.clone_from(to);
            }
            other => {
                for found in other.refs_mut() {
                    if let Ref::Way(next) = found {
                        next.clone_from(to);
                    }
                }
            }
        }
    }
}

/// "Bookings queue, copy", or the first further copy that no other is called.
fn copy_name(name: &str, is_taken: impl Fn(&str) -> bool) -> String {
    let stem: String = name.chars().take(60).collect();
    let first = format!("{stem}, copy");
    if !is_taken(&first) {
        return first;
    }
    let mut nth = 2;
    loop {
        let name = format!("{stem}, copy {nth}");
        if !is_taken(&name) {
            return name;
        }
        nth += 1;
    }
}

impl Strategy {
    /// Copies a step and what belongs to it, and gives the id of the copy.
    fn copy_step(&mut self, at: usize) -> String {
        let copied = self.copy_of(at);
        let (id, copy) = (self.steps[at].id.clone(), copied.id.clone());
        self.steps.insert(at + 1, copied);
        for team in &mut self.teams {
            let own = team.agents.iter_mut().map(|agent| &mut agent.ranks);
            for ranks in std::iter::once(&mut team.ranks).chain(own) {
                if let Some(rank) = ranks.get(&id).copied() {
                    ranks.insert(copy.clone(), rank);
                }
            }
        }
        // A callback of the line is work of that line: the copy offers one of its own.
        let offered = match &self.steps[at + 1].does {
            StepKind::Queue(queue) => queue.callback.as_ref().map(|offer| offer.step.clone()),
            _ => None,
        };
        let callback = offered.and_then(|offered| {
            let place = self.steps.iter().position(|step| step.id == offered)?;
            let is_own = |step: &Step| matches!(&step.does, StepKind::Callback(c) if c.line == id);
            is_own(&self.steps[place]).then_some(place)
        });
        if let Some(place) = callback {
            let mut callback = self.copy_of(place);
            if let StepKind::Callback(does) = &mut callback.does {
                does.line.clone_from(&copy);
            }
            if let StepKind::Queue(queue) = &mut self.steps[at + 1].does
                && let Some(offer) = &mut queue.callback
            {
                offer.step.clone_from(&callback.id);
            }
            self.steps.push(callback);
        }
        copy
    }

    /// The same step with an id and a name of its own.
    fn copy_of(&self, at: usize) -> Step {
        let mut step = self.steps[at].clone();
        step.id = free_id(self, &step.id);
        step.name = copy_name(&step.name, |name| self.steps.iter().any(|each| each.name == name));
        // A number reaches one line.
        match &mut step.does {
            StepKind::Queue(queue) => queue.short_number = None,
            StepKind::HuntGroup(group) => group.short_number = None,
            _ => {}
        }
        step
    }

    /// Lets nothing refer to a step that has gone.
    fn forget_step(&mut self, id: &str, to: &Next) {
        self.lead_elsewhere(id, to);
        let instead = match to {
            Next::Step(other) => self.step(other).filter(|step| step.does.is_line()),
            _ => None,
        };
        let instead = instead.map(|step| step.id.clone());
        for step in &mut self.steps {
            match &mut step.does {
                StepKind::Queue(queue) => {
                    queue.callback.take_if(|offer| offer.step == id);
                }
                StepKind::Callback(callback) if callback.line == id => {
                    callback.line = instead.clone().unwrap_or_default();
                }
                StepKind::Voicemail(voicemail) => match (&mut voicemail.work, &instead) {
                    (Some(work), Some(line)) if work.line == id => work.line.clone_from(line),
                    (work, None) => drop(work.take_if(|work| work.line == id)),
                    _ => {}
                },
                _ => {}
            }
        }
        for entry in &mut self.entries {
            entry.announcement.take_if(|told| told == id);
        }
        // A callback is of a line: one without any line goes with it.
        let without =
            |step: &Step| matches!(&step.does, StepKind::Callback(c) if c.line.is_empty());
        if let Some(at) = self.steps.iter().position(without) {
            let gone = self.steps.remove(at);
            self.forget_step(&gone.id, to);
        }
        for team in &mut self.teams {
            team.rename_ranks(&|line| (line != id).then(|| line.to_owned()));
        }
    }
}
