//! Expectations as CSV: a row each, so that they can be written in a spreadsheet and kept in git.

use std::collections::BTreeMap;

use barometer_strategy::csv_rows::csv_of;
use barometer_strategy::{Channel, LocalHours, is_unseen};
use serde_json::Value;

use crate::called::{Answers, Called};
use crate::expectation::{Expectation, Outcome};
use crate::scene::{Caller, OnShift, Scene};

/// Columns, in their order.
const COLUMNS: [&str; 22] = [
    "name",
    "contact_type",
    "campaign",
    "zone",
    "calls_so_far",
    "preferred_hours",
    "line_answers",
    "channel",
    "at",
    "number",
    "language",
    "attributes",
    "keys",
    "labels",
    "patience_secs",
    "accepts_callback",
    "handle_secs",
    "ahead",
    "people",
    "end",
    "reaches",
    "within_secs",
];
/// Rows, at most.
const MOST_ROWS: usize = 5_000;

/// Writes expectations with a heading. Lists are divided by semicolons; an attribute is `name=value`;
/// people are `team:on shift:busy:free after:answers after`.
pub fn write_expectations(expectations: &[Expectation]) -> String {
    let mut rows = vec![COLUMNS.map(str::to_owned).to_vec()];
    for each in expectations {
        let Scene { at, caller, called, people, ahead } = &each.scene;
        let number = |secs: Option<f64>| secs.map_or_else(String::new, |secs| secs.to_string());
        let attributes = caller.attributes.iter().map(|(name, value)| format!("{name}={value}"));
        let people = people.iter().map(|team| {
            let OnShift { team, people, busy, free_after_secs, answers_after_secs } = team;
            format!("{team}:{people}:{busy}:{free_after_secs}:{}", number(*answers_after_secs))
        });
        let of_called = |field: fn(&Called) -> Option<String>| {
            called.as_ref().and_then(field).unwrap_or_default()
        };
        rows.push(vec![
            each.name.clone(),
            caller.contact_type.clone(),
            of_called(|called| Some(called.campaign.clone())),
            of_called(|called| called.zone.clone()),
            of_called(|called| Some(called.attempts.to_string())),
            of_called(|called| called.hours.map(hours_words)),
            of_called(|called| Some(word_of(called.answers))),
            word_of(caller.channel),
            at.to_string(),
            caller.number.clone(),
            caller.language.clone(),
            attributes.collect::<Vec<_>>().join(";"),
            caller.keys.join(";"),
            caller.labels.join(";"),
            number(caller.patience_secs),
            if caller.accepts_callback { "yes" } else { "no" }.to_owned(),
            caller.handle_secs.to_string(),
            ahead.to_string(),
            people.collect::<Vec<_>>().join(";"),
            each.expects.end.map_or_else(String::new, word_of),
            each.expects.reaches.clone().unwrap_or_default(),
            number(each.expects.within_secs),
        ]);
    }
    csv_of(rows)
}

/// Such as `09:00-17:00`.
fn hours_words(hours: LocalHours) -> String {
    format!("{}-{}", hours.from.strftime("%H:%M"), hours.until.strftime("%H:%M"))
}

fn word_of<T: serde::Serialize>(value: T) -> String {
    let word = serde_json::to_value(value).ok();
    word.and_then(|word| word.as_str().map(str::to_owned)).unwrap_or_default()
}

