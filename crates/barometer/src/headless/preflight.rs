//! `barometer preflight`: what is wrong with a strategy, for a pipeline.

use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::{Context, Result, bail};
use barometer_preflight::{Finding, Premises, Rule, Severity, preflight};
use barometer_strategy::{ReadError, Strategy};
use clap::{Args, ValueEnum};
use jiff::tz::TimeZone;

use super::{strategy_file, trial};

#[derive(Args)]
pub struct Options {
    /// The strategy as JSON, as the application exports it.
    #[arg(required_unless_present = "rules")]
    file: Option<PathBuf>,
    /// The forecast as CSV, as `barometer trial` reads it; without it nothing is known of a week.
    #[arg(long, requires = "cover")]
    forecast: Option<PathBuf>,
    /// Who is on shift as CSV, as `barometer trial` reads it.
    #[arg(long, requires = "forecast")]
    cover: Option<PathBuf>,
    /// What the contacts of each type are like, as JSON.
    #[arg(long, requires = "forecast")]
    customers: Option<PathBuf>,
    /// Zone of times without an offset, and of hours gates that name none.
    #[arg(long, default_value = "UTC")]
    zone: String,
    /// Rules that are waived, by their codes.
    #[arg(long, value_delimiter = ',')]
    waive: Vec<String>,
    /// How findings are written.
    #[arg(long, value_enum, default_value_t = Format::Text)]
    format: Format,
    /// Lists the rules instead.
    #[arg(long)]
    rules: bool,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Format {
    /// A line each.
    Text,
    /// An array of objects.
    Json,
}

/// Runs the command. The exit code says the worst: 0 nothing, 3 a note, 4 a warning, 5 a serious
/// finding; 1 where the file is no strategy or cannot be played.
pub async fn run(options: Options) -> Result<ExitCode> {
    if options.rules {
        for rule in Rule::ALL {
            println!("{:<26} {:<8} {}", rule.code(), rule.severity().words(), rule.title());
        }
        return Ok(ExitCode::SUCCESS);
    }
    let zone = TimeZone::get(&options.zone)
        .with_context(|| format!("--zone {}: no such time zone", options.zone))?;
    let known = |code: &&String| Rule::ALL.iter().all(|rule| rule.code() != code.as_str());
    if let Some(unknown) = options.waive.iter().find(known) {
        bail!("--waive {unknown}: there is no such rule; `barometer preflight --rules` lists them");
    }
    let Some(path) = &options.file else { bail!("no file is given") };
    let strategy = match Strategy::from_json(&strategy_file::text_of(path)?) {
        Ok(strategy) => strategy,
        Err(ReadError::Faults(faults)) => {
            for fault in &faults {
                eprintln!("{}: {}: {}", path.display(), fault.field, fault.message);
            }
            bail!("{}: {} faults keep it from being played", path.display(), faults.len());
        }
        Err(error) => return Err(error).with_context(|| path.display().to_string()),
    };
    let premises = match (&options.forecast, &options.cover) {
        (Some(forecast), Some(cover)) => {
            let customers = options.customers.as_deref();
            trial::premises(&strategy, forecast, cover, customers, &zone).await?
        }
        _ => Premises::unknown(&strategy, zone),
    };
    let mut findings = preflight(&strategy, &premises);
    findings.retain(|finding| options.waive.iter().all(|code| code != finding.rule.code()));
    match options.format {
        Format::Text => findings.iter().for_each(|finding| print_line(&strategy, finding)),
        Format::Json => {
            let rows: Vec<_> = findings.iter().map(|finding| as_json(&strategy, finding)).collect();
            println!("{}", serde_json::to_string_pretty(&rows)?);
        }
    }
    let worst = findings.iter().map(|finding| finding.rule.severity()).max();
    Ok(ExitCode::from(match worst {
        None => 0,
        Some(Severity::Note) => 3,
        Some(Severity::Warning) => 4,
        Some(Severity::Serious) => 5,
    }))
}

fn print_line(strategy: &Strategy, finding: &Finding) {
    let place = finding.part.of(strategy).map_or_else(
        |_| finding.part.to_string(),
        |part| format!("{} “{}”", part.kind(), part.name()),
    );
    let (severity, code) = (finding.rule.severity().words(), finding.rule.code());
    println!("{severity}: {code}: {place}: {}", finding.reason);
    if let Some(repair) = finding.repairs.first() {
        println!("    repair: {}", repair.what);
    }
}

fn as_json(strategy: &Strategy, finding: &Finding) -> serde_json::Value {
    serde_json::json!({
        "code": finding.rule.code(),
        "severity": finding.rule.severity(),
        "title": finding.rule.title(),
        "part": finding.part.to_string(),
        "name": finding.part.of(strategy).map(|part| part.name().to_owned()).ok(),
        "setting": finding.setting,
        "reason": finding.reason,
        "contacts": finding.contacts,
        "repairs": finding.repairs,
    })
}
