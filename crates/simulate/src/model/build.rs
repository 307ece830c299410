//! Builds the model of an experiment that was checked.

use barometer_routing::{CompileError, CompiledStrategy, Setting};
use barometer_strategy::{Channel, HuntGroup, Queue, Step, StepKind, Strategy, Team, TryAgain};

use super::roster::{Roster, most_people};
use super::{
    AnnouncementModel, CallbackModel, Ids, Model, Names, RedialModel, ServicePointModel, StepLuck,
    StepModel, TeamModel, TypeModel,
};
use crate::draws::key_of_name;
use crate::experiment::{Counting, Cover, Demand, ExperimentError, TypeDemand};
use crate::outbound::{CampaignModel, campaigns_of_agent, type_of};
use crate::samplers::Sampler;

impl Model {
    pub fn build(
        strategy: &Strategy,
        demand: &Demand,
        cover: &Cover,
    ) -> Result<Self, ExperimentError> {
        let contact_types: Vec<(&str, Channel)> =
            demand.types.iter().map(|each| (each.name.as_str(), each.customers.channel)).collect();
        let setting = Setting {
            start: demand.start,
            secs: demand.len() as f64 * demand.interval_secs,
            zone: &demand.zone,
            contact_types: &contact_types,
            people: &most_people(strategy, cover),
        };
        let compiled =
            CompiledStrategy::compile(strategy, &setting).map_err(|error| match error {
                CompileError::NoEntry(name) => ExperimentError::NoEntry(name),
                other => ExperimentError::Strategy(other.to_string()),
            })?;
        let roster = Roster::of(strategy, &compiled, demand, cover)?;
        let teams = strategy.teams.iter().zip(roster.staffed_secs);
        let called: Vec<TypeDemand> =
            strategy.campaigns.iter().map(|campaign| type_of(campaign, demand)).collect();
        let service_points = strategy.steps.iter().filter_map(service_point_model);
        let own_points = compiled
            .service_points
            .ids()
            .skip(compiled.points_of_steps())
            .map(|_| ServicePointModel::plain());
        Ok(Self {
            names: names(strategy, demand, &compiled),
            ids: ids(strategy),
            interval_secs: demand.interval_secs,
            intervals: demand.len(),
            dates: dates_of(demand),
            contact_types: demand.types.iter().chain(&called).map(type_model).collect(),
            steps: strategy.steps.iter().map(|step| step_model(step, demand, &called)).collect(),
            service_points: service_points.chain(own_points).collect(),
            callbacks: strategy.steps.iter().filter_map(callback_model).collect(),
            teams: teams.map(|(team, staffed_secs)| team_model(team, staffed_secs)).collect(),
            shifts: roster.shifts,
            counting: Counting::default(),
            inbound_types: demand.types.len(),
            campaigns: CampaignModel::of(strategy, &compiled, demand),
            campaigns_of_agent: campaigns_of_agent(&compiled),
            strategy: compiled,
            begins: None,
        })
    }
}

fn type_model(demand: &TypeDemand) -> TypeModel {
    let customers = &demand.customers;
    let redial = |again: &TryAgain| RedialModel {
        share: again.share,
        after: Sampler::from(&again.after),
        most_attempts: again.most_attempts.unwrap_or(u32::MAX),
    };
    let mut sum = 0.0;
    let profile_shares = customers.profiles.iter().map(|profile| {
        sum += profile.share;
        sum
    });
    TypeModel {
        within_secs: demand.within_secs,
        intervals: demand.intervals.clone(),
        arrivals: demand.arrivals,
        luck: demand.luck.clone(),
        handling: Sampler::from(&customers.handling.with_mean(1.0)),
        wrap_up: (!customers.wrap_up.is_nothing()).then(|| Sampler::from(&customers.wrap_up)),
        patience: customers.patience.as_ref().map(Sampler::from),
        after_abandoning: customers.after_abandoning.as_ref().map(redial),
        after_blocked: customers.after_blocked.as_ref().map(redial),
        repeat: customers.repeat.as_ref().map(|repeat| RedialModel {
            share: repeat.share,
            after: Sampler::from(&repeat.after),
            most_attempts: 1,
        }),
        profile_shares: profile_shares.collect(),
        profiles: customers.profiles.clone(),
    }
}

