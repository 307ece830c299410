//! Lines for the agents who are expected to be free when the lines are answered, under a ceiling on
//! abandoned calls.
//!
//! Another line is begun while the chance that its answer would find no free agent stays under a risk: a
//! chance constraint on the difference of two sums of independent events, the answers of the lines in the
//! air and the agents who become free by then, by the normal approximation. The same risk for every line,
//! and not the same share at every moment, is what keeps agents busiest for a share over the day: lines
//! are begun where they cost least (a Lagrange multiplier). Three things keep the day's share under the
//! ceiling whatever is wrong with that model: every answer corrects the risk (stochastic approximation,
//! Robbins and Monro 1951), nothing is risked that the answers of the day so far, and a part of those that
//! are still to come, would not make good, and then there is one line for each free agent, where nobody
//! can be abandoned. `docs/methods/pacing.md` has the
//! experiment.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use barometer_strategy::{Campaign, MachineAction};

use super::{Learned, Pacing, Reckoned, Situation};
use crate::Seconds;
use crate::detection::{Detection, normal_point};
use crate::learned_durations::{Assumption, LearnedDurations};

/// Share of the ceiling that is aimed at, so that chance stays under it; and that nothing is risked above.
const AIM: f64 = 0.8;
const GUARD: f64 = 0.95;
/// Share of the answers that are still to come today that is counted on.
const COUNTED_ON: f64 = 0.6;
/// Answers over which the difference from the aim is made good.
const MADE_GOOD_OVER: f64 = 250.0;
/// How fast the risk is corrected: its logarithm by this much for each answer.
const CORRECTION: f64 = 0.01;
/// The risk that is begun with, as a multiple of the ceiling, and between which it stays.
const FIRST_RISK: f64 = 3.0;
const RISKS: (f64, f64) = (0.002, 0.9);
/// Lines that the assumed share of answers counts as; the answers over which it is remembered, and the
/// fewest and most lines.
const PRIOR_LINES: f64 = 60.0;
const REMEMBERED_ANSWERS: f64 = 40.0;
const REMEMBERED_LINES: (f64, f64) = (100.0, 2000.0);
/// Seconds after which it decides again.
const EVERY_SECS: f64 = 2.0;

/// A line that is over.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd)]
struct RecentLine {
    dialled_at: Seconds,
    after_secs: Seconds,
    needs_agent: bool,
}

impl Eq for RecentLine {}

#[expect(clippy::derive_ord_xor_partial_ord, reason = "moments are never NaN")]
impl Ord for RecentLine {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.dialled_at.total_cmp(&other.dialled_at)
    }
}

/// Learns shares and durations while the campaign runs.
#[derive(Clone, Debug)]
pub struct Predictive {
    ceiling: f64,
    assumed_share: f64,
    assumed_answer: Assumption,
    /// Seconds until any line is answered or given up.
    longest_line_secs: f64,
    assumed_handle: Assumption,
    /// Lines that needed an agent, and lines that are over, both forgotten little by little.
    answered: f64,
    over: f64,
    /// Lines that are over and were dialled lately, the earliest first.
    recent: BinaryHeap<Reverse<RecentLine>>,
    /// Seconds until a line is answered or given up.
    line_secs: f64,
    answer_after: LearnedDurations,
    handle: LearnedDurations,
    /// The chance of finding no free agent up to which a line is begun.
    risk: f64,
    /// The point that a standard normal is below with that chance.
    risk_point: f64,
    answers: f64,
    abandoned: f64,
    /// Calls that people answered over the last 29 days, and those that were abandoned; nothing where that is
    /// not known.
    before: (f64, f64),
    before_the_first_day: (f64, f64),
}

