//! The circle that hears the switch and tells it what it does not have.

use std::sync::Arc;
use std::time::{Duration, Instant};

use barometer_store::{Centre, LiveRelease, ReleaseAnswer, Store};
use barometer_strategy::Strategy;
use barometer_wire::{Live as LiveThere, Release, SwitchState, digest};
use jiff::ToSpan;
use jiff::civil::Date;
use uuid::Uuid;

use super::account::{keep_opening_plan, queue_account};
use super::alarms::Watching;
use super::client::{SwitchClient, SwitchError};
use super::day_plan::day_plan;
use super::{Live, View};
use crate::AppError;
use crate::planning::span;

/// How often the switch is asked how it is.
const ASK_EVERY: Duration = Duration::from_secs(1);
/// How often what it has is compared with what it should have, if nothing was decided meanwhile.
const COMPARE_EVERY: Duration = Duration::from_secs(4);
/// How long a release or a plan that was refused is not tried again, unless something was decided.
const REFUSED_FOR: Duration = Duration::from_secs(60);
/// Days after which nothing more is told of a day: messages are worked off on the next.
const LATE_DAYS: i64 = 3;
/// How long after its end a day gets its account, by the switch's clock: calls that began before midnight are over.
const ACCOUNT_AFTER: jiff::SignedDuration = jiff::SignedDuration::from_mins(40);

/// Hears the switch and tells it what it does not have, until told to stop. Whatever fails is tried again.
pub async fn run(store: Store, live: Live, mut stopped: tokio::sync::watch::Receiver<bool>) {
    let Some(client) = live.client() else { return };
    let mut feed = Feed {
        store,
        client,
        live,
        compared_at: None,
        refused: None,
        strategy: None,
        opened: None,
        watching: Watching::default(),
    };
    loop {
        let is_woken = tokio::select! {
            _ = stopped.wait_for(|stopped| *stopped) => return,
            () = feed.live.wake.notified() => true,
            () = tokio::time::sleep(ASK_EVERY) => false,
        };
        if is_woken {
            (feed.compared_at, feed.refused) = (None, None);
        }
        feed.go_round().await;
        if let Err(error) = feed.look_at_alarms().await {
            tracing::warn!(%error, "alarms are looked at later");
        }
    }
}

struct Feed {
    store: Store,
    client: SwitchClient,
    live: Live,
    compared_at: Option<Instant>,
    /// What was refused, and when.
    refused: Option<(String, Instant)>,
    /// The strategy that is to be live, by its version's key.
    strategy: Option<(Uuid, Arc<Strategy>, String)>,
    /// The last day whose opening plan is kept.
    opened: Option<Date>,
    watching: Watching,
}

/// What goes wrong in a round.
#[derive(Debug)]
enum Trouble {
    /// The switch is not heard.
    Away(String),
    /// It cannot be told something.
    Untold(String),
    /// The database is away: said in the log, and tried again.
    Store(AppError),
}

impl From<SwitchError> for Trouble {
    fn from(error: SwitchError) -> Self {
        match error {
            SwitchError::Refused(message) => Self::Untold(message),
            SwitchError::Away(message) | SwitchError::Strange(message) => Self::Away(message),
        }
    }
}

impl From<AppError> for Trouble {
    fn from(error: AppError) -> Self {
        match error {
            AppError::Refused(message) => Self::Untold(message),
            error => Self::Store(error),
        }
    }
}

impl From<barometer_store::StoreError> for Trouble {
    fn from(error: barometer_store::StoreError) -> Self {
        Self::Store(error.into())
    }
}

impl Feed {
    async fn look_at_alarms(&mut self) -> Result<(), AppError> {
        let Some(centre) = self.store.centre().await? else { return Ok(()) };
        self.watching.look(&self.store, &centre, &self.live).await
    }

