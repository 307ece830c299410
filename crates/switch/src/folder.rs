//! What the switch keeps over a restart: a snapshot of the last change of its world, where its clock is, and the
//! rows that it has told. A snapshot or clock is replaced in one step, rows are only added and are on the disk
//! before anybody sees them; so a kill at any moment loses nothing and doubles nothing.

use std::collections::HashSet;
use std::fs::{self, File, OpenOptions};
use std::io::{self, BufRead, BufReader, Write};
use std::path::{Path, PathBuf};

use barometer_simulate::Carried;
use barometer_wire::{IntervalRow, StaffingRow};
use jiff::Timestamp;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use crate::known::Known;

/// What goes wrong with a folder.
#[derive(Debug, thiserror::Error)]
pub enum FolderError {
    /// A file cannot be read or written.
    #[error("{file}: {source}")]
    File {
        /// Which one.
        file: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// A file is not one of this program's.
    #[error("{file} cannot be understood ({reason}); begin with another folder")]
    Damaged {
        /// Which one.
        file: PathBuf,
        /// Why.
        reason: String,
    },
}

/// What is known when the world changes, and everybody who is there.
#[derive(Serialize, Deserialize)]
pub(crate) struct Snapshot {
    /// [`Known`] as JSON, which postcard cannot hold.
    known: String,
    pub carried: Option<Carried>,
}

/// Where the clock is.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub(crate) struct KeptClock {
    pub now: Timestamp,
    pub speed: f64,
}

/// The folder.
#[derive(Debug)]
pub(crate) struct Folder {
    path: PathBuf,
    /// Contacts, by contact type.
    pub intervals: Ledger<IntervalRow>,
    /// Who was on shift.
    pub staffing: Ledger<StaffingRow>,
}

/// A row that is told once.
pub(crate) trait Row: Clone + Serialize + DeserializeOwned {
    /// Gives it the number with which it is told.
    fn number(&mut self, sequence: u64);
    /// What it is about, and when its interval began.
    fn key(&self) -> (String, Timestamp);
}

impl Row for IntervalRow {
    fn number(&mut self, sequence: u64) {
        self.sequence = sequence;
    }

    fn key(&self) -> (String, Timestamp) {
        (self.contact_type.clone(), self.start)
    }
}

impl Row for StaffingRow {
    fn number(&mut self, sequence: u64) {
        self.sequence = sequence;
    }

    fn key(&self) -> (String, Timestamp) {
        (self.team.clone(), self.start)
    }
}

/// Rows that were told, in order, in a file to which rows are only added.
#[derive(Debug)]
pub(crate) struct Ledger<R> {
    path: PathBuf,
    file: File,
    rows: Vec<R>,
    keys: HashSet<(String, Timestamp)>,
}

impl<R: Row> Ledger<R> {
    fn open(path: PathBuf) -> Result<Self, FolderError> {
        let rows: Vec<R> = read_rows(&path)?;
        let file = OpenOptions::new().create(true).append(true).open(&path).map_err(at(&path))?;
        let keys = rows.iter().map(Row::key).collect();
        Ok(Self { path, file, rows, keys })
    }

    /// The rows.
    pub fn rows(&self) -> &[R] {
        &self.rows
    }

    /// Whether an interval was told.
    pub fn is_told(&self, subject: &str, start: Timestamp) -> bool {
        self.keys.contains(&(subject.to_owned(), start))
    }

    /// Numbers rows and adds them; they are on the disk when this returns.
    pub fn tell(&mut self, mut rows: Vec<R>) -> Result<Vec<R>, FolderError> {
        let mut text = String::new();
        for (row, number) in rows.iter_mut().zip(self.rows.len() as u64 + 1..) {
            row.number(number);
            let line = serde_json::to_string(row).map_err(|error| damaged(&self.path, &error))?;
            text.push_str(&line);
            text.push('\n');
        }
        if !text.is_empty() {
            self.file.write_all(text.as_bytes()).map_err(at(&self.path))?;
            self.file.sync_data().map_err(at(&self.path))?;
        }
        self.keys.extend(rows.iter().map(Row::key));
        self.rows.extend(rows.iter().cloned());
        Ok(rows)
    }
}

