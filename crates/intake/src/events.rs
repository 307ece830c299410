//! The events of an iCalendar file, within limits that hold before it is parsed.

use icalendar::{Calendar, CalendarComponent, Event};

/// How deep parts of a calendar may stand in each other: the parser goes down by recursion. Calendars
/// need three.
const MOST_DEPTH: usize = 8;
/// Events that a file may have.
const MOST_EVENTS: usize = 20_000;

/// The events of a file, in order.
///
/// # Errors
///
/// Why the text is no iCalendar, or none that is read.
pub(crate) fn events(text: &str) -> Result<Vec<Event>, String> {
    let text = text.trim_start_matches('\u{feff}');
    let (mut depth, mut begun) = (0_usize, 0_usize);
    // A line that begins with a space or a tab continues the one before.
    let unfolded = text.replace("\r\n", "\n").replace("\n ", "").replace("\n\t", "");
    for line in unfolded.split(['\n', '\r']) {
        let line = line.trim_start().as_bytes();
        let begins =
            |word: &[u8]| line.len() >= word.len() && line[..word.len()].eq_ignore_ascii_case(word);
        if begins(b"BEGIN") {
            (depth, begun) = (depth + 1, begun + 1);
        } else if begins(b"END") {
            depth = depth.saturating_sub(1);
        }
        if depth > MOST_DEPTH {
            return Err(format!("its parts stand more than {MOST_DEPTH} deep in each other"));
        }
        if begun > 2 * MOST_EVENTS {
            return Err(format!("it has more than {MOST_EVENTS} events"));
        }
    }
    // The parser repeats all that it could not read.
    let calendar: Calendar = text.parse().map_err(|error: String| {
        error.lines().next().unwrap_or_default().chars().take(80).collect::<String>()
    })?;
    let events = calendar.components.into_iter().filter_map(|component| match component {
        CalendarComponent::Event(event) => Some(event),
        _ => None,
    });
    Ok(events.collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_in_parts_without_end_are_refused_before_they_are_parsed() {
        // Twenty-eight kilobytes of this overflowed the stack.
        for begin in ["BEGIN:VEVENT\r\n", "begin:vevent\n", "BEG\r\n IN:VEVENT\r\n"] {
            let nested = format!("BEGIN:VCALENDAR\r\n{}", begin.repeat(2_000));
            let told = events(&nested).unwrap_err();
            assert_eq!(told, "its parts stand more than 8 deep in each other", "{begin:?}");
        }
        let event = "BEGIN:VEVENT\r\nUID:1\r\nBEGIN:VALARM\r\nEND:VALARM\r\nEND:VEVENT\r\n";
        let file = |count: usize| {
            format!("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n{}END:VCALENDAR\r\n", event.repeat(count))
        };
        assert_eq!(events(&file(300)).unwrap().len(), 300);
        assert_eq!(events(&file(30_000)).unwrap_err(), "it has more than 20000 events");
    }
}
