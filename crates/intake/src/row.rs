//! One row after another.

use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

use crate::layout::{Layout, Role};
use crate::names::{YEARS, is_unseen};
use crate::numbers::{number, seconds};
use crate::times::{self, Clock};

/// Names longer than this are refused.
pub const MOST_NAME_CHARS: usize = 80;
/// More contacts than any interval has.
const MOST_CONTACTS: f64 = 10_000_000.0;
/// A handle time of over a day is a mistake of units.
const MOST_HANDLE_SECS: f64 = 86_400.0;
/// Intervals start on multiples of five minutes.
const STEP_SECS: i64 = 300;

/// When a row's contacts came.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Start {
    /// In the interval that starts then.
    Interval(Timestamp),
    /// On this local day.
    Day(Date),
}

/// What a row says.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Reading<'a> {
    /// Name of the contact type.
    pub contact_type: &'a str,
    /// When.
    pub start: Start,
    /// Contacts offered.
    pub offered: u32,
    /// Contacts answered.
    pub answered: u32,
    /// Contacts abandoned.
    pub abandoned: u32,
    /// Mean handle time of the answered in seconds; none when not known.
    pub handle_secs: Option<f64>,
    /// The part of it that is wrap-up; none when not known.
    pub wrap_up_secs: Option<f64>,
}

/// Why a row cannot be used: the column at fault and what would do.
#[derive(Clone, Debug, PartialEq)]
pub struct Refusal {
    /// The column, by the name of what it holds.
    pub field: &'static str,
    /// What is wrong with it, and what would do.
    pub reason: String,
}

/// Reads rows of one layout on the clocks of one zone.
#[derive(Clone, Debug)]
pub struct RowReader {
    layout: Layout,
    clock: Clock,
    at: Columns,
}

/// Where the columns stand.
#[derive(Clone, Copy, Debug)]
struct Columns {
    contact_type: Option<usize>,
    start: Option<usize>,
    date: Option<usize>,
    time: Option<usize>,
    offered: Option<usize>,
    answered: Option<usize>,
    abandoned: Option<usize>,
}

/// What a handle time is made of.
const PARTS: [Role; 3] = [Role::Talk, Role::Hold, Role::WrapUp];
/// A wrap-up may be longer than its handle time by rounding, up to this share.
const ROUNDING: f64 = 0.01;

fn refused(role: Role, reason: impl Into<String>) -> Refusal {
    Refusal { field: role.field(), reason: reason.into() }
}

impl RowReader {
    /// A reader for tables of this layout.
    pub fn new(layout: &Layout, zone: &TimeZone) -> Self {
        let at = Columns {
            contact_type: layout.column(Role::ContactType),
            start: layout.column(Role::Start),
            date: layout.column(Role::Date),
            time: layout.column(Role::Time),
            offered: layout.column(Role::Offered),
            answered: layout.column(Role::Answered),
            abandoned: layout.column(Role::Abandoned),
        };
        Self { layout: layout.clone(), clock: Clock::new(zone), at }
    }

