//! Those who save while processes are killed. Each keeps a book of what was confirmed, and does what a person or a script does
//! whose answer is lost: looks, or sends the same again.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use anyhow::{Context, Result};
use barometer_store::Store;
use jiff::{SignedDuration, Timestamp};
use rand::{RngExt, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;
use tokio::task::JoinHandle;
use uuid::Uuid;

use crate::people::{Person, Server, between};
use crate::visit::{contact_types, value_of};

/// Days of each trial.
pub const REPLICATIONS: u32 = 37;
/// Before somebody whose answer was lost tries again.
const AGAIN_AFTER: Duration = Duration::from_millis(200);
/// Between two trials that are asked for.
const TRIAL_EVERY: Duration = Duration::from_secs(3);
/// The first interval that the script writes.
const FIRST: &str = "2026-09-01T08:00:00Z";

/// What was written.
#[derive(Default)]
pub struct Written {
    /// The contact type whose overlays, history and targets are written.
    pub edited: Uuid,
    /// Overlays by name, and whether the server said that they are there.
    pub overlays: BTreeMap<String, bool>,
    /// Intervals that were confirmed.
    pub intervals: BTreeMap<Timestamp, f64>,
    /// What patience may be: the last one confirmed, and one whose answer was lost.
    pub patience: Vec<f64>,
    pub targets_saved: u64,
    /// Seeds of pairs of trials, and whether both were confirmed.
    pub trials: BTreeMap<u64, bool>,
    pub answers_lost: u64,
    /// Answers that said what is not so.
    pub faults: Vec<String>,
}

/// All who write.
pub struct Writing {
    edited: Uuid,
    tasks: Vec<JoinHandle<Result<Written>>>,
}

impl Writing {
    /// What they have written, once they have stopped.
    pub async fn finished(self) -> Result<Written> {
        let mut all = Written { edited: self.edited, ..Written::default() };
        for task in self.tasks {
            let of_one = task.await??;
            all.overlays.extend(of_one.overlays);
            all.intervals.extend(of_one.intervals);
            all.patience.extend(of_one.patience);
            all.targets_saved += of_one.targets_saved;
            all.trials.extend(of_one.trials);
            all.answers_lost += of_one.answers_lost;
            all.faults.extend(of_one.faults);
        }
        Ok(all)
    }
}

/// Begins to write, until it is said to stop.
pub async fn begin(server: &Server, store: &Store, stop: &Arc<AtomicBool>) -> Result<Writing> {
    let person = server.sign_in().await?;
    let types = contact_types(&person.page("/demand").await?);
    let edited: Uuid = types.first().context("this server has no contact types")?.parse()?;
    let tried: Uuid = types.get(1).context("this server has one contact type only")?.parse()?;
    let version =
        value_of(&person.page("/trials").await?, "name=\"version\"").context("no strategy")?;
    let token = person.token("kills").await?;
    let name = store.contact_type(edited).await?.name;
    let of = |nth: u64| Writer {
        person: person.clone(),
        stop: stop.clone(),
        keys: Xoshiro256PlusPlus::seed_from_u64(nth),
    };
    let tasks = vec![
        tokio::spawn(overlays(of(1), edited, "one")),
        tokio::spawn(overlays(of(2), edited, "two")),
        tokio::spawn(intervals(of(3), token, name)),
        tokio::spawn(targets(of(4), edited)),
        tokio::spawn(trials(of(5), tried, version)),
    ];
    Ok(Writing { edited, tasks })
}

struct Writer {
    person: Person,
    stop: Arc<AtomicBool>,
    keys: Xoshiro256PlusPlus,
}

/// What became of a form.
enum Sent {
    /// It was carried out.
    Done,
    /// It was sent before, and nobody knows what has become of it.
    Before,
    /// It was refused.
    Refused(u16),
}

impl Writer {
    fn goes_on(&self) -> bool {
        !self.stop.load(Ordering::Relaxed)
    }

    /// Sends a form as often as it takes until it is answered, with the key by which the server knows it.
    async fn send(&mut self, path: &str, form: &[(&str, &str)], written: &mut Written) -> Sent {
        let key = format!("{:032x}", self.keys.random::<u128>());
        let form = [form, &[("once", key.as_str())]].concat();
        loop {
            match self.person.post(path, &form).await.map(|answer| answer.status()) {
                Ok(status) if status.is_success() || status.is_redirection() => return Sent::Done,
                Ok(status) if status.as_u16() == 409 => return Sent::Before,
                Ok(status) if status.is_client_error() => return Sent::Refused(status.as_u16()),
                _ => {
                    written.answers_lost += 1;
                    tokio::time::sleep(AGAIN_AFTER).await;
                }
            }
        }
    }

    /// A page, asked for until it is answered.
    async fn page(&self, path: &str) -> String {
        loop {
            match self.person.page(path).await {
                Ok(page) => return page,
                Err(_) => tokio::time::sleep(AGAIN_AFTER).await,
            }
        }
    }
}

async fn overlays(mut writer: Writer, contact_type: Uuid, who: &str) -> Result<Written> {
    let mut written = Written::default();
    let path = format!("/demand/{contact_type}/overlays");
    for nth in 0.. {
        if !writer.goes_on() {
            break;
        }
        let name = format!("Kept by {who} {nth}.");
        let form = [
            ("name", name.as_str()),
            ("from", "2026-12-14"),
            ("to", "2026-12-14"),
            ("weekday", "0"),
            ("kind", "percent"),
            ("amount", "0.1"),
        ];
        let is_confirmed = match writer.send(&path, &form, &mut written).await {
            Sent::Done => true,
            // What a person does whom the page tells to look.
            Sent::Before => writer.page(&path).await.contains(&name),
            Sent::Refused(status) => {
                written.faults.push(format!("an overlay was refused with {status}"));
                false
            }
        };
        written.overlays.insert(name, is_confirmed);
        tokio::time::sleep(AGAIN_AFTER).await;
    }
    Ok(written)
}

async fn intervals(writer: Writer, token: String, contact_type: String) -> Result<Written> {
    let mut written = Written::default();
    let first: Timestamp = FIRST.parse()?;
    for nth in 0..10_000_u32 {
        if !writer.goes_on() {
            break;
        }
        let start = first + SignedDuration::from_mins(30 * i64::from(nth % 600));
        let offered = 1_000 + nth;
        let file = format!(
            "contact_type,interval_start,offered,answered,abandoned,handle_secs\n{contact_type},{start},{offered},{offered},0,240\n"
        );
        loop {
            let answer = writer
                .person
                .put("/api/history", &token, "text/csv", file.clone().into_bytes())
                .await;
            match answer.map(|answer| answer.status()) {
                Ok(status) if status.is_success() => break,
                Ok(status) if status.is_client_error() && status.as_u16() != 429 => {
                    written.faults.push(format!("an interval was refused with {status}"));
                    break;
                }
                _ => {
                    written.answers_lost += 1;
                    tokio::time::sleep(AGAIN_AFTER).await;
                }
            }
        }
        written.intervals.insert(start, f64::from(offered));
        tokio::time::sleep(AGAIN_AFTER).await;
    }
    Ok(written)
}

async fn targets(mut writer: Writer, contact_type: Uuid) -> Result<Written> {
    let mut written = Written::default();
    let path = format!("/staffing/{contact_type}/targets");
    let version = async |writer: &Writer| {
        let page = writer.page(&format!("/staffing/{contact_type}")).await;
        between(&page, "name=\"based_on\" value=\"", "\"").context("a form without a version")
    };
    for nth in 0_u32.. {
        if !writer.goes_on() {
            break;
        }
        let patience = format!("{}", 60 + nth);
        let based_on = version(&writer).await?;
        let form = [
            ("service_level", "80"),
            ("within_secs", "20"),
            ("patience_secs", patience.as_str()),
            ("concurrency", "1"),
            ("based_on", based_on.as_str()),
        ];
        match writer.send(&path, &form, &mut written).await {
            Sent::Done => {
                written.patience = vec![f64::from(60 + nth)];
                written.targets_saved += 1;
            }
            // It may have been carried out, or not.
            Sent::Before => written.patience.push(f64::from(60 + nth)),
            Sent::Refused(status) => {
                written.faults.push(format!("targets were refused with {status}"))
            }
        }
        tokio::time::sleep(AGAIN_AFTER).await;
    }
    Ok(written)
}

async fn trials(mut writer: Writer, contact_type: Uuid, version: String) -> Result<Written> {
    let mut written = Written::default();
    let (contact_type, days) = (contact_type.to_string(), REPLICATIONS.to_string());
    for seed in 1_000_u64.. {
        if !writer.goes_on() {
            break;
        }
        let typed = seed.to_string();
        let form = [
            ("version", version.as_str()),
            ("contact_type", contact_type.as_str()),
            ("cover", "need"),
            ("demand", "uncertain"),
            ("replications", days.as_str()),
            ("seed", typed.as_str()),
        ];
        let mut is_confirmed = true;
        for _ in 0..2 {
            match writer.send("/trials", &form, &mut written).await {
                Sent::Done => {}
                Sent::Before => is_confirmed = false,
                Sent::Refused(status) => {
                    is_confirmed = false;
                    written.faults.push(format!("a trial was refused with {status}"));
                }
            }
        }
        written.trials.insert(seed, is_confirmed);
        tokio::time::sleep(TRIAL_EVERY).await;
    }
    Ok(written)
}
