//! Where stops stand on the map: layers from the entries to the ends, few crossings, ways as level as
//! they can be.
//!
//! Layered drawing in the manner of Sugiyama, Tagawa and Toda (1981): ways that lead back are turned
//! round, each stop gets a layer, long ways pass a bend in every layer between, the order within
//! layers follows barycentres, and heights are the closest to their neighbours' that keep the distances
//! (isotonic regression, layer by layer). The same strategy is always drawn alike.

use std::collections::VecDeque;

/// A stop to be placed.
#[derive(Clone, Copy, Debug)]
pub(super) struct Placed {
    /// Space that it needs above and below its middle, in map units.
    pub above: f64,
    pub below: f64,
    /// Where it may stand.
    pub column: Column,
}

/// Which layer a stop prefers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Column {
    /// As far to the left as what leads to it allows.
    Early,
    /// As far to the right as what it leads to allows.
    Late,
    /// In the last one.
    Last,
}

/// Where everything stands.
#[derive(Debug)]
pub(super) struct Layout {
    /// Layer of each stop, from 0 on the left.
    pub layers: Vec<usize>,
    /// Height of each stop's middle.
    pub ys: Vec<f64>,
    /// Of each link, its bends: layer and height, from left to right.
    pub bends: Vec<Vec<(usize, f64)>>,
    /// How many layers there are.
    pub layer_count: usize,
    /// From the top of the highest stop to the foot of the lowest.
    pub height: f64,
}

/// Sweeps in which the order within layers and the heights settle.
const SWEEPS: usize = 12;
/// Space that a bend of a long way takes, above and below.
const BEND: f64 = 5.0;

/// Lays out stops that are joined by links (from, to).
pub(super) fn lay_out(stops: &[Placed], links: &[(usize, usize)]) -> Layout {
    let forward = turned_forward(stops.len(), links);
    let layers = layers_of(stops, &forward);
    let mut net = Net::new(stops, &layers, &forward);
    net.order();
    let ys = net.heights();
    let top = net.extent(&ys, |y, point| y - point.above).fold(f64::INFINITY, f64::min);
    let foot = net.extent(&ys, |y, point| y + point.below).fold(f64::NEG_INFINITY, f64::max);
    let top = if top.is_finite() { top } else { 0.0 };
    let bend = |&point: &usize| (net.layer_of[point], ys[point] - top);
    Layout {
        ys: ys[..stops.len()].iter().map(|y| y - top).collect(),
        bends: net.bends.iter().map(|points| points.iter().map(bend).collect()).collect(),
        layer_count: net.rows.len(),
        height: (foot - top).max(0.0),
        layers,
    }
}

/// The links with those turned round that lead back to a stop on the way to them.
fn turned_forward(count: usize, links: &[(usize, usize)]) -> Vec<(usize, usize)> {
    let mut out = vec![Vec::new(); count];
    for (nth, &(from, _)) in links.iter().enumerate() {
        out[from].push(nth);
    }
    let mut forward = links.to_vec();
    // 0: not seen; 1: on the way to what is looked at; 2: done.
    let mut seen = vec![0u8; count];
    for start in 0..count {
        if seen[start] != 0 {
            continue;
        }
        let mut trail = vec![(start, 0)];
        seen[start] = 1;
        while let Some(&mut (at, ref mut next)) = trail.last_mut() {
            let Some(&nth) = out[at].get(*next) else {
                seen[at] = 2;
                trail.pop();
                continue;
            };
            *next += 1;
            let to = links[nth].1;
            match seen[to] {
                0 => {
                    seen[to] = 1;
                    trail.push((to, 0));
                }
                1 => forward[nth] = (to, at),
                _ => {}
            }
        }
    }
    forward
}

fn layers_of(stops: &[Placed], links: &[(usize, usize)]) -> Vec<usize> {
    let order = topological(stops.len(), links);
    let mut layers = vec![0usize; stops.len()];
    for &at in &order {
        for &(from, to) in links.iter().filter(|link| link.0 == at && link.1 != at) {
            layers[to] = layers[to].max(layers[from] + 1);
        }
    }
    let last = layers.iter().copied().max().unwrap_or(0);
    for &at in order.iter().rev() {
        match stops[at].column {
            Column::Early => {}
            Column::Late => {
                let next = links.iter().filter(|link| link.0 == at && link.1 != at);
                let bound = next.map(|link| layers[link.1]).min().unwrap_or(last);
                layers[at] = layers[at].max(bound.saturating_sub(1));
            }
            Column::Last => layers[at] = last,
        }
    }
    layers
}

fn topological(count: usize, links: &[(usize, usize)]) -> Vec<usize> {
    let mut waiting = vec![0usize; count];
    links.iter().filter(|(from, to)| from != to).for_each(|&(_, to)| waiting[to] += 1);
    let mut ready: VecDeque<usize> = (0..count).filter(|&at| waiting[at] == 0).collect();
    let mut order = Vec::with_capacity(count);
    while let Some(at) = ready.pop_front() {
        order.push(at);
        for &(_, to) in links.iter().filter(|link| link.0 == at && link.1 != at) {
            waiting[to] -= 1;
            if waiting[to] == 0 {
                ready.push_back(to);
            }
        }
    }
    order
}