    /// Reads a row. `only` is the contact type of tables without that column.
    ///
    /// # Errors
    ///
    /// [`Refusal`] names the column and what would do.
    pub fn read<'a>(
        &mut self,
        cells: &[&'a [u8]],
        only: Option<&'a str>,
    ) -> Result<Reading<'a>, Refusal> {
        let contact_type = self.contact_type(cells, only)?;
        let start = self.start(cells, contact_type)?;
        let (offered, answered, abandoned) = self.counts(cells)?;
        let handle_secs = self.handle_secs(cells, answered)?;
        let wrap_up_secs = self.wrap_up_secs(cells, answered, handle_secs)?;
        Ok(Reading { contact_type, start, offered, answered, abandoned, handle_secs, wrap_up_secs })
    }

    /// The contact type of a row. Rows of different types may be read by readers of their own.
    ///
    /// # Errors
    ///
    /// [`Refusal`] where it has too few columns, or no name that can be used.
    pub fn contact_type<'a>(
        &self,
        cells: &[&'a [u8]],
        only: Option<&'a str>,
    ) -> Result<&'a str, Refusal> {
        if cells.len() < self.layout.columns.len() {
            let (has, wanted) = (cells.len(), self.layout.columns.len());
            let reason = format!("the row has {has} columns and the heading {wanted}");
            return Err(refused(Role::Ignore, reason));
        }
        let contact_type = match self.at.contact_type {
            Some(column) => text(cells, column, Role::ContactType)?,
            None => only.unwrap_or_default(),
        };
        if contact_type.is_empty() {
            return Err(refused(Role::ContactType, "is empty; write the contact type's name"));
        }
        if contact_type.chars().count() > MOST_NAME_CHARS {
            let reason = format!("is longer than {MOST_NAME_CHARS} characters");
            return Err(refused(Role::ContactType, reason));
        }
        if contact_type.contains(is_unseen) {
            return Err(refused(Role::ContactType, "has a character that cannot be seen"));
        }
        Ok(contact_type)
    }

    fn start(&mut self, cells: &[&[u8]], contact_type: &str) -> Result<Start, Refusal> {
        let order = self.layout.day_order;
        let (role, written, local) = match (self.at.start, self.at.date, self.at.time) {
            (Some(column), ..) => {
                let written = text(cells, column, Role::Start)?;
                if let Some(start) = times::with_offset(written) {
                    return self.checked(start, written, Role::Start).map(Start::Interval);
                }
                (Role::Start, written, times::date_time(written, order))
            }
            (None, Some(date), Some(time)) => {
                let day = day(text(cells, date, Role::Date)?, order)?;
                let written = text(cells, time, Role::Time)?;
                (Role::Time, written, times::time(written).map(|time| day.to_datetime(time)))
            }
            (None, Some(date), None) => {
                let written = text(cells, date, Role::Date)?;
                let day = day(written, order)?;
                return if YEARS.contains(&day.year()) {
                    Ok(Start::Day(day))
                } else {
                    let reason = format!("“{}” is not between 1990 and 2199", shown(written));
                    Err(refused(Role::Date, reason))
                };
            }
            (None, None, _) => return Err(refused(Role::Start, "the table has no such column")),
        };
        let Some(local) = local else {
            let example = match role {
                Role::Time => "a time such as 09:30",
                _ => "a time such as 2026-11-23T09:30 or 2026-11-23T09:30+01:00",
            };
            return Err(refused(role, format!("“{}” is not {example}", shown(written))));
        };
        let start =
            self.clock.instant(contact_type, local).map_err(|reason| refused(role, reason))?;
        self.checked(start, written, role).map(Start::Interval)
    }

    fn checked(&self, start: Timestamp, written: &str, role: Role) -> Result<Timestamp, Refusal> {
        if !YEARS.contains(&self.clock.zone().to_datetime(start).year()) {
            let reason = format!("“{}” is not between 1990 and 2199", shown(written));
            return Err(refused(role, reason));
        }
        if start.as_second() % STEP_SECS != 0 || start.subsec_nanosecond() != 0 {
            let reason =
                format!("“{}” does not start on a multiple of five minutes", shown(written));
            return Err(refused(role, reason));
        }
        Ok(start)
    }

    /// Offered, answered, abandoned: whichever is not given is what the others leave.
    fn counts(&self, cells: &[&[u8]]) -> Result<(u32, u32, u32), Refusal> {
        let answered = self.count(cells, self.at.answered, Role::Answered)?;
        let abandoned = self.count(cells, self.at.abandoned, Role::Abandoned)?;
        let offered = match self.at.offered {
            Some(_) => self.count(cells, self.at.offered, Role::Offered)?.ok_or_else(|| {
                refused(Role::Offered, "is empty; write 0 when nothing was offered")
            })?,
            None => answered.unwrap_or(0).saturating_add(abandoned.unwrap_or(0)),
        };
        let abandoned =
            abandoned.unwrap_or_else(|| offered.saturating_sub(answered.unwrap_or(offered)));
        let answered = answered.unwrap_or_else(|| offered.saturating_sub(abandoned));
        if u64::from(answered) + u64::from(abandoned) > u64::from(offered) {
            let reason = format!(
                "{answered} answered and {abandoned} abandoned are more than {offered} offered"
            );
            return Err(refused(Role::Offered, reason));
        }
        Ok((offered, answered, abandoned))
    }

    fn count(
        &self,
        cells: &[&[u8]],
        column: Option<usize>,
        role: Role,
    ) -> Result<Option<u32>, Refusal> {
        let Some(column) = column else { return Ok(None) };
        let written = text(cells, column, role)?;
        if written.is_empty() {
            return Ok(None);
        }
        // Most files hold plain digits, and they are many.
        let plain = written.parse::<u32>().ok().map(f64::from);
        plain
            .or_else(|| number(written, self.layout.decimal_comma))
            .filter(|count| (0.0..=MOST_CONTACTS).contains(count) && count.fract() == 0.0)
            .map(|count| Some(count as u32))
            .ok_or_else(|| {
                let reason =
                    format!("“{}” is not a whole number from 0 to {MOST_CONTACTS}", shown(written));
                refused(role, reason)
            })
    }

    /// The mean wrap-up, which is a part of the handle time.
    fn wrap_up_secs(
        &self,
        cells: &[&[u8]],
        answered: u32,
        handle_secs: Option<f64>,
    ) -> Result<Option<f64>, Refusal> {
        let Some(handle) = handle_secs else { return Ok(None) };
        let Some(secs) = self.duration(cells, Role::WrapUp, answered)? else { return Ok(None) };
        if secs > handle * (1.0 + ROUNDING) {
            let reason = format!(
                "a mean of {secs:.0} s is longer than the handle time, {handle:.0} s, of which it is a part; is it a \
                 total, or in another unit?"
            );
            return Err(refused(Role::WrapUp, reason));
        }
        Ok(Some(secs.min(handle)))
    }

    /// A mean duration in seconds; none where the table has no such column, or the cell is empty.
    fn duration(&self, cells: &[&[u8]], role: Role, answered: u32) -> Result<Option<f64>, Refusal> {
        let Some(column) = self.layout.column(role) else { return Ok(None) };
        let written = text(cells, column, role)?;
        if written.is_empty() {
            return Ok(None);
        }
        let unit = if self.layout.minutes { 60.0 } else { 1.0 };
        let secs = seconds(written, self.layout.decimal_comma, unit).filter(|secs| *secs >= 0.0);
        let Some(secs) = secs else {
            let reason = format!("“{}” is not a duration of 0 or more", shown(written));
            return Err(refused(role, reason));
        };
        let is_total = self.layout.totals && answered > 0;
        Ok(Some(if is_total { secs / f64::from(answered) } else { secs }))
    }

    /// The mean handle time: given, or the sum of talk, hold and wrap-up.
    fn handle_secs(&self, cells: &[&[u8]], answered: u32) -> Result<Option<f64>, Refusal> {
        // A handle time that is given is not added to its own parts.
        let is_given = self.layout.column(Role::Handle).is_some();
        let roles: &[Role] = if is_given { &[Role::Handle] } else { &PARTS };
        let mut sum = None;
        let mut blamed = Role::Handle;
        for &role in roles {
            if let Some(secs) = self.duration(cells, role, answered)? {
                sum = Some(sum.unwrap_or(0.0) + secs);
                blamed = role;
            }
        }
        let Some(secs) = sum else { return Ok(None) };
        if answered > 0 && secs > MOST_HANDLE_SECS {
            let reason = format!(
                "a mean of {secs:.0} s is not from 0 to {MOST_HANDLE_SECS} s; is it a total, or in another unit?"
            );
            return Err(refused(blamed, reason));
        }
        match (secs, answered) {
            // Nothing was handled, so there is no mean to keep.
            (_, 0) => Ok(None),
            (0.0, answered) => Err(refused(
                blamed,
                format!("is 0 with {answered} answered; leave it empty when it is not known"),
            )),
            (secs, _) => Ok(Some(secs)),
        }
    }
}

