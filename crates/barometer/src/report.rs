//! `report`: a report as files, from the database.

use std::path::PathBuf;

use anyhow::{Context, Result};
use barometer_app::reports::{self, Reader};
use barometer_report::{Against, Definition, Format, Grouping, Period, Ready, Report, svg};
use barometer_store::{Centre, Store};
use clap::Args;

/// Options of `report`.
#[derive(Args)]
pub struct Options {
    /// The title of a report that is kept, or the name of a ready-made one: morning-brief, week-review,
    /// month-for-finance, campaign-account, accuracy.
    name: String,
    /// Other days than the report's: a name such as last-week, or two dates such as 2026-11-01..2026-11-22.
    #[arg(long)]
    period: Option<Period>,
    /// Another grouping than the report's: interval, day, week, month, weekday.
    #[arg(long, value_parser = grouping)]
    by: Option<Grouping>,
    /// Another comparison than the report's: forecast, plan, before, year_ago, nothing.
    #[arg(long, value_parser = against)]
    against: Option<Against>,
    /// Files to write: html, pdf, xlsx, csv, json; may be given several times.
    #[arg(long, default_values_t = [Format::Html, Format::Xlsx, Format::Json])]
    format: Vec<Format>,
    /// The folder to write them into; it is made where it is missing.
    #[arg(long)]
    out: PathBuf,
}

fn grouping(typed: &str) -> Result<Grouping, String> {
    Grouping::of_key(typed).ok_or_else(|| "use interval, day, week, month or weekday".to_owned())
}

fn against(typed: &str) -> Result<Against, String> {
    Against::of_key(typed)
        .ok_or_else(|| "use forecast, plan, before, year_ago or nothing".to_owned())
}

/// Makes the report and writes its files and pictures.
pub async fn run(store: &Store, options: &Options) -> Result<()> {
    let centre = store.centre().await?.context("there is no contact centre in this database")?;
    let mut definition = definition(store, &centre, &options.name).await?;
    definition.period = options.period.unwrap_or(definition.period);
    definition.grouping = options.by.unwrap_or(definition.grouping);
    definition.against = options.against.unwrap_or(definition.against);
    let report = reports::preview(store, &centre, &definition, Reader::ANYBODY).await?;
    let folder = &options.out;
    tokio::fs::create_dir_all(folder)
        .await
        .with_context(|| format!("making the folder {}", folder.display()))?;
    for format in &options.format {
        let bytes = reports::file(&report, *format).await?;
        write(folder, &format!("report.{format}"), bytes).await?;
    }
    write_pictures(folder, &report).await?;
    println!("{}, {}: {}", report.title, report.days.words(), report.answer);
    Ok(())
}

async fn definition(store: &Store, centre: &Centre, name: &str) -> Result<Definition> {
    let kept = store.reports(centre.id).await?;
    let by_title =
        kept.iter().find(|report| report.definition.title.to_lowercase() == name.to_lowercase());
    if let Some(report) = by_title {
        return Ok(report.definition.clone());
    }
    if let Some(ready) = Ready::ALL.iter().find(|ready| ready.key == name) {
        return Ok(ready.definition());
    }
    let keys = Ready::ALL.iter().map(|ready| ready.key.to_owned());
    let titles = kept.iter().map(|report| format!("“{}”", report.definition.title));
    let known: Vec<String> = keys.chain(titles).collect();
    anyhow::bail!("there is no report “{name}”; use one of {}", known.join(", "))
}

async fn write_pictures(folder: &std::path::Path, report: &Report) -> Result<()> {
    for part in &report.parts {
        for (nth, picture) in (1..).zip(&part.pictures) {
            let name = format!("{}-{nth}.svg", part.section.key());
            write(folder, &name, svg(picture).into_bytes()).await?;
        }
    }
    Ok(())
}

async fn write(folder: &std::path::Path, name: &str, bytes: Vec<u8>) -> Result<()> {
    let path = folder.join(name);
    tokio::fs::write(&path, bytes).await.with_context(|| format!("writing {}", path.display()))
}
