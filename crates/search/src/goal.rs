//! What must hold: the targets of each contact type and team, as scores that must not be negative.

use crate::play::Days;
use crate::question::Question;
use crate::target::{Measure, Promise, Target};

/// One-sided normal quantile of 1 %: what a test asks of each goal (5 % shared among all tests).
pub(crate) const ONE_SIDED: f64 = 2.326;

/// Something that must hold: one target, or all of them on the same days.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Goal {
    /// Over all days.
    Mean(Target),
    /// Each on its own on a share of days.
    Often(Target),
    /// All of these at once on a share of days.
    Together(Vec<Target>),
}

/// The goals of a question, and what is asked of each beyond its target: it grows where a design that
/// held on the days of the search does not on fresh ones.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Goals {
    pub all: Vec<Goal>,
    /// The targets of contact types, each over a whole day.
    pub contacts: Vec<Target>,
    /// Least score of each.
    pub margins: Vec<f64>,
    /// Share of days, of the goals that must hold often.
    pub share: f64,
}

impl Goals {
    /// The goals of a question: targets of contact types that are offered at all, and of teams.
    pub fn of(question: &Question) -> Self {
        let base = &question.base;
        let offered =
            |of: &usize| base.types[*of].intervals.iter().any(|interval| interval.contacts > 0.0);
        let offered: Vec<usize> = (0..base.types.len()).filter(offered).collect();
        let targets = |day_kind: Option<usize>| {
            let own = day_kind.map(|nth| &question.day_kinds[nth]);
            let of_type = |&of: &usize| {
                let rules = &base.types[of].rules;
                let level = own.and_then(|kind| kind.service_level).unwrap_or(rules.service_level);
                let abandonment = own.and_then(|kind| kind.abandonment).or(rules.abandonment);
                let target =
                    |measure, wanted| Target { of, day_kind, measure, wanted, interval: None };
                let level = target(Measure::ServiceLevel, level);
                std::iter::once(level)
                    .chain(abandonment.map(|most| target(Measure::Abandonment, most)))
            };
            offered.iter().flat_map(of_type).collect::<Vec<Target>>()
        };
        let contacts = targets(None);
        let mut people = Vec::new();
        for (of, team) in base.strategy.teams.iter().enumerate() {
            let played = base.teams.iter().find(|each| each.team == team.id);
            if let Some(wanted) = played.and_then(|team| team.occupancy) {
                let measure = Measure::Occupancy;
                people.push(Target { of, day_kind: None, measure, wanted, interval: None });
            }
        }
        let mut all = Vec::new();
        let share = match question.promise {
            Promise::OnAverage => {
                all.extend(contacts.iter().copied().map(Goal::Mean));
                1.0
            }
            Promise::InEveryInterval => {
                let of_interval = |target: &Target| {
                    let (target, intervals) = (*target, &base.types[target.of].intervals);
                    let offered = (0..intervals.len()).filter(|&at| intervals[at].contacts > 0.0);
                    offered.map(move |at| Goal::Mean(Target { interval: Some(at), ..target }))
                };
                all.extend(contacts.iter().flat_map(of_interval));
                1.0
            }
            Promise::OnShareOfDays(share) => {
                all.extend(contacts.iter().copied().map(Goal::Often));
                if contacts.len() > 1 {
                    all.push(Goal::Together(contacts.clone()));
                }
                // What a test will ask: that they hold by some standard errors.
                let error = (share * (1.0 - share) / f64::from(question.fresh_days)).sqrt();
                (share + ONE_SIDED * error).min(0.999)
            }
        };
        // A ceiling on how busy people are is meant for all their days, and a kind of day for all days like it.
        let of_kinds = (0..question.day_kinds.len()).flat_map(|nth| targets(Some(nth)));
        all.extend(people.into_iter().chain(of_kinds).map(Goal::Mean));
        Self { margins: vec![0.0; all.len()], all, contacts, share }
    }

    /// The score of each goal beyond its margin, on simulated days.
    pub fn slacks(&self, days: &Days) -> Vec<f64> {
        self.scores(days).iter().zip(&self.margins).map(|(score, margin)| score - margin).collect()
    }

    /// The score of each goal on simulated days.
    pub fn scores(&self, days: &Days) -> Vec<f64> {
        self.all.iter().map(|goal| self.score(goal, days)).collect()
    }

    fn score(&self, goal: &Goal, days: &Days) -> f64 {
        match goal {
            Goal::Mean(target) => target.score(days.whole(target)),
            Goal::Often(_) | Goal::Together(_) => {
                let mut scores = goal.by_day(days);
                scores.sort_by(f64::total_cmp);
                scores[self.rank(scores.len())]
            }
        }
    }

    /// The place of the day that must hold, of this number of days with the worst first.
    fn rank(&self, days: usize) -> usize {
        let may_fail = ((1.0 - self.share) * days as f64 + 1e-9).floor() as usize;
        may_fail.min(days - 1)
    }

    /// By how much the score of each goal changes from some days to the same ones changed.
    ///
    /// Of a mean it is the difference; of a quantile the mean change of the days near it, which is its
    /// derivative (Hong 2009) and less noisy than a difference of order statistics.
    pub fn changes(&self, before: &Days, after: &Days) -> Vec<f64> {
        let change = |goal: &Goal| match goal {
            Goal::Mean(target) => {
                target.score(after.whole(target)) - target.score(before.whole(target))
            }
            Goal::Often(_) | Goal::Together(_) => {
                let (old, new) = (goal.by_day(before), goal.by_day(after));
                let mut order: Vec<usize> = (0..old.len()).collect();
                order.sort_by(|&a, &b| old[a].total_cmp(&old[b]));
                let at = self.rank(order.len());
                let around = (order.len() / 10).max(5);
                let near = &order[at.saturating_sub(around)..(at + around + 1).min(order.len())];
                near.iter().map(|&day| new[day] - old[day]).sum::<f64>() / near.len() as f64
            }
        };
        self.all.iter().map(change).collect()
    }
}

impl Goal {
    /// The targets that it is made of.
    pub fn targets(&self) -> &[Target] {
        match self {
            Self::Mean(target) | Self::Often(target) => std::slice::from_ref(target),
            Self::Together(targets) => targets,
        }
    }

    /// The one target that it is; `None` where it is several at once.
    pub fn single(&self) -> Option<&Target> {
        match self {
            Self::Mean(target) | Self::Often(target) => Some(target),
            Self::Together(_) => None,
        }
    }

    /// The score of each day: the worst of its targets.
    pub fn by_day(&self, days: &Days) -> Vec<f64> {
        let score = |day: usize| {
            let targets = self.targets().iter();
            targets.map(|target| target.score(days.of_day(target, day))).fold(1.0, f64::min)
        };
        (0..days.count()).map(score).collect()
    }
}