fn day(written: &str, order: times::DayOrder) -> Result<Date, Refusal> {
    times::date(written, order).ok_or_else(|| {
        refused(Role::Date, format!("“{}” is not a date such as 2026-11-23", shown(written)))
    })
}

fn text<'a>(cells: &[&'a [u8]], column: usize, role: Role) -> Result<&'a str, Refusal> {
    std::str::from_utf8(cells.get(column).copied().unwrap_or_default())
        .map(str::trim)
        .map_err(|_| refused(role, "is not UTF-8 text; save the file as UTF-8"))
}

/// What was written, short enough for a message.
fn shown(written: &str) -> String {
    let mut shown: String = written.chars().take(40).collect();
    if shown.len() < written.len() {
        shown.push('…');
    }
    shown
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;
    use proptest::prelude::*;

    const HEADING: [&str; 7] =
        ["Contact type", "Interval-Start", "offered", "answered", "abandoned", "AHT", "note"];

    fn reader(heading: &[&str]) -> RowReader {
        let layout = Layout::guess(heading, &[]).layout;
        RowReader::new(&layout, &TimeZone::get("Europe/London").unwrap())
    }

    fn read(
        reader: &mut RowReader,
        row: &str,
    ) -> Result<(Start, u32, u32, u32, Option<f64>), Refusal> {
        let cells: Vec<&[u8]> = row.split('|').map(str::as_bytes).collect();
        reader
            .read(&cells, Some("Given"))
            .map(|it| (it.start, it.offered, it.answered, it.abandoned, it.handle_secs))
    }

    fn counts(row: &str) -> (u32, u32, u32, Option<f64>) {
        let (_, offered, answered, abandoned, secs) = read(&mut reader(&HEADING), row).unwrap();
        (offered, answered, abandoned, secs)
    }

    #[test]
    fn wrap_up_is_known_apart_where_the_table_has_it() {
        let parts = |heading: &[&str], row: &str| {
            let cells: Vec<&[u8]> = row.split('|').map(str::as_bytes).collect();
            let mut reader = reader(heading);
            let read = reader.read(&cells, Some("Given"));
            read.map(|read| (read.handle_secs, read.wrap_up_secs))
        };
        let summed = ["Interval-Start", "offered", "answered", "talk", "hold", "wrap-up"];
        let row = "2026-07-01T09:30|10|10|200|10|30";
        assert_eq!(parts(&summed, row), Ok((Some(240.0), Some(30.0))));
        let row = "2026-07-01T09:30|10|10|200|10|";
        assert_eq!(parts(&summed, row), Ok((Some(210.0), None)), "an empty cell is not known");
        let given = ["Interval-Start", "offered", "answered", "AHT", "wrap-up"];
        let row = "2026-07-01T09:30|10|10|240|30";
        assert_eq!(parts(&given, row), Ok((Some(240.0), Some(30.0))), "not added to its whole");
        let nobody = "2026-07-01T09:30|10|0||30";
        assert_eq!(parts(&given, nobody), Ok((None, None)));
        let refusal = parts(&given, "2026-07-01T09:30|10|10|240|600").unwrap_err();
        assert_eq!(refusal.field, "wrap_up_secs");
        assert!(
            refusal.reason.contains("longer than the handle time, 240 s"),
            "{}",
            refusal.reason
        );
        let rounded = parts(&given, "2026-07-01T09:30|10|10|240|240.4").unwrap();
        assert_eq!(rounded, (Some(240.0), Some(240.0)));
    }

    #[test]
    fn what_is_not_given_follows_from_what_is() {
        assert_eq!(counts("A|2026-07-01T09:30|10|8|2|300.5|"), (10, 8, 2, Some(300.5)));
        assert_eq!(counts("A|2026-07-01T09:30|10||2||"), (10, 8, 2, None));
        assert_eq!(counts("A|2026-07-01T09:30|10|7|||"), (10, 7, 3, None));
        assert_eq!(counts("A|2026-07-01T09:30|10||||"), (10, 10, 0, None));
        assert_eq!(counts("A|2026-07-01T09:30|0|0|0|0|"), (0, 0, 0, None));
        assert_eq!(counts("A|2026-07-01T09:30|1,234|||3:05|"), (1234, 1234, 0, Some(185.0)));
    }

    #[test]
    fn the_parts_of_a_handle_time_are_added_up_and_totals_divided() {
        let heading = ["date", "time", "handled", "talk time", "hold", "acw"];
        let mut reader = reader(&heading);
        let read_one =
            |reader: &mut RowReader| read(reader, "2026-07-01|09:30|4|200|10|30").unwrap();
        let instant = Start::Interval("2026-07-01T08:30:00Z".parse().unwrap());
        assert_eq!(read_one(&mut reader), (instant, 4, 4, 0, Some(240.0)));
        reader.layout.totals = true;
        assert_eq!(read_one(&mut reader).4, Some(60.0));
        reader.layout.minutes = true;
        assert_eq!(read_one(&mut reader).4, Some(3600.0));
    }

    #[test]
    fn a_row_without_a_time_is_a_day() {
        let mut reader = reader(&["day", "calls"]);
        let row = read(&mut reader, "23.11.2026|310").unwrap();
        assert_eq!(row, (Start::Day(date(2026, 11, 23)), 310, 310, 0, None));
    }

    #[test]
    fn a_refused_row_names_its_column_and_what_would_do() {
        let mut reader = reader(&HEADING);
        let refusals: Vec<String> = [
            "A|2026-07-01T09:30|-3||||",
            "A|2026-07-01T09:30|10|9|2||",
            "A|2026-07-01T09:30|10|9|1|0|",
            "A|2026-07-01T09:30|ten||||",
            "A|2026-07-01T09:30|||||",
            "A|2026-07-01T09:31|3||||",
            "A|2026-03-29T01:30|3||||",
            "A|1826-07-01T09:30|3||||",
            "A|half past nine|3||||",
            "|2026-07-01T09:30|3||||",
            "A|2026-07-01T09:30|3|3||99999|",
            "A|2026-07-01T09:30|3|3||soon|",
            "A|2026-07-01T09:30",
        ]
        .iter()
        .map(|row| {
            let refusal = read(&mut reader, row).unwrap_err();
            format!("{}: {}", refusal.field, refusal.reason)
        })
        .collect();
        insta::assert_snapshot!(refusals.join("\n"), @r"
        offered: “-3” is not a whole number from 0 to 10000000
        offered: 9 answered and 2 abandoned are more than 10 offered
        handle_secs: is 0 with 9 answered; leave it empty when it is not known
        offered: “ten” is not a whole number from 0 to 10000000
        offered: is empty; write 0 when nothing was offered
        interval_start: “2026-07-01T09:31” does not start on a multiple of five minutes
        interval_start: 2026-03-29T01:30:00 does not exist in Europe/London: the clocks skip it on that day
        interval_start: “1826-07-01T09:30” is not between 1990 and 2199
        interval_start: “half past nine” is not a time such as 2026-11-23T09:30 or 2026-11-23T09:30+01:00
        contact_type: is empty; write the contact type's name
        handle_secs: a mean of 99999 s is not from 0 to 86400 s; is it a total, or in another unit?
        handle_secs: “soon” is not a duration of 0 or more
        row: the row has 2 columns and the heading 7
        ");
    }

    proptest! {
        #[test]
        fn no_row_makes_the_reader_panic(
            cells in proptest::collection::vec(proptest::collection::vec(any::<u8>(), 0..24), 0..9),
        ) {
            let cells: Vec<&[u8]> = cells.iter().map(Vec::as_slice).collect();
            let _ = reader(&HEADING).read(&cells, None);
            let _ = reader(&["date", "time", "handled", "talk", "hold", "acw"]).read(&cells, Some("A"));
        }

        #[test]
        fn what_looks_like_a_time_is_read_or_refused(date in "[0-9./-]{6,10}", time in "[0-9:apm. -]{0,11}") {
            let text = format!("A|{date} {time}|3||||");
            if let Ok((Start::Interval(start), ..)) = read(&mut reader(&HEADING), &text) {
                prop_assert_eq!(start.as_second() % STEP_SECS, 0);
            }
        }
    }
}
