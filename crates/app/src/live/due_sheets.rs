//! Change sheets go live when the time comes that they set.

use std::collections::BTreeMap;
use std::time::Duration;

use barometer_store::Store;

use super::Live;
use crate::AppError;
use crate::release::publish_due;

/// Between two looks for change sheets whose time has come.
const LOOK_EVERY: Duration = Duration::from_secs(5);

/// What became of the sheets that were due: what keeps one from going live, by its number.
type Told = BTreeMap<i32, String>;

/// Publishes change sheets when the time comes that they set, until told to stop. Of several servers one publishes: the
/// others find that it was done.
pub async fn publish_in_time(
    store: Store,
    live: Live,
    mut stopped: tokio::sync::watch::Receiver<bool>,
) {
    let mut told = Told::new();
    loop {
        tokio::select! {
            _ = stopped.wait_for(|stopped| *stopped) => return,
            () = tokio::time::sleep(LOOK_EVERY) => {}
        }
        if let Err(error) = look(&store, &live, &mut told).await {
            tracing::warn!(%error, "change sheets could not be looked through");
        }
    }
}

async fn look(store: &Store, live: &Live, told: &mut Told) -> Result<(), AppError> {
    let Some(centre) = store.centre().await? else { return Ok(()) };
    let Some(now) = live.time_of(&centre) else { return Ok(()) };
    for (number, outcome) in publish_due(store, now).await? {
        match outcome {
            Ok(()) => {
                tracing::info!(number, "a change sheet went live in time");
                live.wake();
            }
            // What keeps a sheet from going live is told once, and again where it is something else.
            Err(why) if told.get(&number) == Some(&why) => {}
            Err(why) => {
                tracing::warn!(number, why, "a change sheet cannot go live");
                told.insert(number, why);
            }
        }
    }
    Ok(())
}
