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
    /// What comes in during an interval is due before anybody can work on it.
    #[error(
        "what comes in during interval {interval} is due before anybody can work on it; the deadline must reach over the closed time, and over two intervals at least"
    )]
    DueWhileClosed {
        /// Number of the interval, from 1.
        interval: usize,
    },
}

/// The smoothest plan that has every contact done within `deadline_secs` of coming in: of all plans
/// that do, the one whose busiest interval is least busy, and so on down.
///
/// What comes in during an interval can be worked on from the next one on, and must be done by the
/// end of the last interval that lies within the deadline of its first second. Work is a fluid; the
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
    let (mut done, mut planned, mut people) = (0.0, 0.0f64, 0.0f64);
    let mut come = 0.0;
    let mut open = 0;
    Ok(intervals
        .iter()
        .map(|interval| {
            let level = if interval.open { levels[open] } else { 0.0 };
            // In interval-people: whole people so far never fall behind the plan so far.
            planned += level;
            let whole = (planned - 1e-9).ceil().max(people) - people;
            let agents = if interval.open { whole } else { 0.0 };
            people += agents;
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
        let mut due = vec![0.0; intervals.len()];
        for (at, interval) in intervals.iter().enumerate() {
            if interval.contacts == 0.0 || at + 1 >= intervals.len() {
                continue;
            }
            // The last open interval that ends in time.
            let last = (at + reach).min(intervals.len()).max(at + 1) - 1;
            let in_time = (at + 1..=last).rev().find(|&later| intervals[later].open);
            match in_time {
                Some(later) => due[later] += work(interval),
                // The end of what is looked at is not a deadline.
                None if at + reach >= intervals.len() => {}
                None => return Err(DeadlineError::DueWhileClosed { interval: at + 1 }),
            }
        }
        let (mut come, mut owed) = (0.0, 0.0);
        let (mut most, mut least) = (Vec::new(), Vec::new());
        for (interval, due) in intervals.iter().zip(&due) {
            owed += due;
            if interval.open {
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
