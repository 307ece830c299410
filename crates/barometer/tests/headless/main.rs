//! The commands as an engineer runs them: files in, files out, no database.

#![cfg(test)]

mod forecasts;
mod needs;
mod others;
mod trials;

use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use jiff::ToSpan;
use jiff::civil::{Date, date};

/// A folder of this test's own.
fn folder(name: &str) -> PathBuf {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
    let _ = std::fs::remove_dir_all(&folder);
    std::fs::create_dir_all(&folder).unwrap();
    folder
}

/// Contacts on a made-up day: Mondays are busy, Christmas Day is not.
fn contacts(day: Date, half: i64) -> i64 {
    let busy = if day.weekday() == jiff::civil::Weekday::Monday { 3 } else { 2 };
    let quiet = day.month() == 12 && day.day() == 25;
    // Something that differs from week to week, so that no day repeats another.
    let noise = (i64::from(day.day_of_year()) * 7 + half * 13) % 5;
    if quiet { 2 } else { busy * (10 + half % 6) + noise }
}

/// Half-hours from 8 to 20 o'clock until the end of November 2026.
fn history(folder: &Path, days: i64, series: &str) {
    let mut file = String::from("series,interval_start,offered\n");
    for back in (1..=days).rev() {
        let day = date(2026, 12, 1).saturating_sub(back.days());
        for half in 16..40 {
            let (hour, minute) = (half / 2, half % 2 * 30);
            file += &format!("{series},{day}T{hour:02}:{minute:02}:00,{}\n", contacts(day, half));
        }
    }
    std::fs::write(folder.join("history.csv"), file).unwrap();
}

/// The forecast total of a day.
fn total_of(rows: &[Vec<String>], day: &str) -> f64 {
    let of_day = rows.iter().filter(|row| row[1].starts_with(day));
    of_day.map(|row| row[2].parse::<f64>().unwrap()).sum()
}

fn rows(folder: &Path, file: &str) -> Vec<Vec<String>> {
    let text = std::fs::read_to_string(folder.join(file)).unwrap();
    text.lines().map(|line| line.split(',').map(str::to_owned).collect()).collect()
}

fn run(folder: &Path, arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_barometer"))
        .current_dir(folder)
        .env_remove("DATABASE_URL")
        .args(arguments)
        .output()
        .unwrap()
}
