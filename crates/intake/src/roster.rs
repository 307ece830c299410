//! A roster of named people out of rows or an iCalendar file.

use icalendar::{CalendarDateTime, Component, DatePerhapsTime};
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;

use crate::events::events;
use crate::layout::plain_heading;
use crate::names::{YEARS, is_unseen};
use crate::times::{Clock, DayOrder, date, date_time, time, with_offset};

/// One shift of one person.
#[derive(Clone, Debug, PartialEq)]
pub struct RosterShift {
    /// Who.
    pub agent: String,
    /// Team, where the file says.
    pub team: Option<String>,
    /// Skills, where the file says.
    pub skills: Vec<String>,
    /// Hours a week of the contract, where the file says.
    pub contract_hours: Option<f64>,
    /// When it starts.
    pub start: Timestamp,
    /// When it ends.
    pub end: Timestamp,
    /// The break in it.
    pub pause: Option<(Timestamp, Timestamp)>,
}

/// A row that cannot be used.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("row {row}, column {field}: {reason}")]
pub struct RosterRefusal {
    /// Row of the file, the heading is 1; number of the event in a calendar.
    pub row: usize,
    /// Column.
    pub field: &'static str,
    /// What is wrong, and what would do.
    pub reason: String,
}

/// The longest shift that is believed.
const MOST_SECS: i64 = 16 * 3600;

/// Columns with the headings by which they are known.
const COLUMNS: [(&str, &[&str]); 9] = [
    ("agent", &["agent", "name", "person", "employee"]),
    ("date", &["date", "day"]),
    ("start", &["start", "from", "shift start", "starts at"]),
    ("end", &["end", "to", "until", "shift end", "ends at"]),
    ("break_start", &["break start", "break from"]),
    ("break_end", &["break end", "break to"]),
    ("team", &["team"]),
    ("skills", &["skills"]),
    ("contract_hours", &["contract hours", "hours a week", "weekly hours"]),
];

/// The shifts of rows whose first names the columns: agent, start and end (with the day in them, or
/// in a column date), and where known break_start, break_end, team, skills (separated by ;) and
/// contract_hours. Times are those of `zone` unless they carry an offset; an end that is not after
/// its start is on the next day.
///
/// # Errors
///
/// Every row that cannot be used: half a roster would be a cover that looks right and is not.
pub fn roster_rows(
    rows: &[Vec<String>],
    zone: &TimeZone,
) -> Result<Vec<RosterShift>, Vec<RosterRefusal>> {
    let Some((heading, rows)) = rows.split_first() else {
        return Err(refused(1, "agent", "the file is empty; its first row names the columns"));
    };
    let heading: Vec<String> = heading.iter().map(|cell| plain_heading(cell)).collect();
    let column = |field: &str| {
        let (_, names) = COLUMNS.iter().find(|(name, _)| *name == field)?;
        heading.iter().position(|each| {
            names
                .iter()
                .any(|name| each.replace('_', " ") == **name || *each == name.replace(' ', ""))
        })
    };
    for field in ["agent", "start", "end"] {
        if column(field).is_none() {
            let wanted = "is missing; a roster has the columns agent, start and end";
            return Err(refused(1, field_name(field), wanted));
        }
    }
    let mut clock = Clock::new(zone);
    let (mut shifts, mut refusals) = (Vec::new(), Vec::new());
    for (at, row) in rows.iter().enumerate() {
        let cell =
            |field: &str| column(field).and_then(|at| row.get(at)).map_or("", |cell| cell.trim());
        match shift(&cell, &mut clock) {
            Ok(shift) => shifts.push(shift),
            Err((field, reason)) => refusals.push(RosterRefusal { row: at + 2, field, reason }),
        }
    }
    if refusals.is_empty() && shifts.is_empty() {
        return Err(refused(2, "agent", "no shift follows the heading"));
    }
    if refusals.is_empty() { Ok(shifts) } else { Err(refusals) }
}

fn refused(row: usize, field: &'static str, reason: &str) -> Vec<RosterRefusal> {
    vec![RosterRefusal { row, field, reason: reason.to_owned() }]
}

fn field_name(field: &str) -> &'static str {
    COLUMNS.iter().find(|(name, _)| *name == field).map_or("agent", |(name, _)| name)
}

