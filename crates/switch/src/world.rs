//! The world of the switch: one thread that moves a live day on by the clock, and does what it is told.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender};
use std::sync::{Arc, RwLock};
use std::time::Duration;

use barometer_simulate::{
    Arrivals, Carried, Cover, Demand, DemandInterval, Experiment, LiveDay, People, Present,
    TeamCover, TypeDemand,
};
use barometer_strategy::Strategy;
use barometer_wire::{
    Accepted, Caller, ClockState, Conduct, DayPlan, Disturbance, IntervalPage, IntervalRow, Live,
    Release, SwitchState, digest,
};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp, ToSpan};
use serde::{Deserialize, Serialize};
use tokio::sync::{broadcast, oneshot, watch};

use crate::clock::{Clock, MOST_SPEED};
use crate::folder::{Folder, FolderError, KeptClock};
use crate::settled::{self, PlannedDay};
use crate::state::Reading;
use crate::truth::{self, STEP_SECS};

/// How often the state is told anew.
const TICK: Duration = Duration::from_millis(200);
/// Moments that the world moves on at most before it tells its state, in seconds of its clock.
const STRIDE_SECS: f64 = 1800.0;
/// Days whose plans are kept after they are over.
const DAYS_KEPT: i64 = 2;
/// Disturbances that are kept, at most.
const MOST_DISTURBANCES: usize = 200;
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

/// Everything that was told to the switch.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct Known {
    /// Tells this switch from one that has begun anew.
    switch: String,
    release: Option<KnownRelease>,
    plans: BTreeMap<Date, DayPlan>,
    disturbances: Vec<Disturbance>,
    /// Contact types in the order in which they were met first: their numbers stay the same.
    types: Vec<String>,
    /// The day that the world is in; none before it has begun.
    date: Option<Date>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
struct KnownRelease {
    release: Release,
    accepted: Accepted,
}

/// Why something is not done.
#[derive(Debug)]
pub(crate) enum Refused {
    /// It contradicts what was told before.
    Conflict(String),
    /// It cannot be done.
    Impossible(String),
    /// The switch has failed.
    Failed(String),
}

pub(crate) type Answer<T> = Result<T, Refused>;

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
    pub what: barometer_simulate::What,
    #[serde(skip_serializing_if = "String::is_empty")]
    pub name: String,
}

/// What others can see of the world.
#[derive(Clone)]
pub(crate) struct Seen {
    pub state: watch::Receiver<Option<Arc<SwitchState>>>,
    pub happened: broadcast::Sender<Arc<Happened>>,
    rows: Arc<RwLock<Vec<IntervalRow>>>,
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

    pub fn rows(&self, after: u64, limit: usize) -> IntervalPage {
        let rows = self.rows.read().unwrap_or_else(|poisoned| poisoned.into_inner());
        let from = usize::try_from(after).unwrap_or(usize::MAX).min(rows.len());
        let page = rows[from..].iter().take(limit).cloned().collect();
        IntervalPage { rows: page, last: rows.len() as u64 }
    }
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
            rows: Arc::new(RwLock::new(folder.told.clone())),
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

/// The days between which the world is: yesterday, of which somebody may still be there, and today.
struct Span {
    date: Date,
    origin: Timestamp,
    /// Where today begins, in steps after the origin.
    first_step: usize,
    steps: usize,
}

impl Span {
    fn secs(&self, at: Timestamp) -> f64 {
        at.duration_since(self.origin).as_secs_f64()
    }

    fn at(&self, secs: f64) -> Timestamp {
        let later = SignedDuration::from_secs_f64(secs);
        self.origin.checked_add(later).unwrap_or(Timestamp::MAX)
    }

    fn end_secs(&self) -> f64 {
        self.steps as f64 * STEP_SECS
    }
}

/// How the world goes on.
enum Next {
    /// With everybody who is there, by what is known now.
    GoesOn(Option<Box<Carried>>),
    Stops,
}

fn read(release: &Release) -> Result<Strategy, String> {
    Strategy::from_json(&release.strategy.to_string()).map_err(|error| error.to_string())
}

fn start_of(date: Date, zone: &TimeZone) -> Timestamp {
    date.to_zoned(zone.clone()).map_or(Timestamp::UNIX_EPOCH, |start| start.timestamp())
}

impl World {
    fn zone(&self) -> TimeZone {
        let named = self.known.plans.values().next_back();
        let zone = named.and_then(|plan| TimeZone::get(&plan.zone).ok());
        zone.unwrap_or_else(|| self.zone.clone())
    }

