//! What the day is going to be, worked out anew now and then, and what would help.

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use barometer_plan::{Help, PlayedRest, TypeEnd};
use barometer_store::{Centre, Store};
use jiff::Timestamp;
use jiff::civil::Date;

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
/// How long a request waits for what is worked out.
const WAITED_FOR: Duration = Duration::from_millis(120);
/// How long what was found to help may be acted upon: by our clock or in seconds of the switch's, whichever is
/// longer.
const ACTED_UPON_FOR: Duration = Duration::from_secs(60);
const ACTED_UPON_FOR_SECS: f64 = 1800.0;
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
    fn date(&self) -> Date {
        self.today.date
    }

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
    /// What each contact type's day is going to be without any, on as many days as every intervention is played on.
    pub ends: Vec<TypeEnd>,
    /// So many days.
    pub days: u32,
    /// The best first.
    pub helps: Vec<Help>,
    /// How long that took.
    pub took: Duration,
    made_at: Instant,
}

/// What a request gets that does not wait for long computation.
#[derive(Clone, Debug)]
pub enum Soon<T> {
    /// The switch has said nothing yet.
    Nothing,
    /// It is being worked out: ask again.
    Working,
    /// It is there.
    Ready(Arc<T>),
}

impl<T> Soon<T> {
    /// What is there, if it is.
    pub fn ready(self) -> Option<Arc<T>> {
        match self {
            Self::Ready(found) => Some(found),
            Self::Nothing | Self::Working => None,
        }
    }
}

/// The latest result of a computation that is repeated, one at a time.
#[derive(Debug)]
pub(super) struct Kept<T> {
    latest: Mutex<Latest<T>>,
    working: tokio::sync::Mutex<()>,
}

#[derive(Debug)]
struct Latest<T> {
    found: Option<Arc<T>>,
    /// How many times it was forgotten: what was begun before that is not kept.
    forgotten: u64,
}

impl<T> Default for Kept<T> {
    fn default() -> Self {
        let latest = Latest { found: None, forgotten: 0 };
        Self { latest: Mutex::new(latest), working: tokio::sync::Mutex::default() }
    }
}

impl<T> Kept<T> {
    /// The latest is a whole one also where a thread panicked that held it.
    fn latest(&self) -> MutexGuard<'_, Latest<T>> {
        self.latest.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The latest, if it is good enough.
    fn good(&self, is_good: impl Fn(&T) -> bool) -> Option<Arc<T>> {
        self.latest().found.clone().filter(|found| is_good(found))
    }

    fn forgotten(&self) -> u64 {
        self.latest().forgotten
    }

    fn keep(&self, found: T, forgotten_before: u64) -> Arc<T> {
        let found = Arc::new(found);
        let mut latest = self.latest();
        if latest.forgotten == forgotten_before {
            latest.found = Some(found.clone());
        }
        found
    }

