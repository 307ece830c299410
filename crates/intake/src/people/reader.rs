//! One row of a list after another.

use std::collections::HashMap;

use jiff::civil::Time;
use jiff::tz::TimeZone;

use super::number::is_country;
use super::{DialNumber, ListColumn, ListLayout, NumberReader, PrefixZones};
use crate::names::is_unseen;
use crate::row::Refusal;
use crate::times::time;

/// Characters of a language and of an attribute that are kept.
const MOST_CHARS: usize = 80;

/// Hours of the day, by the person's own clock.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct PreferredHours {
    /// Not before this time.
    pub from: Time,
    /// Not at this time or later.
    pub until: Time,
}

/// A person of a list.
#[derive(Clone, Debug, PartialEq)]
pub struct ListedPerson {
    /// Whom to dial.
    pub number: DialNumber,
    /// IANA time zone.
    pub zone: String,
    /// Whether the zone was told from the number's prefix.
    pub is_zone_guessed: bool,
    /// 1 to 9; none where the list says nothing.
    pub priority: Option<u8>,
    /// Language, where the list says one.
    pub language: Option<String>,
    /// When the person prefers to be called.
    pub hours: Option<PreferredHours>,
    /// Calls so far.
    pub attempts: u8,
    /// What else the list says, by the names of its columns.
    pub attributes: Vec<(String, String)>,
}

/// Reads the rows of a list.
#[derive(Clone, Debug)]
pub struct PeopleReader<'a> {
    layout: &'a ListLayout,
    heading: Vec<String>,
    numbers: NumberReader,
    prefixes: &'a PrefixZones,
    /// Rows by their numbers: each is called once.
    seen: HashMap<DialNumber, u64>,
    /// Zones that the list names, and whether there is such a one.
    known_zones: HashMap<String, bool>,
}

impl<'a> PeopleReader<'a> {
    /// Reads a list with this heading in a layout.
    pub fn new(layout: &'a ListLayout, heading: &[String], prefixes: &'a PrefixZones) -> Self {
        Self {
            layout,
            heading: heading.iter().map(|name| name.trim().to_owned()).collect(),
            numbers: NumberReader::of_country(&layout.region),
            prefixes,
            seen: HashMap::new(),
            known_zones: HashMap::new(),
        }
    }

    /// The person of a row; `row` is its number in the file.
    ///
    /// # Errors
    ///
    /// The column at fault, what is wrong and what to do.
    pub fn read(&mut self, row: u64, cells: &[&[u8]]) -> Result<ListedPerson, Refusal> {
        let number = self.number(row, cells)?;
        let (zone, is_zone_guessed) = self.zone(cells, number)?;
        let person = ListedPerson {
            number,
            zone,
            is_zone_guessed,
            priority: self.whole(cells, ListColumn::Priority, 1..=9)?,
            language: Some(self.kept(cells, ListColumn::Language)?).filter(|it| !it.is_empty()),
            hours: self.hours(cells)?,
            attempts: self.whole(cells, ListColumn::Attempts, 0..=255)?.unwrap_or(0),
            attributes: self.attributes(cells)?,
        };
        self.seen.insert(number, row);
        Ok(person)
    }

    /// The number of a row of a list of numbers alone, such as those that must not be called.
    ///
    /// # Errors
    ///
    /// What is wrong with it, and what to do.
    pub fn read_number(&mut self, row: u64, cells: &[&[u8]]) -> Result<DialNumber, Refusal> {
        let number = self.number(row, cells)?;
        self.seen.insert(number, row);
        Ok(number)
    }

    fn number(&self, row: u64, cells: &[&[u8]]) -> Result<DialNumber, Refusal> {
        let column = ListColumn::Number;
        let region = self.cell(cells, ListColumn::Region)?;
        let region = Some(region).filter(|region| !region.is_empty());
        if let Some(letters) = region
            && !is_country(letters)
        {
            let reason =
                format!("“{letters}” is no country; write its two letters, such as GB or IE");
            return Err(refusal(ListColumn::Region, reason));
        }
        let text = self.cell(cells, column)?;
        let number = self.numbers.read(text, region).map_err(|reason| refusal(column, reason))?;
        match self.seen.get(&number) {
            Some(earlier) if *earlier != row => {
                let reason = format!("{number} stands in row {earlier} too; one row is enough");
                Err(refusal(column, reason))
            }
            _ => Ok(number),
        }
    }

