//! What may arrive where: contacts of each type followed from their entries along every way.
//!
//! Shares of menus, opening hours, labels drawn by share, by time or by profile are followed in numbers.
//! What leaves a queue or hunt group depends on how busy it is, which only a trial knows: such ways are
//! followed as possible, without a number, but for contacts that find nobody on shift.

use barometer_routing::{Id, Step as CompiledStep, StepId};
use barometer_strategy::{Channel, Condition, Next, Step, StepKind};

use crate::ground::Ground;
use crate::premises::ContactTypePremise;

/// Expected contacts and possible ones, by step.
pub(crate) struct Traffic {
    /// Of each step: the contact types that may reach it.
    steps: Vec<Vec<OfType>>,
}

/// Contacts of a type at a step.
pub(crate) struct OfType {
    /// Its place among the premises' types.
    pub of: usize,
    /// Expected on ways that can be reckoned, interval by interval.
    pub expected: Vec<f64>,
    /// Whether any may arrive, interval by interval.
    pub is_possible: Vec<bool>,
}

/// Rounds after which contacts that go round are followed no further.
const MOST_ROUNDS: usize = 64;
/// Contacts below which nothing is followed further.
const NOTHING: f64 = 1e-9;

impl Traffic {
    pub fn of(ground: &Ground<'_>) -> Self {
        let count = ground.strategy.steps.len();
        let mut traffic = Self { steps: (0..count).map(|_| Vec::new()).collect() };
        for (of, premise) in ground.premises.types.iter().enumerate() {
            let Some(entry) = ground.strategy.entry_of(&premise.name) else { continue };
            let Next::Step(first) = &entry.first else { continue };
            let Some(first) = ground.step_place(first) else { continue };
            let wave = Wave::entering(ground, premise);
            traffic.follow(ground, of, first, wave);
        }
        traffic
    }

    /// What arrives at a step, by contact type.
    pub fn at(&self, step: usize) -> &[OfType] {
        &self.steps[step]
    }

    /// Contacts expected at a step in the whole period.
    pub fn expected(&self, step: usize) -> f64 {
        self.steps[step].iter().flat_map(|each| &each.expected).sum()
    }

    fn follow(&mut self, ground: &Ground<'_>, of: usize, first: usize, wave: Wave) {
        let premise = &ground.premises.types[of];
        let mut ahead = vec![(first, wave)];
        for _ in 0..MOST_ROUNDS {
            let mut next: Vec<(usize, Wave)> = Vec::new();
            for (at, wave) in std::mem::take(&mut ahead) {
                let Some(wave) = self.note(at, of, wave) else { continue };
                for (to, wave) in passed_on(ground, premise, at, &wave) {
                    let Some(to) = ground.step_place(to) else { continue };
                    match next.iter_mut().find(|each| each.0 == to) {
                        Some((_, there)) => there.add(&wave),
                        None => next.push((to, wave)),
                    }
                }
            }
            if next.is_empty() {
                return;
            }
            ahead = next;
        }
    }

    /// Adds a wave to what arrives at a step; gives what is new of it.
    fn note(&mut self, at: usize, of: usize, mut wave: Wave) -> Option<Wave> {
        let of_step = &mut self.steps[at];
        let there = match of_step.iter().position(|each| each.of == of) {
            Some(there) => there,
            None => {
                let intervals = wave.expected.len();
                of_step.push(OfType {
                    of,
                    expected: vec![0.0; intervals],
                    is_possible: vec![false; intervals],
                });
                of_step.len() - 1
            }
        };
        let there = &mut of_step[there];
        let mut is_new = false;
        for at in 0..wave.expected.len() {
            there.expected[at] += wave.expected[at];
            // What was possible before has been followed already.
            let was_possible = there.is_possible[at];
            there.is_possible[at] |= wave.is_possible[at];
            wave.is_possible[at] &= !was_possible;
            is_new |= wave.is_possible[at] || wave.expected[at] > NOTHING;
        }
        is_new.then_some(wave)
    }
}

/// Contacts on their way to a step.
#[derive(Clone)]
struct Wave {
    expected: Vec<f64>,
    is_possible: Vec<bool>,
}