impl Predictive {
    /// The policy of a campaign, which begins with what is assumed of those who are called.
    pub fn of(campaign: &Campaign) -> Self {
        let assumed = &campaign.assumed;
        let hours = assumed.answered_share.len().max(1) as f64;
        let people = campaign.zones_factor() * assumed.answered_share.iter().sum::<f64>() / hours;
        let (missed, machines, decide_secs) =
            match (campaign.machines.sensitivity, &campaign.machines.action) {
                (None, _) => (0.0, 1.0, 0.0),
                (Some(sensitivity), MachineAction::ToAgent) => {
                    (0.0, 1.0, Detection::of(sensitivity).decide_secs)
                }
                (Some(sensitivity), _) => {
                    let Detection {
                        decide_secs,
                        people_taken_for_machines,
                        machines_taken_for_people,
                    } = Detection::of(sensitivity);
                    (people_taken_for_machines, machines_taken_for_people, decide_secs)
                }
            };
        let assumed_share = people * (1.0 - missed) + assumed.machine_share * machines;
        let mut own = Self {
            ceiling: campaign.abandoned_ceiling,
            assumed_share,
            assumed_answer: Assumption::of(&[&assumed.ring]),
            assumed_handle: Assumption::of(&[&assumed.talk, &assumed.wrap_up]),
            answered: 0.0,
            over: 0.0,
            longest_line_secs: campaign.ring_limit_secs + decide_secs,
            recent: BinaryHeap::new(),
            line_secs: 0.0,
            answer_after: LearnedDurations::of(1.0),
            handle: LearnedDurations::of(5.0),
            risk: 0.0,
            risk_point: 0.0,
            answers: 0.0,
            abandoned: 0.0,
            before: (0.0, 0.0),
            before_the_first_day: campaign.last_29_days.map_or((0.0, 0.0), |before| {
                (f64::from(before.answered), f64::from(before.abandoned))
            }),
        };
        own.begin();
        own
    }

    fn note_line(&mut self, is_answered: bool, secs: Seconds) {
        let (fewest, most) = REMEMBERED_LINES;
        let remembered = (REMEMBERED_ANSWERS / self.share()).clamp(fewest, most);
        if self.over >= remembered {
            let kept = 1.0 - 1.0 / self.over;
            (self.answered, self.over) = (kept * self.answered, kept * self.over);
        }
        self.answered += f64::from(u8::from(is_answered));
        self.over += 1.0;
        self.line_secs += (secs - self.line_secs) / self.over;
    }

    /// The share of lines that need an agent.
    fn share(&self) -> f64 {
        (self.answered / self.over).clamp(1e-3, 1.0)
    }

    /// Learns from the lines that were dialled so long ago that all of their time are over: a busy line is
    /// over at once and one that nobody answers takes longest, so that after a burst of lines those that are
    /// over would tell too little or too much.
    fn learn_lines(&mut self, now: Seconds) {
        while let Some(line) = self.recent.peek()
            && line.0.dialled_at + self.longest_line_secs <= now
        {
            let Some(Reverse(RecentLine { after_secs, needs_agent, .. })) = self.recent.pop()
            else {
                break;
            };
            self.note_line(needs_agent, after_secs);
            if needs_agent {
                self.answer_after.note(after_secs);
            }
        }
        self.answer_after.work_out_if_due(&[], now);
    }

    /// The share of answers that may be abandoned now.
    fn allowed(&self) -> f64 {
        let aim = AIM * self.ceiling;
        let made_good = (aim * self.answers - self.abandoned) / MADE_GOOD_OVER;
        (aim + made_good).clamp(0.1 * aim, 2.0 * aim)
    }

    fn note_answer(&mut self, is_abandoned: bool) {
        let allowed = self.allowed();
        self.answers += 1.0;
        self.abandoned += f64::from(u8::from(is_abandoned));
        if allowed > 0.0 {
            let off = allowed - f64::from(u8::from(is_abandoned));
            let corrected = self.risk * libm::exp(CORRECTION * off / allowed);
            self.risk = corrected.clamp(RISKS.0, RISKS.1);
            self.risk_point = normal_point(self.risk, self.risk_point);
        }
    }

    /// Answers that are still to come today with one line for each free agent, at the least.
    fn to_come(&self, at: &Situation<'_>, share: f64) -> f64 {
        let for_each = self.handle.mean() + self.line_secs / share;
        let in_time = f64::from(at.on_shift) * at.left_secs / for_each;
        COUNTED_ON * in_time.min(share * f64::from(at.left_people))
    }

