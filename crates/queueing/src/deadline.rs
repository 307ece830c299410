//! Work that can wait: e-mail, tasks, promised callbacks. It has a deadline, not a threshold.

use crate::traffic::{QueueError, not_negative, positive};

/// What comes in during one interval.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DeferrableInterval {
    /// Contacts that come in.
    pub contacts: f64,
    /// Mean time that one takes, in seconds.
    pub handle_secs: f64,
    /// Whether anybody can work in it.
    pub open: bool,
}

/// Who works on it in one interval, and what is left.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DeferredWork {
    /// People, whole.
    pub agents: u32,
    /// People by the smoothest plan before rounding.
    pub level: f64,
    /// Work left when the interval ends, in hours.
    pub backlog_hours: f64,
}

/// Why there is no plan.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum DeadlineError {
    /// A number out of range.
    #[error(transparent)]
    Number(#[from] QueueError),
    /// The deadline ends before anybody could be sure to have worked on what comes in.
    #[error("the deadline must reach over two intervals at least, that is {least_secs} s")]
    TooShort {
        /// The shortest deadline that can be planned for, in seconds.
        least_secs: f64,
    },
}

/// The smoothest plan that has every contact done within `deadline_secs` of opening hours after it
/// came in: of all plans that do, the one whose busiest interval is least busy, and so on down.
///
/// What comes in during an interval can be worked on from the next open one on, and must be done by
/// the end of the last interval that lies within the deadline of its first second; closed time does
/// not count. Work is a fluid; the
/// whole people of an interval are rounded so that the work done so far is never less than planned.
/// Work that is due after the last interval is done by its end as well.
///
/// # Errors
///
/// [`DeadlineError`] for numbers out of range and for deadlines that nobody could meet.
///
/// # Source
///
/// The shortest path between "all that has come in" and "all that is due", as functions of open
/// time: every convex cost is least on it. Yao, Demers and Shenker, *A scheduling model for reduced
/// CPU energy* (1995), for the same problem on processors.
pub fn plan_by_deadline(
    intervals: &[DeferrableInterval],
    interval_secs: f64,
    deadline_secs: f64,
) -> Result<Vec<DeferredWork>, DeadlineError> {
    positive("interval in seconds", interval_secs)?;
    positive("deadline in seconds", deadline_secs)?;
    for interval in intervals {
        not_negative("contacts", interval.contacts)?;
        positive("handle time in seconds", interval.handle_secs)?;
    }
    let reach = (deadline_secs / interval_secs + 1e-9).floor() as usize;
    let bounds = Bounds::new(intervals, interval_secs, reach)?;
    let levels = bounds.smoothest();
    let (mut done, mut planned) = (0.0f64, 0.0f64);
    let mut come = 0.0;
    let mut open = 0;
    Ok(intervals
        .iter()
        .map(|interval| {
            let level = if interval.open { levels[open] } else { 0.0 };
            // In interval-people: whole people never fall behind the plan, also where some of them
            // had nothing left to do before.
            planned += level;
            let agents = if interval.open { (planned - done - 1e-9).ceil().max(0.0) } else { 0.0 };
            let before = come;
            come += interval.contacts * interval.handle_secs / interval_secs;
            if interval.open {
                open += 1;
                done = (done + agents).min(before);
            }
            DeferredWork {
                agents: agents as u32,
                level,
                backlog_hours: (come - done).max(0.0) * interval_secs / 3600.0,
            }
        })
        .collect())
}

/// Work by the end of every open interval, in interval-people: at most what had come in before it
/// began, at least what is due.
struct Bounds {
    most: Vec<f64>,
    least: Vec<f64>,
}

