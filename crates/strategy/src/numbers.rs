//! The telephone numbers of a strategy: who has which, what is free in a range, and all of them as a file.

use std::collections::BTreeSet;

use serde_json::{Value, json};

use crate::edit::{Edit, PartId};
use crate::types::{NumberPurpose, NumberRange, Step, StepKind, Strategy};

/// Digits of a number, at most (ITU-T E.164).
pub(crate) const MOST_DIGITS: usize = 15;

/// A number without what stands between its digits; `None` where it is no telephone number.
pub fn dialled(number: &str) -> Option<String> {
    let mut told = String::new();
    for letter in number.trim().chars() {
        match letter {
            '+' if told.is_empty() => told.push('+'),
            digit if digit.is_ascii_digit() => told.push(digit),
            ' ' | '-' | '(' | ')' | '/' | '.' => {}
            _ => return None,
        }
    }
    let digits = told.trim_start_matches('+').len();
    (1..=MOST_DIGITS).contains(&digits).then_some(told)
}

/// A number as one among those that follow each other.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Numbering {
    has_country: bool,
    digits: usize,
    pub value: u64,
}

impl Numbering {
    pub fn of(number: &str) -> Option<Self> {
        let told = dialled(number)?;
        let digits = told.trim_start_matches('+');
        let has_country = told.len() > digits.len();
        Some(Self { has_country, digits: digits.len(), value: digits.parse().ok()? })
    }

    /// Whether both have as many digits, with or without a country.
    pub fn is_like(&self, other: &Self) -> bool {
        (self.has_country, self.digits) == (other.has_country, other.digits)
    }

    /// The number as it is written, with spaces and hyphens where another one of as many digits has them.
    fn written_like(&self, other: &str) -> String {
        let digits = format!("{:0width$}", self.value, width = self.digits);
        let mut digits = digits.chars();
        let written = other.trim().chars().map(|letter| match letter {
            digit if digit.is_ascii_digit() => digits.next().unwrap_or(digit),
            between => between,
        });
        written.collect()
    }
}

impl NumberRange {
    fn bounds(&self) -> Option<(Numbering, Numbering)> {
        let (from, until) = (Numbering::of(&self.from)?, Numbering::of(&self.until)?);
        from.is_like(&until).then_some((from, until))
    }

    /// How many numbers it has.
    pub fn len(&self) -> u64 {
        self.bounds().map_or(0, |(from, until)| (until.value + 1).saturating_sub(from.value))
    }

    /// Whether it has no number.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Whether a number is in it.
    pub fn contains(&self, number: &str) -> bool {
        let Some(((from, until), number)) = self.bounds().zip(Numbering::of(number)) else {
            return false;
        };
        number.is_like(&from) && (from.value..=until.value).contains(&number.value)
    }

    /// Whether a number is in both.
    pub fn overlaps(&self, other: &Self) -> bool {
        let Some(((from, until), (first, last))) = self.bounds().zip(other.bounds()) else {
            return false;
        };
        from.is_like(&first) && from.value <= last.value && first.value <= until.value
    }

    /// Its first number behind another range; `None` where it has none.
    pub fn first_behind(&self, other: &Self) -> Option<String> {
        let (_, last) = other.bounds()?;
        let next = Numbering { value: last.value + 1, ..last }.written_like(&other.until);
        self.contains(&next).then_some(next)
    }
}

/// A place at which a number can stand.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NumberPlace {
    /// What it is the number of: "queue", "agent".
    pub kind: &'static str,
    /// What planners call that.
    pub name: String,
    /// What numbers of this kind are for.
    pub purpose: NumberPurpose,
    /// The number as it was typed; none where there is none.
    pub number: Option<String>,
    /// The part that has it.
    pub part: PartId,
    /// The setting within the part, as a JSON pointer.
    pub setting: String,
}

impl NumberPlace {
    /// The number without what stands between its digits.
    pub fn dialled(&self) -> Option<String> {
        dialled(self.number.as_deref()?)
    }
}

/// How much of a range is used.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RangeUse {
    /// Numbers of it that something has.
    pub used: u64,
    /// The first that nothing has; none where it is full.
    pub next_free: Option<String>,
}

impl Strategy {
    /// Every place at which a number can stand, in the order of the parts.
    pub fn number_places(&self) -> Vec<NumberPlace> {
        let entries = self.entries.iter().enumerate().map(|(at, entry)| NumberPlace {
            kind: "entry",
            name: entry.name.clone(),
            purpose: NumberPurpose::Entries,
            number: entry.number.clone(),
            part: PartId::Entry(at),
            setting: "/number".to_owned(),
        });
        let lines = self.steps.iter().filter_map(|step| {
            let (number, kind) = step.short_number()?;
            Some(NumberPlace {
                kind: step.does.words(),
                name: step.name.clone(),
                purpose: NumberPurpose::Lines,
                number: number.clone(),
                part: PartId::Step(step.id.clone()),
                setting: format!("/does/{kind}/short_number"),
            })
        });
        let people = self.teams.iter().flat_map(|team| {
            team.agents.iter().enumerate().map(|(at, agent)| NumberPlace {
                kind: "agent",
                name: agent.name.clone(),
                purpose: NumberPurpose::People,
                number: agent.short_number.clone(),
                part: PartId::Team(team.id.clone()),
                setting: format!("/agents/{at}/short_number"),
            })
        });
        let campaigns = self.campaigns.iter().map(|campaign| NumberPlace {
            kind: "campaign",
            name: campaign.name.clone(),
            purpose: NumberPurpose::Campaigns,
            number: Some(campaign.caller_number.clone()).filter(|number| !number.is_empty()),
            part: PartId::Campaign(campaign.id.clone()),
            setting: "/caller_number".to_owned(),
        });
        entries.chain(lines).chain(people).chain(campaigns).collect()
    }

