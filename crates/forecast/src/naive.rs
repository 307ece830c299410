//! The forecast that every other one has to beat: the same slot a week ago.

use crate::grid::DayGrid;

/// Contacts per slot for `days` days after the end of `history`, each the latest known value of
/// the same slot of the same weekday; `None` where no such value exists in the last eight weeks.
pub fn seasonal_naive(history: &DayGrid, days: usize) -> Vec<Vec<Option<f64>>> {
    (0..days)
        .map(|ahead| {
            (0..history.slots())
                .map(|slot| latest_same_weekday(history, history.days() + ahead, slot))
                .collect()
        })
        .collect()
}

fn latest_same_weekday(history: &DayGrid, day: usize, slot: usize) -> Option<f64> {
    (1..)
        .map_while(|weeks| day.checked_sub(7 * weeks))
        .filter(|&past| past < history.days())
        .take(8)
        .find_map(|past| history.offered(past, slot))
}
