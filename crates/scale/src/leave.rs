//! Clients that go in the middle of a request: afterwards every page must still be its own.

use std::time::Duration;

use anyhow::{Context, Result, ensure};
use clap::Args;
use futures_util::future::join_all;
use rand::{RngExt, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

use crate::people::{Person, Server, between};

/// Pages that are looked at, each with a question of its own for a title.
const PAGES: [&str; 9] = [
    "/",
    "/demand",
    "/strategy/numbers",
    "/strategy/people",
    "/strategy/lists",
    "/trials",
    "/go-live",
    "/watch",
    "/reports",
];

/// The longest that a client waits before it goes.
const LONGEST: Duration = Duration::from_millis(300);

#[derive(Args)]
pub struct Options {
    #[command(flatten)]
    server: Server,
    /// Rounds, after each of which every page is looked at.
    #[arg(long, default_value_t = 20)]
    rounds: u64,
    /// Clients that go in a round.
    #[arg(long, default_value_t = 100)]
    clients: u64,
    /// Requests that are under way at the same time.
    #[arg(long, default_value_t = 8)]
    at_once: usize,
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

/// What a client asks for before it goes.
struct Uploads {
    history: String,
    list: String,
}

/// Lets clients go, and fails if a page is not what it was.
pub async fn run(options: Options) -> Result<()> {
    let person = options.server.sign_in().await?;
    let mut luck = Xoshiro256PlusPlus::seed_from_u64(options.seed);
    let numbers = (0..3_000).map(|nth| format!("+4420794{:05},Europe/London\n", 60_000 + nth));
    let uploads = Uploads {
        history: person.page("/demand/import/example.csv").await?,
        list: format!("number,zone\n{}", numbers.collect::<String>()),
    };
    let titles = titles(&person).await?;
    for round in 1..=options.rounds {
        let mut left = 0;
        while left < options.clients {
            let clients = (0..options.at_once).map(|_| leave(&person, &uploads, luck.random()));
            join_all(clients.collect::<Vec<_>>()).await;
            left += options.at_once as u64;
        }
        let now = self::titles(&person).await.with_context(|| format!("after round {round}"))?;
        ensure!(now == titles, "after round {round} the pages are {now:?} instead of {titles:?}");
    }
    println!(
        "{} clients have gone in the middle of a request: every page is still its own",
        options.rounds * options.clients
    );
    Ok(())
}

async fn titles(person: &Person) -> Result<Vec<String>> {
    let mut titles = Vec::new();
    for page in PAGES {
        let text = person.page(page).await?;
        titles.push(between(&text, "<h1>", "</h1>").with_context(|| format!("{page}: no title"))?);
    }
    Ok(titles)
}

/// Asks for something and goes before long.
async fn leave(person: &Person, uploads: &Uploads, seed: u64) {
    let mut luck = Xoshiro256PlusPlus::seed_from_u64(seed);
    // Most go early, where the answer is still being worked out.
    let patience = LONGEST.mul_f64(luck.random::<f64>().powi(3));
    let page = PAGES[luck.random_range(0..PAGES.len())];
    let name = [("subject", "people".to_owned()), ("name", "Left".to_owned())];
    let asked = async {
        match luck.random_range(0..4) {
            0 => drop(
                person.upload("/strategy/lists", &name, "l.csv", uploads.list.as_bytes()).await,
            ),
            1 => drop(
                person.upload("/demand/import", &[], "h.csv", uploads.history.as_bytes()).await,
            ),
            _ => drop(person.get(page).await),
        }
    };
    // The answer is not looked at: the client has gone.
    drop(tokio::time::timeout(patience, asked).await);
}
