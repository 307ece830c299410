//! Cost against service: the same cuts with less and with more asked.

use crate::answer::FrontierPoint;
use crate::budget::{Bench, worst_of};
use crate::confirm::every_contact_target;
use crate::design::Design;
use crate::error::SearchError;
use crate::master::Master;
use crate::play::Days;
use crate::target::{Measure, Share};

/// Points of score that are asked less and more.
const SHIFTS: [f64; 6] = [-0.06, -0.04, -0.02, 0.02, 0.04, 0.06];

/// Designs from cheaper to safer around the best, each simulated on the days of the search; those that
/// cost more and serve worse than another are left out.
pub(crate) fn frontier(
    bench: &mut Bench<'_>,
    master: &Master,
) -> Result<Vec<FrontierPoint>, SearchError> {
    let Some((_, best, days)) = bench.best.clone() else { return Ok(Vec::new()) };
    let mut points = vec![point(bench, &best, &days)];
    for shift in SHIFTS {
        let least: Vec<f64> = bench
            .goals
            .all
            .iter()
            .zip(&bench.goals.margins)
            .map(|(goal, margin)| {
                let is_level =
                    goal.targets().iter().any(|each| each.measure == Measure::ServiceLevel);
                if is_level { margin + shift } else { *margin + shift.min(0.0) }
            })
            .collect();
        // Around the best design, where the cuts know what they say.
        let around = Some((best.people.as_slice(), 0.5));
        let Some(solution) = master.solve(bench.blocks, &least, around)? else { continue };
        let design = Design { people: solution.people, settings: best.settings.clone() };
        let days = bench.evaluate(&design)?;
        points.push(point(bench, &design, &days));
    }
    points.sort_by(|a, b| a.cost.total_cmp(&b.cost).then(b.worst.total_cmp(&a.worst)));
    let mut safest = f64::NEG_INFINITY;
    points.retain(|point| {
        let is_kept = point.worst > safest + 1e-9;
        safest = safest.max(point.worst);
        is_kept
    });
    Ok(points)
}

fn point(bench: &Bench<'_>, design: &Design, days: &Days) -> FrontierPoint {
    let mut level = Share::default();
    let levels = bench.goals.contacts.iter().filter(|each| each.measure == Measure::ServiceLevel);
    levels.for_each(|target| level.add(days.whole(target)));
    let held = every_contact_target(bench).by_day(days);
    let held = held.iter().filter(|score| **score >= 0.0).count() as f64;
    FrontierPoint {
        cost: bench.cost(design, days),
        hours: design.hours(bench.blocks),
        worst: worst_of(&bench.goals.scores(days)),
        service_level: if level.bottom > 0.0 { level.top / level.bottom } else { 1.0 },
        days_held: held / days.count() as f64,
        design: design.clone(),
    }
}