    /// Whether one more abandoned call stays under the ceiling of the day and of 30 days, whatever follows:
    /// from then on nobody would have to be abandoned.
    fn may_risk(&self, at: &Situation<'_>, share: f64) -> bool {
        let answers = self.answers + self.to_come(at, share);
        let (answered_before, abandoned_before) = self.before;
        let abandoned = self.abandoned + 1.0;
        abandoned <= GUARD * self.ceiling * answers
            && (answered_before == 0.0
                || abandoned_before + abandoned
                    <= GUARD * self.ceiling * (answered_before + answers))
    }
}

impl Pacing for Predictive {
    fn begin(&mut self) {
        (self.answered, self.over) = (self.assumed_share * PRIOR_LINES, PRIOR_LINES);
        self.line_secs = self.longest_line_secs;
        self.recent.clear();
        self.answer_after.begin(self.assumed_answer);
        self.handle.begin(self.assumed_handle);
        self.risk = (FIRST_RISK * self.ceiling).clamp(RISKS.0, RISKS.1);
        self.risk_point = normal_point(self.risk, 0.0);
        (self.answers, self.abandoned) = (0.0, 0.0);
        self.before = self.before_the_first_day;
    }

    fn lines(&mut self, at: &Situation<'_>) -> u32 {
        let in_air = at.ringing_since.len() as u32;
        self.learn_lines(at.now);
        // Nobody is free, and nobody could become free who is not owed to inbound contacts.
        if at.free == 0 && at.owed as usize >= at.talking_since.len() {
            return 0;
        }
        let share = self.share();
        if at.on_shift == 0 || !self.may_risk(at, share) {
            return at.free;
        }
        self.handle.work_out_if_due(at.talking_since, at.now);
        // Answers of the lines in the air, by their age: those who answer have less and less time left to.
        let (mut answers, mut spread) = (0.0, 0.0);
        for since in at.ringing_since {
            let left = share * self.answer_after.longer_than(at.now - since);
            let chance = left / (left + 1.0 - share);
            answers += chance;
            spread += chance * (1.0 - chance);
        }
        // Agents who are free by the time at which a line that is dialled now is answered.
        let horizon = self.answer_after.mean();
        let mut agents = f64::from(at.free) - f64::from(at.owed);
        for since in at.talking_since {
            let age = at.now - since;
            let still = self.handle.longer_than(age);
            let chance = if still > 0.0 {
                1.0 - self.handle.longer_than(age + horizon) / still
            } else {
                // Longer than any so far: as if it had no memory.
                1.0 - libm::exp(-horizon / self.handle.mean().max(1.0))
            };
            agents += chance;
            spread += chance * (1.0 - chance);
        }
        let mut lines = in_air;
        let most = in_air + 4 * (at.on_shift + 1) + (2.0 * agents / share) as u32;
        while lines < most {
            let more = f64::from(lines - in_air);
            let mean = answers + share * more;
            let deviation = (spread + share * (1.0 - share) * more).sqrt();
            // The chance that as many are answered as there are agents, or more, so that the next answer finds none, is over
            // the risk. Half is added, as the count is whole.
            if mean - agents + 0.5 > self.risk_point * deviation {
                break;
            }
            lines += 1;
        }
        lines.max(at.free)
    }

    fn learn(&mut self, what: Learned) {
        match what {
            Learned::LineOver { dialled_at, after_secs, needs_agent } => {
                self.recent.push(Reverse(RecentLine { dialled_at, after_secs, needs_agent }));
            }
            Learned::Connected => self.note_answer(false),
            Learned::Abandoned => self.note_answer(true),
            Learned::Handled(secs) => self.handle.note(secs),
        }
    }

    fn new_day(&mut self) {
        if self.before.0 > 0.0 {
            // The oldest of thirty days falls out; which one it was is not known, so a mean one does.
            let roll = |before: f64, today: f64| (before + today) * 29.0 / 30.0;
            self.before = (roll(self.before.0, self.answers), roll(self.before.1, self.abandoned));
        }
        (self.answers, self.abandoned) = (0.0, 0.0);
    }

    fn reckoned(&self) -> Option<Reckoned> {
        Some(Reckoned {
            answered_share: self.share(),
            answer_secs: self.answer_after.mean(),
            handle_secs: self.handle.mean(),
            risk: self.risk,
        })
    }

    fn every_secs(&self) -> Option<Seconds> {
        Some(EVERY_SECS)
    }
}