fn step_model(step: &Step, demand: &Demand, called: &[TypeDemand]) -> StepModel {
    let luck = match &step.does {
        StepKind::Menu(menu) => {
            let shares_of = |name: &str| -> Vec<f64> {
                let mut sum = 0.0;
                let shares = menu.choices.iter().map(|choice| {
                    sum += choice.share_of(name);
                    sum
                });
                shares.collect()
            };
            let types = demand.types.iter().chain(called);
            let shares = types.map(|each| shares_of(&each.name));
            StepLuck::Menu { shares: shares.collect(), time: Sampler::from(&menu.time) }
        }
        StepKind::Announcement(told) => StepLuck::Announcement { time: Sampler::from(&told.time) },
        StepKind::Assistant(assistant) => StepLuck::Assistant {
            time: Sampler::from(&assistant.time),
            contained_share: assistant.contained_share,
        },
        StepKind::Callback(callback) => {
            StepLuck::Callback { accepted_share: callback.accepted_share }
        }
        StepKind::Voicemail(voicemail) => match &voicemail.work {
            Some(work) => StepLuck::Voicemail { time: Sampler::from(&work.time) },
            None => StepLuck::None,
        },
        _ => StepLuck::None,
    };
    StepModel { key: key_of_name(&step.id), luck }
}

fn service_point_model(step: &Step) -> Option<ServicePointModel> {
    let queue = match &step.does {
        StepKind::Queue(queue) => queue,
        StepKind::HuntGroup(HuntGroup { .. }) => &Queue::default(),
        _ => return None,
    };
    let announcements = queue.announcements.iter().map(|told| AnnouncementModel {
        patience_factor: told.patience_factor,
        tells_expected_wait: told.tells_expected_wait,
        leaving_share: told.leaving_share,
    });
    Some(ServicePointModel {
        announcements: announcements.collect(),
        callback_accepted_share: queue.callback.as_ref().map_or(0.0, |offer| offer.accepted_share),
        key: key_of_name(&step.id),
    })
}

fn callback_model(step: &Step) -> Option<CallbackModel> {
    let StepKind::Callback(callback) = &step.does else { return None };
    let (reached_share, unanswered_secs) = (callback.reached_share, callback.unanswered_secs);
    Some(CallbackModel { reached_share, unanswered_secs })
}

fn team_model(team: &Team, staffed_secs: Vec<f64>) -> TeamModel {
    let answers =
        [Channel::Call, Channel::Chat, Channel::Task].map(|channel| team.answers(channel));
    let at_once = [0, 1, 2].map(|at| answers[at].as_ref().map_or(0, |skill| skill.at_once));
    TeamModel {
        slots: f64::from(at_once.into_iter().max().unwrap_or(1)),
        share_of_one: at_once.map(|at_once| 1.0 / f64::from(at_once.max(1))),
        slowing: [0, 1, 2].map(|at| answers[at].as_ref().map_or(0.0, |skill| skill.slowing)),
        answers_at_once: team.answer_delay.is_nothing() && team.refused_share == 0.0,
        answer_delay: Sampler::from(&team.answer_delay),
        refused_share: team.refused_share,
        pace: team.pace,
        staffed_secs,
    }
}

fn names(strategy: &Strategy, demand: &Demand, compiled: &CompiledStrategy) -> Names {
    use barometer_routing::Id;
    let of_steps = compiled.points_of_steps();
    let points = compiled.service_points.iter().take(of_steps);
    Names {
        types: demand.types.iter().map(|each| each.name.clone()).collect(),
        campaigns: strategy.campaigns.iter().map(|campaign| campaign.name.clone()).collect(),
        service_points: points
            .map(|point| strategy.steps[point.step.place()].name.clone())
            .collect(),
        teams: strategy.teams.iter().map(|team| team.name.clone()).collect(),
        agents: compiled
            .agents
            .iter()
            .map(|agent| (agent.team.place() as u16, agent.name.clone()))
            .collect(),
        labels: compiled.labels.clone(),
        flows: compiled.flows.iter().cloned().collect(),
    }
}

fn ids(strategy: &Strategy) -> Ids {
    let is_point = |step: &&Step| service_point_model(step).is_some();
    Ids {
        steps: strategy.steps.iter().map(|step| step.id.clone()).collect(),
        points: strategy.steps.iter().filter(is_point).map(|step| step.id.clone()).collect(),
        teams: strategy.teams.iter().map(|team| team.id.clone()).collect(),
        campaigns: strategy.campaigns.iter().map(|campaign| campaign.id.clone()).collect(),
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
    let mut before = None;
    let mut count = 0;
    (0..demand.len())
        .map(date)
        .map(|date| {
            if before.replace(date).is_some_and(|before| before != date) {
                count += 1;
            }
            count
        })
        .collect()
}
