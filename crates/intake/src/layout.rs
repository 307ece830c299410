//! Which column holds what, and how dates and numbers are written.

use crate::numbers::number;
use crate::times::{self, DayOrder, OrderEvidence, order_evidence};

/// What a column holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// Nothing of use.
    Ignore,
    /// The contact type's name.
    ContactType,
    /// Date and time at which the interval starts.
    Start,
    /// The date alone.
    Date,
    /// The time alone.
    Time,
    /// Contacts offered.
    Offered,
    /// Contacts answered.
    Answered,
    /// Contacts abandoned.
    Abandoned,
    /// Handle time.
    Handle,
    /// Talk time, a part of the handle time.
    Talk,
    /// Hold time, a part of the handle time.
    Hold,
    /// Wrap-up, a part of the handle time.
    WrapUp,
}

impl Role {
    /// Every role, in the order of a list to choose from.
    pub const ALL: [Self; 12] = [
        Self::Ignore,
        Self::ContactType,
        Self::Start,
        Self::Date,
        Self::Time,
        Self::Offered,
        Self::Answered,
        Self::Abandoned,
        Self::Handle,
        Self::Talk,
        Self::Hold,
        Self::WrapUp,
    ];

    /// As people call it.
    pub fn title(self) -> &'static str {
        match self {
            Self::Ignore => "not used",
            Self::ContactType => "contact type",
            Self::Start => "date and time",
            Self::Date => "date",
            Self::Time => "time of day",
            Self::Offered => "offered",
            Self::Answered => "answered",
            Self::Abandoned => "abandoned",
            Self::Handle => "handle time",
            Self::Talk => "talk time",
            Self::Hold => "hold time",
            Self::WrapUp => "wrap-up time",
        }
    }

    /// Its name in forms and in messages about a row, such as `interval_start`.
    pub fn field(self) -> &'static str {
        match self {
            Self::Ignore => "row",
            Self::ContactType => "contact_type",
            Self::Start => "interval_start",
            Self::Date => "date",
            Self::Time => "time",
            Self::Offered => "offered",
            Self::Answered => "answered",
            Self::Abandoned => "abandoned",
            Self::Handle => "handle_secs",
            Self::Talk => "talk_secs",
            Self::Hold => "hold_secs",
            Self::WrapUp => "wrap_up_secs",
        }
    }

    /// The role with this [`field`](Self::field).
    pub fn from_field(field: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|role| role.field() == field)
    }

    /// Headings that mean it, in small letters with single spaces.
    fn headings(self) -> &'static [&'static str] {
        match self {
            Self::Ignore => &[],
            Self::ContactType => &[
                "contact type",
                "type",
                "queue",
                "series",
                "call type",
                "service",
                "skill",
                "queue name",
                "contact type name",
                "topic",
            ],
            Self::Start => &[
                "interval start",
                "start",
                "interval",
                "timestamp",
                "datetime",
                "date time",
                "start time",
                "interval start time",
                "period",
                "from",
                "date and time",
            ],
            Self::Date => &["date", "day", "interval date"],
            Self::Time => &["time", "time of day", "hour", "interval time", "half hour", "clock"],
            Self::Offered => &[
                "offered",
                "calls offered",
                "contacts offered",
                "contacts",
                "calls",
                "received",
                "incoming",
                "volume",
                "arrivals",
                "count",
                "calls received",
                "inbound",
                "entered",
            ],
            Self::Answered => &[
                "answered",
                "handled",
                "calls answered",
                "calls handled",
                "contacts handled",
                "contacts answered",
            ],
            Self::Abandoned => {
                &["abandoned", "calls abandoned", "abandons", "lost", "contacts abandoned"]
            }
            Self::Handle => &[
                "handle secs",
                "handle seconds",
                "handle time",
                "aht",
                "aht secs",
                "aht s",
                "average handle time",
                "avg handle time",
                "mean handle time",
                "handling time",
                "average handling time",
                "total handle time",
                "handle time total",
                "aht seconds",
            ],
            Self::Talk => &[
                "talk",
                "talk secs",
                "talk time",
                "average talk time",
                "avg talk time",
                "total talk time",
                "talk seconds",
            ],
            Self::Hold => &[
                "hold",
                "hold secs",
                "hold time",
                "average hold time",
                "avg hold time",
                "total hold time",
                "hold seconds",
            ],
            Self::WrapUp => &[
                "wrap up",
                "wrap",
                "wrap up secs",
                "wrap up time",
                "wrapup",
                "wrapup time",
                "after call work",
                "acw",
                "after contact work",
                "average wrap up time",
                "wrap up seconds",
                "total wrap up time",
            ],
        }
    }
}

