//! Days that are not like other days: holidays, sales, storms, closures.

use jiff::civil::Date;

/// One occurrence of a special day.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct SpecialDay {
    /// The day.
    pub day: Date,
    /// What recurs, such as "Christmas Day": occurrences of one name share an effect.
    pub name: String,
    /// What it is a case of, such as "public holiday": names of one class have similar effects.
    pub class: String,
    /// Days from the occurrence itself: −1 for the day before, 0 for the day, 1 for the day after.
    pub offset: i8,
    /// Whether nobody answers on this day.
    pub closed: bool,
    /// The effect that the planner knows better, as a factor on an ordinary such weekday.
    pub factor: Option<f64>,
}

impl SpecialDay {
    /// A day of a class, with an effect that history is asked for.
    pub fn new(day: Date, name: &str, class: &str) -> Self {
        Self {
            day,
            name: name.to_owned(),
            class: class.to_owned(),
            offset: 0,
            closed: false,
            factor: None,
        }
    }
}

/// The special days of a centre, in order.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Calendar {
    days: Vec<SpecialDay>,
}

impl Calendar {
    /// A calendar of these days, in any order. What is entered twice for one day, as by importing a file again, is one.
    pub fn new(mut days: Vec<SpecialDay>) -> Self {
        days.sort_by(|a, b| {
            (a.day, &a.class, &a.name, a.offset).cmp(&(b.day, &b.class, &b.name, b.offset))
        });
        days.dedup_by(|again, kept| {
            let of = |special: &SpecialDay| (special.day, special.offset);
            let is_same =
                of(again) == of(kept) && (&again.class, &again.name) == (&kept.class, &kept.name);
            if is_same {
                kept.closed |= again.closed;
                kept.factor = kept.factor.or(again.factor);
            }
            is_same
        });
        Self { days }
    }

    /// All occurrences, by day.
    pub fn days(&self) -> &[SpecialDay] {
        &self.days
    }

    /// What a day is, by everything that falls on it.
    pub fn on(&self, day: Date) -> &[SpecialDay] {
        let from = self.days.partition_point(|special| special.day < day);
        let to = self.days.partition_point(|special| special.day <= day);
        &self.days[from..to]
    }

    /// Whether nobody answers on this day.
    pub fn is_closed(&self, day: Date) -> bool {
        self.on(day).iter().any(|special| special.closed)
    }
}
