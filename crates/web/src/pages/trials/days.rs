//! The simulated days of a trial one by one: how many hold, and what decides; as a file, every day's counts.

use axum::extract::State;
use axum::response::Response;
use barometer_plan::{
    DayByDay, Driver, DriverOfDay, LessPatience, TargetByDay, Third, TrialInputs,
};
use barometer_simulate::Summary;
use barometer_store::Trial;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::exports;
use crate::extract::Path;
use crate::holding_words::{days_name, driver_name, sentence, target_name};
use crate::page_error::PageError;
use crate::words;

/// Rows that are shown, and of each target.
const MOST_ROWS: usize = 10;
const OF_TARGET: usize = 2;

/// Width of the scale in pixels, and what is left at its ends for the marks.
const WIDTH: f64 = 220.0;
const EDGE: f64 = 10.0;

pub(super) struct DaysView {
    pub sentence: String,
    pub rows: Vec<DriverRow>,
    /// What customers with less patience would change; empty where that is not told.
    pub less_patience: String,
    /// Where the target lies on the scale.
    pub target_x: String,
    /// What the ends of the scale are, in points from the target.
    pub low: String,
    pub high: String,
}

/// Something that decides about a target, on the third of days with the least and with the most of it.
pub(super) struct DriverRow {
    pub target: String,
    pub bound: String,
    pub holding: String,
    pub what: String,
    /// With the least of it, and with the most.
    pub thirds: [ThirdCell; 2],
    pub threshold: String,
}

pub(super) struct ThirdCell {
    pub edge: String,
    pub share: String,
    pub holding: String,
    /// Where the share lies on the scale.
    pub x: String,
}

/// Points from the target as places on a line; those that are missed lie at the left.
struct Scale {
    low: f64,
    high: f64,
}

impl Scale {
    fn of<'a>(shown: impl Iterator<Item = (&'a TargetByDay, &'a Driver)>) -> Self {
        let scores = shown.flat_map(|(target, driver)| {
            [driver.least.share, driver.most.share].map(|share| target.score(share))
        });
        let (low, high) =
            scores.fold((0.0_f64, 0.0_f64), |at, score| (score.min(at.0), score.max(at.1)));
        // Whole five points, which are easy to read.
        let (low, high) = ((20.0 * low).floor() / 20.0, (20.0 * high).ceil() / 20.0);
        Self { low, high: high.max(low + 0.05) }
    }

    fn x(&self, score: f64) -> String {
        let at = (score - self.low) / (self.high - self.low);
        format!("{:.1}", EDGE + at * (WIDTH - 2.0 * EDGE))
    }
}

impl DaysView {
    /// `None` where the trial was kept without single days, or has too few.
    pub fn of(trial: &Trial, summary: &Summary) -> Option<Self> {
        let days = DayByDay::of(&trial.inputs, summary)?;
        // Of targets that always hold only the tightest is worth a look, where there is no other.
        let is_shown = |(place, target): &(usize, &TargetByDay)| {
            *place == 0 || target.held.holding < days.held.days
        };
        let shown: Vec<(&TargetByDay, &Driver)> = days
            .targets
            .iter()
            .enumerate()
            .filter(is_shown)
            .flat_map(|(_, target)| {
                target.drivers.iter().take(OF_TARGET).map(move |driver| (target, driver))
            })
            .take(MOST_ROWS)
            .collect();
        let scale = Scale::of(shown.iter().copied());
        let row = |&(target, driver): &(&TargetByDay, &Driver)| row(trial, target, driver, &scale);
        Some(Self {
            sentence: sentence(
                &trial.inputs,
                &days,
                &days_name(trial.subject.day, trial.subject.days),
            ),
            rows: shown.iter().map(row).collect(),
            less_patience: less_patience_words(&trial.inputs, &days),
            target_x: scale.x(0.0),
            low: words::signed_count(100.0 * scale.low),
            high: words::signed_count(100.0 * scale.high),
        })
    }
}

/// "Were customers a tenth less patient: abandonment of Bookings +0.3 ± 0.1 points, service level …"
fn less_patience_words(inputs: &TrialInputs, days: &DayByDay) -> String {
    let told = days.targets.iter().filter_map(|target| {
        let effect = target.less_patience.filter(LessPatience::is_told)?;
        let change = words::signed_one_decimal(100.0 * effect.change);
        let half_width = words::plus_minus(Some(effect.half_width), 100.0);
        Some(format!("{} {change}{half_width} points", target_name(inputs, target)))
    });
    let told: Vec<String> = told.collect();
    if told.is_empty() {
        return String::new();
    }
    format!("Were customers a tenth less patient: {}.", words::listing(&told))
}

fn row(trial: &Trial, target: &TargetByDay, driver: &Driver, scale: &Scale) -> DriverRow {
    let amount = |value: f64| match driver.what {
        DriverOfDay::Contacts(_) => words::thousands(value),
        DriverOfDay::HandleSecs(_) => words::secs(value),
    };
    let cell = |word: &str, third: &Third| ThirdCell {
        edge: format!("{word} {}", amount(third.edge)),
        share: words::percent(third.share),
        holding: words::whole_percent(third.holding),
        x: scale.x(target.score(third.share)),
    };
    DriverRow {
        target: target_name(&trial.inputs, target),
        bound: words::target_bound(target.target, target.wanted),
        holding: words::whole_percent(target.held.share()),
        what: words::capitalised(&driver_name(&trial.inputs, driver)),
        thirds: [cell("to", &driver.least), cell("from", &driver.most)],
        threshold: driver.threshold.map_or_else(
            || words::NONE.to_owned(),
            |threshold| format!("over {}", amount(threshold.at)),
        ),
    }
}

/// `GET /trials/{trial}/days.csv`
pub(crate) async fn export(
    State(app): State<App>,
    _: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let summary = app.store.trial_summary(id).await?.ok_or(PageError::NotFound)?;
    let mut rows = Vec::new();
    for (nth, day) in summary.single_days().iter().enumerate() {
        let row = |of: &str, name: &str, figures: [String; 5]| {
            let mut row = vec![(nth + 1).to_string(), of.to_owned(), name.to_owned()];
            row.extend(figures);
            row
        };
        let none = String::new;
        for (kind, each) in trial.inputs.types.iter().zip(&day.types) {
            let figures = [each.offered, each.answered_in_time, each.abandoned];
            let [offered, in_time, abandoned] = figures.map(|figure| figure.to_string());
            rows.push(row(
                "contact type",
                &kind.name,
                [offered, in_time, abandoned, none(), none()],
            ));
        }
        for (team, each) in trial.inputs.strategy.teams.iter().zip(&day.teams) {
            let [busy, staffed] =
                [each.busy_secs, each.staffed_secs].map(|secs| format!("{secs:.1}"));
            rows.push(row("team", &team.name, [none(), none(), none(), busy, staffed]));
        }
    }
    let heading = [
        "replication",
        "of",
        "name",
        "offered",
        "answered_in_time",
        "abandoned",
        "busy_secs",
        "staffed_secs",
    ];
    let file = format!("trial-days-{}-{}.csv", trial.subject.name, trial.subject.day);
    exports::csv(&file, &heading, rows).await
}