/// Reads what [`write_expectations`] writes. Columns may be left out and stand in any order.
///
/// # Errors
///
/// Every row that cannot be read: its number, its column, and how to mend it. Nothing is read then.
pub fn read_expectations(text: &str) -> Result<Vec<Expectation>, Vec<String>> {
    let mut reader = csv::ReaderBuilder::new()
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.trim_start_matches('\u{feff}').as_bytes());
    let heading = reader.headers().map_err(|error| vec![error.to_string()])?.clone();
    check_heading(&heading)?;
    let (mut read, mut wrong) = (Vec::new(), Vec::new());
    for record in reader.records() {
        if read.len() >= MOST_ROWS {
            wrong.push(format!("there are more than {MOST_ROWS} rows"));
            break;
        }
        let record = match record {
            Ok(record) => record,
            Err(error) => {
                wrong.push(error.to_string());
                continue;
            }
        };
        let line = record.position().map_or(0, csv::Position::line);
        if record.len() != heading.len() {
            let (got, wanted) = (record.len(), heading.len());
            wrong.push(format!("row {line}: has {got} fields, the heading {wanted}"));
            continue;
        }
        if let Some((column, _)) =
            heading.iter().zip(record.iter()).find(|(_, cell)| cell.contains(is_unseen))
        {
            wrong.push(format!("row {line}, {column}: has a character that cannot be seen"));
            continue;
        }
        match (Row { by_name: heading.iter().zip(record.iter()).collect() }).expectation() {
            Ok(expectation) => read.push(expectation),
            Err((column, message)) => wrong.push(format!("row {line}, {column}: {message}")),
        }
    }
    if wrong.is_empty() { Ok(read) } else { Err(wrong) }
}

fn check_heading(heading: &csv::StringRecord) -> Result<(), Vec<String>> {
    let unknown = heading.iter().filter(|name| !COLUMNS.contains(name));
    let mut wrong: Vec<String> = unknown
        .map(|name| format!("row 1: there is no column “{name}”; there are {}", COLUMNS.join(", ")))
        .collect();
    let has = |needed: &str| heading.iter().any(|name| name == needed);
    for needed in ["name", "at"] {
        if !has(needed) {
            wrong.push(format!("row 1: the column “{needed}” is missing"));
        }
    }
    if !has("contact_type") && !has("campaign") {
        wrong.push("row 1: the column “contact_type” is missing, or “campaign”".to_owned());
    }
    if wrong.is_empty() { Ok(()) } else { Err(wrong) }
}

struct Row<'a> {
    by_name: BTreeMap<&'a str, &'a str>,
}

