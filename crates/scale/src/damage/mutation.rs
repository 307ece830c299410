//! What chance does to a file.

use std::io::{Cursor, Read, Write};

use anyhow::Result;
use rand::RngExt;
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

/// How likely one change is followed by another: half of the files have a single one, so that readers come far.
const ANOTHER: f64 = 0.5;
/// What readers stumble over.
const AWKWARD: [&[u8]; 24] = [
    b"-1",
    b"0",
    b"1e308",
    b"NaN",
    b"inf",
    b"999999999999999999999",
    b"\"\"",
    b"null",
    b"[[[[[[[[",
    b"{}",
    b"\x00",
    b"\xff\xfe",
    b"\xef\xbb\xbf",
    b"2026-13-45",
    b"9999-12-31T23:59",
    b"0001-01-01",
    b",,,,",
    b"\"",
    b"\r",
    b"\n\n",
    "\u{202e}".as_bytes(),
    b"<script>",
    b"&x;",
    b"24:00",
];

/// A sound file.
#[derive(Clone, Debug)]
pub enum Sound {
    /// A text, or anything else that is damaged byte by byte.
    Text(Vec<u8>),
    /// A workbook: half are damaged as bytes, half in one of the files within, which are packed again.
    Workbook(Vec<u8>),
}

impl Sound {
    pub fn bytes(&self) -> &[u8] {
        match self {
            Self::Text(bytes) | Self::Workbook(bytes) => bytes,
        }
    }

    /// One of the many files that it can become.
    pub fn damaged(&self, rng: &mut impl RngExt) -> Result<Vec<u8>> {
        match self {
            Self::Workbook(bytes) if rng.random_bool(0.5) => damaged_within(bytes, rng),
            Self::Text(bytes) | Self::Workbook(bytes) => Ok(damaged(bytes, rng)),
        }
    }
}

fn damaged(sound: &[u8], rng: &mut impl RngExt) -> Vec<u8> {
    let mut bytes = sound.to_vec();
    loop {
        if bytes.is_empty() {
            return bytes;
        }
        let at = rng.random_range(0..bytes.len());
        match rng.random_range(0..12) {
            0 => bytes[at] = rng.random_range(0..=255),
            1 => {
                let end = bytes.len().min(at + rng.random_range(1..40));
                bytes.drain(at..end);
            }
            2 => {
                let new: Vec<u8> =
                    (0..rng.random_range(1..8)).map(|_| rng.random_range(0..=255)).collect();
                bytes.splice(at..at, new);
            }
            3 => {
                let new = AWKWARD[rng.random_range(0..AWKWARD.len())];
                bytes.splice(at..at, new.iter().copied());
            }
            4 => {
                let end = bytes.len().min(at + rng.random_range(1..2_000));
                let again = bytes[at..end].to_vec();
                bytes.splice(at..at, again);
            }
            5 => bytes.truncate(at),
            6 => {
                let digits = vec![b'9'; rng.random_range(1..400)];
                bytes.splice(at..at, digits);
            }
            // A value gives way to what a reader stumbles over, so that what stands around it is still read.
            7..=10 => {
                let is_within = |byte: &u8| !b",;\n\r\"<>=:{}[] ".contains(byte);
                let before = bytes[..at].iter().rev().take_while(|byte| is_within(byte)).count();
                let after = bytes[at..].iter().take_while(|byte| is_within(byte)).count();
                let new = AWKWARD[rng.random_range(0..AWKWARD.len())];
                bytes.splice(at - before..at + after, new.iter().copied());
            }
            _ => {
                let other = rng.random_range(0..bytes.len());
                bytes.swap(at, other);
            }
        }
        if !rng.random_bool(ANOTHER) {
            return bytes;
        }
    }
}

fn damaged_within(workbook: &[u8], rng: &mut impl RngExt) -> Result<Vec<u8>> {
    let mut parts = ZipArchive::new(Cursor::new(workbook))?;
    let chosen = rng.random_range(0..parts.len());
    let mut packed = ZipWriter::new(Cursor::new(Vec::new()));
    for nth in 0..parts.len() {
        let mut part = parts.by_index(nth)?;
        let mut bytes = Vec::new();
        part.read_to_end(&mut bytes)?;
        packed.start_file(part.name()?, SimpleFileOptions::default())?;
        packed.write_all(&if nth == chosen { damaged(&bytes, rng) } else { bytes })?;
    }
    Ok(packed.finish()?.into_inner())
}

#[cfg(test)]
mod tests {
    use rand::SeedableRng;
    use rand_xoshiro::Xoshiro256PlusPlus;

    use super::*;

    #[test]
    fn the_same_seed_damages_the_same_and_hardly_any_file_stays_sound() {
        let sound = Sound::Text(b"queue,start,contacts\nCalls,2026-11-23T09:00,12\n".to_vec());
        let files = |seed| {
            let mut rng = Xoshiro256PlusPlus::seed_from_u64(seed);
            (0..500).map(|_| sound.damaged(&mut rng).unwrap()).collect::<Vec<_>>()
        };
        assert_eq!(files(1), files(1));
        assert_ne!(files(1), files(2));
        let same = files(1).iter().filter(|file| *file == sound.bytes()).count();
        assert!(same < 30, "{same} of 500 are as they were");
    }

    #[test]
    fn a_damaged_workbook_is_often_still_an_archive() {
        let mut packed = ZipWriter::new(Cursor::new(Vec::new()));
        packed.start_file("sheet.xml", SimpleFileOptions::default()).unwrap();
        packed.write_all(b"<row><c>12</c></row>").unwrap();
        let sound = Sound::Workbook(packed.finish().unwrap().into_inner());
        let mut rng = Xoshiro256PlusPlus::seed_from_u64(1);
        let opens = |file: &Vec<u8>| {
            let mut archive = ZipArchive::new(Cursor::new(file)).ok()?;
            let mut part = archive.by_index(0).ok()?;
            let mut bytes = Vec::new();
            part.read_to_end(&mut bytes).ok()
        };
        let files: Vec<Vec<u8>> = (0..200).map(|_| sound.damaged(&mut rng).unwrap()).collect();
        assert!(files.iter().filter(|file| opens(file).is_some()).count() > 80);
    }
}