    fn zone(&mut self, cells: &[&[u8]], number: DialNumber) -> Result<(String, bool), Refusal> {
        let column = ListColumn::Zone;
        let named = self.cell(cells, column)?.to_owned();
        if named.is_empty() {
            let zone = self.prefixes.zone_of(number).map(str::to_owned);
            return zone.map(|zone| (zone, true)).ok_or_else(|| {
                let reason =
                    format!("is not given, and no prefix of {number} has one; name its time zone");
                refusal(column, reason)
            });
        }
        let known = self.known_zones.entry(named.clone());
        if !*known.or_insert_with(|| TimeZone::get(&named).is_ok()) {
            let reason = format!("there is no time zone “{named}”; write it as Europe/Dublin");
            return Err(refusal(column, reason));
        }
        Ok((named, false))
    }

    fn hours(&self, cells: &[&[u8]]) -> Result<Option<PreferredHours>, Refusal> {
        let column = ListColumn::Hours;
        let text = self.cell(cells, column)?;
        if text.is_empty() {
            return Ok(None);
        }
        let clock = |text: &str| {
            let text = text.trim();
            let is_hour = text.len() <= 2 && text.bytes().all(|digit| digit.is_ascii_digit());
            time(&if is_hour { format!("{text}:00") } else { text.to_owned() })
        };
        let hours = text.split_once(['-', '–']).and_then(|(from, until)| {
            Some(PreferredHours { from: clock(from)?, until: clock(until)? })
        });
        let hours = hours.filter(|hours| hours.from < hours.until);
        hours.map(Some).ok_or_else(|| {
            let reason = format!("“{text}” are no hours of a day; write them as 17:00-20:00");
            refusal(column, reason)
        })
    }

    fn whole(
        &self,
        cells: &[&[u8]],
        column: ListColumn,
        range: std::ops::RangeInclusive<u8>,
    ) -> Result<Option<u8>, Refusal> {
        let text = self.cell(cells, column)?;
        if text.is_empty() {
            return Ok(None);
        }
        let plain = text.strip_suffix(".0").unwrap_or(text);
        let number = plain.parse().ok().filter(|number| range.contains(number));
        number.map(Some).ok_or_else(|| {
            let (least, most) = (range.start(), range.end());
            refusal(column, format!("“{text}” is no whole number from {least} to {most}"))
        })
    }

    fn attributes(&self, cells: &[&[u8]]) -> Result<Vec<(String, String)>, Refusal> {
        let columns = self.layout.columns.iter().enumerate();
        let mut found = Vec::new();
        for (at, _) in columns.filter(|(_, column)| **column == ListColumn::Attribute) {
            let text = text_of(cells.get(at).copied(), ListColumn::Attribute)?;
            let name = self.heading.get(at).map_or("", String::as_str);
            if !text.is_empty() && !name.is_empty() {
                found.push((kept(name), kept(text)));
            }
        }
        Ok(found)
    }

    fn kept(&self, cells: &[&[u8]], column: ListColumn) -> Result<String, Refusal> {
        Ok(kept(self.cell(cells, column)?))
    }

    fn cell<'c>(&self, cells: &[&'c [u8]], column: ListColumn) -> Result<&'c str, Refusal> {
        let at = self.layout.column(column);
        text_of(at.and_then(|at| cells.get(at).copied()), column)
    }
}

fn refusal(column: ListColumn, reason: String) -> Refusal {
    Refusal { field: column.field(), reason }
}

fn text_of(cell: Option<&[u8]>, column: ListColumn) -> Result<&str, Refusal> {
    let text = std::str::from_utf8(cell.unwrap_or_default()).map_err(|_| {
        let reason = "is not UTF-8 text; save the file as CSV in UTF-8, or as a workbook";
        refusal(column, reason.to_owned())
    })?;
    Ok(text.trim())
}

fn kept(text: &str) -> String {
    text.chars().filter(|letter| !is_unseen(*letter)).take(MOST_CHARS).collect()
}
