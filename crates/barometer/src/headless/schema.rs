//! `barometer schema`: the JSON Schemas of what can be read, and the interface for scripts.

use anyhow::Result;
use barometer_strategy::{CustomersFile, Strategy};
use barometer_walk::{Expectation, Scene};
use clap::{Args, ValueEnum};

#[derive(Args)]
pub struct Options {
    /// Of what.
    #[arg(value_enum, default_value_t = What::Strategy)]
    what: What,
}

#[derive(Clone, Copy, ValueEnum)]
enum What {
    /// A strategy.
    Strategy,
    /// What the contacts of each type are like.
    Customers,
    /// A made-up contact to walk through.
    Contact,
    /// Walks that must end as the planner says.
    Expectation,
    /// What scripts ask of the server, as OpenAPI.
    CentreInterface,
}

/// Runs the command.
pub fn run(options: &Options) -> Result<()> {
    let schema = match options.what {
        What::Strategy => Strategy::schema(),
        What::Customers => CustomersFile::schema(),
        What::Contact => Scene::schema(),
        What::Expectation => Expectation::schema(),
        What::CentreInterface => barometer_wire::centre_openapi(),
    };
    println!("{}", serde_json::to_string_pretty(&schema)?);
    Ok(())
}
