//! How long a report takes once its facts are read: a month by interval and a year by day of twelve contact types,
//! beside one plain pass over the same facts.

use std::collections::BTreeMap;

use barometer_plan::Rules;
use barometer_report::facts::{Facts, Forecast, Measured, Staffed, TypeFacts};
use barometer_report::{
    Against, Counts, Days, Definition, Grouping, Period, Section, make, page, workbook,
};
use barometer_timing::{compare, measure};
use jiff::ToSpan;
use jiff::civil::{Date, DateTime, date};
use uuid::Uuid;

const FIRST: Date = date(2025, 11, 1);

fn counts(nth: usize) -> Counts {
    let offered = 40.0 + (nth % 17) as f64;
    Counts {
        offered,
        answered: offered - 2.0,
        abandoned: 2.0,
        in_time: offered - 6.0,
        timed_offered: offered,
        timed_answered: offered - 2.0,
        wait_secs: 15.0 * offered,
        handle_secs: 240.0 * offered,
        handled: offered - 2.0,
        ..Counts::default()
    }
}

/// Twelve contact types with a figure at each of these moments.
fn facts(moments: &[DateTime], days: i64) -> Facts {
    let measured: Vec<Measured> = moments
        .iter()
        .enumerate()
        .map(|(nth, at)| Measured { at: *at, counts: counts(nth) })
        .collect();
    let forecast: Vec<Forecast> =
        moments.iter().map(|at| Forecast { at: *at, contacts: 44.0, actual: Some(45.0) }).collect();
    let staffed: Vec<Staffed> = moments
        .iter()
        .map(|at| Staffed {
            at: *at,
            need_hours: 4.0,
            cover_hours: Some(4.5),
            intervals: 1,
            ..Staffed::default()
        })
        .collect();
    let types = (0..12).map(|nth| TypeFacts {
        id: Uuid::from_u128(nth),
        name: format!("Type {nth}"),
        rules: Rules::STARTING,
        measured: measured.clone(),
        compared: measured.clone(),
        forecast: forecast.clone(),
        planned: Vec::new(),
        staffed: staffed.clone(),
    });
    Facts {
        centre: "Larkhaven Ferries".to_owned(),
        zone: "Europe/London".to_owned(),
        today: date(2026, 11, 23),
        read_at: date(2026, 11, 23).at(7, 0, 0, 0),
        days: Days { first: FIRST, last: FIRST.saturating_add((days - 1).days()) },
        compared: None,
        types: types.collect(),
        teams: Vec::new(),
        agents: None,
        simulated: None,
        campaigns: Vec::new(),
        lines: None,
        releases: Vec::new(),
        alarms: Vec::new(),
        trials: Vec::new(),
        causes: Vec::new(),
    }
}

/// One pass that adds up everything that the report shows, by contact type and by moment.
fn plain(facts: &Facts) -> (Vec<Counts>, BTreeMap<DateTime, Counts>, f64, f64) {
    let (mut by_type, mut by_moment) = (Vec::new(), BTreeMap::<DateTime, Counts>::new());
    let (mut forecast, mut hours) = (0.0, 0.0);
    for each in &facts.types {
        let mut sum = Counts::default();
        for measured in &each.measured {
            sum = sum + measured.counts;
            let at = by_moment.entry(measured.at).or_default();
            *at = *at + measured.counts;
        }
        by_type.push(sum);
        forecast += each.forecast.iter().map(|forecast| forecast.contacts).sum::<f64>();
        hours += each.staffed.iter().map(|staffed| staffed.need_hours).sum::<f64>();
    }
    (by_type, by_moment, forecast, hours)
}

fn main() {
    let definition = |grouping| Definition {
        title: "Bench".to_owned(),
        sections: vec![Section::Service, Section::Demand, Section::HandleTime, Section::Staffing],
        contact_types: Vec::new(),
        teams: Vec::new(),
        queues: Vec::new(),
        campaigns: Vec::new(),
        grouping,
        period: Period::LAST_MONTH,
        against: Against::Forecast,
    };
    let days: Vec<DateTime> =
        (0..365).map(|day| FIRST.saturating_add(day.days()).at(0, 0, 0, 0)).collect();
    let intervals: Vec<DateTime> = (0..31 * 48)
        .map(|half| FIRST.at(0, 0, 0, 0).saturating_add((30 * half).minutes()))
        .collect();
    for (what, facts, grouping) in [
        ("a year of 12 contact types by day", facts(&days, 365), Grouping::Day),
        ("a year of 12 contact types by month", facts(&days, 365), Grouping::Month),
        ("a month of 12 contact types by interval", facts(&intervals, 31), Grouping::Interval),
    ] {
        let definition = definition(grouping);
        compare(what, || plain(&facts), || make(&definition, &facts));
        let report = make(&definition, &facts);
        measure("  … as a page", || page(&report));
        measure("  … as a workbook", || workbook(&report));
    }
}
