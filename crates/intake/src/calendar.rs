//! Days out of an iCalendar file.

use icalendar::{CalendarDateTime, Component, DatePerhapsTime, Event};
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

use crate::events::events;
use crate::names::{YEARS, is_unseen};

/// Days that one event may take.
const MOST_DAYS: i64 = 366;

/// An event as whole days.
#[derive(Clone, Debug, PartialEq)]
pub struct CalendarDays {
    /// Its name.
    pub name: String,
    /// First day.
    pub from: Date,
    /// Last day.
    pub to: Date,
    /// Whether it comes again on this date every year.
    pub is_yearly: bool,
}

/// Why a file gives no days.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum CalendarError {
    /// Not UTF-8.
    #[error("the file is not UTF-8 text; export the calendar as iCalendar (.ics)")]
    NotText,
    /// Not iCalendar, and why.
    #[error("the file is no iCalendar: {0}; export the calendar as .ics")]
    NoCalendar(String),
    /// No event in it.
    #[error("the calendar has no event with a day")]
    NoEvents,
    /// An event that cannot be used.
    #[error("event {number} (“{name}”) {reason}")]
    Event {
        /// Which one, from 1.
        number: usize,
        /// Its name.
        name: String,
        /// What is wrong with it.
        reason: String,
    },
}

/// The events of a file as whole days on the clocks of `zone`.
///
/// Events that repeat every year on a date repeat here too; other repetitions are refused, since
/// half an import would be a calendar that looks right and is not.
///
/// # Errors
///
/// [`CalendarError`] says what is wrong with the file or with which event.
pub fn calendar_days(bytes: &[u8], zone: &TimeZone) -> Result<Vec<CalendarDays>, CalendarError> {
    let text = std::str::from_utf8(bytes).map_err(|_| CalendarError::NotText)?;
    let text = text.trim_start_matches('\u{feff}');
    if !text.trim_start().to_ascii_uppercase().starts_with("BEGIN:VCALENDAR") {
        return Err(CalendarError::NoCalendar("it does not begin with VCALENDAR".to_owned()));
    }
    let days = events(text)
        .map_err(CalendarError::NoCalendar)?
        .iter()
        .enumerate()
        .map(|(at, event)| {
            days_of(event, zone).map_err(|reason| CalendarError::Event {
                number: at + 1,
                name: event.get_summary().unwrap_or("without a name").to_owned(),
                reason,
            })
        })
        .collect::<Result<Vec<_>, _>>()?;
    if days.is_empty() { Err(CalendarError::NoEvents) } else { Ok(days) }
}

fn days_of(event: &Event, zone: &TimeZone) -> Result<CalendarDays, String> {
    let start = event.get_start().ok_or("has no start (DTSTART)")?;
    let from = day_of(&start, zone).ok_or("has a start that is no day")?;
    let to = match event.get_end() {
        // The end of an all-day event is the day after its last.
        Some(end @ DatePerhapsTime::Date(_)) => {
            day_of(&end, zone).and_then(|end| end.yesterday().ok()).unwrap_or(from).max(from)
        }
        Some(end) => day_of(&end, zone).unwrap_or(from).max(from),
        None => from,
    };
    let days = from.until(to).map_or(i64::MAX, |span| i64::from(span.get_days()) + 1);
    if days > MOST_DAYS {
        return Err(format!("takes {days} days; {MOST_DAYS} are the most"));
    }
    if !YEARS.contains(&from.year()) {
        return Err(format!(
            "is in {}; years are {} to {}",
            from.year(),
            YEARS.start(),
            YEARS.end()
        ));
    }
    let name: String = event
        .get_summary()
        .unwrap_or_default()
        .chars()
        .filter(|letter| !is_unseen(*letter))
        .collect();
    let name = name.trim();
    if name.is_empty() {
        return Err("has no name (SUMMARY)".to_owned());
    }
    let is_yearly = match event.property_value("RRULE") {
        None => false,
        Some(rule) if is_yearly_date(rule) && from == to => true,
        Some(rule) => {
            return Err(format!(
                "repeats by {rule}; only days that repeat every year on their date can be read, enter it by hand"
            ));
        }
    };
    Ok(CalendarDays { name: name.chars().take(80).collect(), from, to, is_yearly })
}

fn is_yearly_date(rule: &str) -> bool {
    let parts: Vec<&str> = rule.split(';').collect();
    parts.contains(&"FREQ=YEARLY")
        && parts.iter().all(|part| {
            ["FREQ=YEARLY", "INTERVAL=1"].contains(part)
                || ["BYMONTH=", "BYMONTHDAY=", "WKST="].iter().any(|known| part.starts_with(known))
        })
}

