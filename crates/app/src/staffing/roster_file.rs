//! A roster as it comes in and as it leaves: text, workbook, iCalendar.

use barometer_intake::{RosterRefusal, RosterShift, roster_calendar, roster_rows};
use csv_async::{AsyncReaderBuilder, StringRecord};
use icalendar::{Calendar, Component, Event};
use jiff::Timestamp;
use jiff::tz::TimeZone;

use crate::imports::{is_workbook, workbook_rows};

/// The shifts of an uploaded file, by what it begins with.
///
/// # Errors
///
/// What is wrong, row by row, as people read it.
pub async fn read(bytes: Vec<u8>, zone: &TimeZone) -> Result<Vec<RosterShift>, Vec<String>> {
    let said = |refusals: Vec<RosterRefusal>| refusals.iter().map(ToString::to_string).collect();
    let text = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes);
    if text.starts_with(b"BEGIN:VCALENDAR") {
        return roster_calendar(text, zone).map_err(said);
    }
    let rows = if is_workbook(&bytes) {
        workbook_rows(bytes).await.map_err(|error| vec![error.to_string()])?
    } else {
        text_rows(text).await.map_err(|error| vec![format!("the file is no CSV: {error}")])?
    };
    roster_rows(&rows, zone).map_err(said)
}

async fn text_rows(text: &[u8]) -> Result<Vec<Vec<String>>, csv_async::Error> {
    let first = text.split(|byte| *byte == b'\n').next().unwrap_or(text);
    let count = |separator: u8| first.iter().filter(|byte| **byte == separator).count();
    let delimiter = if count(b';') > count(b',') { b';' } else { b',' };
    let mut reader = AsyncReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(delimiter)
        .create_reader(text);
    let (mut rows, mut record) = (Vec::new(), StringRecord::new());
    while reader.read_record(&mut record).await? {
        if record.iter().any(|cell| !cell.trim().is_empty()) {
            rows.push(record.iter().map(str::to_owned).collect());
        }
    }
    Ok(rows)
}

/// Shifts as an iCalendar file: an event each.
pub fn calendar(name: &str, shifts: &[(String, Timestamp, Timestamp)]) -> String {
    let mut calendar = Calendar::new();
    calendar.name(name);
    for (agent, start, end) in shifts {
        // A key that stays, so that a calendar that reads the file again changes its events.
        let uid = format!("{}-{}@barometer", start.as_second(), agent.replace(' ', "-"));
        let stamp = |at: &Timestamp| at.strftime("%Y%m%dT%H%M%SZ").to_string();
        let mut event = Event::new();
        event
            .uid(&uid)
            .summary(agent)
            .add_property("DTSTART", stamp(start))
            .add_property("DTEND", stamp(end));
        calendar.push(event.done());
    }
    calendar.to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn what_leaves_as_a_calendar_comes_back_the_same() {
        let at = |text: &str| text.parse::<Timestamp>().unwrap();
        let shifts =
            vec![("Ada Quill".to_owned(), at("2026-11-26T09:00:00Z"), at("2026-11-26T17:00:00Z"))];
        let file = calendar("Bookings", &shifts);
        let back = read(file.into_bytes(), &TimeZone::UTC).await.unwrap();
        assert_eq!(
            (back[0].agent.as_str(), back[0].start, back[0].end),
            ("Ada Quill", shifts[0].1, shifts[0].2)
        );
    }

    #[tokio::test]
    async fn a_file_with_semicolons_is_read_and_a_wrong_row_named() {
        let text = "agent;start;end\nAda;2026-11-26 09:00;17:00\n";
        assert_eq!(read(text.into(), &TimeZone::UTC).await.unwrap().len(), 1);
        let wrong =
            read("agent,start,end\nAda,x,17:00\n".into(), &TimeZone::UTC).await.unwrap_err();
        assert!(wrong[0].starts_with("row 2, column start"), "{wrong:?}");
    }
}
