//! The world of the switch: one thread that moves a live day on by the clock, and does what it is told.

use std::path::PathBuf;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender};
use std::sync::{Arc, RwLock};
use std::time::Duration;

use barometer_simulate::{Carried, Experiment, LiveDay, Present, What};
use barometer_strategy::Strategy;
use barometer_wire::{
    Accepted, ClockState, Conduct, DayPlan, Disturbance, IntervalPage, IntervalRow, Live, Release,
    StaffingPage, StaffingRow, SwitchState,
};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Serialize;
use tokio::sync::{broadcast, oneshot, watch};

use crate::clock::{Clock, MOST_SPEED};
use crate::folder::{Folder, FolderError, KeptClock};
use crate::known::{Answer, Known, Refused, read};
use crate::played::experiment;
use crate::settled::{self, PlannedDay};
use crate::span::Span;
use crate::state::Reading;
use crate::truth::STEP_SECS;

/// How often the state is told anew.
const TICK: Duration = Duration::from_millis(200);
/// Moments that the world moves on at most before it tells its state, in seconds of its clock.
const STRIDE_SECS: f64 = 1800.0;
/// Events that a listener may be behind.
const MOST_BEHIND: usize = 8192;

/// How a switch is started.
#[derive(Clone, Debug)]
pub struct Options {
    /// Where it keeps what must survive a restart.
    pub folder: PathBuf,
    /// The token that every request has to show.
    pub token: String,
    /// What its clock shows when the folder is new.
    pub begins: Timestamp,
    /// How many of its seconds pass in a second when the folder is new.
    pub speed: f64,
    /// The zone in which its days begin until a plan says otherwise.
    pub zone: TimeZone,
    /// Chooses the hidden truth.
    pub seed: u64,
    /// What goes wrong by itself when the folder is new.
    pub disturbances: Vec<Disturbance>,
}

/// What the world is told.
pub(crate) enum Command {
    Publish(Box<Release>, oneshot::Sender<Answer<Accepted>>),
    Plan(Box<DayPlan>, oneshot::Sender<Answer<()>>),
    Conduct(Conduct, oneshot::Sender<Answer<Conduct>>),
    Stop,
}

/// Something that has happened, for those who listen.
#[derive(Clone, Debug, Serialize)]
pub(crate) struct Happened {
    /// "contact" or "agent".
    #[serde(skip)]
    pub of: &'static str,
    pub at: Timestamp,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub contact: Option<u32>,
    #[serde(skip_serializing_if = "String::is_empty")]
    pub contact_type: String,
    pub what: What,
    #[serde(skip_serializing_if = "String::is_empty")]
    pub name: String,
}

/// What others can see of the world.
#[derive(Clone)]
pub(crate) struct Seen {
    pub state: watch::Receiver<Option<Arc<SwitchState>>>,
    pub happened: broadcast::Sender<Arc<Happened>>,
    intervals: Arc<RwLock<Vec<IntervalRow>>>,
    staffing: Arc<RwLock<Vec<StaffingRow>>>,
    live: Arc<RwLock<Live>>,
    conduct: Arc<RwLock<Conduct>>,
}

impl Seen {
    pub fn live(&self) -> Live {
        self.live.read().unwrap_or_else(|poisoned| poisoned.into_inner()).clone()
    }

    pub fn conduct(&self) -> Conduct {
        self.conduct.read().unwrap_or_else(|poisoned| poisoned.into_inner()).clone()
    }

    pub fn intervals(&self, after: u64, limit: usize) -> IntervalPage {
        let (rows, last) = page(&self.intervals, after, limit);
        IntervalPage { rows, last }
    }

    pub fn staffing(&self, after: u64, limit: usize) -> StaffingPage {
        let (rows, last) = page(&self.staffing, after, limit);
        StaffingPage { rows, last }
    }
}