    /// How much of a range is used, whatever for.
    pub fn use_of(&self, range: &NumberRange) -> RangeUse {
        let numbers = self.number_places().into_iter().filter_map(|place| place.dialled());
        let taken: BTreeSet<u64> = numbers
            .filter(|number| range.contains(number))
            .filter_map(|number| Some(Numbering::of(&number)?.value))
            .collect();
        let next_free = range.bounds().and_then(|(from, until)| {
            let free = (from.value..=until.value).find(|value| !taken.contains(value))?;
            Some(Numbering { value: free, ..from }.written_like(&range.from))
        });
        RangeUse { used: taken.len() as u64, next_free }
    }

    /// The number that is proposed for a purpose: the first that is free in its ranges.
    pub fn next_free_number(&self, purpose: NumberPurpose) -> Option<String> {
        let ranges = self.number_ranges.iter().filter(|range| range.purpose == purpose);
        ranges.into_iter().find_map(|range| self.use_of(range).next_free)
    }

    /// Every place at which a number can stand as CSV, with its number or nothing.
    pub fn numbers_csv(&self) -> String {
        let mut writer = csv::Writer::from_writer(Vec::new());
        let head = [HEADS[0].to_owned(), HEADS[1].to_owned(), HEADS[2].to_owned()];
        let rows = self
            .number_places()
            .into_iter()
            .map(|place| [place.kind.to_owned(), place.name, place.number.unwrap_or_default()]);
        for row in std::iter::once(head).chain(rows) {
            writer.write_record(row).expect("every row has three cells");
        }
        let bytes = writer.into_inner().expect("memory does not run out of disk");
        String::from_utf8(bytes).expect("names are text")
    }

    /// The edit that gives numbers as a CSV file has them, as [`Self::numbers_csv`] writes it. What the file does not
    /// name keeps its number; an empty cell takes a number away.
    ///
    /// # Errors
    ///
    /// Everything that is wrong, with row and column; nothing is changed then.
    pub fn edit_from_numbers_csv(&self, text: &str) -> Result<Edit, Vec<String>> {
        let places = self.number_places();
        let mut reader = csv::ReaderBuilder::new()
            .flexible(true)
            .trim(csv::Trim::All)
            .from_reader(text.as_bytes());
        let head = reader.headers().map_err(|error| vec![error.to_string()])?.clone();
        let column = |name: &str| {
            let found = head.iter().position(|head| head.eq_ignore_ascii_case(name));
            found.ok_or_else(|| format!("row 1: there is no column “{name}”"))
        };
        let columns = HEADS.map(column);
        if columns.iter().any(Result::is_err) {
            return Err(columns.into_iter().filter_map(Result::err).collect());
        }
        let [kind_at, name_at, number_at] = columns.map(|column| column.unwrap_or(0));
        let (mut wrong, mut edits, mut seen) = (Vec::new(), Vec::new(), BTreeSet::new());
        for (nth, row) in (2..).zip(reader.records()) {
            let row = match row {
                Ok(row) => row,
                Err(error) => {
                    wrong.push(format!("row {nth}: {error}"));
                    continue;
                }
            };
            let cell = |at: usize| row.get(at).unwrap_or("");
            let (kind, name, number) = (cell(kind_at), cell(name_at), cell(number_at));
            let mut meant = places
                .iter()
                .enumerate()
                .filter(|(_, place)| place.kind.eq_ignore_ascii_case(kind) && place.name == name);
            let (at, place) = match (meant.next(), meant.next()) {
                (Some(one), None) => one,
                (None, _) => {
                    wrong.push(format!("row {nth}, name: there is no {kind} “{name}”"));
                    continue;
                }
                (Some(_), Some(_)) => {
                    wrong.push(format!("row {nth}, name: more than one {kind} is called “{name}”"));
                    continue;
                }
            };
            if !seen.insert(at) {
                wrong.push(format!("row {nth}, name: {kind} “{name}” is there twice"));
            }
            if !number.is_empty() && dialled(number).is_none() {
                wrong.push(format!("row {nth}, number: “{number}” is no telephone number"));
            }
            if place.number.as_deref().unwrap_or("") != number {
                let to = match number {
                    "" if place.purpose != NumberPurpose::Campaigns => Value::Null,
                    number => json!(number),
                };
                let (part, setting) = (place.part.clone(), place.setting.clone());
                edits.push(Edit::Set { part, setting, to });
            }
        }
        if wrong.is_empty() { Ok(Edit::Several(edits)) } else { Err(wrong) }
    }
}

/// The columns of the file.
const HEADS: [&str; 3] = ["for", "name", "number"];

impl Step {
    /// The short number of a line, and the kind of line as the JSON form names it; `None` for what is no line.
    fn short_number(&self) -> Option<(&Option<String>, &'static str)> {
        match &self.does {
            StepKind::Queue(queue) => Some((&queue.short_number, "queue")),
            StepKind::HuntGroup(group) => Some((&group.short_number, "hunt_group")),
            _ => None,
        }
    }
}
