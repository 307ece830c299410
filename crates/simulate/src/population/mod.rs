//! Who comes in, and when: populations, one for each contact type, merged by time.

mod by_interval;
mod counted;
mod expected;
mod forecast_drawn;

use barometer_routing::{ContactTypeId, Id, Seconds, Table};

use crate::draws::Key;
use crate::experiment::Arrivals as Manner;
use crate::model::Model;
use by_interval::ByInterval;
use counted::Counted;
use forecast_drawn::ForecastDrawn;

/// Where the contacts of one type come from, one after the other. Each is drawn from a stream of its
/// own, so the same customers come to every strategy.
pub(crate) trait Population {
    /// A replication begins: these are its draws.
    fn begin(&mut self, key: Key);
    /// Contacts that this replication expects.
    fn expected(&self) -> f64;
    /// When the next one comes in; infinite when nobody does any more.
    fn next_at(&self) -> Seconds;
    /// Takes the next one.
    fn take(&mut self) -> Newcomer;
}

/// A contact that comes in for the first time.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Newcomer {
    /// Its draws.
    pub key: Key,
    /// The interval in which it comes in.
    pub interval: usize,
}

/// All populations of an experiment.
pub(crate) struct Arrivals<'m> {
    populations: Table<ContactTypeId, Box<dyn Population + Send + 'm>>,
    /// When the next contact of each comes.
    times: Table<ContactTypeId, Seconds>,
    /// Whose contact comes next, and when.
    next: ContactTypeId,
    next_at: Seconds,
}

impl<'m> Arrivals<'m> {
    pub fn of(model: &'m Model) -> Self {
        let populations = model.contact_types.iter().map(|of_type| -> Box<dyn Population + Send> {
            match of_type.arrivals {
                Manner::Random => Box::new(ByInterval::<ForecastDrawn>::new(of_type, model)),
                Manner::Counted => Box::new(ByInterval::<Counted>::new(of_type, model)),
            }
        });
        Self {
            populations: populations.collect(),
            times: vec![f64::INFINITY; model.contact_types.len()].into(),
            next: ContactTypeId::at(0),
            next_at: f64::INFINITY,
        }
    }

    pub fn begin(&mut self, key: Key) {
        for (place, population) in self.populations.iter_mut().enumerate() {
            population.begin(key.of(place as u64 + 1));
            self.times[ContactTypeId::at(place)] = population.next_at();
        }
        self.find_next();
    }

    /// Contacts that this replication expects.
    pub fn expected(&self) -> f64 {
        self.populations.iter().map(|population| population.expected()).sum()
    }

    pub fn next_at(&self) -> Seconds {
        self.next_at
    }

    pub fn take(&mut self) -> (ContactTypeId, Newcomer) {
        let contact_type = self.next;
        let population = &mut self.populations[contact_type];
        let newcomer = population.take();
        self.times[contact_type] = population.next_at();
        self.find_next();
        (contact_type, newcomer)
    }

    #[inline]
    fn find_next(&mut self) {
        self.next_at = f64::INFINITY;
        for (contact_type, &at) in self.times.numbered() {
            if at < self.next_at {
                (self.next, self.next_at) = (contact_type, at);
            }
        }
    }
}
