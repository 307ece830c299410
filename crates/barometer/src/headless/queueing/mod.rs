//! `barometer queueing MODEL`: the calculator on files, so that an engineer can check it against
//! sums of his own.

mod case;
mod columns;
mod families;

use std::path::PathBuf;

use anyhow::{Context, Result, bail};
use clap::Args;
use csv_async::StringRecord;
use rayon::prelude::*;

use super::csv_file;
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
    let (heading, rows) = csv_file::read(cases).await?;
    let results =
        solve(family, &heading, &rows).with_context(|| format!("reading {}", cases.display()))?;
    let failed = results.iter().filter(|solved| solved.error.is_some()).count();
    let columns = heading.iter().chain(family.outputs.iter().copied()).chain(["error"]);
    csv_file::write(out, columns, lines(family, &rows, heading.len(), &results)).await?;
    if failed > 0 {
        eprintln!("{failed} of {} cases have no result; column error says why", rows.len());
    }
    Ok(())
}

/// Every model with its columns, as `docs/queueing-csv.md` has them.
fn listing() -> String {
    FAMILIES.iter().map(Family::description).collect::<Vec<_>>().join("\n")
}

/// The results of one case.
#[derive(Default)]
struct Solved {
    /// Rows of numbers, each with the row of the file that it belongs to.
    rows: Vec<(usize, Vec<f64>)>,
    /// The row of the file at which the model failed, and why.
    error: Option<(usize, String)>,
}

/// The results of every case in order.
fn solve(family: &Family, heading: &StringRecord, rows: &[StringRecord]) -> Result<Vec<Solved>> {
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
                // Rows of a group belong to its rows, several rows of one case to that case.
                let last = first + group.len() - 1;
                let at = |number: usize| (first + number).min(last);
                let rows = results.into_iter().enumerate();
                Solved { rows: rows.map(|(number, row)| (at(number), row)).collect(), error: None }
            }
            Err(error) => Solved { error: Some((first, error.to_string())), ..Solved::default() },
        })
        .collect())
}

/// Every row of results, and a row for each case without one.
fn lines(
    family: &Family,
    rows: &[StringRecord],
    width: usize,
    results: &[Solved],
) -> Vec<Vec<String>> {
    let inputs = |row: usize| (0..width).map(move |at| rows[row].get(at).unwrap_or("").to_owned());
    let mut lines = Vec::new();
    for solved in results {
        for (row, numbers) in &solved.rows {
            let numbers = numbers.iter().map(|number| written(*number));
            lines.push(inputs(*row).chain(numbers).chain([String::new()]).collect());
        }
        if let Some((row, error)) = &solved.error {
            let nothing = family.outputs.iter().map(|_| String::new());
            lines.push(inputs(*row).chain(nothing).chain([error.clone()]).collect());
        }
    }
    lines
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
