//! The telephone numbers of a strategy: who has which, what is free in a range, and all of them as a file.

use std::collections::BTreeSet;

use serde_json::{Value, json};

use crate::csv_rows::csv_of;
use crate::edit::{Edit, PartId};
use crate::table_file::{TableFile, cell};
use crate::types::{NumberPurpose, NumberRange, Recording, StepKind, Strategy};

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

    /// Its digits, with spaces and hyphens where another one of as many digits has them.
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
    pub fn count(&self) -> u64 {
        self.bounds().map_or(0, |(from, until)| (until.value + 1).saturating_sub(from.value))
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
    /// What it is the number of: "queue", "agent"; "port" for an agent's telephone.
    pub kind: &'static str,
    /// What planners call that.
    pub name: String,
    /// What numbers of this kind are for.
    pub purpose: NumberPurpose,
    /// The number as typed; none where there is none.
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

    /// The edit that gives it a number, or none.
    pub fn set_to(&self, number: &str) -> Edit {
        let to = match number {
            // Campaigns have an empty text where they show none.
            "" if self.purpose != NumberPurpose::Campaigns => Value::Null,
            number => json!(number),
        };
        Edit::Set { part: self.part.clone(), setting: self.setting.clone(), to }
    }
}

/// Whether a number is none of these, hides none of them and is hidden by none: a call to 601 reaches 60 where there is
/// such a number.
fn can_be_dialled_beside(number: &str, taken: &BTreeSet<String>) -> bool {
    let longer = taken.range(number.to_owned()..).next();
    let is_hidden = (1..number.len()).any(|digits| taken.contains(&number[..digits]));
    !is_hidden && longer.is_none_or(|longer| !longer.starts_with(number))
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
            Some(NumberPlace {
                kind: step.does.words(),
                name: step.name.clone(),
                purpose: NumberPurpose::Lines,
                number: step.does.short_number()?.clone(),
                part: PartId::Step(step.id.clone()),
                setting: format!("/does/{}/short_number", step.does.name().key()),
            })
        });
        let of_people = |purpose: NumberPurpose| {
            let people = self.teams.iter().flat_map(|team| {
                team.agents.iter().enumerate().map(move |(at, agent)| (team, at, agent))
            });
            people.map(move |(team, at, agent)| {
                let (kind, number, setting) = match purpose {
                    NumberPurpose::Ports => ("port", &agent.port, "port"),
                    _ => ("agent", &agent.short_number, "short_number"),
                };
                NumberPlace {
                    kind,
                    name: agent.name.clone(),
                    purpose,
                    number: number.clone(),
                    part: PartId::Team(team.id.clone()),
                    setting: format!("/agents/{at}/{setting}"),
                }
            })
        };
        let people = of_people(NumberPurpose::People);
        let ports = of_people(NumberPurpose::Ports);
        let campaigns = self.campaigns.iter().flat_map(|campaign| {
            let further = campaign.further_numbers.iter().enumerate();
            let further = further.map(|(at, number)| (number, format!("/further_numbers/{at}")));
            let first = (&campaign.caller_number, "/caller_number".to_owned());
            std::iter::once(first).chain(further).map(|(number, setting)| NumberPlace {
                kind: "campaign",
                name: campaign.name.clone(),
                purpose: NumberPurpose::Campaigns,
                number: Some(number.clone()).filter(|number| !number.is_empty()),
                part: PartId::Campaign(campaign.id.clone()),
                setting,
            })
        });
        entries.chain(lines).chain(people).chain(campaigns).chain(ports).collect()
    }

    /// How much of a range is used, by whatever has its numbers.
    pub fn use_of(&self, range: &NumberRange) -> RangeUse {
        let is_dialled = range.purpose.is_dialled();
        let places = self.number_places().into_iter();
        let alike = places.filter(|place| place.purpose.is_dialled() == is_dialled);
        let taken: BTreeSet<String> = alike.filter_map(|place| place.dialled()).collect();
        let is_free = |number: &String| match dialled(number) {
            Some(number) if is_dialled => can_be_dialled_beside(&number, &taken),
            number => number.is_some_and(|number| !taken.contains(&number)),
        };
        let used = taken.iter().filter(|number| range.contains(number)).count() as u64;
        let next_free = range.bounds().and_then(|(from, until)| {
            let numbers = (from.value..=until.value).map(|value| Numbering { value, ..from });
            let free = numbers.map(|number| number.written_like(&range.from));
            free.into_iter().find(is_free)
        });
        RangeUse { used, next_free }
    }

    /// The number that is proposed for a purpose: the first that is free in its ranges.
    pub fn next_free_number(&self, purpose: NumberPurpose) -> Option<String> {
        let mut ranges = self.number_ranges.iter().filter(|range| range.purpose == purpose);
        ranges.find_map(|range| self.use_of(range).next_free)
    }

    /// Every place at which a number can stand as CSV, with its number or nothing.
    pub fn numbers_csv(&self) -> String {
        let places = self.number_places().into_iter();
        let rows = places
            .map(|each| vec![each.kind.to_owned(), each.name, each.number.unwrap_or_default()]);
        csv_of(std::iter::once(HEADS.map(str::to_owned).to_vec()).chain(rows))
    }

    /// The edit that gives numbers as a CSV file has them, as [`Self::numbers_csv`] writes it. What the file does not
    /// name keeps its number; an empty cell takes a number away.
    ///
    /// # Errors
    ///
    /// Everything that is wrong, with row and column; nothing is changed then.
    pub fn edit_from_numbers_csv(&self, text: &str) -> Result<Edit, Vec<String>> {
        let table = TableFile::read(text)?;
        let columns = table.columns(HEADS)?;
        let places = self.number_places();
        let (mut wrong, mut edits, mut seen) = (Vec::new(), Vec::new(), BTreeSet::new());
        for (nth, row) in &table.rows {
            let [kind, name, number] = columns.map(|at| cell(row, at));
            let (at, place) = match place_of(&places, kind, name) {
                Ok(found) => found,
                Err(why) => {
                    wrong.push(format!("row {nth}, {why}"));
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
                edits.push(place.set_to(number));
            }
        }
        if wrong.is_empty() { Ok(Edit::Several(edits)) } else { Err(wrong) }
    }
}