impl Wave {
    fn entering(ground: &Ground<'_>, premise: &ContactTypePremise) -> Self {
        let intervals = ground.premises.intervals;
        let knows = ground.premises.knows_contacts();
        let let_in = 1.0 - blocked_share(ground, premise);
        let contacts = |at: usize| premise.contacts.get(at).map_or(0.0, |each| each * let_in);
        Self {
            expected: (0..intervals).map(contacts).collect(),
            // Where nothing is forecast of anything, any moment may bring a contact.
            is_possible: (0..intervals).map(|at| !knows || contacts(at) > 0.0).collect(),
        }
    }

    fn add(&mut self, other: &Self) {
        for at in 0..self.expected.len() {
            self.expected[at] += other.expected[at];
            self.is_possible[at] |= other.is_possible[at];
        }
    }

    /// The share of it that an interval's share says; `None` where nothing is left.
    fn part(&self, share: impl Fn(usize) -> f64) -> Option<Self> {
        let mut part = self.clone();
        for at in 0..part.expected.len() {
            let share = share(at);
            part.expected[at] *= share;
            part.is_possible[at] &= share > 0.0;
        }
        let is_anything = part.is_possible.contains(&true)
            || part.expected.iter().any(|&contacts| contacts > NOTHING);
        is_anything.then_some(part)
    }

    /// What may take a way of which nothing is known but when it can be taken.
    fn possible(&self, when: impl Fn(usize) -> bool) -> Option<Self> {
        let mut part = self.part(|at| f64::from(when(at)))?;
        part.expected.fill(0.0);
        Some(part)
    }
}

/// Where contacts go on to from a step.
fn passed_on<'a>(
    ground: &Ground<'a>,
    premise: &ContactTypePremise,
    at: usize,
    wave: &Wave,
) -> Vec<(&'a str, Wave)> {
    let mut on = Vec::new();
    let mut send = |next: &'a Next, wave: Option<Wave>| {
        if let (Next::Step(id), Some(wave)) = (next, wave) {
            on.push((id.as_str(), wave));
        }
    };
    let step: &'a Step = &ground.strategy.steps[at];
    match &step.does {
        StepKind::HoursGate(gate) => {
            let open = open_intervals(ground, at);
            send(&gate.open, wave.part(|at| f64::from(open[at])));
            send(&gate.closed, wave.part(|at| f64::from(!open[at])));
        }
        StepKind::Menu(menu) => {
            let share_of = |choice: &barometer_strategy::MenuChoice| choice.share_of(&premise.name);
            let chosen: f64 = menu.choices.iter().map(share_of).sum();
            let never = (1.0 - chosen).clamp(0.0, 1.0).powi(menu.retries as i32 + 1);
            for choice in &menu.choices {
                let share = share_of(choice);
                let share = if chosen > 0.0 { share / chosen * (1.0 - never) } else { 0.0 };
                send(&choice.next, wave.part(|_| share));
            }
            send(&menu.no_choice, wave.part(|_| never));
        }
        StepKind::Labelling(labelling) => send(&labelling.next, Some(wave.clone())),
        StepKind::Routing(routing) => {
            let intervals = wave.expected.len();
            let mut left = vec![1.0; intervals];
            for route in &routing.routes {
                let likely: Vec<f64> = (0..intervals)
                    .map(|at| label_share(ground, premise, &route.label, at))
                    .collect();
                send(&route.next, wave.part(|at| left[at] * likely[at]));
                left.iter_mut().zip(&likely).for_each(|(left, likely)| *left *= 1.0 - likely);
            }
            send(&routing.otherwise, wave.part(|at| left[at]));
        }
        StepKind::Announcement(told) => send(&told.next, Some(wave.clone())),
        StepKind::Assistant(assistant) => {
            send(&assistant.next, wave.part(|_| 1.0 - assistant.contained_share));
        }
        StepKind::Callback(callback) => {
            send(&callback.otherwise, wave.part(|_| 1.0 - callback.accepted_share));
        }
        StepKind::Queue(_) | StepKind::HuntGroup(_) => {
            let Some(point) = ground.point_at(at) else { return on };
            let exits = point.exits;
            let nobody = |at: usize| point.staff(premise.channel, at) == 0;
            let knows = ground.knows_staff();
            if let Some(next) = &exits.no_staff_at_arrival
                && knows
            {
                send(next, wave.part(|at| f64::from(nobody(at))));
            }
            let enters = |at: usize| !knows || exits.no_staff_at_arrival.is_none() || !nobody(at);
            let leaves = |at: usize| at > 0 && nobody(at) && !nobody(at - 1);
            if let Some(next) = &exits.no_staff_while_waiting {
                send(next, wave.possible(|at| !knows || leaves(at)));
            }
            if point.places.is_some() {
                send(&exits.full, wave.possible(enters));
            }
            if point.limit.2.is_some() {
                send(&exits.too_long, wave.possible(enters));
            }
            if point.offering.most_offers.is_some() {
                send(&exits.no_answer, wave.possible(enters));
            }
        }
        StepKind::Voicemail(_) | StepKind::Outside(_) => {}
    }
    on
}

