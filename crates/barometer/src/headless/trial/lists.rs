//! Lists of people out of CSV files, for the campaigns of a trial.

use std::collections::HashSet;
use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use barometer_dialling::list::put_together;
use barometer_intake::{
    DialNumber, ListColumn, ListLayout, ListedPerson, PeopleReader, PrefixZones, is_country,
};
use barometer_strategy::{CampaignList, ImportedList, LocalHours, PeopleGroup, Strategy};

use super::super::csv_file;

/// Where lists come from.
pub struct ListFiles<'a> {
    /// `FILE.csv` for the only campaign, or `CAMPAIGN=FILE.csv`.
    pub lists: &'a [String],
    /// Numbers that are not called.
    pub do_not_call: Option<&'a Path>,
    /// Country of numbers without a country code, as two letters; empty for none.
    pub country: &'a str,
}

/// Gives the people of the files to the campaigns; says what was left out.
pub async fn give(files: &ListFiles<'_>, strategy: &mut Strategy) -> Result<Vec<String>> {
    let mut notes = Vec::new();
    if !files.country.is_empty() && !is_country(files.country) {
        bail!("--country {}: write a country's two letters, such as GB", files.country);
    }
    let prefixes = PrefixZones::shipped();
    let not_called = match files.do_not_call {
        Some(path) => numbers(path, files.country, &prefixes, &mut notes).await?,
        None => HashSet::new(),
    };
    for (nth, given) in files.lists.iter().enumerate() {
        let (campaign, path) = campaign_and_file(given, strategy)?;
        let mut people = Vec::new();
        let read = |reader: &mut PeopleReader<'_>, row: u64, cells: &[&[u8]]| {
            people.push(reader.read(row, cells)?);
            Ok(())
        };
        each_row(&path, files.country, &prefixes, &mut notes, read).await?;
        let before = people.len();
        people.retain(|person| !not_called.contains(&person.number));
        if people.len() < before {
            let out = before - people.len();
            notes.push(format!("{}: {out} people must not be called", path.display()));
        }
        if people.is_empty() {
            bail!("{} has nobody who may be called", path.display());
        }
        let groups = put_together(people.iter().map(group))
            .with_context(|| format!("counting the people of {}", path.display()))?;
        let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        let number = i32::try_from(nth + 1).unwrap_or(i32::MAX);
        strategy.campaigns[campaign].list = CampaignList::of_imported(ImportedList {
            number,
            name,
            only: Default::default(),
            groups,
        });
    }
    if let Some(fault) = strategy.faults().first() {
        bail!("{}: {}", fault.field, fault.message);
    }
    Ok(notes)
}

fn campaign_and_file(given: &str, strategy: &Strategy) -> Result<(usize, PathBuf)> {
    let place = |id: &str| strategy.campaigns.iter().position(|each| each.id == id);
    // A file may have a sign of equality in its name; a campaign that is not there has none.
    if let Some((id, path)) = given.split_once('=')
        && let Some(place) = place(id)
    {
        return Ok((place, PathBuf::from(path)));
    }
    match strategy.campaigns.as_slice() {
        [_] => Ok((0, PathBuf::from(given))),
        [] => bail!("--lists {given}: the strategy has no campaign"),
        several => {
            let ids: Vec<&str> = several.iter().map(|campaign| campaign.id.as_str()).collect();
            bail!(
                "--lists {given}: say for which campaign, as ID=FILE; there are {}",
                ids.join(", ")
            )
        }
    }
}

async fn numbers(
    path: &Path,
    country: &str,
    prefixes: &PrefixZones,
    notes: &mut Vec<String>,
) -> Result<HashSet<DialNumber>> {
    let mut numbers = HashSet::new();
    let read = |reader: &mut PeopleReader<'_>, row: u64, cells: &[&[u8]]| {
        numbers.insert(reader.read_number(row, cells)?);
        Ok(())
    };
    each_row(path, country, prefixes, notes, read).await?;
    Ok(numbers)
}

/// Reads a file row by row and notes how many rows were left out, and why the first was.
async fn each_row(
    path: &Path,
    country: &str,
    prefixes: &PrefixZones,
    notes: &mut Vec<String>,
    mut read: impl FnMut(&mut PeopleReader<'_>, u64, &[&[u8]]) -> Result<(), barometer_intake::Refusal>,
) -> Result<()> {
    let (heading, rows) = csv_file::read(path).await?;
    let names: Vec<&str> = heading.iter().collect();
    let layout = ListLayout::guess(&names, country);
    if layout.column(ListColumn::Number).is_none() {
        bail!("{}: no column is called number (or phone, telephone, mobile)", path.display());
    }
    let names: Vec<String> = names.into_iter().map(str::to_owned).collect();
    let mut reader = PeopleReader::new(&layout, &names, prefixes);
    let (mut refused, mut first) = (0, None);
    for (at, row) in rows.iter().enumerate() {
        let number = row.position().map_or(at as u64 + 2, |position| position.line());
        let cells: Vec<&[u8]> = row.iter().map(str::as_bytes).collect();
        if let Err(refusal) = read(&mut reader, number, &cells) {
            refused += 1;
            first.get_or_insert_with(|| {
                format!("row {number}, {}: {}", refusal.field, refusal.reason)
            });
        }
    }
    if let Some(first) = first {
        let rows = rows.len();
        notes.push(format!("{}: {refused} of {rows} rows are left out; {first}", path.display()));
    }
    Ok(())
}

fn group(person: &ListedPerson) -> PeopleGroup {
    PeopleGroup {
        people: 1,
        zone: person.zone.clone(),
        priority: person.priority.unwrap_or(PeopleGroup::USUAL_PRIORITY),
        attempts: person.attempts,
        hours: person.hours.map(|hours| LocalHours { from: hours.from, until: hours.until }),
    }
}