fn at(file: &Path) -> impl FnOnce(io::Error) -> FolderError {
    let file = file.to_owned();
    move |source| FolderError::File { file, source }
}

impl Folder {
    pub fn open(path: &Path) -> Result<Self, FolderError> {
        fs::create_dir_all(path).map_err(at(path))?;
        Ok(Self {
            path: path.to_owned(),
            intervals: Ledger::open(path.join("intervals.jsonl"))?,
            staffing: Ledger::open(path.join("staffing.jsonl"))?,
        })
    }

    fn replace(&self, name: &str, bytes: &[u8], sync: bool) -> Result<(), FolderError> {
        let (new, file) = (self.path.join(format!("{name}.new")), self.path.join(name));
        let write = || -> io::Result<()> {
            let mut writing = File::create(&new)?;
            writing.write_all(bytes)?;
            if sync {
                writing.sync_data()?;
            }
            fs::rename(&new, &file)
        };
        write().map_err(at(&file))
    }

    pub fn keep(&self, known: &Known, carried: Option<&Carried>) -> Result<(), FolderError> {
        let file = self.path.join("snapshot");
        let known = serde_json::to_string(known).map_err(|error| damaged(&file, &error))?;
        let snapshot = Snapshot { known, carried: carried.cloned() };
        let bytes = postcard::to_allocvec(&snapshot).map_err(|error| damaged(&file, &error))?;
        self.replace("snapshot", &bytes, true)
    }

    /// The last snapshot, if there is one.
    pub fn kept(&self) -> Result<Option<(Known, Option<Carried>)>, FolderError> {
        let file = self.path.join("snapshot");
        let Some(bytes) = read_if_there(&file)? else { return Ok(None) };
        let snapshot: Snapshot =
            postcard::from_bytes(&bytes).map_err(|error| damaged(&file, &error))?;
        let known =
            serde_json::from_str(&snapshot.known).map_err(|error| damaged(&file, &error))?;
        Ok(Some((known, snapshot.carried)))
    }

    pub fn keep_clock(&self, clock: KeptClock) -> Result<(), FolderError> {
        let file = self.path.join("clock");
        let bytes = serde_json::to_vec(&clock).map_err(|error| damaged(&file, &error))?;
        self.replace("clock", &bytes, false)
    }

    pub fn kept_clock(&self) -> Result<Option<KeptClock>, FolderError> {
        let file = self.path.join("clock");
        let Some(bytes) = read_if_there(&file)? else { return Ok(None) };
        serde_json::from_slice(&bytes).map(Some).map_err(|error| damaged(&file, &error))
    }
}

fn damaged(file: &Path, reason: &dyn std::error::Error) -> FolderError {
    FolderError::Damaged { file: file.to_owned(), reason: reason.to_string() }
}

fn read_if_there(file: &Path) -> Result<Option<Vec<u8>>, FolderError> {
    match fs::read(file) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(at(file)(error)),
    }
}

/// The rows of a file. A kill in the middle of a line leaves one that nobody was told: it is cut off.
fn read_rows<R: DeserializeOwned>(file: &Path) -> Result<Vec<R>, FolderError> {
    let opened = match File::open(file) {
        Ok(opened) => opened,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(error) => return Err(at(file)(error)),
    };
    let (mut rows, mut whole) = (Vec::new(), 0_u64);
    let mut reader = BufReader::new(opened);
    let mut line = String::new();
    loop {
        line.clear();
        let read = reader.read_line(&mut line).map_err(at(file))?;
        if read == 0 {
            return Ok(rows);
        }
        match serde_json::from_str::<R>(&line) {
            Ok(row) if line.ends_with('\n') => {
                rows.push(row);
                whole += read as u64;
            }
            _ => {
                let mut after = String::new();
                if reader.read_line(&mut after).map_err(at(file))? > 0 {
                    let reason = format!("line {} is no row", rows.len() + 1);
                    return Err(FolderError::Damaged { file: file.to_owned(), reason });
                }
                let cut = OpenOptions::new().write(true).open(file).map_err(at(file))?;
                cut.set_len(whole).map_err(at(file))?;
                return Ok(rows);
            }
        }
    }
}