/// Rows after the one with a number, and the number of the last that there is.
fn page<R: Clone>(rows: &RwLock<Vec<R>>, after: u64, limit: usize) -> (Vec<R>, u64) {
    let rows = rows.read().unwrap_or_else(|poisoned| poisoned.into_inner());
    let from = usize::try_from(after).unwrap_or(usize::MAX).min(rows.len());
    (rows[from..].iter().take(limit).cloned().collect(), rows.len() as u64)
}

fn extend<R>(rows: &RwLock<Vec<R>>, more: Vec<R>) {
    rows.write().unwrap_or_else(|poisoned| poisoned.into_inner()).extend(more);
}

/// The switch: a world in a thread of its own.
pub struct Switch {
    pub(crate) commands: Sender<Command>,
    pub(crate) seen: Seen,
    pub(crate) token: String,
    thread: Option<std::thread::JoinHandle<()>>,
}

impl Switch {
    /// Starts a switch, where it was left if it ran before.
    ///
    /// # Errors
    ///
    /// [`FolderError`] when its folder cannot be used.
    pub fn start(options: Options) -> Result<Self, FolderError> {
        let folder = Folder::open(&options.folder)?;
        let kept = folder.kept()?;
        let is_new = kept.is_none();
        let (mut known, carried) = kept.unwrap_or_default();
        if is_new {
            known.switch = uuid::Uuid::new_v4().to_string();
            known.disturbances.clone_from(&options.disturbances);
            folder.keep(&known, None)?;
        }
        let clock = match folder.kept_clock()? {
            Some(kept) => Clock::at(kept.now, kept.speed),
            None => Clock::at(options.begins, options.speed.clamp(0.0, MOST_SPEED)),
        };
        let (commands, receiver) = std::sync::mpsc::channel();
        let (state, states) = watch::channel(None);
        let seen = Seen {
            state: states,
            happened: broadcast::channel(MOST_BEHIND).0,
            intervals: Arc::new(RwLock::new(folder.intervals.rows().to_vec())),
            staffing: Arc::new(RwLock::new(folder.staffing.rows().to_vec())),
            live: Arc::default(),
            conduct: Arc::default(),
        };
        let mut world = World {
            known,
            strategy: None,
            clock,
            folder,
            receiver,
            state,
            seen: seen.clone(),
            seed: options.seed,
            zone: options.zone,
        };
        world.tell_what_is_known();
        let thread = std::thread::spawn(move || {
            if let Err(error) = world.run(carried) {
                tracing::error!("the switch has stopped: {error}");
            }
        });
        Ok(Self { commands, seen, token: options.token, thread: Some(thread) })
    }

    /// Stops the clock, keeps where it is, and waits until that is done.
    pub fn stop(mut self) {
        // A world that has stopped already has nobody who listens.
        let _ = self.commands.send(Command::Stop);
        if let Some(thread) = self.thread.take()
            && thread.join().is_err()
        {
            tracing::error!("the switch has failed");
        }
    }
}

struct World {
    known: Known,
    /// What the release says, once read.
    strategy: Option<Arc<Strategy>>,
    clock: Clock,
    folder: Folder,
    receiver: Receiver<Command>,
    state: watch::Sender<Option<Arc<SwitchState>>>,
    seen: Seen,
    seed: u64,
    zone: TimeZone,
}

/// How the world goes on.
enum Next {
    /// With everybody who is there, by what is known now.
    GoesOn(Option<Box<Carried>>),
    Stops,
}

impl World {
    fn zone(&self) -> TimeZone {
        self.known.zone(&self.zone)
    }

    /// Why what would be known then cannot be played.
    fn can_play(&self, known: &Known, span: &Span) -> Result<(), String> {
        let played = experiment(known, span, &known.zone(&self.zone), self.seed);
        played.map_or(Ok(()), |played| played.map(|_| ()))
    }

