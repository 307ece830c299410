//! Builds the model of a strategy that has no faults.

use barometer_strategy::{
    Channel, Condition, Customers, Exits, HuntGroup, Next, OfferOrder, Offering, Profile, Promise,
    Queue, Step, StepKind, Strategy, TryAgain, WhoRings,
};

use super::hours::TrialTime;
use super::members::{Roll, is_line, widenings};
use super::{
    AgainModel, AnnouncementModel, CallbackModel, CallbackOfferModel, ClassMember, Does, Go,
    LineExits, LineModel, MemberModel, Model, Names, RuleModel, StepModel, TeamModel, TypeModel,
    Way,
};
use crate::draws::{Drawn, key_of_name};
use crate::experiment::{Cover, Demand, ExperimentError, TypeDemand};
use crate::model::names::FlowName;

impl Model {
    pub fn build(
        strategy: &Strategy,
        demand: &Demand,
        cover: &Cover,
    ) -> Result<Self, ExperimentError> {
        let mut roll = Roll::call(strategy, demand, cover)?;
        let lines: Vec<(usize, &Step)> =
            strategy.steps.iter().enumerate().filter(|(_, step)| is_line(&step.does)).collect();
        let members: Vec<Vec<MemberModel>> = lines
            .iter()
            .map(|(_, step)| match &step.does {
                StepKind::HuntGroup(group) => roll.of_group(group),
                StepKind::Queue(queue) => roll.of_queue(&step.id, queue),
                _ => Vec::new(),
            })
            .collect();
        let (mut classes, of_lines) = roll.classes(&members);
        let mut builder = Builder {
            strategy,
            demand,
            lines: lines.iter().map(|&(step, _)| step).collect(),
            flows: Vec::new(),
        };
        let teams: Vec<TeamModel> =
            strategy.teams.iter().zip(std::mem::take(&mut roll.teams)).map(team_model).collect();
        let types = builder.types()?;
        let steps = builder.steps();
        let lines = lines
            .iter()
            .zip(members.into_iter().zip(of_lines))
            .map(|(&(step, _), (members, classes))| builder.line(step, members, classes, &teams))
            .collect::<Vec<_>>();
        for class in &mut classes {
            class.has_line_that_rings_all = class
                .lines
                .iter()
                .any(|member| lines[usize::from(member.line)].order == OfferOrder::AllAtOnce);
        }
        let callbacks = builder.callbacks();
        let names = builder.names(&roll);
        let most_at_once = teams.iter().flat_map(|team| team.at_once).max().unwrap_or(1).max(1);
        Ok(Self {
            names,
            interval_secs: demand.interval_secs,
            intervals: demand.len(),
            dates: dates_of(demand),
            types,
            steps,
            lines,
            callbacks,
            teams,
            agents: roll.agents,
            classes,
            shifts: roll.shifts,
            most_at_once,
        })
    }
}

struct Builder<'a> {
    strategy: &'a Strategy,
    demand: &'a Demand,
    /// The step of each line.
    lines: Vec<usize>,
    flows: Vec<FlowName>,
}

