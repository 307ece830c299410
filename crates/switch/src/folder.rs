//! What the switch keeps over a restart: a snapshot of the last change of its world, where its clock is, and the
//! rows that it has told. A snapshot or clock is replaced in one step, rows are only added and are on the disk
//! before anybody sees them; so a kill at any moment loses nothing and doubles nothing.

use std::collections::HashSet;
use std::fs::{self, File, OpenOptions};
use std::io::{self, BufRead, BufReader, Write};
use std::path::{Path, PathBuf};

use barometer_simulate::Carried;
use barometer_wire::IntervalRow;
use jiff::Timestamp;
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
    rows: File,
    /// Rows that were told, in order.
    pub told: Vec<IntervalRow>,
    /// Which intervals they are of.
    pub is_told: HashSet<(String, Timestamp)>,
}

fn at(file: &Path) -> impl FnOnce(io::Error) -> FolderError {
    let file = file.to_owned();
    move |source| FolderError::File { file, source }
}

impl Folder {
    pub fn open(path: &Path) -> Result<Self, FolderError> {
        fs::create_dir_all(path).map_err(at(path))?;
        let file = path.join("intervals.jsonl");
        let told = read_rows(&file)?;
        let rows = OpenOptions::new().create(true).append(true).open(&file).map_err(at(&file))?;
        let is_told = told.iter().map(|row| (row.contact_type.clone(), row.start)).collect();
        Ok(Self { path: path.to_owned(), rows, told, is_told })
    }

    /// Adds rows; they are on the disk when this returns.
    pub fn tell(&mut self, rows: Vec<IntervalRow>) -> Result<(), FolderError> {
        if rows.is_empty() {
            return Ok(());
        }
        let file = self.path.join("intervals.jsonl");
        let mut text = String::new();
        for row in &rows {
            let line = serde_json::to_string(row).map_err(|error| damaged(&file, &error))?;
            text.push_str(&line);
            text.push('\n');
        }
        self.rows.write_all(text.as_bytes()).map_err(at(&file))?;
        self.rows.sync_data().map_err(at(&file))?;
        for row in rows {
            self.is_told.insert((row.contact_type.clone(), row.start));
            self.told.push(row);
        }
        Ok(())
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
fn read_rows(file: &Path) -> Result<Vec<IntervalRow>, FolderError> {
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
        match serde_json::from_str::<IntervalRow>(&line) {
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