/// Stops and bends, joined from layer to layer.
struct Net {
    points: Vec<Placed>,
    layer_of: Vec<usize>,
    /// The points of each layer, from the top.
    rows: Vec<Vec<usize>>,
    /// Neighbours in the layer before and in the layer behind.
    before: Vec<Vec<usize>>,
    behind: Vec<Vec<usize>>,
    /// The bends of each link, from left to right.
    bends: Vec<Vec<usize>>,
    stops: usize,
}

impl Net {
    fn new(stops: &[Placed], layers: &[usize], links: &[(usize, usize)]) -> Self {
        let layer_count = layers.iter().max().map_or(0, |last| last + 1);
        let mut net = Self {
            points: stops.to_vec(),
            layer_of: layers.to_vec(),
            rows: vec![Vec::new(); layer_count],
            before: vec![Vec::new(); stops.len()],
            behind: vec![Vec::new(); stops.len()],
            bends: Vec::with_capacity(links.len()),
            stops: stops.len(),
        };
        for (at, &layer) in layers.iter().enumerate() {
            net.rows[layer].push(at);
        }
        for &(from, to) in links {
            let mut last = from;
            let mut bends = Vec::new();
            for layer in layers[from] + 1..layers[to] {
                let bend = net.points.len();
                net.points.push(Placed { above: BEND, below: BEND, column: Column::Early });
                net.layer_of.push(layer);
                net.before.push(Vec::new());
                net.behind.push(Vec::new());
                net.rows[layer].push(bend);
                net.join(last, bend);
                bends.push(bend);
                last = bend;
            }
            if layers[from] < layers[to] {
                net.join(last, to);
            }
            net.bends.push(bends);
        }
        net
    }

    fn join(&mut self, from: usize, to: usize) {
        self.behind[from].push(to);
        self.before[to].push(from);
    }

    /// Puts the points of each layer into an order with few crossings.
    fn order(&mut self) {
        let mut place = vec![0.0; self.points.len()];
        let number = |rows: &[Vec<usize>], place: &mut [f64]| {
            for row in rows {
                // Layers of different sizes are compared by share of their height.
                let count = row.len() as f64;
                row.iter()
                    .enumerate()
                    .for_each(|(nth, &at)| place[at] = (nth as f64 + 0.5) / count);
            }
        };
        number(&self.rows, &mut place);
        let mut best = (self.crossings(&place), self.rows.clone());
        for sweep in 0..SWEEPS {
            let layers: Vec<usize> = match sweep % 2 {
                0 => (1..self.rows.len()).collect(),
                _ => (0..self.rows.len().saturating_sub(1)).rev().collect(),
            };
            for layer in layers {
                let neighbours = if sweep % 2 == 0 { &self.before } else { &self.behind };
                let mut row = std::mem::take(&mut self.rows[layer]);
                let wanted = |at: &usize| {
                    let near = &neighbours[*at];
                    let sum: f64 = near.iter().map(|&each| place[each]).sum();
                    if near.is_empty() { place[*at] } else { sum / near.len() as f64 }
                };
                row.sort_by(|a, b| wanted(a).total_cmp(&wanted(b)));
                self.rows[layer] = row;
                number(&self.rows[layer..=layer], &mut place);
            }
            let crossings = self.crossings(&place);
            if crossings < best.0 {
                best = (crossings, self.rows.clone());
            }
        }
        self.rows = best.1;
    }

    fn crossings(&self, place: &[f64]) -> usize {
        let mut count = 0;
        for row in &self.rows {
            let ways: Vec<(f64, f64)> = row
                .iter()
                .flat_map(|&at| self.behind[at].iter().map(move |&to| (place[at], place[to])))
                .collect();
            for (nth, a) in ways.iter().enumerate() {
                let crossed = ways[nth + 1..].iter().filter(|b| (a.0 - b.0) * (a.1 - b.1) < 0.0);
                count += crossed.count();
            }
        }
        count
    }

    /// Heights of all points that keep their order and distances, as close to their neighbours' as
    /// can be.
    fn heights(&self) -> Vec<f64> {
        let mut ys = vec![0.0; self.points.len()];
        for row in &self.rows {
            let offsets = self.offsets(row);
            let middle = offsets.last().copied().unwrap_or(0.0) / 2.0;
            row.iter().zip(&offsets).for_each(|(&at, offset)| ys[at] = offset - middle);
        }
        for sweep in 0..2 * SWEEPS {
            let rows: Vec<&Vec<usize>> = match sweep % 2 {
                0 => self.rows.iter().collect(),
                _ => self.rows.iter().rev().collect(),
            };
            for row in rows {
                self.settle(row, &mut ys);
            }
        }
        ys
    }

