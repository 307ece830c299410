//! Single contacts from CSV.

use std::collections::HashMap;

use barometer_strategy::csv_rows::{self, place_of};
use csv::StringRecord;
use jiff::civil::date;

use super::{ContactOutcome, SingleContact, SingleContacts};

/// Queues of a file, at most.
const MOST_QUEUES: usize = 40;

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
        let mut read = Reading::default();
        csv_rows::read_rows(text, columns, |columns, row| read.take(row, columns, contact_type))?;
        let Reading { contacts, queues, others, .. } = read;
        if contacts.is_empty() {
            return Err(vec![match others {
                0 => "There is no contact in the file.".to_owned(),
                others => format!(
                    "There is no contact of {contact_type} in the file, and {others} of others."
                ),
            }]);
        }
        Ok(Self { contacts, queues, others })
    }
}

fn columns(heading: &StringRecord) -> Result<Columns, String> {
    let place = |names: &[&str]| place_of(heading, names);
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
        _ => Err("The first row must name the columns arrived_at, waited_secs and outcome; contact_type, \
                  queue, handled_secs and customer may stand beside them."
            .to_owned()),
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
        row: &StringRecord,
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
            arrived_secs: arrived_secs(cell(Some(columns.arrived)))?,
            waited_secs: csv_rows::secs("waited_secs", cell(Some(columns.waited)))?.unwrap_or(0.0),
            outcome: outcome(cell(Some(columns.outcome)))?,
            handled_secs: csv_rows::secs("handled_secs", cell(columns.handled))?,
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

fn arrived_secs(text: &str) -> Result<f64, String> {
    let moment = csv_rows::moment("arrived_at", text)?;
    Ok(moment.duration_since(date(1990, 1, 1).at(0, 0, 0, 0)).as_secs_f64())
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
