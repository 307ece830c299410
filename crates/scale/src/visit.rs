//! Many people on all pages at the same time: each asks for a page, reads it for a while, and asks for the next.

use std::collections::BTreeMap;
use std::time::{Duration, Instant};

use anyhow::{Result, bail};
use clap::Args;
use futures_util::future::join_all;
use rand::{RngExt, SeedableRng};
use rand_distr::{Distribution, Exp};
use rand_xoshiro::Xoshiro256PlusPlus;

use crate::people::{Person, Server, between};

/// Pages that everybody opens. Those that end in `/{type}` or have it within are asked of a contact type each.
const PAGES: [&str; 23] = [
    "/",
    "/demand",
    "/demand/{type}",
    "/demand/{type}/accuracy",
    "/demand/{type}/overlays",
    "/demand/special-days",
    "/staffing/{type}",
    "/staffing/{type}?span=week",
    "/staffing/{type}/roster",
    "/staffing/{type}/what-if",
    "/staffing/{type}/lines",
    "/strategy",
    "/strategy/rules",
    "/strategy/campaigns",
    "/strategy/people",
    "/trials",
    "/comparisons",
    "/go-live",
    "/watch",
    "/watch/alarms",
    "/watch/weeks",
    "/reports",
    "/methods/erlang",
];

/// Requests whose page took longest that are listed.
const LISTED: usize = 8;

#[derive(Args)]
pub struct Options {
    #[command(flatten)]
    server: Server,
    /// People.
    #[arg(long, default_value_t = 200)]
    people: u64,
    /// How long they stay, in seconds.
    #[arg(long, default_value_t = 60)]
    secs: u64,
    /// How long somebody looks at a page, in seconds on average.
    #[arg(long, default_value_t = 10.0)]
    reads_secs: f64,
    /// Queues a trial of this many days before they begin, so that workers are busy all the while.
    #[arg(long)]
    beside_trial_of_days: Option<u32>,
}

/// How long one request took, and whether it was answered.
struct Visit {
    page: &'static str,
    took: Duration,
    is_well: bool,
}

/// Visits pages and tells how long they took.
pub async fn run(options: Options) -> Result<()> {
    let first = options.server.sign_in().await?;
    let types = contact_types(&first.page("/demand").await?);
    if types.is_empty() {
        bail!("this server has no contact types");
    }
    if let Some(days) = options.beside_trial_of_days {
        queue_trial(&first, days).await?;
    }
    let mut people = Vec::new();
    for _ in 0..options.people {
        people.push(options.server.sign_in().await?);
    }
    println!("{} people are signed in; {} contact types", people.len(), types.len());
    let until = Instant::now() + Duration::from_secs(options.secs);
    let visits = (0u64..).zip(&people).map(|(nth, person)| {
        visit(person, &types, options.reads_secs, until, Xoshiro256PlusPlus::seed_from_u64(nth))
    });
    let mut visits: Vec<Visit> = join_all(visits).await.into_iter().flatten().collect();
    tell(&mut visits, options.secs);
    Ok(())
}

async fn visit(
    person: &Person,
    types: &[String],
    reads_secs: f64,
    until: Instant,
    mut rng: Xoshiro256PlusPlus,
) -> Vec<Visit> {
    let reads = Exp::new(1.0 / reads_secs.max(1e-3)).ok();
    let mut visits = Vec::new();
    loop {
        let pause = reads.map_or(0.0, |reads| reads.sample(&mut rng));
        tokio::time::sleep(Duration::from_secs_f64(pause)).await;
        if Instant::now() >= until {
            return visits;
        }
        let page = PAGES[rng.random_range(0..PAGES.len())];
        let path = page.replace("{type}", &types[rng.random_range(0..types.len())]);
        let begun = Instant::now();
        let is_well = match person.get(&path).await {
            Ok(answer) => answer.status().is_success() && answer.bytes().await.is_ok(),
            Err(_) => false,
        };
        visits.push(Visit { page, took: begun.elapsed(), is_well });
    }
}

/// The keys of the contact types that the demand page lists.
pub(crate) fn contact_types(demand: &str) -> Vec<String> {
    let mut types: Vec<String> = demand
        .split("href=\"/demand?")
        .chain(demand.split("href=\"/demand/"))
        .filter_map(|rest| rest.get(..36))
        .filter(|key| key.bytes().all(|byte| byte.is_ascii_hexdigit() || byte == b'-'))
        .map(str::to_owned)
        .collect();
    types.sort();
    types.dedup();
    types
}

/// Queues a trial with the form of the trials page as it stands there.
async fn queue_trial(person: &Person, days: u32) -> Result<()> {
    let page = person.page("/trials").await?;
    let Some(version) = value_of(&page, "name=\"version\"") else {
        bail!("the trials page offers no strategy");
    };
    let days = days.to_string();
    let form = [
        ("version", version.as_str()),
        ("scope", "centre"),
        ("cover", "need"),
        ("demand", "drawn"),
        ("replications", &days),
        ("seed", "1"),
    ];
    let answer = person.post("/trials", &form).await?;
    if !answer.status().is_redirection() {
        bail!("the trial was refused: {}", answer.text().await?);
    }
    println!("a trial of {days} days is queued");
    Ok(())
}

/// The value of the first option of a select.
pub(crate) fn value_of(page: &str, name: &str) -> Option<String> {
    between(&page[page.find(name)?..], "<option value=\"", "\"")
}

fn tell(visits: &mut [Visit], secs: u64) {
    visits.sort_by_key(|visit| visit.took);
    let at = |share: f64| {
        let last = visits.len().saturating_sub(1);
        visits.get((last as f64 * share).round() as usize).map_or(0.0, |visit| millis(visit.took))
    };
    let failed = visits.iter().filter(|visit| !visit.is_well).count();
    println!(
        "{} pages in {secs} s; {failed} failed; p50 {:.0} ms, p90 {:.0} ms, p99 {:.0} ms, longest {:.0} ms",
        visits.len(),
        at(0.5),
        at(0.9),
        at(0.99),
        at(1.0),
    );
    let mut by_page: BTreeMap<&str, Vec<f64>> = BTreeMap::new();
    for visit in visits.iter() {
        by_page.entry(visit.page).or_default().push(millis(visit.took));
    }
    let mut slowest: Vec<(f64, f64, usize, &str)> = by_page
        .into_iter()
        .map(|(page, took)| (took[took.len() / 2], took[took.len() - 1], took.len(), page))
        .collect();
    slowest.sort_by(|a, b| b.0.total_cmp(&a.0));
    for (median, longest, count, page) in slowest.into_iter().take(LISTED) {
        println!("  {page}: {count} times, p50 {median:.0} ms, longest {longest:.0} ms");
    }
}

fn millis(took: Duration) -> f64 {
    1e3 * took.as_secs_f64()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn contact_types_and_options_are_found_in_pages() {
        let key = "65c06f3e-e350-408a-bbdf-f95728aa3caa";
        let page = format!(
            "<a href=\"/demand/{key}?day=2026-11-23\">Bookings</a> <a href=\"/demand/import\">"
        );
        assert_eq!(contact_types(&page), [key]);
        let form = "<select name=\"version\"><option value=\"abc\">v1</option><option value=\"d\">";
        assert_eq!(value_of(form, "name=\"version\"").as_deref(), Some("abc"));
        assert_eq!(value_of("nothing", "name=\"version\""), None);
    }
}
