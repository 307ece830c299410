//! What in a history does not look like custom: found, explained and proposed, never changed.
//!
//! [`proposals`] looks for outages, intervals and days out of line, days recorded twice and level
//! shifts; what becomes of them is the planner's decision, kept as [`Mark`]s.
//! [`DayGrid::marked`] gives the history as the marks make it.

use jiff::ToSpan;
use jiff::civil::{Date, DateTime};

use crate::effects::Effects;
use crate::grid::DayGrid;
use crate::level::{even_logs, jump_without_drift, jumps};
use crate::past::Past;
use crate::robust::median_and_spread;
use crate::special_days::Calendar;

/// An interval counts as silent below this share of what was to be expected.
const SILENT_SHARE: f64 = 0.2;
/// Contacts that must have been expected in a silent stretch.
const SILENT_CONTACTS: f64 = 12.0;
/// Silent stretches so far apart, with less than this share of the usual between them, are one outage.
const OUTAGE_GAP_MINUTES: usize = 180;
const TRICKLE_SHARE: f64 = 0.5;
/// Standard deviations beyond which a day is out of line.
const OUTLIER_SPREADS: f64 = 5.0;
/// The least log ratio that makes a day worth a question.
const OUTLIER_RATIO: f64 = 0.3;
/// Standard deviations beyond which an interval is a burst.
const BURST_SPREADS: f64 = 8.0;
/// Contacts that a day must have to be recognised when it appears twice.
const DUPLICATE_CONTACTS: f64 = 40.0;
/// Intervals with contacts that it must have.
const DUPLICATE_INTERVALS: usize = 6;
/// Where more than this share of the days repeats another, that is custom and no mistake.
const MOST_DUPLICATES: f64 = 0.05;
/// Same weekdays on either side that tell whether an interval is missing.
const GAP_WEEKS: usize = 4;
/// Days of a new level that must be known before it is proposed.
const SHIFT_KNOWN_DAYS: usize = 14;

/// What was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Finding {
    /// Next to nothing came through although the centre was open.
    Outage,
    /// A day, or a few intervals, far from the same weekdays around it.
    Outlier,
    /// A day with exactly the numbers of another day.
    Duplicate,
    /// From one day on everything is larger or smaller.
    LevelShift,
    /// Marked by hand.
    ByHand,
}

impl Finding {
    const ALL: [Self; 5] =
        [Self::Outage, Self::Outlier, Self::Duplicate, Self::LevelShift, Self::ByHand];

    /// Its name in files and tables, such as `level-shift`.
    pub fn slug(self) -> &'static str {
        match self {
            Self::Outage => "outage",
            Self::Outlier => "outlier",
            Self::Duplicate => "duplicate",
            Self::LevelShift => "level-shift",
            Self::ByHand => "by-hand",
        }
    }

    /// The finding with this [`slug`](Self::slug).
    pub fn from_slug(slug: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|finding| finding.slug() == slug)
    }

    /// As people call it.
    pub fn title(self) -> &'static str {
        match self {
            Self::Outage => "Outage",
            Self::Outlier => "Out of line",
            Self::Duplicate => "Recorded twice",
            Self::LevelShift => "Level shift",
            Self::ByHand => "Marked by hand",
        }
    }
}

/// What is done to a stretch of history before a forecast is made from it.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Treatment {
    /// It counts as unknown.
    LeaveOut,
    /// Its contacts are multiplied.
    Scale(f64),
}

/// A treated stretch of wall-clock time, from its start until before its end.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Mark {
    /// Start of the first interval.
    pub from: DateTime,
    /// Start of the first interval after it.
    pub to: DateTime,
    /// What is done.
    pub treatment: Treatment,
}

/// Something to decide about.
#[derive(Clone, Debug, PartialEq)]
pub struct Proposal {
    /// What it looks like.
    pub finding: Finding,
    /// What would be done.
    pub mark: Mark,
    /// Why, in a sentence.
    pub why: String,
}