    async fn go_round(&mut self) {
        match self.client.state().await {
            Ok(state) => self.live.view.send_modify(|view| {
                view.state = Some(Arc::new(state));
                view.heard_at = Some(Instant::now());
                view.trouble = None;
            }),
            Err(error) => {
                return self.live.view.send_modify(|view| view.trouble = Some(error.to_string()));
            }
        }
        let is_due = self.compared_at.is_none_or(|at| at.elapsed() >= COMPARE_EVERY);
        if !is_due {
            return;
        }
        self.compared_at = Some(Instant::now());
        let compared = self.compare().await;
        self.live.view.send_modify(|view| match compared {
            Ok(is_as_it_should) => {
                (view.untold, view.is_as_it_should) = (None, Some(is_as_it_should));
            }
            Err(Trouble::Away(message)) => view.trouble = Some(message),
            Err(Trouble::Untold(message)) => {
                (view.untold, view.is_as_it_should) = (Some(message), Some(false));
            }
            Err(Trouble::Store(error)) => tracing::warn!(%error, "the switch is told later"),
        });
    }

    /// Compares what the switch has with what it should have, tells it the rest, and takes what it tells. Says
    /// whether what is live there is what is to be.
    async fn compare(&mut self) -> Result<bool, Trouble> {
        let Some(centre) = self.store.centre().await? else { return Ok(true) };
        let there = self.client.live().await?;
        self.take_intervals(&centre, &there.switch).await?;
        self.take_staffing(&centre, &there.switch).await?;
        let View { state, .. } = self.live.view.borrow().clone();
        let Some(state) = state else { return Ok(false) };
        self.close_days(&centre, &state).await?;
        let Some(release) = self.store.live_release(centre.id).await? else { return Ok(true) };
        let (strategy, digest) = self.strategy_of(&release).await?;
        self.open_day(&centre, (release.version_id, &strategy), &state).await?;
        self.tell_plans(&centre, &there, &strategy, state.clock.date).await?;
        self.tell_release(&there, &release, &strategy, &digest).await?;
        // An account that cannot be made keeps nobody from what the switch must be told.
        if let Err(error) = self.account_for_days(&centre, &state).await {
            tracing::warn!(?error, "a day is accounted for later");
        }
        Ok(true)
    }

    async fn strategy_of(
        &mut self,
        release: &LiveRelease,
    ) -> Result<(Arc<Strategy>, String), Trouble> {
        if let Some((version, strategy, digest)) = &self.strategy
            && *version == release.version_id
        {
            return Ok((strategy.clone(), digest.clone()));
        }
        let strategy = Arc::new(self.store.strategy(release.version_id).await?);
        let digest = digest(&as_json(&strategy)?);
        self.strategy = Some((release.version_id, strategy.clone(), digest.clone()));
        Ok((strategy, digest))
    }

    async fn tell_release(
        &mut self,
        there: &LiveThere,
        release: &LiveRelease,
        strategy: &Strategy,
        digest: &str,
    ) -> Result<(), Trouble> {
        let number = release.number.unsigned_abs();
        let is_there =
            there.release.as_ref().filter(|live| live.number == number && live.digest == digest);
        let since = match is_there {
            Some(live) => live.since,
            None => {
                self.may_try(&format!("release {number}"))?;
                let version = release.version.unsigned_abs();
                let told = Release::of(number, version, &release.name, as_json(strategy)?);
                match self.client.publish(&told).await {
                    Ok(accepted) => accepted.since,
                    Err(SwitchError::Refused(message)) => {
                        let answer = ReleaseAnswer::Refused(message.clone());
                        self.store.note_release_answer(release.number, &answer).await?;
                        let message = format!("v{version} was refused: {message}");
                        return Err(self.refuse(&format!("release {number}"), message));
                    }
                    Err(error) => return Err(error.into()),
                }
            }
        };
        let answer = ReleaseAnswer::Live(since);
        if release.answer.as_ref() != Some(&answer) {
            self.store.note_release_answer(release.number, &answer).await?;
        }
        Ok(())
    }