/// How a table is to be read.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Layout {
    /// What each column holds, first column first.
    pub columns: Vec<Role>,
    /// The order of day and month where the year does not come first.
    pub day_order: DayOrder,
    /// Numbers have a decimal comma.
    pub decimal_comma: bool,
    /// Durations are in minutes; in seconds otherwise. Clock-like ones (3:02) need no unit.
    pub minutes: bool,
    /// Durations are those of all contacts of the interval together; of a mean one otherwise.
    pub totals: bool,
    /// The sheet of a workbook; its first one when none.
    #[serde(default)]
    pub sheet: Option<String>,
    /// First hour, and the hour after the last, over which whole days are spread evenly where no
    /// shape of the day is known.
    #[serde(default = "Layout::usual_hours")]
    pub open_hours: (u8, u8),
}

/// Something that a file does not say by itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Doubt {
    /// Dates can be read day first and month first.
    DayOrder,
    /// No column is known to hold this, and it is needed.
    Missing(Role),
    /// This column has a heading that means nothing to us.
    Unknown(usize),
}

/// A layout with what is unsure about it.
#[derive(Clone, Debug, PartialEq)]
pub struct Guess {
    /// The best guess.
    pub layout: Layout,
    /// What to ask about.
    pub doubts: Vec<Doubt>,
}

impl Guess {
    /// Whether the file can be read without asking anything.
    pub fn is_sure(&self) -> bool {
        self.doubts.iter().all(|doubt| matches!(doubt, Doubt::Unknown(_)))
    }
}

impl Layout {
    /// Finds the layout of a table from its heading and some of its rows.
    pub fn guess(heading: &[&str], sample: &[Vec<String>]) -> Guess {
        let mut columns = vec![Role::Ignore; heading.len()];
        for (column, name) in heading.iter().enumerate() {
            let plain = plain_heading(name);
            let role = Role::ALL.into_iter().find(|role| role.headings().contains(&plain.as_str()));
            // The first of two columns that could hold the same is taken.
            if let Some(role) = role.filter(|role| !columns.contains(role)) {
                columns[column] = role;
            }
        }
        let values = |column: usize| {
            sample.iter().filter_map(move |row| row.get(column)).map(|cell| cell.trim())
        };
        for (column, role) in columns.iter_mut().enumerate() {
            let mut known = values(column).filter(|value| !value.is_empty()).take(20).peekable();
            if known.peek().is_none() {
                continue;
            }
            *role = by_values(*role, known);
        }
        let mut doubts = Vec::new();
        let day_order = day_order(&columns, sample, &mut doubts);
        let of_durations = |column: usize| {
            matches!(columns[column], Role::Handle | Role::Talk | Role::Hold | Role::WrapUp)
        };
        let durations: Vec<usize> = (0..columns.len()).filter(|&at| of_durations(at)).collect();
        let heading_says = |words: &[&str]| {
            durations.iter().any(|&at| {
                let plain = plain_heading(heading[at]);
                words.iter().any(|word| plain.split(' ').any(|part| part == *word))
            })
        };
        let layout = Self {
            day_order,
            decimal_comma: has_decimal_comma(&columns, sample),
            minutes: heading_says(&["min", "mins", "minutes"]),
            totals: heading_says(&["total"]),
            sheet: None,
            open_hours: Self::usual_hours(),
            columns,
        };
        doubts.extend(layout.missing().into_iter().map(Doubt::Missing));
        let unknown =
            |(at, role): (usize, &Role)| (*role == Role::Ignore).then_some(Doubt::Unknown(at));
        doubts.extend(layout.columns.iter().enumerate().filter_map(unknown));
        Guess { layout, doubts }
    }