    fn forget(&self) {
        let mut latest = self.latest();
        latest.found = None;
        latest.forgotten += 1;
    }
}

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

    /// The same for a request that does not wait: while the next one is worked out, the last one of this day.
    ///
    /// # Errors
    ///
    /// As [`outlook`](Self::outlook).
    pub async fn outlook_soon(
        &self,
        store: &Store,
        centre: &Centre,
    ) -> Result<Soon<Outlook>, AppError> {
        let Some(date) = self.date() else { return Ok(Soon::Nothing) };
        let (live, store, centre) = (self.clone(), store.clone(), centre.clone());
        let work = async move { live.outlook(&store, &centre).await };
        match waited_for(work).await? {
            Soon::Working => {
                let last = self.kept.good(|last| last.date() == date);
                Ok(last.map_or(Soon::Working, Soon::Ready))
            }
            done => Ok(done),
        }
    }

    pub(super) async fn outlook_within(
        &self,
        store: &Store,
        centre: &Centre,
        age: Duration,
    ) -> Result<Option<Arc<Outlook>>, AppError> {
        // Requests that arrive meanwhile wait for the same result.
        let _working = self.kept.working.lock().await;
        let Some(state) = self.view.borrow().state.clone() else { return Ok(None) };
        let is_good = |outlook: &Outlook| {
            let passed = state.clock.now.duration_since(outlook.at).as_secs_f64();
            outlook.made_at.elapsed() < age && (0.0..GOOD_FOR_SECS).contains(&passed)
        };
        if let Some(outlook) = self.kept.good(is_good) {
            return Ok(Some(outlook));
        }
        let forgotten = self.kept.forgotten();
        let today = Today::of(store, centre, &state).await?;
        let outlook = in_background(move || {
            let rest = today.now.play(OUTLOOK_DAYS, SEED)?;
            let ends = ends_of(&today, &rest);
            Ok(Outlook { at: state.clock.now, today, ends, rest, made_at: Instant::now() })
        })
        .await?;
        Ok(Some(self.kept.keep(outlook, forgotten)))
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
        // As for the outlook: requests that arrive meanwhile wait for the same.
        let _working = self.kept_helps.working.lock().await;
        if let Some(helps) = self.kept_helps.good(|helps| helps.made_at.elapsed() < GOOD_FOR) {
            return Ok(Some(helps));
        }
        let forgotten = self.kept_helps.forgotten();
        let Some(outlook) = self.outlook(store, centre).await? else { return Ok(None) };
        let helps = in_background(move || {
            let begun = Instant::now();
            let rest = outlook.rest.first(HELP_DAYS);
            let ends = ends_of(&outlook.today, &rest);
            let helps = outlook.today.now.helps(&rest, HELP_DAYS, SEED);
            let (took, made_at) = (begun.elapsed(), Instant::now());
            Ok(Helps { outlook, ends, days: HELP_DAYS, helps, took, made_at })
        })
        .await?;
        Ok(Some(self.kept_helps.keep(helps, forgotten)))
    }

    /// The same for a request that does not wait.
    ///
    /// # Errors
    ///
    /// As [`outlook`](Self::outlook).
    pub async fn helps_soon(
        &self,
        store: &Store,
        centre: &Centre,
    ) -> Result<Soon<Helps>, AppError> {
        let (live, store, centre) = (self.clone(), store.clone(), centre.clone());
        waited_for(async move { live.helps(&store, &centre).await }).await
    }

    /// What was found to help, as long as somebody may act upon it: until something else was done, or the day has
    /// moved on too far.
    pub fn known_helps(&self) -> Option<Arc<Helps>> {
        let now = self.view.borrow().state.as_ref()?.clock.now;
        self.kept_helps.good(|helps| {
            let passed = now.duration_since(helps.outlook.at).as_secs_f64();
            helps.made_at.elapsed() < ACTED_UPON_FOR || (0.0..ACTED_UPON_FOR_SECS).contains(&passed)
        })
    }

    /// What was worked out is not good any more: something was done.
    pub fn forget_outlook(&self) {
        self.kept.forget();
        self.kept_helps.forget();
    }

    fn date(&self) -> Option<Date> {
        self.view.borrow().state.as_ref().map(|state| state.clock.date)
    }
}

fn ends_of(today: &Today, rest: &PlayedRest) -> Vec<TypeEnd> {
    let types = today.now.inputs.types.iter().enumerate();
    types.map(|(of, kind)| rest.end_of(of, kind.rules.service_level)).collect()
}

/// Waits a little for work that goes on also where nobody waits for it any more.
async fn waited_for<T: Send + Sync + 'static>(
    work: impl Future<Output = Result<Option<Arc<T>>, AppError>> + Send + 'static,
) -> Result<Soon<T>, AppError> {
    match tokio::time::timeout(WAITED_FOR, tokio::spawn(work)).await {
        Ok(Ok(done)) => Ok(done?.map_or(Soon::Nothing, Soon::Ready)),
        Ok(Err(panicked)) => Err(AppError::core(panicked)),
        Err(_) => Ok(Soon::Working),
    }
}

async fn in_background<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, String> + Send + 'static,
) -> Result<T, AppError> {
    let done = crate::computing::computed(work).await.map_err(AppError::core)?;
    done.map_err(AppError::Refused)
}