impl Builder<'_> {
    fn types(&mut self) -> Result<Vec<TypeModel>, ExperimentError> {
        self.demand.types.iter().map(|demand| self.type_model(demand)).collect()
    }

    fn type_model(&mut self, demand: &TypeDemand) -> Result<TypeModel, ExperimentError> {
        let entry = self
            .strategy
            .entry_of(&demand.name)
            .ok_or_else(|| ExperimentError::NoEntry(demand.name.clone()))?;
        let customers = &demand.customers;
        let again = |again: &TryAgain| AgainModel {
            share: again.share,
            after: Drawn::from(&again.after),
            most_attempts: again.most_attempts.unwrap_or(u32::MAX),
        };
        let mut sum = 0.0;
        let profiles = customers.profiles.iter().map(|profile| {
            sum += profile.share;
            sum
        });
        Ok(TypeModel {
            channel: customers.channel,
            first: self.go(&entry.first),
            within_secs: demand.within_secs,
            intervals: demand.intervals.clone(),
            arrivals: demand.arrivals,
            luck: demand.luck.clone(),
            handling: Drawn::from(&customers.handling.with_mean(1.0)),
            wrap_up: drawn(&customers.wrap_up),
            patience: customers.patience.as_ref().map(Drawn::from),
            after_abandoning: customers.after_abandoning.as_ref().map(again),
            after_blocked: customers.after_blocked.as_ref().map(again),
            repeat: customers.repeat.as_ref().map(|repeat| AgainModel {
                share: repeat.share,
                after: Drawn::from(&repeat.after),
                most_attempts: 1,
            }),
            profiles: profiles.collect(),
        })
    }

    fn steps(&mut self) -> Vec<StepModel> {
        let steps = &self.strategy.steps;
        steps
            .iter()
            .map(|step| StepModel { key: key_of_name(&step.id), does: self.does(step) })
            .collect()
    }

    fn does(&mut self, step: &Step) -> Does {
        match &step.does {
            StepKind::HoursGate(gate) => Does::Gate {
                open: self.time().of_gate(gate),
                when_open: self.way(step, "open", &gate.open),
                when_closed: self.way(step, "closed", &gate.closed),
            },
            StepKind::Menu(menu) => {
                let mut sum = 0.0;
                let mut choices = Vec::with_capacity(menu.choices.len());
                for choice in &menu.choices {
                    sum += choice.share;
                    choices.push((sum, self.way(step, &choice.name, &choice.next)));
                }
                Does::Menu {
                    time: Drawn::from(&menu.time),
                    choices,
                    retries: menu.retries,
                    no_choice: self.way(step, "nothing chosen", &menu.no_choice),
                }
            }
            StepKind::Labelling(labelling) => {
                let labels = self.strategy.labels();
                let rule = |rule: &barometer_strategy::LabelRule| {
                    let bit = labels.iter().position(|label| *label == rule.label).unwrap_or(0);
                    (1 << bit, self.rule(&rule.when))
                };
                let rules = labelling.rules.iter().map(rule).collect();
                Does::Labelling { rules, next: self.way(step, "labelled", &labelling.next) }
            }
            StepKind::Routing(routing) => {
                let labels = self.strategy.labels();
                let mut routes = Vec::with_capacity(routing.routes.len());
                for route in &routing.routes {
                    let bit = labels.iter().position(|label| *label == route.label).unwrap_or(0);
                    routes.push((1 << bit, self.way(step, &route.label, &route.next)));
                }
                Does::Routing { routes, otherwise: self.way(step, "otherwise", &routing.otherwise) }
            }
            StepKind::Announcement(told) => Does::Announcement {
                time: Drawn::from(&told.time),
                next: self.way(step, "told", &told.next),
            },
            StepKind::Assistant(assistant) => Does::Assistant {
                time: Drawn::from(&assistant.time),
                contained_share: assistant.contained_share,
                contained: self.flow(step, "contained", "settled by the assistant"),
                next: self.way(step, "not contained", &assistant.next),
            },
            StepKind::Queue(_) | StepKind::HuntGroup(_) => Does::Line(self.line_number(&step.id)),
            StepKind::Callback(_) => Does::Callback(self.callback_number(&step.id)),
            StepKind::Voicemail(voicemail) => Does::Voicemail {
                taken: self.flow(step, "message left", "end"),
                work: voicemail
                    .work
                    .as_ref()
                    .map(|work| (self.line_number(&work.line), Drawn::from(&work.time))),
            },
            StepKind::Outside(_) => {
                Does::Outside { taken: self.flow(step, "handed over", "outside number") }
            }
        }
    }

    fn rule(&self, condition: &Condition) -> RuleModel {
        let profiles = |is_true: &dyn Fn(&Profile) -> bool| {
            let of_type = |customers: &Customers| {
                let mut row: Vec<bool> = customers.profiles.iter().map(is_true).collect();
                row.push(false);
                row
            };
            let types = self.demand.types.iter();
            RuleModel::Profiles(types.map(|each| of_type(&each.customers)).collect())
        };
        match condition {
            Condition::CallerNumber(pattern) => {
                profiles(&|profile| matches(pattern.as_bytes(), profile.number.as_bytes()))
            }
            Condition::Attribute { name, value } => {
                profiles(&|profile| profile.attributes.get(name) == Some(value))
            }
            Condition::Language(language) => profiles(&|profile| profile.language == *language),
            Condition::Time(hours) => RuleModel::Time(self.time().of_week(hours)),
            Condition::Share(share) => RuleModel::Share(*share),
        }
    }

    fn line(
        &mut self,
        step: usize,
        members: Vec<MemberModel>,
        classes: Vec<ClassMember>,
        teams: &[TeamModel],
    ) -> LineModel {
        let strategy = self.strategy;
        let step_of_line = &strategy.steps[step];
        let plain = Queue::default();
        let (queue, group) = match &step_of_line.does {
            StepKind::Queue(queue) => (queue, None),
            StepKind::HuntGroup(group) => (&plain, Some(group)),
            _ => (&plain, None),
        };
        let ofs = |of_group: fn(&HuntGroup) -> Option<u32>, of_queue: Option<u32>| {
            group.map_or(of_queue, of_group).unwrap_or(u32::MAX)
        };
        let offering: &Offering = group.map_or(&queue.offering, |group| &group.offering);
        let exits = group.map_or(&queue.exits, |group| &group.exits);
        let limit = group.map_or(queue.longest_wait_secs, |group| group.group_limit_secs);
        let everyone_rings = group.is_some_and(|group| group.rings == WhoRings::Everyone);
        let single = teams.iter().all(|team| team.at_once.iter().all(|&at_once| at_once <= 1));
        let first = queue.announcements.first();
        let must_hear = first.is_some_and(|told| told.at_secs == 0.0 && told.must_be_heard);
        LineModel {
            may_hold_newcomers: must_hear || queue.last_agent_secs.is_some(),
            widenings: widenings(&members),
            chooses_by_class: offering.order == OfferOrder::LongestIdle
                && single
                && !offering.second_call
                && !everyone_rings,
            members,
            classes,
            places: ofs(|group| group.places, queue.places),
            limit_secs: limit.unwrap_or(f64::INFINITY),
            priority: f64::from(group.map_or(queue.priority, |group| group.priority)),
            ageing_secs: queue.ageing_secs.unwrap_or(f64::INFINITY),
            order: offering.order,
            ring_window_secs: offering.ring_window_secs.unwrap_or(f64::INFINITY),
            gap_secs: offering.gap_secs,
            parallel: offering.parallel,
            second_call: offering.second_call,
            everyone_rings,
            most_devices: offering.most_devices.map_or(usize::MAX, |most| most as usize),
            most_offers: offering.most_offers.unwrap_or(u32::MAX),
            wrap_up_secs: offering.wrap_up_secs,
            last_agent_secs: queue.last_agent_secs.unwrap_or(0.0),
            announcements: queue
                .announcements
                .iter()
                .map(|told| AnnouncementModel {
                    at_secs: told.at_secs,
                    secs: told.secs,
                    must_be_heard: told.must_be_heard,
                    patience_factor: told.patience_factor,
                    tells_expected_wait: told.tells_expected_wait,
                    leaving_share: told.leaving_share,
                })
                .collect(),
            callback: queue.callback.as_ref().map(|offer| CallbackOfferModel {
                after_secs: offer.after_secs,
                if_expected_wait_secs: offer.if_expected_wait_secs,
                accepted_share: offer.accepted_share,
                callback: self.callback_number(&offer.step),
            }),
            exits: self.exits(step_of_line, exits),
        }
    }

    fn exits(&mut self, step: &Step, exits: &Exits) -> LineExits {
        let staff = |builder: &mut Self, why, next: &Option<Next>| {
            next.as_ref().map(|next| builder.way(step, why, next))
        };
        LineExits {
            full: self.way(step, "full", &exits.full),
            too_long: self.way(step, "longest wait over", &exits.too_long),
            no_staff_at_arrival: staff(self, "nobody at work", &exits.no_staff_at_arrival),
            no_staff_while_waiting: staff(
                self,
                "nobody at work any more",
                &exits.no_staff_while_waiting,
            ),
            no_answer: self.way(step, "nobody answered", &exits.no_answer),
            answered: self.flow(step, "answered", "agents"),
            abandoned: self.flow(step, "patience ended", "abandoned"),
            callback: self.flow(step, "callback accepted", "waits for a callback"),
            left_waiting: self.flow(step, "still waiting at the end", "nowhere"),
        }
    }

    fn callbacks(&mut self) -> Vec<CallbackModel> {
        let strategy = self.strategy;
        let mut models = Vec::new();
        for step in &strategy.steps {
            let StepKind::Callback(callback) = &step.does else { continue };
            let line = self.line_number(&callback.line);
            models.push(CallbackModel {
                line,
                after_secs: match callback.promise {
                    Promise::PlaceKept => None,
                    Promise::AfterSecs(secs) => Some(secs),
                },
                accepted_share: callback.accepted_share,
                accepted: self.flow(step, "accepted", "waits for a callback"),
                otherwise: self.way(step, "not accepted", &callback.otherwise),
                reached_share: callback.reached_share,
                unanswered_secs: callback.unanswered_secs,
                attempts: callback.attempts,
                retry_after_secs: callback.retry_after_secs,
            });
        }
        models
    }

    fn way(&mut self, step: &Step, why: &str, next: &Next) -> Way {
        let to = match next {
            Next::Step(id) => self.strategy.step(id).map_or("", |step| &step.name),
            Next::Release => "released",
            Next::BusyTone => "busy tone",
            Next::KeepRinging => "keeps ringing",
        };
        Way { flow: self.flow(step, why, to), go: self.go(next) }
    }

    fn flow(&mut self, step: &Step, why: &str, to: &str) -> u32 {
        let (from, why, to) = (step.name.clone(), why.to_owned(), to.to_owned());
        self.flows.push(FlowName { from, why, to });
        (self.flows.len() - 1) as u32
    }

    fn go(&self, next: &Next) -> Go {
        match next {
            Next::Step(id) => {
                let steps = &self.strategy.steps;
                // A strategy without faults has the step.
                Go::Step(steps.iter().position(|step| step.id == *id).unwrap_or(0) as u16)
            }
            Next::Release => Go::Release,
            Next::BusyTone => Go::BusyTone,
            Next::KeepRinging => Go::KeepRinging,
        }
    }

    fn line_number(&self, id: &str) -> u16 {
        let step = self.strategy.steps.iter().position(|step| step.id == *id);
        self.lines.iter().position(|&line| Some(line) == step).unwrap_or(0) as u16
    }

    fn callback_number(&self, id: &str) -> u16 {
        let steps = self.strategy.steps.iter();
        let mut callbacks = steps.filter(|step| matches!(step.does, StepKind::Callback(_)));
        callbacks.position(|step| step.id == *id).unwrap_or(0) as u16
    }

    fn time(&self) -> TrialTime<'_> {
        TrialTime {
            start: self.demand.start,
            secs: self.demand.len() as f64 * self.demand.interval_secs,
            zone: &self.demand.zone,
        }
    }

    fn names(self, roll: &Roll<'_>) -> Names {
        let strategy = self.strategy;
        let mut nameless = vec![0; strategy.teams.len()];
        let agents = roll.agents.iter().zip(&roll.known).map(|(agent, (team, own))| {
            let count = &mut nameless[usize::from(agent.team)];
            *count += 1;
            let name = own.map_or_else(|| format!("{} {count}", team.name), |own| own.name.clone());
            (agent.team, name)
        });
        Names {
            types: self.demand.types.iter().map(|each| each.name.clone()).collect(),
            service_points: self
                .lines
                .iter()
                .map(|&step| strategy.steps[step].name.clone())
                .collect(),
            teams: strategy.teams.iter().map(|team| team.name.clone()).collect(),
            agents: agents.collect(),
            labels: strategy.labels().into_iter().map(str::to_owned).collect(),
            flows: self.flows,
        }
    }
}