type Wrong = (&'static str, String);

impl Row<'_> {
    fn text(&self, column: &'static str) -> &str {
        self.by_name.get(column).copied().unwrap_or("")
    }

    fn needed(&self, column: &'static str) -> Result<String, Wrong> {
        match self.text(column) {
            "" => Err((column, "is empty".to_owned())),
            text => Ok(text.to_owned()),
        }
    }

    fn list(&self, column: &'static str) -> Vec<String> {
        let items = self.text(column).split(';').map(str::trim);
        items.filter(|item| !item.is_empty()).map(str::to_owned).collect()
    }

    fn number(&self, column: &'static str) -> Result<Option<f64>, Wrong> {
        number(self.text(column)).map_err(|message| (column, message))
    }

    /// One of the words of a type: "answered" of how walks come out.
    fn word<T: serde::de::DeserializeOwned>(
        &self,
        column: &'static str,
    ) -> Result<Option<T>, Wrong> {
        match self.text(column) {
            "" => Ok(None),
            word => serde_json::from_value(Value::String(word.to_owned()))
                .map(Some)
                .map_err(|error| (column, error.to_string())),
        }
    }

    fn contact_type(&self, is_called: bool) -> Result<String, Wrong> {
        match is_called {
            true => Ok(self.text("contact_type").to_owned()),
            false => self.needed("contact_type"),
        }
    }

    /// Whom a campaign calls; none where the row names no campaign.
    fn called(&self) -> Result<Option<Called>, Wrong> {
        let campaign = self.text("campaign");
        if campaign.is_empty() {
            return Ok(None);
        }
        let calls = self.text("calls_so_far");
        let attempts = match calls {
            "" => 0,
            calls => calls.parse().map_err(|_| {
                ("calls_so_far", format!("“{calls}” is no whole number from 0 to 255"))
            })?,
        };
        Ok(Some(Called {
            campaign: campaign.to_owned(),
            zone: Some(self.text("zone").to_owned()).filter(|zone| !zone.is_empty()),
            attempts,
            hours: self.preferred_hours()?,
            answers: self.word::<Answers>("line_answers")?.unwrap_or_default(),
        }))
    }

    fn preferred_hours(&self) -> Result<Option<LocalHours>, Wrong> {
        let text = self.text("preferred_hours");
        if text.is_empty() {
            return Ok(None);
        }
        let hours = text.split_once('-').and_then(|(from, until)| {
            let (from, until) = (from.trim().parse().ok()?, until.trim().parse().ok()?);
            (from < until).then_some(LocalHours { from, until })
        });
        let wrong = || ("preferred_hours", format!("“{text}” are no hours like 09:00-17:00"));
        hours.ok_or_else(wrong).map(Some)
    }

    fn expectation(&self) -> Result<Expectation, Wrong> {
        let at = self.needed("at")?;
        let at =
            at.parse().map_err(|_| ("at", format!("“{at}” is no moment like 2026-11-30T09:30")))?;
        let is_yes = match self.text("accepts_callback") {
            "yes" => true,
            "no" | "" => false,
            other => return Err(("accepts_callback", format!("must be yes or no, got “{other}”"))),
        };
        let attribute = |item: String| match item.split_once('=') {
            Some((name, value)) => Ok((name.to_owned(), value.to_owned())),
            None => Err(("attributes", format!("“{item}” is not name=value"))),
        };
        let attributes: Result<BTreeMap<_, _>, Wrong> =
            self.list("attributes").into_iter().map(attribute).collect();
        let people: Result<Vec<OnShift>, Wrong> = self
            .list("people")
            .iter()
            .map(|item| on_shift(item).map_err(|message| ("people", message)))
            .collect();
        let ahead = self.number("ahead")?.unwrap_or(0.0);
        let called = self.called()?;
        let scene = Scene {
            at,
            caller: Caller {
                contact_type: self.contact_type(called.is_some())?,
                channel: self.word::<Channel>("channel")?.unwrap_or_default(),
                number: self.text("number").to_owned(),
                language: self.text("language").to_owned(),
                attributes: attributes?,
                keys: self.list("keys"),
                labels: self.list("labels"),
                patience_secs: self.number("patience_secs")?,
                is_contained: false,
                accepts_callback: is_yes,
                handle_secs: self.number("handle_secs")?.unwrap_or(300.0),
            },
            called,
            people: people?,
            ahead: ahead as u32,
        };
        scene.check().map_err(|error| ("at", error.to_string()))?;
        let reaches = Some(self.text("reaches").to_owned()).filter(|id| !id.is_empty());
        let end = self.word("end")?;
        let within_secs = self.number("within_secs")?;
        if end.is_none() && reaches.is_none() {
            return Err(("end", "say how it ends, or which step it reaches".to_owned()));
        }
        let expects = Outcome { end, reaches, within_secs };
        Ok(Expectation { name: self.needed("name")?, scene, expects })
    }
}

fn number(text: &str) -> Result<Option<f64>, String> {
    match text.trim() {
        "" => Ok(None),
        text => match text.parse::<f64>() {
            Ok(number) if number.is_finite() && number >= 0.0 => Ok(Some(number)),
            _ => Err(format!("“{text}” is no number of 0 or more")),
        },
    }
}

/// People of a team: `team:on shift:busy:free after:answers after`, of which only the first two are
/// needed.
fn on_shift(item: &str) -> Result<OnShift, String> {
    let mut parts = item.split(':');
    let team = parts.next().unwrap_or_default().trim().to_owned();
    let mut next = || number(parts.next().unwrap_or(""));
    let people = next()?.ok_or_else(|| format!("“{item}” does not say how many are on shift"))?;
    let busy = next()?.unwrap_or(0.0);
    let free_after_secs = next()?.unwrap_or(60.0);
    let answers_after_secs = match item.matches(':').count() {
        4 => next()?,
        _ => Some(3.0),
    };
    Ok(OnShift {
        team,
        people: people as u32,
        busy: busy as u32,
        free_after_secs,
        answers_after_secs,
    })
}
