//! How many contacts went where, as a trial of the version counted them.

use barometer_simulate::{Names, Summary};
use barometer_strategy::{Folded, Journey, Stop, Strategy, WayEnd};

/// Contacts per replication on each link and at each stop.
pub(in crate::pages::strategy) struct Load {
    /// By link of the journey; `None` for one that the trial did not count.
    pub links: Vec<Option<f64>>,
    /// By stop of the journey.
    pub stops: Vec<f64>,
    /// Contacts offered.
    pub offered: f64,
    /// Mean seconds spent in each queue or hunt group, by step of the strategy.
    pub wait_secs: Vec<Option<f64>>,
}

impl Load {
    /// Of all contacts, or of those of one type.
    pub fn of(
        strategy: &Strategy,
        journey: &Journey,
        names: &Names,
        summary: &Summary,
        only: Option<&str>,
    ) -> Self {
        let only = only.and_then(|only| names.types.iter().position(|name| name == only));
        let flows = match only {
            Some(kind) => summary.type_flows(kind),
            None => summary.flows(),
        };
        let counted = |from: &str, cause: &str| {
            let at = names.flows.iter().position(|flow| flow.from == from && flow.why == cause)?;
            flows.get(at).map(|contacts| contacts.mean)
        };
        let mut received = vec![0.0; strategy.entries.len()];
        let is_meant = |kind: usize| only.is_none_or(|only| only == kind);
        for (kind, name) in names.types.iter().enumerate().filter(|(kind, _)| is_meant(*kind)) {
            let entry = strategy.entry_of(name);
            let at = strategy.entries.iter().position(|each| Some(each) == entry);
            if let Some(at) = at {
                received[at] += summary.of_type(kind).offered.mean;
            }
        }
        let mut links: Vec<Option<f64>> = journey
            .links
            .iter()
            .map(|link| match journey.stops[link.from] {
                Stop::Entry(at) => {
                    let entry = &strategy.entries[at].name;
                    match link.cause.as_str() {
                        "" => Some(received[at] - counted(entry, "blocked").unwrap_or(0.0)),
                        // What is heard before the first step leads there.
                        cause => counted(entry, cause),
                    }
                }
                Stop::Step(at) => counted(&strategy.steps[at].name, &link.cause),
                // What campaigns dial is no part of what comes in.
                Stop::Campaign(_) | Stop::End(_) => None,
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
        stops[..received.len()].copy_from_slice(&received);
        for (link, contacts) in journey.links.iter().zip(&links) {
            stops[link.to] += contacts.unwrap_or(0.0);
        }
        let wait_secs = strategy.steps.iter().map(|step| {
            let point = names.service_points.iter().position(|name| *name == step.name)?;
            summary.of_service_point(point).wait_secs.map(|wait| wait.mean)
        });
        Self { links, stops, offered: received.iter().sum(), wait_secs: wait_secs.collect() }
    }

    /// The same where ways are folded: what went on the links that one stands for, together.
    pub fn folded(&self, folded: &Folded) -> Self {
        let together = |links: &Vec<usize>| {
            let counted = links.iter().filter_map(|&at| self.links[at]);
            counted.fold(None, |sum, contacts| Some(sum.unwrap_or(0.0) + contacts))
        };
        // What comes to a stop that stays is what came before.
        let mut stops = vec![0.0; folded.journey.stops.len()];
        for (at, contacts) in self.stops.iter().enumerate() {
            if !folded.behind.iter().any(|behind| behind.contains(&at)) {
                stops[folded.place[at]] = *contacts;
            }
        }
        Self {
            links: folded.stands_for.iter().map(together).collect(),
            stops,
            offered: self.offered,
            wait_secs: self.wait_secs.clone(),
        }
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

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_simulate::{
        Arrivals, Cover, Demand, DemandInterval, Experiment, People, TeamCover, TypeDemand,
    };
    use barometer_strategy::{Customers, StepKind};
    use jiff::Timestamp;
    use jiff::tz::TimeZone;

    /// A hundred calls in half an hour, for one person.
    fn played(strategy: &Strategy) -> (Names, Summary) {
        let demand = Demand {
            start: Timestamp::UNIX_EPOCH,
            zone: TimeZone::UTC,
            interval_secs: 1800.0,
            types: vec![TypeDemand {
                name: "Bookings".to_owned(),
                customers: Customers::calls(180.0, Some(60.0)),
                within_secs: 20.0,
                intervals: vec![DemandInterval { contacts: 100.0, handle_secs: 180.0 }],
                arrivals: Arrivals::Counted,
                luck: None,
            }],
        };
        let team = strategy.teams[0].id.clone();
        let cover = Cover { teams: vec![TeamCover { team, people: People::Counted(vec![1]) }] };
        let experiment = Experiment::new(strategy, &demand, &cover, 20, 1).unwrap();
        (experiment.names().clone(), experiment.play_part(0..20).unwrap())
    }

    #[test]
    fn what_comes_in_goes_somewhere_and_most_of_it_is_lost_in_the_one_queue() {
        let mut strategy = Strategy::plain("Bookings");
        if let StepKind::Queue(queue) = &mut strategy.steps[0].does {
            queue.places = Some(5);
        }
        let (names, summary) = played(&strategy);
        let journey = strategy.journey();
        let load = Load::of(&strategy, &journey, &names, &summary, None);
        assert_eq!((load.offered, load.stops[0], load.stops[1]), (100.0, 100.0, 100.0));
        // Everybody is answered, gives up or finds no place: after the last interval the rest is served.
        let ends: f64 = load.stops[2..].iter().sum();
        assert!((ends - 100.0).abs() < 1e-9, "{ends}");
        let (stop, lost, cause) = load.worst(&journey).expect("one person cannot answer a hundred");
        assert_eq!(journey.stops[stop], Stop::Step(0));
        assert!(lost > 50.0 && ["full", "patience ended"].contains(&cause), "{lost} by {cause}");
        assert!(load.wait_secs[0].is_some_and(|secs| secs > 1.0));
    }

    #[test]
    fn contacts_of_one_type_are_drawn_alone_and_all_types_come_to_the_whole() {
        let strategy = Strategy::plain("Bookings");
        let (names, summary) = played(&strategy);
        let journey = strategy.journey();
        let of = |only| Load::of(&strategy, &journey, &names, &summary, only);
        let (all, only) = (of(None), of(Some("Bookings")));
        assert_eq!((all.links, all.stops), (only.links, only.stops), "there is no other type");
        let unknown = of(Some("Letters"));
        assert_eq!(unknown.offered, 100.0, "a type that was not tried is not asked for");
    }

    #[test]
    fn who_is_blocked_is_drawn_apart_from_those_who_go_on() {
        let mut strategy = Strategy::plain("Bookings");
        strategy.entries[0].blocked = vec!["+33*".to_owned()];
        let (names, summary) = played(&strategy);
        let journey = strategy.journey();
        let load = Load::of(&strategy, &journey, &names, &summary, None);
        let way = |cause: &str| {
            journey.links.iter().position(|link| link.from == 0 && link.cause == cause).unwrap()
        };
        // Nobody's number is known in this trial, so nobody is blocked.
        assert_eq!((load.links[way("blocked")], load.links[way("")]), (Some(0.0), Some(100.0)));
        // A trial that did not count it says nothing of it.
        let before = Names { flows: Vec::new(), ..names };
        let load = Load::of(&strategy, &journey, &before, &summary, None);
        assert_eq!((load.links[way("blocked")], load.links[way("")]), (None, Some(100.0)));
    }

    #[test]
    fn a_folded_way_carries_what_went_on_all_that_it_stands_for() {
        let strategy = Strategy::plain("Bookings");
        let (names, summary) = played(&strategy);
        let journey = strategy.journey();
        let load = Load::of(&strategy, &journey, &names, &summary, None);
        let folded = journey.folded(&[0]);
        let drawn = load.folded(&folded);
        assert_eq!((drawn.stops[0], drawn.offered), (100.0, 100.0));
        let ends: f64 = drawn.links.iter().flatten().sum();
        assert!((ends - 100.0).abs() < 1e-9, "the entry leads straight to the ends: {ends}");
        assert_eq!(drawn.stops[1..], load.stops[2..], "as many come to each end as before");
        assert_eq!(load.folded(&journey.folded(&[])).links, load.links);
    }

    #[test]
    fn a_step_that_the_trial_did_not_have_has_no_width() {
        let strategy = Strategy::plain("Bookings");
        let (names, summary) = played(&strategy);
        let mut renamed = strategy.clone();
        renamed.steps[0].name = "Another queue".to_owned();
        let journey = renamed.journey();
        let load = Load::of(&renamed, &journey, &names, &summary, None);
        assert_eq!(load.links[0], Some(100.0), "the entry's contacts come as before");
        assert!(load.links[1..].iter().all(Option::is_none));
        assert_eq!(load.worst(&journey), None);
    }
}