/// What looks wrong in a history, oldest first. Special days of the calendar explain themselves.
pub fn proposals(history: &DayGrid, calendar: &Calendar) -> Vec<Proposal> {
    let effects = Effects::learn(history, history.days(), calendar);
    let past = Past::new(history, history.days(), &effects);
    let search = Search { history, calendar, past: &past };
    let shifts = search.level_shifts();
    let mut found = search.duplicates();
    let mut stretches = search.outages();
    stretches.extend(search.bursts());
    let days = search.outlying_days();
    // One question about a stretch is enough.
    let is_new = |proposal: &Proposal, found: &[Proposal]| {
        let mark = &proposal.mark;
        !found.iter().any(|other| other.mark.from < mark.to && mark.from < other.mark.to)
    };
    for proposal in stretches.into_iter().chain(days) {
        let by_shift = shifts.iter().any(|shift| {
            let days = (proposal.mark.from.date() - shift.mark.to.date()).get_days();
            proposal.finding == Finding::Outlier && (-28..28).contains(&days)
        });
        if !by_shift && is_new(&proposal, &found) {
            found.push(proposal);
        }
    }
    found.extend(shifts);
    found.sort_by_key(|proposal| (proposal.mark.from.max(start_of(history)), proposal.finding));
    found
}

/// Open intervals in a row of which the history knows nothing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Gap {
    /// Start of the first.
    pub from: DateTime,
    /// Start of the first interval after the last.
    pub to: DateTime,
    /// How many there are.
    pub intervals: usize,
}

/// What is missing in a history, oldest first: intervals that most of the same weekdays around have.
///
/// Nothing needs to be decided about them: a forecast takes them as unknown anyway.
pub fn gaps(history: &DayGrid) -> Vec<Gap> {
    let is_known = |day: usize, slot: usize| history.offered(day, slot).is_some();
    let is_usual = |day: usize, slot: usize| {
        let around = (1..=GAP_WEEKS)
            .flat_map(|weeks| [day.checked_sub(7 * weeks), Some(day + 7 * weeks)])
            .flatten()
            .filter(|other| *other < history.days());
        let (known, all) = around.fold((0, 0), |(known, all), other| {
            (known + usize::from(is_known(other, slot)), all + 1)
        });
        2 * known > all
    };
    let at = |day: usize, slot: usize| {
        let minutes = slot as i64 * i64::from(history.grain().minutes());
        history.day(day).at(0, 0, 0, 0).saturating_add(minutes.minutes())
    };
    let mut gaps: Vec<Gap> = Vec::new();
    let mut goes_on = false;
    for day in 0..history.days() {
        for slot in 0..history.slots() {
            if is_known(day, slot) {
                goes_on = false;
            } else if is_usual(day, slot) {
                let to = at(day, slot + 1);
                match gaps.last_mut().filter(|_| goes_on) {
                    Some(gap) => {
                        gap.to = to;
                        gap.intervals += 1;
                    }
                    None => gaps.push(Gap { from: at(day, slot), to, intervals: 1 }),
                }
                goes_on = true;
            }
        }
    }
    gaps
}

fn start_of(history: &DayGrid) -> DateTime {
    history.first_day().at(0, 0, 0, 0)
}

struct Search<'a> {
    history: &'a DayGrid,
    calendar: &'a Calendar,
    past: &'a Past,
}

