//! Single contacts from CSV.

use std::collections::HashMap;

use jiff::civil::{DateTime, date};

use super::{ContactOutcome, SingleContact, SingleContacts};

/// Rows that are told as wrong, at most.
const MOST_WRONG: usize = 20;
/// Contacts and queues of a file, at most.
const MOST_CONTACTS: usize = 2_000_000;
const MOST_QUEUES: usize = 40;
/// Seconds that anything lasts, at most: a day.
const MOST_SECS: f64 = 86_400.0;

/// A column, by what it may be called.
const ARRIVED: &[&str] = &["arrived_at", "arrived", "at"];
const WAITED: &[&str] = &["waited_secs", "waited", "wait_secs", "wait"];
const OUTCOME: &[&str] = &["outcome"];
const HANDLED: &[&str] = &["handled_secs", "handled", "handle_secs", "handle"];
const QUEUE: &[&str] = &["queue"];
const CONTACT_TYPE: &[&str] = &["contact_type", "type"];
const CUSTOMER: &[&str] = &["customer", "caller"];

struct Columns {
    arrived: usize,
    waited: usize,
    outcome: usize,
    handled: Option<usize>,
    queue: Option<usize>,
    contact_type: Option<usize>,
    customer: Option<usize>,
}

impl SingleContacts {
    /// The contacts of a type in a CSV file with the columns `arrived_at`, `waited_secs` and `outcome`, and where they are
    /// there `contact_type`, `queue`, `handled_secs` and `customer`. Rows of other types are counted and left out.
    ///
    /// # Errors
    ///
    /// What is wrong, row by row: the first few.
    pub fn from_csv(text: &str, contact_type: &str) -> Result<Self, Vec<String>> {
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        let first = text.lines().next().unwrap_or_default();
        let delimiter = if first.contains(';') { b';' } else { b',' };
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(delimiter)
            .trim(csv::Trim::All)
            .from_reader(text.as_bytes());
        let heading = reader.headers().map_err(|error| vec![error.to_string()])?.clone();
        let columns = columns(&heading)?;
        let mut read = Reading::default();
        let mut wrong = Vec::new();
        for row in reader.records() {
            let kept = row.map_err(|error| error.to_string()).and_then(|row| {
                let line = row.position().map_or(0, csv::Position::line);
                read.take(&row, &columns, contact_type)
                    .map_err(|told| format!("Row {line}, {told}"))
            });
            wrong.extend(kept.err());
            if read.contacts.len() > MOST_CONTACTS {
                return Err(vec![format!(
                    "There are more than {MOST_CONTACTS} contacts; send a part of them."
                )]);
            }
            if wrong.len() >= MOST_WRONG {
                wrong.push("There may be more.".to_owned());
                break;
            }
        }
        if wrong.is_empty() && read.contacts.is_empty() {
            wrong.push(match read.others {
                0 => "There is no contact in the file.".to_owned(),
                others => format!(
                    "There is no contact of {contact_type} in the file, and {others} of others."
                ),
            });
        }
        let Reading { contacts, queues, others, .. } = read;
        if wrong.is_empty() { Ok(Self { contacts, queues, others }) } else { Err(wrong) }
    }
}

fn columns(heading: &csv::StringRecord) -> Result<Columns, Vec<String>> {
    let place = |names: &[&str]| {
        heading.iter().position(|each| names.iter().any(|name| each.eq_ignore_ascii_case(name)))
    };
    match (place(ARRIVED), place(WAITED), place(OUTCOME)) {
        (Some(arrived), Some(waited), Some(outcome)) => Ok(Columns {
            arrived,
            waited,
            outcome,
            handled: place(HANDLED),
            queue: place(QUEUE),
            contact_type: place(CONTACT_TYPE),
            customer: place(CUSTOMER),
        }),
        _ => Err(vec![
            "The first row must name the columns arrived_at, waited_secs and outcome; contact_type, queue, handled_secs \
             and customer may stand beside them."
                .to_owned(),
        ]),
    }
}

#[derive(Default)]
struct Reading {
    contacts: Vec<SingleContact>,
    queues: Vec<String>,
    customers: HashMap<String, u32>,
    others: usize,
}

impl Reading {
    fn take(
        &mut self,
        row: &csv::StringRecord,
        columns: &Columns,
        contact_type: &str,
    ) -> Result<(), String> {
        let cell =
            |column: Option<usize>| column.and_then(|column| row.get(column)).unwrap_or_default();
        let own = cell(columns.contact_type);
        if !own.is_empty() && own.to_lowercase() != contact_type.to_lowercase() {
            self.others += 1;
            return Ok(());
        }
        let contact = SingleContact {
            arrived_secs: moment(cell(Some(columns.arrived)))?,
            waited_secs: secs("waited_secs", cell(Some(columns.waited)))?.unwrap_or(0.0),
            outcome: outcome(cell(Some(columns.outcome)))?,
            handled_secs: secs("handled_secs", cell(columns.handled))?,
            queue: self.queue(cell(columns.queue))?,
            customer: self.customer(cell(columns.customer)),
        };
        self.contacts.push(contact);
        Ok(())
    }

    fn queue(&mut self, name: &str) -> Result<usize, String> {
        if let Some(known) = self.queues.iter().position(|queue| queue == name) {
            return Ok(known);
        }
        if self.queues.len() >= MOST_QUEUES {
            return Err(format!(
                "queue: “{name}” is one more than the {MOST_QUEUES} that are told apart"
            ));
        }
        self.queues.push(name.to_owned());
        Ok(self.queues.len() - 1)
    }

    fn customer(&mut self, name: &str) -> Option<u32> {
        if name.is_empty() {
            return None;
        }
        let next = self.customers.len() as u32;
        Some(*self.customers.entry(name.to_owned()).or_insert(next))
    }
}

fn moment(text: &str) -> Result<f64, String> {
    let civil = text.trim_end_matches('Z').replace('T', " ");
    let moment: DateTime = civil.parse().map_err(|_| {
        format!("arrived_at: “{text}” is no moment; write it as 2026-11-20 14:05:31")
    })?;
    Ok(moment.duration_since(date(1990, 1, 1).at(0, 0, 0, 0)).as_secs_f64())
}

fn secs(name: &str, text: &str) -> Result<Option<f64>, String> {
    if text.is_empty() {
        return Ok(None);
    }
    let secs = text.replace(',', ".").parse::<f64>().ok();
    let secs = secs.filter(|secs| (0.0..=MOST_SECS).contains(secs));
    secs.map(Some).ok_or_else(|| format!("{name}: “{text}” is no number of seconds up to a day"))
}

fn outcome(text: &str) -> Result<ContactOutcome, String> {
    Ok(match text.to_lowercase().replace(['-', '_'], " ").as_str() {
        "answered" | "handled" => ContactOutcome::Answered,
        "abandoned" | "hung up" => ContactOutcome::Abandoned,
        "blocked" | "busy" | "released" => ContactOutcome::Blocked,
        "message" | "voicemail" | "callback" | "overflow" | "other" => ContactOutcome::Left,
        _ => {
            return Err(format!(
                "outcome: “{text}” is none of answered, abandoned, blocked, released, message, callback, overflow, \
                 other"
            ));
        }
    })
}