    fn span(&self, date: Date) -> Span {
        let zone = self.zone();
        let yesterday = date.yesterday().unwrap_or(date);
        let origin = start_of(yesterday, &zone);
        let [today, tomorrow] =
            [date, date.tomorrow().unwrap_or(date)].map(|date| start_of(date, &zone));
        let steps =
            |at: Timestamp| (at.duration_since(origin).as_secs_f64() / STEP_SECS).round() as usize;
        Span { date, origin, first_step: steps(today), steps: steps(tomorrow) }
    }

    /// What is played; none as long as there is no strategy, or nothing to play it with.
    fn experiment(&self, known: &Known, span: &Span) -> Option<Result<Experiment, String>> {
        let release = known.release.as_ref()?;
        let plan = known.plans.get(&span.date)?;
        let strategy = match read(&release.release) {
            Ok(strategy) => strategy,
            Err(message) => return Some(Err(message)),
        };
        let before = span.date.yesterday().ok().and_then(|date| known.plans.get(&date));
        let types = known.types.iter().filter_map(|name| {
            let of = |plan: &'_ DayPlan| -> Option<Caller> {
                plan.callers.iter().find(|caller| caller.contact_type == *name).cloned()
            };
            let any = || known.plans.values().find_map(of);
            let today = of(plan);
            let caller = today.clone().or_else(any)?;
            let handle_secs = caller.customers.handling.mean_secs();
            let nobody = DemandInterval { contacts: 0.0, handle_secs };
            let mut intervals = vec![nobody; span.first_step];
            // Who came yesterday is handled as long as contacts took then.
            if let Some((plan, caller)) = before.and_then(|plan| Some((plan, of(plan)?))) {
                for (step, came) in intervals.iter_mut().zip(self.demand(known, plan, &caller)) {
                    step.handle_secs = came.handle_secs;
                }
            }
            intervals.extend(today.iter().flat_map(|caller| self.demand(known, plan, caller)));
            intervals.resize(span.steps, nobody);
            Some(TypeDemand {
                name: name.clone(),
                customers: caller.customers,
                within_secs: caller.within_secs,
                intervals,
                arrivals: Arrivals::Random,
                luck: None,
            })
        });
        let demand = Demand {
            start: span.origin,
            zone: self.zone(),
            interval_secs: STEP_SECS,
            types: types.collect(),
        };
        let teams = plan.teams.iter().filter(|team| {
            // A team that this strategy does not have has nothing to do.
            strategy.teams.iter().any(|known| known.id == team.team)
        });
        let cover = teams.map(|team| {
            let mut people = vec![0; span.first_step];
            people.extend(truth::people(plan, team, &known.disturbances, self.seed));
            people.resize(span.steps, 0);
            TeamCover { team: team.team.clone(), people: People::Counted(people) }
        });
        let cover = Cover { teams: cover.collect() };
        let experiment = Experiment::new(&strategy, &demand, &cover, 1, self.seed);
        Some(experiment.map_err(|error| error.to_string()))
    }

    fn demand(&self, known: &Known, plan: &DayPlan, caller: &Caller) -> Vec<DemandInterval> {
        truth::demand(plan, caller, &known.disturbances, self.seed)
    }