type Fault = (&'static str, String);

fn shift<'a>(cell: &impl Fn(&str) -> &'a str, clock: &mut Clock) -> Result<RosterShift, Fault> {
    let agent = cell("agent");
    if agent.is_empty() {
        return Err(("agent", "is empty; every shift has somebody".to_owned()));
    }
    if let Some((field, _)) = [("agent", agent), ("team", cell("team")), ("skills", cell("skills"))]
        .into_iter()
        .find(|(_, text)| text.contains(is_unseen))
    {
        return Err((field, "has a character that cannot be seen".to_owned()));
    }
    let start = instant(cell, "start", None, clock)?;
    if !YEARS.contains(&clock.zone().to_datetime(start).date().year()) {
        return Err(("start", format!("is not between {} and {}", YEARS.start(), YEARS.end())));
    }
    let end = instant(cell, "end", Some(start), clock)?;
    let length = end.as_second() - start.as_second();
    if !(1..=MOST_SECS).contains(&length) {
        return Err(("end", "must be after the start, and within 16 hours of it".to_owned()));
    }
    let pause = match (cell("break_start"), cell("break_end")) {
        ("", "") => None,
        (_, "") => return Err(("break_end", "is empty, but the break begins".to_owned())),
        ("", _) => return Err(("break_start", "is empty, but the break ends".to_owned())),
        _ => {
            let from = instant(cell, "break_start", Some(start), clock)?;
            let to = instant(cell, "break_end", Some(from), clock)?;
            if from < start || to > end {
                return Err(("break_start", "the break must lie within the shift".to_owned()));
            }
            if from >= to {
                return Err(("break_end", "must be after the start of the break".to_owned()));
            }
            Some((from, to))
        }
    };
    let contract_hours = match cell("contract_hours") {
        "" => None,
        text => {
            let hours = text.replace(',', ".").parse::<f64>().ok();
            let hours = hours.filter(|hours| *hours > 0.0 && *hours <= 80.0);
            Some(hours.ok_or_else(|| {
                ("contract_hours", format!("“{text}” is no number above 0 and up to 80"))
            })?)
        }
    };
    let skills = cell("skills").split(';').map(str::trim).filter(|skill| !skill.is_empty());
    Ok(RosterShift {
        agent: agent.chars().take(80).collect(),
        team: Some(cell("team")).filter(|team| !team.is_empty()).map(str::to_owned),
        skills: skills.map(str::to_owned).collect(),
        contract_hours,
        start,
        end,
        pause,
    })
}

/// The instant in a column: with an offset, a local day and time, or a time on the shift's day.
fn instant<'a>(
    cell: &impl Fn(&str) -> &'a str,
    field: &'static str,
    after: Option<Timestamp>,
    clock: &mut Clock,
) -> Result<Timestamp, Fault> {
    let text = cell(field);
    if let Some(at) = with_offset(text) {
        return Ok(at);
    }
    let wrong = |reason: String| (field, reason);
    if let Some(local) = date_time(text, DayOrder::DayFirst) {
        return clock.instant("", local).map_err(wrong);
    }
    let Some(of_day) = time(text) else {
        return Err(wrong(format!(
            "“{text}” is no time; write 2026-11-26 09:00, or 09:00 beside a date"
        )));
    };
    let day = match after {
        Some(after) => clock.zone().to_datetime(after).date(),
        None => {
            let day = cell("date");
            date(day, DayOrder::DayFirst)
                .ok_or_else(|| ("date", format!("“{day}” is no day; write 2026-11-26")))?
        }
    };
    let mut local: DateTime = day.to_datetime(of_day);
    if after.is_some_and(|after| local <= clock.zone().to_datetime(after)) {
        local = day.tomorrow().map_err(|error| wrong(error.to_string()))?.to_datetime(of_day);
    }
    clock.instant("", local).map_err(wrong)
}

/// The shifts of an iCalendar file: an event with a start and an end for each, named after the
/// person. Events that repeat are refused, as half a roster would be.
///
/// # Errors
///
/// The events that cannot be used, by their number.
pub fn roster_calendar(
    bytes: &[u8],
    zone: &TimeZone,
) -> Result<Vec<RosterShift>, Vec<RosterRefusal>> {
    let refuse =
        |reason: String| refused(1, "agent", &format!("the file is no iCalendar: {reason}"));
    let text = std::str::from_utf8(bytes).map_err(|error| refuse(error.to_string()))?;
    let events = events(text).map_err(refuse)?;
    let (mut shifts, mut refusals) = (Vec::new(), Vec::new());
    for (at, event) in events.iter().enumerate() {
        let read = || -> Result<RosterShift, Fault> {
            if event.property_value("RRULE").is_some() {
                return Err((
                    "start",
                    "repeats; export every shift as an event of its own".to_owned(),
                ));
            }
            let name = event.get_summary().unwrap_or("").trim();
            if name.is_empty() {
                return Err(("agent", "has no name; the summary says who works".to_owned()));
            }
            let moment = |at: Option<DatePerhapsTime>, field: &'static str| {
                at.and_then(|at| instant_of(&at, zone))
                    .ok_or((field, "is no time of a day".to_owned()))
            };
            let start = moment(event.get_start(), "start")?;
            if !YEARS.contains(&zone.to_datetime(start).date().year()) {
                let years = format!("is not between {} and {}", YEARS.start(), YEARS.end());
                return Err(("start", years));
            }
            let end = moment(event.get_end(), "end")?;
            let length = end.as_second() - start.as_second();
            if !(1..=MOST_SECS).contains(&length) {
                return Err((
                    "end",
                    "must be after the start, and within 16 hours of it".to_owned(),
                ));
            }
            Ok(RosterShift {
                agent: name.chars().filter(|letter| !is_unseen(*letter)).take(80).collect(),
                team: None,
                skills: Vec::new(),
                contract_hours: None,
                start,
                end,
                pause: None,
            })
        };
        match read() {
            Ok(shift) => shifts.push(shift),
            Err((field, reason)) => refusals.push(RosterRefusal { row: at + 1, field, reason }),
        }
    }
    if refusals.is_empty() && shifts.is_empty() {
        return Err(refused(1, "start", "the calendar has no event"));
    }
    if refusals.is_empty() { Ok(shifts) } else { Err(refusals) }
}