impl Search<'_> {
    fn days(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.past.days()).filter(|&day| !self.is_special(day))
    }

    fn is_special(&self, day: usize) -> bool {
        !self.calendar.on(self.past.date(day)).is_empty()
    }

    fn at(&self, day: usize, slot: usize) -> DateTime {
        let minutes = slot as i64 * i64::from(self.history.grain().minutes());
        self.past.date(day).at(0, 0, 0, 0).saturating_add(minutes.minutes())
    }

    fn stretch(&self, day: usize, from: usize, to: usize) -> Mark {
        let treatment = Treatment::LeaveOut;
        Mark { from: self.at(day, from), to: self.at(day, to), treatment }
    }

    /// The day's ordinary total and its spread on a log scale.
    fn usual(&self, day: usize) -> Option<(f64, f64)> {
        let (middle, spread) = self.past.log_around(day)?;
        Some((middle.exp_m1(), spread))
    }

    /// Stretches of a day in which `is_odd(value, expected)`, as first slot, slot after the last,
    /// contacts and expected contacts.
    fn stretches(
        &self,
        day: usize,
        total: f64,
        is_odd: impl Fn(f64, f64) -> bool,
    ) -> Vec<(usize, usize, f64, f64)> {
        let mut found: Vec<(usize, usize, f64, f64)> = Vec::new();
        for (slot, &value) in self.past.row(day).iter().enumerate() {
            let expected = self.past.expected(day, slot, total);
            if !value.is_finite() || !is_odd(value, expected) {
                continue;
            }
            match found.last_mut() {
                Some((_, end, came, all)) if *end == slot => {
                    *end = slot + 1;
                    *came += value;
                    *all += expected;
                }
                _ => found.push((slot, slot + 1, value, expected)),
            }
        }
        found
    }

    /// Silent stretches of a day as one where hardly anything came between them either: an outage through which a few
    /// contacts trickle is one outage.
    fn joined(
        &self,
        day: usize,
        total: f64,
        stretches: Vec<(usize, usize, f64, f64)>,
    ) -> Vec<(usize, usize, f64, f64)> {
        let most = OUTAGE_GAP_MINUTES / usize::from(self.history.grain().minutes().unsigned_abs());
        let mut joined: Vec<(usize, usize, f64, f64)> = Vec::new();
        for (from, to, came, expected) in stretches {
            let before = joined.last_mut().filter(|before| from - before.1 <= most);
            if let Some(before) = before {
                let gap = (before.1..from).map(|slot| {
                    let value = self.past.row(day)[slot];
                    let expected = self.past.expected(day, slot, total);
                    if value.is_finite() { (value, expected) } else { (0.0, 0.0) }
                });
                let between = gap.fold((0.0, 0.0), |sum, at| (sum.0 + at.0, sum.1 + at.1));
                if between.0 <= TRICKLE_SHARE * between.1 {
                    before.1 = to;
                    before.2 += came + between.0;
                    before.3 += expected + between.1;
                    continue;
                }
            }
            joined.push((from, to, came, expected));
        }
        joined
    }

    fn outages(&self) -> Vec<Proposal> {
        let mut found = Vec::new();
        for day in self.days() {
            let Some((usual, _)) = self.usual(day) else { continue };
            let is_silent =
                |value: f64, expected: f64| expected > 0.5 && value <= SILENT_SHARE * expected;
            for (from, to, came, expected) in
                self.joined(day, usual, self.stretches(day, usual, is_silent))
            {
                let far_below = expected - 4.0 * expected.sqrt() > came;
                if expected >= SILENT_CONTACTS && far_below {
                    found.push(Proposal {
                        finding: Finding::Outage,
                        mark: self.stretch(day, from, to),
                        why: format!(
                            "{came:.0} contacts arrived; about {expected:.0} are usual on such a day"
                        ),
                    });
                }
            }
        }
        found
    }

    fn bursts(&self) -> Vec<Proposal> {
        let mut found = Vec::new();
        for day in self.days() {
            let Some((usual, _)) = self.usual(day) else { continue };
            let total = self.past.totals()[day];
            // A busy day is no burst: each interval is measured against its own day.
            let total = if total.is_finite() { total.max(usual) } else { usual };
            let is_burst = |value: f64, expected: f64| {
                let spread = (expected + (0.15 * expected).powi(2) + 1.0).sqrt();
                value > expected + BURST_SPREADS * spread
            };
            for (from, to, came, expected) in self.stretches(day, total, is_burst) {
                found.push(Proposal {
                    finding: Finding::Outlier,
                    mark: self.stretch(day, from, to),
                    why: format!("{came:.0} contacts arrived; about {expected:.0} were expected"),
                });
            }
        }
        found
    }

    fn outlying_days(&self) -> Vec<Proposal> {
        let ratio = |day: usize| {
            let total = self.past.totals()[day];
            let (usual, spread) = self.usual(day).filter(|_| total.is_finite())?;
            Some((total, total.ln_1p() - usual.ln_1p(), spread))
        };
        // Eight neighbours can be alike by chance; the days of the whole history are not.
        let mut all: Vec<f64> = self.days().filter_map(ratio).map(|(_, ratio, _)| ratio).collect();
        let least_spread = median_and_spread(&mut all).map_or(0.0, |(_, spread)| spread);
        let mut found = Vec::new();
        for day in self.days() {
            let Some((total, ratio, spread)) = ratio(day) else { continue };
            let spread = spread.max(least_spread);
            if ratio.abs() > (OUTLIER_SPREADS * spread).max(OUTLIER_RATIO) {
                let percent = 100.0 * (ratio.exp() - 1.0).abs();
                let more = if ratio < 0.0 { "fewer" } else { "more" };
                found.push(Proposal {
                    finding: Finding::Outlier,
                    mark: self.stretch(day, 0, self.past.slots()),
                    why: format!(
                        "{total:.0} contacts, {percent:.0} % {more} than on the same weekdays around it"
                    ),
                });
            }
        }
        found
    }

    fn duplicates(&self) -> Vec<Proposal> {
        let same = |day: usize, other: usize| {
            let (row, before) = (self.past.row(day), self.past.row(other));
            let known = row.iter().filter(|value| value.is_finite());
            let total: f64 = known.clone().sum();
            // A few numbers may happen to be alike.
            known.filter(|value| **value > 0.0).count() >= DUPLICATE_INTERVALS
                && total >= DUPLICATE_CONTACTS
                && row.iter().zip(before).all(|(a, b)| a == b || (a.is_nan() && b.is_nan()))
        };
        let mut found = Vec::new();
        for day in 1..self.past.days() {
            let other = [1, 7].into_iter().filter_map(|back| day.checked_sub(back));
            if let Some(other) = other.into_iter().find(|&other| same(day, other)) {
                found.push(Proposal {
                    finding: Finding::Duplicate,
                    mark: self.stretch(day, 0, self.past.slots()),
                    why: format!(
                        "every interval has the numbers of {}",
                        self.past.date(other).strftime("%-d %b %Y")
                    ),
                });
            }
        }
        if found.len() as f64 > (MOST_DUPLICATES * self.past.days() as f64).max(2.0) {
            found.clear();
        }
        found
    }

    fn level_shifts(&self) -> Vec<Proposal> {
        let even = even_logs(self.past, |day| !self.is_special(day));
        let jumps = jumps(&even, SHIFT_KNOWN_DAYS);
        jumps
            .into_iter()
            .map(|jump| {
                let size = jump_without_drift(&even, jump.day).unwrap_or(jump.log_ratio);
                self.level_shift(jump.day, size)
            })
            .collect()
    }

    fn level_shift(&self, day: usize, shift: f64) -> Proposal {
        let date: Date = self.past.date(day);
        let mark = Mark {
            from: start_of(self.history),
            to: date.at(0, 0, 0, 0),
            treatment: Treatment::Scale(shift.exp()),
        };
        Proposal {
            finding: Finding::LevelShift,
            mark,
            why: format!(
                "from {} on about {:.0} % {}, within a week; what was before would be scaled to the new level",
                date.strftime("%-d %b %Y"),
                100.0 * (shift.exp() - 1.0).abs(),
                if shift < 0.0 { "less" } else { "more" }
            ),
        }
    }
}
