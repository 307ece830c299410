//! Links as ribbons: how wide they are, where they touch their stops, and what stands on them.

use barometer_strategy::{Journey, Stop, WayEnd};

use super::Drawn;
use super::layout::Layout;
use crate::words;

/// A link, as a ribbon.
pub(super) struct Ribbon {
    pub path: String,
    pub width: f64,
    pub kind: &'static str,
    pub title: String,
    pub from: usize,
    pub to: usize,
    /// Whether none of those go here whose ways are drawn.
    pub is_elsewhere: bool,
    /// The share that went here, and where it is written.
    pub label: Option<(f64, f64, String)>,
}

/// Where ribbons touch their stops, above or below the middle.
pub(super) struct Ports {
    pub leaving: Vec<f64>,
    pub arriving: Vec<f64>,
}

impl Ports {
    pub(super) fn of(journey: &Journey, widths: &[f64], layout: &Layout) -> Self {
        let next_y = |nth: usize| match layout.bends[nth].first() {
            Some(bend) => bend.1,
            None => layout.ys[journey.links[nth].to],
        };
        let last_y = |nth: usize| match layout.bends[nth].last() {
            Some(bend) => bend.1,
            None => layout.ys[journey.links[nth].from],
        };
        let count = journey.links.len();
        let mut ports = Self { leaving: vec![0.0; count], arriving: vec![0.0; count] };
        for stop in 0..journey.stops.len() {
            let leaving = (0..count).filter(|&nth| journey.links[nth].from == stop);
            stack(leaving.collect(), widths, next_y, &mut ports.leaving);
            let arriving = (0..count).filter(|&nth| journey.links[nth].to == stop);
            stack(arriving.collect(), widths, last_y, &mut ports.arriving);
        }
        ports
    }
}

/// Stacks ribbons around a stop's middle in the order of where they go.
fn stack(mut links: Vec<usize>, widths: &[f64], towards: impl Fn(usize) -> f64, ports: &mut [f64]) {
    links.sort_by(|&a, &b| towards(a).total_cmp(&towards(b)));
    let all: f64 = links.iter().map(|&nth| widths[nth]).sum();
    let mut top = -all / 2.0;
    for nth in links {
        ports[nth] = top + widths[nth] / 2.0;
        top += widths[nth];
    }
}

impl Drawn<'_> {
    pub(super) fn ribbon(
        &self,
        nth: usize,
        width: f64,
        start: (f64, f64),
        bends: Vec<(f64, f64)>,
        end: (f64, f64),
    ) -> Ribbon {
        let link = &self.ways.journey.links[nth];
        let (from, to) = (self.name_of(link.from), self.name_of(link.to));
        let contacts = self.ways.load.as_ref().and_then(|load| load.links[nth]);
        let counted = contacts.map(|contacts| {
            format!(
                "{} a day, {}",
                words::thousands(contacts),
                words::percent(self.share(contacts))
            )
        });
        let why = if link.cause.is_empty() { String::new() } else { format!(", {}", link.cause) };
        let title = match &counted {
            Some(counted) => format!("{from}{why} → {to}: {counted}"),
            None => format!("{from}{why} → {to}"),
        };
        let kind = match self.ways.journey.stops[link.to] {
            Stop::End(end) if end.is_lost() => "lost",
            Stop::End(WayEnd::Answered | WayEnd::Contained) => "served",
            _ if link.cause == "closed" => "closed",
            _ if link.exit.as_ref().is_some_and(|exit| exit.contains("/exits/")) => "exit",
            _ => "flow",
        };
        let is_back = end.0 <= start.0;
        // A share stands on ribbons that are wide enough to be looked for.
        let label =
            contacts.filter(|contacts| self.share(*contacts) >= 0.02 && !is_back).map(|contacts| {
                let (x, y) = bends.first().copied().unwrap_or(end);
                let (x, y) = (start.0 + (x - start.0) * 0.5, start.1 + (y - start.1) * 0.5);
                (x, y + 3.5, words::percent(self.share(contacts)))
            });
        let path = if is_back { led_back(start, end) } else { led(start, &bends, end) };
        Ribbon {
            path,
            width,
            kind: if is_back { "back" } else { kind },
            title,
            from: link.from,
            to: link.to,
            is_elsewhere: self.is_of_one_type && contacts.is_none_or(|contacts| contacts <= 0.0),
            label,
        }
    }
}

/// A smooth way through points, level at each.
fn led(start: (f64, f64), bends: &[(f64, f64)], end: (f64, f64)) -> String {
    let mut path = format!("M{:.1},{:.1}", start.0, start.1);
    let mut from = start;
    for &to in bends.iter().chain([&end]) {
        let middle = (from.0 + to.0) / 2.0;
        let (y, to_y, to_x) = (from.1, to.1, to.0);
        path += &format!(" C{middle:.1},{y:.1} {middle:.1},{to_y:.1} {to_x:.1},{to_y:.1}");
        from = to;
    }
    path
}

/// A way back, below the stops.
fn led_back(start: (f64, f64), end: (f64, f64)) -> String {
    let foot = start.1.max(end.1) + 34.0;
    let (x, y, to_x, to_y) = (start.0, start.1, end.0, end.1);
    format!(
        "M{x:.1},{y:.1} C{:.1},{y:.1} {:.1},{foot:.1} {x:.1},{foot:.1} L{to_x:.1},{foot:.1} C{:.1},{foot:.1} {:.1},{to_y:.1} {to_x:.1},{to_y:.1}",
        x + 24.0,
        x + 24.0,
        to_x - 24.0,
        to_x - 24.0
    )
}