impl Bounds {
    fn new(
        intervals: &[DeferrableInterval],
        interval_secs: f64,
        reach: usize,
    ) -> Result<Self, DeadlineError> {
        let work = |interval: &DeferrableInterval| {
            interval.contacts * interval.handle_secs / interval_secs
        };
        let total: f64 = intervals.iter().map(work).sum();
        if reach < 2 {
            return Err(DeadlineError::TooShort { least_secs: 2.0 * interval_secs });
        }
        // By open interval: what comes in while closed comes in as the next one begins.
        let count = intervals.iter().filter(|interval| interval.open).count();
        let mut due = vec![0.0; count];
        let mut open = 0;
        for interval in intervals {
            let last =
                if interval.open { open + reach - 1 } else { (open + reach).saturating_sub(2) };
            // Beyond the end of what is looked at nothing is due yet.
            if let Some(due) = due.get_mut(last) {
                *due += work(interval);
            }
            open += usize::from(interval.open);
        }
        let (mut come, mut owed) = (0.0, 0.0);
        let (mut most, mut least) = (Vec::new(), Vec::new());
        let mut due = due.into_iter();
        for interval in intervals {
            if interval.open {
                owed += due.next().unwrap_or(0.0);
                most.push(come);
                least.push(owed);
            }
            come += work(interval);
        }
        if let (Some(last_most), Some(last_least)) = (most.last(), least.last_mut()) {
            *last_least = last_most.min(total).max(*last_least);
        }
        Ok(Self { most, least })
    }

    /// Slopes of the shortest path from nothing to the last bound that stays between both.
    fn smoothest(&self) -> Vec<f64> {
        let count = self.most.len();
        let mut levels = vec![0.0; count];
        let (mut from, mut height) = (0, 0.0);
        while from < count {
            // The steepest rise that is forced, and the flattest ceiling, seen from here.
            let (mut floor, mut ceiling) = (f64::NEG_INFINITY, f64::INFINITY);
            let (mut floor_at, mut ceiling_at) = (from, from);
            let mut turn = None;
            for at in from..count {
                let ahead = (at - from + 1) as f64;
                let up = (self.least[at] - height) / ahead;
                let down = (self.most[at] - height) / ahead;
                if up > ceiling {
                    turn = Some((ceiling_at, self.most[ceiling_at]));
                    break;
                }
                if down < floor {
                    turn = Some((floor_at, self.least[floor_at]));
                    break;
                }
                if up >= floor {
                    (floor, floor_at) = (up, at);
                }
                if down <= ceiling {
                    (ceiling, ceiling_at) = (down, at);
                }
            }
            let (to, target) = turn.unwrap_or((floor_at, self.least[floor_at]));
            let slope = (target - height) / (to - from + 1) as f64;
            levels[from..=to].iter_mut().for_each(|level| *level = slope.max(0.0));
            (from, height) = (to + 1, target);
        }
        levels
    }
}

/// What a planned cover leaves undone.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LateWork {
    /// Work left when the interval ends, in hours.
    pub backlog_hours: f64,
    /// Of it, what should have been done by then, in hours.
    pub late_hours: f64,
}

/// What `agents` per interval leave undone, under the rules of [`plan_by_deadline`]. Nobody works
/// in a closed interval.
///
/// # Errors
///
/// As [`plan_by_deadline`].
pub fn late_work(
    intervals: &[DeferrableInterval],
    interval_secs: f64,
    deadline_secs: f64,
    agents: &[u32],
) -> Result<Vec<LateWork>, DeadlineError> {
    positive("interval in seconds", interval_secs)?;
    positive("deadline in seconds", deadline_secs)?;
    let reach = (deadline_secs / interval_secs + 1e-9).floor() as usize;
    let bounds = Bounds::new(intervals, interval_secs, reach)?;
    let hours = interval_secs / 3600.0;
    let (mut come, mut done, mut open) = (0.0, 0.0f64, 0);
    Ok(intervals
        .iter()
        .zip(agents)
        .map(|(interval, &agents)| {
            let before = come;
            come += interval.contacts * interval.handle_secs / interval_secs;
            let mut late = 0.0;
            if interval.open {
                done = (done + f64::from(agents)).min(before);
                // The end of what is looked at is no deadline, unlike in a plan.
                let is_last = open + 1 == bounds.least.len();
                late = if is_last { 0.0 } else { (bounds.least[open] - done).max(0.0) };
                open += 1;
            }
            LateWork { backlog_hours: (come - done).max(0.0) * hours, late_hours: late * hours }
        })
        .collect())
}