    fn run(&mut self, mut carried: Option<Carried>) -> Result<(), FolderError> {
        loop {
            let date =
                *self.known.date.get_or_insert(self.clock.now().to_zoned(self.zone.clone()).date());
            let span = Span::of(date, &self.zone());
            let release = self.known.release.as_ref();
            self.strategy = release.and_then(|known| read(&known.release).ok()).map(Arc::new);
            self.tell_what_is_known();
            let next = match experiment(&self.known, &span, &self.zone(), self.seed) {
                Some(Ok(experiment)) => {
                    // Every day has a luck of its own.
                    let day = date.day_of_year() as u32 + 400 * date.year() as u32;
                    let mut live = match carried.take() {
                        Some(carried) => experiment.live_from(day, &carried),
                        None => experiment.live(day),
                    };
                    self.play(&mut live, &experiment, &span)?
                }
                Some(Err(message)) => {
                    tracing::error!("the switch cannot play what it was given: {message}");
                    self.wait(&span, carried.take())?
                }
                None => self.wait(&span, carried.take())?,
            };
            match next {
                Next::GoesOn(goes_on) => carried = goes_on.map(|carried| *carried),
                Next::Stops => return Ok(()),
            }
        }
    }

    /// There is nothing to play yet.
    fn wait(&mut self, span: &Span, carried: Option<Carried>) -> Result<Next, FolderError> {
        loop {
            match self.receiver.recv_timeout(TICK) {
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) | Ok(Command::Stop) => {
                    self.keep_clock()?;
                    return Ok(Next::Stops);
                }
                Ok(command) => {
                    if self.obey(command, span, carried.as_ref())? {
                        return Ok(Next::GoesOn(carried.map(Box::new)));
                    }
                }
            }
            if span.secs(self.clock.now()) >= span.end_secs() {
                return self.next_day(span, carried);
            }
            self.keep_clock()?;
            self.tell(self.bare_state(span));
        }
    }

    fn play(
        &mut self,
        live: &mut LiveDay<'_>,
        experiment: &Experiment,
        span: &Span,
    ) -> Result<Next, FolderError> {
        let mut told_at = -1.0;
        loop {
            let command = self.receiver.recv_timeout(TICK);
            let now = span.secs(self.clock.now());
            loop {
                let to = now.min(span.end_secs()).min(live.now() + STRIDE_SECS);
                live.advance(to);
                self.tell_events(live, experiment, span);
                // Intervals end on the edges of steps.
                if (live.now() / STEP_SECS).floor() > told_at {
                    told_at = (live.now() / STEP_SECS).floor();
                    self.settle(live, span, false)?;
                }
                if live.now() >= now.min(span.end_secs()) {
                    break;
                }
            }
            match command {
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) | Ok(Command::Stop) => {
                    self.keep_clock()?;
                    return Ok(Next::Stops);
                }
                Ok(command) => {
                    let carried = live.carry();
                    if self.obey(command, span, Some(&carried))? {
                        return Ok(Next::GoesOn(Some(Box::new(carried))));
                    }
                }
            }
            if now >= span.end_secs() {
                self.settle(live, span, true)?;
                return self.next_day(span, Some(live.carry()));
            }
            self.keep_clock()?;
            let state = self.state_of(live, span);
            self.tell(state);
        }
    }

    /// The day is over: what is left of yesterday is forgotten, and today becomes yesterday.
    fn next_day(&mut self, span: &Span, carried: Option<Carried>) -> Result<Next, FolderError> {
        let tomorrow = span.date.tomorrow().unwrap_or(span.date);
        let zone = self.zone();
        self.known.go_on_to(tomorrow, &zone);
        let carried = carried.map(|carried| carried.moved(span.first_step, STEP_SECS, 1));
        self.folder.keep(&self.known, carried.as_ref())?;
        self.keep_clock()?;
        Ok(Next::GoesOn(carried.map(Box::new)))
    }

    fn keep_clock(&self) -> Result<(), FolderError> {
        self.folder.keep_clock(KeptClock { now: self.clock.now(), speed: self.clock.speed() })
    }

    /// Does what it is told; says whether the world is another one now. What changes it is on the disk before it
    /// is answered.
    fn obey(
        &mut self,
        command: Command,
        span: &Span,
        carried: Option<&Carried>,
    ) -> Result<bool, FolderError> {
        let can_play = |known: &Known| self.can_play(known, span);
        // Who asked may have gone meanwhile; then nobody hears the answer.
        match command {
            Command::Publish(release, answer) => {
                let done = self.known.with_release(*release, self.clock.now(), can_play);
                let (said, next) = apart(done);
                let is_other = self.know(next, carried)?;
                let _ = answer.send(said);
                Ok(is_other)
            }
            Command::Plan(plan, answer) => {
                let done = self.known.with_plan(*plan, can_play).map(|next| ((), next));
                let (said, next) = apart(done);
                let is_other = self.know(next, carried)?;
                let _ = answer.send(said);
                Ok(is_other)
            }
            Command::Conduct(conduct, answer) => {
                let (said, next) = apart(self.behave(conduct));
                let is_other = self.know(next, carried)?;
                self.keep_clock()?;
                let _ = answer.send(said.map(|()| self.seen.conduct()));
                Ok(is_other)
            }
            Command::Stop => Ok(false),
        }
    }

    /// Knows something else from now on, if there is something; says whether there is.
    fn know(
        &mut self,
        next: Option<Known>,
        carried: Option<&Carried>,
    ) -> Result<bool, FolderError> {
        let is_other = next.is_some();
        if let Some(next) = next {
            self.folder.keep(&next, carried)?;
            self.known = next;
        }
        self.tell_what_is_known();
        Ok(is_other)
    }

    fn behave(&mut self, conduct: Conduct) -> Answer<((), Option<Known>)> {
        let fits = |speed: f64| (0.0..=MOST_SPEED).contains(&speed);
        if conduct.speed.is_some_and(|speed| !fits(speed)) {
            return Err(Refused::Impossible("speed: 0 to 600 seconds a second".to_owned()));
        }
        let next = self.known.with_disturbances(conduct.disturbances)?;
        if let Some(speed) = conduct.speed {
            self.clock.run_at(speed);
        }
        if let Some(until) = conduct.until {
            self.clock.skip_to(until);
        }
        Ok(((), next))
    }

    /// Tells the intervals that are over.
    fn settle(
        &mut self,
        live: &mut LiveDay<'_>,
        span: &Span,
        is_last: bool,
    ) -> Result<(), FolderError> {
        let (present, counts) = (live.present(), live.counts());
        let under_way = settled::under_way(&present);
        let now = span.at(live.now());
        let yesterday = span.date.yesterday().unwrap_or(span.date);
        let (mut intervals, mut staffing) = (Vec::new(), Vec::new());
        for (date, first_step, all) in
            [(yesterday, 0, is_last), (span.date, span.first_step, false)]
        {
            let Some(plan) = self.known.plans.get(&date) else { continue };
            let day = PlannedDay { plan, first_step };
            let is_told = |name: &str, start| self.folder.intervals.is_told(name, start);
            let disturbances = &self.known.disturbances;
            intervals.extend(settled::rows(
                &day,
                &counts,
                &under_way,
                disturbances,
                is_told,
                (now, all),
            ));
            let is_told = |team: &str, start| self.folder.staffing.is_told(team, start);
            staffing.extend(settled::staffing(&day, &counts, is_told, now));
        }
        extend(&self.seen.intervals, self.folder.intervals.tell(intervals)?);
        extend(&self.seen.staffing, self.folder.staffing.tell(staffing)?);
        Ok(())
    }

    fn tell_events(&self, live: &mut LiveDay<'_>, experiment: &Experiment, span: &Span) {
        let names = experiment.names();
        let events = live.take_events();
        if self.seen.happened.receiver_count() == 0 {
            return;
        }
        for event in events {
            let agent = match event.what {
                What::RingsAt { agent }
                | What::Answered { agent }
                | What::Done { agent }
                | What::AgentSignedIn { agent }
                | What::AgentSignedOut { agent } => names.agents.get(agent as usize),
                _ => None,
            };
            let point = match event.what {
                What::Joined { service_point } => names.service_points.get(service_point as usize),
                _ => None,
            };
            let name = agent.map(|(_, name)| name).or(point);
            let is_contact = event.contact > 0;
            let happened = Happened {
                of: if is_contact { "contact" } else { "agent" },
                at: span.at(event.at_secs),
                contact: is_contact.then_some(event.contact),
                contact_type: if is_contact {
                    names.of_kind(event.kind).to_owned()
                } else {
                    String::new()
                },
                what: event.what,
                name: name.cloned().unwrap_or_default(),
            };
            // Nobody listens any more: nothing is lost.
            let _ = self.seen.happened.send(Arc::new(happened));
        }
    }

    fn clock_state(&self, span: &Span, now: Timestamp) -> ClockState {
        let day_began = span.at(span.today_secs());
        ClockState { now, date: span.date, day_began, speed: self.clock.speed() }
    }

    fn bare_state(&self, span: &Span) -> SwitchState {
        SwitchState {
            clock: self.clock_state(span, self.clock.now()),
            release: self.known.release.as_ref().map(|known| known.accepted.clone()),
            interval_secs: self
                .known
                .plans
                .get(&span.date)
                .map_or(1800.0, |plan| plan.interval_secs),
            types: Vec::new(),
            queues: Vec::new(),
            teams: Vec::new(),
            campaigns: Vec::new(),
            present: Present::default(),
            last_interval: self.folder.intervals.rows().len() as u64,
            disturbances: self.known.disturbances_at(self.clock.now()),
        }
    }

    fn state_of(&self, live: &mut LiveDay<'_>, span: &Span) -> SwitchState {
        let (present, counts) = (live.present(), live.counts());
        let bare = self.bare_state(span);
        let plan = self.known.plans.get(&span.date);
        let (Some(strategy), Some(plan)) = (&self.strategy, plan) else { return bare };
        let reading = Reading {
            strategy,
            plan,
            first_step: span.first_step,
            present: &present,
            counts: &counts,
        };
        let members = live.members();
        let on_shift = |step: &str| {
            let of_step = members.iter().find(|(id, ..)| id == step);
            of_step.map_or((0, 0), |&(_, on_shift, free)| (on_shift, free))
        };
        let (types, queues) = (reading.types(), reading.queues(on_shift));
        let (teams, campaigns) = (reading.teams(), reading.campaigns(live.campaigns()));
        let now = span.at(live.now());
        SwitchState {
            clock: self.clock_state(span, now),
            types,
            queues,
            teams,
            campaigns,
            present: present.moved(span.today_secs(), STEP_SECS, plan.interval_secs),
            ..bare
        }
    }

    fn tell(&self, state: SwitchState) {
        self.state.send_replace(Some(Arc::new(state)));
    }

    fn tell_what_is_known(&self) {
        let conduct = Conduct {
            speed: Some(self.clock.speed()),
            until: Some(self.clock.now()),
            disturbances: self.known.disturbances.clone(),
        };
        *self.seen.live.write().unwrap_or_else(|poisoned| poisoned.into_inner()) =
            self.known.live();
        *self.seen.conduct.write().unwrap_or_else(|poisoned| poisoned.into_inner()) = conduct;
    }
}

/// What is said to who asked, and what is known then.
fn apart<T>(done: Answer<(T, Option<Known>)>) -> (Answer<T>, Option<Known>) {
    match done {
        Ok((said, next)) => (Ok(said), next),
        Err(refused) => (Err(refused), None),
    }
}
