//! How a staffing page's period is read from an address and told in words.

use barometer_app::staffing::{Period, Span};

use crate::access::RequestContext;
use crate::forms;
use crate::words;

/// Days that may be looked at in one go.
const MOST_DAYS: i64 = 28;

/// The period that `span` ("day", "week", "typical", or a last day) names from the day that the
/// visitor is looking at. What cannot be read is a day.
pub(super) fn period_of(context: &RequestContext, span: &str) -> Period {
    let day = |kind, days| Period { kind, first: context.day, days };
    match span {
        "week" => Period::week(context.monday()),
        "typical" => day(Span::Typical, 1),
        other => match forms::day(other) {
            Some(last) if last > context.day => {
                let days = i64::from((last - context.day).get_days()) + 1;
                day(Span::Days, days.min(MOST_DAYS))
            }
            _ => day(Span::Day, 1),
        },
    }
}

/// The period as [`period_of`] reads it.
pub(super) fn span_of(period: Period) -> String {
    match period.kind {
        Span::Day => "day".to_owned(),
        Span::Week => "week".to_owned(),
        Span::Typical => "typical".to_owned(),
        Span::Days => period.last().to_string(),
    }
}

/// "on Saturday 28 November", "in the week 23 – 29 Nov", "on a typical Saturday".
pub(super) fn period_words(period: Period) -> String {
    match period.kind {
        Span::Day => format!("on {}", words::long_day(period.first)),
        Span::Week => format!("in the week {}", words::week_span(period.first)),
        Span::Typical => format!("on a typical {}", period.first.strftime("%A")),
        Span::Days => format!(
            "from {} to {}",
            words::full_date(period.first),
            words::full_date(period.last())
        ),
    }
}
