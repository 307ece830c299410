//! Measures how much one server and one database hold, and what they withstand; `docs/scale.md` and `docs/security.md` have
//! the figures and how to repeat them.
//!
//! Not a part of what is installed: it fills a database of its own, and asks a server what people ask it.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod boards;
mod damage;
mod fill;
mod kills;
mod leave;
mod people;
mod visit;

use anyhow::{Context, Result};
use clap::{Parser, Subcommand};

#[derive(Parser)]
#[command(about = "Measures how much one server and one database hold, and what they withstand")]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Fills an empty database with a centre of many contact types and long history.
    Fill(fill::Options),
    /// Visits all pages as many people at the same time, and tells how long they waited.
    Visit(visit::Options),
    /// Keeps many boards open, and tells how long a new state takes to reach all of them.
    Boards(boards::Options),
    /// Sends damaged files of every format to everything that takes files.
    Damage(damage::Options),
    /// Kills server, worker and database while people and scripts save, and looks whether all is there once.
    Kills(kills::Options),
    /// Lets clients go in the middle of requests, and looks whether every page is still its own.
    Leave(leave::Options),
}

#[tokio::main]
async fn main() -> Result<()> {
    // Both of reqwest's ways to encrypt need one; the server here is asked in the clear.
    rustls::crypto::ring::default_provider().install_default().ok().context("no encryption")?;
    match Cli::parse().command {
        Command::Fill(options) => fill::run(options).await,
        Command::Visit(options) => visit::run(options).await,
        Command::Boards(options) => boards::run(options).await,
        Command::Damage(options) => damage::run(options).await,
        Command::Kills(options) => kills::run(options).await,
        Command::Leave(options) => leave::run(options).await,
    }
}