    /// The plans of today and tomorrow, where the switch has others or none.
    async fn tell_plans(
        &mut self,
        centre: &Centre,
        there: &LiveThere,
        strategy: &Strategy,
        today: Date,
    ) -> Result<(), Trouble> {
        for date in [today, today.tomorrow().unwrap_or(today)] {
            let plan = match day_plan(&self.store, centre, strategy, date).await {
                Ok(plan) => plan,
                // A day that nobody has planned yet is no trouble while it is still to come.
                Err(AppError::Refused(_)) if date != today => continue,
                Err(error) => return Err(error.into()),
            };
            let digest = plan.digest();
            if there.days.get(&date) == Some(&digest) {
                continue;
            }
            self.may_try(&digest)?;
            match self.client.plan(&plan).await {
                Ok(()) => {}
                Err(SwitchError::Refused(message)) => {
                    let message = format!("the plan of {date} was refused: {message}");
                    return Err(self.refuse(&digest, message));
                }
                Err(error) => return Err(error.into()),
            }
        }
        Ok(())
    }

    /// What was refused a moment ago would be refused again.
    fn may_try(&self, what: &str) -> Result<(), Trouble> {
        match &self.refused {
            Some((refused, at)) if refused.starts_with(what) && at.elapsed() < REFUSED_FOR => {
                let said = refused.split_once('\n').map_or("", |(_, said)| said);
                Err(Trouble::Untold(said.to_owned()))
            }
            _ => Ok(()),
        }
    }

    fn refuse(&mut self, what: &str, message: String) -> Trouble {
        self.refused = Some((format!("{what}\n{message}"), Instant::now()));
        Trouble::Untold(message)
    }

    /// Takes the intervals that are not here yet.
    async fn take_intervals(&self, centre: &Centre, switch: &str) -> Result<(), Trouble> {
        loop {
            let after = self.store.last_switch_row(switch).await?;
            let page = self.client.intervals(after).await?;
            if page.rows.is_empty() {
                return Ok(());
            }
            self.store.add_switch_rows(centre.id, switch, &page.rows).await?;
        }
    }

    /// Takes who was on shift.
    async fn take_staffing(&self, centre: &Centre, switch: &str) -> Result<(), Trouble> {
        loop {
            let after = self.store.last_staffing_row(switch).await?;
            let page = self.client.staffing(after).await?;
            if page.rows.is_empty() {
                return Ok(());
            }
            self.store.add_staffing_rows(centre.id, switch, &page.rows).await?;
        }
    }

    /// Keeps the plan with which today begins.
    async fn open_day(
        &mut self,
        centre: &Centre,
        live: (Uuid, &Strategy),
        state: &SwitchState,
    ) -> Result<(), Trouble> {
        let today = state.clock.date;
        if self.opened != Some(today) {
            keep_opening_plan(&self.store, centre, live, (today, state.clock.now)).await?;
            self.opened = Some(today);
        }
        Ok(())
    }

    /// Days that are over get their account, once.
    async fn account_for_days(&self, centre: &Centre, state: &SwitchState) -> Result<(), Trouble> {
        for days_ago in 1..=LATE_DAYS {
            let date = state.clock.date.saturating_sub(days_ago.days());
            let (_, until) = span(date, 1, &centre.zone)?;
            let is_late = state.clock.now.duration_since(until) >= ACCOUNT_AFTER;
            let is_due = is_late
                && !self.store.has_account(centre.id, date, until).await?
                && self.store.opening_plan(centre.id, date).await?.is_some();
            if is_due {
                queue_account(&self.store, centre, (date, state.clock.now), None).await?;
            }
        }
        Ok(())
    }

    /// Days that are over become history; where the centre's clock is the switch's, its today goes on too.
    async fn close_days(&self, centre: &Centre, state: &SwitchState) -> Result<(), Trouble> {
        if let Some(mut day) = centre.today {
            while day < state.clock.date {
                self.store.next_day(centre.id, day).await?;
                day = day.tomorrow().map_err(AppError::core)?;
            }
        }
        let first = state.clock.date.saturating_sub(LATE_DAYS.days());
        let (from, _) = span(first, 1, &centre.zone)?;
        let (before, _) = span(state.clock.date, 1, &centre.zone)?;
        Ok(self.store.take_told_into_history(centre.id, from, before).await?)
    }
}

fn as_json(strategy: &Strategy) -> Result<serde_json::Value, Trouble> {
    serde_json::to_value(strategy).map_err(|error| Trouble::Untold(error.to_string()))
}
