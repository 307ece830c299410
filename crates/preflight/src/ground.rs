//! What all rules look at: the compiled strategy, who is on shift where, what may arrive where.

use std::cell::OnceCell;

use barometer_routing::{
    CampaignId, CompiledStrategy, Id, Serves, ServicePoint, ServicePointId, Setting,
    Step as CompiledStep, StepId, channel_place,
};
use barometer_strategy::{
    Channel, Exits, Journey, Next, Offering, PartId, Step, StepKind, Strategy,
};
use barometer_walk::OnShift;
use jiff::civil::DateTime;

use crate::premises::Premises;
use crate::traffic::Traffic;

/// A strategy and the numbers that it is looked at with.
pub(crate) struct Ground<'a> {
    pub strategy: &'a Strategy,
    pub premises: &'a Premises,
    pub compiled: CompiledStrategy,
    pub journey: Journey,
    pub points: Vec<Point<'a>>,
    traffic: OnceCell<Traffic>,
}

/// A queue or hunt group.
pub(crate) struct Point<'a> {
    /// Its place among the steps.
    pub at: usize,
    pub step: &'a Step,
    pub model_id: ServicePointId,
    pub offering: &'a Offering,
    pub exits: &'a Exits,
    pub places: Option<u32>,
    /// The longest wait or group limit: the field, its words, and the seconds.
    pub limit: (&'static str, &'static str, Option<f64>),
    /// Members on shift, interval by interval, by channel place.
    staff: [Vec<u32>; 3],
}

impl<'a> Ground<'a> {
    /// `None` where the strategy cannot be compiled.
    pub fn of(strategy: &'a Strategy, premises: &'a Premises) -> Option<Self> {
        let people: Vec<usize> = strategy
            .teams
            .iter()
            .map(|team| {
                let of_team = premises.teams.iter().find(|each| each.team == team.id);
                let most = of_team.and_then(|each| each.people.iter().max()).copied();
                // Where nobody is planned, one stands for the team: can it answer at all?
                most.unwrap_or(0).max(1) as usize
            })
            .collect();
        let contact_types: Vec<(&str, Channel)> = premises
            .types
            .iter()
            .filter(|each| strategy.entry_of(&each.name).is_some())
            .map(|each| (each.name.as_str(), each.channel))
            .collect();
        let setting = Setting {
            start: premises.start,
            secs: premises.interval_secs * premises.intervals as f64,
            zone: &premises.zone,
            contact_types: &contact_types,
            people: &people,
        };
        let compiled = CompiledStrategy::compile(strategy, &setting).ok()?;
        let mut ground = Self {
            strategy,
            premises,
            journey: strategy.journey(),
            points: Vec::new(),
            compiled,
            traffic: OnceCell::new(),
        };
        let points = strategy.steps.iter().enumerate().filter_map(|(at, step)| {
            let CompiledStep::ServicePoint(model_id) = ground.compiled.steps[StepId::at(at)] else {
                return None;
            };
            let (offering, exits, places, limit) = match &step.does {
                StepKind::Queue(queue) => {
                    let limit = ("longest_wait_secs", "longest wait", queue.longest_wait_secs);
                    (&queue.offering, &queue.exits, queue.places, limit)
                }
                StepKind::HuntGroup(group) => {
                    let limit = ("group_limit_secs", "group limit", group.group_limit_secs);
                    (&group.offering, &group.exits, group.places, limit)
                }
                _ => return None,
            };
            let staff = [0, 1, 2].map(|channel| ground.staff_of(model_id, channel));
            Some(Point { at, step, model_id, offering, exits, places, limit, staff })
        });
        ground.points = points.collect();
        Some(ground)
    }

    /// Whether anything is known of who is on shift.
    pub fn knows_staff(&self) -> bool {
        self.premises.teams.iter().any(|team| team.people.iter().any(|&people| people > 0))
    }

    /// The service point whose members a campaign's agents are; `None` where it plays a message.
    fn campaign_point(&self, place: usize) -> Option<&ServicePoint> {
        match self.compiled.campaigns[CampaignId::at(place)].serves {
            Serves::Agents(point) => Some(&self.compiled.service_points[point]),
            Serves::Message(_) => None,
        }
    }

    /// Agents of a campaign on shift in each interval; `None` where it has none, or nobody is planned.
    pub fn campaign_people(&self, place: usize) -> Option<Vec<u32>> {
        let point = self.campaign_point(place).filter(|_| self.knows_staff())?;
        let mut teams: Vec<usize> = point
            .members
            .iter()
            .map(|member| self.compiled.agents[member.agent].team.place())
            .collect();
        teams.sort_unstable();
        teams.dedup();
        let mut people = vec![0; self.premises.intervals];
        for team in teams {
            let id = &self.strategy.teams[team].id;
            let planned = self.premises.teams.iter().filter(|each| each.team == *id);
            for team in planned {
                people.iter_mut().zip(&team.people).for_each(|(sum, people)| *sum += people);
            }
        }
        Some(people)
    }

