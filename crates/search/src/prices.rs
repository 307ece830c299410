//! What contacts cost that are not served as they should be, beside people.

use barometer_simulate::TypeTally;
use serde::{Deserialize, Serialize};

/// Prices in the currency of the people's cost an hour; nothing by default.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Prices {
    /// A contact that abandons.
    pub abandoned: f64,
    /// A contact that gets the busy tone, is released after a message, is never answered or is cut off.
    pub turned_away: f64,
    /// A contact that goes to an outside number.
    pub elsewhere: f64,
    /// A callback that was promised, whether the customer is reached or not.
    pub callback: f64,
    /// An hour that a contact waits on a line.
    pub waiting_hour: f64,
}

impl Prices {
    /// Each with its name, in the order in which they are asked for.
    pub fn named(&self) -> [(&'static str, f64); 5] {
        [
            ("abandoned contact", self.abandoned),
            ("contact turned away", self.turned_away),
            ("contact to an outside number", self.elsewhere),
            ("promised callback", self.callback),
            ("hour of waiting", self.waiting_hour),
        ]
    }

    /// Whether anything has a price.
    pub fn are_any(&self) -> bool {
        self.named().iter().any(|(_, price)| *price > 0.0)
    }

    /// What the contacts of an interval cost.
    pub(crate) fn of(&self, of: &TypeTally) -> f64 {
        self.abandoned * of.abandoned
            + self.turned_away * (of.blocked + of.released + of.left_waiting + of.cut_off)
            + self.elsewhere * of.outside
            + self.callback * (of.called_back + of.callback_failed)
            + self.waiting_hour * of.wait_secs / 3600.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_price_is_for_its_own_contacts() {
        let tally = TypeTally {
            abandoned: 3.0,
            blocked: 1.0,
            released: 2.0,
            left_waiting: 4.0,
            cut_off: 5.0,
            outside: 6.0,
            called_back: 7.0,
            callback_failed: 1.0,
            wait_secs: 1800.0,
            ..TypeTally::default()
        };
        let only = |prices: Prices| prices.of(&tally);
        let none = Prices::default();
        assert_eq!((only(none), none.are_any()), (0.0, false));
        assert_eq!(only(Prices { abandoned: 2.0, ..none }), 6.0);
        assert_eq!(only(Prices { turned_away: 1.0, ..none }), 12.0);
        assert_eq!(only(Prices { elsewhere: 0.5, ..none }), 3.0);
        assert_eq!(only(Prices { callback: 10.0, ..none }), 80.0);
        assert_eq!(only(Prices { waiting_hour: 8.0, ..none }), 4.0);
        assert!(Prices { waiting_hour: 8.0, ..none }.are_any());
    }
}
