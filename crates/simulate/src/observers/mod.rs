//! Observers of a replication: they are told what happens and change nothing.

mod counts;
mod event_log;
mod pacing_log;
mod tally;

use barometer_routing::{Floor, Observation, Seconds, TeamId};

use crate::customer::Customers;
use crate::model::Model;
pub use counts::{
    AgentTally, CampaignTally, DayTally, LabelTally, ServicePointTally, TeamTally, TypeTally,
};
pub use event_log::{EventLog, LoggedEvent, What};
pub use pacing_log::{PacingLog, PacingMoment};
pub(crate) use tally::Tally;

/// In which interval a replication is.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Clock {
    pub interval: usize,
    /// When it begins.
    pub begins: Seconds,
    /// When it ends.
    pub ends: Seconds,
}

impl Clock {
    pub fn begin(&mut self, model: &Model) {
        *self = Self { interval: 0, begins: 0.0, ends: model.interval_secs };
    }

    /// Moves on; whatever is behind the last interval counts to it. Says whether another date begins.
    #[inline]
    pub fn advance(&mut self, now: Seconds, model: &Model) -> bool {
        if now < self.ends {
            return false;
        }
        let before = model.dates[self.interval];
        while now >= self.ends && self.interval + 1 < model.intervals {
            self.interval += 1;
            self.begins = self.interval as f64 * model.interval_secs;
            self.ends = (self.interval + 1) as f64 * model.interval_secs;
        }
        model.dates[self.interval] != before
    }

    /// The interval of a moment that is not after now.
    pub fn interval_of(&self, at: Seconds, model: &Model) -> usize {
        if at >= self.begins {
            self.interval
        } else {
            ((at / model.interval_secs) as usize).min(model.intervals - 1)
        }
    }
}

/// What an observer can see.
#[derive(Clone, Copy)]
pub(crate) struct View<'a> {
    pub model: &'a Model,
    pub floor: &'a Floor,
    pub customers: &'a Customers,
    pub clock: &'a Clock,
}

/// Something that is told all that happens.
pub(crate) trait Observer {
    /// A replication begins.
    fn begin(&mut self, model: &Model);

    /// Something has happened.
    fn observe(&mut self, view: View<'_>, what: Observation);

    /// So many people of a team stayed on since a moment though the cover asks for fewer: they leave
    /// when they are free.
    fn stayed_on(&mut self, _view: View<'_>, _team: TeamId, _people: u32, _since: Seconds) {}

    /// Something of a campaign is to be counted in an interval.
    fn count_campaign(
        &mut self,
        _model: &Model,
        _campaign: usize,
        _interval: usize,
        _count: impl Fn(&mut CampaignTally),
    ) {
    }

    /// A campaign has decided how fast to dial, and begun its calls.
    fn campaign_decides(
        &mut self,
        _campaign: usize,
        _now: Seconds,
        _moment: impl Fn() -> PacingMoment,
    ) {
    }

    /// The warm-up is over: what was counted until now is left out.
    fn end_warm_up(&mut self, _view: View<'_>) {}

    /// The replication is over.
    fn end(&mut self, _view: View<'_>) {}
}

/// Two observers at once.
impl<A: Observer, B: Observer> Observer for (A, B) {
    fn begin(&mut self, model: &Model) {
        self.0.begin(model);
        self.1.begin(model);
    }

    fn observe(&mut self, view: View<'_>, what: Observation) {
        self.0.observe(view, what);
        self.1.observe(view, what);
    }

    fn stayed_on(&mut self, view: View<'_>, team: TeamId, people: u32, since: Seconds) {
        self.0.stayed_on(view, team, people, since);
        self.1.stayed_on(view, team, people, since);
    }

    fn count_campaign(
        &mut self,
        model: &Model,
        campaign: usize,
        interval: usize,
        count: impl Fn(&mut CampaignTally),
    ) {
        self.0.count_campaign(model, campaign, interval, &count);
        self.1.count_campaign(model, campaign, interval, &count);
    }

    fn campaign_decides(
        &mut self,
        campaign: usize,
        now: Seconds,
        moment: impl Fn() -> PacingMoment,
    ) {
        self.0.campaign_decides(campaign, now, &moment);
        self.1.campaign_decides(campaign, now, &moment);
    }

    fn end_warm_up(&mut self, view: View<'_>) {
        self.0.end_warm_up(view);
        self.1.end_warm_up(view);
    }

    fn end(&mut self, view: View<'_>) {
        self.0.end(view);
        self.1.end(view);
    }
}
