//! Paid time in which people are not on the phones, by cause.

use serde::{Deserialize, Serialize};

/// Shares of paid time by cause, each of what the causes before it leave: who is on leave takes no
/// breaks. So they multiply: what remains is (1 − leave)(1 − sickness)(1 − training)(1 − breaks).
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(from = "Written")]
pub struct Shrinkage {
    /// Holidays and other planned absence.
    pub leave: f64,
    /// Sickness and other unplanned absence.
    pub sickness: f64,
    /// Training, meetings, coaching.
    pub training: f64,
    /// Breaks and whatever else keeps people from the phones.
    pub breaks: f64,
}

/// One number from the time before causes were told apart, or the causes.
#[derive(Deserialize)]
#[serde(untagged)]
enum Written {
    Total(f64),
    ByCause { leave: f64, sickness: f64, training: f64, breaks: f64 },
}

impl From<Written> for Shrinkage {
    fn from(written: Written) -> Self {
        match written {
            Written::Total(total) => Self::of(total),
            Written::ByCause { leave, sickness, training, breaks } => {
                Self { leave, sickness, training, breaks }
            }
        }
    }
}

impl Shrinkage {
    /// A total whose causes nobody has told apart; it counts as breaks.
    pub const fn of(total: f64) -> Self {
        Self { leave: 0.0, sickness: 0.0, training: 0.0, breaks: total }
    }

    /// Every cause by name, in the order in which they apply.
    pub fn causes(self) -> [(&'static str, f64); 4] {
        [
            ("leave", self.leave),
            ("sickness", self.sickness),
            ("training", self.training),
            ("breaks", self.breaks),
        ]
    }

    /// All of it as a share of paid time.
    pub fn total(self) -> f64 {
        1.0 - self.present()
    }

    /// Share of paid time that people are at work: what leave, sickness and training leave. Breaks
    /// lie within it.
    pub fn at_work(self) -> f64 {
        Self { breaks: 0.0, ..self }.present()
    }

    /// What is left of paid time.
    pub fn present(self) -> f64 {
        self.causes().iter().map(|(_, share)| 1.0 - share).product()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn causes_multiply() {
        let shrinkage = Shrinkage { leave: 0.1, sickness: 0.05, training: 0.02, breaks: 0.12 };
        assert!((shrinkage.total() - (1.0 - 0.9 * 0.95 * 0.98 * 0.88)).abs() < 1e-15);
        assert!((shrinkage.at_work() - 0.9 * 0.95 * 0.98).abs() < 1e-15, "breaks lie within");
    }

    #[test]
    fn one_number_from_before_is_still_read() {
        let before: Shrinkage = serde_json::from_str("0.3").unwrap();
        assert_eq!(before, Shrinkage::of(0.3));
        let now = Shrinkage { leave: 0.1, sickness: 0.0, training: 0.0, breaks: 0.2 };
        let text = serde_json::to_string(&now).unwrap();
        assert_eq!(serde_json::from_str::<Shrinkage>(&text).unwrap(), now);
    }
}
