//! What the switch says of itself.

use barometer_simulate::{
    CampaignNow, DayCounts, PointCounts, Present, PresentAt, PresentWork, TeamCounts,
};
use barometer_strategy::{StepKind, Strategy};
use barometer_wire::{CampaignState, DayPlan, QueueKind, QueueState, TeamState, TypeState};

use crate::settled::PlannedDay;
use crate::truth::{STEP_SECS, steps_of};

/// What is read to tell the state.
pub(crate) struct Reading<'a> {
    pub strategy: &'a Strategy,
    pub plan: &'a DayPlan,
    /// The place of today's first step in the counts.
    pub first_step: usize,
    pub present: &'a Present,
    pub counts: &'a DayCounts,
}

impl Reading<'_> {
    fn today_secs(&self) -> f64 {
        self.present.at_secs - self.first_step as f64 * STEP_SECS
    }

    /// Intervals of today until now, the present one counted.
    fn until_now(&self) -> usize {
        ((self.today_secs() / self.plan.interval_secs) as usize + 1).min(self.plan.len())
    }

    fn by_interval<'r, T: 'r + std::iter::Sum<&'r T>>(&self, rows: Option<&'r Vec<T>>) -> Vec<T> {
        let steps = steps_of(self.plan.interval_secs);
        let rows = rows.map(Vec::as_slice).unwrap_or_default();
        let today = rows.get(self.first_step..).unwrap_or_default();
        today.chunks(steps).take(self.until_now()).map(|steps| steps.iter().sum()).collect()
    }

    pub fn types(&self) -> Vec<TypeState> {
        let day = PlannedDay { plan: self.plan, first_step: self.first_step };
        let of_type = |caller: &barometer_wire::Caller| TypeState {
            contact_type: caller.contact_type.clone(),
            within_secs: caller.within_secs,
            intervals: (0..self.until_now())
                .map(|interval| day.counts(self.counts, &caller.contact_type, interval))
                .collect(),
        };
        self.plan.callers.iter().map(of_type).collect()
    }

    pub fn queues(&self, on_shift: impl Fn(&str) -> (u32, u32)) -> Vec<QueueState> {
        let of_step = |step: &barometer_strategy::Step| {
            let kind = match step.does {
                StepKind::Queue(_) => QueueKind::Queue,
                StepKind::HuntGroup(_) => QueueKind::HuntGroup,
                _ => return None,
            };
            let here = self.present.contacts.iter().filter_map(|contact| match &contact.at {
                PresentAt::Waiting { step: at, since_secs, rings, .. } if *at == step.id => {
                    Some((*since_secs, *rings))
                }
                _ => None,
            });
            let here: Vec<(f64, bool)> = here.collect();
            let ringing = here.iter().filter(|(_, rings)| *rings).count() as u32;
            let longest = here.iter().map(|(since, _)| self.present.at_secs - since);
            let (on_shift, free) = on_shift(&step.id);
            Some(QueueState {
                step: step.id.clone(),
                name: step.name.clone(),
                kind,
                waiting: here.len() as u32 - ringing,
                ringing,
                longest_wait_secs: longest.reduce(f64::max),
                on_shift,
                free,
                intervals: self.by_interval::<PointCounts>(self.counts.points.get(&step.id)),
            })
        };
        self.strategy.steps.iter().filter_map(of_step).collect()
    }

    pub fn teams(&self) -> Vec<TeamState> {
        let interval = (self.today_secs() / self.plan.interval_secs) as usize;
        let teams = self.strategy.teams.iter().map(|team| {
            let of_team = self.present.agents.iter().filter(|each| each.agent.team == team.id);
            let on_shift = of_team.filter(|each| each.is_on_shift).count() as u32;
            // An agent with several chats is one who talks while one of them goes on.
            let mut doing = std::collections::BTreeMap::new();
            for contact in &self.present.contacts {
                if let PresentAt::WithAgent { agent, work, .. } = &contact.at
                    && agent.team == team.id
                {
                    let wraps_up = *work == PresentWork::WrappingUp;
                    let all_wrap_up = doing.entry(agent.name.as_str()).or_insert(true);
                    *all_wrap_up &= wraps_up;
                }
            }
            let wrapping_up = doing.values().filter(|wraps_up| **wraps_up).count() as u32;
            let talking = doing.len() as u32 - wrapping_up;
            let planned = self.plan.teams.iter().find(|each| each.team == team.id);
            let planned = planned.and_then(|each| each.people.get(interval)).copied();
            TeamState {
                team: team.id.clone(),
                name: team.name.clone(),
                planned: planned.unwrap_or(0),
                on_shift,
                free: on_shift.saturating_sub(talking + wrapping_up),
                talking,
                wrapping_up,
                intervals: self.by_interval::<TeamCounts>(self.counts.teams.get(&team.id)),
            }
        });
        teams.collect()
    }

    pub fn campaigns(&self, now: Vec<CampaignNow>) -> Vec<CampaignState> {
        let name = |id: &str| {
            let campaign = self.strategy.campaigns.iter().find(|campaign| campaign.id == id);
            campaign.map(|campaign| campaign.name.clone()).unwrap_or_default()
        };
        let each = now.into_iter().map(|now| CampaignState {
            name: name(&now.campaign),
            campaign: now.campaign,
            is_dialling: now.is_dialling,
            lines: now.lines,
            talking: now.talking,
            left: now.left,
        });
        each.collect()
    }
}