    /// Eight in the morning to eight in the evening.
    fn usual_hours() -> (u8, u8) {
        (8, 20)
    }

    /// What tells files of one kind by: their headings, however they are written.
    pub fn signature(heading: &[&str]) -> String {
        heading.iter().map(|name| plain_heading(name)).collect::<Vec<_>>().join("|")
    }

    /// The needed roles that no column has. The contact type can be given beside the file.
    pub fn missing(&self) -> Vec<Role> {
        let has = |role| self.columns.contains(&role);
        let mut missing = Vec::new();
        if !has(Role::Start) && !has(Role::Date) {
            missing.push(Role::Start);
        }
        if !has(Role::Offered) && !has(Role::Answered) {
            missing.push(Role::Offered);
        }
        missing
    }

    /// The column of a role.
    pub fn column(&self, role: Role) -> Option<usize> {
        self.columns.iter().position(|each| *each == role)
    }

    /// A role that two columns have.
    pub fn doubled(&self) -> Option<Role> {
        let used = self.columns.iter().filter(|role| **role != Role::Ignore);
        used.enumerate().find_map(|(at, role)| {
            let earlier = self.columns.iter().filter(|each| **each != Role::Ignore).take(at);
            earlier.into_iter().any(|each| each == role).then_some(*role)
        })
    }

    /// Whether rows are whole days.
    pub fn is_daily(&self) -> bool {
        self.column(Role::Start).is_none() && self.column(Role::Time).is_none()
    }
}

/// What stays the same of a heading however it is written.
pub(crate) fn plain_heading(heading: &str) -> String {
    let spaced: String = heading
        .trim_start_matches('\u{feff}')
        .to_lowercase()
        .chars()
        .map(|character| if character.is_alphanumeric() { character } else { ' ' })
        .collect();
    spaced.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// A date column with times in it, and a start column without, are the other one.
fn by_values<'a>(role: Role, values: impl Iterator<Item = &'a str>) -> Role {
    let values: Vec<&str> = values.collect();
    let all = |is: &dyn Fn(&str) -> bool| values.iter().all(|value| is(value));
    let is_both = |value: &str| {
        times::with_offset(value).is_some()
            || times::date_time(value, DayOrder::DayFirst).is_some()
            || times::date_time(value, DayOrder::MonthFirst).is_some()
    };
    let is_date = |value: &str| {
        times::date(value, DayOrder::DayFirst).is_some()
            || times::date(value, DayOrder::MonthFirst).is_some()
    };
    match role {
        Role::Date | Role::Time if all(&is_both) => Role::Start,
        Role::Start if all(&is_date) => Role::Date,
        Role::Start if all(&|value| times::time(value).is_some()) => Role::Time,
        role => role,
    }
}

fn day_order(columns: &[Role], sample: &[Vec<String>], doubts: &mut Vec<Doubt>) -> DayOrder {
    let Some(column) = columns.iter().position(|role| matches!(role, Role::Start | Role::Date))
    else {
        return DayOrder::default();
    };
    let mut is_unsure = false;
    for written in sample.iter().filter_map(|row| row.get(column)) {
        match order_evidence(written) {
            OrderEvidence::Only(order) => return order,
            OrderEvidence::Either => is_unsure = true,
            OrderEvidence::None => {}
        }
    }
    if is_unsure {
        doubts.push(Doubt::DayOrder);
    }
    DayOrder::default()
}

