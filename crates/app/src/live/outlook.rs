//! What the day is going to be, worked out anew now and then, and what would help.

use std::sync::Arc;
use std::time::{Duration, Instant};

use barometer_plan::{Help, PlayedRest, TypeEnd};
use barometer_store::{Centre, Store};
use jiff::Timestamp;

use super::{Live, Today};
use crate::AppError;

/// Days that are played for the outlook, and for each intervention.
const OUTLOOK_DAYS: u32 = 60;
const HELP_DAYS: u32 = 40;
/// The luck of the days played: the same each time, so that an outlook changes only where the day does.
const SEED: u64 = 1;
/// How long an outlook is good for those who look at it, by our clock, and in seconds of the switch's.
const GOOD_FOR: Duration = Duration::from_secs(10);
const GOOD_FOR_SECS: f64 = 120.0;
/// How long it is good for alarms, by our clock.
pub(super) const GOOD_FOR_ALARMS: Duration = Duration::from_secs(30);

/// What the day is going to be.
#[derive(Debug)]
pub struct Outlook {
    /// When it was worked out, by the switch's clock.
    pub at: Timestamp,
    /// The day that goes on.
    pub today: Today,
    /// What each contact type's day is going to be.
    pub ends: Vec<TypeEnd>,
    rest: PlayedRest,
    made_at: Instant,
}

impl Outlook {
    /// The place of a contact type in it; `None` where nothing is planned for it.
    pub fn place_of(&self, contact_type: &str) -> Option<usize> {
        self.today.now.inputs.types.iter().position(|each| each.name == contact_type)
    }
}

/// What would help, and when it was worked out.
#[derive(Debug)]
pub struct Helps {
    /// The day without any help.
    pub outlook: Arc<Outlook>,
    /// The best first.
    pub helps: Vec<Help>,
    /// How long that took.
    pub took: Duration,
}

/// The latest outlook, or what would help in it.
pub(super) type Kept<T> = tokio::sync::Mutex<Option<Arc<T>>>;

impl Live {
    /// What the day is going to be; `None` while the switch has said nothing.
    ///
    /// # Errors
    ///
    /// [`AppError::Refused`] says what is not planned; another when the database fails.
    pub async fn outlook(
        &self,
        store: &Store,
        centre: &Centre,
    ) -> Result<Option<Arc<Outlook>>, AppError> {
        self.outlook_within(store, centre, GOOD_FOR).await
    }

    pub(super) async fn outlook_within(
        &self,
        store: &Store,
        centre: &Centre,
        age: Duration,
    ) -> Result<Option<Arc<Outlook>>, AppError> {
        let Some(state) = self.view.borrow().state.clone() else { return Ok(None) };
        // Whoever comes while it is worked out waits for the same.
        let mut kept = self.kept.lock().await;
        if let Some(outlook) = kept.as_ref() {
            let passed = state.clock.now.duration_since(outlook.at).as_secs_f64();
            let is_good = outlook.made_at.elapsed() < age && (0.0..GOOD_FOR_SECS).contains(&passed);
            if is_good {
                return Ok(Some(outlook.clone()));
            }
        }
        let today = Today::of(store, centre, &state).await?;
        let outlook = in_background(move || {
            let rest = today.now.play(OUTLOOK_DAYS, SEED)?;
            let ends = today.now.inputs.types.iter().enumerate();
            let ends = ends.map(|(of, kind)| rest.end_of(of, kind.rules.service_level)).collect();
            Ok(Outlook { at: state.clock.now, today, ends, rest, made_at: Instant::now() })
        })
        .await?;
        let outlook = Arc::new(outlook);
        *kept = Some(outlook.clone());
        Ok(Some(outlook))
    }

    /// What would help now; `None` while the switch has said nothing.
    ///
    /// # Errors
    ///
    /// As [`outlook`](Self::outlook).
    pub async fn helps(
        &self,
        store: &Store,
        centre: &Centre,
    ) -> Result<Option<Arc<Helps>>, AppError> {
        let Some(outlook) = self.outlook(store, centre).await? else { return Ok(None) };
        // As for the outlook: requests that arrive meanwhile wait for the same.
        let mut kept = self.kept_helps.lock().await;
        if let Some(helps) = kept.as_ref().filter(|kept| Arc::ptr_eq(&kept.outlook, &outlook)) {
            return Ok(Some(helps.clone()));
        }
        let known = outlook.clone();
        let (helps, took) = in_background(move || {
            let begun = Instant::now();
            let rest = known.rest.first(HELP_DAYS);
            Ok((known.today.now.helps(&rest, HELP_DAYS, SEED)?, begun.elapsed()))
        })
        .await?;
        let helps = Arc::new(Helps { outlook, helps, took });
        *kept = Some(helps.clone());
        Ok(Some(helps))
    }

    /// What was worked out is not good any more: something was done.
    pub async fn forget_outlook(&self) {
        *self.kept.lock().await = None;
    }
}

async fn in_background<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, String> + Send + 'static,
) -> Result<T, AppError> {
    let done = crate::computing::computed(work).await.map_err(AppError::core)?;
    done.map_err(AppError::Refused)
}
