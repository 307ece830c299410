//! The day itself.

use barometer_dialling::Book;
use barometer_routing::{AgentId, Id, ProfileId, Seconds};
use serde::{Deserialize, Serialize};

use super::counts::{DayCounts, DayObserver};
use super::reading;
use crate::customer::{Customer, Return};
use crate::experiment::{Experiment, ExperimentError};
use crate::model::Model;
use crate::observers::{EventLog, LoggedEvent};
use crate::present::{Present, Taken};
use crate::replication::Replication;

/// What a campaign does at one moment.
#[derive(Clone, Debug, PartialEq)]
pub struct CampaignNow {
    /// The campaign's id.
    pub campaign: String,
    /// Whether it dials now.
    pub is_dialling: bool,
    /// Lines in use.
    pub lines: u32,
    /// People who talk with an agent.
    pub talking: u32,
    /// People of its list who are still to be called.
    pub left: u32,
}

/// Everything with which a day goes on in another experiment: what is [present](Present), and beside it the
/// luck of everybody, which no telephone system knows.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Carried {
    /// What can be told.
    pub present: Present,
    pub(crate) luck: Vec<Customer>,
    profiles: Vec<Option<ProfileId>>,
    answered_at: Vec<Seconds>,
    returns: Vec<(Seconds, Return)>,
    books: Vec<(String, Book)>,
    counts: DayCounts,
}

impl Carried {
    /// The same for a clock that begins so many intervals and days later; what was counted in intervals before
    /// its beginning is forgotten.
    pub fn moved(self, intervals: usize, interval_secs: f64, days: i16) -> Self {
        let secs = intervals as f64 * interval_secs;
        let luck = self.luck.into_iter().map(|customer| Customer {
            interval: customer.interval.saturating_sub(intervals as u32),
            patience_at: customer.patience_at.map(|at| at - secs),
            over_at: customer.over_at - secs,
            work_since: customer.work_since - secs,
            wraps_up_since: customer.wraps_up_since - secs,
            ..customer
        });
        Self {
            present: self.present.moved(secs, interval_secs, interval_secs),
            luck: luck.collect(),
            profiles: self.profiles,
            answered_at: self.answered_at.into_iter().map(|at| at - secs).collect(),
            returns: self.returns.into_iter().map(|(at, back)| (at - secs, back)).collect(),
            books: self
                .books
                .into_iter()
                .map(|(campaign, book)| (campaign, book.moved(secs, days)))
                .collect(),
            counts: self.counts.without_first(intervals),
        }
    }
}

/// A day that is moved on from outside.
pub struct LiveDay<'m> {
    replication: Replication<'m, (DayObserver, EventLog)>,
    model: &'m Model,
}

impl Experiment {
    /// A day that begins with its first interval; `day` chooses its luck.
    pub fn live(&self, day: u32) -> LiveDay<'_> {
        let mut replication = Replication::of(&self.model, Default::default());
        replication.begin(self.seed, day);
        LiveDay { replication, model: &self.model }
    }

    /// A day that goes on where another experiment of the same contact types and intervals has left it.
    pub fn live_from(&self, day: u32, carried: &Carried) -> LiveDay<'_> {
        let mut live = self.live(day);
        live.take_up(carried);
        live
    }

    /// The same experiment, of which every replication begins with what is present at a moment, instead of
    /// an empty floor at the beginning of the first interval.
    ///
    /// # Errors
    ///
    /// [`ExperimentError::BadNumber`] when that moment is not within the intervals of demand.
    pub fn from_present(mut self, present: &Present) -> Result<Self, ExperimentError> {
        let end = self.model.intervals as f64 * self.model.interval_secs;
        if !(0.0..end).contains(&present.at_secs) {
            return Err(ExperimentError::BadNumber {
                what: "moment of the present state, in seconds after the day's beginning"
                    .to_owned(),
                wanted: "within the intervals of demand",
                got: present.at_secs,
            });
        }
        self.model.begins = Some(Taken::of(present, &[], &self.model));
        Ok(self)
    }
}

