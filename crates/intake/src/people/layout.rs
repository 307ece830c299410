//! Which column of a list holds what.

use crate::layout::plain_heading;

/// What a column of a list holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ListColumn {
    /// Nothing of use.
    Ignore,
    /// The telephone number.
    Number,
    /// IANA time zone.
    Zone,
    /// Country of the number: two letters.
    Region,
    /// Priority, 1 to 9: 1 is called first.
    Priority,
    /// Language.
    Language,
    /// Hours in which the person prefers to be called, such as 17:00-20:00.
    Hours,
    /// Calls to the person so far.
    Attempts,
    /// Anything else that is kept with the person, by the column's name.
    Attribute,
}

impl ListColumn {
    /// Everything that a column can hold, in the order of a list to choose from.
    pub const ALL: [Self; 9] = [
        Self::Ignore,
        Self::Number,
        Self::Zone,
        Self::Region,
        Self::Priority,
        Self::Language,
        Self::Hours,
        Self::Attempts,
        Self::Attribute,
    ];

    /// As people call it.
    pub const fn title(self) -> &'static str {
        match self {
            Self::Ignore => "not used",
            Self::Number => "telephone number",
            Self::Zone => "time zone",
            Self::Region => "country (two letters)",
            Self::Priority => "priority, 1 to 9",
            Self::Language => "language",
            Self::Hours => "preferred hours",
            Self::Attempts => "calls so far",
            Self::Attribute => "kept as an attribute",
        }
    }

    /// Its name in forms and in messages about a row.
    pub const fn field(self) -> &'static str {
        match self {
            Self::Ignore => "row",
            Self::Number => "number",
            Self::Zone => "zone",
            Self::Region => "region",
            Self::Priority => "priority",
            Self::Language => "language",
            Self::Hours => "hours",
            Self::Attempts => "attempts",
            Self::Attribute => "attribute",
        }
    }

    /// The one with this [`field`](Self::field).
    pub fn from_field(field: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|column| column.field() == field)
    }

    /// Headings that mean it, in small letters with single spaces.
    const fn headings(self) -> &'static [&'static str] {
        match self {
            Self::Ignore | Self::Attribute => &[],
            Self::Number => &[
                "number",
                "phone",
                "telephone",
                "phone number",
                "telephone number",
                "mobile",
                "tel",
                "msisdn",
                "contact number",
            ],
            Self::Zone => &["zone", "time zone", "timezone", "tz"],
            Self::Region => &["region", "country", "country code"],
            Self::Priority => &["priority", "rank"],
            Self::Language => &["language", "lang"],
            Self::Hours => &["hours", "preferred hours", "best time", "call between"],
            Self::Attempts => &["attempts", "calls", "calls so far", "attempts so far"],
        }
    }
}

/// How a list is to be read.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct ListLayout {
    /// What each column holds, first column first.
    pub columns: Vec<ListColumn>,
    /// Country, as two letters, of numbers that are written without a country code and without a country
    /// beside them.
    pub region: String,
    /// The sheet of a workbook; its first one when none.
    #[serde(default)]
    pub sheet: Option<String>,
}

impl ListLayout {
    /// The layout that a heading means; columns with other headings are kept as attributes. A file with one
    /// column holds numbers, whatever its heading is.
    pub fn guess(heading: &[&str], region: &str) -> Self {
        let mut columns = Vec::with_capacity(heading.len());
        for name in heading {
            let plain = plain_heading(name);
            let meant =
                ListColumn::ALL.into_iter().find(|column| column.headings().contains(&&*plain));
            // The first of two columns that could hold the same is taken.
            let meant = meant.filter(|column| !columns.contains(column));
            columns.push(meant.unwrap_or(ListColumn::Attribute));
        }
        if let [only] = columns.as_mut_slice() {
            *only = ListColumn::Number;
        }
        Self { columns, region: region.to_owned(), sheet: None }
    }

    /// The column that holds this.
    pub fn column(&self, wanted: ListColumn) -> Option<usize> {
        self.columns.iter().position(|column| *column == wanted)
    }

    /// What two columns would hold, though only one can.
    pub fn doubled(&self) -> Option<ListColumn> {
        let many = |column: &ListColumn| {
            !matches!(column, ListColumn::Ignore | ListColumn::Attribute)
                && self.columns.iter().filter(|each| *each == column).count() > 1
        };
        self.columns.iter().copied().find(many)
    }
}