/// In which intervals a gate is open at the middle.
pub(crate) fn open_intervals(ground: &Ground<'_>, gate: usize) -> Vec<bool> {
    let CompiledStep::HoursGate { open, .. } = &ground.compiled.steps[StepId::at(gate)] else {
        return vec![true; ground.premises.intervals];
    };
    let length = ground.premises.interval_secs;
    (0..ground.premises.intervals)
        .map(|at| barometer_routing::is_within(open, (at as f64 + 0.5) * length))
        .collect()
}

/// Share of a type's contacts that a label is put on in an interval, as if labels were independent.
fn label_share(
    ground: &Ground<'_>,
    premise: &ContactTypePremise,
    label: &str,
    interval: usize,
) -> f64 {
    let entry = ground.strategy.entry_of(&premise.name);
    if entry.is_some_and(|entry| entry.label.as_deref() == Some(label)) {
        return 1.0;
    }
    let rules = ground.strategy.steps.iter().flat_map(|step| match &step.does {
        StepKind::Labelling(labelling) => labelling.rules.as_slice(),
        _ => &[],
    });
    let without: f64 = rules
        .filter(|rule| rule.label == label)
        .map(|rule| 1.0 - condition_share(ground, premise, &rule.when, interval))
        .product();
    1.0 - without
}

fn condition_share(
    ground: &Ground<'_>,
    premise: &ContactTypePremise,
    condition: &Condition,
    interval: usize,
) -> f64 {
    let of_profiles = |is_met: &dyn Fn(&barometer_strategy::Profile) -> bool| {
        let shares = premise.profiles.iter().filter(|each| is_met(each)).map(|each| each.share);
        let known: f64 = shares.sum();
        // Of customers of whom nothing is said some may meet it all the same.
        if premise.profiles.is_empty() { UNKNOWN_SHARE } else { known }
    };
    match condition {
        Condition::Share(share) => *share,
        Condition::Time(hours) => {
            let at = ground.clock(interval);
            let until_midnight = hours.until == jiff::civil::Time::midnight();
            let is_time = at.time() >= hours.from && (until_midnight || at.time() < hours.until);
            f64::from(hours.is_on(at.date()) && is_time)
        }
        Condition::CallerNumber(pattern) => {
            of_profiles(&|profile| barometer_routing::number_matches(pattern, &profile.number))
        }
        Condition::Attribute { name, value } => {
            of_profiles(&|profile| profile.attributes.get(name) == Some(value))
        }
        Condition::Language(language) => {
            let entry = ground.strategy.entry_of(&premise.name);
            match entry.and_then(|entry| entry.language.as_ref()) {
                Some(spoken) => f64::from(spoken == language),
                None => of_profiles(&|profile| profile.language == *language),
            }
        }
    }
}

/// Share of a type's contacts whose numbers their entry blocks, as far as the customers' numbers are known.
fn blocked_share(ground: &Ground<'_>, premise: &ContactTypePremise) -> f64 {
    let Some(entry) = ground.strategy.entry_of(&premise.name) else { return 0.0 };
    let is_blocked = |number: &str| {
        entry.blocked.iter().any(|pattern| barometer_routing::number_matches(pattern, number))
    };
    let blocked = premise.profiles.iter().filter(|profile| is_blocked(&profile.number));
    blocked.map(|profile| profile.share).sum()
}

/// Share that is assumed to meet a condition where nothing is known of the customers.
const UNKNOWN_SHARE: f64 = 0.1;

/// The channel of a type at a step, the commonest first.
pub(crate) fn channels(ground: &Ground<'_>, step: usize) -> Vec<Channel> {
    let mut channels = Vec::new();
    for each in ground.traffic().at(step) {
        let channel = ground.premises.types[each.of].channel;
        if !channels.contains(&channel) {
            channels.push(channel);
        }
    }
    channels
}
