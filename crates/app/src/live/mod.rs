//! The day that is going on: the switch is told what is to be live and who is to be at work, and tells what comes.
//!
//! [`run`] is the circle: it asks the switch for its state every second, tells it what it does not have yet, and
//! keeps the intervals that it tells. It does nothing that another server could not do at the same time: every
//! request can be repeated, and every row is kept once. What it saw last is a [`View`], which says how old it is.

mod account;
mod act;
mod alarms;
mod client;
pub(crate) mod day_plan;
mod due_sheets;
mod feed;
mod now;
mod outlook;

use std::sync::Arc;
use std::time::{Duration, Instant};

use barometer_store::Centre;
use barometer_wire::SwitchState;
use jiff::Timestamp;
use tokio::sync::{Notify, watch};

use crate::clock;

pub use account::queue_account;
pub use act::{Become, Done, Found};
pub use alarms::{tried_on_the_past, value, waits};
pub use client::{SwitchAddress, SwitchClient, SwitchError};
pub use due_sheets::publish_in_time;
pub use feed::run;
pub use now::{Today, TypeNow};
pub use outlook::{Helps, Outlook, Soon};

/// After so long without a word from the switch what is shown is called old.
pub const OLD_AFTER: Duration = Duration::from_secs(5);

/// What is known of the switch now.
#[derive(Clone, Debug, Default)]
pub struct View {
    /// What it said last.
    pub state: Option<Arc<SwitchState>>,
    /// When that was, by the clock of this process.
    pub heard_at: Option<Instant>,
    /// Why it is not heard now.
    pub trouble: Option<String>,
    /// What it could not be told, and why.
    pub untold: Option<String>,
    /// Whether what is live there is what is to be live; `None` before that was asked.
    pub is_as_it_should: Option<bool>,
}

impl View {
    /// How old what is shown is; `None` before the switch was heard.
    pub fn age(&self) -> Option<Duration> {
        self.heard_at.map(|at| at.elapsed())
    }

    /// Whether what is shown is too old to act upon.
    pub fn is_old(&self) -> bool {
        self.age().is_none_or(|age| age > OLD_AFTER)
    }
}

/// The switch of a centre as this process sees it.
#[derive(Clone, Debug)]
pub struct Live {
    address: Option<SwitchAddress>,
    view: watch::Sender<View>,
    wake: Arc<Notify>,
    kept: Arc<outlook::Kept<Outlook>>,
    kept_helps: Arc<outlook::Kept<Helps>>,
}

impl Live {
    /// A switch at an address; without one there is none.
    pub fn of(address: Option<SwitchAddress>) -> Self {
        Self {
            address,
            view: watch::channel(View::default()).0,
            wake: Arc::default(),
            kept: Arc::default(),
            kept_helps: Arc::default(),
        }
    }

    /// Whether there is a switch.
    pub fn is_there(&self) -> bool {
        self.address.is_some()
    }

    /// A client of it.
    pub fn client(&self) -> Option<SwitchClient> {
        self.address.clone().map(SwitchClient::of)
    }

    /// What is known now, and whatever follows.
    pub fn view(&self) -> watch::Receiver<View> {
        self.view.subscribe()
    }

    /// The switch's time; none before it was heard.
    pub fn heard(&self) -> Option<Timestamp> {
        self.view.borrow().state.as_ref().map(|state| state.clock.now)
    }

    /// By which clock a centre's decisions take effect: the one that its today goes by. Where that is a switch's, there is
    /// no time before it was heard.
    pub fn time_of(&self, centre: &Centre) -> Option<Timestamp> {
        if centre.today.is_some() && self.is_there() { self.heard() } else { Some(clock::now()) }
    }

    /// The switch's time, or ours where it was never heard.
    pub fn now(&self) -> Timestamp {
        self.heard().unwrap_or_else(clock::now)
    }

    /// Something was decided that the switch has to be told at once.
    pub fn wake(&self) {
        self.wake.notify_one();
    }
}

#[cfg(test)]
mod tests {
    use jiff::civil::date;
    use jiff::tz::TimeZone;

    use super::*;

    #[test]
    fn a_demo_goes_by_the_switch_and_waits_until_it_is_heard() {
        let (id, name, zone) = (uuid::Uuid::nil(), "Larkhaven".to_owned(), TimeZone::UTC);
        let real = Centre { id, name, zone, today: None };
        let demo = Centre { today: Some(date(2026, 11, 21)), ..real.clone() };
        let (address, token) = ("http://127.0.0.1:9".to_owned(), String::new());
        let unheard = Live::of(Some(SwitchAddress { address, token }));
        assert_eq!(unheard.time_of(&demo), None);
        assert!(unheard.time_of(&real).is_some());
        assert!(Live::of(None).time_of(&demo).is_some());
    }
}