/// The one place of a kind and a name, or the column that is wrong and why.
fn place_of<'p>(
    places: &'p [NumberPlace],
    kind: &str,
    name: &str,
) -> Result<(usize, &'p NumberPlace), String> {
    if !KINDS.iter().any(|known| known.eq_ignore_ascii_case(kind)) {
        return Err(format!("for: “{kind}” is none of {}", KINDS.join(", ")));
    }
    let is_meant =
        |place: &NumberPlace| place.kind.eq_ignore_ascii_case(kind) && place.name == name;
    let mut meant = places.iter().enumerate().filter(|(_, place)| is_meant(place));
    match (meant.next(), meant.next()) {
        (Some(one), None) => Ok(one),
        (None, _) => Err(format!("name: there is no {kind} “{name}”")),
        (Some(_), Some(_)) => Err(format!("name: more than one {kind} is called “{name}”")),
    }
}

/// The columns of the file.
const HEADS: [&str; 3] = ["for", "name", "number"];
/// What can have a number.
const KINDS: [&str; 6] = ["entry", "queue", "hunt group", "agent", "campaign", "port"];

impl StepKind {
    /// The short number of a line; `None` for what is no line.
    const fn short_number(&self) -> Option<&Option<String>> {
        match self {
            Self::Queue(queue) => Some(&queue.short_number),
            Self::HuntGroup(group) => Some(&group.short_number),
            _ => None,
        }
    }

    /// What is recorded here.
    pub const fn recording(&self) -> Option<&Recording> {
        match self {
            Self::Queue(queue) => queue.recording.as_ref(),
            Self::HuntGroup(group) => group.recording.as_ref(),
            _ => None,
        }
    }
}
