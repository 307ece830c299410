//! The edits that lead from one version of a strategy to another.

use super::{Edit, Part, PartId};
use crate::types::Strategy;

impl Edit {
    /// The edit that makes `after` of `before`. Parts are matched by their ids, entries by their
    /// place; what is equal is left alone.
    pub fn between(before: &Strategy, after: &Strategy) -> Self {
        let mut edits = Vec::new();
        if before.name != after.name {
            edits.push(Self::Rename(after.name.clone()));
        }
        let shared = before.entries.len().min(after.entries.len());
        for at in 0..shared {
            if before.entries[at] != after.entries[at] {
                let with = Part::Entry(after.entries[at].clone());
                edits.push(Self::Replace { part: PartId::Entry(at), with });
            }
        }
        let gone = (shared..before.entries.len()).rev();
        edits.extend(gone.map(|at| Self::Remove(PartId::Entry(at))));
        let added = after.entries.iter().skip(shared).cloned();
        edits.extend(added.map(|entry| Self::Add { part: Part::Entry(entry), at: None }));
        edits.extend(list(&steps(before), &steps(after)));
        edits.extend(list(&teams(before), &teams(after)));
        edits.extend(list(&campaigns(before), &campaigns(after)));
        edits.extend(list(&ranges(before), &ranges(after)));
        match <[Self; 1]>::try_from(edits) {
            Ok([only]) => only,
            Err(edits) => Self::Several(edits),
        }
    }
}

type Identified = Vec<(PartId, Part)>;

fn steps(strategy: &Strategy) -> Identified {
    let part =
        |step: &crate::Step| (PartId::Step(step.id.clone()), Part::Step(Box::new(step.clone())));
    strategy.steps.iter().map(part).collect()
}

fn teams(strategy: &Strategy) -> Identified {
    let part = |team: &crate::Team| (PartId::Team(team.id.clone()), Part::Team(team.clone()));
    strategy.teams.iter().map(part).collect()
}

fn campaigns(strategy: &Strategy) -> Identified {
    let part = |campaign: &crate::Campaign| {
        let id = PartId::Campaign(campaign.id.clone());
        (id, Part::Campaign(Box::new(campaign.clone())))
    };
    strategy.campaigns.iter().map(part).collect()
}

fn ranges(strategy: &Strategy) -> Identified {
    let part =
        |range: &crate::NumberRange| (PartId::Range(range.id.clone()), Part::Range(range.clone()));
    strategy.number_ranges.iter().map(part).collect()
}

/// The edits of one list: first what goes, then place by place what stands there afterwards.
fn list(before: &Identified, after: &Identified) -> Vec<Edit> {
    let is_kept = |id: &PartId| after.iter().any(|(other, _)| other == id);
    let mut edits: Vec<Edit> = before
        .iter()
        .filter(|(id, _)| !is_kept(id))
        .map(|(id, _)| Edit::Remove(id.clone()))
        .collect();
    let mut standing: Vec<&(PartId, Part)> = before.iter().filter(|(id, _)| is_kept(id)).collect();
    for (at, wanted) in after.iter().enumerate() {
        match standing.iter().position(|(id, _)| *id == wanted.0) {
            None => {
                let is_last = at == standing.len();
                let at_place = (!is_last).then_some(at);
                edits.push(Edit::Add { part: wanted.1.clone(), at: at_place });
                standing.insert(at, wanted);
            }
            Some(from) => {
                if from != at {
                    edits.push(Edit::Move { part: wanted.0.clone(), to: at });
                    let moved = standing.remove(from);
                    standing.insert(at, moved);
                }
                if standing[at].1 != wanted.1 {
                    let with = wanted.1.clone();
                    edits.push(Edit::Replace { part: wanted.0.clone(), with });
                }
            }
        }
    }
    edits
}