    /// Whether somebody of a team is an agent of a campaign.
    pub fn is_of_campaign(&self, place: usize, team: &str) -> bool {
        let members = self.campaign_point(place).into_iter().flat_map(|point| &point.members);
        members
            .map(|member| self.compiled.agents[member.agent].team)
            .any(|of| self.strategy.teams[of.place()].id == team)
    }

    /// Queues and hunt groups at which contacts wait for a campaign's agents.
    pub fn points_of_campaign(&self, place: usize) -> impl Iterator<Item = &Point<'a>> {
        let own = self.campaign_point(place);
        self.points.iter().filter(move |point| {
            let theirs = &self.model(point).members;
            own.is_some_and(|own| {
                theirs.iter().any(|member| own.members.iter().any(|our| our.agent == member.agent))
            })
        })
    }

    /// What may arrive where.
    pub fn traffic(&self) -> &Traffic {
        self.traffic.get_or_init(|| Traffic::of(self))
    }

    pub fn point_at(&self, step: usize) -> Option<&Point<'a>> {
        self.points.iter().find(|point| point.at == step)
    }

    pub fn model(&self, point: &Point<'_>) -> &ServicePoint {
        &self.compiled.service_points[point.model_id]
    }

    pub fn part(&self, at: usize) -> PartId {
        PartId::Step(self.strategy.steps[at].id.clone())
    }

    pub fn step_place(&self, id: &str) -> Option<usize> {
        self.strategy.steps.iter().position(|step| step.id == id)
    }

    /// Members of a service point on shift in each interval who take contacts of a channel.
    fn staff_of(&self, point: ServicePointId, channel: usize) -> Vec<u32> {
        let model = &self.compiled.service_points[point];
        let mut staff = vec![0; self.premises.intervals];
        for (team, of_team) in self.compiled.teams.iter().zip(&self.strategy.teams) {
            if team.at_once[channel] == 0 {
                continue;
            }
            let Some(planned) = self.premises.teams.iter().find(|each| each.team == of_team.id)
            else {
                continue;
            };
            // The first of the list are on shift: how many members are among the first so many.
            let (first, end) = team.agents;
            let mut among = vec![0u32; end - first + 1];
            for member in &model.members {
                let place = member.agent.place();
                if (first..end).contains(&place) {
                    among[place - first + 1] = 1;
                }
            }
            for nth in 1..among.len() {
                among[nth] += among[nth - 1];
            }
            for (count, &people) in staff.iter_mut().zip(&planned.people) {
                *count += among[(people as usize).min(among.len() - 1)];
            }
        }
        staff
    }

    /// When an interval begins, on the centre's clock.
    pub fn clock(&self, interval: usize) -> DateTime {
        self.premises.clock(interval)
    }

    /// Who is on shift in an interval.
    pub fn on_shift(&self, interval: usize) -> Vec<OnShift> {
        let of_team = |team: &crate::TeamPremise| OnShift {
            team: team.team.clone(),
            people: team.people.get(interval).copied().unwrap_or(0),
            busy: 0,
            free_after_secs: 60.0,
            answers_after_secs: None,
        };
        let known = |each: &&crate::TeamPremise| {
            self.strategy.teams.iter().any(|team| team.id == each.team)
        };
        self.premises.teams.iter().filter(known).map(of_team).collect()
    }

    /// The step to which a contact that nobody can serve is best sent: the first voicemail, or a release.
    pub fn way_out(&self, from: usize) -> (Next, String) {
        let voicemail = self
            .strategy
            .steps
            .iter()
            .enumerate()
            .find(|(at, step)| *at != from && matches!(step.does, StepKind::Voicemail(_)));
        match voicemail {
            Some((_, step)) => (Next::step(&step.id), format!("“{}”", step.name)),
            None => (Next::Release, "a release".to_owned()),
        }
    }

    /// "Mon 30 Nov 18:00–20:30", the first stretch of intervals for which something holds.
    pub fn first_stretch(&self, holds: impl Fn(usize) -> bool) -> Option<String> {
        let from = (0..self.premises.intervals).find(|&at| holds(at))?;
        let until = (from..self.premises.intervals).find(|&at| !holds(at));
        let (from, until) =
            (self.clock(from), self.clock(until.unwrap_or(self.premises.intervals)));
        let day = from.strftime("%a %-d %b %H:%M");
        Some(format!("{day}–{}", until.strftime("%H:%M")))
    }
}

impl Point<'_> {
    /// Members on shift who take a channel's contacts.
    pub fn staff(&self, channel: Channel, interval: usize) -> u32 {
        self.staff[channel_place(channel)].get(interval).copied().unwrap_or(0)
    }

    /// The interval in which most members are on shift, and how many.
    pub fn fullest(&self) -> (usize, u32) {
        let all = (0..self.staff[0].len()).map(|at| {
            let of = |channel: usize| self.staff[channel][at];
            (at, of(0).max(of(1)).max(of(2)))
        });
        // The first of those that are equal.
        all.fold((0, 0), |best, each| if each.1 > best.1 { each } else { best })
    }

    /// A setting of the step, as a JSON pointer.
    pub fn setting(&self, field: &str) -> String {
        format!("/does/{}/{field}", self.step.does.name().key())
    }
}
