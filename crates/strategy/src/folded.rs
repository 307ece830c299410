//! The graph of a strategy with the ways of some entries and campaigns folded: what nobody else passes stands
//! behind them.

use crate::journey::{Journey, Link, Stop};

/// A journey of which some ways are folded.
#[derive(Clone, Debug, PartialEq)]
pub struct Folded {
    /// The stops that are left, in their order, and the links between them.
    pub journey: Journey,
    /// The place that each stop of the whole journey has here; for a stop that is folded away, the place of
    /// the entry or campaign behind which it stands.
    pub place: Vec<usize>,
    /// For each link here, the links of the whole journey that it stands for, at least one.
    pub stands_for: Vec<Vec<usize>>,
    /// For each stop here, the stops of the whole journey that are folded behind it.
    pub behind: Vec<Vec<usize>>,
}

impl Journey {
    /// The steps that only contacts of this entry or campaign can come to, by place among the stops: all
    /// ways to such a step lead from here or from another of them. Empty for any other stop.
    pub fn only_from(&self, start: usize) -> Vec<usize> {
        if !matches!(self.stops.get(start), Some(Stop::Entry(_) | Stop::Campaign(_))) {
            return Vec::new();
        }
        let mut own = self.reach(start, true);
        for (at, stop) in self.stops.iter().enumerate() {
            own[at] &= matches!(stop, Stop::Step(_));
        }
        // One that can be come to from elsewhere takes what follows it along.
        while let Some(shared) =
            self.links.iter().find(|link| own[link.to] && !own[link.from] && link.from != start)
        {
            own[shared.to] = false;
        }
        (0..own.len()).filter(|&at| own[at]).collect()
    }

    /// The journey with the ways of these entries and campaigns folded: their
    /// [own steps](Self::only_from) are left out, and what led on from those leads on from them, as one link
    /// to each stop. Where no place of `starts` has steps of its own, nothing changes.
    pub fn folded(&self, starts: &[usize]) -> Folded {
        let mut holder: Vec<usize> = (0..self.stops.len()).collect();
        for &start in starts {
            for step in self.only_from(start) {
                holder[step] = start;
            }
        }
        let stays = |at: usize| holder[at] == at;
        let left: Vec<usize> = (0..self.stops.len()).filter(|&at| stays(at)).collect();
        let mut here = vec![0; self.stops.len()];
        left.iter().enumerate().for_each(|(place, &at)| here[at] = place);
        let place: Vec<usize> = holder.iter().map(|&at| here[at]).collect();
        let mut behind = vec![Vec::new(); left.len()];
        (0..self.stops.len()).filter(|&at| !stays(at)).for_each(|at| behind[place[at]].push(at));

        let mut links: Vec<Link> = Vec::new();
        let mut stands_for: Vec<Vec<usize>> = Vec::new();
        for (at, link) in self.links.iter().enumerate() {
            let (from, to) = (place[link.from], place[link.to]);
            let is_folded = !behind[from].is_empty();
            if is_folded && from == to {
                continue;
            }
            let same =
                links.iter().position(|other| is_folded && (other.from, other.to) == (from, to));
            match same {
                Some(same) => {
                    stands_for[same].push(at);
                    // Several causes are none that can be named, and no exit of the entry leads there.
                    if links[same].cause != link.cause {
                        links[same].cause.clear();
                    }
                    links[same].exit = None;
                }
                None => {
                    let exit = link.exit.clone().filter(|_| stays(link.from));
                    links.push(Link { from, to, cause: link.cause.clone(), exit });
                    stands_for.push(vec![at]);
                }
            }
        }
        let stops = left.iter().map(|&at| self.stops[at]).collect();
        Folded { journey: Self { stops, links }, place, stands_for, behind }
    }
}
