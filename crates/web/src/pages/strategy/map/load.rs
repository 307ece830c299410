//! How many contacts went where, as a trial of the version counted them.

use barometer_simulate::{Names, Summary};
use barometer_strategy::{Journey, Stop, Strategy, WayEnd};

/// Contacts per replication on each link and at each stop.
pub(in crate::pages::strategy) struct Load {
    /// By link of the journey; `None` for one that the trial did not count.
    pub links: Vec<Option<f64>>,
    /// By stop of the journey.
    pub stops: Vec<f64>,
    /// Contacts that came in.
    pub offered: f64,
    /// Mean seconds spent in each queue or hunt group, by step of the strategy.
    pub wait_secs: Vec<Option<f64>>,
}

impl Load {
    pub fn of(strategy: &Strategy, journey: &Journey, names: &Names, summary: &Summary) -> Self {
        let flows = summary.flows();
        let counted = |from: &str, cause: &str| {
            let at = names.flows.iter().position(|flow| flow.from == from && flow.why == cause)?;
            flows.get(at).map(|contacts| contacts.mean)
        };
        let mut came = vec![0.0; strategy.entries.len()];
        for (kind, name) in names.types.iter().enumerate() {
            let entry = strategy.entry_of(name);
            let at = strategy.entries.iter().position(|each| Some(each) == entry);
            if let Some(at) = at {
                came[at] += summary.of_type(kind).offered.mean;
            }
        }
        let mut links: Vec<Option<f64>> = journey
            .links
            .iter()
            .map(|link| match journey.stops[link.from] {
                Stop::Entry(at) => Some(came[at]),
                Stop::Step(at) => counted(&strategy.steps[at].name, &link.cause),
                Stop::End(_) => None,
            })
            .collect();
        // A callback that was accepted while waiting ends like one that was accepted at its step.
        for at in 0..journey.links.len() {
            let link = &journey.links[at];
            if journey.stops[link.to] == Stop::End(WayEnd::CalledBack) {
                let before = journey.links.iter().zip(&links);
                let accepted: f64 = before
                    .filter(|(other, _)| other.to == link.from && other.exit.is_none())
                    .filter_map(|(_, contacts)| *contacts)
                    .sum();
                links[at] = links[at].map(|contacts| contacts + accepted);
            }
        }
        let mut stops = vec![0.0; journey.stops.len()];
        stops[..came.len()].copy_from_slice(&came);
        for (link, contacts) in journey.links.iter().zip(&links) {
            stops[link.to] += contacts.unwrap_or(0.0);
        }
        let wait_secs = strategy.steps.iter().map(|step| {
            let point = names.service_points.iter().position(|name| *name == step.name)?;
            summary.of_service_point(point).wait_secs.map(|wait| wait.mean)
        });
        Self { links, stops, offered: came.iter().sum(), wait_secs: wait_secs.collect() }
    }

    /// The queue or hunt group from which most contacts are lost: its stop, how many, and the cause that
    /// takes most of them.
    pub fn worst<'a>(&self, journey: &'a Journey) -> Option<(usize, f64, &'a str)> {
        let mut lost = vec![(0.0, 0.0, ""); journey.stops.len()];
        for (link, contacts) in journey.links.iter().zip(&self.links) {
            let is_lost = matches!(journey.stops[link.to], Stop::End(end) if end.is_lost());
            if let (true, Some(contacts)) = (is_lost, contacts) {
                let (sum, most, cause) = &mut lost[link.from];
                *sum += contacts;
                if contacts > most {
                    (*most, *cause) = (*contacts, link.cause.as_str());
                }
            }
        }
        let worst = lost.into_iter().enumerate().max_by(|a, b| a.1.0.total_cmp(&b.1.0));
        worst.filter(|(_, lost)| lost.0 > 0.0).map(|(at, (sum, _, cause))| (at, sum, cause))
    }
}
