//! Special days from an iCalendar file.

use barometer_forecast::{Repeats, Rule};
use barometer_store::NewSpecialDay;
use icalendar::{Calendar, CalendarComponent, CalendarDateTime, Component, DatePerhapsTime, Event};
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

/// Why a file gives no special days.
#[derive(Debug, thiserror::Error, PartialEq)]
pub(super) enum CalendarFileError {
    #[error("the file is not UTF-8 text; export the calendar as iCalendar (.ics)")]
    NotText,
    #[error("the file is no iCalendar: {0}; export the calendar as .ics")]
    NoCalendar(String),
    #[error("the calendar has no event with a day")]
    NoEvents,
    #[error("event {number} (“{name}”) {reason}")]
    Event { number: usize, name: String, reason: String },
}

/// The events of the file as entries of the calendar; their class is not in it.
///
/// Events that repeat every year on a date repeat here too; other repetitions are refused, since
/// half an import would be a calendar that looks right and is not.
pub(super) fn read(bytes: &[u8], zone: &TimeZone) -> Result<Vec<NewSpecialDay>, CalendarFileError> {
    let text = std::str::from_utf8(bytes).map_err(|_| CalendarFileError::NotText)?;
    let text = text.trim_start_matches('\u{feff}');
    if !text.trim_start().to_ascii_uppercase().starts_with("BEGIN:VCALENDAR") {
        return Err(CalendarFileError::NoCalendar("it does not begin with VCALENDAR".to_owned()));
    }
    let calendar: Calendar = text.parse().map_err(CalendarFileError::NoCalendar)?;
    let events = calendar.components.iter().filter_map(|component| match component {
        CalendarComponent::Event(event) => Some(event),
        _ => None,
    });
    let entries = events
        .enumerate()
        .map(|(at, event)| {
            entry(event, zone).map_err(|reason| CalendarFileError::Event {
                number: at + 1,
                name: event.get_summary().unwrap_or("without a name").to_owned(),
                reason,
            })
        })
        .collect::<Result<Vec<_>, _>>()?;
    if entries.is_empty() { Err(CalendarFileError::NoEvents) } else { Ok(entries) }
}

fn entry(event: &Event, zone: &TimeZone) -> Result<NewSpecialDay, String> {
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
    let name = event.get_summary().unwrap_or_default().trim().to_owned();
    if name.is_empty() {
        return Err("has no name (SUMMARY)".to_owned());
    }
    let repeats = match event.property_value("RRULE") {
        None => Repeats::Once { from, to },
        Some(rule) if is_yearly_date(rule) && from == to => {
            Repeats::Yearly(Rule::Date { month: from.month(), day: from.day() })
        }
        Some(rule) => {
            return Err(format!(
                "repeats by {rule}; only days that repeat every year on their date can be read, enter it by hand"
            ));
        }
    };
    Ok(NewSpecialDay {
        name: name.chars().take(80).collect(),
        class: String::new(),
        repeats,
        days_before: 0,
        days_after: 0,
        closed: false,
        factor: None,
        source: "iCalendar file".to_owned(),
    })
}

fn is_yearly_date(rule: &str) -> bool {
    let parts: Vec<&str> = rule.split(';').collect();
    parts.contains(&"FREQ=YEARLY")
        && parts.iter().all(|part| {
            ["FREQ=", "INTERVAL=1", "BYMONTH=", "BYMONTHDAY=", "WKST="]
                .iter()
                .any(|known| part.starts_with(known))
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

    fn file(events: &str) -> Vec<u8> {
        format!("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:test\r\n{events}END:VCALENDAR\r\n")
            .into_bytes()
    }

    fn event(lines: &str) -> String {
        format!("BEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20260101T000000Z\r\n{lines}END:VEVENT\r\n")
    }

    #[test]
    fn days_stretches_and_yearly_days_are_read() {
        let file = file(&[
            event("SUMMARY:Founders Day\r\nDTSTART;VALUE=DATE:20260612\r\nRRULE:FREQ=YEARLY\r\n"),
            event("SUMMARY:Half-term\r\nDTSTART;VALUE=DATE:20261024\r\nDTEND;VALUE=DATE:20261102\r\n"),
            event("SUMMARY:Late opening\r\nDTSTART:20260701T233000Z\r\nDTEND:20260702T010000Z\r\n"),
        ].concat());
        let read = read(&file, &TimeZone::get("Europe/London").unwrap()).unwrap();
        let repeats: Vec<_> =
            read.iter().map(|entry| (entry.name.as_str(), entry.repeats)).collect();
        assert_eq!(
            repeats,
            [
                ("Founders Day", Repeats::Yearly(Rule::Date { month: 6, day: 12 })),
                ("Half-term", Repeats::Once { from: date(2026, 10, 24), to: date(2026, 11, 1) }),
                // Half past eleven in UTC is past midnight in a London summer.
                ("Late opening", Repeats::Once { from: date(2026, 7, 2), to: date(2026, 7, 2) }),
            ]
        );
    }

    #[test]
    fn a_file_that_cannot_be_used_says_why() {
        let messages = [
            read(&[0xff, 0xfe], &TimeZone::UTC),
            read(b"name,day\nChristmas,2026-12-25\n", &TimeZone::UTC),
            read(&file(""), &TimeZone::UTC),
            read(
                &file(&event(
                    "SUMMARY:Payday\r\nDTSTART;VALUE=DATE:20260130\r\nRRULE:FREQ=MONTHLY\r\n",
                )),
                &TimeZone::UTC,
            ),
            read(&file(&event("SUMMARY:Some day\r\n")), &TimeZone::UTC),
        ]
        .map(|read| read.unwrap_err().to_string());
        insta::assert_snapshot!(messages.join("\n"), @r"
        the file is not UTF-8 text; export the calendar as iCalendar (.ics)
        the file is no iCalendar: it does not begin with VCALENDAR; export the calendar as .ics
        the calendar has no event with a day
        event 1 (“Payday”) repeats by FREQ=MONTHLY; only days that repeat every year on their date can be read, enter it by hand
        event 1 (“Some day”) has no start (DTSTART)
        ");
    }
}