/// Whether numbers of the sample can only be read with a decimal comma.
fn has_decimal_comma(columns: &[Role], sample: &[Vec<String>]) -> bool {
    let is_number = |role: &Role| {
        matches!(
            role,
            Role::Offered
                | Role::Answered
                | Role::Abandoned
                | Role::Handle
                | Role::Talk
                | Role::Hold
                | Role::WrapUp
        )
    };
    let numbers: Vec<usize> =
        (0..columns.len()).filter(|&column| is_number(&columns[column])).collect();
    let (mut with_comma, mut with_point) = (0, 0);
    for row in sample {
        for cell in numbers.iter().filter_map(|&column| row.get(column)) {
            let (comma, point) = (number(cell, true), number(cell, false));
            with_comma += usize::from(comma.is_some() && point.is_none());
            with_point += usize::from(point.is_some() && comma.is_none());
        }
    }
    with_comma > with_point
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rows(rows: &[&[&str]]) -> Vec<Vec<String>> {
        rows.iter().map(|row| row.iter().map(|cell| (*cell).to_owned()).collect()).collect()
    }

    #[test]
    fn a_switchs_own_words_are_understood() {
        let heading = [
            "Queue name",
            "Date",
            "Half-hour",
            "Calls offered",
            "Calls handled",
            "Avg. talk time (min)",
            "Avg. hold time (min)",
            "ACW",
            "Notes",
        ];
        let sample =
            rows(&[&["Sales", "23/11/2026", "09:30", "1.204", "1.190", "3,4", "0,2", "0,9", ""]]);
        let guess = Layout::guess(&heading, &sample);
        use Role::*;
        assert_eq!(
            guess.layout.columns,
            [ContactType, Date, Time, Offered, Answered, Ignore, Ignore, WrapUp, Ignore]
        );
        assert!(guess.layout.decimal_comma);
        let heading =
            ["Type", "Start", "Offered", "Talk time", "Hold time", "Wrap-up", "Abandoned"];
        let sample = rows(&[&["Sales", "11/23/2026 9:30 AM", "12", "3:04", "0:10", "0:40", "1"]]);
        let guess = Layout::guess(&heading, &sample);
        assert_eq!(
            guess.layout.columns,
            [ContactType, Start, Offered, Talk, Hold, WrapUp, Abandoned]
        );
        assert_eq!(guess.layout.day_order, DayOrder::MonthFirst);
        assert!(guess.is_sure() && !guess.layout.decimal_comma);
    }

    #[test]
    fn what_a_file_does_not_say_is_asked() {
        let guess = Layout::guess(&["when", "offered"], &rows(&[&["2026-11-23T09:00", "3"]]));
        assert_eq!(guess.doubts, [Doubt::Missing(Role::Start), Doubt::Unknown(0)]);
        assert!(!guess.is_sure());
        let guess =
            Layout::guess(&["Date", "Calls"], &rows(&[&["3/4/2026", "3"], &["5/4/2026", "9"]]));
        assert_eq!(guess.doubts, [Doubt::DayOrder]);
        assert!(guess.layout.is_daily());
    }

    #[test]
    fn values_tell_a_date_from_a_date_with_time() {
        let of = |heading: &str, value: &str| {
            Layout::guess(&[heading, "offered"], &rows(&[&[value, "3"]])).layout.columns[0]
        };
        assert_eq!(of("Date", "2026-11-23 09:30"), Role::Start);
        assert_eq!(of("Interval", "09:30-10:00"), Role::Time);
        assert_eq!(of("Period", "23.11.2026"), Role::Date);
    }

    #[test]
    fn a_role_that_two_columns_have_is_found() {
        let mut layout = Layout::guess(&["start", "offered", "x"], &[]).layout;
        assert_eq!(layout.doubled(), None);
        layout.columns[2] = Role::Offered;
        assert_eq!(layout.doubled(), Some(Role::Offered));
    }
}
