//! Compiles a strategy that has no faults.

use barometer_strategy::{
    Channel, Condition, Entry, HuntGroup, Next, OfferOrder, Offering, Promise, Queue, ServedBy,
    Step as StrategyStep, StepKind, Strategy, WhoRings,
};
use jiff::Timestamp;
use jiff::tz::TimeZone;

use super::hours::{of_gate, of_week};
use super::members::{Roll, widenings};
use super::{
    Callback, CallbackOffer, Campaign, ClassMember, CompiledStrategy, ContactType, Destination,
    Exits, FlowName, Member, QueueAnnouncement, Rule, Serves, ServicePoint, Step, Team, Transition,
};
use crate::ids::{
    CallbackId, CampaignId, ContactTypeId, FlowId, Id, ServicePointId, StepId, Table,
};

/// What a strategy is compiled for.
#[derive(Debug)]
pub struct Setting<'a> {
    /// Second 0 of all times.
    pub start: Timestamp,
    /// Seconds for which opening hours are laid out; a few days more are added.
    pub secs: f64,
    /// The zone of the centre's hours.
    pub zone: &'a TimeZone,
    /// The contact types that come in, by name, with their channels.
    pub contact_types: &'a [(&'a str, Channel)],
    /// People of each team, at most, in the order of the teams; named agents are there anyway.
    pub people: &'a [usize],
}

/// Why a strategy cannot be run.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum CompileError {
    /// It has faults.
    #[error("the strategy cannot be run: {0}")]
    Faulty(String),
    /// A contact type comes in nowhere.
    #[error("no entry of the strategy takes contacts of the type “{0}”")]
    NoEntry(String),
    /// More of something than has numbers.
    #[error("the strategy has {got} {what}; {most} are the most")]
    TooMany {
        /// Of what.
        what: &'static str,
        /// How many.
        got: usize,
        /// The most.
        most: usize,
    },
}

/// Of a queue for a campaign's calls: below any that a planner would give.
const CAMPAIGN_PRIORITY: i32 = -1_000_000;
/// Steps, teams, contact types that have numbers.
const MOST_PARTS: usize = 60_000;

impl CompiledStrategy {
    /// Compiles a strategy for a setting.
    ///
    /// # Errors
    ///
    /// [`CompileError`] when the strategy has faults or does not take a contact type.
    pub fn compile(strategy: &Strategy, setting: &Setting<'_>) -> Result<Self, CompileError> {
        if let Some(fault) = strategy.faults().into_iter().next() {
            return Err(CompileError::Faulty(format!("{}: {}", fault.field, fault.message)));
        }
        let parts = [
            ("steps", strategy.steps.len()),
            ("teams", strategy.teams.len()),
            ("contact types", setting.contact_types.len()),
        ];
        for (what, got) in parts {
            if got > MOST_PARTS {
                return Err(CompileError::TooMany { what, got, most: MOST_PARTS });
            }
        }
        let points: Vec<&StrategyStep> =
            strategy.steps.iter().filter(|step| step.does.is_line()).collect();
        let mut roll = Roll::call(strategy, setting.people);
        let mut members: Vec<Vec<Member>> = points
            .iter()
            .map(|step| match &step.does {
                StepKind::HuntGroup(group) => roll.of_group(group),
                StepKind::Queue(queue) => roll.of_queue(&step.id, queue),
                _ => Vec::new(),
            })
            .collect();
        members.extend(strategy.campaigns.iter().filter_map(
            |campaign| match &campaign.served_by {
                ServedBy::Team(team) => Some(roll.of_team(team)),
                ServedBy::Line(_) | ServedBy::Message(_) => None,
            },
        ));
        let (classes, of_points) = roll.classes(&members);
        let teams: Table<_, Team> = strategy
            .teams
            .iter()
            .zip(&roll.teams)
            .map(|(team, &agents)| team_of(team, agents))
            .collect();
        let mut builder = Builder {
            strategy,
            setting,
            points: points.iter().map(|step| step.id.as_str()).collect(),
            flows: Table::default(),
            caller_conditions: Vec::new(),
        };
        let steps: Table<StepId, Step> =
            strategy.steps.iter().map(|step| builder.step(step)).collect();
        let holds_one = |member: &Member| teams[roll.agents[member.agent].team].slots() <= 1;
        let mut members = members.into_iter().zip(of_points);
        let mut service_points: Table<ServicePointId, ServicePoint> = points
            .iter()
            .zip(members.by_ref())
            .map(|(step, (members, of_point))| {
                let single = members.iter().all(holds_one);
                builder.service_point(step, members, of_point, single)
            })
            .collect();
        let own =
            strategy.campaigns.iter().filter(|each| matches!(each.served_by, ServedBy::Team(_)));
        for (campaign, (members, of_point)) in own.zip(members) {
            let single = members.iter().all(holds_one);
            service_points.push(builder.campaign_point(campaign, members, of_point, single));
        }
        let callbacks = builder.callbacks();
        // Behind the ways of steps, whose places are those of every trial that is kept.
        let mut contact_types = builder.contact_types()?;
        let campaigns = builder.campaigns(points.len(), &mut contact_types);
        let most_at_once = teams.iter().map(Team::slots).max().unwrap_or(1).max(1) as usize;
        let most_members = service_points.iter().map(|point| point.members.len()).max();
        Ok(Self {
            contact_types,
            steps,
            service_points,
            callbacks,
            campaigns,
            teams,
            agents: roll.agents,
            classes,
            flows: builder.flows,
            labels: strategy.labels().into_iter().map(str::to_owned).collect(),
            caller_conditions: builder.caller_conditions,
            most_at_once,
            most_members: most_members.unwrap_or(0),
        })
    }
}