/// The date of each interval in the centre's zone, counted from the first interval's.
fn dates_of(demand: &Demand) -> Vec<u32> {
    let date = |interval: usize| {
        let secs = interval as f64 * demand.interval_secs;
        let later = jiff::SignedDuration::from_secs_f64(secs);
        let start = demand.start.checked_add(later).unwrap_or(jiff::Timestamp::MAX);
        start.to_zoned(demand.zone.clone()).date()
    };
    let dates = (0..demand.len()).map(date);
    let mut before = None;
    let mut count = 0;
    dates
        .map(|date| {
            if before.replace(date).is_some_and(|before| before != date) {
                count += 1;
            }
            count
        })
        .collect()
}

fn drawn(duration: &barometer_strategy::Duration) -> Option<Drawn> {
    (!duration.is_nothing()).then(|| Drawn::from(duration))
}

fn team_model(
    (team, (first, end, staffed_secs)): (&barometer_strategy::Team, (u32, u32, Vec<f64>)),
) -> TeamModel {
    let channels = [Channel::Call, Channel::Chat, Channel::Task];
    let answers = channels.map(|channel| team.answers(channel));
    let at_once = [0, 1, 2].map(|at| answers[at].as_ref().map_or(0, |skill| skill.at_once));
    TeamModel {
        at_once,
        slots: f64::from(at_once.into_iter().max().unwrap_or(1)),
        share_of_one: at_once.map(|at_once| 1.0 / f64::from(at_once.max(1))),
        slowing: [0, 1, 2].map(|at| answers[at].as_ref().map_or(0.0, |skill| skill.slowing)),
        answers_at_once: team.answer_delay.is_nothing() && team.refused_share == 0.0,
        answer_delay: Drawn::from(&team.answer_delay),
        refused_share: team.refused_share,
        pace: team.pace,
        on_leaving: team.on_leaving,
        staffed_secs,
        agents: (first, end),
    }
}

/// Whether a number matches a pattern in which `*` stands for any characters and `?` for one.
fn matches(pattern: &[u8], number: &[u8]) -> bool {
    match (pattern.split_first(), number.split_first()) {
        (None, None) => true,
        (Some((b'*', rest)), _) => {
            (0..=number.len()).any(|skipped| matches(rest, &number[skipped..]))
        }
        (Some((b'?', rest)), Some((_, left))) => matches(rest, left),
        (Some((wanted, rest)), Some((got, left))) if wanted == got => matches(rest, left),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::matches;

    #[test]
    fn a_pattern_matches_numbers_as_people_write_them() {
        let cases = [
            ("+44*", "+441234", true),
            ("+44*", "+4", false),
            ("*99", "0199", true),
            ("01?3", "0123", true),
            ("01?3", "013", false),
            ("*", "", true),
        ];
        for (pattern, number, wanted) in cases {
            assert_eq!(
                matches(pattern.as_bytes(), number.as_bytes()),
                wanted,
                "{pattern} {number}"
            );
        }
    }
}
