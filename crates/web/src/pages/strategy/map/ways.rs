//! The ways that a map draws: all of them, or some folded behind the entries and campaigns from which they lead.

use barometer_strategy::{Journey, PartId, Stop, Strategy};

use super::load::Load;

/// Which ways are folded.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(in crate::pages::strategy) enum Fold {
    /// None of them.
    #[default]
    Nothing,
    /// All that can be.
    All,
    /// Those of these entries and campaigns.
    Of(Vec<PartId>),
}

impl Fold {
    /// Reads what [`in_address`](Self::in_address) writes. What is no part is left out.
    pub fn read(text: &str) -> Self {
        if text == "all" {
            return Self::All;
        }
        let parts: Vec<PartId> = text.split(',').filter_map(|part| part.parse().ok()).collect();
        if parts.is_empty() { Self::Nothing } else { Self::Of(parts) }
    }

    /// As an address says it; nothing where no way is folded.
    pub fn in_address(&self) -> String {
        match self {
            Self::Nothing => String::new(),
            Self::All => "all".to_owned(),
            Self::Of(parts) => parts.iter().map(ToString::to_string).collect::<Vec<_>>().join(","),
        }
    }

    fn holds(&self, part: &PartId) -> bool {
        match self {
            Self::Nothing => false,
            Self::All => true,
            Self::Of(parts) => parts.contains(part),
        }
    }
}

/// What is drawn: stops, links, and what a trial counted on them.
pub(in crate::pages::strategy) struct Ways {
    pub journey: Journey,
    pub load: Option<Load>,
    /// For each stop, the steps that are folded behind it.
    pub behind: Vec<Vec<PartId>>,
    /// For each stop, how many steps are folded behind it, or could be.
    pub own: Vec<usize>,
}

impl Ways {
    pub fn of(strategy: &Strategy, whole: &Journey, load: Option<&Load>, fold: &Fold) -> Self {
        let starts = (0..whole.stops.len()).filter(|&at| {
            let part = part_of(strategy, whole.stops[at]);
            part.is_some_and(|part| fold.holds(&part))
        });
        let folded = whole.folded(&starts.collect::<Vec<_>>());
        let mut own = vec![0; folded.journey.stops.len()];
        for at in 0..whole.stops.len() {
            // A step that is folded away has none of its own.
            own[folded.place[at]] += whole.only_from(at).len();
        }
        let parts = |stops: &Vec<usize>| -> Vec<PartId> {
            stops.iter().filter_map(|&at| part_of(strategy, whole.stops[at])).collect()
        };
        Self {
            load: load.map(|load| load.folded(&folded)),
            behind: folded.behind.iter().map(parts).collect(),
            own,
            journey: folded.journey,
        }
    }

    /// Whether steps are folded behind a stop.
    pub fn is_folded(&self, stop: usize) -> bool {
        !self.behind[stop].is_empty()
    }

    /// Whether every way that can be folded is.
    pub fn is_all_folded(&self) -> bool {
        (0..self.own.len()).all(|stop| self.own[stop] == 0 || self.is_folded(stop))
    }

    /// Whether any way can be folded.
    pub fn can_be_folded(&self) -> bool {
        self.own.iter().any(|&own| own > 0)
    }

    /// The fold that also folds the ways of the entry or campaign at this stop, or unfolds them where they
    /// are.
    pub fn turned(&self, strategy: &Strategy, stop: usize) -> Fold {
        let stays_folded = |at: usize| self.is_folded(at) != (at == stop);
        let parts: Vec<PartId> = (0..self.own.len())
            .filter(|&at| self.own[at] > 0 && stays_folded(at))
            .filter_map(|at| part_of(strategy, self.journey.stops[at]))
            .collect();
        if parts.is_empty() { Fold::Nothing } else { Fold::Of(parts) }
    }
}

/// The part that a stop is drawn for.
pub(super) fn part_of(strategy: &Strategy, stop: Stop) -> Option<PartId> {
    match stop {
        Stop::Entry(at) => Some(PartId::Entry(at)),
        Stop::Campaign(at) => Some(PartId::Campaign(strategy.campaigns[at].id.clone())),
        Stop::Step(at) => Some(PartId::Step(strategy.steps[at].id.clone())),
        Stop::End(_) => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_strategy::{Next, Part, StepName};

    fn folded(strategy: &Strategy, fold: &Fold) -> Ways {
        Ways::of(strategy, &strategy.journey(), None, fold)
    }

    #[test]
    fn a_fold_is_written_and_read() {
        let campaign = PartId::Campaign("news".to_owned());
        for fold in [Fold::Nothing, Fold::All, Fold::Of(vec![PartId::Entry(2), campaign])] {
            assert_eq!(Fold::read(&fold.in_address()), fold);
        }
        assert_eq!(Fold::read("entry.one,,<b>,entry.1"), Fold::Of(vec![PartId::Entry(1)]));
    }

    #[test]
    fn pressing_an_entry_folds_its_way_and_pressing_it_again_unfolds_it() {
        let mut strategy = Strategy::plain("Bookings");
        let Part::Entry(mut second) = Part::new_entry(&strategy) else {
            panic!("an entry is made")
        };
        let Part::Step(step) = Part::new_step(&strategy, StepName::Voicemail) else {
            panic!("a step is made")
        };
        second.first = Next::step(&step.id);
        strategy.steps.push(*step);
        strategy.entries.push(second);

        let all = folded(&strategy, &Fold::Nothing);
        assert_eq!((all.own[0], all.own[1]), (1, 1));
        assert!(all.can_be_folded() && !all.is_all_folded());
        let first = all.turned(&strategy, 0);
        assert_eq!(first, Fold::Of(vec![PartId::Entry(0)]));
        let one = folded(&strategy, &first);
        assert_eq!(one.behind[0], [PartId::Step(strategy.steps[0].id.clone())]);
        assert_eq!(one.own[0], 1, "what is folded is still its own");
        let both = one.turned(&strategy, 1);
        assert_eq!(both, Fold::Of(vec![PartId::Entry(0), PartId::Entry(1)]));
        assert!(folded(&strategy, &both).is_all_folded());
        assert!(folded(&strategy, &Fold::All).is_all_folded());
        assert_eq!(folded(&strategy, &both).turned(&strategy, 0), Fold::Of(vec![PartId::Entry(1)]));
        assert_eq!(one.turned(&strategy, 0), Fold::Nothing);
        let unknown = folded(&strategy, &Fold::read("entry.9,campaign.none"));
        assert_eq!(unknown.journey, strategy.journey());
    }
}