impl LiveDay<'_> {
    /// Moves on to a moment, or stays where it is when that is over.
    pub fn advance(&mut self, to: Seconds) {
        let secs = self.model.interval_secs;
        while self.now() < to {
            // Time on shift is counted interval by interval.
            let edge = ((self.now() / secs).floor() + 1.0) * secs;
            self.replication.play_until(to.min(edge));
            let (observer, view) = self.replication.observed();
            observer.0.account_all(view);
        }
    }

    /// Seconds after the beginning of the first interval.
    pub fn now(&self) -> Seconds {
        self.replication.router.floor.now
    }

    /// What is true now.
    pub fn present(&self) -> Present {
        let observer = &self.replication.router.host.observer.0;
        reading::present(&self.replication.router, |contact| observer.answered_at(contact))
    }

    /// What was counted so far.
    pub fn counts(&mut self) -> DayCounts {
        let (observer, view) = self.replication.observed();
        observer.0.counts(view)
    }

    /// What campaigns do now.
    pub fn campaigns(&self) -> Vec<CampaignNow> {
        let now = self.now();
        let campaigns = self.model.campaigns.iter().zip(&self.model.ids.campaigns).enumerate();
        let each = campaigns.map(|(place, (of, id))| {
            let (lines, talking, left) = self.replication.outbound.now(place);
            let is_dialling = of.times.is_dialling(now);
            CampaignNow { campaign: id.clone(), is_dialling, lines, talking, left }
        });
        each.collect()
    }

    /// Of each queue and hunt group by its step's id: members on shift, and those of them who are free.
    pub fn members(&self) -> Vec<(String, u32, u32)> {
        let floor = &self.replication.router.floor;
        let points = self.model.ids.points.iter().zip(self.model.strategy.service_points.iter());
        let of_point = points.map(|(id, point)| {
            let agents = point.members.iter().map(|member| &floor.agents[member.agent]);
            let on_shift = agents.filter(|agent| agent.is_on_shift);
            let (all, free) = on_shift
                .fold((0, 0), |(all, free), agent| (all + 1, free + u32::from(agent.is_idle())));
            (id.clone(), all, free)
        });
        of_point.collect()
    }

    /// What has happened since it was asked for last; [names](Experiment::names) tell whom the numbers mean.
    pub fn take_events(&mut self) -> Vec<LoggedEvent> {
        std::mem::take(&mut self.replication.router.host.observer.1.events)
    }

    /// Everything with which another experiment goes on.
    pub fn carry(&mut self) -> Carried {
        let present = self.present();
        let told = reading::told(&self.replication.router);
        let counts = self.counts();
        let now = self.now();
        let router = &self.replication.router;
        let host = &router.host;
        let returns = host.calendar.planned().filter_map(|(at, due)| {
            let is_return = due.event == crate::calendar::Event::Returns;
            is_return.then(|| (at, *host.returns.at(due.place)))
        });
        let mut returns: Vec<(Seconds, Return)> = returns.collect();
        returns.sort_by(|one, other| one.0.total_cmp(&other.0));
        let books = self.replication.outbound.books(now);
        Carried {
            luck: told.iter().map(|&id| host.customers[id]).collect(),
            profiles: told.iter().map(|&id| router.floor.contacts[id].profile).collect(),
            answered_at: told
                .iter()
                .map(|&id| host.observer.0.answered_at(id).unwrap_or(now))
                .collect(),
            returns,
            books: self.model.ids.campaigns.iter().cloned().zip(books).collect(),
            present,
            counts,
        }
    }

    fn take_up(&mut self, carried: &Carried) {
        let taken = Taken::of(&carried.present, &carried.profiles, self.model);
        self.replication.router.host.observer.0.is_resuming = true;
        let is_here = |agent: &AgentId| agent.place() < self.model.strategy.agents.len();
        let inbound = carried.returns.iter().filter(|(_, back)| {
            // Contact types of the demand are the same in every experiment of a day, campaigns are not.
            back.contact_type.place() < self.model.inbound_types
        });
        let returns: Vec<(Seconds, Return)> = inbound
            .map(|&(at, back)| (at, Return { last_agent: back.last_agent.filter(is_here), ..back }))
            .collect();
        for (campaign, book) in &carried.books {
            if let Some(place) = self.model.ids.campaigns.iter().position(|id| id == campaign) {
                self.replication.outbound.go_on_with(place, book);
            }
        }
        let with_agents = self.replication.take_up(&taken, &carried.luck, &returns);
        let observer = &mut self.replication.router.host.observer.0;
        for (place, id) in with_agents {
            if let Some(at) = carried.answered_at.get(place) {
                observer.note_answered(id, *at);
            }
        }
        observer.set_before(carried.counts.clone());
        observer.is_resuming = false;
        self.replication.router.go_on();
    }
}
