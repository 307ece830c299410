//! A line with a limited number of places, with patience or without.

use crate::erlang_c::fewest_stable;
use crate::figures::{Figures, LevelOf};
use crate::line::Line;
use crate::scaled::weight_below_full;
use crate::station::Station;
use crate::traffic::{QueueError, Traffic, positive};

/// M/M/n/(n + places) with or without exponential patience, in its steady state: who finds every
/// server busy takes a place to wait in, who finds no place is refused.
///
/// With no places this is Erlang B, without limit Erlang A or C.
#[derive(Clone, Copy, Debug)]
pub struct FinitePlaces {
    station: Station,
    figures: Figures,
}

impl FinitePlaces {
    /// The steady state of `traffic` on `servers` with `places` to wait in (`None`: no limit) and a
    /// mean patience of `patience_secs` (`None`: contacts wait for ever).
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for a bad patience, [`QueueError::Unstable`] for an endless line
    /// of the patient that grows, [`QueueError::TooLarge`] for more than 200 million states.
    ///
    /// # Source
    ///
    /// The birth-death chain; Gross, Shortle, Thompson and Harris, *Fundamentals of Queueing
    /// Theory* (2008), section 2.5; waits as in the method note.
    pub fn new(
        traffic: Traffic,
        servers: u32,
        places: Option<u32>,
        patience_secs: Option<f64>,
    ) -> Result<Self, QueueError> {
        let giving_up = match patience_secs {
            Some(secs) => 1.0 / positive("mean patience in seconds", secs)?,
            None => 0.0,
        };
        let erlangs = traffic.offered_erlangs();
        let arrivals = traffic.contacts_per_sec();
        if arrivals == 0.0 {
            return Ok(Self::idle(servers, places));
        }
        let departures = f64::from(servers) / traffic.handle_secs();
        let line = Line { arrivals, departures, giving_up, places };
        if !line.settles() {
            let needed = fewest_stable(erlangs);
            return Err(QueueError::Unstable { servers, erlangs, needed });
        }
        let station = Station::new(line, weight_below_full(erlangs, servers))?;
        // By balance the mean number busy is a P(not all busy) below full, and n beyond.
        let busy = erlangs * station.at_once()
            + f64::from(servers) * (station.full() - station.just_full()).max(0.0);
        let occupancy = if servers == 0 { 0.0 } else { busy / f64::from(servers) };
        Ok(Self { station, figures: station.figures(occupancy) })
    }

    fn idle(servers: u32, places: Option<u32>) -> Self {
        let station = Station::idle(servers > 0, places == Some(0));
        Self { station, figures: station.figures(0.0) }
    }

    /// Everything but the service level.
    pub fn figures(&self) -> Figures {
        self.figures
    }

    /// Service level within `within_secs` under a definition.
    pub fn service_level(&self, within_secs: f64, of: LevelOf) -> f64 {
        self.station.service_level(within_secs, of, &self.figures)
    }

    /// Share of the offered that abandons within `secs`.
    pub fn abandoned_within(&self, secs: f64) -> f64 {
        self.station.abandoned_within(secs)
    }

    /// Share of time in which somebody waits.
    pub(crate) fn somebody_waits(&self) -> f64 {
        (self.station.full() - self.station.just_full()).max(0.0)
    }
}
