//! `barometer queueing MODEL`: the calculator on files, so that an engineer can check it against
//! sums of his own.

mod case;
mod families;

use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use clap::Args;
use csv_async::{AsyncReaderBuilder, AsyncWriterBuilder, StringRecord};
use rayon::prelude::*;

use case::Case;
use families::{FAMILIES, Family};

#[derive(Args)]
pub struct Options {
    /// The model; without one, every model is listed with its columns.
    model: Option<String>,
    /// The cases, a row each, as CSV with the model's columns. Those of which the model makes use
    /// are read, others are passed on.
    #[arg(long = "in", requires = "out")]
    cases: Option<PathBuf>,
    /// Where the results go: every column of the cases, then the model's, then `error`.
    #[arg(long, requires = "cases")]
    out: Option<PathBuf>,
}

/// Runs the command.
pub async fn run(options: Options) -> Result<()> {
    let Some(model) = &options.model else {
        print!("{}", listing());
        return Ok(());
    };
    let family = FAMILIES.iter().find(|family| family.name == model).with_context(|| {
        let known: Vec<_> = FAMILIES.iter().map(|family| family.name).collect();
        format!("{model} is no model; use one of {}", known.join(", "))
    })?;
    let (Some(cases), Some(out)) = (&options.cases, &options.out) else {
        print!("{}", family.description());
        return Ok(());
    };
    let (heading, rows) = read(cases).await?;
    let results =
        solve(family, &heading, &rows).with_context(|| format!("reading {}", cases.display()))?;
    let failed = results.iter().filter(|(_, error)| error.is_some()).count();
    write(out, family, &heading, &rows, &results).await?;
    if failed > 0 {
        eprintln!("{failed} of {} cases have no result; column error says why", rows.len());
    }
    Ok(())
}

/// Every model with its columns, as `docs/queueing-csv.md` has them.
fn listing() -> String {
    FAMILIES.iter().map(Family::description).collect::<Vec<_>>().join("\n")
}

type Result1 = (Vec<(usize, Vec<f64>)>, Option<(usize, String)>);

/// The results of every case in order: rows of numbers, each with the row of the file that it
/// belongs to, or the row at fault and the reason.
fn solve(family: &Family, heading: &StringRecord, rows: &[StringRecord]) -> Result<Vec<Result1>> {
    for column in family.needed() {
        if !heading.iter().any(|each| each.trim() == column) {
            bail!("there is no column {column}; {}", family.columns());
        }
    }
    let cases: Vec<Case> = rows
        .iter()
        .enumerate()
        .map(|(at, row)| Case::read(family.inputs, heading, row, at + 2))
        .collect::<Result<_>>()?;
    let groups: Vec<&[Case]> = if family.is_grouped {
        cases.chunk_by(|a, b| a.group == b.group).collect()
    } else {
        cases.chunks(1).collect()
    };
    let firsts: Vec<usize> = groups
        .iter()
        .scan(0, |next, group| {
            let first = *next;
            *next += group.len();
            Some(first)
        })
        .collect();
    Ok(groups
        .par_iter()
        .zip(firsts)
        .map(|(group, first)| match (family.solve)(group) {
            Ok(results) => {
                let row =
                    |at: usize| first + if family.is_grouped { at.min(group.len() - 1) } else { 0 };
                (results.into_iter().enumerate().map(|(at, each)| (row(at), each)).collect(), None)
            }
            Err(error) => (Vec::new(), Some((first, error.to_string()))),
        })
        .collect())
}

async fn read(path: &Path) -> Result<(StringRecord, Vec<StringRecord>)> {
    let bytes = std::fs::read(path).with_context(|| format!("reading {}", path.display()))?;
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes);
    let mut reader = AsyncReaderBuilder::new().flexible(true).create_reader(bytes);
    let heading = reader.headers().await.with_context(|| format!("reading {}", path.display()))?;
    let heading = heading.clone();
    if heading.is_empty() {
        bail!("{} is empty; its first row must name the columns", path.display());
    }
    let mut rows = Vec::new();
    let mut record = StringRecord::new();
    while reader
        .read_record(&mut record)
        .await
        .with_context(|| format!("reading {}", path.display()))?
    {
        if record.iter().any(|cell| !cell.trim().is_empty()) {
            rows.push(record.clone());
        }
    }
    Ok((heading, rows))
}

async fn write(
    path: &Path,
    family: &Family,
    heading: &StringRecord,
    rows: &[StringRecord],
    results: &[Result1],
) -> Result<()> {
    let mut file = AsyncWriterBuilder::new().create_writer(Vec::new());
    let names = heading.iter().chain(family.outputs.iter().copied()).chain(["error"]);
    file.write_record(names).await?;
    for (lines, error) in results {
        for (row, numbers) in lines {
            let inputs = (0..heading.len()).map(|at| rows[*row].get(at).unwrap_or("").to_owned());
            let numbers = numbers.iter().map(|number| written(*number));
            let line: Vec<String> = inputs.chain(numbers).chain([String::new()]).collect();
            file.write_record(&line).await?;
        }
        if let Some((row, error)) = error {
            let inputs = (0..heading.len()).map(|at| rows[*row].get(at).unwrap_or("").to_owned());
            let nothing = family.outputs.iter().map(|_| String::new());
            let line: Vec<String> = inputs.chain(nothing).chain([error.clone()]).collect();
            file.write_record(&line).await?;
        }
    }
    let bytes = file.into_inner().await.map_err(|error| anyhow::anyhow!("{error}"))?;
    std::fs::write(path, bytes).with_context(|| format!("writing {}", path.display()))
}

/// A number with seventeen significant digits, which tell every double from every other.
fn written(number: f64) -> String {
    if number.is_finite() { format!("{number:.16e}") } else { number.to_string() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_documentation_lists_every_column() {
        let page = include_str!("../../../../../docs/queueing-csv.md");
        assert!(
            page.contains(&listing()),
            "docs/queueing-csv.md must hold what `barometer queueing` prints:\n{}",
            listing()
        );
    }

    #[test]
    fn numbers_survive_being_written() {
        for number in [0.1 + 0.2, 1.0 / 3.0, 5e-324, 12_000.0] {
            assert_eq!(written(number).parse::<f64>().unwrap(), number);
        }
    }
}