struct Builder<'a> {
    strategy: &'a Strategy,
    setting: &'a Setting<'a>,
    /// The step of each service point.
    points: Vec<&'a str>,
    flows: Table<FlowId, FlowName>,
    caller_conditions: Vec<Condition>,
}

impl Builder<'_> {
    fn contact_types(&mut self) -> Result<Table<ContactTypeId, ContactType>, CompileError> {
        let strategy = self.strategy;
        let types = self.setting.contact_types.iter();
        types
            .map(|&(name, channel)| {
                let entry = strategy.entry_of(name);
                let entry = entry.ok_or_else(|| CompileError::NoEntry(name.to_owned()))?;
                Ok(ContactType {
                    channel,
                    first: self.destination(&entry.first),
                    told_first: entry.announcement.as_deref().map(|id| {
                        let to = strategy.step(id).map_or("", |step| &step.name);
                        (self.step_id(id), self.entry_flow(entry, "hears first", to))
                    }),
                    label: entry.label.as_deref().map_or(0, |label| self.bit_of(label)),
                    language: entry.language.clone(),
                    blocked: (!entry.blocked.is_empty()).then(|| {
                        (entry.blocked.clone(), self.entry_flow(entry, "blocked", "busy tone"))
                    }),
                })
            })
            .collect()
    }

    /// Campaigns, each with a contact type; the service points of those that a team serves come after
    /// `points` others, in order.
    fn campaigns(
        &self,
        points: usize,
        contact_types: &mut Table<ContactTypeId, ContactType>,
    ) -> Table<CampaignId, Campaign> {
        let mut own = points;
        let campaigns = self.strategy.campaigns.iter().map(|campaign| {
            let (serves, first) = match &campaign.served_by {
                ServedBy::Team(_) => {
                    own += 1;
                    (Serves::Agents(ServicePointId::at(own - 1)), Destination::Release)
                }
                ServedBy::Line(id) => {
                    let point = self.service_point_id(id);
                    (Serves::Agents(point), Destination::Step(self.step_id(id)))
                }
                ServedBy::Message(id) => {
                    let first = Destination::Step(self.step_id(id));
                    (Serves::Message(first), first)
                }
            };
            let contact_type = contact_types.push(ContactType::going(Channel::Call, first));
            Campaign { contact_type, serves }
        });
        campaigns.collect()
    }

    /// Where the calls of a campaign that a team serves wait for their agents: a queue without limits, from
    /// which agents take nothing before inbound contacts.
    fn campaign_point(
        &mut self,
        campaign: &barometer_strategy::Campaign,
        members: Vec<Member>,
        classes: Vec<ClassMember>,
        all_hold_one: bool,
    ) -> ServicePoint {
        let queue = Queue { priority: CAMPAIGN_PRIORITY, ..Queue::default() };
        let step = StrategyStep {
            id: campaign.id.clone(),
            name: campaign.name.clone(),
            does: StepKind::Queue(queue),
        };
        self.service_point(&step, members, classes, all_hold_one)
    }

    fn step(&mut self, step: &StrategyStep) -> Step {
        match &step.does {
            StepKind::HoursGate(gate) => Step::HoursGate {
                open: of_gate(self.setting, gate),
                when_open: self.transition(step, "open", &gate.open),
                when_closed: self.transition(step, "closed", &gate.closed),
            },
            StepKind::Menu(menu) => {
                let choices = menu.choices.iter().enumerate();
                let choices = choices.map(|(at, choice)| {
                    self.transition(step, &format!("choices[{at}].next"), &choice.next)
                });
                Step::Menu {
                    choices: choices.collect(),
                    retries: menu.retries,
                    no_choice: self.transition(step, "no_choice", &menu.no_choice),
                }
            }
            StepKind::Labelling(labelling) => {
                let rules = labelling.rules.iter();
                let rules = rules.map(|rule| (self.bit_of(&rule.label), self.rule(&rule.when)));
                Step::Labelling {
                    rules: rules.collect(),
                    next: self.transition(step, "next", &labelling.next),
                }
            }
            StepKind::Routing(routing) => {
                let routes = routing.routes.iter().enumerate().map(|(at, route)| {
                    let field = format!("routes[{at}].next");
                    (self.bit_of(&route.label), self.transition(step, &field, &route.next))
                });
                Step::Routing {
                    routes: routes.collect(),
                    otherwise: self.transition(step, "otherwise", &routing.otherwise),
                }
            }
            StepKind::Announcement(told) => {
                Step::Announcement { next: self.transition(step, "next", &told.next) }
            }
            StepKind::Assistant(assistant) => Step::Assistant {
                contained: self.flow(step, "contained", "settled by the assistant"),
                next: self.transition(step, "next", &assistant.next),
            },
            StepKind::Queue(_) | StepKind::HuntGroup(_) => {
                Step::ServicePoint(self.service_point_id(&step.id))
            }
            StepKind::Callback(_) => Step::Callback(self.callback_id(&step.id)),
            StepKind::Voicemail(voicemail) => Step::Voicemail {
                taken: self.flow(step, "message left", "end"),
                work: voicemail.work.as_ref().map(|work| self.service_point_id(&work.line)),
            },
            StepKind::Outside(_) => {
                Step::Outside { taken: self.flow(step, "handed over", "outside number") }
            }
        }
    }

    fn bit_of(&self, label: &str) -> u64 {
        // A strategy without faults puts on every label that it asks for.
        1 << self.strategy.labels().iter().position(|each| *each == label).unwrap_or(0)
    }

    fn rule(&mut self, condition: &Condition) -> Rule {
        match condition {
            Condition::CallerNumber(_) | Condition::Attribute { .. } | Condition::Language(_) => {
                self.caller_conditions.push(condition.clone());
                Rule::Caller(self.caller_conditions.len() - 1)
            }
            Condition::Time(hours) => Rule::Time(of_week(self.setting, hours)),
            Condition::Share(share) => Rule::Share(*share),
        }
    }

    fn service_point(
        &mut self,
        step: &StrategyStep,
        members: Vec<Member>,
        classes: Vec<ClassMember>,
        all_hold_one: bool,
    ) -> ServicePoint {
        let plain = Queue::default();
        let (queue, group): (&Queue, Option<&HuntGroup>) = match &step.does {
            StepKind::Queue(queue) => (queue, None),
            StepKind::HuntGroup(group) => (&plain, Some(group)),
            _ => (&plain, None),
        };
        let offering: &Offering = group.map_or(&queue.offering, |group| &group.offering);
        let exits = group.map_or(&queue.exits, |group| &group.exits);
        let limit = group.map_or(queue.longest_wait_secs, |group| group.group_limit_secs);
        let everyone_rings = group.is_some_and(|group| group.rings == WhoRings::Everyone);
        let first = queue.announcements.first();
        let must_hear = first.is_some_and(|told| told.at_secs == 0.0 && told.must_be_heard);
        ServicePoint {
            step: self.step_id(&step.id),
            may_hold_newcomers: must_hear || queue.last_agent_secs.is_some(),
            widenings: widenings(&members),
            chooses_by_class: offering.order == OfferOrder::LongestIdle
                && all_hold_one
                && !offering.second_call
                && !everyone_rings,
            members,
            classes,
            places: group.map_or(queue.places, |group| group.places).unwrap_or(u32::MAX),
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
                .map(|told| QueueAnnouncement {
                    at_secs: told.at_secs,
                    secs: told.secs,
                    must_be_heard: told.must_be_heard,
                })
                .collect(),
            callback: queue.callback.as_ref().map(|offer| CallbackOffer {
                after_secs: offer.after_secs,
                if_expected_wait_secs: offer.if_expected_wait_secs,
                callback: self.callback_id(&offer.step),
            }),
            exits: self.exits(step, exits),
        }
    }

    fn exits(&mut self, step: &StrategyStep, exits: &barometer_strategy::Exits) -> Exits {
        let at_arrival = exits.no_staff_at_arrival.as_ref();
        let while_waiting = exits.no_staff_while_waiting.as_ref();
        Exits {
            full: self.transition(step, "exits.full", &exits.full),
            too_long: self.transition(step, "exits.too_long", &exits.too_long),
            no_staff_at_arrival: at_arrival
                .map(|next| self.transition(step, "exits.no_staff_at_arrival", next)),
            no_staff_while_waiting: while_waiting
                .map(|next| self.transition(step, "exits.no_staff_while_waiting", next)),
            no_answer: self.transition(step, "exits.no_answer", &exits.no_answer),
            answered: self.flow(step, "answered", "agents"),
            abandoned: self.flow(step, "patience ended", "abandoned"),
            callback: self.flow(step, "callback accepted", "waits for a callback"),
            left_waiting: self.flow(step, "still waiting at the end", "nowhere"),
        }
    }

    fn callbacks(&mut self) -> Table<CallbackId, Callback> {
        let strategy = self.strategy;
        let callbacks = strategy.steps.iter().filter_map(|step| match &step.does {
            StepKind::Callback(callback) => Some((step, callback)),
            _ => None,
        });
        callbacks
            .map(|(step, callback)| Callback {
                service_point: self.service_point_id(&callback.line),
                after_secs: match callback.promise {
                    Promise::PlaceKept => None,
                    Promise::AfterSecs(secs) => Some(secs),
                },
                accepted: self.flow(step, "accepted", "waits for a callback"),
                otherwise: self.transition(step, "otherwise", &callback.otherwise),
                attempts: callback.attempts,
                retry_after_secs: callback.retry_after_secs,
            })
            .collect()
    }

    /// The way of a field of a step's JSON.
    fn transition(&mut self, step: &StrategyStep, field: &str, next: &Next) -> Transition {
        let to = match next {
            Next::Step(id) => self.strategy.step(id).map_or("", |step| &step.name),
            Next::Release => "released",
            Next::BusyTone => "busy tone",
            Next::KeepRinging => "keeps ringing",
        };
        let why = step.does.cause_of(field);
        Transition { flow: self.flow(step, &why, to), to: self.destination(next) }
    }

    /// A way from an entry, which all contact types that it receives share.
    fn entry_flow(&mut self, entry: &Entry, why: &str, to: &str) -> FlowId {
        let is_it = |flow: &FlowName| flow.from == entry.name && flow.why == why;
        let known = self.flows.numbered().find(|(_, flow)| is_it(flow)).map(|(id, _)| id);
        match known {
            Some(flow) => flow,
            None => {
                let (from, why, to) = (entry.name.clone(), why.to_owned(), to.to_owned());
                self.flows.push(FlowName { from, why, to })
            }
        }
    }

    fn flow(&mut self, step: &StrategyStep, why: &str, to: &str) -> FlowId {
        let (from, why, to) = (step.name.clone(), why.to_owned(), to.to_owned());
        self.flows.push(FlowName { from, why, to })
    }

    fn destination(&self, next: &Next) -> Destination {
        match next {
            Next::Step(id) => Destination::Step(self.step_id(id)),
            Next::Release => Destination::Release,
            Next::BusyTone => Destination::BusyTone,
            Next::KeepRinging => Destination::KeepRinging,
        }
    }

    // A strategy without faults has every step that it refers to.

    fn step_id(&self, id: &str) -> StepId {
        StepId::at(self.strategy.steps.iter().position(|step| step.id == id).unwrap_or(0))
    }

    fn service_point_id(&self, id: &str) -> ServicePointId {
        ServicePointId::at(self.points.iter().position(|&point| point == id).unwrap_or(0))
    }

    fn callback_id(&self, id: &str) -> CallbackId {
        let steps = self.strategy.steps.iter();
        let mut callbacks = steps.filter(|step| matches!(step.does, StepKind::Callback(_)));
        CallbackId::at(callbacks.position(|step| step.id == id).unwrap_or(0))
    }
}

fn team_of(team: &barometer_strategy::Team, agents: (usize, usize)) -> Team {
    let at_once = [Channel::Call, Channel::Chat, Channel::Task]
        .map(|channel| team.answers(channel).map_or(0, |skill| skill.at_once));
    Team { at_once, on_leaving: team.on_leaving, agents }
}