fn instant_of(at: &DatePerhapsTime, zone: &TimeZone) -> Option<Timestamp> {
    let local = |text: String, zone: &TimeZone| -> Option<Timestamp> {
        let local: DateTime = text.replace(' ', "T").parse().ok()?;
        zone.to_timestamp(local).ok()
    };
    match at {
        DatePerhapsTime::Date(_) => None,
        DatePerhapsTime::DateTime(CalendarDateTime::Utc(at)) => {
            Timestamp::from_second(at.timestamp()).ok()
        }
        DatePerhapsTime::DateTime(CalendarDateTime::Floating(at)) => local(at.to_string(), zone),
        DatePerhapsTime::DateTime(CalendarDateTime::WithTimezone { date_time, tzid }) => {
            let zone = TimeZone::get(tzid).unwrap_or_else(|_| zone.clone());
            local(date_time.to_string(), &zone)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rows(text: &str) -> Vec<Vec<String>> {
        text.lines().map(|line| line.split(',').map(str::to_owned).collect()).collect()
    }

    fn london() -> TimeZone {
        TimeZone::get("Europe/London").unwrap()
    }

    #[test]
    fn shifts_are_read_with_a_day_in_the_time_or_beside_it() {
        let file = "Agent,Date,Start,End,Break start,Break end,Skills,Contract hours\n\
                    Ada Quill,2026-11-26,09:00,17:00,12:30,13:00,Bookings; Groups,37.5\n\
                    Ben Sorrel,,2026-11-26 22:00,06:00,,,,";
        let shifts = roster_rows(&rows(file), &london()).unwrap();
        assert_eq!(shifts[0].start.to_string(), "2026-11-26T09:00:00Z");
        assert_eq!(shifts[0].skills, ["Bookings", "Groups"]);
        let (from, to) = shifts[0].pause.unwrap();
        assert_eq!(to.as_second() - from.as_second(), 1800);
        assert_eq!(shifts[1].end.to_string(), "2026-11-27T06:00:00Z");
    }

    #[test]
    fn every_row_that_cannot_be_used_is_named_with_its_column() {
        let file = "agent,start,end,break_start,break_end\n\
                    ,2026-11-26 09:00,17:00,,\n\
                    Ada,soon,17:00,,\n\
                    Ada,2026-11-26 09:00,2026-11-28 17:00,,\n\
                    Ada,2026-11-26 09:00,17:00,18:00,18:30\n\
                    Ada,2026-11-26 09:00,17:00,12:00,\n\
                    Ada,2026-11-26 09:00,17:00,2036-11-26 12:00,2026-11-26 12:30";
        let refusals = roster_rows(&rows(file), &london()).unwrap_err();
        let said: Vec<_> = refusals.iter().map(ToString::to_string).collect();
        insta::assert_snapshot!(said.join("\n"), @r"
        row 2, column agent: is empty; every shift has somebody
        row 3, column start: “soon” is no time; write 2026-11-26 09:00, or 09:00 beside a date
        row 4, column end: must be after the start, and within 16 hours of it
        row 5, column break_start: the break must lie within the shift
        row 6, column break_end: is empty, but the break begins
        row 7, column break_end: must be after the start of the break
        ");
        let missing = roster_rows(&rows("agent,start\nAda,09:00"), &london()).unwrap_err();
        insta::assert_snapshot!(missing[0], @"row 1, column end: is missing; a roster has the columns agent, start and end");
    }

    #[test]
    fn a_calendar_of_shifts_is_read_event_by_event() {
        let file = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:t\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20260101T000000Z\r\n\
                    SUMMARY:Ada Quill\r\nDTSTART;TZID=Europe/London:20260701T090000\r\nDTEND;TZID=Europe/London:20260701T170000\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
        let shifts = roster_calendar(file.as_bytes(), &TimeZone::UTC).unwrap();
        assert_eq!(shifts[0].start.to_string(), "2026-07-01T08:00:00Z");
        let whole_day = file.replace(";TZID=Europe/London:20260701T090000", ";VALUE=DATE:20260701");
        let refused = roster_calendar(whole_day.as_bytes(), &TimeZone::UTC).unwrap_err();
        assert_eq!((refused[0].row, refused[0].field), (1, "start"));
        assert!(roster_calendar(b"agent,start", &TimeZone::UTC).is_err());
    }
}
