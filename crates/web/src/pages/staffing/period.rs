//! What a staffing page looks at: a day, a week, a range of days, or a typical day.

use jiff::Span;
use jiff::civil::Date;

use crate::access::Visit;
use crate::words;

/// Days that may be looked at in one go.
const MOST_DAYS: i64 = 28;

/// Weeks of which a typical day is the mean.
pub(super) const TYPICAL_WEEKS: i64 = 4;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kind {
    Day,
    Week,
    Days,
    Typical,
}

/// A period in days of the centre's calendar.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Period {
    pub kind: Kind,
    pub first: Date,
    pub days: i64,
}

impl Period {
    /// The period that `span` ("day", "week", "typical", or a last day) names from the day that the
    /// visitor is looking at. What cannot be read is a day.
    pub fn of(visit: &Visit, span: &str) -> Self {
        let day = |kind, days| Self { kind, first: visit.day, days };
        match span {
            "week" => Self { kind: Kind::Week, first: visit.monday(), days: 7 },
            "typical" => day(Kind::Typical, 1),
            other => match other.parse::<Date>() {
                Ok(last) if last > visit.day => {
                    let days = i64::from((last - visit.day).get_days()) + 1;
                    day(Kind::Days, days.min(MOST_DAYS))
                }
                _ => day(Kind::Day, 1),
            },
        }
    }

    /// The period as [`of`](Self::of) reads it.
    pub fn span(self) -> String {
        match self.kind {
            Kind::Day => "day".to_owned(),
            Kind::Week => "week".to_owned(),
            Kind::Typical => "typical".to_owned(),
            Kind::Days => self.last().to_string(),
        }
    }

    pub fn last(self) -> Date {
        self.first.saturating_add(Span::new().days(self.days - 1))
    }

    /// "on Saturday 28 November", "in the week 23 – 29 Nov", "on a typical Saturday".
    pub fn words(self) -> String {
        match self.kind {
            Kind::Day => format!("on {}", words::long_day(self.first)),
            Kind::Week => format!("in the week {}", words::week_span(self.first)),
            Kind::Typical => format!("on a typical {}", self.first.strftime("%A")),
            Kind::Days => format!(
                "from {} to {}",
                words::full_date(self.first),
                words::full_date(self.last())
            ),
        }
    }

    pub fn is_one_day(self) -> bool {
        self.days == 1
    }
}
