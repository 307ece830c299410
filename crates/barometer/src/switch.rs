//! `switch`: the telephone switch stand-in, a process of its own.

use std::net::SocketAddr;
use std::path::PathBuf;

use anyhow::{Context, Result};
use barometer_app::clock::now;
use barometer_demo::{TODAY, ZONE};
use barometer_switch::Switch;
use barometer_wire::{Disturbance, openapi};
use clap::Args;
use jiff::Timestamp;
use jiff::civil::{Time, time};
use jiff::tz::TimeZone;
use tokio::net::TcpListener;

use crate::{listen, worker};

/// Options of `switch`.
#[derive(Args)]
pub struct Options {
    /// Address to listen on.
    #[arg(long, env = "BAROMETER_SWITCH_LISTEN", default_value = "127.0.0.1:4181")]
    listen: SocketAddr,
    /// The folder with what must survive a restart.
    #[arg(long, default_value = ".barometer/switch")]
    folder: PathBuf,
    /// The token that every request has to show.
    #[arg(long, env = "BAROMETER_SWITCH_TOKEN", hide_env_values = true, default_value = "")]
    token: String,
    /// How many seconds of its clock pass in a second, when it begins: 0 to 600.
    #[arg(long, default_value_t = 1.0)]
    speed: f64,
    /// What its clock shows when it begins; now unless said.
    #[arg(long)]
    begins: Option<Timestamp>,
    /// The centre's time zone.
    #[arg(long, default_value = "UTC")]
    zone: String,
    /// Chooses what really comes, which nobody has planned.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// Begins on the demo's today with a storm due in the afternoon.
    #[arg(long)]
    demo: bool,
    /// Prints the interface as OpenAPI, and ends.
    #[arg(long)]
    openapi: bool,
}

/// When the demo's day is under way, its storm comes, and for how long.
const DEMO_BEGINS: Time = time(11, 10, 0, 0);
const DEMO_STORM: Time = time(14, 30, 0, 0);
const STORM_MINUTES: f64 = 150.0;
const STORM_FACTOR: f64 = 2.2;

/// Runs the switch until Ctrl-C or a termination signal.
pub async fn run(options: Options) -> Result<()> {
    if options.openapi {
        println!("{}", serde_json::to_string_pretty(&openapi())?);
        return Ok(());
    }
    anyhow::ensure!(
        !options.token.is_empty(),
        "no token: set BAROMETER_SWITCH_TOKEN to the same text for the switch and for serve"
    );
    let named = if options.demo { ZONE } else { options.zone.as_str() };
    let zone = TimeZone::get(named)
        .with_context(|| format!("{named} is no time zone; use a name such as Europe/London"))?;
    let on_demo_day = |at: Time| -> Result<Timestamp> {
        Ok(TODAY.to_datetime(at).to_zoned(zone.clone())?.timestamp())
    };
    let begins = match options.begins {
        Some(begins) => begins,
        None if options.demo => on_demo_day(DEMO_BEGINS)?,
        None => now(),
    };
    let disturbances = if options.demo {
        vec![Disturbance::Storm {
            contact_type: "Sailing changes".to_owned(),
            from: on_demo_day(DEMO_STORM)?,
            minutes: STORM_MINUTES,
            factor: STORM_FACTOR,
        }]
    } else {
        Vec::new()
    };
    let listener = TcpListener::bind(options.listen).await.with_context(|| {
        format!("cannot listen on {}; is something else using this port?", options.listen)
    })?;
    let switch = Switch::start(barometer_switch::Options {
        folder: options.folder,
        token: options.token,
        begins,
        speed: options.speed,
        zone,
        seed: options.seed,
        disturbances,
    })?;
    tracing::info!("the switch listens on http://{}", listener.local_addr()?);
    let router = switch.router();
    listen::serve(listener, router, listen::Limits::USUAL, worker::stop_signal()).await?;
    switch.stop();
    Ok(())
}
