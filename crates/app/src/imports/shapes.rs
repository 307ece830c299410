//! The shapes that whole days are spread by.

use std::collections::HashMap;

use barometer_forecast::{Grain, day_shapes};
use barometer_intake::{Reading, spread_day};
use barometer_store::{Centre, ContactType, Store, StoreError};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};

use crate::demand::history_grid;

/// Shapes of the day per contact type, learnt from its finer history where there is some.
pub(super) struct Shapes {
    store: Store,
    types: HashMap<String, ContactType>,
    learnt: HashMap<String, Shape>,
    open_hours: (u8, u8),
}

#[derive(Clone)]
struct Shape {
    grain: Grain,
    weekdays: [Vec<f64>; 7],
}

impl Shapes {
    pub async fn of(
        store: &Store,
        centre: &Centre,
        open_hours: (u8, u8),
    ) -> Result<Self, StoreError> {
        let types = store.contact_types(centre.id).await?;
        let types = types.into_iter().map(|each| (each.name.to_lowercase(), each)).collect();
        Ok(Self { store: store.clone(), types, learnt: HashMap::new(), open_hours })
    }

    /// A day's contacts per interval: its start, offered, answered, abandoned.
    pub async fn spread(
        &mut self,
        reading: &Reading<'_>,
        day: Date,
        zone: &TimeZone,
    ) -> Result<Vec<(Timestamp, u32, u32, u32)>, StoreError> {
        let shape = self.shape(&reading.contact_type.to_lowercase(), zone).await?;
        let weekday = usize::try_from(day.weekday().to_monday_zero_offset()).unwrap_or(0);
        let mut shares = &shape.weekdays[weekday];
        let even = self.even(shape.grain);
        if shares.iter().all(|share| *share == 0.0) {
            shares = &even;
        }
        let counts = spread_day(reading.answered, reading.abandoned, reading.offered, shares);
        let minutes = i64::from(shape.grain.minutes());
        let midnight = day.at(0, 0, 0, 0);
        let intervals = counts.into_iter().enumerate().filter(|(slot, _)| shares[*slot] > 0.0);
        Ok(intervals
            .filter_map(|(slot, (offered, answered, abandoned))| {
                let local = midnight.saturating_add(Span::new().minutes(slot as i64 * minutes));
                Some((zone.to_timestamp(local).ok()?, offered, answered, abandoned))
            })
            .collect())
    }

    async fn shape(&mut self, name: &str, zone: &TimeZone) -> Result<Shape, StoreError> {
        if let Some(shape) = self.learnt.get(name) {
            return Ok(shape.clone());
        }
        let known = self.types.get(name);
        let history = match known {
            Some(known) => history_grid(&self.store, known, zone).await?,
            None => None,
        };
        let grain = known.map_or(Grain::Half, |known| known.grain);
        let weekdays = match history {
            Some(history) => day_shapes(&history),
            None => std::array::from_fn(|_| self.even(grain)),
        };
        let shape = Shape { grain, weekdays };
        self.learnt.insert(name.to_owned(), shape.clone());
        Ok(shape)
    }

    /// The same in every slot of the open hours.
    fn even(&self, grain: Grain) -> Vec<f64> {
        let per_hour = grain.slots_per_day() / 24;
        let open = usize::from(self.open_hours.0)..usize::from(self.open_hours.1);
        (0..grain.slots_per_day())
            .map(|slot| if open.contains(&(slot / per_hour)) { 1.0 } else { 0.0 })
            .collect()
    }
}
