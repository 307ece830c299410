//! A small centre whose parts a test changes one by one.

use barometer_simulate::{
    Arrivals, Cover, Demand, DemandInterval, Estimate, Experiment, People, Stretch, Summary,
    TeamCover, TypeDemand,
};
use barometer_strategy::{
    Customers, Duration, Entry, HuntGroup, Member, Members, Next, Offering, Queue, Step, StepKind,
    Strategy, Team,
};

/// A strategy with its demand and cover.
#[derive(Clone, Debug)]
pub struct Scene {
    pub strategy: Strategy,
    pub demand: Demand,
    pub cover: Cover,
}

pub const HALF_HOUR: f64 = 1800.0;

impl Scene {
    /// One queue and one team, so many contacts a minute for so many half-hours.
    pub fn line(per_minute: f64, half_hours: usize, agents: u32) -> Self {
        let demand = Demand {
            start: jiff::Timestamp::UNIX_EPOCH,
            zone: jiff::tz::TimeZone::UTC,
            interval_secs: HALF_HOUR,
            types: vec![contacts("Calls", per_minute, half_hours, Customers::calls(180.0, None))],
        };
        Self {
            strategy: Strategy::plain("Calls"),
            demand,
            cover: Cover { teams: vec![team_cover("team", agents, half_hours)] },
        }
    }

    /// The same, with exponential handle times and patience.
    pub fn handled(mut self, handle_secs: f64, patience_secs: Option<f64>) -> Self {
        for each in &mut self.demand.types {
            each.customers.handling = Duration::exponential(handle_secs);
            each.customers.patience = patience_secs.map(Duration::exponential);
            each.intervals.iter_mut().for_each(|interval| interval.handle_secs = handle_secs);
        }
        self
    }

    pub fn customers(&mut self) -> &mut Customers {
        &mut self.demand.types[0].customers
    }

    pub fn queue(&mut self) -> &mut Queue {
        self.strategy.first_queue_mut().unwrap()
    }

    pub fn team(&mut self) -> &mut Team {
        &mut self.strategy.teams[0]
    }

    /// Another contact type, which comes in where nothing else does unless an entry names it.
    pub fn add_type(&mut self, name: &str, per_minute: f64, customers: Customers) {
        let half_hours = self.demand.len();
        self.demand.types.push(contacts(name, per_minute, half_hours, customers));
    }

    /// An entry of its own for a contact type.
    pub fn add_entry(&mut self, name: &str, first: &str) {
        let (name, first) = (name.to_owned(), Next::step(first));
        self.strategy.entries.push(Entry::named(&name, vec![name.clone()], first));
    }

    pub fn add_step(&mut self, id: &str, does: StepKind) {
        self.strategy.steps.push(Step { id: id.to_owned(), name: id.to_owned(), does });
    }

    pub fn add_team(&mut self, id: &str, agents: u32) -> &mut Team {
        let half_hours = self.demand.len();
        self.cover.teams.push(team_cover(id, agents, half_hours));
        self.strategy.teams.push(Team::named(id, id));
        self.strategy.teams.last_mut().unwrap()
    }

    /// A hunt group of the first team in place of the queue.
    pub fn hunt(&mut self, offering: Offering) -> &mut HuntGroup {
        let group = HuntGroup {
            short_number: None,
            recording: None,
            members: vec![Member { who: Members::Team("team".to_owned()), rank: 1, wave: 0 }],
            rings: Default::default(),
            waves_secs: Vec::new(),
            group_limit_secs: None,
            places: None,
            priority: 0,
            offering,
            exits: Default::default(),
        };
        self.strategy.steps[0].does = StepKind::HuntGroup(group);
        self.group()
    }

    pub fn group(&mut self) -> &mut HuntGroup {
        match &mut self.strategy.steps[0].does {
            StepKind::HuntGroup(group) => group,
            other => panic!("no hunt group: {other:?}"),
        }
    }

    /// Agents by name with hours of their own, as pairs of from and until in seconds.
    pub fn rostered(&mut self, team: usize, hours: &[(f64, f64)]) {
        let name = |nth: usize| format!("Agent {nth}");
        self.strategy.teams[team].agents = (0..hours.len())
            .map(|nth| barometer_strategy::Agent {
                name: name(nth),
                skills: None,
                ranks: Default::default(),
                short_number: None,
                port: None,
            })
            .collect();
        let stretches = hours.iter().enumerate().map(|(nth, &(from_secs, until_secs))| Stretch {
            agent: name(nth),
            from_secs,
            until_secs,
        });
        self.cover.teams[team].people = People::Rostered(stretches.collect());
    }

    pub fn experiment(&self, replications: u32, seed: u64) -> Experiment {
        Experiment::new(&self.strategy, &self.demand, &self.cover, replications, seed).unwrap()
    }

    pub fn play(&self, replications: u32, seed: u64) -> Summary {
        play(&self.experiment(replications, seed))
    }
}

/// All days of an experiment.
pub fn play(experiment: &Experiment) -> Summary {
    let mut summary = experiment.summary();
    let days = experiment.play_range(0..experiment.replications()).unwrap();
    days.iter().for_each(|day| summary.add(day));
    summary
}

fn contacts(name: &str, per_minute: f64, half_hours: usize, customers: Customers) -> TypeDemand {
    let handle_secs = customers.handling.mean_secs();
    let interval = DemandInterval { contacts: per_minute * 30.0, handle_secs };
    TypeDemand {
        name: name.to_owned(),
        customers,
        within_secs: 20.0,
        intervals: vec![interval; half_hours],
        arrivals: Arrivals::Random,
        luck: None,
    }
}

pub fn team_cover(team: &str, agents: u32, half_hours: usize) -> TeamCover {
    TeamCover { team: team.to_owned(), people: People::Counted(vec![agents; half_hours]) }
}

/// Estimates may miss the exact value by this many standard errors, which a right engine passes in
/// all but a few of a hundred thousand comparisons with the replications used here.
const BOUND: f64 = 4.5;

/// The estimate agrees with the exact value, and is sharp enough for that to mean something.
pub fn assert_agrees(what: &str, got: impl Into<Option<Estimate>>, exact: f64, most_error: f64) {
    let got = got.into().unwrap_or_else(|| panic!("{what}: nothing to estimate"));
    let error = got.error.unwrap();
    assert!(error < most_error, "{what} is too noisy to mean anything: {error}");
    let off = if error > 0.0 { (got.mean - exact).abs() / error } else { (got.mean - exact).abs() };
    assert!(off < BOUND, "{what}: {} against {exact}, off by {off:.2} errors", got.mean);
}