    fn run(&mut self, mut carried: Option<Carried>) -> Result<(), FolderError> {
        loop {
            let date =
                *self.known.date.get_or_insert(self.clock.now().to_zoned(self.zone.clone()).date());
            let span = self.span(date);
            let release = self.known.release.as_ref();
            self.strategy = release.and_then(|known| read(&known.release).ok()).map(Arc::new);
            self.tell_what_is_known();
            let next = match self.experiment(&self.known, &span) {
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
        self.known.date = Some(tomorrow);
        let kept_from = tomorrow.saturating_sub(DAYS_KEPT.days());
        self.known.plans.retain(|date, _| *date >= kept_from);
        let began = start_of(kept_from, &self.zone());
        self.known.disturbances.retain(|each| {
            let (from, minutes) = truth::span(each);
            truth::goes_on(from, minutes, began) || from >= began
        });
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
        // Who asked may have gone meanwhile; then nobody hears the answer.
        match command {
            Command::Publish(release, answer) => {
                let done = self.publish(*release, span);
                let is_other = matches!(done, Ok((_, true)));
                if is_other {
                    self.folder.keep(&self.known, carried)?;
                }
                self.tell_what_is_known();
                let _ = answer.send(done.map(|(accepted, _)| accepted));
                Ok(is_other)
            }
            Command::Plan(plan, answer) => {
                let done = self.plan(*plan, span);
                let is_other = matches!(done, Ok(true));
                if is_other {
                    self.folder.keep(&self.known, carried)?;
                }
                self.tell_what_is_known();
                let _ = answer.send(done.map(|_| ()));
                Ok(is_other)
            }
            Command::Conduct(conduct, answer) => {
                let done = self.conduct(conduct);
                let is_other = matches!(done, Ok(true));
                if is_other {
                    self.folder.keep(&self.known, carried)?;
                }
                self.keep_clock()?;
                self.tell_what_is_known();
                let _ = answer.send(done.map(|_| self.seen.conduct()));
                Ok(is_other)
            }
            Command::Stop => Ok(false),
        }
    }

    /// Makes a release live; says whether it was not yet.
    fn publish(&mut self, release: Release, span: &Span) -> Answer<(Accepted, bool)> {
        if digest(&release.strategy) != release.digest {
            return Err(Refused::Impossible("the digest is not that of the strategy".to_owned()));
        }
        if let Some(live) = &self.known.release {
            let same = live.release.number == release.number;
            if same && live.release.digest == release.digest {
                return Ok((live.accepted.clone(), false));
            }
            if same {
                let number = release.number;
                return Err(Refused::Conflict(format!(
                    "release {number} stands for another strategy already"
                )));
            }
            if release.number < live.release.number {
                return Err(Refused::Conflict(format!(
                    "release {} is live, which is later than {}",
                    live.release.number, release.number
                )));
            }
        }
        let strategy = read(&release).map_err(Refused::Impossible)?;
        if let Some(fault) = strategy.faults().into_iter().next() {
            let message = format!("{}: {}", fault.field, fault.message);
            return Err(Refused::Impossible(message));
        }
        let accepted = Accepted {
            number: release.number,
            digest: release.digest.clone(),
            since: self.clock.now(),
        };
        let known = KnownRelease { release, accepted: accepted.clone() };
        let next = Known { release: Some(known), ..self.known.clone() };
        if let Some(Err(message)) = self.experiment(&next, span) {
            return Err(Refused::Impossible(message));
        }
        self.known = next;
        Ok((accepted, true))
    }

    /// Takes the plan of a day over; says whether the world is another one by it.
    fn plan(&mut self, plan: DayPlan, span: &Span) -> Answer<bool> {
        check(&plan).map_err(Refused::Impossible)?;
        if self.known.plans.get(&plan.date) == Some(&plan) {
            return Ok(false);
        }
        let mut next = self.known.clone();
        for caller in &plan.callers {
            if !next.types.contains(&caller.contact_type) {
                next.types.push(caller.contact_type.clone());
            }
        }
        next.plans.insert(plan.date, plan);
        if let Some(Err(message)) = self.experiment(&next, span) {
            return Err(Refused::Impossible(message));
        }
        self.known = next;
        Ok(true)
    }

    /// Behaves as told; says whether the world is another one by it.
    fn conduct(&mut self, conduct: Conduct) -> Answer<bool> {
        let fits = |speed: f64| (0.0..=MOST_SPEED).contains(&speed);
        if conduct.speed.is_some_and(|speed| !fits(speed)) {
            return Err(Refused::Impossible("speed: 0 to 600 seconds a second".to_owned()));
        }
        for disturbance in &conduct.disturbances {
            check_disturbance(disturbance).map_err(Refused::Impossible)?;
        }
        let fresh: Vec<Disturbance> = conduct
            .disturbances
            .into_iter()
            .filter(|disturbance| !self.known.disturbances.contains(disturbance))
            .collect();
        if self.known.disturbances.len() + fresh.len() > MOST_DISTURBANCES {
            return Err(Refused::Impossible(
                "disturbances: too much goes wrong already".to_owned(),
            ));
        }
        if let Some(speed) = conduct.speed {
            self.clock.run_at(speed);
        }
        if let Some(until) = conduct.until {
            self.clock.skip_to(until);
        }
        let is_other = !fresh.is_empty();
        self.known.disturbances.extend(fresh);
        Ok(is_other)
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
        let mut rows = Vec::new();
        for (date, first_step, all) in
            [(yesterday, 0, is_last), (span.date, span.first_step, false)]
        {
            let Some(plan) = self.known.plans.get(&date) else { continue };
            let day = PlannedDay { plan, first_step };
            let is_told = |name: &str, start: Timestamp| {
                self.folder.is_told.contains(&(name.to_owned(), start))
            };
            let disturbances = &self.known.disturbances;
            rows.extend(settled::rows(
                &day,
                &counts,
                &under_way,
                disturbances,
                is_told,
                (now, all),
            ));
        }
        let told = self.folder.told.len() as u64;
        for (nth, row) in rows.iter_mut().enumerate() {
            row.sequence = told + nth as u64 + 1;
        }
        self.folder.tell(rows.clone())?;
        let mut seen = self.seen.rows.write().unwrap_or_else(|poisoned| poisoned.into_inner());
        seen.extend(rows);
        Ok(())
    }

    fn tell_events(&self, live: &mut LiveDay<'_>, experiment: &Experiment, span: &Span) {
        use barometer_simulate::What;
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
        let day_began = span.at(span.first_step as f64 * STEP_SECS);
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
            last_interval: self.folder.told.len() as u64,
            disturbances: self.disturbances_at(self.clock.now()),
        }
    }

    fn disturbances_at(&self, at: Timestamp) -> Vec<Disturbance> {
        let all = self.known.disturbances.iter().filter(|each| {
            let (from, minutes) = truth::span(each);
            truth::goes_on(from, minutes, at)
        });
        all.cloned().collect()
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
        let began_secs = span.first_step as f64 * STEP_SECS;
        SwitchState {
            clock: self.clock_state(span, now),
            types,
            queues,
            teams,
            campaigns,
            present: present.moved(began_secs, STEP_SECS, plan.interval_secs),
            ..bare
        }
    }

    fn tell(&self, state: SwitchState) {
        self.state.send_replace(Some(Arc::new(state)));
    }

    fn tell_what_is_known(&self) {
        let release = self.known.release.as_ref();
        let live = Live {
            switch: self.known.switch.clone(),
            release: release.map(|known| known.accepted.clone()),
            version: release.map(|known| known.release.version),
            days: self.known.plans.iter().map(|(date, plan)| (*date, plan.digest())).collect(),
        };
        let conduct = Conduct {
            speed: Some(self.clock.speed()),
            until: Some(self.clock.now()),
            disturbances: self.known.disturbances.clone(),
        };
        *self.seen.live.write().unwrap_or_else(|poisoned| poisoned.into_inner()) = live;
        *self.seen.conduct.write().unwrap_or_else(|poisoned| poisoned.into_inner()) = conduct;
    }
}

/// What does not add up in a plan.
fn check(plan: &DayPlan) -> Result<(), String> {
    let zone =
        TimeZone::get(&plan.zone).map_err(|_| format!("zone: “{}” is no time zone", plan.zone))?;
    if start_of(plan.date, &zone) != plan.start {
        return Err(format!("start: {} does not begin then in {}", plan.date, plan.zone));
    }
    let steps = plan.interval_secs / STEP_SECS;
    if !(1.0..=24.0).contains(&steps) || steps.fract() != 0.0 {
        return Err("interval_secs: a multiple of 300, at most 7200".to_owned());
    }
    let tomorrow = plan.date.tomorrow().map_err(|error| error.to_string())?;
    let day_secs = start_of(tomorrow, &zone).duration_since(plan.start).as_secs_f64();
    let intervals = (day_secs / plan.interval_secs).round() as usize;
    let people = plan.teams.iter().map(|team| (&team.team, team.people.len()));
    let expected = plan.callers.iter().map(|caller| (&caller.contact_type, caller.intervals.len()));
    for (name, got) in people.chain(expected) {
        if got != intervals {
            return Err(format!("{name}: {got} intervals, and the day has {intervals}"));
        }
    }
    Ok(())
}

fn check_disturbance(disturbance: &Disturbance) -> Result<(), String> {
    let (_, minutes) = truth::span(disturbance);
    if !(minutes > 0.0 && minutes <= 1440.0) {
        return Err("minutes: more than 0, at most 1440".to_owned());
    }
    match disturbance {
        Disturbance::Storm { factor, .. } if !(*factor >= 0.0 && *factor <= 20.0) => {
            Err("factor: 0 to 20".to_owned())
        }
        _ => Ok(()),
    }
}