fn day_of(at: &DatePerhapsTime, zone: &TimeZone) -> Option<Date> {
    match at {
        DatePerhapsTime::Date(day) => day.to_string().parse().ok(),
        DatePerhapsTime::DateTime(CalendarDateTime::Utc(at)) => {
            Some(zone.to_datetime(Timestamp::from_second(at.timestamp()).ok()?).date())
        }
        DatePerhapsTime::DateTime(CalendarDateTime::Floating(at)) => {
            at.date().to_string().parse().ok()
        }
        DatePerhapsTime::DateTime(CalendarDateTime::WithTimezone { date_time, .. }) => {
            date_time.date().to_string().parse().ok()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn no_calendar_panics_whatever_is_in_it(
            name in "[A-Z-]{1,12}", value in "\\PC{0,40}", day in "[0-9TZ:;=,-]{0,20}",
            bytes in proptest::collection::vec(any::<u8>(), 0..80),
        ) {
            let lines = format!("DTSTART;VALUE=DATE:{day}\r\nSUMMARY:{value}\r\n{name}:{value}\r\n");
            for refused in [file(&event(&lines)), bytes.clone(), [&file("")[..20], &bytes].concat()] {
                if let Err(error) = calendar_days(&refused, &TimeZone::UTC) {
                    prop_assert!(!error.to_string().is_empty());
                }
            }
        }
    }

    fn file(events: &str) -> Vec<u8> {
        format!("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:test\r\n{events}END:VCALENDAR\r\n")
            .into_bytes()
    }

    fn event(lines: &str) -> String {
        format!("BEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20260101T000000Z\r\n{lines}END:VEVENT\r\n")
    }

    #[test]
    fn days_stretches_and_yearly_days_are_read() {
        let events = [
            "SUMMARY:Founders Day\r\nDTSTART;VALUE=DATE:20260612\r\nRRULE:FREQ=YEARLY\r\n",
            "SUMMARY:Half-term\r\nDTSTART;VALUE=DATE:20261024\r\nDTEND;VALUE=DATE:20261102\r\n",
            "SUMMARY:Late opening\r\nDTSTART:20260701T233000Z\r\nDTEND:20260702T010000Z\r\n",
        ];
        let file = file(&events.map(event).concat());
        let days = calendar_days(&file, &TimeZone::get("Europe/London").unwrap()).unwrap();
        let read: Vec<_> =
            days.iter().map(|it| (it.name.as_str(), it.from, it.to, it.is_yearly)).collect();
        assert_eq!(
            read,
            [
                ("Founders Day", date(2026, 6, 12), date(2026, 6, 12), true),
                ("Half-term", date(2026, 10, 24), date(2026, 11, 1), false),
                // Half past eleven in UTC is past midnight in a London summer.
                ("Late opening", date(2026, 7, 2), date(2026, 7, 2), false),
            ]
        );
    }

    #[test]
    fn a_file_that_cannot_be_used_says_why() {
        let payday = "SUMMARY:Payday\r\nDTSTART;VALUE=DATE:20260130\r\nRRULE:FREQ=MONTHLY\r\n";
        let messages = [
            calendar_days(&[0xff, 0xfe], &TimeZone::UTC),
            calendar_days(b"name,day\nChristmas,2026-12-25\n", &TimeZone::UTC),
            calendar_days(&file(""), &TimeZone::UTC),
            calendar_days(&file(&event(payday)), &TimeZone::UTC),
            calendar_days(&file(&event("SUMMARY:Some day\r\n")), &TimeZone::UTC),
            calendar_days(
                &file(&event(&payday.replace("MONTHLY", "YEARLY;INTERVAL=10"))),
                &TimeZone::UTC,
            ),
            calendar_days(
                &file(&event(&payday.replace("RRULE:FREQ=MONTHLY", "DTEND;VALUE=DATE:99991231"))),
                &TimeZone::UTC,
            ),
        ]
        .map(|read| read.unwrap_err().to_string());
        insta::assert_snapshot!(messages.join("\n"), @r"
        the file is not UTF-8 text; export the calendar as iCalendar (.ics)
        the file is no iCalendar: it does not begin with VCALENDAR; export the calendar as .ics
        the calendar has no event with a day
        event 1 (“Payday”) repeats by FREQ=MONTHLY; only days that repeat every year on their date can be read, enter it by hand
        event 1 (“Some day”) has no start (DTSTART)
        event 1 (“Payday”) repeats by FREQ=YEARLY;INTERVAL=10; only days that repeat every year on their date can be read, enter it by hand
        event 1 (“Payday”) takes 2912413 days; 366 are the most
        ");
    }
}