    /// Least distance of each point of a row from the first.
    fn offsets(&self, row: &[usize]) -> Vec<f64> {
        let mut offset = 0.0;
        let mut offsets = Vec::with_capacity(row.len());
        for (nth, &at) in row.iter().enumerate() {
            if nth > 0 {
                offset += self.points[row[nth - 1]].below + self.points[at].above;
            }
            offsets.push(offset);
        }
        offsets
    }

    /// Moves a row to where its neighbours are, by pooling adjacent violators.
    fn settle(&self, row: &[usize], ys: &mut [f64]) {
        let offsets = self.offsets(row);
        // Sums of weights and of weighted wishes, and how many points move together.
        let mut pools: Vec<(f64, f64, usize)> = Vec::with_capacity(row.len());
        for (&at, offset) in row.iter().zip(&offsets) {
            let is_bend = at >= self.stops;
            let near = self.before[at].iter().chain(&self.behind[at]);
            let (mut weight, mut sum) = (0.0, 0.0);
            for &each in near {
                // Long ways should be straight before anything else.
                let pull = if is_bend && each >= self.stops { 8.0 } else { 1.0 };
                weight += pull;
                sum += pull * ys[each];
            }
            let wish = if weight > 0.0 { sum / weight } else { ys[at] };
            let weight = f64::max(weight, 0.1);
            pools.push((weight, weight * (wish - offset), 1));
            while let [.., a, b] = pools[..]
                && a.1 / a.0 > b.1 / b.0
            {
                pools.pop();
                pools.pop();
                pools.push((a.0 + b.0, a.1 + b.1, a.2 + b.2));
            }
        }
        let moved = pools.iter().flat_map(|pool| std::iter::repeat_n(pool.1 / pool.0, pool.2));
        for ((&at, offset), moved) in row.iter().zip(&offsets).zip(moved) {
            ys[at] = moved + offset;
        }
    }

    fn extent<'a>(
        &'a self,
        ys: &'a [f64],
        edge: impl Fn(f64, &Placed) -> f64 + 'a,
    ) -> impl Iterator<Item = f64> + 'a {
        ys.iter().zip(&self.points).map(move |(&y, point)| edge(y, point))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn stop(column: Column) -> Placed {
        Placed { above: 20.0, below: 12.0, column }
    }

    #[test]
    fn a_chain_is_straight_and_ends_are_last() {
        let stops =
            [stop(Column::Early), stop(Column::Early), stop(Column::Late), stop(Column::Last)];
        let layout = lay_out(&stops, &[(0, 1), (1, 2), (2, 3)]);
        assert_eq!(layout.layers, [0, 1, 2, 3]);
        assert!(layout.ys.iter().all(|y| (y - layout.ys[0]).abs() < 1e-9));
        assert_eq!(layout.height, 32.0);
    }

    #[test]
    fn a_loop_is_drawn_and_a_long_way_bends_in_each_layer_between() {
        let stops =
            [stop(Column::Early), stop(Column::Early), stop(Column::Early), stop(Column::Last)];
        let layout = lay_out(&stops, &[(0, 1), (1, 2), (2, 1), (2, 3), (0, 3)]);
        assert_eq!(layout.layers, [0, 1, 2, 3]);
        let layers: Vec<usize> = layout.bends[4].iter().map(|bend| bend.0).collect();
        assert_eq!(layers, [1, 2]);
    }

    #[test]
    fn ways_that_need_not_cross_do_not() {
        // 0 leads to 3 and 1 to 2: one layer has to be turned over.
        let stops = [Column::Early, Column::Early, Column::Last, Column::Last].map(stop);
        let layout = lay_out(&stops, &[(0, 3), (1, 2)]);
        assert_eq!(layout.ys[0] < layout.ys[1], layout.ys[3] < layout.ys[2]);
    }

    proptest! {
        #[test]
        fn stops_never_overlap_and_ways_lead_to_the_right(
            count in 1..60usize,
            seeds in proptest::collection::vec((0..60usize, 0..60usize), 0..120),
        ) {
            let columns = [Column::Early, Column::Late, Column::Last];
            let stops: Vec<Placed> = (0..count).map(|at| stop(columns[at % 3])).collect();
            // Nothing leads on from the last column.
            let links: Vec<(usize, usize)> = seeds
                .into_iter()
                .map(|(from, to)| (from % count, to % count))
                .filter(|(from, _)| stops[*from].column != Column::Last)
                .collect();
            let layout = lay_out(&stops, &links);
            for (a, stop) in stops.iter().enumerate() {
                prop_assert!(layout.ys[a] >= stop.above - 1e-6);
                prop_assert!(layout.ys[a] + stop.below <= layout.height + 1e-6);
                for b in 0..a {
                    if layout.layers[a] == layout.layers[b] {
                        prop_assert!((layout.ys[a] - layout.ys[b]).abs() >= 32.0 - 1e-6);
                    }
                }
            }
            let again = lay_out(&stops, &links);
            prop_assert_eq!(&again.ys, &layout.ys);
            for &(from, to) in turned_forward(count, &links).iter().filter(|(from, to)| from != to) {
                prop_assert!(layout.layers[from] < layout.layers[to]);
            }
        }
    }
}
